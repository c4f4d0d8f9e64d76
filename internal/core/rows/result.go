package rows

import (
	"slices"
	"strings"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/schedule"
)

// Put takes a row of a result. Cells are valid only during the call.
type Put func(cells []eval.Value) error

// Result is what becomes of the rows of an answer on their way to the writer.
type Result struct {
	Where   []string // conditions that all hold of the rows that stay
	Columns []string // those that are written: A, B, or -C to leave one out
	Sort    []string // columns, - in front for the largest first
	// StandsOut chooses rows that are made to stand out; nil for none.
	StandsOut func(row []eval.Value) bool
	// Total is the row of totals, which stays last whatever the order; nil for none.
	Total *Total
	To    Sink
	// Count counts the rows that are written, without the total; nil for no matter.
	Count *int
}

// Total is a row of totals that is put behind all others.
type Total struct{ cells []eval.Value }

// Put takes the row.
func (t *Total) Put(cells []eval.Value) error {
	t.cells = slices.Clone(cells)
	return nil
}

// Fill writes a table with the given columns, of the rows that fill puts.
func (r Result) Fill(columns []string, env eval.Env, fill func(Put) error) error {
	d := NewDerive(columns)
	put, finish, err := r.prepare(d, env)
	if err != nil {
		return err
	}
	if d.where == nil && d.kept == nil { // nothing to be worked out
		return finish(fill(put))
	}
	return finish(fill(func(cells []eval.Value) error {
		row, keep, bad := d.Row(0, cells, nil)
		if bad != nil {
			return In("where", bad.Err)
		}
		if !keep {
			return nil
		}
		return put(row)
	}))
}

// Beside puts more cells beside a row of a table, of which text is what is in its file
// and row its cells; if there is a text, those needn't be all.
type Beside func(text string, row, more []eval.Value) error

// Joined puts the cells of both as one row, and counts these; held says that they are held before
// they are written.
func (t *Table) Joined(put Put, held bool) Beside { return t.counted(joined(put), held) }

func joined(put Put) Beside {
	var cells []eval.Value
	return func(_ string, row, more []eval.Value) error {
		cells = append(append(cells[:0], row...), more...)
		return put(cells)
	}
}

// Beside writes a table with the given columns, of the rows that fill puts beside those
// of t.
func (r Result) Beside(t *Table, columns []string, env eval.Env, fill func(Beside) error) error {
	to, ok := r.To.(Textual)
	if !ok || r.Where != nil || r.Columns != nil || r.Sort != nil {
		return r.Fill(columns, env, func(put Put) error { return fill(t.Joined(put, r.Sort != nil)) })
	}
	if err := to.Header(columns); err != nil {
		return err
	}
	t.OnlyUsed(to.Same)
	whole := joined(to.Row)
	err := fill(t.counted(func(text string, row, more []eval.Value) error {
		r.count(1)
		if text != "" {
			return to.RowText(text, more)
		}
		return whole(text, row, more)
	}, false))
	if err != nil {
		return err
	}
	return to.Close()
}

// Expand writes a table with the given columns, of the rows that expanders put beside those
// of t: on all processors, each with an expander of its own, if the writer takes rows so. told
// is called with what was bad before the table ends, which an error from it gives up.
func (r Result) Expand(t *Table, columns []string, env eval.Env, expander func() Expander, told func(Bad) error) error {
	to, ok := r.To.(Textual)
	if !ok || r.Where != nil || r.Columns != nil || r.Sort != nil || r.StandsOut != nil || t.ordered {
		each := expander()
		return r.Fill(columns, env, func(put Put) error {
			beside := t.Joined(put, r.Sort != nil)
			bad, err := t.Scan(func(line int, row []eval.Value) error { return each(Given{Line: line, Row: row}, beside) })
			if err != nil {
				return err
			}
			return told(bad)
		})
	}
	if err := to.Header(columns); err != nil {
		return err
	}
	t.spent.beside = true
	bad, err := t.stream(to, expander)
	r.count(t.spent.made)
	if err == nil {
		err = told(bad)
	}
	if err != nil {
		return err
	}
	return to.Close()
}

// counted counts the rows that are put beside those of the table.
func (t *Table) counted(put Beside, held bool) Beside {
	t.spent.beside, t.spent.held = true, held
	return func(text string, row, more []eval.Value) error {
		if err := t.spent.put(1, 0, sizeOf(text, row)+sizeOf("", more)); err != nil {
			return err
		}
		return put(text, row, more)
	}
}

func (r Result) count(n int) {
	if r.Count != nil {
		*r.Count += n
	}
}

