package recur

import (
	"errors"
	"fmt"
	"iter"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"yoyaku/internal/golden"

	"yoyaku/internal/core/civil"
)

func date(s string) civil.Date {
	d, _, ok := civil.Parse(s)
	if !ok {
		panic(s)
	}
	return d
}

// expand writes the first n moments of a rule; years and months that repeat are
// left out: "1997-09-02 04 10-01".
func expand(list iter.Seq[Moment], n int, timed bool) string {
	var b strings.Builder
	last := ""
	for m := range list {
		s := m.Day.String()
		switch {
		case timed:
			s = fmt.Sprintf("%02d:%02d", m.Second/3600, m.Second/60%60)
		case last != "" && s[:7] == last[:7]:
			last, s = s, s[8:]
		case last != "" && s[:4] == last[:4]:
			last, s = s, s[5:]
		default:
			last = s
		}
		b.WriteString(s + " ")
		if n--; n == 0 {
			break
		}
	}
	return strings.TrimSpace(b.String())
}

func run(from, to int) string {
	var s []string
	for i := from; i <= to; i++ {
		s = append(s, fmt.Sprintf("%02d", i))
	}
	return strings.Join(s, " ")
}

// The examples of RFC 5545, section 3.8.5.3, in its order, then those of RFC
// 7529 for the Gregorian scale. An UNTIL there in UTC is given in local time.
func TestPublishedExamples(t *testing.T) {
	daily := "1997-09-" + run(2, 30) + " 10-" + run(1, 31) + " 11-" + run(1, 30) + " 12-" + run(1, 23)
	january := "1998-01-" + run(1, 31) + " 1999-01-" + run(1, 31) + " 2000-01-" + run(1, 31)
	var twenty []string
	for m := 9 * 60; m < 17*60; m += 20 {
		twenty = append(twenty, fmt.Sprintf("%02d:%02d", m/60, m%60))
	}
	day := strings.Join(twenty, " ")
	for _, c := range []struct {
		start, rule, want string
	}{
		{"1997-09-02", "FREQ=DAILY;COUNT=10", "1997-09-02 03 04 05 06 07 08 09 10 11"},
		{"1997-09-02", "FREQ=DAILY;UNTIL=19971223T200000", daily},
		{"1997-09-02", "FREQ=DAILY;INTERVAL=2", "1997-09-02 04 06 08 10 12 14 16 18 20 22 24 26 28 30 10-02 04 06"},
		{"1997-09-02", "FREQ=DAILY;INTERVAL=10;COUNT=5", "1997-09-02 12 22 10-02 12"},
		{"1998-01-01", "FREQ=YEARLY;UNTIL=20000131T090000;BYMONTH=1;BYDAY=SU,MO,TU,WE,TH,FR,SA", january},
		{"1998-01-01", "FREQ=DAILY;UNTIL=20000131T090000;BYMONTH=1", january},
		{"1997-09-02", "FREQ=WEEKLY;COUNT=10", "1997-09-02 09 16 23 30 10-07 14 21 28 11-04"},
		{"1997-09-02", "FREQ=WEEKLY;UNTIL=19971223T200000", "1997-09-02 09 16 23 30 10-07 14 21 28 11-04 11 18 25 12-02 09 16 23"},
		{"1997-09-02", "FREQ=WEEKLY;INTERVAL=2;WKST=SU", "1997-09-02 16 30 10-14 28 11-11 25 12-09 23 1998-01-06 20 02-03 17"},
		{"1997-09-02", "FREQ=WEEKLY;UNTIL=19971006T200000;WKST=SU;BYDAY=TU,TH", "1997-09-02 04 09 11 16 18 23 25 30 10-02"},
		{"1997-09-02", "FREQ=WEEKLY;COUNT=10;WKST=SU;BYDAY=TU,TH", "1997-09-02 04 09 11 16 18 23 25 30 10-02"},
		{"1997-09-01", "FREQ=WEEKLY;INTERVAL=2;UNTIL=19971223T200000;WKST=SU;BYDAY=MO,WE,FR",
			"1997-09-01 03 05 15 17 19 29 10-01 03 13 15 17 27 29 31 11-10 12 14 24 26 28 12-08 10 12 22"},
		{"1997-09-02", "FREQ=WEEKLY;INTERVAL=2;COUNT=8;WKST=SU;BYDAY=TU,TH", "1997-09-02 04 16 18 30 10-02 14 16"},
		{"1997-09-05", "FREQ=MONTHLY;COUNT=10;BYDAY=1FR", "1997-09-05 10-03 11-07 12-05 1998-01-02 02-06 03-06 04-03 05-01 06-05"},
		{"1997-09-05", "FREQ=MONTHLY;UNTIL=19971223T200000;BYDAY=1FR", "1997-09-05 10-03 11-07 12-05"},
		{"1997-09-07", "FREQ=MONTHLY;INTERVAL=2;COUNT=10;BYDAY=1SU,-1SU", "1997-09-07 28 11-02 30 1998-01-04 25 03-01 29 05-03 31"},
		{"1997-09-22", "FREQ=MONTHLY;COUNT=6;BYDAY=-2MO", "1997-09-22 10-20 11-17 12-22 1998-01-19 02-16"},
		{"1997-09-28", "FREQ=MONTHLY;BYMONTHDAY=-3", "1997-09-28 10-29 11-28 12-29 1998-01-29 02-26"},
		{"1997-09-02", "FREQ=MONTHLY;COUNT=10;BYMONTHDAY=2,15", "1997-09-02 15 10-02 15 11-02 15 12-02 15 1998-01-02 15"},
		{"1997-09-30", "FREQ=MONTHLY;COUNT=10;BYMONTHDAY=1,-1", "1997-09-30 10-01 31 11-01 30 12-01 31 1998-01-01 31 02-01"},
		{"1997-09-10", "FREQ=MONTHLY;INTERVAL=18;COUNT=10;BYMONTHDAY=10,11,12,13,14,15", "1997-09-10 11 12 13 14 15 1999-03-10 11 12 13"},
		{"1997-09-02", "FREQ=MONTHLY;INTERVAL=2;BYDAY=TU", "1997-09-02 09 16 23 30 11-04 11 18 25 1998-01-06 13 20 27 03-03 10 17 24 31"},
		{"1997-06-10", "FREQ=YEARLY;COUNT=10;BYMONTH=6,7", "1997-06-10 07-10 1998-06-10 07-10 1999-06-10 07-10 2000-06-10 07-10 2001-06-10 07-10"},
		{"1997-03-10", "FREQ=YEARLY;INTERVAL=2;COUNT=10;BYMONTH=1,2,3", "1997-03-10 1999-01-10 02-10 03-10 2001-01-10 02-10 03-10 2003-01-10 02-10 03-10"},
		{"1997-01-01", "FREQ=YEARLY;INTERVAL=3;COUNT=10;BYYEARDAY=1,100,200", "1997-01-01 04-10 07-19 2000-01-01 04-09 07-18 2003-01-01 04-10 07-19 2006-01-01"},
		{"1997-05-19", "FREQ=YEARLY;BYDAY=20MO", "1997-05-19 1998-05-18 1999-05-17"},
		{"1997-05-12", "FREQ=YEARLY;BYWEEKNO=20;BYDAY=MO", "1997-05-12 1998-05-11 1999-05-17"},
		{"2024-12-30", "FREQ=YEARLY;INTERVAL=2;BYWEEKNO=1;BYDAY=MO;COUNT=4", "2024-12-30 2027-01-04 2029-01-01 2030-12-30"}, // not published: weeks of other years
		{"2072-01-01", "FREQ=YEARLY;BYWEEKNO=53;BYDAY=FR;COUNT=2", "2072-01-01 2077-01-01"},
		{"1997-03-13", "FREQ=YEARLY;BYMONTH=3;BYDAY=TH", "1997-03-13 20 27 1998-03-05 12 19 26 1999-03-04 11 18 25"},
		{"1997-06-05", "FREQ=YEARLY;BYDAY=TH;BYMONTH=6,7,8", "1997-06-05 12 19 26 07-03 10 17 24 31 08-07 14 21 28 1998-06-04 11 18 25 07-02 09 16 23 30 08-06 13 20 27"},
		{"1997-09-02", "FREQ=MONTHLY;BYDAY=FR;BYMONTHDAY=13", "1998-02-13 03-13 11-13 1999-08-13 2000-10-13"},
		{"1997-09-13", "FREQ=MONTHLY;BYDAY=SA;BYMONTHDAY=7,8,9,10,11,12,13", "1997-09-13 10-11 11-08 12-13 1998-01-10 02-07 03-07 04-11 05-09 06-13"},
		{"1996-11-05", "FREQ=YEARLY;INTERVAL=4;BYMONTH=11;BYDAY=TU;BYMONTHDAY=2,3,4,5,6,7,8", "1996-11-05 2000-11-07 2004-11-02"},
		{"1997-09-04", "FREQ=MONTHLY;COUNT=3;BYDAY=TU,WE,TH;BYSETPOS=3", "1997-09-04 10-07 11-06"},
		{"1997-09-29", "FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-2", "1997-09-29 10-30 11-27 12-30 1998-01-29 02-26 03-30"},
		{"1997-09-02", "FREQ=HOURLY;INTERVAL=3;UNTIL=19970902T170000", "09:00 12:00 15:00"},
		{"1997-09-02", "FREQ=MINUTELY;INTERVAL=15;COUNT=6", "09:00 09:15 09:30 09:45 10:00 10:15"},
		{"1997-09-02", "FREQ=MINUTELY;INTERVAL=90;COUNT=4", "09:00 10:30 12:00 13:30"},
		{"1997-09-02", "FREQ=DAILY;BYHOUR=9,10,11,12,13,14,15,16;BYMINUTE=0,20,40", day + " " + day},
		{"1997-09-02", "FREQ=MINUTELY;INTERVAL=20;BYHOUR=9,10,11,12,13,14,15,16", day + " " + day},
		{"1997-08-05", "FREQ=WEEKLY;INTERVAL=2;COUNT=4;BYDAY=TU,SU;WKST=MO", "1997-08-05 10 19 24"},
		{"1997-08-05", "FREQ=WEEKLY;INTERVAL=2;COUNT=4;BYDAY=TU,SU;WKST=SU", "1997-08-05 17 19 31"},
		{"2007-01-15", "FREQ=MONTHLY;BYMONTHDAY=15,30;COUNT=5", "2007-01-15 30 02-15 03-15 30"},
		{"2014-01-31", "RSCALE=GREGORIAN;FREQ=MONTHLY;COUNT=4", "2014-01-31 03-31 05-31 07-31"},
		{"2014-01-31", "RSCALE=GREGORIAN;FREQ=MONTHLY;SKIP=BACKWARD;COUNT=4", "2014-01-31 02-28 03-31 04-30"},
		{"2014-01-31", "RSCALE=GREGORIAN;FREQ=MONTHLY;SKIP=FORWARD;COUNT=4", "2014-01-31 03-01 31 05-01"},
		{"2012-02-29", "RSCALE=GREGORIAN;FREQ=YEARLY;SKIP=FORWARD;COUNT=5", "2012-02-29 2013-03-01 2014-03-01 2015-03-01 2016-02-29"},
		{"2012-02-29", "RSCALE=GREGORIAN;FREQ=YEARLY;SKIP=BACKWARD;COUNT=3", "2012-02-29 2013-02-28 2014-02-28"},
		{"2012-12-31", "RSCALE=GREGORIAN;FREQ=YEARLY;BYYEARDAY=366;SKIP=FORWARD;COUNT=3", "2012-12-31 2014-01-01 2015-01-01"},
	} {
		r, err := ParseRRule(c.rule)
		if err != nil {
			t.Errorf("%s: %v", c.rule, err)
			continue
		}
		n := len(strings.Fields(c.want))
		if r.Count > 0 || r.Until != nil {
			n++ // and there it ends
		}
		timed := strings.Contains(c.want, ":")
		if got := expand(r.Moments(Moment{date(c.start), 9 * 3600}), n, timed); got != c.want {
			t.Errorf("%s %s:\n  %s, want\n  %s", c.start, c.rule, got, c.want)
		}
		again, err := ParseRRule(r.String())
		if err != nil || again.String() != r.String() {
			t.Errorf("%s prints as %s: %v", c.rule, r, err)
		}
	}
}

