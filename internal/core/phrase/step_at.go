package phrase

import "strings"

// At gives the date a time, in minutes after midnight of the clock of a zone, by its
// IANA name; "" is that of the place. A short day by Using, else by the calendar of the
// place, ends it early.
type At struct {
	Span
	Minutes int
	Zone    string
	Using   *Using
}

var atForm = stepForm{last: true, word: "at", parse: func(p *parser) Step {
	t, at := p.take(), p.take()
	if at.kind != tTime {
		fail(at.Span, "expected a time after `at`"+p.found(at), "for example: at 16:30")
	}
	step := &At{Span: t.to(at.Span), Minutes: at.n}
	if p.accept("in") {
		zone := p.take()
		if zone.kind != tText {
			fail(zone.Span, "expected a time zone"+p.found(zone),
				"put its name in single quotes: at 17:00 in 'America/New_York'")
		}
		step.Zone = zone.word
	}
	step.Using = p.using()
	step.Span = t.to(p.last())
	if !p.peek().sign(",") || !p.ahead(1).is("in") {
		p.ends("at")
	}
	return step
}}

func (a *At) write(p *printer) {
	p.put("at ", clock(a.Minutes))
	if a.Zone != "" {
		p.put(" in '", strings.ReplaceAll(a.Zone, "'", "''"), "'")
	}
	a.Using.write(p)
}

func (a *At) counts() (*Using, bool) { return a.Using, a.Using != nil }
func (a *At) form() *stepForm        { return &atForm }

func (s *At) reading() string {
	if s.Zone != "" {
		return "at " + clock(s.Minutes) + " on the clock of " + s.Zone
	}
	return "at " + clock(s.Minutes)
}
