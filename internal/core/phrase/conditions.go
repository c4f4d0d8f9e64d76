package phrase

import "strings"

// The nodes of conditions, and texts.
type (
	// Text is a text in single quotes.
	Text struct {
		Span
		Value string
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

// isCondition reports whether an expression is true or false.
func isCondition(e Expr) bool {
	switch e.(type) {
	case *Compare, *In, *Between, *IsBlank, *Not, *Logic:
		return true
	}
	return false
}

// isTruth reports whether an expression is true or false, a measure included.
func isTruth(e Expr) bool {
	part, ok := e.(*Part)
	return isCondition(e) || ok && part.What.Result == TruthResult
}

// condition reads `or`, the loosest of all.
func (p *parser) condition() Expr {
	a := p.conjunction()
	for p.peek().isWord("or") {
		p.countOp()
		p.requireTruth(a)
		p.next()
		b := p.requireTruth(p.conjunction())
		a = &Logic{a.Pos().extendTo(b.Pos()), true, a, b}
	}
	return a
}

func (p *parser) conjunction() Expr {
	a := p.negation()
	for p.peek().isWord("and") {
		p.countOp()
		p.requireTruth(a)
		p.next()
		b := p.requireTruth(p.negation())
		a = &Logic{a.Pos().extendTo(b.Pos()), false, a, b}
	}
	return a
}

// requireTruth refuses what is neither true nor false, such as a date before `and`. A
// name may be a column that is.
func (p *parser) requireTruth(e Expr) Expr {
	if _, name := e.(*Name); !name && !isTruth(e) {
		failAt(e.Pos(), "this is not a condition", "for example: ends < today, unit = 'Harbour'")
	}
	return e
}

func (p *parser) negation() Expr {
	if t := p.peek(); p.accept("not") {
		defer p.enter()()
		a := p.requireTruth(p.negation())
		return &Not{t.extendTo(a.Pos()), a}
	}
	return p.comparison()
}

func (p *parser) comparison() Expr {
	a := p.concatenation()
	t := p.peek()
	not := t.isWord("not") && p.peekAt(1).isWord("in", "between")
	if not {
		p.next()
	}
	switch {
	case t.kind == tSign && strings.Contains("= != < <= > >=", t.word) && t.word != "!":
		p.next()
		b := p.concatenation()
		for _, side := range []Expr{a, b} {
			if text, ok := side.(*Text); ok && text.Value == "" {
				blank := map[string]string{"=": "is blank", "!=": "is not blank"}[t.word]
				if blank == "" {
					blank = "is blank"
				}
				failAt(side.Pos(), "an empty text is blank, and a blank can't be compared", "write `"+blank+"`")
			}
		}
		if n := p.peek(); n.kind == tSign && strings.Contains("= != < <= > >=", n.word) {
			failAt(n.Span, "a comparison has only two sides", "join two of them with `and`, or write `between A and B`")
		}
		return &Compare{a.Pos().extendTo(b.Pos()), t.word, a, b}
	case p.accept("contains"):
		b := p.concatenation()
		return &Compare{a.Pos().extendTo(b.Pos()), "contains", a, b}
	case p.accept("starts", "with"):
		b := p.concatenation()
		return &Compare{a.Pos().extendTo(b.Pos()), "starts with", a, b}
	case p.accept("is"):
		not = p.accept("not")
		if !p.accept("blank") {
			failAt(p.peek().Span, "expected `blank` after `is`"+p.describe(p.peek()), "compare two values with =")
		}
		return &IsBlank{a.Pos().extendTo(p.prevSpan()), a, not}
	case p.accept("between"):
		b := p.concatenation()
		p.expect("and", "`between A`")
		c := p.concatenation()
		return &Between{a.Pos().extendTo(c.Pos()), a, b, c, not}
	case p.accept("in"):
		if !p.peek().isSign("(") {
			failAt(p.peek().Span, "expected a list in parentheses after `in`"+p.describe(p.peek()),
				"for example: in ('Harbour', 'Yard')")
		}
		p.next()
		var list []Expr
		p.commaList(func() { list = append(list, p.base()) })
		if !p.peek().isSign(")") {
			failAt(p.peek().Span, "expected `)`"+p.describe(p.peek()), "")
		}
		p.next()
		for range list {
			p.countOp()
		}
		return &In{a.Pos().extendTo(p.prevSpan()), a, list, not}
	}
	return a
}

func (t *Text) write(p *printer) { p.writeStrings("'", strings.ReplaceAll(t.Value, "'", "''"), "'") }

// writeOperandOf writes a side of a condition; conditions inside are in parentheses
// where they bind looser.
func writeOperandOf(p *printer, e Expr) {
	if isCondition(e) {
		p.writeStrings("(")
		e.write(p)
		p.writeStrings(")")
		return
	}
	e.write(p)
}

func (c *Compare) write(p *printer) {
	writeOperandOf(p, c.A)
	p.writeStrings(" ", c.Op, " ")
	writeOperandOf(p, c.B)
}

func (i *In) write(p *printer) {
	writeOperandOf(p, i.A)
	if i.Not {
		p.writeStrings(" not")
	}
	p.writeStrings(" in (")
	for k, e := range i.List {
		if k > 0 {
			p.writeStrings(", ")
		}
		writeOtherwise(p, e)
	}
	p.writeStrings(")")
}

func writeOtherwise(p *printer, e Expr) {
	if _, ok := e.(*Otherwise); ok {
		e.write(p)
		return
	}
	writeOperand(p, e)
}

func (b *Between) write(p *printer) {
	writeOperandOf(p, b.A)
	if b.Not {
		p.writeStrings(" not")
	}
	p.writeStrings(" between ")
	writeOperandOf(p, b.B)
	p.writeStrings(" and ")
	writeOperandOf(p, b.C)
}

func (i *IsBlank) write(p *printer) {
	writeOperandOf(p, i.A)
	p.writeStrings(map[bool]string{true: " is not blank", false: " is blank"}[i.Not])
}

func (n *Not) write(p *printer) {
	p.writeStrings("not ")
	if _, loose := n.A.(*Logic); loose {
		writeOperandOf(p, n.A)
		return
	}
	n.A.write(p)
}

func (l *Logic) write(p *printer) {
	side := func(e Expr, right bool) {
		inner, nested := e.(*Logic)
		if nested && (inner.Or && !l.Or || right) {
			writeOperandOf(p, e)
			return
		}
		e.write(p)
	}
	side(l.A, false)
	p.writeStrings(map[bool]string{true: " or ", false: " and "}[l.Or])
	side(l.B, true)
}
