package tabular

import (
	"fmt"
	"math/bits"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
)

// csvBlock is a run of whole rows, read in place: cells are substrings of text.
type csvBlock struct {
	*csvReader
	text    string
	at      int
	line    int // of at
	columns int // -1: any number
	// Of a row that was found whole: where its cells start, and whether there are
	// carriage returns anywhere.
	starts []int32
	hasCR  bool
}

// Each implements rows.Batch.
func (b *csvBlock) Each(do func(line int, cells []eval.Value) error) error {
	return b.EachText(nil, func(line int, _ string, cells []eval.Value) error { return do(line, cells) })
}

// Separator implements rows.TextBatch.
func (b *csvBlock) Separator() byte { return b.sep }

// EachText implements rows.TextBatch.
func (b *csvBlock) EachText(slots []int, do rows.EachText) error {
	return b.EachDays(slots, nil, nil, nil, do)
}

// EachDays implements rows.TextBatch.
func (b *csvBlock) EachDays(slots []int, numbers []bool, days []int32, take, do rows.EachText) error {
	room := make([]eval.Value, max(b.columns, 0), max(b.columns, 0)+16)
	part := make([]eval.Value, len(room), cap(room)) // with the cells of slots alone
	b.hasCR = strings.IndexByte(b.text, '\r') >= 0
	for {
		line, text := b.line, ""
		var cells []eval.Value
		found, same := b.scanRow()
		switch {
		case !found:
			var ok bool
			var err error
			if room, line, ok, err = b.next(room[:0]); err != nil || !ok {
				return err
			}
			cells = room
		case slots != nil && same:
			text = b.text[b.starts[0] : b.starts[b.columns]-1]
			if take != nil && b.readDays(slots, numbers, days) {
				if err := take(line, text, nil); err != nil {
					return err
				}
				continue
			}
			for _, k := range slots {
				b.cell(k, &part[k])
			}
			cells = part
		default:
			room = room[:b.columns]
			for k := range room {
				b.cell(k, &room[k])
			}
			cells = room
		}
		if err := do(line, text, cells); err != nil {
			return err
		}
	}
}

// Cells implements rows.TextBatch.
func (b *csvBlock) Cells(text string) []eval.Value {
	row := &csvBlock{csvReader: b.csvReader, text: text + "\n", columns: b.columns}
	cells, _, _, _ := row.next(nil) // it was read without a fault before
	return cells
}

// scanRow finds where the cells of the row at b.at begin, a machine word at a time, and
// goes behind it. found is false for a row that needs care, such as the last of a file,
// one of a wrong length or with a stray quote: next reads it. same says that what the
// cells are written as is what is there.
func (b *csvBlock) scanRow() (found, same bool) {
	const ones, low = 0x0101010101010101, 0x7f7f7f7f7f7f7f7f
	s, at, start, n, line := b.text, b.at, b.at, 0, b.line
	if b.columns < 2 || at >= len(s) || s[at] == '\n' || s[at] == '\r' {
		return false, false
	}
	if len(b.starts) <= b.columns {
		b.starts = make([]int32, b.columns+1)
	}
	starts, seps := b.starts, uint64(b.sep)*ones
	starts[0] = int32(at)
	same = true
	for at+8 <= len(s) {
		w := loadWord(s[at : at+8])
		hits := ^(unequalBytes(w, seps)&unequalBytes(w, '\n'*ones)&unequalBytes(w, '"'*ones) | low)
		for ; hits != 0; hits &= hits - 1 {
			i := at + bits.TrailingZeros64(hits)>>3
			hit := s[i]
			if c := s[start]; c <= ' ' && i > start || c == '\\' {
				same = false
			}
			if hit == b.sep {
				if n++; n == b.columns {
					return false, false
				}
				start = i + 1
				starts[n] = int32(start)
				continue
			}
			if hit == '"' {
				cell, doubled, end, fault := scanQuoted(s, i, b.sep)
				if i != start || fault != "" {
					return false, false
				}
				line += strings.Count(s[i:end], "\n")
				same = same && (doubled || needsQuotes(cell, b.sep))
				at = end - 8 // on behind the quotes
				break
			}
			end := i // of the cell
			if end > start && s[end-1] == '\r' {
				end--
			}
			if n++; n != b.columns {
				return false, false
			}
			start = i + 1
			starts[n] = int32(end) + 1
			if b.hasCR && strings.IndexByte(s[b.at:starts[n]-1], '\r') >= 0 {
				same = false
			}
			b.at, b.line = start, line+1
			return true, same
		}
		at += 8
	}
	return false, false
}

// readDays reads the cells of slots of the row that whole has found; false if one is no ISO date, or
// no number of a few digits.
func (b *csvBlock) readDays(slots []int, numbers []bool, days []int32) bool {
	for i, k := range slots {
		text := b.text[b.starts[k] : b.starts[k+1]-1]
		if numbers[i] {
			n, ok := eval.ParseSmallInt(text)
			if !ok {
				return false
			}
			days[k] = int32(n)
			continue
		}
		d, ok := civil.ParseDay(text)
		if !ok {
			return false
		}
		days[k] = int32(d)
	}
	return true
}

