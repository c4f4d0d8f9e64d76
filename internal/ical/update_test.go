package ical

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/schedule"
)

// Schedules that change at random, day by day, each written over the one before: what
// is read equals the schedule and what was cancelled, nothing that stays changes a
// byte, SEQUENCE never falls, and what people put there stays.
func TestUpdate_keepsUIDAndSequence(t *testing.T) {
	r := rand.New(rand.NewPCG(12, 1))
	zone, _ := Zone("Atlantic/Faroe")
	morning, _ := schedule.ParseReminder("1 day before at 09:00")
	first, _ := civil.NewDate(2027, 1, 1)
	rounds := 60
	if testing.Short() {
		rounds = 10
	}
	for range rounds {
		window := civil.Span{First: first, Last: first + 364}
		all := map[string]Event{} // the whole schedule
		draw := func(id int) Event {
			e := Event{UID: fmt.Sprintf("s%d.%d@plan", id%3, id), Summary: []string{"Pay, day; ü", "Drill", strings.Repeat("long words ", 12)}[r.IntN(3)],
				Category: fmt.Sprintf("s%d", id%3), At: eval.Day(first + civil.Date(r.IntN(400)-15))}
			if r.IntN(3) == 0 {
				e.At = eval.Value{Kind: eval.DateTime, Day: e.At.Day, Minutes: int16(r.IntN(1440))}
			}
			if r.IntN(3) == 0 {
				e.Reminders = []schedule.Reminder{morning}
			}
			e.Todo = r.IntN(4) == 0
			return e
		}
		for id := range 25 {
			e := draw(id)
			all[e.UID] = e
		}
		const foreign = "BEGIN:VEVENT\r\nUID:mine@home\r\nDTSTART:20270506\r\nSUMMARY:Dentist\r\nBEGIN:VALARM\r\nACTION:AUDIO\r\nEND:VALARM\r\nEND:VEVENT\r\n"
		text := "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\n" + foreign + "END:VCALENDAR\r\n"
		cancelled, sequence := map[string]civil.Date{}, map[string]int{}
		changed := map[string]bool{} // and not written since
		ticked := map[string]bool{}  // to-dos that a person completed
		for day := range 12 {
			today := first + civil.Date(day*37)
			earlier, err := readPrevious("f", strings.NewReader(text))
			if err != nil {
				t.Fatal(err)
			}
			before := map[string]string{}
			was := map[string]civil.Date{}
			for _, b := range earlier.blocks {
				before[b.uid], was[b.uid] = b.raw, b.start.Day
			}
			for id := range 25 { // some change, some go, some come
				uid := fmt.Sprintf("s%d.%d@plan", id%3, id)
				switch e, ok := all[uid]; {
				case ok && r.IntN(12) == 0:
					delete(all, uid)
				case !ok && r.IntN(4) == 0, ok && r.IntN(10) == 0:
					all[uid] = draw(id)
					changed[uid] = changed[uid] || !ok || !reflect.DeepEqual(all[uid], e)
				}
			}
			left := ""
			if day > 0 && r.IntN(4) == 0 { // a series that isn't asked this time
				left = fmt.Sprint("s", r.IntN(3))
			}
			var events []Event
			for _, uid := range slices.Sorted(func(yield func(string) bool) {
				for uid := range all {
					if !yield(uid) {
						return
					}
				}
			}) {
				if e := all[uid]; window.Contains(e.At.Day) && e.Category != left {
					events = append(events, e)
				}
			}
			f := &Update{Previous: earlier, Today: today, Scope: Scope{Window: window, Plans: []string{"plan"}, IsExcluded: func(s string) bool { return s == left },
				FindOutside: func(uid string) (Event, bool) { e, ok := all[uid]; return e, ok && !window.Contains(e.At.Day) }}}
			c := Calendar{Zone: zone, DTSTAMP: today, Update: f}
			var b strings.Builder
			if err := writeEvents(&b, c, events); err != nil {
				t.Fatal(err)
			}
			text = b.String()
			root, err := Read("f", strings.NewReader(text))
			if err != nil {
				t.Fatal(err)
			}
			got := map[string]string{}
			for _, e := range root.Subs[0].Subs {
				uid := e.Get("UID").Value
				if e.Name == "VTIMEZONE" {
					continue
				}
				if e.Name == "VEVENT" || e.Get("STATUS").Value == "CANCELLED" {
					delete(ticked, uid)
				} else if done := e.Get("X-PERSON").Value == "yes" && e.Get("COMPLETED").Line > 0 && e.Get("STATUS").Value == "COMPLETED"; done != ticked[uid] {
					t.Fatalf("%s: completed %t, want %t", uid, done, ticked[uid])
				}
				if _, twice := got[uid]; twice {
					t.Fatalf("%s is given twice", uid)
				}
				if e.Get("STATUS").Value == "CANCELLED" && len(e.Subs) > 0 {
					t.Fatalf("%s is cancelled and still reminds", uid)
				}
				status := e.Get("STATUS").Value
				if e.Name == "VTODO" && status != "CANCELLED" {
					status = "todo"
				}
				got[uid] = e.Get("DTSTART").Value + e.Get("DUE").Value + " " + status
				n, _ := strconv.Atoi(e.Get("SEQUENCE").Value)
				if before[uid] != "" && n < sequence[uid] { // one that is long past may come back again
					t.Fatalf("SEQUENCE of %s falls from %d to %d", uid, sequence[uid], n)
				}
				sequence[uid] = n
			}
			want := map[string]string{"mine@home": "20270506 "}
			start := func(e Event) string {
				k, _ := c.content(e)
				_, s, _ := strings.Cut(k.lines[1], ":")
				return s + map[bool]string{true: " todo", false: " "}[e.Todo]
			}
			for _, e := range events {
				want[e.UID] = start(e)
				delete(cancelled, e.UID)
			}
			for uid := range before {
				e, still := all[uid]
				series, _, _ := strings.Cut(uid, ".")
				gone, isCancelled := cancelled[uid]
				_, now := want[uid]
				switch {
				case now:
				case series == left, !window.Contains(was[uid]):
					want[uid] = "stays"
				case still: // moved out of the window
					want[uid] = start(e)
					delete(cancelled, uid)
				case isCancelled && gone >= today, !isCancelled && was[uid] >= today:
					want[uid], cancelled[uid] = "cancelled", was[uid]
				case !isCancelled:
					want[uid] = "stays"
				}
			}
			for uid, w := range want {
				g, ok := got[uid]
				delete(got, uid)
				switch w {
				case "stays":
					ok = ok && strings.Contains(text, before[uid])
				case "cancelled":
					ok = ok && strings.HasSuffix(g, " CANCELLED")
				default:
					ok = ok && g == w && (changed[uid] || before[uid] == "" || cancelled[uid] != 0 || strings.Contains(before[uid], "CANCELLED") || strings.Contains(text, before[uid]))
				}
				if w != "stays" {
					delete(changed, uid)
				}
				if !ok {
					t.Fatalf("day %d: %s is %q, want %q; it was\n%s", day, uid, g, w, before[uid])
				}
			}
			if len(got) > 0 {
				t.Fatalf("day %d: too much: %v", day, got)
			}
			// The same again, a day later, is the same bytes; cancelled ones may be past.
			again, _ := readPrevious("f", strings.NewReader(text))
			f.Previous, c.DTSTAMP = again, today+1
			b.Reset()
			if err := writeEvents(&b, c, events); err != nil || b.String() != text {
				x, y := strings.Split(b.String(), "\r\n"), strings.Split(text, "\r\n")
				for i := range min(len(x), len(y)) {
					if x[i] != y[i] {
						t.Fatalf("day %d: not the same bytes: %v\n%s\n%s", day, err, strings.Join(x[max(0, i-6):i+3], "\n"), strings.Join(y[max(0, i-6):i+3], "\n"))
					}
				}
				t.Fatalf("day %d: not the same bytes: %v", day, err)
			}
			if !strings.Contains(text, foreign) {
				t.Fatal("what somebody put there is gone")
			}
			for range r.IntN(3) { // a person completes the next to-do
				const open, done = "STATUS:NEEDS-ACTION\r\n", "STATUS:COMPLETED\r\nCOMPLETED:20270101T120000Z\r\nPERCENT-COMPLETE:100\r\nX-PERSON:yes\r\n"
				if at := strings.Index(text, open); at >= 0 {
					_, uid, _ := strings.Cut(text[strings.LastIndex(text[:at], "BEGIN:VTODO"):], "UID:")
					uid, _, _ = strings.Cut(uid, "\r")
					text, ticked[uid] = text[:at]+done+text[at+len(open):], true
				}
			}
		}
	}
}

