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

// The nearest dates of a series, asked in any order, are those that listing all
// of them gives.
func TestNearestDates(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 7))
	for _, rule := range []string{
		"monthly on 15, last then roll preceding",
		"every 3 months on 31 from 2027-01-31 then +10 working days",
		"yearly on 29 feb skipping short months",
		"monthly on 2nd tue then 5th fri of month",
		"dates 2027-03-01, 2027-03-02, 2030-01-01",
		"fortnightly on fri from 2027-01-08 until 2028-06-30",
		"yearly on easter then -50 days",
		"daily",
		"every working day then +3 working days",
	} {
		s, err := NewSeries("s", "", rule, plain)
		if err != nil {
			t.Fatal(err)
		}
		world, _ := eval.ParseWindow("2015..2045", plain)
		var all []civil.Date
		for m := range Dates(s.Rules[0].Recurrence, world) {
			all = append(all, m.MovedTo)
		}
		for range 400 {
			d := world.First + 3000 + civil.Date(r.IntN(world.Len()-6000))
			on := r.IntN(2) == 0
			var before, after civil.Date
			for _, x := range all {
				if x < d || on && x == d {
					before = x
				}
				if after == civil.None && (x > d || on && x == d) {
					after = x
				}
			}
			got, ok := s.After(d, on)
			if ok != (after != civil.None) || got != after {
				t.Fatalf("%s: after %s (%v) is %s, want %s", rule, d, on, got, after)
			}
			if got, ok = s.Before(d, on); ok != (before != civil.None) || got != before {
				t.Fatalf("%s: before %s (%v) is %s, want %s", rule, d, on, got, before)
			}
		}
		for i, x := range all[1 : len(all)-1] { // none is lost where one stretch meets the next
			if got, ok := s.After(all[i], false); ok && x > all[i] && got != x {
				t.Fatalf("%s: after %s comes %s, want %s", rule, all[i], got, x)
			}
		}
	}
}

// Series that look into each other make each date once: ten of them cost about
// as many dates as one, ten times.
func TestSeriesInAChain(t *testing.T) {
	env := plain
	series := map[string]*Series{}
	env.FindSeries = func(name string) (eval.Series, error) {
		if s := series[name]; s != nil {
			return s, nil
		}
		return nil, nil
	}
	var last *Series
	for i := range 10 {
		rule := "monthly on last working day"
		if i > 0 {
			rule = fmt.Sprintf("monthly on %d then next s%d", i+5, i-1)
		}
		s, err := NewSeries(fmt.Sprint("s", i), "", rule, env)
		if err != nil {
			t.Fatal(err)
		}
		series[s.Name], last = s, s
	}
	window, _ := eval.ParseWindow("2027", env)
	n := 0
	for m, err := range Dates(last.Rules[0].Recurrence, window) {
		if err != nil || m.MovedTo <= m.Date.Date {
			t.Fatalf("%v %v", m, err)
		}
		n++
	}
	made := 0
	for _, s := range series {
		made += len(s.dateCache.dates)
	}
	if n != 12 || made > 10*12*40 {
		t.Errorf("%d dates in the year, %d made for it", n, made)
	}
}

