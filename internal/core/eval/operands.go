package eval

import (
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/workdays"
)

// operand is an operand that can tell how it came about.
type operand struct {
	do   traced
	from []Source
}

// chooses reports whether an expression chooses among operands, or is steps that stand
// as one.
func chooses(e phrase.Expr) bool {
	switch e.(type) {
	case *phrase.Steps, *phrase.Otherwise, *phrase.Extreme, *phrase.If, *phrase.Other:
		return true
	}
	return false
}

// source is what the date of a plain operand is reckoned from.
func (c *compiler) source(e phrase.Expr) ([]Source, error) {
	switch e := e.(type) {
	case *phrase.Name:
		slot, err := c.slot(e)
		return []Source{{Slot: slot}}, err
	case *phrase.Date, *phrase.Today:
		return []Source{{Slot: Standing}}, nil
	}
	return nil, nil
}

// operand compiles an expression so that it can tell how it came about.
func (c *compiler) operand(e phrase.Expr) (operand, error) {
	switch e := e.(type) {
	case *phrase.Steps:
		p, err := c.program(e, nil)
		if err != nil {
			return operand{}, err
		}
		return operand{func(row []Value, trace *[]Move) (v Value, beyond workdays.Beyond, err error) {
			beyond, err = p.Work(row, trace, &v)
			return v, beyond, err
		}, p.from}, nil
	case *phrase.Otherwise:
		return c.otherwise(e)
	case *phrase.Extreme:
		return c.extreme(e)
	case *phrase.If:
		return c.branched(e)
	case *phrase.Other:
		return c.other(e)
	}
	f, err := c.expr(e)
	if err != nil {
		return operand{}, err
	}
	from, err := c.source(e)
	return operand{func(row []Value, _ *[]Move) (v Value, beyond workdays.Beyond, err error) {
		v, err = f(row)
		return v, beyond, err
	}, from}, err
}

// Related is a date of another series, for the rows of a series.
type Related struct {
	// Of gives it for a row: a blank if there is none, and the calendar that was asked
	// for it beyond what it knows.
	Of func(row []Value) (Value, workdays.Beyond, error)
	// Slot is the date of the row that it lies near, by Back and Forth days at most.
	Slot, Back, Forth int
}

// other compiles a date of another series.
func (c *compiler) other(e *phrase.Other) (operand, error) {
	text := phrase.ExprText(e)
	if c.Other == nil {
		return operand{}, c.fail(e.Span, "`"+text+"` is a date of another series and can't be used here",
			"use it in the milestones, `each`, `period` and texts of a series; put a name with a point in double quotes")
	}
	r, err := c.Other(e.Series, e.What)
	if err != nil {
		return operand{}, &phrase.Error{Phrase: c.text, Span: e.Span, Message: err.Error(), Err: err}
	}
	*c.looks = true
	return operand{func(row []Value, _ *[]Move) (Value, workdays.Beyond, error) { return r.Of(row) },
		[]Source{{Slot: r.Slot, Back: Reach{Days: r.Back}, Forth: Reach{Days: r.Forth}}}}, nil
}

// dated is operand for one that must be a date or blank; of a date with a time it gives
// the day.
func (c *compiler) dated(e phrase.Expr) (operand, error) {
	if err := c.want(e, Date); err != nil {
		return operand{}, err
	}
	o, err := c.operand(e)
	if err != nil {
		return o, err
	}
	read, do := c.dateIn(e), o.do
	o.do = func(row []Value, trace *[]Move) (Value, workdays.Beyond, error) {
		v, beyond, err := do(row, trace)
		if err != nil {
			return v, beyond, err
		}
		d, unsure, err := read(v)
		return dateValue(d, unsure), beyond, err
	}
	return o, nil
}

// won records that a choice took an operand, with what that did. Only dates are reported.
func (s *Step) won(v Value, inner []Move, trace *[]Move) {
	if v.Kind != Date && v.Kind != Moment || trace == nil {
		return
	}
	from := v.Day
	if len(inner) > 0 {
		from = inner[0].From
	}
	*trace = append(*trace, Move{Step: s, From: from, To: v.Day, Inner: inner})
}