func TestRRuleErrors(t *testing.T) {
	for _, c := range golden.Cases(t, "testdata/rruleerrors.cases", 2) {
		_, err := ParseRRule(c[0])
		var e *RuleError
		if c[1] != "" && (!errors.As(err, &e) || !strings.Contains(e.Error(), c[1]) || e.End > len(c[0])) {
			t.Errorf("%q: %v, want %q", c[0], err, c[1])
		}
	}
	for _, text := range []string{"FREQ=MONTHLY", "FREQ=DAILY;INTERVAL=2", "FREQ=YEARLY;BYWEEKNO=3", "FREQ=WEEKLY;BYDAY=MO;COUNT=3"} {
		r, _ := ParseRRule(text)
		if _, err := r.Rule(civil.None); !errors.Is(err, errNoStart) {
			t.Errorf("%s without a start: %v", text, err)
		}
	}
}

// stretch is the days of a month, or with month 0 of a year, looked through once.
func stretch(year int, month time.Month) []time.Time {
	key := year*100 + int(month)
	if stretches[key] == nil {
		for d := time.Date(year, max(month, 1), 1, 0, 0, 0, 0, time.UTC); d.Year() == year && (month == 0 || d.Month() == month); d = d.AddDate(0, 0, 1) {
			stretches[key] = append(stretches[key], d)
		}
	}
	return stretches[key]
}