// Keeps compiles the conditions alone: it reports whether a row of the given
// columns stays.
func (r Result) Keeps(columns []string, env eval.Env) (func(cells []eval.Value) (bool, error), error) {
	d := NewDerive(columns)
	for _, c := range r.Where {
		if err := d.Where(c, env); err != nil {
			return nil, In("where", err)
		}
	}
	return func(cells []eval.Value) (bool, error) {
		_, keep, bad := d.Row(0, cells, nil)
		if bad != nil {
			return false, In("where", bad.Err)
		}
		return keep, nil
	}, nil
}

// Kept are the things whose rows the conditions of a result keep.
func Kept[T any](r Result, list []T, columns []string, env eval.Env, row func(T) []eval.Value) (kept []T, err error) {
	keeps, err := r.Keeps(columns, env)
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

// Lines is Fill for the rows of a schedule.
func (r Result) Lines(columns []string, env eval.Env, lines schedule.Lines) error {
	return r.Fill(columns, env, func(put Put) error {
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

// Pass writes a table with what its phrases add. Rows that needn't be held go
// through on all processors, where the writer takes them so.
func (r Result) Pass(t *Table) (bad Bad, err error) {
	put, finish, err := r.prepare(t.Derive, t.Env)
	if err != nil {
		return bad, err
	}
	if to, ok := r.To.(Blocks); ok && r.Sort == nil && r.StandsOut == nil && !t.ordered {
		bad, err = t.Stream(to)
		r.count(t.spent.made)
	} else {
		bad, err = t.Scan(func(_ int, row []eval.Value) error { return put(row) })
	}
	return bad, finish(err)
}

// prepare applies the options to the columns of d and writes the header. put
// takes each row, finish ends the table, or gives it up if there was an error.
func (r Result) prepare(d *Derive, env eval.Env) (put Put, finish func(error) error, err error) {
	for _, c := range r.Where {
		if err := d.Where(c, env); err != nil {
			return nil, nil, In("where", err)
		}
	}
	if r.Columns != nil {
		if err := d.Pick(r.Columns); err != nil {
			return nil, nil, In("columns", err)
		}
	}
	slots, ways, err := order(r.Sort, d.Visible())
	if err != nil {
		return nil, nil, In("sort", err)
	}
	if err := r.To.Header(d.Columns()); err != nil {
		return nil, nil, err
	}
	var room []eval.Value
	shows := ShowsOf(r.To)
	out, ended := r.To.Row, func(err error) error { return err }
	if to, ok := r.To.(Blocks); ok && shows.Mark == nil {
		beside := &relay{to: to, width: len(d.Columns())}
		out, ended = beside.put, beside.end
	}
	write := func(row []eval.Value) error {
		if shows.Mark != nil && r.StandsOut != nil {
			shows.Mark(r.StandsOut(row))
		}
		r.count(1)
		room = d.Out(row, room)
		return out(room)
	}
	close := func(err error) error {
		if err == nil && r.Total != nil && r.Total.cells != nil {
			if shows.Total != nil {
				shows.Total()
			}
			if shows.Mark != nil {
				shows.Mark(false)
			}
			room = d.Out(r.Total.cells, room)
			err = out(room)
		}
		if err = ended(err); err != nil {
			return err
		}
		return r.To.Close()
	}
	if slots == nil {
		return write, close, nil
	}
	held := heldRows{slots: slots, ways: ways}
	d.kept = held.see
	return held.add, func(err error) error {
		if err == nil {
			err = held.sorted(write)
		}
		return close(err)
	}, nil
}

// heldRows are rows that wait to be sorted, in little more room than their text.
type heldRows struct {
	slots, ways []int
	arena       Arena
	rows        []heldRow
	keys        []eval.Value // of the row that comes next
}

type heldRow struct {
	keys []eval.Value
	at   Place
}

// see takes the keys of a row.
func (h *heldRows) see(row []eval.Value) {
	h.keys = make([]eval.Value, len(h.slots))
	for i, s := range h.slots {
		h.keys[i] = row[s]
		h.keys[i].Text = strings.Clone(row[s].Text)
	}
}

func (h *heldRows) add(row []eval.Value) error {
	h.rows = append(h.rows, heldRow{h.keys, h.arena.Save(row)})
	return nil
}

func (h *heldRows) sorted(put Put) error {
	slices.SortStableFunc(h.rows, func(a, b heldRow) int {
		for i, way := range h.ways {
			if c := eval.Order(a.keys[i], b.keys[i]); c != 0 {
				return c * way
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

// Untaken joins columns and added ones, and refuses an added name that is there.
func Untaken(columns, added []string) ([]string, error) {
	all := slices.Clone(columns)
	for _, a := range added {
		if i := Find(columns, a); i >= 0 {
			return nil, &takenError{columns[i]}
		}
		all = append(all, a)
	}
	return all, nil
}

type takenError struct{ column string }

func (e *takenError) Error() string {
	return "there is already a column `" + e.column + "`; leave it out in an earlier step (--columns; in a plan, `keep`)"
}
