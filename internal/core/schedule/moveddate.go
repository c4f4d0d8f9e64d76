// Package schedule turns recurrences into schedules: nominal dates, where they
// move and why, periods, milestones, and who each date is.
package schedule

import (
	"errors"
	"fmt"
	"iter"
	"slices"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/recur"
	"yoyaku/internal/core/workdays"
)

// MovedDate is a date of a rule after its steps.
type MovedDate struct {
	recur.Date                  // nominal, and its place in the rule
	Recurrence *eval.Recurrence // the rule
	MovedTo    civil.Date       // the date itself
	// Moves are the steps that were made, in order; of dates without occurrences a roll
	// that had nothing to do may be missing. They are valid until the next date is asked
	// for.
	Moves []eval.Move
	// Uncovered is the calendar that was asked for it beyond what it knows, if any.
	Uncovered workdays.Uncovered
	// Override is what was set by hand in its place; nil for nothing.
	Override *Override
}

// noUncovered is no calendar that was asked in vain.
var noUncovered workdays.Uncovered

// isMoved reports whether a business-day convention, a hand or a release put the date
// on another day than it would have; a step that always shifts doesn't.
func (m *MovedDate) isMoved() bool {
	if m.Override == nil {
		return isRolled(m.Moves)
	}
	if m.Override.Removed || m.MovedTo == civil.None {
		return false
	}
	unset := m.Date.Date
	if n := len(m.Moves); n > 0 {
		unset = m.Moves[n-1].To
	}
	return m.MovedTo != unset || isRolled(m.Moves)
}

// isRolled reports whether a convention moved the date, in a branch too.
func isRolled(moves []eval.Move) bool {
	return slices.ContainsFunc(moves, func(m eval.Move) bool { return m.IsRoll() || isRolled(m.Inner) })
}

// ID is the identity of the date.
func (m *MovedDate) ID() string { return string(m.appendID(nil)) }

// appendID appends the identity of the date.
func (m *MovedDate) appendID(b []byte) []byte {
	if m.Override != nil && m.Override.Removed {
		return append(b, m.Override.ID...)
	}
	return m.Recurrence.Rule.AppendID(b, m.Date)
}

// plain reports whether the date is a day without a time that no hand has set.
func (m *MovedDate) plain() bool {
	return m.Override == nil && m.Recurrence.Chain.Minutes < 0 && m.MovedTo != civil.None
}

// Value is the moved date, with the time that its rule gives.
func (m *MovedDate) Value() eval.Value {
	if m.plain() {
		return eval.Value{Kind: eval.Date, Day: m.MovedTo, Provisional: m.Uncovered.IsSet()}
	}
	v := m.Recurrence.Chain.WithTime(m.MovedTo, m.Recurrence.Row)
	if m.Override != nil {
		v = m.Override.applyTo(v, m.Recurrence.Chain)
	}
	v.Provisional = m.Uncovered.IsSet()
	return v
}

// Reason tells in words why the date isn't the nominal one, and what is doubtful about
// it.
func (m *MovedDate) Reason() string { return string(m.appendReason(nil)) }

func (m *MovedDate) appendReason(b []byte) []byte {
	if m.Override == nil && !m.Uncovered.IsSet() {
		return eval.AppendReasons(b, m.Moves)
	}
	return append(b, reason(m.Moves, m.Override, m.Uncovered)...)
}

// reason joins the reasons of moves, of a day by hand, and what a calendar didn't know.
func reason(moves []eval.Move, hand *Override, beyond workdays.Uncovered) string {
	text := eval.Reasons(moves)
	join := func(more string) {
		if text != "" && more != "" {
			text += "; "
		}
		text += more
	}
	switch {
	case hand != nil && hand.FromRelease:
		return hand.Reason
	case hand != nil:
		join(hand.Reason)
	case beyond.IsSet():
		join(beyond.Message())
	}
	return text
}

// Dates yields the dates of a recurrence whose moved date lies in window,
// sorted by moved, then nominal; each is valid until the next one is asked for. Steps never change the order of two dates
// (see eval.Chain), so nothing needs to be held back and sorted. A step that
// fails ends the sequence with its error.
func Dates(r *eval.Recurrence, window civil.Span) iter.Seq2[*MovedDate, error] {
	if r.Chain.MayReorder {
		return (&Series{Rules: singleRule(r)}).movedDates(window)
	}
	return func(yield func(*MovedDate, error) bool) {
		movedDates(r, window, false, yield)
	}
}

// maxStepRuns is how many steps one rule runs for the dates of a window.
const maxStepRuns = 200_000_000

var errTooManyRuns = fmt.Errorf("more than %d steps to run for the dates of this window; use a narrower window", maxStepRuns)

// Blanks counts the nominal dates in a window for which the steps give none.
func (s *Series) Blanks(window civil.Span) (n int) {
	if !slices.ContainsFunc(s.Rules, func(r EffectiveRule) bool { return r.Recurrence.Chain.MayBeBlank }) {
		return 0
	}
	for d, rec := range s.nominal(window) {
		if m, err := s.moveDate(d, rec, nil); err == nil && m.MovedTo == civil.None && m.Override == nil {
			n++
		}
	}
	return n
}

// uncoveredFor is the calendar that was asked for a date beyond what it knows: by its
// rule, where that counts with one, or by its steps.
func uncoveredFor(r *eval.Recurrence, counts bool, nominal civil.Date, steps workdays.Uncovered) workdays.Uncovered {
	if counts {
		return r.UncoveredAt(nominal).OrElse(steps)
	}
	return steps
}

// movedDates yields what Dates does, and with blanks among it the nominal dates from the first
// on for which the steps give none.
func movedDates(r *eval.Recurrence, window civil.Span, blanks bool, yield func(*MovedDate, error) bool) {
	started := false
	counts := r.UsesCalendar()
	room := make([]eval.Move, 0, len(r.Chain.Steps))
	m := &MovedDate{Recurrence: r}
	roll := r.Chain.SoleRollCalendar
	runs, each := 0, len(r.Chain.Steps)
	r.Rule.Batches(window.Widen(r.Chain.ReachForward.MaxDays(), r.Chain.ReachBack.MaxDays()))(func(list []recur.Date) bool {
		for i := range list {
			m.Date = list[i]
			d := m.Date.Date
			if roll != nil && !blanks && roll.IsKnownWorkday(d) { // occurrences want the step that did nothing, too
				m.MovedTo = d
				if len(m.Moves) > 0 || m.Uncovered.IsSet() {
					m.Moves, m.Uncovered = room, noUncovered
				}
			} else {
				if runs += each; runs > maxStepRuns {
					yield(m, errTooManyRuns)
					return false
				}
				var err error
				m.Moves = room
				m.MovedTo, m.Uncovered, err = r.Chain.Run(d, r.Row, &m.Moves)
				if err != nil {
					if errors.Is(err, eval.ErrRange) {
						continue // it would lie before or after every window
					}
					yield(m, err)
					return false
				}
			}
			if counts {
				m.Uncovered = uncoveredFor(r, counts, d, m.Uncovered)
			}
			if m.MovedTo < window.First && (m.MovedTo != civil.None || !blanks || !started) {
				continue
			}
			started = true
			if m.MovedTo > window.Last || !yield(m, nil) {
				return false
			}
		}
		return true
	})
}
