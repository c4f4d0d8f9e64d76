// Package workdays answers which days are worked: closed weekdays, holidays,
// opened days; counting and moving by working days; the trade's business-day
// conventions. A calendar grows on demand, so nothing is paid for centuries
// that nobody asks about.
package workdays

import (
	"fmt"
	"iter"
	"math/bits"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"yoyaku/internal/core/civil"
)

// Holiday is one closed day and where it comes from, or a short one.
type Holiday struct {
	Date    civil.Date
	Nominal civil.Date // before its rule moved it
	Name    string
	Reason  string // why Date isn't Nominal; empty when it is
	Source  string // file and line that lists it
	// Weight is what counts of a short day, in hundredths of a working day, and Until when
	// it ends, in minutes after midnight, 0 for no other time than any day. Weight is 0 for
	// a closed day.
	Weight, Until int
}

// IsShortDay reports whether it is a working day of which a part counts.
func (h Holiday) IsShortDay() bool { return h.Weight > 0 }

// Source lists holidays and short days. Days yields those whose Date lies in span, in any
// order; below is the calendar of the closed weekdays and the entries above
// this one, which is what the entry's own rule may look at.
type Source interface {
	Days(span civil.Span, below *Calendar) iter.Seq[Holiday]
}

// WeekdaySet is a set of weekdays, bit 1 Monday to bit 7 Sunday.
type WeekdaySet uint8

// Contains reports whether w is in the set.
func (s WeekdaySet) Contains(w civil.Weekday) bool { return s>>w&1 == 1 }

// With returns the set with w added.
func (s WeekdaySet) With(w civil.Weekday) WeekdaySet { return s | 1<<w }

// Weekend is Saturday and Sunday.
const Weekend = WeekdaySet(1<<civil.Saturday | 1<<civil.Sunday)

// Calendar is a working calendar: a set of closed weekdays and entries that close
// or open days, in order, or several calendars joined. It is safe for concurrent
// use.
type Calendar struct {
	Name  string
	Title string // what it is, for people; may be empty
	// BuiltIn says that the program brings it along.
	BuiltIn bool
	// Depth is how many calendars lie below this one, each taken in by the next.
	Depth int
	// Coverage spans the days about which the calendar says it knows.
	Coverage civil.Span

	closed  WeekdaySet
	entries []entry
	joined  []*Calendar
	// view is the calendar while it is being built: what the rule of an entry
	// sees, the entries above it and nothing else.
	view     *Calendar
	isView   bool
	building sync.Mutex // of a view: one calendar is built at a time
	// listed are, of a view, the holidays of the entries so far; named are those of them
	// by their days that were looked up, the first upto.
	listed     *[]Holiday
	byDay      map[civil.Date][]Holiday
	namedCount int

	grow  sync.Mutex
	table atomic.Pointer[table]

	// IsDefault marks the calendar that stands in if none was given.
	IsDefault bool
	// LacksHolidays says that no holidays and no short days are listed, and that nobody said
	// that this is meant.
	LacksHolidays bool
	used          atomic.Bool
	misses        [2]atomic.Int64 // dates worked out before and after Known
}

// entry closes the days of a source, or opens days again.
type entry struct {
	source   Source
	openDays []civil.Date
	fullDays bool // opened days are whole ones
}

// New returns a calendar with closed weekdays and no holidays.
func New(name string, closed WeekdaySet) *Calendar {
	return &Calendar{Name: name, Coverage: civil.AllDays, closed: closed, view: &Calendar{Name: name, Coverage: civil.AllDays,
		closed: closed, isView: true}}
}

func (c *Calendar) withEntries(more ...entry) *Calendar {
	return &Calendar{Name: c.Name, Coverage: c.Coverage, closed: c.closed, entries: append(slices.Clone(c.entries),
		more...), view: c.view, Depth: c.Depth}
}

// WithHolidays returns a calendar that also closes the days of sources, in order.
func (c *Calendar) WithHolidays(sources ...Source) *Calendar {
	more := make([]entry, len(sources))
	for i, s := range sources {
		more[i].source = s
	}
	return c.withEntries(more...)
}

// WithOpen returns a calendar in which the given days are working days, whatever the entries
// above say.
func (c *Calendar) WithOpen(days []civil.Date) *Calendar { return c.withEntries(entry{openDays: days}) }

// WithChanges returns the calendar with some days closed and others opened as whole working
// days, above all its entries.
func (c *Calendar) WithChanges(closed HolidayList, opened []civil.Date) *Calendar {
	t := c.withEntries(entry{source: closed}, entry{openDays: opened, fullDays: true})
	t.Title, t.BuiltIn, t.IsDefault, t.LacksHolidays, t.joined = c.Title, c.BuiltIn, c.IsDefault, c.LacksHolidays, c.joined
	return t
}

// BuildView returns the calendar as its entries so far make it; the rule of the next entry
// rolls by it. It is valid only during a build; before, it knows closed weekdays alone.
func (c *Calendar) BuildView() *Calendar { return c.view }

