package ask

import (
	"fmt"
	"slices"
	"strings"
	"sync"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/workdays"
)

// CalendarsOf returns the calendar of a row: the workspace's, or the one that a column names,
// nil if its cell is blank. check reports an unknown name as a bad cell, and must be called for
// the row first.
func (j *Job) CalendarsOf(t *Table) (func(row []eval.Value) *workdays.Calendar,
	func(line int, row []eval.Value) error, error) {
	if j.Env.CalendarColumn == "" {
		cal := j.Env.Calendar
		return func([]eval.Value) *workdays.Calendar { return cal }, func(int, []eval.Value) error { return nil }, nil
	}
	slot := rows.ColumnIndex(t.Visible(), j.Env.CalendarColumn)
	if slot < 0 {
		return nil, nil, rows.WrapOption("calendar", rows.UnknownColumn(j.Env.CalendarColumn, t.Visible()))
	}
	t.Cells = append(t.Cells, slot)
	t.MarkUsed(slot)
	var found sync.Map // rows may be worked out on several processors
	of := func(row []eval.Value) *workdays.Calendar {
		cal, _ := found.Load(strings.TrimSpace(row[slot].String()))
		known, _ := cal.(*workdays.Calendar)
		return known
	}
	check := func(line int, row []eval.Value) error {
		name := strings.TrimSpace(row[slot].String())
		j.Env.CalendarCells.Add(name)
		if _, known := found.Load(name); name == "" || known {
			return nil
		}
		cal, err := j.Calendar(name)
		if err == nil && cal == nil {
			err = fmt.Errorf("unknown calendar `%s`", eval.Truncate(name))
		}
		if err != nil {
			return &rows.BadCell{Line: line, Column: t.Visible()[slot], Err: err}
		}
		found.Store(strings.Clone(name), cal)
		return nil
	}
	return of, check, nil
}

// MayHaveShortDays reports whether rows may count with a calendar that has short days: the
// workspace's or, if a column names it, any at hand.
func (j *Job) MayHaveShortDays() (bool, error) {
	if j.Env.CalendarColumn == "" {
		return j.Env.Calendar.HasShortDays(), nil
	}
	list, err := j.Calendars()
	return slices.ContainsFunc(list, (*workdays.Calendar).HasShortDays), err
}

// MarkCalendarUsed notes that the workspace's calendar was counted with, unless rows name
// theirs.
func (j *Job) MarkCalendarUsed() {
	if j.Env.CalendarColumn == "" {
		j.Env.Calendar.MarkUsed()
	}
}
