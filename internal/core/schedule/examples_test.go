package schedule

import (
	"strings"
	"testing"

	"yoyaku/internal/golden"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/workdays"
)

var plain = eval.Env{Fiscal: civil.DefaultFiscalCalendar, Calendar: workdays.New("plain", workdays.Weekend)}

func list(t *testing.T, rule, window string, env eval.Env) string {
	t.Helper()
	rec, err := eval.CompileRule(rule, env)
	if err != nil {
		t.Fatalf("%q: %v", rule, err)
	}
	w := civil.AllDays
	if window != "" {
		if w, err = eval.ParseWindow(window, env); err != nil {
			t.Fatal(err)
		}
	}
	var got []string
	for m, err := range Dates(rec, w) {
		if err != nil {
			t.Fatalf("%q: %v", rule, err)
		}
		got = append(got, m.MovedTo.String())
	}
	return strings.Join(got, " ")
}

// The language's worked examples for rules, and the corners of its text.
func TestRuleExamples(t *testing.T) {
	for _, c := range golden.Cases(t, "testdata/ruleexamples.cases", 3) {
		if got := list(t, c[0], c[1], plain); got != c[2] {
			t.Errorf("%s in %s:\n  %s, want\n  %s", c[0], c[1], got, c[2])
		}
	}
}

// The language's worked examples for steps.
func TestStepExamples(t *testing.T) {
	env := plain
	env.Names = []string{"base", "term", "none"}
	env.Fiscal = civil.FiscalCalendar{WeekStart: civil.Sunday, FiscalMonth: 4, FiscalDay: 6}
	for _, c := range golden.Cases(t, "testdata/stepexamples.cases", 3) {
		prog, err := eval.Compile(c[0], &phrase.Name{Text: "base"}, env)
		if err != nil {
			t.Errorf("%q: %v", c[0], err)
			continue
		}
		base, _, _ := civil.Parse(c[1])
		v, err := prog.Eval([]eval.Value{eval.Day(base), eval.Int(5), {}})
		if err != nil || v.String() != c[2] {
			t.Errorf("%s from %s is %s (%v), want %s", c[0], c[1], v, err, c[2])
		}
	}
	for _, text := range []string{"+1 day", "+1 month", "+9000 years", "+5 working days", "next fri", "end of next month", "lasting 9 days"} {
		prog, _ := eval.Compile(text, &phrase.Name{Text: "base"}, env)
		if v, err := prog.Eval([]eval.Value{eval.Day(civil.Max), {}, {}}); err == nil {
			t.Errorf("%s after 9999-12-31 is %s, not an error", text, v)
		}
	}
}

