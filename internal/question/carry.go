package question

import (
	"fmt"
	"slices"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/declare"
)

// carryOption declares the columns that run down the rows.
func carryOption(into *[]string) *declare.Key {
	return &declare.Key{Name: "carry", Complete: "columns",
		Value: `"NAME = FIRST; NEXT"`, Help: "add a running column NAME: FIRST in the first row, then NEXT, in\nwhich prior is the value above",
		Takes: declare.Carried.Repeat(into)}
}

// tellCarried reports the groups in which a column that runs down became blank.
func (j *Job) tellCarried(d *rows.Derive) {
	columns, groups := d.Blanked()
	for i, name := range columns {
		j.Warn("`%s` is blank from a blank value on in %s", name, phrase.Counted(groups[i], "group"))
	}
}

// runDown works out, beside the pieces of each row, the columns that run down them. All of
// a row are known before the first is written.
type runDown struct {
	on    *rows.Derive // nil: there are none
	rows  [][]eval.Value
	shown []bool
	bad   *rows.BadCell // that was made blank
	n     int           // of pieces shown
}

// runDown prepares columns that run down the rows of a result with the given ones, and
// returns those with them.
func (j *Job) runDown(texts, head []string) (*runDown, []string, error) {
	if len(texts) == 0 {
		return &runDown{}, head, nil
	}
	on := rows.NewDerive(head)
	on.Blank = j.In.BadRows == "blank"
	err := on.Carry(texts, "", j.Env)
	return &runDown{on: on}, on.Columns(), err
}

// begin begins with the pieces of the next row.
func (r *runDown) begin() {
	if r.on != nil {
		r.on.Restart()
		r.rows, r.shown, r.bad = r.rows[:0], r.shown[:0], nil
	}
}

// put takes a piece, which is written if it is shown.
func (r *runDown) put(line int, put rows.Beside, text string, row, more []eval.Value, shown bool) error {
	if shown {
		r.n++
	}
	if r.on == nil {
		if !shown {
			return nil
		}
		return put(text, row, more)
	}
	cells, _, bad := r.on.Row(line, slices.Concat(row, more), nil)
	if bad != nil && !r.on.Blank {
		return bad
	}
	if r.bad == nil {
		r.bad = bad
	}
	if len(r.rows) >= rows.MostPieces {
		return rows.ErrPieces
	}
	r.rows, r.shown = append(r.rows, cells), append(r.shown, shown)
	return nil
}

// atLine puts the place before a row of which too much comes; other faults have theirs.
func atLine(table string, line int, err error) error {
	if err == rows.ErrPieces {
		err = fmt.Errorf("%s, line %d: %w", table, line, err)
	}
	return err
}

// tell reports what became blank on the way.
func (r *runDown) tell(j *Job) {
	if r.on != nil {
		j.tellCarried(r.on)
	}
}

// end puts the pieces of a row that wait.
func (r *runDown) end(put rows.Beside) error {
	for i, cells := range r.rows {
		if r.shown[i] {
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
