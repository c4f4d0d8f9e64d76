// Package phrase is the language: it scans and parses rules and steps into a
// tree with positions, and prints the one canonical form of each tree.
package phrase

import (
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/recur"
	"yoyaku/internal/core/workdays"
)

// Phrase is a parsed phrase: a rule or an expression.
type Phrase struct {
	Text string
	Rule *Rule // a series; nil for the other kinds
	Expr Expr  // a value; nil for a rule
}

// Expr is something that has a value.
type Expr interface {
	Pos() Span
	write(*printer)
}

// The operands.
type (
	// Date is a date literal.
	Date struct {
		Span
		Day civil.Date
	}
	// Number is a number; Dec is its text where it isn't a whole one or is
	// below zero.
	Number struct {
		Span
		N   int
		Dec string
	}
	// Name is a column, or a name that the place lends.
	Name struct {
		Span
		Text string
	}
	// Today is the day that the command is asked as of.
	Today struct{ Span }
	// Otherwise is its second operand where the first is blank.
	Otherwise struct {
		Span
		A, B Expr
	}
	// Extreme is the earlier or the later of two dates.
	Extreme struct {
		Span
		Later bool
		A, B  Expr
	}
	// Steps is a base and what is done to it, left to right. Base is nil where
	// the place supplies it.
	Steps struct {
		Span
		Base Expr
		List []Step
	}
)

// Using is a calendar named in a phrase: names joined by +, or a column that
// holds the name.
type Using struct {
	Span
	Calendars []Name
	Column    *Name
}

// Step makes one date from another.
type Step interface {
	Pos() Span
	write(*printer)
}

// Unit is a unit of shifts and spans.
type Unit uint8

// The units. Months and above are of whole months.
const (
	Days Unit = iota
	WorkingDays
	Weeks
	Fortnights
	Months
	Quarters
	HalfYears
	Years
)

var unitWords = [...]string{"day", "working day", "week", "fortnight", "month", "quarter", "half-year", "year"}

// PerUnit is how many days or months one of a unit is.
func (u Unit) PerUnit() int { return [...]int{1, 1, 7, 14, 1, 3, 6, 12}[u] }

// OfMonths reports whether the unit is whole months.
func (u Unit) OfMonths() bool { return u >= Months }

// Amount is a count of units; By is a Number or a Name.
type Amount struct {
	By   Expr
	Unit Unit
}

// Period is a week, month, … relative to the one that holds the base.
type Period struct {
	Offset int // -1 previous, 0 this, 1 next
	Unit   civil.Unit
}

// The steps.
type (
	// Shift moves by joined amounts under one sign.
	Shift struct {
		Span
		Back    bool
		Parts   []Amount
		KeepEnd bool
		Using   *Using
	}
	// Lasting gives the last day of a span that begins on the base.
	Lasting struct {
		Span
		Amount
		Using *Using
	}
	// Edge is the start (-1), middle (0) or end (1) of a period.
	Edge struct {
		Span
		Where int
		Of    Period
	}
	// Nth is the Nth day, weekday or working day of a period.
	Nth struct {
		Span
		Item  recur.Item
		Of    Period
		Using *Using
	}
	// InYear is a day of the base's year.
	InYear struct {
		Span
		Item  recur.Item
		Using *Using
	}
	// Seek finds a target strictly after or before the base, or with On the base
	// itself where it is one.
	Seek struct {
		Span
		Target Target
		Back   bool
		On     bool
		Using  *Using
	}
	// Roll moves a closed day by a business-day convention.
	Roll struct {
		Span
		By    workdays.Convention
		Using *Using
	}
	// Anniversary is the base's month and day in the nearest year on or after,
	// after, or on or before a date.
	Anniversary struct {
		Span
		On, Back bool
		Of       Expr
	}
	// At gives the date a time, in minutes after midnight.
	At struct {
		Span
		Minutes int
	}
)

// Target is what a Seek looks for: one of the fields is set.
type Target struct {
	Weekday civil.Weekday
	Working bool
	Day     *recur.Item // a day of the year
	Series  *Name
}

// Rule is a series.
type Rule struct {
	Span
	Unit    civil.Unit // Day to Year
	Working bool       // every N working days
	Every   int
	Listed  bool         // dates …: Plus holds them
	RRule   *recur.RRule // rrule …
	On      []Day
	Months  []int
	From    Expr // these are nil where absent
	Until   Expr
	Back    Expr
	Times   int
	Without []Expr
	Plus    []Expr
	Short   bool // skipping short months
	Using   *Using
	Then    []Step
}

// Day is an item of a rule's list of days.
type Day struct {
	Span
	recur.Item
}
