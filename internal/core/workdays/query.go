package workdays

import (
	"cmp"
	"iter"
	"math/bits"
	"slices"
	"sort"

	"yoyaku/internal/core/civil"
)

// Open reports whether d is a working day.
func (c *Calendar) Open(d civil.Date) bool {
	if t := c.at.Load(); t != nil && t.span.Has(d) {
		return t.open(d)
	}
	return c.covering(civil.Span{First: d, Last: d}).open(d)
}

// Stays reports whether the calendar knows d and it is a working day, so that no roll
// moves it. It may say no if it has yet to look.
func (c *Calendar) Stays(d civil.Date) bool {
	t := c.at.Load()
	return t != nil && t.span.Has(d) && c.Known.Has(d) && t.open(d)
}

// Between counts the working days after a up to and including b; when b is
// before a it is the exact negative of the count from b to a. It takes
// constant time once the calendar has grown over both days.
func (c *Calendar) Between(a, b civil.Date) int {
	t := c.covering(civil.Span{First: min(a, b), Last: max(a, b)})
	return t.rank(b) - t.rank(a)
}

// Count returns the number of working days in s.
func (c *Calendar) Count(s civil.Span) int {
	t := c.covering(s)
	n := t.rank(s.Last) - t.rank(s.First)
	if t.open(s.First) {
		n++
	}
	return n
}

// Add returns the nth working day strictly after d, or for n below zero the
// nth strictly before it; 0 gives d itself. ok is false beyond the bounds.
func (c *Calendar) Add(d civil.Date, n int) (r civil.Date, ok bool) {
	if n == 0 {
		return d, true
	}
	t := c.at.Load()
	if t == nil || !t.span.Has(d) {
		t = c.covering(civil.Span{First: d, Last: d})
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
		if far := s.Len(); far > longestClosed && t.closedAt(n > 0) {
			return civil.None, false
		}
		t = c.covering(s)
	}
}

// longestClosed is how many closed days in a row are looked through for a working
// day: ten years. A calendar without one would be looked through to the end of
// time.
const longestClosed = 3660

// closedAt reports whether the last days of the table, or its first, are closed
// for longer than any office is.
func (t *table) closedAt(end bool) bool {
	s := civil.Span{First: t.span.First, Last: min(t.span.Last, t.span.First+longestClosed)}
	if end {
		s = civil.Span{First: max(t.span.First, t.span.Last-longestClosed), Last: t.span.Last}
	}
	return s.Len() > longestClosed/2 && t.rank(s.Last)-t.rank(s.First) == 0
}

// near is how many words are looked through one by one before the counts are
// searched.
const near = 8

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
			return t.day(w, word, k), true
		} else if k -= c; w+1 == len(t.words) {
			return civil.None, false
		} else if w++; w-int(i>>6) > near {
			return t.pick(t.rank(d) + n)
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
			return t.day(w, word, c-k+1), true
		} else if k -= c; w == 0 {
			return civil.None, false
		} else if w--; int(i>>6)-w > near {
			k = t.rank(d) - n
			if !t.open(d) {
				k++
			}
			return t.pick(k)
		}
		word = t.words[w]
	}
}

// day returns the day of the kth set bit of a word of the table.
func (t *table) day(w int, word uint64, k int) civil.Date {
	for ; k > 1; k-- {
		word &= word - 1
	}
	return t.span.First + civil.Date(w*64+bits.TrailingZeros64(word))
}

// pick returns the kth open day of the table, 1 being the first.
func (t *table) pick(k int) (civil.Date, bool) {
	if k < 1 || k > t.rank(t.span.Last) {
		return civil.None, false
	}
	w := sort.Search(len(t.ranks), func(i int) bool { return int(t.ranks[i]) >= k }) - 1
	return t.day(w, t.words[w], k-int(t.ranks[w])), true
}

// OnOrAfter returns d itself if it is worked, else the first working day after.
func (c *Calendar) OnOrAfter(d civil.Date) (civil.Date, bool) {
	if c.Open(d) {
		return d, true
	}
	return c.Add(d, 1)
}

// OnOrBefore returns d itself if it is worked, else the last working day before.
func (c *Calendar) OnOrBefore(d civil.Date) (civil.Date, bool) {
	if c.Open(d) {
		return d, true
	}
	return c.Add(d, -1)
}

// Nth returns the nth working day of s, counted from its end for n below zero;
// ok is false when s has fewer.
func (c *Calendar) Nth(s civil.Span, n int) (civil.Date, bool) {
	var r civil.Date
	var ok bool
	if n > 0 {
		if r, ok = c.OnOrAfter(s.First); ok && n > 1 {
			r, ok = c.Add(r, n-1)
		}
	} else if r, ok = c.OnOrBefore(s.Last); ok && n < -1 {
		r, ok = c.Add(r, n+1)
	}
	return r, ok && s.Has(r)
}

// within returns the table's holidays in span.
func (t *table) within(s civil.Span) []Holiday {
	return between(t.hols, s)
}

func sortHolidays(h []Holiday) {
	slices.SortStableFunc(h, func(a, b Holiday) int { return cmp.Compare(a.Date, b.Date) })
}

// Holidays yields the listed holidays in s by date, those on closed weekdays
// and those opened again included.
func (c *Calendar) Holidays(s civil.Span) iter.Seq[Holiday] {
	return slices.Values(c.covering(s).within(s))
}

// On returns the holidays that are listed for d, on a weekend too.
func (c *Calendar) On(d civil.Date) []Holiday {
	s := civil.Span{First: d, Last: d}
	if c.isView && c.listed != nil {
		return c.seen(d)
	}
	if t := c.at.Load(); t != nil && t.span.Has(d) {
		return t.within(s)
	}
	return c.covering(s).within(s)
}

// Closure says why a day is closed: a closed weekday or holidays.
type Closure struct {
	Weekend  bool
	Holidays []Holiday
}

// Why returns what closes d; the zero Closure when nothing does.
func (c *Calendar) Why(d civil.Date) Closure {
	if c.Open(d) {
		return Closure{}
	}
	return Closure{Weekend: c.weekend(d.Weekday()), Holidays: c.On(d)}
}

// Weekend reports whether d is closed because of its weekday, a holiday or not.
func (c *Calendar) Weekend(d civil.Date) bool { return !c.Open(d) && c.weekend(d.Weekday()) }

func (c *Calendar) weekend(w civil.Weekday) bool {
	for _, j := range c.joined {
		if j.weekend(w) {
			return true
		}
	}
	return c.closed.Has(w)
}

// Days makes c a Source: another calendar's listed holidays and its short days.
func (c *Calendar) Days(span civil.Span, _ *Calendar) iter.Seq[Holiday] {
	t := c.covering(span)
	return slices.Values(slices.Concat(t.within(span), between(t.short, span)))
}

// List is a Source of holidays written down one by one.
type List []Holiday

// Through adds a holiday on each day of a stretch.
func (l List) Through(h Holiday, s civil.Span) List {
	for d := s.First; d <= s.Last; d++ {
		h.Date, h.Nominal = d, d
		l = append(l, h)
	}
	return l
}

// Days implements Source.
func (l List) Days(span civil.Span, _ *Calendar) iter.Seq[Holiday] {
	return func(yield func(Holiday) bool) {
		for _, h := range l {
			if span.Has(h.Date) && !yield(h) {
				return
			}
		}
	}
}
