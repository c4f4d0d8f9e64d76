package rows

import (
	"fmt"
	"slices"
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
	marks       map[string][]uint32 // places in entries, by days
	entries     []gridEntry
	textIndexes map[string]uint32             // of the entries
	cals        map[string]*workdays.Calendar // of people whose own isn't that of all
}

// NewGrid prepares an empty grid.
func NewGrid(head string, window civil.Span, everyDay bool, cal *workdays.Calendar) *Grid {
	return &Grid{Head: head, Window: window, EveryDay: everyDay, Calendar: cal, marks: map[string][]uint32{},
		entries: make([]gridEntry, 1), textIndexes: map[string]uint32{"": 0}}
}

// gridEntry is what stands in cells of a grid: marks, and which halves of the day they cover.
type gridEntry struct {
	text  string // as it is shown
	parts []gridMark
}

// gridMark is a mark with the halves of the day that it covers.
type gridMark struct {
	mark   string
	halves halves
}

// halves are the halves of a day, as bits.
type halves uint8

const morning, afternoon, wholeDay halves = 1, 2, 3

// covered are the halves that any of the marks covers.
func (e *gridEntry) covered() (h halves) {
	for _, p := range e.parts {
		h |= p.halves
	}
	return h
}

// AddName gives a person a row, booked or not; rows are in the order in which
// the names come first.
func (g *Grid) AddName(name string) {
	if _, ok := g.marks[name]; !ok {
		g.marks[name] = make([]uint32, g.Window.Len())
		g.Names = append(g.Names, name)
	}
}

// entryIndex is the place of marks among those that stand in the grid.
func (g *Grid) entryIndex(parts ...gridMark) uint32 {
	var key, text strings.Builder
	for i, p := range parts {
		if i > 0 {
			key.WriteByte('/')
			text.WriteByte('/')
		}
		key.WriteString(p.mark)
		text.WriteString(p.mark)
		if p.halves != wholeDay {
			key.WriteString([]string{morning: "\x00a", afternoon: "\x00p"}[p.halves])
			text.WriteString("½")
		}
	}
	n, ok := g.textIndexes[key.String()]
	if !ok {
		n = uint32(len(g.entries))
		g.entries, g.textIndexes[key.String()] = append(g.entries, gridEntry{text.String(), slices.Clone(parts)}), n
	}
	return n
}

// maxMarkBytes is how many bytes the marks of a person on one day may have.
const maxMarkBytes = 200

// Mark marks the working days of a range by a calendar, or with EveryDay all its days, half a day
// with ½ behind the mark. Two marks on one day stand side by side; the same one stands once, for
// two halves as for a whole day. It is an error if they are too many to stand in a cell.
func (g *Grid) Mark(name string, s workdays.Extent, mark string, cal *workdays.Calendar) error {
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
	alone, known := g.textIndexes[mark]
	if !known {
		alone = g.entryIndex(gridMark{strings.Clone(mark), wholeDay})
	}
	row, mark := g.marks[name], g.entries[alone].parts[0].mark
	for d := max(s.First, g.Window.First); d <= min(s.Last, g.Window.Last); d++ {
		cell := &row[d-g.Window.First]
		if !g.EveryDay && !cal.IsWorkday(d) || *cell == alone {
			continue
		}
		covers := wholeDay
		if s.StartsAtNoon && d == s.First {
			covers = afternoon
		}
		if s.EndsAtNoon && d == s.Last {
			covers = morning
		}
		switch {
		case *cell != 0:
			before := &g.entries[*cell]
			parts := before.with(gridMark{mark, covers})
			if len(parts) > len(before.parts) && len(before.text)+len(mark) >= maxMarkBytes {
				return tooLong(d, before.text)
			}
			*cell = g.entryIndex(parts...)
		case covers == wholeDay:
			*cell = alone
		default:
			*cell = g.entryIndex(gridMark{mark, covers})
		}
	}
	return nil
}

// with are the marks of an entry with another one.
func (e *gridEntry) with(m gridMark) []gridMark {
	parts := slices.Clone(e.parts)
	for i := range parts {
		if parts[i].mark == m.mark || strings.Contains("/"+parts[i].mark+"/", "/"+m.mark+"/") {
			parts[i].halves |= m.halves
			return parts
		}
	}
	return append(parts, m)
}

// Row returns the marks of a person by the days of the window, and how many days
// are marked: of short ones the part that counts.
func (g *Grid) Row(name string) (marks []string, total eval.Value) {
	n := 0
	marks = make([]string, g.Window.Len())
	for i, m := range g.marks[name] {
		if marks[i] = g.entries[m].text; m != 0 {
			n += g.dayWeight(name, i, m)
		}
	}
	return marks, eval.Fraction(int64(n), workdays.FullDayWeight)
}

// dayWeight is what day i of the window counts for a person with some marks, in hundredths; a
// closed day that is marked counts as a working one.
func (g *Grid) dayWeight(name string, i int, marks uint32) int {
	cal := g.Calendar
	if own := g.cals[name]; own != nil {
		cal = own
	}
	weight := workdays.FullDayWeight
	if h, ok := cal.ShortDayOn(g.Window.First + civil.Date(i)); ok {
		weight = h.Weight
	}
	switch early := min(weight, workdays.FullDayWeight/2); g.entries[marks].covered() {
	case morning:
		return early
	case afternoon:
		return weight - early
	}
	return weight
}

// Totals counts the marks of each day, and of all, as Row does.
func (g *Grid) Totals() (days []eval.Value, total eval.Value) {
	sums, all := make([]int, g.Window.Len()), 0
	for name, row := range g.marks {
		for i, m := range row {
			if m != 0 {
				sums[i] += g.dayWeight(name, i, m)
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
