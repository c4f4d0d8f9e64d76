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
	Omit Skip = iota
	Backward
	Forward
)

var skipNames = []string{"OMIT", "BACKWARD", "FORWARD"}

// dayNames are the weekdays of RFC 5545 by civil.Weekday.
var dayNames = []string{"", "MO", "TU", "WE", "TH", "FR", "SA", "SU"}

// ByDay is an entry of BYDAY: each such weekday, or the Nth.
type ByDay struct {
	N       int // 0: each
	Weekday civil.Weekday
}

// Moment is a day and a second of it, in no zone.
type Moment struct {
	Day    civil.Date
	Second int // 0 to 86399
}

// RRule is a recurrence rule of RFC 5545, section 3.3.10, with SKIP of RFC 7529.
type RRule struct {
	Freq      Freq
	Interval  int
	Count     int     // 0: none
	Until     *Moment // a plain date stands for its last second
	UntilDate bool    // Until was written as a date
	UntilUTC  bool    // Until was written with Z
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
	scale := false
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
		if seen[name] {
			return nil, bad("%s stands twice", name)
		}
		seen[name] = true
		var err error
		switch name {
		case "FREQ":
			i := slices.Index(freqNames, value)
			if i < 0 {
				return nil, bad("FREQ is one of %s", strings.Join(freqNames, ", "))
			}
			r.Freq = Freq(i)
		case "INTERVAL":
			r.Interval, err = number(value, 1, int(civil.Max))
		case "COUNT":
			r.Count, err = number(value, 1, 1<<31-1)
		case "UNTIL":
			err = r.until(value)
		case "WKST":
			i := slices.Index(dayNames, value)
			if i < 1 {
				return nil, bad("WKST is one of MO, TU, WE, TH, FR, SA, SU")
			}
			r.WeekStart = civil.Weekday(i)
		case "RSCALE":
			scale = true
			if value != "GREGORIAN" {
				return nil, bad("RSCALE=%s: only GREGORIAN is read", value)
			}
		case "SKIP":
			i := slices.Index(skipNames, value)
			if i < 0 {
				return nil, bad("SKIP is OMIT, BACKWARD or FORWARD")
			}
			r.Skip = Skip(i)
		case "BYDAY":
			r.ByDay, err = byDay(value)
		case "BYSECOND":
			r.BySecond, err = numbers(value, 0, 60, false)
		case "BYMINUTE":
			r.ByMinute, err = numbers(value, 0, 59, false)
		case "BYHOUR":
			r.ByHour, err = numbers(value, 0, 23, false)
		case "BYMONTHDAY":
			r.ByMonthDay, err = numbers(value, 1, 31, true)
		case "BYYEARDAY":
			r.ByYearDay, err = numbers(value, 1, 366, true)
		case "BYWEEKNO":
			r.ByWeekNo, err = numbers(value, 1, 53, true)
		case "BYMONTH":
			r.ByMonth, err = numbers(value, 1, 12, false)
		case "BYSETPOS":
			r.BySetPos, err = numbers(value, 1, 366, true)
		default:
			return nil, bad("RFC 5545 has no %s in a rule", name)
		}
		if err != nil {
			return nil, bad("%s: %v", name, err)
		}
	}
	whole := func(format string, args ...any) error {
		return &RuleError{End: len(text), Message: fmt.Sprintf(format, args...)}
	}
	numbered := slices.ContainsFunc(r.ByDay, func(d ByDay) bool { return d.N != 0 })
	switch {
	case !seen["FREQ"]:
		return nil, whole("a rule needs FREQ")
	case r.Count > 0 && r.Until != nil:
		return nil, whole("COUNT and UNTIL exclude each other (RFC 5545, section 3.3.10)")
	case seen["SKIP"] && !scale:
		return nil, whole("SKIP goes with RSCALE=GREGORIAN (RFC 7529)")
	case r.ByWeekNo != nil && r.Freq != Yearly:
		return nil, whole("BYWEEKNO goes with FREQ=YEARLY only")
	case r.ByYearDay != nil && (r.Freq == Daily || r.Freq == Weekly || r.Freq == Monthly):
		return nil, whole("BYYEARDAY doesn't go with FREQ=%s", freqNames[r.Freq])
	case r.ByMonthDay != nil && r.Freq == Weekly:
		return nil, whole("BYMONTHDAY doesn't go with FREQ=WEEKLY")
	case numbered && (r.Freq < Monthly || r.ByWeekNo != nil):
		return nil, whole("a numbered BYDAY goes with FREQ=MONTHLY, or with YEARLY without BYWEEKNO")
	case r.BySetPos != nil && r.BySecond == nil && r.ByMinute == nil && r.ByHour == nil && r.ByDay == nil && r.ByMonthDay == nil &&
		r.ByYearDay == nil && r.ByWeekNo == nil && r.ByMonth == nil:
		return nil, whole("BYSETPOS needs another BY part to choose from")
	}
	return r, nil
}

func number(s string, lo, hi int) (int, error) {
	n, err := strconv.Atoi(s)
	if err != nil || n < lo || n > hi || s[0] == '+' {
		return 0, fmt.Errorf("%q is not a number from %d to %d", s, lo, hi)
	}
	return n, nil
}

func numbers(s string, lo, hi int, signed bool) (list []int, err error) {
	for _, f := range strings.Split(s, ",") {
		sign, digits := 1, f
		if signed && f != "" && (f[0] == '-' || f[0] == '+') {
			digits = f[1:]
			if f[0] == '-' {
				sign = -1
			}
		}
		n, err := number(digits+strings.Repeat("x", max(0, 1-len(digits))), lo, hi)
		if err != nil {
			return nil, err
		}
		list = append(list, sign*n)
	}
	return list, nil
}

func byDay(s string) (list []ByDay, err error) {
	for _, f := range strings.Split(s, ",") {
		if len(f) < 2 || slices.Index(dayNames, f[len(f)-2:]) < 1 {
			return nil, fmt.Errorf("%q is not a weekday such as MO or -1FR", f)
		}
		d := ByDay{Weekday: civil.Weekday(slices.Index(dayNames, f[len(f)-2:]))}
		if n := f[:len(f)-2]; n != "" {
			nums, err := numbers(n, 1, 53, true)
			if err != nil {
				return nil, err
			}
			d.N = nums[0]
		}
		list = append(list, d)
	}
	return list, nil
}

// until reads 20270331 or 20270331T163000[Z].
func (r *RRule) until(s string) error {
	bad := fmt.Errorf("%q is not a date 20270331 or a time 20270331T163000Z", s)
	rest, utc := strings.CutSuffix(s, "Z")
	day, clock, timed := strings.Cut(rest, "T")
	if len(day) != 8 || utc && !timed {
		return bad
	}
	d, _, ok := civil.Parse(day[:4] + "-" + day[4:6] + "-" + day[6:])
	if !ok {
		return bad
	}
	r.Until, r.UntilDate, r.UntilUTC = &Moment{d, 86399}, !timed, utc
	if timed {
		n, err := number(clock, 0, 235960)
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
	if r.Skip != Omit {
		put("RSCALE", "GREGORIAN")
	}
	put("FREQ", freqNames[r.Freq])
	if r.Skip != Omit {
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
