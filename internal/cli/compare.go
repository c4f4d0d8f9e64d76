package cli

import (
	"errors"

	"github.com/spf13/cobra"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/office"
	"yoyaku/internal/plan"
	"yoyaku/internal/question"
	"yoyaku/internal/report"
)

// comparison is `yoyaku compare` being run.
type comparison struct {
	app  *App
	s    *settings
	key  string
	fail bool
	out  output
}

func (a *App) compareCommand() *cobra.Command {
	m := &comparison{app: a}
	c := &cobra.Command{
		Use:   "compare [OLD NEW]",
		Short: "What moved between two schedules",
		Long: `Tell what differs between two schedules: plans, calendar files (.ics) or tables, each
against each; without any, between the plan of this folder and its outputs as they
stand; with --closed or --opened, between a plan as it is and with those days. Dates are
matched by who they are, never by place; other tables by --key.`,
		Example: `  yoyaku compare
  yoyaku compare --closed 2027-05-31=Jubilee
  yoyaku compare skerry.ics agenda.csv
  yoyaku compare crew-contracts.csv crew-contracts.csv --key contract`,
		Args: func(c *cobra.Command, args []string) error {
			switch {
			case !m.s.whatIf.Asked():
			case len(args) > 1 || len(args) == 1 && !plan.Names(args[0]):
				return usagef("--closed and --opened compare a plan with itself: yoyaku compare PLAN --closed 2027-06-07=Jubilee")
			case len(args) == 1:
				return nil
			}
			if len(args) == 1 {
				return usagef("`yoyaku compare` takes two things, the old and the new, or none; `yoyaku compare --help` shows examples")
			}
			return needArgs(0, 2, "")(c, args)
		},
	}
	m.s = a.settings(c, false)
	var shape question.Shape
	m.out = output{app: a, shape: &shape, formats: report.Names(false)}
	options := bindAll(c, []*question.Option{
		{Name: "key", Kind: question.Column, Help: "`COL` that names the rows of tables that are no schedules", Into: &m.key},
		{Name: "fail", Kind: question.Yes, Help: "exit with 1 where something differs", Into: &m.fail},
	}, m.out.with(&shape))
	m.s.completeOptions(c, options, nil)
	c.RunE = func(_ *cobra.Command, args []string) error {
		if err := valid(options, eval.Env{}); err != nil {
			return err
		}
		if len(args) == 0 && m.key != "" {
			return &rows.OptionError{Option: "key", Is: true, Err: errors.New("goes with two tables; the outputs of a plan have keys of their own")}
		}
		return m.do(args)
	}
	return c
}

// do compares and tells.
func (m *comparison) do(args []string) error {
	p, err := plan.Empty(plan.Settings{Now: m.app.Now, Files: m.s.files})
	if err != nil {
		return err
	}
	c := office.Comparison{Key: m.key, Files: m.s.files, Tell: m.app.tell(), Tried: m.s.whatIf.Asked(), Load: func(path string, tried bool) (*plan.Plan, error) {
		settings := *m.s
		if settings.plan = path; !tried {
			settings.whatIf = plan.WhatIf{}
		}
		return settings.load()
	}}
	if len(args) == 0 {
		if err := m.s.planArgument(nil, "compare"); err != nil {
			return err
		}
		args = []string{m.s.plan}
	}
	var t schedule.Tally
	err = m.app.lines(&m.out, p, schedule.CompareColumns, func(yield func([]eval.Value, error) bool) {
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
		err = c.Doubts()
	}
	if err != nil {
		return err
	}
	m.app.note("%s.", t)
	if m.fail && t.Differ() {
		return &office.No{Text: "they differ"}
	}
	return nil
}

var errStop = errors.New("stop")
