package tabular

import (
	"strings"
	"unicode"
	"unicode/utf8"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
)

// appendCSV appends a row as separated values, quoting what must be.
func appendCSV(b []byte, cells []eval.Value, sep byte, safe bool) []byte {
	if len(cells) == 1 && cells[0].Kind == eval.Blank { // an empty line would be no row
		b = append(b, `""`...)
	}
	return append(appendCells(b, cells, sep, safe, false), '\n')
}

// appendCells appends cells with what separates them, and in front with behind others.
func appendCells(b []byte, cells []eval.Value, sep byte, safe, behind bool) []byte {
	day, at := civil.None, 0 // the last day written, and where: a row often has it again
	for i := range cells {
		if i > 0 || behind {
			b = append(b, sep)
		}
		v := &cells[i]
		switch v.Kind {
		case eval.Blank:
		case eval.Date:
			if v.Day == day && day != civil.None {
				b = append(b, b[at:at+len("2027-03-31")]...)
				continue
			}
			day, at = v.Day, len(b)
			b = day.Append(b)
		case eval.Number:
			b = v.AppendNumber(b)
		case eval.Text:
			b = appendCell(b, v.Text, sep, safe)
		default:
			b = append(b, v.String()...)
		}
	}
	return b
}

func appendCell(b []byte, s string, sep byte, safe bool) []byte {
	if safe {
		s = GuardFormula(s)
	}
	if !needsQuotes(s, sep) {
		return append(b, s...)
	}
	b = append(b, '"')
	for {
		i := strings.IndexByte(s, '"')
		if i < 0 {
			break
		}
		b = append(append(b, s[:i+1]...), '"')
		s = s[i+1:]
	}
	return append(append(b, s...), '"')
}

func needsQuotes(s string, sep byte) bool {
	if s == "" {
		return false
	}
	const ones = 0x0101010101010101
	seps, i := uint64(sep)*ones, 0
	for ; i+8 <= len(s); i += 8 {
		w := loadWord(s[i : i+8])
		if equalBytes(w, seps)|equalBytes(w, '"'*ones)|equalBytes(w, '\n'*ones)|equalBytes(w, '\r'*ones) != 0 {
			return true
		}
	}
	for ; i < len(s); i++ {
		if c := s[i]; c == sep || c <= '"' && (c == '"' || c == '\n' || c == '\r') {
			return true
		}
	}
	return s[0] == ' ' || s[0] == '\t' || s == `\.`
}

// isFormula reports whether a spreadsheet would run a text as a formula.
func isFormula(s string) bool {
	if len(s) < 2 {
		return false
	}
	if strings.IndexByte("=+-@\t\r\n", s[0]) >= 0 || isFullWidthFormula(s) {
		return true
	}
	// Blanks of any kind, and marks that show nothing, may be passed over.
	rest := strings.TrimLeftFunc(s, func(r rune) bool {
		return unicode.IsSpace(r) || unicode.Is(unicode.Cf, r) ||
			unicode.IsControl(r)
	})
	return rest != s && rest != "" && (strings.IndexByte("=+-@", rest[0]) >= 0 || isFullWidthFormula(rest))
}

// isFullWidthFormula reports whether a text begins with one of the full-width forms of
// = + - @, which some spreadsheets take for the plain ones.
func isFullWidthFormula(s string) bool {
	r, _ := utf8.DecodeRuneInString(s)
	return strings.ContainsRune("＝＋－＠", r)
}

// GuardFormula marks a text that a spreadsheet would run as a formula.
func GuardFormula(s string) string {
	if isFormula(s) {
		return "'" + s
	}
	return s
}
