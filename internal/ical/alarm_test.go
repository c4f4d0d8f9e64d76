package ical

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"
	_ "time/tzdata"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/core/workdays"
)

// A trigger put to an event's start gives the instant that the words name, over
// closed days and over the nights when clocks change.
func TestReminders(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 5))
	first, _ := civil.NewDate(2026, 1, 1)
	cal := workdays.New("random", workdays.WeekdaySet(0).With(6).With(7))
	var list workdays.HolidayList
	for range 60 {
		d := first + civil.Date(r.IntN(1000))
		list = append(list, workdays.Holiday{Date: d, Nominal: d, Name: "Holiday"})
	}
	cal = cal.WithHolidays(list)
	zones := []*time.Location{nil}
	for _, name := range []string{"Europe/London", "America/New_York", "Asia/Tokyo", "Pacific/Auckland"} {
		z, err := time.LoadLocation(name)
		if err != nil {
			t.Fatal(err)
		}
		zones = append(zones, z)
	}
	for range 20000 {
		zone, n, unit, clock := zones[r.IntN(len(zones))], r.IntN(40), []string{"minute", "hour", "day", "week", "working day"}[r.IntN(5)], -1
		text := fmt.Sprint(n, " ", unit, "s before")
		if n > 0 && len(unit) > 2 && unit != "minute" && unit != "hour" && r.IntN(2) == 0 {
			clock = (4+r.IntN(20))*60 + r.IntN(60) // no clock changes after 04:00
			text += fmt.Sprintf(" at %02d:%02d", clock/60, clock%60)
		}
		when := eval.Day(first + civil.Date(r.IntN(1000)))
		if r.IntN(2) == 0 {
			when.Kind, when.Minutes = eval.DateTime, int16((4+r.IntN(20))*60+r.IntN(60))
		}
		reminder, err := schedule.ParseReminder(text)
		if err != nil {
			t.Fatal(err)
		}
		alarm, ok := reminder.Alarm(when, cal)
		if !ok {
			t.Fatalf("%s of %v: no day", text, when)
		}
		trigger := triggerText(when, alarm, zone)
		in := time.UTC
		if zone != nil && when.Kind == eval.DateTime {
			in = zone
		}
		start := instant(when.Day, int(when.Minutes), in)
		want := start
		switch unit {
		case "minute":
			want = start.Add(-time.Duration(n) * time.Minute)
		case "hour":
			want = start.Add(-time.Duration(n) * time.Hour)
		default:
			day := when.Day
			for left := n * map[string]int{"day": 1, "week": 7, "working day": 1}[unit]; left > 0; {
				if day--; unit != "working day" || cal.IsWorkday(day) {
					left--
				}
			}
			if clock < 0 {
				clock = int(when.Minutes)
			}
			want = instant(day, clock, in)
		}
		if got := put(t, start, trigger); !got.Equal(want) {
			t.Fatalf("%s of %v %v in %v: %s is %v, not %v", text, when.Day, when.Minutes, zone, trigger, got, want)
		}
	}
	for _, bad := range []string{"", "before", "7 days", "7 days after", "1 hour before at 09:00", "1 day before at 24:00", "1 day before at 09:60", "-1 day before", "1.5 days before"} {
		if r, err := schedule.ParseReminder(bad); err == nil {
			t.Errorf("%q is read as %v", bad, r)
		}
	}
}

// put adds a DURATION to a start as RFC 5545 section 3.3.6 has it: days by the
// clock, then hours and minutes exactly.
func put(t *testing.T, start time.Time, trigger string) time.Time {
	t.Helper()
	sign, n, days, exact := 1, 0, 0, time.Duration(0)
	for _, c := range trigger {
		switch c {
		case '-':
			sign = -1
		case 'P', 'T':
		case 'D':
			days, n = n, 0
		case 'H':
			exact, n = exact+time.Duration(n)*time.Hour, 0
		case 'M':
			exact, n = exact+time.Duration(n)*time.Minute, 0
		default:
			if n = n*10 + int(c-'0'); c < '0' || c > '9' {
				t.Fatalf("%s has a %c", trigger, c)
			}
		}
	}
	return start.AddDate(0, 0, sign*days).Add(time.Duration(sign) * exact)
}
