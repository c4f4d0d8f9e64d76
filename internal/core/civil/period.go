package civil

// Unit is a kind of period that divides time without gaps.
type Unit uint8

// The units. The fiscal ones follow the frame's fiscal start.
const (
	Day Unit = iota
	Week
	Month
	Quarter
	Half
	Year
	FiscalWeek
	FiscalMonth
	FiscalQuarter
	FiscalHalf
	FiscalYear
)

// UnitNames holds the language's word for each unit.
var UnitNames = [...]string{"day", "week", "month", "quarter", "half-year", "year",
	"fiscal week", "fiscal month", "fiscal quarter", "fiscal half", "fiscal year"}

// FiscalCalendar defines weeks, months, quarters, halves and years: the first weekday and the
// fiscal year, of months (FiscalMonth, FiscalDay) or of 52 or 53 weeks (YearEnd, WeekPattern).
type FiscalCalendar struct {
	WeekStart        Weekday
	FiscalMonth      int // 1 to 12
	FiscalDay        int // 1 to 31, clamped in shorter months
	NamedByStartYear bool
	YearEnd          FiscalYearEnd
	Pattern          WeekPattern
}

// DefaultFiscalCalendar starts weeks on Monday and the fiscal year on 1 January.
var DefaultFiscalCalendar = FiscalCalendar{WeekStart: Monday, FiscalMonth: 1, FiscalDay: 1}

// Span is a range of days; both ends belong to it.
type Span struct{ First, Last Date }

// AllDays spans every day there is.
var AllDays = Span{Min, Max}

// Len returns the number of days in s.
func (s Span) Len() int { return int(s.Last-s.First) + 1 }

// Contains reports whether d lies in s.
func (s Span) Contains(d Date) bool { return d >= s.First && d <= s.Last }

// Widen returns s with back days more in front and forth days more behind,
// kept within the bounds.
func (s Span) Widen(back, forth int) Span {
	return Span{Date(max(int(Min), int(s.First)-back)), Date(min(int(Max), int(s.Last)+forth))}
}

func floorDiv(a, b int) int {
	q := a / b
	if a%b < 0 {
		q--
	}
	return q
}

// Months returns how many months a unit of whole months has, else 0.
func (u Unit) Months() int {
	switch u {
	case Month, FiscalMonth:
		return 1
	case Quarter, FiscalQuarter:
		return 3
	case Half, FiscalHalf:
		return 6
	case Year, FiscalYear:
		return 12
	}
	return 0
}

// MaxDays returns how many days a period of the unit has at most, in whatever fiscal calendar.
func (u Unit) MaxDays() int {
	switch u {
	case Day:
		return 1
	case Week, FiscalWeek:
		return 7
	case FiscalMonth: // of weeks: five and the 53rd
		return 42
	case FiscalQuarter:
		return 98
	}
	return u.Months() * 32
}

// PeriodIndex numbers the periods of a unit through; the number of the period that
// holds d. Neighbouring periods have neighbouring numbers.
func (f FiscalCalendar) PeriodIndex(u Unit, d Date) int {
	switch u {
	case Day:
		return int(d)
	case Week:
		return floorDiv(int(d)-int(f.WeekStart), 7)
	case FiscalWeek:
		return f.fiscalWeekIndex(d)
	}
	if u > FiscalWeek && f.IsWeekBased() {
		return f.weekBasedIndex(u, d)
	}
	y, m, day := d.YMD()
	i := MonthIndex(y, m)
	if u > FiscalWeek {
		if day < min(f.FiscalDay, DaysIn(y, m)) {
			i--
		}
		i -= f.FiscalMonth - 1
	}
	return floorDiv(i, u.Months())
}

// periodFirst returns the first day of period i, which may lie beyond the bounds.
func (f FiscalCalendar) periodFirst(u Unit, i int) Date {
	switch u {
	case Day:
		return Date(i)
	case Week:
		return Date(i*7 + int(f.WeekStart))
	case FiscalWeek:
		return f.fiscalWeekFirst(i)
	}
	if u > FiscalWeek && f.IsWeekBased() {
		return f.weekBasedFirst(u, i)
	}
	i *= u.Months()
	day := 1
	if u > FiscalWeek {
		i += f.FiscalMonth - 1
		day = f.FiscalDay
	}
	y, m := floorDiv(i, 12), i-12*floorDiv(i, 12)+1
	if y < 0 { // far before the bounds; any day below Min will do
		return Min - 800
	}
	return dayNumber(y, m, min(day, DaysIn(y, m)))
}

// Period returns the days of period i of a unit. It may reach beyond the
// bounds by part of a period; ok is false when no day of it lies inside.
func (f FiscalCalendar) Period(u Unit, i int) (s Span, ok bool) {
	if i < -1 {
		return Span{}, false
	}
	if i > int(Max)+1 {
		return Span{Max + 1, Max + 1}, false
	}
	s = Span{f.periodFirst(u, i), f.periodFirst(u, i+1) - 1}
	return s, s.Last >= Min && s.First <= Max
}

// PeriodAt returns the period of a unit that lies offset periods from the one
// that holds d; ok is false when it isn't whole within the bounds.
func (f FiscalCalendar) PeriodAt(u Unit, d Date, offset int) (s Span, ok bool) {
	if u == Month {
		return monthAt(d, offset)
	}
	s, ok = f.Period(u, f.PeriodIndex(u, d)+offset)
	return s, ok && s.First >= Min && s.Last <= Max
}

// Midpoint returns the first day + ⌊(length − 1)/2⌋ days.
func (s Span) Midpoint() Date { return s.First + Date((s.Len()-1)/2) }

// PeriodWalker goes through the periods of a unit in order, which is cheaper than
// asking for each by its number.
type PeriodWalker struct {
	fiscal FiscalCalendar
	unit   Unit
	i      int
	period Span
	ok     bool
	y, m   int // month after the period, of plain units of months
}

// Walk returns a walker that is at period i of a unit.
func (f FiscalCalendar) Walk(u Unit, i int) PeriodWalker {
	w := PeriodWalker{fiscal: f, unit: u, i: i}
	w.jump()
	return w
}

func (w *PeriodWalker) jump() {
	w.period, w.ok = w.fiscal.Period(w.unit, w.i)
	if w.ok && w.unit >= Month && w.unit <= Year {
		next := (w.i + 1) * w.unit.Months()
		w.y, w.m = next/12, next%12+1
	}
}

// Period returns the period that the walker is at, as FiscalCalendar.Period does.
func (w *PeriodWalker) Period() (Span, bool) { return w.period, w.ok }

// Skip goes n periods on.
func (w *PeriodWalker) Skip(n int) {
	w.i += n
	if n != 1 || !w.ok || w.unit < Month || w.unit > Year {
		w.jump()
		return
	}
	w.period.First = w.period.Last + 1
	for range w.unit.Months() {
		w.period.Last += Date(DaysIn(w.y, w.m))
		if w.m++; w.m > 12 {
			w.y, w.m = w.y+1, 1
		}
	}
	w.ok = w.period.First <= Max
}
