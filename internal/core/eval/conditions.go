package eval

import (
	"cmp"
	"fmt"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/phrase"
)

// Condition compiles a condition. Errors are of type *phrase.Error.
func Condition(text string, env Env) (func(row []Value) (bool, error), error) {
	e, err := phrase.ParseCondition(text)
	if err != nil {
		return nil, err
	}
	c := &compiler{env, strings.TrimSpace(text)}
	f, err := c.expr(e)
	if err != nil {
		return nil, err
	}
	return func(row []Value) (bool, error) {
		v, err := f(row)
		return v.Kind == Truth && v.Num == 1, err
	}, nil
}

func truth(b bool) Value {
	v := Value{Kind: Truth}
	if b {
		v.Num = 1
	}
	return v
}

// condition compiles the nodes that are true or false.
func (c *compiler) condition(e phrase.Expr) (value, error) {
	switch e := e.(type) {
	case *phrase.Compare:
		a, b, err := c.pair(c.expr, e.A, e.B)
		return func(row []Value) (Value, error) {
			x, err := a(row)
			if err != nil {
				return x, err
			}
			y, err := b(row)
			if err != nil || x.Kind == Blank || y.Kind == Blank {
				return truth(false), err
			}
			switch e.Op {
			case "contains":
				return truth(strings.Contains(x.String(), y.String())), nil
			case "starts with":
				return truth(strings.HasPrefix(x.String(), y.String())), nil
			}
			n, err := c.order(e.Span, x, y)
			return truth(map[string]bool{"=": n == 0, "!=": n != 0, "<": n < 0, "<=": n <= 0, ">": n > 0, ">=": n >= 0}[e.Op]), err
		}, err
	case *phrase.In:
		a, err := c.expr(e.A)
		if err != nil {
			return nil, err
		}
		var list []value
		for _, item := range e.List {
			f, err := c.expr(item)
			if err != nil {
				return nil, err
			}
			list = append(list, f)
		}
		return func(row []Value) (Value, error) {
			x, err := a(row)
			if err != nil || x.Kind == Blank {
				return truth(false), err
			}
			for _, f := range list {
				y, err := f(row)
				if err != nil {
					return y, err
				}
				if y.Kind == Blank {
					continue
				}
				if n, err := c.order(e.Span, x, y); err != nil || n == 0 {
					return truth(!e.Not), err
				}
			}
			return truth(e.Not), nil
		}, nil
	case *phrase.Between:
		low, err := c.condition(&phrase.Compare{Span: e.Span, Op: ">=", A: e.A, B: e.B})
		if err != nil {
			return nil, err
		}
		high, err := c.condition(&phrase.Compare{Span: e.Span, Op: "<=", A: e.A, B: e.C})
		if err != nil {
			return nil, err
		}
		parts, err := c.all(e.A, e.B, e.C)
		return func(row []Value) (Value, error) {
			for _, f := range parts { // a blank makes it false either way
				if v, err := f(row); err != nil || v.Kind == Blank {
					return truth(false), err
				}
			}
			x, err := low(row)
			if err != nil {
				return x, err
			}
			y, err := high(row)
			return truth((x.Num == 1 && y.Num == 1) != e.Not), err
		}, err
	case *phrase.IsBlank:
		a, err := c.expr(e.A)
		return func(row []Value) (Value, error) {
			v, err := a(row)
			return truth((v.Kind == Blank) != e.Not), err
		}, err
	case *phrase.Not:
		a, err := c.expr(e.A)
		return func(row []Value) (Value, error) {
			v, err := a(row)
			return truth(v.Num != 1 || v.Kind != Truth), err
		}, err
	case *phrase.Logic:
		a, b, err := c.pair(c.expr, e.A, e.B)
		return func(row []Value) (Value, error) {
			v, err := a(row)
			if err != nil || (v.Kind == Truth && v.Num == 1) == e.Or {
				return truth(e.Or), err
			}
			v, err = b(row)
			return truth(v.Kind == Truth && v.Num == 1), err
		}, err
	}
	return nil, c.fail(e.Pos(), phrase.NotBuilt("this"), "")
}

func (c *compiler) all(list ...phrase.Expr) (fs []value, err error) {
	for _, e := range list {
		f, err := c.expr(e)
		if err != nil {
			return nil, err
		}
		fs = append(fs, f)
	}
	return fs, nil
}

// order compares two values that aren't blank. Beside a date or a number, a
// text is read as one; dates and moments compare by date.
func (c *compiler) order(at phrase.Span, a, b Value) (int, error) {
	kind := func(v Value) Kind {
		if v.Kind == Moment {
			return Date
		}
		return v.Kind
	}
	as := kind(a)
	if as == Text {
		as = kind(b)
	}
	a, aok := as.read(a)
	b, bok := as.read(b)
	if !aok || !bok {
		return 0, c.fail(at, fmt.Sprintf("%q and %q can't be compared: they are of different kinds", a, b), "")
	}
	switch as {
	case Date:
		return cmp.Compare(a.Day, b.Day), nil
	case Text:
		return strings.Compare(a.Text, b.Text), nil
	}
	if as == Number {
		return compareNumbers(a, b), nil
	}
	return cmp.Compare(a.Num, b.Num), nil
}

// read takes a value as one of kind k.
func (k Kind) read(v Value) (Value, bool) {
	if v.Kind == k || v.Kind == Moment && k == Date {
		return v, true
	}
	if v.Kind != Text {
		return v, false
	}
	switch k {
	case Date:
		d, _, ok := civil.Parse(strings.TrimSpace(v.Text))
		return Day(d), ok
	case Number:
		return parseNumber(strings.TrimSpace(v.Text))
	case Truth:
		return truth(v.Text == "true"), v.Text == "true" || v.Text == "false"
	}
	return v, false
}
