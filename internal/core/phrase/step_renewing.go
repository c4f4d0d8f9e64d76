package phrase

import "slices"

// Renewing gives the end of a term that renews itself: of the ends of a span that begins
// on the base and lasts First, then Every longer each time, the first that is on or after
// a date; with Notice, the first whose day so shifted is.
type Renewing struct {
	Span
	First, Every Amount
	Using        *Using
	Notice       []Step
	Of           Expr
}

// renewing reads what follows `lasting N months` where a term renews itself.
func (p *parser) renewing(t token, first Amount) Step {
	p.take()
	r := &Renewing{First: first}
	p.expect("every", "`renewing`")
	at := p.peek()
	r.Every = p.amount("`every`")
	kind := func(u Unit) int {
		switch {
		case u == WorkingDays:
			return 2
		case u.OfMonths():
			return 1
		}
		return 0
	}
	if kind(first.Unit) != kind(r.Every.Unit) {
		fail(at.to(p.last()), "a term and its renewal need the same kind of unit: months, days or working days",
			"for example: lasting 12 months renewing every 6 months")
	}
	if n, ok := r.Every.By.(*Number); ok && n.N < 1 {
		fail(n.Span, "a renewal must last 1 or more", "")
	}
	r.Using = p.stepUsing(r)
	if p.accept("noticed") {
		if !p.peek().sign("(") {
			fail(p.peek().Span, "expected steps in parentheses after `noticed`"+p.found(p.peek()),
				"for example: noticed (-3 months, roll preceding)")
		}
		p.take()
		r.Notice = p.steps()
		if !p.peek().sign(")") {
			fail(p.peek().Span, "expected `)`"+p.found(p.peek()), "")
		}
		p.take()
		for _, s := range r.Notice {
			switch s.(type) {
			case *Shift, *Roll:
			default:
				fail(s.Pos(), "a notice takes only `+` and `-` steps and rolls",
					"for example: noticed (-3 months, roll preceding)")
			}
		}
	}
	if !p.accept("on", "or", "after") {
		fail(p.peek().Span, "expected `on or after` and a date"+p.found(p.peek()),
			"for example: renewing every 12 months on or after today")
	}
	r.Of = p.sideOf("a date, a name or `today`")
	r.Span = t.to(p.last())
	return r
}

// sideOf reads the date that something is on or after. A sign or `otherwise` behind it
// could belong to either side, so that it must be said.
func (p *parser) sideOf(want string) Expr {
	from := p.peek()
	e := p.operand(want)
	d := p.text[from.Start:p.last().End]
	t := p.peek()
	switch {
	case p.shiftAhead():
		rest := p.text[t.Start:]
		fail(t.Span, "it is unclear what this shifts",
			"write `, "+rest+"` to shift the result, or `("+d+" "+rest+")` to shift the date before it")
	case t.is("otherwise"):
		fail(t.Span, "`otherwise` here needs parentheses", "write `("+d+" "+p.text[t.Start:]+")`")
	}
	return e
}

func (r *Renewing) write(p *printer) {
	p.put("lasting ")
	r.First.write(p)
	p.put(" renewing every ")
	r.Every.write(p)
	r.Using.write(p)
	if r.Notice != nil {
		p.put(" noticed (")
		for i, s := range r.Notice {
			if i > 0 {
				p.put(", ")
			}
			s.write(p)
		}
		p.put(")")
	}
	p.put(" on or after ")
	operand(p, r.Of)
}

var renewingForm = stepForm{named: "renewing", alone: endless} // lasting reads it

func (r *Renewing) counts() (*Using, bool) {
	return r.Using, r.First.Unit == WorkingDays || slices.ContainsFunc(r.Notice, Counting)
}
func (r *Renewing) form() *stepForm { return &renewingForm }

func (r *Renewing) reading() string {
	text := "the end of the term, which lasts " + amountReading(r.First) + usingReading(r.Using) +
		" and renews itself for " + amountReading(r.Every) + " each time, "
	if r.Notice != nil {
		return text + "that can still be ended on " + exprReading(r.Of) + ", by a notice (" + stepsReading(r.Notice) + ")"
	}
	return text + "that runs on " + exprReading(r.Of)
}

// StepsIn are the steps that a cell of a row holds.
type StepsIn struct {
	Span
	Column Name
}

var stepsInForm = stepForm{named: "steps in",
	alone: "it is for the rows of a table; a rule has no rows", word: "steps", ahead: stepsInAhead,
	parse: func(p *parser) Step {
		t := p.take()
		if !p.accept("in") {
			fail(p.peek().Span, "expected `in` and a column after `steps`"+p.found(p.peek()),
				"for example: end of month, steps in terms")
		}
		c := p.take()
		if c.kind != tQuoted && (c.kind != tWord || reserved[c.word]) {
			fail(c.Span, "expected the column with the steps"+p.found(c), "for example: steps in terms")
		}
		return &StepsIn{t.to(c.Span), Name{c.Span, p.nameText(c)}}
	}}

// stepsInAhead reports whether `steps in` a name follows; `in (` asks a column Steps.
func stepsInAhead(p *parser) bool {
	c := p.ahead(2)
	return p.ahead(1).is("in") && (c.kind == tQuoted || c.kind == tWord && !reserved[c.word])
}

func (s *StepsIn) write(p *printer) { p.put("steps in "); s.Column.write(p) }

func (s *StepsIn) counts() (*Using, bool) { return nil, false }
func (s *StepsIn) form() *stepForm        { return &stepsInForm }

func (s *StepsIn) reading() string { return "the steps that " + s.Column.Text + " says" }