var stretches = map[int][]time.Time{}

func weekdaysOf(list []time.Time, w time.Weekday) (out []time.Time) {
	for _, d := range list {
		if d.Weekday() == w {
			out = append(out, d)
		}
	}
	return out
}

// naive expands a rule as the table of RFC 5545, page 44, says: the days of a
// period as a list, from which each part keeps or picks, by package time alone.
func naive(r *RRule, start time.Time, upto time.Time) (out []string) {
	day := func(y int, m time.Month, d int) time.Time { return time.Date(y, m, d, 0, 0, 0, 0, time.UTC) }
	wkst := time.Weekday(r.WeekStart % 7)
	weekOf := func(d time.Time) time.Time { return d.AddDate(0, 0, -(int(d.Weekday())-int(wkst)+7)%7) }
	weekOne := func(y int) time.Time { // the first week with four days in the year
		w := weekOf(day(y, 1, 1))
		if w.AddDate(0, 0, 3).Year() < y {
			w = w.AddDate(0, 0, 7)
		}
		return w
	}
	begin := day(start.Year(), 1, 1)
	if r.ByWeekNo != nil { // the year is the one whose weeks hold the start
		for !weekOne(begin.Year() + 1).After(start) {
			begin = begin.AddDate(1, 0, 0)
		}
		for weekOne(begin.Year()).After(start) {
			begin = begin.AddDate(-1, 0, 0)
		}
	}
	next := func(d time.Time) time.Time { return d.AddDate(1, 0, 0) }
	switch r.Freq {
	case Monthly:
		begin, next = day(start.Year(), start.Month(), 1), func(d time.Time) time.Time { return d.AddDate(0, 1, 0) }
	case Weekly:
		begin, next = weekOf(start), func(d time.Time) time.Time { return d.AddDate(0, 0, 7) }
	case Daily:
		begin, next = start, func(d time.Time) time.Time { return d.AddDate(0, 0, 1) }
	}
	pick := func(list []time.Time, n int) (t time.Time) {
		if n < 0 {
			n += len(list) + 1
		}
		if n >= 1 && n <= len(list) {
			t = list[n-1]
		}
		return t
	}
	count := 0
	for p := begin; !p.After(upto.AddDate(1, 0, 0)); {
		end := next(p)
		from, to := p, end
		if r.ByWeekNo != nil {
			from, to = weekOne(p.Year()), weekOne(p.Year()+1)
		}
		open := r.ByMonthDay == nil && r.ByDay == nil && r.ByYearDay == nil && r.ByWeekNo == nil
		var set, weeks []time.Time
		for w := from; w.Before(to); w = w.AddDate(0, 0, 7) {
			weeks = append(weeks, w)
		}
		for d := from; d.Before(to); d = d.AddDate(0, 0, 1) {
			month, year := stretch(d.Year(), d.Month()), stretch(d.Year(), 0)
			ok := r.ByMonth == nil || slices.Contains(r.ByMonth, int(d.Month()))
			ok = ok && (r.ByMonthDay == nil || slices.ContainsFunc(r.ByMonthDay, func(n int) bool { return pick(month, n).Equal(d) }))
			ok = ok && (r.ByYearDay == nil || slices.ContainsFunc(r.ByYearDay, func(n int) bool { return pick(year, n).Equal(d) }))
			ok = ok && (r.ByWeekNo == nil || slices.ContainsFunc(r.ByWeekNo, func(n int) bool {
				return pick(weeks, n).Equal(weekOf(d))
			}))
			ok = ok && (r.ByDay == nil || slices.ContainsFunc(r.ByDay, func(b ByDay) bool {
				switch {
				case time.Weekday(b.Weekday%7) != d.Weekday():
					return false
				case b.N == 0:
					return true
				case r.Freq == Monthly || r.ByMonth != nil:
					return pick(weekdaysOf(month, d.Weekday()), b.N).Equal(d)
				}
				return pick(weekdaysOf(year, d.Weekday()), b.N).Equal(d)
			}))
			switch {
			case open && r.Freq == Yearly && r.ByMonth == nil:
				ok = ok && d.Month() == start.Month() && d.Day() == start.Day()
			case open && r.Freq >= Monthly:
				ok = ok && d.Day() == start.Day()
			case open && r.Freq == Weekly, r.ByWeekNo != nil && r.ByMonthDay == nil && r.ByDay == nil && r.ByYearDay == nil:
				ok = ok && d.Weekday() == start.Weekday()
			}
			if ok {
				set = append(set, d)
			}
		}
		if r.BySetPos != nil {
			var kept []time.Time
			for _, d := range set {
				if slices.ContainsFunc(r.BySetPos, func(n int) bool { return pick(set, n).Equal(d) }) {
					kept = append(kept, d)
				}
			}
			set = kept
		}
		for _, d := range set {
			if !d.Before(start) && !d.After(upto) && (r.Count == 0 || count < r.Count) {
				count++
				out = append(out, d.Format("2006-01-02"))
			}
		}
		for range r.Interval {
			p = next(p)
		}
	}
	return out
}

