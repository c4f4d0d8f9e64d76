package rows

import (
	"slices"

	"yoyaku/internal/core/eval"
)

// lanes are the added columns of a table whose rows need no cells: the days and numbers that are
// in their text are enough. They are worked out a run of rows at a time.
type lanes struct {
	slots   []int  // of the cells that must be dates or numbers
	numbers []bool // which of them are numbers
	lanes   []eval.Lane
	kinds   []eval.Kind
	in      int // columns that came in
}

// lanes returns those of the table; nil if one of its columns, or anything else that
// is done to its rows, needs cells.
func (t *Table) lanes() *lanes {
	l := &lanes{slots: t.looked(), in: t.in}
	if l.slots == nil || t.joins != nil || t.where != nil || t.pick != nil || t.reasons || t.ordered || t.hidden > 0 ||
		t.Derive.kept != nil || len(t.added) == 0 {
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
		if a.carried != nil || a.Prog.Lane() == nil {
			return nil
		}
		kind, _ := a.Prog.KindOf()
		l.lanes, l.kinds = append(l.lanes, a.Prog.Lane()), append(l.kinds, kind)
	}
	return l
}

// runLength is how many rows make a run at most.
const runLength = 256

// run is a run of rows on its way through lanes to a writer.
type run struct {
	*lanes
	to      Textual
	into    *worked
	columns [][]int32 // by slot; nil for those that nobody looks at
	part    [][]int32 // of those, the rows that are worked on
	days    []int32   // of the next row, by slot
	texts   []string
	lines   []int
}

// run prepares for runs of rows that become a part of a batch; nil if there are no lanes.
func (l *lanes) run(to Textual, into *worked) *run {
	if l == nil || to == nil {
		return nil
	}
	n := l.in + len(l.lanes)
	r := &run{lanes: l, to: to, into: into, columns: make([][]int32, n), part: make([][]int32, n), days: make([]int32, n)}
	for slot := range r.columns {
		if slot >= l.in || slices.Contains(l.slots, slot) {
			r.columns[slot] = make([]int32, runLength)
		}
	}
	return r
}

// each goes through the rows of a batch: those that need more care go to do, in their order
// among the others, which it encodes.
func (r *run) each(v Verbatim, do EachText) error {
	end := func() error { return r.end(func(line int, text string) error { return do(line, text, v.Cells(text)) }) }
	err := v.EachDays(r.slots, r.numbers, r.days, func(line int, text string, _ []eval.Value) error {
		for _, slot := range r.slots {
			r.columns[slot][len(r.texts)] = r.days[slot]
		}
		r.texts, r.lines = append(r.texts, text), append(r.lines, line)
		if len(r.texts) < runLength {
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

// end works the run out and begins another.
func (r *run) end(care func(line int, text string) error) error {
	whole := r.work(0, len(r.texts))
	for i, text := range r.texts {
		if whole || r.work(i, i+1) {
			r.into.out = r.to.EncodeDays(r.into.out, text, r.kinds, r.columns[r.in:], i)
			r.into.seen++
			r.into.kept++
		} else if err := care(r.lines[i], text); err != nil {
			return err
		}
	}
	r.texts, r.lines = r.texts[:0], r.lines[:0]
	return nil
}

// work works the columns of some rows out; false if one needs more care.
func (r *run) work(from, to int) bool {
	for slot, column := range r.columns {
		if column != nil {
			r.part[slot] = column[from:to]
		}
	}
	for k, lane := range r.lanes.lanes {
		if !lane(r.part, r.part[r.in+k]) {
			return false
		}
	}
	return true
}
