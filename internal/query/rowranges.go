package query

import (
	"errors"
	"fmt"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/language"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/workdays"
	"yoyaku/internal/declare"
)

// openThrough declares the option that says how far open ranges run.
func openThrough(into *string) *declare.Key {
	return &declare.Key{Name: "open-through",
		Help: "end open ranges on `DATE`, or on the window's last day with\nwindow (default: today)", Value: declare.Text.Into(into)}
}

// rowRanges takes the range of each row from two phrases, and counts the open ones.
type rowRanges struct {
	start, end   int
	through      civil.Date
	throughGiven bool // through was said
	numOpen      int  // that run through a day
	numLater     int  // that start after it
	numBlank     int  // rows without a start
	numTimes     int  // that start or end at another time than 12:00
	forbidOpen   bool // an open range is wrong
	forbidTimes  bool // such a time is
	addsParts    bool // what counts of the days is added up
}

// newRanges compiles the two ends of the rows' ranges; window is what open ranges
// run through where through says so.
func newRanges(j *ask.Job, t *ask.Table, start, end, through string, window civil.Span) (r *rowRanges, err error) {
	r = &rowRanges{throughGiven: through != ""}
	if r.through, err = openThroughDay(j, through, window); err != nil {
		return nil, err
	}
	if r.start, err = t.AddHiddenRangeEnd("start", start); err != nil {
		return nil, err
	}
	r.end, err = t.AddHiddenRangeEnd("end", end)
	return r, err
}

// openThroughDay is the day that open ranges run through.
func openThroughDay(j *ask.Job, text string, window civil.Span) (civil.Date, error) {
	switch text {
	case "":
		return j.Env.Today, nil
	case "window":
		if window.Last == civil.Max {
			return civil.None, declare.MissingError("window", "open ranges run through its end")
		}
		return window.Last, nil
	}
	d, err := eval.ComputeDate(text, j.Env)
	return d, rows.WrapOption("open-through", err)
}

// rangeOf takes the range of a row; ok is false if it has none: without a start,
// or open and not begun by then.
func (r *rowRanges) rangeOf(line int, row []eval.Value) (s workdays.Extent, ok bool, err error) {
	if a, b := &row[r.start], &row[r.end]; a.IsWholeDay() && b.IsWholeDay() && a.Day <= b.Day { // as nearly all are
		return workdays.Extent{Span: civil.Span{First: a.Day, Last: b.Day}}, true, nil
	}
	open := row[r.end].Kind == eval.Blank && row[r.start].Kind != eval.Blank
	if open && r.forbidOpen {
		return s, false, &rows.BadCell{Line: line, Column: "end",
			Err: errors.New("an open range has no whole amount to split; give its end with open-through")}
	}
	s, blank, err := rows.ParseRange(row[r.start], row[r.end], r.through)
	if err != nil {
		return s, false, &rows.BadCell{Line: line, Column: "start and end", Err: err}
	}
	for _, slot := range []int{r.start, r.end} {
		if eval.HalfOf(&row[slot]) != language.OtherTime {
			continue
		}
		if r.forbidTimes {
			return s, false, &rows.BadCell{Line: line, Column: "start and end",
				Err: fmt.Errorf("`%s` is no half day; a day is counted whole or half, from or until 12:00", eval.ClockText(&row[slot]))}
		}
		r.numTimes++
		break
	}
	switch {
	case open && blank:
		r.numLater++
	case open:
		r.numOpen++
	case blank:
		r.numBlank++
	}
	return s, !blank, nil
}

// addCounts adds what another one counted.
func (r *rowRanges) addCounts(other *rowRanges) {
	r.numOpen += other.numOpen
	r.numLater += other.numLater
	r.numBlank += other.numBlank
	r.numTimes += other.numTimes
}

// report says how many ranges were open and what became of them.
func (r *rowRanges) report(j *ask.Job) {
	hint := ""
	if !r.throughGiven {
		hint = "; " + j.OptionText("open-through", "DATE") + " sets another day"
	}
	if r.numOpen > 0 {
		j.Note("%s through %s%s", phrase.CountVerb(r.numOpen, "open range runs", "open ranges run"), r.through, hint)
	}
	if r.numLater > 0 {
		through := r.through.String()
		j.Note("%s no days yet", phrase.CountVerb(r.numLater, "open range starts after "+through+" and has",
			"open ranges start after "+through+" and have"))
	}
	if r.numTimes > 0 && r.addsParts {
		j.Note("%s at another time than 12:00; that day is counted whole", phrase.CountVerb(r.numTimes, "range starts or ends", "ranges start or end"))
	}
	if r.numBlank > 0 {
		j.Note("%s left out", phrase.CountVerb(r.numBlank, "row has no start; it is", "rows have no start; they are"))
	}
}
