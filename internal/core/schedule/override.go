package schedule

import (
	"fmt"
	"slices"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/recur"
)

// Override replaces one date or milestone of a series, by ID: set in the plan (`instead`), or
// restored from the ledger of releases (FromRelease).
type Override struct {
	ID   string     // of the date
	What string     // "date", or the milestone
	At   eval.Value // a day, with a time where the other has one too; a blank leaves it out
	// Reason is what the reason of the date ends in.
	Reason string
	// Removed says that the series no longer gives the date, whose nominal day was Nominal.
	Removed bool
	Nominal civil.Date
	// FromRelease says that it is a released day, not one that a person set.
	FromRelease bool

	date recur.Date
	rec  *eval.Recurrence
}

// OverrideReason is the reason of a date that a person set, or left out.
func OverrideReason(why, by string, out bool) string {
	if by != "" {
		why += " (" + by + ")"
	}
	if out {
		return "left out by hand: " + why
	}
	return "moved by hand: " + why
}

// overrides are the dates of a series that were set by hand.
type overrides struct {
	all  []*Override
	days civil.Span // in which they lie; empty if there are none
	// nominal are the nominal days that have one, so that others aren't named in vain.
	nominal           map[civil.Date]bool
	byKey             map[string]*Override
	maxMilestoneShift int // how far from its nominal day a milestone was set, in days
}

func (h *overrides) list() []*Override {
	if h == nil {
		return nil
	}
	return h.all
}

// overrideFor is what was set by hand of a date, or nil; id names it.
func (s *Series) overrideFor(what string, nominal civil.Date, id func() string) *Override {
	if s.overrides == nil || !s.overrides.nominal[nominal] {
		return nil
	}
	return s.overrides.byKey[what+"\x00"+id()]
}

// UnknownDateError is a day by hand for a date that the series doesn't give.
type UnknownDateError struct{ Series, ID string }

// Error says so.
func (e *UnknownDateError) Error() string {
	return fmt.Sprintf("the rule of `%s` gives no date with the id %s; `yoyaku dates %[1]s` lists them", e.Series, e.ID)
}

// SetOverride sets a day by hand. Of two for one date the later stands.
func (s *Series) SetOverride(h Override) error {
	if h.What != "date" && !slices.ContainsFunc(s.Milestones, func(m Milestone) bool { return m.Name == h.What }) {
		return fmt.Errorf("`%s` has no milestone `%s`", s.Name, h.What)
	}
	if !h.Removed {
		var ok bool
		if h.date, h.rec, ok = s.findNominal(h.ID); !ok {
			return &UnknownDateError{s.Name, h.ID}
		}
		h.Nominal = h.date.Date
	}
	if s.overrides == nil {
		s.overrides = &overrides{days: civil.Span{First: civil.Max, Last: civil.Min}, nominal: map[civil.Date]bool{},
			byKey: map[string]*Override{}}
	}
	set := s.overrides
	key := h.What + "\x00" + h.ID
	if old := set.byKey[key]; old != nil {
		set.all = slices.DeleteFunc(set.all, func(o *Override) bool { return o == old })
	}
	set.all, set.byKey[key], set.nominal[h.Nominal] = append(set.all, &h), &h, true
	if h.At.Kind != eval.Blank {
		if h.What == "date" {
			set.days = civil.Span{First: min(set.days.First, h.At.Day), Last: max(set.days.Last, h.At.Day)}
		} else {
			set.maxMilestoneShift = max(set.maxMilestoneShift, int(h.At.Day-h.Nominal), int(h.Nominal-h.At.Day))
		}
	}
	s.cache.Overrides.Add(1)
	return nil
}

// HasTime reports whether the dates of the series, or those of a milestone, have a time.
func (s *Series) HasTime(what string) bool {
	for _, m := range s.Milestones {
		if m.Name == what {
			return m.Program.Chain() == nil || m.Program.Chain().Minutes >= 0
		}
	}
	return slices.ContainsFunc(s.Rules, func(r EffectiveRule) bool { return r.Recurrence.Chain.Minutes >= 0 })
}

// OverrideOf is what was set by hand of a date or milestone, or nil.
func (s *Series) OverrideOf(what, id string) *Override {
	if s.overrides == nil {
		return nil
	}
	return s.overrides.byKey[what+"\x00"+id]
}

// Overrides are the dates that were set by hand, in the order in which they were.
func (s *Series) Overrides() []*Override { return s.overrides.list() }

// applyOverride puts a day by hand in the place of the moved date.
func (m *MovedDate) applyOverride(h *Override) {
	m.Override, m.MovedTo = h, civil.None
	if h.At.Kind != eval.Blank {
		m.MovedTo = h.At.Day
	}
	m.Uncovered = noUncovered
}

// applyTo is a value with the day of a hand in its place; a time stays where the hand
// tells none.
func (h *Override) applyTo(v eval.Value, chain *eval.Chain) eval.Value {
	switch {
	case chain == nil || h.At.Kind == eval.Blank:
		return h.At
	case h.At.Kind == eval.DateTime:
		return chain.AtMoment(h.At)
	case chain.Minutes >= 0:
		return chain.WithTime(h.At.Day, nil)
	case v.Kind == eval.DateTime:
		return chain.AtTime(h.At.Day, int(v.Minutes))
	}
	return h.At
}

// dateWithoutOverride returns the date that the rule gives for an overridden one; its nominal
// day if the rule no longer gives it, None if the steps fail.
func (s *Series) dateWithoutOverride(h *Override) civil.Date {
	if h.Removed {
		return h.Nominal
	}
	to, _, err := h.rec.Chain.Run(h.Nominal, h.rec.Row, nil)
	if err != nil {
		return civil.None
	}
	return to
}
