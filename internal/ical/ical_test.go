package ical

import (
	"errors"
	"io"
	"strconv"
	"strings"
	"testing"
	"time"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
)

// writeEvents writes a calendar as the program does.
func writeEvents(w io.Writer, c Calendar, events []Event) error { return NewSink(w, c).Events(events) }

func TestReadErrors(t *testing.T) {
	for _, c := range [][2]string{
		{"", "f.ics:1: not an iCalendar file"},
		{"hello\n", "f.ics:1: not an iCalendar file"},
		{"X:1\n", "BEGIN:VCALENDAR"},
		{"BEGIN:VEVENT\n", "f.ics:1: not an iCalendar file"},
		{"BEGIN:VCALENDAR\nBEGIN:VEVENT\nEND:VCALENDAR\n", "f.ics:3: END:VCALENDAR doesn't match BEGIN:VEVENT on line 2"},
		{"BEGIN:VCALENDAR\nX;A:1\n", "the file ends inside VCALENDAR"},
		{"BEGIN:VCALENDAR\n", "the file ends inside VCALENDAR"},
		{strings.Repeat("BEGIN:VCALENDAR\n", 40), "too deep"},
		{"BEGIN:VCALENDAR\nX:" + strings.Repeat("x", 2<<20) + "\n", "longer than"},
	} {
		_, err := Read("f.ics", strings.NewReader(c[0]))
		var e *Error
		if !errors.As(err, &e) || !strings.Contains(err.Error(), c[1]) {
			t.Errorf("%.60q: %v, want %s", c[0], err, c[1])
		}
	}
}

// What is written reads back: names, escapes, folds, and the same offsets that
// the zone has, at every hour of some years.
func TestWriteAndRead(t *testing.T) {
	texts := []string{`comma, semi; back\slash`, "line\nbreak", strings.Repeat("é⛴", 60), "tab\tbell\a", "\xff broken"}
	for _, name := range []string{"Atlantic/Faroe", "America/Sao_Paulo", "Asia/Kathmandu", "Africa/Casablanca", "Europe/Dublin"} {
		zone, err := Zone(name)
		if err != nil {
			t.Fatal(err)
		}
		var events []Event
		first, _ := civil.NewDate(1996, 1, 1)
		for i := range 900 {
			events = append(events, Event{UID: strconv.Itoa(i) + name + texts[0], Summary: texts[i%len(texts)], At: eval.Value{Kind: eval.DateTime, Day: first + civil.Date(i*11), Minutes: 720}})
		}
		var b strings.Builder
		if err := writeEvents(&b, Calendar{Name: texts[0], Zone: zone, DTSTAMP: first}, events); err != nil {
			t.Fatal(err)
		}
		root, err := Read("out", strings.NewReader(b.String()))
		if err != nil {
			t.Fatal(err)
		}
		cal := root.Subs[0]
		type change struct {
			at     string
			offset string
		}
		var changes []change
		standard := false
		for _, o := range cal.Subs[0].Subs {
			changes = append(changes, change{o.Get("DTSTART").Value, o.Get("TZOFFSETTO").Value})
			rises := o.Get("TZOFFSETTO").Value != o.Get("TZOFFSETFROM").Value && (o.Name == "DAYLIGHT") != (offsetOf(o.Get("TZOFFSETTO").Value) > offsetOf(o.Get("TZOFFSETFROM").Value))
			standard = standard || o.Name == "STANDARD"
			if rises && len(cal.Subs[0].Subs) > 1 { // one alone is the standard time
				t.Errorf("%s: %s from %s to %s", name, o.Name, o.Get("TZOFFSETFROM").Value, o.Get("TZOFFSETTO").Value)
			}
		}
		if !standard {
			t.Errorf("%s: no STANDARD", name)
		}
		for i, e := range cal.Subs[1:] {
			at := e.Get("DTSTART").Value
			last := ""
			for _, c := range changes {
				if c.at <= at {
					last = c.offset
				}
			}
			y, m, d := events[i].At.Day.YMD()
			_, want := time.Date(y, time.Month(m), d, 12, 0, 0, 0, zone).Zone()
			if last != offsetText(want) {
				t.Fatalf("%s at %s: the VTIMEZONE says %s, the zone %s", name, at, last, offsetText(want))
			}
			summary := strings.Join(split(e.Get("SUMMARY").Value), ",")
			if i < 3 && summary != texts[i] || strings.ContainsRune(summary, 7) || strings.Contains(summary, "\xff") {
				t.Fatalf("event %d reads %q", i, summary)
			}
		}
	}
	if _, err := Zone("Atlantic/Fareo"); err == nil || !strings.Contains(err.Error(), "Atlantic/Faroe") {
		t.Errorf("an unknown zone: %v", err)
	}
	for _, c := range [][2]string{ // the lines of an event; what is read
		{"UID:pay.\r\n 2027-01/last@p\r\nDTSTART;VALUE=DATE:20270129\r\nSUMMARY:a\\, b, c", "pay date 2027-01/last 2027-01-29 a, b, c"},
		{"UID:pay.file.2027-01/15@p\r\nDTSTART;TZID=Europe/London:20270113T163000\r\nSUMMARY:x", "pay file 2027-01/15 2027-01-13T16:30 x"},
		{"UID:a@p\r\nDTSTART:20270113T163000Z\r\nSTATUS:CANCELLED", ""},
		{"UID:a@p\r\nDTSTART:20271313", "f.ics:4: expected a date or time"},
		{"UID:a@p\r\nDTSTART:20271213T1", "f.ics:4: expected a date or time"},
		{"UID:a@p", "f.ics:2: an event without DTSTART"},
	} {
		list, err := Events("f.ics", strings.NewReader("BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\n"+c[0]+"\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"))
		got := ""
		for _, e := range list {
			got += strings.Join([]string{e.Series, e.What, e.ID, e.At.String(), e.Summary}, " ")
		}
		if err != nil {
			got = err.Error()
		}
		if !strings.HasPrefix(got, c[1]) || c[1] == "" && got != "" {
			t.Errorf("%q: %q, want %q", c[0], got, c[1])
		}
	}
}