// Periods, numbers, neighbours and milestones of a series, and who is in which
// window.
func TestSeries(t *testing.T) {
	s, err := NewSeries("pay", "Pay day", "monthly on 15, last then roll preceding", plain)
	if err != nil {
		t.Fatal(err)
	}
	for _, m := range [][2]string{{"file", "date, -2 working days, at 16:30"}, {"check", "file, -1 working day"}, {"after", "next_nominal, +1 day"}} {
		if err := s.AddMilestone(m[0], m[1], plain); err != nil {
			t.Fatal(err)
		}
	}
	if err := s.AddMilestone("late", "unknown, +1 day", plain); err == nil {
		t.Error("an unknown name in a milestone is no error")
	}
	if s.Summary, err = s.NewTemplate("{title} {number}: {period-start}/{period_end} {file}", plain); err != nil {
		t.Fatal(err)
	}
	window, _ := eval.ParseWindow("2027-02-15..2027-03-02", plain)
	entries, _, err := Entries([]*Series{s}, window)
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, e := range entries {
		got = append(got, e.At.String()+" "+e.label()+" "+e.Event("x").UID)
	}
	want := []string{
		"2027-02-15 Pay day 3: 2027-02-01/2027-02-15 2027-02-11T16:30 pay.2027-02/15@x",
		"2027-02-16 Pay day 2: 2027-01-16/2027-01-31 2027-01-27T16:30: after pay.after.2027-01/last@x",
		"2027-02-23 Pay day 4: 2027-02-16/2027-02-28 2027-02-24T16:30: check pay.check.2027-02/last@x",
		"2027-02-24T16:30 Pay day 4: 2027-02-16/2027-02-28 2027-02-24T16:30: file pay.file.2027-02/last@x",
		"2027-02-26 Pay day 4: 2027-02-16/2027-02-28 2027-02-24T16:30 pay.2027-02/last@x",
		"2027-03-01 Pay day 3: 2027-02-01/2027-02-15 2027-02-11T16:30: after pay.after.2027-02/15@x",
	}
	if strings.Join(got, "\n") != strings.Join(want, "\n") {
		t.Errorf("entries are\n%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
	first := func(rule string) string {
		s, err := NewSeries("x", "", rule, plain)
		if err != nil {
			t.Fatal(err)
		}
		for o, err := range s.Occurrences(civil.Span{First: 730000, Last: civil.Max}) {
			if err != nil {
				t.Fatal(err)
			}
			return o.Row[slotPeriodStart].String() + ".." + o.Row[slotPeriodEnd].String()
		}
		return ""
	}
	for rule, want := range map[string]string{
		"fortnightly on fri from 2027-01-08":                  "2026-12-26..2027-01-08",
		"monthly on last from 2027-01-10":                     "2027-01-10..2027-01-31",
		"every 3 months back from 2028-05-31 from 2027-02-10": "2027-02-10..2027-02-28",
		"dates 2027-01-01, 2027-02-01":                        "..2027-01-01",
	} {
		if got := first(rule); got != want {
			t.Errorf("the first period of %s is %s, want %s", rule, got, want)
		}
	}
	if d, ok := s.After(window.First, false); !ok || d.String() != "2027-02-26" {
		t.Errorf("after 2027-02-15: %s", d)
	}
	if d, ok := s.Before(window.First, true); !ok || d.String() != "2027-02-15" {
		t.Errorf("on or before 2027-02-15: %s", d)
	}
}

// A date costs no allocation: a thousand years take no more than one.
func TestNoAllocationPerDate(t *testing.T) {
	rec, err := eval.CompileRule("monthly on 15, last then roll preceding", plain)
	if err != nil {
		t.Fatal(err)
	}
	plain.Calendar.CountBetween(700000, 1100000)
	cost := func(days civil.Date) float64 {
		return testing.AllocsPerRun(3, func() {
			if n := count(rec, civil.Span{First: 710000, Last: 710000 + days}); n < 24 {
				t.Fatal(n)
			}
		})
	}
	if one, thousand := cost(366), cost(366000); thousand > one {
		t.Errorf("%v allocations for a year, %v for a thousand", one, thousand)
	}
}

func count(rec *eval.Recurrence, window civil.Span) (n int) {
	for range Dates(rec, window) {
		n++
	}
	return n
}

func BenchmarkRolledDates(b *testing.B) {
	b.Run("baseline: a bare loop over months, weekends alone", func(b *testing.B) {
		n := 0
		for b.Loop() {
			n = 0
			first := civil.Date(740000)
			for m := range 12000 {
				last := first + civil.Date(civil.DaysIn(2027+m/12, m%12+1)) - 1
				for _, d := range [2]civil.Date{first + 14, last} {
					if w := d.Weekday(); w >= civil.Saturday {
						d -= civil.Date(w - civil.Friday)
					}
					n += int(d&1) | 1
				}
				first = last + 1
			}
		}
		b.ReportMetric(24000*float64(b.N)/b.Elapsed().Seconds()/1e6, "Mdates/s")
	})
	for _, rule := range []string{"monthly on 15, last then roll preceding", "fortnightly on fri from 2027-01-08", "every working day"} {
		rec, err := eval.CompileRule(rule, plain)
		if err != nil {
			b.Fatal(err)
		}
		plain.Calendar.CountBetween(740000, 740000+366000)
		b.Run(rule, func(b *testing.B) {
			b.ReportAllocs()
			n := 0
			for b.Loop() {
				n = count(rec, civil.Span{First: 740000, Last: 740000 + 365243})
			}
			b.ReportMetric(float64(n)*float64(b.N)/b.Elapsed().Seconds()/1e6, "Mdates/s")
		})
	}
}
