package ask

import (
	"fmt"
	"path/filepath"
	"strings"

	"yoyaku/internal/declare"
	"yoyaku/internal/ical"
)

// IsCalendarFile reports whether a table's name says that it is an iCalendar file.
func IsCalendarFile(name string) bool { return strings.EqualFold(filepath.Ext(name), ".ics") }

// calendarFile is a calendar file as the query `read` gives it. What recurs without an end
// is listed through the end of the window that is asked.
func (j *Job) calendarFile(name string) (*MemTable, error) {
	table := &MemTable{keepTimes: j.WithTimes}
	r := &EventQuery{table: name}
	hint := fmt.Sprintf("list it for a window first, and use that: yoyaku read %s --window 2027 --out %s", ShellWord(name),
		ShellWord(strings.TrimSuffix(name, filepath.Ext(name))+".csv"))
	if o := declare.Find(j.Query.Options, "window"); o != nil {
		r.Window, hint = *o.Value.Field, ""
	}
	sub := &Job{Workspace: j.Workspace, Args: []string{name}, Sink: table, Query: &Query{Name: "read", Answer: r.Answer}}
	err := sub.Answer()
	if err != nil && hint != "" && strings.Contains(err.Error(), ical.ErrEndless.Error()) {
		err = fmt.Errorf("%s: an event repeats without end; %s", name, hint)
	}
	return table, err
}
