package phrase

import "strings"

// concatenation reads `A & B`.
func (p *parser) concatenation() Expr {
	a := p.formatted()
	for p.peek().isSign("&") {
		p.next()
		p.countOp()
		b := p.formatted()
		a = &Join{a.Pos().extendTo(b.Pos()), a, b}
	}
	return a
}

// formatted reads `A as '…'`.
func (p *parser) formatted() Expr {
	a := p.sum()
	for p.accept("as") {
		p.countOp()
		t := p.next()
		if t.kind != tText {
			failAt(t.Span, "expected a layout in single quotes after `as`"+p.describe(t), "for example: as '%d %b %Y'")
		}
		a = &Format{a.Pos().extendTo(t.Span), a, t.word}
	}
	return a
}

func (p *parser) sum() Expr {
	a := p.product()
	for t := p.peek(); t.isSign("+") || t.isSign("-"); t = p.peek() {
		p.next()
		p.countOp()
		b := p.product()
		a = &Arith{a.Pos().extendTo(b.Pos()), t.word[0], a, b}
	}
	return a
}

func (p *parser) product() Expr {
	a := p.power()
	for t := p.peek(); t.isSign("*") || t.isSign("/"); t = p.peek() {
		p.next()
		p.countOp()
		b := p.power()
		a = &Arith{a.Pos().extendTo(b.Pos()), t.word[0], a, b}
	}
	return a
}

// power reads `A ^ N`. What is read in two ways, -2 ^ 2 and a ^ b ^ c, is refused.
func (p *parser) power() Expr {
	start := p.peek()
	a := p.expr()
	if !p.peek().isSign("^") {
		return a
	}
	if start.isSign("-") {
		base := strings.TrimSpace(p.text[start.End:p.prevSpan().End])
		failAt(start.extendTo(p.prevSpan()), "`-"+base+" ^` can be read in two ways", "write (-"+base+") ^ … or 0 - "+base+" ^ …")
	}
	p.next()
	p.countOp()
	b := p.expr()
	if p.peek().isSign("^") {
		failAt(p.peek().Span, "`a ^ b ^ c` can be read in two ways", "write (a ^ b) ^ c or a ^ (b ^ c)")
	}
	return &Arith{a.Pos().extendTo(b.Pos()), '^', a, b}
}

// ifExpr reads `if C then X else Y`.
func (p *parser) ifExpr(t token) Expr {
	defer p.enter()()
	c := p.requireTruth(p.condition())
	p.expect("then", "the condition")
	i := &If{Cond: c, Then: p.branch()}
	if p.accept("else") {
		i.Else = p.branch()
	}
	i.Span = t.extendTo(p.prevSpan())
	return i
}

// branch reads a branch of `if`, which takes steps only in parentheses.
func (p *parser) branch() Expr {
	if t := p.peek(); p.accept("if") {
		return p.ifExpr(t)
	}
	if t := p.peek(); p.inChoice && p.peekDay() { // of the nominal date's year
		it, _ := p.dayOf(false)
		s := p.inYear(t.Span, it)
		return &Steps{s.Span, &Name{s.Span, "nominal"}, []Step{s}}
	}
	p.inBranch++
	defer func() { p.inBranch-- }()
	return p.concatenation()
}
