package ical

import (
	"io"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
)

// Events reads the events of a calendar file as this package writes them: one start
// each, as its own zone's clock shows it. Those that are cancelled are left out.
// Series, What and ID are taken from the UID.
func Events(file string, r io.Reader) (list []Event, err error) {
	root, err := Read(file, r)
	if err != nil {
		return nil, err
	}
	for _, cal := range root.Subs {
		for _, c := range cal.Subs {
			if c.Name != "VEVENT" || strings.EqualFold(c.Get("STATUS").Value, "CANCELLED") {
				continue
			}
			start := c.Get("DTSTART")
			at, ok := moment(start.Value)
			if !ok {
				return nil, &Error{file, max(start.Line, c.Line), "this event has no DTSTART that is a date or a time"}
			}
			text := func(name string) string { return strings.Join(texts(c.Get(name).Value), ",") }
			e := Event{UID: text("UID"), Summary: text("SUMMARY"), Description: text("DESCRIPTION"), Category: text("CATEGORIES"), At: at}
			e.Series, e.What, e.ID = identity(e.UID)
			list = append(list, e)
		}
	}
	return list, nil
}

// moment reads a DATE or a DATE-TIME to the minute.
func moment(s string) (v eval.Value, ok bool) {
	day, clock, timed := strings.Cut(strings.TrimSuffix(s, "Z"), "T")
	if len(day) != 8 {
		return v, false
	}
	d, _, ok := civil.Parse(day[:4] + "-" + day[4:6] + "-" + day[6:])
	if !ok || !timed {
		return eval.Day(d), ok
	}
	if len(clock) != 6 || strings.Trim(clock, "0123456789") != "" {
		return v, false
	}
	n := func(i int) int16 { return int16(clock[i]-'0')*10 + int16(clock[i+1]-'0') }
	return eval.Value{Kind: eval.Moment, Day: d, Minutes: n(0)*60 + n(2)}, true
}

// identity takes a UID of ours apart: SERIES[.MILESTONE].IDENTITY@PLAN, or
// RECORDS.EVENT.KEY@PLAN. Another one is its own identity.
func identity(uid string) (series, what, id string) {
	at := strings.LastIndexByte(uid, '@')
	if at < 0 {
		return "", "", uid
	}
	series, rest, ok := strings.Cut(uid[:at], ".")
	if !ok {
		return "", "", uid
	}
	digit := func(s string) bool { return s != "" && s[0] >= '0' && s[0] <= '9' }
	if digit(rest) || digit(strings.TrimPrefix(rest, "FY")) {
		return series, "date", rest
	}
	if what, id, ok = strings.Cut(rest, "."); !ok {
		return series, "date", rest
	}
	return series, what, id
}
