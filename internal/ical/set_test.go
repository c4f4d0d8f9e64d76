package ical

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/recur"
)

// The text of events in a calendar, END between them.
func calendarOf(events string) string {
	return "BEGIN:VCALENDAR\nBEGIN:VEVENT\n" + strings.ReplaceAll(strings.ReplaceAll(events, "\nENDCAL\n", "\nEND:VEVENT\nEND:VCALENDAR\n"), "\nEND\n", "\nEND:VEVENT\nBEGIN:VEVENT\n") + "\nEND:VEVENT\nEND:VCALENDAR\n"
}

// show writes an instance as testdata/read.txt does.
func show(i Instance) string {
	start := func(s TimeValue) string {
		if s.HasTime {
			return fmt.Sprintf("%sT%02d:%02d", s.Day, s.Second/3600, s.Second/60%60)
		}
		return s.Day.String()
	}
	text := start(i.From)
	if i.AllDay() {
		text += " to " + i.Last().String()
	} else if !i.IsOpenEnded {
		text += " to " + start(i.To)
	}
	if i.From.Zone != nil {
		text += " " + i.From.Zone.String()
	}
	if i.Summary != "" {
		text += " " + i.Summary
	}
	if i.Categories != "" {
		text += " (" + i.Categories + ")"
	}
	if i.RecurrenceID != nil {
		text += " [" + start(*i.RecurrenceID) + "]"
	}
	return text
}

// The published examples, and each rule of reading.
func TestReadSets(t *testing.T) {
	data, err := os.ReadFile("testdata/read.txt")
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range strings.Split(string(data), "== ")[1:] {
		name, body, _ := strings.Cut(c, "\n")
		events, want, _ := strings.Cut("\n"+body, "\n--\n")
		span, zone, lines := civil.AllDays, (*time.Location)(nil), []string{}
		for _, line := range strings.Split(events[1:], "\n") {
			if text, ok := strings.CutPrefix(line, "window "); ok {
				a, b, _ := strings.Cut(text, "..")
				first, _ := civil.DefaultFiscalCalendar.ParseSpan(a)
				last, _ := civil.DefaultFiscalCalendar.ParseSpan(b)
				span = civil.Span{First: first.First, Last: last.Last}
			} else if text, ok := strings.CutPrefix(line, "zone "); ok {
				if zone, err = Zone(text); err != nil {
					t.Fatal(err)
				}
			} else {
				lines = append(lines, line)
			}
		}
		root, err := Read("f.ics", strings.NewReader(calendarOf(strings.Join(lines, "\n"))))
		if err != nil {
			t.Fatal(name, err)
		}
		var got []string
		sets, problems, err := ReadSets("f.ics", root)
		if err != nil {
			problems = append(problems, err.(*Error))
		}
		var all []Instance
		for _, s := range sets {
			list, err := s.Instances(span, false, nil)
			if fault := (*Error)(nil); errors.As(err, &fault) {
				problems = append(problems, fault)
			}
			all = append(all, list...)
		}
		slices.SortStableFunc(all, func(a, b Instance) int { return byInstant(a.From, b.From) })
		for _, i := range all {
			if zone != nil {
				i.From, i.To = i.From.In(zone), i.To.In(zone)
				if i.RecurrenceID != nil {
					id := i.RecurrenceID.In(zone)
					i.RecurrenceID = &id
				}
			}
			got = append(got, show(i))
		}
		slices.SortStableFunc(problems, func(a, b *Error) int { return a.Line - b.Line })
		for _, p := range problems {
			got = append(got, "! "+strings.TrimPrefix(strings.TrimPrefix(p.Error(), "f.ics:"), ":2: "))
		}
		lines = strings.Split(strings.TrimSuffix(want, "\n"), "\n")
		if want == "" {
			lines = nil
		}
		ok := len(lines) == len(got)
		for n := 0; ok && n < len(lines); n++ {
			ok = got[n] == lines[n] || lines[n][0] == '!' && strings.HasPrefix(got[n], lines[n])
		}
		if !ok {
			t.Errorf("%s:\n%s\nwant\n%s", name, strings.Join(got, "\n"), want)
		}
	}
}

