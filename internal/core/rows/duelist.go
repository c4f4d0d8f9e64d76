package rows

import (
	"math"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
)

// DueList collects the dates of a table and writes them by date. What it keeps
// to be sorted is most of its memory.
type DueList struct {
	Blanks int // dates that were left out because they are blank

	due    *Due
	table  *Table
	width  int // its columns
	labels []string
	slots  []int
	list   []dueLine
	more   []dueMore // of each, where some differ in it
	arena  Arena
}

// dueLine is a date, the working days left, and where its row is kept.
type dueLine struct {
	at     civil.Date
	worked int32
	Place
}

// dueMore is what a date is reckoned from, and its label.
type dueMore struct {
	base  civil.Date
	label int32
}

// unknownLeft are the working days left where no calendar is named.
const unknownLeft = math.MinInt32

// NewDueList prepares a list over a table.
func NewDueList(d *Due, t *Table) *DueList {
	return &DueList{due: d, table: t, width: len(t.Visible())}
}

// Watch adds a date: its label, and the slot of its value.
func (l *DueList) Watch(label string, slot int) {
	l.labels, l.slots = append(l.labels, label), append(l.slots, slot)
}

// Len is how many dates are listed.
func (l *DueList) Len() int { return len(l.list) }

// Add takes a row. It keeps the row once, however many dates it has.
func (l *DueList) Add(_ int, row []eval.Value) error {
	var kept Place
	saved := false
	for i, slot := range l.slots {
		v := row[slot]
		if v.Kind == eval.Blank {
			l.Blanks++
			continue
		}
		for _, at := range l.due.Dates(v.Day) {
			if !saved {
				if saved = true; l.table.Text != "" {
					kept = l.arena.SaveText(l.table.Text)
				} else {
					kept = l.arena.Save(row[:l.width])
				}
			}
			worked := int32(unknownLeft)
			if cal := l.due.Calendar(row); cal != nil {
				if worked = int32(cal.Between(l.due.Today, at)); !v.Unsure {
					cal.Ask(l.due.Today, at)
				}
			}
			l.list = append(l.list, dueLine{at, worked, kept})
			if l.due.Yearly || len(l.labels) > 1 {
				l.more = append(l.more, dueMore{v.Day, int32(i)})
			}
		}
	}
	return nil
}

// Write puts a row for each date, sorted by date.
func (l *DueList) Write(put Beside) error {
	var cells, more []eval.Value
	var text string
	for _, i := range byDay(l.list) {
		d := &l.list[i]
		of, worked := dueMore{base: d.at}, eval.Value{}
		if l.more != nil {
			of = l.more[i]
		}
		if d.worked != unknownLeft {
			worked = eval.Int(int(d.worked))
		}
		text, cells = l.arena.Load(d.Place, cells)
		more = l.due.Cells(more, l.labels[of.label], of.base, d.at, worked)
		if err := put(text, cells, more); err != nil {
			return err
		}
	}
	return nil
}

// byDay is the order of dates; those of one day stay as they came. It counts the days'
// low and then their high digits, which a million dates feel against comparing them.
func byDay(list []dueLine) []int32 {
	order, next := make([]int32, len(list)), make([]int32, len(list))
	first := civil.Max
	for i, d := range list {
		order[i], first = int32(i), min(first, d.at)
	}
	const bits = 11 // twice as many hold all days there are
	for shift := 0; shift < 2*bits; shift += bits {
		var from [1<<bits + 1]int32
		digit := func(i int32) int { return int(list[i].at-first) >> shift & (1<<bits - 1) }
		for _, i := range order {
			from[digit(i)+1]++
		}
		for n := range 1 << bits {
			from[n+1] += from[n]
		}
		for _, i := range order {
			n := digit(i)
			next[from[n]] = i
			from[n]++
		}
		order, next = next, order
	}
	return order
}
