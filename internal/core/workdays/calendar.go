// Package workdays answers which days are worked: closed weekdays, holidays,
// opened days; counting and moving by working days; the trade's business-day
// conventions. A calendar grows on demand, so nothing is paid for centuries
// that nobody asks about.
package workdays

import (
	"iter"
	"math/bits"
	"strings"
	"sync"
	"sync/atomic"

	"yoyaku/internal/core/civil"
)

// Holiday is one closed day and where it comes from.
type Holiday struct {
	Date    civil.Date
	Nominal civil.Date // before its rule moved it
	Name    string
	Reason  string // why Date isn't Nominal; empty when it is
	Source  string // file and line that lists it
}

// Source lists holidays. Days yields those whose Date lies in span, in any
// order; below is the calendar of the closed weekdays and the entries above
// this one, which is what the entry's own rule may look at.
type Source interface {
	Days(span civil.Span, below *Calendar) iter.Seq[Holiday]
}

// WeekdaySet is a set of weekdays, bit 1 Monday to bit 7 Sunday.
type WeekdaySet uint8

// Has reports whether w is in the set.
func (s WeekdaySet) Has(w civil.Weekday) bool { return s>>w&1 == 1 }

// With returns the set with w added.
func (s WeekdaySet) With(w civil.Weekday) WeekdaySet { return s | 1<<w }

// Weekend is Saturday and Sunday.
const Weekend = WeekdaySet(1<<civil.Saturday | 1<<civil.Sunday)

// Calendar is a working calendar: layers over a set of closed weekdays, or
// several calendars joined. It is safe for concurrent use.
type Calendar struct {
	Name  string
	Title string // what it is, for people; may be empty
	// Known spans the days about which the calendar says it knows.
	Known civil.Span

	closed WeekdaySet // of a bottom layer
	below  *Calendar
	source Source       // holidays of this layer
	opened []civil.Date // days that this layer opens again
	joined []*Calendar

	grow sync.Mutex
	at   atomic.Pointer[table]
}

// New returns a calendar with closed weekdays and no holidays.
func New(name string, closed WeekdaySet) *Calendar {
	return &Calendar{Name: name, Known: civil.Always, closed: closed}
}

// WithHolidays returns a calendar that also closes the days of a source.
func (c *Calendar) WithHolidays(s Source) *Calendar {
	return &Calendar{Name: c.Name, Known: c.Known, below: c, source: s}
}

// WithOpen returns a calendar in which the given days are worked whatever the
// layers below say.
func (c *Calendar) WithOpen(days []civil.Date) *Calendar {
	return &Calendar{Name: c.Name, Known: c.Known, below: c, opened: days}
}

// Join returns the calendar that is open only where all of several are. It has
// a table of its own, so a query costs what it costs on a single calendar.
func Join(cals ...*Calendar) *Calendar {
	if len(cals) == 1 {
		return cals[0]
	}
	c := &Calendar{Known: civil.Always, joined: cals}
	for i, j := range cals {
		if i > 0 {
			c.Name += " + "
		}
		c.Name += j.Name
		c.Known.First = max(c.Known.First, j.Known.First)
		c.Known.Last = min(c.Known.Last, j.Known.Last)
	}
	return c
}

// ClosedText lists the closed weekdays: "sat, sun", or "none".
func (c *Calendar) ClosedText() string {
	var list []string
	for w := civil.Monday; w <= civil.Sunday; w++ {
		if c.weekend(w) {
			list = append(list, strings.ToLower(w.Short()))
		}
	}
	if list == nil {
		return "none"
	}
	return strings.Join(list, ", ")
}

// Parts returns the calendars that c joins, or c itself.
func (c *Calendar) Parts() []*Calendar {
	if c.joined == nil {
		return []*Calendar{c}
	}
	var parts []*Calendar
	for _, j := range c.joined {
		parts = append(parts, j.Parts()...)
	}
	return parts
}

// table is what a calendar has worked out so far: one bit a day, set when the
// day is worked, with the count of set bits before each word.
type table struct {
	span  civil.Span // civil.Always at the most
	words []uint64
	ranks []int32
	hols  []Holiday // by date, in the order listed
}

func (t *table) open(d civil.Date) bool {
	i := uint32(d - t.span.First)
	return t.words[i>>6]>>(i&63)&1 == 1
}

// rank counts the open days of the table up to and including d.
func (t *table) rank(d civil.Date) int {
	i := uint32(d - t.span.First)
	return int(t.ranks[i>>6]) + bits.OnesCount64(t.words[i>>6]<<(63-i&63))
}

// firstBuild is how far around the first day asked about a table reaches.
const firstBuild = 400

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
	t := c.build(want)
	c.at.Store(t)
	return t
}

func (c *Calendar) build(span civil.Span) *table {
	t := &table{span: span, words: make([]uint64, (span.Len()+63)/64)}
	set := func(d civil.Date, open bool) {
		i := uint32(d - span.First)
		if open {
			t.words[i>>6] |= 1 << (i & 63)
		} else {
			t.words[i>>6] &^= 1 << (i & 63)
		}
	}
	switch {
	case c.joined != nil:
		for d := span.First; d <= span.Last; d++ {
			set(d, true)
		}
		for _, j := range c.joined {
			under := j.covering(span)
			for d := span.First; d <= span.Last; d++ {
				if !under.open(d) {
					set(d, false)
				}
			}
			t.hols = append(t.hols, under.within(span)...)
		}
	case c.below != nil:
		under := c.below.covering(span)
		for d := span.First; d <= span.Last; d++ {
			set(d, under.open(d))
		}
		t.hols = append(t.hols, under.within(span)...)
		if c.source != nil {
			for h := range c.source.Days(span, c.below) {
				if span.Has(h.Date) {
					set(h.Date, false)
					t.hols = append(t.hols, h)
				}
			}
		}
		for _, d := range c.opened {
			if span.Has(d) {
				set(d, true)
			}
		}
	default:
		for d := span.First; d <= span.Last; d++ {
			set(d, !c.closed.Has(d.Weekday()))
		}
	}
	sortHolidays(t.hols)
	t.ranks = make([]int32, len(t.words))
	n := 0
	for i, w := range t.words {
		t.ranks[i] = int32(n)
		n += bits.OnesCount64(w)
	}
	return t
}
