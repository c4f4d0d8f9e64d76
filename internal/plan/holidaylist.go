package plan

import (
	"fmt"
	"strings"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/core/workdays"
	"yoyaku/internal/tabular"
)

// readHolidayTable reads a list of holidays as the recogniser sees it: the columns date and name,
// or start, end and name, else the first column of dates, one of last days beside it, and the
// first of texts. A blank end is the start. If it has a column counts, a row with a number above 0
// there is a short day; else counts says it of all. What is no row of the list is left out, with a
// warning.
func (b *calendarSet) readHolidayTable(path, name, form string, counts int) (workdays.HolidayList, error) {
	in := ask.TableOptions{HeaderRow: 1}
	context := tabular.ContextOf(b.env)
	if form != "" {
		if _, err := tabular.ParseDateLayouts(form, context); err != nil {
			return nil, rows.WrapOption("read-dates", err)
		}
		in.ReadDates = []string{form}
	}
	if err := b.files.AddInput(path); err != nil {
		return nil, err
	}
	layout, err := in.Recognise(path, nil, context)
	if err != nil {
		return nil, err
	}
	options := in.WithShape(layout)
	file := options.File()
	file.Skipped, file.OnOpen, file.Repairs = tabular.SkippedRows{}, b.files.OpenRegistered, &tabular.Repairs{}
	table, closer, err := tabular.Open(path, nil, file)
	if err != nil {
		return nil, err
	}
	defer closer.Close()
	at := holidayColumns(table.Columns())
	if at == nil {
		at = rolesOf(layout)
	}
	if at == nil {
		return nil, &tabular.CellError{File: path, Line: 1,
			Message: "no column of dates was found beside one of names; a list has the columns `date` and `name`, or `start`, `end` and `name`"}
	}
	row := listedRow{at: at, form: form, context: context}
	if row.forms, err = holidayForms(path, layout, at, form, context); err != nil {
		return nil, err
	}
	var list workdays.HolidayList
	err = rows.Each(table, func(line int, cells []eval.Value) error {
		row.cells = cells
		if _, single := at["date"]; single && row.text("date") == "" && row.text("name") == "" { // a line of blanks, or of another column alone
			return nil
		}
		like := workdays.Holiday{Name: row.text("name"), Source: fmt.Sprintf("%s:%d", name, line), Weight: counts}
		span, column, err := row.holiday(&like)
		if err != nil {
			return &tabular.CellError{File: path, Line: line, Column: table.Columns()[at[column]], Message: err.Error()}
		}
		list = list.AppendSpan(like, span)
		return nil
	})
	for _, note := range file.Skipped.Notes(name) {
		b.warn("%s", note)
	}
	return list, err
}

// rolesOf tells the columns of a list by what they hold: the first of dates, a second of dates that
// are last days by their place, the first of texts. nil where there are none.
func rolesOf(l *tabular.Layout) map[string]int {
	var dates, texts []int
	for i, c := range l.Columns {
		switch c.Kind {
		case tabular.DateColumn:
			dates = append(dates, i)
		case tabular.TextColumn:
			texts = append(texts, i)
		}
	}
	if len(dates) == 0 || len(texts) == 0 {
		return nil
	}
	if len(dates) > 1 {
		return map[string]int{"start": dates[0], "end": dates[1], "name": texts[0]}
	}
	return map[string]int{"date": dates[0], "name": texts[0]}
}

// holidayForms are the forms of the columns of dates; a doubt about one is an error that names the
// key that settles it.
func holidayForms(path string, l *tabular.Layout, at map[string]int, form string, c tabular.DateContext) (map[string][]tabular.DateLayout, error) {
	forms := map[string][]tabular.DateLayout{}
	for _, role := range []string{"date", "start", "end"} {
		i, ok := at[role]
		if !ok || i >= len(l.Columns) {
			continue
		}
		column := l.Columns[i]
		use := form
		if use == "" {
			use = column.Form
		}
		if form == "" && len(column.Also) > 0 {
			return nil, &tabular.CellError{File: path, Line: max(1, l.HeaderRow), Column: column.Name, Message: fmt.Sprintf("its dates can be read as %s, which are different days. Add `read-dates: %s` beside the file",
				strings.Join(append([]string{column.Form}, column.Also...), " or as "), column.Form)}
		}
		if use == "" {
			continue
		}
		list, err := tabular.ParseDateLayouts(use, c)
		if err != nil {
			return nil, rows.WrapOption("read-dates", err)
		}
		forms[role] = list
	}
	return forms, nil
}

// holidayColumns finds the columns of a list of holidays; nil if they aren't
// there.
func holidayColumns(head []string) map[string]int {
	at := map[string]int{}
	for i, h := range head {
		switch key := phrase.FoldName(strings.TrimSpace(h)); key {
		case "date", "start", "end", "name", "counts", "until":
			at[key] = i
		}
	}
	_, date := at["date"]
	_, start := at["start"]
	_, end := at["end"]
	if _, name := at["name"]; !name || !date && !(start && end) {
		return nil
	}
	if start && end { // a list with all of them goes by its stretches
		delete(at, "date")
	}
	return at
}

// listedRow is a row of a list of holidays.
type listedRow struct {
	at      map[string]int // places of the columns
	cells   []eval.Value
	forms   map[string][]tabular.DateLayout // of dates, by column
	form    string                          // that was said of all; "" for none
	context tabular.DateContext
}

func (r *listedRow) text(column string) string {
	return strings.Clone(strings.TrimSpace(r.cells[r.at[column]].String()))
}

// holiday reads the days of the row, and how short they are; column is that of a fault.
func (r *listedRow) holiday(like *workdays.Holiday) (span civil.Span, column string, err error) {
	first, last := "start", "end"
	if _, single := r.at["date"]; single {
		first, last = "date", "date"
	}
	if span.First, err = r.day(first); err != nil {
		return span, first, err
	}
	if span.Last = span.First; last != first && r.text(last) != "" {
		if span.Last, err = r.day(last); err != nil {
			return span, last, err
		}
	}
	if span.Last < span.First || span.Len() > maxHolidaySpan {
		return span, last, fmt.Errorf("the range of days ends before it starts: %s to %s", span.First, span.Last)
	}
	if err := schedule.CheckLength("a holiday's name", like.Name); err != nil {
		return span, "name", err
	}
	for _, column := range []string{"counts", "until"} {
		if _, there := r.at[column]; there {
			if err := setShortCell(like, column, r.text(column)); err != nil {
				return span, column, err
			}
		}
	}
	return span, "", nil
}

// day reads the date in a column.
func (r *listedRow) day(column string) (civil.Date, error) {
	v := r.cells[r.at[column]]
	text := r.text(column)
	if d, ok := eval.AsDate(v); ok {
		return d.Day, nil
	}
	if d, _, ok := tabular.ReadCell(v, r.forms[column]); ok {
		return d, nil
	}
	if why := tabular.WhyNot(text, r.forms[column], r.context); why != "" {
		return civil.None, fmt.Errorf("%q: %s", text, why)
	}
	if r.form != "" {
		return civil.None, fmt.Errorf("expected a date written as %s, found %q", r.form, text)
	}
	return civil.None, fmt.Errorf("expected a date such as 2027-03-31, found %q", text)
}
