package recur

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"yoyaku/internal/core/civil"
)

// Freq is the FREQ of an RFC 5545 recurrence.
type Freq uint8

// The frequencies.
const (
	Secondly Freq = iota
	Minutely
	Hourly
	Daily
	Weekly
	Monthly
	Yearly
)

var freqNames = []string{"SECONDLY", "MINUTELY", "HOURLY", "DAILY", "WEEKLY", "MONTHLY", "YEARLY"}

// Skip is what becomes of a day that a month or year lacks (RFC 7529, section
// 4.1).
type Skip uint8

// The ways.
const (
	SkipOmit Skip = iota
	SkipBackward
	SkipForward
)

var skipNames = []string{"OMIT", "BACKWARD", "FORWARD"}

// dayNames are the weekdays of RFC 5545 by civil.Weekday.
var dayNames = []string{"", "MO", "TU", "WE", "TH", "FR", "SA", "SU"}

// ByDay is an entry of BYDAY: each such weekday, or the Nth.
type ByDay struct {
	N       int // 0: each
	Weekday civil.Weekday
}

// DateTime is a day and a second of it, in no zone.
type DateTime struct {
	Day    civil.Date
	Second int // 0 to 86399
}

// RRule is a recurrence rule of RFC 5545, section 3.3.10, with SKIP of RFC 7529.
type RRule struct {
	Freq      Freq
	Interval  int
	Count     int       // 0: none
	Until     *DateTime // a plain date stands for its last second
	UntilDate bool      // Until was written as a date
	UntilUTC  bool      // Until was written with Z
	WeekStart civil.Weekday
	Skip      Skip

	BySecond, ByMinute, ByHour []int
	ByDay                      []ByDay
	ByMonthDay, ByYearDay      []int
	ByWeekNo, ByMonth          []int
	BySetPos                   []int
}

// RuleError is a fault in the text of an RRULE, with its place in bytes.
type RuleError struct {
	Start, End    int
	Message, Hint string
}

// Error gives the fault on one line.
func (e *RuleError) Error() string {
	if e.Hint != "" {
		return e.Message + "; " + e.Hint
	}
	return e.Message
}

// ParseRRule reads the value of an RRULE property. Errors are of type
// *RuleError.
func ParseRRule(text string) (*RRule, error) {
	r := &RRule{Interval: 1, WeekStart: civil.Monday}
	seen := map[string]bool{}
	at := 0
	for _, part := range strings.Split(text, ";") {
		start := at
		at += len(part) + 1
		bad := func(format string, args ...any) error {
			return &RuleError{Start: start, End: start + len(part), Message: fmt.Sprintf(format, args...)}
		}
		name, value, ok := strings.Cut(strings.ToUpper(part), "=")
		if !ok || value == "" {
			return nil, bad("expected NAME=VALUE, found %q", part)
		}
		read := rrulePartReaders[name]
		if read == nil {
			return nil, bad("RFC 5545 rules have no %s", name)
		}
		if seen[name] {
			return nil, bad("%s is given twice", name)
		}
		seen[name] = true
		if err := read(r, value); err != nil {
			return nil, bad("%s: %v", name, err)
		}
	}
	if message := r.conflictText(seen); message != "" {
		return nil, &RuleError{End: len(text), Message: message}
	}
	return r, nil
}

