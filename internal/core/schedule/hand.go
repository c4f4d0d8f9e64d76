package schedule

import (
	"fmt"
	"slices"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/recur"
)

// Hand is a day that is in the place of one that a series gives: set by a person,
// or kept as it was released.
type Hand struct {
	ID   string     // of the date
	What string     // "date", or the milestone
	At   eval.Value // a day, with a time where the other has one too; a blank leaves it out
	// Reason is what the reason of the date ends in.
	Reason string
	// Gone says that the series no longer gives the date, whose nominal day was Nominal.
	Gone    bool
	Nominal civil.Date
	// Kept says that it is a released day, not one that a person set.
	Kept bool

	of  recur.Date
	rec *eval.Recurrence
}

// ByHand is the reason of a date that a person set, or left out.
func ByHand(why, by string, out bool) string {
	if by != "" {
		why += " (" + by + ")"
	}
	if out {
		return "left out by hand: " + why
	}
	return "moved by hand: " + why
}

// hands are the dates of a series that were set by hand.
type hands struct {
	all  []*Hand
	days civil.Span // in which they lie; empty if there are none
	// nominal are the nominal days that have one, so that others aren't named in vain.
	nominal map[civil.Date]bool
	by      map[string]*Hand
	far     int // how far from its nominal day a milestone was set, in days
}

func (h *hands) list() []*Hand {
	if h == nil {
		return nil
	}
	return h.all
}

// hand is what was set by hand of a date, or nil; id names it.
func (s *Series) hand(what string, nominal civil.Date, id func() string) *Hand {
	if s.hands == nil || !s.hands.nominal[nominal] {
		return nil
	}
	return s.hands.by[what+"\x00"+id()]
}

// UnknownDate is a day by hand for a date that the series doesn't give.
type UnknownDate struct{ Series, ID string }

// Error says so.
func (e *UnknownDate) Error() string {
	return fmt.Sprintf("the rule of `%s` gives no date with the id %s; `yoyaku dates %[1]s` lists them", e.Series, e.ID)
}

// SetHand sets a day by hand. Of two for one date the later stands.
func (s *Series) SetHand(h Hand) error {
	if h.What != "date" && !slices.ContainsFunc(s.Milestones, func(m Milestone) bool { return m.Name == h.What }) {
		return fmt.Errorf("`%s` has no milestone `%s`", s.Name, h.What)
	}
	if !h.Gone {
		var ok bool
		if h.of, h.rec, ok = s.Identified(h.ID); !ok {
			return &UnknownDate{s.Name, h.ID}
		}
		h.Nominal = h.of.Date
	}
	if s.hands == nil {
		s.hands = &hands{days: civil.Span{First: civil.Max, Last: civil.Min}, nominal: map[civil.Date]bool{},
			by: map[string]*Hand{}}
	}
	set := s.hands
	key := h.What + "\x00" + h.ID
	if old := set.by[key]; old != nil {
		set.all = slices.DeleteFunc(set.all, func(o *Hand) bool { return o == old })
	}
	set.all, set.by[key], set.nominal[h.Nominal] = append(set.all, &h), &h, true
	if h.At.Kind != eval.Blank {
		if h.What == "date" {
			set.days = civil.Span{First: min(set.days.First, h.At.Day), Last: max(set.days.Last, h.At.Day)}
		} else {
			set.far = max(set.far, int(h.At.Day-h.Nominal), int(h.Nominal-h.At.Day))
		}
	}
	s.memory.Hands.Add(1)
	return nil
}

// Timed reports whether the dates of the series, or those of a milestone, have a time.
func (s *Series) Timed(what string) bool {
	for _, m := range s.Milestones {
		if m.Name == what {
			return m.Prog.Chain() == nil || m.Prog.Chain().Minutes >= 0
		}
	}
	return slices.ContainsFunc(s.Rules, func(r Ruled) bool { return r.Rec.Chain.Minutes >= 0 })
}

// HandOf is what was set by hand of a date or milestone, or nil.
func (s *Series) HandOf(what, id string) *Hand {
	if s.hands == nil {
		return nil
	}
	return s.hands.by[what+"\x00"+id]
}

// Hands are the dates that were set by hand, in the order in which they were.
func (s *Series) Hands() []*Hand { return s.hands.list() }

// by puts a day by hand in the place of the moved date.
func (m *Moved) by(h *Hand) {
	m.Hand, m.To = h, civil.None
	if h.At.Kind != eval.Blank {
		m.To = h.At.Day
	}
	m.Beyond = beyondNone
}

// set is a value with the day of a hand in its place; a time stays where the hand
// tells none.
func (h *Hand) set(v eval.Value, chain *eval.Chain) eval.Value {
	switch {
	case chain == nil || h.At.Kind == eval.Blank:
		return h.At
	case h.At.Kind == eval.Moment:
		return chain.On(h.At.Day, int(h.At.Minutes))
	case chain.Minutes >= 0:
		return chain.Value(h.At.Day, nil)
	case v.Kind == eval.Moment:
		return chain.On(h.At.Day, int(v.Minutes))
	}
	return h.At
}

// unset is the day of a date that was set by hand, as its rule gives it.
func (s *Series) unset(h *Hand) civil.Date {
	if h.Gone {
		return h.Nominal
	}
	to, _, err := h.rec.Chain.Run(h.Nominal, h.rec.Row, nil)
	if err != nil {
		return civil.None
	}
	return to
}
