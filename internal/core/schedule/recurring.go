package schedule

import (
	"fmt"
	"slices"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/recur"
)

// Recurring says how one event stands for all dates of a series: DTSTART is the
// event's own date, Rule gives the dates from it through Until, less Except and with
// Extra. Dates are what comes of that.
type Recurring struct {
	Rule          recur.RRule
	Until         eval.Value
	Except, Extra []eval.Value
	Dates         []eval.Value
}

// fitRule ends the rule, and says what of its dates isn't wanted and what is beside them; at
// gives a day the time of the event.
func (r *Recurring) fitRule(span civil.Span, want map[civil.Date]bool, when func(civil.Date) eval.Value) error {
	made, err := r.Rule.Rule(span.First)
	if err != nil {
		return err
	}
	made.Prepare()
	given := map[civil.Date]bool{span.First: true} // DTSTART is in the set, whether the rule gives it or not
	for d := range made.All(span) {
		given[d.Date] = true
	}
	r.Until = when(span.Last)
	for d := range given {
		if !want[d] {
			r.Except = append(r.Except, when(d))
		}
	}
	for d := range want {
		if !given[d] {
			r.Extra = append(r.Extra, when(d))
		}
	}
	byDay := func(a, b eval.Value) int { return int(a.Day - b.Day) }
	slices.SortFunc(r.Except, byDay)
	slices.SortFunc(r.Extra, byDay)
	return nil
}

// foldSeries makes one recurring event of entries: all dates of one series in a window.
// The error says why that can't be exact.
func foldSeries(entries []Entry, plan string) (e Event, err error) {
	s := entries[0].Series
	no := func(format string, args ...any) error {
		return fmt.Errorf("`%s` can't be one recurring event: %s", s.Title, fmt.Sprintf(format, args...))
	}
	first, last, moved := entries[0].Occurrence.Date.Date, civil.None, 0
	want := map[civil.Date]bool{}
	r := &Recurring{}
	for _, o := range entries {
		d := o.Occurrence
		first, last = min(first, d.Date.Date), max(last, d.Date.Date)
		switch before := entries[0]; {
		case o.At.Kind != before.At.Kind || o.At.Minutes != before.At.Minutes:
			return e, no("its dates have different times, %s and %s", before.At, o.At)
		case o.At.IsRepeated():
			return e, no("%s is in an hour that its zone shows twice", o.At)
		case o.label() != before.label():
			return e, no("its summary differs by date, %q and %q", before.label(), o.label())
		case want[o.At.Day]:
			return e, no("two of its dates fall on %s", o.At.Day)
		}
		if d.MovedTo != d.Date.Date {
			moved++
		}
		if o.Provenance.Uncovered.IsSet() {
			return e, no("its date %s is provisional, others aren't: %s", o.At, o.Provenance.Uncovered.Message())
		}
		want[o.At.Day] = true
		r.Dates = append(r.Dates, o.At)
	}
	if 4*moved > len(entries) {
		return e, no("%d of its %d dates moved, which is more than a quarter", moved, len(entries))
	}
	if len(s.Rules) > 1 {
		return e, no("its rule changes over the years")
	}
	rule, _, why := exportRule(s.Rules[0].Recurrence)
	if rule == nil {
		return e, no("there is no exact RRULE, because %s", why)
	}
	r.Rule = *rule
	r.Rule.Count, r.Rule.Until, r.Rule.UntilDate, r.Rule.UntilUTC = 0, nil, false, false
	when := func(d civil.Date) eval.Value {
		v := entries[0].At
		v.Day = d
		return v
	}
	if err := r.fitRule(civil.Span{First: first, Last: last}, want, when); err != nil {
		return e, no("%v", err)
	}
	e = entries[0].Event(plan)
	e.UID, e.ID, e.Description = s.Name+"@"+plan, "", ""
	e.At, e.Recurring, e.Nominal, e.Tentative = when(first), r, eval.Day(first), false
	return e, nil
}

// FoldAll makes one recurring event of the dates of each series, in place of the first
// of them; milestones stay events of their own.
func FoldAll(entries []Entry, plan func(*Series) string, event func(Entry) Event) (list []Event, err error) {
	dates := map[*Series][]Entry{}
	for _, e := range entries {
		if e.What == "date" {
			dates[e.Series] = append(dates[e.Series], e)
		}
	}
	for _, e := range entries {
		of := dates[e.Series]
		switch {
		case e.What != "date":
			list = append(list, event(e))
		case of[0].Occurrence == e.Occurrence:
			folded, err := foldSeries(of, plan(e.Series))
			if err != nil {
				return nil, err
			}
			like := event(e) // its words may be others
			folded.Summary, folded.Category = like.Summary, like.Category
			list = append(list, folded)
		}
	}
	return list, nil
}
