package phrase

import "strings"

// At gives the date a time, in minutes after midnight of the clock of a zone, by its
// IANA name; "" is that of the place.
type At struct {
	Span
	Minutes int
	Zone    string
}

var atForm = stepForm{kind: AtStep, last: true, word: "at", parse: func(p *parser) Step {
	t, at := p.take(), p.take()
	if at.kind != tTime {
		fail(at.Span, "expected a time after `at`"+p.found(at), "for example: at 16:30")
	}
	step := &At{t.to(at.Span), at.n, ""}
	if p.accept("in") {
		zone := p.take()
		if zone.kind != tText {
			fail(zone.Span, "expected a time zone"+p.found(zone),
				"its name stands in single quotes: at 17:00 in 'America/New_York'")
		}
		step.Zone = zone.word
		step.Span = t.to(zone.Span)
	}
	if !p.peek().sign(")") && p.peek().kind != tEnd {
		fail(p.peek().Span, "`at` is the last step; nothing may follow it", "")
	}
	return step
}}

func (a *At) write(p *printer) {
	p.put("at ", clock(a.Minutes))
	if a.Zone != "" {
		p.put(" in '", strings.ReplaceAll(a.Zone, "'", "''"), "'")
	}
}

func (a *At) counts() (*Using, bool) { return nil, false }
func (a *At) form() *stepForm        { return &atForm }

func (s *At) reading() string {
	if s.Zone != "" {
		return "at " + clock(s.Minutes) + " on the clock of " + s.Zone
	}
	return "at " + clock(s.Minutes)
}
