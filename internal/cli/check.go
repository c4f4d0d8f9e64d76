package cli

import (
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/declare"
	"yoyaku/internal/files"
	"yoyaku/internal/plan"
	"yoyaku/internal/render"
	"yoyaku/internal/workflow"
)

// planArgument is the plan that a command is given, or that of this folder.
func (s *settings) planArgument(args []string, command string) error {
	if s.plan = plan.FileName; len(args) > 0 {
		s.plan = args[0]
	} else if _, err := os.Stat(s.plan); err != nil {
		return usagef("no yoyaku.yaml in this folder. Name a plan: `yoyaku %s PLAN`; or start one with `yoyaku new` or `yoyaku demo`", command)
	}
	return nil
}

func (a *App) checkCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "check [PLAN …]",
		Short: "Prove a plan: expectations, holiday coverage, collisions",
		Long: `Read a plan (yoyaku.yaml in this folder unless named), its calendars and its tables,
and report everything that is wrong or worth knowing, each at its line. Writes nothing.
Exits with 1 if anything fails.`,
		Example: `  yoyaku check
  yoyaku check yoyaku.yaml --as json
  yoyaku check --closed 2027-06-07=Jubilee`,
	}
	s := a.settings(c, false)
	var strict bool
	var window string
	var shape ask.Shape
	out := output{app: a, shape: &shape, formats: render.FormatNames(false)}
	options := addCommandFlags(c, []*declare.Key{
		{Name: "strict", Help: "treat notes as failures", Value: declare.Bool.Into(&strict)},
		{Name: "window", Help: "use `SPAN` instead of the plan's window", Value: declare.Text.Into(&window)},
	}, out.optionsAround(&shape))
	s.completeOptions(c, options, nil)
	c.RunE = func(_ *cobra.Command, args []string) error {
		if err := checkOptions(options, eval.Env{}); err != nil {
			return err
		}
		if len(args) == 0 {
			if err := s.planArgument(nil, "check"); err != nil {
				return err
			}
			args = []string{s.plan}
		}
		var all []plan.Finding
		var plans []*plan.Plan
		for _, path := range args {
			one := *s
			one.plan = path
			list, p, err := a.findings(&one, window, true)
			if err != nil {
				return err
			}
			workflow.PromoteNotes(list, strict, p.Strict)
			a.reporter().WhatIf(p)
			all, plans = append(append(all, list...), workflow.DuplicateID(p, plans)...), append(plans, p)
		}
		return a.reportFindings(all, &out, s.files)
	}
	return c
}

// findings checks the plan of the settings; released says to look at released dates too.
func (a *App) findings(s *settings, window string, released bool) ([]plan.Finding, *plan.Plan, error) {
	defer workflow.LimitGarbage()()
	var c plan.Collector
	p, err := s.loadCollecting(&c)
	if err != nil {
		return nil, nil, err
	}
	list, err := workflow.Check(p, &c, window, released)
	return list, p, err
}

// reportFindings writes findings, over none of the files that were read; if one fails,
// the answer is no.
func (a *App) reportFindings(list []plan.Finding, out *output, read *files.Registry) error {
	p, err := plan.NewEmpty(plan.Settings{Now: a.Now, Files: read})
	if err != nil {
		return err
	}
	fails, notes := workflow.CountFindings(list)
	out.highlight = func(row []eval.Value) rows.Emphasis {
		if row[0].Text == "fail" {
			return rows.NearRow
		}
		return rows.NoEmphasis
	}
	if err := a.writeLines(out, p, plan.FindingColumns, schedule.LinesOf(list, plan.Finding.Cells)); err != nil {
		return err
	}
	count := fmt.Sprintf("%s, %s", phrase.Plural(fails, "fail"), phrase.Plural(notes, "note"))
	if fails > 0 {
		return &negativeError{"The plan is wrong: " + count + "."}
	}
	a.printStderr("The plan is right: " + count + ".")
	return nil
}
