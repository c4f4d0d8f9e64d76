package cli

import (
	"errors"

	"github.com/spf13/cobra"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/declare"
	"yoyaku/internal/plan"
	"yoyaku/internal/render"
	"yoyaku/internal/workflow"
)

// comparison is `yoyaku compare` being run.
type comparison struct {
	app      *App
	settings *settings
	key      string
	fail     bool
	out      output
}

func (a *App) compareCommand() *cobra.Command {
	m := &comparison{app: a}
	c := &cobra.Command{
		Use:   "compare [OLD NEW]",
		Short: "What moved between two schedules",
		Long: `Show what differs between two schedules. Each can be a plan, a calendar file (.ics) or a
table. Without arguments, compare the plan in this folder with its outputs as they are;
with --closed or --opened, compare a plan with itself and those days changed. Dates are
matched by series and id, other tables by --key; the order of rows doesn't matter.`,
		Example: `  yoyaku compare
  yoyaku compare --closed 2027-05-31=Jubilee
  yoyaku compare skerry.ics agenda.csv
  yoyaku compare crew-contracts.csv crew-contracts.csv --key contract`,
		Args: func(c *cobra.Command, args []string) error {
			switch {
			case !m.settings.whatIf.IsSet():
			case len(args) > 1 || len(args) == 1 && !plan.IsPlanName(args[0]):
				return usagef("with --closed or --opened, compare takes one plan: yoyaku compare PLAN --closed 2027-06-07=Jubilee")
			case len(args) == 1:
				return nil
			}
			if len(args) == 1 {
				return usagef("`yoyaku compare` takes an old and a new schedule, or no arguments; `yoyaku compare --help` shows examples")
			}
			return argCount(0, 2, "")(c, args)
		},
	}
	m.settings = a.settings(c, false)
	var shape ask.Shape
	m.out = output{app: a, shape: &shape, formats: render.FormatNames(false)}
	options := addCommandFlags(c, []*declare.Key{
		{Name: "key", Help: "match the rows of two tables by column `COL`", Value: declare.Column.Into(&m.key)},
		{Name: "fail", Help: "exit with 1 if anything differs", Value: declare.Bool.Into(&m.fail)},
	}, m.out.optionsAround(&shape))
	m.settings.completeOptions(c, options, nil)
	c.RunE = func(_ *cobra.Command, args []string) error {
		if err := checkOptions(options, eval.Env{}); err != nil {
			return err
		}
		if len(args) == 0 && m.key != "" {
			return &rows.OptionError{Option: "key", IsPredicate: true, Err: errors.New("is for two tables; a plan's outputs have their own keys")}
		}
		return m.run(args)
	}
	return c
}

// run compares and tells.
func (m *comparison) run(args []string) error {
	p, err := plan.NewEmpty(plan.Settings{Now: m.app.Now, Files: m.settings.files})
	if err != nil {
		return err
	}
	c := workflow.Comparison{Key: m.key, Files: m.settings.files, Reporter: m.app.reporter(), HasWhatIf: m.settings.whatIf.IsSet(), Load: func(path string, tried bool) (*plan.Plan, error) {
		settings := *m.settings
		if settings.plan = path; !tried {
			settings.whatIf = plan.WhatIf{}
		}
		return settings.load()
	}}
	if len(args) == 0 {
		if err := m.settings.planArgument(nil, "compare"); err != nil {
			return err
		}
		args = []string{m.settings.plan}
	}
	var t schedule.Tally
	err = m.app.writeLines(&m.out, p, schedule.CompareColumns, func(yield func([]eval.Value, error) bool) {
		t, err = c.Compare(args, func(d schedule.Difference) error {
			if !yield(d.Cells(), nil) {
				return errStop
			}
			return nil
		})
		if err != nil && !errors.Is(err, errStop) {
			yield(nil, err)
		}
	})
	if err == nil {
		err = c.ReportWarnings()
	}
	if err != nil {
		return err
	}
	m.app.printStderr(t.String() + ".")
	if m.fail && t.Differ() {
		return &workflow.NegativeError{Text: "the two differ"}
	}
	return nil
}

var errStop = errors.New("stop")
