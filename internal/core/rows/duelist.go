package rows

import (
	"math"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/workdays"
)

// DueList collects the dates of a table and writes them by date. What it keeps
// to be sorted is most of its memory.
type DueList struct {
	// Blanks counts the dates that were left out because they are blank, Rows the rows
	// that have no date at all.
	Blanks, Rows int

	due    *Due
	table  *Table
	width  int // its columns
	labels []string
	slots  []int
	lines  chunks[dueLine]
	more   chunks[dueMore] // of each, where lines differ in it
	arena  Arena
}

// dueLine is a date, and where its row is kept.
type dueLine struct {
	at civil.Date
	Place
}

// dueMore is what a date is reckoned from, its label, and the working days left.
type dueMore struct {
	base          civil.Date
	label, worked int32
}

// unknownLeft are the working days left where no calendar is named.
const unknownLeft = math.MinInt32

// chunks is a list that grows without being copied.
type chunks[T any] struct{ full [][]T }

const chunkBits = 12

func (c *chunks[T]) add(t T) {
	n := len(c.full)
	if n == 0 || len(c.full[n-1]) == 1<<chunkBits {
		c.full = append(c.full, make([]T, 0, 1<<chunkBits))
		n++
	}
	c.full[n-1] = append(c.full[n-1], t)
}

func (c *chunks[T]) at(i int) *T { return &c.full[i>>chunkBits][i&(1<<chunkBits-1)] }

func (c *chunks[T]) len() int {
	n := len(c.full)
	if n == 0 {
		return 0
	}
	return (n-1)<<chunkBits + len(c.full[n-1])
}

// NewDueList prepares a list over a table.
func NewDueList(d *Due, t *Table) *DueList {
	return &DueList{due: d, table: t, width: len(t.Visible())}
}

// Watch adds a date: its label, and the slot of its value.
func (l *DueList) Watch(label string, slot int) {
	l.labels, l.slots = append(l.labels, label), append(l.slots, slot)
}

// Len is how many dates are listed.
func (l *DueList) Len() int { return l.lines.len() }

// Add takes a row. It keeps the row once, however many dates it has.
func (l *DueList) Add(_ int, row []eval.Value) error {
	var kept Place
	saved, blank := false, 0
	for i, slot := range l.slots {
		v := row[slot]
		if v.Kind == eval.Blank {
			blank++
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
			cal := l.due.Calendar(row)
			if cal != nil && !v.Unsure {
				cal.Ask(l.due.Today, at)
			}
			l.lines.add(dueLine{at, kept})
			if l.varied() {
				l.more.add(dueMore{v.Day, int32(i), l.worked(cal, at)})
			}
		}
	}
	if l.Blanks += blank; blank == len(l.slots) {
		l.Rows++
	}
	return nil
}

// varied says that lines differ in more than their dates and rows.
func (l *DueList) varied() bool { return l.due.Yearly || l.due.PerRow || len(l.labels) > 1 }

// worked counts the working days left.
func (l *DueList) worked(cal *workdays.Calendar, at civil.Date) int32 {
	if cal == nil {
		return unknownLeft
	}
	return int32(cal.Between(l.due.Today, at))
}

// Write puts a row for each date, sorted by date.
func (l *DueList) Write(put Beside) error {
	var cells, more []eval.Value
	var text string
	for _, i := range byDay(&l.lines) {
		line := l.lines.at(int(i))
		var of dueMore
		if l.varied() {
			of = *l.more.at(int(i))
		} else {
			of = dueMore{base: line.at, worked: l.worked(l.due.Calendar(nil), line.at)}
		}
		left := eval.Value{}
		if of.worked != unknownLeft {
			left = eval.Int(int(of.worked))
		}
		text, cells = l.arena.Load(line.Place, cells)
		more = l.due.Cells(more, l.labels[of.label], of.base, line.at, left)
		if err := put(text, cells, more); err != nil {
			return err
		}
	}
	return nil
}

// byDay is the order of dates; those of one day stay as they came. It counts the days'
// low and then their high digits, which a million dates feel against comparing them; most
// lie so near to each other that once is enough.
func byDay(list *chunks[dueLine]) []int32 {
	first, last := civil.Max, civil.Min
	for _, part := range list.full {
		for _, d := range part {
			first, last = min(first, d.at), max(last, d.at)
		}
	}
	const bits = 14   // twice as many hold all days there are
	var order []int32 // so far; nil for as they came
	each := func(do func(i int32)) {
		for _, i := range order {
			do(i)
		}
		for i := range int32(list.len()) {
			if order != nil {
				break
			}
			do(i)
		}
	}
	for shift := 0; shift < 2*bits && (shift == 0 || int(last-first)>>shift > 0); shift += bits {
		var from [1<<bits + 1]int32
		digit := func(i int32) int { return int(list.at(int(i)).at-first) >> shift & (1<<bits - 1) }
		each(func(i int32) { from[digit(i)+1]++ })
		for n := range 1 << bits {
			from[n+1] += from[n]
		}
		next := make([]int32, list.len())
		each(func(i int32) {
			n := digit(i)
			next[from[n]] = i
			from[n]++
		})
		order = next
	}
	return order
}