// rrulePartReaders has a row for each part of a rule: how its value is read.
var rrulePartReaders = map[string]func(r *RRule, value string) error{
	"FREQ": func(r *RRule, v string) error {
		i, err := indexOfWord(v, freqNames)
		r.Freq = Freq(i)
		return err
	},
	"WKST": func(r *RRule, v string) error {
		i, err := indexOfWord(v, dayNames[1:])
		r.WeekStart = civil.Weekday(i + 1)
		return err
	},
	"SKIP": func(r *RRule, v string) error {
		i, err := indexOfWord(v, skipNames)
		r.Skip = Skip(i)
		return err
	},
	"RSCALE": func(_ *RRule, v string) error { _, err := indexOfWord(v, []string{"GREGORIAN"}); return err },
	"INTERVAL": func(r *RRule, v string) (err error) {
		r.Interval, err = parseNumberIn(v, 1, int(civil.Max))
		return err
	},
	"COUNT":      func(r *RRule, v string) (err error) { r.Count, err = parseNumberIn(v, 1, 1<<31-1); return err },
	"UNTIL":      func(r *RRule, v string) error { return r.parseUntil(v) },
	"BYDAY":      func(r *RRule, v string) (err error) { r.ByDay, err = parseByDay(v); return err },
	"BYSECOND":   func(r *RRule, v string) (err error) { r.BySecond, err = parseNumberList(v, 0, 60, false); return err },
	"BYMINUTE":   func(r *RRule, v string) (err error) { r.ByMinute, err = parseNumberList(v, 0, 59, false); return err },
	"BYHOUR":     func(r *RRule, v string) (err error) { r.ByHour, err = parseNumberList(v, 0, 23, false); return err },
	"BYMONTHDAY": func(r *RRule, v string) (err error) { r.ByMonthDay, err = parseNumberList(v, 1, 31, true); return err },
	"BYYEARDAY":  func(r *RRule, v string) (err error) { r.ByYearDay, err = parseNumberList(v, 1, 366, true); return err },
	"BYWEEKNO":   func(r *RRule, v string) (err error) { r.ByWeekNo, err = parseNumberList(v, 1, 53, true); return err },
	"BYMONTH":    func(r *RRule, v string) (err error) { r.ByMonth, err = parseNumberList(v, 1, 12, false); return err },
	"BYSETPOS":   func(r *RRule, v string) (err error) { r.BySetPos, err = parseNumberList(v, 1, 366, true); return err },
}

// indexOfWord is the place of a word in a list.
func indexOfWord(word string, list []string) (int, error) {
	i := slices.Index(list, word)
	if i < 0 {
		return 0, fmt.Errorf("expected one of %[2]s, found %[1]q", word, strings.Join(list, ", "))
	}
	return i, nil
}

// conflictText says which parts don't go together; "" if all do.
func (r *RRule) conflictText(seen map[string]bool) string {
	numbered := slices.ContainsFunc(r.ByDay, func(d ByDay) bool { return d.N != 0 })
	chooses := false
	for name := range seen {
		chooses = chooses || strings.HasPrefix(name, "BY") && name != "BYSETPOS"
	}
	switch {
	case !seen["FREQ"]:
		return "a rule needs FREQ"
	case r.Count > 0 && r.Until != nil:
		return "COUNT and UNTIL can't be combined (RFC 5545, section 3.3.10)"
	case seen["SKIP"] && !seen["RSCALE"]:
		return "SKIP needs RSCALE=GREGORIAN (RFC 7529)"
	case r.ByWeekNo != nil && r.Freq != Yearly:
		return "BYWEEKNO needs FREQ=YEARLY only"
	case r.ByYearDay != nil && (r.Freq == Daily || r.Freq == Weekly || r.Freq == Monthly):
		return "BYYEARDAY can't be combined with FREQ=" + freqNames[r.Freq]
	case r.ByMonthDay != nil && r.Freq == Weekly:
		return "BYMONTHDAY can't be combined with FREQ=WEEKLY"
	case numbered && (r.Freq < Monthly || r.ByWeekNo != nil):
		return "a numbered BYDAY needs FREQ=MONTHLY, or with YEARLY without BYWEEKNO"
	case r.BySetPos != nil && !chooses:
		return "BYSETPOS needs another BY part to choose from"
	}
	return ""
}

func parseNumberIn(s string, lo, hi int) (int, error) {
	n, err := strconv.Atoi(s)
	if err != nil || n < lo || n > hi || s[0] == '+' {
		return 0, fmt.Errorf("expected a number from %[2]d to %[3]d, found %[1]q", s, lo, hi)
	}
	return n, nil
}

