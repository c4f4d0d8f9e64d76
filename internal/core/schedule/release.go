package schedule

import (
	"cmp"
	"fmt"
	"slices"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
)

// Released is a date or milestone as it was announced.
type Released struct {
	Plan, Series, What, ID string
	Nominal                civil.Date
	At                     eval.Value
	Reason                 string
	ReleasedOn             civil.Date // the day on which it was released
	From, Through          civil.Date // the stretch that was released with it
	By, Note               string
	Superseded             civil.Date // the day since which it no longer holds; None while it does
	Part, Parts            int        // its place in its release, and how many that has
	Line                   int        // of the file
	Cells                  []string   // as it is in the file; nil of a new one
}

// IsCurrent reports whether the date is still the released one.
func (r Released) IsCurrent() bool { return r.Superseded == civil.None }

// key names the date that was released.
func (r Released) key() string { return r.Series + "\x00" + r.What + "\x00" + r.ID }

// BreachColumns are the columns of what isn't as it was released.
var BreachColumns = []string{"series", "what", "id", "released", "now", "reason"}

// Breach is a date that isn't as it was released: moved, gone, renamed, or new in a
// stretch that was released without it.
type Breach struct {
	Series, What, ID string
	Released, Now    eval.Value // a blank if it wasn't there, or is no more
	Reason           string
	// Row is what was released; nil of a new date. Other is the id of a renamed date.
	Row   *Released
	Other string
	// Nominal is that of a date that is new, or has another id.
	Nominal civil.Date
}

// CountBreaches counts breaches in words.
func CountBreaches(list []Breach) string {
	return phrase.CountVerb(len(list), "date differs from what was released", "dates differ from what was released")
}

// Cells are the cells of BreachColumns.
func (h Breach) Cells() []eval.Value {
	return []eval.Value{eval.Str(h.Series), eval.Str(h.What), eval.Str(h.ID), h.Released, h.Now, eval.Str(h.Reason)}
}

// String says it in a line.
func (h Breach) String() string {
	what := h.Series + " " + h.ID
	if h.What != "date" {
		what = h.Series + "." + h.What + " " + h.ID
	}
	switch {
	case h.Row == nil:
		return fmt.Sprintf("%s is now on %s and was not released", what, h.Now)
	case h.Other != "":
		return fmt.Sprintf("%s, released as %s, is %s", what, h.Released, h.Reason)
	case h.Now.Kind == eval.Blank:
		return fmt.Sprintf("%s, released as %s, is gone", what, h.Released)
	}
	text := fmt.Sprintf("%s, released as %s, is now %s", what, h.Released, h.Now)
	if h.Reason != "" {
		text += ": " + h.Reason
	}
	return text
}

// ChangeColumns are the columns of what a release changes.
var ChangeColumns = []string{"change", "series", "what", "id", "was", "date", "reason"}

// Change is what a release makes of the date: released, moved, renamed or gone.
func (h Breach) Change() string {
	switch {
	case h.Row == nil:
		return "released"
	case h.Other != "":
		return "renamed"
	case h.Now.Kind == eval.Blank:
		return "gone"
	}
	return "moved"
}

// ChangeCells are the cells of ChangeColumns.
func (h Breach) ChangeCells() []eval.Value {
	return []eval.Value{eval.Str(h.Change()), eval.Str(h.Series), eval.Str(h.What), eval.Str(h.ID), h.Released, h.Now,
		eval.Str(h.Reason)}
}

