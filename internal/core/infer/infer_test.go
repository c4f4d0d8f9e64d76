package infer

import (
	"fmt"
	"iter"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/workdays"
)

// yearly closes the same days of each year, and Good Friday and the like by their distance
// from Easter.
type yearly struct{ fixed, easter []int }

func (y yearly) Days(span civil.Span, _ *workdays.Calendar) iter.Seq[workdays.Holiday] {
	return func(yield func(workdays.Holiday) bool) {
		for year := span.First.Year(); year <= span.Last.Year(); year++ {
			var days []civil.Date
			for _, f := range y.fixed {
				d, _ := civil.Of(year, f/100, f%100)
				days = append(days, d)
			}
			for _, e := range y.easter {
				days = append(days, civil.Easter(year)+civil.Date(e))
			}
			slices.Sort(days)
			for _, d := range days {
				if span.Has(d) && !yield(workdays.Holiday{Date: d, Nominal: d, Name: "closed"}) {
					return
				}
			}
		}
	}
}

// search has no holidays and five calendars of invented places.
func search() *Search {
	none := workdays.New("", workdays.Weekend)
	s := &Search{Env: eval.Env{Frame: civil.DefaultFrame, Calendar: none}, Calendars: []Calendar{{"", none, 0}}}
	for i, y := range []yearly{{[]int{101, 1225, 1226}, []int{-2, 1}}, {[]int{101, 501, 508, 714, 815, 1101, 1111, 1225}, []int{1, 39, 50}}, {[]int{101, 106, 501, 1003, 1225, 1226}, []int{-2, 1, 39, 50}},
		{[]int{101, 704, 1111, 1225}, nil}, {[]int{101, 102, 317, 712, 1225, 1226, 615}, []int{-3, -2, 1}}} {
		name := fmt.Sprintf("place-%d", i+1)
		s.Calendars = append(s.Calendars, Calendar{name, workdays.New(name, workdays.Weekend).WithHolidays(y), 0.3})
	}
	return s
}

// A made rule: its phrase and about how many dates a year it has.
type made struct {
	what, text string
	ayear      float64
}

func randomRule(r *rand.Rand) made {
	one := func(list ...string) string { return list[r.IntN(len(list))] }
	day := func() string { return one("mon", "tue", "wed", "thu", "fri") }
	roll := func() string {
		return one("", "", " then roll preceding", " then roll preceding", " then roll following", " then roll modified following", " then roll nearest", " leaving out closed days")
	}
	shift := func() string {
		if r.IntN(4) > 0 {
			return roll()
		}
		n := 1 + r.IntN(10)
		return fmt.Sprintf(" then %s%d working day%s", one("+", "-", "-"), n, map[bool]string{true: "s"}[n > 1])
	}
	number := func() string {
		if r.IntN(2) == 0 {
			return one("1", "15", "5", "10", "20", "25")
		}
		return fmt.Sprint(1 + r.IntN(28))
	}
	months := strings.Fields("jan feb mar apr may jun jul aug sep oct nov dec")
	from := fmt.Sprintf(" from 20%02d-0%d-0%d", 10+r.IntN(10), 1+r.IntN(9), 1+r.IntN(9))
	switch r.IntN(15) {
	case 0:
		return made{"weekly", "weekly on " + day() + shift(), 52}
	case 1:
		return made{"several weekdays", "weekly on " + one("mon, thu", "tue, fri", "mon, wed, fri", "tue, thu") + one("", " then roll following", " leaving out closed days"), 120}
	case 2:
		n := 2 + r.IntN(5)
		return made{"every weeks", fmt.Sprintf("every %d weeks on %s%s", n, day(), strings.Replace(from+shift(), " leaving", " leaving", 1)), 52 / float64(n)}
	case 3, 4:
		return made{"monthly, a number", "monthly on " + number() + shift(), 12}
	case 5:
		return made{"monthly, from the end", "monthly on " + one("last", "last", "last", "2nd last", "3rd last", "5th last") + shift(), 12}
	case 6:
		return made{"monthly, a weekday", "monthly on " + one("1st", "2nd", "3rd", "4th", "last") + " " + day() + shift(), 12}
	case 7:
		return made{"monthly, a working day", fmt.Sprintf("monthly on %s working day", one("1st", "2nd", "3rd", "5th", "10th", "last", "2nd last", "3rd last", "5th last")), 12}
	case 8:
		return made{"two a month", "monthly on " + one("15, last", "1, 15", "10, 25", "5, 20", "1st fri, 3rd fri") + roll(), 24}
	case 9:
		return made{"quarterly", "quarterly on " + one("last", "last working day", "day 15", "1st working day", "10 of month 2", "2nd tue of month 3", "last fri", "20 of month 1") + one("", " then roll preceding", " then roll following"), 4}
	case 10:
		n := one("2", "4", "5")
		return made{"every months", fmt.Sprintf("every %s months on %s%s%s", n, one(number(), "last"), from, one("", " then roll preceding", " then roll following")), 12 / float64(n[0]-'0')}
	case 11:
		return made{"yearly", "yearly on " + number() + " " + one(months...) + roll(), 1}
	case 12:
		return made{"easter", "yearly on easter" + one("", " then -2 days", " then +39 days", " then +1 day"), 1}
	case 13:
		a := r.IntN(12)
		return made{"in months", "monthly on " + number() + " in " + months[a] + ", " + months[(a+3)%12] + ", " + months[(a+5)%12] + ", " + months[(a+8)%12] + one("", " then roll preceding", " then roll following"), 4}
	}
	return made{"half-yearly", "half-yearly on " + one("last", "day 15", "last working day", "1st mon") + one("", " then roll preceding"), 2}
}

