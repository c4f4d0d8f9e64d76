package eval

import (
	"fmt"
	"slices"
	"unicode/utf8"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/phrase"
)

// Compile compiles an expression. base is what leading steps start from; nil
// where the place supplies none. Errors are of type *phrase.Error.
func Compile(text string, base *phrase.Name, env Env) (*Program, error) {
	e, err := phrase.ParseExprOf(text, env.knows)
	if err != nil {
		return nil, err
	}
	c := newCompiler(text, env)
	p, err := c.program(e, base)
	if err == nil {
		n, open := e.(*phrase.If)
		p.mayBeBlank = *c.usesSeries || open && n.Else == nil
		if base == nil && p.zone == nil && p.choice == nil {
			p.columnFunc = c.columnFuncOf(e, p)
		}
	}
	return p, err
}

// IsName reports whether a phrase is no more than a name, in quotes or without.
func IsName(text string, env Env) bool {
	e, err := phrase.ParseExprOf(text, env.knows)
	_, name := e.(*phrase.Name)
	return err == nil && name
}

// CompileDate compiles an expression that must give a date or a blank: a cell
// that is no date is an error, as it is where a phrase takes one.
func CompileDate(text string, env Env) (*Program, error) {
	e, err := phrase.ParseExprOf(text, env.knows)
	if err != nil {
		return nil, err
	}
	return CompileParsedDate(text, e, env)
}

// CompileParsedDate is CompileDate for a phrase that was parsed before, for one that is compiled for
// many places.
func CompileParsedDate(text string, e phrase.Expr, env Env) (_ *Program, err error) {
	c := newCompiler(text, env)
	if _, steps := e.(*phrase.Steps); steps {
		return c.program(e, nil)
	}
	p := &Program{Text: phrase.ExprText(e), kind: Date}
	if p.date, err = c.dateOf(e); err != nil {
		return nil, err
	}
	return p, nil
}

// CompileRangeEnd is CompileDate for an end of a range: it keeps the half of the day that a cell or
// a time names.
func CompileRangeEnd(text string, env Env) (*Program, error) {
	e, err := phrase.ParseExprOf(text, env.knows)
	if err != nil {
		return nil, err
	}
	c := newCompiler(text, env)
	if _, steps := e.(*phrase.Steps); steps {
		return c.program(e, nil)
	}
	p := &Program{Text: phrase.ExprText(e), kind: Date}
	p.value, err = c.rangeEnd(e)
	return p, err
}

func (c *compiler) program(e phrase.Expr, base *phrase.Name) (*Program, error) {
	p := &Program{Text: phrase.ExprText(e), kind: c.kindOf(e)}
	s, ok := e.(*phrase.Steps)
	var err error
	if !ok {
		if isChoice(e) {
			o, err := c.operand(e)
			if err != nil {
				return nil, err
			}
			p.choice, p.sources = o.eval, o.sources
			return p, nil
		}
		if p.sources, err = c.sourcesOf(e); err != nil {
			return nil, err
		}
		if p.integer, err = c.intMeasure(e); p.integer == nil && err == nil {
			p.value, err = c.expr(e)
		}
		if err != nil {
			return nil, err
		}
		return p, nil
	}
	if _, ok := s.List[len(s.List)-1].(*phrase.InZone); ok {
		return c.zonedProgram(s, base)
	}
	of := s.Base
	switch {
	case of != nil:
	case base != nil:
		of = base
	default:
		return nil, c.fail(s.List[0].Pos(), "this step has no date to start from",
			"put a date, a name or `today` and a comma before it")
	}
	if isChoice(of) {
		o, err := c.momentOperand(of)
		if err != nil {
			return nil, err
		}
		p.choice, p.sources = o.eval, o.sources
	} else if p.date, err = c.dateOf(of); err != nil {
		return nil, err
	} else if p.sources, err = c.sourcesOf(of); err != nil {
		return nil, err
	}
	if p.chain, err = c.chain(s.List); err != nil {
		return nil, err
	}
	p.sources = slices.Clone(p.sources)
	for i := range p.sources {
		f := &p.sources[i]
		f.ReachBack, f.ReachForward = f.ReachBack.Add(p.chain.ReachBack), f.ReachForward.Add(p.chain.ReachForward)
		f.Chains = append(slices.Clone(f.Chains), p.chain)
	}
	return p, nil
}

