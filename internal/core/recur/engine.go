package recur

import (
	"cmp"
	"iter"
	"slices"
	"strconv"

	"yoyaku/internal/core/civil"
)

func appendInt(b []byte, n int) []byte { return strconv.AppendInt(b, int64(n), 10) }

// All yields the nominal dates of the rule that lie in span, in order and each
// day once. It holds one period at a time and allocates nothing per date.
func (r *Rule) All(span civil.Span) iter.Seq[Date] {
	return func(yield func(Date) bool) {
		b := r.boundsOnce()
		skip := 0 // place in Without
		out := func(d civil.Date) bool {
			for skip < len(r.Exclude) && r.Exclude[skip].Last < d {
				skip++
			}
			return skip < len(r.Exclude) && r.Exclude[skip].First <= d || r.isExcluded(d)
		}
		more := r.Include
		for len(more) > 0 && more[0] < span.First {
			more = more[1:]
		}
		plus := func(upto civil.Date) bool { // yields Plus up to a day, not included
			for len(more) > 0 && more[0] < upto && more[0] <= span.Last {
				d := Date{Date: more[0], Period: more[0], Item: -1}
				more = more[1:]
				if !yield(d) {
					return false
				}
			}
			return true
		}
		s := civil.Span{First: max(span.First, b.span.First), Last: min(span.Last, b.span.Last)}
		if len(r.Include) == 0 && !r.hasExclusions() {
			if s.First <= s.Last {
				r.nominalDates(b, s)(yield)
			}
			return
		}
		if s.First <= s.Last {
			for d := range r.nominalDates(b, s) {
				if out(d.Date) {
					continue
				}
				if len(more) > 0 {
					if !plus(d.Date) {
						return
					}
					if len(more) > 0 && more[0] == d.Date {
						more = more[1:]
					}
				}
				if !yield(d) {
					return
				}
			}
		}
		plus(civil.Max + 1)
	}
}

// hasExclusions reports whether dates are left out.
func (r *Rule) hasExclusions() bool {
	return len(r.Exclude) > 0 || r.ExcludeClosed || r.ExcludeFunc != nil
}

// isExcluded reports whether d is left out other than by a span of Exclude: as a closed day, or
// by ExcludeFunc.
func (r *Rule) isExcluded(d civil.Date) bool {
	return r.ExcludeClosed && !r.Calendar.IsWorkday(d) || r.ExcludeFunc != nil && r.ExcludeFunc(d)
}

// nominalDates yields the dates in s before exclusions and extra dates.
func (r *Rule) nominalDates(b bounds, s civil.Span) iter.Seq[Date] {
	if r.Working {
		return r.workdayDates(b, s)
	}
	return func(yield func(Date) bool) {
		var room [40]Date
		buf := room[:0]
		i := r.Frame.PeriodIndex(r.Unit, s.First)
		if r.mayLeavePeriod {
			i--
		}
		if i = r.nextVisitedPeriod(b, i); r.mayLeavePeriod && r.Every > 1 {
			i -= r.Every
		}
		walk := r.Frame.Walk(r.Unit, i)
		for next := 0; ; walk.Skip(next) {
			next = r.Every
			p, ok := walk.Period()
			if !ok && p.First > s.Last || p.First > s.Last && len(buf) == 0 && !r.mayLeavePeriod {
				return
			}
			// Days that lie past their period wait for those of the next one.
			settled := civil.Max
			if r.mayLeavePeriod {
				settled = p.Last - 7
				if p.First > s.Last+7 {
					settled = civil.Max
				}
			}
			if ok && r.parts != nil && r.Unit == civil.Day {
				next = roundUpToInterval(r.parts.daysToMatchingMonth(p.First), r.Every)
			}
			if ok {
				buf = r.appendPeriod(buf, p)
			}
			n := 0
			for i := range buf {
				d := buf[i]
				if d.Date > settled {
					break
				}
				n++
				if d.Date < s.First {
					continue
				}
				if d.Date > s.Last {
					return
				}
				if r.Months != 0 {
					if _, m, _ := d.Date.YMD(); r.Months>>m&1 == 0 {
						continue
					}
				}
				if !yield(d) {
					return
				}
			}
			buf = append(buf[:0], buf[n:]...)
			if r.mayLeavePeriod && p.First > s.Last+7 {
				return
			}
		}
	}
}

