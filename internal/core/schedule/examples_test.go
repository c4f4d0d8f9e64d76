package schedule

import (
	"strings"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/workdays"
)

var plain = eval.Env{Frame: civil.DefaultFrame, Calendar: workdays.New("plain", workdays.Weekend)}

func list(t *testing.T, rule, window string, env eval.Env) string {
	t.Helper()
	rec, err := eval.CompileRule(rule, env)
	if err != nil {
		t.Fatalf("%q: %v", rule, err)
	}
	w := civil.Always
	if window != "" {
		if w, err = eval.Window(window, env); err != nil {
			t.Fatal(err)
		}
	}
	var got []string
	for m, err := range Dates(rec, w) {
		if err != nil {
			t.Fatalf("%q: %v", rule, err)
		}
		got = append(got, m.To.String())
	}
	return strings.Join(got, " ")
}

// The language's worked examples for rules, and the corners of its text.
func TestRuleExamples(t *testing.T) {
	for _, c := range [][3]string{
		{"monthly on 15, last then roll preceding", "2027-Q1", "2027-01-15 2027-01-29 2027-02-15 2027-02-26 2027-03-15 2027-03-31"},
		{"monthly on last then 25th day of next month, roll following", "2027-Q1", "2027-01-25 2027-02-25 2027-03-25"},
		{"every 3 months back from 2028-05-31 from 2027-02-10", "", "2027-02-28 2027-05-31 2027-08-31 2027-11-30 2028-02-29 2028-05-31"},
		{"yearly on easter then -2 days", "2027", "2027-03-26"},
		{"monthly from 2027-01-31 5 times", "", "2027-01-31 2027-02-28 2027-03-31 2027-04-30 2027-05-31"},
		{"quarterly from 2027-02-28 3 times", "", "2027-02-28 2027-05-28 2027-08-28"},
		{"yearly from 2028-02-29 until 2032-12-31", "", "2028-02-29 2029-02-28 2030-02-28 2031-02-28 2032-02-29"},
		{"monthly on 31 skipping short months", "2027-H1", "2027-01-31 2027-03-31 2027-05-31"},
		{"monthly on 5th fri", "2027-H1", "2027-01-29 2027-04-30"},
		{"monthly on 30, last", "2027-02", "2027-02-28"},
		{"fortnightly on fri from 2027-01-08", "2027-01", "2027-01-08 2027-01-22"},
		{"every 2 months on 5 from 2027-01-10", "2027-H1", "2027-02-05 2027-04-05 2027-06-05"},
		{"every 2 months on 31 from 2027-02-01 skipping short months", "2027", "2027-03-31 2027-05-31 2027-07-31"},
		{"yearly on 1 jan then roll preceding", "2027-12", "2027-12-31"}, // 2028-01-01 is a Saturday
		{"yearly on mon of week 1, 31 dec", "2025..2026", "2025-12-29 2025-12-31 2026-12-31"},
		{"yearly on mon of week 53", "2020..2030", "2020-12-28 2026-12-28"},
		{"every working day in jan from 2027-01-28 until 2028-01-04", "", "2027-01-28 2027-01-29 2028-01-03 2028-01-04"},
		{"every 10 working days from 2027-01-02", "2027-02", "2027-02-01 2027-02-15"},
		{"every 10 working days back from 2027-02-28 3 times", "", "2027-01-29 2027-02-12 2027-02-26"},
		{"yearly on 1 may then lasting 600 weeks", "2037-10", "2037-10-29"},
		{"yearly on 15 jan then easter", "2027-03..2027-05", "2027-03-28"},
		{"daily from 2027-12-30 3 times", "", "2027-12-30 2027-12-31 2028-01-01"},
		{"every 100 days from 2027-01-01", "2027", "2027-01-01 2027-04-11 2027-07-20 2027-10-28"},
		{"weekly on mon, wed from 2027-01-05 4 times leaving out 2027-01-06 plus 2027-01-11, 2027-01-09", "", "2027-01-09 2027-01-11 2027-01-13 2027-01-18"},
		{"dates 2027-05-01, 2027-03-01, 2027-05-01 then roll following", "", "2027-03-01 2027-05-03"},
		{"yearly on 30 apr then +1 year", "9998..9999", "9998-04-30 9999-04-30"},
		{"weekly on sat-mon", "2027-W01", "2027-01-04 2027-01-09 2027-01-10"},
		{"rrule FREQ=MONTHLY;BYDAY=-1FR", "2027-Q1", "2027-01-29 2027-02-26 2027-03-26"},
		{"rrule FREQ=WEEKLY;INTERVAL=2;COUNT=4;BYDAY=TU,SU;WKST=SU from 1997-08-06 leaving out 1997-08-17 plus 1997-09-01 then +1 day", "", "1997-08-20 1997-09-01 1997-09-02 1997-09-03"},
		{"rrule FREQ=MONTHLY;BYMONTHDAY=13 from 2027-01-01", "2027-01", "2027-01-13"},
		{"rrule FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30", "", ""},
		{"yearly on 1st fri of year, day 366, last day of feb", "2027", "2027-01-01 2027-02-28 2027-12-31"},
		{"quarterly on 15 of month 2, last of month 1", "2027-H1", "2027-01-31 2027-02-15 2027-04-30 2027-05-15"},
		{"monthly on 1-3, 2", "2027-02", "2027-02-01 2027-02-02 2027-02-03"},
		{"half-yearly on middle", "2027", "2027-04-01 2027-09-30"},
		{"every 1000000 days from 0001-01-01", "", "0001-01-01 2738-11-29 5476-10-25 8214-09-22"},
		{"every 3652059 weeks on mon from 0001-01-01", "", "0001-01-01"},
	} {
		if got := list(t, c[0], c[1], plain); got != c[2] {
			t.Errorf("%s in %s:\n  %s, want\n  %s", c[0], c[1], got, c[2])
		}
	}
}

