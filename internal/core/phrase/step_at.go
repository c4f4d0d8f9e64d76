package phrase

// At gives the date a time, in minutes after midnight.
type At struct {
	Span
	Minutes int
}

var atForm = stepForm{word: "at", parse: func(p *parser) Step {
	t, at := p.take(), p.take()
	if at.kind != tTime {
		fail(at.Span, "expected a time after `at`"+p.found(at), "for example: at 16:30")
	}
	if !p.peek().sign(")") && p.peek().kind != tEnd {
		fail(p.peek().Span, "`at` is the last step; nothing may follow it", "")
	}
	return &At{t.to(at.Span), at.n}
}}

func (a *At) write(p *printer) { p.put("at ", clock(a.Minutes)) }

func (a *At) counting() *Using { return nil }

func (s *At) reading() string {
	return "at " + clock(s.Minutes)
}
