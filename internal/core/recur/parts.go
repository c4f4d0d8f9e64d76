package recur

import (
	"errors"
	"slices"

	"yoyaku/internal/core/civil"
)

// byParts are the BY parts of an RFC 5545 rule that choose days, compiled to
// sets. A day is chosen when every part that is present holds it; the parts
// that the rule leaves open are taken from DTSTART (section 3.3.10).
type byParts struct {
	freq             Freq
	weekStart        civil.Weekday
	skip             Skip
	months           uint16 // bit m; 0: all
	monthDays        uint32 // bit d of BYMONTHDAY above zero
	monthDaysFromEnd uint32 // bit d of BYMONTHDAY below zero
	hasByMonthDay    bool   // BYMONTHDAY is present
	yearDays         []int
	weeks            []int
	weekdays         uint8 // bit w: each such weekday
	nthWeekdays      []ByDay
	nthInMonth       bool // numbered weekdays count within the month
	setPos           []int
	periodsVisited   int // periods that a walk through time looked at
}

// errNoStart is what a rule without DTSTART is told that needs one.
var errNoStart = errors.New("this rule needs a first date")

// NeedsStart reports whether an error of RRule.Rule means that it lacks DTSTART.
func NeedsStart(err error) bool { return errors.Is(err, errNoStart) }

// compile takes what the rule leaves open from start; None if there is none.
func (r *RRule) compile(start civil.Date) (*byParts, error) {
	p := &byParts{freq: r.Freq, weekStart: r.WeekStart, skip: r.Skip, yearDays: r.ByYearDay, weeks: r.ByWeekNo,
		setPos:        r.BySetPos,
		hasByMonthDay: r.ByMonthDay != nil}
	for _, m := range r.ByMonth {
		p.months |= 1 << m
	}
	for _, d := range r.ByMonthDay {
		if d > 0 {
			p.monthDays |= 1 << d
		} else {
			p.monthDaysFromEnd |= 1 << -d
		}
	}
	for _, d := range r.ByDay {
		if d.N == 0 {
			p.weekdays |= 1 << d.Weekday
		} else {
			p.nthWeekdays = append(p.nthWeekdays, d)
		}
	}
	p.nthInMonth = r.Freq == Monthly || r.ByMonth != nil
	open := !p.hasByMonthDay && r.ByDay == nil && p.yearDays == nil
	if !open || r.Freq < Weekly {
		return p, nil
	}
	if start == civil.None {
		return nil, errNoStart
	}
	_, month, day := start.YMD()
	switch {
	case r.Freq == Weekly, p.weeks != nil:
		p.weekdays = 1 << start.Weekday()
	case r.Freq == Yearly && p.months == 0:
		p.months = 1 << month
		fallthrough
	default:
		p.monthDays, p.hasByMonthDay = 1<<day, true
	}
	return p, nil
}

// mayLeavePeriod reports whether days can lie outside of their period.
func (p *byParts) mayLeavePeriod() bool { return p.weeks != nil || p.skip == SkipForward }

// daysToMatchingMonth returns how many days from d on can't match because of their month.
func (p *byParts) daysToMatchingMonth(d civil.Date) int {
	y, m, day := d.YMD()
	if p.months == 0 || p.months>>m&1 == 1 {
		return 0
	}
	n := 1 - day
	for range 12 {
		n += civil.DaysIn(y, m)
		if m++; m > 12 {
			y, m = y+1, 1
		}
		if p.months>>m&1 == 1 {
			break
		}
	}
	return n
}

// roundUpToInterval rounds days up to whole steps of a cadence, 1 at least.
func roundUpToInterval(days, every int) int { return max(1, (days+every-1)/every) * every }

// firstWeek is the day on which week 1 of a year begins: the first week with
// at least four days in the year.
func (p *byParts) firstWeek(year int) civil.Date {
	d, ok := civil.NewDate(year, 1, 4)
	if !ok { // the year after the last
		return civil.Max + 1
	}
	return d.OnOrBefore(p.weekStart)
}

// appendMatches adds the chosen days of a period, in order, each once. BYSETPOS is
// applied where set says so.
func (p *byParts) appendMatches(buf []Date, s civil.Span, set bool) []Date {
	from := len(buf)
	put := func(d civil.Date) {
		if d.Valid() {
			buf = append(buf, Date{Date: d, Period: s.First, Item: -1})
		}
	}
	span := s.Widen(0, 0)
	if p.weeks != nil {
		y := span.First.Year()
		span = civil.Span{First: p.firstWeek(y), Last: p.firstWeek(y+1) - 1}.Widen(0, 0)
	}
	y, m, day := span.First.YMD()
	yearStart, _ := civil.NewDate(y, 1, 1)
	for d := span.First; d <= span.Last; {
		length := civil.DaysIn(y, m)
		left := min(length-day, int(span.Last-d)) // days of the month behind d
		if p.months == 0 || p.months>>m&1 == 1 {
			for i := 0; i <= left; i++ {
				if p.matches(d+civil.Date(i), day+i, length, yearStart, y) {
					put(d + civil.Date(i))
				}
			}
			p.appendSkipped(span, d+civil.Date(left), day+left == length, length, m, put)
		}
		d += civil.Date(left + 1)
		if day, m = 1, m+1; m > 12 {
			m, y = 1, y+1
			yearStart, _ = civil.NewDate(y, 1, 1)
		}
	}
	list := buf[from:]
	if p.skip != SkipOmit || from > 0 {
		slices.SortStableFunc(list, func(a, b Date) int { return int(a.Date - b.Date) })
		list = slices.CompactFunc(list, func(a, b Date) bool { return a.Date == b.Date })
	}
	if set && p.setPos != nil {
		list = applySetPos(list, p.setPos)
	}
	return buf[:from+len(list)]
}

