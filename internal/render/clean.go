package render

import (
	"io"
	"strings"
	"unicode/utf8"
)

// isUnsafe reports whether a character could steer a terminal: control characters,
// and the marks that turn the direction of writing.
func isUnsafe(r rune) bool {
	return r < ' ' || r >= 0x7f && r < 0xa0 || r == 0x061c || r == 0x200e || r == 0x200f ||
		r >= 0x202a && r <= 0x202e || r >= 0x2066 && r <= 0x2069
}

// Clean takes out of a text what could steer a terminal.
func Clean(s string) string { return replaceUnsafe(s, ' ') }

// CleanLines is Clean for a text of several lines.
func CleanLines(s string) string { return replaceUnsafe(s, '\n') }

func replaceUnsafe(s string, stays rune) string {
	return strings.Map(func(r rune) rune {
		if isUnsafe(r) && r != stays {
			return ' '
		}
		return r
	}, s)
}

// cleanWriter is the way of text to a terminal.
type cleanWriter struct {
	w    io.Writer
	rest []byte // of a character that isn't whole yet
}

// NewCleanWriter returns a writer to a terminal that takes out what could steer it; line
// ends and tabs stay.
func NewCleanWriter(w io.Writer) io.Writer { return &cleanWriter{w: w} }

// Write implements io.Writer.
func (c *cleanWriter) Write(p []byte) (int, error) {
	all := append(c.rest, p...)
	out := make([]byte, 0, len(all))
	for len(all) > 0 {
		if !utf8.FullRune(all) {
			break
		}
		r, n := utf8.DecodeRune(all)
		switch {
		case r == '\n' || r == '\t':
			out = append(out, byte(r))
		case isUnsafe(r), r == utf8.RuneError && n == 1:
			out = append(out, ' ')
		default:
			out = append(out, all[:n]...)
		}
		all = all[n:]
	}
	c.rest = append([]byte(nil), all...)
	if _, err := c.w.Write(out); err != nil {
		return 0, err
	}
	return len(p), nil
}
