package cli

import (
	"github.com/spf13/cobra"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
)

func (a *App) holidaysCommand() *cobra.Command {
	var window string
	formats := []string{"table", "csv", "json"}
	c := &cobra.Command{
		Use:   "holidays CALENDAR",
		Short: "A working calendar's closed days",
		Long: `List the holidays of a working calendar, those that fall on a weekend too, each
with its nominal date and the reason why it isn't on that.`,
		Example: `  yoyaku holidays isles --window 2027
  yoyaku holidays "isles + bank" --window 2027..2028`,
		Args: needArgs(1, 1, "the name of a calendar, or a calendar file"),
	}
	o := a.place(c)
	o.result(c, formats...)
	c.Flags().StringVar(&window, "window", "", "`SPAN` to list (default: this year)")
	c.ValidArgsFunction = o.completeCalendars
	c.RunE = func(_ *cobra.Command, args []string) error {
		p, err := o.load()
		if err != nil {
			return err
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
		err = o.table(formats, func(to rows.Sink) error {
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
		if span.Last > cal.Known.Last {
			a.warn("the calendar %s knows no holidays after %s", cal.Name, cal.Known.Last)
		}
		if span.First < cal.Known.First {
			a.warn("the calendar %s knows no holidays before %s", cal.Name, cal.Known.First)
		}
		if n == 0 {
			a.note("No holidays between %s and %s.", span.First, span.Last)
		}
		return nil
	}
	return c
}
