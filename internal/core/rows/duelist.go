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

	due     *Due
	table   *Table
	width   int // its columns
	labels  []string
	slots   []int
	lines   chunkedList[dueLine]
	details chunkedList[dueDetail] // of each, where lines differ in it
	arena   Arena
}

// dueLine is a date, and where its row is kept.
type dueLine struct {
	at civil.Date
	Ref
}

// dueDetail is what a date is reckoned from, its label, and the working days left.
type dueDetail struct {
	base            civil.Date
	label, workdays int32
}

// unknownWorkdays are the working days left where no calendar is named.
const unknownWorkdays = math.MinInt32

// chunkedList is a list that grows without being copied.
type chunkedList[T any] struct{ blocks [][]T }

const chunkBits = 12

func (c *chunkedList[T]) add(t T) {
	n := len(c.blocks)
	if n == 0 || len(c.blocks[n-1]) == 1<<chunkBits {
		c.blocks = append(c.blocks, make([]T, 0, 1<<chunkBits))
		n++
	}
	c.blocks[n-1] = append(c.blocks[n-1], t)
}

func (c *chunkedList[T]) at(i int) *T { return &c.blocks[i>>chunkBits][i&(1<<chunkBits-1)] }

func (c *chunkedList[T]) len() int {
	n := len(c.blocks)
	if n == 0 {
		return 0
	}
	return (n-1)<<chunkBits + len(c.blocks[n-1])
}

// NewDueList prepares a list over a table.
func NewDueList(d *Due, t *Table) *DueList {
	return &DueList{due: d, table: t, width: len(t.Visible())}
}

// AddDate adds a date: its label, and the slot of its value.
func (l *DueList) AddDate(label string, slot int) {
	l.labels, l.slots = append(l.labels, label), append(l.slots, slot)
}

// Len is how many dates are listed.
func (l *DueList) Len() int { return l.lines.len() }

// Add takes a row. It keeps the row once, however many dates it has.
func (l *DueList) Add(_ int, row []eval.Value) error {
	var kept Ref
	saved, blank := false, 0
	for i, slot := range l.slots {
		v := row[slot]
		if v.Kind == eval.Blank {
			blank++
			continue
		}
		for _, day := range l.due.Dates(v.Day) {
			if !saved {
				if saved = true; l.table.Text != "" {
					kept = l.arena.saveText(l.table.Text)
				} else {
					kept = l.arena.Save(row[:l.width])
				}
			}
			cal := l.due.Calendar(row)
			if cal != nil && !v.Provisional && !l.due.HidesWorkdays {
				cal.RecordQuery(l.due.Today, day)
			}
			l.lines.add(dueLine{day, kept})
			if l.linesDiffer() {
				l.details.add(dueDetail{v.Day, int32(i), l.workdaysLeft(cal, day)})
			}
		}
	}
	if l.Blanks += blank; blank == len(l.slots) {
		l.Rows++
	}
	return nil
}

// linesDiffer says that lines differ in more than their dates and rows.
func (l *DueList) linesDiffer() bool { return l.due.Yearly || l.due.PerRow || len(l.labels) > 1 }

// workdaysLeft counts the working days left.
func (l *DueList) workdaysLeft(cal *workdays.Calendar, day civil.Date) int32 {
	if cal == nil {
		return unknownWorkdays
	}
	return int32(cal.CountBetween(l.due.Today, day))
}

// Write puts a row for each date, sorted by date.
func (l *DueList) Write(put PutExtended) error {
	var cells, extra []eval.Value
	var text string
	for _, i := range sortByDay(&l.lines) {
		line := l.lines.at(int(i))
		var of dueDetail
		if l.linesDiffer() {
			of = *l.details.at(int(i))
		} else {
			of = dueDetail{base: line.at, workdays: l.workdaysLeft(l.due.Calendar(nil), line.at)}
		}
		left := eval.Value{}
		if of.workdays != unknownWorkdays {
			left = eval.Int(int(of.workdays))
		}
		text, cells = l.arena.Load(line.Ref, cells)
		extra = l.due.Cells(extra, l.labels[of.label], of.base, line.at, left)
		if err := put(text, cells, extra); err != nil {
			return err
		}
	}
	return nil
}

// sortByDay is the order of dates; those of one day stay as they came. It counts the days'
// low and then their high digits, which a million dates feel against comparing them; most
// lie so near to each other that once is enough.
func sortByDay(list *chunkedList[dueLine]) []int32 {
	first, last := civil.Max, civil.Min
	for _, part := range list.blocks {
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
