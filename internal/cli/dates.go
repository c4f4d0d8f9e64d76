package cli

import (
	"crypto/sha256"
	"encoding/hex"
	"io"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/ical"
	"yoyaku/internal/plan"
)

var datesFormats = append(slices.Clone(rowFormats), "ics")

func (a *App) datesCommand() *cobra.Command {
	var window, counts string
	var count int
	var adds []string
	c := &cobra.Command{
		Use:   "dates RULE …",
		Short: "List the dates of rules",
		Long: `List the dates of one or more rules, each with its weekday, its nominal date and
the reason why it isn't on that. Without bounds these are the next 12 from today.`,
		Example: `  yoyaku dates "monthly on 15, last then roll preceding" --window 2027 --calendar isles
  yoyaku dates "monthly on last then 25th day of next month, roll following" --count 6
  yoyaku dates "monthly on 2nd tue" "fortnightly on fri from 2027-01-08" --window 2027-Q1
  yoyaku dates "fortnightly on fri from 2027-01-08" --window 2027..2040 --counts year
  yoyaku dates "monthly on last" --window 2027 --add "file = date, -2 working days"
  yoyaku dates "rrule FREQ=MONTHLY;BYDAY=-1FR" --window 2027
  yoyaku dates "quarterly on last working day" --window 2027..2028 --out quarters.ics`,
		Args: needArgs(1, -1, "a rule, such as \"monthly on 15, last then roll preceding\""),
	}
	o := a.place(c)
	o.result(c, datesFormats...)
	c.Flags().StringVar(&window, "window", "", "`SPAN` of moved dates: 2027, 2027-Q2, 2027-03, 2027-W13,\nFY2027, A..B")
	c.Flags().StringArrayVar(&adds, "add", nil, "`NAME = PHRASE` of a column, from date, nominal and their kin")
	c.Flags().StringVar(&counts, "counts", "", "count the dates of each `year`, by nominal and by moved date,\ninstead of listing them")
	c.Flags().IntVar(&count, "count", 0, "at most `N` dates; from today where no window is given")
	c.RunE = func(_ *cobra.Command, args []string) error {
		p, err := o.load()
		if err != nil {
			return err
		}
		if c.Flags().Changed("count") && count < 1 {
			return usagef("--count is 1 or more, not %d", count)
		}
		span := civil.Span{First: p.Env.Today, Last: civil.Max}
		if window != "" {
			if span, err = o.window(window); err != nil {
				return err
			}
		} else if count == 0 {
			count = 12
		}
		list, err := ruleSeries(args, p)
		if err != nil {
			return err
		}
		if counts != "" {
			return o.counts(list, args, counts, span, window != "")
		}
		if len(adds) > 0 {
			return o.datesWith(list, args, adds, span, count)
		}
		return o.dates(list, args, span, count, window != "")
	}
	return c
}

// ruleSeries compiles rules into series named after their canonical text, so
// that the same rule makes the same events.
func ruleSeries(rules []string, p *plan.Plan) (list []*schedule.Series, err error) {
	for _, text := range rules {
		s, err := schedule.NewSeries("", "", text, p.Env)
		if err != nil {
			return nil, err
		}
		sum := sha256.Sum256([]byte(s.Rec.Text))
		s.Name, s.Title = hex.EncodeToString(sum[:5]), s.Rec.Text
		list = append(list, s)
	}
	return list, nil
}

func (o *options) dates(list []*schedule.Series, texts []string, span civil.Span, count int, windowed bool) error {
	format, err := o.format(datesFormats...)
	if err != nil {
		return err
	}
	var watches []*schedule.Watch
	for _, s := range list {
		watches = append(watches, schedule.NewWatch(s.Calendars()))
	}
	n := 0
	each := func(do func(i int, d schedule.Dated) error) error {
		for d, err := range schedule.Merge(list, span) {
			if err != nil {
				return err
			}
			i := slices.Index(list, d.Series)
			watches[i].See(max(d.To, d.Date.Date))
			if err := do(i, d); err != nil {
				return err
			}
			if n++; n == count {
				break
			}
		}
		return nil
	}
	if format == "ics" {
		err = o.write(func(w io.Writer) error { return o.datesEvents(w, each) })
	} else {
		err = o.table(datesFormats, func(to rows.Sink) error { return datesTable(to, texts, each) })
	}
	if err != nil {
		return err
	}
	for _, w := range watches {
		for _, text := range w.Warnings() {
			o.app.warn("%s", text)
		}
	}
	if n == 0 {
		if windowed {
			o.app.note("No date falls between %s and %s.", span.First, span.Last)
		} else {
			o.app.note("No date falls on or after %s; --window asks for other times.", span.First)
		}
	}
	return nil
}

type eachDate func(do func(i int, d schedule.Dated) error) error

