package rows

import (
	"fmt"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/workdays"
)

// Grid is people against days.
type Grid struct {
	Head        string // heading of the names
	Window      civil.Span
	EveryDay    bool // marks closed days too
	Calendar    *workdays.Calendar
	Names       []string
	marks       map[string][]uint32 // places in texts, by days
	texts       []string
	textIndexes map[string]uint32             // of the texts
	cals        map[string]*workdays.Calendar // of people whose own isn't that of all
}

// NewGrid prepares an empty grid.
func NewGrid(head string, window civil.Span, everyDay bool, cal *workdays.Calendar) *Grid {
	return &Grid{Head: head, Window: window, EveryDay: everyDay, Calendar: cal, marks: map[string][]uint32{},
		texts: []string{""}, textIndexes: map[string]uint32{"": 0}}
}

// AddName gives a person a row, booked or not; rows are in the order in which
// the names come first.
func (g *Grid) AddName(name string) {
	if _, ok := g.marks[name]; !ok {
		g.marks[name] = make([]uint32, g.Window.Len())
		g.Names = append(g.Names, name)
	}
}

// textIndex is the place of a text among those that stand in the grid.
func (g *Grid) textIndex(text string) uint32 {
	n, ok := g.textIndexes[text]
	if !ok {
		text = strings.Clone(text)
		n = uint32(len(g.texts))
		g.texts, g.textIndexes[text] = append(g.texts, text), n
	}
	return n
}

// maxMarkBytes is how many bytes the marks of a person on one day may have.
const maxMarkBytes = 200

// Mark marks the working days of a range by a calendar, or with EveryDay all its days. Two
// marks on one day stand side by side; the same one stands once. It is an error if they are too
// many to stand in a cell.
func (g *Grid) Mark(name string, s civil.Span, mark string, cal *workdays.Calendar) error {
	g.AddName(name)
	if cal != g.Calendar {
		if g.cals == nil {
			g.cals = map[string]*workdays.Calendar{}
		}
		if g.cals[name] == nil {
			g.cals[name] = cal
		}
	}
	tooLong := func(d civil.Date, mark string) error {
		return fmt.Errorf("the marks on %s have more than %d characters, %q", d, maxMarkBytes, eval.Truncate(mark))
	}
	if mark == "" { // books nothing
		return nil
	}
	if len(mark) > maxMarkBytes {
		return tooLong(max(s.First, g.Window.First), mark)
	}
	row, alone := g.marks[name], g.textIndex(mark)
	for d := max(s.First, g.Window.First); d <= min(s.Last, g.Window.Last); d++ {
		cell := &row[d-g.Window.First]
		if !g.EveryDay && !cal.IsWorkday(d) || *cell == alone {
			continue
		}
		if *cell == 0 {
			*cell = alone
			continue
		}
		before := g.texts[*cell]
		if strings.Contains("/"+before+"/", "/"+mark+"/") {
			continue
		}
		if len(before)+len(mark) >= maxMarkBytes {
			return tooLong(d, before)
		}
		*cell = g.textIndex(before + "/" + mark)
	}
	return nil
}

// Row returns the marks of a person by the days of the window, and how many days
// are marked: of short ones the part that counts.
func (g *Grid) Row(name string) (marks []string, total eval.Value) {
	n := 0
	marks = make([]string, g.Window.Len())
	for i, m := range g.marks[name] {
		if marks[i] = g.texts[m]; m != 0 {
			n += g.dayWeight(name, i)
		}
	}
	return marks, eval.Fraction(int64(n), workdays.FullDayWeight)
}

// dayWeight is what day i of the window counts for a person, in hundredths; a mark on a closed
// day counts as one.
func (g *Grid) dayWeight(name string, i int) int {
	cal := g.Calendar
	if own := g.cals[name]; own != nil {
		cal = own
	}
	if h, ok := cal.ShortDayOn(g.Window.First + civil.Date(i)); ok {
		return h.Weight
	}
	return workdays.FullDayWeight
}

// Totals counts the marks of each day, and of all, as Row does.
func (g *Grid) Totals() (days []eval.Value, total eval.Value) {
	sums, all := make([]int, g.Window.Len()), 0
	for name, row := range g.marks {
		for i, m := range row {
			if m != 0 {
				sums[i] += g.dayWeight(name, i)
			}
		}
	}
	for _, n := range sums {
		days = append(days, eval.Fraction(int64(n), workdays.FullDayWeight))
		all += n
	}
	return days, eval.Fraction(int64(all), workdays.FullDayWeight)
}

// Closed reports whether day i of the window is closed.
func (g *Grid) Closed(i int) bool { return !g.Calendar.IsWorkday(g.Window.First + civil.Date(i)) }

// ClosedFor reports whether day i is closed for a person.
func (g *Grid) ClosedFor(name string, i int) bool {
	if cal := g.cals[name]; cal != nil {
		return !cal.IsWorkday(g.Window.First + civil.Date(i))
	}
	return g.Closed(i)
}

// Columns returns the headings of the plain table: ISO days, total last.
func (g *Grid) Columns() []string {
	list := []string{g.Head}
	for d := g.Window.First; d <= g.Window.Last; d++ {
		list = append(list, d.String())
	}
	return append(list, "total")
}

// CheckSize is an error if the grid has more cells than a form of result takes.
func (g *Grid) CheckSize(cells int, what string) error {
	if len(g.Names)*g.Window.Len() <= cells {
		return nil
	}
	return fmt.Errorf("%d people on %d days are more than the %d cells that %s takes; use a shorter window, or .csv",
		len(g.Names), g.Window.Len(), cells, what)
}

// Write writes the plain table: a row a person, and the totals.
func (g *Grid) Write(put, total PutRow) error {
	var cells []eval.Value
	for _, name := range g.Names {
		marks, n := g.Row(name)
		cells = append(cells[:0], eval.Str(name))
		for _, m := range marks {
			cells = append(cells, eval.Str(m))
		}
		if err := put(append(cells, n)); err != nil {
			return err
		}
	}
	days, all := g.Totals()
	cells = append(append(cells[:0], eval.Str("total")), days...)
	return total(append(cells, all))
}
