package workdays

import (
	"cmp"
	"iter"
	"maps"
	"slices"
	"sort"

	"yoyaku/internal/core/civil"
)

// FullDayWeight is a whole working day, in the hundredths in which parts of one are counted.
const FullDayWeight = 100

// ShortDaySource is a Source that may list short days.
type ShortDaySource interface{ HasShortDays() bool }

// HasShortDays reports whether the calendar may have short days.
func (c *Calendar) HasShortDays() bool {
	return slices.ContainsFunc(c.joined, (*Calendar).HasShortDays) || slices.ContainsFunc(c.entries, func(e entry) bool {
		s, ok := e.source.(ShortDaySource)
		return ok && s.HasShortDays()
	})
}

// HasShortDays implements HasShortDays.
func (l HolidayList) HasShortDays() bool {
	return slices.ContainsFunc(l, func(h Holiday) bool { return h.IsShortDay() })
}

// ShortDayOn returns the short day that d is; ok is false for all other days.
func (c *Calendar) ShortDayOn(d civil.Date) (h Holiday, ok bool) {
	for h := range c.ShortDays(civil.Span{First: d, Last: d}) {
		return h, true
	}
	return h, false
}

// ShortDays yields the short days in s by date: working days of which a part counts.
func (c *Calendar) ShortDays(s civil.Span) iter.Seq[Holiday] {
	t := c.table.Load()
	if t == nil || s.First < t.span.First || s.Last > t.span.Last {
		t = c.tableFor(s)
	}
	return slices.Values(holidaysInSpan(t.shortDays, s))
}

// WeightBetween adds up the parts of the working days after a up to and including b, in
// hundredths of a day; when b is before a it is the exact negative of those from b to a.
func (c *Calendar) WeightBetween(a, b civil.Date) int {
	if b < a {
		return -c.WeightBetween(b, a)
	}
	n := FullDayWeight * c.CountBetween(a, b)
	if t := c.table.Load(); len(t.shortDays) > 0 && a < b {
		n -= t.missingWeight(civil.Span{First: a + 1, Last: b})
	}
	return n
}

// WeightIn is WeightBetween over all days of s.
func (c *Calendar) WeightIn(s civil.Span) int {
	n := FullDayWeight * c.Count(s)
	if t := c.table.Load(); len(t.shortDays) > 0 {
		n -= t.missingWeight(s)
	}
	return n
}

// DayWeight returns how much of a working day d is, in hundredths: 100, the Weight of a short
// day, or 0 if d is closed.
func (c *Calendar) DayWeight(d civil.Date) int { return c.WeightIn(civil.Span{First: d, Last: d}) }

// missingWeight is what the short days of s lack of whole ones.
func (t *table) missingWeight(s civil.Span) int {
	upto := func(d civil.Date) int {
		n := sort.Search(len(t.shortDays), func(i int) bool { return t.shortDays[i].Date > d })
		return int(t.missingWeights[n])
	}
	return upto(s.Last) - upto(s.First-1)
}

// setShortDays keeps the short days among those listed: those that are open, the last word on
// each counting.
func (t *table) setShortDays(listed map[civil.Date]Holiday) {
	t.shortDays = slices.DeleteFunc(slices.Collect(maps.Values(listed)), func(h Holiday) bool {
		return !t.span.Contains(h.Date) || !t.isOpen(h.Date)
	})
	slices.SortFunc(t.shortDays, func(a, b Holiday) int { return cmp.Compare(a.Date, b.Date) })
	t.missingWeights = make([]int32, len(t.shortDays)+1)
	for i, h := range t.shortDays {
		t.missingWeights[i+1] = t.missingWeights[i] + int32(FullDayWeight-h.Weight)
	}
}

// mergeShortDays combines two short days of one date in joined calendars: the smaller Weight
// and the earlier Until.
func mergeShortDays(a, b Holiday) Holiday {
	if a.Name != b.Name {
		a.Name += ", " + b.Name
	}
	a.Weight = min(a.Weight, b.Weight)
	if b.Until > 0 && (a.Until == 0 || b.Until < a.Until) {
		a.Until = b.Until
	}
	return a
}

// holidaysInSpan are the days of a sorted list that lie in s.
func holidaysInSpan(list []Holiday, s civil.Span) []Holiday {
	if len(list) == 0 {
		return nil
	}
	lo := sort.Search(len(list), func(i int) bool { return list[i].Date >= s.First })
	hi := sort.Search(len(list), func(i int) bool { return list[i].Date > s.Last })
	return list[lo:hi]
}
