package tabular

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/language"
	"yoyaku/internal/core/phrase"
)

// DateContext is what the reading of dates depends on besides their form.
type DateContext struct {
	Language *language.Language   // whose words go before all others'; nil for none
	Fiscal   civil.FiscalCalendar // by which labels such as P03 FY27 are read
}

// ContextOf is that of a place.
func ContextOf(env eval.Env) DateContext { return DateContext{env.Language, env.Fiscal} }

// DateLayout is a way to read a date that isn't ISO 8601.
type DateLayout struct {
	// Name is dmy, mdy, ymd, one of these with a year behind it, serial, first day or last day (of
	// what a label names), or a strftime layout.
	Name string
	// read reads a date; weekdays are those that stand beside it, as bits from Monday.
	read func(s string) (d civil.Date, weekdays uint8, ok bool)
}

// fits reads a date whose weekday, if one stands beside it, is right.
func (l DateLayout) fits(s string) (civil.Date, bool) {
	d, weekdays, ok := l.read(s)
	return d, ok && language.Falls(d, weekdays)
}

// FirstDay and LastDay are the forms of labels, which name stretches of time.
const FirstDay, LastDay = "first day", "last day"

// layoutNames are the readings that have a name.
var layoutNames = []string{"dmy", "mdy", "ymd", "serial", FirstDay, LastDay}

// ParseDateLayouts reads alternatives such as "mdy|%d %B %Y|serial".
func ParseDateLayouts(text string, c DateContext) (list []DateLayout, err error) {
	for _, name := range strings.Split(text, "|") {
		l, err := parseDateLayout(strings.TrimSpace(name), c)
		if err != nil {
			return nil, err
		}
		list = append(list, l)
	}
	return list, nil
}

// orderWithYear is an order with the year of dates that have none.
var orderWithYear = regexp.MustCompile(`^(dmy|mdy|ymd)(?: +(\d{4}))?$`)

func parseDateLayout(name string, c DateContext) (DateLayout, error) {
	plain := func(read func(s string) (civil.Date, bool)) DateLayout {
		return DateLayout{name, func(s string) (civil.Date, uint8, bool) { d, ok := read(s); return d, 0, ok }}
	}
	if m := orderWithYear.FindStringSubmatch(name); m != nil {
		year, _ := strconv.Atoi(m[2])
		return DateLayout{name, dateOrder{letters: m[1], year: year, context: c}.read}, nil
	}
	switch {
	case name == "serial":
		return plain(readSerial), nil
	case name == FirstDay:
		return plain(func(s string) (civil.Date, bool) { span, ok := readLabel(s, c); return span.First, ok }), nil
	case name == LastDay:
		return plain(func(s string) (civil.Date, bool) { span, ok := readLabel(s, c); return span.Last, ok }), nil
	case strings.Contains(name, "%"):
		if bad := badLayout(name); bad != "" {
			return DateLayout{}, fmt.Errorf("the layout %q holds %s, which no date is read by; use one of %%d %%m %%Y %%y %%b %%B %%a %%A %%e %%j %%H %%M %%S", name, bad)
		}
		if !strings.Contains(strings.ReplaceAll(name, "%%", ""), "%Y") && !strings.Contains(strings.ReplaceAll(name, "%%", ""), "%y") {
			return DateLayout{}, fmt.Errorf("the layout %q has no year; add %%Y, or give dates without a year one: dmy 2027", name)
		}
		return DateLayout{name, func(s string) (civil.Date, uint8, bool) { return readLayout(s, name, c.Language) }}, nil
	}
	hint := "dmy, mdy, ymd, serial, first day, last day, or a layout such as %d %B %Y"
	if near := phrase.Nearest(name, layoutNames); near != "" {
		hint = "did you mean " + near + "?"
	}
	return DateLayout{}, fmt.Errorf("unknown date form %q; %s", name, hint)
}

// ReadDate reads a cell by ISO 8601 or else by one of several readings. Where
// two of them give different days, ambiguous names them.
func ReadDate(s string, readings []DateLayout) (d civil.Date, ambiguous []string, ok bool) {
	s = strings.TrimSpace(s)
	if d, _, ok := civil.Parse(dropTime(s)); ok {
		return d, nil, true
	}
	d, ambiguous, ok = readByForms(s, readings)
	if !ok && ambiguous == nil {
		if date, half := language.CutHalf(s); half != language.WholeDay && date != s {
			return ReadDate(date, readings)
		}
	}
	return d, ambiguous, ok
}

// readByForms reads a cell by one of several readings.
func readByForms(s string, readings []DateLayout) (d civil.Date, ambiguous []string, ok bool) {
	var names []string
	for _, r := range readings {
		got, fits := r.fits(s)
		switch {
		case !fits:
		case !ok:
			d, ok, names = got, true, []string{r.Name}
		case got != d:
			names = append(names, r.Name)
		}
	}
	if len(names) > 1 {
		return civil.None, names, false
	}
	return d, nil, ok
}

