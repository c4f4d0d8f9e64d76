package rows

import (
	"slices"
	"strings"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/schedule"
)

// PutRow takes a row of a result. Cells are valid only during the call.
type PutRow func(cells []eval.Value) error

// Result is what becomes of the rows of an answer on their way to the writer.
type Result struct {
	Where   []string // conditions that all hold of the rows that stay
	Columns []string // those that are written: A, B, or -C to leave one out
	Sort    []string // columns, - in front for the largest first
	// Highlight chooses rows that are made to stand out; nil for none.
	Highlight func(row []eval.Value) Emphasis
	// Total is the row of totals, which stays last whatever the order; nil for none.
	Total *TotalsRow
	Sink  Sink
	// Count counts the rows that are written, without the total; nil for no matter.
	Count *int
}

// MayShow reports whether a column can matter to what is written: it is among those that are, or
// a condition or the order may look at it.
func (r Result) MayShow(column string) bool {
	for _, text := range append(slices.Clone(r.Where), r.Sort...) {
		if strings.Contains(phrase.FoldName(text), phrase.FoldName(column)) {
			return true
		}
	}
	takes := false
	for _, name := range r.Columns {
		bare, leaves := strings.CutPrefix(strings.TrimSpace(name), "-")
		if phrase.NamesEqual(UnquoteName(bare), column) {
			return !leaves
		}
		takes = takes || !leaves
	}
	return !takes
}

// muteUnshown is MuteUnshown for a table of which the rows are written with others beside them.
func (r Result) muteUnshown(t *Table) {
	var shown []int
	for i, column := range t.Visible() {
		if r.MayShow(column) {
			shown = append(shown, i)
		}
	}
	t.MuteUnshown(shown)
}

// TotalsRow is a row of totals that is put behind all others.
type TotalsRow struct{ cells []eval.Value }

// Put takes the row.
func (t *TotalsRow) Put(cells []eval.Value) error {
	t.cells = slices.Clone(cells)
	return nil
}

// Fill writes a table with the given columns, of the rows that fill puts.
func (r Result) Fill(columns []string, env eval.Env, fill func(PutRow) error) error {
	d := NewDerive(columns)
	put, finish, err := r.prepare(d, env)
	if err != nil {
		return err
	}
	if d.conditions == nil && d.onKept == nil { // nothing to be worked out
		return finish(fill(put))
	}
	return finish(fill(func(cells []eval.Value) error {
		row, keep, bad := d.EvalRow(0, cells, nil)
		if bad != nil {
			return WrapOption("where", bad.Err)
		}
		if !keep {
			return nil
		}
		return put(row)
	}))
}

// PutExtended writes a row with extra cells appended. text is the row as in the file, or "";
// with a text, row holds only the cells in use (see SourceRow.AllCells). All are valid during
// the call.
type PutExtended func(text string, row, extra []eval.Value) error

// ConcatCells puts the cells of both as one row, and counts these; held says that they are held before
// they are written.
func (t *Table) ConcatCells(put PutRow, held bool) PutExtended {
	return t.countExtended(concatCells(put), held)
}

func concatCells(put PutRow) PutExtended {
	var cells []eval.Value
	return func(_ string, row, extra []eval.Value) error {
		cells = append(append(cells[:0], row...), extra...)
		return put(cells)
	}
}

// FillExtended writes a table with the given columns, of the rows that fill puts beside those
// of t.
func (r Result) FillExtended(t *Table, columns []string, env eval.Env, fill func(PutExtended) error) error {
	r.muteUnshown(t)
	to, ok := r.Sink.(TextSink)
	added := t.visible() > t.inputs // which the text of a row doesn't hold
	if !ok || added || r.Where != nil || r.Columns != nil || r.Sort != nil {
		return r.Fill(columns, env, func(put PutRow) error { return fill(t.ConcatCells(put, r.Sort != nil)) })
	}
	if err := to.Header(columns); err != nil {
		return err
	}
	t.RestrictCells(to.AcceptsText)
	whole := concatCells(to.Row)
	err := fill(t.countExtended(func(text string, row, extra []eval.Value) error {
		r.count(1)
		if text != "" {
			return to.WriteText(text, extra)
		}
		return whole(text, row, extra)
	}, false))
	if err != nil {
		return err
	}
	return to.Close()
}

