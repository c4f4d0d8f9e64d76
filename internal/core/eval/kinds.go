package eval

import (
	"cmp"
	"fmt"
	"strings"
	"sync"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/workdays"
)

// AnyKind stands for a kind that only the cells tell.
const AnyKind Kind = 255

var kindNames = map[Kind]string{Blank: "a blank", Date: "a date", Moment: "a date with a time", Number: "a number", Text: "a text", Truth: "true or false"}

// textParts and truthParts are the parts of a date that aren't numbers.
var textParts = map[string]bool{"half": true, "quarter": true, "iso week": true, "calendar month": true, "calendar quarter": true,
	"fiscal year": true, "fiscal quarter": true, "month name": true, "weekday": true, "weekday name": true, "holiday name": true}

// kindOf tells the kind of an expression as far as the phrase alone does.
func (c *compiler) kindOf(e phrase.Expr) Kind {
	switch e := e.(type) {
	case *phrase.Date, *phrase.Today, *phrase.Steps, *phrase.Extreme:
		return Date
	case *phrase.Number, *phrase.Count, *phrase.Complete, *phrase.DayCount, *phrase.Arith, *phrase.MinMax, *phrase.Round:
		return Number
	case *phrase.Text, *phrase.Age, *phrase.Format:
		return Text
	case *phrase.Part:
		switch {
		case textParts[e.Name]:
			return Text
		case e.Name == "working day":
			return Truth
		}
		return Number
	case *phrase.Otherwise:
		if k := c.kindOf(e.A); k != AnyKind {
			return k
		}
		return c.kindOf(e.B)
	case *phrase.If:
		if k := c.kindOf(e.Then); k != AnyKind || e.Else == nil {
			return k
		}
		return c.kindOf(e.Else)
	case *phrase.Name:
		if i, err := c.slot(e); err == nil && i < len(c.Kinds) {
			return c.Kinds[i]
		}
		return AnyKind
	}
	return Truth
}

// KindOf tells the kind of a compiled expression as far as its phrase does; ok
// is false where only the cells tell.
func (p *Program) KindOf() (k Kind, ok bool) { return p.kind, p.kind != AnyKind }

// want refuses an expression that can't be of the kind that is wanted.
func (c *compiler) want(e phrase.Expr, k Kind) error {
	got := c.kindOf(e)
	if got == AnyKind || got == k || got == Moment && k == Date || got == Blank {
		return nil
	}
	return c.fail(e.Pos(), kindNames[k]+" is wanted here, and this is "+kindNames[got], "")
}

// numberOf compiles an operand that must be a number or blank.
func (c *compiler) numberOf(e phrase.Expr) (value, error) {
	if err := c.want(e, Number); err != nil {
		return nil, err
	}
	f, err := c.expr(e)
	if err != nil {
		return nil, err
	}
	return func(row []Value) (Value, error) {
		v, err := f(row)
		if err != nil || v.Kind == Number || v.Kind == Blank {
			return v, err
		}
		if n, ok := Number.read(v); ok {
			return n, nil
		}
		return Value{}, c.fail(e.Pos(), fmt.Sprintf("a number is wanted here, and this is %q", v), "")
	}, nil
}

// byColumn compiles something once for each calendar that a column names.
func (c *compiler) byColumn(column *phrase.Name, compile func(*compiler) (value, error)) (value, error) {
	choose, err := chooser(c, column, compile)
	if err != nil {
		return nil, err
	}
	return func(row []Value) (Value, error) {
		f, err := choose(row)
		if err != nil || f == nil {
			return Value{}, err
		}
		return (*f)(row)
	}, nil
}

// chooser returns a function that takes the calendar's name from a column and
// gives what was compiled for it; nil where the cell is blank. It is safe for
// concurrent use.
func chooser[T any](c *compiler, column *phrase.Name, compile func(*compiler) (T, error)) (func(row []Value) (*T, error), error) {
	slot, err := c.slot(column)
	if err != nil {
		return nil, err
	}
	var made sync.Map
	return func(row []Value) (*T, error) {
		v := row[slot]
		if v.Kind == Blank {
			return nil, nil
		}
		name := v.String()
		if t, ok := made.Load(name); ok {
			return t.(*T), nil
		}
		var cals []*workdays.Calendar
		for _, part := range strings.Split(name, "+") {
			cal, err := c.calendar(&phrase.Using{Span: column.Span, Calendars: []phrase.Name{{Span: column.Span, Text: strings.TrimSpace(part)}}})
			if err != nil {
				return nil, err
			}
			cals = append(cals, cal)
		}
		inner := *c
		inner.Calendar = workdays.Join(cals...)
		t, err := compile(&inner)
		if err != nil {
			return nil, err
		}
		made.Store(name, &t)
		return &t, nil
	}, nil
}

// readDay takes a cell as a day: a date, the day of a moment, or text that is an
// ISO date.
func readDay(v Value) (civil.Date, bool) {
	switch v.Kind {
	case Date, Moment:
		return v.Day, true
	case Text:
		if d, _, ok := civil.Parse(v.Text); ok {
			return d, true
		}
		s := strings.TrimSpace(v.Text)
		if len(s) > 10 && (s[10] == 'T' || s[10] == ' ') { // a time behind it is dropped
			s = s[:10]
		}
		d, _, ok := civil.Parse(s)
		return d, ok
	}
	return civil.None, false
}

// DayOf takes a cell as a date or moment; ok is false where it is neither.
func DayOf(v Value) (Value, bool) {
	if v.Kind == Moment {
		return v, true
	}
	d, ok := readDay(v)
	return Day(d), ok
}

// Order compares two cells for sorting: as dates, numbers or texts, as far as
// both can be read so; blanks come last.
func Order(a, b Value) int {
	if a.Kind == Blank || b.Kind == Blank {
		return cmp.Compare(int(b.Kind), int(a.Kind)) * boolInt(a.Kind != b.Kind)
	}
	if x, ok := Number.read(a); ok {
		if y, ok := Number.read(b); ok {
			return compareNumbers(x, y)
		}
	}
	if x, ok := readDay(a); ok {
		if y, ok := readDay(b); ok {
			return cmp.Or(cmp.Compare(x, y), cmp.Compare(a.Minutes, b.Minutes))
		}
	}
	return cmp.Compare(a.String(), b.String())
}

func boolInt(b bool) int {
	if b {
		return 1
	}
	return 0
}
