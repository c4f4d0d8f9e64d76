package schedule

import (
	"fmt"
	"iter"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/workdays"
)

// NumberedPeriod is a period with its place in the calendar, ISO or fiscal year.
type NumberedPeriod struct {
	civil.NamedSpan
	Number int
}

// NumberedPeriods yields the whole periods of a unit that touch a span.
func NumberedPeriods(f civil.FiscalCalendar, u civil.Unit, span civil.Span) iter.Seq2[NumberedPeriod, error] {
	year := civil.Year
	if u > civil.Year {
		year = civil.FiscalYear
	}
	return func(yield func(NumberedPeriod, error) bool) {
		for p, err := range f.Periods(u)(span) {
			n := NumberedPeriod{NamedSpan: p}
			if err == nil && !(p.First.Valid() && p.Last.Valid()) {
				err = fmt.Errorf("the %s %s goes beyond the years 0001 to 9999", civil.UnitNames[u], p.Name)
			}
			if err == nil {
				if u == civil.Week {
					_, n.Number = p.First.OnOrAfter(civil.Thursday).ISOWeek()
				} else if whole, ok := f.PeriodAt(year, p.First, 0); ok {
					n.Number = f.PeriodIndex(u, p.First) - f.PeriodIndex(u, whole.First) + 1
				}
			}
			if !yield(n, err) {
				return
			}
		}
	}
}

// periodColumns are the columns of a table of periods, before those of counted series.
var periodColumns = []string{"period", "number", "first_day", "last_day", "weeks", "days", "working_days",
	"closed_days"}

// PeriodTable lists periods, with the dates of each series in them.
func PeriodTable(list iter.Seq2[NumberedPeriod, error], cal *workdays.Calendar,
	counted []*Series) (columns []string, lines Lines) {
	columns = append(columns, periodColumns...)
	for _, s := range counted {
		name := ColumnName(s.Name)
		columns = append(columns, name, name+"_dates")
	}
	return columns, func(yield func([]eval.Value, error) bool) {
		for p, err := range list {
			if err != nil {
				yield(nil, err)
				return
			}
			cal.RecordQuery(p.First, p.Last)
			weeks, worked := eval.Value{}, cal.Count(p.Span)
			if p.Len()%7 == 0 {
				weeks = eval.Int(p.Len() / 7)
			}
			cells := []eval.Value{eval.Str(p.Name), eval.Int(p.Number), eval.Day(p.First), eval.Day(p.Last), weeks,
				eval.Int(p.Len()), eval.Int(worked), eval.Int(p.Len() - worked)}
			for _, s := range counted {
				var days []string
				for m, err := range s.movedDates(p.Span) {
					if err != nil {
						yield(nil, err)
						return
					}
					s.RecordUncovered(m)
					days = append(days, m.MovedTo.String())
				}
				cells = append(cells, eval.Int(len(days)), eval.Str(strings.Join(days, " ")))
			}
			if !yield(cells, nil) {
				return
			}
		}
	}
}
