package civil

// Weekday is a day of the week, ISO 8601: Monday is 1, Sunday is 7.
type Weekday uint8

// The days of the week.
const (
	Monday Weekday = 1 + iota
	Tuesday
	Wednesday
	Thursday
	Friday
	Saturday
	Sunday
)

// WeekdayNames and MonthNames are the English names; index 0 is unused.
var (
	WeekdayNames = [8]string{"", "Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"}
	MonthNames   = [13]string{"", "January", "February", "March", "April", "May", "June", "July",
		"August", "September", "October", "November", "December"}
)

// Abbrev returns the three-letter name, "Mon" to "Sun".
func (w Weekday) Abbrev() string { return WeekdayNames[w][:3] }

// Weekday returns the day of the week of d.
func (d Date) Weekday() Weekday { return Weekday((d-1)%7 + 1) }

// OnOrAfter returns the first w on d or after it; it may lie past Max.
func (d Date) OnOrAfter(w Weekday) Date { return d + Date((7+int(w)-int(d.Weekday()))%7) }

// OnOrBefore returns the last w on d or before it; it may lie before Min.
func (d Date) OnOrBefore(w Weekday) Date { return d - Date((7+int(d.Weekday())-int(w))%7) }

// ISOWeek returns the ISO 8601 week-numbering year and week (1 to 53) of d.
func (d Date) ISOWeek() (year, week int) {
	thursday := d + 4 - Date(d.Weekday())
	if thursday > Max { // the year 10000 has no Date
		return MaxYear + 1, 1
	}
	if thursday < Min {
		return 0, 52
	}
	return thursday.Year(), (thursday.YearDay()-1)/7 + 1
}

// FromISOWeek returns a weekday of an ISO 8601 week; ok is false when the year
// has no such week or the day lies beyond the bounds.
func FromISOWeek(year, week int, w Weekday) (Date, bool) {
	if year < MinYear || year > MaxYear || week < 1 || week > 53 {
		return None, false
	}
	d := dayNumber(year, 1, 4).OnOrBefore(Monday) + Date(7*(week-1)+int(w)-1)
	if !d.Valid() {
		return None, false
	}
	if y, n := d.ISOWeek(); y != year || n != week {
		return None, false
	}
	return d, true
}
