package ical

import (
	"strings"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/recur"
	"yoyaku/internal/core/schedule"
)

// TestUpdate_personsChanges changes an event by hand in each way, writes it again as it is, with another
// reason, and on another day, and holds what is left to what was asked.
func TestUpdate_personsChanges(t *testing.T) {
	day, _ := civil.NewDate(2027, 3, 1)
	morning, _ := schedule.ParseReminder("1 day before at 09:00")
	week, _ := schedule.ParseReminder("7 days before")
	event := Event{UID: "pay.2027-03/15@plan", Summary: "Pay, day", Description: "rolled preceding", EventProperties: schedule.EventProperties{Location: "Hall"}, At: eval.Day(day + 14), Reminders: []schedule.Reminder{morning, week}}
	todo := event
	todo.Todo = true
	write := func(e Event, old string) (text, doubts string) {
		t.Helper()
		c := Calendar{DTSTAMP: day}
		if old != "" {
			earlier, err := readPrevious("f", strings.NewReader(old))
			if err != nil {
				t.Fatal(err)
			}
			c.DTSTAMP++
			c.Update = &Update{Previous: earlier, Today: day, Scope: Scope{Window: civil.Span{First: day, Last: day + 100}, Plans: []string{"plan"}}}
		}
		var b strings.Builder
		s := NewSink(&b, c)
		if err := s.Events([]Event{e}); err != nil {
			t.Fatal(err)
		}
		return b.String(), s.Warnings()
	}
	const alarm = "BEGIN:VALARM\r\nACTION:DISPLAY\r\nDESCRIPTION:coffee\r\nTRIGGER:-PT5M\r\nEND:VALARM\r\n"
	insert := func(line string) func(string) string {
		return func(s string) string { return strings.Replace(s, "X-YOYAKU-HASH", line+"\r\nX-YOYAKU-HASH", 1) }
	}
	replace := func(old, new string) func(string) string {
		return func(s string) string { return strings.Replace(s, old, new, 1) }
	}
	legacy := func(s string) string { // as it was written before there were marks
		var lines []string
		inside := false
		for _, line := range strings.Split(s, "\r\n") {
			inside = inside && line != "END:VALARM" || line == "BEGIN:VALARM"
			if !strings.HasPrefix(line, hashProperty) && !(inside && strings.HasPrefix(line, "UID:")) {
				lines = append(lines, line)
			}
		}
		return strings.Join(lines, "\r\n")
	}
	for _, c := range []struct {
		what       string
		of         Event
		by         func(string) string
		stays      string // a part that is there after a move, too
		unchanged  bool   // written as it is, it is the same bytes
		replaced   bool   // and after a move, a text by hand is gone
		alarms     int    // after a move
		sameStamps bool   // written as it is, the lines of who and when stay
	}{
		{"nothing", event, func(s string) string { return s }, "SUMMARY", true, false, 2, true},
		{"somebody invited", event, insert("ATTENDEE;CN=Di:mailto:di@x.example"), "ATTENDEE;CN=Di:mailto:di@x.example\r\n", true, false, 2, true},
		{"a comment and a file", todo, insert("COMMENT:late\r\nATTACH:http://x.example/a"), "COMMENT:late\r\n", true, false, 2, true},
		{"a property of another program", event, insert("X-APPLE:1"), "X-APPLE:1\r\n", true, false, 2, true},
		{"a to-do done", todo, replace("STATUS:NEEDS-ACTION", "STATUS:COMPLETED\r\nCOMPLETED:20270301T120000Z\r\nPERCENT-COMPLETE:100"), "COMPLETED:20270301T120000Z\r\n", true, false, 2, true},
		{"an alarm by hand", event, replace("BEGIN:VALARM", alarm+"BEGIN:VALARM"), alarm, true, false, 3, true},
		{"an alarm of ours at another time", event, replace("TRIGGER:-P7D", "TRIGGER:-P9D"), "TRIGGER:-P9D\r\n", true, false, 2, true},
		{"a reason by hand", event, replace("DESCRIPTION:rolled preceding", "DESCRIPTION:mine"), "DESCRIPTION:another reason\r\n", true, true, 2, true},
		{"a title by hand", event, replace("SUMMARY:Pay\\, day", "SUMMARY:Payday!"), "SUMMARY:Pay\\, day\r\n", false, true, 2, false},
		{"a place by hand", todo, replace("LOCATION:Hall", "LOCATION:Pub"), "LOCATION:Hall\r\n", false, true, 2, false},
		{"written before there were marks", event, legacy, "X-YOYAKU-HASH:", false, false, 2, true},
		{"a to-do done, before there were marks", todo, func(s string) string {
			return legacy(strings.Replace(s, "STATUS:NEEDS-ACTION", "STATUS:COMPLETED", 1))
		}, "STATUS:COMPLETED\r\n", false, false, 2, true},
		{"a SEQUENCE beyond all bounds", event, replace("SEQUENCE:0", "SEQUENCE:99999999999"), "SEQUENCE:1\r\n", true, false, 2, true},
		{"a SEQUENCE below 0, a DTSTAMP that is none", event, func(s string) string {
			return strings.Replace(strings.Replace(s, "SEQUENCE:0", "SEQUENCE:-7", 1), "DTSTAMP:20270301T000000Z", "DTSTAMP:zzz", 1)
		}, "DTSTAMP:20270302T000000Z\r\nSEQUENCE:1\r\n", true, false, 2, true},
	} {
		first, _ := write(c.of, "")
		old := c.by(first)
		if strings.Contains(c.what, "nothing") != (old == first) {
			t.Fatalf("%s changes nothing", c.what)
		}
		same, doubts := write(c.of, old)
		if (same == old) != c.unchanged || c.replaced && !c.unchanged != (doubts != "") {
			t.Errorf("%s: unchanged %v, %q\n%s\n%s", c.what, same == old, doubts, old, same)
		}
		if got := strings.Contains(same, "\r\nDTSTAMP:20270301T000000Z\r\nSEQUENCE:0\r\nD"); got != c.sameStamps && !strings.Contains(c.what, "SEQUENCE") {
			t.Errorf("%s: the same stamps %v\n%s", c.what, got, same)
		}
		other := c.of
		other.Description = "another reason"
		if again, _ := write(other, same); again != same {
			t.Errorf("%s: another reason is a change:\n%s\n%s", c.what, same, again)
		}
		other.At = eval.Day(day + 20)
		moved, doubts := write(other, old)
		if !strings.Contains(moved, c.stays) || strings.Count(moved, "BEGIN:VALARM") != c.alarms || c.replaced != strings.Contains(doubts, "1 event had a text") || !strings.Contains(moved, "20270321") {
			t.Errorf("%s, moved, %q:\n%s", c.what, doubts, moved)
		}
		if strings.Count(moved, "X-YOYAKU-HASH") != 1 {
			t.Errorf("%s: marks\n%s", c.what, moved)
		}
	}
}