// nextVisitedPeriod is the first period from number i on that the rule visits.
func (r *Rule) nextVisitedPeriod(b bounds, i int) int {
	if off := (i - b.phase) % r.Every; off > 0 {
		return i + r.Every - off
	} else if off < 0 {
		return i - off
	}
	return i
}

// Batches yields what All does, several dates at a time where they cost next to nothing;
// each batch is valid until the next one is asked for.
func (r *Rule) Batches(span civil.Span) iter.Seq[[]Date] {
	if r.itemsInOrder && len(r.Include) == 0 && !r.hasExclusions() {
		b := r.boundsOnce()
		s := civil.Span{First: max(span.First, b.span.First), Last: min(span.Last, b.span.Last)}
		return func(yield func([]Date) bool) {
			if s.First <= s.Last {
				r.batchMonthDays(b, s, yield)
			}
		}
	}
	return func(yield func([]Date) bool) {
		one := make([]Date, 1)
		for one[0] = range r.All(span) {
			if !yield(one) {
				return
			}
		}
	}
}

// batchMonthDays is nominalDates for plain monthly rules (numbered days in rising order), the
// common case: no sorting, several dates per call of yield.
func (r *Rule) batchMonthDays(b bounds, s civil.Span, yield func([]Date) bool) {
	var room [64]Date
	list := room[:0]
	i := r.nextVisitedPeriod(b, r.Frame.PeriodIndex(civil.Month, s.First))
	first, ok := civil.MonthDay(i, 1)
	for y, m := i/12, i%12+1; ok && first <= s.Last; {
		last := first + civil.Date(civil.DaysIn(y, m)) - 1
		if r.Months == 0 || r.Months>>m&1 == 1 {
			for k := range r.Items {
				day, _ := NumberedDay(civil.Span{First: first, Last: last}, r.Items[k].N)
				if day < s.First || day > s.Last {
					continue
				}
				if list = append(list, Date{Date: day, Period: first, Item: int16(k), SubItem: 1}); len(list) == len(room) {
					if !yield(list) {
						return
					}
					list = room[:0]
				}
			}
		}
		if r.Every > 1 {
			i += r.Every
			y, m = i/12, i%12+1
			first, ok = civil.MonthDay(i, 1)
			continue
		}
		first = last + 1
		if m++; m > 12 {
			y, m = y+1, 1
		}
	}
	if len(list) > 0 {
		yield(list)
	}
}

// workdayDates yields every Nth working day, counted from date 0 of b.
func (r *Rule) workdayDates(b bounds, s civil.Span) iter.Seq[Date] {
	return func(yield func(Date) bool) {
		d, ok := r.Calendar.OnOrAfter(s.First)
		if !ok {
			return
		}
		off := r.Calendar.CountBetween(b.first, d) % r.Every
		if off < 0 {
			off += r.Every
		}
		if off > 0 {
			d, ok = r.Calendar.AddWorkdays(d, r.Every-off)
		}
		for ; ok && d <= s.Last; d, ok = r.Calendar.AddWorkdays(d, r.Every) {
			if r.Months != 0 {
				if _, m, _ := d.YMD(); r.Months>>m&1 == 0 {
					continue
				}
			}
			if !yield(Date{Date: d, Period: d, Item: -1}) {
				return
			}
		}
	}
}

