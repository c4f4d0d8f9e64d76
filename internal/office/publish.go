package office

import (
	"fmt"
	"slices"

	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/ical"
	"yoyaku/internal/plan"
	"yoyaku/internal/publish"
)

// Publishing settles what of a plan is published: what it says, or what of that is asked
// for by name; ok is false if the names are all those of other plans.
func Publishing(p *plan.Plan, plans []*plan.Plan, a Asked, tell Tell) (w *Work, ok bool, err error) {
	if p.ID == "yoyaku" {
		return nil, false, fmt.Errorf(
			"%s has no `id`, which identifies its events for good. Add one, such as id: crew-office", p.Path)
	}
	if len(plans) > 1 && a.Series != nil {
		a.Series = slices.DeleteFunc(slices.Clone(a.Series),
			func(name string) bool { return Known([]*plan.Plan{p}, []string{name}, true) != nil })
		if len(a.Series) == 0 {
			return nil, false, nil
		}
	}
	a.Anyway = false
	w = begin(p, a, tell)
	w.noted = func(_, text string) { tell.Note("%s", text) }
	return w, true, w.narrow()
}

// narrow picks the series and records that are published.
func (w *Work) narrow() (err error) {
	pub := w.Plan.Publish
	w.Series, w.records = pub.Series, pub.Records
	if w.asked.Series != nil {
		w.Series, w.records = nil, nil
	}
	for _, name := range w.asked.Series {
		series, records := pick(w.Plan, []string{name})
		before := len(series) + len(records)
		series = slices.DeleteFunc(series, func(s *schedule.Series) bool { return !slices.Contains(pub.Series, s) })
		records = slices.DeleteFunc(records, func(r *plan.Record) bool { return !slices.Contains(pub.Records, r) })
		if len(series)+len(records) == 0 {
			if before == 0 {
				return rows.In("series", Known([]*plan.Plan{w.Plan}, []string{name}, true))
			}
			return rows.In("series", fmt.Errorf("the plan doesn't publish `%s`; see publish: {of: …}", name))
		}
		for _, s := range series {
			if !slices.Contains(w.Series, s) {
				w.Series = append(w.Series, s)
			}
		}
		w.records = append(w.records, records...)
	}
	w.Span, err = w.window()
	return err
}

// Wanted is what the plan wants on a server.
func (w *Work) Wanted() (want publish.Wanted, err error) {
	for _, step := range []func() error{w.restore, w.expect, w.hold} {
		if err := step(); err != nil {
			return want, err
		}
	}
	whole := w.Plan.Publish.Whole
	events, err := listing{series: w.Series, records: w.records, window: w.Span, overdue: w.Span.First,
		whole: whole}.events(w.Plan, w.placeOf(""))
	if err != nil {
		return want, err
	}
	want = publish.Wanted{Plan: w.Plan.ID, Calendar: ical.Calendar{Zone: w.Plan.Zone, Stamp: w.Plan.Env.Today},
		Events: events, Today: w.Plan.Env.Today,
		Scope: w.scopeOf(w.Series, whole)}
	lost := want.Left
	want.Left = func(name string) bool { return lost(name) || w.asked.Series != nil && !w.asksFor(name, events) }
	if doubts := want.Calendar.Doubts(want.Calendar.Skipped(events)); doubts != "" {
		w.tell.Warn("%s", doubts)
	}
	return want, nil
}

// asksFor reports whether events of a name are among what is asked for.
func (w *Work) asksFor(name string, events []schedule.Event) bool {
	return has(w.Series, name) || slices.ContainsFunc(events, func(e schedule.Event) bool { return e.Series == name }) ||
		slices.ContainsFunc(w.asked.Series, func(n string) bool { return phrase.SameName(n, name) })
}

// Collection is the name of the calendar on the server, and whether somebody gave it one;
// asked goes before that of the plan.
func Collection(p *plan.Plan, asked string) (name string, given bool) {
	for _, name := range []string{asked, p.Publish.Collection} {
		if name != "" {
			return name, true
		}
	}
	return p.ID, false
}
