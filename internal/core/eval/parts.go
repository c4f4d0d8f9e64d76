package eval

import (
	"strconv"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/workdays"
)

// PartOf takes a part of a date; cal is nil for parts that ask no calendar.
type PartOf func(d civil.Date, f civil.FiscalCalendar, cal *workdays.Calendar) Value

// partFuncs take the parts of a date, each under its name in phrase.partInfos.
var partFuncs = map[string]PartOf{
	"year": func(d civil.Date, _ civil.FiscalCalendar, _ *workdays.Calendar) Value { return Int(d.Year()) },
	"half": func(d civil.Date, _ civil.FiscalCalendar, _ *workdays.Calendar) Value {
		return prefixedNumber("H",
			(monthOf(d)+5)/6)
	},
	"quarter": func(d civil.Date, _ civil.FiscalCalendar, _ *workdays.Calendar) Value {
		return prefixedNumber("Q",
			(monthOf(d)+2)/3)
	},
	"month": func(d civil.Date, _ civil.FiscalCalendar, _ *workdays.Calendar) Value { return Int(monthOf(d)) },
	"day": func(d civil.Date, _ civil.FiscalCalendar, _ *workdays.Calendar) Value {
		_, _, n := d.YMD()
		return Int(n)
	},
	"day of year": func(d civil.Date, _ civil.FiscalCalendar, _ *workdays.Calendar) Value { return Int(d.YearDay()) },
	"iso week": func(d civil.Date, _ civil.FiscalCalendar, _ *workdays.Calendar) Value {
		return periodName(civil.DefaultFiscalCalendar, civil.Week, d)
	},
	"calendar month": func(d civil.Date, f civil.FiscalCalendar, _ *workdays.Calendar) Value {
		return periodName(f, civil.Month, d)
	},
	"calendar quarter": func(d civil.Date, f civil.FiscalCalendar, _ *workdays.Calendar) Value {
		return periodName(f,
			civil.Quarter, d)
	},
	"fiscal year": func(d civil.Date, f civil.FiscalCalendar, _ *workdays.Calendar) Value {
		return periodName(f,
			civil.FiscalYear, d)
	},
	"fiscal quarter": func(d civil.Date, f civil.FiscalCalendar, _ *workdays.Calendar) Value {
		return prefixedNumber("FQ", f.FiscalNumber(civil.FiscalQuarter, d))
	},
	"fiscal month": func(d civil.Date, f civil.FiscalCalendar, _ *workdays.Calendar) Value {
		return Int(f.FiscalNumber(civil.FiscalMonth, d))
	},
	"fiscal week": func(d civil.Date, f civil.FiscalCalendar, _ *workdays.Calendar) Value {
		return Int(f.FiscalNumber(civil.FiscalWeek, d))
	},
	"month name": func(d civil.Date, _ civil.FiscalCalendar, _ *workdays.Calendar) Value {
		return Str(civil.MonthNames[monthOf(d)])
	},
	"weekday": func(d civil.Date, _ civil.FiscalCalendar, _ *workdays.Calendar) Value {
		return Str(d.Weekday().Abbrev())
	},
	"weekday name": func(d civil.Date, _ civil.FiscalCalendar, _ *workdays.Calendar) Value {
		return Str(civil.WeekdayNames[d.Weekday()])
	},
	"weekday number": func(d civil.Date, _ civil.FiscalCalendar,
		_ *workdays.Calendar) Value {
		return Int(int(d.Weekday()))
	},
	"weekday number from sun": func(d civil.Date, _ civil.FiscalCalendar,
		_ *workdays.Calendar) Value {
		return Int(int(d.Weekday())%7 + 1)
	},
	"working day": func(d civil.Date, _ civil.FiscalCalendar,
		cal *workdays.Calendar) Value {
		return Bool(cal.IsWorkday(d))
	},
	"holiday name": func(d civil.Date, _ civil.FiscalCalendar,
		cal *workdays.Calendar) Value {
		return Str(HolidayNames(cal, d))
	},
}

// PartByName returns what takes a part of a date, by its name in the language, such as
// "fiscal quarter".
func PartByName(name string) PartOf { return partFuncs[name] }

func monthOf(d civil.Date) int { _, m, _ := d.YMD(); return m }

func prefixedNumber(letter string, n int) Value { return Str(letter + strconv.Itoa(n)) }

func periodName(f civil.FiscalCalendar, u civil.Unit, d civil.Date) Value { return Str(f.Name(u, d)) }

func (c *compiler) datePart(e *phrase.Part) (valueFunc, error) {
	if column := c.calendarColumn(e.Using, e.Span); column != nil && e.What.TakesCalendar {
		return c.valuePerCalendar(column, func(c *compiler) (valueFunc, error) { return c.datePart(e) })
	}
	of, err := c.dateOf(e.Of)
	if err != nil {
		return nil, err
	}
	var cal *workdays.Calendar
	if e.What.TakesCalendar {
		if cal, err = c.calendar(e.Using); err != nil {
			return nil, err
		}
	}
	get, f := partFuncs[e.What.Name], c.Fiscal
	return func(row []Value) (Value, error) {
		d, _, err := of(row)
		if err != nil || d == civil.None {
			return Value{}, err
		}
		if cal != nil {
			c.recordQuery(cal, d, d)
		}
		return get(d, f, cal), nil
	}, nil
}