// appendPeriod adds the days that the items name in period p to buf, in order, each
// day once.
func (r *Rule) appendPeriod(buf []Date, p civil.Span) []Date {
	if r.parts != nil {
		return sortUnique(r.parts.appendMatches(buf, p, true))
	}
	if r.numberedOnly {
		for i := range r.Items {
			day, _ := NumberedDay(p, r.Items[i].N)
			buf = append(buf, Date{Date: day, Period: p.First, Item: int16(i), SubItem: 1})
		}
		return sortUnique(buf)
	}
	for i := range r.Items {
		it := &r.Items[i]
		in := p
		if it.Month != 0 {
			y, m, _ := p.First.YMD()
			m += it.Month - 1
			in.First, _ = civil.NewDate(y, m, 1)
			in.Last = in.First + civil.Date(civil.DaysIn(y, m)) - 1
		}
		d := Date{Period: p.First, Item: int16(i), SubItem: 1}
		if r.Unit == civil.Day {
			d.Item = -1
		}
		buf = r.appendItem(buf, it, in, d)
	}
	return sortUnique(buf)
}

// appendItem appends the days that an item names in a period, or in the month of it that the
// item says; d has their period and item.
func (r *Rule) appendItem(buf []Date, it *Item, in civil.Span, d Date) []Date {
	put := func(day civil.Date) {
		if d.Date = day; day.Valid() {
			buf = append(buf, d)
		}
		d.SubItem++
	}
	switch it.Kind {
	case DayNumber:
		last := it.N
		if it.To != 0 {
			last = it.To
		}
		for n := it.N; n <= last; n++ {
			if day, fits := NumberedDay(in, n); fits || !r.SkipShort {
				put(day)
			}
		}
	case EveryWeekday:
		w := it.Weekday
		for {
			for day := in.First.OnOrAfter(w); day <= in.Last; day += 7 {
				put(day)
			}
			if it.WeekdayTo == 0 || w == it.WeekdayTo {
				break
			}
			w = w%7 + 1
		}
	case NthWeekday:
		if day, ok := NthWeekdayOf(in, it.N, it.Weekday); ok {
			put(day)
		}
	case NthWorking:
		if s := in.Widen(0, 0); s.First <= s.Last {
			if day, ok := r.Calendar.NthIn(s, it.N); ok {
				put(day)
			}
		}
	case MiddleDay:
		put(in.Midpoint())
	case EasterDay:
		if y := d.Period.Year(); y >= civil.MinYear && y <= civil.MaxYear {
			put(civil.Easter(y))
		}
	case OrthodoxEasterDay:
		if y := d.Period.Year(); y >= civil.MinYear && y <= civil.MaxYear {
			put(civil.OrthodoxEaster(y))
		}
	case WeekOfYear:
		if day, ok := civil.FromISOWeek(d.Period.Year(), it.N, it.Weekday); ok {
			put(day)
		}
	}
	return buf
}

// sortUnique sorts dates and drops duplicates. Of equals it keeps the one of the earlier
// period, then of the later item: IDs then stay the same if an item is inserted in front.
func sortUnique(buf []Date) []Date {
	for i := 1; i < len(buf); i++ {
		if buf[i].Date <= buf[i-1].Date {
			slices.SortStableFunc(buf, func(a, b Date) int {
				return cmp.Or(cmp.Compare(a.Date, b.Date), cmp.Compare(a.Period, b.Period), cmp.Compare(b.Item, a.Item))
			})
			return slices.CompactFunc(buf, func(a, b Date) bool { return a.Date == b.Date })
		}
	}
	return buf
}

// NumberedDay returns the nth day of s, or for n below zero the nth from its
// end; past the other end it is clamped to that end and fits is false.
func NumberedDay(s civil.Span, n int) (d civil.Date, fits bool) {
	if n > 0 {
		return min(s.First+civil.Date(n-1), s.Last), n <= s.Len()
	}
	return max(s.Last+civil.Date(n+1), s.First), -n <= s.Len()
}

