package eval

import (
	"math"
	"slices"
	"strings"
	"sync"
)

// Form says what a cell of a typed table is, so that it goes out as it came in: a text,
// or a number and how it is shown. NoForm is of cells whose table has no types.
type Form uint16

// The forms that have no format.
const (
	NoForm   Form = iota
	TextForm      // a text, whatever it looks like
)

// Shown is how a workbook shows a number (ECMA-376, 18.8.30): the number of a format that
// all have, or else its code; both zero for the general one.
type Shown struct {
	ID   int
	Code string
	// From1904 marks numbers of a book whose days count from 1904-01-01.
	From1904 bool
}

// forms are those met so far: a form is its place here, behind those without a format.
var forms struct {
	sync.RWMutex
	list []Shown
	at   map[Shown]Form
}

// FormOf is the form of numbers that are shown so. Beyond 60,000 of them it is the general one.
func FormOf(s Shown) Form {
	forms.Lock()
	defer forms.Unlock()
	if forms.at == nil {
		forms.at = map[Shown]Form{}
	}
	f, known := forms.at[s]
	if known {
		return f
	}
	if len(forms.list) >= 60_000 {
		for _, f := range forms.at {
			if general := forms.list[f-TextForm-1]; general.From1904 == s.From1904 && general.ID == 0 && general.Code == "" {
				return f
			}
		}
		return NoForm
	}
	forms.list = append(forms.list, s)
	f = TextForm + Form(len(forms.list))
	forms.at[s] = f
	return f
}

// Shown is how numbers of the form are shown; ok is false for forms that aren't of numbers.
func (f Form) Shown() (s Shown, ok bool) {
	if f <= TextForm {
		return s, false
	}
	forms.RLock()
	defer forms.RUnlock()
	return forms.list[f-TextForm-1], true
}

// Typed makes the value of a number in a typed table that reads as a text, such as 1200.5,
// 09:15 or 2026-03-01T14:30.
func Typed(text string, number float64, f Form) Value {
	return Value{Kind: Text, Text: text, Num: int64(math.Float64bits(number)), Form: f}
}

// Typed is the number that a cell of a typed table holds.
func (v Value) Typed() (number float64, ok bool) {
	if v.Kind != Text || v.Form <= TextForm {
		return 0, false
	}
	return math.Float64frombits(uint64(v.Num)), true
}

// IsNumber reports whether a value is a number and reads as one.
func (v Value) IsNumber() bool {
	_, typed := v.Typed()
	return v.Kind == Number || typed && !strings.ContainsAny(v.Text, ":T")
}

// Shows reports whether numbers are shown as days, and whether as times of day.
func (s Shown) Shows() (days, times bool) {
	switch {
	case s.ID >= 14 && s.ID <= 17, s.ID >= 27 && s.ID <= 31, s.ID == 36, s.ID >= 50 && s.ID <= 54, s.ID == 57, s.ID == 58:
		return true, false
	case s.ID == 22:
		return true, true
	case s.ID >= 18 && s.ID <= 21, s.ID >= 32 && s.ID <= 35, s.ID >= 45 && s.ID <= 47, s.ID == 55, s.ID == 56:
		return false, true
	}
	return shows(s.Code)
}

// Elapsed reports whether hours are shown beyond a day.
func (s Shown) Elapsed() bool {
	return s.ID == 46 || slices.ContainsFunc([]string{"[h", "[m", "[s"}, func(mark string) bool { return strings.Contains(strings.ToLower(s.Code), mark) })
}

// shows looks for the marks of days and times in the code of a format.
func shows(code string) (days, times bool) {
	quoted := false
	for i := 0; i < len(code); i++ {
		switch c := code[i] | 0x20; {
		case code[i] == '"':
			quoted = !quoted
		case quoted:
		case code[i] == '\\', code[i] == '_', code[i] == '*': // the next stands for itself
			i++
		case code[i] == '[': // a colour, a condition, or a time beyond a day
			if end := strings.IndexByte(code[i:], ']'); end > 0 {
				mark := strings.ToLower(code[i+1 : i+end])
				times = times || mark != "" && strings.Trim(mark, mark[:1]) == "" && strings.Contains("hms", mark[:1])
				i += end
			}
		case c == 'y', c == 'd':
			days = true
		case c == 'h', c == 's':
			times = true
		}
	}
	return days, times
}
