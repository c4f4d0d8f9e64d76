package schedule

import (
	"cmp"
	"errors"
	"fmt"
	"iter"
	"slices"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/recur"
)

// EffectiveRule is a rule of a series and the nominal dates that it holds for.
type EffectiveRule struct {
	Recurrence *eval.Recurrence
	Span       civil.Span
	Text       string        // as it was written
	Expects    *Expectations // of its own dates; nil for those of the series
}

// SetRules gives the series rules that follow each other, in order and without
// overlap.
func (s *Series) SetRules(rules []EffectiveRule) error {
	s.Rules = rules
	for i := 1; i < len(rules); i++ {
		if rules[i].Span.First <= rules[i-1].Span.Last {
			return fmt.Errorf("the rules overlap: this one starts on %s, the one before ends on %s",
				rules[i].Span.First, rules[i-1].Span.Last)
		}
		for j := range i {
			if id := s.sharedID(rules[j], rules[i]); id != "" {
				return fmt.Errorf("both rules give a date the id %s; put the change at the start of a period, such as a month or year", id)
			}
		}
	}
	return nil
}

// ruleChangeMargin is how far around a change of rules two dates could share an identity.
const ruleChangeMargin = 800

// sharedID is an id that a rule and a later one both give; "" if there is
// none.
func (s *Series) sharedID(a, b EffectiveRule) string {
	ids := map[string]bool{}
	for d := range a.dates(civil.Span{First: b.Span.First, Last: b.Span.First}.Widen(ruleChangeMargin, 0)) {
		ids[string(a.Recurrence.Rule.AppendID(nil, d))] = true
	}
	for d := range b.dates(civil.Span{First: b.Span.First, Last: b.Span.First}.Widen(0, ruleChangeMargin)) {
		if id := string(b.Recurrence.Rule.AppendID(nil, d)); ids[id] {
			return id
		}
	}
	return ""
}

// dates are the nominal dates of the rule in a span, within its own.
func (r EffectiveRule) dates(span civil.Span) iter.Seq[recur.Date] {
	return r.Recurrence.Rule.All(civil.Span{First: max(span.First, r.Span.First), Last: min(span.Last, r.Span.Last)})
}

// effectiveSpan is the stretch that the rule's nominal dates can lie in.
func (r EffectiveRule) effectiveSpan() civil.Span {
	span := r.Recurrence.Rule.Span()
	return civil.Span{First: max(span.First, r.Span.First), Last: min(span.Last, r.Span.Last)}
}

// isSingleRule reports whether the series is one rule and nothing was set by hand, so that
// its dates come in order by themselves.
func (s *Series) isSingleRule() bool {
	return len(s.Rules) == 1 && s.Rules[0].Span == civil.AllDays && s.overrides == nil && !s.Rules[0].Recurrence.Chain.MayReorder
}

// SplitWindow cuts a window of over 500 years into spans of 250 whose dates can be computed
// concurrently. Nil if it is shorter, or if the dates depend on earlier ones: several rules,
// overrides, a rule with a start.
func (s *Series) SplitWindow(window civil.Span) (list []civil.Span) {
	const days = 250 * 366
	if window.Len() < 2*days || !s.isSingleRule() || s.Rules[0].Recurrence.Rule.HasStart() {
		return nil
	}
	for first := window.First; first <= window.Last; first += days {
		list = append(list, civil.Span{First: first, Last: min(window.Last, first+days-1)})
	}
	return list
}

// Endless reports whether the series goes on for ever.
func (s *Series) Endless() bool {
	return slices.ContainsFunc(s.Rules, func(r EffectiveRule) bool { return r.Recurrence.Rule.Endless() && r.Span.Last == civil.Max })
}

// span is the stretch that its nominal dates can lie in.
func (s *Series) span() civil.Span {
	span := s.Rules[0].effectiveSpan()
	for _, r := range s.Rules[1:] {
		w := r.effectiveSpan()
		span = civil.Span{First: min(span.First, w.First), Last: max(span.Last, w.Last)}
	}
	return span
}

// stepReach bounds in days how far its rules' steps move a date back and forth.
func (s *Series) stepReach() (back, forth int) {
	for _, r := range s.Rules {
		back, forth = max(back, r.Recurrence.Chain.ReachBack.MaxDays()), max(forth, r.Recurrence.Chain.ReachForward.MaxDays())
	}
	return back, forth
}

// maxStride bounds the days from one nominal date to the next of a rule.
func (s *Series) maxStride() (days int) {
	for _, r := range s.Rules {
		days = max(days, r.Recurrence.Rule.MaxGap())
	}
	return days
}

// fiscal is what its periods go by.
func (s *Series) fiscal() civil.FiscalCalendar { return s.Rules[0].Recurrence.Rule.Frame }

// nominal yields the nominal dates of all rules in a span, in order.
func (s *Series) nominal(span civil.Span) iter.Seq2[recur.Date, *eval.Recurrence] {
	return func(yield func(recur.Date, *eval.Recurrence) bool) {
		for _, r := range s.Rules {
			for d := range r.dates(span) {
				if !yield(d, r.Recurrence) {
					return
				}
			}
		}
	}
}

// adjacentNominal returns the nominal date next before d, or after it.
func (s *Series) adjacentNominal(d civil.Date, after bool) (found recur.Date, rec *eval.Recurrence, ok bool) {
	for i := range s.Rules {
		r := s.Rules[i]
		if !after {
			r = s.Rules[len(s.Rules)-1-i]
		}
		if after {
			found, ok = r.Recurrence.Rule.After(max(d, r.Span.First-1))
		} else {
			found, ok = r.Recurrence.Rule.Before(min(d, r.Span.Last+1))
		}
		if ok && r.Span.Contains(found.Date) {
			return found, r.Recurrence, true
		}
	}
	return recur.Date{}, nil, false
}

