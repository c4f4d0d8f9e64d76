package query

import (
	"errors"
	"fmt"
	"maps"
	"path/filepath"
	"slices"
	"strings"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/infer"
	"yoyaku/internal/core/language"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/tabular"
)

// TableDates are the dates of a table, by series.
type TableDates struct {
	Series          []SeriesDates
	columns         []string
	context         tabular.DateContext
	unreadable      map[string]string // of columns that hold dates and can't be taken for such: why
	dates           []int             // the columns of dates
	hasOtherColumns bool              // the table has columns that hold something else
	leftOut         []string          // rows of a schedule that are none of a series, a sentence each
}

// HasMore reports whether the table holds more than the dates that were read.
func (d *TableDates) HasMore() bool { return d.hasOtherColumns || len(d.unreadable) > 0 }

// DateColumns are the names of the columns of dates, in their order.
func (d *TableDates) DateColumns() (list []string) {
	for _, i := range d.dates {
		list = append(list, d.columns[i])
	}
	return list
}

// SeriesDates are the columns of dates of a series.
type SeriesDates struct {
	Name     string
	Title    string // of a schedule of ours, if all its dates have one; "" else
	Columns  []infer.Column
	calendar string // that was named for it; "" for none
}

// readTableDates reads the dates of the table that is asked: the columns named, else all that hold
// dates and blanks alone; by series where a column names these.
func readTableDates(j *ask.Job, columns []string, key string) (*TableDates, error) {
	t, err := j.OpenTable()
	if err != nil {
		return nil, err
	}
	j.FilterOwn(t)
	readings, err := t.TakeLayouts()
	if err != nil {
		return nil, err
	}
	if columns == nil && ask.IsCalendarFile(j.Args[0]) {
		columns = []string{"start"}
	}
	d := &TableDates{columns: t.Visible(), context: tabular.ContextOf(j.Env), unreadable: map[string]string{}}
	var named []int
	for _, c := range columns {
		i, err := t.FindColumn("date", c)
		if err != nil {
			return nil, err
		}
		named = append(named, i)
	}
	by, err := rows.IfGiven(t.FindColumn, "key", key)
	if err != nil {
		return nil, err
	}
	for i := range d.columns {
		t.Cells = append(t.Cells, i)
		t.MarkUsed(i)
	}
	if err := j.PrepareRead(d.columns); err != nil {
		return nil, err
	}
	site := -1
	if column := j.Env.CalendarColumn; column != "" {
		if site = rows.ColumnIndex(d.columns, column); site < 0 {
			return nil, rows.WrapOption("calendar", rows.UnknownColumn(column, d.columns))
		}
	}
	name := strings.TrimSuffix(filepath.Base(t.Name), filepath.Ext(t.Name))
	if t.Name == "-" {
		name = "table"
	}
	if columns == nil && key == "" && site < 0 && holdsSchedule(d.columns) {
		ok, err := d.readSchedule(j, t, name)
		if err == nil && !ok {
			err = errNotOurs
		}
		return d, err
	}
	list, seen, err := d.read(j, t, [2]int{by, site}, readings)
	if err != nil {
		return nil, err
	}
	d.chooseColumns(named, by, seen)
	for _, i := range named {
		if c := seen[i]; c.numOthers > 0 {
			return nil, rows.WrapOption("date", fmt.Errorf("the column `%s` holds %q, which is not a date%s", d.columns[i],
				eval.Truncate(c.texts[0]), layoutHint(j, d.columns[i], c.texts)))
		}
	}
	if len(d.dates) == 0 {
		return nil, d.noDatesError()
	}
	d.setColumns(list, by, name)
	return d, nil
}

// errNotOurs is a table with the columns of a schedule and ids that aren't ours.
var errNotOurs = errors.New("the table has the columns of a schedule, but its ids aren't those of one; name the columns to take with --date")

// columnStats is what the cells of a column are.
type columnStats struct {
	numDates, numOthers int      // dates; and neither dates nor blank
	texts               []string // of the latter, the first ones
}

