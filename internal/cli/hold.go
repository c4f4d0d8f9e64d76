package cli

import (
	"fmt"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/plan"
	"yoyaku/internal/question"
	"yoyaku/internal/report"
)

// keepOption is that of commands that hand dates on.
func (r *run) keepOption() *question.Option {
	return &question.Option{Name: "keep-released", Kind: question.Yes, Into: &r.keep,
		Help: "dates that were released stay as they were, whatever the\nplan gives now"}
}

// scope are the series that --series names; nil for all.
func (r *run) scope() []*schedule.Series {
	if r.only == nil {
		return nil
	}
	return r.series
}

// keepReleased puts what was released in the place of what the plan gives now.
func (r *run) keepReleased() error {
	if !r.keep {
		return nil
	}
	kept, err := r.plan.Keep(r.scope(), r.span)
	if err != nil {
		return err
	}
	if len(kept) > 0 {
		r.app.note("%s as released, which the plan now gives otherwise.", phrase.IsAre(len(kept), "date"))
	}
	return nil
}

// hold stops where dates aren't as they were released.
func (r *run) hold() error {
	held, err := r.plan.Hold(r.scope(), r.span)
	if err != nil {
		return err
	}
	if r.keep { // of a series that is no more, nothing can be put back
		rest := held[:0]
		for _, h := range held {
			if r.plan.Find(h.Series) != nil {
				rest = append(rest, h)
			}
		}
		if gone := len(held) - len(rest); gone > 0 {
			r.app.warn("%s of series that the plan no longer has: they stay in calendars, and aren't in tables", phrase.Several(gone, "released date"))
		}
		held = rest
	}
	if len(held) == 0 {
		return nil
	}
	return r.app.tellHeld(&r.out, r.plan, held)
}

// tellHeld lists dates that aren't as they were released; the answer is no.
func (a *App) tellHeld(out *output, p *plan.Plan, held []schedule.Held) error {
	if out == nil {
		out = &output{app: a, shape: &question.Shape{}, formats: report.Names(false)}
	}
	to := *out
	to.shape = &question.Shape{}
	err := a.lines(&to, p, schedule.HeldColumns, func(yield func([]eval.Value, error) bool) {
		for _, h := range held {
			if !yield(h.Cells(), nil) {
				return
			}
		}
	})
	if err != nil {
		return err
	}
	return &answerNo{fmt.Sprintf("yoyaku: %s not as released, so nothing is written. Release the dates again (yoyaku release), keep the\nreleased ones (--keep-released), or say under `instead` of the plan why a date is another.", phrase.IsAre(len(held), "date"))}
}

// warnHeld tells how many dates of a plan aren't as they were released.
func (a *App) warnHeld(p *plan.Plan, series []*schedule.Series, window civil.Span) error {
	held, err := p.Hold(series, window)
	if len(held) > 0 {
		a.warn("%s not as released; yoyaku check tells which", phrase.IsAre(len(held), "date"))
	}
	return err
}
