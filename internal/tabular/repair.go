package tabular

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
)

// Repairs counts what was mended in a messy table as it was read.
type Repairs struct {
	Headings []string // that were given, in order
	trimmed  int      // blank columns at the right end
	padded   atomic.Int64
	filled   atomic.Int64
}

// String says what was mended; "" if nothing was.
func (r *Repairs) String() string {
	var parts []string
	if n := len(r.Headings); n > 0 {
		parts = append(parts, phrase.Plural(n, "heading")+" numbered ("+strings.Join(r.Headings[:min(n, 5)],
			", ")+map[bool]string{true: ", …"}[n > 5]+")")
	}
	if r.trimmed > 0 {
		parts = append(parts, phrase.Plural(r.trimmed, "blank column")+" at the right end left out")
	}
	if n := r.padded.Load(); n > 0 {
		parts = append(parts, phrase.Plural(int(n), "short row")+" filled with blanks")
	}
	if n := r.filled.Load(); n > 0 {
		parts = append(parts, phrase.Plural(int(n), "blank cell")+" filled from above")
	}
	return strings.Join(parts, ", ")
}

// repairHeader settles the names of the columns: it numbers those that have none or one
// that precedes, or refuses them if nothing is to be mended.
func (o Options) repairHeader(file string, line int, columns []string) error {
	if o.Repairs != nil && len(columns) <= maxColumns {
		used := map[string]bool{}
		for _, name := range columns {
			used[phrase.FoldName(name)] = true
		}
		seen, next := map[string]bool{"": true}, map[string]int{} // the number that is tried next
		for i, name := range columns {
			key := phrase.FoldName(name)
			if !seen[key] {
				seen[key] = true
				continue
			}
			n := 2
			if name == "" {
				name, n = "column", i+1
			}
			n = max(n, next[key])
			for used[phrase.FoldName(name+"_"+strconv.Itoa(n))] {
				n++
			}
			next[key] = n + 1
			columns[i] = name + "_" + strconv.Itoa(n)
			used[phrase.FoldName(columns[i])] = true
			o.Repairs.Headings = append(o.Repairs.Headings, columns[i])
		}
	}
	return checkHeader(file, line, columns)
}

// Rename gives columns other names, all at once: pairs of the new and the old
// one. missing lists the old names that the table lacks.
func Rename(r rows.Reader, pairs [][2]string) (_ rows.Reader, missing []string, err error) {
	columns := slices.Clone(r.Columns())
	renamed := map[int]bool{}
	for _, p := range pairs {
		i := rows.ColumnIndex(r.Columns(), p[1])
		switch {
		case i < 0:
			missing = append(missing, p[1])
			continue
		case renamed[i]:
			return nil, nil, fmt.Errorf("the column `%s` is renamed twice", p[1])
		}
		renamed[i], columns[i] = true, p[0]
	}
	seen := map[string]bool{}
	for _, c := range columns {
		if seen[phrase.FoldName(c)] {
			return nil, nil, fmt.Errorf("there would be two columns `%s`", c)
		}
		seen[phrase.FoldName(c)] = true
	}
	return &renamedReader{r, columns}, missing, nil
}

type renamedReader struct {
	rows.Reader
	columns []string
}

func (o *renamedReader) Columns() []string { return o.columns }

// FillDown copies into the blank cells of columns, given by their places, what
// is above.
func FillDown(r rows.Reader, places []int, count *Repairs) rows.Reader {
	return &fillDownReader{Reader: r, places: places, above: make([]eval.Value, len(places)), count: count}
}

type fillDownReader struct {
	rows.Reader
	places []int
	above  []eval.Value
	count  *Repairs
}

// Next implements rows.Reader. Batches are asked for in order, so each is gone
// through here, and what is above the next is known.
func (f *fillDownReader) Next() (rows.Batch, error) {
	batch, err := f.Reader.Next()
	if batch == nil || err != nil {
		return batch, err
	}
	var held memBatch
	err = batch.Each(func(line int, cells []eval.Value) error {
		cells = slices.Clone(cells)
		for i, at := range f.places {
			if v := &cells[at]; v.Kind != eval.Blank && strings.TrimSpace(v.String()) != "" {
				f.above[i] = *v
			} else if f.above[i].Kind != eval.Blank {
				*v = f.above[i]
				f.count.filled.Add(1)
			}
		}
		held.lines, held.rows = append(held.lines, line), append(held.rows, cells)
		return nil
	})
	return &held, err
}

// memBatch is a batch of rows in memory.
type memBatch struct {
	lines []int
	rows  [][]eval.Value
}

// Each implements rows.Batch.
func (h *memBatch) Each(do func(line int, cells []eval.Value) error) error {
	for i, cells := range h.rows {
		if err := do(h.lines[i], cells); err != nil {
			return err
		}
	}
	return nil
}
