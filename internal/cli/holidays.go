package cli

import (
	"github.com/spf13/cobra"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/workdays"
)

func (a *App) holidaysCommand() *cobra.Command {
	var window string
	c := &cobra.Command{
		Use:   "holidays [CALENDAR]",
		Short: "Working calendars and their closed days",
		Long: `List the holidays of a working calendar, those that fall on a weekend too, each
with its nominal date and the reason why it isn't on that. Without a name, list the
calendars at hand: the plan's, then the built-in public ones.`,
		Example: `  yoyaku holidays
  yoyaku holidays isles --window 2027
  yoyaku holidays target --window 2027
  yoyaku holidays "isles + bank" --window 2027..2028`,
		Args: needArgs(0, 1, ""),
	}
	o := a.place(c)
	o.result(c, rowFormats...)
	c.Flags().StringVar(&window, "window", "", "`SPAN` to list (default: this year)")
	c.ValidArgsFunction = o.completeCalendars
	c.RunE = func(_ *cobra.Command, args []string) error {
		p, err := o.load()
		if err != nil {
			return err
		}
		if len(args) == 0 {
			return o.calendars()
		}
		cal, err := p.Calendar(args[0])
		if err != nil {
			return err
		}
		span, _ := p.Env.Frame.Around(civil.Year, p.Env.Today, 0)
		if window != "" {
			if span, err = o.window(window); err != nil {
				return err
			}
		}
		n := 0
		err = o.table(rowFormats, func(to rows.Sink) error {
			if err := to.Header([]string{"date", "weekday", "name", "nominal", "reason"}); err != nil {
				return err
			}
			for h := range cal.Holidays(span) {
				n++
				if err := to.Row([]eval.Value{eval.Day(h.Date), eval.Str(h.Date.Weekday().Short()), eval.Str(h.Name),
					eval.Day(h.Nominal), eval.Str(h.Reason)}); err != nil {
					return err
				}
			}
			return nil
		})
		if err != nil {
			return err
		}
		o.warnBeyond(cal, span)
		if n == 0 {
			a.note("No holidays between %s and %s.", span.First, span.Last)
		}
		return nil
	}
	return c
}

// calendars lists the calendars at hand.
func (o *options) calendars() error {
	list, err := o.loaded.Calendars()
	if err != nil {
		return err
	}
	return o.table(rowFormats, func(to rows.Sink) error {
		if err := to.Header([]string{"calendar", "title", "closed", "known_from", "known_through"}); err != nil {
			return err
		}
		for _, c := range list {
			from, through := c.Known.First, c.Known.Last
			if from == civil.Min {
				from = civil.None
			}
			if through == civil.Max {
				through = civil.None
			}
			if err := to.Row([]eval.Value{eval.Str(c.Name), eval.Str(c.Title), eval.Str(c.ClosedText()), eval.Day(from), eval.Day(through)}); err != nil {
				return err
			}
		}
		return nil
	})
}

// warnBeyond warns where a span reaches past what a calendar knows.
func (o *options) warnBeyond(cal *workdays.Calendar, span civil.Span) {
	for _, c := range cal.Parts() {
		if span.Last > c.Known.Last {
			o.app.warn("the calendar %s knows no holidays after %s", c.Name, c.Known.Last)
		}
		if span.First < c.Known.First {
			o.app.warn("the calendar %s knows no holidays before %s", c.Name, c.Known.First)
		}
	}
}
