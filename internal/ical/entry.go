package ical

import (
	"cmp"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/recur"
)

// Entry is a component with times: an event, or one instance of a recurring event
// that differs from the rest.
type Entry struct {
	Component                                               string // VEVENT, VTODO, …
	UID, Summary, Description, Location, Categories, Status string
	Sequence, Line                                          int
	Start                                                   TimeValue
	// Days are those of an all-day event; 0 for a timed one. IsOpenEnded says that a timed
	// event has no end.
	Days        int
	IsOpenEnded bool
	// RecurrenceID is the instance that it stands for, nil for a whole event.
	RecurrenceID *TimeValue
	// Rule is its RRULE as it is.
	Rule string
	// Cancelled says that it doesn't take place.
	Cancelled bool
	// Problems are what is wrong with it; Broken that it can't be used.
	Problems []*Error
	Broken   bool

	duration       duration
	thisAndFuture  bool // RANGE=THISANDFUTURE
	isAmbiguous    bool // another one has its UID, SEQUENCE and DTSTAMP, and says something else
	from           *Component
	dtstamp        string
	rules, exrules []recurrenceRule
	rdates         []occurrence
	exdates        []TimeValue
	exdateDays     []civil.Date // EXDATE as dates, of a timed event
	isMethodCancel bool         // METHOD:CANCEL
}

// recurrenceRule is an RRULE, on an all-day event also as the days that it gives.
type recurrenceRule struct {
	*recur.RRule
	asDays *recur.Rule
	line   int
}

// occurrence is a start of its own, of an RDATE, with its own length if it has one.
type occurrence struct {
	TimeValue
	duration *duration
}

// AllDay reports whether it covers whole days.
func (e *Entry) AllDay() bool { return !e.Start.HasTime }

// Recurs reports whether it has more than one start, or says so.
func (e *Entry) Recurs() bool {
	return e.rules != nil || e.rdates != nil || e.exdates != nil || e.exdateDays != nil
}

// endOf is the end of an instance that starts at a time: exclusive, or the start itself
// if there is none.
func (e *Entry) endOf(start TimeValue, long *duration) TimeValue {
	if e.AllDay() {
		start.Day = min(start.Day+civil.Date(e.Days), civil.Max+1)
		return start
	}
	if long == nil {
		long = &e.duration
	}
	return long.endAfter(start)
}

// componentReader reads the components of a file.
type componentReader struct {
	zones
}

// entry reads a component.
func (r componentReader) entry(c *Component) *Entry {
	e := &Entry{Component: c.Name, Line: c.Line, from: c}
	text := func(name string) string { return strings.Join(splitTextList(c.Get(name).Value), ",") }
	e.UID, e.Summary, e.Description, e.Location = text("UID"), text("SUMMARY"), text("DESCRIPTION"), text("LOCATION")
	e.dtstamp = c.Get("DTSTAMP").Value
	e.Status = strings.ToUpper(strings.TrimSpace(text("STATUS")))
	e.Cancelled = e.Status == "CANCELLED"
	e.Sequence, _ = strconv.Atoi(strings.TrimSpace(c.Get("SEQUENCE").Value))
	var cats []string
	for _, p := range c.Props {
		if p.Name == "CATEGORIES" {
			cats = append(cats, splitTextList(p.Value)...)
		}
	}
	e.Categories = strings.Join(cats, ", ")
	if c.FirstError != nil {
		e.markBroken(c.FirstError.File, c.FirstError.Line, errors.New(c.FirstError.Message))
	}
	for _, read := range []func(*Entry, *Component) (int, error){r.instance, r.times, r.recurrence} {
		if line, err := read(e, c); err != nil {
			e.markBroken(r.file, line, err)
			break
		}
	}
	if !e.Broken {
		e.wholeDays()
	}
	if !e.Broken && e.AllDay() {
		for _, list := range [][]recurrenceRule{e.rules, e.exrules} {
			for i := range list {
				if by := list[i].RRule; by.ByHour != nil || by.ByMinute != nil || by.BySecond != nil { // section 3.3.10
					e.addProblem(r.file, list[i].line, "BYHOUR, BYMINUTE and BYSECOND don't apply to a date; they are ignored")
					bare := *by
					bare.ByHour, bare.ByMinute, bare.BySecond = nil, nil, nil
					list[i].RRule = &bare
				}
				days, err := list[i].Rule(e.Start.Day)
				if err != nil {
					e.markBroken(r.file, list[i].line, err)
					continue
				}
				days.Prepare()
				list[i].asDays = days
			}
		}
	}
	return e
}

