package question

import (
	"cmp"
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/infer"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/tabular"
)

// Dates are the dates of a table, by series.
type Dates struct {
	Series  []DatesOf
	columns []string
	other   map[string]string // of columns that hold dates and can't be taken for such: why
	dates   []int             // the columns of dates
	others  bool              // the table has columns that hold something else
}

// Left reports whether the table holds more than the dates that were read.
func (d *Dates) Left() bool { return d.others || len(d.other) > 0 }

// DatesOf are the columns of dates of a series.
type DatesOf struct {
	Name     string
	Columns  []infer.Column
	calendar string // that was named for it; "" for none
}

// datesIn reads the dates of the table that is asked: the columns named, else all that hold
// dates and blanks alone; by series where a column names these.
func datesIn(j *Job, columns []string, key string) (*Dates, error) {
	t, err := j.table()
	if err != nil {
		return nil, err
	}
	j.own(t)
	readings, err := t.ownForms()
	if err != nil {
		return nil, err
	}
	if columns == nil && IsCalendarFile(j.Args[0]) {
		columns = []string{"start"}
	}
	d := &Dates{columns: t.Visible(), other: map[string]string{}}
	var named []int
	for _, c := range columns {
		i, err := t.Column("date", c)
		if err != nil {
			return nil, err
		}
		named = append(named, i)
	}
	by, err := rows.IfGiven(t.Column, "key", key)
	if err != nil {
		return nil, err
	}
	for i := range d.columns {
		t.Cells = append(t.Cells, i)
		t.Uses(i)
	}
	if err := j.settle(d.columns); err != nil {
		return nil, err
	}
	site := -1
	if column := j.Env.CalendarColumn; column != "" {
		if site = rows.Find(d.columns, column); site < 0 {
			return nil, rows.In("calendar", rows.UnknownColumn(column, d.columns))
		}
	}
	list, seen, err := d.read(j, t, [2]int{by, site}, readings)
	if err != nil {
		return nil, err
	}
	d.choose(named, by, seen)
	for _, i := range named {
		if c := seen[i]; c.isnt > 0 {
			return nil, rows.In("date", fmt.Errorf("the column `%s` holds %q, which is not a date%s", d.columns[i],
				eval.Brief(c.texts[0]), fitting(j, d.columns[i], c.texts)))
		}
	}
	if len(d.dates) == 0 {
		return nil, d.none()
	}
	name := strings.TrimSuffix(filepath.Base(t.Name), filepath.Ext(t.Name))
	if t.Name == "-" {
		name = "table"
	}
	d.fill(list, by, name)
	return d, nil
}

// seen is what the cells of a column are.
type seen struct {
	is, isnt int      // dates; and neither dates nor blank
	texts    []string // of the latter, the first ones
}

// read takes the dates of all rows, series by series; of names the columns, -1 for none, of
// the series and of their calendars. A series counts with one calendar.
func (d *Dates) read(j *Job, t *Table, of [2]int, readings [][]tabular.Reading) (list []lines, columns []seen, err error) {
	open := map[string]bool{}
	for _, w := range j.In.OpenWords {
		open[strings.ToLower(w)] = true
	}
	columns = make([]seen, len(d.columns))
	place := map[string]int{}
	err = j.scan(t, func(line int, row []eval.Value) error {
		name := ""
		if of[0] >= 0 {
			name = strings.TrimSpace(row[of[0]].String())
		}
		site := j.Named
		if of[1] >= 0 {
			site = strings.TrimSpace(row[of[1]].String())
		}
		at, ok := place[name]
		if !ok {
			at, name = len(list), strings.Clone(name)
			place[name] = at
			list = append(list, lines{name: name, calendar: strings.Clone(site)})
		}
		if list[at].calendar != site {
			return &rows.BadCell{Line: line, Column: d.columns[of[1]], Err: fmt.Errorf(
				"the rows before it use %s; name the column whose values have a calendar each with --key", named([]string{list[at].calendar})[0])}
		}
		cells := make([]stamp, len(columns))
		for i := range columns {
			c := &columns[i]
			day, minutes, ok := stampOf(row[i], readings[i])
			switch text := strings.TrimSpace(row[i].String()); {
			case ok:
				cells[i] = stamp{day, minutes}
				c.is++
			case text == "" || open[strings.ToLower(text)]:
			default:
				if c.isnt++; c.isnt <= mostLookedAt {
					c.texts = append(c.texts, strings.Clone(text))
				}
			}
		}
		list[at].rows = append(list[at].rows, cells)
		return nil
	})
	return list, columns, err
}

// fill makes columns of the rows of each series.
func (d *Dates) fill(list []lines, by int, name string) {
	for _, l := range list {
		if by >= 0 {
			if name = l.name; name == "" {
				d.other[""] = fmt.Sprintf("%s without `%s` left out", phrase.Counted(len(l.rows), "row"), d.columns[by])
				continue
			}
		}
		of := DatesOf{Name: name, calendar: l.calendar}
		for _, i := range d.dates {
			c := infer.Column{Name: d.columns[i]}
			for _, row := range l.rows {
				c.Days, c.Times = append(c.Days, row[i].day), append(c.Times, row[i].minutes)
			}
			of.Columns = append(of.Columns, c)
		}
		d.Series = append(d.Series, of)
	}
}

