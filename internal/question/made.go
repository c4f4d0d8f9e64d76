package question

import (
	"slices"
	"strings"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
)

// MadeTable is an answer that is asked again: its rows in memory. It is a rows.Sink.
type MadeTable struct {
	columns []string
	rows    [][]eval.Value
	times   bool // are kept; else a time is dropped, as a table of a file drops it
}

// Header implements rows.Sink.
func (m *MadeTable) Header(columns []string) error {
	m.columns = slices.Clone(columns)
	return nil
}

// Row implements rows.Sink.
func (m *MadeTable) Row(cells []eval.Value) error {
	cells = slices.Clone(cells)
	for i := range cells {
		if cells[i].Text = strings.Clone(cells[i].Text); cells[i].Kind == eval.Moment && !m.times {
			cells[i] = eval.Day(cells[i].Day)
		}
	}
	m.rows = append(m.rows, cells)
	return nil
}

// Close implements rows.Sink.
func (m *MadeTable) Close() error { return nil }

// reader goes through the rows.
func (m *MadeTable) reader() rows.Reader { return &madeReader{of: m} }

type madeReader struct {
	of   *MadeTable
	done bool
}

// Columns implements rows.Reader.
func (r *madeReader) Columns() []string { return r.of.columns }

// Next implements rows.Reader.
func (r *madeReader) Next() (rows.Batch, error) {
	if r.done {
		return nil, nil
	}
	r.done = true
	return madeBatch(r.of.rows), nil
}

type madeBatch [][]eval.Value

// Each implements rows.Batch; the line is that of the row as a file would have it.
func (b madeBatch) Each(do func(line int, cells []eval.Value) error) error {
	var room []eval.Value
	for i, cells := range b {
		room = append(room[:0], cells...)
		if err := do(i+2, room); err != nil {
			return err
		}
	}
	return nil
}
