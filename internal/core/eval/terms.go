package eval

import (
	"errors"
	"fmt"
	"strings"

	"yoyaku/internal/core/language"
	"yoyaku/internal/core/phrase"
)

// sameKind reports whether both are of months, of days or of working days.
func (a shiftAmount) sameKind(b shiftAmount) bool {
	return a.isWorkdays == b.isWorkdays && (a.months != 0) == (b.months != 0)
}

// lengthFunc gives a length of time of a row; blank if its cell is.
type lengthFunc func(row []Value) (by shiftAmount, blank bool, err error)

// length compiles an amount: a number, or a cell that holds one, in the unit of the phrase or in
// its own. Of a span, which lasts, months and days can't come together.
func (c *compiler) length(a phrase.Amount, span bool) (lengthFunc, error) {
	name, named := a.By.(*phrase.Name)
	if !named || a.Unit == phrase.WorkingDays {
		get, err := c.amount(a.By)
		return func(row []Value) (by shiftAmount, blank bool, err error) {
			n, blank, err := get(row)
			by.addUnits(a.Unit, n)
			return by, blank, err
		}, err
	}
	if c.kindOf(name) != Text { // of a phrase whose texts are terms
		if err := c.requireKind(name, Number); err != nil {
			return nil, err
		}
	}
	c.numberColumn(name)
	slot, err := c.slot(name)
	if err != nil {
		return nil, err
	}
	c.noteSlot(c.Uses.Terms, slot)
	write := "lasting " + phrase.ExprText(name)
	if !span {
		write = "+" + phrase.ExprText(name)
	}
	return func(row []Value) (by shiftAmount, blank bool, err error) {
		cell := &row[slot]
		n, ok := ParseSmallInt(cell.Text) // as most are
		ok = ok && cell.Kind == Text && cell.Format == NoFormat
		if !ok {
			if isBlank(*cell) {
				return by, true, nil
			}
			n, ok = asWhole(*cell)
		}
		if ok && a.Unit != phrase.CellUnit {
			by.addUnits(a.Unit, n)
			return by, false, nil
		}
		if ok {
			return by, false, c.badTerm(name, *cell, cell.String()+" what? say it in the phrase: "+write+" months", nil)
		}
		return c.readTerm(a, name, *cell, span, write)
	}, nil
}

// readTerm reads a cell that has a unit of its own.
func (c *compiler) readTerm(a phrase.Amount, name *phrase.Name, cell Value, span bool, write string) (by shiftAmount, _ bool, err error) {
	text := cell.String()
	t, err := language.ParseTerm(text, c.Language, a.Unit.IsMonths())
	var wrong *language.TermError
	switch {
	case errors.As(err, &wrong):
		return by, false, c.badTerm(name, cell, wrong.Message, wrong)
	case err != nil && a.Unit != phrase.CellUnit && !isEnd(text) && strings.Trim(strings.TrimLeft(text, "+-"), "0123456789.,' ") == "":
		return by, false, c.notNumber(name, "a whole number", cell)
	case err != nil && isEnd(text):
		return by, false, c.badTerm(name, cell, fmt.Sprintf("%q is an end, not a term; put it in a column of its own", Truncate(text)), nil)
	case err != nil:
		return by, false, c.badTerm(name, cell, fmt.Sprintf("%v, found %q", language.ErrNotTerm, Truncate(text)), nil)
	case t.HasMonths && t.HasDays && span:
		return by, false, c.badTerm(name, cell, fmt.Sprintf("%q: a span lasts months or days, not both; to add both to a date, write +%s after a comma", text, phrase.ExprText(name)), nil)
	case a.Unit == phrase.CellUnit:
	case t.HasDays && a.Unit.IsMonths():
		return by, false, c.badTerm(name, cell, fmt.Sprintf("%q: days don't come out in months; use %s without a unit", text, write), nil)
	case t.HasMonths && !a.Unit.IsMonths():
		return by, false, c.badTerm(name, cell, fmt.Sprintf("%q: months don't come out in days; use %s without a unit", text, write), nil)
	}
	return shiftAmount{months: t.Months, days: t.Days}, false, nil
}

// isEnd reports whether a cell that was to be a length is a date, or says until when something is.
func isEnd(text string) bool {
	first, rest, _ := strings.Cut(strings.ToLower(strings.TrimSpace(text)), " ")
	switch first {
	case "until", "till", "through", "to", "bis", "jusqu'au", "jusqu’au", "hasta":
		return strings.ContainsAny(rest, "0123456789")
	}
	_, ok := asDay(Str(text))
	return ok
}

// NotTermError is a cell that was taken as a length of time and isn't one.
type NotTermError struct {
	Column, Text, Message string
	// Wrong says what is wrong with a text that is one; nil for others.
	Wrong *language.TermError
}

// Error says what is wrong with it.
func (e *NotTermError) Error() string { return e.Message }

// badTerm is the fault of a cell that was to be a length.
func (c *compiler) badTerm(name *phrase.Name, cell Value, message string, wrong *language.TermError) error {
	return &phrase.Error{Phrase: c.text, Span: name.Span, Message: message,
		Err: &NotTermError{name.Text, cell.String(), message, wrong}}
}
