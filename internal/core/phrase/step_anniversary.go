package phrase

// Anniversary is the base's month and day in the nearest year on or after,
// after, or on or before a date.
type Anniversary struct {
	Span
	OrOn, Backward bool
	Of             Expr
}

func init() { addStep(&anniversaryForm) }

var anniversaryForm = stepForm{word: "anniversary", rowsOnlyReason: endlessReason,
	peek: func(p *parser) bool { return p.peekAt(1).isWord("on", "after") }, parse: (*parser).anniversary}

func (p *parser) anniversary() Step {
	t := p.next()
	a := &Anniversary{OrOn: true}
	switch {
	case p.accept("on", "or", "after"):
	case p.accept("on", "or", "before"):
		a.Backward = true
	case p.accept("after"):
		a.OrOn = false
	default:
		failAt(p.peek().Span, "expected `on or after`, `after` or `on or before`"+p.describe(p.peek()),
			"for example: anniversary on or after today")
	}
	a.Of = p.comparedDate("a date, a name or `today`")
	a.Span = t.extendTo(p.prevSpan())
	return a
}

func (a *Anniversary) write(p *printer) {
	switch {
	case a.Backward:
		p.writeStrings("anniversary on or before ")
	case a.OrOn:
		p.writeStrings("anniversary on or after ")
	default:
		p.writeStrings("anniversary after ")
	}
	writeOperand(p, a.Of)
}

func (a *Anniversary) calendarUse() (*Using, bool) { return nil, false }
func (a *Anniversary) form() *stepForm             { return &anniversaryForm }

func (s *Anniversary) reading() string {
	way := "on or after "
	if s.Backward {
		way = "on or before "
	} else if !s.OrOn {
		way = "after "
	}
	return "the same day in the nearest year " + way + exprReading(s.Of)
}
