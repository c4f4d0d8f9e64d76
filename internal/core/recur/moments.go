package recur

import (
	"iter"
	"slices"

	"yoyaku/internal/core/civil"
)

const secondsOfDay = 86400

// DateTimes yields the recurrence set of the rule from start on, in order, with
// times of day (RFC 5545, section 3.3.10). It is lazy, ends with the year 9999,
// and yields start itself only if it matches. An UNTIL in UTC has to be turned
// into the time of start by the caller.
func (r *RRule) DateTimes(start DateTime) iter.Seq[DateTime] {
	return func(yield func(DateTime) bool) {
		if p, err := r.compile(start.Day); err == nil {
			r.expand(p, start)(yield)
		}
	}
}

// DateTimesFrom is DateTimes from about a given moment on: a rule without COUNT isn't walked
// from its start. Some earlier moments may still be among them.
func (r *RRule) DateTimesFrom(start, from DateTime) iter.Seq[DateTime] {
	step := [...]int64{1, 60, 3600, secondsOfDay, 7 * secondsOfDay, 0, 0}[r.Freq] * int64(r.Interval)
	if step > 0 && r.Count == 0 {
		gap := int64(from.Day-start.Day)*secondsOfDay + int64(from.Second-start.Second)
		if k := gap/step - 1; k > 0 { // whole steps, so that the clock and the weekday stay
			at := int64(start.Day)*secondsOfDay + int64(start.Second) + k*step
			start = DateTime{civil.Date(at / secondsOfDay), int(at % secondsOfDay)}
		}
	}
	return r.DateTimes(start)
}

// expand is DateTimes with the rule's parts compiled.
func (r *RRule) expand(p *byParts, start DateTime) iter.Seq[DateTime] {
	return func(yield func(DateTime) bool) {
		n := 0
		var last DateTime                    // a skipped day may come to be one that the next period has too
		emit := func(list []DateTime) bool { // of one period's set, in order
			for _, m := range list {
				if m.Day < start.Day || m.Day == start.Day && m.Second < start.Second {
					continue
				}
				if m.Day < last.Day || m.Day == last.Day && m.Second <= last.Second {
					continue
				}
				last = m
				if u := r.Until; u != nil && (m.Day > u.Day || m.Day == u.Day && m.Second > u.Second) {
					return false
				}
				if n++; !yield(m) || n == r.Count {
					return false
				}
			}
			return true
		}
		if r.Freq >= Daily {
			r.expandDaily(p, start, emit)
		} else {
			r.expandSubDaily(p, start, emit)
		}
	}
}

// orDefault is a BY part, or what DTSTART says where it is absent.
func orDefault(list []int, from int) []int {
	if list == nil {
		return []int{from}
	}
	list = slices.Clone(list)
	slices.Sort(list)
	return slices.Compact(list)
}

// timesOfDay is the set of seconds of the day that hours, minutes and seconds give.
func timesOfDay(hours, minutes, seconds []int) (list []int) {
	for _, h := range hours {
		for _, m := range minutes {
			for _, s := range seconds {
				if t := h*3600 + m*60 + min(s, 59); len(list) == 0 || list[len(list)-1] != t {
					list = append(list, t)
				}
			}
		}
	}
	return list
}

// lastDay is a day after which no period needs to be looked at.
func (r *RRule) lastDay() civil.Date {
	if r.Until == nil {
		return civil.Max
	}
	return r.Until.Day + 7 // days of a week may precede their year
}

