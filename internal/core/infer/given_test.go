package infer

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/golden"
)

// TestGoldenCases holds what is found, what each phrase costs and how much was tried to a file: of
// made rules with and without mistakes, of two that follow each other, of fiscal cadences, of
// steps beside dates.
func TestGoldenCases(t *testing.T) {
	var b strings.Builder
	s := search()
	s.Calendars = s.Calendars[:4]
	fiscal := *s
	fiscal.HasFiscalYear, fiscal.Env.Fiscal.FiscalMonth, fiscal.Env.Fiscal.FiscalDay = true, 4, 6
	tell := func(what string, s *Search, table []civil.Date) {
		fmt.Fprintf(&b, "== %s, %d dates\n", what, len(table))
		g, err := s.newState(table)
		if err != nil {
			fmt.Fprintln(&b, err)
			return
		}
		ranks := g.acceptable(g.explanations())
		fmt.Fprintf(&b, "%.1f bits, %d candidates of %d vectors\n", g.listBits, len(g.found), g.vectors)
		for _, k := range ranks[:min(len(ranks), 4)] {
			fmt.Fprintf(&b, "%v %.2f bits, %d and %d off %v %s\n", k.Rules, k.Bits, k.Matched, k.Misses, k.EquivalentCalendars, k.AgreesUntil)
		}
	}
	for seed := range uint64(14) {
		r := rand.New(rand.NewPCG(seed, 6))
		m := randomRule(r)
		dates := dates(s, m.text, 1+int(seed%3), civil.Span{First: 738000, Last: 738000 + civil.Date(20/m.ayear*380)})
		if len(dates) < 6 {
			continue
		}
		dates = dates[:min(len(dates), 6+r.IntN(19))]
		wrong := int(seed % 4)
		tell(fmt.Sprint(m.text, ", wrong ", wrong), s, falsify(r, dates, wrong))
	}
	for _, c := range [][3]string{{"monthly on last then roll preceding", "monthly on 15 then roll preceding"}, {"weekly on fri", "fortnightly on fri from 2022-01-07"}, {"every 2 months on 10 from 2020-01-10", "monthly on 2nd tue"},
		{"quarterly on last working day", "quarterly on day 15"}} {
		for _, n := range []int{9} {
			a := dates(s, c[0], 2, civil.Span{First: 737800, Last: 739000})
			first := a[len(a)-1]
			changed := append(slices.Clone(a[max(0, len(a)-n):]), dates(s, c[1], 2, civil.Span{First: first + 9, Last: first + 1200})[:11]...)
			tell(fmt.Sprint(c[0], ", then ", c[1], " after ", n), s, changed)
			changed[2]++
			tell("with one wrong", s, changed)
		}
	}
	for _, text := range []string{"fiscal-monthly on last then roll preceding", "fiscal-monthly on 5th working day", "fiscal-quarterly on 2nd tue", "fiscal-quarterly on day 20 then -2 working days", "fiscal-yearly on last then roll following", "monthly on last working day"} {
		tell(text, &fiscal, dates(&fiscal, text, 1, civil.Span{First: 737000, Last: 740500})[:9])
	}
	base := dates(s, "monthly on 10, 25 then roll preceding", 1, civil.Span{First: 738000, Last: 738400})
	r := rand.New(rand.NewPCG(24, 7))
	for _, days := range []func(d civil.Date) civil.Date{
		func(d civil.Date) civil.Date { return d - 5 }, func(d civil.Date) civil.Date { return d.OnOrAfter(civil.Friday) }, func(d civil.Date) civil.Date { return d.OnOrBefore(civil.Monday) - 14 },
		func(d civil.Date) civil.Date { x, _ := s.Calendars[1].Days.AddWorkdays(d, -3); return x }, func(d civil.Date) civil.Date { x, _ := s.Calendars[2].Days.AddWorkdays(d, 12); return x },
		func(d civil.Date) civil.Date {
			y, m, _ := d.YMD()
			x, _ := civil.NewDate(y, m, civil.DaysIn(y, m))
			return x
		},
		func(d civil.Date) civil.Date { x, _ := s.Calendars[3].Days.OnOrBefore(d + 30); return x }, func(d civil.Date) civil.Date { return d + civil.Date(r.IntN(40)) },
	} {
		for _, n := range []int{5, 7, 20} {
			beside := make([]civil.Date, n)
			for i := range beside {
				beside[i] = days(base[i])
			}
			if n > 6 {
				beside[3]++
			}
			fmt.Fprintf(&b, "== beside %d dates\n", n)
			ranks := s.explainOffsets(base[:n], beside, base[n:])
			for _, k := range ranks[:min(3, len(ranks))] {
				fmt.Fprintf(&b, "%v %.2f bits, %d and %d off %v\n", k.Rules, k.Bits, k.Matched, k.Misses, k.EquivalentCalendars)
			}
		}
	}
	golden.Compare(t, "testdata/given.txt", b.String())
}
