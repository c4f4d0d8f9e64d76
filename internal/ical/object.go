package ical

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"maps"
	"slices"
	"strconv"
	"strings"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/schedule"
)

// Object is a calendar object resource (RFC 4791 section 4.1): one event or to-do as a
// server keeps it.
type Object struct {
	UID, Summary string
	Start        eval.Value // DTSTART, or DUE
	// Plan and WrittenHash are of the plan that wrote it: its id, and the hash of what it wrote;
	// empty if nobody did.
	Plan, WrittenHash string
	// Hash is that of what it says now, whoever wrote it.
	Hash string

	block      rawComponent
	properties map[string]string // by property
}

// planProperty and hashProperty are the properties by which an event is known as a plan's,
// ruleProperty is the one by which it is known as that of a rule alone.
const planProperty, hashProperty, ruleProperty = "X-YOYAKU-PLAN", "X-YOYAKU-HASH", "X-YOYAKU-RULE"

// ReadObject reads a resource.
func ReadObject(data string) (*Object, error) {
	root, err := Read("", strings.NewReader(data))
	if err != nil {
		return nil, err
	}
	o := &Object{properties: map[string]string{}}
	n := 0
	changed := sha256.New()
	for _, c := range root.Subs[0].Subs {
		if c.Name != "VEVENT" && c.Name != "VTODO" {
			continue
		}
		if n++; n == 1 {
			text := func(name string) string { return strings.Join(splitTextList(c.Get(name).Value), ",") }
			o.UID, o.Summary, o.Plan, o.WrittenHash = text("UID"), text("SUMMARY"), text(planProperty), text(hashProperty)
		}
		all := propertyTexts(c)
		for _, name := range slices.Sorted(maps.Keys(all)) {
			says := all[name]
			if n > 1 { // an instance that somebody changed
				changed.Write([]byte(name + "\x01" + says + "\x02"))
				continue
			}
			o.properties[name] = says
		}
	}
	if n > 1 {
		o.properties["RECURRENCE-ID"] += hex.EncodeToString(changed.Sum(nil))
	}
	for _, b := range rawComponents(data) {
		if b.isEventOrTodo() && o.block.name == "" {
			o.block, o.Start = b, b.start
		}
	}
	if n == 0 || o.block.name == "" {
		return nil, errors.New("it has neither an event nor a to-do")
	}
	o.Hash = hashProperties(o.properties)
	return o, nil
}

// propertyTexts is what a component says by property, without what servers, programs and the
// person who works off a to-do or an alarm put there.
func propertyTexts(c *Component) map[string]string {
	lines := map[string][]string{}
	put := func(name, line string) { lines[name] = append(lines[name], line) }
	for _, p := range c.Props {
		switch {
		case c.Name == "VALARM" && p.Name == "UID": // which says what the alarm said
		case strings.HasPrefix(p.Name, "X-"), slices.Contains([]string{"DTSTAMP", "CREATED", "LAST-MODIFIED", "SEQUENCE",
			"ACKNOWLEDGED"}, p.Name):
		case c.Name == "VTODO" && (p.Name == "COMPLETED" || p.Name == "PERCENT-COMPLETE" || p.Name == "STATUS" &&
			!strings.EqualFold(p.Value, "CANCELLED")):
		default:
			put(p.Name, propertyText(p))
		}
	}
	for _, sub := range c.Subs {
		if related := sub.Get("RELATED-TO"); strings.EqualFold(related.Params["RELTYPE"], "SNOOZE") {
			continue
		}
		var inner []string
		for name, says := range propertyTexts(sub) {
			inner = append(inner, name+"\x01"+says)
		}
		slices.Sort(inner)
		put(sub.Name, strings.Join(inner, "\x01"))
	}
	put("", c.Name)
	all := map[string]string{}
	for name, list := range lines {
		slices.Sort(list)
		all[name] = strings.Join(list, "\x02")
	}
	return all
}