// expr compiles an expression to a function of the row.
func (c *compiler) expr(e phrase.Expr) (func([]Value) (Value, error), error) {
	c.countOps(1)
	switch e := e.(type) {
	case *phrase.Date:
		v := Day(e.Day)
		return func([]Value) (Value, error) { return v, nil }, nil
	case *phrase.Number:
		v := Int(e.N)
		if e.Dec != "" {
			v, _ = parseNumber(e.Dec)
		}
		return func([]Value) (Value, error) { return v, nil }, nil
	case *phrase.Today:
		v := Day(c.Today)
		return func([]Value) (Value, error) { return v, nil }, nil
	case *phrase.Name:
		i, err := c.slot(e)
		if err == nil {
			c.noteSlot(c.Uses.Cells, i)
		}
		return func(row []Value) (Value, error) { return row[i], nil }, err
	}
	if isChoice(e) {
		o, err := c.operand(e)
		return func(row []Value) (Value, error) {
			v, beyond, err := o.eval(row, nil)
			c.record(beyond)
			return v, err
		}, err
	}
	switch e := e.(type) {
	case *phrase.Text:
		v := Value{Kind: Text, Text: e.Value}
		return func([]Value) (Value, error) { return v, nil }, nil
	case *phrase.Join:
		return c.join(e)
	}
	return c.measure(e)
}

// join compiles texts joined by &, a whole chain of them at once.
func (c *compiler) join(e *phrase.Join) (valueFunc, error) {
	var list []phrase.Expr
	first := phrase.Expr(e)
	for link, ok := e, true; ok; link, ok = first.(*phrase.Join) {
		list, first = append(list, link.B), link.A
	}
	list = append(list, first)
	slices.Reverse(list)
	parts := make([]valueFunc, len(list))
	for i, part := range list {
		var err error
		if parts[i], err = c.expr(part); err != nil {
			return nil, err
		}
	}
	return func(row []Value) (Value, error) {
		var room [128]byte
		b := room[:0]
		for i, part := range parts {
			v, err := part(row)
			if err != nil {
				return Value{}, err
			}
			if b = append(b, v.String()...); len(b) > phrase.MaxText && utf8.RuneCount(b) > phrase.MaxText {
				return Value{}, c.fail(list[i].Pos(), phrase.TextTooLongMessage, "join fewer texts, or take a part of them")
			}
		}
		return Str(string(b)), nil
	}, nil
}

// countOps counts operations.
func (c *compiler) countOps(n int) {
	if c.OpCount != nil {
		*c.OpCount += n
	}
}

// noteSlot adds a slot to a list that the place wants to know.
func (c *compiler) noteSlot(list *[]int, slot int) {
	if list != nil && !slices.Contains(*list, slot) {
		*list = append(*list, slot)
	}
}

func compilePair[F any](one func(phrase.Expr) (F, error), a, b phrase.Expr) (x, y F, err error) {
	if x, err = one(a); err == nil {
		y, err = one(b)
	}
	return x, y, err
}

// NotDateError is a cell that was taken as a date and isn't an ISO one.
type NotDateError struct {
	Column, Text string
	Form         string // that it was declared in; "" where it should be ISO
}

// Error says so.
func (e *NotDateError) Error() string {
	if e.Form != "" {
		return fmt.Sprintf("expected a date written as %[2]s, found %[1]q", Truncate(e.Text), e.Form)
	}
	return fmt.Sprintf("`%[2]s`: expected an ISO date, found %[1]q", Truncate(e.Text), e.Column)
}

// dateOf compiles an operand that must be a date or blank; steps go by the day
// of a date with a time.
func (c *compiler) dateOf(e phrase.Expr) (dateFunc, error) {
	if err := c.requireKind(e, Date); err != nil {
		return nil, err
	}
	f, err := c.expr(e)
	if err != nil {
		return nil, err
	}
	dateIn := c.dateIn(e)
	switch e := e.(type) {
	case *phrase.Name:
		slot, _ := c.slot(e)
		return func(row []Value) (civil.Date, bool, error) {
			cell := &row[slot]
			if cell.Kind == Date {
				return cell.Day, cell.Provisional, nil
			}
			if cell.Kind == Text {
				if d, ok := civil.ParseDay(cell.Text); ok { // read once; it prints the same
					cell.Kind, cell.Day, cell.Text = Date, d, ""
					return d, false, nil
				}
			}
			return dateIn(*cell)
		}, nil
	case *phrase.Today:
		return func([]Value) (civil.Date, bool, error) { return c.Today, false, nil }, nil
	}
	return func(row []Value) (civil.Date, bool, error) {
		v, err := f(row)
		if err != nil {
			return civil.None, false, err
		}
		return dateIn(v)
	}, nil
}