// ReadCell is ReadDate for a cell. One of a workbook is what its type says: serial is for
// numbers alone, counted as the book counts.
func ReadCell(v eval.Value, readings []DateLayout) (d civil.Date, ambiguous []string, ok bool) {
	serials := func(r DateLayout) bool { return r.Name == "serial" }
	if v.Format == eval.NoFormat || !slices.ContainsFunc(readings, serials) {
		return ReadDate(v.String(), readings)
	}
	readings = slices.DeleteFunc(slices.Clone(readings), serials)
	if n, _ := v.Typed(); v.IsNumber() && n >= 1 && n <= lastSerial {
		from1904 := formatOf(v.Format).from1904
		readings = append(readings, DateLayout{"serial", func(string) (civil.Date, uint8, bool) {
			d, ok := dateOfSerial(int(n), from1904)
			return d, 0, ok
		}})
	}
	return ReadDate(v.String(), readings)
}

// JoinDate makes a date of a year, a month and a day as cells have them.
func JoinDate(y, m, day string, c DateContext) (civil.Date, bool) {
	d, _, ok := dateOrder{letters: "ymd", context: c}.read(y + "-" + m + "-" + day)
	return d, ok
}

// dropTime cuts a time of day off a date.
func dropTime(s string) string {
	for from := 0; ; {
		i := strings.IndexAny(s[from:], "T ")
		if i < 0 {
			return s
		}
		day := s[:from+i]
		for from += i + 1; from < len(s) && s[from] == ' '; {
			from++
		}
		rest := s[from:]
		if len(rest) >= 4 && rest[0] >= '0' && rest[0] <= '9' && (rest[1] == ':' || rest[2] == ':') {
			return strings.TrimRight(day, " ")
		}
	}
}

// readSerial reads a spreadsheet's day number, counted from 1900. One with an exponent
// has lost its last digits.
func readSerial(s string) (civil.Date, bool) {
	f, err := strconv.ParseFloat(s, 64)
	if err != nil || strings.Trim(s, "0123456789.") != "" || f < 1 || f > lastSerial {
		return civil.None, false
	}
	return dateOfSerial(int(f), false)
}

// badLayout returns the first conversion that dates aren't read by.
func badLayout(layout string) string {
	for i := 0; i < len(layout); i++ {
		if layout[i] == '%' {
			if i++; i == len(layout) || !strings.Contains("dmYybBaAejHMS%", layout[i:i+1]) {
				return layout[i-1 : min(i+1, len(layout))]
			}
		}
	}
	return ""
}

// readLayout reads a date by a strftime layout.
func readLayout(s, layout string, first *language.Language) (d civil.Date, weekdays uint8, ok bool) {
	r := layoutReader{rest: s, month: 1, day: 1, first: first}
	for i := 0; i < len(layout); i++ {
		switch c := layout[i]; {
		case c == ' ':
			r.rest = strings.TrimLeft(r.rest, " ")
		case c != '%':
			if r.rest == "" || r.rest[0] != c {
				return civil.None, 0, false
			}
			r.rest = r.rest[1:]
		default:
			if i++; !r.field(layout[i]) {
				return civil.None, 0, false
			}
		}
	}
	switch {
	case r.rest != "":
		return civil.None, 0, false
	case r.yearDay > 0:
		d, ok = dayOfYear(r.year, r.yearDay)
	default:
		d, ok = civil.NewDate(r.year, r.month, r.day)
	}
	return d, r.weekdays, ok
}

// layoutReader reads a date by a layout, field by field.
type layoutReader struct {
	rest                      string
	year, month, day, yearDay int
	weekdays                  uint8
	first                     *language.Language
}

// number reads up to so many digits.
func (r *layoutReader) number(digits int) (int, bool) {
	n := 0
	for n < digits && n < len(r.rest) && r.rest[n] >= '0' && r.rest[n] <= '9' {
		n++
	}
	v, err := strconv.Atoi(r.rest[:n])
	r.rest = r.rest[n:]
	return v, err == nil
}

// field reads what a conversion of strftime stands for.
func (r *layoutReader) field(conversion byte) (ok bool) {
	ok = true
	switch conversion {
	case 'd', 'e':
		r.rest = strings.TrimLeft(r.rest, " ")
		r.day, ok = r.number(2)
	case 'm':
		r.month, ok = r.number(2)
	case 'Y':
		before := len(r.rest)
		r.year, ok = r.number(4)
		ok = ok && before-len(r.rest) == 4 // 27 is no year; %y reads it
	case 'y':
		if r.year, ok = r.number(2); ok {
			r.year = century(r.year)
		}
	case 'j':
		r.yearDay, ok = r.number(3)
	case 'H', 'M', 'S':
		_, ok = r.number(2)
	case 'b', 'B':
		w := r.word()
		r.month, ok = w.Month, w.Month != 0
	case 'a', 'A':
		r.weekdays = r.word().Weekdays
		ok = r.weekdays != 0
	case '%':
		r.rest, ok = strings.CutPrefix(r.rest, "%")
	}
	return ok
}

// word takes a name, and a dot behind it.
func (r *layoutReader) word() language.Word {
	n := letterCount(r.rest)
	w := language.Lookup(r.rest[:n], r.first)
	r.rest = strings.TrimPrefix(r.rest[n:], ".")
	return w
}

// dayOfYear is the nth day of a year; ok is false if it has fewer.
func dayOfYear(y, n int) (d civil.Date, ok bool) {
	if d, ok = civil.NewDate(y, 1, 1); ok {
		d, ok = d.Add(n - 1)
	}
	return d, ok && d.Year() == y
}
