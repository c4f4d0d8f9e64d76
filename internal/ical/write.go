package ical

import (
	"errors"
	"io"
	"strings"
	"time"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/schedule"
)

// Calendar is what an iCalendar file is about.
type Calendar struct {
	Name  string         // RFC 7986 NAME; none where empty
	Zone  *time.Location // of timed events; nil makes them floating
	Stamp civil.Date     // DTSTAMP is this day at 00:00 UTC
}

// Event is an event of a schedule.
type Event = schedule.Event

// Sink writes the events of an answer; it takes no rows.
type Sink struct {
	w io.Writer
	c Calendar
}

// NewSink returns a sink that writes an iCalendar stream.
func NewSink(w io.Writer, c Calendar) *Sink { return &Sink{w, c} }

// Events writes the events.
func (s *Sink) Events(list []Event) error { return Write(s.w, s.c, list) }

// Header implements rows.Sink.
func (s *Sink) Header([]string) error {
	return errors.New("this answer has rows, not events; choose another format than ics")
}

// Row implements rows.Sink.
func (s *Sink) Row([]eval.Value) error { return nil }

// Close implements rows.Sink.
func (s *Sink) Close() error { return nil }

// Write writes a whole iCalendar stream (RFC 5545 section 3.4).
func Write(w io.Writer, c Calendar, events []Event) error {
	l := newLines(w)
	l.put("BEGIN:VCALENDAR")
	l.put("VERSION:2.0")
	l.put("PRODID:-//Yoyaku//yoyaku//EN")
	l.put("CALSCALE:GREGORIAN")
	if c.Name != "" {
		l.put("NAME:", escape(c.Name))
	}
	l.put("REFRESH-INTERVAL;VALUE=DURATION:P1D")
	if first, last, any := c.timed(events); any {
		l.timezone(c.Zone, first, last)
	}
	stamp := basic(c.Stamp) + "T000000Z"
	for _, e := range events {
		l.event(c, e, stamp)
	}
	l.put("END:VCALENDAR")
	return l.flush()
}

func (l *lines) event(c Calendar, e Event, stamp string) {
	l.put("BEGIN:VEVENT")
	l.put("UID:", escape(e.UID))
	l.put("DTSTAMP:", stamp)
	l.put("SEQUENCE:0")
	switch {
	case e.At.Kind != eval.Moment:
		l.put("DTSTART;VALUE=DATE:", basic(e.At.Day))
	case c.Zone == nil:
		l.put("DTSTART:", basic(e.At.Day), clock(e.At))
	case c.Zone == time.UTC || c.Zone.String() == "UTC":
		l.put("DTSTART:", basic(e.At.Day), clock(e.At), "Z")
	default:
		l.put("DTSTART;TZID=", c.Zone.String(), ":", basic(e.At.Day), clock(e.At))
	}
	l.put("SUMMARY:", escape(e.Summary))
	if e.Description != "" {
		l.put("DESCRIPTION:", escape(e.Description))
	}
	if e.Category != "" {
		l.put("CATEGORIES:", escape(e.Category))
	}
	l.put("TRANSP:TRANSPARENT")
	l.put("END:VEVENT")
}

// timed returns the first and last instant of timed events that need a zone.
func (c Calendar) timed(events []Event) (first, last time.Time, any bool) {
	if c.Zone == nil || c.Zone.String() == "UTC" {
		return
	}
	for _, e := range events {
		if e.At.Kind != eval.Moment {
			continue
		}
		y, m, d := e.At.Day.YMD()
		at := time.Date(y, time.Month(m), d, 0, int(e.At.Minutes), 0, 0, c.Zone)
		if !any || at.Before(first) {
			first = at
		}
		if !any || at.After(last) {
			last = at
		}
		any = true
	}
	return first, last, any
}

// basic writes a date in the basic form 20270331 (section 3.3.4).
func basic(d civil.Date) string { return strings.ReplaceAll(d.String(), "-", "") }

// clock writes the time of a Moment as T163000.
func clock(v eval.Value) string {
	m := int(v.Minutes)
	return string([]byte{'T', byte('0' + m/600), byte('0' + m/60%10), byte('0' + m%60/10), byte('0' + m%10), '0', '0'})
}
