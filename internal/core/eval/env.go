package eval

import (
	"fmt"
	"slices"
	"strings"
	"sync/atomic"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/language"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/workdays"
)

// Env is what a place provides to the phrases in it.
type Env struct {
	Fiscal   civil.FiscalCalendar
	Calendar *workdays.Calendar // for steps that name none
	// CalendarColumn is a column that names the calendar of each row, for steps that name
	// none; "" if Calendar is that of all.
	CalendarColumn string
	FindCalendar   func(name string) (*workdays.Calendar, error)
	// Calendars and SeriesNames are known names, for suggestions.
	Calendars  []string
	FindSeries func(name string) (Series, error)
	// FindAllSeries finds those of a name or of a pattern; none if there is no such name.
	FindAllSeries func(name string) ([]Series, error)
	SeriesNames   []string
	// FindRelated finds a date of another series, or its milestone, for those of one; nil if no
	// phrase may name one.
	FindRelated func(series, what string) (RelatedDate, error)
	Cache       *SeriesCache // of the series; nil if they share none
	Names       []string     // slot in the row of each name
	// SlotIndex are the slots by folded names, if there are so many that looking through Names
	// takes long.
	SlotIndex map[string]int
	Kinds     []Kind // of the names, as far as they are known
	// Uses collects the names that phrases use.
	Uses Uses
	// OpCount counts the operations and operands of phrases.
	OpCount *int
	// BigWords counts the machine words of long numbers that phrases work on, of which there is
	// a bound; nil for no matter.
	BigWords *atomic.Int64
	// CalendarCells counts what cells say that name calendars; nil for no matter.
	CalendarCells *CalendarCells
	// IsMuted says, while it holds, that what calendars don't know isn't counted; nil for never.
	IsMuted *bool
	// Language is that of names in cells and layouts; nil for any in cells, and English.
	Language *language.Language
	// Strftime makes a writer of dates and moments of a POSIX layout.
	Strftime func(layout string) (func(v Value) string, error)
	Today    civil.Date
	// Zone is that of times here, by its IANA name; "" for the place's own. Clock gives the
	// clock of a zone, nil if times float; an unknown name is an error. HomeZone is the name of
	// the place's own zone.
	Zone           string
	HomeZone       string
	Clock          func(zone string) (Clock, error)
	calendarChosen bool // Calendar is what a column named
	// PriorSlot is one more than the slot of the value above, which the bare name prior stands
	// for; 0 if there is none.
	PriorSlot int
	// LeapDayToMarch keeps anniversaries of 29 February on 1 March in common years.
	LeapDayToMarch bool
}

// Uses are the slots of names that phrases use, in lists that are added to; nil where it doesn't
// matter.
type Uses struct {
	All     *[]int // those there are, where a cell says what
	Dates   *[]int // dates are taken from them
	Numbers *[]int // numbers are
	Cells   *[]int // they are taken as whatever the cell holds
	Terms   *[]int // lengths of time are, with a unit or without
	Halves  *[]int // ends of ranges are, of which a half day counts
}

// SeriesCache is shared by all series of a plan: a counter of overrides, by which caches are
// invalidated, and the number of cached occurrences, which is bounded.
type SeriesCache struct {
	// Overrides counts the days by hand that were set, of any of them.
	Overrides atomic.Int64
	// Cached is how many occurrences of all of them are held.
	Cached atomic.Int64
}

// Series is a series that steps may look into.
type Series interface {
	DateLookup
	// ByMilestone looks for the date whose milestone is the nearest one after or before a day. It is
	// nil if there is no such milestone, and known are those that there are. One whose
	// steps have no bound is an error.
	ByMilestone(milestone string) (lookup DateLookup, known []string, err error)
	// Count is how many dates lie after a up to and including b.
	Count(a, b civil.Date) int
}

// DateLookup is what steps look into; both give the date strictly after or before d, on lets
// d itself count.
type DateLookup interface {
	After(d civil.Date, on bool) (civil.Date, bool)
	Before(d civil.Date, on bool) (civil.Date, bool)
	// UncoveredAt is the calendar that was asked for such a date beyond what it knows.
	UncoveredAt(d civil.Date) workdays.Uncovered
}

// compiler carries the phrase that errors point into.
type compiler struct {
	Env
	text       string
	usesSeries *bool // whether it looks into a series
	slotReads  *int  // how often it found the slot of a name
}

func (c *compiler) fail(span phrase.Span, message, hint string) error {
	return &phrase.Error{Phrase: c.text, Span: span, Message: message, Hint: hint}
}

// recordQuery counts what a calendar doesn't know of the days from a to b, if that matters.
func (e *Env) recordQuery(cal *workdays.Calendar, a, b civil.Date) {
	if e.IsMuted == nil || !*e.IsMuted {
		cal.RecordQuery(a, b)
	}
}

