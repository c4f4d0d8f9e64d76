package plan

import (
	"fmt"
	"iter"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/workdays"
	"yoyaku/internal/ical"
)

// eventDays are holidays that the all-day events of an .ics file give.
type eventDays struct {
	name string
	sets []*ical.Set
	kept map[*ical.Entry]bool
	// counts is what counts of each, in hundredths; 0 closes it.
	counts int
}

// Shortens implements workdays.Shortens.
func (s *eventDays) Shortens() bool { return s.counts > 0 }

// mostRecurring is how many days an event that recurs may cover.
const mostRecurring = 400

// events reads an .ics file of holidays: its all-day events that aren't
// cancelled and of which the condition holds.
func (b *book) events(path, name, where string, counts int) (workdays.Source, workdays.List, error) {
	env := b.env
	env.Names = []string{"summary", "categories"}
	holds := func([]eval.Value) (bool, error) { return true, nil }
	if where != "" {
		var err error
		if holds, err = eval.Condition(where, env); err != nil {
			return nil, nil, err
		}
	}
	f, err := b.files.Open(path)
	if err != nil {
		return nil, nil, err
	}
	defer f.Close()
	root, err := ical.Read(path, f)
	if err != nil {
		return nil, nil, err
	}
	sets, problems, err := ical.Sets(path, root)
	if err != nil {
		return nil, nil, err
	}
	for _, p := range problems {
		b.warn("%v", p)
	}
	src := &eventDays{name, sets, map[*ical.Entry]bool{}, counts}
	var single workdays.List
	timed := 0
	for _, set := range sets {
		for _, e := range set.Entries() {
			switch ok, err := holds([]eval.Value{eval.Str(e.Summary), eval.Str(e.Categories)}); {
			case err != nil:
				return nil, nil, err
			case !ok || e.Cancelled || e.Broken:
			case !e.AllDay():
				timed++
			case e.Recurs() && e.Days > mostRecurring:
				return nil, nil, &ical.Error{File: path, Line: e.Line,
					Message: fmt.Sprintf("a recurring event covers %d days; at most %d are read",
						e.Days, mostRecurring)}
			default:
				src.kept[e] = true
				if !e.Recurs() {
					single = append(single, workdays.Holiday{Date: e.Start.Day})
				}
			}
		}
	}
	if timed > 0 {
		b.warn("%s: left out %s, since holidays are whole days", name, phrase.Counted(timed, "event")+" with times of day")
	}
	return src, single, nil
}

// Days implements workdays.Source.
func (s *eventDays) Days(span civil.Span, _ *workdays.Calendar) iter.Seq[workdays.Holiday] {
	return func(yield func(workdays.Holiday) bool) {
		for _, set := range s.sets {
			list, err := set.Instances(span, false, nil)
			if err != nil { // a rule whose faults were told when the file was read
				continue
			}
			for _, i := range list {
				for d := max(i.From.Day, span.First); s.kept[i.Entry] && d <= min(i.Last(), span.Last); d++ {
					if !yield(workdays.Holiday{Date: d, Nominal: d, Name: i.Summary, Source: fmt.Sprintf("%s:%d", s.name, i.Line),
						Counts: s.counts}) {
						return
					}
				}
			}
		}
	}
}