// What a calendar doesn't know is noted once for each occurrence, whoever lists
// it, and passes from a series to one that looks into it.
func TestProvisionalDates(t *testing.T) {
	cal := workdays.New("short", workdays.Weekend)
	known, _ := eval.ParseWindow("2020..2027", plain)
	cal.Coverage = known
	env := plain
	env.Calendar = cal
	pay, err := NewSeries("pay", "", "monthly on 15 then roll preceding", env)
	if err != nil {
		t.Fatal(err)
	}
	if err := pay.AddMilestone("file", "date, -2 working days", env); err != nil {
		t.Fatal(err)
	}
	if err := pay.AddMilestone("after", "date, +20 working days", env); err != nil {
		t.Fatal(err)
	}
	window, _ := eval.ParseWindow("2027-10..2028-03", env)
	for range 2 {
		columns, lines := OccurrenceTable(pay, window)
		rows := 0
		for cells, err := range lines {
			if rows++; err != nil || len(cells) != len(columns) {
				t.Fatal(err)
			}
		}
		entries, cut, err := Entries([]*Series{pay}, window)
		if err != nil || rows != 6 || len(entries) != 18 || cut != 2 {
			t.Fatalf("%d rows, %d entries, %d cut, %v", rows, len(entries), cut, err)
		}
	}
	// December's last milestone lies in 2028 and so do three dates and April's
	// file, whose date lies past the window.
	if _, after := cal.Misses(); after != 4 {
		t.Errorf("noted %d occurrences", after)
	}
	// What is reported about one date is noted for that date alone.
	for day, want := range map[string]int{"2027-06-15": 0, "2027-06-20": 0, "2029-06-15": 1, "2029-06-20": 1} {
		other := workdays.New("other", workdays.Weekend)
		other.Coverage = known
		env.Calendar = other
		of, err := NewSeries("of", "", "monthly on 15 then roll preceding", env)
		if err != nil {
			t.Fatal(err)
		}
		d, _, _ := civil.Parse(day)
		e, err := of.Explain(d, other)
		list := e.Lines
		e.RecordUncovered()
		if nominal := strings.HasSuffix(day, "15"); nominal != strings.Contains(list[0].Reason, "-06, 15; id ") {
			t.Errorf("why %s: %s", day, list[0].Reason)
		}
		if _, after := other.Misses(); err != nil || len(list) == 0 || after != want {
			t.Errorf("why %s: %v, noted %d, want %d, %v", day, list, after, want, err)
		}
	}
	env.Calendar = cal
	env.FindSeries = func(string) (eval.Series, error) { return pay, nil }
	prog, err := eval.Compile("2028-02-01, next pay", nil, env)
	if err != nil {
		t.Fatal(err)
	}
	if v, err := prog.Eval(nil); err != nil || !v.Provisional || v.String() != "2028-02-15" {
		t.Errorf("the next pay is %s, unsure %v, %v", v, v.Provisional, err)
	}
	// So does what a notice, a choice or the steps of a cell asked.
	for _, text := range []string{"2027-01-31, lasting 12 months renewing every 12 months noticed (-1 month, roll following) on or after 2028-05-01",
		"later of (2028-03-04, roll following) and 2027-01-01", "earlier of (2028-03-04, roll following) and 2027-01-01", "(2028-03-04, roll following), -400 days",
		"2027-03-04, anniversary on or after (2028-03-04, roll following)"} {
		if prog, err = eval.Compile(text, nil, env); err != nil {
			t.Fatal(err)
		}
		_, before := cal.Misses()
		v, err := prog.Eval(nil)
		if _, after := cal.Misses(); err != nil || !v.Provisional || after != before+1 {
			t.Errorf("%s gives %s, unsure %v, noted %d times, %v", text, v, v.Provisional, after-before, err)
		}
	}
	before := pay.Milestones
	if err := pay.AddMilestone("choice", "later of (date, roll following, -5 days) and (date, +90 days, roll following)", env); err != nil {
		t.Fatal(err)
	}
	for o, err := range pay.Occurrences(window) {
		if why := o.Provenance[len(before)]; err != nil || !strings.HasSuffix(why.Reason(), "holidays unknown after 2027-12-31") {
			t.Errorf("%s: %q, %v", o.Value(), why.Reason(), err)
		}
	}
	pay.Milestones = before
	sum, err := Summarise(pay, window, window.First)
	if err != nil || sum.Warnings != 1 || sum.Dates != 6 || sum.First.String() != "2027-10-15" || sum.Last.String() != "2028-03-15" || sum.Next != sum.First || sum.Moved != 1 {
		t.Errorf("the summary is %+v, %v", sum, err)
	}
}

