package ical

import (
	"errors"
	"strconv"
	"strings"
	"testing"
	"time"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
)

func TestReadErrors(t *testing.T) {
	for _, c := range [][2]string{
		{"", "f.ics:1: this is not an iCalendar file"},
		{"hello\n", "f.ics:1: this is not an iCalendar file"},
		{"X:1\n", "BEGIN:VCALENDAR"},
		{"BEGIN:VEVENT\n", "f.ics:1: this is not an iCalendar file"},
		{"BEGIN:VCALENDAR\nBEGIN:VEVENT\nEND:VCALENDAR\n", "f.ics:3: END:VCALENDAR closes nothing; VEVENT began on line 2"},
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

// Events as days: what each file closes, and what is told of it.
func TestAllDay(t *testing.T) {
	for _, c := range [][2]string{ // the lines of the events, END between them; the days as first+length, or what is wrong
		{"DTSTART;VALUE=DATE:2027010", "3: not a date"},
		{"DTSTART;VALUE=DATE:20270101\nDTEND;VALUE=DATE:x", "4: not a date"},
		{"SUMMARY:x", "2: an event without DTSTART"},
		{"DTSTART;VALUE=DATE:20270101\nRRULE:FREQ=OFTEN", "4: FREQ: \"OFTEN\" is not one of"},
		{"DTSTART;VALUE=DATE:20270101\nDURATION:PT1H", "timed"},
		{"DTSTART;VALUE=DATE:20270101\nEXDATE:1,2", "4: not a date"},
		{"DTSTART;VALUE=DATE:20270101\nRRULE:FREQ=HOURLY", "times of day"},
		{"DTSTART:20270101\nX;A:1", "4: not a content line"},
		{"DTSTART;VALUE=DATE:20270101\nDURATION:P1W", "01-01+7"},
		{"DTSTART;VALUE=DATE:20270101\nDURATION:PT24H", "01-01+1"},
		{"DTSTART;VALUE=DATE:20270101\nDURATION:P1DT24H", "01-01+2"},
		{"DTSTART;VALUE=DATE:20270101\nDURATION:P", "not a duration"},
		{"DTSTART;VALUE=DATE:20270105\nDTEND;VALUE=DATE:20270101", "01-05+1 4: the event ends before"},
		{"DTSTART:20270101T000000\nDTEND:20270103T000000", "01-01+2"},
		{"DTSTART:20270101T090000Z", "timed"},
		{"DTSTART:20270101T000000", "timed"},
		{"DTSTART:20270101T000000\nDURATION:PT36H", "timed"},
		{"DTSTART:20270101\nATTENDEE;MEMBER=\"a:b\",\"c;d\":x", "01-01+1"},
		{"DTSTART:20270101\nRDATE:20270105,20270107/P1D", "01-01+1 01-05+1 01-07+1"},
		{"DTSTART:20270101\nEXDATE:20270101", ""},
		{"DTSTART:20270101\nRDATE:20270105\nEXDATE:20270101", "01-05+1"},
		{"DTSTART:20270101\nSTATUS:cancelled", ""},
		{"UID:a\nDTSTART:20270101\nRRULE:FREQ=WEEKLY;COUNT=3\nEND\nUID:a\nRECURRENCE-ID:20270108\nDTSTART:20270109", "01-01+1 01-15+1 01-09+1"},
		{"UID:a\nDTSTART:20270101\nRRULE:FREQ=WEEKLY;COUNT=3\nEND\nUID:a\nRECURRENCE-ID:20270108\nDTSTART:20270109\nSTATUS:CANCELLED", "01-01+1 01-15+1"},
		{"UID:a\nSEQUENCE:1\nDTSTART:20270102\nEND\nUID:a\nSEQUENCE:0\nDTSTART:20270101", "01-02+1"},
		{"UID:a\nDTSTAMP:1\nDTSTART:20270102\nEND\nUID:a\nDTSTAMP:2\nDTSTART:20270101", "01-01+1"},
		{"UID:a\nRECURRENCE-ID:20270108\nDTSTART:20270109", "01-09+1"},
		{"DTSTART:20270101\nDTEND:20290101\nRRULE:FREQ=DAILY", "covers 731 days"},
		{"UID:a\nRECURRENCE-ID;RANGE=THISANDFUTURE:20270108\nDTSTART:20270109", "RANGE"},
	} {
		events := strings.ReplaceAll(c[0], "\nEND\n", "\nEND:VEVENT\nBEGIN:VEVENT\n")
		root, err := Read("f.ics", strings.NewReader("BEGIN:VCALENDAR\nBEGIN:VEVENT\n"+events+"\nEND:VEVENT\nEND:VCALENDAR\n"))
		if err != nil {
			t.Fatal(c[0], err)
		}
		var got []string
		for _, e := range AllDay("f.ics", root) {
			starts := []civil.Date{e.First}
			if e.Rule != nil {
				starts = nil
				for d := range e.Rule.All(civil.Always) {
					starts = append(starts, d.Date)
				}
			}
			for _, d := range starts {
				if e.Days > 0 {
					got = append(got, d.String()[5:]+"+"+strconv.Itoa(e.Days))
				}
			}
			if e.Timed {
				got = append(got, "timed")
			}
			if e.Problem != nil {
				got = append(got, strings.TrimPrefix(e.Problem.Error(), "f.ics:"))
			}
		}
		if s := strings.Join(got, " "); s != c[1] && (c[1] == "" || !strings.Contains(s, c[1])) {
			t.Errorf("%q: %q, want %q", c[0], s, c[1])
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
		first, _ := civil.Of(1996, 1, 1)
		for i := range 900 {
			events = append(events, Event{UID: strconv.Itoa(i) + name + texts[0], Summary: texts[i%len(texts)], At: eval.Value{Kind: eval.Moment, Day: first + civil.Date(i*11), Minutes: 720}})
		}
		var b strings.Builder
		if err := Write(&b, Calendar{Name: texts[0], Zone: zone, Stamp: first}, events); err != nil {
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
		for _, o := range cal.Subs[0].Subs {
			changes = append(changes, change{o.Get("DTSTART").Value, o.Get("TZOFFSETTO").Value})
			rises := o.Get("TZOFFSETTO").Value != o.Get("TZOFFSETFROM").Value && (o.Name == "DAYLIGHT") != (offsetOf(o.Get("TZOFFSETTO").Value) > offsetOf(o.Get("TZOFFSETFROM").Value))
			if rises {
				t.Errorf("%s: %s from %s to %s", name, o.Name, o.Get("TZOFFSETFROM").Value, o.Get("TZOFFSETTO").Value)
			}
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
			if last != offset(want) {
				t.Fatalf("%s at %s: the VTIMEZONE says %s, the zone %s", name, at, last, offset(want))
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
		{"UID:pay.file.2027-01/15@p\r\nDTSTART;TZID=x:20270113T163000\r\nSUMMARY:x", "pay file 2027-01/15 2027-01-13T16:30 x"},
		{"UID:a@p\r\nDTSTART:20270113T163000Z\r\nSTATUS:CANCELLED", ""},
		{"UID:a@p\r\nDTSTART:20271313", "f.ics:4: this event has no DTSTART"},
		{"UID:a@p\r\nDTSTART:20271213T1", "f.ics:4: this event has no DTSTART"},
		{"UID:a@p", "f.ics:2: this event has no DTSTART"},
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

func split(s string) []string { return texts(s) }

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
			for _, d := range AllDay("f", root) {
				if d.Problem != nil && d.Problem.Line < 0 || d.Days < 0 {
					t.Fatalf("%q: %+v", s, d)
				}
			}
		}
		if earlier, aerr := ReadEarlier("f", strings.NewReader(s)); (aerr == nil) != (err == nil) {
			t.Fatalf("%q: read %v, as an earlier file %v", s, err, aerr)
		} else if err == nil { // what follows it can be read again
			day, _ := civil.Of(2027, 1, 1)
			var b strings.Builder
			follow := &Follow{Earlier: earlier, Window: civil.Always, Today: day, Plans: []string{"p"}}
			if werr := Write(&b, Calendar{Stamp: day, Follow: follow}, []Event{{UID: "a@p", At: eval.Day(day)}}); werr != nil {
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
