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

// alarm is an alarm of an event as it is: its content lines without BEGIN and END.
type alarm struct {
	lines         []string
	uid           string
	trigger, text string // values, as they are
}

// place is where an alarm of ours stands among the reminders; ours is false for one that
// isn't, fits for one that a person changed.
func (a alarm) place(uid string) (place int, ours, fits bool) {
	parts := strings.Split(a.uid, "-")
	if len(parts) != 3 {
		return 0, false, false
	}
	place, err := strconv.Atoi(parts[1])
	want := alarmUID(uid, place, a.trigger, a.text)
	head, _, _ := strings.Cut(want, "-")
	return place, err == nil && parts[0] == head, a.uid == want
}

// plain reports whether an alarm looks as those of ours did before they had UIDs.
func (a alarm) plain() bool {
	return a.uid == "" && len(a.lines) == 3 && a.lines[0] == "ACTION:DISPLAY" &&
		(strings.HasPrefix(a.lines[2], "TRIGGER:") || strings.HasPrefix(a.lines[2], "TRIGGER;RELATED=END:"))
}

// says is what an alarm of ours says, without its UID.
func (a alarm) says() string {
	lines := slices.DeleteFunc(slices.Clone(a.lines), func(s string) bool { return nameOf(s) == "UID" })
	return strings.Join(lines, " ")
}