// record counts what a calendar didn't know, if that matters.
func (e *Env) record(beyond workdays.Uncovered) {
	if e.IsMuted == nil || !*e.IsMuted {
		beyond.Record()
	}
}

// withoutCollectors is the place without its lists of used names, for phrases that are compiled while rows are
// read.
func (e Env) withoutCollectors() Env {
	e.Uses, e.OpCount = Uses{}, nil
	return e
}

// knows reports whether a name stands for something.
func (e Env) knows(name string) bool {
	return e.SlotOf(name) >= 0
}

// SlotOf is the first slot of a name; below 0 if there is none.
func (e Env) SlotOf(name string) int {
	if i, ok := e.SlotIndex[phrase.FoldName(name)]; ok && i < len(e.Names) && phrase.NamesEqual(e.Names[i], name) {
		return i
	}
	return slices.IndexFunc(e.Names, func(n string) bool { return phrase.NamesEqual(n, name) })
}

// slot finds a name in the row.
func (c *compiler) slot(n *phrase.Name) (int, error) {
	*c.slotReads++
	if c.PriorSlot > 0 && phrase.NamesEqual(n.Text, "prior") && !strings.HasPrefix(c.text[n.Start:], `"`) {
		return c.PriorSlot - 1, nil
	}
	if i := c.SlotOf(n.Text); i >= 0 {
		c.noteSlot(c.Uses.All, i)
		return i, nil
	}
	var names []string // those that a place keeps to itself begin with a NUL
	for _, name := range c.Names {
		if !strings.HasPrefix(name, "\x00") {
			names = append(names, name)
		}
	}
	hint := "no names can be used here; write a date as 2027-03-31, a text in single quotes"
	if near := phrase.Nearest(n.Text, names); near != "" {
		hint = fmt.Sprintf("did you mean `%s`?", near)
	} else if len(names) > 0 {
		hint = "the names are " + phrase.ListNames(names)
	}
	if write := phrase.ForeignHint(c.text, n.Span); write != "" {
		hint = "write `" + write + "`"
	}
	return 0, &phrase.Error{Phrase: c.text, Span: n.Span, Message: fmt.Sprintf("unknown name `%s`", n.Text),
		Hint: hint, UnknownName: n.Text}
}

// CalendarCells counts the cells that were to name a calendar and are blank, and those that name
// the one without holidays.
type CalendarCells struct{ Blank, None atomic.Int64 }

// Add counts a cell.
func (c *CalendarCells) Add(name string) {
	switch {
	case c == nil:
	case name == "":
		c.Blank.Add(1)
	case strings.EqualFold(name, workdays.NoneName): // of every row, so not by folding
		c.None.Add(1)
	}
}

// calendar finds the calendar that a step counts with.
func (c *compiler) calendar(u *phrase.Using) (*workdays.Calendar, error) {
	if u == nil || u.Column != nil && c.calendarChosen {
		c.Calendar.MarkUsed()
		return c.Calendar, nil
	}
	var cals []*workdays.Calendar
	for _, n := range u.Calendars {
		var cal *workdays.Calendar
		var err error
		if c.FindCalendar != nil {
			cal, err = c.FindCalendar(n.Text)
		}
		if err != nil {
			return nil, err
		}
		if cal == nil {
			return nil, c.fail(n.Span, fmt.Sprintf("unknown calendar `%s`", n.Text), suggestName(n.Text, "calendars", c.Calendars))
		}
		cals = append(cals, cal)
	}
	if err := workdays.CheckJoin(cals); err != nil {
		return nil, c.fail(u.Calendars[len(cals)-1].Span, err.Error(), "")
	}
	cal := workdays.Join(cals...)
	cal.MarkUsed()
	return cal, nil
}

// calendarColumn is the column that names the calendar of what counts: that of `using (…)`,
// or of the place; nil if there is none or it has been chosen.
func (c *compiler) calendarColumn(u *phrase.Using, span phrase.Span) *phrase.Name {
	switch {
	case c.calendarChosen:
		return nil
	case u != nil:
		return u.Column
	case c.CalendarColumn != "":
		return &phrase.Name{Span: span, Text: c.CalendarColumn}
	}
	return nil
}

// suggestName offers the nearest of several names, or lists them.
func suggestName(word, what string, names []string) string {
	if near := phrase.Nearest(word, names); near != "" {
		return fmt.Sprintf("did you mean `%s`?", near)
	}
	if len(names) == 0 {
		return "no " + what + " are defined; a plan can define more (--plan FILE)"
	}
	return what + " here: " + phrase.ListNames(names)
}

func newCompiler(text string, env Env) *compiler {
	return &compiler{Env: env, text: strings.TrimSpace(text), usesSeries: new(bool), slotReads: new(int)}
}
