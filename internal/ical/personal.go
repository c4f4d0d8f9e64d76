package ical

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"yoyaku/internal/core/schedule"
)

// What people do to events of ours in a file, and what becomes of it when the file is
// written again.

// alarmUID is the UID of an alarm of ours (RFC 9074 section 4): made from that of its event,
// its place among the reminders, and a hash of what it says, so that one that a person
// changed no longer fits its own.
func alarmUID(uid string, place int, trigger, text string) string {
	return fmt.Sprintf("%s-%d-%s", schedule.Hash(uid, 6), place, schedule.Hash(trigger+"\x00"+text, 6))
}

// alarmLines is an alarm of an event as it is: its content lines without BEGIN and END.
type alarmLines struct {
	lines         []string
	uid           string
	trigger, text string // values, as they are
}

// reminderIndex is where an alarm of ours stands among the reminders; ours is false for one that
// isn't, fits for one that a person changed.
func (a alarmLines) reminderIndex(uid string) (place int, ours, fits bool) {
	parts := strings.Split(a.uid, "-")
	if len(parts) != 3 {
		return 0, false, false
	}
	place, err := strconv.Atoi(parts[1])
	want := alarmUID(uid, place, a.trigger, a.text)
	head, _, _ := strings.Cut(want, "-")
	return place, err == nil && parts[0] == head, a.uid == want
}

// isLegacy reports whether an alarm looks as those of ours did before they had UIDs.
func (a alarmLines) isLegacy() bool {
	return a.uid == "" && len(a.lines) == 3 && a.lines[0] == "ACTION:DISPLAY" &&
		(strings.HasPrefix(a.lines[2], "TRIGGER:") || strings.HasPrefix(a.lines[2], "TRIGGER;RELATED=END:"))
}

// significantText is what an alarm of ours says, without its UID.
func (a alarmLines) significantText() string {
	lines := slices.DeleteFunc(slices.Clone(a.lines), func(s string) bool { return propertyName(s) == "UID" })
	return strings.Join(lines, " ")
}

// alarms are those of a component.
func (k *componentLines) alarms() (list []alarmLines) {
	depth := 0
	for _, line := range k.lines {
		name := propertyName(line)
		_, value, _ := strings.Cut(line, ":")
		switch {
		case name == "BEGIN":
			if depth++; depth == 1 && strings.EqualFold(value, "VALARM") {
				list = append(list, alarmLines{})
				continue
			}
		case name == "END":
			if depth--; depth == 0 {
				continue
			}
		}
		if depth == 0 || len(list) == 0 {
			continue
		}
		a := &list[len(list)-1]
		a.lines = append(a.lines, line)
		switch {
		case depth > 1:
		case name == "UID":
			a.uid = value
		case name == "TRIGGER":
			a.trigger = value
		case name == "DESCRIPTION":
			a.text = value
		}
	}
	return list
}

// withAlarms is a component with other alarms.
func (k *componentLines) withAlarms(alarms []alarmLines) *componentLines {
	lines := linesWithout(k.lines)
	for _, a := range alarms {
		lines = append(append(append(lines, "BEGIN:VALARM"), a.lines...), "END:VALARM")
	}
	return &componentLines{k.name, lines}
}

// ownProperties are the properties that a schedule says; the others don't make an event a
// changed one. The status of a to-do is a person's, unless it is cancelled.
var ownProperties = []string{"UID", "DTSTART", "DUE", "DURATION", "RRULE", "RDATE", "EXDATE", "SUMMARY", "DESCRIPTION",
	"LOCATION", "CATEGORIES", "COLOR", "CONTACT", "CLASS", "TRANSP", "STATUS"}

// foreignProperties are the properties that people and other programs add, and that stay.
var foreignProperties = []string{"ATTENDEE", "COMMENT", "ATTACH"}

// significantLines are the content lines of ours, sorted, but for the reason, which alone is no
// change; and what the given alarms say.
func (k *componentLines) significantLines(alarms []alarmLines) (list []string) {
	for name, line := range ownLines(k.lines) {
		switch {
		case name == "STATUS" && k.name == "VTODO" && !isCancelled(line):
		case name != "DESCRIPTION" && slices.Contains(ownProperties, name):
			list = append(list, line)
		}
	}
	for _, a := range alarms {
		list = append(list, a.significantText())
	}
	slices.Sort(list)
	return list
}

func isCancelled(line string) bool { return strings.EqualFold(line, "STATUS:CANCELLED") }

// contentLines are a block's content lines without its BEGIN and END.
func (b *rawComponent) contentLines() *componentLines {
	return &componentLines{b.name, b.lines[1 : len(b.lines)-1]}
}

// isEventOrTodo reports whether a block is an event or a to-do.
func (b *rawComponent) isEventOrTodo() bool { return b.name == "VEVENT" || b.name == "VTODO" }

// propertyValue is that of a component's own property as it is; "" if there is none.
func (k *componentLines) propertyValue(name string) string {
	for own, line := range ownLines(k.lines) {
		if own == name {
			_, value, _ := strings.Cut(line, ":")
			return value
		}
	}
	return ""
}

// writtenHash is the hash of what was written of an event; "" if none was.
func (b *rawComponent) writtenHash() string { return b.contentLines().propertyValue(hashProperty) }