func randomRRule(r *rand.Rand) string {
	freq := Freq(3 + r.IntN(4))
	parts := []string{"FREQ=" + freqNames[freq]}
	some := func(name string, lo, hi int, signed bool, chance int) {
		if r.IntN(chance) > 0 {
			return
		}
		var list []string
		for range 1 + r.IntN(4) {
			n := lo + r.IntN(hi-lo+1)
			if signed && r.IntN(3) == 0 {
				n = -n
			}
			list = append(list, fmt.Sprint(n))
		}
		parts = append(parts, name+"="+strings.Join(list, ","))
	}
	if r.IntN(2) == 0 {
		parts = append(parts, fmt.Sprintf("INTERVAL=%d", 1+r.IntN(4)))
	}
	some("BYMONTH", 1, 12, false, 3)
	if freq != Weekly {
		some("BYMONTHDAY", 1, 31, true, 3)
	}
	weeks := false
	if freq == Yearly {
		some("BYYEARDAY", 1, 366, true, 6)
		n := len(parts)
		some("BYWEEKNO", 1, 53, true, 4)
		weeks = len(parts) > n
	}
	if r.IntN(2) == 0 {
		var list []string
		for range 1 + r.IntN(4) {
			d := dayNames[1+r.IntN(7)]
			if n := r.IntN(11) - 5; freq >= Monthly && !weeks && n != 0 && r.IntN(2) == 0 {
				d = fmt.Sprint(n) + d
			}
			list = append(list, d)
		}
		parts = append(parts, "BYDAY="+strings.Join(list, ","))
	}
	if len(parts) > 2 {
		some("BYSETPOS", 1, 6, true, 4)
	}
	parts = append(parts, "WKST="+dayNames[1+r.IntN(7)])
	if r.IntN(12) == 0 {
		parts = append(parts, fmt.Sprintf("COUNT=%d", 1+r.IntN(30)))
	}
	return strings.Join(parts, ";")
}

