package workdays

import (
	"slices"

	"yoyaku/internal/core/civil"
)

// initialTableDays is how many days around the first query a table covers.
const initialTableDays = 400

// tableMargin is how many days on either side of a table holiday rules are evaluated, a
// multiple of 64: a rule may roll a holiday into the table from there. A roll over more closed
// days than that is missed.
const tableMargin = 64 * 8

// tableFor returns a table that holds all of span, growing it when needed.
// A table at least doubles when it grows, so growth costs little per day.
func (c *Calendar) tableFor(span civil.Span) *table {
	if t := c.table.Load(); t != nil && span.First >= t.span.First && span.Last <= t.span.Last {
		return t
	}
	c.grow.Lock()
	defer c.grow.Unlock()
	want := span.Widen(initialTableDays, initialTableDays)
	if t := c.table.Load(); t != nil {
		if span.First >= t.span.First && span.Last <= t.span.Last {
			return t
		}
		want = t.span
		if span.First < want.First {
			want = want.Widen(max(t.span.Len(), int(want.First-span.First)), 0)
		}
		if span.Last > want.Last {
			want = want.Widen(0, max(t.span.Len(), int(span.Last-want.Last)))
		}
	}
	var t *table
	switch {
	case c.isView:
		t = c.widenView(want)
	case c.joined != nil:
		t = c.joinTables(want)
	default:
		t = c.build(want)
	}
	t.buildRanks()
	c.table.Store(t)
	return t
}

// joinTables makes a table that is open only where those of all joined calendars are.
func (c *Calendar) joinTables(span civil.Span) *table {
	t := weekdayTable(span, 0)
	short := map[civil.Date]Holiday{}
	one := &table{span: span, words: make([]uint64, len(t.words))}
	for _, j := range c.joined {
		under := j.tableFor(span)
		one.copyFrom(under)
		for i, w := range one.words {
			t.words[i] &= w
		}
		t.holidays = append(t.holidays, under.holidaysIn(span)...)
		for _, h := range holidaysInSpan(under.shortDays, span) {
			if other, twice := short[h.Date]; twice {
				h = mergeShortDays(other, h)
			}
			short[h.Date] = h
		}
	}
	for _, e := range c.entries { // what is tried
		for _, d := range e.openDays {
			if delete(short, d); span.Contains(d) {
				t.setOpen(d, true)
			}
		}
		t.holidays = e.withoutFull(t.holidays)
		if e.source == nil {
			continue
		}
		for h := range e.source.Days(span, nil) {
			t.setOpen(h.Date, false)
			t.holidays = append(t.holidays, h)
		}
	}
	sortHolidays(t.holidays)
	t.setShortDays(short)
	return t
}

// withoutFull drops the holidays that the entry opens as whole days: they are none any more, for
// those that take them either.
func (e entry) withoutFull(list []Holiday) []Holiday {
	if !e.fullDays || len(e.openDays) == 0 {
		return list
	}
	return slices.DeleteFunc(list, func(h Holiday) bool { return slices.Contains(e.openDays, h.Date) })
}

// widenView is the table of a view over more days: beyond what is being built it
// knows closed weekdays alone.
func (c *Calendar) widenView(span civil.Span) *table {
	t := weekdayTable(span, c.closed)
	if was := c.table.Load(); was != nil {
		t.copyFrom(was)
	}
	return t
}

// viewHolidays are the holidays that the entries so far list for a day, of a view.
func (c *Calendar) viewHolidays(d civil.Date) []Holiday {
	for ; c.namedCount < len(*c.listed); c.namedCount++ {
		h := (*c.listed)[c.namedCount]
		c.byDay[h.Date] = append(c.byDay[h.Date], h)
	}
	return c.byDay[d]
}

// build works out all entries in one table, each seeing what those above it have
// made of it.
func (c *Calendar) build(span civil.Span) *table {
	if len(c.entries) == 0 {
		return weekdayTable(span, c.closed)
	}
	c.view.building.Lock()
	defer c.view.building.Unlock()
	wide := span.Widen(tableMargin, tableMargin)
	c.view.table.Store(weekdayTable(wide, c.closed))
	var hols []Holiday
	c.view.listed, c.view.byDay, c.view.namedCount = &hols, map[civil.Date][]Holiday{}, 0
	defer func() { c.view.listed, c.view.byDay = nil, nil }()
	put := func(d civil.Date, open bool) { c.view.table.Load().setOpen(d, open) } // the view may have grown
	short := map[civil.Date]Holiday{}
	for _, e := range c.entries {
		for _, d := range e.openDays {
			if wide.Contains(d) {
				put(d, true)
			}
			if e.fullDays {
				delete(short, d)
			}
		}
		hols = e.withoutFull(hols)
		if e.source == nil {
			continue
		}
		var own []Holiday // an entry doesn't see itself
		for h := range e.source.Days(wide, c.view) {
			switch {
			case h.IsShortDay():
				short[h.Date] = h
			case wide.Contains(h.Date):
				own = append(own, h)
			}
		}
		hols = append(hols, own...)
		for _, h := range own {
			put(h.Date, false)
		}
	}
	seen := c.view.table.Load()
	t := &table{span: span, words: make([]uint64, (span.Len()+63)/64)}
	t.copyFrom(seen)
	c.view.table.Store(nil)
	for _, h := range hols {
		if span.Contains(h.Date) {
			t.holidays = append(t.holidays, h)
		}
	}
	sortHolidays(t.holidays)
	t.setShortDays(short)
	return t
}
