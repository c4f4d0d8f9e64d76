package workdays

import (
	"fmt"
	"iter"
	"math/rand/v2"
	"slices"
	"testing"

	"yoyaku/internal/core/civil"
)

// moving closes, for each of its days, the day that a convention makes of it by
// what lies below: what the rule of a holiday does.
type moving struct {
	days  []civil.Date
	by    Convention
	below *Calendar
}

func (m moving) Days(span civil.Span, _ *Calendar) iter.Seq[Holiday] {
	return func(yield func(Holiday) bool) {
		for _, d := range m.days {
			if d < span.First-400 || d > span.Last+400 {
				continue
			}
			if to, ok := m.below.Roll(d, m.by); ok && !yield(Holiday{Date: to, Nominal: d, Name: "moved"}) {
				return
			}
		}
	}
}

// A calendar that is built flat, a stretch at a time and in any order, has the
// days that going through its entries one after another over all time gives.
func TestBuild_entriesSeeThoseAbove(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	world := civil.Span{First: 730000, Last: 736000}
	worlds := 60
	if testing.Short() {
		worlds = 15
	}
	for range worlds {
		off := WeekdaySet(0).With(civil.Weekday(1 + r.IntN(7))).With(civil.Weekday(1 + r.IntN(7)))
		c := New("c", off)
		closed := map[civil.Date]bool{}
		for d := world.First - 500; d <= world.Last+500; d++ {
			closed[d] = off.Contains(d.Weekday())
		}
		for range 1 + r.IntN(12) {
			var days []civil.Date
			for range 40 {
				days = append(days, world.First+civil.Date(r.IntN(world.Len())))
			}
			if r.IntN(4) == 0 {
				c = c.WithOpen(days)
				for _, d := range days {
					closed[d] = false
				}
				continue
			}
			convention := []Convention{NoRoll, Following, Preceding}[r.IntN(3)]
			c = c.WithHolidays(moving{days, convention, c.BuildView()})
			var to []civil.Date
			for _, d := range days {
				for step := map[Convention]civil.Date{Following: 1, Preceding: -1}[convention]; closed[d] && step != 0; {
					d += step
				}
				to = append(to, d)
			}
			for _, d := range to { // an entry doesn't see its own days
				closed[d] = true
			}
		}
		for range 300 {
			d := world.First + 600 + civil.Date(r.IntN(world.Len()-1200))
			if c.IsWorkday(d) == closed[d] {
				t.Fatalf("%d is open: %v, of %d entries", d, c.IsWorkday(d), len(c.entries))
			}
		}
	}
}

// A search for a working day ends, however far a calendar is closed, and reaches
// as far as it should.
func TestAddWorkdays_ends(t *testing.T) {
	long := New("long", Weekend).WithHolidays(HolidayList{{Date: 740000}})
	if d, ok := long.AddWorkdays(740000, 9000); !ok || long.CountBetween(740000, d) != 9000 {
		t.Errorf("9,000 working days on: %d %v", d, ok)
	}
	if d, ok := long.AddWorkdays(740000, -9000); !ok || long.CountBetween(d, 740000) != 9000-1 && long.CountBetween(d, 740000) != 9000 {
		t.Errorf("9,000 working days back: %d %v", d, ok)
	}
	for name, shut := range map[string]*Calendar{
		"weekdays": New("shut", 0xfe),
		"for good": New("shut", Weekend).WithHolidays(sparse(func(d civil.Date) bool { return d > 740000 })),
	} {
		if d, ok := shut.AddWorkdays(740100, 1); ok {
			t.Errorf("%s: a working day on %d", name, d)
		}
		if _, ok := shut.Roll(740100, ModifiedFollowing); ok && name == "weekdays" {
			t.Errorf("%s: a closed day rolls", name)
		}
		if shut.table.Load().span.Len() > 40000 {
			t.Errorf("%s: looked through %d days", name, shut.table.Load().span.Len())
		}
	}
	shutFor := New("three years", Weekend).WithHolidays(sparse(func(d civil.Date) bool { return d > 740000 && d < 741100 }))
	if d, ok := shutFor.AddWorkdays(740050, 1); !ok || d != 741100 {
		t.Errorf("after three closed years: %d %v", d, ok)
	}
}

