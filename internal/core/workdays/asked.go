package workdays

import (
	"fmt"

	"yoyaku/internal/core/civil"
)

// Knows reports whether the calendar says that it knows about d.
func (c *Calendar) Knows(d civil.Date) bool { return c.Known.Has(d) }

// Ask notes that something was worked out from the days between a and b.
func (c *Calendar) Ask(a, b civil.Date) {
	if first, last := min(a, b), max(a, b); first < c.Known.First {
		c.Miss(first)
	} else if last > c.Known.Last {
		c.Miss(last)
	}
}

// Miss notes a date that was worked out beyond what the calendar knows, or what
// one of those knows that it joins.
func (c *Calendar) Miss(d civil.Date) {
	for _, part := range c.Parts() {
		switch {
		case d < part.Known.First:
			part.missed[0].Add(1)
		case d > part.Known.Last:
			part.missed[1].Add(1)
		}
	}
}

// Beyond is a calendar that was asked about a day beyond what it knows; the zero
// value if none was.
type Beyond struct {
	Calendar *Calendar
	Day      civil.Date
	// Noted marks a result that was reckoned from an uncertain date: its calendar, which
	// isn't known here, has been noted already.
	Noted bool
}

// Is reports whether a calendar was asked beyond what it knows.
func (b Beyond) Is() bool { return b.Calendar != nil || b.Noted }

// Or returns b, or c if b names no calendar.
func (b Beyond) Or(c Beyond) Beyond {
	if b.Calendar == nil && c.Is() {
		return c
	}
	return b
}

// Text says what isn't known; "" if there is nothing.
func (b Beyond) Text() string {
	if b.Calendar == nil {
		return ""
	}
	for _, part := range b.Calendar.Parts() {
		switch {
		case b.Day < part.Known.First:
			return "holidays unknown before " + part.Known.First.String()
		case b.Day > part.Known.Last:
			return "holidays unknown after " + part.Known.Last.String()
		}
	}
	return ""
}

// Note notes the date with its calendar, if there is one.
func (b Beyond) Note() {
	if b.Calendar != nil {
		b.Calendar.Miss(b.Day)
	}
}

// Missed counts the dates that were noted, before and after what is known.
func (c *Calendar) Missed() (before, after int) {
	return int(c.missed[0].Load()), int(c.missed[1].Load())
}

// Forget drops what was noted: of a search that hands out little of what it asked.
func (c *Calendar) Forget() {
	for _, part := range c.Parts() {
		part.missed[0].Store(0)
		part.missed[1].Store(0)
	}
}

// Need notes that a step or measure counts with the calendar.
func (c *Calendar) Need() {
	if c != nil && c.Assumed {
		c.needed.Store(true)
	}
}

// TakeNeed reports whether a step or measure counted with the calendar since it was asked
// last, for a calendar that only stands in.
func (c *Calendar) TakeNeed() bool { return c.needed.Swap(false) }

// Warnings says what the calendars didn't know, and whether one only stood in:
// a holiday list that has run out, or that was never given, is never silent.
func Warnings(cals []*Calendar) (list []string) {
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
		before, after := c.Missed()
		say(before, "before", c, c.Known.First)
		say(after, "after", c, c.Known.Last)
		if c.needed.Load() {
			list = append(list, "working days are counted without a calendar: Saturday and Sunday closed, no holidays. Use --calendar NAME, or `calendar` in a plan")
		}
	}
	return list
}

// Beyond returns a day of a span for each day that the calendar knows nothing
// about.
func (c *Calendar) Beyond(s civil.Span) (days []civil.Date) {
	for d := s.First; d <= s.Last && d < c.Known.First; d++ {
		days = append(days, d)
	}
	for d := max(s.First, c.Known.Last+1); d <= s.Last; d++ {
		days = append(days, d)
	}
	return days
}