// Expand writes a table with the given columns, of the rows that expanders put beside those
// of t: on all processors, each with an expander of its own, if the writer takes rows so. told
// is called with what was bad before the table ends, which an error from it gives up.
func (r Result) Expand(t *Table, columns []string, env eval.Env, expander func() Expander, told func(BadCells) error) error {
	r.muteUnshown(t)
	to, ok := r.Sink.(TextSink)
	if !ok || r.Where != nil || r.Columns != nil || r.Sort != nil || r.Highlight != nil || t.hasRunning {
		each := expander()
		return r.Fill(columns, env, func(put PutRow) error {
			beside := t.ConcatCells(put, r.Sort != nil)
			bad, err := t.Scan(func(line int, row []eval.Value) error { return each(SourceRow{Line: line, Row: row}, beside) })
			if err != nil {
				return err
			}
			return told(bad)
		})
	}
	if err := to.Header(columns); err != nil {
		return err
	}
	t.usage.extended = true
	bad, err := t.stream(to, expander)
	r.count(t.usage.rowsOut)
	if err == nil {
		err = told(bad)
	}
	if err != nil {
		return err
	}
	return to.Close()
}

// countExtended counts the rows that are put beside those of the table.
func (t *Table) countExtended(put PutExtended, held bool) PutExtended {
	t.usage.extended, t.usage.sorted = true, held
	return func(text string, row, extra []eval.Value) error {
		if err := t.usage.countOutput(1, 0, sizeOf(text, row)+sizeOf("", extra)); err != nil {
			return err
		}
		return put(text, row, extra)
	}
}

func (r Result) count(n int) {
	if r.Count != nil {
		*r.Count += n
	}
}

// Filter compiles the conditions alone: it reports whether a row of the given
// columns stays.
func (r Result) Filter(columns []string, env eval.Env) (func(cells []eval.Value) (bool, error), error) {
	d := NewDerive(columns)
	for _, c := range r.Where {
		if err := d.Where(c, env); err != nil {
			return nil, WrapOption("where", err)
		}
	}
	return func(cells []eval.Value) (bool, error) {
		_, keep, bad := d.EvalRow(0, cells, nil)
		if bad != nil {
			return false, WrapOption("where", bad.Err)
		}
		return keep, nil
	}, nil
}

// FilterList are the things whose rows the conditions of a result keep.
func FilterList[T any](r Result, list []T, columns []string, env eval.Env, row func(T) []eval.Value) (kept []T, err error) {
	keeps, err := r.Filter(columns, env)
	if err != nil {
		return nil, err
	}
	for _, e := range list {
		keep, err := keeps(row(e))
		if err != nil {
			return nil, err
		}
		if keep {
			kept = append(kept, e)
		}
	}
	return kept, nil
}

// FillLines is Fill for the rows of a schedule.
func (r Result) FillLines(columns []string, env eval.Env, lines schedule.Lines) error {
	return r.Fill(columns, env, func(put PutRow) error {
		for cells, err := range lines {
			if err != nil {
				return err
			}
			if err := put(cells); err != nil {
				return err
			}
		}
		return nil
	})
}

// WriteTable writes a table with what its phrases add. Rows that needn't be held go
// through on all processors, where the writer takes them so.
func (r Result) WriteTable(t *Table) (bad BadCells, err error) {
	put, finish, err := r.prepare(t.Derive, t.Env)
	if err != nil {
		return bad, err
	}
	if to, ok := r.Sink.(BlockSink); ok && r.Sort == nil && r.Highlight == nil && !t.hasRunning {
		bad, err = t.Stream(to)
		r.count(t.usage.rowsOut)
	} else {
		bad, err = t.Scan(func(_ int, row []eval.Value) error { return put(row) })
	}
	return bad, finish(err)
}

