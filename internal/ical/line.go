// Package ical writes and reads iCalendar (RFC 5545) files.
package ical

import (
	"bufio"
	"io"
	"strings"
	"unicode"
	"unicode/utf8"
)

// maxLineOctets is the length of a content line without its break (section 3.1).
const maxLineOctets = 75

// lineWriter writes content lines: CRLF, folded, never inside a character.
type lineWriter struct {
	w   *bufio.Writer
	err error
}

func newLines(w io.Writer) *lineWriter { return &lineWriter{w: bufio.NewWriter(w)} }

func (l *lineWriter) putLine(parts ...string) {
	s := strings.Join(parts, "")
	for room := maxLineOctets; len(s) > room; room = maxLineOctets - 1 {
		cut := room
		for cut > 0 && !utf8.RuneStart(s[cut]) {
			cut--
		}
		l.write(s[:cut], "\r\n ")
		s = s[cut:]
	}
	l.write(s, "\r\n")
}

func (l *lineWriter) write(parts ...string) {
	for _, s := range parts {
		if _, err := l.w.WriteString(s); err != nil && l.err == nil {
			l.err = err
		}
	}
}

func (l *lineWriter) flush() error {
	if l.err != nil {
		return l.err
	}
	return l.w.Flush()
}

var escaper = strings.NewReplacer(`\`, `\\`, ";", `\;`, ",", `\,`, "\r\n", `\n`, "\n", `\n`, "\r", `\n`)

// escape makes a TEXT value (section 3.3.11); control characters, which no
// value may hold, are dropped, and broken UTF-8 is replaced.
func escape(s string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsControl(r) && r != '\t' {
			return -1
		}
		return r
	}, escaper.Replace(strings.ToValidUTF8(s, "\uFFFD")))
}
