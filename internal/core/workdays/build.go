package workdays

import "yoyaku/internal/core/civil"

// firstBuild is how far around the first day asked about a table reaches.
const firstBuild = 400

// margin is how far beyond a table the entries are worked out, in whole words. A
// rule's day may be moved into the table from there; what lies beyond can only
// matter through days that are closed one after another all the way.
const margin = 64 * 8

// covering returns a table that holds all of span, growing it when needed.
// A table at least doubles when it grows, so growth costs little per day.
func (c *Calendar) covering(span civil.Span) *table {
	if t := c.at.Load(); t != nil && span.First >= t.span.First && span.Last <= t.span.Last {
		return t
	}
	c.grow.Lock()
	defer c.grow.Unlock()
	want := span.Widen(firstBuild, firstBuild)
	if t := c.at.Load(); t != nil {
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
		t = c.wider(want)
	case c.joined != nil:
		t = c.join(want)
	default:
		t = c.build(want)
	}
	t.count()
	c.at.Store(t)
	return t
}

// join makes a table that is open only where those of all joined calendars are.
func (c *Calendar) join(span civil.Span) *table {
	t := weekdays(span, 0)
	short := map[civil.Date]Holiday{}
	one := &table{span: span, words: make([]uint64, len(t.words))}
	for _, j := range c.joined {
		under := j.covering(span)
		one.copied(under)
		for i, w := range one.words {
			t.words[i] &= w
		}
		t.hols = append(t.hols, under.within(span)...)
		for _, h := range between(under.short, span) {
			if other, twice := short[h.Date]; twice {
				h = lesser(other, h)
			}
			short[h.Date] = h
		}
	}
	for _, e := range c.entries { // what is tried
		for _, d := range e.opened {
			if delete(short, d); span.Has(d) {
				t.set(d, true)
			}
		}
		if e.source == nil {
			continue
		}
		for h := range e.source.Days(span, nil) {
			t.set(h.Date, false)
			t.hols = append(t.hols, h)
		}
	}
	sortHolidays(t.hols)
	t.shorten(short)
	return t
}

// wider is the table of a view over more days: beyond what is being built it
// knows closed weekdays alone.
func (c *Calendar) wider(span civil.Span) *table {
	t := weekdays(span, c.closed)
	if was := c.at.Load(); was != nil {
		t.copied(was)
	}
	return t
}

// seen are the holidays that the entries so far list for a day, of a view.
func (c *Calendar) seen(d civil.Date) []Holiday {
	for ; c.upto < len(*c.listed); c.upto++ {
		h := (*c.listed)[c.upto]
		c.named[h.Date] = append(c.named[h.Date], h)
	}
	return c.named[d]
}

// build works out all entries in one table, each seeing what those above it have
// made of it.
func (c *Calendar) build(span civil.Span) *table {
	if len(c.entries) == 0 {
		return weekdays(span, c.closed)
	}
	c.view.building.Lock()
	defer c.view.building.Unlock()
	wide := span.Widen(margin, margin)
	c.view.at.Store(weekdays(wide, c.closed))
	var hols []Holiday
	c.view.listed, c.view.named, c.view.upto = &hols, map[civil.Date][]Holiday{}, 0
	defer func() { c.view.listed, c.view.named = nil, nil }()
	put := func(d civil.Date, open bool) { c.view.at.Load().set(d, open) } // the view may have grown
	short := map[civil.Date]Holiday{}
	for _, e := range c.entries {
		for _, d := range e.opened {
			if wide.Has(d) {
				put(d, true)
			}
			if e.whole {
				delete(short, d)
			}
		}
		if e.source == nil {
			continue
		}
		var own []Holiday // an entry doesn't see itself
		for h := range e.source.Days(wide, c.view) {
			switch {
			case h.Short():
				short[h.Date] = h
			case wide.Has(h.Date):
				own = append(own, h)
			}
		}
		hols = append(hols, own...)
		for _, h := range own {
			put(h.Date, false)
		}
	}
	seen := c.view.at.Load()
	t := &table{span: span, words: make([]uint64, (span.Len()+63)/64)}
	t.copied(seen)
	c.view.at.Store(nil)
	for _, h := range hols {
		if span.Has(h.Date) {
			t.hols = append(t.hols, h)
		}
	}
	sortHolidays(t.hols)
	t.shorten(short)
	return t
}