// NthWeekdayOf returns the nth w of s, counted from its end for n below zero;
// ok is false when s has fewer.
func NthWeekdayOf(s civil.Span, n int, w civil.Weekday) (civil.Date, bool) {
	d := s.First.OnOrAfter(w) + civil.Date(7*(n-1))
	if n < 0 {
		d = s.Last.OnOrBefore(w) + civil.Date(7*(n+1))
	}
	return d, s.Contains(d)
}

// After returns the first nominal date after d; ok is false when there is none.
func (r *Rule) After(d civil.Date) (Date, bool) {
	for n := range r.All(civil.Span{First: d + 1, Last: civil.Max}) {
		return n, true
	}
	return Date{}, false
}

// Before returns the last nominal date before d; ok is false when there is none.
func (r *Rule) Before(d civil.Date) (last Date, ok bool) {
	for width := 2 * r.MaxGap(); ; width *= 4 {
		s := civil.Span{First: d - 1, Last: d - 1}.Widen(width, 0)
		if s.First > s.Last {
			return last, false
		}
		for n := range r.All(s) {
			last, ok = n, true
		}
		if ok || s.First == civil.Min || s.First <= r.boundsOnce().span.First && (len(r.Include) == 0 || s.First <= r.Include[0]) {
			return last, ok
		}
	}
}

// Endless reports whether nothing in the rule ends it before year 9999.
func (r *Rule) Endless() bool {
	return !r.listed && r.Until == civil.None && r.BackFrom == civil.None && r.MaxDates == 0
}

// HasStart reports whether the rule has a first date of its own.
func (r *Rule) HasStart() bool {
	return r.listed || r.From != civil.None || r.BackFrom != civil.None && r.MaxDates > 0
}

// Span returns the first and last nominal date that the rule's bounds allow, extra dates
// included.
func (r *Rule) Span() civil.Span {
	s := r.boundsOnce().span
	if n := len(r.Include); n > 0 {
		if s.Last < s.First {
			return civil.Span{First: r.Include[0], Last: r.Include[n-1]}
		}
		s = civil.Span{First: min(s.First, r.Include[0]), Last: max(s.Last, r.Include[n-1])}
	}
	return s
}

// ExcludedDates lists the dates that the rule would give if it left none out; whole is
// false if they have no end.
func (r *Rule) ExcludedDates() (list []civil.Date, whole bool) {
	b := r.boundsOnce()
	day := func(s civil.Span, out func(civil.Date) bool) {
		s = civil.Span{First: max(s.First, b.span.First), Last: min(s.Last, b.span.Last)}
		if s.First > s.Last {
			return
		}
		for d := range r.nominalDates(b, s) {
			if out(d.Date) {
				list = append(list, d.Date)
			}
		}
	}
	for _, s := range r.Exclude {
		day(s, func(civil.Date) bool { return true })
	}
	if r.ExcludeClosed || r.ExcludeFunc != nil {
		if r.Endless() || b.span.First == civil.Min {
			return nil, false
		}
		day(b.span, r.isExcluded)
		slices.Sort(list)
		list = slices.Compact(list)
	}
	return list, true
}

// DateBeforeStart returns the last nominal date before d, ignoring From, exclusions and extra
// dates; ok is false for listed dates. It bounds the first period of a series.
func (r *Rule) DateBeforeStart(d civil.Date) (civil.Date, bool) {
	if r.listed {
		return civil.None, false
	}
	free := *r
	b := r.boundsOnce()
	b.span.First = civil.Min
	free.boundsOnce = func() bounds { return b }
	free.Include, free.Exclude, free.ExcludeClosed, free.ExcludeFunc = nil, nil, false, nil
	early, ok := free.Before(d)
	return early.Date, ok
}

// UsesCalendar reports whether the nominal dates depend on a working calendar.
func (r *Rule) UsesCalendar() bool {
	for _, it := range r.Items {
		if it.Kind == NthWorking {
			return true
		}
	}
	return r.Working || r.ExcludeClosed
}