// falsify moves, drops or adds dates, as hands do.
func falsify(r *rand.Rand, dates []civil.Date, n int) []civil.Date {
	dates = slices.Clone(dates)
	for range n {
		i := r.IntN(len(dates))
		switch r.IntN(4) {
		case 0:
			dates = slices.Delete(dates, i, i+1)
		case 1:
			dates = append(dates, dates[i]+civil.Date(1+r.IntN(6)))
		default:
			dates[i] += civil.Date([]int{-3, -2, -1, 1, 2, 3}[r.IntN(6)])
		}
	}
	return dates
}

// next two years of a phrase.
func ahead(s *Search, text string, cal int, last civil.Date) []civil.Date {
	g := &ground{Search: s, first: last, last: last}
	return g.list1(text, cal, civil.Span{First: last + 1, Last: last + 730})
}

func TestFind(t *testing.T) {
	for _, dates := range []int{12, 24, 60} {
		for _, wrong := range []int{0, 1, 3} {
			for _, given := range []bool{true, false} {
				r := rand.New(rand.NewPCG(uint64(dates), uint64(wrong)))
				all := search()
				tried, alike, first := 0, 0, 0
				by := map[string][2]int{}
				for tried < 40 {
					m := randomRule(r)
					cal := 1 + r.IntN(5)
					s := &Search{Env: all.Env, Calendars: all.Calendars}
					if given {
						s.Calendars = []Calendar{all.Calendars[0], all.Calendars[cal]}
					}
					from := civil.Date(730000 + r.IntN(9000))
					g := &ground{Search: all}
					list := g.list1(m.text, cal, civil.Span{First: from, Last: from + civil.Date(float64(dates+3)/m.ayear*380+40)})
					if len(g.refused) > 0 {
						t.Fatal(g.refused)
					}
					if len(list) < dates {
						continue
					}
					list = list[:dates]
					tried++
					ranks, err := s.Rules(falsify(r, list, wrong))
					if err != nil {
						t.Fatal(err)
					}
					want := ahead(all, m.text, cal, list[len(list)-1])
					hit := -1
					for i, k := range ranks {
						if i >= 8 || k.Matched != ranks[0].Matched || k.Off != ranks[0].Off {
							break
						}
						last := k.Rules[len(k.Rules)-1]
						for _, name := range append([]string{last.Calendar}, k.Alike...) {
							c := slices.IndexFunc(all.Calendars, func(c Calendar) bool { return c.Name == name })
							if slices.Equal(ahead(all, last.Phrase, c, list[len(list)-1]), want) {
								hit = i
							}
						}
						if hit >= 0 {
							break
						}
					}
					b := by[m.what]
					b[1]++
					if hit >= 0 {
						alike++
						b[0]++
					}
					if hit == 0 {
						first++
					}
					by[m.what] = b
					if testing.Verbose() && hit < 0 && wrong < 3 {
						var got string
						if len(ranks) > 0 {
							got = fmt.Sprint(ranks[0].Rules, ranks[0].Matched, ranks[0].Off)
						}
						t.Logf("%d/%d %v: %s (%s): %s", dates, wrong, given, m.text, all.Calendars[cal].Name, got)
					}
				}
				t.Logf("== %d dates, %d wrong, given %v: first %d, alike %d of %d: %v", dates, wrong, given, first*100/tried, alike*100/tried, tried, by)
			}
		}
	}
}
