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

// relatedDate is a date of another series that phrases of a series name: OTHER.date, or
// OTHER.MILESTONE.
type relatedDate struct {
	s, other  *Series
	milestone int // the milestone; -1 for the date
	name      string
}

// Related gives phrases of s the date of another series, or a milestone of it, in the
// occurrence that belongs to theirs: the one with the same id, else the one whose nominal
// date lies in the same period of the cadence of s.
func (s *Series) Related(other *Series, what string) (eval.RelatedDate, error) {
	r := &relatedDate{s: s, other: other, milestone: -1, name: other.Name + "." + what}
	var err error
	if r.milestone, err = other.FindMilestone(what); err != nil {
		return eval.RelatedDate{}, err
	}
	s.related = append(s.related, r)
	period := 0
	for _, rule := range s.Rules {
		period = max(period, rule.Recurrence.Rule.Unit.MaxDays()*rule.Recurrence.Rule.Every)
	}
	back, forth := other.stepReach()
	before, after := other.milestoneReach() // a milestone may lie as far from its date as that
	far := min(period+back+forth+before+after, int(civil.Max))
	return eval.RelatedDate{Value: r.value, Occurrence: r.occurrenceName, Slot: slotNominal, ReachBack: far, ReachForward: far}, nil
}

// FindMilestone returns the index of a milestone by its name; -1 for `date`, the date itself. The
// error for an unknown one offers the nearest.
func (s *Series) FindMilestone(name string) (int, error) {
	if phrase.NamesEqual(name, "date") {
		return -1, nil
	}
	names := []string{"date"}
	for i, m := range s.Milestones {
		if phrase.NamesEqual(m.Name, name) {
			return i, nil
		}
		names = append(names, m.Name)
	}
	hint := "it has " + phrase.ListNames(names)
	if near := phrase.Nearest(name, names); near != "" {
		hint = "did you mean `" + s.Name + "." + near + "`?"
	}
	return -1, fmt.Errorf("`%s` has no milestone `%s`; %s", s.Name, name, hint)
}

// value is the date for a row of the series; blank if there is none.
func (r *relatedDate) value(row []eval.Value) (v eval.Value, beyond workdays.Uncovered, err error) {
	o, err := r.occurrence(row)
	switch {
	case err != nil || o == nil || o.MovedTo == civil.None:
		return v, beyond, err
	case r.milestone < 0:
		return o.Value(), o.MovedDate.Uncovered, nil
	}
	return o.Milestone(r.milestone), o.Provenance[r.milestone].Uncovered, nil
}

// occurrenceName names the other series and the id of its occurrence; "" if there is none.
func (r *relatedDate) occurrenceName(row []eval.Value) string {
	o, err := r.occurrence(row)
	if err != nil || o == nil {
		return ""
	}
	return r.other.Name + " " + o.ID
}

// occurrence is that of the other series which belongs to that of a row; nil if there
// is none.
func (r *relatedDate) occurrence(row []eval.Value) (*Occurrence, error) {
	nominal, id := row[slotNominal].Day, row[slotID].Text
	if o, err := r.other.findOccurrence(id); o != nil || err != nil {
		return o, err
	}
	own := r.s.ruleOf(nominal)
	period := own.PeriodAt(nominal)
	type date struct {
		day   civil.Date
		id    string
		every int // how many days lie between its rule's dates at most
	}
	var list []date
	for d, rec := range r.other.nominal(period) {
		list = append(list, date{d.Date, string(rec.Rule.AppendID(nil, d)), rec.Rule.Unit.MaxDays() * rec.Rule.Every})
	}
	for _, h := range r.other.overrides.list() { // which was released, and which the rule no longer gives
		if h.What == "date" && h.Removed && period.Contains(h.Nominal) {
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
	return r.other.findOccurrence(last.id)
}

// ruleOf is the rule that holds on a nominal date.
func (s *Series) ruleOf(nominal civil.Date) *recur.Rule {
	for _, r := range s.Rules {
		if r.Span.Contains(nominal) {
			return r.Recurrence.Rule
		}
	}
	return s.Rules[0].Recurrence.Rule
}

// unmatchedRelatedChecks notes another series, of which the phrases of this one name a date, that never
// shares a period with it.
func (c *checker) unmatchedRelatedChecks() (list []*check) {
	for i, r := range c.s.related {
		if slices.ContainsFunc(c.s.related[:i], func(o *relatedDate) bool { return o.other == r.other }) {
			continue
		}
		shares := false
		list = append(list, &check{onOccurrence: func(o *Occurrence) {
			if !shares {
				found, err := r.occurrence(o.Row)
				shares = found != nil || err != nil
			}
		}, onEnd: func() {
			if !shares && c.n > 0 {
				c.note("rule", eval.Value{}, "no date shares a period with one of `%s`, so `%s` is always blank", r.other.Name, r.name)
			}
		}})
	}
	return list
}
