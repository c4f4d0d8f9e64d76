package cli

import (
	"github.com/spf13/cobra"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/declare"
	"yoyaku/internal/plan"
	"yoyaku/internal/render"
	"yoyaku/internal/workflow"
)

// releaseRun is a plan being released.
type releaseRun struct {
	app   *App
	out   output
	shape ask.Shape
	workflow.ReleaseRequest
}

func (a *App) releaseCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "release [PLAN]",
		Short: "Freeze what has been announced",
		Long: `Check a plan (yoyaku.yaml in this folder unless named), then record the dates and
milestones of its series, from the window's first day through --through, in released.csv
beside it. From then on check, run, publish and calendars of these series stop if a
released date would move or disappear, or a new one would come in between. Releasing again
supersedes the dates that moved; no line of the file is ever removed. Keep the file with
the plan.`,
		Example: `  yoyaku release --through 2027-12-31 --by "A. Gull"
  yoyaku release --through 2027-12-31 --by "A. Gull" --note "pay calendar 2027"
  yoyaku release --through 2027-06-30 --by "A. Gull" --series crew-pay`,
		Args: argCount(0, 1, ""),
	}
	s := a.settings(c, false)
	r := &releaseRun{app: a}
	r.out = output{app: a, shape: &r.shape, formats: render.FormatNames(false)}
	options := addCommandFlags(c, []*declare.Key{
		{Name: "through", Required: true, Example: "2027-12-31", Help: "release dates through `DAY`, which lies in the window", Value: declare.Date.Into(&r.Through)},
		{Name: "by", Required: true, Example: `"A. Gull"`, Help: "who releases them: `NAME` is kept in the file", Value: declare.Text.Into(&r.By)},
		{Name: "note", Help: "keep `TEXT` with the release", Value: declare.Text.Into(&r.Note)},
		{Name: "series", Completion: "series", Placeholder: "NAMES", Help: "release only these series; also one that the plan no longer has", Value: declare.Text.List(&r.Series)},
		{Name: "provisional", Help: "also release provisional dates, for which a calendar knows no\nholidays yet", Value: declare.Bool.Into(&r.AllowProvisional)},
		{Name: "window", Help: "use `SPAN` instead of the plan's window", Value: declare.Text.Into(&r.Window)},
	}, r.out.optionsAround(&r.shape))
	s.completeOptions(c, options, nil)
	c.RunE = func(_ *cobra.Command, args []string) error {
		if err := s.planArgument(args, "release"); err != nil {
			return err
		}
		if err := checkOptions(options, eval.Env{}); err != nil {
			return err
		}
		list, p, err := a.findings(s, r.Window, false)
		if err != nil {
			return err
		}
		workflow.PromoteNotes(list, false, p.Strict)
		if fails, _ := workflow.CountFindings(list); fails > 0 {
			return a.reportFindings(list, &r.out, s.files)
		}
		unlock, err := workflow.Lock(p, a.reporter()) // before the file is read that is written again
		if err != nil {
			return err
		}
		defer unlock()
		if p, err = s.load(); err != nil { // afresh: what checking asked is not told twice
			return err
		}
		return r.release(p)
	}
	return c
}

// release works out what is released, says it and writes it.
func (r *releaseRun) release(p *plan.Plan) error {
	released, err := workflow.Release(p, r.ReleaseRequest, r.app.reporter())
	if err != nil {
		return err
	}
	if err := r.app.writeLines(&r.out, p, schedule.ChangeColumns, schedule.LinesOf(released.Changes, schedule.Breach.ChangeCells)); err != nil {
		return err
	}
	if err := released.Write(); err != nil {
		return err
	}
	r.app.printStderr(released.String())
	r.app.reporter().Once().Warnings(p)
	return nil
}