// propertyText is a property's value without escapes, behind its parameters.
func propertyText(p Property) string {
	var params []string
	for k, v := range p.Params {
		if !strings.HasPrefix(k, "X-") {
			params = append(params, k+"="+v)
		}
	}
	slices.Sort(params)
	value := strings.Join(splitTextList(p.Value), ",")
	if p.Name == "TRIGGER" || p.Name == "DURATION" { // servers write PT167H as P6DT23H
		if long, err := parseDuration(value); err == nil {
			value = strconv.FormatInt(int64(long.days)*secondsOfDay+long.seconds, 10)
		}
	}
	return strings.Join(params, ";") + ":" + value
}

// IsAtLimit reports whether the SEQUENCE can't rise any more.
func (o *Object) IsAtLimit() bool { return o.block.sequence == maxSequence }

// Differs names the properties in which two objects differ.
func (o *Object) Differs(other *Object) (names []string) {
	for name, says := range o.properties {
		if other.properties[name] != says {
			names = append(names, name)
		}
	}
	for name := range other.properties {
		if _, both := o.properties[name]; !both {
			names = append(names, name)
		}
	}
	slices.Sort(names)
	for i, name := range names {
		if name == "" {
			names[i] = "KIND"
		}
	}
	return names
}

// Object makes the resource of an event of a plan. If it takes the place of an
// older one, SEQUENCE is one up and what people did to it stays: the status of a
// to-do, properties of other programs.
func (c Calendar) Object(e Event, plan string, old *Object) (*Object, string, error) {
	e.UID = ShortUID(e.UID)
	merged, err := c.content(e)
	if err != nil {
		return nil, "", err
	}
	bare, _, err := c.resource(e, merged)
	if err != nil {
		return nil, "", err
	}
	stamp, sequence := basicDateText(c.DTSTAMP)+"T000000Z", 0
	if old != nil {
		merged = merged.keepForeign(&old.block)
		for name, line := range ownLines(old.block.contentLines().lines) {
			if name == "CREATED" {
				merged.appendLines(line)
			}
		}
		stamp, sequence = old.block.laterDTSTAMP(stamp), old.block.nextSequence()
	}
	merged.lines = slices.DeleteFunc(merged.lines, func(line string) bool {
		return propertyName(line) == planProperty ||
			propertyName(line) == hashProperty
	})
	merged = merged.withStamps(stamp, sequence, old != nil)
	merged.appendLines(planProperty+":"+escape(plan), hashProperty+":"+bare.Hash)
	return c.resource(e, merged)
}

// appendLines puts content lines behind the others, in front of the alarms.
func (k *componentLines) appendLines(lines ...string) {
	at := slices.Index(k.lines, "BEGIN:VALARM")
	if at < 0 {
		at = len(k.lines)
	}
	k.lines = slices.Insert(k.lines, at, lines...)
}

// resource writes a component as a resource of its own, and reads it again.
func (c Calendar) resource(e Event, merged *componentLines) (*Object, string, error) {
	var b bytes.Buffer
	l := newLines(&b)
	for _, line := range []string{"BEGIN:VCALENDAR", "VERSION:2.0", "PRODID:-//Yoyaku//yoyaku//EN"} {
		l.putLine(line)
	}
	for _, z := range c.zoneSpans([]outComponent{{start: e.At, new: merged}}) {
		l.timezone(z.zone, z.first, z.last)
	}
	l.component(merged)
	l.putLine("END:VCALENDAR")
	if err := l.flush(); err != nil {
		return nil, "", err
	}
	o, err := ReadObject(b.String())
	return o, b.String(), err
}

// ResourceName is the name of a UID's resource: letters and digits alone, whatever the
// UID holds.
func ResourceName(uid string) string {
	return schedule.Hash(ShortUID(uid), 16) + ".ics"
}

// SplitUID takes a UID of a plan apart: its series or record, which of its dates, and
// who it is among those.
func SplitUID(uid string) (series, what, id string) { return splitUID(uid) }
