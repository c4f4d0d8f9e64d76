package cli

import (
	"github.com/spf13/cobra"

	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/files"
	"yoyaku/internal/office"
	"yoyaku/internal/plan"
	"yoyaku/internal/question"
	"yoyaku/internal/report"
)

func (a *App) aheadCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "ahead [PLAN …|SERIES …]",
		Short: "What comes up next",
		Long: `List what comes up of a plan, by date: dates and milestones of its series, events of
its records, for 30 days unless told. Days of records that have passed are overdue and
stand first.`,
		Example: `  yoyaku ahead
  yoyaku ahead crew-pay fuel-duty --within "3 months"
  yoyaku ahead --window 2027-Q2 --where "series = 'crew-contracts'"`,
	}
	s := a.settings(c, false)
	var next office.Next
	var shape question.Shape
	out := output{app: a, shape: &shape, formats: report.Names(true)}
	options := bindAll(c, []*question.Option{
		{Name: "within", Kind: question.Amount, Default: "30 days", Not: []string{"window"}, Help: "`STRETCH` from today: 30 days, 3 months", Into: &next.Within},
		{Name: "window", Kind: question.Span, Help: "`SPAN` instead of that", Into: &next.Window},
		{Name: "owner", Help: "`NAME` of one of the people of the plan: that one's tasks alone", Into: &next.Owner},
		{Name: "overdue", Kind: question.Amount, Default: "90 days", Help: "`STRETCH` that days of records count back: 90 days,\n1 year", Into: &next.Overdue},
	}, out.with(&shape))
	s.completeOptions(c, options, nil)
	c.RunE = func(_ *cobra.Command, args []string) error {
		defer office.Thrift()()
		var paths []string
		for len(args) > 0 && plan.Names(args[0]) {
			paths, args = append(paths, args[0]), args[1:]
		}
		plans, err := s.plans(paths, "ahead")
		if err != nil {
			return err
		}
		if err := valid(options, plans[0].Env); err != nil {
			return err
		}
		next.Names = args
		coming, err := office.Ahead(plans, next, a.tell())
		if err != nil {
			return err
		}
		if err := a.tellAhead(plans[0], coming, &out); err != nil {
			return err
		}
		a.tell().Once().Warnings(plans...)
		return nil
	}
	return c
}

// tellAhead writes what comes up.
func (a *App) tellAhead(p *plan.Plan, coming *office.Coming, out *output) error {
	out.events, out.standsOut = p.Title, coming.StandsOut()
	var stage files.Stage
	defer stage.Drop()
	err := a.write(out, p, &stage, func(format report.Format, sink rows.Sink) error {
		result := out.result(sink)
		if !format.Events {
			return result.Lines(coming.Columns, p.Env, schedule.LinesOf(coming.Events, coming.Row))
		}
		return out.following().Answer(p, &stage, sink, a.tell(), func() error {
			kept, err := rows.Kept(result, coming.Events, coming.Columns, p.Env, coming.Row)
			if err != nil {
				return err
			}
			return sink.(question.Events).Events(kept)
		})
	})
	if err == nil && len(coming.Events) == 0 {
		a.note("Nothing comes up between %s and %s.", coming.Window.First, coming.Window.Last)
	}
	return err
}
