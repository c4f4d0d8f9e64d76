package query

import (
	"fmt"
	"io"
	"path/filepath"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/heap"
	"yoyaku/internal/tabular"
)

// Side is one of two things that are compared: the dates of a plan, or a file.
type Side struct {
	Name string
	// Series is the one that a wide table is of; "" for the file's name without its ending.
	Series string
	Open   func() (io.ReadCloser, error) // of a file
	// Dates are those of a plan in a span, and those around it that the other side may
	// have inside of it.
	Dates  func(span, around civil.Span) ([]schedule.Event, error)
	Window *civil.Span // of a plan; nil if it has none
}

// Compare compares two sides and puts what differs. Tables that are no schedules are
// matched by a key.
func Compare(old, now Side, key string, note func(format string, args ...any), put func(schedule.Difference) error) (t schedule.Tally, err error) {
	if key != "" {
		if old.Open == nil || now.Open == nil {
			return t, rows.WrapOption("key", fmt.Errorf("is for two tables; a plan has its own keys"))
		}
		return compareTables(old, now, key, note, put)
	}
	span := civil.AllDays
	for _, s := range []Side{old, now} {
		if s.Window != nil {
			both := civil.Span{First: max(span.First, s.Window.First), Last: min(span.Last, s.Window.Last)}
			if both.First <= both.Last {
				span = both
			}
		}
	}
	before, err := old.events(span)
	if err != nil {
		return t, err
	}
	is, err := now.events(span)
	if err != nil {
		return t, err
	}
	list, t := schedule.Differences(before, is, func(e schedule.Event) bool { return span.Contains(e.At.Day) })
	for _, d := range list {
		if err := put(d); err != nil {
			return t, err
		}
	}
	return t, nil
}

// events are the dates of a side, of a plan those around a span too.
func (s Side) events(span civil.Span) ([]schedule.Event, error) {
	if s.Dates != nil {
		return s.Dates(span, span.Widen(schedule.SearchMargin, schedule.SearchMargin))
	}
	f, err := s.Open()
	if err != nil {
		return nil, err
	}
	defer f.Close()
	series := s.Series
	if series == "" {
		series = strings.TrimSuffix(filepath.Base(s.Name), filepath.Ext(s.Name))
	}
	list, err := ReadEvents(s.Name, series, f)
	if err == errNoSchedule {
		err = fmt.Errorf("%s has no columns `date` and `id`; name the column that identifies its rows with --key COL", s.Name)
	}
	return list, err
}

// compareTables compares two tables by a key.
func compareTables(old, now Side, key string, note func(format string, args ...any), put func(schedule.Difference) error) (t schedule.Tally, err error) {
	var readers [2]rows.Reader
	var unseen [2]tabular.HiddenParts
	for i, s := range []Side{old, now} {
		f, err := s.Open()
		if err != nil {
			return t, err
		}
		defer f.Close()
		if readers[i], err = (tabular.Options{Hidden: &unseen[i]}).Read(s.Name, strings.ToLower(filepath.Ext(s.Name)),
			f); err != nil {
			return t, err
		}
	}
	c, err := rows.NewComparison(key, readers[0].Columns(), readers[1].Columns())
	if err != nil {
		return t, err
	}
	gone, added := c.Columns()
	if len(gone) > 0 {
		note("columns only in the old table, not compared: %s", strings.Join(gone, ", "))
	}
	if len(added) > 0 {
		note("columns only in the new table, not compared: %s", strings.Join(added, ", "))
	}
	defer heap.Bound(2)()
	if err = rows.Each(readers[0], c.AddOld); err == nil {
		err = c.FinishOld()
	}
	if err != nil {
		return t, err
	}
	err = rows.Each(readers[1], func(line int, cells []eval.Value) error {
		d, differs, err := c.CompareNew(line, cells)
		if err != nil {
			return err
		}
		if !differs {
			t.Same++
			return nil
		}
		t.Count(d)
		return put(d)
	})
	if err != nil {
		return t, err
	}
	for i, s := range []Side{old, now} {
		for _, text := range unseen[i].Notes(s.Name) {
			note("%s", text)
		}
	}
	for _, d := range c.Removed() {
		t.Count(d)
		if err := put(d); err != nil {
			return t, err
		}
	}
	return t, nil
}
