package tabular

import (
	"bytes"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode/utf8"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
)

// readSize is how much of a file is read at once; a longer row makes it longer.
const (
	readSize    = 256 << 10
	maxRowBytes = 16 << 20
	// maxColumns is what a spreadsheet has.
	maxColumns    = 16384
	maxNameLength = 1000 // characters; JSON has the names in each row
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
	isRaw   bool // rows are as long as they are, and there is no header
}

// separatorLine reads a first line such as sep=; which some programs write to say what
// is between cells; size is that of the line, 0 if there is none.
func separatorLine(head []byte) (sep byte, size int) {
	line, _, ended := bytes.Cut(head, []byte{'\n'})
	text := strings.Trim(strings.TrimSuffix(string(line), "\r"), `"`)
	if !ended || len(text) != len("sep=;") || !strings.EqualFold(text[:4], "sep=") ||
		!strings.Contains(",;\t|", text[4:]) {
		return 0, 0
	}
	return text[4], len(line) + 1
}

// newCSV reads the header of separated values, from a line on.
func newCSV(file string, r io.Reader, sep byte, line int, o Options) (*csvReader, error) {
	c := &csvReader{file: file, r: r, sep: sep, line: line, repairs: o.Repairs, isRaw: o.raw}
	if o.raw {
		return c, nil
	}
	first, err := c.block()
	if err != nil {
		return nil, err
	}
	if first == nil {
		return nil, &CellError{File: file, Line: 1, Message: "the table is empty: it has no header"}
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
			c.columns = append(c.columns, headingText(v))
		}
		if o.Repairs != nil {
			c.columns = b.trimBlankHeadings(c.columns, o.Repairs)
		}
		if err := o.repairHeader(file, line, c.columns); err != nil {
			return nil, err
		}
		break
	}
	if at := findHeader(b.text[b.at:]); at > 0 && len(c.columns) == 1 && o.HeaderRow <= 1 {
		return nil, &CellError{File: file, Line: 1,
			Message: fmt.Sprintf("%q looks like a title, not column names", eval.Truncate(c.columns[0])), Hint: fmt.Sprintf("The names seem to be in line %d: use --header-row %[1]d", b.line+at-1)}
	}
	// What is left of the block goes in front again.
	c.rest = append([]byte(b.text[b.at:]), c.rest...)
	c.line = b.line
	return c, nil
}

// trimBlankHeadings cuts headings without a name off the right end, if the rows of the first
// block have nothing below them either.
func (b csvBlock) trimBlankHeadings(columns []string, count *Repairs) []string {
	n := len(columns)
	for n > 0 && columns[n-1] == "" {
		n--
	}
	if n == len(columns) || n == 0 {
		return columns
	}
	for {
		cells, _, ok, err := b.next(nil)
		if err != nil || !ok {
			count.trimmed = len(columns) - n
			return columns[:n]
		}
		if len(cells) > n && !allBlank(cells[n:]) {
			return columns
		}
	}
}

// allBlank reports whether cells hold nothing, or white space.
func allBlank(cells []eval.Value) bool {
	return !slices.ContainsFunc(cells, func(v eval.Value) bool { return strings.TrimSpace(v.Text) != "" })
}

// findHeader finds the line, from 1, that looks like the header of a table below a
// title: it and the next have as many separators. 0 if none does.
func findHeader(text string) int {
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
	const mend = "Use --repair to number it, or --header-row N if the names are in another row"
	fault := func(hint, format string, args ...any) error {
		return &CellError{File: file, Line: line, Message: fmt.Sprintf(format, args...), Hint: hint}
	}
	if len(columns) > maxColumns {
		return fault("", "the header has %d columns; at most %d can be read", len(columns), maxColumns)
	}
	seen := make(map[string]int, len(columns))
	for i, name := range columns {
		if name == "" {
			return fault(mend, "column %d of the header has no name", i+1)
		}
		if utf8.RuneCountInString(name) > maxNameLength {
			return fault("Is the header in another row (--header-row N)?", "column %d of the header has a name of more than %d characters, %q",
				i+1, maxNameLength, eval.Truncate(name))
		}
		key := phrase.FoldName(name)
		if at, twice := seen[key]; twice {
			return fault(mend, "the header has `%s` twice, in columns %d and %d (upper and lower case, and space, _ and -, count as equal)", eval.Truncate(name), at+1, i+1)
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
	if b.columns = len(c.columns); c.isRaw {
		b.columns = -1
	}
	return b, nil
}

// block reads the next run of whole rows.
func (c *csvReader) block() (*csvBlock, error) {
	for {
		if end := c.lastRowEnd(); end > 0 {
			if err := c.checkEncoding(c.rest[:end]); err != nil {
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
		if len(c.rest) > maxRowBytes {
			return nil, &CellError{File: c.file, Line: c.line, Message: "this row is longer than 16 MB; check for a quote that is never closed"}
		}
		have := len(c.rest)
		want := max(readSize, have)
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

// checkEncoding refuses bytes that no text has: a table in another encoding would
// lose letters.
func (c *csvReader) checkEncoding(b []byte) error {
	fault := func(at int, what, hint string) error {
		return &CellError{File: c.file, Line: c.line + bytes.Count(b[:at], []byte{'\n'}), Message: what, Hint: hint}
	}
	if i := bytes.IndexByte(b, 0); i >= 0 {
		return fault(i, "not a text table: it contains NUL bytes", "")
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
	return fault(at, "the text isn't UTF-8", "Name its encoding: --encoding "+GuessEncoding(b[:min(len(b), headBytes)]))
}

// lastRowEnd returns the end of the last whole row in rest: a line end with an
// even number of quotes before it.
func (c *csvReader) lastRowEnd() int {
	if c.eof {
		return len(c.rest)
	}
	if len(c.rest) < readSize {
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

// guessSeparator guesses the separator from the header, which is in a line: of
// comma, semicolon, tab and bar the one that is there most often outside of
// quotes.
func guessSeparator(head []byte, line int) byte {
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