// read takes the dates of all rows, series by series; of names the columns, -1 for none, of
// the series and of their calendars. A series counts with one calendar.
func (d *TableDates) read(j *ask.Job, t *ask.Table, of [2]int, readings [][]tabular.DateLayout) (list []seriesRows, columns []columnStats, err error) {
	open := map[string]bool{}
	for _, w := range j.In.BlankWords {
		open[strings.ToLower(w)] = true
	}
	columns = make([]columnStats, len(d.columns))
	place := map[string]int{}
	err = j.Scan(t, func(line int, row []eval.Value) error {
		name := ""
		if of[0] >= 0 {
			name = strings.TrimSpace(row[of[0]].String())
		}
		site := j.CalendarName
		if of[1] >= 0 {
			site = strings.TrimSpace(row[of[1]].String())
		}
		at, ok := place[name]
		if !ok {
			at, name = len(list), strings.Clone(name)
			place[name] = at
			list = append(list, seriesRows{name: name, calendar: strings.Clone(site)})
		}
		if list[at].calendar != site {
			return &rows.BadCell{Line: line, Column: d.columns[of[1]], Err: fmt.Errorf(
				"the rows before it use %s; name the column whose values have a calendar each with --key", calendarLabels([]string{list[at].calendar})[0])}
		}
		cells := make([]dayTime, len(columns))
		for i := range columns {
			c := &columns[i]
			day, minutes, ok := dayTimeOf(row[i], readings[i])
			switch text := strings.TrimSpace(row[i].String()); {
			case ok:
				cells[i] = dayTime{day, minutes}
				c.numDates++
			case text == "" || open[strings.ToLower(text)]:
			default:
				if c.numOthers++; c.numOthers <= maxSampledCells {
					c.texts = append(c.texts, strings.Clone(text))
				}
			}
		}
		list[at].rows = append(list[at].rows, cells)
		return nil
	})
	return list, columns, err
}

