package rows

import (
	"errors"
	"fmt"
	"sync/atomic"

	"yoyaku/internal/core/eval"
)

// tableLimits bound what a small table may take: a few hundred bytes can ask for more than a machine
// has. All count work, and grow with the table.
type tableLimits struct {
	maxOutput, maxSorted volumeLimit // what comes of a table, and what is held of that to be sorted
	work                 int         // operations on all rows together, if a row takes more than workEach
	workEach             int
	text                 int // bytes that rows are given beyond textEach and textOver times what they have
	textEach             int
	textOver             int
	flushBytes           int // bytes of encoded rows that are written before their batch is done
}

// volumeLimit bounds an output: it is refused only if it has more than rows rows and more than
// each per input row, or more than bytes bytes and more than each times the input (100 bytes
// added per row).
type volumeLimit struct{ rows, bytes, each int }

var limit = tableLimits{maxOutput: volumeLimit{20_000_000, 2 << 30, 400}, maxSorted: volumeLimit{2_500_000, 256 << 20, 25},
	work: 100_000_000, workEach: 500, text: 256 << 20, textEach: 1 << 10, textOver: 8, flushBytes: 8 * flushSize}

// MaxPieces is how many pieces or dates of a row are made before the first is put, where all of
// them matter: to shares, and to what runs down them.
const MaxPieces = 200_000

// What a table asks too much of.
var (
	ErrTooManyPieces = fmt.Errorf("more than %d days, periods or dates come of this row; is one of its dates wrong?", MaxPieces)

	ErrTooManyRows  = errors.New("more rows come of this table than can be written (20 million, or 400 for each of its rows)")
	ErrSortTooLarge = errors.New("more rows come of this table than can be sorted (2.5 million, or 25 for each of its rows)")
	errTooMuchWork  = errors.New("the phrases take too many operations for so many rows (100 million in all); use fewer columns or shorter phrases")
	errTooMuchText  = errors.New("the texts that phrases add to the rows are too long (256 MB in all); join fewer columns")
)

// Usage is what a table has taken so far.
type Usage struct {
	rowsIn    int          // rows of the table
	rowsOut   int          // rows that came of them
	extended  bool         // whether these are put beside those of the table
	sorted    bool         // and held before they are written
	bytesIn   int          // bytes of the table, if so
	bytesOut  int          // and of what came of it
	opsPerRow int          // operations on a row
	extraText atomic.Int64 // bytes that rows were given beyond what they may
	bigWords  atomic.Int64 // machine words of long numbers
}

// Attach has phrases that are compiled in a place counted.
func (s *Usage) Attach(env *eval.Env) { env.OpCount, env.BigWords = &s.opsPerRow, &s.bigWords }

// CountRows counts rows of the table.
func (s *Usage) CountRows(n int) error {
	s.rowsIn += n
	return s.checkWork(s.rowsIn)
}

// checkWork returns errTooMuchWork if rows × opsPerRow exceeds limit.work. Tables with at most
// limit.workEach operations a row are never refused.
func (s *Usage) checkWork(rows int) error {
	if s.opsPerRow > limit.workEach && rows > limit.work/s.opsPerRow {
		return errTooMuchWork
	}
	return nil
}

// countOutput counts rows that came of the table with their bytes, and the bytes of the rows that they
// stand beside, if Scan doesn't.
func (s *Usage) countOutput(n, read, bytes int) error {
	s.rowsOut, s.bytesIn, s.bytesOut = s.rowsOut+n, s.bytesIn+read, s.bytesOut+bytes
	over := func(v volumeLimit) bool {
		return s.rowsOut > v.rows && s.rowsOut > v.each*s.rowsIn || s.bytesOut > v.bytes && s.bytesOut > v.each*(s.bytesIn+100*s.rowsIn)
	}
	switch {
	case !s.extended:
	case s.sorted && over(limit.maxSorted):
		return ErrSortTooLarge
	case over(limit.maxOutput):
		return ErrTooManyRows
	}
	return nil
}

// CountGrowth counts what a row has been given: in cells came in, or their text.
func (s *Usage) CountGrowth(text string, row []eval.Value, in int) error {
	added := sizeOf("", row[in:])
	if added <= limit.textEach {
		return nil
	}
	if over := added - limit.textEach - limit.textOver*sizeOf(text, row[:in]); over > 0 && s.extraText.Add(int64(over)) > int64(limit.text) {
		return errTooMuchText
	}
	return nil
}

// sizeOf is the size of a row: that of its text, or if there is none of the texts of its cells.
func sizeOf(text string, cells []eval.Value) (bytes int) {
	if text != "" {
		return len(text)
	}
	for i := range cells {
		bytes += len(cells[i].Text)
	}
	return bytes
}