func TestRRulesAgainstBruteForce(t *testing.T) {
	tried, wanted := 0, 5000
	if testing.Short() {
		wanted = 200
	}
	for seed := uint64(0); tried < wanted; seed++ {
		rnd := rand.New(rand.NewPCG(seed, 11))
		text := randomRRule(rnd)
		r, err := ParseRRule(text)
		if err != nil {
			continue // BYSETPOS alone and the like
		}
		tried++
		start := time.Date(1999+rnd.IntN(5), time.Month(1+rnd.IntN(12)), 1+rnd.IntN(31), 0, 0, 0, 0, time.UTC)
		upto := start.AddDate(1+rnd.IntN(2), rnd.IntN(12), 0)
		if r.Freq == Yearly {
			upto = upto.AddDate(3, 0, 0)
		}
		want := naive(r, start, upto)
		from, to := date(start.Format("2006-01-02")), date(upto.Format("2006-01-02"))
		if r.Count == 0 {
			r.Until = &Moment{to, 86399}
		}
		rule, err := r.Rule(from)
		if err != nil {
			t.Fatalf("%s: %v", text, err)
		}
		rule.Prepare()
		var days, moments []string
		for d := range rule.All(civil.Span{First: from, Last: to}) {
			days = append(days, d.Date.String())
		}
		for m := range r.Moments(Moment{from, 0}) {
			if m.Day > to+400 {
				break
			}
			if m.Day <= to {
				moments = append(moments, m.Day.String())
			}
		}
		if r.ByWeekNo != nil || r.Skip == Forward { // a week's days may stand before those of the year before
			slices.Sort(want)
			slices.Sort(moments)
		}
		if r.Count > 0 && r.ByWeekNo != nil {
			continue // which of them count is a matter of their order
		}
		if !slices.Equal(days, want) || !slices.Equal(moments, want) {
			t.Fatalf("seed %d: %s from %s to %s gives\n%v\n%v, want\n%v", seed, text, from, to, days, moments, want)
		}
	}
}

