// Package eval compiles phrases against names and calendars into functions:
// rules into recurrences, steps into chains that can tell what they did.
package eval

import (
	"strconv"

	"yoyaku/internal/core/civil"
)

// Kind is what a Value holds.
type Kind uint8

// The kinds of values.
const (
	Blank  Kind = iota
	Date        // a day
	Moment      // a day with a time
	Number      // a whole number
	Text
	Truth // Num is 1 for true
)

// Value is a cell: what a phrase gives and what a row holds.
type Value struct {
	Kind    Kind
	Day     civil.Date
	Minutes int16 // after midnight, of a Moment
	Num     int64
	Den     int64 // of a Number that isn't whole, else 0
	Text    string
}

// Day makes a Date value; None gives a blank.
func Day(d civil.Date) Value {
	if d == civil.None {
		return Value{}
	}
	return Value{Kind: Date, Day: d}
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

// Bool makes a Truth value.
func Bool(b bool) Value { return truth(b) }

// String writes a value as tables hold it: ISO 8601, plain digits, a blank as
// nothing.
func (v Value) String() string {
	switch v.Kind {
	case Date:
		return v.Day.String()
	case Moment:
		m := int(v.Minutes)
		return string(append(v.Day.Append(nil), 'T', byte('0'+m/600), byte('0'+m/60%10), ':', byte('0'+m%60/10), byte('0'+m%10)))
	case Number:
		return v.decimal()
	case Text:
		return v.Text
	case Truth:
		return strconv.FormatBool(v.Num == 1)
	}
	return ""
}