// moveDate moves a nominal date by its rule's steps, and by hand.
func (s *Series) moveDate(d recur.Date, rec *eval.Recurrence, room []eval.Move) (MovedDate, error) {
	to, beyond, err := rec.Chain.Run(d.Date, rec.Row, &room)
	if err != nil {
		return MovedDate{Date: d, Recurrence: rec}, err
	}
	m := MovedDate{d, rec, to, room, uncoveredFor(rec, rec.UsesCalendar(), d.Date, beyond), nil}
	if h := s.overrideFor("date", d.Date, func() string { return m.ID() }); h != nil {
		m.applyOverride(h)
	}
	return m, nil
}

// movedDates yields the dates of the series whose moved date lies in window, sorted by moved,
// then nominal; each is valid until the next one is asked for.
func (s *Series) movedDates(window civil.Span) iter.Seq2[*MovedDate, error] {
	if s.isSingleRule() {
		return Dates(s.Rules[0].Recurrence, window)
	}
	return func(yield func(*MovedDate, error) bool) {
		back, forth := s.stepReach()
		whole := s.span().Widen(back, forth)
		if s.overrides != nil && s.overrides.days.First <= s.overrides.days.Last {
			d := s.overrides.days
			whole = civil.Span{First: min(whole.First, d.First), Last: max(whole.Last, d.Last)}
		}
		last := min(window.Last, whole.Last)
		for first, n := max(window.First, whole.First), civil.Date(2*ruleChangeMargin); first <= last; n *= 2 {
			part := civil.Span{First: first, Last: min(last, first+n)}
			list, err := s.sortedPart(part)
			for i := range list {
				if !yield(&list[i], nil) {
					return
				}
			}
			if err != nil {
				yield(&MovedDate{}, err)
				return
			}
			first = part.Last + 1
		}
	}
}

// sortedPart is all for a stretch short enough to be sorted: with several rules, and with
// dates set by hand, the order of dates isn't that of the nominal ones.
func (s *Series) sortedPart(window civil.Span) (list []MovedDate, err error) {
	back, forth := s.stepReach()
	near := window.Widen(forth, back)
	put := func(d recur.Date, rec *eval.Recurrence) error {
		m, err := s.moveDate(d, rec, nil)
		if errors.Is(err, eval.ErrRange) {
			return nil
		}
		if err == nil && window.Contains(m.MovedTo) {
			list = append(list, m)
		}
		return err
	}
	for d, rec := range s.nominal(near) {
		if err := put(d, rec); err != nil {
			return list, err
		}
	}
	for _, h := range s.overrides.list() {
		switch {
		case h.What != "date" || !window.Contains(h.At.Day) || h.At.Kind == eval.Blank:
		case h.Removed:
			m := MovedDate{Date: recur.Date{Date: h.Nominal, Period: h.Nominal, Item: -1}, Recurrence: s.Rules[0].Recurrence}
			m.applyOverride(h)
			list = append(list, m)
		case !near.Contains(h.date.Date):
			if err := put(h.date, h.rec); err != nil {
				return list, err
			}
		}
	}
	slices.SortStableFunc(list, func(a, b MovedDate) int {
		return cmp.Or(cmp.Compare(a.MovedTo, b.MovedTo), cmp.Compare(a.Date.Date, b.Date.Date))
	})
	return list, nil
}

// findNominal finds the nominal date of an id.
func (s *Series) findNominal(id string) (d recur.Date, rec *eval.Recurrence, ok bool) {
	period := id
	for i := range id {
		if id[i] == '/' {
			period = id[:i]
			break
		}
	}
	span, ok := s.fiscal().ParseSpan(period)
	if !ok {
		return d, nil, false
	}
	var room []byte
	for d, rec := range s.nominal(span.Widen(idPeriodMargin, idPeriodMargin)) {
		if room = rec.Rule.AppendID(room[:0], d); string(room) == id {
			return d, rec, true
		}
	}
	return recur.Date{}, nil, false
}

// findOccurrence is that of an id; nil if the series gives none.
func (s *Series) findOccurrence(id string) (*Occurrence, error) {
	m, ok := s.FindDate(id)
	switch {
	case !ok:
		return nil, nil
	case m.Override != nil && m.Override.Removed:
		return s.occurrence(m, MovedDate{}, 0)
	}
	return s.occurrence(m, s.previousDate(m.Date.Date), s.numberInYear(m.Date.Date))
}

// FindDate is the date of an id, moved; ok is false if the series gives none.
func (s *Series) FindDate(id string) (m MovedDate, ok bool) {
	if h := s.OverrideOf("date", id); h != nil && h.Removed {
		m = MovedDate{Date: recur.Date{Date: h.Nominal, Period: h.Nominal, Item: -1}, Recurrence: s.Rules[0].Recurrence}
		m.applyOverride(h)
		return m, true
	}
	d, rec, ok := s.findNominal(id)
	if !ok {
		for _, h := range s.overrides.list() { // one of its milestones may have been kept
			if h.ID == id && h.Removed {
				m = MovedDate{Date: recur.Date{Date: h.Nominal, Period: h.Nominal, Item: -1}, Recurrence: s.Rules[0].Recurrence}
				m.applyOverride(&Override{ID: id, What: "date", Removed: true, Nominal: h.Nominal, FromRelease: h.FromRelease, Reason: h.Reason})
				return m, true
			}
		}
		return m, false
	}
	m, err := s.moveDate(d, rec, nil)
	return m, err == nil
}

// idPeriodMargin is how far outside the period that names it a date can lie: that of a
// week, or of an RFC 5545 rule.
const idPeriodMargin = 45
