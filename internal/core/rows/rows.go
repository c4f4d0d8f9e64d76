// Package rows is the one row stream of the program, and the operations on it:
// whatever makes rows fills it, and every writer drains it.
package rows

import (
	"fmt"
	"slices"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/schedule"
)

// Sink takes the rows of a table: Header once, then Row for each, then Close.
// Cells are valid only during the call.
type Sink interface {
	Header(columns []string) error
	Row(cells []eval.Value) error
	Close() error
}

// Emphasis is how a row stands out.
type Emphasis uint8

// The kinds of emphasis.
const (
	NoEmphasis Emphasis = iota
	NearRow             // soon due, or what to look at first
	OverdueRow          // past its date
)

// Displayer is a Sink that shows more than plain rows, or one around such a sink.
type Displayer interface{ Display() Display }

// Display is what a Sink can show besides plain rows; a function is nil if it can't.
type Display struct {
	Highlight    func(e Emphasis)       // the rows after it stand out so
	NextIsTotals func()                 // the next row is that of totals
	KeepNames    func(columns []string) // headings are written in words, but for these, which are a table's own
	DrawGrid     func(g *Grid) error    // draws people against days, in place of the rows of the plain table
	DrawWall     func(w *schedule.Wall) error
	// TakesWallParts says that DrawWall draws the parts behind the months, too.
	TakesWallParts bool
}

// DisplayOf returns what s shows besides plain rows: nothing unless it is a Displayer.
func DisplayOf(s Sink) Display {
	if d, ok := s.(Displayer); ok {
		return d.Display()
	}
	return Display{}
}

// Reader gives the columns of a table and its rows, batch by batch.
type Reader interface {
	Columns() []string
	// Next returns the next batch; nil at the end.
	Next() (Batch, error)
}

// Batch is a run of rows. Different batches may be gone through at once.
type Batch interface {
	// Each calls do with each row and the line it starts on; cells are valid
	// only during the call, and do may append to them.
	Each(do func(line int, cells []eval.Value) error) error
}

// Each calls do with each row of a table and the line it starts on.
func Each(r Reader, do func(line int, cells []eval.Value) error) error {
	for {
		batch, err := r.Next()
		if err != nil || batch == nil {
			return err
		}
		if err := batch.Each(do); err != nil {
			return err
		}
	}
}

// EachText is called with each row of a TextBatch.
type EachText = func(line int, text string, cells []eval.Value) error

// GeneratedReader is a Reader of rows that are made, each batch by itself. It is read once.
type GeneratedReader struct {
	Names   []string
	Batches []func(do func(cells []eval.Value) error) error
}

// Columns implements Reader.
func (p *GeneratedReader) Columns() []string { return p.Names }

// Next implements Reader.
func (p *GeneratedReader) Next() (Batch, error) {
	if len(p.Batches) == 0 {
		return nil, nil
	}
	next := p.Batches[0]
	p.Batches = p.Batches[1:]
	return generatedBatch(next), nil
}

type generatedBatch func(do func(cells []eval.Value) error) error

// Each implements Batch.
func (b generatedBatch) Each(do func(line int, cells []eval.Value) error) error {
	return b(func(cells []eval.Value) error { return do(0, cells) })
}

// TextBatch is a Batch of rows as they are in a file of separated values, which can go
// out again as they came in.
type TextBatch interface {
	Batch
	// Separator is between the cells.
	Separator() byte
	// EachText is Each for those who need the cells of some slots alone. text is the
	// row as it is there, where it reads as its cells would be written; then only
	// the cells of slots are made and the others blank. Else it is "", and all are made.
	EachText(slots []int, do EachText) error
	// EachDays is EachText for those who may do with the days and numbers of slots: it puts those
	// of a row whose cells there are all dates, written as 2027-03-31, or numbers of a few digits,
	// into days by their slots and calls take with its text, and do for all other rows. numbers
	// says which slots hold numbers.
	EachDays(slots []int, numbers []bool, days []int32, take, do EachText) error
	// Cells makes all the cells of such a text.
	Cells(text string) []eval.Value
}

// BadCell is a fault in a cell: its row, and the column that was to be worked
// out or read.
type BadCell struct {
	Line   int
	Column string
	Err    error
}

// Error gives row, column and fault.
func (e *BadCell) Error() string {
	return fmt.Sprintf("row at line %d, column `%s`: %v", e.Line, e.Column, e.Err)
}

// Unwrap returns the fault.
func (e *BadCell) Unwrap() error { return e.Err }

// ColumnIndex returns the place of a column by its name, or -1.
func ColumnIndex(columns []string, name string) int {
	return slices.IndexFunc(columns, func(c string) bool { return phrase.NamesEqual(c, name) })
}