// A nominal date for which the steps give none bounds periods all the same,
// whatever the window.
func TestBlanksBoundPeriods(t *testing.T) {
	s, err := NewSeries("s", "", "monthly on 10 then 5th fri of month", plain)
	if err != nil {
		t.Fatal(err)
	}
	for _, window := range []string{"2027", "2027-04..2027-12", "2027-07"} {
		w, _ := eval.ParseWindow(window, plain)
		for o, err := range s.Occurrences(w) {
			if err != nil {
				t.Fatal(err)
			}
			y, m, _ := o.Date.Date.YMD()
			before, _ := civil.MonthDay(civil.MonthIndex(y, m)-1, 10)
			if got := o.Row[slotPreviousNominal].Day; got != before || o.Row[slotPeriodStart].Day != before+1 || int(o.Row[slotNumber].Num) != m {
				t.Errorf("%s: before %s comes %s, its period begins %s, number %s", window, o.Date.Date, got, o.Row[slotPeriodStart], o.Row[slotNumber])
			}
		}
		want := map[string]int{"2027": 7, "2027-04..2027-12": 5, "2027-07": 0}[window]
		if n := s.Blanks(w); n != want {
			t.Errorf("%s: %d blanks, want %d", window, n, want)
		}
	}
}

// What changed between two schedules, by who the dates are, counted and listed.
func TestDifferences(t *testing.T) {
	schedule := func(text string) (list []Event) { // WHAT ID DAY TITLE, …
		for _, part := range strings.Split(text, ", ") {
			if f := strings.Fields(part); len(f) == 4 {
				d, _, _ := civil.Parse("2027-01-" + f[2])
				list = append(list, Event{Series: "pay", What: f[0], ID: f[1], At: eval.Day(d), Summary: f[3], Description: "so"})
			}
		}
		return list
	}
	const was = "date a 01 x, date b 02 x, date c 03 x, bank-file c 02 x, date far 31 x"
	for _, c := range [][3]string{ // now; the words, of occurrences too; the rows
		{was, "same dates, other details|same dates, other details", ""},
		{"date c 03 x, bank_file c 02 x, date b 02 x, date a 01 x, date far 30 x", "same dates, other details|same dates, other details", ""},
		{"date a 09 x, date b 02 y, date c 04 x, bank-file c 03 x, date far 31 x", "3 moved, 1 changed|2 moved, 1 changed", "moved a 8 so; changed b 0 title: x → y; moved c 1 so; moved c 1 so"},
		{"date a 09 y, date b 02 x, date d 05 x, date far 31 x", "1 changed, 1 added, 2 gone|1 changed, 1 added, 1 gone", "changed a 8 date: 2027-01-01 → 2027-01-09; title: x → y; added d  so; gone c  ; gone c  "},
	} {
		list, tally := Differences(schedule(was), schedule(c[0]), func(e Event) bool { return e.ID != "far" })
		var rows []string
		for _, d := range list {
			cells := d.Cells()
			rows = append(rows, d.Change+" "+d.ID+" "+cells[6].String()+" "+d.Detail)
		}
		if words := tally.Summary() + "|" + TallyRows(list).Summary(); words != c[1] || strings.Join(rows, "; ") != c[2] || tally.Differ() != (list != nil) {
			t.Errorf("%s: %s\n%q, want %s\n%q", c[0], words, strings.Join(rows, "; "), c[1], c[2])
		}
	}
}

