// Package schedule turns recurrences into schedules: nominal dates, where they
// move and why, periods, milestones, and who each date is.
package schedule

import (
	"errors"
	"iter"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/recur"
	"yoyaku/internal/core/workdays"
)

// Moved is a date of a rule after its steps.
type Moved struct {
	recur.Date            // nominal, and its place in the rule
	To         civil.Date // the date itself
	// Moves are the steps that changed the date. They are valid until the next
	// date is asked for.
	Moves []eval.Move
	// Blind is the calendar that was asked for it beyond what it knows, if any.
	Blind workdays.Blind
}

// Dates yields the dates of a recurrence whose moved date lies in window,
// sorted by moved, then nominal. Steps never change the order of two dates
// (see eval.Chain), so nothing needs to be held back and sorted. A step that
// fails ends the sequence with its error.
func Dates(r *eval.Recurrence, window civil.Span) iter.Seq2[Moved, error] {
	return func(yield func(Moved, error) bool) {
		for m, err := range all(r, window) {
			if (err != nil || window.Has(m.To)) && !yield(m, err) {
				return
			}
		}
	}
}

// Blanks counts the nominal dates in a window for which the steps give none.
func Blanks(r *eval.Recurrence, window civil.Span) (n int) {
	if !r.Chain.MayBlank {
		return 0
	}
	for d := range r.Rule.All(window) {
		if to, _, _, err := r.Chain.Run(d.Date, r.Row, nil); err == nil && to == civil.None {
			n++
		}
	}
	return n
}

// blindOf is the calendar that was asked for a date beyond what it knows: by its
// rule, where that counts with one, or by its steps.
func blindOf(r *eval.Recurrence, counts bool, nominal civil.Date, steps workdays.Blind) workdays.Blind {
	if counts && !r.Rule.Calendar.Knows(nominal) {
		return workdays.Blind{Calendar: r.Rule.Calendar, Day: nominal}
	}
	return steps
}

// all yields what Dates does, and among it the nominal dates from the first on
// for which the steps give none.
func all(r *eval.Recurrence, window civil.Span) iter.Seq2[Moved, error] {
	return func(yield func(Moved, error) bool) {
		started := false
		counts := r.Rule.Counts()
		room := make([]eval.Move, 0, len(r.Chain.Steps))
		for d := range r.Rule.All(window.Widen(r.Chain.Forth, r.Chain.Back)) {
			to, moves, blind, err := r.Chain.Run(d.Date, r.Row, room)
			if err != nil {
				if errors.Is(err, eval.ErrRange) {
					continue // it would lie before or after every window
				}
				yield(Moved{}, err)
				return
			}
			if to < window.First && (to != civil.None || !started) {
				continue
			}
			started = true
			if to > window.Last {
				return
			}
			if !yield(Moved{d, to, moves, blindOf(r, counts, d.Date, blind)}, nil) {
				return
			}
		}
	}
}
