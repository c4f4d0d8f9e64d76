package report

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

// Look is how a result is dressed.
type Look struct {
	Title string
	AsOf  civil.Date // a table with a title says it
	Width int        // columns of the terminal; 0 for no limit
	Color bool
	// Dates writes dates in a layout of its own; nil for ISO 8601.
	Dates func(v eval.Value) string
	// Plan is the title of the plan that provides what a phrase may name.
	Plan string
	// Apart is a column whose rows are in blocks, by its text or, of a number, by whether it
	// is below, at or above 0; "" for none.
	Apart string
	Safe  bool           // marks text that a spreadsheet would run
	Zone  *time.Location // of events
}

// over is what is over a table.
func (l Look) over() string {
	if l.Title == "" {
		return ""
	}
	return l.Title + ", as of " + l.AsOf.String()
}

// cover is what a workbook says of itself.
func (l Look) cover() tabular.Cover {
	return tabular.Cover{Over: l.over(), Sheet: l.Title, Title: cmp.Or(l.Title, l.Plan), AsOf: l.AsOf.String()}
}

// Format is a format of results.
type Format struct {
	Name string
	// Events says that it holds calendar events, not rows.
	Events bool
	// People says that it is for people to look at, not for programs.
	People bool
	// Titled says that it has a place for a title.
	Titled bool
	make   func(w io.Writer, l Look) (rows.Sink, error)
}

// Formats is the register of formats: each with its writer.
var Formats = []Format{
	{Name: "table", People: true, Titled: true, make: func(w io.Writer, l Look) (rows.Sink, error) {
		return newTable(w, l), nil
	}},
	{Name: "csv", make: func(w io.Writer, l Look) (rows.Sink, error) { return tabular.NewCSV(w, ',', l.Safe), nil }},
	{Name: "tsv", make: func(w io.Writer, l Look) (rows.Sink, error) { return tabular.NewCSV(w, '\t', l.Safe), nil }},
	{Name: "json", make: func(w io.Writer, l Look) (rows.Sink, error) { return l.marked(tabular.NewJSON(w)), nil }},
	{Name: "jsonl", make: func(w io.Writer, l Look) (rows.Sink, error) { return l.marked(tabular.NewJSONL(w)), nil }},
	{Name: "md", Titled: true, make: func(w io.Writer, l Look) (rows.Sink, error) {
		return l.marked(NewMarkdown(w, l.over())), nil
	}},
	{Name: "html", Titled: true, make: func(w io.Writer, l Look) (rows.Sink, error) { return NewHTML(w, l), nil }},
	{Name: "xlsx", Titled: true, make: func(w io.Writer, l Look) (rows.Sink, error) {
		return tabular.NewXLSX(w,
			l.cover())
	}},
	{Name: "ics", Events: true, Titled: true, make: func(w io.Writer, l Look) (rows.Sink, error) {
		return ical.NewSink(w, ical.Calendar{Name: l.Title, Zone: l.Zone, Stamp: l.AsOf}), nil
	}},
}

// ErrUntitled is the fault of a title for a format that has no place for one.
func (f Format) ErrUntitled() error {
	return fmt.Errorf("doesn't fit in %s, which has only columns and rows; use table, md, html or xlsx", f.Name)
}

// Names lists the formats of rows, with events those of events too.
func Names(events bool) (list []string) {
	for _, f := range Formats {
		if events || !f.Events {
			list = append(list, f.Name)
		}
	}
	return list
}

// Find returns a format by its name; ok is false if there is none.
func Find(name string) (f Format, ok bool) {
	for _, f := range Formats {
		if f.Name == name {
			return f, true
		}
	}
	return f, false
}

// Sink makes the writer of the format. Workbooks have real dates in any case.
func (f Format) Sink(w io.Writer, l Look) (rows.Sink, error) {
	s, err := f.make(w, l)
	if err != nil || l.Dates == nil || f.Name == "xlsx" || f.Events {
		return s, err
	}
	return through(s, nil, func(v eval.Value) eval.Value {
		if v.Kind == eval.Date || v.Kind == eval.Moment {
			return eval.Str(l.Dates(v))
		}
		return v
	}), nil
}

// marked wraps a sink so that text is marked that a spreadsheet would run.
func (l Look) marked(s rows.Sink) rows.Sink {
	if !l.Safe {
		return s
	}
	return through(s, tabular.Safe, func(v eval.Value) eval.Value {
		if v.Kind == eval.Text {
			v.Text = tabular.Safe(v.Text)
		}
		return v
	})
}

// wrapped changes heads and cells on their way to a sink.
type wrapped struct {
	rows.Sink
	head func(string) string
	cell func(eval.Value) eval.Value
	room []eval.Value
}

func through(s rows.Sink, head func(string) string, cell func(eval.Value) eval.Value) rows.Sink {
	return &wrapped{Sink: s, head: head, cell: cell}
}

// Shows gives on what the sink shows.
func (w *wrapped) Shows() rows.Shows { return rows.ShowsOf(w.Sink) }

// Header implements rows.Sink.
func (w *wrapped) Header(columns []string) error {
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
func (w *wrapped) Row(cells []eval.Value) error {
	w.room = w.room[:0]
	for _, v := range cells {
		w.room = append(w.room, w.cell(v))
	}
	return w.Sink.Row(w.room)
}

// bare is a sink that prints one value on one line.
type bare struct{ w io.Writer }

// Bare is the writer of one value, without a heading.
func Bare(w io.Writer) rows.Sink { return bare{w} }

// Header implements rows.Sink.
func (bare) Header([]string) error { return nil }

// Close implements rows.Sink.
func (bare) Close() error { return nil }

// Row implements rows.Sink.
func (b bare) Row(cells []eval.Value) error {
	_, err := fmt.Fprintln(b.w, cells[0])
	return err
}
