package cli

import (
	"errors"
	"io"
	"os"

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
	// plans are those that were asked, whose calendars may not know enough.
	plans []*plan.Plan
}

func (a *App) compareCommand() *cobra.Command {
	m := &comparison{app: a}
	c := &cobra.Command{
		Use:   "compare [OLD NEW]",
		Short: "What moved between two schedules",
		Long: `Tell what differs between two schedules: plans, calendar files (.ics) or tables, each
against each; without any, between the plan of this folder and its outputs as they
stand. Dates are matched by who they are, never by place; other tables by --key.`,
		Example: `  yoyaku compare
  yoyaku compare skerry.ics agenda.csv
  yoyaku compare crew-contracts.csv crew-contracts.csv --key contract`,
		Args: func(c *cobra.Command, args []string) error {
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
	place := p.Place()
	place.Note, place.Flags = m.app.note, true
	var t schedule.Tally
	err = m.app.lines(&m.out, p, schedule.CompareColumns, func(yield func([]eval.Value, error) bool) {
		put := func(d schedule.Difference) error {
			if !yield(d.Cells(), nil) {
				return errStop
			}
			return nil
		}
		if len(args) == 0 {
			err = m.outputs(&t, put)
		} else {
			err = m.sides(&place, args, &t, put)
		}
		if err != nil && !errors.Is(err, errStop) {
			yield(nil, err)
		}
	})
	if err != nil {
		return err
	}
	if err := office.Doubts(m.plans, m.app.tell()); err != nil {
		return err
	}
	m.app.note("%s.", t)
	if m.fail && t.Differ() {
		return &office.No{Text: "they differ"}
	}
	return nil
}

var errStop = errors.New("stop")

func (m *comparison) sides(place *question.Place, args []string, t *schedule.Tally, put func(schedule.Difference) error) error {
	var sides [2]question.Side
	for i, name := range args {
		var err error
		if sides[i], err = m.side(name); err != nil {
			return err
		}
	}
	got, err := place.Compare(sides[0], sides[1], m.key, put)
	*t = got
	return err
}

// side is a plan or a file.
func (m *comparison) side(name string) (question.Side, error) {
	s := question.Side{Name: name}
	if err := m.s.files.Read(name); err != nil {
		return s, err
	}
	if !isPlan(name) {
		if _, err := os.Stat(name); err != nil {
			return s, err
		}
		s.Open = func() (io.ReadCloser, error) { return os.Open(name) }
		return s, nil
	}
	settings := *m.s
	settings.plan = name
	p, err := settings.load()
	if err != nil {
		return s, err
	}
	m.plans = append(m.plans, p)
	wide, err := settings.load()
	if err != nil {
		return s, err
	}
	return office.Side(name, p, wide, m.app.tell())
}

// outputs compares the plan's outputs as they stand with what it makes now.
func (m *comparison) outputs(t *schedule.Tally, put func(schedule.Difference) error) error {
	if err := m.s.planArgument(nil, "compare"); err != nil {
		return err
	}
	p, err := m.s.load()
	if err != nil {
		return err
	}
	m.plans = append(m.plans, p)
	*t, err = office.CompareOutputs(p, m.app.tell(), put)
	return err
}
