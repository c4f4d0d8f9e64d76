package rows

import (
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
)

// DueList collects the dates of a table and writes them by date. What it keeps
// to be sorted is most of its memory.
type DueList struct {
	Blanks int // dates that were left out because they are blank

	due    *Due
	width  int // columns of the table
	labels []string
	slots  []int
	list   []dueLine
	arena  Arena
}

// dueLine is a date, what it is reckoned from, and where its row is kept.
type dueLine struct {
	at, base civil.Date
	label    int32
	Place
}

// NewDueList prepares a list over a table.
func NewDueList(d *Due, t *Table) *DueList { return &DueList{due: d, width: len(t.Visible())} }

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
				kept, saved = l.arena.Save(row[:l.width]), true
			}
			if !v.Unsure {
				if cal := l.due.Calendar(row); cal != nil {
					cal.Ask(l.due.Today, at)
				}
			}
			l.list = append(l.list, dueLine{at, v.Day, int32(i), kept})
		}
	}
	return nil
}

// Write puts a row for each date, sorted by date.
func (l *DueList) Write(put Put) error {
	var cells []eval.Value
	for _, i := range byDay(l.list) {
		d := &l.list[i]
		cells = l.arena.Load(d.Place, cells)
		cells = append(cells, l.due.Cells(l.labels[d.label], d.base, d.at, cells)...)
		if err := put(cells); err != nil {
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
