package schedule

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/recur"
	"yoyaku/internal/core/workdays"
)

// related is a date of another series that phrases of a series name: OTHER.date, or
// OTHER.MILESTONE.
type related struct {
	s, other *Series
	at       int // the milestone; -1 for the date
	name     string
}

// Related gives phrases of s the date of another series, or a milestone of it, in the
// occurrence that belongs to theirs: the one with the same id, else the one whose nominal
// date lies in the same period of the cadence of s.
func (s *Series) Related(other *Series, what string) (eval.Related, error) {
	r := &related{s: s, other: other, at: -1, name: other.Name + "." + what}
	if !phrase.SameName(what, "date") {
		r.at = slices.IndexFunc(other.Milestones, func(m Milestone) bool { return phrase.SameName(m.Name, what) })
		if r.at < 0 {
			names := []string{"date"}
			for _, m := range other.Milestones {
				names = append(names, m.Name)
			}
			hint := "it has " + phrase.Names(names)
			if near := phrase.Nearest(what, names); near != "" {
				hint = "did you mean `" + other.Name + "." + near + "`?"
			}
			return eval.Related{}, fmt.Errorf("`%s` has no milestone `%s`; %s", other.Name, what, hint)
		}
	}
	s.related = append(s.related, r)
	period := 0
	for _, rule := range s.Rules {
		period = max(period, rule.Rec.Rule.Unit.MaxDays()*rule.Rec.Rule.Every)
	}
	back, forth := other.reach()
	before, after := other.milestoneReach() // a milestone may lie as far from its date as that
	far := min(period+back+forth+before+after, int(civil.Max))
	return eval.Related{Of: r.value, Slot: slotNominal, Back: far, Forth: far}, nil
}

// value is the date for a row of the series; blank if there is none.
func (r *related) value(row []eval.Value) (v eval.Value, beyond workdays.Beyond, err error) {
	o, err := r.occurrence(row)
	switch {
	case err != nil || o == nil || o.To == civil.None:
		return v, beyond, err
	case r.at < 0:
		return o.Value(), o.Moved.Beyond, nil
	}
	return o.Milestone(r.at), o.Whys[r.at].Beyond, nil
}

// occurrence is that of the other series which belongs to that of a row; nil if there
// is none.
func (r *related) occurrence(row []eval.Value) (*Occurrence, error) {
	nominal, id := row[slotNominal].Day, row[slotID].Text
	if o, err := r.other.Occurrence(id); o != nil || err != nil {
		return o, err
	}
	own := r.s.ruleOf(nominal)
	period := own.Around(nominal)
	type date struct {
		day   civil.Date
		id    string
		every int // how many days lie between its rule's dates at most
	}
	var list []date
	for d, rec := range r.other.nominal(period) {
		list = append(list, date{d.Date, string(rec.Rule.AppendID(nil, d)), rec.Rule.Unit.MaxDays() * rec.Rule.Every})
	}
	for _, h := range r.other.hands.list() { // which was released, and which the rule no longer gives
		if h.What == "date" && h.Gone && period.Has(h.Nominal) {
			list = append(list, date{day: h.Nominal, id: h.ID})
		}
	}
	if len(list) == 0 {
		return nil, nil
	}
	slices.SortStableFunc(list, func(a, b date) int { return cmp.Compare(a.day, b.day) })
	last := list[len(list)-1]
	if len(list) > 1 && last.every >= own.Unit.MaxDays()*own.Every {
		var ids []string
		for _, d := range list {
			ids = append(ids, d.id)
		}
		return nil, fmt.Errorf("`%s` has several dates between %s and %s, and none with the id %s: %s", r.other.Name,
			period.First, period.Last, id, strings.Join(ids, ", "))
	}
	return r.other.Occurrence(last.id)
}

// ruleOf is the rule that holds on a nominal date.
func (s *Series) ruleOf(nominal civil.Date) *recur.Rule {
	for _, r := range s.Rules {
		if r.Span.Has(nominal) {
			return r.Rec.Rule
		}
	}
	return s.Rules[0].Rec.Rule
}

// apart notes another series, of which the phrases of this one name a date, that never
// shares a period with it.
func (c *checker) apart() (list []*look) {
	for i, r := range c.s.related {
		if slices.ContainsFunc(c.s.related[:i], func(o *related) bool { return o.other == r.other }) {
			continue
		}
		shares := false
		list = append(list, &look{see: func(o *Occurrence) {
			if !shares {
				found, err := r.occurrence(o.Row)
				shares = found != nil || err != nil
			}
		}, end: func() {
			if !shares && c.n > 0 {
				c.note("rule", eval.Value{}, "no date shares a period with one of `%s`, so `%s` is always blank", r.other.Name, r.name)
			}
		}})
	}
	return list
}
