package eval

import (
	"fmt"
	"strings"

	"yoyaku/internal/core/phrase"
)

// Condition compiles a condition: whether it holds for a row. If it is blank
// it doesn't. Errors are of type *phrase.Error.
func Condition(text string, env Env) (func(row []Value) (bool, error), error) {
	e, err := phrase.ParseCondition(text)
	if err != nil {
		return nil, err
	}
	c := newCompiler(text, env)
	f, err := c.expr(e)
	if err != nil {
		return nil, err
	}
	return func(row []Value) (bool, error) {
		v, err := f(row)
		return ternaryOf(v) == ternaryTrue, err
	}, nil
}

// ternary is a three-valued truth value, as in SQL: a blank operand gives ternaryBlank, unless
// the other operand decides.
type ternary uint8

const (
	ternaryBlank ternary = iota
	ternaryFalse
	ternaryTrue
)

// ternaryOf takes a value as a truth value; a cell may say true or false in words.
func ternaryOf(v Value) ternary {
	switch {
	case v.Kind == Boolean && v.Num == 1, v.Kind == Text && strings.EqualFold(v.Text, "true"):
		return ternaryTrue
	case v.Kind == Blank:
		return ternaryBlank
	}
	return ternaryFalse
}

func (l ternary) value() Value {
	if l == ternaryBlank {
		return Value{}
	}
	return Bool(l == ternaryTrue)
}

func (l ternary) not() ternary { return [...]ternary{ternaryBlank, ternaryTrue, ternaryFalse}[l] }

// comparisons say for each sign which orders satisfy it.
var comparisons = map[string]func(n int) bool{
	"=":  func(n int) bool { return n == 0 },
	"!=": func(n int) bool { return n != 0 },
	"<":  func(n int) bool { return n < 0 },
	"<=": func(n int) bool { return n <= 0 },
	">":  func(n int) bool { return n > 0 },
	">=": func(n int) bool { return n >= 0 },
}

// textComparisons are the comparisons that look into a text.
var textComparisons = map[string]func(s, part string) bool{"contains": strings.Contains, "starts with": strings.HasPrefix}

// condition compiles the nodes that are true or false.
func (c *compiler) condition(e phrase.Expr) (valueFunc, error) {
	switch e := e.(type) {
	case *phrase.Compare:
		return c.comparison(e)
	case *phrase.In:
		return c.membership(e)
	case *phrase.Between:
		return c.between(e)
	case *phrase.IsBlank:
		a, err := c.expr(e.A)
		return func(row []Value) (Value, error) {
			v, err := a(row)
			return Bool(isBlank(v) != e.Not), err
		}, err
	case *phrase.Not:
		a, err := c.expr(e.A)
		return func(row []Value) (Value, error) {
			v, err := a(row)
			return ternaryOf(v).not().value(), err
		}, err
	case *phrase.Logic:
		return c.logic(e)
	}
	return nil, c.fail(e.Pos(), phrase.NotImplemented("this"), "")
}

// logic compiles `and` and `or`: a side that decides does so although the other
// is blank.
func (c *compiler) logic(e *phrase.Logic) (valueFunc, error) {
	decides := ternaryFalse
	if e.Or {
		decides = ternaryTrue
	}
	a, b, err := compilePair(c.expr, e.A, e.B)
	return func(row []Value) (Value, error) {
		x, err := a(row)
		if err != nil {
			return x, err
		}
		left := ternaryOf(x)
		if left == decides {
			return left.value(), nil
		}
		y, err := b(row)
		right := ternaryOf(y)
		if left == ternaryBlank && right != decides {
			right = ternaryBlank
		}
		return right.value(), err
	}, err
}

func (c *compiler) comparison(e *phrase.Compare) (valueFunc, error) {
	if holds := textComparisons[e.Op]; holds != nil {
		a, b, err := compilePair(c.cellOperand, e.A, e.B)
		return func(row []Value) (Value, error) {
			x, err := a(row)
			if err != nil || isBlank(x) {
				return Value{}, err
			}
			y, err := b(row)
			if err != nil || isBlank(y) {
				return Value{}, err
			}
			return Bool(holds(x.String(), y.String())), nil
		}, err
	}
	holds := comparisons[e.Op]
	compare, err := c.comparator(e.Span, e.A, e.B)
	return func(row []Value) (Value, error) {
		n, blank, err := compare(row)
		if err != nil || blank {
			return Value{}, err
		}
		return Bool(holds(n)), nil
	}, err
}

