package civil

// Months are looked up here instead of worked out: those of the four centuries from
// tableYear on, after which the calendar begins again. Dates of other centuries are looked
// up where their cycle has them, and a test holds all to arithmetic.
const (
	tableYear    = 1900
	tableIndex   = tableYear * 12 // as MonthIndex numbers it
	tableMonths  = 4800
	tableDays    = 146097
	cyclesBefore = 5 // cycles that begin before the table and have days
)

// monthStarts are the first days of the tabled months, counted from 1900-01-01, and the day
// behind them all.
var monthStarts [tableMonths + 1]int32

// monthPrefixes is how a date of each begins: "2027-03-".
var monthPrefixes [tableMonths][8]byte

// tableDay is 1900-01-01.
var tableDay = dayNumber(tableYear, 1, 1)

func init() {
	for i := range tableMonths {
		year, month := tableYear+i/12, i%12+1
		monthStarts[i+1] = monthStarts[i] + int32(DaysIn(year, month))
		t := &monthPrefixes[i]
		copy(t[:2], digitPairs[year/100*2:])
		copy(t[2:4], digitPairs[year%100*2:])
		copy(t[5:7], digitPairs[month*2:])
		t[4], t[7] = '-', '-'
	}
}

// lookupMonth returns the index of d's month in the table and the day of the month; ok is false
// outside 1900 to 2299.
func (d Date) lookupMonth() (i, day int, ok bool) {
	n := uint32(d - tableDay)
	if n >= tableDays {
		return 0, 0, false
	}
	// Months have 30.436875 days on average, and the place by that is off by one at most.
	i = int(uint64(n) * 141110654 >> 32)
	if n < uint32(monthStarts[i]) {
		i--
	} else if n >= uint32(monthStarts[i+1]) {
		i++
	}
	return i, int(int32(n)-monthStarts[i]) + 1, true
}

// lookupCycled is lookupMonth for days outside 1900 to 2299: the table entry of the same day in
// the 400-year cycle, and the difference in years, a multiple of 400.
func (d Date) lookupCycled() (i, day, years int) {
	cycle := int(d-tableDay+cyclesBefore*tableDays)/tableDays - cyclesBefore
	i, day, _ = (d - Date(cycle*tableDays)).lookupMonth()
	return i, day, 400 * cycle
}

// MonthIndex numbers months through: year × 12 + month − 1.
func MonthIndex(year, month int) int { return year*12 + month - 1 }

// MonthDay returns a day (1 to 31, clamped to the month's last) of the month
// with the given index; ok is false beyond the bounds.
func MonthDay(index, day int) (Date, bool) {
	if i := index - tableIndex; uint(i) < tableMonths {
		return tableDay + Date(min(monthStarts[i]+int32(day), monthStarts[i+1])) - 1, true
	}
	if index < MinYear*12 || index > MaxYear*12+11 {
		return None, false
	}
	cycle := (index-tableIndex+cyclesBefore*tableMonths)/tableMonths - cyclesBefore
	i := index - tableIndex - cycle*tableMonths
	return tableDay + Date(cycle*tableDays) + Date(min(monthStarts[i]+int32(day), monthStarts[i+1])) - 1, true
}

// ShiftMonths returns d shifted by n months. The day of the month is kept, or
// clamped to the last day of a shorter month. With keepEnd, a day that is its
// month's last gives the target month's last. ok is false beyond the bounds.
func (d Date) ShiftMonths(n int, keepEnd bool) (r Date, ok bool) {
	index, day := d.monthAndDay()
	if keepEnd && d.IsMonthEnd() {
		day = 31
	}
	return MonthDay(index+n, day)
}

// monthAndDay returns the index of d's month, and the day of the month.
func (d Date) monthAndDay() (index, day int) {
	if i, day, ok := d.lookupMonth(); ok {
		return tableIndex + i, day
	}
	i, day, years := d.lookupCycled()
	return tableIndex + i + 12*years, day
}

// monthAt is PeriodAt for months, which no fiscal calendar changes.
func monthAt(d Date, offset int) (s Span, ok bool) {
	index, _ := d.monthAndDay()
	if s.First, ok = MonthDay(index+offset, 1); ok {
		s.Last, _ = MonthDay(index+offset, 31)
	}
	return s, ok
}

// MonthDayAt is MonthDay for the month that is offset months behind that of d.
func (d Date) MonthDayAt(offset, day int) (Date, bool) {
	index, _ := d.monthAndDay()
	return MonthDay(index+offset, day)
}

// IsMonthEnd reports whether d is the last day of its month.
func (d Date) IsMonthEnd() bool {
	last, _ := d.MonthDayAt(0, 31)
	return d == last
}
