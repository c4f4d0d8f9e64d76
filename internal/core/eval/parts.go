package eval

import (
	"strconv"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/workdays"
)

// PartOf takes a part of a date; cal is nil for parts that ask no calendar.
type PartOf func(d civil.Date, f civil.Frame, cal *workdays.Calendar) Value

// parts take the parts of a date, each under its name in phrase.Parts.
var parts = map[string]PartOf{
	"year": func(d civil.Date, _ civil.Frame, _ *workdays.Calendar) Value { return Int(d.Year()) },
	"half": func(d civil.Date, _ civil.Frame, _ *workdays.Calendar) Value {
		return numbered("H",
			(monthOf(d)+5)/6)
	},
	"quarter": func(d civil.Date, _ civil.Frame, _ *workdays.Calendar) Value {
		return numbered("Q",
			(monthOf(d)+2)/3)
	},
	"month":       func(d civil.Date, _ civil.Frame, _ *workdays.Calendar) Value { return Int(monthOf(d)) },
	"day":         func(d civil.Date, _ civil.Frame, _ *workdays.Calendar) Value { _, _, n := d.YMD(); return Int(n) },
	"day of year": func(d civil.Date, _ civil.Frame, _ *workdays.Calendar) Value { return Int(d.YearDay()) },
	"iso week": func(d civil.Date, _ civil.Frame, _ *workdays.Calendar) Value {
		return named(civil.DefaultFrame, civil.Week, d)
	},
	"calendar month": func(d civil.Date, f civil.Frame, _ *workdays.Calendar) Value { return named(f, civil.Month, d) },
	"calendar quarter": func(d civil.Date, f civil.Frame, _ *workdays.Calendar) Value {
		return named(f,
			civil.Quarter, d)
	},
	"fiscal year": func(d civil.Date, f civil.Frame, _ *workdays.Calendar) Value {
		return named(f,
			civil.FiscalYear, d)
	},
	"fiscal quarter": func(d civil.Date, f civil.Frame, _ *workdays.Calendar) Value {
		return numbered("FQ", f.FiscalPlace(civil.FiscalQuarter, d))
	},
	"fiscal month": func(d civil.Date, f civil.Frame, _ *workdays.Calendar) Value {
		return Int(f.FiscalPlace(civil.FiscalMonth, d))
	},
	"fiscal week": func(d civil.Date, f civil.Frame, _ *workdays.Calendar) Value {
		return Int(f.FiscalPlace(civil.FiscalWeek, d))
	},
	"month name": func(d civil.Date, _ civil.Frame, _ *workdays.Calendar) Value {
		return Str(civil.MonthNames[monthOf(d)])
	},
	"weekday": func(d civil.Date, _ civil.Frame, _ *workdays.Calendar) Value { return Str(d.Weekday().Short()) },
	"weekday name": func(d civil.Date, _ civil.Frame, _ *workdays.Calendar) Value {
		return Str(civil.WeekdayNames[d.Weekday()])
	},
	"weekday number": func(d civil.Date, _ civil.Frame,
		_ *workdays.Calendar) Value {
		return Int(int(d.Weekday()))
	},
	"weekday number from sun": func(d civil.Date, _ civil.Frame,
		_ *workdays.Calendar) Value {
		return Int(int(d.Weekday())%7 + 1)
	},
	"working day": func(d civil.Date, _ civil.Frame,
		cal *workdays.Calendar) Value {
		return Bool(cal.Open(d))
	},
	"holiday name": func(d civil.Date, _ civil.Frame,
		cal *workdays.Calendar) Value {
		return Str(HolidayNames(cal, d))
	},
}

// Part returns what takes a part of a date, by its name in the language, such as
// "fiscal quarter".
func Part(name string) PartOf { return parts[name] }

func monthOf(d civil.Date) int { _, m, _ := d.YMD(); return m }

func numbered(letter string, n int) Value { return Str(letter + strconv.Itoa(n)) }

func named(f civil.Frame, u civil.Unit, d civil.Date) Value { return Str(f.Name(u, d)) }

func (c *compiler) part(e *phrase.Part) (value, error) {
	if column := c.byColumnOf(e.Using, e.Span); column != nil && e.What.Calendar {
		return c.byColumn(column, func(c *compiler) (value, error) { return c.part(e) })
	}
	of, err := c.dateOf(e.Of)
	if err != nil {
		return nil, err
	}
	var cal *workdays.Calendar
	if e.What.Calendar {
		if cal, err = c.calendar(e.Using); err != nil {
			return nil, err
		}
	}
	get, f := parts[e.What.Name], c.Frame
	return func(row []Value) (Value, error) {
		d, _, err := of(row)
		if err != nil || d == civil.None {
			return Value{}, err
		}
		if cal != nil {
			cal.Ask(d, d)
		}
		return get(d, f, cal), nil
	}, nil
}
