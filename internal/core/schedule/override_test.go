package schedule

import (
	"cmp"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/workdays"
)

// A series of several rules with days set by hand is, in any window, the rules' dates one
// by one with the days by hand in their place: who they are, their periods, places and
// neighbours stay those of the nominal dates.
func TestOverrides_withRules(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 14))
	env := plain
	env.Calendar = workdays.New("c", workdays.Weekend)
	year := func(n int) civil.Date { d, _ := civil.NewDate(2027+n/4, 1+n%4*3, 1); return d }
	rules := []string{"monthly on 15, last", "monthly on 10, 25 then roll preceding", "monthly on last then +3 days, roll following", "monthly on 3rd fri"}
	for range 60 {
		env.Names = nil
		s, err := NewSeries("s", "", rules[0], env)
		if err != nil {
			t.Fatal(err)
		}
		var ruled []EffectiveRule
		from := civil.Min
		for i := range 1 + r.IntN(3) {
			to := year(4 + 4*i)
			one, _ := NewSeries("s", "", rules[r.IntN(len(rules))], env)
			ruled = append(ruled, EffectiveRule{Recurrence: one.Rules[0].Recurrence, Span: civil.Span{First: from, Last: to - 1}})
			from = to + civil.Date(r.IntN(2)*90)
		}
		ruled[len(ruled)-1].Span.Last = civil.Max
		if err := s.SetRules(ruled); err != nil {
			t.Fatal(err)
		}
		if err := s.AddMilestone("cut", "date, -3 working days", env); err != nil {
			t.Fatal(err)
		}
		// The model: every nominal date with its rule's steps, one by one.
		type date struct {
			id              string
			nominal, to     civil.Date
			hand            bool
			number          int
			before, beforeM civil.Date
		}
		var model []*date
		all := civil.Span{First: year(0) - 60, Last: year(20)}
		for d := all.First; d <= all.Last; d++ {
			for _, rule := range ruled {
				if !rule.Span.Contains(d) {
					continue
				}
				for x := range rule.Recurrence.Rule.All(civil.Span{First: d, Last: d}) {
					to, _, _ := rule.Recurrence.Chain.Run(d, nil, nil)
					model = append(model, &date{id: string(rule.Recurrence.Rule.AppendID(nil, x)), nominal: d, to: to})
				}
			}
		}
		for range r.IntN(6) {
			m := model[10+r.IntN(len(model)-20)]
			h := Override{ID: m.id, What: "date", At: eval.Day(m.to + civil.Date(r.IntN(200)-100)), Reason: OverrideReason("why", "A. Gull", false)}
			if r.IntN(4) == 0 {
				h.At = eval.Value{}
			}
			if err := s.SetOverride(h); err != nil {
				t.Fatal(err)
			}
			m.to, m.hand = h.At.Day, true
		}
		n := map[int]int{}
		for i, m := range model {
			n[m.nominal.Year()]++
			if m.number = n[m.nominal.Year()]; i > 0 {
				m.before, m.beforeM = model[i-1].nominal, model[i-1].to
			}
		}
		for range 10 {
			first := year(1) + civil.Date(r.IntN(900))
			window := civil.Span{First: first, Last: first + civil.Date(r.IntN(500))}
			var want, got []string
			line := func(id string, nominal, to civil.Date, hand bool, number int, before, beforeM civil.Date) string {
				return fmt.Sprint(id, " ", nominal, " ", to, " ", hand, " ", number, " ", before, " ", beforeM)
			}
			var in []*date
			for _, m := range model {
				if window.Contains(m.to) {
					in = append(in, m)
				}
			}
			slices.SortStableFunc(in, func(a, b *date) int { return cmp.Compare(a.to, b.to) })
			for _, m := range in {
				want = append(want, line(m.id, m.nominal, m.to, m.hand, m.number, m.before, m.beforeM))
			}
			for o, err := range s.Occurrences(window) {
				if err != nil {
					t.Fatal(err)
				}
				got = append(got, line(o.ID, o.Date.Date, o.MovedTo, o.Override != nil, int(o.Row[slotNumber].Num), o.Row[slotPreviousNominal].Day, o.Row[slotPreviousDate].Day))
				if cut, _ := env.Calendar.AddWorkdays(o.MovedTo, -3); o.Milestone(0).Day != cut {
					t.Fatalf("%s: milestone %s, want %s", o.ID, o.Milestone(0), cut)
				}
				if o.Override != nil && !strings.HasSuffix(o.Reason(), "moved by hand: why (A. Gull)") {
					t.Fatalf("%s: reason %q", o.ID, o.Reason())
				}
			}
			if !slices.Equal(got, want) {
				t.Fatalf("%s..%s:\n%s\nwant\n%s", window.First, window.Last, strings.Join(got, "\n"), strings.Join(want, "\n"))
			}
			// Looking from a day finds the same dates.
			d := first + civil.Date(r.IntN(400))
			after, before := civil.None, civil.None
			for _, m := range model {
				if m.to > d && (after == civil.None || m.to < after) {
					after = m.to
				}
				if m.to != civil.None && m.to < d {
					before = max(before, m.to)
				}
			}
			if a, _ := s.After(d, false); a != after {
				t.Fatalf("after %s: %s, want %s", d, a, after)
			}
			if b, _ := s.Before(d, false); b != before {
				t.Fatalf("before %s: %s, want %s", d, b, before)
			}
		}
	}
}

// Of a date that is left out, the milestone that was set by hand stays, and that alone.
func TestSetOfDateLeftOut(t *testing.T) {
	s, err := NewSeries("s", "", "monthly on 15", plain)
	for _, m := range [][2]string{{"a", "date, -3 days"}, {"b", "date, -5 days"}, {"c", "date, +1 day"}} {
		if err == nil {
			err = s.AddMilestone(m[0], m[1], plain)
		}
	}
	day, _ := civil.NewDate(2027, 3, 9)
	for what, when := range map[string]eval.Value{"date": {}, "b": eval.Day(day)} {
		if err == nil {
			err = s.SetOverride(Override{ID: "2027-03/15", What: what, At: when, Reason: OverrideReason("why", "A. Gull", false)})
		}
	}
	if err != nil {
		t.Fatal(err)
	}
	list, _, err := Entries([]*Series{s}, civil.Span{First: day - 8, Last: day + 22})
	var got []string
	for _, e := range list {
		got = append(got, e.What+" "+e.At.String())
	}
	if err != nil || !slices.Equal(got, []string{"b 2027-03-09"}) {
		t.Errorf("%v, %v", got, err)
	}
}

// A reminder is so much time before an event, or a day before it with a time.
func TestAlarms(t *testing.T) {
	wed := eval.Day(740050) // 10 March 2027
	for text, want := range map[string]Alarm{
		"90 minutes before": {civil.None, 90}, "2 hours before": {civil.None, 120}, "1 day before at 09:05": {740049, 545},
		"2 weeks before at 00:00": {740036, 0}, "3 working days before at 23:59": {740045, 1439},
	} {
		r, err := ParseReminder(text)
		if a, ok := r.Alarm(wed, weekend()); err != nil || !ok || a != want {
			t.Errorf("%s: %v %v, want %v; %v", text, a, ok, want, err)
		}
	}
}
