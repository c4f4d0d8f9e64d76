package tabular

import (
	"slices"
	"strings"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
)

// Peek reads the first rows of a table, some 1,000, and gives a reader that begins with them
// again.
func Peek(r rows.Reader) (first [][]eval.Value, again rows.Reader, err error) {
	p := &peekedReader{Reader: r}
	for len(first) < maxLookedRows {
		b, err := r.Next()
		if err != nil {
			p.err = err // it comes when the rows before it were read
			break
		}
		if b == nil {
			break
		}
		p.held = append(p.held, b)
		err = repeatable(b).Each(func(_ int, cells []eval.Value) error {
			if len(first) < maxLookedRows {
				first = append(first, slices.Clone(cells))
			}
			return nil
		})
		if err != nil {
			break // which comes again when it is read
		}
	}
	return first, p, nil
}

// repeatable is a batch that can be gone through although it is again later.
func repeatable(b rows.Batch) rows.Batch {
	if c, ok := b.(*csvBlock); ok {
		again := *c
		again.starts = nil
		return &again
	}
	return b
}

// peekedReader gives the batches that were read first, then the others.
type peekedReader struct {
	rows.Reader
	held []rows.Batch
	err  error
}

// Next implements rows.Reader.
func (p *peekedReader) Next() (b rows.Batch, err error) {
	if len(p.held) > 0 {
		b, p.held = p.held[0], p.held[1:]
		return b, nil
	}
	if p.err != nil {
		return nil, p.err
	}
	return p.Reader.Next()
}

// HoldsForm reports whether all filled cells of a column are of a form, words aside that mean a
// blank, and not all of them plain numbers.
func HoldsForm(first [][]eval.Value, column int, layouts []DateLayout, blankWords []string) bool {
	filled, plain := 0, 0
	for _, row := range first {
		if column >= len(row) || isBlankCell(row[column]) {
			continue
		}
		text := strings.TrimSpace(row[column].String())
		if slices.ContainsFunc(blankWords, func(w string) bool { return strings.EqualFold(w, text) }) {
			continue
		}
		if _, _, ok := ReadCell(row[column], layouts); !ok {
			return false
		}
		if filled++; row[column].Kind == eval.Date || row[column].Kind == eval.DateTime || digitsOnly(text) || IsISO(text) {
			plain++
		}
	}
	return filled > plain
}

// IsISO reports whether a text is an ISO 8601 date, which needs no form.
func IsISO(text string) bool { _, ok := eval.AsDate(eval.Str(text)); return ok }
