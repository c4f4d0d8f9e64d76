package phrase

import "strings"

// InZone shows the instant of a date with a time by the clock of another zone, by its IANA
// name.
type InZone struct {
	Span
	Zone string
}

func init() { addStep(&zoneForm) }

var zoneForm = stepForm{word: "in", label: "in zone", isLast: true,
	rowsOnlyReason: "set a series' own zone with its key `zone`; for one time, write `at 17:00 in 'Europe/London'`",
	peek:           func(p *parser) bool { return p.peekAt(1).isWord("zone") && p.peekAt(2).kind == tText },
	parse: func(p *parser) Step {
		t := p.next()
		p.expect("zone", "`in`")
		zone := p.next()
		if zone.kind != tText {
			failAt(zone.Span, "expected a time zone"+p.describe(zone), "put its name in single quotes: in zone 'Asia/Tokyo'")
		}
		p.expectLastStep("in zone")
		return &InZone{t.extendTo(zone.Span), zone.word}
	}}

// expectLastStep refuses what follows a last step.
func (p *parser) expectLastStep(step string) {
	if !p.peek().isSign(")") && p.peek().kind != tEnd {
		failAt(p.peek().Span, "`"+step+"` must be the last step", "put it in parentheses and continue after them")
	}
}

func (z *InZone) write(p *printer) {
	p.writeStrings("in zone '", strings.ReplaceAll(z.Zone, "'", "''"), "'")
}

func (z *InZone) calendarUse() (*Using, bool) { return nil, false }
func (z *InZone) form() *stepForm             { return &zoneForm }

func (z *InZone) reading() string { return "the same moment on the clock of " + z.Zone }