// A rule's properties by RFC 5545, section 3.8.5, or why there are none.
func TestExportProperties(t *testing.T) {
	for _, c := range [][2]string{
		{"daily", "RRULE:FREQ=DAILY"},
		{"monthly on 15, last from 2027-01-15 leaving out 2027-01-31 plus 2027-02-01, 2027-02-02", "RRULE:FREQ=MONTHLY;BYMONTHDAY=15,-1 DTSTART:20270115 EXDATE:20270131 RDATE:20270201,20270202"},
		{"rrule FREQ=MONTHLY;BYDAY=-1FR from 2027-01-29", "RRULE:FREQ=MONTHLY;BYDAY=-1FR DTSTART:20270129"},
		{"monthly on last then roll following", "RRULE:there is no exact RRULE, because a rule there can't move its dates (roll following) RRULE of the nominal dates:FREQ=MONTHLY;BYMONTHDAY=-1"},
		{"weekly on mon from 2027-01-04 6 times leaving out 2027-01-10..2027-01-20, 2027-01-26", "RRULE:FREQ=WEEKLY;BYDAY=MO;COUNT=6 DTSTART:20270104 EXDATE:20270111,20270118"},
		{"monthly on 15 from 2027-01-01 until 2027-06-30 leaving out closed days, 2027-01-15", "RRULE:FREQ=MONTHLY;BYMONTHDAY=15;UNTIL=20270630 DTSTART:20270115 EXDATE:20270115,20270515"},
		{"monthly on 15 leaving out closed days", "RRULE:there is no exact RRULE, because days are left out without end; `until` ends them"},
		{"yearly on easter", "RRULE:there is no exact RRULE, because RFC 5545 can't count from Easter"},
	} {
		rec, err := eval.CompileRule(c[0], plain)
		if err != nil {
			t.Fatal(err)
		}
		var parts []string
		for _, p := range ExportProperties(rec) {
			parts = append(parts, p[0]+":"+p[1])
		}
		if got := strings.Join(parts, " "); got != c[1] {
			t.Errorf("%s: %s, want %s", c[0], got, c[1])
		}
	}
}

// Periods that touch a window by one day belong to it.
func TestPeriodsAtTheEdges(t *testing.T) {
	s, err := NewSeries("s", "", "monthly on 10", plain)
	if err != nil {
		t.Fatal(err)
	}
	for window, want := range map[string]string{
		"2027-03-10..2027-03-11": "2027-02-11..2027-03-10 2027-03-11..2027-04-10",
		"2027-03-11..2027-03-12": "2027-03-11..2027-04-10",
		"2027-03-09..2027-03-10": "2027-02-11..2027-03-10",
	} {
		w, _ := eval.ParseWindow(window, plain)
		var got []string
		for p, err := range s.Periods(w) {
			if err != nil {
				t.Fatal(err)
			}
			got = append(got, p.Span.First.String()+".."+p.Span.Last.String())
		}
		if strings.Join(got, " ") != want {
			t.Errorf("%s: %v, want %s", window, got, want)
		}
	}
	if v := WeekdayOf(eval.Value{Kind: eval.DateTime, Day: s.Rules[0].Recurrence.Rule.Span().First}); v.Kind != eval.Text {
		t.Errorf("the weekday of a moment is %v", v)
	}
	if v := WeekdayOf(eval.Str("2027-03-10")); v.Kind != eval.Blank {
		t.Errorf("the weekday of a text is %v", v)
	}
}

// The milestones in a window are those of all occurrences that lie in it, however long the chain
// that leads to them, with a calendar that once closes for a year.
func TestLongChains(t *testing.T) {
	r := rand.New(rand.NewPCG(6, 27))
	for range 30 {
		var shut workdays.HolidayList
		from := civil.Date(739000 + r.IntN(2000))
		for d := from; d < from+civil.Date(r.IntN(365)); d++ {
			shut = append(shut, workdays.Holiday{Date: d, Nominal: d, Name: "shut"})
		}
		env := plain
		env.Calendar = workdays.New("shut", workdays.Weekend).WithHolidays(shut)
		s, err := NewSeries("s", "", []string{"monthly on last", "quarterly on last then roll following", "weekly on wed"}[r.IntN(3)], env)
		if err != nil {
			t.Fatal(err)
		}
		for i := range 1 + r.IntN([]int{4, 12, 80}[r.IntN(3)]) {
			text := []string{"date", fmt.Sprint("m", r.IntN(max(i, 1))), fmt.Sprint("m", i-1)}[min(r.IntN(4), 2)]
			if i == 0 {
				text = "date"
			}
			text += []string{", +1 working day", ", -2 working days", ", +3 days, roll following", ", lasting 2 working days"}[min(r.IntN(8), 3)%(1+r.IntN(4))]
			if err := s.AddMilestone(fmt.Sprint("m", i), text, env); err != nil {
				t.Fatal(err)
			}
		}
		every, err := OccurrenceEntries([]*Series{s}, civil.Span{First: 737000, Last: 743500})
		if err != nil {
			t.Fatal(err)
		}
		first := from - 400 + civil.Date(r.IntN(1200))
		if r.IntN(2) == 0 { // where what was shut comes out
			first = from + civil.Date(len(shut)-r.IntN(20))
		}
		window := civil.Span{First: first, Last: first + civil.Date(r.IntN(60))}
		want := 0
		for _, e := range every {
			if window.Contains(e.At.Day) {
				want++
			}
		}
		if got, _, err := Entries([]*Series{s}, window); err != nil || len(got) != want {
			t.Fatalf("%d milestones, window %v: %d entries, want %d; %v", len(s.Milestones), window, len(got), want, err)
		}
	}
}

