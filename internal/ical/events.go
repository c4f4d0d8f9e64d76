package ical

import (
	"io"
	"strings"

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
	sets, problems, err := readSetsOf(file, root, "VEVENT", "VTODO")
	if err != nil {
		return nil, err
	}
	if len(problems) > 0 {
		return nil, problems[0]
	}
	for _, set := range sets {
		for _, e := range set.Entries() {
			if e.Cancelled {
				continue
			}
			v := Event{UID: e.UID, Summary: e.Summary, Description: e.Description, Category: e.Categories, At: e.Start.Value()}
			v.Series, v.What, v.ID = splitUID(e.UID)
			list = append(list, v)
		}
	}
	return list, nil
}

// Value is a stamp to the minute.
func (s TimeValue) Value() eval.Value {
	v := eval.Day(s.Day)
	if s.HasTime {
		v.Kind, v.Minutes = eval.DateTime, int16(s.Second/60)
		switch {
		case s.isSecondOfFold:
			v = v.Repeated(s.Instant() - int64(s.Second%60))
		case s.Zone != nil && isUTC(s.Zone):
			v.Num = s.Instant() - int64(s.Second%60)
		}
	}
	return v
}

// parseDateTime reads a DATE or a DATE-TIME to the minute.
func parseDateTime(s string) (v eval.Value, ok bool) {
	stamp, err := zones{}.timeValueOf(Property{}, s)
	return stamp.Value(), err == nil
}

// splitUID takes a UID of ours apart: SERIES[.MILESTONE].IDENTITY@PLAN, or
// RECORDS.EVENT.KEY@PLAN. Another one is its own identity.
func splitUID(uid string) (series, what, id string) {
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
