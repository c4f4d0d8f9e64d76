package recur_test

import (
	"fmt"
	"strings"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/recur"
	"yoyaku/internal/core/workdays"
	"yoyaku/internal/golden"
)

// TestGoldenCases holds what rules and RRULEs give to testdata/given.txt: dates with their
// identities, what comes before and after, what is left out, moments, and faults.
func TestGoldenCases(t *testing.T) {
	on := func(s string) civil.Date { d, _, _ := civil.Parse(s); return d }
	var b strings.Builder
	put := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	cal := workdays.New("c", workdays.Weekend).WithHolidays(workdays.HolidayList{{Date: on("2027-03-26")}, {Date: on("2027-03-29")}, {Date: on("2028-02-29")}})
	env := eval.Env{Fiscal: civil.DefaultFiscalCalendar, Calendar: cal, FindCalendar: func(string) (*workdays.Calendar, error) { return cal, nil }}
	env.Fiscal.FiscalMonth = 4
	first := func(d civil.Date, ok bool) string { return fmt.Sprint(d, " ", ok) }
	for _, text := range []string{
		"daily", "every 10 days from 2027-01-28", "every working day", "every 5 working days from 2027-03-01", "every 5 working days back from 2027-04-30",
		"weekly on mon, thu", "fortnightly on fri from 2027-01-08", "weekly on mon-fri in mar", "every 3 weeks back from 2027-05-07 from 2027-01-01",
		"monthly on 15, last", "monthly on 1-3, 3", "monthly on 31 skipping short months", "monthly on 31, 30", "monthly on 2nd tue, last tue, tue", "monthly on middle, 1st working day, last working day",
		"monthly on 5th fri", "monthly from 2027-01-31", "every 2 months on 5 from 2027-01-10 3 times", "every 3 months back from 2028-05-31 from 2027-02-10", "monthly on 20 back from 2027-06-20",
		"quarterly on 15 of month 2, last", "half-yearly on day 10, 1st mon", "quarterly on 13th fri, 14th fri", "yearly on 29 feb", "yearly on easter, orthodox easter", "yearly on mon of week 53", "yearly on day 366, day 100",
		"yearly on last fri of nov, 3rd working day of jan", "yearly from 2024-02-29", "fiscal-monthly on 5th working day", "fiscal-quarterly on last", "fiscal-yearly on day 45",
		"monthly on 29 leaving out closed days", "weekly on wed from 2027-01-01 leaving out 2027-02-01..2027-03-15, 2027-04-07 plus 2027-02-02, 2027-04-08 until 2027-06-30",
		"dates 2027-03-01, 2027-01-05, 2027-03-01", "monthly on 1 from 2027-02-01 until 2027-02-01", "monthly on 30 in feb-mar", "monthly on 20 from 2027-03-10 plus 2027-01-05, 2027-02-06", "every 2 weeks back from 2027-04-01", "every 3 months from 2027-03-15 4 times leaving out 2027-06-15", "every 4 days from 2027-02-28 until 2027-03-20",
	} {
		rec, err := eval.CompileRule(text, env)
		if err != nil {
			put("= %s: %v", text, err)
			continue
		}
		r := rec.Rule
		left, whole := r.ExcludedDates()
		put("= %s: begins %v, counts %v, endless %v, span %v, left out %d %v", text, r.HasStart(), r.UsesCalendar(), r.Endless(), r.Span(), len(left), whole)
		n, last := 0, civil.None
		for d := range r.All(civil.Span{First: on("2026-12-20"), Last: on("2028-04-15")}) {
			if n++; n <= 7 {
				put("  %s %s of %s, %d %d", r.AppendID(nil, d), d.Date, d.Period, d.Item, d.SubItem)
			}
			last = d.Date
		}
		put("  %d in all, the last %s", n, last)
		if d, ok := r.After(civil.None); ok && r.HasStart() {
			before, ok := r.DateBeforeStart(d.Date)
			put("  before the first: %s", first(before, ok))
		}
		for _, s := range []string{"2027-02-28", "2027-03-01", "2027-03-31", "2028-02-29"} {
			a, aok := r.After(on(s))
			p, pok := r.Before(on(s))
			put("  around %s: %s, %s", s, first(p.Date, pok), first(a.Date, aok))
		}
		rule, start, why := r.Export()
		put("  is %v from %s, %s; stride at least the gap %v", rule, start, why, r.MaxGap() > 0)
	}
	for _, text := range []string{
		"FREQ=DAILY;INTERVAL=2;COUNT=3", "freq=weekly;byday=mo,th;wkst=su", "FREQ=MONTHLY;BYDAY=-1FR;BYSETPOS=1", "FREQ=MONTHLY;BYMONTHDAY=31", "RSCALE=GREGORIAN;FREQ=MONTHLY;BYMONTHDAY=31;SKIP=FORWARD",
		"RSCALE=GREGORIAN;FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=29;SKIP=BACKWARD", "FREQ=YEARLY;BYWEEKNO=1,53;BYDAY=MO", "FREQ=YEARLY;BYYEARDAY=-1,60", "FREQ=YEARLY;BYDAY=20MO;UNTIL=20290101", "FREQ=HOURLY;INTERVAL=7;BYMONTH=2",
		"FREQ=MINUTELY;INTERVAL=90;BYHOUR=9,10", "FREQ=SECONDLY;INTERVAL=40000;COUNT=5", "FREQ=DAILY;BYHOUR=9,17;BYMINUTE=30;BYSECOND=0,30;BYSETPOS=2,-1", "FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-2", "FREQ=WEEKLY;INTERVAL=2;BYHOUR=23",
		"FREQ=MONTHLY;BYMONTHDAY=13;BYDAY=FR", "FREQ=YEARLY;BYMONTH=1,3;BYDAY=2SU", "FREQ=DAILY;UNTIL=20270110T120000Z", "FREQ=DAILY;BYMONTHDAY=1,-1;BYMONTH=2",
		"", "FREQ=NEVER", "INTERVAL=2", "FREQ=DAILY;COUNT=0", "FREQ=DAILY;COUNT=2;UNTIL=20270101", "FREQ=DAILY;BYDAY=XX", "FREQ=DAILY;BYMONTHDAY=32", "FREQ=DAILY;FREQ=DAILY", "FREQ=WEEKLY;BYMONTHDAY=1", "FREQ=DAILY;BYDAY=1MO",
		"FREQ=DAILY;WHAT=1", "FREQ=YEARLY;BYYEARDAY=0", "FREQ=DAILY;BYHOUR=24", "FREQ=DAILY;BYSETPOS=1", "FREQ=DAILY;UNTIL=2027", "FREQ=YEARLY;BYWEEKNO=54", "FREQ=MONTHLY;BYWEEKNO=5", "FREQ=DAILY;INTERVAL=x", "FREQ=DAILY;SKIP=FORWARD", "FREQ=DAILY;", "FREQ", "FREQ=DAILY;COUNT", "FREQ=MONTHLY;BYMONTHDAY=0", "FREQ=YEARLY;BYYEARDAY=367", "FREQ=YEARLY;BYWEEKNO=0", "FREQ=YEARLY;BYWEEKNO=-54", "FREQ=YEARLY;BYMONTH=0", "FREQ=YEARLY;BYMONTH=13", "FREQ=DAILY;BYMINUTE=60", "FREQ=DAILY;BYSECOND=61", "FREQ=MONTHLY;BYDAY=6FR", "FREQ=YEARLY;BYDAY=54MO", "FREQ=YEARLY;BYWEEKNO=-1;BYDAY=SU", "FREQ=MONTHLY;BYDAY=5FR,-5MO", "FREQ=YEARLY;BYMONTHDAY=-31,1", "FREQ=DAILY;UNTIL=20270108", "FREQ=MONTHLY;BYDAY=0MO", "FREQ=WEEKLY;WKST=XX",
	} {
		r, err := recur.ParseRRule(text)
		if err != nil {
			at := err.(*recur.RuleError)
			put("= %q: %v at %d to %d (%s)", text, err, at.Start, at.End, at.Hint)
			continue
		}
		put("= %s is %s, until date %v UTC %v", text, r, r.UntilDate, r.UntilUTC)
		again, err := recur.ParseRRule(r.String())
		if err != nil || again.String() != r.String() {
			t.Errorf("%s is read as %v, %v", r, again, err)
		}
		start := recur.DateTime{Day: on("2027-01-05"), Second: 9*3600 + 15*60}
		n := 0
		for m := range r.DateTimes(start) {
			put("  %s %02d:%02d:%02d", m.Day, m.Second/3600, m.Second/60%60, m.Second%60)
			if n++; n == 5 {
				break
			}
		}
		from := recur.DateTime{Day: on("2027-03-10"), Second: 12 * 3600}
		for m := range r.DateTimesFrom(start, from) {
			if m.Day > from.Day || m.Day == from.Day && m.Second >= from.Second {
				put("  from the 10th of March: %s %d", m.Day, m.Second)
				break
			}
		}
		for _, from := range []civil.Date{civil.None, start.Day} {
			rule, err := r.Rule(from)
			if err != nil {
				put("  as days from %s: %v, needs a start %v", from, err, recur.NeedsStart(err))
				continue
			}
			rule.Prepare()
			var days []string
			for d := range rule.All(civil.Span{First: on("2026-12-01"), Last: on("2030-01-01")}) {
				if days = append(days, d.Date.String()); len(days) == 4 {
					break
				}
			}
			put("  as days from %s: %s", from, strings.Join(days, " "))
		}
	}
	golden.Compare(t, "testdata/given.txt", b.String())
}
