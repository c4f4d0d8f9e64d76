package ical

import (
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/recur"
	"yoyaku/internal/core/schedule"
)

// Calendar is what an iCalendar file is about.
type Calendar struct {
	Name    string         // RFC 7986 NAME; none if empty
	Zone    *time.Location // of timed events; nil makes them floating
	DTSTAMP civil.Date     // DTSTAMP is this day at 00:00 UTC
	// Update is the earlier file that this one follows; nil for none.
	Update *Update
}

// Event is an event of a schedule.
type Event = schedule.Event

// Sink writes the events of an answer; it takes no rows.
type Sink struct {
	w       io.Writer
	c       Calendar
	skipped []Event
	count   int
}

// Count is how many events the calendar holds that aren't cancelled.
func (s *Sink) Count() int { return s.count }

// NewSink returns a sink that writes an iCalendar stream.
func NewSink(w io.Writer, c Calendar) *Sink { return &Sink{w: w, c: c} }

// Events writes the events.
func (s *Sink) Events(list []Event) error {
	s.skipped = append(s.skipped, s.c.SkippedTimes(list)...)
	n, err := writeCalendar(s.w, s.c, list)
	s.count += n
	return err
}

// SkippedTimes are the events at times that their zone's clock skips.
func (c Calendar) SkippedTimes(list []Event) (skipped []Event) {
	for _, e := range list {
		zone := c.zone(e.Zone())
		if zone == nil {
			continue
		}
		dates := []eval.Value{e.At}
		if e.Recurring != nil {
			dates = e.Recurring.Dates
		}
		for _, e.At = range dates {
			if _, gap := instantAt(recur.DateTime{Day: e.At.Day, Second: int(e.At.Minutes) * 60}, zone); gap &&
				e.At.Kind == eval.DateTime {
				skipped = append(skipped, e)
			}
		}
	}
	return skipped
}

// Warnings says what is doubtful in what was written; "" if nothing is.
func (s *Sink) Warnings() string {
	var list []string
	if text := s.c.Warnings(s.skipped); text != "" {
		list = append(list, text)
	}
	if f := s.c.Update; f != nil && f.overwritten > 0 {
		list = append(list, phrase.CountVerb(f.overwritten,
			"event had a text edited by hand (SUMMARY, DESCRIPTION or LOCATION); it was replaced",
			"events had texts edited by hand (SUMMARY, DESCRIPTION or LOCATION); they were replaced"))
	}
	if f := s.c.Update; f != nil && f.atLimit > 0 {
		list = append(list, phrase.CountVerb(f.atLimit, "changed event keeps", "changed events keep")+
			fmt.Sprintf(" the SEQUENCE %d, the largest there is; calendar programs may not take the change", maxSequence))
	}
	return strings.Join(list, "; ")
}

// Warnings reports events at times that the clock skips.
func (c Calendar) Warnings(skipped []Event) string {
	if len(skipped) == 0 {
		return ""
	}
	e := skipped[0]
	zone := c.zone(e.Zone())
	at, _ := instantAt(recur.DateTime{Day: e.At.Day, Second: int(e.At.Minutes) * 60}, zone)
	text := fmt.Sprintf("clocks in %s skip %s, the time of %q; calendars show it at %s", zone, e.At, e.Summary,
		localAt(at, zone).Value())
	if n := len(skipped) - 1; n > 0 {
		text += fmt.Sprintf(" (and %d more)", n)
	}
	return text
}

// SetUpdate makes the calendar follow an earlier one.
func (s *Sink) SetUpdate(f *Update) { s.c.Update = f }

// SetScope says of which schedule the events are, to a calendar that follows an earlier one.
func (s *Sink) SetScope(scope Scope) {
	if f := s.c.Update; f != nil {
		f.Scope = scope
	}
}

// RuleSeries is the name of the series of a rule alone in the calendar that this one follows; its
// own if it follows none.
func (s *Sink) RuleSeries(of *schedule.Series) string {
	if s.c.Update == nil {
		return of.Name
	}
	return s.c.Update.RuleSeries(of)
}

// ErrEmpty is a calendar with nothing in it, which isn't written.
var ErrEmpty = errors.New("no event")

// maxUIDOctets is how many octets a UID may have (RFC 7986 section 5.3 says 255).
const maxUIDOctets = 254