// Rules that match rarely or never end at the year 9999, soon.
func TestRareRulesEnd(t *testing.T) {
	for text, want := range map[string]int{
		"FREQ=SECONDLY;BYHOUR=5;BYMINUTE=6;BYSECOND=7": -3,
		"FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30":          0, "FREQ=MONTHLY;BYMONTH=2;BYMONTHDAY=29;BYDAY=FR;BYSETPOS=2": 0,
		"FREQ=DAILY;BYMONTH=2;BYMONTHDAY=30": 0, "FREQ=YEARLY;BYYEARDAY=366;BYDAY=FR;BYMONTH=1": 0, "FREQ=SECONDLY;BYMONTH=2;BYMONTHDAY=30": 0,
		"FREQ=SECONDLY;INTERVAL=60;BYSECOND=30": 0, "FREQ=HOURLY;INTERVAL=24;BYHOUR=5": 0, "FREQ=YEARLY;BYWEEKNO=53;BYMONTH=6": 0,
		"FREQ=MONTHLY;BYMONTHDAY=13;BYDAY=FR;BYYEARDAY=44": -1, "FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=13;BYDAY=FR": 1150, "FREQ=MINUTELY;INTERVAL=1441;BYHOUR=3;BYMINUTE=30": -2,
	} {
		r, err := ParseRRule(text)
		if err != nil {
			if want != -1 {
				t.Error(text, err)
			}
			continue
		}
		start := Moment{date("1997-09-02"), 0}
		p, err := r.compile(start.Day)
		if err != nil {
			t.Fatal(text, err)
		}
		n := 0
		for range r.expand(p, start) {
			if n++; n > 3000 {
				break
			}
		}
		most := 500_000 // there are 2.9 million days to the end
		if want == -2 { // which has a moment to look at on each
			most = 3_000_000
		} else if want == -3 { // the hours of a day, the minutes of one and the seconds of one
			most = 3001 * 145
		}
		if p.looked > most || want >= 0 && (n == 0) != (want == 0) {
			t.Errorf("%s: %d after a look at %d periods", text, n, p.looked)
		}
	}
}

func FuzzRRule(f *testing.F) {
	for _, s := range []string{"FREQ=MONTHLY;BYDAY=-1FR;COUNT=3", "FREQ=YEARLY;BYWEEKNO=53;BYDAY=MO;WKST=SU", "RSCALE=GREGORIAN;FREQ=YEARLY;SKIP=FORWARD",
		"FREQ=SECONDLY;INTERVAL=7;BYHOUR=3;BYSECOND=5;BYSETPOS=-1", "FREQ=DAILY;UNTIL=20270331T163000Z"} {
		f.Add(s, 730000)
	}
	f.Fuzz(func(t *testing.T, s string, from int) {
		r, err := ParseRRule(s)
		if err != nil {
			return
		}
		again, err := ParseRRule(r.String())
		if err != nil || again.String() != r.String() {
			t.Fatalf("%q prints as %q: %v", s, r, err)
		}
		start := civil.Date(1 + uint(from)%uint(civil.Max))
		n, last := 0, Moment{}
		for m := range r.Moments(Moment{start, 3600}) {
			if !m.Day.Valid() || m.Day < last.Day && r.ByWeekNo == nil {
				t.Fatalf("%q gives %v after %v", s, m, last)
			}
			if last, n = m, n+1; n == 50 {
				break
			}
		}
		if rule, err := r.Rule(start); err == nil {
			rule.Prepare()
			prev := civil.None
			for d := range rule.All(civil.Span{First: start, Last: min(start+4000, civil.Max)}) {
				if d.Date <= prev {
					t.Fatalf("%q gives %s after %s", s, d.Date, prev)
				}
				prev = d.Date
			}
		}
	})
}

