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
	Start                                                   Stamp
	// Days are those of an all-day event; 0 for a timed one. Open says that a timed
	// event has no end.
	Days int
	Open bool
	// ID is the instance that it stands for, nil for a whole event.
	ID *Stamp
	// Rule is its RRULE as it is.
	Rule string
	// Cancelled says that it doesn't take place.
	Cancelled bool
	// Problems are what is wrong with it; Broken that it can't be used.
	Problems []*Error
	Broken   bool

	long           length
	onward         bool // RANGE=THISANDFUTURE
	twin           bool // another one has its UID, SEQUENCE and DTSTAMP, and says something else
	from           *Component
	stamp          string
	rules, exrules []rule
	plus           []occurrence
	minus          []Stamp
	minusDays      []civil.Date // EXDATE as dates, of a timed event
	called         bool         // METHOD:CANCEL
}

// rule is an RRULE, on an all-day event also as the days that it gives.
type rule struct {
	*recur.RRule
	days *recur.Rule
	line int
}

// occurrence is a start of its own, of an RDATE, with its own length if it has one.
type occurrence struct {
	Stamp
	long *length
}

// AllDay reports whether it covers whole days.
func (e *Entry) AllDay() bool { return !e.Start.Timed }

// Recurs reports whether it has more than one start, or says so.
func (e *Entry) Recurs() bool {
	return e.rules != nil || e.plus != nil || e.minus != nil || e.minusDays != nil
}

// end is the end of an instance that starts at a time: exclusive, or the start itself
// if there is none.
func (e *Entry) end(start Stamp, long *length) Stamp {
	if e.AllDay() {
		start.Day = min(start.Day+civil.Date(e.Days), civil.Max+1)
		return start
	}
	if long == nil {
		long = &e.long
	}
	return long.after(start)
}

// reader reads the components of a file.
type reader struct {
	zones
}

// entry reads a component.
func (r reader) entry(c *Component) *Entry {
	e := &Entry{Component: c.Name, Line: c.Line, from: c}
	text := func(name string) string { return strings.Join(texts(c.Get(name).Value), ",") }
	e.UID, e.Summary, e.Description, e.Location = text("UID"), text("SUMMARY"), text("DESCRIPTION"), text("LOCATION")
	e.stamp = c.Get("DTSTAMP").Value
	e.Status = strings.ToUpper(strings.TrimSpace(text("STATUS")))
	e.Cancelled = e.Status == "CANCELLED"
	e.Sequence, _ = strconv.Atoi(strings.TrimSpace(c.Get("SEQUENCE").Value))
	var cats []string
	for _, p := range c.Props {
		if p.Name == "CATEGORIES" {
			cats = append(cats, texts(p.Value)...)
		}
	}
	e.Categories = strings.Join(cats, ", ")
	if c.Bad != nil {
		e.broken(c.Bad.File, c.Bad.Line, errors.New(c.Bad.Message))
	}
	for _, read := range []func(*Entry, *Component) (int, error){r.instance, r.times, r.recurrence} {
		if line, err := read(e, c); err != nil {
			e.broken(r.file, line, err)
			break
		}
	}
	if !e.Broken {
		e.wholeDays()
	}
	if !e.Broken && e.AllDay() {
		for _, list := range [][]rule{e.rules, e.exrules} {
			for i := range list {
				if by := list[i].RRule; by.ByHour != nil || by.ByMinute != nil || by.BySecond != nil { // section 3.3.10
					e.doubt(r.file, list[i].line, "BYHOUR, BYMINUTE and BYSECOND don't apply to a date; they are ignored")
					bare := *by
					bare.ByHour, bare.ByMinute, bare.BySecond = nil, nil, nil
					list[i].RRule = &bare
				}
				days, err := list[i].Rule(e.Start.Day)
				if err != nil {
					e.broken(r.file, list[i].line, err)
					continue
				}
				days.Prepare()
				list[i].days = days
			}
		}
	}
	return e
}

func (e *Entry) broken(file string, line int, err error) {
	e.Broken = true
	e.Problems = append(e.Problems, &Error{file, line, err.Error() + "; left out"})
}

func (e *Entry) doubt(file string, line int, format string, args ...any) {
	e.Problems = append(e.Problems, &Error{file, line, fmt.Sprintf(format, args...)})
}

// stamp reads a value of a property. One that says VALUE=DATE and has a time is reported.
func (r reader) stamp(e *Entry, p Property, value string) (Stamp, error) {
	s, err := r.stampOf(p, value)
	if err == nil && s.Timed && strings.EqualFold(p.Params["VALUE"], "DATE") {
		e.doubt(r.file, p.Line, "%s says VALUE=DATE but has a time; the time is used", p.Name)
	}
	return s, err
}

// instance reads RECURRENCE-ID.
func (r reader) instance(e *Entry, c *Component) (int, error) {
	p := c.Get("RECURRENCE-ID")
	if p.Line == 0 {
		return 0, nil
	}
	id, err := r.stamp(e, p, p.Value)
	e.ID, e.onward = &id, strings.EqualFold(p.Params["RANGE"], "THISANDFUTURE")
	return p.Line, err
}

