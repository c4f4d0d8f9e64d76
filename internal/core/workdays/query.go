package workdays

import (
	"cmp"
	"iter"
	"math/bits"
	"slices"
	"sort"

	"yoyaku/internal/core/civil"
)

// IsWorkday reports whether d is a working day.
func (c *Calendar) IsWorkday(d civil.Date) bool {
	if t := c.table.Load(); t != nil && t.span.Contains(d) {
		return t.isOpen(d)
	}
	return c.tableFor(civil.Span{First: d, Last: d}).isOpen(d)
}

// IsKnownWorkday reports, without taking a lock or growing the table, whether d is a covered
// workday. False may also mean that the table doesn't reach d yet; ask IsWorkday then.
func (c *Calendar) IsKnownWorkday(d civil.Date) bool {
	t := c.table.Load()
	return t != nil && t.span.Contains(d) && c.Coverage.Contains(d) && t.isOpen(d)
}

// CountBetween counts the working days after a up to and including b; when b is
// before a it is the exact negative of the count from b to a. It takes
// constant time once the calendar has grown over both days.
func (c *Calendar) CountBetween(a, b civil.Date) int {
	t := c.tableFor(civil.Span{First: min(a, b), Last: max(a, b)})
	return t.openUpTo(b) - t.openUpTo(a)
}

// Count returns the number of working days in s.
func (c *Calendar) Count(s civil.Span) int {
	t := c.tableFor(s)
	n := t.openUpTo(s.Last) - t.openUpTo(s.First)
	if t.isOpen(s.First) {
		n++
	}
	return n
}

// AddWorkdays returns the nth working day strictly after d, or for n below zero the
// nth strictly before it; 0 gives d itself. ok is false beyond the bounds.
func (c *Calendar) AddWorkdays(d civil.Date, n int) (r civil.Date, ok bool) {
	if n == 0 {
		return d, true
	}
	t := c.table.Load()
	if t == nil || !t.span.Contains(d) {
		t = c.tableFor(civil.Span{First: d, Last: d})
	}
	for step := 64; ; step *= 2 {
		if n > 0 {
			r, ok = t.forward(d, n)
		} else {
			r, ok = t.backward(d, -n)
		}
		if ok {
			return r, true
		}
		s := civil.Span{First: d, Last: d}
		if n > 0 {
			s.Last = t.span.Last + civil.Date(step)
		} else {
			s.First = t.span.First - civil.Date(step)
		}
		s = s.Widen(0, 0)
		if t.span.First <= s.First && t.span.Last >= s.Last {
			return civil.None, false
		}
		if far := s.Len(); far > maxClosedRun && t.isClosedAtEdge(n > 0) {
			return civil.None, false
		}
		t = c.tableFor(s)
	}
}

// maxClosedRun is how many closed days in a row are looked through for a working
// day: ten years. A calendar without one would be looked through to the end of
// time.
const maxClosedRun = 3660

// isClosedAtEdge reports whether the last days of the table, or its first, are closed
// for longer than any office is.
func (t *table) isClosedAtEdge(end bool) bool {
	s := civil.Span{First: t.span.First, Last: min(t.span.Last, t.span.First+maxClosedRun)}
	if end {
		s = civil.Span{First: max(t.span.First, t.span.Last-maxClosedRun), Last: t.span.Last}
	}
	return s.Len() > maxClosedRun/2 && t.openUpTo(s.Last)-t.openUpTo(s.First) == 0
}

// linearScanWords is how many words are looked through one by one before the counts are
// searched.
const linearScanWords = 8

// forward returns the nth open day of the table after d, n above zero.
func (t *table) forward(d civil.Date, n int) (civil.Date, bool) {
	i := uint32(d-t.span.First) + 1
	w := int(i >> 6)
	if w >= len(t.words) {
		return civil.None, false
	}
	word := t.words[w] >> (i & 63) << (i & 63)
	for k := n; ; {
		if c := bits.OnesCount64(word); c >= k {
			return t.dayOfBit(w, word, k), true
		} else if k -= c; w+1 == len(t.words) {
			return civil.None, false
		} else if w++; w-int(i>>6) > linearScanWords {
			return t.nthOpen(t.openUpTo(d) + n)
		}
		word = t.words[w]
	}
}

// backward returns the nth open day of the table before d, n above zero.
func (t *table) backward(d civil.Date, n int) (civil.Date, bool) {
	i := uint32(d - t.span.First)
	w := int(i >> 6)
	word := t.words[w] & (1<<(i&63) - 1)
	for k := n; ; {
		if k == 1 && word != 0 { // the common case: the bit before
			return t.span.First + civil.Date(w*64+63-bits.LeadingZeros64(word)), true
		}
		if c := bits.OnesCount64(word); c >= k {
			return t.dayOfBit(w, word, c-k+1), true
		} else if k -= c; w == 0 {
			return civil.None, false
		} else if w--; int(i>>6)-w > linearScanWords {
			k = t.openUpTo(d) - n
			if !t.isOpen(d) {
				k++
			}
			return t.nthOpen(k)
		}
		word = t.words[w]
	}
}