// alarms are those of a component.
func (k *content) alarms() (list []alarm) {
	depth := 0
	for _, line := range k.lines {
		name := nameOf(line)
		_, value, _ := strings.Cut(line, ":")
		switch {
		case name == "BEGIN":
			if depth++; depth == 1 && strings.EqualFold(value, "VALARM") {
				list = append(list, alarm{})
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

// with is a component with other alarms.
func (k *content) with(alarms []alarm) *content {
	lines := bare(k.lines)
	for _, a := range alarms {
		lines = append(append(append(lines, "BEGIN:VALARM"), a.lines...), "END:VALARM")
	}
	return &content{k.kind, lines}
}

// ours are the properties that a schedule says; the others don't make an event a
// changed one. The status of a to-do is a person's, unless it is cancelled.
var ours = []string{"UID", "DTSTART", "DUE", "DURATION", "RRULE", "RDATE", "EXDATE", "SUMMARY", "DESCRIPTION",
	"LOCATION", "CATEGORIES", "COLOR", "CONTACT", "CLASS", "TRANSP", "STATUS"}

// theirs are the properties that people and other programs add, and that stay.
var theirs = []string{"ATTENDEE", "COMMENT", "ATTACH"}

// says are the content lines of ours, sorted, but for the reason, which alone is no
// change; and what the given alarms say.
func (k *content) says(alarms []alarm) (list []string) {
	for name, line := range outer(k.lines) {
		switch {
		case name == "STATUS" && k.kind == "VTODO" && !isCancelled(line):
		case name != "DESCRIPTION" && slices.Contains(ours, name):
			list = append(list, line)
		}
	}
	for _, a := range alarms {
		list = append(list, a.says())
	}
	slices.Sort(list)
	return list
}

func isCancelled(line string) bool { return strings.EqualFold(line, "STATUS:CANCELLED") }

// body are a block's content lines without its BEGIN and END.
func (b *block) body() *content { return &content{b.name, b.lines[1 : len(b.lines)-1]} }

// dated reports whether a block is an event or a to-do.
func (b *block) dated() bool { return b.name == "VEVENT" || b.name == "VTODO" }

// value is that of a component's own property as it is; "" if there is none.
func (k *content) value(name string) string {
	for own, line := range outer(k.lines) {
		if own == name {
			_, value, _ := strings.Cut(line, ":")
			return value
		}
	}
	return ""
}

// mark is the hash of what was written of an event; "" if none was.
func (b *block) mark() string { return b.body().value(hashMark) }

// sorted parts the alarms of an earlier event: those of ours that are as they were
// written, those that stay since a person made or changed them, and the places of the
// latter among the reminders.
func (b *block) sorted() (as, hand []alarm, places map[int]bool) {
	places = map[int]bool{}
	marked := b.mark() != ""
	for _, a := range b.body().alarms() {
		switch place, is, fits := a.place(b.uid); {
		case is && fits, !marked && a.plain():
			as = append(as, a)
		default:
			if hand = append(hand, a); is {
				places[place] = true
			}
		}
	}
	return as, hand, places
}

// hashOf is the hash of a component, of what it says (see saysOf).
func (k *content) hashOf() string {
	stack := []*Component{{Name: k.kind}}
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
	return hashSaid(saysOf(stack[0]))
}

// hashSaid is the hash of what a component says by property.
func hashSaid(says map[string]string) string {
	sum := sha256.New()
	for _, name := range slices.Sorted(maps.Keys(says)) {
		sum.Write([]byte(name + "\x00" + says[name] + "\x00"))
	}
	return hex.EncodeToString(sum.Sum(nil)[:16])
}

// again is what becomes of an event that is in an earlier file already: unchanged, so
// that its lines stay; else the new component, with what people added. marked is one that
// was written before there were marks, and that gets its own; replaced says that a text
// that a person wrote is lost.
func (k *content) again(b *block) (made *content, unchanged, marked, replaced bool) {
	as, hand, places := b.sorted()
	var own []alarm
	for i, a := range k.alarms() {
		if !places[i] {
			own = append(own, a)
		}
	}
	if b.name == k.kind && slices.Equal(b.body().says(as), k.says(own)) {
		if b.mark() != "" {
			return nil, true, false, false
		}
		// Its reason stays as it was, which alone is no change.
		old := b.body()
		made = &content{kind: k.kind, lines: bare(old.lines)}
		plain := &content{kind: k.kind, lines: bare(made.lines, theirs...)}
		made.lines = append(made.lines, hashMark+":"+plain.with(own).hashOf())
		return made.with(append(slices.Clone(own), hand...)), false, true, false
	}
	made = k.with(append(slices.Clone(own), hand...)).kept(b).people(b)
	if was := b.mark(); was != "" && b.name == k.kind {
		before := b.body()
		before.lines = bare(before.lines, theirs...)
		texts := []string{"SUMMARY", "LOCATION", "DESCRIPTION"}
		for i, a := range k.alarms() { // what an alarm that was changed by hand said before, if it still does
			if !places[i] {
				continue
			}
			if slices.ContainsFunc(hand, func(h alarm) bool { return h.uid == a.uid }) {
				as = append(as, a)
			} else {
				texts = texts[:2] // a reason changes by itself
			}
		}
		if before.with(as).hashOf() != was { // somebody changed more than what stays
			for _, name := range texts {
				replaced = replaced || before.value(name) != k.value(name)
			}
		}
	}
	return made, false, false, replaced
}

// kept puts into a component what other programs and the person who works off a to-do did
// to it: its status, when it was completed and how far it is, and their properties.
func (k *content) kept(b *block) *content {
	if k.kind != b.name {
		return k
	}
	status := ""
	var added []string
	for name, line := range outer(b.body().lines) {
		switch {
		case k.kind == "VTODO" && name == "STATUS" && !isCancelled(line):
			status = line
		case k.kind == "VTODO" && (name == "COMPLETED" || name == "PERCENT-COMPLETE"),
			strings.HasPrefix(name, "X-") && name != planMark && name != hashMark:
			added = append(added, line)
		}
	}
	made := &content{kind: k.kind, lines: slices.Clone(k.lines)}
	if i := slices.Index(made.lines, "STATUS:NEEDS-ACTION"); i >= 0 && status != "" {
		made.lines[i] = status
	}
	made.add(added...)
	return made
}

// people puts into a component whom people invited to it, what they said of it, and what
// they attached.
func (k *content) people(b *block) *content {
	if k.kind != b.name {
		return k
	}
	for name, line := range outer(b.body().lines) {
		if slices.Contains(theirs, name) {
			k.add(line)
		}
	}
	return k
}

// gone is a block cancelled. What is cancelled reminds nobody, and RFC 5546 section
// 3.2.5 has no alarm in a CANCEL.
func (b *block) gone() *content {
	k := &content{kind: b.name, lines: bare(b.body().lines, "DTSTAMP", "SEQUENCE", "LAST-MODIFIED", "STATUS")}
	k.lines = append(k.lines, "STATUS:CANCELLED")
	return k
}