// setColumns makes columns of the rows of each series.
func (d *TableDates) setColumns(list []seriesRows, by int, name string) {
	for _, l := range list {
		if by >= 0 {
			if name = l.name; name == "" {
				d.unreadable[""] = fmt.Sprintf("%s without `%s` left out", phrase.Plural(len(l.rows), "row"), d.columns[by])
				continue
			}
		}
		of := SeriesDates{Name: name, calendar: l.calendar}
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
	dayTime struct {
		day     civil.Date
		minutes int
	}
	seriesRows struct { // of a series
		name, calendar string
		rows           [][]dayTime
	}
)

// maxSampledCells is how many cells that are no dates are looked at for a form.
const maxSampledCells = 1000

// chooseColumns settles which columns are taken.
func (d *TableDates) chooseColumns(named []int, by int, columns []columnStats) {
	d.dates = named
	for i, c := range columns {
		switch {
		case i == by || slices.Contains(named, i):
		case named == nil && c.numDates > 0 && c.numOthers == 0:
			d.dates = append(d.dates, i)
		default:
			d.hasOtherColumns = d.hasOtherColumns || c.numDates+c.numOthers > 0
			if named == nil && c.numDates+c.numOthers > 0 {
				d.unreadable[d.columns[i]] = d.whyNot(d.columns[i], c)
			}
		}
	}
	maps.DeleteFunc(d.unreadable, func(_, why string) bool { return why == "" })
}

// whyNot says why a column isn't taken for one of dates that holds some, or could; "" for another.
func (d *TableDates) whyNot(name string, c columnStats) string {
	look := tabular.LookAtCells(name, c.texts, tabular.Told{HeaderRow: -1, Context: d.context})
	way := ""
	switch {
	case look.Form != "":
		way = "; say how to read them: --read-dates " + ask.FormWord(name, look.Form)
	case len(look.Words[tabular.OpenWord]) > 0:
		way = "; words of a range that is still open: --open-words " + ask.ShellWord(strings.Join(look.Words[tabular.OpenWord], ","))
	}
	switch {
	case look.LacksYear && c.numDates == 0:
		return "its dates have no year; say which, such as --read-dates " + ask.FormWord(name, "dmy 2027")
	case c.numDates > 0:
		return fmt.Sprintf("it has %s of dates and %s, such as %q%s", phrase.Plural(c.numDates, "cell"),
			phrase.CountVerb(c.numOthers, "that isn't one", "that aren't"), eval.Truncate(c.texts[0]), way)
	case look.Form != "" && look.Kind == tabular.DateColumn:
		if len(look.Also) > 0 {
			return fmt.Sprintf("its dates aren't ISO, and can be read as %s; choose one: --read-dates %s", strings.Join(append([]string{look.Form}, look.Also...), " or as "), ask.FormWord(name, look.Form))
		}
		return "its dates aren't ISO" + way
	case look.Kind == tabular.LabelColumn:
		return fmt.Sprintf("it names stretches of time; for their first days --read-dates %s, for their last --read-dates %s", ask.FormWord(name, tabular.FirstDay), ask.FormWord(name, tabular.LastDay))
	}
	return ""
}

// layoutHint says which form reads a column, if one does.
func layoutHint(j *ask.Job, column string, texts []string) string {
	if c := tabular.LookAtCells(column, texts, tabular.Told{HeaderRow: -1, Context: tabular.ContextOf(j.Env), Dates: []string{column}}); c.Form != "" {
		return "; try " + j.OptionText("read-dates", ask.FormWord(column, c.Form))
	}
	return ""
}

// noDatesError is the error for a table without dates.
func (d *TableDates) noDatesError() error {
	for _, c := range d.columns {
		if why := d.unreadable[c]; why != "" {
			return fmt.Errorf("no column of dates: `%s`: %s", c, why)
		}
	}
	return fmt.Errorf("no column of dates; the columns are %s", phrase.ListNames(d.columns))
}

// Notes says what was passed over, a sentence each.
func (d *TableDates) Notes() (list []string) {
	list = slices.Clone(d.leftOut)
	for _, c := range append([]string{""}, d.columns...) {
		switch why := d.unreadable[c]; {
		case why == "":
		case c == "":
			list = append(list, why)
		default:
			list = append(list, fmt.Sprintf("the column `%s` is left out: %s", c, why))
		}
	}
	return list
}

// explain explains the dates of all series. Of what the calendars were asked beyond what they
// know, only the dates that are handed out stay noted.
func (d *TableDates) explain(j *ask.Job) (list []infer.ColumnResult, err error) {
	by := map[string]*infer.Search{}
	work := 0
	for _, of := range d.Series {
		s := by[of.calendar]
		if s == nil {
			if s, err = newSearch(j, of.calendar, j.CalendarName == ""); err != nil {
				return nil, err
			}
			by[of.calendar], s.Work = s, &work
		}
		list = append(list, s.Table(of.Name, of.Columns)...)
	}
	for _, s := range by {
		for _, c := range s.Calendars {
			c.Days.ResetMisses()
		}
	}
	for _, f := range list {
		for _, r := range f.Explanations[:min(len(f.Explanations), 1)] {
			cal := f.Search.Calendar(r)
			for _, day := range r.Dates {
				if day != civil.None && cal.Name != "" && !cal.Days.Covers(day) {
					cal.Days.RecordMiss(day)
				}
			}
		}
	}
	return list, nil
}

// dayTimeOf is a cell's day, and its time in minutes or -1.
func dayTimeOf(v eval.Value, readings []tabular.DateLayout) (d civil.Date, minutes int, ok bool) {
	when, ok := eval.AsDate(v)
	if !ok && readings != nil {
		when.Day, _, ok = tabular.ReadCell(v, readings)
	}
	switch {
	case !ok:
		return civil.None, -1, false
	case when.Kind == eval.DateTime:
		return when.Day, int(when.Minutes), true
	}
	if minutes, _, timed := language.TimeIn(v.Text); timed && v.Kind == eval.Text {
		return when.Day, minutes, true
	}
	return when.Day, -1, true
}
