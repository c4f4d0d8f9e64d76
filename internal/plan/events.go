package plan

import (
	"fmt"
	"iter"
	"os"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/workdays"
	"yoyaku/internal/ical"
	"yoyaku/internal/question"
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
	if err := b.files.Read(path); err != nil {
		return nil, nil, err
	}
	f, err := os.Open(path)
	if err != nil {
		return nil, nil, err
	}
	defer f.Close()
	root, err := ical.Read(path, f)
	if err != nil {
		return nil, nil, err
	}
	src := &eventDays{name: name}
	var single workdays.List
	timed := 0
	for _, e := range ical.AllDay(path, root) {
		ok, err := holds([]eval.Value{eval.Str(e.Summary), eval.Str(e.Categories)})
		if err != nil {
			return nil, nil, err
		}
		switch {
		case !ok:
			continue
		case e.Timed:
			timed++
			continue
		case e.Closing:
			return nil, nil, e.Problem
		case e.Problem != nil:
			b.warn("%v%s", e.Problem, map[bool]string{true: "; the event is left out"}[e.Days == 0])
		}
		if e.Days == 0 {
			continue
		}
		src.events = append(src.events, e)
		if e.Rule == nil {
			single = append(single, workdays.Holiday{Date: e.First})
		}
	}
	if timed > 0 {
		b.warn("%s: left out %s, since a holiday is a whole day", name, question.Several(timed, "event")+" with times of day")
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
