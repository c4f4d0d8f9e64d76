package phrase

import "strings"

// InZone shows the instant of a date with a time by the clock of another zone, by its IANA
// name.
type InZone struct {
	Span
	Zone string
}

var zoneForm = stepForm{word: "in", named: "in zone", last: true,
	alone: "set a series' own zone with its key `zone`; for one time, write `at 17:00 in 'Europe/London'`",
	ahead: func(p *parser) bool { return p.ahead(1).is("zone") && p.ahead(2).kind == tText },
	parse: func(p *parser) Step {
		t := p.take()
		p.expect("zone", "`in`")
		zone := p.take()
		if zone.kind != tText {
			fail(zone.Span, "expected a time zone"+p.found(zone), "put its name in single quotes: in zone 'Asia/Tokyo'")
		}
		p.ends("in zone")
		return &InZone{t.to(zone.Span), zone.word}
	}}

// ends refuses what follows a last step.
func (p *parser) ends(step string) {
	if !p.peek().sign(")") && p.peek().kind != tEnd {
		fail(p.peek().Span, "`"+step+"` must be the last step", "put it in parentheses and continue after them")
	}
}

func (z *InZone) write(p *printer) {
	p.put("in zone '", strings.ReplaceAll(z.Zone, "'", "''"), "'")
}

func (z *InZone) counts() (*Using, bool) { return nil, false }
func (z *InZone) form() *stepForm        { return &zoneForm }

func (z *InZone) reading() string { return "the same moment on the clock of " + z.Zone }