// Series that are merged come as all their dates sorted: by day, nominal day, place.
func TestMergeDates(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 9))
	texts := []string{"monthly on 15, last then roll preceding", "monthly on 15 then roll following", "daily", "yearly on 29 feb skipping short months",
		"dates 2030-01-01", "monthly on last then roll preceding", "quarterly on last working day", "weekly on sat then roll preceding"}
	for n := range 40 {
		var list []*Series
		type line struct{ to, nominal, at int }
		var want []line
		window, _ := eval.ParseWindow([]string{"2027", "2028-02", "2010..2011"}[(n+1)%3], plain)
		for at := range n {
			s, err := NewSeries(fmt.Sprint("s", at), "", texts[r.IntN(len(texts))], plain)
			if err != nil {
				t.Fatal(err)
			}
			list = append(list, s)
			for m := range Dates(s.Rules[0].Recurrence, window) {
				want = append(want, line{int(m.MovedTo), int(m.Date.Date), at})
			}
		}
		slices.SortStableFunc(want, func(a, b line) int {
			return cmp.Or(a.to-b.to, a.nominal-b.nominal, a.at-b.at)
		})
		i := 0
		for d, err := range MergeDates(list, window) {
			if err != nil || i == len(want) || int(d.MovedTo) != want[i].to || int(d.Date.Date) != want[i].nominal || d.Series != list[want[i].at] {
				t.Fatalf("%d series, place %d: %s of %s, want %v, %v", n, i, d.MovedTo, d.Series.Name, want[min(i, len(want)-1)], err)
			}
			i++
		}
		if i != len(want) {
			t.Fatalf("%d series: %d dates, want %d", n, i, len(want))
		}
	}
}

// A day by hand of one series holds in those that look into it, whatever was asked before.
func TestOverrides_invalidateCaches(t *testing.T) {
	env := plain
	env.Cache = &eval.SeriesCache{} // which they share
	pay, err := NewSeries("pay", "", "monthly on last", env)
	if err != nil {
		t.Fatal(err)
	}
	if err := pay.AddMilestone("cut", "date, -3 days", env); err != nil {
		t.Fatal(err)
	}
	env.FindSeries = func(string) (eval.Series, error) { return pay, nil }
	ids := func(s *Series) (all string) {
		for o, err := range s.Occurrences(civil.Span{First: 740000, Last: 740400}) {
			all += fmt.Sprint(o.ID, " ", o.MovedTo, err, "; ")
		}
		return all
	}
	var series []*Series
	for _, rule := range []string{"monthly on 5 then next pay", "monthly on 5 then next pay by cut"} {
		s, err := NewSeries("s", "", rule, env)
		if err != nil {
			t.Fatal(err)
		}
		series = append(series, s)
	}
	before := []string{ids(series[0]), ids(series[1])}
	for o := range pay.Occurrences(civil.Span{First: 740100, Last: 740200}) {
		if err := pay.SetOverride(Override{ID: o.ID, What: "date", At: eval.Day(o.MovedTo - 2)}); err != nil {
			t.Fatal(err)
		}
		break
	}
	for i, s := range series {
		fresh, err := NewSeries("s", "", s.RuleText, env)
		if err != nil {
			t.Fatal(err)
		}
		if now := ids(s); now != ids(fresh) || now == before[i] {
			t.Errorf("%s: %s, and made anew %s", s.RuleText, now, ids(fresh))
		}
	}
}

