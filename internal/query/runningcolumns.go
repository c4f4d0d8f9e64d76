package query

import (
	"fmt"
	"slices"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/declare"
)

// runningOption declares the columns that run down the rows.
func runningOption(into *[]string) *declare.Key {
	return &declare.Key{Name: "carry", Completion: "columns",
		Placeholder: `"NAME = FIRST; NEXT"`, Help: "add a running column NAME: FIRST in the first row, then NEXT, in\nwhich prior is the value above",
		Value: declare.RunningColumn.Repeat(into)}
}

// runningColumns adds running columns to the pieces of each row. It buffers the pieces of one
// row, at most rows.MaxPieces.
type runningColumns struct {
	derive   *rows.Derive // nil: there are none
	rows     [][]eval.Value
	isShown  []bool
	bad      *rows.BadCell // that was made blank
	numShown int           // of pieces shown
}

// newRunning prepares columns that run down the rows of a result with the given ones, and
// returns those with them.
func newRunning(j *ask.Job, texts, head []string) (*runningColumns, []string, error) {
	if len(texts) == 0 {
		return &runningColumns{}, head, nil
	}
	on := rows.NewDerive(head)
	on.BlankBadCells = j.In.BadRows == "blank"
	err := on.AddRunning(texts, "", j.Env)
	return &runningColumns{derive: on}, on.Columns(), err
}

// reset begins with the pieces of the next row.
func (r *runningColumns) reset() {
	if r.derive != nil {
		r.derive.ResetGroups()
		r.rows, r.isShown, r.bad = r.rows[:0], r.isShown[:0], nil
	}
}

// putPiece takes a piece, which is written if it is shown.
func (r *runningColumns) putPiece(line int, put rows.PutExtended, text string, row, extra []eval.Value, shown bool) error {
	if shown {
		r.numShown++
	}
	if r.derive == nil {
		if !shown {
			return nil
		}
		return put(text, row, extra)
	}
	cells, _, bad := r.derive.EvalRow(line, slices.Concat(row, extra), nil)
	if bad != nil && !r.derive.BlankBadCells {
		return bad
	}
	if r.bad == nil {
		r.bad = bad
	}
	if len(r.rows) >= rows.MaxPieces {
		return rows.ErrTooManyPieces
	}
	r.rows, r.isShown = append(r.rows, cells), append(r.isShown, shown)
	return nil
}

// wrapTableLine puts the place before a row of which too much comes; other faults have theirs.
func wrapTableLine(table string, line int, err error) error {
	if err == rows.ErrTooManyPieces {
		err = fmt.Errorf("%s, line %d: %w", table, line, err)
	}
	return err
}

// report reports what became blank on the way.
func (r *runningColumns) report(j *ask.Job) {
	if r.derive != nil {
		j.ReportBlankRunning(r.derive)
	}
}

// flush puts the pieces of a row that wait.
func (r *runningColumns) flush(put rows.PutExtended) error {
	for i, cells := range r.rows {
		if r.isShown[i] {
			if err := put("", cells, nil); err != nil {
				return err
			}
		}
	}
	if r.bad != nil {
		return r.bad
	}
	return nil
}
