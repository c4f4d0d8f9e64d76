package phrase

// Anniversary is the base's month and day in the nearest year on or after,
// after, or on or before a date.
type Anniversary struct {
	Span
	On, Back bool
	Of       Expr
}

var anniversaryForm = stepForm{word: "anniversary", alone: endless,
	ahead: func(p *parser) bool { return p.ahead(1).is("on", "after") }, parse: (*parser).anniversary}

func (p *parser) anniversary() Step {
	t := p.take()
	a := &Anniversary{On: true}
	switch {
	case p.accept("on", "or", "after"):
	case p.accept("on", "or", "before"):
		a.Back = true
	case p.accept("after"):
		a.On = false
	default:
		fail(p.peek().Span, "expected `on or after`, `after` or `on or before`"+p.found(p.peek()),
			"for example: anniversary on or after today")
	}
	a.Of = p.sideOf("a date, a name or `today`")
	a.Span = t.to(p.last())
	return a
}

func (a *Anniversary) write(p *printer) {
	switch {
	case a.Back:
		p.put("anniversary on or before ")
	case a.On:
		p.put("anniversary on or after ")
	default:
		p.put("anniversary after ")
	}
	operand(p, a.Of)
}

func (a *Anniversary) counts() (*Using, bool) { return nil, false }
func (a *Anniversary) form() *stepForm        { return &anniversaryForm }

func (s *Anniversary) reading() string {
	way := "on or after "
	if s.Back {
		way = "on or before "
	} else if !s.On {
		way = "after "
	}
	return "the same day in the nearest year " + way + exprReading(s.Of)
}