// Breaches holds series against what was released of them, in a window. named are all the
// series that are looked at, those that are no more among them; find gives one, or nil.
func Breaches(rows []Released, named func(series string) bool, find func(series string) *Series,
	window civil.Span) (list []Breach, err error) {
	held := map[string]bool{}
	stretches := map[Column][]civil.Span{}
	var columns []Column
	for i := range rows {
		r := &rows[i]
		if !r.IsCurrent() || !named(r.Series) {
			continue
		}
		held[r.key()] = true
		s := find(r.Series)
		now, reason, passes, err := s.currentValue(r)
		if err != nil {
			return nil, err
		}
		if s != nil {
			c := Column{s, r.What}
			if stretches[c] == nil {
				columns = append(columns, c)
			}
			stretches[c] = append(stretches[c], civil.Span{First: r.From, Last: r.Through})
		}
		switch {
		case passes || now.SameTime(r.At) || !window.Contains(r.At.Day) && !(now.Kind != eval.Blank && window.Contains(now.Day)):
		default:
			list = append(list, Breach{Series: r.Series, What: r.What, ID: r.ID, Released: r.At, Now: now,
				Reason: reason, Row: r})
		}
	}
	added, err := newDates(columns, stretches, held, window)
	if err != nil {
		return nil, err
	}
	for _, h := range added {
		i := slices.IndexFunc(list, func(o Breach) bool {
			return o.Now.Kind == eval.Blank && o.Other == "" && o.Series == h.Series && o.What == h.What &&
				o.Released.SameTime(h.Now)
		})
		if i >= 0 {
			list[i].Now, list[i].Other, list[i].Nominal, list[i].Reason = h.Now, h.ID, h.Nominal, "renamed to "+h.ID
			continue
		}
		list = append(list, h)
	}
	day := func(h Breach) civil.Date {
		if h.Row != nil {
			return h.Released.Day
		}
		return h.Now.Day
	}
	slices.SortStableFunc(list, func(a, b Breach) int { return cmp.Compare(day(a), day(b)) })
	return list, nil
}

// currentValue is what a series, which may be none, makes today of a date that was released; it
// passes where a person set another day for it.
func (s *Series) currentValue(r *Released) (when eval.Value, reason string, passes bool, err error) {
	if s == nil {
		return when, "gone: there is no series `" + r.Series + "`", false, nil
	}
	for _, what := range []string{"date", r.What} {
		if h := s.OverrideOf(what, r.ID); h != nil && !h.FromRelease {
			return when, "", true, nil
		}
	}
	when, reason, err = s.CurrentValue(r)
	return when, reason, false, err
}

// CurrentValue is what the series makes today of a date that was released; a blank if it is
// gone, with the reason.
func (s *Series) CurrentValue(r *Released) (when eval.Value, reason string, err error) {
	o, err := s.findOccurrence(r.ID)
	switch {
	case err != nil:
		return when, "", err
	case o == nil:
		return when, "gone: the rule gives no such date", nil
	case r.What == "date" && o.MovedTo == civil.None && o.Override != nil:
		return when, o.Reason(), nil
	case r.What == "date" && o.MovedTo == civil.None:
		return when, "gone: the steps after `then` give no date", nil
	case r.What == "date":
		return o.Value(), o.Reason(), nil
	}
	for i, m := range s.Milestones {
		if m.Name == r.What {
			if when = o.Milestone(i); when.Kind == eval.Blank {
				return when, "gone: the milestone is blank", nil
			}
			return when, o.Provenance[i].Reason(), nil
		}
	}
	return when, "gone: there is no milestone `" + r.What + "`", nil
}

// newDates returns a Breach for each date inside a released span that was not part of that
// release.
func newDates(columns []Column, stretches map[Column][]civil.Span, held map[string]bool,
	window civil.Span) (list []Breach, err error) {
	var series []*Series
	for _, c := range columns {
		if !slices.Contains(series, c.Series) {
			series = append(series, c.Series)
		}
	}
	around := civil.Span{First: civil.Max, Last: civil.Min}
	for _, list := range stretches {
		for _, s := range list {
			around = civil.Span{First: min(around.First, s.First), Last: max(around.Last, s.Last)}
		}
	}
	around = civil.Span{First: max(around.First, window.First), Last: min(around.Last, window.Last)}
	if around.First > around.Last {
		return nil, nil
	}
	entries, _, err := entriesOf(series, around, false, func(*Occurrence) {})
	for _, e := range entries {
		c := Column{e.Series, e.What}
		in := slices.ContainsFunc(stretches[c], func(s civil.Span) bool { return s.Contains(e.At.Day) })
		byHand := func(what string) bool {
			h := e.Series.OverrideOf(what, e.Occurrence.ID)
			return h != nil && !h.FromRelease
		}
		if !in || held[(Released{Series: e.Series.Name, What: e.What, ID: e.Occurrence.ID}).key()] || byHand("date") ||
			byHand(e.What) {
			continue
		}
		list = append(list, Breach{Series: e.Series.Name, What: e.What, ID: e.Occurrence.ID, Now: e.At, Nominal: e.Occurrence.Date.Date,
			Reason: "new: not among the released dates"})
	}
	return list, err
}

