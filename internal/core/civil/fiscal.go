package civil

// FiscalYearEnd is the day on which fiscal years of whole weeks end: the last
// weekday of a month, or with Day the weekday nearest to a day of it. The zero
// value says that fiscal years are of months.
type FiscalYearEnd struct {
	Weekday Weekday
	Month   int // 1 to 12
	Day     int // 0 for the last of the month, else 1 to 31
}

// WeekPattern is how many weeks the three months of a fiscal quarter have, 13 in
// all; a 53rd week of the year joins the last month.
type WeekPattern [3]uint8

// WeekPatterns are those in use, by their names; the first holds by default.
var WeekPatterns = []struct {
	Name string
	WeekPattern
}{{"4-4-5", WeekPattern{4, 4, 5}}, {"4-5-4", WeekPattern{4, 5, 4}}, {"5-4-4", WeekPattern{5, 4, 4}}}

// IsWeekBased reports whether fiscal years are of whole weeks.
func (f FiscalCalendar) IsWeekBased() bool { return f.YearEnd.Weekday != 0 }

// yearEnd is the last day of the fiscal year of weeks that is counted as y: the
// one whose rule names a day of the calendar year y.
func (f FiscalCalendar) yearEnd(y int) Date {
	const cycle, days = 400, 146097 // whole weeks, so that days before Min have weekdays too
	from, shift := y, Date(0)
	if y < MinYear+1 {
		from, shift = y+cycle, days
	}
	last := DaysIn(from, f.YearEnd.Month)
	d := dayNumber(from, f.YearEnd.Month, last).OnOrBefore(f.YearEnd.Weekday)
	if f.YearEnd.Day > 0 {
		d = (dayNumber(from, f.YearEnd.Month, min(f.YearEnd.Day, last)) + 3).OnOrBefore(f.YearEnd.Weekday)
	}
	return d - shift
}

// fiscalYearOfWeeks is the fiscal year of weeks that holds d.
func (f FiscalCalendar) fiscalYearOfWeeks(d Date) int {
	y, _, _ := max(d, Min).YMD()
	for d > f.yearEnd(y) {
		y++
	}
	for d <= f.yearEnd(y-1) {
		y--
	}
	return y
}

// perYear is how many periods of a fiscal unit a year has; 0 for other units.
func (u Unit) perYear() int {
	switch u {
	case FiscalMonth, FiscalQuarter, FiscalHalf, FiscalYear:
		return 12 / u.Months()
	}
	return 0
}

// firstWeekOfMonth is the week, from 0, with which month m of a year of weeks begins;
// month 12 begins with the week after the year of 52.
func (f FiscalCalendar) firstWeekOfMonth(m int) (week int) {
	for i := range m % 3 {
		week += int(f.Pattern[i])
	}
	return m/3*13 + week
}

// weekBasedIndex is PeriodIndex for the fiscal units of years of weeks.
func (f FiscalCalendar) weekBasedIndex(u Unit, d Date) int {
	y := f.fiscalYearOfWeeks(d)
	week := min(int(d-f.yearEnd(y-1)-1)/7, 51) // the 53rd belongs where the 52nd does
	m := week / 13 * 3
	for m%3 < 2 && f.firstWeekOfMonth(m+1) <= week {
		m++
	}
	return y*u.perYear() + m/u.Months()
}

// weekBasedFirst is periodFirst for the fiscal units of years of weeks.
func (f FiscalCalendar) weekBasedFirst(u Unit, i int) Date {
	y := floorDiv(i, u.perYear())
	return f.yearEnd(y-1) + 1 + Date(7*f.firstWeekOfMonth((i-y*u.perYear())*u.Months()))
}

// fiscalWeekIndex is PeriodIndex for fiscal weeks. They begin on the weekday after the end of
// years of weeks. Years of months all have 53, which begin with the year; the last is cut at
// its end.
func (f FiscalCalendar) fiscalWeekIndex(d Date) int {
	if f.IsWeekBased() {
		return floorDiv(int(d)-int(f.YearEnd.Weekday)-1, 7)
	}
	y := f.PeriodIndex(FiscalYear, d)
	return y*53 + int(d-f.periodFirst(FiscalYear, y))/7
}

func (f FiscalCalendar) fiscalWeekFirst(i int) Date {
	if f.IsWeekBased() {
		return Date(i*7 + int(f.YearEnd.Weekday) + 1)
	}
	y := floorDiv(i, 53)
	return f.periodFirst(FiscalYear, y) + Date(7*(i-53*y))
}

// FiscalYearOf returns the number of the fiscal year that holds d: of a year of months the
// calendar year that it ends in (with NamedByStartYear, starts in), of a year of weeks that of
// the day in its rule (with NamedByStartYear, the year before).
func (f FiscalCalendar) FiscalYearOf(d Date) int {
	if f.IsWeekBased() {
		if f.NamedByStartYear {
			return f.fiscalYearOfWeeks(d) - 1
		}
		return f.fiscalYearOfWeeks(d)
	}
	s, _ := f.Period(FiscalYear, f.PeriodIndex(FiscalYear, d))
	y, _, _ := s.Last.YMD() // which may lie in the year after the last
	if f.NamedByStartYear {
		y, _, _ = s.First.YMD()
	}
	return y
}

// fiscalYearIndex is the index of the fiscal year of a number.
func (f FiscalCalendar) fiscalYearIndex(year int) int {
	switch {
	case f.IsWeekBased() && f.NamedByStartYear:
		return year + 1
	case !f.IsWeekBased() && !f.NamedByStartYear && (f.FiscalMonth > 1 || f.FiscalDay > 1):
		return year - 1
	}
	return year
}

// FiscalNumber returns the number of the period of a fiscal unit that holds d,
// from 1, within its fiscal year.
func (f FiscalCalendar) FiscalNumber(u Unit, d Date) int {
	if u == FiscalWeek {
		year, _ := f.Period(FiscalYear, f.PeriodIndex(FiscalYear, d))
		return int(d-year.First)/7 + 1
	}
	n := u.perYear()
	return (f.PeriodIndex(u, d)%n+n)%n + 1
}
