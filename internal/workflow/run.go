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
func Run(plans []*plan.Plan, a Request, tell Reporter) ([]*Session, error) {
	var works []*Session
	if err := CheckNames(plans, a.Series, false); err != nil {
		return nil, rows.WrapOption("series", err)
	}
	defer func() {
		for _, w := range works {
			w.stage.Discard()
		}
	}()
	for _, p := range plans {
		w, err := newSession(p, a, tell)
		if err != nil {
			return nil, err
		}
		works = append(works, w)
	}
	for _, one := range works { // what the others write is none of its files
		for _, other := range works {
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
	for _, w := range works {
		if err := w.run(); err != nil {
			if len(works) > 1 {
				err = withPlanName(err, w.Plan)
			}
			return nil, err
		}
	}
	if a.By != "" {
		unlock, err := appendLogs(works)
		defer unlock()
		if err != nil {
			return nil, err
		}
	}
	for _, w := range works {
		if err := w.stage.Commit(); err != nil {
			return nil, err
		}
	}
	return works, nil
}

// run makes the outputs of the plan, and stages them.
func (w *Session) run() error {
	if err := w.restoreReleased(); err != nil {
		return err
	}
	for _, step := range []func() error{w.summarise, w.checkLimits, w.checkExpectations, w.checkBreaches, w.buildOutputs, w.checkStrict} {
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
func (w *Session) checkExpectations() error {
	found, err := w.expectationFindings()
	if err != nil {
		return err
	}
	wrong := w.Plan.DeferredFaults()
	if len(found)+len(wrong) == 0 {
		return nil
	}
	for _, f := range append(slices.Clone(wrong), found...) {
		w.reporter.Warn("%s", f)
	}
	if len(wrong) > 0 {
		return &NegativeError{Text: phrase.CountIs(len(wrong), "entry") +
			" wrong; nothing was written. Run `yoyaku check` for details"}
	}
	said := phrase.CountIs(len(found), "expectation") + " not met"
	if w.request.IgnoreExpectations {
		w.reporter.Warn("%s; written anyway", said)
		return nil
	}
	return &NegativeError{Text: said + "; nothing was written. Run `yoyaku check` for details, or use --anyway"}
}

// requestedSeries are the series that are named; nil for all.
func (w *Session) requestedSeries() []*schedule.Series {
	if w.request.Series == nil {
		return nil
	}
	return w.Series
}

// restoreReleased puts what was released in the place of what the plan gives now.
func (w *Session) restoreReleased() error {
	if !w.request.KeepReleased {
		return nil
	}
	kept, err := w.ledger.restore(w.requestedSeries(), w.Span)
	if err != nil {
		return err
	}
	if len(kept) > 0 {
		w.reporter.Note("%s kept as released, though the plan now gives others", phrase.CountIs(len(kept), "date"))
	}
	return nil
}

// checkBreaches stops where dates aren't as they were released.
func (w *Session) checkBreaches() error {
	held, err := w.ledger.Breaches(w.requestedSeries(), w.Span)
	if err != nil {
		return err
	}
	if w.request.KeepReleased { // of a series that is no more, nothing can be put back
		rest := slices.DeleteFunc(slices.Clone(held), func(h schedule.Breach) bool { return w.Plan.FindSeries(h.Series) == nil })
		if gone := len(held) - len(rest); gone > 0 {
			w.reporter.Warn("%s of series that are no longer in the plan; they stay in calendar files but not in tables",
				phrase.Plural(gone, "released date"))
		}
		held = rest
	}
	if len(held) == 0 {
		return nil
	}
	return &BreachError{Plan: w.Plan, Breaches: held}
}

// warnings are what may be wrong with the result.
func (w *Session) warnings() (list []string) {
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
	return append(list, w.Plan.Warnings()...)
}

// checkStrict stops a run that warns, where the plan says so.
func (w *Session) checkStrict() error {
	if !w.Plan.Strict {
		return nil
	}
	warnings := w.warnings()
	for _, l := range w.Results {
		if l.Note {
			warnings = append(warnings, l.Output+": "+l.Text)
		}
	}
	for _, text := range warnings {
		w.reporter.Warn("%s", text)
	}
	if len(warnings) > 0 {
		return &NegativeError{Text: "the plan is strict and there are warnings; nothing was written"}
	}
	return nil
}

// Summary is a row for each series of a run, with the plan in front if there are several.
func Summary(works []*Session) (columns []string, lines schedule.Lines) {
	if len(works) == 1 {
		return schedule.SummaryColumns, schedule.LinesOf(works[0].Summaries, schedule.Summary.Cells)
	}
	return append([]string{"plan"}, schedule.SummaryColumns...), func(yield func([]eval.Value, error) bool) {
		for _, w := range works {
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
func Report(works []*Session, file func(line string), tell Reporter) {
	once := tell.Once()
	var became [][]string
	var notes []string
	for _, w := range works {
		of := ""
		if len(works) > 1 {
			of = w.Plan.ID + " "
		}
		if len(w.Plan.Outputs) == 0 {
			notes = append(notes, fmt.Sprintf("%s has no `outputs`, so nothing was written", w.Plan.Path))
		}
		for _, l := range w.Results {
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
		tell.Note("%s", text)
	}
	for _, w := range works {
		for _, text := range w.Plan.Notes {
			tell.Note("%s", text)
		}
		if w.CutOccurrences > 0 {
			tell.Warn("the window cuts %s: a date or milestone outside it is left out",
				phrase.Plural(w.CutOccurrences, "occurrence"))
		}
		for _, text := range w.warnings() {
			once.Warn("%s", text)
		}
	}
}