// What a calendar doesn't know is counted for the part that doesn't know it.
func TestWarnings_misses(t *testing.T) {
	known := func(name string, first, last civil.Date) *Calendar {
		c := New(name, Weekend)
		c.Coverage = civil.Span{First: first, Last: last}
		return c
	}
	a, b := known("a", 100, 200), known("b", 150, 300)
	both := Join(a, b, a)
	if both.Name != "a + b" || both.Coverage != (civil.Span{First: 150, Last: 200}) {
		t.Errorf("the joint calendar is %s, %v", both.Name, both.Coverage)
	}
	for _, s := range []civil.Span{{First: 150, Last: 200}, {First: 120, Last: 160}, {First: 160, Last: 250}, {First: 160, Last: 400}, {First: 400, Last: 160}, {First: 50, Last: 60}} {
		both.RecordQuery(s.First, s.Last)
	}
	for c, want := range map[*Calendar]string{a: "1 3", b: "2 2"} {
		before, after := c.Misses()
		if got := fmt.Sprint(before, after); got != want {
			t.Errorf("%s was asked before and after what it knows %s times, want %s", c.Name, got, want)
		}
	}
	if n := len(both.UncoveredDays(civil.Span{First: 148, Last: 203})); n != 5 {
		t.Errorf("%d days beyond", n)
	}
	stand := New("stand-in", Weekend)
	stand.IsDefault = true
	if list := Warnings([]*Calendar{a, b, stand}); len(list) != 4 {
		t.Errorf("warnings: %q", list)
	}
	stand.MarkUsed()
	if list := Warnings([]*Calendar{stand}); len(list) != 1 {
		t.Errorf("warnings without a calendar: %q", list)
	}
	Uncovered{}.Record()
	Uncovered{Calendar: a, Day: 201}.Record()
	if _, after := a.Misses(); after != 4 || !a.Covers(100) || a.Covers(99) || !a.Covers(200) || a.Covers(201) {
		t.Errorf("noted %d times", after)
	}
}

// A table of whole words and parts of them, with closed weekdays and days changed one by
// one, counts and finds its open days as a list of them does.
func TestTables_growth(t *testing.T) {
	r := rand.New(rand.NewPCG(23, 6))
	for n := range 120 {
		long := []int{1, 2, 63, 64, 65, 448, 449, 512, 513, 700 + r.IntN(900)}[n%10]
		span := civil.Span{First: civil.Date(730000 + r.IntN(99))}
		span.Last = span.First + civil.Date(long-1)
		off := WeekdaySet(r.IntN(256)) &^ 1
		table := weekdayTable(span, off)
		if r.IntN(2) == 0 {
			table.openUpTo(span.Last) // counted before it is changed
		}
		changed := map[civil.Date]bool{}
		for range r.IntN(40) {
			d := span.First + civil.Date(r.IntN(long))
			changed[d] = r.IntN(3) > 0
			table.setOpen(d, changed[d])
		}
		if n%3 == 0 { // a long way between open days
			for d := span.First + 3; d < span.Last-2; d++ {
				changed[d] = false
				table.setOpen(d, false)
			}
		}
		var open []civil.Date
		for d := span.First; d <= span.Last; d++ {
			is, set := changed[d]
			if is = set && is || !set && !off.Contains(d.Weekday()); is {
				open = append(open, d)
			}
			if table.isOpen(d) != is || table.openUpTo(d) != len(open) {
				t.Fatalf("%v without %b: %d is open %v, rank %d; want %v, %d", span, off, d, table.isOpen(d), table.openUpTo(d), is, len(open))
			}
		}
		for try := range 200 {
			d, k := span.First+civil.Date(r.IntN(long)), 1+r.IntN(1+try*long/200)
			upto := table.openUpTo(d) // of open days, and how many lie before d
			less := upto
			if table.isOpen(d) {
				less--
			}
			for _, c := range []struct {
				what string
				find func() (civil.Date, bool)
				want int // which open day of the table
			}{
				{"after", func() (civil.Date, bool) { return table.forward(d, k) }, upto + k},
				{"before", func() (civil.Date, bool) { return table.backward(d, k) }, less + 1 - k},
				{"of all", func() (civil.Date, bool) { return table.nthOpen(k) }, k},
			} {
				is, ok := c.find()
				if there := c.want >= 1 && c.want <= len(open); ok != there || ok && is != open[c.want-1] {
					t.Fatalf("%v without %b: open day %d %s %d is %d, %v", span, off, k, c.what, d, is, ok)
				}
			}
		}
	}
}