// Occurrences that are held are those made for the window alone, whatever was asked for
// before, and forgotten when a day is set by hand.
func TestOccurrenceCache(t *testing.T) {
	r := rand.New(rand.NewPCG(50, 1))
	for _, rule := range []string{"monthly on 15, last then roll preceding", "monthly on 1 then -40 days", "fortnightly on fri from 2027-01-08", "monthly on 31 then (if weekday of nominal = 'Sun' then nominal else (nominal, +3 days))"} {
		s, err := NewSeries("s", "", rule, plain)
		if err != nil {
			t.Fatal(err)
		}
		if err := s.AddMilestone("cut", "next_nominal, -3 working days", plain); err != nil {
			t.Fatal(err)
		}
		for n := range 60 {
			if n == 30 {
				for o := range s.Occurrences(civil.Span{First: 740100, Last: 740200}) {
					if err := s.SetOverride(Override{ID: o.ID, What: "date", At: eval.Day(740333)}); err != nil {
						t.Fatal(err)
					}
					break
				}
			}
			first := civil.Date(740000 + r.IntN(2000))
			window := civil.Span{First: first, Last: first + civil.Date(r.IntN(900))}
			var got, want []string
			for o, err := range s.Occurrences(window) {
				got = append(got, fmt.Sprint(o.ID, o.Row, o.Reason(), err))
			}
			for o, err := range s.occurrences(window) {
				want = append(want, fmt.Sprint(o.ID, o.Row, o.Reason(), err))
			}
			if !slices.Equal(got, want) {
				t.Fatalf("%s in %v: %v, want %v", rule, window, got, want)
			}
		}
	}
}

// A series that comes to nothing is asked for the days at hand alone, not to the end of time; and
// a count is that of the listed dates, in any order of asking.
func TestSeriesLeftOut_alwaysEmpty(t *testing.T) {
	env := plain
	env.Cache = &eval.SeriesCache{}
	series := map[string]*Series{}
	env.FindSeries = func(name string) (eval.Series, error) { return series[name], nil }
	env.FindAllSeries = func(name string) ([]eval.Series, error) { return []eval.Series{series[name]}, nil }
	for _, text := range []string{"all = every 1 day", "none = every 1 day leaving out all", "pay = monthly on 15, last leaving out none",
		"moved = monthly on last then +20 days"} {
		name, rule, _ := strings.Cut(text, " = ")
		s, err := NewSeries(name, "", rule, env)
		if err != nil {
			t.Fatal(err)
		}
		series[name] = s
	}
	window, _ := eval.ParseWindow("2027", env)
	n := 0
	for o, err := range series["pay"].Occurrences(window) {
		if err != nil || o.AnyUncovered.IsSet() {
			t.Fatal(o, err)
		}
		n++
	}
	if span := series["none"].dateCache.span; n != 24 || span.Len() > 20*366 || len(series["none"].dateCache.dates) > 0 {
		t.Errorf("%d dates; the empty series was searched from %s to %s", n, span.First, span.Last)
	}
	r := rand.New(rand.NewPCG(36, 8))
	for range 2000 {
		s := series[[]string{"all", "none", "pay", "moved"}[r.IntN(4)]]
		a := civil.Date(740000 + r.IntN(4000))
		b := a + civil.Date(r.IntN(90))
		want := 0
		for d := a; d < b && s.Name != "none"; {
			next, ok := s.After(d, false)
			if !ok || next > b {
				break
			}
			d = next
			want++
		}
		if got := s.Count(a, b); got != want {
			t.Fatalf("%s has %d dates after %s up to %s, want %d", s.Name, got, a, b, want)
		}
	}
}
