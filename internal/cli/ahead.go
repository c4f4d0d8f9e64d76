package cli

import (
	"io"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/files"
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
	var within, window, overdue, owner string
	var shape question.Shape
	out := output{app: a, shape: &shape, formats: report.Names(true)}
	options := bindAll(c, []*question.Option{
		{Name: "within", Kind: question.Amount, Default: "30 days", Not: []string{"window"}, Help: "`STRETCH` from today: 30 days, 3 months", Into: &within},
		{Name: "window", Kind: question.Span, Help: "`SPAN` instead of that", Into: &window},
		{Name: "owner", Help: "`NAME` of one of the people of the plan: that one's tasks alone", Into: &owner},
		{Name: "overdue", Kind: question.Amount, Default: "90 days", Help: "`STRETCH` that days of records count back: 90 days,\n1 year", Into: &overdue},
	}, out.with(&shape))
	s.completeOptions(c, options, nil)
	c.RunE = func(_ *cobra.Command, args []string) error {
		var paths []string
		for len(args) > 0 && isPlan(args[0]) {
			paths, args = append(paths, args[0]), args[1:]
		}
		plans, err := s.plans(paths, "ahead")
		if err != nil {
			return err
		}
		if err := valid(options, plans[0].Env); err != nil {
			return err
		}
		if err := known(plans, args); err != nil {
			return err
		}
		if err := knownOwner(plans, owner); err != nil {
			return rows.In("owner", err)
		}
		var all []plan.Ahead
		for _, p := range plans {
			what, err := a.asked(p, args, within, window, overdue)
			if err == nil && owner != "" {
				var other error
				if what.Owner, other = p.OwnerNamed(owner); other != nil { // one of another plan's people
					what.Series, what.Records = nil, nil
				}
			}
			if err != nil {
				return err
			}
			all = append(all, what)
		}
		return a.tellAhead(plans, all, &out)
	}
	return c
}

// knownOwner refuses an owner who is none of the people of any of the plans.
func knownOwner(plans []*plan.Plan, owner string) (err error) {
	for _, p := range plans {
		if _, err = p.OwnerNamed(owner); err == nil || owner == "" {
			return nil
		}
	}
	return err
}

// known refuses names that are no series or record of any of the plans.
func known(plans []*plan.Plan, names []string) error {
	for _, name := range names {
		if !slices.ContainsFunc(plans, func(p *plan.Plan) bool { return p.FindAll(name) != nil || p.Record(name) != nil }) {
			place := plans[0].Place()
			return place.UnknownSeries(name)
		}
	}
	return nil
}

// asked is what is asked of a plan: the series and records named, or all of them.
func (a *App) asked(p *plan.Plan, names []string, within, window, overdue string) (what plan.Ahead, err error) {
	what = plan.Ahead{Series: p.Series, Records: p.Records}
	if len(names) > 0 {
		what.Series, what.Records = nil, nil
	}
	for _, name := range names {
		if list := p.FindAll(name); list != nil {
			what.Series = append(what.Series, list...)
		} else if r := p.Record(name); r != nil {
			what.Records = append(what.Records, r)
		}
	}
	today := p.Env.Today
	what.Window = civil.Span{First: today}
	if window != "" {
		what.Window, err = eval.Window(window, p.Env)
		what.Overdue = what.Window.First
		return what, rows.In("window", err)
	}
	if what.Window.Last, err = eval.DateOf("today, +"+within, p.Env); err == nil {
		what.Overdue, err = eval.DateOf("today, -"+overdue, p.Env)
	}
	return what, err
}

// tellAhead writes what comes up.
func (a *App) tellAhead(plans []*plan.Plan, all []plan.Ahead, out *output) error {
	for i, one := range plans {
		if err := a.warnHeld(one, all[i].Series, all[i].Window); err != nil {
			return err
		}
	}
	p, what := plans[0], all[0]
	columns := what
	var events []schedule.Event
	of := map[string]*plan.Plan{} // by UID
	for i, one := range plans {
		place := one.Place()
		place.Stdin, place.Warn, place.Note, place.Flags = strings.NewReader(""), a.warn, a.note, true
		list, err := one.Ahead(all[i], place)
		if err != nil {
			return err
		}
		for _, e := range list {
			of[e.UID] = one
		}
		events = append(events, list...)
		if i > 0 {
			columns.Series = append(slices.Clone(columns.Series), all[i].Series...)
		}
	}
	if len(plans) > 1 {
		schedule.SortEvents(events, nil, p.Midnight())
	}
	row := func(e schedule.Event) []eval.Value { return of[e.UID].AheadRow(columns, e) }
	nearest := civil.None
	for _, e := range events {
		if nearest == civil.None && e.At.Day >= p.Env.Today {
			nearest = e.At.Day
		}
	}
	format, look, err := out.dress(p)
	if err != nil {
		return err
	}
	var stage files.Stage
	defer stage.Drop()
	err = a.writeTo(out, p, &stage, format.People, func(w io.Writer) error {
		if look.Title == "" && format.Events {
			look.Title = p.Title
		}
		sink, err := format.Sink(w, look)
		if err != nil {
			return err
		}
		result := rows.Result{Where: out.shape.Where, Sort: out.shape.Sort, Columns: out.shape.Columns, To: sink}
		if format.Events {
			return a.following(out, p, &stage, sink, func() error {
				kept, err := rows.Kept(result, events, columns.Columns(), p.Env, row)
				if err != nil {
					return err
				}
				return sink.(question.Events).Events(kept)
			})
		}
		result.StandsOut = func(row []eval.Value) bool { return row[0].Day == nearest || row[0].Day < p.Env.Today }
		return result.Fill(columns.Columns(), p.Env, func(put rows.Put) error {
			for _, e := range events {
				if err := put(row(e)); err != nil {
					return err
				}
			}
			return nil
		})
	})
	if err != nil {
		return err
	}
	if len(events) == 0 {
		a.note("Nothing comes up between %s and %s.", what.Window.First, what.Window.Last)
	}
	for _, one := range plans {
		for _, w := range one.Warnings() {
			a.warn("%s", w)
		}
	}
	return nil
}
