package ical

import (
	"fmt"
	"iter"
	"slices"
	"strconv"
	"strings"
	"time"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/recur"
)

// componentLines is a component: its content lines, unfolded, without BEGIN and END.
type componentLines struct {
	name  string // VEVENT or VTODO
	lines []string
}

// content makes the component of an event, without its stamps. The error says why it
// can't be written as it is asked.
func (c Calendar) content(e Event) (*componentLines, error) {
	k := &componentLines{name: "VEVENT"}
	put := func(parts ...string) { k.lines = append(k.lines, strings.Join(parts, "")) }
	start := "DTSTART"
	if e.Todo {
		k.name, start = "VTODO", "DUE"
	}
	put("UID:", escape(e.UID))
	put(start, timeValuesText(c.zone(e.Zone()), e.At))
	if e.DurationMinutes > 0 && e.At.Kind == eval.DateTime && !e.Todo {
		put("DURATION:", durationText(e.DurationMinutes, false))
	}
	if e.Recurring != nil {
		if err := c.recurrence(k, e); err != nil {
			return nil, err
		}
	}
	put("SUMMARY:", escape(e.Summary))
	if e.Description != "" {
		put("DESCRIPTION:", escape(e.Description))
	}
	if e.Location != "" {
		put("LOCATION:", escape(e.Location))
	}
	categories := e.Categories
	if categories == nil && e.Category != "" {
		categories = []string{e.Category}
	}
	if len(categories) > 0 {
		var list []string
		for _, s := range categories {
			list = append(list, escape(s))
		}
		put("CATEGORIES:", strings.Join(list, ","))
	}
	if e.Color != "" {
		put("COLOR:", e.Color)
	}
	if e.Contact != "" {
		put("CONTACT:", escape(e.Contact))
	}
	if e.Private {
		put("CLASS:PRIVATE")
	}
	if e.Tentative && !e.Todo {
		put("STATUS:TENTATIVE")
	}
	related := ""
	switch {
	case e.Todo:
		put("STATUS:NEEDS-ACTION")
		related = ";RELATED=END"
	case e.Busy:
		put("TRANSP:OPAQUE")
	default:
		put("TRANSP:TRANSPARENT")
	}
	triggers, err := c.triggerTexts(e)
	for i, t := range triggers {
		put("BEGIN:VALARM")
		put("UID:", alarmUID(e.UID, i, t, escape(e.Summary)))
		put("ACTION:DISPLAY")
		put("DESCRIPTION:", escape(e.Summary))
		put("TRIGGER", related, ":", t)
		put("END:VALARM")
	}
	return k, err
}

// timeValuesText writes dates or times of one kind as a property has them behind its name.
func timeValuesText(zone *time.Location, list ...eval.Value) string {
	head, tail := ":", ""
	switch {
	case list[0].Kind != eval.DateTime:
		head = ";VALUE=DATE:"
	case list[0].IsRepeated() && len(list) == 1: // a local time is read as the first of two
		utc := dateTimeAt(list[0].Num)
		list[0] = eval.Value{Kind: eval.DateTime, Day: utc.Day, Minutes: int16(utc.Second / 60)}
		tail = "Z"
	case zone == nil:
	case isUTC(zone):
		tail = "Z"
	default:
		head = ";TZID=" + zone.String() + ":"
	}
	var texts []string
	for _, v := range list {
		text := basicDateText(v.Day)
		if v.Kind == eval.DateTime {
			text += basicTimeText(v) + tail
		}
		texts = append(texts, text)
	}
	return head + strings.Join(texts, ",")
}

// recurrence puts RRULE, EXDATE and RDATE, reads them again, and refuses what doesn't
// give the dates that are wanted.
func (c Calendar) recurrence(k *componentLines, e Event) error {
	r := e.Recurring.Rule
	last := e.Recurring.Until
	at := recur.DateTime{Day: last.Day, Second: int(last.Minutes) * 60}
	r.Until, r.UntilDate = &at, last.Kind != eval.DateTime
	zone := c.zone(e.Zone())
	if !r.UntilDate && zone != nil {
		until, _ := instantAt(at, zone)
		utc := dateTimeAt(until)
		r.Until, r.UntilUTC = &utc, true
	}
	k.lines = append(k.lines, "RRULE:"+r.String())
	for _, p := range []struct {
		name string
		list []eval.Value
	}{{"RDATE", e.Recurring.Extra}, {"EXDATE", e.Recurring.Except}} {
		if len(p.list) > 0 {
			k.lines = append(k.lines, p.name+timeValuesText(zone, p.list...))
		}
	}
	again, err := c.expanded(k)
	want := map[eval.Value]bool{}
	for _, v := range e.Recurring.Dates {
		want[eval.Value{Kind: v.Kind, Day: v.Day, Minutes: v.Minutes}] = true
	}
	if err == nil && len(again) != len(want) {
		err = fmt.Errorf("its rule gives %d dates, not %d", len(again), len(want))
	}
	for _, v := range again {
		if err == nil && !want[v] {
			err = fmt.Errorf("its rule gives %s too", v)
		}
	}
	if err != nil {
		return fmt.Errorf("`%s` can't be one recurring event: %w", e.Summary, err)
	}
	return nil
}

