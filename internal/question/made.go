package question

import (
	"slices"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
)

// MadeTable is an answer that is asked again: its rows in memory, in little more room than
// their text. It is a rows.Sink; several may read it once it is closed.
type MadeTable struct {
	columns []string
	arena   rows.Arena
	batches []madeBatch
	n       int
	room    []eval.Value
	times   bool // are kept; else a time is dropped, as a table of a file drops it
}

// Header implements rows.Sink.
func (m *MadeTable) Header(columns []string) error {
	m.columns = slices.Clone(columns)
	return nil
}

// Row implements rows.Sink.
func (m *MadeTable) Row(cells []eval.Value) error {
	m.room = append(m.room[:0], cells...)
	for i, v := range m.room {
		if v.Kind == eval.Moment && !m.times {
			m.room[i] = eval.Day(v.Day)
		}
	}
	if m.n++; m.arena.Save(m.room).First() {
		m.batches = append(m.batches, madeBatch{line: m.n + 1})
	}
	return nil
}

// Close implements rows.Sink.
func (m *MadeTable) Close() error {
	for i, block := range m.arena.Blocks() {
		m.batches[i].rows = block
	}
	return nil
}

// reader goes through the rows.
func (m *MadeTable) reader() rows.Reader { return &madeReader{m.columns, m.batches} }

type madeReader struct {
	columns []string
	left    []madeBatch
}

// Columns implements rows.Reader.
func (r *madeReader) Columns() []string { return r.columns }

// Next implements rows.Reader.
func (r *madeReader) Next() (rows.Batch, error) {
	if len(r.left) == 0 {
		return nil, nil
	}
	b := r.left[0]
	r.left = r.left[1:]
	return b, nil
}

// madeBatch is a block of an arena; line is that of its first row as a file would have it.
type madeBatch struct {
	rows string
	line int
}

// Each implements rows.Batch.
func (b madeBatch) Each(do func(line int, cells []eval.Value) error) error {
	var room []eval.Value
	for line, left := b.line, b.rows; left != ""; line++ {
		left, _, room = rows.LoadNext(left, room)
		if err := do(line, room); err != nil {
			return err
		}
	}
	return nil
}
