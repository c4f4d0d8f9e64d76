package tabular

import (
	"bytes"
	"io"
	"os"
	"slices"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/encoding"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/language"
	"yoyaku/internal/core/rows"
)

// maxLookedRows is how many of the first rows of a file are looked at, maxTailRows of the last.
const maxLookedRows, maxTailRows = 1000, 20

// Grid is what a file holds before anything is decided about it.
type Grid struct {
	File, Sheet string
	Sheets      []string // that can be seen; none of a file of text
	Encoding    string   // that was taken for a text that doesn't say; "" where it does
	Separator   string   // "blanks" where cells stand apart by these
	Rows        []GridRow
	// Tail are the last rows of a longer file; IsWhole says that Rows are all there are.
	Tail    []GridRow
	IsWhole bool
	// Merged are the columns in which cells are merged down, by their places.
	Merged []int
}

// GridRow is a row as it is in the file.
type GridRow struct {
	Line  int
	Cells []eval.Value
}

// ReadGrid reads the first rows of a file as they are, and the last of one that can seek.
func ReadGrid(name string, in io.Reader, o Options) (*Grid, error) {
	g := &Grid{File: name, Sheet: o.Sheet, Separator: o.Separator}
	o.raw, o.Filter, o.HeaderRow, o.Repairs = true, RowFilter{}, 0, nil
	head, size, err := headOf(name, in, o)
	if err != nil {
		return nil, err
	}
	if o.Encoding == "" && isUnclearText(head) {
		g.Encoding = GuessEncoding(head)
		o.Encoding = g.Encoding
	}
	if g.Separator == "" && hasNoSeparators(decodedHead(head, o)) {
		g.Separator = separatorBlanks
		o.Separator = separatorBlanks
	}
	r, closer, err := Open(name, in, o)
	if err != nil {
		return nil, err
	}
	defer closer.Close()
	switch r := r.(type) {
	case *xlsxReader:
		g.Sheet = r.sheet
		for _, s := range r.sheets {
			if !s.hidden {
				g.Sheets = append(g.Sheets, s.name)
			}
		}
	case *csvReader:
		r.sep = commonSeparator(decodedHead(head, o), r.sep)
	case *jsonReader:
		g.Rows = append(g.Rows, headingRow(r.columns))
	}
	if err := g.fill(r); err != nil {
		return nil, err
	}
	if x, ok := r.(*xlsxReader); ok {
		g.Merged = mergedDown(x.merged)
	}
	if c, ok := r.(*csvReader); ok && !g.IsWhole && size > 0 {
		return g, g.readTail(name, o, c.sep, size)
	}
	return g, nil
}

// headingRow is a row of names.
func headingRow(names []string) (row GridRow) {
	row.Line = 1
	for _, name := range names {
		row.Cells = append(row.Cells, eval.Str(name))
	}
	return row
}

// fill takes the first rows.
func (g *Grid) fill(r rows.Reader) error {
	for len(g.Rows) < maxLookedRows {
		b, err := r.Next()
		if err != nil {
			return err
		}
		if b == nil {
			g.IsWhole = true
			return nil
		}
		err = b.Each(func(line int, cells []eval.Value) error {
			if len(g.Rows) < maxLookedRows {
				g.Rows = append(g.Rows, gridRow(line, cells))
			}
			return nil
		})
		if err != nil {
			return err
		}
	}
	b, err := r.Next()
	g.IsWhole = b == nil && err == nil && len(g.Rows) < maxLookedRows
	return err
}

// gridRow is a row without its blank end.
func gridRow(line int, cells []eval.Value) GridRow {
	for len(cells) > 0 && isBlankCell(cells[len(cells)-1]) {
		cells = cells[:len(cells)-1]
	}
	cells = slices.Clone(cells)
	for i := range cells {
		cells[i].Text = strings.Clone(cells[i].Text)
	}
	return GridRow{line, cells}
}

// headBytes is how much of a text is looked at before it is read.
const headBytes = 64 << 10

