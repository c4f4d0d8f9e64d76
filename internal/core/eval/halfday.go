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
	a, b, err := c.rangeEnds(e.Range)
	if err != nil {
		return nil, err
	}
	first, err := c.expr(e.Range.A)
	if err != nil {
		return nil, err
	}
	last := valueFunc(func([]Value) (Value, error) { return Value{}, nil }) // of a step, which gives whole days
	if e.Range.Step == nil {
		if last, err = c.expr(e.Range.B); err != nil {
			return nil, err
		}
	}
	c.noteHalves(e.Range)
	return func(row []Value) (n int, blank bool, err error) {
		from, err := first(row) // before its text becomes a day
		if err != nil {
			return 0, true, err
		}
		to, err := last(row)
		if err != nil {
			return 0, true, err
		}
		x, _, err := a(row)
		if err != nil || x == civil.None {
			return 0, true, err
		}
		y, _, err := b(row)
		if err != nil || y == civil.None {
			return 0, true, err
		}
		n, err = c.countExtent(e, cal, x, y, &from, &to)
		return n, false, err
	}, nil
}

// countExtent adds up the parts of the working days between two dates.
func (c *compiler) countExtent(e *phrase.Count, cal *workdays.Calendar, x, y civil.Date, from, to *Value) (int, error) {
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
	c.recordQuery(cal, x, y)
	if !e.Through {
		return cal.WeightBetween(x, y), nil
	}
	sign := 1
	if y < x {
		sign, x, y, from, to = -1, y, x, to, from
	}
	extent, err := ExtentOf(from, to, civil.Span{First: x, Last: y})
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

// noteHalves notes the columns that the ends of a range are taken from.
func (c *compiler) noteHalves(r phrase.Range) {
	for _, e := range []phrase.Expr{r.A, r.B} {
		if n, ok := e.(*phrase.Name); ok {
			if slot, err := c.slot(n); err == nil {
				c.noteSlot(c.Uses.Halves, slot)
			}
		}
	}
}
