package schedule

import (
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/workdays"
)

// DayColumns are the columns of a table of days.
var DayColumns = []string{"date", "weekday", "iso_week", "month", "quarter", "half", "year", "day_of_year",
	"fiscal_year", "fiscal_quarter", "fiscal_month", "working", "working_day_of_month", "working_days_left",
	"holiday", "month_start", "month_end"}

// Days writes one row per day of a span with all its attributes. A closed day
// has no number among the working days of its month; the working days left are
// those of the month after the day.
func Days(span civil.Span, f civil.Frame, cal *workdays.Calendar, to rows.Sink) error {
	if err := to.Header(DayColumns); err != nil {
		return err
	}
	cells := make([]eval.Value, 0, len(DayColumns))
	var month civil.Span
	for d := span.First; d <= span.Last; d++ {
		if !month.Has(d) {
			month, _ = f.Around(civil.Month, d, 0)
		}
		nth := eval.Value{}
		if cal.Open(d) {
			nth = eval.Int(cal.Count(civil.Span{First: month.First, Last: d}))
		}
		part := func(name string) eval.Value { return eval.Part(name, d, f, cal) }
		cells = append(cells[:0], eval.Day(d), eval.Str(d.Weekday().Short()), part("iso week"), part("calendar month"),
			part("quarter"), part("half"), part("year"), part("day of year"),
			part("fiscal year"), part("fiscal quarter"), part("fiscal month"), part("working day"), nth, eval.Int(cal.Between(d, month.Last)), eval.Str(eval.HolidayNames(cal, d)), eval.Day(month.First), eval.Day(month.Last))
		if err := to.Row(cells); err != nil {
			return err
		}
	}
	return nil
}