// UIDs that are too long or stand twice; a calendar with nothing in it; UTC by its
// other names; identities back out of UIDs.
func TestWriter_bounds(t *testing.T) {
	day, _ := civil.NewDate(2027, 1, 5)
	var b strings.Builder
	long := Event{UID: strings.Repeat("ü", 200) + "@plan", At: eval.Day(day)}
	other := Event{UID: strings.Repeat("ü", 200) + "x@plan", At: eval.Day(day)}
	if a, c := ShortUID(long.UID), ShortUID(other.UID); len(a) > maxUIDOctets || a == c || !strings.HasSuffix(a, "@plan") || ShortUID(a) != a {
		t.Errorf("long UIDs: %q, %q", a, c)
	}
	if err := writeEvents(&b, Calendar{}, []Event{long, other}); err != nil || !strings.Contains(b.String(), "@plan") {
		t.Errorf("two long ones: %v", err)
	}
	var same *DuplicateUIDError
	if err := writeEvents(&b, Calendar{}, []Event{long, {UID: long.UID, Summary: "again", At: eval.Day(day)}}); !errors.As(err, &same) || !strings.Contains(err.Error(), "again") {
		t.Errorf("one UID twice: %v", err)
	}
	if err := writeEvents(&b, Calendar{}, nil); !errors.Is(err, ErrEmpty) {
		t.Errorf("nothing: %v", err)
	}
	for _, name := range []string{"UTC", "Etc/UTC", "Zulu", "Universal"} {
		zone, err := Zone(name)
		if err != nil {
			t.Fatal(err)
		}
		b.Reset()
		if err := writeEvents(&b, Calendar{Zone: zone, DTSTAMP: day}, []Event{{UID: "a", At: eval.Value{Kind: eval.DateTime, Day: day, Minutes: 90}}}); err != nil || !strings.Contains(b.String(), "DTSTART:20270105T013000Z\r\n") || strings.Contains(b.String(), "VTIMEZONE") {
			t.Errorf("%s: %v %s", name, err, b.String())
		}
	}
	for _, c := range [][4]string{{"pay.2027-03/15@p", "pay", "date", "2027-03/15"}, {"pay.bank-file.2027-03/last@p", "pay", "bank-file", "2027-03/last"}, {"close.FY2027-M03/5th-working-day@p", "close", "date", "FY2027-M03/5th-working-day"},
		{"contracts.decide.C-1.b@p", "contracts", "decide", "C-1.b"}, {"x@y@p", "", "", "x@y@p"}, {"plain", "", "", "plain"}} {
		if a, b, id := splitUID(c[0]); a != c[1] || b != c[2] || id != c[3] {
			t.Errorf("%s: %s, %s, %s", c[0], a, b, id)
		}
	}
	for _, bad := range []string{"", "BEGIN:VCALENDAR\nBEGIN:VEVENT\n", "x"} {
		if _, err := readPrevious("f", strings.NewReader(bad)); err == nil {
			t.Errorf("%q is taken for a calendar", bad)
		}
	}
}

