package rows

import (
	"slices"

	"yoyaku/internal/core/eval"
)

// vectorColumns are the added columns of a table whose rows need no cells: the days and numbers that are
// in their text are enough. They are worked out a run of rows at a time.
type vectorColumns struct {
	slots   []int  // of the cells that must be dates or numbers
	numbers []bool // which of them are numbers
	funcs   []eval.ColumnFunc
	kinds   []eval.Kind
	inputs  int // columns that came in
}

// vectorColumns returns those of the table; nil if one of its columns, or anything else that
// is done to its rows, needs cells.
func (t *Table) vectorColumns() *vectorColumns {
	l := &vectorColumns{slots: t.usedInputs(), inputs: t.inputs}
	if l.slots == nil || t.joins != nil || t.conditions != nil || t.picked != nil || t.reasons || t.hasRunning || t.hidden > 0 ||
		t.Derive.onKept != nil || len(t.added) == 0 {
		return nil
	}
	for _, s := range l.slots {
		number := slices.Contains(t.Numbers, s)
		if number == slices.Contains(t.Dates, s) { // both, or neither
			return nil
		}
		l.numbers = append(l.numbers, number)
	}
	for _, a := range t.added {
		if a.running != nil || a.Program.ColumnFunc() == nil {
			return nil
		}
		kind, _ := a.Program.KindOf()
		l.funcs, l.kinds = append(l.funcs, a.Program.ColumnFunc()), append(l.kinds, kind)
	}
	return l
}

// rowsPerRun is how many rows make a run at most.
const rowsPerRun = 256

// vectorRun is a run of rows on its way through lanes to a writer.
type vectorRun struct {
	*vectorColumns
	to      TextSink
	into    *workerOutput
	columns [][]int32 // by slot; nil for those that nobody looks at
	pending [][]int32 // of those, the rows that are worked on
	days    []int32   // of the next row, by slot
	texts   []string
	lines   []int
}

// newRun prepares for runs of rows that become a part of a batch; nil if there are no lanes.
func (l *vectorColumns) newRun(to TextSink, into *workerOutput) *vectorRun {
	if l == nil || to == nil {
		return nil
	}
	n := l.inputs + len(l.funcs)
	r := &vectorRun{vectorColumns: l, to: to, into: into, columns: make([][]int32, n), pending: make([][]int32, n), days: make([]int32, n)}
	for slot := range r.columns {
		if slot >= l.inputs || slices.Contains(l.slots, slot) {
			r.columns[slot] = make([]int32, rowsPerRun)
		}
	}
	return r
}

// each goes through the rows of a batch: those that need more care go to do, in their order
// among the others, which it encodes.
func (r *vectorRun) each(v TextBatch, do EachText) error {
	end := func() error {
		return r.flush(func(line int, text string) error { return do(line, text, v.Cells(text)) })
	}
	err := v.EachDays(r.slots, r.numbers, r.days, func(line int, text string, _ []eval.Value) error {
		for _, slot := range r.slots {
			r.columns[slot][len(r.texts)] = r.days[slot]
		}
		r.texts, r.lines = append(r.texts, text), append(r.lines, line)
		if len(r.texts) < rowsPerRun {
			return nil
		}
		return end()
	}, func(line int, text string, cells []eval.Value) error {
		if err := end(); err != nil {
			return err
		}
		return do(line, text, cells)
	})
	if err != nil {
		return err
	}
	return end()
}

// flush works the run out and begins another.
func (r *vectorRun) flush(care func(line int, text string) error) error {
	whole := r.compute(0, len(r.texts))
	for i, text := range r.texts {
		if whole || r.compute(i, i+1) {
			r.into.out = r.to.EncodeDays(r.into.out, text, r.kinds, r.columns[r.inputs:], i)
			r.into.rowsIn++
			r.into.rowsKept++
		} else if err := care(r.lines[i], text); err != nil {
			return err
		}
	}
	r.texts, r.lines = r.texts[:0], r.lines[:0]
	return nil
}

// compute works the columns of some rows out; false if one needs more care.
func (r *vectorRun) compute(from, to int) bool {
	for slot, column := range r.columns {
		if column != nil {
			r.pending[slot] = column[from:to]
		}
	}
	for k, lane := range r.vectorColumns.funcs {
		if !lane(r.pending, r.pending[r.inputs+k]) {
			return false
		}
	}
	return true
}
