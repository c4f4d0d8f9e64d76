package workdays_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/workdays"
)

// TestShortDays holds short days to a walk over days that each know what was said of them:
// later entries win, a closed day is closed, an opened one is whole unless it is short, a
// calendar that takes another's days takes its short ones, and of joined ones the least part
// and the earliest end count.
func TestShortDays(t *testing.T) {
	type said struct {
		closed        bool
		counts, until int
	}
	r := rand.New(rand.NewPCG(25, 7))
	rounds := 400
	if testing.Short() {
		rounds = 60
	}
	const first, days = civil.Date(739600), 300
	for range rounds {
		var weekend [2]workdays.WeekdaySet
		var holidays, short [2]workdays.HolidayList
		var opened [2][]civil.Date
		random := func() civil.Date { return first + civil.Date(r.IntN(days)) }
		var cals [3]*workdays.Calendar
		var all [3]map[civil.Date]said
		for k := range 2 {
			weekend[k] = []workdays.WeekdaySet{workdays.Weekend, 0, workdays.WeekdaySet(0).With(civil.Sunday)}[r.IntN(3)]
			for range 20 {
				holidays[k] = append(holidays[k], workdays.Holiday{Date: random(), Name: "closed"})
				opened[k] = append(opened[k], random())
				h := workdays.Holiday{Date: random(), Name: fmt.Sprint("short ", k), Weight: 1 + r.IntN(99)}
				if r.IntN(2) == 0 {
					h.Until = 1 + r.IntN(1439)
				}
				if r.IntN(5) == 0 {
					h.Weight = 0 // closed, in the list of short days
				}
				short[k] = append(short[k], h)
			}
			cals[k] = workdays.New(fmt.Sprint("c", k), weekend[k])
			if k == 1 { // takes the other's days
				cals[k] = cals[k].WithHolidays(cals[0])
			}
			cals[k] = cals[k].WithHolidays(holidays[k]).WithOpen(opened[k]).WithHolidays(short[k])
			all[k] = map[civil.Date]said{}
			for d := first; d < first+days; d++ {
				s := said{closed: weekend[k].Contains(d.Weekday())}
				if k == 1 {
					taken := all[0][d]
					s.counts, s.until = taken.counts, taken.until
					for h := range cals[0].Holidays(civil.Span{First: d, Last: d}) {
						s.closed = s.closed || h.Date == d
					}
				}
				for _, h := range holidays[k] {
					s.closed = s.closed || h.Date == d
				}
				for _, o := range opened[k] {
					s.closed = s.closed && o != d
				}
				closes := false
				for _, h := range short[k] {
					if h.Date == d && h.Weight > 0 {
						s.counts, s.until = h.Weight, h.Until
					}
					closes = closes || h.Date == d && h.Weight == 0
				}
				if s.closed = s.closed || closes; s.closed {
					s.counts, s.until = 0, 0
				}
				all[k][d] = s
			}
		}
		cals[2], all[2] = workdays.Join(cals[0], cals[1]), map[civil.Date]said{}
		for d, a := range all[0] {
			b := all[1][d]
			switch {
			case a.closed || b.closed:
				a = said{closed: true}
			case a.counts == 0 || b.counts > 0 && b.counts < a.counts:
				a.counts = b.counts
			}
			if !a.closed && (a.until == 0 || b.until > 0 && b.until < a.until) {
				a.until = b.until
			}
			all[2][d] = a
		}
		for k, cal := range cals {
			sum := func(a, b civil.Date) (n int) {
				for d := a + 1; d <= b; d++ {
					switch s := all[k][d]; {
					case s.counts > 0:
						n += s.counts
					case !s.closed:
						n += workdays.FullDayWeight
					}
				}
				return n
			}
			for range 30 {
				a, b := random(), random()
				want := sum(min(a, b), max(a, b))
				if b < a {
					want = -want
				}
				if got := cal.WeightBetween(a, b); got != want {
					t.Fatalf("calendar %d counts %d from %s to %s, want %d", k, got, a, b, want)
				}
				s := civil.Span{First: min(a, b), Last: max(a, b)}
				if got, want := cal.WeightIn(s), sum(s.First-1, s.Last); s.First > first && got != want {
					t.Fatalf("calendar %d counts %d in %v, want %d", k, got, s, want)
				}
				h, ok := cal.ShortDayOn(a)
				if w := all[k][a]; ok != (w.counts > 0) || h.Weight != w.counts || h.Until != w.until || cal.IsWorkday(a) == w.closed {
					t.Fatalf("calendar %d, %s: %v %v, open %v, want %v", k, a, h, ok, cal.IsWorkday(a), w)
				}
				if part := cal.DayWeight(a); part != sum(a-1, a) && a > first {
					t.Fatalf("calendar %d: %s counts %d", k, a, part)
				}
			}
			if !cal.HasShortDays() {
				t.Fatalf("calendar %d has short days", k)
			}
		}
	}
	if c := workdays.New("plain", workdays.Weekend); c.HasShortDays() || c.WeightBetween(first, first+7) != 500 {
		t.Fatalf("a plain calendar: %v, %d", c.HasShortDays(), c.WeightBetween(first, first+7))
	}
}