// TestCancellations holds what is sent out to RFC 5546: an object for each UID, with its
// organizer.
func TestCancellations(t *testing.T) {
	day, _ := civil.NewDate(2027, 3, 1)
	zone, _ := Zone("Europe/Oslo")
	var b strings.Builder
	list := []Event{{UID: "a@plan", At: eval.Day(day + 3)}, {UID: "b@plan", Todo: true, At: eval.Value{Kind: eval.DateTime, Day: day + 4, Minutes: 600}}, {UID: "c@plan", At: eval.Day(day + 5)}}
	if err := writeEvents(&b, Calendar{Zone: zone, DTSTAMP: day}, list); err != nil {
		t.Fatal(err)
	}
	earlier, err := readPrevious("f", strings.NewReader(b.String()))
	if err != nil {
		t.Fatal(err)
	}
	f := &Update{Previous: earlier, Today: day, Scope: Scope{Window: civil.Span{First: day, Last: day + 100}, Plans: []string{"plan"}}}
	if err := writeEvents(&strings.Builder{}, Calendar{Zone: zone, DTSTAMP: day, Update: f}, list[2:]); err != nil {
		t.Fatal(err)
	}
	by, err := ParseOrganizer(`"Crew, \"office\"" <office@skerry.example>`)
	if err != nil {
		t.Fatal(err)
	}
	b.Reset()
	if any, err := f.Cancellations(&b, by); err != nil || !any || f.Cancelled() != 2 {
		t.Fatal(any, err)
	}
	root, err := Read("c", strings.NewReader(b.String()))
	if err != nil || len(root.Subs) != 2 {
		t.Fatal(err, b.String())
	}
	for i, cal := range root.Subs {
		of := cal.Subs[len(cal.Subs)-1]
		o := of.Get("ORGANIZER")
		if cal.Get("METHOD").Value != "CANCEL" || of.Name != []string{"VEVENT", "VTODO"}[i] || len(cal.Subs) != 1+i || o.Value != "mailto:office@skerry.example" || o.Params["CN"] != "Crew, office" || of.Get("STATUS").Value != "CANCELLED" || of.Get("SEQUENCE").Value != "1" {
			t.Errorf("object %d:\n%s", i, b.String())
		}
	}
	for _, bad := range []string{"", "office", "Office office@x.example", "a@b\r\nX:1"} {
		if _, err := ParseOrganizer(bad); err == nil {
			t.Errorf("%q is an organizer", bad)
		}
	}
}

// TestTimezone_hasStandard writes calendars in every zone of the archive, in years of
// changes and without, and finds a STANDARD in each.
func TestTimezone_hasStandard(t *testing.T) {
	step := 1
	if testing.Short() {
		step = 12
	}
	list, err := zoneFiles()
	if err != nil {
		t.Fatal(err)
	}
	for i := 0; i < len(list); i += step {
		if strings.HasSuffix(list[i].Name, "/") {
			continue
		}
		zone, err := Zone(list[i].Name)
		if err != nil || isUTC(zone) {
			continue
		}
		for _, year := range []int{1942, 1987, 2027} {
			day, _ := civil.NewDate(year, 7, 1)
			var b strings.Builder
			if err := writeEvents(&b, Calendar{Zone: zone, DTSTAMP: day}, []Event{{UID: "a", At: eval.Value{Kind: eval.DateTime, Day: day, Minutes: 600}}, {UID: "b", At: eval.Value{Kind: eval.DateTime, Day: day + 10, Minutes: 600}}}); err != nil {
				t.Fatal(err)
			}
			root, err := Read("f", strings.NewReader(b.String()))
			if err != nil {
				t.Fatal(err)
			}
			own, err := zonesOf("f", root).location(root.Subs[0].Subs[0], "x")
			if err != nil {
				t.Fatal(err)
			}
			if at, _ := instantAt(tenOClock(day), zone); !strings.Contains(b.String(), "BEGIN:STANDARD") || offsetAt(at, own) != offsetAt(at, zone) {
				t.Errorf("%s in %d:\n%s", zone, year, b.String())
			}
		}
	}
}

func tenOClock(d civil.Date) recur.DateTime { return recur.DateTime{Day: d, Second: 36000} }
