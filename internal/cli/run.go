package cli

import (
	"errors"
	"fmt"

	"github.com/spf13/cobra"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/declare"
	"yoyaku/internal/plan"
	"yoyaku/internal/render"
	"yoyaku/internal/workflow"
)

// planRun is plans being run.
type planRun struct {
	app      *App
	out      output // of the report
	request  workflow.Request
	combined bool // what became of each file is part of the result
}

func (a *App) newRun() *planRun {
	return &planRun{app: a, out: output{app: a, shape: &ask.Shape{}, formats: render.FormatNames(false)}}
}

func (a *App) runCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "run [PLAN …]",
		Short: "Make every schedule and output of a plan",
		Long: `Make all outputs of a plan (yoyaku.yaml in this folder unless named) and print one line
per series and per file. Either all files are replaced, or none is. With --by, the run is
also recorded in yoyaku-log.jsonl beside the plan: the files read and written, with their
hashes, and each date that moved.`,
		Example: `  yoyaku run
  yoyaku run --window 2027-H1 --out half
  yoyaku run --by "A. Gull" --note "pay calendar sent out"
  yoyaku run --series crew-pay,safety-drill`,
	}
	s := a.settings(c, false)
	r := a.newRun()
	options := addCommandFlags(c, []*declare.Key{
		{Name: "window", Help: "use `SPAN` instead of the plan's window", Value: declare.Text.Into(&r.request.Window)},
		{Name: "out", Help: "write the outputs to `FOLDER` (default: the plan's folder)", Value: declare.Text.Into(&r.request.Folder)},
		{Name: "series", Completion: "series", Placeholder: "NAMES", Help: "compute only these series; files they share with others keep the\nothers' dates", Value: declare.Text.List(&r.request.Series)},
		{Name: "anyway", Help: "write the outputs even if an expectation isn't met", Value: declare.Bool.Into(&r.request.IgnoreExpectations)},
		keepReleasedOption(&r.request.KeepReleased),
		{Name: "by", Help: "add a line to the plan's log: `NAME` is who runs it", Value: declare.Text.Into(&r.request.By)},
		{Name: "note", Requires: []string{"by"}, Help: "add `TEXT` to that line", Value: declare.Text.Into(&r.request.Note)},
	}, []*declare.Key{r.out.formatOption(), r.out.colorOption()})
	s.completeOptions(c, options, nil)
	c.RunE = func(_ *cobra.Command, args []string) error {
		defer workflow.LimitGarbage()()
		if err := checkOptions(options, eval.Env{}); err != nil {
			return err
		}
		s.files = nil // the log of each says what that one read
		s.hash = r.request.By != ""
		plans, err := s.plans(args, "run")
		if err != nil {
			return err
		}
		return r.execute(plans...)
	}
	return c
}

// execute makes all outputs of plans and reports on their series.
func (r *planRun) execute(plans ...*plan.Plan) error {
	for _, p := range plans {
		if err := p.Files.SetStdout(r.app.Out); err != nil { // the report
			return err
		}
	}
	sessions, err := workflow.Run(plans, r.request, r.app.reporter())
	if breach := (*workflow.BreachError)(nil); errors.As(err, &breach) {
		return r.app.reportBreaches(&r.out, breach)
	}
	if err == nil {
		err = r.report(sessions)
	}
	if err != nil {
		return err
	}
	file := r.app.printStderr
	if _, terminal := r.app.terminalWidth(); terminal && !r.combined {
		file("")
	}
	if r.combined { // for a reader, not for a program
		fmt.Fprint(r.app.stdout, "\nIts files:\n")
		file = func(line string) { fmt.Fprintln(r.app.stdout, render.CleanLines(line)) }
	}
	workflow.Report(sessions, file, r.app.reporter())
	return nil
}

// report prints a line for each series.
func (r *planRun) report(sessions []*workflow.Session) error {
	first := sessions[0].Plan
	format, look, err := r.out.renderOptions(first)
	if err != nil {
		return err
	}
	sink, err := format.OpenRows(r.app.Out, look)
	if err != nil {
		return err
	}
	columns, lines := workflow.Summary(sessions)
	return rows.Result{Sink: sink}.FillLines(columns, first.Env, lines)
}
