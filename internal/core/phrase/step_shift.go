package phrase

// Shift moves by joined amounts under one sign.
type Shift struct {
	Span
	Back    bool
	Parts   []Amount
	KeepEnd bool
	Using   *Using
}

// Lasting gives the last day of a span that begins on the base.
type Lasting struct {
	Span
	Amount
	Using *Using
}

var shiftForm = stepForm{ahead: func(p *parser) bool {
	t, next := p.peek(), p.ahead(1)
	if t.sign("-") { // -5 alone is a number
		after := p.ahead(2)
		return p.shiftAhead() || next.kind == tWord || next.kind == tNumber && after.kind == tWord && !reserved[after.word]
	}
	return t.sign("+")
},
	parse: (*parser).shift,
}

var lastingForm = stepForm{word: "lasting", ahead: func(p *parser) bool {
	next := p.ahead(1)
	return next.kind == tNumber || next.kind == tWord || next.kind == tQuoted
}, parse: (*parser).lasting}

// shiftAhead reports whether a sign, a number or name and a unit follow.
func (p *parser) shiftAhead() bool {
	if !p.peek().sign("+") && !p.peek().sign("-") {
		return false
	}
	n := p.ahead(1)
	if n.kind != tNumber && n.kind != tQuoted && (n.kind != tWord || reserved[n.word]) {
		return false
	}
	_, length := p.unitAt(2)
	return length > 0
}

// amount reads a whole number or name and a unit.
func (p *parser) amount(after string) Amount {
	t := p.take()
	var by Expr
	switch {
	case t.kind == tNumber:
		if t.n < 0 {
			fail(t.Span, "expected a whole number, found "+t.word, "")
		}
		by = &Number{t.Span, t.n, ""}
	case t.kind == tQuoted, t.kind == tWord && !reserved[t.word]:
		by = &Name{t.Span, p.nameText(t)}
	default:
		fail(t.Span, "expected a number or a name after "+after+p.found(t), "for example: +3 months, -2 working days")
	}
	u, length := p.unitAt(0)
	if length == 0 {
		w := p.peek()
		hint := "days, weeks, fortnights, months, quarters, half-years, years or working days"
		if w.kind == tWord {
			hint = meant(w.word, hint, []string{"days", "weeks", "fortnights", "months", "quarters", "half-years", "years",
				"working days"})
		}
		fail(w.Span, "expected a unit after the number"+p.found(w), hint)
	}
	p.i += length
	return Amount{by, u}
}

func (p *parser) shift() Step {
	t := p.take()
	s := &Shift{Back: t.word == "-", Parts: []Amount{p.amount("`" + t.word + "`")}}
	for n := p.peek(); n.kind == tNumber; n = p.peek() {
		if _, length := p.unitAt(1); length == 0 {
			break
		}
		s.Parts = append(s.Parts, p.amount("the units"))
	}
	ofMonths := false
	for _, a := range s.Parts {
		ofMonths = ofMonths || a.Unit.OfMonths()
		if a.Unit == WorkingDays && len(s.Parts) > 1 {
			fail(t.to(p.last()), "working days can't be joined with other units", "make it two steps, separated by a comma")
		}
	}
	if k := p.peek(); p.accept("keep") {
		if !p.accept("month", "end") {
			fail(k.Span, "expected `keep month end`", "")
		}
		if !ofMonths {
			fail(k.to(p.last()), "`keep month end` needs months, quarters or years", "")
		}
		s.KeepEnd = true
	}
	s.Using = p.stepUsing(s)
	s.Span = t.to(p.last())
	return s
}

func (p *parser) lasting() Step {
	t := p.take()
	a := p.amount("`lasting`")
	if n, ok := a.By.(*Number); ok && n.N < 1 {
		fail(n.Span, "a span must last 1 or more", "")
	}
	if p.peek().is("renewing") {
		return p.renewing(t, a)
	}
	l := &Lasting{Amount: a}
	l.Using = p.stepUsing(l)
	l.Span = t.to(p.last())
	return l
}

func (s *Shift) write(p *printer) {
	sign := "+"
	if s.Back {
		sign = "-"
	}
	p.put(sign)
	for i, a := range s.Parts {
		if i > 0 {
			p.put(" ")
		}
		a.write(p)
	}
	if s.KeepEnd {
		p.put(" keep month end")
	}
	s.Using.write(p)
}

func (l *Lasting) write(p *printer) { p.put("lasting "); l.Amount.write(p); l.Using.write(p) }

func (s *Shift) counts() (*Using, bool)   { return s.Using, s.Parts[0].Unit == WorkingDays }
func (l *Lasting) counts() (*Using, bool) { return l.Using, l.Unit == WorkingDays }
func (s *Shift) form() *stepForm          { return &shiftForm }
func (l *Lasting) form() *stepForm        { return &lastingForm }

func (s *Shift) reading() string {
	if s.Parts[0].Unit == WorkingDays {
		way := "after"
		if s.Back {
			way = "before"
		}
		if n, ok := s.Parts[0].By.(*Number); ok && n.N > 0 {
			return "the " + ordinalText(n.N) + " working day" + usingReading(s.Using) + " strictly " + way
		}
		return amountReading(s.Parts[0]) + usingReading(s.Using) + " " + way
	}
	var parts []string
	for _, a := range s.Parts {
		parts = append(parts, amountReading(a))
	}
	text := and(parts) + " later"
	if s.Back {
		text = and(parts) + " earlier"
	}
	if s.KeepEnd {
		text += ", a month's last day staying the last"
	}
	return text
}

func (s *Lasting) reading() string {
	return "the last day of " + amountReading(s.Amount) + usingReading(s.Using) + " that begin on that day"
}

func amountReading(a Amount) string {
	var p printer
	a.write(&p)
	return p.String()
}
