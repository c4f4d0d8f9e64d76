package phrase

// Shift moves by joined amounts under one sign.
type Shift struct {
	Span
	Backward bool
	Parts    []Amount
	KeepEnd  bool
	Using    *Using
}

// Lasting gives the last day of a span that begins on the base.
type Lasting struct {
	Span
	Amount
	Using *Using
}

func init() { addStep(&shiftForm, &lastingForm) }

var shiftForm = stepForm{peek: func(p *parser) bool {
	t, next := p.peek(), p.peekAt(1)
	if t.isSign("-") { // -5 alone is a number
		after := p.peekAt(2)
		return p.peekShift() || next.kind == tWord || next.kind == tNumber && after.kind == tWord && !reserved[after.word]
	}
	return t.isSign("+")
},
	parse: (*parser).shift,
}

var lastingForm = stepForm{word: "lasting", peek: func(p *parser) bool {
	next := p.peekAt(1)
	return next.kind == tNumber || next.kind == tWord || next.kind == tQuoted
}, parse: (*parser).lasting}

// peekShift reports whether a sign, a number or name and a unit follow.
func (p *parser) peekShift() bool {
	if !p.peek().isSign("+") && !p.peek().isSign("-") {
		return false
	}
	n := p.peekAt(1)
	if n.kind != tNumber && n.kind != tQuoted && (n.kind != tWord || reserved[n.word]) {
		return false
	}
	_, length := p.unitAt(2)
	return length > 0
}

// amount reads a whole number or name and a unit. With fromCell, a name may stand without a unit,
// which its cell then says.
func (p *parser) amount(after string, fromCell bool) Amount {
	t := p.next()
	var amount Expr
	switch {
	case t.kind == tNumber:
		if t.num < 0 {
			failAt(t.Span, "expected a whole number, found "+t.word, "")
		}
		amount = &Number{t.Span, t.num, ""}
	case t.kind == tQuoted, t.kind == tWord && !reserved[t.word]:
		amount = &Name{t.Span, p.nameText(t)}
	default:
		failAt(t.Span, "expected a number or a name after "+after+p.describe(t), "for example: +3 months, -2 working days")
	}
	u, length := p.unitAt(0)
	if _, named := amount.(*Name); named && fromCell && length == 0 && p.endsAmount() {
		return Amount{amount, CellUnit}
	}
	if length == 0 {
		w := p.peek()
		hint := "days, weeks, fortnights, months, quarters, half-years, years or working days"
		if w.kind == tWord {
			hint = didYouMean(w.word, hint, []string{"days", "weeks", "fortnights", "months", "quarters", "half-years", "years",
				"working days"})
		}
		failAt(w.Span, "expected a unit after the number"+p.describe(w), hint)
	}
	p.pos += length
	return Amount{amount, u}
}

// endsAmount reports whether what follows can't be a unit, rightly written or not.
func (p *parser) endsAmount() bool {
	t := p.peek()
	return t.kind != tWord || reserved[t.word] || t.isWord("keep", "renewing", "noticed")
}

func (p *parser) shift() Step {
	afterComma := p.pos > 0 && p.toks[p.pos-1].isSign(",") || p.pos > 1 && p.toks[p.pos-2].isWord("noticed")
	t := p.next()
	s := &Shift{Backward: t.word == "-", Parts: []Amount{p.amount("`"+t.word+"`", afterComma)}}
	for n := p.peek(); n.kind == tNumber && s.Parts[0].Unit != CellUnit; n = p.peek() {
		if _, length := p.unitAt(1); length == 0 {
			break
		}
		s.Parts = append(s.Parts, p.amount("the units", false))
	}
	ofMonths := false
	for _, a := range s.Parts {
		ofMonths = ofMonths || a.Unit.IsMonths() || a.Unit == CellUnit
		if a.Unit == WorkingDays && len(s.Parts) > 1 {
			failAt(t.extendTo(p.prevSpan()), "working days can't be joined with other units", "make it two steps, separated by a comma")
		}
	}
	if k := p.peek(); p.accept("keep") {
		if !p.accept("month", "end") {
			failAt(k.Span, "expected `keep month end`", "")
		}
		if !ofMonths {
			failAt(k.extendTo(p.prevSpan()), "`keep month end` needs months, quarters or years", "")
		}
		s.KeepEnd = true
	}
	s.Using = p.stepUsing(s)
	s.Span = t.extendTo(p.prevSpan())
	return s
}

func (p *parser) lasting() Step {
	t := p.next()
	a := p.amount("`lasting`", true)
	if n, ok := a.By.(*Number); ok && n.N < 1 {
		failAt(n.Span, "a span must last 1 or more", "")
	}
	if p.peek().isWord("renewing") {
		return p.renewing(t, a)
	}
	l := &Lasting{Amount: a}
	l.Using = p.stepUsing(l)
	l.Span = t.extendTo(p.prevSpan())
	return l
}

func (s *Shift) write(p *printer) {
	sign := "+"
	if s.Backward {
		sign = "-"
	}
	p.writeStrings(sign)
	for i, a := range s.Parts {
		if i > 0 {
			p.writeStrings(" ")
		}
		a.write(p)
	}
	if s.KeepEnd {
		p.writeStrings(" keep month end")
	}
	s.Using.write(p)
}

func (l *Lasting) write(p *printer) { p.writeStrings("lasting "); l.Amount.write(p); l.Using.write(p) }

func (s *Shift) calendarUse() (*Using, bool)   { return s.Using, s.Parts[0].Unit == WorkingDays }
func (l *Lasting) calendarUse() (*Using, bool) { return l.Using, l.Unit == WorkingDays }
func (s *Shift) form() *stepForm               { return &shiftForm }
func (l *Lasting) form() *stepForm             { return &lastingForm }

func (s *Shift) reading() string {
	if s.Parts[0].Unit == WorkingDays {
		way := "after"
		if s.Backward {
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
	if s.Parts[0].Unit == CellUnit {
		parts = []string{"as long as " + parts[0] + " says"}
	}
	text := joinAnd(parts) + " later"
	if s.Backward {
		text = joinAnd(parts) + " earlier"
	}
	if s.KeepEnd {
		text += ", a month's last day staying the last"
	}
	return text
}

func (s *Lasting) reading() string {
	if s.Unit == CellUnit {
		return "the last day of a span that begins on that day and is as long as " + amountReading(s.Amount) + " says"
	}
	return "the last day of " + amountReading(s.Amount) + usingReading(s.Using) + " that " + begins(s.Amount) + " on that day"
}

func amountReading(a Amount) string {
	var p printer
	a.write(&p)
	return p.String()
}

// begins agrees with an amount: 1 month begins, 2 months begin.
func begins(a Amount) string {
	if n, ok := a.By.(*Number); ok && n.Text() == "1" {
		return "begins"
	}
	return "begin"
}