// A METHOD:CANCEL names what it cancels; the event keeps its times.
func TestCancelMessage(t *testing.T) {
	text := calendarOf("UID:a\nDTSTART;VALUE=DATE:20270101\nSUMMARY:x\nEND\nUID:b\nDTSTART;VALUE=DATE:20270102") +
		"BEGIN:VCALENDAR\nMETHOD:CANCEL\nBEGIN:VEVENT\nUID:a\nEND:VEVENT\nEND:VCALENDAR\n"
	root, err := Read("f", strings.NewReader(text))
	if err != nil {
		t.Fatal(err)
	}
	sets, problems, err := ReadSets("f", root)
	if err != nil || len(sets) != 2 || len(problems) != 0 {
		t.Fatal(sets, problems, err)
	}
	for _, cancelled := range []bool{false, true} {
		list, err := sets[0].Instances(civil.AllDays, cancelled, nil)
		if err != nil || (len(list) == 1) != cancelled || cancelled && (list[0].Status != "CANCELLED" || list[0].Summary != "x") {
			t.Errorf("cancelled %t: %v %v", cancelled, list, err)
		}
	}
}

// A VTIMEZONE gives the offsets of the zone that it describes: RFC 5545's own of New
// York (section 3.6.5) against the zone database, each hour from 1968 to 2036.
func TestTimeZoneOfFile(t *testing.T) {
	observance := func(kind, start, from, to string, more ...string) string {
		return "BEGIN:" + kind + "\nDTSTART:" + start + "\n" + strings.Join(more, "\n") + "\nTZOFFSETFROM:" + from + "\nTZOFFSETTO:" + to + "\nEND:" + kind + "\n"
	}
	text := "BEGIN:VCALENDAR\nBEGIN:VTIMEZONE\nTZID:Home\n" +
		observance("DAYLIGHT", "19670430T020000", "-0500", "-0400", "RRULE:FREQ=YEARLY;BYMONTH=4;BYDAY=-1SU;UNTIL=19730429T070000Z") +
		observance("STANDARD", "19671029T020000", "-0400", "-0500", "RRULE:FREQ=YEARLY;BYMONTH=10;BYDAY=-1SU;UNTIL=20061029T060000Z") +
		observance("DAYLIGHT", "19740106T020000", "-0500", "-0400", "RDATE:19750223T020000") +
		observance("DAYLIGHT", "19760425T020000", "-0500", "-0400", "RRULE:FREQ=YEARLY;BYMONTH=4;BYDAY=-1SU;UNTIL=19860427T070000Z") +
		observance("DAYLIGHT", "19870405T020000", "-0500", "-0400", "RRULE:FREQ=YEARLY;BYMONTH=4;BYDAY=1SU;UNTIL=20060402T070000Z") +
		observance("DAYLIGHT", "20070311T020000", "-0500", "-0400", "RRULE:FREQ=YEARLY;BYMONTH=3;BYDAY=2SU") +
		observance("STANDARD", "20071104T020000", "-0400", "-0500", "RRULE:FREQ=YEARLY;BYMONTH=11;BYDAY=1SU") + "END:VTIMEZONE\nEND:VCALENDAR\n"
	root, err := Read("f", strings.NewReader(text))
	if err != nil {
		t.Fatal(err)
	}
	got, err := zonesOf("f", root).find("Home")
	if err != nil {
		t.Fatal(err)
	}
	want, err := Zone("America/New_York")
	if err != nil {
		t.Fatal(err)
	}
	for at := time.Date(1968, 1, 1, 0, 30, 0, 0, time.UTC); at.Year() < 2037; at = at.Add(time.Hour) {
		_, a := at.In(got).Zone()
		if _, b := at.In(want).Zone(); a != b {
			t.Fatalf("%s: %d, want %d", at, a, b)
		}
	}
	for _, c := range [][3]string{{"TZOFFSETTO:-0500", "TZOFFSETTO:5", "expected an offset from UTC"}, {"DTSTART:19670430T020000", "DTSTART:x", "expected a date or time"},
		{"FREQ=YEARLY;BYMONTH=4", "FREQ=OFTEN", "FREQ"}, {"RDATE:19750223T020000", "RDATE:1", "expected a date or time"}} {
		root, err := Read("f", strings.NewReader(strings.Replace(text, c[0], c[1], 1)))
		if err == nil {
			_, err = zonesOf("f", root).find("Home")
		}
		if err == nil || !strings.Contains(err.Error(), `time zone "Home" can't be read: line `) || !strings.Contains(err.Error(), c[2]) {
			t.Errorf("%s: %v", c[1], err)
		}
	}
}

