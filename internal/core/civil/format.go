package civil

import (
	"strconv"
	"strings"
)

func pad(b []byte, n, width int) []byte {
	for w := width; w > 1; w-- {
		limit := 1
		for range w - 1 {
			limit *= 10
		}
		if n >= limit {
			break
		}
		b = append(b, '0')
	}
	return strconv.AppendInt(b, int64(n), 10)
}

// digitPairs are the numbers from 00 to 99 in two digits each.
var digitPairs = func() (t [200]byte) {
	for i := range 100 {
		t[2*i], t[2*i+1] = byte('0'+i/10), byte('0'+i%10)
	}
	return t
}()

// Append appends d as ISO 8601, "2027-03-31".
func (d Date) Append(b []byte) []byte {
	if i, day, ok := d.lookupMonth(); ok {
		b = append(b, monthPrefixes[i][:]...)
		return append(b, digitPairs[2*day], digitPairs[2*day+1])
	}
	i, day, years := d.lookupCycled()
	t, century := &monthPrefixes[i], (tableYear+i/12+years)/100
	return append(b, digitPairs[2*century], digitPairs[2*century+1], t[2], t[3], t[4], t[5], t[6], t[7], digitPairs[2*day], digitPairs[2*day+1])
}

// String returns d as ISO 8601, or nothing for None.
func (d Date) String() string {
	if d == None {
		return ""
	}
	return string(d.Append(make([]byte, 0, 10)))
}

// digits reads exactly len(s) decimal digits.
func digits(s string) (n int, ok bool) {
	for i := range len(s) {
		c := s[i] - '0'
		if c > 9 {
			return 0, false
		}
		n = n*10 + int(c)
	}
	return n, s != ""
}

// twoDigits reads a number of two decimal digits.
func twoDigits(a, b byte) (n int, ok bool) {
	a, b = a-'0', b-'0'
	return int(a)*10 + int(b), a <= 9 && b <= 9
}

// ParseDay reads a date as 2027-03-31; ok is false for anything else.
func ParseDay(s string) (d Date, ok bool) {
	if len(s) != 10 || s[4] != '-' || s[7] != '-' {
		return None, false
	}
	d, _, ok = parseDashed(s)
	return d, ok
}

// parseDashed reads ten bytes with dashes where those of a date are; shape is false if the others
// aren't digits.
func parseDashed(s string) (d Date, shape, ok bool) {
	century, cok := twoDigits(s[0], s[1])
	year, yok := twoDigits(s[2], s[3])
	m, mok := twoDigits(s[5], s[6])
	day, dok := twoDigits(s[8], s[9])
	if !(cok && yok && mok && dok) {
		return None, false, false
	}
	d, ok = NewDate(century*100+year, m, day)
	return d, true, ok
}

// Parse reads an ISO 8601 date in its extended forms: calendar 2027-03-31,
// week 2027-W13-3 and ordinal 2027-090. shape is false when the text has none
// of these forms; ok is false too when the form is right but no such day is.
func Parse(s string) (d Date, shape, ok bool) {
	if len(s) < 8 || s[4] != '-' {
		return None, false, false
	}
	century, cok := twoDigits(s[0], s[1])
	year, yok := twoDigits(s[2], s[3])
	year, yok = century*100+year, cok && yok
	switch {
	case !yok:
	case len(s) == 10 && s[7] == '-':
		return parseDashed(s)
	case len(s) == 10 && s[5]|0x20 == 'w' && s[8] == '-':
		w, wok := digits(s[6:8])
		n, nok := digits(s[9:])
		if wok && nok {
			if n < 1 || n > 7 {
				return None, true, false
			}
			d, ok = FromISOWeek(year, w, Weekday(n))
			return d, true, ok
		}
	case len(s) == 8:
		if n, nok := digits(s[5:]); nok {
			if year < MinYear || n < 1 || n > 365 && (n > 366 || !IsLeap(year)) {
				return None, true, false
			}
			return dayNumber(year, 1, 1) + Date(n-1), true, true
		}
	}
	return None, false, false
}

// fiscalPrefix precedes the number of a fiscal period in its name; 0 for
// those that have none.
func (u Unit) fiscalPrefix() byte {
	switch u {
	case FiscalWeek:
		return 'W'
	case FiscalMonth:
		return 'M'
	case FiscalQuarter:
		return 'Q'
	case FiscalHalf:
		return 'H'
	}
	return 0
}

// Name returns the name of the period of u that holds d: 2027, 2027-H1,
// 2027-Q1, 2027-03, FY2027, FY2027-Q1, FY2027-M03; a week goes by the ISO week
// of its fourth day.
func (f FiscalCalendar) Name(u Unit, d Date) string {
	return string(f.AppendName(nil, u, d))
}

// AppendName appends what Name returns.
func (f FiscalCalendar) AppendName(b []byte, u Unit, d Date) []byte {
	if u == Month {
		b = d.Append(b)
		return b[:len(b)-len("-31")]
	}
	y, m, _ := d.YMD()
	switch u {
	case Week:
		s, _ := f.Period(Week, f.PeriodIndex(Week, d))
		y, w := (s.First + 3).ISOWeek()
		return pad(append(pad(b, y, 4), "-W"...), w, 2)
	case Quarter:
		return append(pad(b, y, 4), '-', 'Q', byte('1'+(m-1)/3))
	case Half:
		return append(pad(b, y, 4), '-', 'H', byte('1'+(m-1)/6))
	case Year:
		return pad(b, y, 4)
	case FiscalWeek, FiscalMonth, FiscalQuarter, FiscalHalf, FiscalYear:
		b = pad(append(b, "FY"...), f.FiscalYearOf(d), 4)
		if letter := u.fiscalPrefix(); letter != 0 {
			width := 1
			if u < FiscalQuarter {
				width = 2
			}
			b = pad(append(b, '-', letter), f.FiscalNumber(u, d), width)
		}
		return b
	}
	return d.Append(b)
}

// ParseSigned reads a date by the signs behind its numbers, such as 2027年3月15日, with a weekday in
// parentheses behind it if need be, which must be right.
func ParseSigned(s string) (Date, bool) {
	var parts [3]int
	for i, sign := range []string{"年", "月", "日"} {
		number, rest, ok := strings.Cut(s, sign)
		if !ok || len(number) > 4 {
			return None, false
		}
		if parts[i], ok = digits(number); !ok {
			return None, false
		}
		s = rest
	}
	d, ok := NewDate(parts[0], parts[1], parts[2])
	if !ok || s == "" {
		return d, ok
	}
	day := "(" + string([]rune("月火水木金土日")[d.Weekday()-1]) + ")"
	return d, s == day
}
