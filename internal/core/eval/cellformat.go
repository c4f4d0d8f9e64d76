package eval

import (
	"math"
	"strings"
)

// CellFormat says what a cell of a typed table is, so that it is written as it came in: a text, or
// a number and how it is shown. From FirstCustomFormat on, a form is one that a kind of files knows
// (tabular keeps them), and carried along here.
type CellFormat uint16

// The forms that are known everywhere.
const (
	NoFormat     CellFormat = iota // of cells whose table has no types
	TextFormat                     // a text, whatever it looks like
	PlainFormat                    // a number in no format of its own
	decimalsBase                   // and behind it a number with so many decimal places

	MaxDecimals       = 10
	FirstCustomFormat = decimalsBase + MaxDecimals
)

// DecimalFormat is the form of numbers that are shown with 1 to MaxDecimals decimal places.
func DecimalFormat(places int) CellFormat { return decimalsBase + CellFormat(places) - 1 }

// Places is how many decimal places the form shows; 0 if it doesn't say.
func (f CellFormat) Places() int {
	if f < decimalsBase || f >= FirstCustomFormat {
		return 0
	}
	return int(f-decimalsBase) + 1
}

// TypedNumber makes the value of a number in a typed table that reads as a text, such as 1200.5,
// 09:15 or 2026-03-01T14:30.
func TypedNumber(text string, number float64, f CellFormat) Value {
	return Value{Kind: Text, Text: text, Num: int64(math.Float64bits(number)), Format: f}
}

// Typed is the number that a cell of a typed table holds.
func (v Value) Typed() (number float64, ok bool) {
	if v.Kind != Text || v.Format <= TextFormat {
		return 0, false
	}
	return math.Float64frombits(uint64(v.Num)), true
}

// IsNumber reports whether a value is a number and reads as one.
func (v Value) IsNumber() bool {
	_, typed := v.Typed()
	return v.Kind == Number || typed && !strings.ContainsAny(v.Text, ":T")
}
