package schedule

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/workdays"
)

// Reminder is so long before an event, or at a time of the day so many days before.
type Reminder struct {
	n       int
	unit    string // minute, hour, day, week, working day
	minutes int    // of the day, -1 for none
}

// Alarm is a reminder of one event: a time by the clock, or where Day is
// civil.None, Minutes of time before its start. The clock of an all-day event
// begins at midnight.
type Alarm struct {
	Day     civil.Date
	Minutes int
}

var reminderForm = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(
		`(?i)^\s*(\d{1,5})\s+(minutes?|hours?|days?|weeks?|working\s+days?)\s+before(?:\s+at\s+(\d\d:\d\d))?\s*$`)
})

// ParseReminder reads `7 days before` or `1 working day before at 09:00`.
func ParseReminder(text string) (r Reminder, err error) {
	bad := fmt.Errorf("expected a reminder such as `7 days before` or `1 working day before at 09:00`, found %q", text)
	m := reminderForm().FindStringSubmatch(text)
	if m == nil {
		return r, bad
	}
	r.n, _ = strconv.Atoi(m[1])
	r.unit = strings.TrimSuffix(strings.Join(strings.Fields(strings.ToLower(m[2])), " "), "s")
	if r.minutes = -1; m[3] != "" {
		var ok bool
		if r.minutes, ok = civil.ParseClock(m[3]); !ok || r.unit == "minute" || r.unit == "hour" {
			return r, bad
		}
	}
	return r, nil
}

// Alarm is the reminder of an event. ok is false if the calendar has no such day.
func (r Reminder) Alarm(when eval.Value, cal *workdays.Calendar) (a Alarm, ok bool) {
	switch r.unit {
	case "minute":
		return Alarm{civil.None, r.n}, true
	case "hour":
		return Alarm{civil.None, r.n * 60}, true
	case "day":
		a.Day, ok = when.Day.Add(-r.n)
	case "week":
		a.Day, ok = when.Day.Add(-7 * r.n)
	default:
		if cal == nil { // the row names none
			return a, false
		}
		cal.MarkUsed()
		if a.Day, ok = cal.AddWorkdays(when.Day, -r.n); ok {
			cal.RecordQuery(a.Day, when.Day)
		}
	}
	switch {
	case r.minutes >= 0:
		a.Minutes = r.minutes
	case when.Kind == eval.DateTime:
		a.Minutes = int(when.Minutes)
	}
	return a, ok
}

// Alarms are the reminders of an event, each once. They ask its calendar, so they
// are worked out where an event is written.
func (e Event) Alarms() (all []Alarm) {
	for _, r := range e.Reminders {
		if a, ok := r.Alarm(e.At, e.Calendar); ok && !slices.Contains(all, a) {
			all = append(all, a)
		}
	}
	return all
}
