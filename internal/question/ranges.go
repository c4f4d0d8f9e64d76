package question

import (
	"errors"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/declare"
)

// openThrough declares the option that says how far open ranges run.
func openThrough(into *string) *declare.Key {
	return &declare.Key{Name: "open-through",
		Help: "end open ranges on `DATE`, or on the window's last day with\nwindow (default: today)", Takes: declare.Text.Into(into)}
}

// ranges takes the range of each row from two phrases, and counts the open ones.
type ranges struct {
	start, end int
	through    civil.Date
	given      bool // through was said
	open       int  // that run through a day
	later      int  // that start after it
	blank      int  // rows without a start
	closed     bool // an open range is wrong
}

// ranges compiles the two ends of the rows' ranges; window is what open ranges
// run through where through says so.
func (j *Job) ranges(t *Table, start, end, through string, window civil.Span) (r *ranges, err error) {
	r = &ranges{given: through != ""}
	if r.through, err = j.through(through, window); err != nil {
		return nil, err
	}
	if r.start, err = t.Day("start", start); err != nil {
		return nil, err
	}
	r.end, err = t.Day("end", end)
	return r, err
}

// through is the day that open ranges run through.
func (j *Job) through(text string, window civil.Span) (civil.Date, error) {
	switch text {
	case "":
		return j.Env.Today, nil
	case "window":
		if window.Last == civil.Max {
			return civil.None, declare.Lacks("window", "open ranges run through its end")
		}
		return window.Last, nil
	}
	d, err := eval.DateOf(text, j.Env)
	return d, rows.In("open-through", err)
}

// of takes the range of a row; ok is false if it has none: without a start,
// or open and not begun by then.
func (r *ranges) of(line int, row []eval.Value) (s civil.Span, ok bool, err error) {
	open := row[r.end].Kind == eval.Blank && row[r.start].Kind != eval.Blank
	if open && r.closed {
		return s, false, &rows.BadCell{Line: line, Column: "end",
			Err: errors.New("an open range has no whole amount to split; give its end with open-through")}
	}
	s, blank, err := rows.Range(row[r.start], row[r.end], r.through)
	if err != nil {
		return s, false, &rows.BadCell{Line: line, Column: "start and end", Err: err}
	}
	switch {
	case open && blank:
		r.later++
	case open:
		r.open++
	case blank:
		r.blank++
	}
	return s, !blank, nil
}

// add adds what another one counted.
func (r *ranges) add(other *ranges) {
	r.open += other.open
	r.later += other.later
	r.blank += other.blank
}

// tell says how many ranges were open and what became of them.
func (r *ranges) tell(j *Job) {
	hint := ""
	if !r.given {
		hint = "; " + j.Say("open-through", "DATE") + " sets another day"
	}
	if r.open > 0 {
		j.Note("%s through %s%s", phrase.Agree(r.open, "open range runs", "open ranges run"), r.through, hint)
	}
	if r.later > 0 {
		through := r.through.String()
		j.Note("%s no days yet", phrase.Agree(r.later, "open range starts after "+through+" and has",
			"open ranges start after "+through+" and have"))
	}
	if r.blank > 0 {
		j.Note("%s left out", phrase.Agree(r.blank, "row has no start; it is", "rows have no start; they are"))
	}
}
