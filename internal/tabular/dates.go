package tabular

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
)

// DateLayout is a way to read a date that isn't ISO 8601: dmy, mdy, ymd, serial or a strftime
// layout.
type DateLayout struct {
	Name string // dmy, mdy, ymd, serial, or a strftime layout
	read func(s string) (civil.Date, bool)
}

// layoutNames are the readings that have a name.
var layoutNames = []string{"dmy", "mdy", "ymd", "serial"}

// ParseDateLayouts reads alternatives such as "mdy|%d %B %Y|serial".
func ParseDateLayouts(text string) (list []DateLayout, err error) {
	for _, name := range strings.Split(text, "|") {
		name = strings.TrimSpace(name)
		switch {
		case name == "dmy", name == "mdy", name == "ymd":
			list = append(list, DateLayout{name, func(s string) (civil.Date, bool) { return readParts(s, name) }})
		case name == "serial":
			list = append(list, DateLayout{name, readSerial})
		case strings.Contains(name, "%"):
			if bad := badLayout(name); bad != "" {
				return nil, fmt.Errorf("the layout %q holds %s, which no date is read by; use one of %%d %%m %%Y %%y %%b %%B %%e %%j %%H %%M %%S", name, bad)
			}
			list = append(list, DateLayout{name, func(s string) (civil.Date, bool) { return readLayout(s, name) }})
		default:
			hint := "dmy, mdy, ymd, serial, or a layout such as %d %B %Y"
			if near := phrase.Nearest(name, layoutNames); near != "" {
				hint = "did you mean " + near + "?"
			}
			return nil, fmt.Errorf("unknown date form %q; %s", name, hint)
		}
	}
	return list, nil
}

// ReadDate reads a cell by ISO 8601 or else by one of several readings. Where
// two of them give different days, ambiguous names them.
func ReadDate(s string, readings []DateLayout) (d civil.Date, ambiguous []string, ok bool) {
	s = strings.TrimSpace(s)
	if d, _, ok := civil.Parse(dropTime(s)); ok {
		return d, nil, true
	}
	var names []string
	for _, r := range readings {
		got, fits := r.read(s)
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
		readings = append(readings, DateLayout{"serial", func(string) (civil.Date, bool) { return dateOfSerial(int(n), from1904) }})
	}
	return ReadDate(v.String(), readings)
}

// JoinDate makes a date of a year, a month and a day as cells have them.
func JoinDate(y, m, day string) (civil.Date, bool) {
	return readParts(y+"-"+m+"-"+day, "ymd")
}

// TimeOfDay is the time of day behind a date, in minutes after midnight.
func TimeOfDay(s string) (minutes int, ok bool) {
	s = strings.TrimSpace(s)
	rest := strings.TrimLeft(s[len(dropTime(s)):], "T ")
	if h, m, found := strings.Cut(rest, ":"); found && len(m) >= 2 && len(h) <= 2 {
		return civil.ParseClock("0"[:2-len(h)] + h + ":" + m[:2])
	}
	return 0, false
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

// parseYear takes four digits, or two as 1950 to 2049.
func parseYear(s string) (int, bool) {
	n, err := strconv.Atoi(s)
	switch {
	case err != nil || n < 0:
		return 0, false
	case len(s) == 4:
		return n, true
	case len(s) != 2:
		return 0, false
	case n < 50:
		return 2000 + n, true
	}
	return 1900 + n, true
}

func parseMonth(s string) (int, bool) {
	if m := phrase.ParseMonth(strings.TrimSuffix(s, ".")); m != 0 {
		return m, true
	}
	return parseUpTo(s, 12)
}

func parseUpTo(s string, most int) (int, bool) {
	n, err := strconv.Atoi(s)
	return n, err == nil && len(s) <= 2 && n >= 1 && n <= most
}

// readParts reads day, month and year in the order of dmy, mdy or ymd, set
// apart by / . - or space.
func readParts(s, order string) (civil.Date, bool) {
	f := strings.FieldsFunc(dropTime(s), func(r rune) bool { return strings.ContainsRune("/.-, ", r) })
	if len(f) != 3 {
		return civil.None, false
	}
	var y, m, d int
	ok := true
	for i, c := range order {
		var good bool
		switch c {
		case 'd':
			d, good = parseUpTo(strings.TrimRight(f[i], "sthndr"), 31)
		case 'm':
			m, good = parseMonth(f[i])
		default:
			y, good = parseYear(f[i])
			good = good && (order != "ymd" || len(f[i]) == 4)
		}
		ok = ok && good
	}
	if !ok {
		return civil.None, false
	}
	return civil.NewDate(y, m, d)
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
			if i++; i == len(layout) || !strings.Contains("dmYybBejHMS%", layout[i:i+1]) {
				return layout[i-1 : min(i+1, len(layout))]
			}
		}
	}
	return ""
}

// readLayout reads a date by a strftime layout.
func readLayout(s, layout string) (civil.Date, bool) {
	r := layoutReader{rest: s, month: 1, day: 1}
	for i := 0; i < len(layout); i++ {
		switch c := layout[i]; {
		case c == ' ':
			r.rest = strings.TrimLeft(r.rest, " ")
		case c != '%':
			if r.rest == "" || r.rest[0] != c {
				return civil.None, false
			}
			r.rest = r.rest[1:]
		default:
			if i++; !r.field(layout[i]) {
				return civil.None, false
			}
		}
	}
	switch {
	case r.rest != "":
		return civil.None, false
	case r.yearDay > 0:
		return dayOfYear(r.year, r.yearDay)
	}
	return civil.NewDate(r.year, r.month, r.day)
}

// layoutReader reads a date by a layout, field by field.
type layoutReader struct {
	rest                      string
	year, month, day, yearDay int
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
			r.year, ok = parseYear(fmt.Sprintf("%02d", r.year))
		}
	case 'j':
		r.yearDay, ok = r.number(3)
	case 'H', 'M', 'S':
		_, ok = r.number(2)
	case 'b', 'B':
		n := 0
		for n < len(r.rest) && (r.rest[n]|0x20 >= 'a' && r.rest[n]|0x20 <= 'z') {
			n++
		}
		r.month = phrase.ParseMonth(r.rest[:n])
		ok, r.rest = r.month != 0, r.rest[n:]
	case '%':
		r.rest, ok = strings.CutPrefix(r.rest, "%")
	}
	return ok
}

// dayOfYear is the nth day of a year; ok is false if it has fewer.
func dayOfYear(y, n int) (d civil.Date, ok bool) {
	if d, ok = civil.NewDate(y, 1, 1); ok {
		d, ok = d.Add(n - 1)
	}
	return d, ok && d.Year() == y
}

// FittingLayouts returns the named readings that read every one of some cells.
func FittingLayouts(cells []string) (names []string) {
	for _, name := range layoutNames {
		list, _ := ParseDateLayouts(name)
		all, any := true, false
		for _, s := range cells {
			if !strings.ContainsAny(s, "0123456789") {
				continue // a word, which no reading takes
			}
			_, _, ok := ReadDate(s, list)
			all, any = all && ok, true
		}
		if all && any {
			names = append(names, name)
		}
	}
	return names
}
