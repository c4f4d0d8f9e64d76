package ical

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"yoyaku/internal/golden"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/core/workdays"
)

// A series as one event reads back as the dates of the series, or is refused with a
// reason; what hides behind the refusal is true.
func TestOneRecurringEvent(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 545))
	zone, _ := Zone("America/New_York")
	env := eval.Env{Fiscal: civil.DefaultFiscalCalendar, Calendar: workdays.New("weekend", workdays.WeekdaySet(0).With(civil.Saturday).With(civil.Sunday)), Today: 739000}
	reminder, _ := schedule.ParseReminder("1 day before at 09:00")
	worked, _ := schedule.ParseReminder("1 working day before at 09:00")
	written, rounds := 0, 30
	if testing.Short() {
		rounds = 3
	}
	for _, c := range golden.Cases(t, "testdata/onerecurringevent.cases", 2) {
		for n := range rounds {
			first := civil.Date(739620 + r.IntN(400)) // 2026
			window := civil.Span{First: first, Last: first + civil.Date(60+r.IntN(900))}
			s, err := schedule.FromRule(c[0], "Title", env)
			if err != nil {
				t.Fatal(err)
			}
			entries, _, err := schedule.Entries([]*schedule.Series{s}, window)
			if err != nil {
				t.Fatal(err)
			}
			plan := func(*schedule.Series) string { return "p" }
			list, err := schedule.FoldAll(entries, plan, func(e schedule.Entry) schedule.Event { return e.Event("p") })
			if err != nil {
				if c[1] == "" || !strings.Contains(err.Error(), c[1]) {
					t.Errorf("%s, %v: %v, want %q", c[0], window, err, c[1])
				}
				continue
			}
			if len(entries) == 0 {
				continue
			}
			var b strings.Builder
			calendar := Calendar{DTSTAMP: first}
			if n%2 == 0 {
				calendar.Zone = zone
			}
			if err := writeEvents(&b, calendar, list); err != nil {
				t.Fatalf("%s, %v: %v", c[0], window, err)
			}
			written++
			root, err := Read("f", strings.NewReader(b.String()))
			if err != nil {
				t.Fatal(err)
			}
			sets, problems, err := ReadSets("f", root)
			if err != nil || len(problems) > 0 || len(sets) != 1 || strings.Count(b.String(), "BEGIN:VEVENT") != 1 {
				t.Fatal(err, problems, b.String())
			}
			instances, err := sets[0].Instances(civil.AllDays, false, nil)
			var got, want []string
			for _, i := range instances {
				got = append(got, i.RecurrenceID.Value().String())
			}
			for _, e := range entries {
				want = append(want, e.At.String())
			}
			if slices.Sort(got); err != nil || !slices.Equal(got, want) {
				t.Fatalf("%s, %v: %v\n%v\nwant %v\n%s", c[0], window, err, got, want, b.String())
			}
			list[0].Reminders = []schedule.Reminder{reminder}
			overNight := slices.ContainsFunc(entries, func(e schedule.Entry) bool { return e.At.Kind == eval.DateTime }) && calendar.Zone != nil
			if err := writeEvents(&b, calendar, list); err != nil && !overNight {
				t.Errorf("%s reminds at one time before each: %v", c[0], err)
			}
			list[0].Reminders = []schedule.Reminder{worked}
			weekdays := map[bool]bool{}
			for _, e := range entries {
				weekdays[e.At.Day.Weekday() <= civil.Monday || e.At.Day.Weekday() > civil.Friday] = true
			}
			if err := writeEvents(&b, calendar, list); len(weekdays) == 2 && (err == nil || !strings.Contains(err.Error(), "its reminders differ")) {
				t.Errorf("%s, %v: a working day before is one day or three: %v", c[0], window, err)
			}
		}
	}
	if written < 7*rounds {
		t.Errorf("only %d were written", written)
	}
}

// How events show, and times that a clock skips.
func TestEventProperties(t *testing.T) {
	zone, _ := Zone("Europe/London")
	day, _ := civil.NewDate(2027, 3, 28)
	when := eval.Value{Kind: eval.DateTime, Day: day, Minutes: 90}
	e := Event{UID: "a@p", Summary: "Pay", Category: "pay", At: when, EventProperties: schedule.EventProperties{Busy: true, DurationMinutes: 90, Color: "teal", Location: "Office; 2", Categories: []string{"a,b", "c"}}}
	var b strings.Builder
	c := Calendar{Zone: zone, DTSTAMP: day}
	if err := writeEvents(&b, c, []Event{e}); err != nil {
		t.Fatal(err)
	}
	for _, line := range []string{"DURATION:PT1H30M", "LOCATION:Office\\; 2", "CATEGORIES:a\\,b,c", "COLOR:teal", "TRANSP:OPAQUE"} {
		if !strings.Contains(b.String(), "\r\n"+line+"\r\n") {
			t.Errorf("no %s in %s", line, b.String())
		}
	}
	for _, text := range []string{"0 minutes", "25 hours", "2 days", "an hour", ""} {
		if _, err := schedule.ParseEventDuration(text); err == nil {
			t.Errorf("%q lasts", text)
		}
	}
	if n, err := schedule.ParseEventDuration("2 Hours"); n != 120 || err != nil {
		t.Errorf("2 hours are %d minutes, %v", n, err)
	}
	if _, err := schedule.ParseColor("teel"); err == nil || !strings.Contains(err.Error(), "did you mean teal?") {
		t.Errorf("a colour: %v", err)
	}
	if got := c.Warnings(c.SkippedTimes([]Event{e, {At: eval.Day(day)}, e})); got != `clocks in Europe/London skip 2027-03-28T01:30, the time of "Pay"; calendars show it at 2027-03-28T02:30 (and 1 more)` {
		t.Error(got)
	}
	if got := fmt.Sprint(c.Warnings(nil)); got != "" {
		t.Error(got)
	}
}