func split(s string) []string { return splitTextList(s) }

func offsetOf(s string) int {
	n := int(s[1]-'0')*600 + int(s[2]-'0')*60 + int(s[3]-'0')*10 + int(s[4]-'0')
	if s[0] == '-' {
		return -n
	}
	return n
}

// Whatever the bytes, a file reads or is refused with a line.
func FuzzRead(f *testing.F) {
	f.Add("BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nDTSTART;VALUE=DATE:20270101\r\nRRULE:FREQ=YEARLY\r\nSUMMARY:a\\, b\r\n c\r\nCATEGORIES:x,y\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n")
	f.Add("BEGIN:VCALENDAR\nBEGIN\nEND:VCALENDAR")
	f.Fuzz(func(t *testing.T, s string) {
		root, err := Read("f", strings.NewReader(s))
		if err == nil {
			day, _ := civil.NewDate(2027, 1, 1)
			if sets, _, serr := ReadSets("f", root); serr == nil {
				for _, set := range sets {
					list, _ := set.Instances(civil.Span{First: day, Last: day + 3}, true, nil)
					for _, i := range list {
						if i.Last() < day || i.From.Day > day+3 || i.To.Instant() < i.From.Instant() {
							t.Fatalf("%q: %+v", s, i)
						}
					}
				}
			}
		}
		if earlier, aerr := readPrevious("f", strings.NewReader(s)); (aerr == nil) != (err == nil) {
			t.Fatalf("%q: read %v, as an earlier file %v", s, err, aerr)
		} else if err == nil { // what follows it can be read again
			day, _ := civil.NewDate(2027, 1, 1)
			var b strings.Builder
			follow := &Update{Previous: earlier, Today: day, Scope: Scope{Window: civil.AllDays, Plans: []string{"p"}}}
			if werr := writeEvents(&b, Calendar{DTSTAMP: day, Update: follow}, []Event{{UID: "a@p", At: eval.Day(day)}}); werr != nil {
				t.Fatalf("%q: %v", s, werr)
			}
			if _, rerr := Read("f", strings.NewReader(b.String())); rerr != nil {
				t.Fatalf("%q gives %q: %v", s, b.String(), rerr)
			}
		}
		var e *Error
		if err != nil && (!errors.As(err, &e) || e.Line < 0) {
			t.Fatalf("%q: %v", s, err)
		}
	})
}