// headOf are the first bytes of a file and how long it is; none of what can't be read twice.
func headOf(name string, in io.Reader, o Options) (head []byte, size int64, err error) {
	if name == "-" {
		if s, ok := in.(io.ReadSeeker); ok {
			head, err = io.ReadAll(io.LimitReader(s, headBytes))
			if _, again := s.Seek(0, io.SeekStart); again != nil {
				return nil, 0, again
			}
		}
		return head, 0, err
	}
	f, err := os.Open(name)
	if o.OnOpen != nil {
		f, err = o.OnOpen(f, err)
	}
	if err != nil {
		return nil, 0, err
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil || !info.Mode().IsRegular() {
		return nil, 0, err
	}
	head, err = io.ReadAll(io.LimitReader(f, headBytes))
	return head, info.Size(), err
}

// isUnclearText reports whether bytes are a text that isn't UTF-8 and doesn't say what it is.
func isUnclearText(head []byte) bool {
	if bytes.HasPrefix(head, zipMagic) || bytes.HasPrefix(head, oldMagic) || bytes.HasPrefix(head, []byte("\xff\xfe")) ||
		bytes.HasPrefix(head, []byte("\xfe\xff")) || bytes.IndexByte(head, 0) >= 0 {
		return false
	}
	for n := 0; n < utf8.UTFMax && len(head) > 0; n++ { // a letter may be cut at the end
		if utf8.Valid(head) {
			return false
		}
		if len(head) < headBytes {
			return true
		}
		head = head[:len(head)-1]
	}
	return !utf8.Valid(head)
}

// guessedEncodings are tried on a text that isn't UTF-8.
var guessedEncodings = []string{"windows-1252", "windows-1250", "windows-1251", "windows-1253", "windows-1257", "windows-1254", "iso-8859-2", "shift_jis", "euc-jp", "koi8-r"}

// GuessEncoding is the encoding in which a text has the most names of months and weekdays, and the
// fewest signs that aren't part of words.
func GuessEncoding(head []byte) string {
	best, most := guessedEncodings[0], -1<<30
	for _, name := range guessedEncodings {
		enc, err := findEncoding(name)
		if err != nil {
			continue
		}
		text, err := enc.NewDecoder().Bytes(head)
		if err != nil {
			continue
		}
		if score := wordScore(string(text)); score > most {
			best, most = name, score
		}
	}
	return best
}

// strangeSigns hardly ever stand in words: they are what letters of another encoding turn into.
const strangeSigns = "¿¡³¹²¼½¾¤¦§¨©ª¬®¯°±´¶·¸º»«×÷ƒ†‡ˆ‰‹›™œŒžŽÐÞþð¥¢£\ufffd\u0081\u008d\u008f\u0090\u009d"

// wordScore is how much a text looks like one of words.
func wordScore(text string) (score int) {
	for _, word := range strings.FieldsFunc(text, func(r rune) bool { return strings.ContainsRune(" \t\r\n,;|\"'()/.:-", r) }) {
		plain := true
		scripts := map[string]bool{}
		for _, r := range word {
			if r < utf8.RuneSelf {
				if r|0x20 >= 'a' && r|0x20 <= 'z' {
					scripts["latin"] = true
				}
				continue
			}
			plain = false
			switch {
			case strings.ContainsRune(strangeSigns, r):
				score -= 8
			case r >= 0xff61 && r <= 0xff9f: // half-width kana, which other letters turn into
				score -= 4
			case r < 0x250:
				scripts["latin"] = true
			case r >= 0x370 && r < 0x400:
				scripts["greek"] = true
			case r >= 0x400 && r < 0x530:
				scripts["cyrillic"] = true
			case r >= 0x3040 && r < 0xa000:
				scripts["japanese"] = true
				score++
			default:
				score -= 4
			}
		}
		if plain {
			continue
		}
		if len(scripts) > 1 && !scripts["japanese"] {
			score -= 8
		}
		if w := language.Lookup(word, nil); w.Month != 0 || w.Conflict != "" || w.Weekdays != 0 {
			score += 20
		}
		score += knownWordScore(word)
	}
	return score
}

// decodedHead is the beginning of a text in UTF-8.
func decodedHead(head []byte, o Options) string {
	if enc, err := findEncoding(o.Encoding); err == nil && enc != nil && enc != encoding.Nop {
		if text, err := enc.NewDecoder().Bytes(head); err == nil {
			return string(text)
		}
	}
	return string(head)
}

// separatorCounts are how many lines of a text have each separator, and how many aren't blank.
func separatorCounts(head string) (counts map[byte]int, lines int) {
	counts = map[byte]int{}
	for line := range strings.Lines(head) {
		if strings.TrimSpace(line) == "" {
			continue
		}
		if lines++; lines > 200 {
			break
		}
		for _, sep := range []byte{',', ';', '\t', '|'} {
			quoted := false
			for i := 0; i < len(line); i++ {
				if line[i] == '"' {
					quoted = !quoted
				} else if line[i] == sep && !quoted {
					counts[sep]++
				}
			}
		}
	}
	return counts, lines
}

// commonSeparator is the separator that a text has most often; the given one where none is.
func commonSeparator(head string, sep byte) byte {
	counts, _ := separatorCounts(head)
	best, most := sep, counts[sep]
	for _, s := range []byte{';', '\t', '|', ','} { // a comma may stand in numbers and texts
		if counts[s] > most {
			best, most = s, counts[s]
		}
	}
	return best
}

// hasNoSeparators reports whether a text has lines but no separators in most of them, and dates
// or runs of blanks instead.
func hasNoSeparators(head string) bool {
	if head == "" || strings.HasPrefix(head, string(zipMagic)) || strings.ContainsAny(head[:1], "[{") {
		return false
	}
	lines, apart, runs, dated := 0, 0, 0, 0
	for line := range strings.Lines(head) {
		if line = strings.TrimSpace(line); line == "" {
			continue
		}
		if lines++; lines > 100 {
			break
		}
		switch date, _ := cutDate(line); {
		case strings.ContainsAny(line, ";\t|"), strings.Count(line, ",") > 1:
			apart++
		case blankRun.MatchString(line):
			runs++
		case date != "" && date != line:
			dated++
		case strings.Contains(line, ","):
			apart++
		}
	}
	return apart*4 < lines && (runs*2 > lines || dated*2 > lines)
}

// mergedDown are the columns in which cells are merged down, of references such as A2:A5.
func mergedDown(refs []string) (columns []int) {
	for _, ref := range refs {
		from, to, _ := strings.Cut(ref, ":")
		if c := columnOf(from); c == columnOf(to) && c >= 0 && !slices.Contains(columns, c) {
			columns = append(columns, c)
		}
	}
	slices.Sort(columns)
	return columns
}

// readTail reads the last rows of a long text.
func (g *Grid) readTail(name string, o Options, sep byte, size int64) error {
	f, err := os.Open(name)
	if o.OnOpen != nil {
		f, err = o.OnOpen(f, err)
	}
	if err != nil {
		return err
	}
	defer f.Close()
	const most = 256 << 20 // of which lines are counted
	if size > most {
		return nil
	}
	from := max(0, size-headBytes)
	lines, err := countLines(io.LimitReader(f, from))
	if err != nil {
		return err
	}
	data, err := io.ReadAll(io.LimitReader(f, headBytes))
	if err != nil {
		return err
	}
	for try := 0; try < maxTailStarts; try++ { // a quote may be open where a line begins
		if from > 0 || try > 0 {
			i := bytes.IndexByte(data, '\n')
			if i < 0 {
				return nil
			}
			data, lines = data[i+1:], lines+1
		}
		tail, err := tailRows(&csvReader{file: name, r: strings.NewReader(decodedHead(data, o)), sep: sep, line: lines + 1, isRaw: true})
		if err == nil {
			g.Tail = tail
			break
		}
	}
	last := g.Rows[len(g.Rows)-1].Line
	g.Tail = slices.DeleteFunc(g.Tail, func(r GridRow) bool { return r.Line <= last })
	return nil
}

// maxTailStarts is from how many lines on the last rows are read, if the first are within a cell.
const maxTailStarts = 20

// tailRows are the last rows of a reader.
func tailRows(c *csvReader) (list []GridRow, err error) {
	for {
		b, err := c.Next()
		if b == nil || err != nil {
			return list, err
		}
		err = b.Each(func(line int, cells []eval.Value) error {
			if list = append(list, gridRow(line, cells)); len(list) > maxTailRows {
				list = list[1:]
			}
			return nil
		})
		if err != nil {
			return nil, err
		}
	}
}

// countLines counts the line ends of a text.
func countLines(r io.Reader) (n int, err error) {
	buf := make([]byte, 1<<20)
	for {
		k, err := r.Read(buf)
		n += bytes.Count(buf[:k], []byte{'\n'})
		if err == io.EOF {
			return n, nil
		}
		if err != nil {
			return n, err
		}
	}
}