// prepare applies the options to the columns of d and writes the header. put
// takes each row, finish ends the table, or gives it up if there was an error.
func (r Result) prepare(d *Derive, env eval.Env) (put PutRow, finish func(error) error, err error) {
	for _, c := range r.Where {
		if err := d.Where(c, env); err != nil {
			return nil, nil, WrapOption("where", err)
		}
	}
	if r.Columns != nil {
		if err := d.pickColumns(r.Columns); err != nil {
			return nil, nil, WrapOption("columns", err)
		}
	}
	slots, ways, err := parseSort(r.Sort, d.Visible())
	if err != nil {
		return nil, nil, WrapOption("sort", err)
	}
	if d.picked != nil {
		d.MuteUnshown(append(slices.Clone(d.picked), slots...))
	}
	if err := r.Sink.Header(d.Columns()); err != nil {
		return nil, nil, err
	}
	var room []eval.Value
	shows := DisplayOf(r.Sink)
	out, ended := r.Sink.Row, func(err error) error { return err }
	if to, ok := r.Sink.(BlockSink); ok && shows.Highlight == nil {
		beside := &pipelinedWriter{to: to, width: len(d.Columns())}
		out, ended = beside.put, beside.end
	}
	write := func(row []eval.Value) error {
		if shows.Highlight != nil && r.Highlight != nil {
			shows.Highlight(r.Highlight(row))
		}
		r.count(1)
		room = d.outputCells(row, room)
		return out(room)
	}
	close := func(err error) error {
		if err == nil && r.Total != nil && r.Total.cells != nil {
			if shows.NextIsTotals != nil {
				shows.NextIsTotals()
			}
			if shows.Highlight != nil {
				shows.Highlight(NoEmphasis)
			}
			room = d.outputCells(r.Total.cells, room)
			err = out(room)
		}
		if err = ended(err); err != nil {
			return err
		}
		return r.Sink.Close()
	}
	if slots == nil {
		return write, close, nil
	}
	held := sortBuffer{slots: slots, directions: ways}
	d.onKept = held.setKeys
	return held.add, func(err error) error {
		if err == nil {
			err = held.putSorted(write)
		}
		return close(err)
	}, nil
}

// sortBuffer are rows that wait to be sorted, in little more room than their text.
type sortBuffer struct {
	slots, directions []int
	arena             Arena
	rows              []sortRow
	keys              []eval.Value // of the row that comes next
}

type sortRow struct {
	keys []eval.Value
	at   Ref
}

// setKeys takes the keys of a row.
func (h *sortBuffer) setKeys(row []eval.Value) {
	h.keys = make([]eval.Value, len(h.slots))
	for i, s := range h.slots {
		h.keys[i] = row[s]
		h.keys[i].Text = strings.Clone(row[s].Text)
	}
}

func (h *sortBuffer) add(row []eval.Value) error {
	h.rows = append(h.rows, sortRow{h.keys, h.arena.Save(row)})
	return nil
}

func (h *sortBuffer) putSorted(put PutRow) error {
	slices.SortStableFunc(h.rows, func(a, b sortRow) int {
		for i, way := range h.directions {
			if c := eval.CompareInOrder(a.keys[i], b.keys[i], way); c != 0 {
				return c
			}
		}
		return 0
	})
	var room []eval.Value
	for _, r := range h.rows {
		_, room = h.arena.Load(r.at, room)
		if err := put(room); err != nil {
			return err
		}
	}
	return nil
}

// AppendColumns joins columns and added ones, and refuses an added name that is there.
func AppendColumns(columns, added []string) ([]string, error) {
	all := slices.Clone(columns)
	for _, a := range added {
		if i := ColumnIndex(columns, a); i >= 0 {
			return nil, &duplicateColumnError{columns[i]}
		}
		all = append(all, a)
	}
	return all, nil
}

type duplicateColumnError struct{ column string }

func (e *duplicateColumnError) Error() string {
	return "there is already a column `" + e.column + "`; leave it out in an earlier step (--columns; in a plan, `keep`)"
}