// dateIn reads the date that an operand gives; anything else is an error.
func (c *compiler) dateIn(e phrase.Expr) func(v Value) (civil.Date, bool, error) {
	column := c.dateColumn(e)
	return func(v Value) (civil.Date, bool, error) {
		if d, ok := asDay(v); ok || isBlank(v) {
			return d, v.Provisional, nil
		}
		return civil.None, false, &phrase.Error{Phrase: c.text, Span: e.Pos(),
			Message: fmt.Sprintf("expected a date, found %q", Truncate(v.String())),
			Err:     &NotDateError{Column: column, Text: v.String()}}
	}
}

// dateColumn notes the columns that a date comes from and returns the first; ""
// where it comes from none.
func (c *compiler) dateColumn(e phrase.Expr) (name string) {
	switch e := e.(type) {
	case *phrase.Name:
		if i, err := c.slot(e); err == nil {
			c.noteSlot(c.Uses.Dates, i)
		}
		return e.Text
	case *phrase.Otherwise:
		name = c.dateColumn(e.A)
		c.dateColumn(e.B)
	case *phrase.If:
		name = c.dateColumn(e.Then)
		if e.Else != nil {
			c.dateColumn(e.Else)
		}
	}
	return name
}

// numberColumn notes the columns that a number comes from.
func (c *compiler) numberColumn(e phrase.Expr) {
	switch e := e.(type) {
	case *phrase.Name:
		if i, err := c.slot(e); err == nil {
			c.noteSlot(c.Uses.Numbers, i)
		}
	case *phrase.Otherwise:
		c.numberColumn(e.A)
		c.numberColumn(e.B)
	case *phrase.If:
		c.numberColumn(e.Then)
		if e.Else != nil {
			c.numberColumn(e.Else)
		}
	}
}

// amount compiles a whole number; a blank name gives none.
func (c *compiler) amount(e phrase.Expr) (intFunc, error) {
	if n, ok := e.(*phrase.Number); ok {
		return func([]Value) (int, bool, error) { return n.N, false, nil }, nil
	}
	if err := c.requireKind(e, Number); err != nil {
		return nil, err
	}
	c.numberColumn(e)
	f, err := c.expr(e)
	if err != nil {
		return nil, err
	}
	whole := func(row []Value) (int, bool, error) {
		cell, err := f(row)
		if err != nil || isBlank(cell) {
			return 0, true, err
		}
		n, ok := asWhole(cell)
		if !ok {
			return 0, false, c.notNumber(e, "a whole number", cell)
		}
		return n, false, nil
	}
	name, ok := e.(*phrase.Name)
	if !ok {
		return whole, nil
	}
	slot, err := c.slot(name)
	return func(row []Value) (int, bool, error) { // most amounts are a few digits of a cell
		cell := &row[slot]
		if n, ok := ParseSmallInt(cell.Text); ok && cell.Kind == Text && cell.Format == NoFormat {
			return n, false, nil
		}
		return whole(row)
	}, err
}

// asWhole takes a cell as a whole number within any calendar.
func asWhole(cell Value) (n int, ok bool) {
	v := normalize(cell)
	if v.Kind != Number || v.Den != 0 || v.Text != "" || v.Num > int64(civil.Max) || v.Num < -int64(civil.Max) {
		return 0, false
	}
	return int(v.Num), true
}

// ParseSmallInt reads a number of up to six digits, which is within any calendar; ok is false for
// other texts.
func ParseSmallInt(s string) (n int, ok bool) {
	if s == "" || len(s) > 6 {
		return 0, false
	}
	for i := range len(s) {
		c := s[i] - '0'
		if c > 9 {
			return 0, false
		}
		n = n*10 + int(c)
	}
	return n, true
}
