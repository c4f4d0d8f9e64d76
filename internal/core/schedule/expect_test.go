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

// What is reported about counts, gaps and days with two dates, against counting the dates of
// random rules by hand.
func TestExpectations(t *testing.T) {
	rules := uint64(600)
	if testing.Short() {
		rules = 30
	}
	for seed := range rules {
		r := rand.New(rand.NewPCG(seed, 11))
		w, cal := randomWorld(r)
		text, all := bruteRule(r, w)
		s, err := NewSeries("s", "", text, eval.Env{Fiscal: weekFrame, Calendar: cal})
		if err != nil {
			t.Fatal(err)
		}
		counts := map[string]Bounds{"per-month": {1, 1 + r.IntN(3)}, "per-quarter": {2, 4}, "per-year": {r.IntN(5), 12 + r.IntN(20)}}
		gap := Bounds{3 + r.IntN(20), 35 + r.IntN(60)}
		s.Expects = &Expectations{Counts: counts, Gap: &gap}
		first := civil.Date(738900 + r.IntN(300)) // 2024
		window := civil.Span{First: first, Last: first + civil.Date(200+r.IntN(900))}
		found, err := s.Check(window)
		if err != nil {
			t.Fatal(text, err)
		}
		var got, want []string
		for _, f := range found {
			if strings.HasPrefix(f.Key, "expect.") || strings.HasPrefix(f.Text, "two dates") {
				text := strings.TrimPrefix(f.Text, strings.TrimPrefix(f.Key, "expect.")+": ") // which it starts with
				got = append(got, f.Key+" "+f.At.String()+" "+strings.Fields(text)[0])
			}
		}
		// By hand: the moved dates, one after the other.
		var days []civil.Date
		for _, d := range all {
			day, _, _ := civil.Parse(d.moved.Format(isoDay))
			days = append(days, day)
		}
		own := civil.AllDays
		if s.Rules[0].Recurrence.Rule.From != civil.None {
			own.First = s.Rules[0].Recurrence.Rule.From
		}
		if !s.Rules[0].Recurrence.Rule.Endless() {
			own.Last = s.Rules[0].Recurrence.Rule.Span().Last
		}
		for key, keyOf := range map[string]func(y, m int) string{
			"per-month": func(y, m int) string { return fmt.Sprintf("%04d-%02d", y, m) }, "per-quarter": func(y, m int) string { return fmt.Sprintf("%04d-Q%d", y, (m+2)/3) },
			"per-year": func(y, _ int) string { return fmt.Sprintf("%04d", y) }} {
			n, cut, touched := map[string]int{}, map[string]bool{}, map[string]bool{}
			for d := civil.Date(738500); d < 740700; d++ {
				y, m, _ := d.YMD()
				k := keyOf(y, m)
				touched[k] = touched[k] || window.Contains(d)
				cut[k] = cut[k] || !own.Contains(d)
				for _, at := range days {
					if at == d {
						n[k]++
					}
				}
			}
			for k := range touched {
				if b := counts[key]; touched[k] && (n[k] > b.Max || n[k] < b.Min && !cut[k]) {
					want = append(want, "expect."+key+"  "+k)
				}
			}
		}
		for i := 1; i < len(days); i++ {
			a, b := days[i-1], days[i]
			if n := int(b - a); (window.Contains(a) || window.Contains(b)) && (n < gap.Min || n > gap.Max) {
				want = append(want, fmt.Sprintf("expect.gap %s %d", b, n))
			}
			if a == b && window.Contains(a) {
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

// A period that begins and ends with the rule is whole: too few dates in it are too few.
func TestExpectedOfWholePeriods(t *testing.T) {
	window := civil.Span{First: 739982, Last: 740346} // 2027
	for until, want := range map[string]int{"2027-12-31": 12, "2027-12-30": 11} {
		s, err := NewSeries("s", "", "monthly on 10 from 2027-01-01 until "+until, eval.Env{Fiscal: civil.DefaultFiscalCalendar, Calendar: weekend()})
		if err != nil {
			t.Fatal(err)
		}
		s.Expects = &Expectations{Counts: map[string]Bounds{"per-month": {2, 3}}}
		found, err := s.Check(window)
		found = slices.DeleteFunc(found, func(f Finding) bool { return f.Key != "expect.per-month" })
		if err != nil || len(found) != want {
			t.Errorf("until %s: %d months have too few dates, want %d; %v %v", until, len(found), want, found, err)
		}
	}
}

// A milestone that is blank once is noted, with how many dates there are.
func TestMilestones_blankOnce(t *testing.T) {
	for until, want := range map[string]string{"2027-03-31": "m is blank for 1 of 2 dates", "2027-02-28": "m is blank for 1 of 1 date"} {
		s, err := NewSeries("s", "", "monthly on 1", eval.Env{Fiscal: civil.DefaultFiscalCalendar, Calendar: weekend()})
		if err == nil {
			err = s.AddMilestone("m", "date, 5th mon of month", eval.Env{Fiscal: civil.DefaultFiscalCalendar, Calendar: weekend()}) // March 2027 has five
		}
		if err != nil {
			t.Fatal(err)
		}
		last, _, _ := civil.Parse(until)
		found, err := s.Check(civil.Span{First: 740013, Last: last})
		if err != nil || !slices.ContainsFunc(found, func(f Finding) bool { return f.Text == want }) {
			t.Errorf("until %s: %v, want %q; %v", until, found, want, err)
		}
	}
}

// Periods that overlap or leave days out are noted, each as often as it is so.
func TestPeriods_aroundWindow(t *testing.T) {
	env := eval.Env{Fiscal: civil.DefaultFiscalCalendar, Calendar: weekend()}
	for start, want := range map[string][2]string{"previous_nominal, +1 day": {}, "previous_nominal": {"1 period overlaps the one before; the first are 2027-01-01..2027-02-01 and 2027-02-01..2027-03-01",
		"2 periods overlap the one before; the first are 2027-01-01..2027-02-01"}, "previous_nominal, +2 days": {"1 stretch of days lies in no period; the first is 2027-02-02..2027-02-02",
		"2 stretches of days lie in no period; the first is 2027-02-02..2027-02-02"}} {
		s, err := NewSeries("s", "", "monthly on 1", env)
		if err == nil {
			err = s.SetPeriod(start, "nominal", env)
		}
		if err != nil {
			t.Fatal(err)
		}
		lasts := []civil.Date{740041, 740072} // 1 March and 1 April 2027
		if start == "previous_nominal" {      // the period that begins on the last day counts, too
			lasts = []civil.Date{740040, 740041}
		}
		for i, last := range lasts {
			found, err := s.Check(civil.Span{First: 740013, Last: last})
			told := ""
			for _, f := range found {
				if f.Key == "period" {
					told += f.Text
				}
			}
			if err != nil || !strings.HasPrefix(told, want[i]) || want[i] == "" && told != "" {
				t.Errorf("%s through %s: %q, want %q; %v", start, last, told, want[i], err)
			}
		}
	}
}

// Releasing again supersedes what moved of this plan alone, and nothing twice.
func TestBreaches_otherPlans(t *testing.T) {
	row := func(plan string, superseded civil.Date) Released {
		return Released{Plan: plan, Series: "pay", What: "date", ID: "2027-03", At: eval.Day(740050), ReleasedOn: 739000, Superseded: superseded}
	}
	rows := []Released{row("p", 739500), row("q", civil.None), row("p", civil.None)}
	held := Breach{Series: "pay", What: "date", ID: "2027-03", Now: eval.Day(740051), Row: &rows[2]}
	all, changes := Release(rows, nil, []Breach{held}, Released{Plan: "p", ReleasedOn: 739800})
	if len(changes) != 1 || len(all) != 4 || all[0].Superseded != 739500 || !all[1].IsCurrent() || all[2].Superseded != 739800 || !all[3].IsCurrent() || all[3].At != held.Now || all[3].Plan != "p" {
		t.Errorf("%v\n%v", all, changes)
	}
}

// What a check finds, and what it doesn't: milestones in whatever order are fine; an empty
// window isn't; and dates elsewhere are those outside of the window alone.
func TestFindings(t *testing.T) {
	env := eval.Env{Fiscal: civil.DefaultFiscalCalendar, Calendar: weekend()}
	first, _ := civil.NewDate(2027, 1, 1)
	year := civil.Span{First: first, Last: first + 364}
	for _, c := range []struct{ rule, milestone, want string }{
		{"monthly on 15", "date, -1 working day", ""}, // one day or three before
		{"monthly on 10", "nominal, 15th day of this month, +0 days", ""},
		{"monthly on 1, 2, 28", "nominal, 10th day of this month", ""},
		{"yearly on 29 feb from 2028-01-01", "", "no dates from 2027-01-01 to 2027-12-31"},
	} {
		s, err := NewSeries("s", "", c.rule, env)
		for _, name := range []string{"first", "m"} { // one that is always in order, and this
			phrase := c.milestone
			if name == "first" {
				phrase = "date, -40 days"
			}
			if err == nil && phrase != "" {
				err = s.AddMilestone(name, phrase, env)
			}
		}
		if err != nil {
			continue // a form that this language has not
		}
		found, err := s.Check(year)
		if err != nil {
			t.Fatal(err)
		}
		var texts []string
		for _, f := range found {
			if !f.IsNote {
				texts = append(texts, f.Text)
			}
		}
		if text := strings.Join(texts, "; "); (c.want == "") != (text == "") || !strings.Contains(text, c.want) {
			t.Errorf("%s, %s: %q, want %q", c.rule, c.milestone, text, c.want)
		}
	}
	s, err := NewSeries("pay", "", "monthly on last", env)
	if err == nil {
		err = s.SetPeriod("", "nominal, +1 day", env)
	}
	if err != nil {
		t.Fatal(err)
	}
	elsewhere := FindOutside([]*Series{s}, year, false, func(*Series) string { return "p" })
	for uid, want := range map[string]bool{"pay.2027-03/last@p": false, "pay.2028-03/last@p": true, "pay.2026-12/last@p": true, "pay.2031-01/last@p": false} {
		if _, ok := elsewhere(uid); ok != want {
			t.Errorf("%s elsewhere: %t", uid, ok)
		}
	}
	for o, err := range s.Occurrences(civil.Span{First: first, Last: first + 31}) {
		if end := o.Row[slotPeriodEnd]; err != nil || end.Day != o.Date.Date+1 {
			t.Errorf("a period ends %s, %v", end, err)
		}
	}
}

func weekend() *workdays.Calendar {
	return workdays.New("weekend", workdays.WeekdaySet(0).With(civil.Saturday).With(civil.Sunday))
}

// A date of another series: of the same id, else the last in the period of the series' own
// cadence, and an error if the other's cadence isn't the shorter one.
func TestRelated(t *testing.T) {
	for _, c := range []struct{ own, other, want string }{
		{"monthly on 20", "monthly on 5", "2027-03-05 2027-04-05"}, {"monthly on 5, 20", "monthly on 20 then +1 day", "2027-03-21 2027-03-21 2027-04-21 2027-04-21"},
		{"every 2 months on 1 from 2027-01-01", "monthly on 5", "2027-04-05"}, {"every 3 months on 1 from 2027-03-01", "every 2 months on 9 from 2027-01-09", "2027-05-09"},
		{"quarterly on day 5", "monthly on 15", "2027-06-15"}, {"monthly on last", "quarterly on last", "2027-03-31 -"}, {"monthly on last", "monthly on 5, 9", "several dates between 2027-03-01 and 2027-03-31"},
		{"every 2 months on 1 from 2027-01-01", "every 2 months on 5, 9 from 2027-01-05", "several dates"}, {"monthly on 20", "dates 2027-03-02, 2027-04-09", "2027-03-02 2027-04-09"},
	} {
		env := eval.Env{Fiscal: civil.DefaultFiscalCalendar, Calendar: weekend()}
		other, err := NewSeries("other", "", c.other, env)
		if err != nil {
			t.Fatal(err)
		}
		s, err := NewSeries("s", "", c.own, env)
		if err != nil {
			t.Fatal(err)
		}
		env.FindRelated = func(_, what string) (eval.RelatedDate, error) { return s.Related(other, what) }
		if err := s.AddMilestone("m", "other.date", env); err != nil {
			t.Fatal(err)
		}
		var got []string
		for o, err := range s.Occurrences(civil.Span{First: 740041, Last: 740101}) { // March and April 2027
			if err != nil {
				got = append(got, err.Error())
				break
			}
			got = append(got, cmp.Or(o.Milestone(0).String(), "-"))
		}
		if text := strings.Join(got, " "); !strings.Contains(text, c.want) || !strings.Contains(c.want, "several") && text != c.want {
			t.Errorf("%s beside %s: %s, want %s", c.other, c.own, text, c.want)
		}
	}
}

// What differs from what was released: moved, gone, new, and the same day under another id.
func TestBreachesOfAllKinds(t *testing.T) {
	s, err := NewSeries("pay", "", "monthly on 15", eval.Env{Fiscal: civil.DefaultFiscalCalendar, Calendar: weekend()})
	if err != nil {
		t.Fatal(err)
	}
	row := func(id, at string) Released {
		d, _, _ := civil.Parse(at)
		return Released{Series: "pay", What: "date", ID: id, At: eval.Day(d), From: 740041, Through: 740162} // March to June
	}
	window := civil.Span{First: 740041, Last: 740162}
	for _, c := range []struct {
		rows []Released
		want string
	}{
		{[]Released{row("2027-03/15", "2027-03-15"), row("2027-04/15", "2027-04-15"), row("2027-05/15", "2027-05-15"), row("2027-06/15", "2027-06-15")}, ""},
		{[]Released{row("2027-03/mid", "2027-03-15"), row("2027-04/15", "2027-04-14"), row("2027-05/x", "2027-05-01"), row("2027-06/15", "2027-06-15")},
			"2027-03/mid renamed 2027-03/15; 2027-04/15 moved ; 2027-05/15 released ; 2027-05/x gone "},
		{[]Released{row("2027-04/15", "2027-04-15"), row("2027-05/15", "2027-05-15"), row("2027-06/15", "2027-06-15")}, "2027-03/15 released "},
	} {
		list, err := Breaches(c.rows, func(string) bool { return true }, func(string) *Series { return s }, window)
		var got []string
		for _, b := range list {
			got = append(got, fmt.Sprint(b.ID, " ", b.Change(), " ", b.Other))
		}
		slices.Sort(got)
		if text := strings.Join(got, "; "); err != nil || text != c.want {
			t.Errorf("%s, want %s; %v", text, c.want, err)
		}
	}
}
