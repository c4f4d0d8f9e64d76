package schedule

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/workdays"
)

// A term that renews itself is what walking term by term finds, on a hundred thousand
// random rows with month ends and leap days among them: its end, and which one it is.
func TestRenewingTerms(t *testing.T) {
	worlds, rows := 200, 500
	if testing.Short() {
		worlds = 5
	}
	r := rand.New(rand.NewPCG(15, 1))
	units := []struct{ first, every string }{{"months", "months"}, {"years", "months"}, {"weeks", "days"}, {"working days", "working days"}, {"months", "quarters"}}
	notices := []string{"", "", "-notice months", "-notice months, roll preceding", "-notice weeks, roll following", "roll preceding, -notice working days"}
	for range worlds {
		_, cal := randomWorld(r)
		env := plain
		env.Calendar, env.Names = cal, []string{"start", "first", "renew", "notice", "when"}
		u, notice := units[r.IntN(len(units))], notices[r.IntN(len(notices))]
		text := "start, lasting first " + u.first + " renewing every renew " + u.every
		if notice != "" {
			text += " noticed (" + notice + ")"
		}
		got, err := eval.Compile(text+" on or after when", nil, env)
		if err != nil {
			t.Fatal(err)
		}
		shifted, err := eval.Compile("end, "+map[bool]string{true: "+0 days", false: notice}[notice == ""], nil, eval.Env{Fiscal: env.Fiscal, Calendar: cal, Names: []string{"end", "notice"}})
		if err != nil {
			t.Fatal(err)
		}
		notified := func(row []eval.Value, end civil.Date) civil.Date {
			v, err := shifted.Eval([]eval.Value{eval.Day(end), row[3]})
			if err != nil {
				t.Fatal(err)
			}
			return v.Day
		}
		// One term's end by the step that has no renewal.
		per := map[string]int{"months": 1, "years": 12, "quarters": 3, "weeks": 7, "days": 1, "working days": 1}
		unit := map[string]string{"months": "months", "years": "months", "weeks": "days", "working days": "working days"}[u.first]
		end, err := eval.Compile("start, lasting n "+unit, nil, eval.Env{Fiscal: env.Fiscal, Calendar: cal, Names: []string{"start", "n"}})
		if err != nil {
			t.Fatal(err)
		}
		for range rows / 100 {
			for range 100 {
				start, _ := civil.NewDate(2019+r.IntN(8), 1+r.IntN(12), 1)
				start += civil.Date(r.IntN(31))
				if r.IntN(4) == 0 { // the end of a month
					start, _ = civil.MonthDay(civil.MonthIndex(2020+r.IntN(8), 1+r.IntN(12)), 31)
				}
				first, renew, n := 1+r.IntN(14), 1+r.IntN(14), r.IntN(8)
				on := start + civil.Date(r.IntN(2500)-300)
				row := []eval.Value{eval.Day(start), eval.Int(first), eval.Int(renew), eval.Int(n), eval.Day(on)}
				if r.IntN(30) == 0 {
					row[2] = eval.Value{} // none renews
				}
				v, err := got.Eval(slices.Clone(row))
				if err != nil {
					t.Fatal(err)
				}
				var want civil.Date
				for k := 0; ; k++ {
					e, err := end.Eval([]eval.Value{eval.Day(start), eval.Int(first*per[u.first] + k*renew*per[u.every])})
					if err != nil {
						t.Fatal(err)
					}
					if want = e.Day; row[2].Kind == eval.Blank || notified(row, want) >= on {
						break
					}
				}
				if v.Day != want {
					t.Fatalf("%s of %v: %s, want %s", text, row, v, want)
				}
			}
		}
	}
}

// Looking into a series by its milestones, and counting its dates, is what looking at
// every occurrence finds.
func TestByMilestone(t *testing.T) {
	r := rand.New(rand.NewPCG(15, 2))
	rules := []string{"monthly on 15, last then roll preceding", "fortnightly on fri from 2026-01-02", "monthly on last then (if month of nominal = 12 then 20 dec else nominal), roll preceding"}
	worlds := 10
	if testing.Short() {
		worlds = 1
	}
	for range worlds {
		env := plain
		env.Calendar = workdays.New("c", workdays.Weekend)
		s, err := NewSeries("pay", "", rules[r.IntN(3)], env)
		if err != nil {
			t.Fatal(err)
		}
		for i, text := range []string{"date, -5 working days", "", "later of date and previous_date, +20 days"} {
			if i == 1 {
				text = "if month of date = 3 then (date, -3 days)" // blank in all other months
			}
			if err := s.AddMilestone(fmt.Sprint("m", i), text, env); err != nil {
				t.Fatal(err)
			}
		}
		from, _ := civil.NewDate(2026, 6, 1)
		all := civil.Span{First: from - 900, Last: from + 1600}
		var list []*Occurrence
		for o, err := range s.Occurrences(all) {
			if err != nil {
				t.Fatal(err)
			}
			list = append(list, o)
		}
		env.FindSeries = func(string) (eval.Series, error) { return s, nil }
		env.Names = []string{"d", "e"}
		for range 10 * worlds {
			d := from + civil.Date(r.IntN(700))
			k := r.IntN(3)
			for _, way := range []struct {
				text     string
				back, on bool
			}{{"next pay by m%d", false, false}, {"previous pay by m%d", true, false}, {"pay by m%d on or after", false, true}, {"pay by m%d on or before", true, true}} {
				var best *Occurrence
				for _, o := range list {
					m := o.Milestone(k)
					if m.Kind == eval.Blank || !way.back && (m.Day < d || m.Day == d && !way.on) || way.back && (m.Day > d || m.Day == d && !way.on) {
						continue
					}
					if best == nil || !way.back && m.Day < best.Milestone(k).Day || way.back && m.Day >= best.Milestone(k).Day {
						best = o
					}
				}
				p, err := eval.Compile("d, "+fmt.Sprintf(way.text, k), nil, env)
				if err != nil {
					t.Fatal(err)
				}
				got, err := p.Eval([]eval.Value{eval.Day(d)})
				if err != nil || best == nil || got.Day != best.MovedTo {
					t.Fatalf("%s of %s in %s: %s %v, want %v", p.Text, d, s.RuleText, got, err, best)
				}
			}
			e := d + civil.Date(r.IntN(400)-150)
			n := map[string]int{}
			for _, o := range list {
				lo, hi, sign := d, e, 1
				if e < d {
					lo, hi, sign = e, d, -1
				}
				if o.MovedTo > lo && o.MovedTo <= hi {
					n["to"] += sign
				}
				if o.MovedTo >= lo && o.MovedTo <= hi {
					n["through"] += sign
				}
			}
			for word, want := range n {
				p, err := eval.Compile("pay dates from d "+word+" e", nil, env)
				if err != nil {
					t.Fatal(err)
				}
				if got, err := p.Eval([]eval.Value{eval.Day(d), eval.Day(e)}); err != nil || got.Num != int64(want) {
					t.Fatalf("%s from %s to %s: %s %v, want %d", p.Text, d, e, got, err, want)
				}
			}
		}
	}
}
