package rows

import (
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/workdays"
)

// Grid is people against days.
type Grid struct {
	Head     string // heading of the names
	Window   civil.Span
	EveryDay bool // marks closed days too
	Calendar *workdays.Calendar
	Names    []string
	marks    map[string][]string
	cals     map[string]*workdays.Calendar // of people whose own isn't that of all
}

// NewGrid prepares an empty grid.
func NewGrid(head string, window civil.Span, everyDay bool, cal *workdays.Calendar) *Grid {
	return &Grid{Head: head, Window: window, EveryDay: everyDay, Calendar: cal, marks: map[string][]string{}}
}

// Name gives a person a row, booked or not; rows are in the order in which
// the names come first.
func (g *Grid) Name(name string) {
	if _, ok := g.marks[name]; !ok {
		g.marks[name] = make([]string, g.Window.Len())
		g.Names = append(g.Names, name)
	}
}

// Book marks the working days of a range by a calendar, or with EveryDay all its days. Two
// marks on one day stand side by side; the same one stands once.
func (g *Grid) Book(name string, s civil.Span, mark string, cal *workdays.Calendar) {
	g.Name(name)
	if cal != g.Calendar {
		if g.cals == nil {
			g.cals = map[string]*workdays.Calendar{}
		}
		if g.cals[name] == nil {
			g.cals[name] = cal
		}
	}
	row := g.marks[name]
	for d := max(s.First, g.Window.First); d <= min(s.Last, g.Window.Last); d++ {
		cell := &row[d-g.Window.First]
		switch {
		case !g.EveryDay && !cal.Open(d):
		case *cell == "":
			*cell = mark
		case *cell != mark && !strings.Contains("/"+*cell+"/", "/"+mark+"/"):
			*cell += "/" + mark
		}
	}
}

// Row returns the marks of a person by the days of the window, and how many days
// are marked: of short ones the part that counts.
func (g *Grid) Row(name string) (marks []string, total eval.Value) {
	n := 0
	for i, m := range g.marks[name] {
		if m != "" {
			n += g.part(name, i)
		}
	}
	return g.marks[name], eval.Frac(int64(n), workdays.Whole)
}

// part is what day i of the window counts for a person, in hundredths; a mark on a closed
// day counts as one.
func (g *Grid) part(name string, i int) int {
	cal := g.Calendar
	if own := g.cals[name]; own != nil {
		cal = own
	}
	if h, ok := cal.Short(g.Window.First + civil.Date(i)); ok {
		return h.Counts
	}
	return workdays.Whole
}

// Totals counts the marks of each day, and of all, as Row does.
func (g *Grid) Totals() (days []eval.Value, total eval.Value) {
	sums, all := make([]int, g.Window.Len()), 0
	for name, row := range g.marks {
		for i, m := range row {
			if m != "" {
				sums[i] += g.part(name, i)
			}
		}
	}
	for _, n := range sums {
		days = append(days, eval.Frac(int64(n), workdays.Whole))
		all += n
	}
	return days, eval.Frac(int64(all), workdays.Whole)
}

// Closed reports whether day i of the window is closed.
func (g *Grid) Closed(i int) bool { return !g.Calendar.Open(g.Window.First + civil.Date(i)) }

// ClosedFor reports whether day i is closed for a person.
func (g *Grid) ClosedFor(name string, i int) bool {
	if cal := g.cals[name]; cal != nil {
		return !cal.Open(g.Window.First + civil.Date(i))
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

// GridSink is a Sink that draws people against days in a way of its own, instead
// of taking the rows of the plain table.
type GridSink interface{ Grid(g *Grid) error }

// Write writes the plain table: a row a person, and the totals.
func (g *Grid) Write(put, total Put) error {
	for _, name := range g.Names {
		marks, n := g.Row(name)
		cells := []eval.Value{eval.Str(name)}
		for _, m := range marks {
			cells = append(cells, eval.Str(m))
		}
		if err := put(append(cells, n)); err != nil {
			return err
		}
	}
	days, all := g.Totals()
	cells := []eval.Value{eval.Str("total")}
	cells = append(cells, days...)
	return total(append(cells, all))
}
