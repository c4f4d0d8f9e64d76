package query

import (
	"errors"
	"yoyaku/internal/ask"
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/declare"
)

func init() { register(newHolidays) }

// holidaysQuery lists the closed days of a calendar, or the calendars.
type holidaysQuery struct{ window string }

func newHolidays() *ask.Query {
	q := &holidaysQuery{}
	return &ask.Query{
		IgnoresPlan: true, Name: "holidays", Group: ask.Facts, Order: 5, Use: "holidays [CALENDAR]",
		Short: "Working calendars and their closed days",
		Long: `List the holidays of a working calendar, also those on a weekend, each with its nominal
date and the reason if it moved, and the short days if there are any. Without a name, list
the calendars you can use: the plan's, then the built-in public ones.`,
		Examples: `  yoyaku holidays
  yoyaku holidays target --window 2027
  yoyaku holidays isles --window 2027
  yoyaku holidays "isles + bank" --window 2027..2028`,
		MinArgs: 0, MaxArgs: 1, ArgsCompletion: "calendars",
		Options: []*declare.Key{{Name: "window", Help: "list the days in `SPAN` (default: this year)", Value: declare.Span.Into(&q.window)}},
		Answer:  q.answer,
	}
}

func (q *holidaysQuery) answer(j *ask.Job) error {
	name := j.CalendarName
	if len(j.Args) > 0 {
		name = j.Args[0]
	}
	if name == "" {
		if q.window != "" {
			return rows.WrapOption("window", errNoCalendar)
		}
		return listCalendars(j)
	}
	cal, err := j.Calendar(name)
	if err != nil {
		return err
	}
	span, _ := j.Env.Fiscal.PeriodAt(civil.Year, j.Env.Today, 0)
	if q.window != "" {
		if span, err = j.ParseWindow("window", q.window); err != nil {
			return err
		}
	}
	for _, d := range cal.UncoveredDays(span) {
		cal.RecordMiss(d)
	}
	n := 0
	columns, lines := schedule.Holidays(cal, span)
	err = j.FillLines(columns, func(yield func([]eval.Value, error) bool) {
		for cells, err := range lines {
			n++
			if !yield(cells, err) {
				return
			}
		}
	})
	if err == nil && n == 0 {
		j.Note("no holidays from %s to %s", span.First, span.Last)
	}
	return err
}

// listCalendars lists the calendars at hand.
func listCalendars(j *ask.Job) error {
	list, err := j.Calendars()
	if err != nil {
		return err
	}
	return j.FillRows([]string{"calendar", "title", "closed", "known_from", "known_through"}, func(put rows.PutRow) error {
		for _, c := range list {
			from, through := c.Coverage.First, c.Coverage.Last
			if from == civil.Min {
				from = civil.None
			}
			if through == civil.Max {
				through = civil.None
			}
			if err := put([]eval.Value{eval.Str(c.Name), eval.Str(c.Title), eval.Str(c.ClosedText()), eval.Day(from),
				eval.Day(through)}); err != nil {
				return err
			}
		}
		return nil
	})
}

var errNoCalendar = errors.New("a window needs the name of a calendar: yoyaku holidays NAME --window 2027")
