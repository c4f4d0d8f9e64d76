package eval

import (
	"fmt"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/language"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/workdays"
)

// HalfOf is which part of its day a cell that is a date speaks of.
func HalfOf(v *Value) language.HalfDay {
	switch v.Kind {
	case Date:
		return v.Half
	case DateTime:
		switch v.Minutes {
		case 0:
			return language.WholeDay
		case 12 * 60:
			return language.Noon
		}
		return language.OtherTime
	case Text:
		if len(v.Text) <= 10 {
			return language.WholeDay
		}
		_, h := language.CutHalf(v.Text)
		return h
	}
	return language.WholeDay
}

// IsWholeDay reports whether a value is a date, and no half of it.
func (v *Value) IsWholeDay() bool { return v.Kind == Date && v.Half == language.WholeDay }

// DayIn is a day that was read from a text, with the half of it that the text names.
func DayIn(d civil.Date, text string) Value {
	v := Day(d)
	if _, h := language.CutHalf(text); h != language.WholeDay && d != civil.None {
		v.Half, v.Minutes, v.Text = h, int16(h.Minutes()), text
		if h == language.OtherTime {
			minutes, _, _ := language.TimeIn(text)
			v.Minutes = int16(minutes)
		}
	}
	return v
}

// withHalf is a day with the half of the cell that it was read from.
func withHalf(day Value, cell *Value) Value {
	if day.Kind != Date {
		return day
	}
	if cell.Kind == Text {
		half := DayIn(day.Day, cell.Text)
		day.Half, day.Minutes, day.Text = half.Half, half.Minutes, half.Text
	} else if day.Half = HalfOf(cell); day.Half != language.WholeDay {
		day.Minutes, day.Text = cell.Minutes, writtenHalf(cell)
	}
	return day
}

// writtenHalf is a date with a half as it was written.
func writtenHalf(v *Value) string {
	if v.Kind == Date && v.Half != language.WholeDay {
		return v.Text
	}
	return v.String()
}

// emptyRangeError is a range that begins and ends at noon of one day.
type emptyRangeError struct{ day civil.Date }

// Error says so.
func (e emptyRangeError) Error() string {
	return fmt.Sprintf("the range ends at noon of %s, when it begins", e.day)
}

// unclearHalfError is a half that doesn't say which, in a range of several days.
type unclearHalfError struct{ text string }

// Error says so.
func (e unclearHalfError) Error() string {
	return fmt.Sprintf("%q doesn't say which half of the day; write AM or PM behind the date", Truncate(e.text))
}

// ExtentOf is the range from a first day through a last one, not before it, with the halves that
// its ends name. It is an error where the two ends leave nothing, or a half isn't clear.
func ExtentOf(first, last *Value, span civil.Span) (workdays.Extent, error) {
	e := workdays.Extent{Span: span}
	a, b := HalfOf(first), HalfOf(last)
	if a == language.WholeDay && b == language.WholeDay {
		return e, nil
	}
	if a == language.EitherHalf || b == language.EitherHalf {
		unclear := first
		if a != language.EitherHalf {
			unclear = last
		}
		if span.First != span.Last {
			return e, unclearHalfError{writtenHalf(unclear)}
		}
		e.StartsAtNoon = a == language.Afternoon || b == language.Afternoon
		e.EndsAtNoon = !e.StartsAtNoon
		return e, nil
	}
	e.StartsAtNoon = a == language.Afternoon || a == language.Noon
	e.EndsAtNoon = b == language.Morning || b == language.Noon
	if e.IsEmpty() {
		return e, emptyRangeError{span.First}
	}
	return e, nil
}

// ClockText is the time of day of a cell that is a date, as a message has it.
func ClockText(v *Value) string {
	minutes := int(v.Minutes)
	if v.Kind == Text {
		minutes, _, _ = language.TimeIn(v.Text)
	}
	return string(civil.AppendClock(nil, minutes))
}

// weightedCount compiles a count of parts of days, in hundredths.
func (c *compiler) weightedCount(e *phrase.Count) (intFunc, error) {
	if e.Period != nil {
		return c.count(e)
	}
	return c.countedDays(e)
}

