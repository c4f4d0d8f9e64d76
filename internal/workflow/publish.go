package workflow

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

// NewPublishSession settles what of a plan is published: what it says, or what of that is asked
// for by name; ok is false if the names are all those of other plans.
func NewPublishSession(p *plan.Plan, plans []*plan.Plan, a Request, tell Reporter) (w *Session, ok bool, err error) {
	if p.ID == "yoyaku" {
		return nil, false, fmt.Errorf(
			"%s has no `id`, which identifies its events for good. Add one, such as id: crew-office", p.Path)
	}
	if len(plans) > 1 && a.Series != nil {
		a.Series = slices.DeleteFunc(slices.Clone(a.Series),
			func(name string) bool { return CheckNames([]*plan.Plan{p}, []string{name}, true) != nil })
		if len(a.Series) == 0 {
			return nil, false, nil
		}
	}
	a.IgnoreExpectations = false
	w = newBareSession(p, a, tell)
	w.onNote = func(_, text string) { tell.Note("%s", text) }
	return w, true, w.selectPublished()
}

// selectPublished picks the series and records that are published.
func (w *Session) selectPublished() (err error) {
	pub := w.Plan.Publish
	w.Series, w.records = pub.Series, pub.Records
	if w.request.Series != nil {
		w.Series, w.records = nil, nil
	}
	for _, name := range w.request.Series {
		series, records := selectNamed(w.Plan, []string{name})
		before := len(series) + len(records)
		series = slices.DeleteFunc(series, func(s *schedule.Series) bool { return !slices.Contains(pub.Series, s) })
		records = slices.DeleteFunc(records, func(r *plan.Record) bool { return !slices.Contains(pub.Records, r) })
		if len(series)+len(records) == 0 {
			if before == 0 {
				return rows.WrapOption("series", CheckNames([]*plan.Plan{w.Plan}, []string{name}, true))
			}
			return rows.WrapOption("series", fmt.Errorf("the plan doesn't publish `%s`; see publish: {of: …}", name))
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

// Desired is what the plan wants on a server.
func (w *Session) Desired() (want publish.Desired, err error) {
	for _, step := range []func() error{w.restoreReleased, w.checkExpectations, w.checkBreaches} {
		if err := step(); err != nil {
			return want, err
		}
	}
	whole := w.Plan.Publish.WholeOccurrences
	events, err := planListing{series: w.Series, records: w.records, window: w.Span, overdue: w.Span.First,
		wholeOccurrences: whole}.events(w.recordMaker, w.workspace(""))
	if err != nil {
		return want, err
	}
	want = publish.Desired{Plan: w.Plan.ID, Calendar: ical.Calendar{Zone: w.Plan.Zone, DTSTAMP: w.Plan.Env.Today},
		Events: events, Today: w.Plan.Env.Today,
		Scope: w.scopeOf(w.Series, whole)}
	lost := want.IsExcluded
	want.IsExcluded = func(name string) bool { return lost(name) || w.request.Series != nil && !w.includes(name, events) }
	if doubts := want.Calendar.Warnings(want.Calendar.SkippedTimes(events)); doubts != "" {
		w.reporter.Warn("%s", doubts)
	}
	return want, nil
}

// includes reports whether events of a name are among what is asked for.
func (w *Session) includes(name string, events []schedule.Event) bool {
	return containsSeries(w.Series, name) || slices.ContainsFunc(events, func(e schedule.Event) bool { return e.Series == name }) ||
		slices.ContainsFunc(w.request.Series, func(n string) bool { return phrase.NamesEqual(n, name) })
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
