package rows

import (
	"fmt"
	"math"
	"slices"

	"yoyaku/internal/core/eval"
)

// Tally counts or sums rows against columns. Its memory grows with the cells of
// the cross-table, not with the rows.
type Tally struct {
	RowName, ColName string // headings; ColName "" for one column
	Sum              bool
	rows, cols       headingIndex
	// How the cells that are summed are shown: in one form, or with so many places.
	format       eval.CellFormat
	mixedFormats bool // they are in several
	places       int
	cells        [][]eval.Value // of each row
}

// headingIndex are the keys that came, numbered as they did.
type headingIndex struct {
	byKey map[string]int
	keys  []string
	buf   []byte
}

// indexOf numbers the key of a cell; once there are so many, a new one isn't ok.
func (h *headingIndex) indexOf(v *eval.Value, most int) (n int, ok bool) {
	h.buf = eval.AppendCellKey(h.buf[:0], v)
	n, ok = h.byKey[string(h.buf)]
	if !ok && len(h.keys) < most {
		n, ok = len(h.keys), true
		key := string(h.buf)
		h.byKey[key], h.keys = n, append(h.keys, key)
	}
	return n, ok
}

// maxColumns is how many columns a cross-table may have, maxCells how many cells.
const (
	maxColumns = 1000
	maxCells   = 4_000_000
)

// NewTally prepares a cross-table.
func NewTally(rowName, colName string, sum bool) *Tally {
	return &Tally{RowName: rowName, ColName: colName, Sum: sum, rows: headingIndex{byKey: map[string]int{}},
		cols: headingIndex{byKey: map[string]int{}}}
}

// noteFormat notes how a cell that is summed was shown, for workbooks; n is its number.
func (t *Tally) noteFormat(v *eval.Value, n eval.Value) {
	if v.Kind == eval.Blank {
		return
	}
	t.places = max(t.places, int(n.Places))
	if t.format == eval.NoFormat && !t.mixedFormats {
		t.format = v.Format
	}
	t.mixedFormats = t.mixedFormats || v.Format != t.format
}

// sumFormat is the form of the sums: of amounts as money is, or as their table had it.
func (t *Tally) sumFormat() eval.CellFormat {
	const most = 4
	switch {
	case !t.Sum:
	case !t.mixedFormats && t.format >= eval.FirstCustomFormat:
		return t.format
	case t.places > 0 && t.places <= most:
		return eval.DecimalFormat(t.places)
	}
	return eval.NoFormat
}

// AddShown is Add for a number to sum that a cell shows.
func (t *Tally) AddShown(row, col *eval.Value, n eval.Value, shown *eval.Value) error {
	n = eval.Summand(n, *shown)
	t.noteFormat(shown, n)
	return t.Add(row, col, n)
}

// Add takes one row: its headings, and the number to sum, 1 for a count.
func (t *Tally) Add(row, col *eval.Value, n eval.Value) error {
	r, _ := t.rows.indexOf(row, math.MaxInt)
	c, ok := t.cols.indexOf(col, maxColumns)
	if !ok {
		return fmt.Errorf("the tally has more than %d columns; use a coarser phrase for --cols, such as \"year of %s\"",
			maxColumns, t.ColName)
	}
	if len(t.rows.keys)*len(t.cols.keys) > maxCells {
		return fmt.Errorf("the tally has more than %d cells, of %d rows and %d columns; use a coarser phrase for one of them",
			maxCells, len(t.rows.keys), len(t.cols.keys))
	}
	if r == len(t.cells) {
		t.cells = append(t.cells, nil)
	}
	for len(t.cells[r]) <= c {
		t.cells[r] = append(t.cells[r], eval.Value{})
	}
	cell := &t.cells[r][c]
	*cell = eval.Add(*cell, n)
	return nil
}

// cell is a cell of the cross-table, blank if nothing came.
func (t *Tally) cell(row, col string) eval.Value {
	line, c := t.cells[t.rows.byKey[row]], t.cols.byKey[col]
	if c >= len(line) {
		return eval.Value{}
	}
	return line[c]
}

// Table returns the cross-table: its headings in their natural order, and what puts its
// rows, and its totals.
func (t *Tally) Table() (head []string, write func(put, total PutRow) error) {
	rows, cols := slices.Clone(t.rows.keys), slices.Clone(t.cols.keys)
	slices.SortStableFunc(rows, compareHeadings)
	slices.SortStableFunc(cols, compareHeadings)
	return t.head(cols), func(put, total PutRow) error { return t.write(rows, cols, put, total) }
}

func (t *Tally) head(cols []string) []string {
	switch {
	case t.ColName == "" && t.Sum:
		return []string{t.RowName, "sum"}
	case t.ColName == "":
		return []string{t.RowName, "count"}
	}
	head := []string{t.RowName}
	for _, c := range cols {
		head = append(head, orBlank(c))
	}
	return append(head, "total")
}

func orBlank(key string) string {
	if key == "" {
		return "(blank)"
	}
	return key
}

func (t *Tally) write(rows, cols []string, put, total PutRow) error {
	form := t.sumFormat()
	formed := func(line []eval.Value) []eval.Value {
		for i := range line {
			if line[i].Kind == eval.Number {
				line[i].Format = form
			}
		}
		return line
	}
	totals := make([]eval.Value, len(cols)+1)
	for i := range totals {
		totals[i] = eval.Int(0)
	}
	if t.ColName == "" { // one column, even of an empty table
		cols, totals = []string{""}, totals[:1]
	}
	for _, r := range rows {
		line := []eval.Value{eval.Str(orBlank(r))}
		sum := eval.Int(0)
		for i, c := range cols {
			v := t.cell(r, c)
			if v.Kind == eval.Blank && t.ColName == "" {
				v = eval.Int(0)
			}
			line = append(line, v)
			sum = eval.Add(sum, v)
			totals[i] = eval.Add(totals[i], v)
		}
		if t.ColName != "" {
			line = append(line, sum)
			totals[len(cols)] = eval.Add(totals[len(cols)], sum)
		}
		if err := put(formed(line)); err != nil {
			return err
		}
	}
	return total(formed(append([]eval.Value{eval.Str("total")}, totals...)))
}
