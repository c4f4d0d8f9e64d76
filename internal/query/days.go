package query

import (
	"yoyaku/internal/ask"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/schedule"
)

func init() { register(newDays) }

func newDays() *ask.Query {
	return &ask.Query{
		Name: "days", NeedsNoRecord: true, Group: ask.Facts, Order: 3, Use: "days SPAN",
		Short: "A table of days with all their attributes",
		Long: `Write one row per day with what tables are joined on: week, month, quarter, fiscal
periods, whether it is a working day and which of the month, how many are left in the
month, the holiday's name, and the month's first and last day.`,
		Examples: `  yoyaku days 2027-03
  yoyaku days 2027-03 --calendar england-wales
  yoyaku days FY2027 --fiscal-start apr --out days.csv`,
		MinArgs: 1, MaxArgs: 1, ArgsHelp: "a stretch of time, such as 2027-03",
		Answer: func(j *ask.Job) error {
			span, err := eval.ParseWindow(j.Args[0], j.Env)
			if err != nil {
				return err
			}
			cal := j.Env.Calendar
			cal.MarkUsed()
			for _, d := range cal.UncoveredDays(span) {
				cal.RecordMiss(d)
			}
			return j.FillLines(schedule.DayColumns, schedule.Days(span, j.Env.Fiscal, cal))
		},
	}
}
