// Package eval compiles phrases against names and calendars into functions:
// rules into recurrences, steps into chains that can tell what they did.
package eval

import (
	"cmp"
	"strconv"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/language"
)

// Kind is what a Value holds.
type Kind uint8

// The kinds of values.
const (
	Blank    Kind = iota
	Date          // a day
	DateTime      // a day with a time
	Number        // a whole number
	Text
	Boolean // Num is 1 for true
)

// Value is a cell: what a phrase gives and what a row holds.
type Value struct {
	Kind    Kind
	Day     civil.Date
	Minutes int16 // after midnight, of a DateTime, and of a Date with a half
	// Provisional marks a Date or Moment for which a calendar was asked beyond what it
	// knows, and what is reckoned from it.
	Provisional bool
	// Places is how many decimal places a Number is printed with at least; Rounded says that it
	// was rounded to them, and so is printed with exactly those wherever it goes.
	Places  int8
	Rounded bool
	// Half is which part of its day a Date speaks of; everything but what counts halves goes by the day.
	Half language.HalfDay
	// Format is what a cell of a typed table was, if it is written as it came in.
	Format CellFormat
	Num    int64  // of a Moment its instant, if that is known; of a Typed number its bits
	Den    int64  // of a Number that isn't whole, else 0; of a Moment see IsRepeated
	Text   string // of a DateTime its zone, "" is the place's own; of a Date with a half as it was written
}

// Day makes a Date value; None gives a blank.
func Day(d civil.Date) Value {
	if d == civil.None {
		return Value{}
	}
	return Value{Kind: Date, Day: d}
}

// Cells that are written millions of times are put field by field, which takes half as long as
// a whole Value.

// SetDay makes the cell a Date; d isn't None.
func (v *Value) SetDay(d civil.Date) { v.set(Date, d, 0, "") }

// SetInt makes the cell a whole Number.
func (v *Value) SetInt(n int) { v.set(Number, civil.None, int64(n), "") }

// SetText makes the cell a Text, or a blank.
func (v *Value) SetText(s string) {
	if v.set(Text, civil.None, 0, s); s == "" {
		v.Kind = Blank
	}
}

func (v *Value) set(k Kind, d civil.Date, n int64, text string) {
	v.Kind, v.Day, v.Minutes, v.Provisional = k, d, 0, false
	v.Places, v.Rounded, v.Half, v.Format = 0, false, language.WholeDay, NoFormat
	v.Num, v.Den, v.Text = n, 0, text
}

// SameTime reports whether two dates or moments show the same day and time; where one is in an
// hour that its clock shows for the second time, whether they are the same instant, if both are known.
func (v Value) SameTime(w Value) bool {
	if v.Kind == DateTime && w.Kind == DateTime && (v.IsRepeated() || w.IsRepeated()) && v.Num != 0 && w.Num != 0 {
		return v.Num == w.Num
	}
	return v.Kind == w.Kind && v.Day == w.Day && v.Minutes == w.Minutes
}

// repeatedBase is added to the offset of a repeated time in Den, which 0 stands for no such time in.
const repeatedBase = 1 << 16

// IsRepeated reports whether a moment lies in an hour that its clock shows for the second time, so
// that day and time don't tell which; it is then written with its offset.
func (v Value) IsRepeated() bool { return v.Kind == DateTime && v.Den != 0 }

// Repeated is a moment in such an hour, at an instant: seconds of UTC since day 0.
func (v Value) Repeated(instant int64) Value {
	v.Num, v.Den = instant, repeatedBase+(v.localSeconds()-instant)/60
	return v
}

// localSeconds are the seconds of a moment's clock since day 0.
func (v Value) localSeconds() int64 { return int64(v.Day)*86400 + int64(v.Minutes)*60 }

// ParseOffset is the moment with a UTC offset such as +01:00 behind it; ok is false for another text.
func (v Value) ParseOffset(text string) (_ Value, ok bool) {
	if len(text) != 6 || text[0] != '+' && text[0] != '-' {
		return v, false
	}
	minutes, ok := civil.ParseClock(text[1:])
	if text[0] == '-' {
		minutes = -minutes
	}
	return v.Repeated(v.localSeconds() - int64(minutes)*60), ok
}

// appendOffset appends the UTC offset of a repeated moment as ISO 8601 has it.
func (v Value) appendOffset(b []byte) []byte {
	minutes := int(v.Den - repeatedBase)
	if minutes < 0 {
		return civil.AppendClock(append(b, '-'), -minutes)
	}
	return civil.AppendClock(append(b, '+'), minutes)
}

// CompareTimes orders dates and moments by day and time; two moments of known zones by their
// instants.
func CompareTimes(a, b Value) int {
	if a.Kind == DateTime && b.Kind == DateTime && a.Num != 0 && b.Num != 0 {
		return cmp.Compare(a.Num, b.Num)
	}
	return cmp.Or(cmp.Compare(a.Day, b.Day), cmp.Compare(a.Minutes, b.Minutes))
}

// Int makes a Number value.
func Int(n int) Value { return Value{Kind: Number, Num: int64(n)} }

// Str makes a Text value; an empty text gives a blank.
func Str(s string) Value {
	if s == "" {
		return Value{}
	}
	return Value{Kind: Text, Text: s}
}

// LiteralNumber makes a Number of digits that is written as it came in, 1.50 as 1.50.
func LiteralNumber(s string) Value {
	n, ok := parseNumber(s)
	if !ok {
		return Str(s)
	}
	if _, places, point := strings.Cut(s, "."); point && len(places) <= 100 {
		n.Places = int8(len(places))
	}
	return n
}

// Bool makes a Boolean value.
func Bool(b bool) Value {
	if b {
		return Value{Kind: Boolean, Num: 1}
	}
	return Value{Kind: Boolean}
}

// Truncate shortens a long text for a message.
func Truncate(s string) string {
	const most = 60
	n := 0
	for i := range s {
		if n++; n > most {
			return s[:i] + "…"
		}
	}
	return s
}

// String writes a value as tables hold it: ISO 8601, plain digits, a blank as
// nothing.
func (v Value) String() string {
	switch v.Kind {
	case Date:
		return v.Day.String()
	case DateTime:
		b := civil.AppendClock(append(v.Day.Append(nil), 'T'), int(v.Minutes))
		if v.IsRepeated() {
			b = v.appendOffset(b)
		}
		return string(b)
	case Number:
		return v.decimal()
	case Text:
		return v.Text
	case Boolean:
		return strconv.FormatBool(v.Num == 1)
	}
	return ""
}