// Restore puts what was released in the place of what a series gives now.
func (h Breach) Restore(s *Series) error {
	hand := Override{ID: h.ID, What: h.What, FromRelease: true}
	if h.Row == nil {
		hand.Reason = "not among the released dates"
		return s.SetOverride(hand)
	}
	hand.At, hand.Nominal, hand.Reason = h.Released, h.Row.Nominal, "as released on "+h.Row.ReleasedOn.String()
	if h.What != "date" && !slices.ContainsFunc(s.Milestones, func(m Milestone) bool { return m.Name == h.What }) {
		return nil // nothing shows it any more
	}
	if h.Other != "" {
		if err := s.SetOverride(Override{ID: h.Other, What: h.What, FromRelease: true, Reason: "released as " + h.ID}); err != nil {
			return err
		}
	}
	if _, _, ok := s.findNominal(h.ID); !ok {
		hand.Removed = true
	}
	return s.SetOverride(hand)
}

// Release returns the new content of the ledger. It never deletes rows: rows of moved or
// removed dates get Superseded set; new and moved dates are appended with the attributes of as.
func Release(rows []Released, entries []Entry, breaches []Breach, as Released) (all []Released, changes []Breach) {
	all = slices.Clone(rows)
	holds := map[string]bool{}
	for i := range all {
		if all[i].IsCurrent() && all[i].Plan == as.Plan {
			holds[all[i].key()] = true
		}
	}
	var fresh []Released
	anew := func(e Breach, nominal civil.Date) {
		r := as
		r.Series, r.What, r.ID, r.Nominal, r.At, r.Reason = e.Series, e.What, e.ID, nominal, e.Now, e.Reason
		fresh = append(fresh, r)
		holds[r.key()] = true
	}
	for _, h := range breaches {
		if h.Row == nil {
			continue // it is among the entries
		}
		for i := range all {
			if all[i].IsCurrent() && all[i].Plan == as.Plan && all[i].key() == h.Row.key() {
				all[i].Superseded = as.ReleasedOn
			}
		}
		changes = append(changes, h)
		delete(holds, h.Row.key())
		switch {
		case h.Other != "":
			other := h
			other.ID, other.Reason = h.Other, ""
			anew(other, h.Nominal)
		case h.Now.Kind != eval.Blank:
			anew(h, h.Row.Nominal)
		}
	}
	for _, e := range entries {
		h := Breach{Series: e.Series.Name, What: e.What, ID: e.Occurrence.ID, Now: e.At, Reason: e.Reason()}
		if !holds[(Released{Series: h.Series, What: h.What, ID: h.ID}).key()] {
			changes = append(changes, h)
			anew(h, e.Occurrence.Date.Date)
		}
	}
	for i := range fresh {
		fresh[i].Part, fresh[i].Parts = i+1, len(fresh)
	}
	return append(all, fresh...), changes
}

// ExplainReleases says when dates were released, and what they were before.
func ExplainReleases(rows []Released, ids []string, d civil.Date) (list []ExplanationLine) {
	for _, r := range rows {
		if r.At.Day != d && !slices.Contains(ids, r.ID) {
			continue
		}
		why := "id " + r.ID + "; released on " + r.ReleasedOn.String() + " by " + r.By
		if r.Note != "" {
			why += " (" + r.Note + ")"
		}
		if !r.IsCurrent() {
			why += "; superseded on " + r.Superseded.String()
		}
		if r.Reason != "" {
			why += "; then: " + r.Reason
		}
		list = append(list, ExplanationLine{r.What, "released", r.At, why})
	}
	return list
}
