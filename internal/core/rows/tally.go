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

// Write writes the cross-table: headings in their natural order, totals both
// ways.
func (t *Tally) Write(columns func([]string) error, put func([]eval.Value) error) error {
	rows, cols := slices.Clone(t.rowKeys), slices.Clone(t.colKeys)
	slices.SortStableFunc(rows, natural)
	slices.SortStableFunc(cols, natural)
	head := []string{t.RowName}
	if t.ColName == "" {
		if t.Sum {
			head = append(head, "sum")
		} else {
			head = append(head, "count")
		}
	} else {
		for _, c := range cols {
			if c == "" {
				c = "(blank)"
			}
			head = append(head, c)
		}
		head = append(head, "total")
	}
	if err := columns(head); err != nil {
		return err
	}
	totals := make([]eval.Value, len(head))
	totals[0] = eval.Str("total")
	for i := range totals[1:] {
		totals[i+1] = eval.Int(0)
	}
	for _, r := range rows {
		line := []eval.Value{eval.Str(r)}
		if r == "" {
			line[0] = eval.Str("(blank)")
		}
		sum := eval.Int(0)
		for i, c := range cols {
			v, ok := t.cells[[2]int{t.rows[r], t.cols[c]}]
			if !ok && t.ColName == "" {
				v = eval.Int(0)
			}
			line = append(line, v)
			sum = eval.Add(sum, v)
			totals[i+1] = eval.Add(totals[i+1], v)
		}
		if t.ColName != "" {
			line = append(line, sum)
			totals[len(totals)-1] = eval.Add(totals[len(totals)-1], sum)
		}
		if err := put(line); err != nil {
			return err
		}
	}
	return put(totals)
}