func datesTable(to rows.Sink, texts []string, each eachDate) error {
	columns := schedule.RuleColumns
	several := len(texts) > 1
	if several {
		columns = append([]string{"rule"}, columns...)
	}
	if err := to.Header(columns); err != nil {
		return err
	}
	var cells []eval.Value
	return each(func(i int, d schedule.Dated) error {
		cells = cells[:0]
		if several {
			cells = append(cells, eval.Str(texts[i]))
		}
		cells = schedule.RuleRow(cells, d.Series, d.Moved)
		return to.Row(cells)
	})
}

func (o *options) datesEvents(w io.Writer, each eachDate) error {
	var events []ical.Event
	err := each(func(_ int, d schedule.Dated) error {
		occ := schedule.Entry{Series: d.Series, What: "date", Moves: d.Moves, Of: &schedule.Occurrence{Moved: d.Moved,
			ID: string(d.Series.Rec.Rule.AppendID(nil, d.Date))}}
		e := event(occ, "yoyaku")
		e.Category = "" // the name of a rule's series is no word for people
		e.At = d.Series.Moment(d.To)
		events = append(events, e)
		return nil
	})
	if err != nil {
		return err
	}
	return ical.Write(w, ical.Calendar{Name: o.title, Zone: o.loaded.Zone, Stamp: o.loaded.Env.Today}, events)
}

// event makes the calendar event of an entry.
func event(e schedule.Entry, planID string) ical.Event {
	return ical.Event{UID: e.UID(planID), Summary: e.Label(), Description: eval.Reasons(e.Moves), Category: e.Series.Name, At: e.At}
}

// needArgs checks how many arguments there are and says what is missing.
func needArgs(least, most int, what string) cobra.PositionalArgs {
	return func(c *cobra.Command, args []string) error {
		switch {
		case len(args) < least:
			return usagef("`%s` needs %s; `%s --help` shows examples", c.CommandPath(), what, c.CommandPath())
		case most >= 0 && len(args) > most:
			return usagef("`%s` takes no more after %q; a phrase stands in double quotes: \"…\"", c.CommandPath(), strings.TrimSpace(args[max(most, 1)-1]))
		}
		return nil
	}
}

// counts writes how many dates each year has.
func (o *options) counts(list []*schedule.Series, texts []string, unit string, span civil.Span, windowed bool) error {
	if unit != "year" {
		return usagef("--counts counts by year, not by %q", unit)
	}
	for _, s := range list {
		if !windowed && s.Rec.Rule.Endless() {
			return usagef("%q has no end; --window says which years to count", s.RuleText)
		}
	}
	if !windowed {
		span = civil.Always
	}
	return o.table(rowFormats, func(to rows.Sink) error {
		columns := []string{"year", "nominal", "moved"}
		if len(list) > 1 {
			columns = append([]string{"rule"}, columns...)
		}
		if err := to.Header(columns); err != nil {
			return err
		}
		for i, s := range list {
			years, err := schedule.CountYears(s.Rec, span)
			if err != nil {
				return err
			}
			for _, y := range years {
				cells := []eval.Value{eval.Int(y.Year), eval.Int(y.Nominal), eval.Int(y.Moved)}
				if len(list) > 1 {
					cells = append([]eval.Value{eval.Str(texts[i])}, cells...)
				}
				if err := to.Row(cells); err != nil {
					return err
				}
			}
		}
		return nil
	})
}

// datesWith lists dates with added columns, which may use all that a series
// lends to its phrases.
func (o *options) datesWith(list []*schedule.Series, texts, adds []string, span civil.Span, count int) error {
	var names []string
	for _, text := range adds {
		name, body, err := rows.SplitAdd(text)
		if err != nil {
			return inOption("--add", err)
		}
		if rows.Find(append(schedule.RuleColumns, names...), name) >= 0 {
			return usagef("--add: there already is a column `%s`", name)
		}
		names = append(names, name)
		for _, s := range list {
			if err := s.AddMilestone(name, body, o.loaded.Env); err != nil {
				return inOption("--add", err)
			}
		}
	}
	return o.table(rowFormats, func(to rows.Sink) error {
		columns := append(slices.Clone(schedule.RuleColumns), names...)
		if len(list) > 1 {
			columns = append([]string{"rule"}, columns...)
		}
		if err := to.Header(columns); err != nil {
			return err
		}
		n := 0
		for d, err := range schedule.MergeOccurrences(list, span) {
			if err != nil {
				return err
			}
			var cells []eval.Value
			if len(list) > 1 {
				cells = append(cells, eval.Str(texts[slices.Index(list, d.Series)]))
			}
			cells = schedule.RuleRow(cells, d.Series, d.Of.Moved)
			for i := range names {
				cells = append(cells, d.Of.Milestone(i))
			}
			if err := to.Row(cells); err != nil {
				return err
			}
			if n++; n == count {
				break
			}
		}
		return nil
	})
}
