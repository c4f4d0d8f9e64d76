package ical

import (
	"fmt"
	"strings"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/recur"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/golden"
)

// TestExpand_subDaily writes an event at each minute of a day, in several zones, and reads it back.
func TestExpand_subDaily(t *testing.T) {
	day, _, _ := civil.Parse("2027-06-07")
	for _, name := range []string{"", "UTC", "America/New_York", "Asia/Kathmandu"} {
		c := Calendar{DTSTAMP: day}
		if name != "" {
			c.Zone, _ = Zone(name)
		}
		var list []Event
		for m := range 24 * 60 {
			list = append(list, Event{UID: fmt.Sprintf("s.%d@p", m), Summary: fmt.Sprint(m), At: eval.Value{Kind: eval.DateTime, Day: day, Minutes: int16(m)}})
		}
		var b strings.Builder
		if err := writeEvents(&b, c, list); err != nil {
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

// TestGoldenCases holds files with all that an event has, what servers hand back of them, and how
// they are named, to testdata/given.txt.
func TestGoldenCases(t *testing.T) {
	day, _, _ := civil.Parse("2027-06-07")
	var b strings.Builder
	put := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	soon, _ := schedule.ParseReminder("2 days before")
	late, _ := schedule.ParseReminder("1 day before at 09:05")
	list := []Event{
		{UID: "a.1@p", Summary: "Plain, with; signs \\ and\na line", At: eval.Day(day), Series: "a", Category: "a"},
		{UID: "a.2@p", Summary: "All of it, in a line that is far longer than seventy-five octets and so is folded: åäö åäö åäö", Description: "why", At: eval.Day(day + 1), Owner: "di", Contact: "Di <di@skerry.example>", Category: "a",
			Private: true, Tentative: true, Reminders: []schedule.Reminder{soon, late}, EventProperties: schedule.EventProperties{Busy: true, Color: "teal", Location: "Quay, 2", Categories: []string{"pay", "crew"}}},
		{UID: "a.3@p", Summary: "A task", At: eval.Day(day + 2), Todo: true, Reminders: []schedule.Reminder{soon}},
		{UID: "b.1@p", Summary: "At a time", At: eval.Value{Kind: eval.DateTime, Day: day, Minutes: 545}, Reminders: []schedule.Reminder{late}, EventProperties: schedule.EventProperties{DurationMinutes: 90}},
		{UID: "b.2@p", Summary: "A task at night", At: eval.Value{Kind: eval.DateTime, Day: day, Minutes: 1439}, Todo: true},
		{UID: "b.3@p", Summary: "Over midnight", At: eval.Value{Kind: eval.DateTime, Day: day, Minutes: 1400}, EventProperties: schedule.EventProperties{DurationMinutes: 100}},
	}
	for _, name := range []string{"", "America/New_York"} {
		c := Calendar{Name: "Skerry, crew", DTSTAMP: day - 100}
		if name != "" {
			c.Zone, _ = Zone(name)
		}
		if err := writeEvents(&b, c, list); err != nil {
			t.Fatal(err)
		}
		for _, e := range list {
			o, text, err := c.Object(e, "p", nil)
			if err != nil {
				t.Fatal(err)
			}
			put("%s %q at %s, plan %q, as written %v", o.UID, o.Summary, o.Start, o.Plan, o.Hash == o.WrittenHash)
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
			put("%q: %s at %s, plan %q", bad, o.UID, o.Start, o.Plan)
		}
	}
	for _, uid := range []string{"pay.2027-03/15@crew", "pay.bank.2027-03/15@crew", "pay@crew", "x", "a.b.c.d@p", "käse.1@p", strings.Repeat("long", 70) + ".1@p"} {
		series, what, id := SplitUID(uid)
		put("%.40s is %.30s, %s, %s; short %.60s; named %.60s", uid, series, what, id, ShortUID(uid), ResourceName(uid))
	}
	for _, text := range []string{"Di <di@skerry.example>", "di@skerry.example", `"D, i" <di@skerry.example>`, "Di", "<>", "Di <di>", "Di <di@skerry.example", "a b <a b@c>"} {
		o, err := ParseOrganizer(text)
		put("organizer %s: %+v %v", text, o, err)
	}
	offsets := "BEGIN:VTIMEZONE\nTZID:Odd\nBEGIN:STANDARD\nDTSTART:20200101T000000\nTZOFFSETFROM:%[1]s\nTZOFFSETTO:%[1]s\nEND:STANDARD\nEND:VTIMEZONE\n"
	for _, offset := range []string{"+0100", "-0330", "+005930", "+0060", "+2400", "0100", "+01", "+010060"} {
		root, err := Read("f", strings.NewReader("BEGIN:VCALENDAR\n"+fmt.Sprintf(offsets, offset)+"BEGIN:VEVENT\nUID:o\nDTSTART;TZID=Odd:20270607T120000\nEND:VEVENT\nEND:VCALENDAR\n"))
		if err != nil {
			t.Fatal(err)
		}
		sets, problems, err := ReadSets("f", root)
		put("offset %s: %d sets, %v %v", offset, len(sets), problems, err)
		for _, s := range sets {
			list, err := s.Instances(civil.AllDays, false, nil)
			for _, i := range list {
				put("  %s, %v, %v", show(i), Instant(i.From.Day, i.From.Second/60, i.From.Zone), err)
			}
		}
	}
	for _, lines := range []string{"DTSTART;VALUE=DATE:20270607\nDURATION:P2D", "DTSTART;VALUE=DATE:20270607\nDURATION:PT36H", "DTSTART;VALUE=DATE:20270607\nDURATION:PT48H", "DTSTART;VALUE=DATE:20270607\nDURATION:-P1D", "DTSTART:20270607T230000\nDURATION:PT2H", "DTSTART:20270607T230000\nDURATION:P1W",
		"DTSTART:20270607T230000\nDTEND:20270608T010000", "DTSTART;VALUE=DATE:20270607\nDTEND;VALUE=DATE:20270607", "DTSTART;VALUE=DATE:20270607\nDTEND:20270608T010000", "DTSTART:2027\nSTATUS:CANCELLED", "STATUS:CANCELLED", "DTSTART:20270607T230000Z\nRRULE:FREQ=DAILY;UNTIL=20270609T230000Z\nEXDATE:20270608T230000Z",
		"DTSTART:20270607T090000\nRRULE:FREQ=DAILY;COUNT=3\nRDATE:20270701T090000\n FOLDED", "DTSTART:20270607T090000\nRDATE;VALUE=PERIOD:20270701T090000/PT1H,20270702T090000/20270702T110000", "DTSTART;TZID=Nowhere:20270607T090000", "SUMMARY:no start", "DTSTART:20270607T090000\nDTSTART:20270608T090000"} {
		root, err := Read("f", strings.NewReader("\n\n"+calendarOf("UID:x\n"+lines)))
		if err != nil {
			put("%q: %v", lines, err)
			continue
		}
		sets, problems, err := ReadSets("f", root)
		put("%q: %d sets, %v %v", lines, len(sets), problems, err)
		for _, s := range sets {
			for _, cancelled := range []bool{false, true} {
				list, err := s.Instances(civil.AllDays, cancelled, nil)
				for _, i := range list {
					put("  %v: %s, %v", cancelled, show(i), err)
				}
			}
		}
	}
	for _, zone := range []string{"", "America/New_York"} {
		when := func(d civil.Date) eval.Value { return eval.Value{Kind: eval.DateTime, Day: day + d, Minutes: 545} }
		rule, err := recur.ParseRRule("FREQ=WEEKLY;BYDAY=MO")
		e := Event{UID: "r@p", Summary: "Weekly", At: when(0), EventProperties: schedule.EventProperties{DurationMinutes: 30},
			Recurring: &schedule.Recurring{Rule: *rule, Until: when(20), Except: []eval.Value{when(7)}, Extra: []eval.Value{when(9)}, Dates: []eval.Value{when(0), when(9), when(14)}}}
		c := Calendar{DTSTAMP: day}
		if zone != "" {
			c.Zone, _ = Zone(zone)
		}
		if err == nil {
			err = writeEvents(&b, c, []Event{e, {UID: "d@p", Summary: "A day", At: eval.Day(day), EventProperties: schedule.EventProperties{DurationMinutes: 30}}, {UID: "t@p", Summary: "A task", Todo: true, At: e.At, EventProperties: schedule.EventProperties{DurationMinutes: 30}}})
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	golden.Compare(t, "testdata/given.txt", strings.ReplaceAll(b.String(), "\r\n", "\n"))
}