// dayOfBit returns the day of the kth set bit of a word of the table.
func (t *table) dayOfBit(w int, word uint64, k int) civil.Date {
	for ; k > 1; k-- {
		word &= word - 1
	}
	return t.span.First + civil.Date(w*64+bits.TrailingZeros64(word))
}

// nthOpen returns the kth open day of the table, 1 being the first.
func (t *table) nthOpen(k int) (civil.Date, bool) {
	if k < 1 || k > t.openUpTo(t.span.Last) {
		return civil.None, false
	}
	w := sort.Search(len(t.ranks), func(i int) bool { return int(t.ranks[i]) >= k }) - 1
	return t.dayOfBit(w, t.words[w], k-int(t.ranks[w])), true
}

// OnOrAfter returns d itself if it is worked, else the first working day after.
func (c *Calendar) OnOrAfter(d civil.Date) (civil.Date, bool) {
	if c.IsWorkday(d) {
		return d, true
	}
	return c.AddWorkdays(d, 1)
}

// OnOrBefore returns d itself if it is worked, else the last working day before.
func (c *Calendar) OnOrBefore(d civil.Date) (civil.Date, bool) {
	if c.IsWorkday(d) {
		return d, true
	}
	return c.AddWorkdays(d, -1)
}

// NthIn returns the nth working day of s, counted from its end for n below zero;
// ok is false when s has fewer.
func (c *Calendar) NthIn(s civil.Span, n int) (civil.Date, bool) {
	var r civil.Date
	var ok bool
	if n > 0 {
		if r, ok = c.OnOrAfter(s.First); ok && n > 1 {
			r, ok = c.AddWorkdays(r, n-1)
		}
	} else if r, ok = c.OnOrBefore(s.Last); ok && n < -1 {
		r, ok = c.AddWorkdays(r, n+1)
	}
	return r, ok && s.Contains(r)
}

// holidaysIn returns the table's holidays in span.
func (t *table) holidaysIn(s civil.Span) []Holiday {
	return holidaysInSpan(t.holidays, s)
}

func sortHolidays(h []Holiday) {
	slices.SortStableFunc(h, func(a, b Holiday) int { return cmp.Compare(a.Date, b.Date) })
}

// Holidays yields the listed holidays in s by date, those on closed weekdays
// and those opened again included.
func (c *Calendar) Holidays(s civil.Span) iter.Seq[Holiday] {
	return slices.Values(c.tableFor(s).holidaysIn(s))
}

// HolidaysOn returns the holidays that are listed for d, on a weekend too.
func (c *Calendar) HolidaysOn(d civil.Date) []Holiday {
	s := civil.Span{First: d, Last: d}
	if c.isView && c.listed != nil {
		return c.viewHolidays(d)
	}
	if t := c.table.Load(); t != nil && t.span.Contains(d) {
		return t.holidaysIn(s)
	}
	return c.tableFor(s).holidaysIn(s)
}

// Closure says why a day is closed: a closed weekday or holidays.
type Closure struct {
	Weekend  bool
	Holidays []Holiday
}

// ClosureOf returns what closes d; the zero Closure when nothing does.
func (c *Calendar) ClosureOf(d civil.Date) Closure {
	if c.IsWorkday(d) {
		return Closure{}
	}
	return Closure{Weekend: c.closedWeekday(d.Weekday()), Holidays: c.HolidaysOn(d)}
}

// IsWeekend reports whether d is closed because of its weekday, a holiday or not.
func (c *Calendar) IsWeekend(d civil.Date) bool {
	return !c.IsWorkday(d) && c.closedWeekday(d.Weekday())
}

// ClosedWeekdays are the weekdays that are closed, holidays aside.
func (c *Calendar) ClosedWeekdays() (set WeekdaySet) {
	for w := civil.Monday; w <= civil.Sunday; w++ {
		if c.closedWeekday(w) {
			set = set.With(w)
		}
	}
	return set
}

func (c *Calendar) closedWeekday(w civil.Weekday) bool {
	for _, j := range c.joined {
		if j.closedWeekday(w) {
			return true
		}
	}
	return c.closed.Contains(w)
}

// Days makes c a Source: another calendar's listed holidays and its short days.
func (c *Calendar) Days(span civil.Span, _ *Calendar) iter.Seq[Holiday] {
	t := c.tableFor(span)
	return slices.Values(slices.Concat(t.holidaysIn(span), holidaysInSpan(t.shortDays, span)))
}

// HolidayList is a Source of holidays written down one by one.
type HolidayList []Holiday

// AppendSpan adds a holiday on each day of a stretch.
func (l HolidayList) AppendSpan(h Holiday, s civil.Span) HolidayList {
	for d := s.First; d <= s.Last; d++ {
		h.Date, h.Nominal = d, d
		l = append(l, h)
	}
	return l
}

// Days implements Source.
func (l HolidayList) Days(span civil.Span, _ *Calendar) iter.Seq[Holiday] {
	return func(yield func(Holiday) bool) {
		for _, h := range l {
			if span.Contains(h.Date) && !yield(h) {
				return
			}
		}
	}
}
