package query

import (
	"errors"

	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/declare"
)

// EventForm is in what form dates go into a calendar.
type EventForm struct{ Todo, RRule bool }

// Options declares the options of the form.
func (f *EventForm) Options() []*declare.Key {
	return []*declare.Key{
		{Name: "todo", Help: "write to-dos instead of events; needs --as ics", Value: declare.Bool.Into(&f.Todo)},
		{Name: "rrule", Help: "write one recurring event per series if that is exact; needs\n--as ics",
			Value: declare.Bool.Into(&f.RRule)},
	}
}

// Check refuses what doesn't go together; events says whether a calendar is made.
func (f *EventForm) Check(events bool) error {
	switch {
	case f.Todo && f.RRule:
		return &rows.OptionError{Option: "todo", IsPredicate: true, Err: errors.New("can't be combined with " + rows.OptionRef("rrule", "") + ": to-dos don't repeat")}
	case f.Todo && !events:
		return rows.WrapOption("todo", errCalendarOnly)
	case f.RRule && !events:
		return rows.WrapOption("rrule", errCalendarOnly)
	}
	return nil
}

// Apply is an event in this form.
func (f *EventForm) Apply(e schedule.Event) schedule.Event {
	e.Todo = e.Todo || f.Todo
	return e
}

// Events makes the events of entries in this form, given the plan of each series and
// the event of an entry.
func (f *EventForm) Events(entries []schedule.Entry, plan func(*schedule.Series) string,
	event func(schedule.Entry) schedule.Event) (list []schedule.Event, err error) {
	if f.RRule {
		list, err = schedule.FoldAll(entries, plan, event)
		return list, rows.WrapOption("rrule", err)
	}
	for _, e := range entries {
		list = append(list, f.Apply(event(e)))
	}
	return list, nil
}