// countedDays compiles what counts of the days of a range whose ends may be halves.
func (c *compiler) countedDays(e *phrase.Count) (intFunc, error) {
	if column := c.calendarColumn(e.Using, e.Span); column != nil {
		return c.intPerCalendar(column, func(c *compiler) (intFunc, error) { return c.countedDays(e) })
	}
	cal, err := c.calendar(e.Using)
	if err != nil {
		return nil, err
	}
	first, err := c.rangeEnd(e.Range.A)
	if err != nil {
		return nil, err
	}
	var last valueFunc // nil for a step from the first
	var step *Chain
	if e.Range.Step == nil {
		last, err = c.rangeEnd(e.Range.B)
	} else {
		step, err = c.chain([]phrase.Step{e.Range.Step})
	}
	return func(row []Value) (n int, blank bool, err error) {
		from, err := first(row)
		if err != nil || from.Kind == Blank {
			return 0, true, err
		}
		var to Value
		if step == nil {
			to, err = last(row)
		} else {
			to.Day, _, err = step.Run(from.Day, row, nil)
			to = Day(to.Day)
		}
		if err != nil || to.Kind == Blank {
			return 0, true, err
		}
		n, err = c.countExtent(e, cal, &from, &to)
		return n, false, err
	}, err
}

// rangeEnd compiles an end of a range: a day, with the half of it that its cell or time names; a
// blank if it is one.
func (c *compiler) rangeEnd(e phrase.Expr) (valueFunc, error) {
	name, ok := e.(*phrase.Name)
	if !ok {
		if err := c.requireKind(e, Date); err != nil {
			return nil, err
		}
		whole, err := c.expr(e)
		dateIn := c.dateIn(e)
		return func(row []Value) (Value, error) {
			v, err := whole(row)
			if err != nil {
				return v, err
			}
			d, unsure, err := dateIn(v)
			return withHalf(dateValue(d, unsure), &v), err
		}, err
	}
	day, err := c.dateOf(name)
	if err != nil {
		return nil, err
	}
	slot, err := c.slot(name)
	c.noteSlot(c.Uses.Halves, slot)
	return func(row []Value) (Value, error) {
		if cell := &row[slot]; cell.Kind == Text && len(cell.Text) == len("2027-03-31") || cell.IsWholeDay() {
			d, unsure, err := day(row)
			return dateValue(d, unsure), err
		}
		cell := row[slot] // before its text becomes a day
		d, unsure, err := day(row)
		return withHalf(dateValue(d, unsure), &cell), err
	}, err
}

// countExtent adds up the parts of the working days between two dates.
func (c *compiler) countExtent(e *phrase.Count, cal *workdays.Calendar, from, to *Value) (int, error) {
	for _, end := range []struct {
		e phrase.Expr
		v *Value
	}{{e.Range.A, from}, {e.Range.B, to}} {
		switch h := HalfOf(end.v); {
		case h == language.OtherTime:
			return 0, c.badHalf(end.e, end.v, "`"+ClockText(end.v)+"` is no half day; a day is counted whole or half, from or until 12:00")
		case h != language.WholeDay && !e.Through:
			return 0, c.badHalf(end.e, end.v, fmt.Sprintf("%q is half a day, and `from … to` counts no part of its first day; write `counted days from … through …`", Truncate(writtenHalf(end.v))))
		}
	}
	c.recordQuery(cal, from.Day, to.Day)
	if !e.Through {
		return cal.WeightBetween(from.Day, to.Day), nil
	}
	sign := 1
	if to.Day < from.Day {
		sign, from, to = -1, to, from
	}
	extent, err := ExtentOf(from, to, civil.Span{First: from.Day, Last: to.Day})
	if err != nil {
		return 0, c.badHalf(e.Range.A, from, err.Error())
	}
	return sign * cal.WeightOf(extent), nil
}

// HalfDayError is a cell whose half can't be counted.
type HalfDayError struct{ Column, Message string }

// Error says why.
func (e *HalfDayError) Error() string { return e.Message }

func (c *compiler) badHalf(e phrase.Expr, v *Value, message string) error {
	err := &phrase.Error{Phrase: c.text, Span: e.Pos(), Message: message}
	if n, ok := e.(*phrase.Name); ok {
		err.Err = &HalfDayError{n.Text, message}
	}
	return err
}
