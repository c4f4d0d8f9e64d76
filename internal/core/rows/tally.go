package rows

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"yoyaku/internal/core/eval"
)

// Tally counts or sums rows against columns. Its memory grows with the cells of
// the cross-table, not with the rows.
type Tally struct {
	RowName, ColName string // headings; ColName "" for one column
	Sum              bool
	rows, cols       headings
	// How the cells that are summed are shown: in one form, or with so many places.
	form   eval.Form
	other  bool // they are in several
	places int
	cells  [][]eval.Value // of each row
}

// headings are the keys that came, numbered as they did.
type headings struct {
	at   map[string]int
	keys []string
	room []byte
}

// of numbers the key of a cell; once there are so many, a new one isn't ok.
func (h *headings) of(v *eval.Value, most int) (n int, ok bool) {
	h.room = eval.AppendKey(h.room[:0], v)
	n, ok = h.at[string(h.room)]
	if !ok && len(h.keys) < most {
		n, ok = len(h.keys), true
		key := string(h.room)
		h.at[key], h.keys = n, append(h.keys, key)
	}
	return n, ok
}

// MostColumns is how many columns a cross-table may have, mostCells how many cells.
const (
	MostColumns = 1000
	mostCells   = 4_000_000
)

// NewTally prepares a cross-table.
func NewTally(rowName, colName string, sum bool) *Tally {
	return &Tally{RowName: rowName, ColName: colName, Sum: sum, rows: headings{at: map[string]int{}},
		cols: headings{at: map[string]int{}}}
}

// Shown notes how a cell that is summed was shown, for workbooks.
func (t *Tally) Shown(v *eval.Value) {
	if v.Kind == eval.Blank {
		return
	}
	_, decimals, _ := strings.Cut(v.String(), ".")
	t.places = max(t.places, len(decimals))
	if t.form == eval.NoForm && !t.other {
		t.form = v.Form
	}
	t.other = t.other || v.Form != t.form
}

// formed is the form of the sums: of amounts as money is, or as their table had it.
func (t *Tally) formed() eval.Form {
	const most = 4
	switch {
	case !t.Sum:
	case !t.other && t.form >= eval.FirstForm:
		return t.form
	case t.places > 0 && t.places <= most:
		return eval.Decimals(t.places)
	}
	return eval.NoForm
}

// Add takes one row: its headings, and the number to sum, 1 for a count.
func (t *Tally) Add(row, col *eval.Value, n eval.Value) error {
	r, _ := t.rows.of(row, math.MaxInt)
	c, ok := t.cols.of(col, MostColumns)
	if !ok {
		return fmt.Errorf("the tally has more than %d columns; use a coarser phrase for --cols, such as \"year of %s\"",
			MostColumns, t.ColName)
	}
	if len(t.rows.keys)*len(t.cols.keys) > mostCells {
		return fmt.Errorf("the tally has more than %d cells, of %d rows and %d columns; use a coarser phrase for one of them",
			mostCells, len(t.rows.keys), len(t.cols.keys))
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

// at is a cell of the cross-table, blank if nothing came.
func (t *Tally) at(row, col string) eval.Value {
	line, c := t.cells[t.rows.at[row]], t.cols.at[col]
	if c >= len(line) {
		return eval.Value{}
	}
	return line[c]
}

// Table returns the cross-table: its headings in their natural order, and what puts its
// rows, and its totals.
func (t *Tally) Table() (head []string, write func(put, total Put) error) {
	rows, cols := slices.Clone(t.rows.keys), slices.Clone(t.cols.keys)
	slices.SortStableFunc(rows, natural)
	slices.SortStableFunc(cols, natural)
	return t.head(cols), func(put, total Put) error { return t.write(rows, cols, put, total) }
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

func (t *Tally) write(rows, cols []string, put, total Put) error {
	form := t.formed()
	formed := func(line []eval.Value) []eval.Value {
		for i := range line {
			if line[i].Kind == eval.Number {
				line[i].Form = form
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
			v := t.at(r, c)
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
