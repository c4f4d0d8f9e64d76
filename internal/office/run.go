package office

import (
	"fmt"
	"slices"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/plan"
	"yoyaku/internal/report"
)

// Run makes all outputs of plans, and puts them in place together or not at all.
func Run(plans []*plan.Plan, a Asked, tell Tell) ([]*Work, error) {
	var works []*Work
	if err := Known(plans, a.Series, false); err != nil {
		return nil, rows.In("series", err)
	}
	defer func() {
		for _, w := range works {
			w.stage.Drop()
		}
	}()
	for _, p := range plans {
		w, err := New(p, a, tell)
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
				if err := one.Plan.Files.Write(other.path(out)); err != nil {
					return nil, out.Fault(err)
				}
			}
		}
	}
	for _, w := range works {
		if err := w.make(); err != nil {
			if len(works) > 1 {
				err = named(err, w.Plan)
			}
			return nil, err
		}
	}
	if a.By != "" {
		unlock, err := logged(works)
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

// make makes the outputs of the plan, and stages them.
func (w *Work) make() error {
	if err := w.restore(); err != nil {
		return err
	}
	for _, step := range []func() error{w.summarise, w.bounded, w.expect, w.hold, w.outputs, w.strict} {
		if err := step(); err != nil {
			return err
		}
	}
	return nil
}

// summarise counts the dates of each series.
func (w *Work) summarise() error {
	w.Sums = nil
	dates := 0
	for _, s := range w.Series {
		sum, err := schedule.Summarise(s, w.Span, w.Plan.Env.Today)
		if err != nil {
			return fmt.Errorf("series %s: %w", s.Name, err)
		}
		w.Sums = append(w.Sums, sum)
		if dates += sum.Dates; dates > mostDates {
			return w.bounded()
		}
	}
	return nil
}

// How many dates and milestones a plan may have in its window, all its outputs together, one
// agenda, which is sorted in memory, and one calendar file: what is more takes minutes, and
// gigabytes.
const mostDates, mostLines, mostSorted, mostEvents = 2_000_000, 20_000_000, 250_000, 200_000

// boundsError is a plan with more to make than it may have.
type boundsError struct{ error }

// bounded refuses a window in which the plan has more to make than it may.
func (w *Work) bounded() error {
	has := map[*schedule.Series]int{}
	dates, lines := 0, 0
	for _, sum := range w.Sums {
		has[sum.Series] = sum.Dates * (1 + len(sum.Series.Milestones))
		dates += sum.Dates
	}
	over := func(n, most int, format string, args ...any) error {
		if n <= most {
			return nil
		}
		return &boundsError{fmt.Errorf("%s from %s to %s, and at most %d are made; use a narrower window",
			fmt.Sprintf(format, args...), w.Span.First, w.Span.Last, most)}
	}
	if err := over(dates, mostDates, "the plan has over %d dates", dates-1); err != nil {
		return err
	}
	for _, out := range w.Plan.Outputs {
		n := 0
		for _, s := range out.Of {
			n += has[s]
		}
		lines += n
		var err error
		switch {
		case out.Format.Events:
			err = over(n, mostEvents, "%s would have %d events", out.File, n)
		case len(out.Of) > 1:
			err = over(n, mostSorted, "%s would have %d dates and milestones", out.File, n)
		}
		if err != nil {
			return out.Fault(err)
		}
	}
	for _, a := range w.Plan.Apart {
		n, seen := 0, map[*schedule.Series]bool{}
		for _, c := range a.Of {
			if !seen[c.Series] {
				n += has[c.Series]
			}
			seen[c.Series] = true
		}
		if err := over(n, mostSorted, "the series under `apart` have %d dates and milestones", n); err != nil {
			return err
		}
	}
	return over(lines, mostLines, "the outputs would have %d dates and milestones", lines)
}

// expect holds the plan against what it expects, and its days by hand and owners; a
// fail stops the run.
func (w *Work) expect() error {
	found, err := w.expectations()
	if err != nil {
		return err
	}
	wrong := w.Plan.Faults()
	if len(found)+len(wrong) == 0 {
		return nil
	}
	for _, f := range append(slices.Clone(wrong), found...) {
		w.tell.Warn("%s", f)
	}
	if len(wrong) > 0 {
		return &No{Text: phrase.IsAre(len(wrong), "entry") +
			" wrong; nothing was written. Run `yoyaku check` for details"}
	}
	said := phrase.IsAre(len(found), "expectation") + " not met"
	if w.asked.Anyway {
		w.tell.Warn("%s; written anyway", said)
		return nil
	}
	return &No{Text: said + "; nothing was written. Run `yoyaku check` for details, or use --anyway"}
}

// scope are the series that are named; nil for all.
func (w *Work) scope() []*schedule.Series {
	if w.asked.Series == nil {
		return nil
	}
	return w.Series
}

// restore puts what was released in the place of what the plan gives now.
func (w *Work) restore() error {
	if !w.asked.Keep {
		return nil
	}
	kept, err := w.ledger.Restore(w.scope(), w.Span)
	if err != nil {
		return err
	}
	if len(kept) > 0 {
		w.tell.Note("%s kept as released, though the plan now gives others", phrase.IsAre(len(kept), "date"))
	}
	return nil
}

// hold stops where dates aren't as they were released.
func (w *Work) hold() error {
	held, err := w.ledger.Breaches(w.scope(), w.Span)
	if err != nil {
		return err
	}
	if w.asked.Keep { // of a series that is no more, nothing can be put back
		rest := slices.DeleteFunc(slices.Clone(held), func(h schedule.Breach) bool { return w.Plan.Find(h.Series) == nil })
		if gone := len(held) - len(rest); gone > 0 {
			w.tell.Warn("%s of series that are no longer in the plan; they stay in calendar files but not in tables",
				phrase.Counted(gone, "released date"))
		}
		held = rest
	}
	if len(held) == 0 {
		return nil
	}
	return &HeldError{Plan: w.Plan, List: held}
}

// warnings are what may be wrong with the result.
func (w *Work) warnings() (list []string) {
	for _, s := range w.Sums {
		if s.Blank > 0 {
			list = append(list, fmt.Sprintf("%s: %s left out, because the steps after `then` give no date",
				s.Series.Name, phrase.Counted(s.Blank, "nominal date")))
		}
		if s.Provisional > 0 {
			list = append(list, fmt.Sprintf("%s: %s provisional and may move once the calendars know more holidays", s.Series.Name,
				phrase.IsAre(s.Provisional, "date")))
		}
	}
	return append(list, w.Plan.Warnings()...)
}

// strict stops a run that warns, where the plan says so.
func (w *Work) strict() error {
	if !w.Plan.Strict {
		return nil
	}
	warnings := w.warnings()
	for _, l := range w.Lines {
		if l.Note {
			warnings = append(warnings, l.Of+": "+l.Text)
		}
	}
	for _, text := range warnings {
		w.tell.Warn("%s", text)
	}
	if len(warnings) > 0 {
		return &No{Text: "the plan is strict and there are warnings; nothing was written"}
	}
	return nil
}

// Summary is a row for each series of a run, with the plan in front if there are several.
func Summary(works []*Work) (columns []string, lines schedule.Lines) {
	if len(works) == 1 {
		return schedule.SummaryColumns, schedule.LinesOf(works[0].Sums, schedule.Summary.Cells)
	}
	return append([]string{"plan"}, schedule.SummaryColumns...), func(yield func([]eval.Value, error) bool) {
		for _, w := range works {
			for _, s := range w.Sums {
				if !yield(append([]eval.Value{eval.Str(w.Plan.ID)}, s.Cells()...), nil) {
					return
				}
			}
		}
	}
}

// Report says what a run gave besides its series: what became of each output through
// file, and what else there is to know.
func Report(works []*Work, file func(line string), tell Tell) {
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
		for _, l := range w.Lines {
			if l.Note {
				notes = append(notes, of+l.Of+": "+l.Text)
			} else {
				became = append(became, []string{of + l.Of, l.State, l.Count, l.Text})
			}
		}
	}
	for _, line := range report.Aligned(became) {
		file("  " + line)
	}
	for _, text := range notes {
		tell.Note("%s", text)
	}
	for _, w := range works {
		for _, text := range w.Plan.Remarks {
			tell.Note("%s", text)
		}
		if w.Cut > 0 {
			tell.Warn("the window cuts %s: a date or milestone outside it is left out",
				phrase.Counted(w.Cut, "occurrence"))
		}
		for _, text := range w.warnings() {
			once.Warn("%s", text)
		}
	}
}
