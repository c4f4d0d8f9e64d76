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

// Ruled is a rule of a series and the nominal dates that it holds for.
type Ruled struct {
	Rec     *eval.Recurrence
	Span    civil.Span
	Text    string   // as it was written
	Expects *Expects // of its own dates; nil for those of the series
}

// SetRules gives the series rules that follow each other, in order and without
// overlap.
func (s *Series) SetRules(rules []Ruled) error {
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

// nearChange is how far around a change of rules two dates could share an identity.
const nearChange = 800

// sharedID is an id that a rule and a later one both give; "" if there is
// none.
func (s *Series) sharedID(a, b Ruled) string {
	ids := map[string]bool{}
	for d := range a.dates(civil.Span{First: b.Span.First, Last: b.Span.First}.Widen(nearChange, 0)) {
		ids[string(a.Rec.Rule.AppendID(nil, d))] = true
	}
	for d := range b.dates(civil.Span{First: b.Span.First, Last: b.Span.First}.Widen(0, nearChange)) {
		if id := string(b.Rec.Rule.AppendID(nil, d)); ids[id] {
			return id
		}
	}
	return ""
}

// dates are the nominal dates of the rule in a span, within its own.
func (r Ruled) dates(span civil.Span) iter.Seq[recur.Date] {
	return r.Rec.Rule.All(civil.Span{First: max(span.First, r.Span.First), Last: min(span.Last, r.Span.Last)})
}

// whole is the stretch that the rule's nominal dates can lie in.
func (r Ruled) whole() civil.Span {
	span := r.Rec.Rule.Span()
	return civil.Span{First: max(span.First, r.Span.First), Last: min(span.Last, r.Span.Last)}
}

// plain reports whether the series is one rule and nothing was set by hand, so that
// its dates come in order by themselves.
func (s *Series) plain() bool {
	return len(s.Rules) == 1 && s.Rules[0].Span == civil.Always && s.hands == nil && !s.Rules[0].Rec.Chain.Unordered
}

// Apart cuts a long window into stretches whose dates can be made each by itself, in any order
// or at once; nil if the window is short, or where the series stands in one depends on what
// came before.
func (s *Series) Apart(window civil.Span) (list []civil.Span) {
	const days = 250 * 366
	if window.Len() < 2*days || !s.plain() || s.Rules[0].Rec.Rule.Begins() {
		return nil
	}
	for first := window.First; first <= window.Last; first += days {
		list = append(list, civil.Span{First: first, Last: min(window.Last, first+days-1)})
	}
	return list
}

// Endless reports whether the series goes on for ever.
func (s *Series) Endless() bool {
	return slices.ContainsFunc(s.Rules, func(r Ruled) bool { return r.Rec.Rule.Endless() && r.Span.Last == civil.Max })
}

// span is the stretch that its nominal dates can lie in.
func (s *Series) span() civil.Span {
	span := s.Rules[0].whole()
	for _, r := range s.Rules[1:] {
		w := r.whole()
		span = civil.Span{First: min(span.First, w.First), Last: max(span.Last, w.Last)}
	}
	return span
}

// reach bounds in days how far its rules' steps move a date back and forth.
func (s *Series) reach() (back, forth int) {
	for _, r := range s.Rules {
		back, forth = max(back, r.Rec.Chain.Back.Bound()), max(forth, r.Rec.Chain.Forth.Bound())
	}
	return back, forth
}

// stride bounds the days from one nominal date to the next of a rule.
func (s *Series) stride() (days int) {
	for _, r := range s.Rules {
		days = max(days, r.Rec.Rule.Stride())
	}
	return days
}

// frame is what its periods go by.
func (s *Series) frame() civil.Frame { return s.Rules[0].Rec.Rule.Frame }

// nominal yields the nominal dates of all rules in a span, in order.
func (s *Series) nominal(span civil.Span) iter.Seq2[recur.Date, *eval.Recurrence] {
	return func(yield func(recur.Date, *eval.Recurrence) bool) {
		for _, r := range s.Rules {
			for d := range r.dates(span) {
				if !yield(d, r.Rec) {
					return
				}
			}
		}
	}
}

// beside returns the nominal date next before d, or after it.
func (s *Series) beside(d civil.Date, after bool) (found recur.Date, rec *eval.Recurrence, ok bool) {
	for i := range s.Rules {
		r := s.Rules[i]
		if !after {
			r = s.Rules[len(s.Rules)-1-i]
		}
		if after {
			found, ok = r.Rec.Rule.After(max(d, r.Span.First-1))
		} else {
			found, ok = r.Rec.Rule.Before(min(d, r.Span.Last+1))
		}
		if ok && r.Span.Has(found.Date) {
			return found, r.Rec, true
		}
	}
	return recur.Date{}, nil, false
}

// run moves a nominal date by its rule's steps, and by hand.
func (s *Series) run(d recur.Date, rec *eval.Recurrence, room []eval.Move) (Moved, error) {
	to, beyond, err := rec.Chain.Run(d.Date, rec.Row, &room)
	if err != nil {
		return Moved{Date: d, Rec: rec}, err
	}
	m := Moved{d, rec, to, room, blindOf(rec, rec.Counts(), d.Date, beyond), nil}
	if h := s.hand("date", d.Date, func() string { return m.ID() }); h != nil {
		m.by(h)
	}
	return m, nil
}

// all yields the dates of the series whose moved date lies in window, sorted by moved,
// then nominal; each is valid until the next one is asked for.
func (s *Series) all(window civil.Span) iter.Seq2[*Moved, error] {
	if s.plain() {
		return Dates(s.Rules[0].Rec, window)
	}
	return func(yield func(*Moved, error) bool) {
		back, forth := s.reach()
		whole := s.span().Widen(back, forth)
		if s.hands != nil && s.hands.days.First <= s.hands.days.Last {
			d := s.hands.days
			whole = civil.Span{First: min(whole.First, d.First), Last: max(whole.Last, d.Last)}
		}
		last := min(window.Last, whole.Last)
		for first, n := max(window.First, whole.First), civil.Date(2*nearChange); first <= last; n *= 2 {
			part := civil.Span{First: first, Last: min(last, first+n)}
			list, err := s.part(part)
			for i := range list {
				if !yield(&list[i], nil) {
					return
				}
			}
			if err != nil {
				yield(&Moved{}, err)
				return
			}
			first = part.Last + 1
		}
	}
}

// part is all for a stretch short enough to be sorted: with several rules, and with
// dates set by hand, the order of dates isn't that of the nominal ones.
func (s *Series) part(window civil.Span) (list []Moved, err error) {
	back, forth := s.reach()
	near := window.Widen(forth, back)
	put := func(d recur.Date, rec *eval.Recurrence) error {
		m, err := s.run(d, rec, nil)
		if errors.Is(err, eval.ErrRange) {
			return nil
		}
		if err == nil && window.Has(m.To) {
			list = append(list, m)
		}
		return err
	}
	for d, rec := range s.nominal(near) {
		if err := put(d, rec); err != nil {
			return list, err
		}
	}
	for _, h := range s.hands.list() {
		switch {
		case h.What != "date" || !window.Has(h.At.Day) || h.At.Kind == eval.Blank:
		case h.Gone:
			m := Moved{Date: recur.Date{Date: h.Nominal, Period: h.Nominal, Item: -1}, Rec: s.Rules[0].Rec}
			m.by(h)
			list = append(list, m)
		case !near.Has(h.of.Date):
			if err := put(h.of, h.rec); err != nil {
				return list, err
			}
		}
	}
	slices.SortStableFunc(list, func(a, b Moved) int {
		return cmp.Or(cmp.Compare(a.To, b.To), cmp.Compare(a.Date.Date, b.Date.Date))
	})
	return list, nil
}

// Identified finds the nominal date of an id.
func (s *Series) Identified(id string) (d recur.Date, rec *eval.Recurrence, ok bool) {
	period := id
	for i := range id {
		if id[i] == '/' {
			period = id[:i]
			break
		}
	}
	span, ok := s.frame().ParseSpan(period)
	if !ok {
		return d, nil, false
	}
	var room []byte
	for d, rec := range s.nominal(span.Widen(nearPeriod, nearPeriod)) {
		if room = rec.Rule.AppendID(room[:0], d); string(room) == id {
			return d, rec, true
		}
	}
	return recur.Date{}, nil, false
}

// Occurrence is that of an id; nil if the series gives none.
func (s *Series) Occurrence(id string) (*Occurrence, error) {
	m, ok := s.Date(id)
	switch {
	case !ok:
		return nil, nil
	case m.Hand != nil && m.Hand.Gone:
		return s.occurrence(m, Moved{}, 0)
	}
	return s.occurrence(m, s.before(m.Date.Date), s.place(m.Date.Date))
}

// Date is the date of an id, moved; ok is false if the series gives none.
func (s *Series) Date(id string) (m Moved, ok bool) {
	if h := s.HandOf("date", id); h != nil && h.Gone {
		m = Moved{Date: recur.Date{Date: h.Nominal, Period: h.Nominal, Item: -1}, Rec: s.Rules[0].Rec}
		m.by(h)
		return m, true
	}
	d, rec, ok := s.Identified(id)
	if !ok {
		for _, h := range s.hands.list() { // one of its milestones may have been kept
			if h.ID == id && h.Gone {
				m = Moved{Date: recur.Date{Date: h.Nominal, Period: h.Nominal, Item: -1}, Rec: s.Rules[0].Rec}
				m.by(&Hand{ID: id, What: "date", Gone: true, Nominal: h.Nominal, Kept: h.Kept, Reason: h.Reason})
				return m, true
			}
		}
		return m, false
	}
	m, err := s.run(d, rec, nil)
	return m, err == nil
}

// nearPeriod is how far outside the period that names it a date can lie: that of a
// week, or of an RFC 5545 rule.
const nearPeriod = 45