func parseNumberList(s string, lo, hi int, signed bool) (list []int, err error) {
	for _, f := range strings.Split(s, ",") {
		sign, digits := 1, f
		if signed && f != "" && (f[0] == '-' || f[0] == '+') {
			digits = f[1:]
			if f[0] == '-' {
				sign = -1
			}
		}
		n, err := parseNumberIn(digits+strings.Repeat("x", max(0, 1-len(digits))), lo, hi)
		if err != nil {
			return nil, err
		}
		list = append(list, sign*n)
	}
	return list, nil
}

func parseByDay(s string) (list []ByDay, err error) {
	for _, f := range strings.Split(s, ",") {
		if len(f) < 2 || slices.Index(dayNames, f[len(f)-2:]) < 1 {
			return nil, fmt.Errorf("expected a weekday such as MO or -1FR, found %q", f)
		}
		d := ByDay{Weekday: civil.Weekday(slices.Index(dayNames, f[len(f)-2:]))}
		if n := f[:len(f)-2]; n != "" {
			nums, err := parseNumberList(n, 1, 53, true)
			if err != nil {
				return nil, err
			}
			d.N = nums[0]
		}
		list = append(list, d)
	}
	return list, nil
}

// parseUntil reads 20270331 or 20270331T163000[Z].
func (r *RRule) parseUntil(s string) error {
	bad := fmt.Errorf("expected a date such as 20270331 or a time such as 20270331T163000Z, found %q", s)
	rest, utc := strings.CutSuffix(s, "Z")
	day, clock, timed := strings.Cut(rest, "T")
	if len(day) != 8 || utc && !timed {
		return bad
	}
	d, _, ok := civil.Parse(day[:4] + "-" + day[4:6] + "-" + day[6:])
	if !ok {
		return bad
	}
	r.Until, r.UntilDate, r.UntilUTC = &DateTime{d, 86399}, !timed, utc
	if timed {
		n, err := parseNumberIn(clock, 0, 235960)
		if err != nil || len(clock) != 6 || n/100%100 > 59 {
			return bad
		}
		r.Until.Second = n/10000*3600 + n/100%100*60 + min(n%100, 59)
	}
	return nil
}

// String writes the rule in one canonical form.
func (r *RRule) String() string {
	var b strings.Builder
	put := func(name, value string) {
		if b.Len() > 0 {
			b.WriteByte(';')
		}
		b.WriteString(name + "=" + value)
	}
	list := func(name string, nums []int) {
		if nums != nil {
			var s []string
			for _, n := range nums {
				s = append(s, strconv.Itoa(n))
			}
			put(name, strings.Join(s, ","))
		}
	}
	if r.Skip != SkipOmit {
		put("RSCALE", "GREGORIAN")
	}
	put("FREQ", freqNames[r.Freq])
	if r.Skip != SkipOmit {
		put("SKIP", skipNames[r.Skip])
	}
	if r.Interval > 1 {
		put("INTERVAL", strconv.Itoa(r.Interval))
	}
	list("BYMONTH", r.ByMonth)
	list("BYWEEKNO", r.ByWeekNo)
	list("BYYEARDAY", r.ByYearDay)
	list("BYMONTHDAY", r.ByMonthDay)
	if r.ByDay != nil {
		var s []string
		for _, d := range r.ByDay {
			n := ""
			if d.N != 0 {
				n = strconv.Itoa(d.N)
			}
			s = append(s, n+dayNames[d.Weekday])
		}
		put("BYDAY", strings.Join(s, ","))
	}
	list("BYHOUR", r.ByHour)
	list("BYMINUTE", r.ByMinute)
	list("BYSECOND", r.BySecond)
	list("BYSETPOS", r.BySetPos)
	if r.WeekStart != civil.Monday {
		put("WKST", dayNames[r.WeekStart])
	}
	if r.Count > 0 {
		put("COUNT", strconv.Itoa(r.Count))
	}
	if r.Until != nil {
		s := strings.ReplaceAll(r.Until.Day.String(), "-", "")
		if !r.UntilDate {
			n := r.Until.Second
			s += fmt.Sprintf("T%02d%02d%02d", n/3600, n/60%60, n%60)
			if r.UntilUTC {
				s += "Z"
			}
		}
		put("UNTIL", s)
	}
	return b.String()
}