// matches reports whether every part that is present holds a day: day is its
// number in a month of length days.
func (p *byParts) matches(d civil.Date, day, length int, yearStart civil.Date, year int) bool {
	if p.hasByMonthDay && p.monthDays>>day&1 == 0 && p.monthDaysFromEnd>>(length-day+1)&1 == 0 {
		return false
	}
	if p.yearDays != nil {
		n, whole := int(d-yearStart)+1, 365
		if civil.IsLeap(year) {
			whole = 366
		}
		if !slices.Contains(p.yearDays, n) && !slices.Contains(p.yearDays, n-whole-1) {
			return false
		}
	}
	if p.weeks != nil && !p.matchesWeekNo(d) {
		return false
	}
	return p.matchesByDay(d, day, length, yearStart, year)
}

// yearOf is the year that a day counts to: of its week where the rule goes by
// weeks, the year of most of it, else the calendar's.
func (p *byParts) yearOf(d civil.Date) int {
	if p.weeks == nil {
		return d.Year()
	}
	return (d.OnOrBefore(p.weekStart) + 3).Year()
}

func (p *byParts) matchesWeekNo(d civil.Date) bool {
	year := p.yearOf(d)
	first := p.firstWeek(year)
	n := int(d-first)/7 + 1
	whole := int(p.firstWeek(year+1)-first) / 7
	return slices.Contains(p.weeks, n) || slices.Contains(p.weeks, n-whole-1)
}

func (p *byParts) matchesByDay(d civil.Date, day, length int, yearStart civil.Date, year int) bool {
	if p.weekdays == 0 && p.nthWeekdays == nil {
		return true
	}
	w := d.Weekday()
	if p.weekdays>>w&1 == 1 {
		return true
	}
	for _, n := range p.nthWeekdays {
		if n.Weekday != w {
			continue
		}
		at, whole := day, length
		if !p.nthInMonth {
			at, whole = int(d-yearStart)+1, 365
			if civil.IsLeap(year) {
				whole = 366
			}
		}
		if n.N > 0 && (at-1)/7+1 == n.N || n.N < 0 && (whole-at)/7+1 == -n.N {
			return true
		}
	}
	return false
}

// appendSkipped appends the days that SKIP (RFC 7529 section 4.1) puts in the place of those
// that the month, or the year with its end, lacks. last is the last day of the month.
func (p *byParts) appendSkipped(span civil.Span, last civil.Date, ends bool, length, month int, put func(civil.Date)) {
	if p.skip == SkipOmit || !ends || p.freq < Monthly {
		return
	}
	to := last
	if p.skip == SkipForward {
		to++
	}
	lacks := p.hasByMonthDay && p.monthDays>>(length+1) != 0
	if month == 12 && p.yearDays != nil {
		lacks = slices.Contains(p.yearDays, 366) && !civil.IsLeap(last.Year())
	}
	if lacks && to.Valid() {
		y, m, day := to.YMD()
		start, _ := civil.NewDate(y, 1, 1)
		if p.matchesByDay(to, day, civil.DaysIn(y, m), start, y) {
			put(to)
		}
	}
}

// applySetPos keeps the entries at the positions of BYSETPOS.
func applySetPos[T any](list []T, positions []int) []T {
	keep := setPosIndexes(len(list), positions)
	for i, k := range keep {
		list[i] = list[k]
	}
	return list[:len(keep)]
}

// setPosIndexes are the places, from 0, that the positions of BYSETPOS name in a list of a length.
func setPosIndexes(length int, positions []int) (keep []int) {
	for _, n := range positions {
		if n < 0 {
			n += length + 1
		}
		if n >= 1 && n <= length {
			keep = append(keep, n-1)
		}
	}
	slices.Sort(keep)
	return slices.Compact(keep)
}

// Rule makes the recurrence of days that an RFC 5545 rule describes; from is
// DTSTART, or None. The rule's dates are those that match, so from itself
// counts only if it does.
func (r *RRule) Rule(from civil.Date) (*Rule, error) {
	switch {
	case r.Freq < Daily || r.ByHour != nil || r.ByMinute != nil || r.BySecond != nil:
		return nil, errors.New("times of day are only supported in calendar files")
	case from == civil.None && (r.Interval > 1 || r.Count > 0):
		return nil, errNoStart
	}
	p, err := r.compile(from)
	if err != nil {
		return nil, err
	}
	unit := [...]civil.Unit{Daily: civil.Day, Weekly: civil.Week, Monthly: civil.Month, Yearly: civil.Year}[r.Freq]
	rule := &Rule{Unit: unit, Every: r.Interval, From: from, MaxDates: r.Count, Frame: civil.DefaultFiscalCalendar, parts: p}
	rule.Frame.WeekStart = r.WeekStart
	if r.Until != nil {
		rule.Until = r.Until.Day
	}
	return rule, nil
}