// cell makes cell k of the row that whole has found.
func (b *csvBlock) cell(k int, v *eval.Value) {
	text := b.text[b.starts[k] : b.starts[k+1]-1]
	if text != "" && text[0] == '"' {
		text = strings.ReplaceAll(text[1:len(text)-1], `""`, `"`)
	}
	*v = eval.Str(text)
}

// loadWord is eight bytes as one number, the first lowest.
func loadWord(s string) uint64 {
	return uint64(s[0]) | uint64(s[1])<<8 | uint64(s[2])<<16 | uint64(s[3])<<24 |
		uint64(s[4])<<32 | uint64(s[5])<<40 | uint64(s[6])<<48 | uint64(s[7])<<56
}

// unequalBytes marks, by their highest bit, the bytes of a word that aren't the same in another.
func unequalBytes(w, other uint64) uint64 {
	const low = 0x7f7f7f7f7f7f7f7f
	x := w ^ other
	return x&low + low | x
}

func (b *csvBlock) fail(line int, format string, args ...any) error {
	return &CellError{File: b.file, Line: line, Message: fmt.Sprintf(format, args...)}
}

// equalBytes is zero where no byte of a word is the same in another. It takes less than
// equal, and doesn't say which bytes are.
func equalBytes(w, other uint64) uint64 {
	const ones, highs = 0x0101010101010101, 0x8080808080808080
	x := w ^ other
	return (x - ones) &^ x & highs
}

// next reads one row into cells. Blank lines are passed over, except in a table
// of one column, where they are blank cells.
func (b *csvBlock) next(cells []eval.Value) (_ []eval.Value, line int, ok bool, err error) {
	b.skipBlankLines()
	line = b.line
	if b.at >= len(b.text) {
		return cells, line, false, nil
	}
	for more := true; more; {
		var cell string
		var fault string
		if cell, more, fault = b.nextCell(); fault != "" {
			return cells, line, false, b.fail(line, "%s", fault)
		}
		if cell == "" {
			cells = append(cells, eval.Value{})
		} else {
			cells = append(cells, eval.Value{Kind: eval.Text, Text: cell})
		}
	}
	if b.columns >= 0 && len(cells) != b.columns {
		cells, err = b.fitRow(cells, line)
	}
	return cells, line, err == nil, err
}

// skipBlankLines moves to the next line that holds something; with one column a blank line is
// a row.
func (b *csvBlock) skipBlankLines() {
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
}

// nextCell reads a cell and what ends it; more says that another cell of the row follows.
func (b *csvBlock) nextCell() (cell string, more bool, fault string) {
	s, sep := b.text, b.sep
	if b.at < len(s) && s[b.at] == '"' {
		text, doubled, end, fault := scanQuoted(s, b.at, sep)
		if fault != "" {
			return "", false, fault
		}
		if cell = text; doubled {
			cell = strings.ReplaceAll(cell, `""`, `"`)
		}
		b.line += strings.Count(s[b.at:end], "\n")
		b.at = end
	} else {
		end := b.at
		for end < len(s) && s[end] != sep && s[end] != '\n' {
			if s[end] == '"' {
				return "", false, "a quote inside a cell that doesn't start with one"
			}
			end++
		}
		cell = s[b.at:end]
		if (end == len(s) || s[end] == '\n') && strings.HasSuffix(cell, "\r") {
			cell = cell[:len(cell)-1]
		}
		b.at = end
	}
	if b.at < len(s) && s[b.at] == sep {
		b.at++
		return cell, true, ""
	}
	if b.at < len(s) { // the line end
		b.at++
		b.line++
	}
	return cell, false, ""
}

// repairHint is what helps rows that end early.
const repairHint = "Use --repair to fill short rows with blanks"

// fitRow gives a row as many cells as there are columns, where repairs allow it.
func (b *csvBlock) fitRow(cells []eval.Value, line int) ([]eval.Value, error) {
	switch {
	case b.repairs == nil:
	case len(cells) < b.columns:
		b.repairs.padded.Add(1)
		for len(cells) < b.columns {
			cells = append(cells, eval.Value{})
		}
		return cells, nil
	case allBlank(cells[b.columns:]):
		return cells[:b.columns], nil
	}
	hint := "Use --header-row N if the names are in another row"
	if len(cells) < b.columns {
		hint = repairHint
	}
	return cells, &CellError{File: b.file, Line: line, Message: fmt.Sprintf("this row has %s, the header has %d", phrase.Plural(len(cells), "cell"), b.columns), Hint: hint}
}

// scanQuoted finds the cell in quotes that begins at a place: what is between them, with
// quotes doubled or not; end is behind it, and behind a carriage return that ends the row.
func scanQuoted(s string, at int, sep byte) (cell string, doubled bool, end int, fault string) {
	for i := at + 1; ; i++ {
		k := strings.IndexByte(s[i:], '"')
		if k < 0 {
			return "", false, at, "a quote is opened in this row and never closed"
		}
		i += k
		if i+1 < len(s) && s[i+1] == '"' {
			doubled = true
			i++
			continue
		}
		end = i + 1
		if end < len(s) && s[end] == '\r' && (end+1 == len(s) || s[end+1] == '\n') {
			end++
		}
		if end < len(s) && s[end] != sep && s[end] != '\n' {
			return "", false, at, "unexpected text after a closing quote"
		}
		return s[at+1 : i], doubled, end, ""
	}
}
