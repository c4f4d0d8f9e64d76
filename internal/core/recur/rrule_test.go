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
func expand(list iter.Seq[DateTime], n int, timed bool) string {
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

// The examples of RFC 5545, section 3.8.5.3, in its order, then those of RFC
// 7529 for the Gregorian scale. An UNTIL there in UTC is given in local time.
func TestPublishedExamples(t *testing.T) {
	for _, c := range golden.Cases(t, "testdata/publishedexamples.cases", 3) {
		r, err := ParseRRule(c[1])
		if err != nil {
			t.Errorf("%s: %v", c[1], err)
			continue
		}
		n := len(strings.Fields(c[2]))
		if r.Count > 0 || r.Until != nil {
			n++ // and there it ends
		}
		timed := strings.Contains(c[2], ":")
		if got := expand(r.DateTimes(DateTime{date(c[0]), 9 * 3600}), n, timed); got != c[2] {
			t.Errorf("%s %s:\n  %s, want\n  %s", c[0], c[1], got, c[2])
		}
		again, err := ParseRRule(r.String())
		if err != nil || again.String() != r.String() {
			t.Errorf("%s prints as %s: %v", c[1], r, err)
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
		wanted = 60
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
			r.Until = &DateTime{to, 86399}
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
		for m := range r.DateTimes(DateTime{from, 0}) {
			if m.Day > to+400 {
				break
			}
			if m.Day <= to {
				moments = append(moments, m.Day.String())
			}
		}
		if r.ByWeekNo != nil || r.Skip == SkipForward { // a week's days may precede those of the year before
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
		start := DateTime{date("1997-09-02"), 0}
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
		if p.periodsVisited > most || want >= 0 && (n == 0) != (want == 0) {
			t.Errorf("%s: %d after a look at %d periods", text, n, p.periodsVisited)
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
		n, last := 0, DateTime{}
		for m := range r.DateTimes(DateTime{start, 3600}) {
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
func TestNumberedDay_fromTheEnd(t *testing.T) {
	for _, c := range [][3]string{{"FREQ=YEARLY;BYYEARDAY=-1,-366,1", "2027-01-01", "2027-01-01 12-31 2028-01-01 12-31"},
		{"FREQ=YEARLY;BYYEARDAY=-365", "2027-01-01", "2027-01-01 2028-01-02 2029-01-01"}, {"FREQ=YEARLY;BYYEARDAY=366", "2027-01-01", "2028-12-31 2032-12-31"}} {
		r, err := ParseRRule(c[0])
		if err != nil {
			t.Fatal(err)
		}
		got := expand(r.DateTimes(DateTime{date(c[1]), 0}), strings.Count(c[2], " ")+1, false)
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
	for m := range r.DateTimes(DateTime{date("2027-01-01"), 0}) {
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
		for m := range r.DateTimes(DateTime{date("2027-01-01"), 0}) {
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
			start, at := DateTime{date("2027-01-01"), 1234}, DateTime{date(from), 0}
			var got, want []DateTime
			for m := range r.DateTimesFrom(start, at) {
				if m.Day < at.Day {
					continue
				}
				if got = append(got, m); len(got) == 30 {
					break
				}
			}
			for m := range r.DateTimes(start) {
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
