package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"

	"github.com/spf13/cobra"

	"yoyaku/internal/caldav"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/office"
	"yoyaku/internal/plan"
	"yoyaku/internal/publish"
	"yoyaku/internal/question"
	"yoyaku/internal/report"
)

// publishing is plans being published.
type publishing struct {
	app                         *App
	out                         output
	asked                       office.Asked
	to, collection, credentials string
	dry, overwrite, adopt       bool
	atOnce                      int
	shape                       question.Shape
}

func (a *App) publishCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "publish [PLAN …]",
		Short: "A plan's events into a calendar server, and keep them right",
		Long: `Put the events of a plan (yoyaku.yaml in this folder unless named) into a calendar on
a CalDAV server, and keep them right there: what the plan has is added, changed and
taken away. What people put there, or changed by hand, is told and left alone.

Who you are stands in YOYAKU_CALDAV_USER and YOYAKU_CALDAV_PASSWORD, or in a file of two
lines, user=NAME and password=WORD, that only you can read. The exit code is 1 where
something isn't as the plan says, 3 where the server can't be reached.`,
		Example: `  yoyaku publish --to https://calendar.example/dav/ --dry-run
  yoyaku publish --to https://calendar.example/dav/ --collection "Crew office"
  yoyaku publish --credentials ~/.yoyaku-calendar`,
	}
	s := a.settings(c, false)
	p := &publishing{app: a}
	p.out = output{app: a, shape: &p.shape, formats: report.Names(false)}
	options := bindAll(c, []*question.Option{
		{Name: "to", Help: "`ADDRESS` of the server (default: that of the plan)", Into: &p.to},
		{Name: "collection", Help: "`NAME` of the calendar there (default: that of the plan, or\nits id); made where it isn't there", Into: &p.collection},
		{Name: "credentials", Help: "`FILE` that says who you are: user=NAME, password=WORD", Into: &p.credentials},
		{Name: "dry-run", Kind: question.Yes, Help: "tell what would be done, and do nothing", Into: &p.dry},
		{Name: "series", List: true, Complete: "series", Help: "`NAMES` of the series and records to publish, with commas", Into: &p.asked.Series},
		{Name: "window", Help: "`SPAN` instead of the plan's window", Into: &p.asked.Window},
		{Name: "overwrite-edits", Kind: question.Yes, Help: "write over what people changed by hand", Into: &p.overwrite},
		{Name: "adopt", Kind: question.Yes, Help: "take over events of the plan that have lost its mark", Into: &p.adopt},
		keepOption(&p.asked.Keep),
		{Name: "at-once", Kind: question.Number, Least: 1, Most: 16, Default: "4", Help: "`N` requests at the same time", Into: &p.atOnce},
	}, p.out.with(&p.shape))
	s.completeOptions(c, options, nil)
	c.RunE = func(_ *cobra.Command, args []string) error {
		defer office.Thrift()()
		if err := valid(options, eval.Env{}); err != nil {
			return err
		}
		plans, err := s.plans(args, "publish")
		if err != nil {
			return err
		}
		if len(plans) > 1 && p.collection != "" {
			return &rows.OptionError{Option: "collection", Is: true, Err: errors.New("names the calendar of one plan; say it in each plan: publish: {collection: NAME}")}
		}
		if len(plans) > 1 && p.out.file != "" {
			return &rows.OptionError{Option: "out", Is: true, Err: errors.New("is the table of one plan; publish them one at a time")}
		}
		if p.out.file != "" { // afterwards would be too late to refuse it
			if err := plans[0].Files.Free(p.out.file); err != nil {
				return err
			}
		}
		if err := office.Known(plans, p.asked.Series, true); err != nil {
			return rows.In("series", err)
		}
		return p.all(plans)
	}
	return c
}

