package workdays

import (
	"fmt"
	"iter"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"yoyaku/internal/core/civil"
)

// sparse closes every day that its function says, in whatever span is asked.
type sparse func(civil.Date) bool

func (s sparse) Days(span civil.Span, _ *Calendar) iter.Seq[Holiday] {
	return func(yield func(Holiday) bool) {
		for d := span.First; d <= span.Last; d++ {
			if s(d) && !yield(Holiday{Date: d, Nominal: d, Name: fmt.Sprint(int(d))}) {
				return
			}
		}
	}
}

// Counting, moving and growing, against days looked at one by one. Each
// calendar is asked in a random order, so its table grows in both directions.
func TestAgainstWalking(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	worlds := 60
	if testing.Short() {
		worlds = 15
	}
	for range worlds {
		salt := uint32(r.Uint64())
		hol := func(k uint32) sparse {
			return func(d civil.Date) bool { return (uint32(d)^k)*2654435761>>24 < 12 }
		}
		off := WeekdaySet(0).With(civil.Weekday(1 + r.IntN(7))).With(civil.Weekday(1 + r.IntN(7)))
		opened := []civil.Date{700007, 700100, civil.Date(700000 + r.IntN(4000))}
		one := New("one", off).WithHolidays(hol(salt)).WithOpen(opened)
		two := New("two", Weekend).WithHolidays(hol(salt + 9))
		joint := Join(one, two)
		if len(joint.joinedParts()) != 2 || joint.Name != "one + two" {
			t.Fatalf("the joint calendar is %s of %d", joint.Name, len(joint.joinedParts()))
		}
		openOne := func(d civil.Date) bool {
			return slices.Contains(opened, d) || !off.Contains(d.Weekday()) && !hol(salt)(d)
		}
		openBoth := func(d civil.Date) bool {
			return openOne(d) && !Weekend.Contains(d.Weekday()) && !hol(salt+9)(d)
		}
		for _, c := range []struct {
			*Calendar
			open func(civil.Date) bool
		}{{one, openOne}, {joint, openBoth}} {
			for range 60 {
				a := civil.Date(698000 + r.IntN(9000))
				b := a + civil.Date(r.IntN(2500))
				n := 0
				for d := a + 1; d <= b; d++ {
					if c.open(d) {
						n++
					}
				}
				k := n
				if c.open(a) {
					k++
				}
				s := civil.Span{First: a, Last: b}
				if c.IsWorkday(b) != c.open(b) || c.CountBetween(a, b) != n || c.CountBetween(b, a) != -n || c.Count(s) != k {
					t.Fatalf("%s: %d to %d: between %d, %d, count %d; want %d, %d", c.Name, a, b, c.CountBetween(a, b), c.CountBetween(b, a), c.Count(s), n, k)
				}
				mid := a + civil.Date(r.IntN(9000)-4000)
				if c.CountBetween(a, mid)+c.CountBetween(mid, b) != n {
					t.Fatalf("%s: counts to and from %d don't add up", c.Name, mid)
				}
				if to, ok := c.AddWorkdays(a, n); n > 0 && (!ok || c.CountBetween(a, to) != n || !c.open(to) || to > b) {
					t.Fatalf("%s: %d + %d working days = %d", c.Name, a, n, to)
				}
				if c.open(b) { // +n then -n returns to a working base
					to, _ := c.AddWorkdays(b, -7)
					if back, ok := c.AddWorkdays(to, 7); !ok || back != b {
						t.Fatalf("%s: %d -7 +7 = %d", c.Name, b, back)
					}
				}
				if d, ok := c.NthIn(s, k); ok != (k > 0) || ok && c.Count(civil.Span{First: a, Last: d}) != k {
					t.Fatalf("%s: working day %d of %v is %d, %v", c.Name, k, s, d, ok)
				}
				if d, ok := c.NthIn(s, -k); ok != (k > 0) || ok && c.Count(civil.Span{First: d, Last: b}) != k {
					t.Fatalf("%s: working day -%d of %v is %d, %v", c.Name, k, s, d, ok)
				}
				for _, j := range []int{1, 2, 1 + r.IntN(9)} {
					d, ok := c.NthIn(s, j)
					e, too := c.NthIn(s, -j)
					if ok != (j <= k) || too != ok || ok && (c.Count(civil.Span{First: a, Last: d}) != j || c.Count(civil.Span{First: e, Last: b}) != j || !c.open(d) || !c.open(e)) {
						t.Fatalf("%s: working days %d and -%d of %v are %d, %v and %d, %v", c.Name, j, j, s, d, ok, e, too)
					}
				}
				if _, ok := c.NthIn(s, k+1); ok {
					t.Fatalf("%s: there is no working day %d in %v", c.Name, k+1, s)
				}
				after, before := a, a
				for ; !c.open(after); after++ {
				}
				for ; !c.open(before); before-- {
				}
				rolled := [...]civil.Date{NoRoll: a, Following: after, Preceding: before, ModifiedFollowing: after, ModifiedPreceding: before, Nearest: after}
				month := func(d civil.Date) string { return d.String()[:7] }
				if month(after) != month(a) {
					rolled[ModifiedFollowing] = before
				}
				if month(before) != month(a) {
					rolled[ModifiedPreceding] = after
				}
				if a-before < after-a {
					rolled[Nearest] = before
				}
				for by, want := range rolled {
					if d, ok := c.Roll(a, Convention(by)); !ok || d != want {
						t.Fatalf("%s: %d rolled %s is %d, want %d", c.Name, a, ConventionNames[by], d, want)
					}
				}
				if c.Coverage = (civil.Span{First: civil.Min, Last: civil.Max}); c.IsKnownWorkday(a) != c.open(a) { // it has looked there
					t.Fatalf("%s: %d stays: %v", c.Name, a, c.IsKnownWorkday(a))
				}
				if why := c.ClosureOf(a); c.open(a) != (!why.Weekend && len(why.Holidays) == 0) {
					t.Fatalf("%s: why %d: %v", c.Name, a, why)
				}
			}
		}
	}
}

