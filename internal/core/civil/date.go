// Package civil holds calendar days as plain day numbers: no time of day, no
// zone, no machine settings. Everything else in the core counts with it.
package civil

// Date is a day of the proleptic Gregorian calendar as a day number: 1 is
// 0001-01-01 and Max is 9999-12-31. The zero Date is no date at all.
type Date int32

// Bounds of what a Date can be.
const (
	None Date = 0
	Min  Date = 1       // 0001-01-01
	Max  Date = 3652059 // 9999-12-31
)

// MinYear and MaxYear bound every year that the package accepts.
const (
	MinYear = 1
	MaxYear = 9999
)

// Valid reports whether d is a day between Min and Max.
func (d Date) Valid() bool { return d >= Min && d <= Max }

// NewDate returns the day year-month-day; ok is false when there is no such day.
func NewDate(year, month, day int) (d Date, ok bool) {
	if year < MinYear || year > MaxYear || month < 1 || month > 12 || day < 1 || day > 31 {
		return None, false
	}
	if i := MonthIndex(year, month) - tableIndex; uint(i) < tableMonths {
		if monthStarts[i]+int32(day) > monthStarts[i+1] {
			return None, false
		}
		return tableDay + Date(monthStarts[i]+int32(day)) - 1, true
	}
	if day > DaysIn(year, month) {
		return None, false
	}
	return dayNumber(year, month, day), true
}

// dayNumber returns the day number of a valid date (1 is 0001-01-01). Years are taken to begin
// on 1 March, so that 29 February is their last day and needs no case.
func dayNumber(year, month, day int) Date {
	if month <= 2 {
		year--
		month += 12
	}
	return Date(365*year + year/4 - year/100 + year/400 + (153*(month-3)+2)/5 + day - 306)
}

// YMD returns the year, the month (1 to 12) and the day of the month of d.
func (d Date) YMD() (year, month, day int) {
	if i, day, ok := d.lookupMonth(); ok {
		return tableYear + i/12, i%12 + 1, day
	}
	i, day, years := d.lookupCycled()
	return tableYear + i/12 + years, i%12 + 1, day
}

// Year returns the calendar year of d.
func (d Date) Year() int { y, _, _ := d.YMD(); return y }

// YearDay returns the day of the year, 1 to 366.
func (d Date) YearDay() int { return int(d-dayNumber(d.Year(), 1, 1)) + 1 }

// IsLeap reports whether year has a 29 February.
func IsLeap(year int) bool { return year%4 == 0 && (year%100 != 0 || year%400 == 0) }

// DaysIn returns the number of days of a month (1 to 12) of a year.
func DaysIn(year, month int) int {
	if month == 2 {
		if IsLeap(year) {
			return 29
		}
		return 28
	}
	return 30 + (month+month>>3)&1
}

// Add returns d shifted by n days; ok is false beyond the bounds.
func (d Date) Add(n int) (Date, bool) {
	if n > int(Max) || n < -int(Max) {
		return None, false
	}
	r := d + Date(n)
	return r, r.Valid()
}

// Easter returns Easter Sunday of a year by the Gregorian computus (the
// anonymous algorithm of 1876, as Meeus gives it).
func Easter(year int) Date {
	a, b, c := year%19, year/100, year%100
	h := (19*a + b - b/4 - (b-(b+8)/25+1)/3 + 15) % 30
	l := (32 + 2*(b%4) + 2*(c/4) - h - c%4) % 7
	n := h + l - 7*((a+11*h+22*l)/451) + 114
	return dayNumber(year, n/31, n%31+1)
}

// OrthodoxEaster returns Easter Sunday of a year by the Julian computus (as Meeus
// gives it), as a day of the Gregorian calendar.
func OrthodoxEaster(year int) Date {
	d := (19*(year%19) + 15) % 30
	e := (2*(year%4) + 4*(year%7) - d + 34) % 7
	n := d + e + 114
	// The day number of that day of the Julian calendar: a leap year every fourth
	// year, and the two calendars agree in the third century.
	y, m := year, n/31
	return Date(365*y+y/4+(153*(m-3)+2)/5+n%31+1-306) - 2
}