// all publishes plans, each to its own calendar; what one leaves undone stops none.
func (p *publishing) all(plans []*plan.Plan) error {
	var undone *no
	for _, one := range plans {
		w, ok, err := office.Publishing(one, plans, p.asked, p.app.tell())
		if err == nil && ok {
			err = p.publish(w)
		}
		var held *office.HeldError
		if errors.As(err, &held) {
			err = p.app.tellHeld(&p.out, held)
		}
		switch {
		case err == nil:
		case len(plans) == 1 || code(err) != exitNo:
			return err
		default:
			p.app.note("%s: %s", one.ID, err)
			undone = &no{"Not everything is as the plans say."}
		}
	}
	if undone != nil {
		return undone
	}
	return nil
}

// publish works out what the plan has, finds the calendar, and makes it so.
func (p *publishing) publish(w *office.Work) error {
	client, err := p.client(w.Plan)
	if err != nil {
		return err
	}
	wanted, err := w.Wanted()
	if err != nil {
		return err
	}
	wanted.Overwrite, wanted.Adopt = p.overwrite, p.adopt
	ctx, done := p.app.interruptible()
	defer done()
	to := publish.Target{Title: w.Plan.Title, Dry: p.dry, AtOnce: p.atOnce}
	if to.Name, to.Given = office.Collection(w.Plan, p.collection); p.collection != "" || to.Title == "" {
		to.Title = to.Name
	}
	d, err := to.Publish(ctx, client, wanted, publish.Tell{Warn: p.app.warn, Note: p.app.note, Progress: p.app.counting("events")})
	if d == nil {
		return err
	}
	return p.tell(w.Plan, d, err)
}

// client prepares to speak to the server.
func (p *publishing) client(of *plan.Plan) (*caldav.Client, error) {
	to := cmp.Or(p.to, of.Publish.To)
	if to == "" {
		return nil, &rows.OptionError{Option: "to", Is: true, Err: errors.New("is needed: the address of the calendar server, such as https://calendar.example/dav/; a plan says it as publish: {to: ADDRESS}")}
	}
	user, password, err := p.who(of)
	if err != nil {
		return nil, err
	}
	p.app.hides = caldav.Hider(user, password)
	client, err := caldav.New(to, user, password)
	return client, rows.In("to", err)
}

// who is the user and the password; neither is ever shown.
func (p *publishing) who(of *plan.Plan) (user, password string, err error) {
	if p.credentials == "" {
		user, password = p.app.Getenv("YOYAKU_CALDAV_USER"), p.app.Getenv("YOYAKU_CALDAV_PASSWORD")
		if user == "" || password == "" {
			err = usagef("who are you there? Set YOYAKU_CALDAV_USER and YOYAKU_CALDAV_PASSWORD, or name a file of the two lines user=NAME and password=WORD with --credentials")
		}
		return user, password, err
	}
	if err := of.Files.Read(p.credentials); err != nil {
		return "", "", err
	}
	user, password, err = caldav.Credentials(p.credentials)
	return user, password, rows.In("credentials", err)
}

// tell writes what became of each event; ended is why it ended early.
func (p *publishing) tell(of *plan.Plan, d *publish.Decision, ended error) error {
	err := p.app.lines(&p.out, of, publish.Columns, schedule.LinesOf(d.Steps, func(s *publish.Step) []eval.Value {
		cells := s.Cells()
		for i := range cells {
			cells[i].Text = p.app.hidden(cells[i].Text)
		}
		return cells
	}))
	if err != nil {
		return err
	}
	p.app.note("%s", d)
	p.app.tell().Once().Warnings(of)
	switch {
	case errors.Is(ended, context.Canceled):
		return errInterrupted
	case ended != nil:
		return ended
	case d.Failure() != nil:
		return &serverError{d.Failure()}
	case p.dry && len(d.Steps) > 0:
		return &no{"Nothing was done: this was a dry run."}
	case d.Left() > 0:
		return &no{fmt.Sprintf("%s not as the plan says; the column note tells why.", phrase.IsAre(d.Left(), "event"))}
	}
	return nil
}

// serverError is a fault of the server for which something is left undone.
type serverError struct{ error }
