package plan

import (
	"fmt"
	"iter"
	"os"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/workdays"
	"yoyaku/internal/ical"
)

// eventDays are holidays that the all-day events of an .ics file give.
type eventDays struct {
	name   string
	events []ical.DayEvent
}

// events reads an .ics file of holidays: its all-day events that aren't
// cancelled and of which the condition holds.
func (b *book) events(path, name, where string) (workdays.Source, workdays.List, error) {
	env := b.env
	env.Names = []string{"summary", "categories"}
	holds := func([]eval.Value) (bool, error) { return true, nil }
	if where != "" {
		var err error
		if holds, err = eval.Condition(where, env); err != nil {
			return nil, nil, err
		}
	}
	*b.files = append(*b.files, path)
	f, err := os.Open(path)
	if err != nil {
		return nil, nil, err
	}
	defer f.Close()
	root, err := ical.Read(path, f)
	if err != nil {
		return nil, nil, err
	}
	all, err := ical.AllDay(path, root)
	if err != nil {
		return nil, nil, err
	}
	src := &eventDays{name: name}
	var single workdays.List
	for _, e := range all {
		ok, err := holds([]eval.Value{eval.Str(e.Summary), eval.Str(e.Categories)})
		if err != nil {
			return nil, nil, err
		}
		if !ok {
			continue
		}
		src.events = append(src.events, e)
		if e.Rule == nil {
			single = append(single, workdays.Holiday{Date: e.First})
		}
	}
	return src, single, nil
}

// Days implements workdays.Source.
func (s *eventDays) Days(span civil.Span, _ *workdays.Calendar) iter.Seq[workdays.Holiday] {
	return func(yield func(workdays.Holiday) bool) {
		for _, e := range s.events {
			source := fmt.Sprintf("%s:%d", s.name, e.Line)
			cover := func(first civil.Date) bool {
				for d := max(first, span.First); d < first+civil.Date(e.Days) && d <= span.Last; d++ {
					if !yield(workdays.Holiday{Date: d, Nominal: d, Name: e.Summary, Source: source}) {
						return false
					}
				}
				return true
			}
			if e.Rule == nil {
				if !cover(e.First) {
					return
				}
				continue
			}
			for first := range e.Rule.All(span.Widen(e.Days, 0)) {
				if !cover(first.Date) {
					return
				}
			}
		}
	}
}