// A SEQUENCE that can't rise stays where it is and is told, of an event that is changed and of one
// that is cancelled; one beyond what it may be starts again.
func TestUpdate_largestSequence(t *testing.T) {
	day, _ := civil.NewDate(2027, 3, 1)
	event := func(id, text string) Event {
		return Event{UID: id + "@plan", Summary: text, Category: "s", At: eval.Day(day)}
	}
	var b strings.Builder
	if err := writeEvents(&b, Calendar{DTSTAMP: day}, []Event{event("a", "Pay"), event("b", "Pay"), event("c", "Pay")}); err != nil {
		t.Fatal(err)
	}
	for was, want := range map[string]int{"0": 1, "2147483646": 2147483647, "2147483647": 2147483647, "2147483648": 1, "-3": 1} {
		earlier, err := readPrevious("f", strings.NewReader(strings.ReplaceAll(b.String(), "SEQUENCE:0", "SEQUENCE:"+was)))
		if err != nil {
			t.Fatal(err)
		}
		var again strings.Builder
		sink := NewSink(&again, Calendar{DTSTAMP: day, Update: &Update{Previous: earlier, Today: day, Scope: Scope{Window: civil.Span{First: day, Last: day}, Plans: []string{"plan"},
			IsExcluded: func(string) bool { return false }, FindOutside: func(string) (e Event, ok bool) { return e, false }}}})
		if err := sink.Events([]Event{event("a", "Pay"), event("b", "Wages")}); err != nil {
			t.Fatal(err)
		}
		changed := again.String()[strings.Index(again.String(), "UID:b@"):]
		if n := strings.Count(changed, fmt.Sprintf("SEQUENCE:%d\r\n", want)); n != 2 || strings.Count(again.String(), "SEQUENCE:"+was+"\r\n") < 1 {
			t.Errorf("from %s: %s", was, again.String())
		}
		if told := strings.Contains(sink.Warnings(), "2 changed events keep the SEQUENCE 2147483647"); told != (was == "2147483647") {
			t.Errorf("from %s: %s", was, sink.Warnings())
		}
	}
}
