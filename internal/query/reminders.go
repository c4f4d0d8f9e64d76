package query

import (
	"errors"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/declare"
)

// reminderOption declares the option of reminders.
func reminderOption(into *[]string) *declare.Key {
	return &declare.Key{Name: "remind", Help: "remind people `WHEN`: \"7 days before\", \"1 working day before\nat 09:00\"; needs --as ics", Value: declare.Text.Repeat(into)}
}

func parseReminders(texts []string) (list []schedule.Reminder, err error) {
	for _, text := range texts {
		r, err := schedule.ParseReminder(text)
		if err != nil {
			return nil, rows.WrapOption("remind", err)
		}
		list = append(list, r)
	}
	return list, nil
}

var errCalendarOnly = errors.New("only for calendar events; add --as ics (in a plan, an .ics file) or leave it out")

// rejectEventOptions refuses options, as pairs of name and value, that a table has no use for.
func rejectEventOptions(j *ask.Job, pairs ...string) error {
	for i := 0; i < len(pairs); i += 2 {
		if pairs[i+1] != "" {
			return rows.WrapOption(pairs[i], errCalendarOnly)
		}
	}
	return nil
}