func (c *compiler) membership(e *phrase.In) (valueFunc, error) {
	var list []func(row []Value) (int, bool, error)
	for _, item := range e.List {
		f, err := c.comparator(e.Span, e.A, item)
		if err != nil {
			return nil, err
		}
		list = append(list, f)
	}
	a, err := c.expr(e.A)
	return func(row []Value) (Value, error) {
		v, err := a(row)
		if err != nil || isBlank(v) {
			return Value{}, err
		}
		for _, f := range list {
			n, blank, err := f(row)
			if err != nil || n == 0 && !blank {
				return Bool(!e.Not), err
			}
		}
		return Bool(e.Not), nil
	}, err
}

func (c *compiler) between(e *phrase.Between) (valueFunc, error) {
	low, err := c.comparator(e.Span, e.A, e.B)
	if err != nil {
		return nil, err
	}
	high, err := c.comparator(e.Span, e.A, e.C)
	return func(row []Value) (Value, error) {
		n, blank, err := low(row)
		if err != nil || blank {
			return Value{}, err
		}
		m, blank, err := high(row)
		if err != nil || blank {
			return Value{}, err
		}
		return Bool((n >= 0 && m <= 0) != e.Not), nil
	}, err
}

// cellOperand compiles an operand that is taken as it is written.
func (c *compiler) cellOperand(e phrase.Expr) (valueFunc, error) {
	if n, ok := e.(*phrase.Name); ok {
		i, err := c.slot(n)
		return func(row []Value) (Value, error) { return row[i], nil }, err
	}
	return c.expr(e)
}

// comparator compiles how two operands compare: below, equal to or above zero;
// blank if one of them is. Beside a quoted text a cell is text; else each
// cell is a date, a number or a text by itself, and two kinds don't mix.
func (c *compiler) comparator(span phrase.Span, ea, eb phrase.Expr) (func(row []Value) (n int, blank bool,
	err error), error) {
	_, aText := ea.(*phrase.Text)
	_, bText := eb.(*phrase.Text)
	operand := c.expr
	if aText || bText {
		operand = c.cellOperand
		for _, side := range []phrase.Expr{ea, eb} {
			if k := c.kindOf(side); k != Text && k != AnyKind {
				if _, cell := side.(*phrase.Name); !cell {
					return nil, c.fail(span, "a text and "+kindNames[k]+" can't be compared",
						"put texts in single quotes, column names in double quotes, dates and numbers in none")
				}
			}
		}
	}
	a, b, err := compilePair(operand, ea, eb)
	if err != nil {
		return nil, err
	}
	return func(row []Value) (int, bool, error) {
		x, err := a(row)
		if err != nil {
			return 0, false, err
		}
		y, err := b(row)
		if err != nil || isBlank(x) || isBlank(y) {
			return 0, true, err
		}
		if aText || bText {
			return strings.Compare(x.String(), y.String()), false, nil
		}
		x, y = normalize(x), normalize(y)
		n, ok := compareValues(x, y)
		if !ok {
			return 0, false, c.kindMismatch(span, ea, eb, x, y)
		}
		return n, false, nil
	}, nil
}

// kindMismatch returns the error for comparing values of different kinds. Text that looks like
// a date in a form that isn't ISO is reported as such.
func (c *compiler) kindMismatch(span phrase.Span, ea, eb phrase.Expr, x, y Value) error {
	e := &phrase.Error{Phrase: c.text, Span: span, Message: fmt.Sprintf("%q is %s and %q is %s; they can't be compared",
		Truncate(x.String()), kindNames[x.Kind], Truncate(y.String()), kindNames[y.Kind])}
	if y.Kind == Text {
		ea, x, y = eb, y, x
	}
	if n, ok := ea.(*phrase.Name); ok && x.Kind == Text && (y.Kind == Date || y.Kind == DateTime) {
		e.Err = &NotDateError{Column: n.Text, Text: x.Text}
	}
	return e
}
