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

// randomOperand is a random date of a series: a name, or steps, or a choice among such.
func randomOperand(r *rand.Rand, names []string, deep int) string {
	pick := func(list ...string) string { return list[r.IntN(len(list))] }
	name := pick(names...)
	steps := func() string {
		n := r.IntN(9) + 1
		list := []string{
			fmt.Sprintf("+%d days", n*40), fmt.Sprintf("-%d days", n), fmt.Sprintf("-%d working days", n), fmt.Sprintf("+%d months", n),
			"roll preceding", "roll modified following", "end of month", "next fri", "lasting 3 working days",
		}
		text := pick(list...)
		if r.IntN(2) == 0 {
			text += ", roll " + pick("following", "nearest", "preceding")
		}
		return text
	}
	if deep == 0 {
		return pick(name, "("+name+", "+steps()+")")
	}
	a, b := randomOperand(r, names, deep-1), randomOperand(r, names, deep-1)
	return pick("("+name+", "+steps()+")", "(later of "+a+" and "+b+")", "(earlier of "+a+" and "+b+")",
		"(if month of nominal < "+fmt.Sprint(r.IntN(12)+1)+" then "+a+" else "+b+")", "(previous_date otherwise "+b+")", "("+a+", "+steps()+")")
}

// TestExplain_endsInTheTable holds what is reported about each date and milestone of random series to
// the dates themselves, and their reasons to what changed them.
func TestExplain_endsInTheTable(t *testing.T) {
	seeds, least := 540, 20_000
	if testing.Short() {
		seeds, least = 20, 400
	}
	dates := 0
	for seed := range seeds {
		r := rand.New(rand.NewPCG(uint64(seed), 7))
		_, cal := randomWorld(r)
		env := eval.Env{Calendar: cal}
		rules := []string{"monthly on 15, last then roll preceding", "monthly on last then 25th day of next month, roll following", "weekly on fri", "quarterly on last working day",
			"monthly on last then (if month of nominal = 12 then 20 dec else nominal), roll preceding", "fortnightly on mon from 2026-01-05 then -1 day, roll nearest"}
		s, err := NewSeries("pay", "", rules[r.IntN(len(rules))], env)
		if err != nil {
			t.Fatal(err)
		}
		names := []string{"date", "nominal", "previous_nominal", "period_start"}
		for i := range 3 {
			name := fmt.Sprintf("m%d", i)
			text := strings.TrimSuffix(strings.TrimPrefix(randomOperand(r, names, r.IntN(3)), "("), ")")
			if err := s.AddMilestone(name, text, env); err != nil {
				t.Fatalf("%q: %v", text, err)
			}
			names = append(names, name)
		}
		window := span("2027-01-01", "2027-06-30")
		inWindow := 0
		for o, err := range s.Occurrences(window.Widen(2500, 4500)) {
			if err != nil {
				t.Fatal(err)
			}
			for i, m := range s.Milestones {
				v := o.Milestone(i)
				if v.Kind == eval.Blank || !window.Contains(v.Day) {
					continue
				}
				inWindow++
				toldLast(t, s, o, m.Name, v)
				reason := o.Provenance[i].Reason()
				plain := slices.ContainsFunc(m.Program.Sources(), func(from eval.Source) bool { return o.Row[from.Slot].Day == v.Day })
				if reason == "" && v.Day != o.MovedTo && !plain {
					t.Fatalf("seed %d: %s of %s is %s by %q, without a reason", seed, m.Name, o.ID, v, m.Program.Text)
				}
			}
			if window.Contains(o.MovedTo) {
				inWindow++
				toldLast(t, s, o, "date", o.Value())
				if o.Reason() == "" && o.MovedTo != o.Date.Date || o.isMoved() != strings.Contains(o.Reason(), "rolled") {
					t.Fatalf("seed %d: the reason of %s, nominal %s, is %q", seed, o.Value(), o.Date.Date, o.Reason())
				}
			}
		}
		entries, _, err := Entries([]*Series{s}, window)
		if err != nil || len(entries) != inWindow {
			t.Fatalf("seed %d: %d entries where %d lie in the window, %v: %v", seed, len(entries), inWindow, err, s.Milestones)
		}
		dates += inWindow
	}
	if dates < least {
		t.Errorf("only %d dates were looked at", dates)
	}
}

// toldLast checks that what is reported about a date or milestone ends on it.
func toldLast(t *testing.T, s *Series, o *Occurrence, what string, v eval.Value) {
	t.Helper()
	e, err := s.Explain(v.Day, s.Calendar)
	list, ids := e.Lines, e.IDs
	if err != nil {
		t.Fatal(err)
	}
	at := -1
	var last *ExplanationLine
	for i := range list {
		if list[i].What == "date" && list[i].Step == "nominal" {
			at++
		}
		if at >= 0 && at < len(ids) && ids[at] == o.ID && list[i].What == what {
			last = &list[i]
		}
	}
	if last == nil || !last.Day.SameTime(v) {
		t.Fatalf("what is told of %s of %s ends in %+v, and it is %s:\n%v", what, o.ID, last, v, list)
	}
}

