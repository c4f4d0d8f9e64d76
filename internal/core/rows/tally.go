package rows

import (
	"fmt"
	"slices"

	"yoyaku/internal/core/eval"
)

// Tally counts or sums rows against columns. Its memory grows with the cells of
// the cross-table, not with the rows.
type Tally struct {
	RowName, ColName string // headings; ColName "" for one column
	Sum              bool
	rows, cols       map[string]int
	rowKeys, colKeys []string
	cells            map[[2]int]eval.Value
}

// MostColumns is how many columns a cross-table may have.
const MostColumns = 1000

// NewTally prepares a cross-table.
func NewTally(rowName, colName string, sum bool) *Tally {
	return &Tally{RowName: rowName, ColName: colName, Sum: sum, rows: map[string]int{}, cols: map[string]int{}, cells: map[[2]int]eval.Value{}}
}

// Add takes one row: its headings, and the number to sum, 1 for a count.
func (t *Tally) Add(row, col string, n eval.Value) error {
	r, ok := t.rows[row]
	if !ok {
		r = len(t.rowKeys)
		t.rows[row], t.rowKeys = r, append(t.rowKeys, row)
	}
	c, ok := t.cols[col]
	if !ok {
		if c = len(t.colKeys); c >= MostColumns {
			return fmt.Errorf("the tally has over %d columns; choose a narrower phrase for --cols, such as year of %s", MostColumns, t.ColName)
		}
		t.cols[col], t.colKeys = c, append(t.colKeys, col)
	}
	key := [2]int{r, c}
	t.cells[key] = eval.Add(t.cells[key], n)
	return nil
}

// Table returns the cross-table: its headings in their natural order, and what
// puts its rows, totals both ways.
func (t *Tally) Table() (head []string, write func(Put) error) {
	rows, cols := slices.Clone(t.rowKeys), slices.Clone(t.colKeys)
	slices.SortStableFunc(rows, natural)
	slices.SortStableFunc(cols, natural)
	return t.head(cols), func(put Put) error { return t.write(rows, cols, put) }
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

func (t *Tally) write(rows, cols []string, put Put) error {
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
			v, ok := t.cells[[2]int{t.rows[r], t.cols[c]}]
			if !ok && t.ColName == "" {
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
		if err := put(line); err != nil {
			return err
		}
	}
	return put(append([]eval.Value{eval.Str("total")}, totals...))
}

// IsTotal reports whether a row with a first cell is the totals of a table that has them
// both ways.
func IsTotal(columns []string, first string) bool {
	return first == "total" && len(columns) > 1 && columns[len(columns)-1] == "total"
}