// expanded reads a component as any reader does.
func (c Calendar) expanded(k *componentLines) (list []eval.Value, err error) {
	comp := &Component{Name: k.name}
	for _, line := range k.lines {
		p, err := property(line)
		if err != nil {
			return nil, err
		}
		p.Line = 1
		comp.Props = append(comp.Props, p)
	}
	sets, problems, err := ReadSets("", &Component{Subs: []*Component{{Subs: []*Component{comp}}}})
	if err == nil && len(problems) > 0 {
		err = problems[0]
	}
	if err != nil {
		return nil, err
	}
	instances, err := sets[0].Instances(civil.AllDays, false, nil)
	for _, i := range instances {
		start := i.From
		if i.RecurrenceID != nil { // as it is written, although the clock may skip it
			start = *i.RecurrenceID
		}
		list = append(list, start.Value())
	}
	return list, err
}

// triggerTexts are those of an event's alarms. A recurring event has one set of them, so
// they must be the same for each of its dates.
func (c Calendar) triggerTexts(e Event) (list []string, err error) {
	of := func(e Event) (list []string) {
		for _, a := range e.Alarms() {
			list = append(list, triggerText(e.At, a, c.zone(e.Zone())))
		}
		return list
	}
	list = of(e)
	if e.Recurring == nil || len(e.Reminders) == 0 {
		return list, nil
	}
	for n, v := range e.Recurring.Dates {
		e.At = v
		if more := of(e); n > 0 && !slices.Equal(more, list) {
			return nil, fmt.Errorf("`%s` can't be one recurring event: its reminders differ, %s and %s before it starts", e.Summary, strings.Join(list, ", "), strings.Join(more, ", "))
		} else {
			list = more
		}
	}
	return list, nil
}

// isUTC reports whether a zone is UTC by one of its names.
func isUTC(z *time.Location) bool {
	switch z.String() {
	case "UTC", "Etc/UTC", "Etc/UCT", "UCT", "Zulu", "Etc/Zulu", "Universal", "Etc/Universal":
		return true
	}
	return false
}

// withStamps puts DTSTAMP, SEQUENCE and, where it changed, LAST-MODIFIED behind the UID.
func (k *componentLines) withStamps(stamp string, sequence int, changed bool) *componentLines {
	list := make([]string, 0, len(k.lines)+3)
	own := slices.IndexFunc(k.lines, func(line string) bool { return propertyName(line) == "UID" }) // before those of alarms
	for i, line := range k.lines {
		if list = append(list, line); i == own {
			list = append(list, "DTSTAMP:"+stamp, "SEQUENCE:"+strconv.Itoa(sequence))
			if changed {
				list = append(list, "LAST-MODIFIED:"+stamp)
			}
		}
	}
	return &componentLines{k.name, list}
}

// propertyName is the name of a content line's property.
func propertyName(line string) string {
	for i := range len(line) {
		if line[i] == ':' || line[i] == ';' {
			return strings.ToUpper(line[:i])
		}
	}
	return ""
}

// ownLines are the content lines that are a component's own, not those of an alarm, behind
// their names.
func ownLines(lines []string) iter.Seq2[string, string] {
	return func(yield func(name, line string) bool) {
		inner := 0
		for _, line := range lines {
			switch name := propertyName(line); {
			case name == "BEGIN":
				inner++
			case name == "END":
				inner--
			case inner == 0 && !yield(name, line):
				return
			}
		}
	}
}

// linesWithout are the lines of outer but for those of some names.
func linesWithout(lines []string, without ...string) (list []string) {
	for name, line := range ownLines(lines) {
		if !slices.Contains(without, name) {
			list = append(list, line)
		}
	}
	return list
}
