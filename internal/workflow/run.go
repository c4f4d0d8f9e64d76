package workflow

import (
	"fmt"
	"slices"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/plan"
	"yoyaku/internal/render"
)

// Run makes all outputs of plans, and puts them in place together or not at all.
func Run(plans []*plan.Plan, a Request, reporter Reporter) ([]*Session, error) {
	var sessions []*Session
	if err := CheckNames(plans, a.Series, false); err != nil {
		return nil, rows.WrapOption("series", err)
	}
	defer func() {
		for _, s := range sessions {
			s.stage.Discard()
		}
	}()
	for _, p := range plans {
		s, err := newSession(p, a, reporter)
		if err != nil {
			return nil, err
		}
		sessions = append(sessions, s)
	}
	for _, one := range sessions { // what the others write is none of its files
		for _, other := range sessions {
			for _, out := range other.Plan.Outputs {
				if one == other {
					continue
				}
				if err := one.Plan.Files.AddOutput(other.path(out)); err != nil {
					return nil, out.WrapError(err)
				}
			}
		}
	}
	for _, s := range sessions {
		if err := s.run(); err != nil {
			if len(sessions) > 1 {
				err = withPlanName(err, s.Plan)
			}
			return nil, err
		}
	}
	if a.By != "" {
		unlock, err := appendLogs(sessions)
		defer unlock()
		if err != nil {
			return nil, err
		}
	}
	for _, s := range sessions {
		if err := s.stage.Commit(); err != nil {
			return nil, err
		}
	}
	return sessions, nil
}

// run makes the outputs of the plan, and stages them.
func (s *Session) run() error {
	if err := s.restoreReleased(); err != nil {
		return err
	}
	for _, step := range []func() error{s.summarise, s.checkLimits, s.checkExpectations, s.checkBreaches, s.buildOutputs, s.checkStrict} {
		if err := step(); err != nil {
			return err
		}
	}
	return nil
}

// summarise counts the dates of each series.
func (w *Session) summarise() error {
	w.Summaries = nil
	dates := 0
	for _, s := range w.Series {
		sum, err := schedule.Summarise(s, w.Span, w.Plan.Env.Today)
		if err != nil {
			return fmt.Errorf("series %s: %w", s.Name, err)
		}
		w.Summaries = append(w.Summaries, sum)
		if dates += sum.Dates; dates > maxDates {
			return w.checkLimits()
		}
	}
	return nil
}

// How many dates and milestones a plan may have in its window, all its outputs together, one
// agenda, which is sorted in memory, and one calendar file: what is more takes minutes, and
// gigabytes.
const maxDates, maxLines, maxSorted, maxEvents = 2_000_000, 20_000_000, 250_000, 200_000

// limitError is a plan with more to make than it may have.
type limitError struct{ error }

// checkLimits refuses a window in which the plan has more to make than it may.
func (w *Session) checkLimits() error {
	has := map[*schedule.Series]int{}
	dates, lines := 0, 0
	for _, sum := range w.Summaries {
		has[sum.Series] = sum.Dates * (1 + len(sum.Series.Milestones))
		dates += sum.Dates
	}
	over := func(n, most int, format string, args ...any) error {
		if n <= most {
			return nil
		}
		return &limitError{fmt.Errorf("%s from %s to %s, and at most %d are made; use a narrower window",
			fmt.Sprintf(format, args...), w.Span.First, w.Span.Last, most)}
	}
	if err := over(dates, maxDates, "the plan has over %d dates", dates-1); err != nil {
		return err
	}
	for _, out := range w.Plan.Outputs {
		n := 0
		for _, s := range out.Series {
			n += has[s]
		}
		lines += n
		var err error
		switch {
		case out.Format.HoldsEvents():
			err = over(n, maxEvents, "%s would have %d events", out.File, n)
		case len(out.Series) > 1:
			err = over(n, maxSorted, "%s would have %d dates and milestones", out.File, n)
		}
		if err != nil {
			return out.WrapError(err)
		}
	}
	for _, a := range w.Plan.Separations {
		n, seen := 0, map[*schedule.Series]bool{}
		for _, c := range a.Columns {
			if !seen[c.Series] {
				n += has[c.Series]
			}
			seen[c.Series] = true
		}
		if err := over(n, maxSorted, "the series under `apart` have %d dates and milestones", n); err != nil {
			return err
		}
	}
	return over(lines, maxLines, "the outputs would have %d dates and milestones", lines)
}

// checkExpectations holds the plan against what it expects, and its days by hand and owners; a
// fail stops the run.
func (s *Session) checkExpectations() error {
	found, err := s.expectationFindings()
	if err != nil {
		return err
	}
	wrong := s.Plan.DeferredFaults()
	if len(found)+len(wrong) == 0 {
		return nil
	}
	for _, f := range append(slices.Clone(wrong), found...) {
		s.reporter.Warn("%s", f)
	}
	if len(wrong) > 0 {
		return &NegativeError{Text: phrase.CountIs(len(wrong), "entry") +
			" wrong; nothing was written. Run `yoyaku check` for details"}
	}
	said := phrase.CountIs(len(found), "expectation") + " not met"
	if s.request.IgnoreExpectations {
		s.reporter.Warn("%s; written anyway", said)
		return nil
	}
	return &NegativeError{Text: said + "; nothing was written. Run `yoyaku check` for details, or use --anyway"}
}

