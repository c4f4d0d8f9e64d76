package schedule

import (
	"strconv"

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
	var month, fiscalYear civil.Span
	var monthName, quarter, half, fiscalName string
	for d := span.First; d <= span.Last; d++ {
		y, m, _ := d.YMD()
		if !month.Has(d) {
			month, _ = f.Around(civil.Month, d, 0)
			monthName = f.Name(civil.Month, d)
			quarter, half = "Q"+strconv.Itoa((m-1)/3+1), "H"+strconv.Itoa((m-1)/6+1)
		}
		if !fiscalYear.Has(d) {
			fiscalYear, _ = f.Period(civil.FiscalYear, f.Index(civil.FiscalYear, d))
			fiscalName = f.Name(civil.FiscalYear, d)
		}
		open := cal.Open(d)
		truth := eval.Value{Kind: eval.Truth}
		nth := eval.Value{}
		if open {
			truth.Num = 1
			nth = eval.Int(cal.Count(civil.Span{First: month.First, Last: d}))
		}
		fiscalMonth := f.Index(civil.FiscalMonth, d)
		n := (fiscalMonth%12 + 12) % 12
		cells = append(cells[:0], eval.Day(d), eval.Str(d.Weekday().Short()), eval.Str(isoWeek(d)), eval.Str(monthName),
			eval.Str(quarter), eval.Str(half), eval.Int(y), eval.Int(d.YearDay()),
			eval.Str(fiscalName), eval.Str("FQ"+strconv.Itoa(n/3+1)), eval.Int(n+1),
			truth, nth, eval.Int(cal.Between(d, month.Last)), eval.Str(eval.HolidayNames(cal, d)), eval.Day(month.First), eval.Day(month.Last))
		if err := to.Row(cells); err != nil {
			return err
		}
	}
	return nil
}

// isoWeek writes the ISO 8601 week of a day, which no week start changes.
func isoWeek(d civil.Date) string { return civil.DefaultFrame.Name(civil.Week, d) }