func (e *Entry) markBroken(file string, line int, err error) {
	e.Broken = true
	e.Problems = append(e.Problems, &Error{file, line, err.Error() + "; left out"})
}

func (e *Entry) addProblem(file string, line int, format string, args ...any) {
	e.Problems = append(e.Problems, &Error{file, line, fmt.Sprintf(format, args...)})
}

// timeValue reads a value of a property. One that says VALUE=DATE and has a time is reported.
func (r componentReader) timeValue(e *Entry, p Property, value string) (TimeValue, error) {
	s, err := r.timeValueOf(p, value)
	if err == nil && s.HasTime && strings.EqualFold(p.Params["VALUE"], "DATE") {
		e.addProblem(r.file, p.Line, "%s says VALUE=DATE but has a time; the time is used", p.Name)
	}
	return s, err
}

// instance reads RECURRENCE-ID.
func (r componentReader) instance(e *Entry, c *Component) (int, error) {
	p := c.Get("RECURRENCE-ID")
	if p.Line == 0 {
		return 0, nil
	}
	id, err := r.timeValue(e, p, p.Value)
	e.RecurrenceID, e.thisAndFuture = &id, strings.EqualFold(p.Params["RANGE"], "THISANDFUTURE")
	return p.Line, err
}

// times reads DTSTART, and DTEND, DUE or DURATION.
func (r componentReader) times(e *Entry, c *Component) (line int, err error) {
	start := c.Get("DTSTART")
	end := c.Get("DTEND")
	if c.Name == "VTODO" {
		if end = c.Get("DUE"); start.Line == 0 {
			start = end
		}
	}
	if start.Line == 0 {
		if c.Name != "VEVENT" {
			e.IsOpenEnded = true
			return 0, nil
		}
		return c.Line, errors.New("an event without DTSTART")
	}
	if e.Start, err = r.timeValue(e, start, start.Value); err != nil {
		return start.Line, err
	}
	if e.AllDay() {
		e.Days = 1
	}
	switch long := c.Get("DURATION"); {
	case end.Line > 0:
		return end.Line, r.until(e, end)
	case long.Line > 0:
		if e.duration, err = parseDuration(long.Value); err == nil && (e.duration.days < 0 || e.duration.seconds < 0 ||
			e.duration == (duration{}) && e.AllDay()) {
			err = fmt.Errorf("an event can't last %s", long.Value)
		}
		if err == nil && e.AllDay() {
			if e.Days = e.duration.days + int(e.duration.seconds/secondsOfDay); e.duration.seconds%secondsOfDay != 0 {
				e.Days, e.Start.HasTime = 0, true
			}
		}
		return long.Line, err
	}
	e.IsOpenEnded = e.Start.HasTime
	return 0, nil
}

// until settles the length of an event by its end.
func (r componentReader) until(e *Entry, end Property) error {
	last, err := r.timeValue(e, end, end.Value)
	if err != nil {
		return err
	}
	if e.AllDay() != !last.HasTime {
		e.addProblem(r.file, end.Line, "the event starts with a %s and ends with a %s; only the days are used", valueTypeName(e.Start),
			valueTypeName(last))
		e.Start = TimeValue{DateTime: recur.DateTime{Day: e.Start.Day}}
		if last.HasTime && last.Second > 0 {
			last.Day++
		}
		last = TimeValue{DateTime: recur.DateTime{Day: last.Day}}
	}
	gap := last.Instant() - e.Start.Instant()
	if gap < 0 {
		e.addProblem(r.file, end.Line, "the event ends before it starts; it is read as one day")
		e.Start.HasTime, e.Start.Zone, e.Start.Second = false, nil, 0
		gap = secondsOfDay
	}
	if e.AllDay() {
		e.Days = max(1, int(gap/secondsOfDay))
		return nil
	}
	e.duration.seconds = gap
	return nil
}

// valueTypeName names what a stamp is.
func valueTypeName(s TimeValue) string {
	if s.HasTime {
		return "time"
	}
	return "date"
}