// requestedSeries are the series that are named; nil for all.
func (s *Session) requestedSeries() []*schedule.Series {
	if s.request.Series == nil {
		return nil
	}
	return s.Series
}

// restoreReleased puts what was released in the place of what the plan gives now.
func (s *Session) restoreReleased() error {
	if !s.request.KeepReleased {
		return nil
	}
	kept, err := s.ledger.restore(s.requestedSeries(), s.Span)
	if err != nil {
		return err
	}
	if len(kept) > 0 {
		s.reporter.Note("%s kept as released, though the plan now gives others", phrase.CountIs(len(kept), "date"))
	}
	return nil
}

// checkBreaches stops where dates aren't as they were released.
func (s *Session) checkBreaches() error {
	breaches, err := s.ledger.Breaches(s.requestedSeries(), s.Span)
	if err != nil {
		return err
	}
	if s.request.KeepReleased { // of a series that is no more, nothing can be put back
		rest := slices.DeleteFunc(slices.Clone(breaches), func(h schedule.Breach) bool { return s.Plan.FindSeries(h.Series) == nil })
		if gone := len(breaches) - len(rest); gone > 0 {
			s.reporter.Warn("%s of series that are no longer in the plan; they stay in calendar files but not in tables",
				phrase.Plural(gone, "released date"))
		}
		breaches = rest
	}
	if len(breaches) == 0 {
		return nil
	}
	return &BreachError{Plan: s.Plan, Breaches: breaches}
}

// warnings are what may be wrong with the result.
func (w *Session) warnings() (list []string) {
	return append(w.seriesWarnings(), w.Plan.Warnings()...)
}

// seriesWarnings are those of what the series left out or weren't sure of.
func (w *Session) seriesWarnings() (list []string) {
	for _, s := range w.Summaries {
		if s.Blank > 0 {
			list = append(list, fmt.Sprintf("%s: %s left out, because the steps after `then` give no date",
				s.Series.Name, phrase.Plural(s.Blank, "nominal date")))
		}
		if s.Provisional > 0 {
			list = append(list, fmt.Sprintf("%s: %s provisional and may move once the calendars know more holidays", s.Series.Name,
				phrase.CountIs(s.Provisional, "date")))
		}
	}
	return list
}

// checkStrict stops a run that warns, where the plan says so.
func (s *Session) checkStrict() error {
	if !s.Plan.Strict {
		return nil
	}
	warnings := append(s.seriesWarnings(), s.Plan.StrictWarnings()...)
	for _, l := range s.Results {
		if l.Note {
			warnings = append(warnings, l.Output+": "+l.Text)
		}
	}
	for _, text := range warnings {
		s.reporter.Warn("%s", text)
	}
	if len(warnings) > 0 {
		return &NegativeError{Text: "the plan is strict and there are warnings; nothing was written"}
	}
	return nil
}

// Summary is a row for each series of a run, with the plan in front if there are several.
func Summary(sessions []*Session) (columns []string, lines schedule.Lines) {
	if len(sessions) == 1 {
		return schedule.SummaryColumns, schedule.LinesOf(sessions[0].Summaries, schedule.Summary.Cells)
	}
	return append([]string{"plan"}, schedule.SummaryColumns...), func(yield func([]eval.Value, error) bool) {
		for _, w := range sessions {
			for _, s := range w.Summaries {
				if !yield(append([]eval.Value{eval.Str(w.Plan.ID)}, s.Cells()...), nil) {
					return
				}
			}
		}
	}
}

// Report says what a run gave besides its series: what became of each output through
// file, and what else there is to know.
func Report(sessions []*Session, file func(line string), reporter Reporter) {
	once := reporter.Once()
	var became [][]string
	var notes []string
	for _, s := range sessions {
		of := ""
		if len(sessions) > 1 {
			of = s.Plan.ID + " "
		}
		if len(s.Plan.Outputs) == 0 {
			notes = append(notes, fmt.Sprintf("%s has no `outputs`, so nothing was written", s.Plan.Path))
		}
		for _, l := range s.Results {
			if l.Note {
				notes = append(notes, of+l.Output+": "+l.Text)
			} else {
				became = append(became, []string{of + l.Output, l.State, l.Count, l.Text})
			}
		}
	}
	for _, line := range render.AlignColumns(became) {
		file("  " + line)
	}
	for _, text := range notes {
		reporter.Note("%s", text)
	}
	for _, s := range sessions {
		for _, text := range s.Plan.Notes {
			reporter.Note("%s", text)
		}
		reporter.titledEvents(s.Plan)
		if s.CutOccurrences > 0 {
			reporter.Warn("the window cuts %s: a date or milestone outside it is left out",
				phrase.Plural(s.CutOccurrences, "occurrence"))
		}
		for _, text := range s.warnings() {
			once.Warn("%s", text)
		}
	}
}
