package cli

import (
	"github.com/spf13/cobra"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/declare"
	"yoyaku/internal/files"
	"yoyaku/internal/plan"
	"yoyaku/internal/render"
	"yoyaku/internal/workflow"
)

func (a *App) aheadCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "ahead [PLAN …|SERIES …]",
		Short: "What comes up next",
		Long: `List what comes up in a plan, by date: dates and milestones of its series and events of
its records, for the next 30 days. Overdue dates of records come first.`,
		Example: `  yoyaku ahead
  yoyaku ahead --within "3 months"
  yoyaku ahead crew-pay fuel-duty --window 2027-Q2
  yoyaku ahead --owner ansa --as-of 2027-04-20
  yoyaku ahead --window 2027-Q2 --where "series = 'crew-contracts'"`,
	}
	s := a.settings(c, false)
	var next workflow.AheadRequest
	var shape ask.Shape
	out := output{app: a, shape: &shape, formats: render.FormatNames(true), groupBy: "left"}
	options := addCommandFlags(c, []*declare.Key{
		{Name: "within", Default: "30 days", Conflicts: []string{"window"}, Help: "look `STRETCH` ahead of today, such as \"3 months\"", Value: declare.Amount.Into(&next.Within)},
		{Name: "window", Help: "list `SPAN` instead of --within, such as 2027-Q2", Value: declare.Span.Into(&next.Window)},
		{Name: "owner", Help: "only the tasks of `NAME`, one of the plan's people", Value: declare.Text.Into(&next.Owner)},
		{Name: "overdue", Default: "90 days", Placeholder: "STRETCH", Help: "how far back to look for overdue dates of records, such as\n\"1 year\"", Value: declare.Amount.Into(&next.Overdue)},
	}, out.optionsAround(&shape))
	s.completeOptions(c, options, nil)
	c.RunE = func(_ *cobra.Command, args []string) error {
		defer workflow.LimitGarbage()()
		var paths []string
		for len(args) > 0 && plan.IsPlanName(args[0]) {
			paths, args = append(paths, args[0]), args[1:]
		}
		plans, err := s.plans(paths, "ahead")
		if err != nil {
			return err
		}
		if err := checkOptions(options, plans[0].Env); err != nil {
			return err
		}
		next.Names = args
		coming, err := workflow.Ahead(plans, next, a.reporter())
		if err != nil {
			return err
		}
		if err := a.reportAhead(plans[0], coming, &out); err != nil {
			return err
		}
		a.reporter().Once().Warnings(plans...)
		return nil
	}
	return c
}

// reportAhead writes what comes up.
func (a *App) reportAhead(p *plan.Plan, coming *workflow.AheadResult, out *output) error {
	out.calendarTitle, out.highlight = p.Title, coming.Highlight()
	var stage files.Stage
	defer stage.Discard()
	err := a.writeResult(out, p, &stage, func(to render.Writer) error {
		result := out.result(to.Rows)
		if to.Events == nil {
			return result.FillLines(coming.Columns, p.Env, schedule.LinesOf(coming.Events, coming.Row))
		}
		return out.updateOptions().Run(p, &stage, to.Events, a.reporter(), func() error {
			kept, err := rows.FilterList(result, coming.Events, coming.Columns, p.Env, coming.Row)
			if err != nil {
				return err
			}
			return to.Events.Events(kept)
		})
	})
	if err == nil && len(coming.Events) == 0 {
		a.note("nothing comes up from %s to %s", coming.Window.First, coming.Window.Last)
	}
	return err
}