// writeCalendar writes a whole iCalendar stream (RFC 5545 section 3.4); n counts the events that
// aren't cancelled. If it follows an earlier file, events that are as they were stay to the byte.
func writeCalendar(w io.Writer, c Calendar, events []Event) (n int, err error) {
	events = slices.Clone(events)
	seen := map[string]int{}
	for i := range events {
		e := &events[i]
		e.UID = ShortUID(e.UID)
		if before, twice := seen[e.UID]; twice {
			return 0, &DuplicateUIDError{events[before], *e}
		}
		seen[e.UID] = i
	}
	l := newLines(w)
	parts, err := l.components(c, events)
	if err != nil {
		return 0, err
	}
	if len(parts) == 0 {
		return 0, ErrEmpty
	}
	l.putLine("BEGIN:VCALENDAR")
	l.putLine("VERSION:2.0")
	l.putLine("PRODID:-//Yoyaku//yoyaku//EN")
	l.putLine("CALSCALE:GREGORIAN")
	if c.Name != "" {
		l.putLine("NAME:", escape(c.Name))
	}
	l.putLine("REFRESH-INTERVAL;VALUE=DURATION:P1D")
	covered := c.zoneSpans(parts)
	for _, z := range covered {
		l.timezone(z.zone, z.first, z.last)
	}
	if c.Update != nil { // the zones of events that are kept
		for _, z := range c.Update.zones {
			if slices.ContainsFunc(covered, func(o zoneSpan) bool { return o.zone.String() == z.tzid }) ||
				!slices.ContainsFunc(parts, func(p outComponent) bool { return strings.Contains(p.raw, "TZID="+z.tzid) }) {
				continue
			}
			l.write(z.raw)
		}
	}
	for _, p := range parts {
		if p.isEventOrTodo && !p.cancelled {
			n++
		}
		if p.new == nil {
			l.write(p.raw)
			continue
		}
		l.component(p.new)
	}
	l.putLine("END:VCALENDAR")
	return n, l.flush()
}

// component writes a component of content lines.
func (l *lineWriter) component(c *componentLines) {
	l.putLine("BEGIN:", c.name)
	for _, line := range c.lines {
		l.putLine(line)
	}
	l.putLine("END:", c.name)
}

// ShortUID cuts a UID that is too long; it then ends in a hash.
func ShortUID(uid string) string {
	if len(uid) <= maxUIDOctets {
		return uid
	}
	end := "." + schedule.Hash(uid, 8)
	plan := ""
	if at := strings.LastIndexByte(uid, '@'); at >= 0 && len(uid)-at < maxUIDOctets/2 {
		plan = uid[at:]
	}
	return strings.ToValidUTF8(uid[:maxUIDOctets-len(end)-len(plan)], "") + end + plan
}

// zoneSpan is a zone with the first and last instant of the times on its clock.
type zoneSpan struct {
	zone        *time.Location
	first, last time.Time
}

// zoneSpans are the zones that timed events need, the calendar's own first.
func (c Calendar) zoneSpans(parts []outComponent) (list []zoneSpan) {
	var zones []*time.Location
	add := func(z *time.Location) {
		if z != nil && !isUTC(z) &&
			!slices.ContainsFunc(zones, func(o *time.Location) bool { return o.String() == z.String() }) {
			zones = append(zones, z)
		}
	}
	add(c.Zone)
	for _, p := range parts {
		if p.start.Kind == eval.DateTime {
			add(c.zone(p.start.Text))
		}
	}
	for _, zone := range zones {
		z := zoneSpan{zone: zone}
		any := false
		in := "TZID=" + zone.String() + ":"
		for _, p := range parts {
			own := c.zone(p.start.Text)
			if p.start.Kind != eval.DateTime || p.new == nil && !strings.Contains(p.raw, in) || p.new != nil &&
				(own == nil || own.String() != zone.String()) {
				continue
			}
			for _, day := range []civil.Date{p.start.Day, max(p.start.Day, p.last)} {
				at := instant(day, int(p.start.Minutes), zone)
				if !any || at.Before(z.first) {
					z.first = at
				}
				if !any || at.After(z.last) {
					z.last = at
				}
				any = true
			}
		}
		if any {
			list = append(list, z)
		}
	}
	return list
}

// basicDateText writes a date in the basic form 20270331 (section 3.3.4).
func basicDateText(d civil.Date) string { return strings.ReplaceAll(d.String(), "-", "") }

// basicTimeText writes the time of a DateTime as T163000 (RFC 5545 section 3.3.12).
func basicTimeText(v eval.Value) string {
	m := int(v.Minutes)
	return string([]byte{'T', byte('0' + m/600), byte('0' + m/60%10), byte('0' + m%60/10), byte('0' + m%10), '0', '0'})
}