// Random recurring events, against days walked one by one with package time.
func TestInstances_againstWalking(t *testing.T) {
	r := rand.New(rand.NewPCG(12, 5545))
	names := []string{"", "UTC", "Europe/London", "America/New_York", "Australia/Lord_Howe", "Asia/Tokyo"}
	rounds := 600
	if testing.Short() {
		rounds = 150
	}
	for n := range rounds {
		zone := time.UTC
		name := names[r.IntN(len(names))]
		if name != "" {
			zone, _ = Zone(name)
		}
		put := func(at time.Time) string {
			s := at.Format("20060102T150405")
			switch name {
			case "":
				return ":" + s
			case "UTC":
				return ":" + s + "Z"
			}
			return ";TZID=" + name + ":" + s
		}
		start := time.Date(2026, time.Month(1+r.IntN(12)), 1+r.IntN(28), 4+r.IntN(18), 15*r.IntN(4), 0, 0, zone)
		every, count := 1+r.IntN(9), 20+r.IntN(100)
		rule := fmt.Sprintf("FREQ=DAILY;INTERVAL=%d;COUNT=%d", every, count)
		if r.IntN(2) == 0 {
			rule = fmt.Sprintf("FREQ=DAILY;INTERVAL=%d;UNTIL=%s", every, start.AddDate(0, 0, every*(count-1)).UTC().Format("20060102T150405Z"))
		}
		text := "UID:a\nSUMMARY:0\nDURATION:PT90M\nDTSTART" + put(start) + "\nRRULE:" + rule
		at := map[int]time.Time{} // what becomes of the days; their summary
		what := map[int]string{}
		for i := range count {
			at[i], what[i] = start.AddDate(0, 0, i*every), "0"
		}
		for range r.IntN(3) {
			i := r.IntN(count)
			text += "\nEXDATE" + put(start.AddDate(0, 0, i*every))
			delete(at, i)
		}
		changed := map[int]bool{}
		from := count // of the last this-and-future
		for k := range r.IntN(4) {
			i := r.IntN(count)
			if _, there := at[i]; !there || changed[i] {
				continue
			}
			changed[i] = true
			id := start.AddDate(0, 0, i*every)
			days, minutes := r.IntN(9)-4, r.IntN(90)
			moved := time.Date(id.Year(), id.Month(), id.Day()+days, id.Hour(), id.Minute()+minutes, 0, 0, zone)
			text += fmt.Sprintf("\nEND\nUID:a\nSUMMARY:%d\nDURATION:PT90M\nRECURRENCE-ID", k+1)
			if from == count && r.IntN(2) == 0 {
				text += ";RANGE=THISANDFUTURE"
				for j := i; j < count; j++ {
					if _, there := at[j]; there && (j == i || !changed[j]) {
						day := start.AddDate(0, 0, j*every)
						at[j], what[j] = time.Date(day.Year(), day.Month(), day.Day()+days, day.Hour(), day.Minute()+minutes, 0, 0, zone), fmt.Sprint(k+1)
					}
				}
				from = i
			} else {
				at[i], what[i] = moved, fmt.Sprint(k+1)
			}
			text += put(id) + "\nDTSTART" + put(moved)
		}
		root, err := Read("f", strings.NewReader(calendarOf(text)))
		if err != nil {
			t.Fatal(err)
		}
		sets, problems, err := ReadSets("f", root)
		if err != nil || len(problems) > 0 || len(sets) != 1 {
			t.Fatal(text, problems, err)
		}
		first, _ := civil.NewDate(2026, 1+r.IntN(12), 1)
		span := civil.Span{First: first, Last: first + civil.Date(r.IntN(200))}
		list, err := sets[0].Instances(span, false, nil)
		if err != nil {
			t.Fatal(err)
		}
		var got, want []string
		for _, i := range list {
			got = append(got, fmt.Sprint(i.From.Instant(), i.To.Instant()-i.From.Instant(), i.Summary))
		}
		for i, a := range at {
			day := func(a time.Time) civil.Date { d, _ := civil.NewDate(a.Year(), int(a.Month()), a.Day()); return d }
			if day(a) <= span.Last && day(a.Add(90*time.Minute-time.Second)) >= span.First {
				want = append(want, fmt.Sprint(a.Unix()+unixDay*secondsOfDay, 5400, what[i]))
			}
		}
		slices.Sort(got)
		slices.Sort(want)
		if !slices.Equal(got, want) {
			t.Fatalf("case %d, %v:\n%s\n%v\nwant\n%v", n, span, text, got, want)
		}
	}
	if at, skipped := instantAt(recur.DateTime{Day: 739689, Second: 1}, nil); at != 739689*secondsOfDay+1 || skipped {
		t.Error("a floating time has no zone to skip it")
	}
}

