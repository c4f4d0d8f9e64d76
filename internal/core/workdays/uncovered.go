package workdays

import (
	"fmt"

	"yoyaku/internal/core/civil"
)

// Covers reports whether the calendar says that it knows about d.
func (c *Calendar) Covers(d civil.Date) bool { return c.Coverage.Contains(d) }

// RecordQuery counts a and b as uncovered, for Warnings, if the calendar doesn't cover them.
func (c *Calendar) RecordQuery(a, b civil.Date) {
	if first, last := min(a, b), max(a, b); first < c.Coverage.First {
		c.RecordMiss(first)
	} else if last > c.Coverage.Last {
		c.RecordMiss(last)
	}
}

// RecordMiss counts d as uncovered, for Warnings, in each joined calendar whose Coverage
// doesn't contain it.
func (c *Calendar) RecordMiss(d civil.Date) {
	for _, part := range c.joinedParts() {
		switch {
		case d < part.Coverage.First:
			part.misses[0].Add(1)
		case d > part.Coverage.Last:
			part.misses[1].Add(1)
		}
	}
}

// Uncovered records that a result depends on a day outside the Coverage of a calendar: holidays
// may be missing there. The zero value: it doesn't.
type Uncovered struct {
	Calendar *Calendar
	Day      civil.Date
	// Recorded marks a result that was reckoned from an uncertain date: its calendar, which
	// isn't known here, has been noted already.
	Recorded bool
}

// IsSet reports whether a calendar was asked beyond what it knows.
func (b Uncovered) IsSet() bool { return b.Calendar != nil || b.Recorded }

// OrElse returns c, or other if c is unset.
func (b Uncovered) OrElse(c Uncovered) Uncovered {
	if b.Calendar == nil && c.IsSet() {
		return c
	}
	return b
}

// Message says what isn't known; "" if there is nothing.
func (b Uncovered) Message() string {
	if b.Calendar == nil {
		return ""
	}
	for _, part := range b.Calendar.joinedParts() {
		switch {
		case b.Day < part.Coverage.First:
			return "holidays unknown before " + part.Coverage.First.String()
		case b.Day > part.Coverage.Last:
			return "holidays unknown after " + part.Coverage.Last.String()
		}
	}
	return ""
}

// Record notes the date with its calendar, if there is one.
func (b Uncovered) Record() {
	if b.Calendar != nil {
		b.Calendar.RecordMiss(b.Day)
	}
}

// Misses counts the dates that were noted, before and after what is known.
func (c *Calendar) Misses() (before, after int) {
	return int(c.misses[0].Load()), int(c.misses[1].Load())
}

// ResetMisses drops what was noted: of a search that hands out little of what it asked.
func (c *Calendar) ResetMisses() {
	for _, part := range c.joinedParts() {
		part.misses[0].Store(0)
		part.misses[1].Store(0)
	}
}

// MarkUsed notes that a step or measure counts with the calendar, if it knows no holidays and
// doesn't say that there are none. A joined one knows those of any part.
func (c *Calendar) MarkUsed() {
	switch {
	case c == nil:
	case c.IsDefault:
		c.used.Store(true)
	case c.LacksHolidays:
		for _, part := range c.joinedParts() {
			part.used.Store(true)
		}
	}
}

// TakeUsed reports whether the default calendar, or one that lacks holidays, was used since the
// last call, and resets that. It is false for other calendars.
func (c *Calendar) TakeUsed() bool { return c.used.Swap(false) }

// Warnings says what the calendars didn't know, whether one only stood in, and which were used
// that lack holidays: a holiday list that has run out, or that was never given, is never silent.
func Warnings(cals []*Calendar) (list []string) {
	for _, c := range cals {
		list = append(list, CoverageWarnings([]*Calendar{c})...)
		switch {
		case !c.WasUsed():
		case c.IsDefault:
			list = append(list, "working days are counted without a calendar: Saturday and Sunday closed, no holidays. Use --calendar NAME, or `calendar` in a plan")
		default:
			list = append(list, fmt.Sprintf("working days are counted with calendar %s, which has no holidays. %s", c.Name, LacksHint))
		}
	}
	return list
}

// LacksHint says what to do about a calendar that lacks holidays.
const LacksHint = "List them under `holidays`, or write `holidays: none` if there are none"

// WasUsed reports whether MarkUsed noted a use.
func (c *Calendar) WasUsed() bool { return c.used.Load() }

// CoverageWarnings says for which dates the calendars didn't know their holidays.
func CoverageWarnings(cals []*Calendar) (list []string) {
	say := func(n int, when string, c *Calendar, d civil.Date) {
		if n == 0 {
			return
		}
		dates := fmt.Sprintf("%d dates may move", n)
		if n == 1 {
			dates = "1 date may move"
		}
		list = append(list, fmt.Sprintf("the holidays of calendar %s are unknown %s %s; %s", c.Name, when, d, dates))
	}
	for _, c := range cals {
		before, after := c.Misses()
		say(before, "before", c, c.Coverage.First)
		say(after, "after", c, c.Coverage.Last)
	}
	return list
}

// UncoveredDays returns a day of a span for each day that the calendar knows nothing
// about.
func (c *Calendar) UncoveredDays(s civil.Span) (days []civil.Date) {
	for d := s.First; d <= s.Last && d < c.Coverage.First; d++ {
		days = append(days, d)
	}
	for d := max(s.First, c.Coverage.Last+1); d <= s.Last; d++ {
		days = append(days, d)
	}
	return days
}
