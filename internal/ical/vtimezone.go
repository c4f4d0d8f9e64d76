package ical

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/recur"
)

// zones finds the time zones of a file: by their IANA names, else in the file itself.
type zones struct {
	file   string
	byTZID map[string]*Component
	loaded map[string]*time.Location
}

// zonesOf gathers the VTIMEZONEs of a file.
func zonesOf(file string, root *Component) zones {
	z := zones{file, map[string]*Component{}, map[string]*time.Location{}}
	for _, cal := range root.Subs {
		for _, c := range cal.Subs {
			if id := c.Get("TZID").Value; c.Name == "VTIMEZONE" && z.byTZID[id] == nil {
				z.byTZID[id] = c
			}
		}
	}
	return z
}

// find returns a zone by its TZID: an IANA name, else the file's own, else that of a
// Windows zone.
func (z zones) find(id string) (*time.Location, error) {
	if loc, ok := z.loaded[id]; ok {
		return loc, nil
	}
	name, own := ianaName(id), z.byTZID[id]
	if name == "" && own == nil {
		name = windowsNames()[strings.ToLower(id)]
	}
	var loc *time.Location
	var err error
	switch {
	case name != "":
		if loc, err = Zone(name); err == nil && isUTC(loc) {
			loc = time.UTC
		}
	case own != nil:
		loc, err = z.location(own, id)
	default:
		err = fmt.Errorf("unknown time zone %q: neither an IANA nor a Windows name, and the file has no VTIMEZONE for it", id)
	}
	if err != nil {
		return nil, err
	}
	z.loaded[id] = loc
	return loc, nil
}

// zoneTransition is an instant from which an offset holds.
type zoneTransition struct {
	at       int64 // seconds of UTC since 1970
	from, to int   // seconds east of UTC
}

// lastTransitionDay bounds the transitions of a zone whose rules have no end.
var lastTransitionDay, _ = civil.NewDate(2400, 1, 1)

// location makes a zone of a VTIMEZONE (section 3.6.5).
func (z zones) location(c *Component, id string) (*time.Location, error) {
	var list []zoneTransition
	for _, o := range c.Subs {
		if o.Name != "STANDARD" && o.Name != "DAYLIGHT" {
			continue
		}
		more, line, err := z.transitions(o)
		if err != nil {
			return nil, fmt.Errorf("the time zone %q can't be read: line %d: %w", id, line, err)
		}
		list = append(list, more...)
	}
	if len(list) == 0 {
		return nil, fmt.Errorf("the time zone %q has neither STANDARD nor DAYLIGHT", id)
	}
	slices.SortStableFunc(list, func(a, b zoneTransition) int { return int(max(-1, min(1, a.at-b.at))) })
	return time.LoadLocationFromTZData(id, zoneData(list))
}

// transitions are the instants at which an observance begins.
func (z zones) transitions(c *Component) (list []zoneTransition, line int, err error) {
	var o zoneTransition
	for _, p := range []struct {
		name string
		to   *int
	}{{"TZOFFSETFROM", &o.from}, {"TZOFFSETTO", &o.to}} {
		v := c.Get(p.name)
		if *p.to, err = parseOffset(v.Value); err != nil {
			return nil, max(v.Line, c.Line), fmt.Errorf("%s: %w", p.name, err)
		}
	}
	first := c.Get("DTSTART") // a local time, whatever zone it names (section 3.6.5)
	start, err := z.timeValueOf(Property{}, first.Value)
	if err != nil {
		return nil, max(first.Line, c.Line), err
	}
	put := func(m recur.DateTime) {
		o.at = localSeconds(m) - unixDay*secondsOfDay - int64(o.from)
		list = append(list, o)
	}
	put(start.DateTime)
	for _, p := range c.Props {
		switch p.Name {
		case "RDATE":
			for _, v := range strings.Split(p.Value, ",") {
				at, err := z.timeValueOf(Property{}, v)
				if err != nil {
					return nil, p.Line, err
				}
				put(at.DateTime)
			}
		case "RRULE":
			rule, err := recur.ParseRRule(p.Value)
			if err != nil {
				return nil, p.Line, err
			}
			if rule.UntilUTC {
				until := dateTimeAt(localSeconds(*rule.Until) + int64(o.from))
				rule.Until = &until
			}
			for m := range rule.DateTimes(start.DateTime) {
				if m.Day > lastTransitionDay || len(list) > 5000 {
					break
				}
				put(m)
			}
		}
	}
	return list, 0, nil
}

// parseOffset reads +0100 or -053000 (section 3.3.14).
func parseOffset(s string) (seconds int, err error) {
	s = strings.TrimSpace(s)
	n, err := strconv.ParseUint(strings.TrimLeft(s, "+-"), 10, 32)
	if len(s) == 5 {
		n *= 100
	}
	h, m, sec := int(n/10000), int(n/100%100), int(n%100)
	if err != nil || len(s) != 7 && len(s) != 5 || s[0] != '+' && s[0] != '-' || h > 23 || m > 59 || sec > 59 {
		return 0, fmt.Errorf("expected an offset from UTC such as +0100, found %q", s[:min(len(s), 40)])
	}
	if seconds = h*3600 + m*60 + sec; s[0] == '-' {
		seconds = -seconds
	}
	return seconds, nil
}

// zoneData writes transitions as a TZif file (RFC 8536), which the standard library
// reads.
func zoneData(list []zoneTransition) []byte {
	offsets := []int{list[0].from} // held before the first of them
	for _, o := range list {
		if !slices.Contains(offsets[1:], o.to) && len(offsets) < 255 {
			offsets = append(offsets, o.to)
		}
	}
	var b bytes.Buffer
	block := func(list []zoneTransition) {
		b.WriteString("TZif2")
		b.Write(make([]byte, 15))
		for _, n := range []int{0, 0, 0, len(list), len(offsets), 1} {
			binary.Write(&b, binary.BigEndian, uint32(n))
		}
		for _, o := range list {
			binary.Write(&b, binary.BigEndian, o.at)
		}
		for _, o := range list {
			b.WriteByte(byte(1 + slices.Index(offsets[1:], o.to)))
		}
		for _, o := range offsets {
			binary.Write(&b, binary.BigEndian, int32(o))
			b.Write([]byte{0, 0}) // neither daylight saving nor a name
		}
		b.WriteByte(0)
	}
	block(nil)
	block(list)
	b.WriteString("\n\n")
	return b.Bytes()
}