func (r *RRule) expandDaily(p *byParts, start DateTime, emit func([]DateTime) bool) {
	clock := timesOfDay(orDefault(r.ByHour, start.Second/3600), orDefault(r.ByMinute, start.Second/60%60),
		orDefault(r.BySecond, start.Second%60))
	f := civil.DefaultFiscalCalendar
	f.WeekStart = r.WeekStart
	unit := [...]civil.Unit{Daily: civil.Day, Weekly: civil.Week, Monthly: civil.Month, Yearly: civil.Year}[r.Freq]
	var days []Date
	var list []DateTime
	last := r.lastDay()
	next := r.Interval
	first := f.PeriodIndex(unit, start.Day)
	if r.Freq == Yearly {
		first = p.yearOf(start.Day)
	}
	for w := f.Walk(unit, first); ; w.Skip(next) {
		s, ok := w.Period()
		if !ok && s.First > civil.Max || s.First > last {
			return
		}
		if r.Freq == Daily {
			next = roundUpToInterval(p.daysToMatchingMonth(s.First), r.Interval)
		}
		p.periodsVisited++
		days = p.appendMatches(days[:0], s, false)
		if r.BySetPos != nil {
			list = list[:0]
			for _, k := range setPosIndexes(len(days)*len(clock), r.BySetPos) {
				list = append(list, DateTime{days[k/len(clock)].Date, clock[k%len(clock)]})
			}
			if !emit(list) {
				return
			}
			continue
		}
		for _, d := range days { // a year of seconds is never held
			list = list[:0]
			for _, t := range clock {
				list = append(list, DateTime{d.Date, t})
			}
			if !emit(list) {
				return
			}
		}
	}
}

// expandSubDaily expands HOURLY, MINUTELY and SECONDLY: a period is so many seconds of
// a day, every Interval of them since start.
func (r *RRule) expandSubDaily(p *byParts, start DateTime, emit func([]DateTime) bool) {
	length := [...]int64{Secondly: 1, Minutely: 60, Hourly: 3600}[r.Freq]
	step := length * int64(r.Interval)
	any := func(list []int, n int) bool { return list == nil || slices.Contains(list, n) }
	holds := func(t int) bool { // the parts that limit a period of the day
		return any(r.ByHour, t/3600) && (r.Freq == Hourly || any(r.ByMinute, t/60%60)) &&
			(r.Freq != Secondly || any(r.BySecond, t%60))
	}
	// The seconds of the day that the steps can reach at all; without one that
	// holds, the rule would look for ever.
	cycle := gcd(step, secondsOfDay)
	reached := false
	for t := (int64(start.Second) / length * length) % cycle; t < secondsOfDay && !reached; t += cycle {
		reached = holds(int(t))
	}
	if !reached {
		return
	}
	minutes, seconds := []int{0}, []int{0}
	if r.Freq == Hourly {
		minutes = orDefault(r.ByMinute, start.Second/60%60)
	}
	if r.Freq > Secondly {
		seconds = orDefault(r.BySecond, start.Second%60)
	}
	clock := timesOfDay([]int{0}, minutes, seconds)
	if r.BySetPos != nil && len(applySetPos(slices.Clone(clock), r.BySetPos)) == 0 {
		return // every period has as many moments as clock, none of them chosen
	}
	var day []Date
	var list []DateTime
	at := int64(start.Day)*secondsOfDay + int64(start.Second)/length*length
	for known := civil.None; at/secondsOfDay <= int64(min(r.lastDay(), civil.Max)); at += step {
		d, t := civil.Date(at/secondsOfDay), int(at%secondsOfDay)
		p.periodsVisited++
		if d != known {
			day = p.appendMatches(day[:0], civil.Span{First: d, Last: d}, false)
			known = d
		}
		next := at // a period that doesn't hold: skip to where the next could
		switch {
		case len(day) == 0:
			next = (int64(d) + int64(max(1, p.daysToMatchingMonth(d)))) * secondsOfDay
		case !any(r.ByHour, t/3600):
			next = at/3600*3600 + 3600
		case r.Freq < Hourly && !any(r.ByMinute, t/60%60):
			next = at/60*60 + 60
		}
		if next > at {
			at += (next - at - 1) / step * step
			continue
		}
		if !holds(t) {
			continue
		}
		list = list[:0]
		for _, c := range clock {
			list = append(list, DateTime{d, t + c})
		}
		if r.BySetPos != nil {
			list = applySetPos(list, r.BySetPos)
		}
		if !emit(list) {
			return
		}
	}
}

func gcd(a, b int64) int64 {
	for b != 0 {
		a, b = b, a%b
	}
	return a
}
