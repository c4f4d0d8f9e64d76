package rows

import (
	"errors"
	"fmt"
	"sync/atomic"

	"yoyaku/internal/core/eval"
)

// limits bound what a small table may take: a few hundred bytes can ask for more than a machine
// has. All count work, and grow with the table.
type limits struct {
	written, held volume // what comes of a table, and what is held of that to be sorted
	work          int    // operations on all rows together, if a row takes more than workEach
	workEach      int
	text          int // bytes that rows are given beyond textEach and textOver times what they have
	textEach      int
	textOver      int
	part          int // bytes of encoded rows that are written before their batch is done
}

// volume bounds rows and their bytes; each is how many rows may come of each, and how many times
// its bytes and 100 more, whatever the sum.
type volume struct{ rows, bytes, each int }

var most = limits{written: volume{20_000_000, 2 << 30, 400}, held: volume{2_500_000, 256 << 20, 25},
	work: 100_000_000, workEach: 500, text: 256 << 20, textEach: 1 << 10, textOver: 8, part: 8 * partSize}

// MostPieces is how many pieces or dates of a row are made before the first is put, where all of
// them matter: to shares, and to what runs down them.
const MostPieces = 200_000

// What a table asks too much of.
var (
	ErrPieces = fmt.Errorf("more than %d days, periods or dates come of this row; is one of its dates wrong?", MostPieces)

	ErrMany = errors.New("more rows come of this table than can be written (20 million, or 400 for each of its rows)")
	ErrHeld = errors.New("more rows come of this table than can be sorted (2.5 million, or 25 for each of its rows)")
	errWork = errors.New("the phrases take too many operations for so many rows (100 million in all); use fewer columns or shorter phrases")
	errText = errors.New("the texts that phrases add to the rows are too long (256 MB in all); join fewer columns")
)

// Spent is what a table has taken so far.
type Spent struct {
	seen   int          // rows of the table
	made   int          // rows that came of them
	beside bool         // whether these are put beside those of the table
	held   bool         // and held before they are written
	read   int          // bytes of the table, if so
	bytes  int          // and of what came of it
	size   int          // operations on a row
	long   atomic.Int64 // bytes that rows were given beyond what they may
	digits atomic.Int64 // machine words of long numbers
}

// Lend has phrases that are compiled in a place counted.
func (s *Spent) Lend(env *eval.Env) { env.Size, env.Digits = &s.size, &s.digits }

// See counts rows of the table.
func (s *Spent) See(n int) error {
	s.seen += n
	return s.bears(s.seen)
}

// bears is an error if so many rows take too many operations.
func (s *Spent) bears(rows int) error {
	if s.size > most.workEach && rows > most.work/s.size {
		return errWork
	}
	return nil
}

// put counts rows that came of the table with their bytes, and the bytes of the rows that they
// stand beside, if Scan doesn't.
func (s *Spent) put(n, read, bytes int) error {
	s.made, s.read, s.bytes = s.made+n, s.read+read, s.bytes+bytes
	over := func(v volume) bool {
		return s.made > v.rows && s.made > v.each*s.seen || s.bytes > v.bytes && s.bytes > v.each*(s.read+100*s.seen)
	}
	switch {
	case !s.beside:
	case s.held && over(most.held):
		return ErrHeld
	case over(most.written):
		return ErrMany
	}
	return nil
}

// Grown counts what a row has been given: in cells came in, or their text.
func (s *Spent) Grown(text string, row []eval.Value, in int) error {
	added := sizeOf("", row[in:])
	if added <= most.textEach {
		return nil
	}
	if over := added - most.textEach - most.textOver*sizeOf(text, row[:in]); over > 0 && s.long.Add(int64(over)) > int64(most.text) {
		return errText
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
