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

// icsHolidays are holidays that the all-day events of an .ics file give.
type icsHolidays struct {
	name string
	sets []*ical.EventSet
	kept map[*ical.Entry]bool
	// weight is what counts of each, in hundredths; 0 closes it.
	weight int
}

// HasShortDays implements workdays.ShortDaySource.
func (s *icsHolidays) HasShortDays() bool { return s.weight > 0 }

// maxRecurringDays is how many days an event that recurs may cover.
const maxRecurringDays = 400

// readHolidayICS reads an .ics file of holidays: its all-day events that aren't
// cancelled and of which the condition holds.
func (b *calendarSet) readHolidayICS(path, name, where string, counts int) (workdays.Source, workdays.HolidayList, error) {
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
	sets, problems, err := ical.ReadSets(path, root)
	if err != nil {
		return nil, nil, err
	}
	for _, p := range problems {
		b.warn("%v", p)
	}
	src := &icsHolidays{name, sets, map[*ical.Entry]bool{}, counts}
	var single workdays.HolidayList
	timed := 0
	for _, set := range sets {
		for _, e := range set.Entries() {
			switch ok, err := holds([]eval.Value{eval.Str(e.Summary), eval.Str(e.Categories)}); {
			case err != nil:
				return nil, nil, err
			case !ok || e.Cancelled || e.Broken:
			case !e.AllDay():
				timed++
			case e.Recurs() && e.Days > maxRecurringDays:
				return nil, nil, &ical.Error{File: path, Line: e.Line,
					Message: fmt.Sprintf("a recurring event covers %d days; at most %d are read",
						e.Days, maxRecurringDays)}
			default:
				src.kept[e] = true
				if !e.Recurs() {
					single = append(single, workdays.Holiday{Date: e.Start.Day})
				}
			}
		}
	}
	if timed > 0 {
		b.warn("%s: left out %s, since holidays are whole days", name, phrase.Plural(timed, "event")+" with times of day")
	}
	return src, single, nil
}

// Days implements workdays.Source.
func (s *icsHolidays) Days(span civil.Span, _ *workdays.Calendar) iter.Seq[workdays.Holiday] {
	return func(yield func(workdays.Holiday) bool) {
		for _, set := range s.sets {
			list, err := set.Instances(span, false, nil)
			if err != nil { // a rule whose faults were told when the file was read
				continue
			}
			for _, i := range list {
				for d := max(i.From.Day, span.First); s.kept[i.Entry] && d <= min(i.Last(), span.Last); d++ {
					if !yield(workdays.Holiday{Date: d, Nominal: d, Name: i.Summary, Source: fmt.Sprintf("%s:%d", s.name, i.Line),
						Weight: s.weight}) {
						return
					}
				}
			}
		}
	}
}
