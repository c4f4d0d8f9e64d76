package ical

import (
	"fmt"
	"strings"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/golden"
)

// TestEveryMinute writes an event at each minute of a day, in several zones, and reads it back.
func TestEveryMinute(t *testing.T) {
	day, _, _ := civil.Parse("2027-06-07")
	for _, name := range []string{"", "UTC", "America/New_York", "Asia/Kathmandu"} {
		c := Calendar{Stamp: day}
		if name != "" {
			c.Zone, _ = Zone(name)
		}
		var list []Event
		for m := range 24 * 60 {
			list = append(list, Event{UID: fmt.Sprintf("s.%d@p", m), Summary: fmt.Sprint(m), At: eval.Value{Kind: eval.Moment, Day: day, Minutes: int16(m)}})
		}
		var b strings.Builder
		if err := Write(&b, c, list); err != nil {
			t.Fatal(err)
		}
		got, err := Events("f", strings.NewReader(b.String()))
		if err != nil || len(got) != len(list) {
			t.Fatal(len(got), err)
		}
		for i, e := range got {
			if e.At.Day != day || int(e.At.Minutes) != i || e.Summary != fmt.Sprint(i) {
				t.Fatalf("%s: minute %d is read as %s", name, i, e.At)
			}
		}
	}
}

// TestGiven holds files with all that an event has, what servers hand back of them, and how
// they are named, to testdata/given.txt.
func TestGiven(t *testing.T) {
	day, _, _ := civil.Parse("2027-06-07")
	var b strings.Builder
	put := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	soon, _ := schedule.ParseReminder("2 days before")
	late, _ := schedule.ParseReminder("1 day before at 09:05")
	list := []Event{
		{UID: "a.1@p", Summary: "Plain, with; signs \\ and\na line", At: eval.Day(day), Series: "a", Category: "a"},
		{UID: "a.2@p", Summary: "All of it, in a line that is far longer than seventy-five octets and so is folded: åäö åäö åäö", Description: "why", At: eval.Day(day + 1), Owner: "di", Contact: "Di <di@skerry.example>", Category: "a",
			Private: true, Tentative: true, Reminders: []schedule.Reminder{soon, late}, Look: schedule.Look{Busy: true, Color: "teal", Location: "Quay, 2", Categories: []string{"pay", "crew"}}},
		{UID: "a.3@p", Summary: "A task", At: eval.Day(day + 2), Todo: true, Reminders: []schedule.Reminder{soon}},
		{UID: "b.1@p", Summary: "At a time", At: eval.Value{Kind: eval.Moment, Day: day, Minutes: 545}, Reminders: []schedule.Reminder{late}, Look: schedule.Look{Lasting: 90}},
		{UID: "b.2@p", Summary: "A task at night", At: eval.Value{Kind: eval.Moment, Day: day, Minutes: 1439}, Todo: true},
		{UID: "b.3@p", Summary: "Over midnight", At: eval.Value{Kind: eval.Moment, Day: day, Minutes: 1400}, Look: schedule.Look{Lasting: 100}},
	}
	for _, name := range []string{"", "America/New_York"} {
		c := Calendar{Name: "Skerry, crew", Stamp: day - 100}
		if name != "" {
			c.Zone, _ = Zone(name)
		}
		if err := Write(&b, c, list); err != nil {
			t.Fatal(err)
		}
		for _, e := range list {
			o, text, err := c.Object(e, "p", nil)
			if err != nil {
				t.Fatal(err)
			}
			put("%s %q at %s, plan %q, as written %v", o.UID, o.Summary, o.At, o.Plan, o.Hash == o.Mark)
			for _, change := range [][2]string{{"", ""}, {"SUMMARY:", "SUMMARY:x"}, {"TRANSP:", "X-OTHER:1\r\nTRANSP:"}, {"DTSTART", "PRIORITY:5\r\nDTSTART"}, {"BEGIN:VALARM", "ATTENDEE;CN=Di:mailto:di@skerry.example\r\nBEGIN:VALARM"}, {"20270607", "20270608"}} {
				now, err := ReadObject(strings.Replace(text, change[0], change[1], 1))
				if err != nil {
					put("  %q: %v", change[1], err)
					continue
				}
				put("  %q: as before %v, differs in %v", change[1], now.Hash == o.Hash, now.Differs(o))
			}
		}
	}
	for _, bad := range []string{"", "BEGIN:VCALENDAR\r\nEND:VCALENDAR\r\n", "BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nUID:x\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n", "BEGIN:VCALENDAR\r\nBEGIN:VTODO\r\nUID:x\r\nDUE;VALUE=DATE:20270607\r\nEND:VTODO\r\nEND:VCALENDAR\r\n"} {
		o, err := ReadObject(bad)
		if err != nil {
			put("%q: %v", bad, err)
		} else {
			put("%q: %s at %s, plan %q", bad, o.UID, o.At, o.Plan)
		}
	}
	for _, uid := range []string{"pay.2027-03/15@crew", "pay.bank.2027-03/15@crew", "pay@crew", "x", "a.b.c.d@p", "käse.1@p", strings.Repeat("long", 70) + ".1@p"} {
		series, what, id := Identity(uid)
		put("%.40s is %.30s, %s, %s; short %.60s; named %.60s", uid, series, what, id, ShortUID(uid), ResourceName(uid))
	}
	for _, text := range []string{"Di <di@skerry.example>", "di@skerry.example", `"D, i" <di@skerry.example>`, "Di", "<>", "Di <di>", "Di <di@skerry.example", "a b <a b@c>"} {
		o, err := ParseOrganizer(text)
		put("organizer %s: %+v %v", text, o, err)
	}
	golden.Hold(t, "testdata/given.txt", strings.ReplaceAll(b.String(), "\r\n", "\n"))
}
