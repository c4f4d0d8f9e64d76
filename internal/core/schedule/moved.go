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

// Moved is a date of a rule after its steps.
type Moved struct {
	recur.Date                  // nominal, and its place in the rule
	Rec        *eval.Recurrence // the rule
	To         civil.Date       // the date itself
	// Moves are the steps that were made, in order; of dates without occurrences a roll
	// that had nothing to do may be missing. They are valid until the next date is asked
	// for.
	Moves []eval.Move
	// Beyond is the calendar that was asked for it beyond what it knows, if any.
	Beyond workdays.Beyond
	// Hand is what was set by hand in its place; nil for nothing.
	Hand *Hand
}

// beyondNone is no calendar that was asked in vain.
var beyondNone workdays.Beyond

// HasMoved reports whether a business-day convention, a hand or a release put the date
// on another day than it would have; a step that always shifts doesn't.
func (m *Moved) HasMoved() bool {
	if m.Hand == nil {
		return rolled(m.Moves)
	}
	if m.Hand.Gone || m.To == civil.None {
		return false
	}
	unset := m.Date.Date
	if n := len(m.Moves); n > 0 {
		unset = m.Moves[n-1].To
	}
	return m.To != unset || rolled(m.Moves)
}

// rolled reports whether a convention moved the date, in a branch too.
func rolled(moves []eval.Move) bool {
	return slices.ContainsFunc(moves, func(m eval.Move) bool { return m.Rolled() || rolled(m.Inner) })
}

// ID is the identity of the date.
func (m *Moved) ID() string { return string(m.AppendID(nil)) }

// AppendID appends the identity of the date.
func (m *Moved) AppendID(b []byte) []byte {
	if m.Hand != nil && m.Hand.Gone {
		return append(b, m.Hand.ID...)
	}
	return m.Rec.Rule.AppendID(b, m.Date)
}

// plain reports whether the date is a day without a time that no hand has set.
func (m *Moved) plain() bool {
	return m.Hand == nil && m.Rec.Chain.Minutes < 0 && m.To != civil.None
}

// Value is the moved date, with the time that its rule gives.
func (m *Moved) Value() eval.Value {
	if m.plain() {
		return eval.Value{Kind: eval.Date, Day: m.To, Unsure: m.Beyond.Is()}
	}
	v := m.Rec.Chain.Value(m.To, m.Rec.Row)
	if m.Hand != nil {
		v = m.Hand.set(v, m.Rec.Chain)
	}
	v.Unsure = m.Beyond.Is()
	return v
}

// Reason tells in words why the date isn't the nominal one, and what is doubtful about
// it.
func (m *Moved) Reason() string { return string(m.appendReason(nil)) }

func (m *Moved) appendReason(b []byte) []byte {
	if m.Hand == nil && !m.Beyond.Is() {
		return eval.AppendReasons(b, m.Moves)
	}
	return append(b, reason(m.Moves, m.Hand, m.Beyond)...)
}

// reason joins the reasons of moves, of a day by hand, and what a calendar didn't know.
func reason(moves []eval.Move, hand *Hand, beyond workdays.Beyond) string {
	text := eval.Reasons(moves)
	join := func(more string) {
		if text != "" && more != "" {
			text += "; "
		}
		text += more
	}
	switch {
	case hand != nil && hand.Kept:
		return hand.Reason
	case hand != nil:
		join(hand.Reason)
	case beyond.Is():
		join(beyond.Text())
	}
	return text
}

// Dates yields the dates of a recurrence whose moved date lies in window,
// sorted by moved, then nominal; each is valid until the next one is asked for. Steps never change the order of two dates
// (see eval.Chain), so nothing needs to be held back and sorted. A step that
// fails ends the sequence with its error.
func Dates(r *eval.Recurrence, window civil.Span) iter.Seq2[*Moved, error] {
	if r.Chain.Unordered {
		return (&Series{Rules: of(r)}).all(window)
	}
	return func(yield func(*Moved, error) bool) {
		all(r, window, false, yield)
	}
}

// mostRuns is how many steps one rule runs for the dates of a window.
const mostRuns = 200_000_000

var errRuns = fmt.Errorf("more than %d steps to run for the dates of this window; use a narrower window", mostRuns)

// Blanks counts the nominal dates in a window for which the steps give none.
func (s *Series) Blanks(window civil.Span) (n int) {
	if !slices.ContainsFunc(s.Rules, func(r Ruled) bool { return r.Rec.Chain.MayBlank }) {
		return 0
	}
	for d, rec := range s.nominal(window) {
		if m, err := s.run(d, rec, nil); err == nil && m.To == civil.None && m.Hand == nil {
			n++
		}
	}
	return n
}

// blindOf is the calendar that was asked for a date beyond what it knows: by its
// rule, where that counts with one, or by its steps.
func blindOf(r *eval.Recurrence, counts bool, nominal civil.Date, steps workdays.Beyond) workdays.Beyond {
	if counts {
		return r.Beyond(nominal).Or(steps)
	}
	return steps
}

// all yields what Dates does, and with blanks among it the nominal dates from the first
// on for which the steps give none.
func all(r *eval.Recurrence, window civil.Span, blanks bool, yield func(*Moved, error) bool) {
	started := false
	counts := r.Counts()
	room := make([]eval.Move, 0, len(r.Chain.Steps))
	m := &Moved{Rec: r}
	roll := r.Chain.Alone
	runs, each := 0, len(r.Chain.Steps)
	r.Rule.Batches(window.Widen(r.Chain.Forth.Bound(), r.Chain.Back.Bound()))(func(list []recur.Date) bool {
		for i := range list {
			m.Date = list[i]
			d := m.Date.Date
			if roll != nil && !blanks && roll.Stays(d) { // occurrences want the step that did nothing, too
				m.To = d
				if len(m.Moves) > 0 || m.Beyond.Is() {
					m.Moves, m.Beyond = room, beyondNone
				}
			} else {
				if runs += each; runs > mostRuns {
					yield(m, errRuns)
					return false
				}
				var err error
				m.Moves = room
				m.To, m.Beyond, err = r.Chain.Run(d, r.Row, &m.Moves)
				if err != nil {
					if errors.Is(err, eval.ErrRange) {
						continue // it would lie before or after every window
					}
					yield(m, err)
					return false
				}
			}
			if counts {
				m.Beyond = blindOf(r, counts, d, m.Beyond)
			}
			if m.To < window.First && (m.To != civil.None || !blanks || !started) {
				continue
			}
			started = true
			if m.To > window.Last || !yield(m, nil) {
				return false
			}
		}
		return true
	})
}
