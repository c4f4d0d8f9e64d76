package workdays

import (
	"cmp"
	"iter"
	"maps"
	"slices"
	"sort"

	"yoyaku/internal/core/civil"
)

// Whole is a whole working day, in the hundredths in which parts of one are counted.
const Whole = 100

// Shortens is a Source that may list short days.
type Shortens interface{ Shortens() bool }

// Shortens reports whether the calendar may have short days.
func (c *Calendar) Shortens() bool {
	return slices.ContainsFunc(c.joined, (*Calendar).Shortens) || slices.ContainsFunc(c.entries, func(e entry) bool {
		s, ok := e.source.(Shortens)
		return ok && s.Shortens()
	})
}

// Shortens implements Shortens.
func (l List) Shortens() bool {
	return slices.ContainsFunc(l, func(h Holiday) bool { return h.Short() })
}

// Short returns the short day that d is; ok is false for all other days.
func (c *Calendar) Short(d civil.Date) (h Holiday, ok bool) {
	for h := range c.ShortDays(civil.Span{First: d, Last: d}) {
		return h, true
	}
	return h, false
}

// ShortDays yields the short days in s by date: working days of which a part counts.
func (c *Calendar) ShortDays(s civil.Span) iter.Seq[Holiday] {
	t := c.at.Load()
	if t == nil || s.First < t.span.First || s.Last > t.span.Last {
		t = c.covering(s)
	}
	return slices.Values(between(t.short, s))
}

// Counted adds up the parts of the working days after a up to and including b, in
// hundredths of a day; when b is before a it is the exact negative of those from b to a.
func (c *Calendar) Counted(a, b civil.Date) int {
	if b < a {
		return -c.Counted(b, a)
	}
	n := Whole * c.Between(a, b)
	if t := c.at.Load(); len(t.short) > 0 && a < b {
		n -= t.lost(civil.Span{First: a + 1, Last: b})
	}
	return n
}

// CountedIn is Counted for all days of s.
func (c *Calendar) CountedIn(s civil.Span) int {
	n := Whole * c.Count(s)
	if t := c.at.Load(); len(t.short) > 0 {
		n -= t.lost(s)
	}
	return n
}

// Part is what of d counts, in hundredths of a working day; 0 for a closed one.
func (c *Calendar) Part(d civil.Date) int { return c.CountedIn(civil.Span{First: d, Last: d}) }

// lost is what the short days of s lack of whole ones.
func (t *table) lost(s civil.Span) int {
	upto := func(d civil.Date) int {
		n := sort.Search(len(t.short), func(i int) bool { return t.short[i].Date > d })
		return int(t.lacks[n])
	}
	return upto(s.Last) - upto(s.First-1)
}

// shorten keeps the short days among those listed: those that are open, the last word on
// each counting.
func (t *table) shorten(listed map[civil.Date]Holiday) {
	t.short = slices.DeleteFunc(slices.Collect(maps.Values(listed)), func(h Holiday) bool {
		return !t.span.Has(h.Date) || !t.open(h.Date)
	})
	slices.SortFunc(t.short, func(a, b Holiday) int { return cmp.Compare(a.Date, b.Date) })
	t.lacks = make([]int32, len(t.short)+1)
	for i, h := range t.short {
		t.lacks[i+1] = t.lacks[i] + int32(Whole-h.Counts)
	}
}

// lesser is a day that is short in two joined calendars: the least part of both, and the
// earliest end.
func lesser(a, b Holiday) Holiday {
	if a.Name != b.Name {
		a.Name += ", " + b.Name
	}
	a.Counts = min(a.Counts, b.Counts)
	if b.Until > 0 && (a.Until == 0 || b.Until < a.Until) {
		a.Until = b.Until
	}
	return a
}

// between are the days of a sorted list that lie in s.
func between(list []Holiday, s civil.Span) []Holiday {
	if len(list) == 0 {
		return nil
	}
	lo := sort.Search(len(list), func(i int) bool { return list[i].Date >= s.First })
	hi := sort.Search(len(list), func(i int) bool { return list[i].Date > s.Last })
	return list[lo:hi]
}
