package schedule

import (
	"cmp"
	"iter"
	"slices"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/workdays"
)

// DayColumns are the columns of a table of days.
var DayColumns = []string{"date", "weekday", "iso_week", "month", "quarter", "half", "year", "day_of_year",
	"fiscal_year", "fiscal_quarter", "fiscal_month", "working", "working_day_of_month", "working_days_left",
	"holiday", "month_start", "month_end"}

// dayParts are the parts of a date in a table of days, in its order, with the
// period in which each stays the same.
var dayParts = []struct {
	part  eval.PartOf
	stays civil.Unit
}{{eval.PartByName("weekday"), civil.Day}, {eval.PartByName("iso week"), civil.Week}, {eval.PartByName("calendar month"),
	civil.Month}, {eval.PartByName("quarter"), civil.Month},
	{eval.PartByName("half"), civil.Month}, {eval.PartByName("year"), civil.Month}, {eval.PartByName("day of year"), civil.Day},
	{eval.PartByName("fiscal year"), civil.FiscalMonth},
	{eval.PartByName("fiscal quarter"), civil.FiscalMonth}, {eval.PartByName("fiscal month"), civil.FiscalMonth},
	{eval.PartByName("working day"), civil.Day}}

// Days yields one row per day of a span with all its attributes. A closed day
// has no number among the working days of its month; the working days left are
// those of the month after the day.
func Days(span civil.Span, f civil.FiscalCalendar, cal *workdays.Calendar) Lines {
	return func(yield func([]eval.Value, error) bool) { dayLines(span, f, cal, yield) }
}

// periodTracker tells as it goes through the days which periods begin.
type periodTracker struct {
	frame  civil.FiscalCalendar
	month  civil.Span
	fiscal int
	begins [civil.FiscalYear + 1]bool
}

// next goes to a day; the first call begins everything.
func (w *periodTracker) next(d civil.Date) *[civil.FiscalYear + 1]bool {
	first := w.month == civil.Span{}
	w.begins[civil.Day] = true
	w.begins[civil.Week] = first || d.Weekday() == civil.Monday
	if w.begins[civil.Month] = !w.month.Contains(d); w.begins[civil.Month] {
		w.month, _ = w.frame.PeriodAt(civil.Month, d, 0)
	}
	fiscal := w.frame.PeriodIndex(civil.FiscalMonth, d)
	w.begins[civil.FiscalMonth] = first || fiscal != w.fiscal
	w.fiscal = fiscal
	return &w.begins
}

func dayLines(span civil.Span, f civil.FiscalCalendar, cal *workdays.Calendar, yield func([]eval.Value, error) bool) {
	cells := make([]eval.Value, 0, len(DayColumns))
	parts := make([]eval.Value, len(dayParts))
	at := periodTracker{frame: f}
	for d := span.First; d <= span.Last; d++ {
		begins := at.next(d)
		nth := eval.Value{}
		if cal.IsWorkday(d) {
			nth = eval.Int(cal.Count(civil.Span{First: at.month.First, Last: d}))
		}
		cells = append(cells[:0], eval.Day(d))
		for i, p := range dayParts {
			if begins[p.stays] {
				parts[i] = p.part(d, f, cal)
			}
		}
		cells = append(cells, parts...)
		cells = append(cells, nth, eval.Int(cal.CountBetween(d, at.month.Last)), eval.Str(eval.HolidayNames(cal, d)),
			eval.Day(at.month.First), eval.Day(at.month.Last))
		if !yield(cells, nil) {
			return
		}
	}
}

// Lines yields the rows of a table. Cells are valid until the next row is asked
// for; an error ends the sequence.
type Lines = iter.Seq2[[]eval.Value, error]

// LinesOf are the rows of a list, each with its cells.
func LinesOf[T any](list []T, cells func(T) []eval.Value) Lines {
	return func(yield func([]eval.Value, error) bool) {
		for _, one := range list {
			if !yield(cells(one), nil) {
				return
			}
		}
	}
}

// Holidays lists the holidays of a calendar in a span, those on weekends too, and where it
// has short days, those as well, with what counts of each day and when it ends.
func Holidays(cal *workdays.Calendar, span civil.Span) (columns []string, lines Lines) {
	columns = []string{"date", "weekday", "name", "nominal", "reason"}
	list := closedHolidays(cal, span)
	short := cal.HasShortDays()
	if short {
		columns = append(columns, "counts", "until")
		list = append(list, slices.Collect(cal.ShortDays(span))...)
		slices.SortStableFunc(list, func(a, b workdays.Holiday) int { return cmp.Compare(a.Date, b.Date) })
	}
	return columns, LinesOf(list, func(h workdays.Holiday) []eval.Value {
		cells := []eval.Value{eval.Day(h.Date), eval.Str(h.Date.Weekday().Abbrev()), eval.Str(h.Name),
			eval.Day(h.Nominal), eval.Str(h.Reason)}
		if short {
			until := eval.Value{}
			if h.Until > 0 {
				until = eval.Str(string(civil.AppendClock(nil, h.Until)))
			}
			cells = append(cells, eval.Fraction(int64(h.Weight), workdays.FullDayWeight), until)
		}
		return cells
	})
}

// closedHolidays are the holidays that are closed, each day once with all its names: one that was
// opened is none.
func closedHolidays(cal *workdays.Calendar, span civil.Span) (list []workdays.Holiday) {
	for h := range cal.Holidays(span) {
		if last := len(list) - 1; cal.IsWorkday(h.Date) || last >= 0 && list[last].Date == h.Date {
			continue
		}
		h.Name = eval.HolidayNames(cal, h.Date)
		list = append(list, h)
	}
	return list
}
