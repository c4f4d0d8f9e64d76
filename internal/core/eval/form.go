package eval

import (
	"math"
	"strings"
)

// Form says what a cell of a typed table is, so that it is written as it came in: a text, or
// a number and how it is shown. From FirstForm on, a form is one that a kind of files knows
// (tabular keeps them), and carried along here.
type Form uint16

// The forms that are known everywhere.
const (
	NoForm   Form = iota // of cells whose table has no types
	TextForm             // a text, whatever it looks like
	Plain                // a number in no format of its own
	decimals             // and behind it a number with so many decimal places

	MostPlaces = 10
	FirstForm  = decimals + MostPlaces
)

// Decimals is the form of numbers that are shown with 1 to MostPlaces decimal places.
func Decimals(places int) Form { return decimals + Form(places) - 1 }

// Places is how many decimal places the form shows; 0 if it doesn't say.
func (f Form) Places() int {
	if f < decimals || f >= FirstForm {
		return 0
	}
	return int(f-decimals) + 1
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
