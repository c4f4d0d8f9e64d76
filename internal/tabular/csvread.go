package tabular

import (
	"bytes"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
)

// chunk is how much of a file is read at once; a longer row makes it longer.
const (
	chunk      = 256 << 10
	longestRow = 16 << 20
	// mostColumns is what a spreadsheet has.
	mostColumns = 16384
)

// csvReader reads separated values in blocks of whole rows. A block is one
// string, and its cells are parts of it, so that reading costs no allocation a
// cell. It is held against encoding/csv by a fuzz target.
type csvReader struct {
	file    string
	r       io.Reader
	sep     byte
	columns []string
	repairs *Repairs
	rest    []byte // read, but not yet handed out
	line    int    // of the first byte of rest
	eof     bool
}

// newCSV reads the header of separated values.
func newCSV(file string, r io.Reader, sep byte, o Input) (*csvReader, error) {
	c := &csvReader{file: file, r: r, sep: sep, line: 1, repairs: o.Repairs}
	first, err := c.block()
	if err != nil {
		return nil, err
	}
	if first == nil {
		return nil, &CellError{File: file, Line: 1, Message: "the table is empty: not even a header"}
	}
	b := &csvBlock{csvReader: c, text: first.text, line: first.line, columns: -1}
	for {
		cells, line, ok, err := b.next(nil)
		if err != nil {
			return nil, err
		}
		if !ok {
			return nil, &CellError{File: file, Line: line, Message: fmt.Sprintf("there is no header row %d", o.HeaderRow)}
		}
		if line < o.HeaderRow {
			continue
		}
		for _, v := range cells {
			c.columns = append(c.columns, strings.Clone(strings.TrimSpace(v.Text)))
		}
		if err := o.header(file, line, c.columns); err != nil {
			return nil, err
		}
		break
	}
	if at := headerBelow(b.text[b.at:]); at > 0 && len(c.columns) == 1 && o.HeaderRow <= 1 {
		return nil, &CellError{File: file, Line: 1, Message: fmt.Sprintf("a title, not the names of columns: %q; those seem to stand in line %d: --header-row %[2]d", eval.Brief(c.columns[0]), b.line+at-1)}
	}
	// What is left of the block goes in front again.
	c.rest = append([]byte(b.text[b.at:]), c.rest...)
	c.line = b.line
	return c, nil
}

// headerBelow finds the line, from 1, that looks like the header of a table below a
// title: it and the next have as many separators. 0 where none does.
func headerBelow(text string) int {
	const lines = 12
	counts := func(line string) (n [4]int) {
		if strings.Contains(line, `"`) {
			return n
		}
		for i, sep := range []string{",", "\t", ";", "|"} {
			n[i] = strings.Count(line, sep)
		}
		return n
	}
	var before [4]int
	at := 0
	for i, line := range strings.SplitN(text, "\n", lines+1) {
		if i == lines {
			break
		}
		if strings.TrimSpace(line) == "" {
			continue
		}
		now := counts(line)
		for k, n := range now {
			least := 1 + k/2 // a list may well have a ; in each line
			if at > 0 && n == before[k] && n >= least {
				return at
			}
		}
		before, at = now, i+1
	}
	return 0
}

// checkHeader refuses empty and repeated column names.
func checkHeader(file string, line int, columns []string) error {
	fault := func(format string, args ...any) error {
		return &CellError{File: file, Line: line, Message: fmt.Sprintf(format, args...)}
	}
	if len(columns) > mostColumns {
		return fault("the header has %d columns, and a table has at most %d", len(columns), mostColumns)
	}
	seen := make(map[string]int, len(columns))
	for i, name := range columns {
		const mend = "; --repair numbers it, or where the names stand in another row, --header-row N says so"
		if name == "" {
			return fault("column %d of the header has no name"+mend, i+1)
		}
		key := phrase.FoldName(name)
		if at, twice := seen[key]; twice {
			return fault("the header has `%s` twice, as column %d and %d (names are the same whatever their case, and space, _ and - count alike)"+mend, eval.Brief(name), at+1, i+1)
		}
		seen[key] = i
	}
	return nil
}

func (c *csvReader) Columns() []string { return c.columns }

func (c *csvReader) Next() (rows.Batch, error) {
	b, err := c.block()
	if b == nil || err != nil {
		return nil, err
	}
	b.columns = len(c.columns)
	return b, nil
}