// What is closed or opened for a try reaches each calendar that takes the days: a holiday that
// was opened is none there either, a closed weekday that was opened opens that calendar alone, and
// what `open` opens stays a holiday for those that take it.
func TestWithChanges_reachesTakers(t *testing.T) {
	r := rand.New(rand.NewPCG(36, 4))
	const first, days = civil.Date(740000), 120
	for range 300 {
		pick := func() (list []civil.Date) {
			for range r.IntN(25) {
				list = append(list, first+civil.Date(r.IntN(days)))
			}
			return list
		}
		holidays := func(days []civil.Date) (list HolidayList) {
			for _, d := range days {
				list = append(list, Holiday{Date: d, Nominal: d, Name: "h"})
			}
			return list
		}
		listed, open, closed := pick(), pick(), pick()
		opened := slices.DeleteFunc(pick(), func(d civil.Date) bool { return slices.Contains(closed, d) })
		base := New("q", Weekend).WithHolidays(holidays(listed)).WithOpen(open).WithChanges(holidays(closed), opened)
		taker := New("s", WeekdaySet(0).With(civil.Friday)).WithHolidays(base)
		for d := first; d < first+days; d++ {
			in := func(list []civil.Date) bool { return slices.Contains(list, d) }
			holiday := (in(listed) || in(closed)) && !in(opened)
			own := !in(opened) && (in(closed) || !in(open) && (in(listed) || Weekend.Contains(d.Weekday())))
			if base.IsWorkday(d) == own || taker.IsWorkday(d) == (holiday || d.Weekday() == civil.Friday) {
				t.Fatalf("%s: listed %v, open %v, closed %v, opened %v: open in its own %v, in a taker %v", d, in(listed), in(open),
					in(closed), in(opened), base.IsWorkday(d), taker.IsWorkday(d))
			}
			if got := len(taker.HolidaysOn(d)) > 0; got != holiday {
				t.Fatalf("%s is a holiday: %v", d, got)
			}
		}
	}
}

// A calendar that lacks holidays warns once something counts with it, a joined one where all of
// its parts do; what calendars don't know is counted on either side, and forgotten on request.
func TestWarnings_usedAndUnknown(t *testing.T) {
	lacks := func(name string, is bool) *Calendar {
		c := New(name, Weekend)
		c.LacksHolidays = is
		return c
	}
	for _, c := range []struct {
		list []*Calendar
		want int // calendars that warn
	}{
		{[]*Calendar{lacks("a", true)}, 1}, {[]*Calendar{lacks("a", false)}, 0}, {[]*Calendar{lacks("a", true), lacks("b", true)}, 2},
		{[]*Calendar{lacks("a", true), lacks("b", false)}, 0}, {[]*Calendar{lacks("a", false), lacks("b", true)}, 0},
	} {
		Join(c.list...).MarkUsed()
		if got := Warnings(c.list); len(got) != c.want {
			t.Errorf("%d calendars: %v, want %d", len(c.list), got, c.want)
		}
		for _, one := range c.list {
			if used := one.TakeUsed(); used != (c.want > 0) || one.WasUsed() {
				t.Errorf("%s was used: %v", one.Name, used)
			}
		}
	}
	none := New(NoneName, Weekend)
	if CheckJoin([]*Calendar{none}) != nil || CheckJoin([]*Calendar{lacks("a", true), none}) == nil || CheckJoin([]*Calendar{lacks("a", true), lacks("b", true)}) != nil {
		t.Error("joins of the calendar without holidays")
	}
	wide, narrow := New("wide", Weekend), New("narrow", Weekend)
	wide.Coverage, narrow.Coverage = civil.Span{First: 100, Last: 300}, civil.Span{First: 150, Last: 200}
	both := Join(wide, narrow)
	for _, c := range []struct {
		day                                              civil.Date
		wideBefore, wideAfter, narrowBefore, narrowAfter int
	}{{99, 1, 0, 1, 0}, {100, 0, 0, 1, 0}, {149, 0, 0, 1, 0}, {150, 0, 0, 0, 0}, {200, 0, 0, 0, 0}, {201, 0, 0, 0, 1}, {300, 0, 0, 0, 1}, {301, 0, 1, 0, 1}} {
		both.RecordMiss(c.day)
		wb, wa := wide.Misses()
		nb, na := narrow.Misses()
		if [4]int{wb, wa, nb, na} != [4]int{c.wideBefore, c.wideAfter, c.narrowBefore, c.narrowAfter} {
			t.Errorf("day %d: %d %d %d %d", c.day, wb, wa, nb, na)
		}
		both.ResetMisses()
		if len(Warnings([]*Calendar{wide, narrow})) > 0 {
			t.Errorf("day %d is still told", c.day)
		}
	}
}
