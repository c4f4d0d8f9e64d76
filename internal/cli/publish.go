package cli

import (
	"cmp"
	"context"
	"errors"

	"github.com/spf13/cobra"

	"yoyaku/internal/ask"
	"yoyaku/internal/caldav"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/declare"
	"yoyaku/internal/plan"
	"yoyaku/internal/publish"
	"yoyaku/internal/render"
	"yoyaku/internal/workflow"
)

// publishRun is plans being published.
type publishRun struct {
	app                             *App
	out                             output
	request                         workflow.Request
	server, collection, credentials string
	dryRun, overwrite, adopt        bool
	concurrency                     int
	shape                           ask.Shape
}

func (a *App) publishCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "publish [PLAN …]",
		Short: "Publish a plan's events to a calendar server and keep them up to date",
		Long: `Publish the events of a plan (yoyaku.yaml in this folder unless named) to a calendar on a
CalDAV server and keep them up to date: events are added, changed and removed as the plan
says. Events that people added or changed by hand are reported and left alone.

The user name and password come from YOYAKU_CALDAV_USER and YOYAKU_CALDAV_PASSWORD, or
from a file that only you can read, with the two lines user=NAME and password=WORD. Exits
with 1 if anything on the server differs from the plan, with 3 if the server can't be
reached.`,
		Example: `  yoyaku publish --to https://calendar.example/dav/ --dry-run
  yoyaku publish --to https://calendar.example/dav/ --collection "Crew office"
  yoyaku publish --credentials ~/.yoyaku-calendar`,
	}
	s := a.settings(c, false)
	p := &publishRun{app: a}
	p.out = output{app: a, shape: &p.shape, formats: render.FormatNames(false)}
	options := addCommandFlags(c, []*declare.Key{
		{Name: "to", Help: "publish to the server at `ADDRESS` (default: the plan's)", Value: declare.Text.Into(&p.server)},
		{Name: "collection", Help: "publish to the calendar `NAME`, which is created if missing\n(default: the plan's, or its id)", Value: declare.Text.Into(&p.collection)},
		{Name: "credentials", Help: "read the user name and password from `FILE`", Value: declare.Text.Into(&p.credentials)},
		{Name: "dry-run", Help: "show what would change, without changing it", Value: declare.Bool.Into(&p.dryRun)},
		{Name: "series", Completion: "series", Placeholder: "NAMES", Help: "publish only these series and records", Value: declare.Text.List(&p.request.Series)},
		{Name: "window", Help: "use `SPAN` instead of the plan's window", Value: declare.Text.Into(&p.request.Window)},
		{Name: "overwrite-edits", Help: "overwrite events that were changed by hand", Value: declare.Bool.Into(&p.overwrite)},
		{Name: "adopt", Help: "take over events of the plan that have lost its mark on the\nserver", Value: declare.Bool.Into(&p.adopt)},
		keepReleasedOption(&p.request.KeepReleased),
		{Name: "at-once", Default: "4", Help: "send `N` requests at a time", Value: declare.Number(1, 16).Into(&p.concurrency)},
	}, p.out.optionsAround(&p.shape))
	s.completeOptions(c, options, nil)
	c.RunE = func(_ *cobra.Command, args []string) error {
		defer workflow.LimitGarbage()()
		if err := checkOptions(options, eval.Env{}); err != nil {
			return err
		}
		plans, err := s.plans(args, "publish")
		if err != nil {
			return err
		}
		if len(plans) > 1 && p.collection != "" {
			return &rows.OptionError{Option: "collection", IsPredicate: true, Err: errors.New("is for one plan; with several, write publish: {collection: NAME} in each")}
		}
		if len(plans) > 1 && p.out.file != "" {
			return &rows.OptionError{Option: "out", IsPredicate: true, Err: errors.New("is for one plan; publish several plans one at a time")}
		}
		if p.out.file != "" { // afterwards would be too late to refuse it
			if err := plans[0].Files.CheckWritable(p.out.file); err != nil {
				return err
			}
		}
		if err := workflow.CheckNames(plans, p.request.Series, true); err != nil {
			return rows.WrapOption("series", err)
		}
		return p.publishAll(plans)
	}
	return c
}

