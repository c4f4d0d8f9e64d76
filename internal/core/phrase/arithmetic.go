package phrase

import "strings"

// joined reads `A & B`.
func (p *parser) joined() Expr {
	a := p.formatted()
	for p.peek().sign("&") {
		p.take()
		p.op()
		b := p.formatted()
		a = &Join{a.Pos().to(b.Pos()), a, b}
	}
	return a
}

// formatted reads `A as '…'`.
func (p *parser) formatted() Expr {
	a := p.sum()
	for p.accept("as") {
		p.op()
		t := p.take()
		if t.kind != tText {
			fail(t.Span, "expected a layout in single quotes after `as`"+p.found(t), "for example: as '%d %b %Y'")
		}
		a = &Format{a.Pos().to(t.Span), a, t.word}
	}
	return a
}

func (p *parser) sum() Expr {
	a := p.product()
	for t := p.peek(); t.sign("+") || t.sign("-"); t = p.peek() {
		p.take()
		p.op()
		b := p.product()
		a = &Arith{a.Pos().to(b.Pos()), t.word[0], a, b}
	}
	return a
}

func (p *parser) product() Expr {
	a := p.power()
	for t := p.peek(); t.sign("*") || t.sign("/"); t = p.peek() {
		p.take()
		p.op()
		b := p.power()
		a = &Arith{a.Pos().to(b.Pos()), t.word[0], a, b}
	}
	return a
}

// power reads `A ^ N`. What is read in two ways, -2 ^ 2 and a ^ b ^ c, is refused.
func (p *parser) power() Expr {
	start := p.peek()
	a := p.expr()
	if !p.peek().sign("^") {
		return a
	}
	if start.sign("-") {
		base := strings.TrimSpace(p.text[start.End:p.last().End])
		fail(start.to(p.last()), "`-"+base+" ^` can be read in two ways", "write (-"+base+") ^ … or 0 - "+base+" ^ …")
	}
	p.take()
	p.op()
	b := p.expr()
	if p.peek().sign("^") {
		fail(p.peek().Span, "`a ^ b ^ c` can be read in two ways", "write (a ^ b) ^ c or a ^ (b ^ c)")
	}
	return &Arith{a.Pos().to(b.Pos()), '^', a, b}
}

// choice reads `if C then X else Y`.
func (p *parser) choice(t token) Expr {
	defer p.nest()()
	c := p.truth(p.condition())
	p.expect("then", "the condition")
	i := &If{Cond: c, Then: p.branch()}
	if p.accept("else") {
		i.Else = p.branch()
	}
	i.Span = t.to(p.last())
	return i
}

// branch reads a branch of `if`, which takes steps only in parentheses.
func (p *parser) branch() Expr {
	if t := p.peek(); p.accept("if") {
		return p.choice(t)
	}
	if t := p.peek(); p.choosing && p.dayAhead() { // of the nominal date's year
		it, _ := p.dayOf(false)
		s := p.inYear(t.Span, it)
		return &Steps{s.Span, &Name{s.Span, "nominal"}, []Step{s}}
	}
	p.bare++
	defer func() { p.bare-- }()
	return p.joined()
}
