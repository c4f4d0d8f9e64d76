package ical

import (
	"fmt"
	"io"
	"net/mail"
	"slices"
	"strings"
)

// Organizer is who sends out what is cancelled (RFC 5545 section 3.8.4.3).
type Organizer struct{ Name, Mail string }

// ParseOrganizer reads NAME <mail>, or a mail address alone.
func ParseOrganizer(text string) (o Organizer, err error) {
	a, err := mail.ParseAddress(text)
	if err != nil {
		return o, fmt.Errorf("expected NAME <mail>, such as \"Crew office <office@skerry.example>\", found %q", text)
	}
	return Organizer{a.Name, a.Address}, nil
}

// line is the property. A name in a parameter can't hold a double quote.
func (o Organizer) line() string {
	if o.Name == "" {
		return "ORGANIZER:mailto:" + o.Mail
	}
	name := strings.Map(func(r rune) rune {
		if r == '"' || r < ' ' || r == 0x7f {
			return -1
		}
		return r
	}, o.Name)
	return `ORGANIZER;CN="` + name + `":mailto:` + o.Mail
}

// Cancellations writes what was cancelled as iTIP asks (RFC 5546 sections 3.2.5 and
// 3.4.5): an object of METHOD:CANCEL for each UID, with its organizer. any is false, and
// nothing is written, if nothing was.
func (f *Update) Cancellations(w io.Writer, by Organizer) (any bool, err error) {
	if len(f.cancelled) == 0 {
		return false, nil
	}
	l := newLines(w)
	for _, p := range f.cancelled {
		for _, line := range []string{"BEGIN:VCALENDAR", "VERSION:2.0", "PRODID:-//Yoyaku//yoyaku//EN", "METHOD:CANCEL"} {
			l.putLine(line)
		}
		for _, z := range f.zones {
			if sameZone(p.new.lines, z.tzid) {
				l.write(z.raw)
			}
		}
		one := &componentLines{name: p.new.name, lines: slices.DeleteFunc(slices.Clone(p.new.lines),
			func(s string) bool { return propertyName(s) == "ORGANIZER" })}
		one.appendLines(by.line())
		l.component(one)
		l.putLine("END:VCALENDAR")
	}
	return true, l.flush()
}
