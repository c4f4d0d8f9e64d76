package cli

import (
	"github.com/spf13/cobra"

	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
)

func (a *App) daysCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "days SPAN",
		Short: "A table of days with all their attributes",
		Long: `Write one row per day with everything that tables are joined on: week, month, quarter,
fiscal periods, whether it is worked, which working day of the month it is and how
many follow in the month, the holiday's name, the month's first and last day.`,
		Example: `  yoyaku days 2027-03 --calendar isles
  yoyaku days FY2027 --fiscal-start apr --out days.csv
  yoyaku days 2027-01-04..2027-02-03`,
		Args: needArgs(1, 1, "a stretch of time, such as 2027-03"),
	}
	o := a.place(c)
	o.result(c, rowFormats...)
	c.RunE = func(_ *cobra.Command, args []string) error {
		p, err := o.load()
		if err != nil {
			return err
		}
		span, err := o.window(args[0])
		if err != nil {
			return err
		}
		if err := o.table(rowFormats, func(to rows.Sink) error { return schedule.Days(span, p.Env.Frame, p.Env.Calendar, to) }); err != nil {
			return err
		}
		o.warnBeyond(p.Env.Calendar, span)
		return nil
	}
	return c
}