// The language's worked examples for steps.
func TestStepExamples(t *testing.T) {
	env := plain
	env.Names = []string{"base", "term", "none"}
	env.Frame = civil.Frame{WeekStart: civil.Sunday, FiscalMonth: 4, FiscalDay: 6}
	for _, c := range [][3]string{
		{"+1 month", "2027-01-31", "2027-02-28"}, {"+1 year 1 month", "2028-02-29", "2029-03-29"},
		{"+1 month keep month end", "2027-02-28", "2027-03-31"}, {"+1 month keep month end", "2027-02-27", "2027-03-27"},
		{"lasting 12 months", "2027-09-13", "2028-09-12"}, {"lasting 12 months", "2028-02-29", "2029-02-28"},
		{"lasting 12 months", "2027-02-01", "2028-01-31"}, {"lasting 1 month", "2027-01-31", "2027-02-28"},
		{"lasting 1 month", "2027-01-29", "2027-02-28"}, {"lasting 1 month", "2027-01-28", "2027-02-27"},
		{"lasting 1 month", "9999-12-01", "9999-12-31"}, {"+12 months, end of month", "2027-09-13", "2028-09-30"},
		{"start of next month, lasting 12 months", "2027-05-14", "2028-05-31"}, {"end of month, +30 days", "2027-05-14", "2027-06-30"},
		{"1st mon of next month", "2027-06-20", "2027-07-05"}, {"previous sun", "2027-05-30", "2027-05-23"},
		{"sun on or before", "2027-05-30", "2027-05-30"}, {"lasting 6 working days", "2027-06-03", "2027-06-10"},
		{"+6 working days", "2027-06-03", "2027-06-11"}, {"+0 working days", "2027-06-05", "2027-06-05"},
		{"start of week", "2027-03-31", "2027-03-28"}, {"start of fiscal year", "2027-04-05", "2026-04-06"},
		{"end of fiscal quarter", "2027-04-05", "2027-04-05"}, {"middle of next fiscal month", "2027-04-05", "2027-04-20"},
		{"29 feb", "2027-06-01", "2027-02-28"}, {"next 29 feb", "2028-02-29", "2029-02-28"},
		{"previous 25 dec", "2027-12-25", "2026-12-25"}, {"25 dec on or after", "2027-12-25", "2027-12-25"},
		{"easter", "2027-06-01", "2027-03-28"}, {"next easter", "2027-03-28", "2028-04-16"}, {"5th mon of month", "2027-02-10", ""},
		{"40th day of month", "2027-02-10", "2027-02-28"}, {"+term months", "2027-01-31", "2027-06-30"}, {"+none months", "2027-01-31", ""},
		{"lasting term weeks", "2027-01-31", "2027-03-06"}, {"at 16:30", "2027-01-31", "2027-01-31T16:30"},
		{"anniversary on or after 2027-01-01", "2024-02-29", "2027-02-28"}, {"anniversary on or after 2027-01-01", "2029-05-01", "2029-05-01"},
		{"anniversary after 2027-05-01", "2020-05-01", "2028-05-01"}, {"anniversary on or before 2027-04-30", "2020-05-01", "2026-05-01"},
		{"anniversary on or before 2027-04-30", "2028-05-01", ""}, {"roll nearest", "2027-01-02", "2027-01-01"}, {"roll nearest", "2027-01-03", "2027-01-04"},
	} {
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
	if s.Summary, err = s.NewTemplate("{title} {number}: {period-start}/{period_end} {file}"); err != nil {
		t.Fatal(err)
	}
	window, _ := eval.Window("2027-02-15..2027-03-02", plain)
	entries, _, err := Entries([]*Series{s}, window)
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, e := range entries {
		got = append(got, e.At.String()+" "+e.Label()+" "+e.Event("x").UID)
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
	plain.Calendar.Between(700000, 1100000)
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
		plain.Calendar.Between(740000, 740000+366000)
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
