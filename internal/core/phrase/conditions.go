package phrase

import "strings"

// The nodes of conditions, and texts.
type (
	// Text is a text in single quotes.
	Text struct {
		Span
		S string
	}
	// Compare is A op B; Op is one of = != < <= > >= contains, starts with.
	Compare struct {
		Span
		Op   string
		A, B Expr
	}
	// In asks whether A is one of a list.
	In struct {
		Span
		A    Expr
		List []Expr
		Not  bool
	}
	// Between asks whether A lies from B to C, both included.
	Between struct {
		Span
		A, B, C Expr
		Not     bool
	}
	// IsBlank asks whether A is blank.
	IsBlank struct {
		Span
		A   Expr
		Not bool
	}
	// Not is true if A is false.
	Not struct {
		Span
		A Expr
	}
	// Logic joins two conditions by and or or.
	Logic struct {
		Span
		Or   bool
		A, B Expr
	}
)

// ParseCondition reads a phrase that must be a condition.
func ParseCondition(text string) (Expr, error) {
	e, err := ParseExpr(text)
	if err == nil && !isTruth(e) {
		err = &Error{Phrase: strings.TrimSpace(text), Span: e.Pos(),
			Message: "expected a condition, which is true or false",
			Hint:    "for example: summary contains 'closed'"}
	}
	return e, err
}

// IsCondition reports whether an expression is true or false.
func IsCondition(e Expr) bool {
	switch e.(type) {
	case *Compare, *In, *Between, *IsBlank, *Not, *Logic:
		return true
	}
	return false
}

// isTruth reports whether an expression is true or false, a measure included.
func isTruth(e Expr) bool {
	part, ok := e.(*Part)
	return IsCondition(e) || ok && part.What.Gives == GivesTruth
}

// condition reads `or`, the loosest of all.
func (p *parser) condition() Expr {
	a := p.conjunction()
	for p.peek().is("or") {
		p.op()
		p.truth(a)
		p.take()
		b := p.truth(p.conjunction())
		a = &Logic{a.Pos().to(b.Pos()), true, a, b}
	}
	return a
}

func (p *parser) conjunction() Expr {
	a := p.negation()
	for p.peek().is("and") {
		p.op()
		p.truth(a)
		p.take()
		b := p.truth(p.negation())
		a = &Logic{a.Pos().to(b.Pos()), false, a, b}
	}
	return a
}

// truth refuses what is neither true nor false, such as a date before `and`. A
// name may be a column that is.
func (p *parser) truth(e Expr) Expr {
	if _, name := e.(*Name); !name && !isTruth(e) {
		fail(e.Pos(), "this is not a condition", "for example: ends < today, unit = 'Harbour'")
	}
	return e
}

func (p *parser) negation() Expr {
	if t := p.peek(); p.accept("not") {
		defer p.nest()()
		a := p.truth(p.negation())
		return &Not{t.to(a.Pos()), a}
	}
	return p.comparison()
}

func (p *parser) comparison() Expr {
	a := p.joined()
	t := p.peek()
	not := t.is("not") && p.ahead(1).is("in", "between")
	if not {
		p.take()
	}
	switch {
	case t.kind == tSign && strings.Contains("= != < <= > >=", t.word) && t.word != "!":
		p.take()
		b := p.joined()
		for _, side := range []Expr{a, b} {
			if text, ok := side.(*Text); ok && text.S == "" {
				blank := map[string]string{"=": "is blank", "!=": "is not blank"}[t.word]
				if blank == "" {
					blank = "is blank"
				}
				fail(side.Pos(), "an empty text is blank, and a blank can't be compared", "write `"+blank+"`")
			}
		}
		if n := p.peek(); n.kind == tSign && strings.Contains("= != < <= > >=", n.word) {
			fail(n.Span, "a comparison has only two sides", "join two of them with `and`, or write `between A and B`")
		}
		return &Compare{a.Pos().to(b.Pos()), t.word, a, b}
	case p.accept("contains"):
		b := p.joined()
		return &Compare{a.Pos().to(b.Pos()), "contains", a, b}
	case p.accept("starts", "with"):
		b := p.joined()
		return &Compare{a.Pos().to(b.Pos()), "starts with", a, b}
	case p.accept("is"):
		not = p.accept("not")
		if !p.accept("blank") {
			fail(p.peek().Span, "expected `blank` after `is`"+p.found(p.peek()), "compare two values with =")
		}
		return &IsBlank{a.Pos().to(p.last()), a, not}
	case p.accept("between"):
		b := p.joined()
		p.expect("and", "`between A`")
		c := p.joined()
		return &Between{a.Pos().to(c.Pos()), a, b, c, not}
	case p.accept("in"):
		if !p.peek().sign("(") {
			fail(p.peek().Span, "expected a list in parentheses after `in`"+p.found(p.peek()),
				"for example: in ('Harbour', 'Yard')")
		}
		p.take()
		var list []Expr
		p.list(func() { list = append(list, p.base()) })
		if !p.peek().sign(")") {
			fail(p.peek().Span, "expected `)`"+p.found(p.peek()), "")
		}
		p.take()
		for range list {
			p.op()
		}
		return &In{a.Pos().to(p.last()), a, list, not}
	}
	return a
}

func (t *Text) write(p *printer) { p.put("'", strings.ReplaceAll(t.S, "'", "''"), "'") }

// part writes a side of a condition; conditions inside are in parentheses
// where they bind looser.
func part(p *printer, e Expr) {
	if IsCondition(e) {
		p.put("(")
		e.write(p)
		p.put(")")
		return
	}
	e.write(p)
}

func (c *Compare) write(p *printer) {
	part(p, c.A)
	p.put(" ", c.Op, " ")
	part(p, c.B)
}

func (i *In) write(p *printer) {
	part(p, i.A)
	if i.Not {
		p.put(" not")
	}
	p.put(" in (")
	for k, e := range i.List {
		if k > 0 {
			p.put(", ")
		}
		operandOrOtherwise(p, e)
	}
	p.put(")")
}

func operandOrOtherwise(p *printer, e Expr) {
	if _, ok := e.(*Otherwise); ok {
		e.write(p)
		return
	}
	operand(p, e)
}

func (b *Between) write(p *printer) {
	part(p, b.A)
	if b.Not {
		p.put(" not")
	}
	p.put(" between ")
	part(p, b.B)
	p.put(" and ")
	part(p, b.C)
}

func (i *IsBlank) write(p *printer) {
	part(p, i.A)
	p.put(map[bool]string{true: " is not blank", false: " is blank"}[i.Not])
}

func (n *Not) write(p *printer) {
	p.put("not ")
	if _, loose := n.A.(*Logic); loose {
		part(p, n.A)
		return
	}
	n.A.write(p)
}

func (l *Logic) write(p *printer) {
	side := func(e Expr, right bool) {
		inner, nested := e.(*Logic)
		if nested && (inner.Or && !l.Or || right) {
			part(p, e)
			return
		}
		e.write(p)
	}
	side(l.A, false)
	p.put(map[bool]string{true: " or ", false: " and "}[l.Or])
	side(l.B, true)
}