// block reads the next run of whole rows.
func (c *csvReader) block() (*csvBlock, error) {
	for {
		if end := c.boundary(); end > 0 {
			if err := c.wholesome(c.rest[:end]); err != nil {
				return nil, err
			}
			b := &csvBlock{csvReader: c, text: string(c.rest[:end]), line: c.line}
			c.line += bytes.Count(c.rest[:end], []byte{'\n'})
			c.rest = append(c.rest[:0], c.rest[end:]...)
			return b, nil
		}
		if c.eof {
			return nil, nil
		}
		if len(c.rest) > longestRow {
			return nil, &CellError{File: c.file, Line: c.line, Message: "this row is longer than 16 MB; is a quote left open?"}
		}
		have := len(c.rest)
		want := max(chunk, have)
		if cap(c.rest)-have < want {
			c.rest = append(make([]byte, 0, have+want), c.rest...)
		}
		n, err := io.ReadFull(c.r, c.rest[have:have+want])
		c.rest = c.rest[:have+n]
		if err == io.EOF || err == io.ErrUnexpectedEOF {
			c.eof = true
		} else if err != nil {
			return nil, err
		}
	}
}

// wholesome refuses bytes that no text has: a table in another encoding would
// lose letters.
func (c *csvReader) wholesome(b []byte) error {
	fault := func(at int, what string) error {
		return &CellError{File: c.file, Line: c.line + bytes.Count(b[:at], []byte{'\n'}), Message: what}
	}
	if i := bytes.IndexByte(b, 0); i >= 0 {
		return fault(i, "this is not a table in text: it holds NUL bytes")
	}
	if utf8.Valid(b) {
		return nil
	}
	at := 0
	for at < len(b) {
		r, n := utf8.DecodeRune(b[at:])
		if r == utf8.RuneError && n == 1 {
			break
		}
		at += n
	}
	return fault(at, "this text isn't UTF-8; --encoding windows-1252 (or iso-8859-1, windows-1250, utf-16) says what it is")
}

// boundary returns the end of the last whole row in rest: a line end with an
// even number of quotes before it.
func (c *csvReader) boundary() int {
	if c.eof {
		return len(c.rest)
	}
	if len(c.rest) < chunk {
		return 0
	}
	end := bytes.LastIndexByte(c.rest, '\n') + 1
	odd := bytes.Count(c.rest[:end], []byte{'"'})&1 == 1
	for end > 0 && odd {
		before := bytes.LastIndexByte(c.rest[:end-1], '\n') + 1
		odd = odd != (bytes.Count(c.rest[before:end], []byte{'"'})&1 == 1)
		end = before
	}
	return end
}

// csvBlock is a run of whole rows.
type csvBlock struct {
	*csvReader
	text    string
	at      int
	line    int // of at
	columns int // -1: any number
}

func (b *csvBlock) Each(do func(line int, cells []eval.Value) error) error {
	room := make([]eval.Value, 0, b.columns+16)
	for {
		cells, line, ok, err := b.next(room[:0])
		if err != nil {
			return err
		}
		if !ok {
			return nil
		}
		if err := do(line, cells); err != nil {
			return err
		}
		room = cells
	}
}

func (b *csvBlock) fail(line int, format string, args ...any) error {
	return &CellError{File: b.file, Line: line, Message: fmt.Sprintf(format, args...)}
}

// next reads one row into cells. Blank lines are passed over, except in a table
// of one column, where they are blank cells.
func (b *csvBlock) next(cells []eval.Value) (_ []eval.Value, line int, ok bool, err error) {
	s := b.text
	for b.at < len(s) && b.columns != 1 {
		if s[b.at] == '\n' {
			b.at++
		} else if s[b.at] == '\r' && b.at+1 < len(s) && s[b.at+1] == '\n' {
			b.at += 2
		} else {
			break
		}
		b.line++
	}
	line = b.line
	if b.at >= len(s) {
		return cells, line, false, nil
	}
	sep := b.sep
	for {
		var cell string
		if b.at < len(s) && s[b.at] == '"' {
			if cell, err = b.quoted(line); err != nil {
				return cells, line, false, err
			}
		} else {
			end := b.at
			for end < len(s) && s[end] != sep && s[end] != '\n' {
				if s[end] == '"' {
					return cells, line, false, b.fail(line, "a quote stands inside a cell that doesn't begin with one")
				}
				end++
			}
			cell = s[b.at:end]
			if (end == len(s) || s[end] == '\n') && strings.HasSuffix(cell, "\r") {
				cell = cell[:len(cell)-1]
			}
			b.at = end
		}
		if cell == "" {
			cells = append(cells, eval.Value{})
		} else {
			cells = append(cells, eval.Value{Kind: eval.Text, Text: cell})
		}
		if b.at < len(s) && s[b.at] == sep {
			b.at++
			continue
		}
		if b.at < len(s) { // the line end
			b.at++
			b.line++
		}
		break
	}
	if b.columns >= 0 && len(cells) < b.columns && b.repairs != nil {
		b.repairs.short.Add(1)
		for len(cells) < b.columns {
			cells = append(cells, eval.Value{})
		}
	}
	if b.columns >= 0 && len(cells) != b.columns {
		hint := "; where the names stand in another row, --header-row N says so"
		if len(cells) < b.columns {
			hint = "; --repair fills short rows with blanks"
		}
		return cells, line, false, b.fail(line, "this row has %d cells, the header has %d%s", len(cells), b.columns, hint)
	}
	return cells, line, true, nil
}