// publishAll publishes plans, each to its own calendar; what one leaves undone stops none.
func (p *publishRun) publishAll(plans []*plan.Plan) error {
	var undone *negativeError
	for _, one := range plans {
		s, ok, err := workflow.NewPublishSession(one, plans, p.request, p.app.reporter())
		if err == nil && ok {
			err = p.publish(s)
		}
		var breach *workflow.BreachError
		if errors.As(err, &breach) {
			err = p.app.reportBreaches(&p.out, breach)
		}
		switch {
		case err == nil:
		case len(plans) == 1 || errorCode(err) != exitNegative:
			return err
		default:
			p.app.printStderr(one.ID + ": " + err.Error())
			undone = &negativeError{"The server differs from the plans."}
		}
	}
	if undone != nil {
		return undone
	}
	return nil
}

// publish works out what the plan has, finds the calendar, and makes it so.
func (p *publishRun) publish(s *workflow.Session) error {
	client, err := p.client(s.Plan)
	if err != nil {
		return err
	}
	wanted, err := s.Desired()
	if err != nil {
		return err
	}
	wanted.Overwrite, wanted.Adopt = p.overwrite, p.adopt
	ctx, done := p.app.interruptible()
	defer done()
	to := publish.Target{Title: s.Plan.Title, DryRun: p.dryRun, Concurrency: p.concurrency}
	if to.Name, to.NameGiven = workflow.Collection(s.Plan, p.collection); p.collection != "" || to.Title == "" {
		to.Title = to.Name
	}
	d, err := to.Publish(ctx, client, wanted, publish.Reporter{Warn: p.app.warn, Note: p.app.note, Progress: p.app.startCounter("events")})
	if d == nil {
		return err
	}
	return p.reportDecision(s.Plan, d, err)
}

// client prepares to speak to the server.
func (p *publishRun) client(of *plan.Plan) (*caldav.Client, error) {
	to := cmp.Or(p.server, of.Publish.Server)
	if to == "" {
		return nil, &rows.OptionError{Option: "to", IsPredicate: true, Err: errors.New("is required: the address of the calendar server, such as https://calendar.example/dav/. A plan can hold it: publish: {to: ADDRESS}")}
	}
	user, password, err := p.credentialsFor(of)
	if err != nil {
		return nil, err
	}
	p.app.redactor = caldav.PasswordRedactor(user, password)
	client, err := caldav.New(to, user, password)
	return client, rows.WrapOption("to", err)
}

// credentialsFor is the user and the password; neither is ever shown.
func (p *publishRun) credentialsFor(of *plan.Plan) (user, password string, err error) {
	if p.credentials == "" {
		user, password = p.app.Getenv("YOYAKU_CALDAV_USER"), p.app.Getenv("YOYAKU_CALDAV_PASSWORD")
		if user == "" || password == "" {
			err = usagef("no user name and password: set YOYAKU_CALDAV_USER and YOYAKU_CALDAV_PASSWORD, or use --credentials FILE, a file with the two lines user=NAME and password=WORD")
		}
		return user, password, err
	}
	if err := of.Files.AddInput(p.credentials); err != nil {
		return "", "", err
	}
	user, password, err = caldav.Credentials(p.credentials)
	return user, password, rows.WrapOption("credentials", err)
}

// reportDecision writes what became of each event; ended is why it ended early.
func (p *publishRun) reportDecision(of *plan.Plan, d *publish.Decision, ended error) error {
	err := p.app.writeLines(&p.out, of, publish.Columns, schedule.LinesOf(d.Steps, func(s *publish.Step) []eval.Value {
		cells := s.Cells()
		for i := range cells {
			cells[i].Text = p.app.redact(cells[i].Text)
		}
		return cells
	}))
	if err != nil {
		return err
	}
	p.app.printStderr(d.String())
	p.app.reporter().Once().Warnings(of)
	switch {
	case errors.Is(ended, context.Canceled):
		return errInterrupted
	case ended != nil:
		return ended
	case d.Failure() != nil:
		return &serverError{d.Failure()}
	case p.dryRun && len(d.Steps) > 0:
		return &negativeError{"Nothing was changed: this was a dry run."}
	case d.Undone() > 0:
		return &negativeError{phrase.CountVerb(d.Undone(), "event differs", "events differ") + " from the plan; the column `note` says why."}
	}
	return nil
}

// serverError is a fault of the server for which something is left undone.
type serverError struct{ error }