// TestBudget bounds what the recurring events of a file are expanded to and looked at.
func TestBudget(t *testing.T) {
	for _, c := range []struct {
		rule, from string
		budget     Budget
		want       string
		n          int
	}{
		{"FREQ=MINUTELY", "20270101", Budget{9000, 9000, 20_000}, "", 1440},
		{"FREQ=MINUTELY", "20270101", Budget{1439, 5000, 20_000}, "would bring the list to more than", 0},
		{"FREQ=MINUTELY", "20270101", Budget{5000, 1439, 20_000}, "would look at more than", 0},
		{"FREQ=DAILY;BYHOUR=0,12", "20260101", Budget{20, 1000, 20_000}, "", 2},
		{"FREQ=DAILY;BYHOUR=0,12;COUNT=2000", "20260101", Budget{20, 700, 20_000}, "would look at more than", 0}, // those before the day count
		{"FREQ=MINUTELY", "20270101", Budget{9000, 9000, 4 * 1440}, "", 1440},
		{"FREQ=MINUTELY", "20270101", Budget{9000, 9000, 4*1440 - 1}, "too long to be repeated", 0},
		{"FREQ=SECONDLY;BYMONTH=2;BYMONTHDAY=30", "20270101", Budget{1, 1, 20_000}, "", 1}, // DTSTART alone, and nothing is walked
	} {
		text := "BEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:a\nSUMMARY:" + strings.Repeat("x", 256-len(c.rule)) + "\nDTSTART:" + c.from + "T000000\nRRULE:" + c.rule + "\nEND:VEVENT\nEND:VCALENDAR\n"
		root, err := Read("f", strings.NewReader(text))
		if err != nil {
			t.Fatal(err)
		}
		sets, problems, err := ReadSets("f", root)
		if err != nil || problems != nil || len(sets) != 1 {
			t.Fatal(sets, problems, err)
		}
		list, err := sets[0].Instances(civil.Span{First: 739982, Last: 739982}, false, &c.budget) // 1 January 2027
		if len(list) != c.n || (err == nil) != (c.want == "") || err != nil && !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %d times, %v; want %d, %q", c.rule, len(list), err, c.n, c.want)
		}
	}
}
