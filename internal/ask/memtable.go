package ask

import (
	"slices"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
)

// MemTable is an answer that is asked again: its rows in memory, in little more room than
// their text. It is a rows.Sink; several may read it once it is closed.
type MemTable struct {
	columns   []string
	arena     rows.Arena
	batches   []memBatch
	n         int
	buf       []eval.Value
	keepTimes bool // are kept; else a time is dropped, as a table of a file drops it
}

// Header implements rows.Sink.
func (m *MemTable) Header(columns []string) error {
	m.columns = slices.Clone(columns)
	return nil
}

// Row implements rows.Sink.
func (m *MemTable) Row(cells []eval.Value) error {
	m.buf = append(m.buf[:0], cells...)
	for i, v := range m.buf {
		if v.Kind == eval.DateTime && !m.keepTimes {
			m.buf[i] = eval.Day(v.Day)
		}
	}
	if m.n++; m.arena.Save(m.buf).IsFirst() {
		m.batches = append(m.batches, memBatch{line: m.n + 1})
	}
	return nil
}

// Close implements rows.Sink.
func (m *MemTable) Close() error {
	for i, block := range m.arena.Blocks() {
		m.batches[i].rows = block
	}
	return nil
}

// reader goes through the rows.
func (m *MemTable) reader() rows.Reader { return &memReader{m.columns, m.batches} }

type memReader struct {
	columns []string
	rest    []memBatch
}

// Columns implements rows.Reader.
func (r *memReader) Columns() []string { return r.columns }

// Next implements rows.Reader.
func (r *memReader) Next() (rows.Batch, error) {
	if len(r.rest) == 0 {
		return nil, nil
	}
	b := r.rest[0]
	r.rest = r.rest[1:]
	return b, nil
}

// memBatch is a block of an arena; line is that of its first row as a file would have it.
type memBatch struct {
	rows string
	line int
}

// Each implements rows.Batch.
func (b memBatch) Each(do func(line int, cells []eval.Value) error) error {
	var room []eval.Value
	for line, left := b.line, b.rows; left != ""; line++ {
		left, _, room = rows.LoadNext(left, room)
		if err := do(line, room); err != nil {
			return err
		}
	}
	return nil
}
