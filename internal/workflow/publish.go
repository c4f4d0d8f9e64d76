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
func NewPublishSession(p *plan.Plan, plans []*plan.Plan, a Request, reporter Reporter) (s *Session, ok bool, err error) {
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
	s = newBareSession(p, a, reporter)
	s.onNote = func(_, text string) { reporter.Note("%s", text) }
	return s, true, s.selectPublished()
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
func (s *Session) Desired() (want publish.Desired, err error) {
	for _, step := range []func() error{s.restoreReleased, s.checkExpectations, s.checkBreaches} {
		if err := step(); err != nil {
			return want, err
		}
	}
	whole := s.Plan.Publish.WholeOccurrences
	events, err := planListing{series: s.Series, records: s.records, window: s.Span, overdue: s.Span.First,
		wholeOccurrences: whole}.events(s.recordMaker, s.workspace(""))
	if err != nil {
		return want, err
	}
	want = publish.Desired{Plan: s.Plan.ID, Calendar: ical.Calendar{Zone: s.Plan.Zone, DTSTAMP: s.Plan.Env.Today},
		Events: events, Today: s.Plan.Env.Today,
		Scope: s.scopeOf(s.Series, whole)}
	lost := want.IsExcluded
	want.IsExcluded = func(name string) bool { return lost(name) || s.request.Series != nil && !s.includes(name, events) }
	if doubts := want.Calendar.Warnings(want.Calendar.SkippedTimes(events)); doubts != "" {
		s.reporter.Warn("%s", doubts)
	}
	return want, nil
}

// includes reports whether events of a name are among what is asked for.
func (s *Session) includes(name string, events []schedule.Event) bool {
	return containsSeries(s.Series, name) || slices.ContainsFunc(events, func(e schedule.Event) bool { return e.Series == name }) ||
		slices.ContainsFunc(s.request.Series, func(n string) bool { return phrase.NamesEqual(n, name) })
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
