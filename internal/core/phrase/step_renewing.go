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
	p.next()
	r := &Renewing{First: first}
	p.expect("every", "`renewing`")
	tok := p.peek()
	r.Every = p.amount("`every`", true)
	kind := func(u Unit) int {
		switch {
		case u == CellUnit:
			return 0
		case u == WorkingDays:
			return 3
		case u.IsMonths():
			return 2
		}
		return 1
	}
	if a, b := kind(first.Unit), kind(r.Every.Unit); a != b && a*b != 0 {
		failAt(tok.extendTo(p.prevSpan()), "a term and its renewal need the same kind of unit: months, days or working days",
			"for example: lasting 12 months renewing every 6 months")
	}
	if n, ok := r.Every.By.(*Number); ok && n.N < 1 {
		failAt(n.Span, "a renewal must last 1 or more", "")
	}
	r.Using = p.stepUsing(r)
	if p.accept("noticed") {
		if !p.peek().isSign("(") {
			failAt(p.peek().Span, "expected steps in parentheses after `noticed`"+p.describe(p.peek()),
				"for example: noticed (-3 months, roll preceding)")
		}
		p.next()
		r.Notice = p.steps()
		if !p.peek().isSign(")") {
			failAt(p.peek().Span, "expected `)`"+p.describe(p.peek()), "")
		}
		p.next()
		for _, s := range r.Notice {
			switch s.(type) {
			case *Shift, *Roll:
			default:
				failAt(s.Pos(), "a notice takes only `+` and `-` steps and rolls",
					"for example: noticed (-3 months, roll preceding)")
			}
		}
	}
	if !p.accept("on", "or", "after") {
		failAt(p.peek().Span, "expected `on or after` and a date"+p.describe(p.peek()),
			"for example: renewing every 12 months on or after today")
	}
	r.Of = p.comparedDate("a date, a name or `today`")
	r.Span = t.extendTo(p.prevSpan())
	return r
}

// comparedDate reads the date that something is on or after. A sign or `otherwise` behind it
// could belong to either side, so that it must be said.
func (p *parser) comparedDate(want string) Expr {
	from := p.peek()
	e := p.operand(want)
	d := p.text[from.Start:p.prevSpan().End]
	t := p.peek()
	switch {
	case p.peekShift():
		rest := p.text[t.Start:]
		failAt(t.Span, "it is unclear what this shifts",
			"write `, "+rest+"` to shift the result, or `("+d+" "+rest+")` to shift the date before it")
	case t.isWord("otherwise"):
		failAt(t.Span, "`otherwise` here needs parentheses", "write `("+d+" "+p.text[t.Start:]+")`")
	}
	return e
}

func (r *Renewing) write(p *printer) {
	p.writeStrings("lasting ")
	r.First.write(p)
	p.writeStrings(" renewing every ")
	r.Every.write(p)
	r.Using.write(p)
	if r.Notice != nil {
		p.writeStrings(" noticed (")
		for i, s := range r.Notice {
			if i > 0 {
				p.writeStrings(", ")
			}
			s.write(p)
		}
		p.writeStrings(")")
	}
	p.writeStrings(" on or after ")
	writeOperand(p, r.Of)
}

var renewingForm = stepForm{label: "renewing", rowsOnlyReason: endlessReason} // lasting reads it

func (r *Renewing) calendarUse() (*Using, bool) {
	return r.Using, r.First.Unit == WorkingDays || slices.ContainsFunc(r.Notice, UsesCalendar)
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

func init() { addStep(&stepsInForm) }

var stepsInForm = stepForm{label: "steps in",
	rowsOnlyReason: "it is for the rows of a table; a rule has no rows", word: "steps", peek: peekStepsIn,
	parse: func(p *parser) Step {
		t := p.next()
		if !p.accept("in") {
			failAt(p.peek().Span, "expected `in` and a column after `steps`"+p.describe(p.peek()),
				"for example: end of month, steps in terms")
		}
		c := p.next()
		if c.kind != tQuoted && (c.kind != tWord || reserved[c.word]) {
			failAt(c.Span, "expected the column with the steps"+p.describe(c), "for example: steps in terms")
		}
		return &StepsIn{t.extendTo(c.Span), Name{c.Span, p.nameText(c)}}
	}}

// peekStepsIn reports whether `steps in` a name follows; `in (` asks a column Steps.
func peekStepsIn(p *parser) bool {
	c := p.peekAt(2)
	return p.peekAt(1).isWord("in") && (c.kind == tQuoted || c.kind == tWord && !reserved[c.word])
}

func (s *StepsIn) write(p *printer) { p.writeStrings("steps in "); s.Column.write(p) }

func (s *StepsIn) calendarUse() (*Using, bool) { return nil, false }
func (s *StepsIn) form() *stepForm             { return &stepsInForm }

func (s *StepsIn) reading() string { return "the steps that " + s.Column.Text + " says" }
