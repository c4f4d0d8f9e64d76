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

func init() { addStep(&atForm) }

var atForm = stepForm{isLast: true, word: "at", parse: func(p *parser) Step {
	t, tok := p.next(), p.next()
	if tok.kind != tTime {
		failAt(tok.Span, "expected a time after `at`"+p.describe(tok), "for example: at 16:30")
	}
	step := &At{Span: t.extendTo(tok.Span), Minutes: tok.num}
	if p.accept("in") {
		zone := p.next()
		if zone.kind != tText {
			failAt(zone.Span, "expected a time zone"+p.describe(zone),
				"put its name in single quotes: at 17:00 in 'America/New_York'")
		}
		step.Zone = zone.word
	}
	step.Using = p.using()
	step.Span = t.extendTo(p.prevSpan())
	if !p.peek().isSign(",") || !p.peekAt(1).isWord("in") {
		p.expectLastStep("at")
	}
	return step
}}

func (a *At) write(p *printer) {
	p.writeStrings("at ", clockText(a.Minutes))
	if a.Zone != "" {
		p.writeStrings(" in '", strings.ReplaceAll(a.Zone, "'", "''"), "'")
	}
	a.Using.write(p)
}

func (a *At) calendarUse() (*Using, bool) { return a.Using, a.Using != nil }
func (a *At) form() *stepForm             { return &atForm }

func (s *At) reading() string {
	if s.Zone != "" {
		return "at " + clockText(s.Minutes) + " on the clock of " + s.Zone
	}
	return "at " + clockText(s.Minutes)
}
