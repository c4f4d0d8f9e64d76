package question

import (
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/declare"
)

func init() { register(newHolidays) }

// holidays lists the closed days of a calendar, or the calendars.
type holidays struct{ window string }

func newHolidays() *Question {
	q := &holidays{}
	return &Question{
		Planless: true, Name: "holidays", Group: Facts, Place: 5, Use: "holidays [CALENDAR]",
		Short: "Working calendars and their closed days",
		Long: `List the holidays of a working calendar, also those on a weekend, each with its nominal
date and the reason if it moved, and the short days if there are any. Without a name, list
the calendars you can use: the plan's, then the built-in public ones.`,
		Examples: `  yoyaku holidays
  yoyaku holidays target --window 2027
  yoyaku holidays isles --window 2027
  yoyaku holidays "isles + bank" --window 2027..2028`,
		Least: 0, Most: 1, Args: "calendars",
		Options: []*declare.Key{{Name: "window", Help: "list the days in `SPAN` (default: this year)", Takes: declare.Span.Into(&q.window)}},
		Answer:  q.answer,
	}
}

func (q *holidays) answer(j *Job) error {
	name := j.Named
	if len(j.Args) > 0 {
		name = j.Args[0]
	}
	if name == "" {
		if q.window != "" {
			return rows.In("window", errNoCalendar)
		}
		return j.calendars()
	}
	cal, err := j.Calendar(name)
	if err != nil {
		return err
	}
	span, _ := j.Env.Frame.Around(civil.Year, j.Env.Today, 0)
	if q.window != "" {
		if span, err = j.window("window", q.window); err != nil {
			return err
		}
	}
	for _, d := range cal.Beyond(span) {
		cal.Miss(d)
	}
	n := 0
	columns, lines := schedule.Holidays(cal, span)
	err = j.lines(columns, func(yield func([]eval.Value, error) bool) {
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

// calendars lists the calendars at hand.
func (j *Job) calendars() error {
	list, err := j.Calendars()
	if err != nil {
		return err
	}
	return j.fill([]string{"calendar", "title", "closed", "known_from", "known_through"}, func(put rows.Put) error {
		for _, c := range list {
			from, through := c.Known.First, c.Known.Last
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