// quoted reads a cell in quotes and leaves at behind it.
func (b *csvBlock) quoted(line int) (string, error) {
	s := b.text
	start := b.at + 1
	doubled := false
	for i := start; ; i++ {
		k := strings.IndexByte(s[i:], '"')
		if k < 0 {
			return "", b.fail(line, "a quote is opened in this row and never closed")
		}
		i += k
		if i+1 < len(s) && s[i+1] == '"' {
			doubled = true
			i++
			continue
		}
		cell := s[start:i]
		b.line += strings.Count(cell, "\n")
		if doubled {
			cell = strings.ReplaceAll(cell, `""`, `"`)
		}
		b.at = i + 1
		if b.at < len(s) && s[b.at] == '\r' && (b.at+1 == len(s) || s[b.at+1] == '\n') {
			b.at++
		}
		if b.at < len(s) && s[b.at] != b.sep && s[b.at] != '\n' {
			return "", b.fail(line, "something follows a closing quote before the separator")
		}
		return cell, nil
	}
}

// separator guesses the separator from the header, which stands in a line: of
// comma, semicolon, tab and bar the one that stands there most often outside of
// quotes.
func separator(head []byte, line int) byte {
	for ; line > 1; line-- {
		_, rest, ok := bytes.Cut(head, []byte{'\n'})
		if !ok {
			break
		}
		head = rest
	}
	if i := bytes.IndexByte(head, '\n'); i >= 0 {
		head = head[:i]
	}
	best, most := byte(','), 0
	for _, sep := range []byte{',', ';', '\t', '|'} {
		n, quoted := 0, false
		for _, c := range head {
			if c == '"' {
				quoted = !quoted
			}
			if c == sep && !quoted {
				n++
			}
		}
		if n > most {
			best, most = sep, n
		}
	}
	return best
}

// AppendCSV appends a row as separated values, quoting what must be.
func AppendCSV(b []byte, cells []eval.Value, sep byte, safe bool) []byte {
	for i := range cells {
		if i > 0 {
			b = append(b, sep)
		}
		v := &cells[i]
		switch v.Kind {
		case eval.Blank:
			if len(cells) == 1 { // an empty line would be no row
				b = append(b, `""`...)
			}
		case eval.Date:
			b = v.Day.Append(b)
		case eval.Number:
			b = v.AppendNumber(b)
		case eval.Text:
			b = appendCell(b, v.Text, sep, safe)
		default:
			b = append(b, v.String()...)
		}
	}
	return append(b, '\n')
}

func appendCell(b []byte, s string, sep byte, safe bool) []byte {
	if safe {
		s = Safe(s)
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
	for i := range len(s) {
		if c := s[i]; c == sep || c <= '"' && (c == '"' || c == '\n' || c == '\r') {
			return true
		}
	}
	return s[0] == ' ' || s[0] == '\t' || s == `\.`
}

// IsFormula reports whether a spreadsheet would run a text as a formula.
func IsFormula(s string) bool {
	return len(s) > 1 && (strings.IndexByte("=+-@\t\r\n", s[0]) >= 0 || fullWidth(s))
}

// fullWidth reports whether a text begins with one of the full-width forms of
// = + - @, which some spreadsheets take for the plain ones.
func fullWidth(s string) bool {
	r, _ := utf8.DecodeRuneInString(s)
	return strings.ContainsRune("＝＋－＠", r)
}

// Safe marks a text that a spreadsheet would run as a formula.
func Safe(s string) string {
	if IsFormula(s) {
		return "'" + s
	}
	return s
}