func span(first, last string) civil.Span {
	a, _, _ := civil.Parse(first)
	b, _, _ := civil.Parse(last)
	return civil.Span{First: a, Last: b}
}

// TestNumbersAndFirstPeriods holds the number of a date to a count within its year, the
// fiscal one for a fiscal cadence, and the period that a phrase says to the default one
// that it spells out, from the first date of a rule on.
func TestNumbersAndFirstPeriods(t *testing.T) {
	frame := civil.DefaultFiscalCalendar
	frame.FiscalMonth = 4
	env := eval.Env{Calendar: weekend(), Fiscal: frame}
	for _, rule := range []string{"monthly on 15, last from 2026-08-20", "fiscal-monthly on 5th working day", "fiscal-quarterly on last from 2026-05-03", "fortnightly on fri from 2026-06-05", "every 3 months from 2026-07-31",
		"weekly on mon, fri from 2026-07-29 until 2028-03-01", "yearly on 20 may from 2026-05-20"} {
		said, err := NewSeries("said", "", rule, env)
		if err == nil {
			err = said.SetPeriod("previous_nominal, +1 day", "nominal", env)
		}
		if err != nil {
			t.Fatal(err)
		}
		plain, _ := NewSeries("plain", "", rule, env)
		count := map[int]int{}
		yearOf := func(d civil.Date) int { return d.Year() }
		if strings.HasPrefix(rule, "fiscal") {
			yearOf = frame.FiscalYearOf
		}
		i := 0
		var want []*Occurrence
		for o := range plain.Occurrences(span("2025-01-01", "2028-12-31")) {
			want = append(want, o)
		}
		for o, err := range said.Occurrences(span("2025-01-01", "2028-12-31")) {
			if err != nil || i >= len(want) {
				t.Fatal(err)
			}
			if p := want[i]; o.Row[slotPeriodStart] != p.Row[slotPeriodStart] || o.Row[slotPeriodEnd] != p.Row[slotPeriodEnd] || o.Row[slotPeriodStart].Kind == eval.Blank {
				t.Errorf("%s: the period of %s is %v to %v, not %v to %v", rule, o.ID, o.Row[slotPeriodStart], o.Row[slotPeriodEnd], p.Row[slotPeriodStart], p.Row[slotPeriodEnd])
			}
			y := yearOf(o.Date.Date)
			if count[y]++; y > yearOf(want[0].Date.Date) && o.Row[slotNumber] != eval.Int(count[y]) {
				t.Errorf("%s: %s has the number %v, not %d", rule, o.ID, o.Row[slotNumber], count[y])
			}
			if i == 0 && said.ruleSpan().First > civil.Min && o.Row[slotPreviousDate].Kind != eval.Blank {
				t.Errorf("%s: the first date has the date %v before it", rule, o.Row[slotPreviousDate])
			}
			i++
		}
	}
}

// TestExplain_choices holds the reasons of choices to their words.
func TestExplain_choices(t *testing.T) {
	day := func(s string) civil.Date { d, _, _ := civil.Parse(s); return d }
	cal := weekend()
	env := eval.Env{Calendar: cal, Names: []string{"a", "b", "gone"}}
	row := []eval.Value{eval.Day(day("2027-05-15")), eval.Day(day("2027-05-20")), {}}
	for _, c := range []struct{ phrase, want, reason, last string }{
		{"later of a and b", "2027-05-20", `the later is b`, "the later is b"},
		{"earlier of (a, roll preceding) and b", "2027-05-14", "the earlier is a, roll preceding; Sat 2027-05-15 is closed (weekend); rolled preceding", "the earlier is a, roll preceding"},
		{"gone otherwise (b, +1 day)", "2027-05-21", "gone is blank: b, +1 day", "gone is blank: b, +1 day"},
		{"a otherwise b", "2027-05-15", "", ""},
		{"if day of a > 9 then (a, -1 day) else b", "2027-05-14", "if day of a > 9: a, -1 day", "if day of a > 9: a, -1 day"},
		{"(if day of a > 19 then a else b), +1 day", "2027-05-21", "else: b; +1 day", "+1 day"},
		{"earlier of (later of a and b) and (b, +1 month)", "2027-05-20", "the earlier is later of a and b; the later is b", "the earlier is later of a and b"},
	} {
		prog, err := eval.Compile(c.phrase, nil, env)
		if err != nil {
			t.Fatal(err)
		}
		var moves []eval.Move
		var v eval.Value
		if err := prog.EvalInto(row, &moves, &v); err != nil || v.String() != c.want || eval.Reasons(moves) != c.reason {
			t.Errorf("%s: %s with the reason %q, %v", c.phrase, v, eval.Reasons(moves), err)
		}
		if list := ExplainSteps("x", row[0], moves, v); c.last != "" && (list[len(list)-1].Step != c.last || !list[len(list)-1].Day.SameTime(v)) {
			t.Errorf("%s is told as %v", c.phrase, list)
		}
	}
}