// recurrence reads RRULE, EXRULE, RDATE and EXDATE.
func (r componentReader) recurrence(e *Entry, c *Component) (int, error) {
	for _, p := range c.Props {
		switch p.Name {
		case "RRULE", "EXRULE":
			parsed, err := recur.ParseRRule(strings.TrimSpace(p.Value))
			if err != nil {
				return p.Line, err
			}
			if p.Name == "EXRULE" {
				e.exrules = append(e.exrules, recurrenceRule{RRule: parsed, line: p.Line})
				e.addProblem(r.file, p.Line, "EXRULE is no longer part of iCalendar (RFC 5545); its dates are left out")
				continue
			}
			if e.rules = append(e.rules, recurrenceRule{RRule: parsed, line: p.Line}); len(e.rules) == 2 {
				e.addProblem(r.file, p.Line, "a second RRULE, which an event should not have; the dates of both are listed")
			}
			e.Rule = strings.TrimPrefix(e.Rule+" "+p.Value, " ")
		case "RDATE", "EXDATE":
			for _, v := range strings.Split(p.Value, ",") {
				if err := r.date(e, p, v); err != nil {
					return p.Line, err
				}
			}
		}
	}
	return 0, nil
}

// date reads one value of an RDATE or EXDATE, with RDATE also a period.
func (r componentReader) date(e *Entry, p Property, value string) error {
	value, end, period := strings.Cut(value, "/")
	start, err := r.timeValue(e, p, value)
	if err != nil {
		return err
	}
	o := occurrence{TimeValue: start}
	switch {
	case p.Name == "EXDATE" && e.Start.HasTime && !start.HasTime:
		e.exdateDays = append(e.exdateDays, start.Day)
		return nil
	case p.Name == "EXDATE":
		e.exdates = append(e.exdates, start)
		return nil
	case period && strings.HasPrefix(strings.ToUpper(end), "P"):
		long, err := parseDuration(end)
		if err != nil {
			return err
		}
		o.duration = &long
	case period:
		last, err := r.timeValue(e, p, end)
		if err != nil {
			return err
		}
		o.duration = &duration{seconds: max(0, last.Instant()-start.Instant())}
	}
	if e.Start.HasTime && !start.HasTime {
		e.addProblem(r.file, p.Line, "an RDATE without a time in an event with one; the event's time is used")
		o.TimeValue = e.Start
		o.Day = start.Day
	}
	e.rdates = append(e.rdates, o)
	return nil
}

// wholeDays makes a timed event that runs from midnight to midnight an all-day one.
func (e *Entry) wholeDays() {
	if !e.Start.HasTime || e.IsOpenEnded || e.Start.Second != 0 {
		return
	}
	last := e.endOf(e.Start, nil)
	if last.Second != 0 || last.Day <= e.Start.Day {
		return
	}
	for _, r := range append(e.rules, e.exrules...) {
		if r.Freq < recur.Daily || r.ByHour != nil || r.ByMinute != nil || r.BySecond != nil {
			return
		}
	}
	for _, o := range e.rdates {
		if o.Second != 0 || o.duration != nil {
			return
		}
	}
	for _, r := range append(e.rules, e.exrules...) {
		if r.UntilUTC && e.Start.Zone != nil {
			until := localAt(localSeconds(*r.Until), e.Start.Zone).DateTime
			r.Until = &until
		}
	}
	e.Days = int(last.Day - e.Start.Day)
	e.Start = TimeValue{DateTime: recur.DateTime{Day: e.Start.Day}}
}

// equals reports whether two components hold the same.
func (c *Component) equals(as *Component) bool {
	same := func(a, b Property) bool {
		return a.Name == b.Name && a.Value == b.Value && maps.Equal(a.Params, b.Params)
	}
	return c.Name == as.Name && slices.EqualFunc(c.Props, as.Props, same) && slices.EqualFunc(c.Subs, as.Subs,
		(*Component).equals)
}

// isNewerThan reports whether an entry holds against another one of the same UID and
// instance (sections 3.8.7.4 and 3.8.7.2; RFC 5546 section 3.2.5 for what is
// cancelled by a message).
func (e *Entry) isNewerThan(than *Entry) bool {
	c := cmp.Or(cmp.Compare(e.Sequence, than.Sequence), cmp.Compare(e.dtstamp, than.dtstamp))
	return c > 0 || c == 0 && e.isMethodCancel && !than.isMethodCancel
}
