// Package phrase is the language: it scans and parses rules and steps into a
// tree with positions, and prints the one canonical form of each tree.
package phrase

import (
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/recur"
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
	// Number is a number; Dec is its text if it isn't a whole one or is
	// below zero.
	Number struct {
		Span
		N   int
		Dec string
	}
	// Name is a column, or a name that the place provides.
	Name struct {
		Span
		Text string
	}
	// SeriesRef is the date of another series, or one of its milestones, that belongs to that of
	// the place.
	SeriesRef struct {
		Span
		Series, What string // What is date for the date itself
	}
	// Today is the day that the command is asked as of.
	Today struct{ Span }
	// Otherwise is its second operand where the first is blank.
	Otherwise struct {
		Span
		A, B Expr
	}
	// EarlierLater is the earlier or the later of two dates.
	EarlierLater struct {
		Span
		Later bool
		A, B  Expr
	}
	// Steps is a base and what is done to it, left to right. Base is nil if
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
	reading() string
	// calendarUse reports whether it counts with a working calendar, and gives the one that it
	// names; nil if it names none.
	calendarUse() (using *Using, counts bool)
	form() *stepForm // its row in the table
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
	CellUnit // what the amount's cell says
)

// unitTable has a row for each unit: its word, how many days or months one is,
// and the cadence that `every N` of it makes, with the periods that one takes.
var unitTable = [...]struct {
	word    string
	per     int
	months  bool
	cadence civil.Unit
	takes   int
}{
	Days:        {"day", 1, false, civil.Day, 1},
	WorkingDays: {"working day", 1, false, civil.Day, 1},
	Weeks:       {"week", 7, false, civil.Week, 1},
	Fortnights:  {"fortnight", 14, false, civil.Week, 2},
	Months:      {"month", 1, true, civil.Month, 1},
	Quarters:    {"quarter", 3, true, civil.Quarter, 1},
	HalfYears:   {"half-year", 6, true, civil.Half, 1},
	Years:       {"year", 12, true, civil.Year, 1},
	CellUnit:    {},
}

// PerUnit is how many days or months one of a unit is.
func (u Unit) PerUnit() int { return unitTable[u].per }

// IsMonths reports whether the unit is whole months.
func (u Unit) IsMonths() bool { return unitTable[u].months }

// Amount is a count of units; By is a Number or a Name. Of CellUnit it is a Name.
type Amount struct {
	By   Expr
	Unit Unit
}

// Rule is a series.
type Rule struct {
	Span
	Unit      civil.Unit // Day to Year
	Working   bool       // every N working days
	Every     int
	EveryBy   Expr         // the number's name, if it has one; else nil
	IsListed  bool         // dates …: Plus holds them
	RRule     *recur.RRule // rrule …
	On        []Day
	Months    []int
	From      Expr // these are nil if absent
	Until     Expr
	BackFrom  Expr
	Times     int
	TimesBy   Expr
	Exclude   []Expr // dates, a Stretch, ClosedDays
	Include   []Expr
	SkipShort bool // skipping short months
	Using     *Using
	// Choice is the date that is chosen after `then`, an If; nil if there is none.
	Choice Expr
	Then   []Step
	// Column is the column whose cells hold the rule of each row; nil for a rule itself.
	Column *Name
}

// The nodes that are beside dates in what a rule leaves out.
type (
	// DateRange is A..B: each end is an ISO date or the name of a period.
	DateRange struct {
		Span
		A, B string
	}
	// ClosedDays are the days on which the rule's calendar is closed.
	ClosedDays struct{ Span }
)

// Day is an item of a rule's list of days.
type Day struct {
	Span
	recur.Item
}
