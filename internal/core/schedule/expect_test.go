package schedule

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
)

// What is told of counts, gaps and days with two dates, against counting the dates of
// random rules by hand.
func TestExpectations(t *testing.T) {
	rules := uint64(600)
	if testing.Short() {
		rules = 60
	}
	for seed := range rules {
		r := rand.New(rand.NewPCG(seed, 11))
		w, cal := randomWorld(r)
		text, all := bruteRule(r, w)
		s, err := NewSeries("s", "", text, eval.Env{Frame: weekFrame, Calendar: cal})
		if err != nil {
			t.Fatal(err)
		}
		counts := map[string]Bounds{"per-month": {1, 1 + r.IntN(3)}, "per-quarter": {2, 4}, "per-year": {r.IntN(5), 12 + r.IntN(20)}}
		gap := Bounds{3 + r.IntN(20), 35 + r.IntN(60)}
		s.Expects = &Expects{Counts: counts, Gap: &gap}
		first := civil.Date(738900 + r.IntN(300)) // 2024
		window := civil.Span{First: first, Last: first + civil.Date(200+r.IntN(900))}
		found, err := s.Check(window)
		if err != nil {
			t.Fatal(text, err)
		}
		var got, want []string
		for _, f := range found {
			if strings.HasPrefix(f.Key, "expect.") || strings.HasPrefix(f.Text, "two dates") {
				got = append(got, f.Key+" "+f.At.String()+" "+strings.Fields(f.Text)[0])
			}
		}
		// By hand: the moved dates, one after the other.
		var days []civil.Date
		for _, d := range all {
			day, _, _ := civil.Parse(d.moved.Format(isoDay))
			days = append(days, day)
		}
		own := civil.Always
		if s.Rec.Rule.From != civil.None {
			own.First = s.Rec.Rule.From
		}
		if !s.Rec.Rule.Endless() {
			own.Last = s.Rec.Rule.Span().Last
		}
		for key, keyOf := range map[string]func(y, m int) string{
			"per-month": func(y, m int) string { return fmt.Sprintf("%04d-%02d", y, m) }, "per-quarter": func(y, m int) string { return fmt.Sprintf("%04d-Q%d", y, (m+2)/3) },
			"per-year": func(y, _ int) string { return fmt.Sprintf("%04d", y) }} {
			n, cut, touched := map[string]int{}, map[string]bool{}, map[string]bool{}
			for d := civil.Date(738500); d < 740700; d++ {
				y, m, _ := d.YMD()
				k := keyOf(y, m)
				touched[k] = touched[k] || window.Has(d)
				cut[k] = cut[k] || !own.Has(d)
				for _, at := range days {
					if at == d {
						n[k]++
					}
				}
			}
			for k := range touched {
				if b := counts[key]; touched[k] && (n[k] > b.Most || n[k] < b.Least && !cut[k]) {
					want = append(want, "expect."+key+"  "+k)
				}
			}
		}
		for i := 1; i < len(days); i++ {
			a, b := days[i-1], days[i]
			if n := int(b - a); (window.Has(a) || window.Has(b)) && (n < gap.Least || n > gap.Most) {
				want = append(want, fmt.Sprintf("expect.gap %s %d", b, n))
			}
			if a == b && window.Has(a) {
				want = append(want, "rule "+b.String()+" two")
			}
		}
		slices.Sort(got)
		slices.Sort(want)
		if !slices.Equal(got, want) {
			t.Fatalf("seed %d: %q in %s to %s:\n%v\nwant\n%v", seed, text, window.First, window.Last, got, want)
		}
	}
}
