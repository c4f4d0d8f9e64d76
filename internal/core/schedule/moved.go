// Package schedule turns recurrences into schedules: nominal dates, where they
// move and why, periods, milestones, and who each date is.
package schedule

import (
	"errors"
	"iter"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/recur"
)

// Moved is a date of a rule after its steps.
type Moved struct {
	recur.Date            // nominal, and its place in the rule
	To         civil.Date // the date itself
	// Moves are the steps that changed the date. They are valid until the next
	// date is asked for.
	Moves []eval.Move
}

// Dates yields the dates of a recurrence whose moved date lies in window,
// sorted by moved, then nominal. Steps never change the order of two dates
// (see eval.Chain), so nothing needs to be held back and sorted. A step that
// fails ends the sequence with its error.
func Dates(r *eval.Recurrence, window civil.Span) iter.Seq2[Moved, error] {
	return func(yield func(Moved, error) bool) {
		room := make([]eval.Move, 0, len(r.Chain.Steps))
		for d := range r.Rule.All(window.Widen(r.Chain.Forth, r.Chain.Back)) {
			to, moves, err := r.Chain.Run(d.Date, nil, room)
			if err != nil {
				if errors.Is(err, eval.ErrRange) {
					continue // it would lie before or after every window
				}
				yield(Moved{}, err)
				return
			}
			if to < window.First { // also blank: a day that the period lacks
				continue
			}
			if to > window.Last {
				return
			}
			if !yield(Moved{d, to, moves}, nil) {
				return
			}
		}
	}
}

// Count counts the dates of a recurrence in a window.
func Count(r *eval.Recurrence, window civil.Span) (n int, err error) {
	for _, err := range Dates(r, window) {
		if err != nil {
			return n, err
		}
		n++
	}
	return n, nil
}