func TestCalendar_bounds(t *testing.T) {
	if (Uncovered{}).IsSet() || !(Uncovered{Recorded: true}).IsSet() || !(Uncovered{Calendar: New("c", 0)}).IsSet() {
		t.Error("a day is beyond what a calendar knows where there is one, or where that was noted")
	}
	for n, want := range []string{"", "1 date may", "2 dates may"} {
		c := New("c", 0).WithHolidays(HolidayList{{Date: 740010, Name: "One"}})
		c.Coverage = civil.Span{First: 740000, Last: 740020}
		c.RecordQuery(740020, 740000) // what it knows, to both ends
		for i := range n {
			c.RecordQuery(740021+civil.Date(i), 740021+civil.Date(i))
		}
		if got := strings.Join(Warnings([]*Calendar{c}), ""); !strings.Contains(got, want) || n == 0 && got != "" {
			t.Errorf("%d dates beyond: %q, want %q", n, got, want)
		}
		if hols := slices.Collect(c.Holidays(c.Coverage)); len(hols) != 1 || len(c.HolidaysOn(740010)) != 1 || len(c.HolidaysOn(740011)) != 0 {
			t.Errorf("the one holiday is listed as %v", hols)
		}
		if b := (Uncovered{Calendar: c}); (Uncovered{}).OrElse(b) != b || b.OrElse(Uncovered{Recorded: true}) != b || (Uncovered{Recorded: true}).OrElse(Uncovered{}) != (Uncovered{Recorded: true}) {
			t.Error("the first calendar that was asked beyond what it knows is told")
		}
	}
	if none, two := New("c", 0).ClosedText(), New("c", Weekend).ClosedText(); none != "none" || two != "sat, sun" {
		t.Errorf("closed are %s, and %s", none, two)
	}
	need := New("assumed", 0)
	need.IsDefault = true
	if need.MarkUsed(); !need.TakeUsed() || need.TakeUsed() {
		t.Error("a need is taken once")
	}
	for h := range (HolidayList{{Date: 740000}, {Date: 740001}, {Date: 740002}}).Days(civil.Span{First: 740001, Last: 740002}, nil) {
		if h.Date != 740001 {
			t.Errorf("%s goes on after the end, or begins before the stretch", h.Date)
		}
		break
	}
	for n := 1; n < 200; n++ { // stretches that end anywhere in a word
		c := New("c", Weekend)
		s := civil.Span{First: civil.Min, Last: civil.Min + civil.Date(n)}
		if d, ok := c.NthIn(s, c.Count(s)); !ok || !s.Contains(d) || c.CountBetween(civil.Min, s.Last) != c.Count(s)-1 {
			t.Errorf("the last working day of %d days is %s, %v", n, d, ok)
		}
	}
	c := New("plain", Weekend)
	if d, ok := c.AddWorkdays(civil.Max, 1); ok {
		t.Errorf("a working day after the last: %s", d)
	}
	if d, ok := c.AddWorkdays(civil.Min, -1); ok {
		t.Errorf("a working day before the first: %s", d)
	}
	if n := c.CountBetween(civil.Min, civil.Max); n != 2608615-1 { // 3,652,059 days from a Monday to a Friday
		t.Errorf("working days of all time: %d", n)
	}
	shut := New("shut", 0xfe)
	if d, ok := shut.AddWorkdays(740000, 1); ok {
		t.Errorf("a calendar without working days gives %s", d)
	}
}

func BenchmarkBetween(b *testing.B) {
	c := New("plain", Weekend).WithHolidays(sparse(func(d civil.Date) bool { return d%97 == 0 }))
	c.CountBetween(600000, 1000000)
	var ten []*Calendar
	for k := range 10 {
		ten = append(ten, New("one of ten", Weekend).WithHolidays(sparse(func(d civil.Date) bool { return int(d)%(89+k) == 0 })))
	}
	joint := Join(ten...)
	joint.CountBetween(600000, 1000000)
	b.Run("joint of ten", func(b *testing.B) {
		for i := range b.N {
			a := civil.Date(600000 + i&0x3fff)
			sinkInt += joint.CountBetween(a, a+1000)
		}
	})
	for _, days := range []civil.Date{1, 365243} {
		b.Run(fmt.Sprintf("over %d days", days), func(b *testing.B) {
			for i := range b.N {
				a := civil.Date(600000 + i&0x3fff)
				sinkInt += c.CountBetween(a, a+days)
			}
		})
	}
}

var sinkInt int

// Each day that a calendar doesn't know is reported, at both ends.
func TestUncovered(t *testing.T) {
	c := New("c", WeekdaySet(0))
	c.Coverage = civil.Span{First: 1000, Last: 1010}
	for _, s := range []civil.Span{{First: 990, Last: 1020}, {First: 997, Last: 999}, {First: 999, Last: 999}, {First: 1000, Last: 1010}, {First: 1011, Last: 1013}, {First: 1005, Last: 1011}} {
		var want []civil.Date
		for d := s.First; d <= s.Last; d++ {
			if !c.Coverage.Contains(d) {
				want = append(want, d)
			}
		}
		if got := c.UncoveredDays(s); !slices.Equal(got, want) {
			t.Errorf("%v: %v, want %v", s, got, want)
		}
	}
}