// take works out the operand and records that a choice took it.
func (o operand) take(row []Value, trace *[]Move, why *Step) (Value, workdays.Beyond, error) {
	if trace == nil {
		return o.do(row, nil)
	}
	var inner []Move
	v, beyond, err := o.do(row, &inner)
	if err == nil {
		why.won(v, inner, trace)
	}
	return v, beyond, err
}

func chosenStep(words string, e phrase.Expr) *Step {
	return &Step{Text: words + phrase.ExprText(e), choice: true}
}

func (c *compiler) otherwise(e *phrase.Otherwise) (operand, error) {
	a, b, err := pair(c.operand, e.A, e.B)
	second := chosenStep(phrase.ExprText(e.A)+" is blank: ", e.B)
	return operand{func(row []Value, trace *[]Move) (Value, workdays.Beyond, error) {
		var inner []Move
		first := &inner
		if trace == nil {
			first = nil
		}
		if v, beyond, err := a.do(row, first); err != nil || !isBlank(v) {
			if trace != nil { // the usual case: what it did says enough
				*trace = append(*trace, inner...)
			}
			return v, beyond, err
		}
		return b.take(row, trace, second)
	}, append(a.from[:len(a.from):len(a.from)], b.from...)}, err
}

func (c *compiler) extreme(e *phrase.Extreme) (operand, error) {
	a, b, err := pair(c.dated, e.A, e.B)
	words := "the earlier is "
	if e.Later {
		words = "the later is "
	}
	first, second := chosenStep(words, e.A), chosenStep(words, e.B)
	return operand{func(row []Value, trace *[]Move) (Value, workdays.Beyond, error) {
		var one, other *[]Move
		if trace != nil {
			one, other = new([]Move), new([]Move)
		}
		x, beyond, err := a.do(row, one)
		if err != nil || x.Kind == Blank {
			return x, beyond, err
		}
		y, also, err := b.do(row, other)
		if err != nil || y.Kind == Blank {
			return y, also, err
		}
		won, moves, asked, why := x, one, beyond, first
		if y.Day > x.Day == e.Later {
			won, moves, asked, why = y, other, also, second
		}
		if trace != nil {
			why.won(won, *moves, trace)
		}
		// Which one wins rests on both.
		if !asked.Is() && !won.Unsure {
			asked = beyond.Or(also)
			won.Unsure = x.Unsure || y.Unsure
		}
		return won, asked, nil
	}, append(a.from[:len(a.from):len(a.from)], b.from...)}, err
}

// branched compiles an `if` that chooses a value.
func (c *compiler) branched(e *phrase.If) (operand, error) {
	cond, err := c.expr(e.Cond)
	if err != nil {
		return operand{}, err
	}
	then, err := c.operand(e.Then)
	if err != nil {
		return operand{}, err
	}
	otherwise := operand{do: func([]Value, *[]Move) (v Value, beyond workdays.Beyond, err error) { return v, beyond, nil }}
	thenWhy, elseWhy := chosenStep("if "+phrase.ExprText(e.Cond)+": ", e.Then), (*Step)(nil)
	if e.Else != nil {
		if a, b := c.kindOf(e.Then), c.kindOf(e.Else); a != b && a != AnyKind && b != AnyKind &&
			!(a <= Moment && b <= Moment) {
			return operand{}, c.fail(e.Span,
				"the branches of `if` have different kinds: "+kindNames[a]+" and "+kindNames[b], "")
		}
		if otherwise, err = c.operand(e.Else); err != nil {
			return operand{}, err
		}
		elseWhy = chosenStep("else: ", e.Else)
	}
	return operand{func(row []Value, trace *[]Move) (Value, workdays.Beyond, error) {
		v, err := cond(row)
		if err != nil {
			return v, workdays.Beyond{}, err
		}
		switch truthOf(v) {
		case unknown:
			return Value{}, workdays.Beyond{}, nil
		case yes:
			return then.take(row, trace, thenWhy)
		}
		return otherwise.take(row, trace, elseWhy)
	}, append(then.from[:len(then.from):len(then.from)], otherwise.from...)}, nil
}
