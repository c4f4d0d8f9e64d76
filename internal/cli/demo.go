package cli

import (
	"fmt"
	"path/filepath"

	"github.com/spf13/cobra"

	"yoyaku/demo"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/declare"
	"yoyaku/internal/plan"
	"yoyaku/internal/render"
	"yoyaku/internal/workflow"
)

func (a *App) demoCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "demo [FOLDER]",
		Short: "Write the demo folder and run it whole",
		Long: `Write the demo of Skerry Line, an invented ferry co-operative, to a new folder
(skerry-demo unless named), run its plan, and show what to try next.`,
		Example: `  yoyaku demo
  yoyaku demo trial
  yoyaku demo --as csv trial`,
		Args: argCount(0, 1, ""),
	}
	s := a.settings(c, false)
	r := a.newRun()
	options := []*declare.Key{r.out.formatOption(), r.out.colorOption()}
	addFlags(c, groupResult, options)
	s.completeOptions(c, options, nil)
	c.RunE = func(_ *cobra.Command, args []string) error {
		defer workflow.LimitGarbage()()
		dir := "skerry-demo"
		if len(args) == 1 {
			dir = args[0]
		}
		if err := checkOptions(options, eval.Env{}); err != nil {
			return err
		}
		undo, err := demo.Write(dir)
		if err != nil {
			return err
		}
		s.plan = filepath.Join(dir, plan.FileName)
		if r.out.formatName == "" {
			r.out.formatName = "table"
		}
		p, err := s.load()
		if err != nil {
			undo()
			return err
		}
		r.combined = true
		fmt.Fprintf(a.stdout, "The demo is in %s: the plan %s of Skerry Line, an invented ferry\nco-operative, its holidays and its tables.\n\n", render.Clean(dir), plan.FileName)
		if err := r.execute(p); err != nil {
			undo()
			return err
		}
		fmt.Fprintf(a.stdout, demo.NextSteps, render.Clean(dir))
		return nil
	}
	return c
}
