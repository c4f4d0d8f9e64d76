package cli

import (
	"yoyaku/internal/ask"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/declare"
	"yoyaku/internal/render"
	"yoyaku/internal/workflow"
)

// keepReleasedOption is that of commands that hand dates on.
func keepReleasedOption(keep *bool) *declare.Key {
	return &declare.Key{Name: "keep-released", Value: declare.Bool.Into(keep),
		Help: "keep released dates as they were, even if the plan now gives\nothers"}
}

// reportBreaches lists dates that aren't as they were released, in the dress of a result; the
// answer is no.
func (a *App) reportBreaches(out *output, breach *workflow.BreachError) error {
	to := output{app: a, formats: render.FormatNames(false)}
	if out != nil {
		to = *out
	}
	to.shape = &ask.Shape{}
	if err := a.writeLines(&to, breach.Plan, schedule.BreachColumns, schedule.LinesOf(breach.Breaches, schedule.Breach.Cells)); err != nil {
		return err
	}
	return breach
}
