package tabular

import (
	"bufio"
	"io"
	"regexp"
	"strings"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
)

// separatorBlanks is how text without separators is said to be cut: at runs of blanks, or into
// a date and the rest.
const separatorBlanks = "blanks"

// blankRun is what stands between cells that blanks set apart.
var blankRun = regexp.MustCompile(`[ \x{a0}]{2,}|\t+`)

// blanksReader reads lines without separators, such as those pasted from a page.
type blanksReader struct {
	file   string
	lines  *bufio.Scanner
	queue  []string // that were looked at first
	line   int
	byRuns bool // cells are apart by runs of blanks; else a date is apart from the rest
}

// maxBlanksLine is how long such a line may be.
const maxBlanksLine = 1 << 20

func newBlanks(file string, r io.Reader) *blanksReader {
	b := &blanksReader{file: file, lines: bufio.NewScanner(r)}
	b.lines.Buffer(nil, maxBlanksLine)
	runs, filled := 0, 0
	for len(b.queue) < maxLookedRows && b.lines.Scan() {
		line := b.lines.Text()
		b.queue = append(b.queue, line)
		if line = strings.TrimSpace(line); line != "" {
			filled++
			if blankRun.MatchString(line) {
				runs++
			}
		}
	}
	b.byRuns = runs*2 > filled
	return b
}

// Columns implements rows.Reader; the rows have a header or none.
func (b *blanksReader) Columns() []string { return nil }

// Next implements rows.Reader.
func (b *blanksReader) Next() (rows.Batch, error) {
	var held memBatch
	for len(held.rows) < jsonBatch {
		var line string
		if len(b.queue) > 0 {
			line, b.queue = b.queue[0], b.queue[1:]
		} else if b.lines.Scan() {
			line = b.lines.Text()
		} else {
			break
		}
		b.line++
		if line = strings.TrimSpace(line); line == "" {
			continue
		}
		var cells []eval.Value
		for _, text := range b.cut(line) {
			cells = append(cells, eval.Str(text))
		}
		held.lines, held.rows = append(held.lines, b.line), append(held.rows, cells)
	}
	if err := b.lines.Err(); err != nil {
		return nil, &CellError{File: b.file, Line: b.line + 1, Message: "this line is too long for a table"}
	}
	if len(held.rows) == 0 {
		return nil, nil
	}
	return &held, nil
}

// cut cuts a line into cells.
func (b *blanksReader) cut(line string) []string {
	if b.byRuns {
		return blankRun.Split(line, -1)
	}
	if date, rest := cutDate(line); date != "" {
		return []string{date, rest}
	}
	return []string{line}
}

// maxDateWords is how many words a date has at most: Fri, 3rd of May 2027.
const maxDateWords = 6

// cutDate takes the date off that a line begins or ends with; "" if it does neither.
func cutDate(line string) (date, rest string) {
	words := strings.Fields(line)
	for n := min(maxDateWords, len(words)); n > 0; n-- {
		if text := strings.TrimRight(strings.Join(words[:n], " "), ":,;–- "); looksLikeDate(text) {
			return strings.TrimSpace(text), strings.TrimLeft(strings.Join(words[n:], " "), ":,;–- ")
		}
	}
	for n := min(maxDateWords, len(words)); n > 0; n-- {
		if text := strings.Trim(strings.Join(words[len(words)-n:], " "), ":,;–- ()"); looksLikeDate(text) {
			return text, strings.TrimRight(strings.Join(words[:len(words)-n], " "), ":,;–-( ")
		}
	}
	return "", line
}

// looksLikeDate reports whether a text is a date in one of the forms that tell, its year aside.
func looksLikeDate(text string) bool { return isDateCell(eval.Str(text)) }