type (
	stamp struct {
		day     civil.Date
		minutes int
	}
	lines struct { // of a series
		name, calendar string
		rows           [][]stamp
	}
)

// mostLookedAt is how many cells that are no dates are looked at for a form.
const mostLookedAt = 1000

// choose settles which columns are taken.
func (d *Dates) choose(named []int, by int, columns []seen) {
	d.dates = named
	for i, c := range columns {
		switch {
		case i == by || slices.Contains(named, i):
		case named == nil && c.is > 0 && c.isnt == 0:
			d.dates = append(d.dates, i)
		default:
			d.others = d.others || c.is+c.isnt > 0
			forms := tabular.Fitting(c.texts)
			switch {
			case named != nil:
			case c.is > c.isnt:
				d.other[d.columns[i]] = fmt.Sprintf("expected a date, found %q", eval.Brief(c.texts[0]))
			case c.is == 0 && slices.ContainsFunc(forms, func(f string) bool { return f != "serial" }):
				d.other[d.columns[i]] = "its dates aren't ISO; say how to read them: --read-dates " +
					rows.Quote(d.columns[i]+"="+forms[0])
			}
		}
	}
}

// fitting says which form reads a column, if one does.
func fitting(j *Job, column string, texts []string) string {
	if forms := tabular.Fitting(texts); len(forms) > 0 {
		return "; try " + j.Say("read-dates", rows.Quote(column+"="+forms[0]))
	}
	return ""
}

// none is the error for a table without dates.
func (d *Dates) none() error {
	for _, c := range d.columns {
		if why := d.other[c]; why != "" {
			return fmt.Errorf("no column of dates: `%s`: %s", c, why)
		}
	}
	return fmt.Errorf("no column of dates; the columns are %s", phrase.Names(d.columns))
}

// tell says what was passed over.
func (d *Dates) tell(j *Job) {
	for _, c := range append([]string{""}, d.columns...) {
		switch why := d.other[c]; {
		case why == "":
		case c == "":
			j.after("%s", why)
		default:
			j.after("the column `%s` is left out: %s", c, why)
		}
	}
}

// find explains the dates of all series. Of what the calendars were asked beyond what they
// know, only the dates that are handed out stay noted.
func (d *Dates) find(j *Job) (list []infer.Found, err error) {
	by := map[string]*infer.Search{}
	work := 0
	for _, of := range d.Series {
		s := by[of.calendar]
		if s == nil {
			if s, err = j.search(of.calendar, j.Named == ""); err != nil {
				return nil, err
			}
			by[of.calendar], s.Work = s, &work
		}
		list = append(list, s.Table(of.Name, of.Columns)...)
	}
	for _, s := range by {
		for _, c := range s.Calendars {
			c.Days.Forget()
		}
	}
	for _, f := range list {
		for _, r := range f.Ranks[:min(len(f.Ranks), 1)] {
			cal := f.By.Calendar(r)
			for _, day := range r.Given {
				if day != civil.None && cal.Name != "" && !cal.Days.Knows(day) {
					cal.Days.Miss(day)
				}
			}
		}
	}
	return list, nil
}

// ownForms takes over the forms in which dates are declared, by column: a time behind such a
// date is looked at here, and nowhere else.
func (t *Table) ownForms() ([][]tabular.Reading, error) {
	readings := make([][]tabular.Reading, len(t.Visible()))
	in := *t.in
	texts := slices.SortedStableFunc(slices.Values(t.in.ReadDates), func(a, b string) int { // those for one column first
		first, _ := cutForm(a)
		second, _ := cutForm(b)
		return cmp.Compare(min(1, len(second)), min(1, len(first)))
	})
	in.ReadDates, t.in = nil, &in
	for _, text := range texts {
		name, form := cutForm(text)
		list, err := tabular.ParseReadings(form)
		if err != nil {
			return nil, rows.In("read-dates", err)
		}
		if slot := rows.Find(t.columns, name); name == "" {
			for i := range readings {
				if readings[i] == nil {
					readings[i] = list
				}
			}
		} else if slot < 0 {
			return nil, rows.In("read-dates", t.unknownIn(name))
		} else {
			readings[slot] = list
		}
	}
	return readings, nil
}

// stampOf is a cell's day, and its time in minutes or -1.
func stampOf(v eval.Value, readings []tabular.Reading) (d civil.Date, minutes int, ok bool) {
	at, ok := eval.DayOf(v)
	if !ok && readings != nil {
		at.Day, _, ok = tabular.ReadCell(v, readings)
	}
	switch {
	case !ok:
		return civil.None, -1, false
	case at.Kind == eval.Moment:
		return at.Day, int(at.Minutes), true
	}
	if minutes, timed := tabular.ClockOf(v.Text); timed && v.Kind == eval.Text {
		return at.Day, minutes, true
	}
	return at.Day, -1, true
}