// times reads DTSTART, and DTEND, DUE or DURATION.
func (r reader) times(e *Entry, c *Component) (line int, err error) {
	start := c.Get("DTSTART")
	end := c.Get("DTEND")
	if c.Name == "VTODO" {
		if end = c.Get("DUE"); start.Line == 0 {
			start = end
		}
	}
	if start.Line == 0 {
		if c.Name != "VEVENT" {
			e.Open = true
			return 0, nil
		}
		return c.Line, errors.New("an event without DTSTART")
	}
	if e.Start, err = r.stamp(e, start, start.Value); err != nil {
		return start.Line, err
	}
	if e.AllDay() {
		e.Days = 1
	}
	switch long := c.Get("DURATION"); {
	case end.Line > 0:
		return end.Line, r.until(e, end)
	case long.Line > 0:
		if e.long, err = readDuration(long.Value); err == nil && (e.long.days < 0 || e.long.seconds < 0 ||
			e.long == (length{}) && e.AllDay()) {
			err = fmt.Errorf("an event can't last %s", long.Value)
		}
		if err == nil && e.AllDay() {
			if e.Days = e.long.days + int(e.long.seconds/secondsOfDay); e.long.seconds%secondsOfDay != 0 {
				e.Days, e.Start.Timed = 0, true
			}
		}
		return long.Line, err
	}
	e.Open = e.Start.Timed
	return 0, nil
}

// until settles the length of an event by its end.
func (r reader) until(e *Entry, end Property) error {
	last, err := r.stamp(e, end, end.Value)
	if err != nil {
		return err
	}
	if e.AllDay() != !last.Timed {
		e.doubt(r.file, end.Line, "the event starts with a %s and ends with a %s; only the days are used", kindOf(e.Start),
			kindOf(last))
		e.Start = Stamp{Moment: recur.Moment{Day: e.Start.Day}}
		if last.Timed && last.Second > 0 {
			last.Day++
		}
		last = Stamp{Moment: recur.Moment{Day: last.Day}}
	}
	gap := last.Instant() - e.Start.Instant()
	if gap < 0 {
		e.doubt(r.file, end.Line, "the event ends before it starts; it is read as one day")
		e.Start.Timed, e.Start.Zone, e.Start.Second = false, nil, 0
		gap = secondsOfDay
	}
	if e.AllDay() {
		e.Days = max(1, int(gap/secondsOfDay))
		return nil
	}
	e.long.seconds = gap
	return nil
}

// kindOf names what a stamp is.
func kindOf(s Stamp) string {
	if s.Timed {
		return "time"
	}
	return "date"
}

// recurrence reads RRULE, EXRULE, RDATE and EXDATE.
func (r reader) recurrence(e *Entry, c *Component) (int, error) {
	for _, p := range c.Props {
		switch p.Name {
		case "RRULE", "EXRULE":
			parsed, err := recur.ParseRRule(strings.TrimSpace(p.Value))
			if err != nil {
				return p.Line, err
			}
			if p.Name == "EXRULE" {
				e.exrules = append(e.exrules, rule{RRule: parsed, line: p.Line})
				e.doubt(r.file, p.Line, "EXRULE is no longer part of iCalendar (RFC 5545); its dates are left out")
				continue
			}
			if e.rules = append(e.rules, rule{RRule: parsed, line: p.Line}); len(e.rules) == 2 {
				e.doubt(r.file, p.Line, "a second RRULE, which an event should not have; the dates of both are listed")
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
func (r reader) date(e *Entry, p Property, value string) error {
	value, end, period := strings.Cut(value, "/")
	at, err := r.stamp(e, p, value)
	if err != nil {
		return err
	}
	o := occurrence{Stamp: at}
	switch {
	case p.Name == "EXDATE" && e.Start.Timed && !at.Timed:
		e.minusDays = append(e.minusDays, at.Day)
		return nil
	case p.Name == "EXDATE":
		e.minus = append(e.minus, at)
		return nil
	case period && strings.HasPrefix(strings.ToUpper(end), "P"):
		long, err := readDuration(end)
		if err != nil {
			return err
		}
		o.long = &long
	case period:
		last, err := r.stamp(e, p, end)
		if err != nil {
			return err
		}
		o.long = &length{seconds: max(0, last.Instant()-at.Instant())}
	}
	if e.Start.Timed && !at.Timed {
		e.doubt(r.file, p.Line, "an RDATE without a time in an event with one; the event's time is used")
		o.Stamp = e.Start
		o.Day = at.Day
	}
	e.plus = append(e.plus, o)
	return nil
}

// wholeDays makes a timed event that runs from midnight to midnight an all-day one.
func (e *Entry) wholeDays() {
	if !e.Start.Timed || e.Open || e.Start.Second != 0 {
		return
	}
	last := e.end(e.Start, nil)
	if last.Second != 0 || last.Day <= e.Start.Day {
		return
	}
	for _, r := range append(e.rules, e.exrules...) {
		if r.Freq < recur.Daily || r.ByHour != nil || r.ByMinute != nil || r.BySecond != nil {
			return
		}
	}
	for _, o := range e.plus {
		if o.Second != 0 || o.long != nil {
			return
		}
	}
	for _, r := range append(e.rules, e.exrules...) {
		if r.UntilUTC && e.Start.Zone != nil {
			until := clockAt(local(*r.Until), e.Start.Zone).Moment
			r.Until = &until
		}
	}
	e.Days = int(last.Day - e.Start.Day)
	e.Start = Stamp{Moment: recur.Moment{Day: e.Start.Day}}
}

// says reports whether two components hold the same.
func (c *Component) says(as *Component) bool {
	same := func(a, b Property) bool {
		return a.Name == b.Name && a.Value == b.Value && maps.Equal(a.Params, b.Params)
	}
	return c.Name == as.Name && slices.EqualFunc(c.Props, as.Props, same) && slices.EqualFunc(c.Subs, as.Subs,
		(*Component).says)
}

// newer reports whether an entry holds against another one of the same UID and
// instance (sections 3.8.7.4 and 3.8.7.2; RFC 5546 section 3.2.5 for what is
// cancelled by a message).
func (e *Entry) newer(than *Entry) bool {
	c := cmp.Or(cmp.Compare(e.Sequence, than.Sequence), cmp.Compare(e.stamp, than.stamp))
	return c > 0 || c == 0 && e.called && !than.called
}
