package cli

import (
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/declare"
	"yoyaku/internal/office"
	"yoyaku/internal/question"
	"yoyaku/internal/report"
)

// keepOption is that of commands that hand dates on.
func keepOption(keep *bool) *declare.Key {
	return &declare.Key{Name: "keep-released", Takes: declare.Yes.Into(keep),
		Help: "keep released dates as they were, even if the plan now gives\nothers"}
}

// tellHeld lists dates that aren't as they were released, in the dress of a result; the
// answer is no.
func (a *App) tellHeld(out *output, held *office.HeldError) error {
	to := output{app: a, formats: report.Names(false)}
	if out != nil {
		to = *out
	}
	to.shape = &question.Shape{}
	if err := a.lines(&to, held.Plan, schedule.BreachColumns, schedule.LinesOf(held.List, schedule.Breach.Cells)); err != nil {
		return err
	}
	return held
}
