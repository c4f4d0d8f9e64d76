package render

import (
	"cmp"
	"fmt"
	"io"
	"time"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/ical"
	"yoyaku/internal/tabular"
)

// Options is how a result is dressed: title, width, colour, dates.
type Options struct {
	Title string
	AsOf  civil.Date // a table with a title says it
	Width int        // columns of the terminal; 0 for no limit
	Color bool
	// Dates writes dates in a layout of its own; nil for ISO 8601.
	Dates func(v eval.Value) string
	// Plan is the title of the plan that provides what a phrase may name.
	Plan string
	// GroupBy is a column whose rows are in blocks, by its text or, of a number, by whether it
	// is below, at or above 0; "" for none.
	GroupBy       string
	GuardFormulas bool           // marks text that a spreadsheet would run
	Zone          *time.Location // of events
}

// header is what is over a table.
func (l Options) header() string {
	if l.Title == "" {
		return ""
	}
	return l.Title + ", as of " + l.AsOf.String()
}

// bookProperties is what a workbook says of itself.
func (l Options) bookProperties() tabular.BookProperties {
	return tabular.BookProperties{PageHeader: l.header(), Sheet: l.Title, Title: cmp.Or(l.Title, l.Plan), AsOf: l.AsOf.String()}
}

// Format is a format of results.
type Format struct {
	Name string
	// ForPeople says that it is for people to look at, not for programs.
	ForPeople bool
	// Titled says that it has a place for a title.
	Titled bool
	// One of the two makes its writer.
	rows   func(w io.Writer, l Options) (rows.Sink, error)
	events func(w io.Writer, l Options) *ical.Sink
}

// HoldsEvents reports whether the format holds calendar events, not rows.
func (f Format) HoldsEvents() bool { return f.events != nil }

// Writer is where a result goes: rows or events; the other is nil.
type Writer struct {
	Rows   rows.Sink
	Events *ical.Sink
}

// formats is the register of formats: each with its writer.
var formats = []Format{
	{Name: "table", ForPeople: true, Titled: true, rows: func(w io.Writer, l Options) (rows.Sink, error) {
		return newTable(w, l), nil
	}},
	{Name: "csv", rows: func(w io.Writer, l Options) (rows.Sink, error) { return tabular.NewCSV(w, ',', l.GuardFormulas), nil }},
	{Name: "tsv", rows: func(w io.Writer, l Options) (rows.Sink, error) { return tabular.NewCSV(w, '\t', l.GuardFormulas), nil }},
	{Name: "json", rows: func(w io.Writer, l Options) (rows.Sink, error) { return l.guardFormulas(tabular.NewJSON(w)), nil }},
	{Name: "jsonl", rows: func(w io.Writer, l Options) (rows.Sink, error) { return l.guardFormulas(tabular.NewJSONL(w)), nil }},
	{Name: "md", Titled: true, rows: func(w io.Writer, l Options) (rows.Sink, error) {
		return l.guardFormulas(newMarkdown(w, l.header())), nil
	}},
	{Name: "html", Titled: true, rows: func(w io.Writer, l Options) (rows.Sink, error) { return newHTML(w, l), nil }},
	{Name: "xlsx", Titled: true, rows: func(w io.Writer, l Options) (rows.Sink, error) {
		return tabular.NewXLSX(w,
			l.bookProperties())
	}},
	{Name: "ics", Titled: true, events: func(w io.Writer, l Options) *ical.Sink {
		return ical.NewSink(w, ical.Calendar{Name: l.Title, Zone: l.Zone, DTSTAMP: l.AsOf})
	}},
}

// TitleError is the fault of a title for a format that has no place for one.
func (f Format) TitleError() error {
	return fmt.Errorf("doesn't fit in %s, which has only columns and rows; use table, md, html or xlsx", f.Name)
}

// FormatNames lists the formats of rows, with events those of events too.
func FormatNames(events bool) (list []string) {
	for _, f := range formats {
		if events || !f.HoldsEvents() {
			list = append(list, f.Name)
		}
	}
	return list
}

// FindFormat returns a format by its name; ok is false if there is none.
func FindFormat(name string) (f Format, ok bool) {
	for _, f := range formats {
		if f.Name == name {
			return f, true
		}
	}
	return f, false
}

// Open makes the format's writer of rows or of events.
func (f Format) Open(w io.Writer, l Options) (to Writer, err error) {
	if f.HoldsEvents() {
		return Writer{Events: f.events(w, l)}, nil
	}
	to.Rows, err = f.OpenRows(w, l)
	return to, err
}

// OpenRows makes the writer of a format of rows. Workbooks have real dates in any case.
func (f Format) OpenRows(w io.Writer, l Options) (rows.Sink, error) {
	s, err := f.rows(w, l)
	if err != nil || l.Dates == nil || f.Name == "xlsx" {
		return s, err
	}
	return mapSink(s, nil, func(v eval.Value) eval.Value {
		if v.Kind == eval.Date || v.Kind == eval.DateTime {
			return eval.Str(l.Dates(v))
		}
		return v
	}), nil
}

// guardFormulas wraps a sink so that text is marked that a spreadsheet would run.
func (l Options) guardFormulas(s rows.Sink) rows.Sink {
	if !l.GuardFormulas {
		return s
	}
	return mapSink(s, tabular.GuardFormula, func(v eval.Value) eval.Value {
		if v.Kind == eval.Text {
			v.Text = tabular.GuardFormula(v.Text)
		}
		return v
	})
}

// mappedSink changes heads and cells on their way to a sink.
type mappedSink struct {
	rows.Sink
	head func(string) string
	cell func(eval.Value) eval.Value
	buf  []eval.Value
}

func mapSink(s rows.Sink, head func(string) string, cell func(eval.Value) eval.Value) rows.Sink {
	return &mappedSink{Sink: s, head: head, cell: cell}
}

var _ rows.Displayer = (*mappedSink)(nil)

// Display gives on what the sink shows.
func (w *mappedSink) Display() rows.Display { return rows.DisplayOf(w.Sink) }

// Header implements rows.Sink.
func (w *mappedSink) Header(columns []string) error {
	if w.head != nil {
		marked := make([]string, len(columns))
		for i, c := range columns {
			marked[i] = w.head(c)
		}
		columns = marked
	}
	return w.Sink.Header(columns)
}

// Row implements rows.Sink.
func (w *mappedSink) Row(cells []eval.Value) error {
	w.buf = w.buf[:0]
	for _, v := range cells {
		w.buf = append(w.buf, w.cell(v))
	}
	return w.Sink.Row(w.buf)
}

// valueSink is a sink that prints one value on one line.
type valueSink struct{ w io.Writer }

// NewValueSink is the writer of one value, without a heading.
func NewValueSink(w io.Writer) rows.Sink { return valueSink{w} }

// Header implements rows.Sink.
func (valueSink) Header([]string) error { return nil }

// Close implements rows.Sink.
func (valueSink) Close() error { return nil }

// Row implements rows.Sink.
func (b valueSink) Row(cells []eval.Value) error {
	_, err := fmt.Fprintln(b.w, cells[0])
	return err
}