// Join returns the calendar that is open only where all of several are. It has
// a table of its own, so a query costs what it costs on a single calendar.
func Join(cals ...*Calendar) *Calendar {
	var once []*Calendar
	for _, c := range cals {
		if !slices.Contains(once, c) {
			once = append(once, c)
		}
	}
	if cals = once; len(cals) == 1 {
		return cals[0]
	}
	c := &Calendar{Coverage: civil.AllDays, joined: cals, LacksHolidays: true}
	for i, j := range cals {
		if i > 0 {
			c.Name += " + "
		}
		c.Name += j.Name
		c.Depth = max(c.Depth, j.Depth)
		c.LacksHolidays = c.LacksHolidays && j.LacksHolidays
		c.Coverage.First = max(c.Coverage.First, j.Coverage.First)
		c.Coverage.Last = min(c.Coverage.Last, j.Coverage.Last)
	}
	return c
}

// NoneName is the calendar that says on purpose that there are no holidays: Saturday and Sunday
// closed, nothing else.
const NoneName = "none"

// CheckJoin refuses several calendars of which one is that of NoneName: what it says can't hold
// beside the holidays of another.
func CheckJoin(cals []*Calendar) error {
	if len(cals) > 1 && slices.ContainsFunc(cals, func(c *Calendar) bool { return c.Name == NoneName }) {
		return fmt.Errorf("the calendar `%s` can't be joined with others: it says that there are no holidays", NoneName)
	}
	return nil
}

// ClosedText lists the closed weekdays: "sat, sun", or "none".
func (c *Calendar) ClosedText() string {
	var list []string
	for w := civil.Monday; w <= civil.Sunday; w++ {
		if c.closedWeekday(w) {
			list = append(list, strings.ToLower(w.Abbrev()))
		}
	}
	if list == nil {
		return "none"
	}
	return strings.Join(list, ", ")
}

// joinedParts returns the calendars that c joins, or c itself.
func (c *Calendar) joinedParts() []*Calendar {
	if c.joined == nil {
		return []*Calendar{c}
	}
	var parts []*Calendar
	for _, j := range c.joined {
		parts = append(parts, j.joinedParts()...)
	}
	return parts
}

// table is what a calendar has worked out so far: one bit a day, set when the
// day is worked, with the count of set bits before each word.
type table struct {
	span           civil.Span // civil.AllDays at the most
	words          []uint64
	ranks          []int32
	stale          bool      // ranks are to be counted again
	holidays       []Holiday // by date, in the order listed
	shortDays      []Holiday // likewise, one a day
	missingWeights []int32   // what the first n short days lack of whole ones
}

func (t *table) isOpen(d civil.Date) bool {
	i := uint32(d - t.span.First)
	return t.words[i>>6]>>(i&63)&1 == 1
}

func (t *table) setOpen(d civil.Date, open bool) {
	i := uint32(d - t.span.First)
	if open {
		t.words[i>>6] |= 1 << (i & 63)
	} else {
		t.words[i>>6] &^= 1 << (i & 63)
	}
	t.stale = true
}

// openUpTo counts the open days of the table up to and including d.
func (t *table) openUpTo(d civil.Date) int {
	if t.stale {
		t.buildRanks()
	}
	i := uint32(d - t.span.First)
	return int(t.ranks[i>>6]) + bits.OnesCount64(t.words[i>>6]<<(63-i&63))
}

// buildRanks counts the open days before each word.
func (t *table) buildRanks() {
	t.ranks = make([]int32, len(t.words))
	n := 0
	for i, w := range t.words {
		t.ranks[i] = int32(n)
		n += bits.OnesCount64(w)
	}
	t.stale = false
}

// weekdayTable makes a table of closed weekdays alone.
func weekdayTable(span civil.Span, closed WeekdaySet) *table {
	t := &table{span: span, words: make([]uint64, (span.Len()+63)/64), stale: true}
	const cycle = 7 // words that repeat: as many weeks as a word has days
	for d := span.First; d <= span.Last && d < span.First+cycle*64; d++ {
		if !closed.Contains(d.Weekday()) {
			t.setOpen(d, true)
		}
	}
	for i := cycle; i < len(t.words); i++ {
		t.words[i] = t.words[i-cycle]
	}
	return t.clearTail()
}

// clearTail clears the bits behind the last day.
func (t *table) clearTail() *table {
	if rest := t.span.Len() & 63; rest > 0 {
		t.words[len(t.words)-1] &= 1<<rest - 1
	}
	return t
}

// copyFrom takes over the days that another table has too.
func (t *table) copyFrom(other *table) {
	first, last := max(t.span.First, other.span.First), min(t.span.Last, other.span.Last)
	for d := first; d <= last; {
		if at := uint32(d - t.span.First); at&63 == 0 && d+63 <= last {
			t.words[at>>6], t.stale = other.wordAt(d), true
			d += 64
			continue
		}
		t.setOpen(d, other.isOpen(d))
		d++
	}
}

// wordAt are the 64 days from d on, which lie in the table.
func (t *table) wordAt(d civil.Date) uint64 {
	i := uint32(d - t.span.First)
	word := t.words[i>>6] >> (i & 63)
	if i&63 > 0 {
		word |= t.words[i>>6+1] << (64 - i&63)
	}
	return word
}