// splitAlarms splits VALARMs into generated ones that are unchanged, and those that a person
// added or changed; places are the indexes of reminders that the latter replace.
func (b *rawComponent) splitAlarms() (as, hand []alarmLines, places map[int]bool) {
	places = map[int]bool{}
	marked := b.writtenHash() != ""
	for _, a := range b.contentLines().alarms() {
		switch place, is, fits := a.reminderIndex(b.uid); {
		case is && fits, !marked && a.isLegacy():
			as = append(as, a)
		default:
			if hand = append(hand, a); is {
				places[place] = true
			}
		}
	}
	return as, hand, places
}

// hash is the hash of a component, of what it says (see propertyTexts).
func (k *componentLines) hash() string {
	stack := []*Component{{Name: k.name}}
	for _, line := range k.lines {
		p, err := property(line)
		top := stack[len(stack)-1]
		switch {
		case err != nil: // it was read before
		case p.Name == "BEGIN":
			sub := &Component{Name: strings.ToUpper(strings.TrimSpace(p.Value))}
			top.Subs, stack = append(top.Subs, sub), append(stack, sub)
		case p.Name == "END" && len(stack) > 1:
			stack = stack[:len(stack)-1]
		default:
			top.Props = append(top.Props, p)
		}
	}
	return hashProperties(propertyTexts(stack[0]))
}

// hashProperties is the hash of what a component says by property.
func hashProperties(says map[string]string) string {
	sum := sha256.New()
	for _, name := range slices.Sorted(maps.Keys(says)) {
		sum.Write([]byte(name + "\x00" + says[name] + "\x00"))
	}
	return hex.EncodeToString(sum.Sum(nil)[:16])
}

// mergeInto is what becomes of an event that is in an earlier file already: unchanged, so
// that its lines stay; else the new component, with what people added. marked is one that
// was written before there were marks, and that gets its own; replaced says that a text
// that a person wrote is lost.
func (k *componentLines) mergeInto(b *rawComponent) (merged *componentLines, unchanged, marked, replaced bool) {
	as, hand, places := b.splitAlarms()
	var own []alarmLines
	for i, a := range k.alarms() {
		if !places[i] {
			own = append(own, a)
		}
	}
	if b.name == k.name && slices.Equal(b.contentLines().significantLines(as), k.significantLines(own)) {
		if b.writtenHash() != "" {
			return nil, true, false, false
		}
		// Its reason stays as it was, which alone is no change.
		old := b.contentLines()
		merged = &componentLines{name: k.name, lines: linesWithout(old.lines)}
		plain := &componentLines{name: k.name, lines: linesWithout(merged.lines, foreignProperties...)}
		merged.lines = append(merged.lines, hashProperty+":"+plain.withAlarms(own).hash())
		return merged.withAlarms(append(slices.Clone(own), hand...)), false, true, false
	}
	merged = k.withAlarms(append(slices.Clone(own), hand...)).keepForeign(b).keepAttendees(b)
	if was := b.writtenHash(); was != "" && b.name == k.name {
		before := b.contentLines()
		before.lines = linesWithout(before.lines, foreignProperties...)
		texts := []string{"SUMMARY", "LOCATION", "DESCRIPTION"}
		for i, a := range k.alarms() { // what an alarm that was changed by hand said before, if it still does
			if !places[i] {
				continue
			}
			if slices.ContainsFunc(hand, func(h alarmLines) bool { return h.uid == a.uid }) {
				as = append(as, a)
			} else {
				texts = texts[:2] // a reason changes by itself
			}
		}
		if before.withAlarms(as).hash() != was { // somebody changed more than what stays
			for _, name := range texts {
				replaced = replaced || before.propertyValue(name) != k.propertyValue(name)
			}
		}
	}
	return merged, false, false, replaced
}

// keepForeign puts into a component what other programs and the person who works off a to-do did
// to it: its status, when it was completed and how far it is, and their properties.
func (k *componentLines) keepForeign(b *rawComponent) *componentLines {
	if k.name != b.name {
		return k
	}
	status := ""
	var added []string
	for name, line := range ownLines(b.contentLines().lines) {
		switch {
		case k.name == "VTODO" && name == "STATUS" && !isCancelled(line):
			status = line
		case k.name == "VTODO" && (name == "COMPLETED" || name == "PERCENT-COMPLETE"),
			strings.HasPrefix(name, "X-") && !slices.Contains([]string{planProperty, hashProperty, ruleProperty}, name):
			added = append(added, line)
		}
	}
	merged := &componentLines{name: k.name, lines: slices.Clone(k.lines)}
	if i := slices.Index(merged.lines, "STATUS:NEEDS-ACTION"); i >= 0 && status != "" {
		merged.lines[i] = status
	}
	merged.appendLines(added...)
	return merged
}

// keepAttendees puts into a component whom people invited to it, what they said of it, and what
// they attached.
func (k *componentLines) keepAttendees(b *rawComponent) *componentLines {
	if k.name != b.name {
		return k
	}
	for name, line := range ownLines(b.contentLines().lines) {
		if slices.Contains(foreignProperties, name) {
			k.appendLines(line)
		}
	}
	return k
}

// cancelledCopy is a block cancelled. What is cancelled reminds nobody, and RFC 5546 section
// 3.2.5 has no alarm in a CANCEL.
func (b *rawComponent) cancelledCopy() *componentLines {
	k := &componentLines{name: b.name, lines: linesWithout(b.contentLines().lines, "DTSTAMP", "SEQUENCE", "LAST-MODIFIED", "STATUS")}
	k.lines = append(k.lines, "STATUS:CANCELLED")
	return k
}