// Days counted from the end of the year, and times to the minute and second.
func TestDaysFromTheEnd(t *testing.T) {
	for _, c := range [][3]string{{"FREQ=YEARLY;BYYEARDAY=-1,-366,1", "2027-01-01", "2027-01-01 12-31 2028-01-01 12-31"},
		{"FREQ=YEARLY;BYYEARDAY=-365", "2027-01-01", "2027-01-01 2028-01-02 2029-01-01"}, {"FREQ=YEARLY;BYYEARDAY=366", "2027-01-01", "2028-12-31 2032-12-31"}} {
		r, err := ParseRRule(c[0])
		if err != nil {
			t.Fatal(err)
		}
		got := expand(r.Moments(Moment{date(c[1]), 0}), strings.Count(c[2], " ")+1, false)
		if c[0] == "FREQ=YEARLY;BYYEARDAY=-1,-366,1" {
			got = strings.Replace(got, "2028-01-01 2028", "2028-01-01", 1)
		}
		if got != c[2] {
			t.Errorf("%s: %s, want %s", c[0], got, c[2])
		}
	}
	r, err := ParseRRule("FREQ=DAILY;BYHOUR=9;BYMINUTE=5,40;BYSECOND=30")
	if err != nil {
		t.Fatal(err)
	}
	n := 0
	for m := range r.Moments(Moment{date("2027-01-01"), 0}) {
		if want := 9*3600 + []int{5, 40}[n%2]*60 + 30; m.Second != want {
			t.Fatalf("at %d seconds, want %d", m.Second, want)
		}
		if n++; n == 4 {
			break
		}
	}
	for _, text := range []string{"RSCALE=GREGORIAN;FREQ=MONTHLY;SKIP=FORWARD;BYMONTHDAY=31,1,30", "RSCALE=GREGORIAN;FREQ=YEARLY;SKIP=BACKWARD;BYMONTH=2,4;BYMONTHDAY=31,27", "RSCALE=GREGORIAN;FREQ=YEARLY;SKIP=FORWARD;BYYEARDAY=366,1"} {
		r, err := ParseRRule(text)
		if err != nil {
			t.Fatal(err)
		}
		n, last := 0, civil.None
		for m := range r.Moments(Moment{date("2027-01-01"), 0}) {
			if n++; m.Day <= last {
				t.Fatalf("%s: %s comes after %s", text, m.Day, last)
			}
			if last = m.Day; n == 40 {
				break
			}
		}
	}
	for _, from := range []string{"2027-01-01", "2027-06-05", "2031-01-01"} { // what lies before needn't be walked
		for _, text := range []string{"FREQ=SECONDLY;INTERVAL=7000", "FREQ=MINUTELY;INTERVAL=777;BYMONTH=6", "FREQ=HOURLY;INTERVAL=5", "FREQ=DAILY;INTERVAL=3;BYHOUR=7,8", "FREQ=WEEKLY;INTERVAL=2;BYDAY=MO,SU;WKST=SU", "FREQ=DAILY;COUNT=900"} {
			r, err := ParseRRule(text)
			if err != nil {
				t.Fatal(err)
			}
			start, at := Moment{date("2027-01-01"), 1234}, Moment{date(from), 0}
			var got, want []Moment
			for m := range r.MomentsFrom(start, at) {
				if m.Day < at.Day {
					continue
				}
				if got = append(got, m); len(got) == 30 {
					break
				}
			}
			for m := range r.Moments(start) {
				if m.Day >= at.Day {
					want = append(want, m)
				}
				if len(want) == 30 {
					break
				}
			}
			if !slices.Equal(got, want) {
				t.Errorf("%s from %s: %v, want %v", text, from, got, want)
			}
		}
	}
}
