package cli

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"yoyaku/internal/caldav"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/ical"
	"yoyaku/internal/plan"
	"yoyaku/internal/publish"
	"yoyaku/internal/question"
	"yoyaku/internal/report"
)

// publishing is a plan being published.
type publishing struct {
	run
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
	p := &publishing{run: *a.newRun()}
	p.note = func(_ *plan.Output, text string) { a.note("%s", text) }
	p.out = output{app: a, shape: &p.shape, formats: report.Names(false)}
	options := bindAll(c, []*question.Option{
		{Name: "to", Help: "`ADDRESS` of the server (default: that of the plan)", Into: &p.to},
		{Name: "collection", Help: "`NAME` of the calendar there (default: that of the plan, or\nits id); made where it isn't there", Into: &p.collection},
		{Name: "credentials", Help: "`FILE` that says who you are: user=NAME, password=WORD", Into: &p.credentials},
		{Name: "dry-run", Kind: question.Yes, Help: "tell what would be done, and do nothing", Into: &p.dry},
		{Name: "series", List: true, Complete: "series", Help: "`NAMES` of the series and records to publish, with commas", Into: &p.only},
		{Name: "window", Help: "`SPAN` instead of the plan's window", Into: &p.window},
		{Name: "overwrite-edits", Kind: question.Yes, Help: "write over what people changed by hand", Into: &p.overwrite},
		{Name: "adopt", Kind: question.Yes, Help: "take over events of the plan that have lost its mark", Into: &p.adopt},
		p.keepOption(),
		{Name: "at-once", Kind: question.Number, Least: 1, Most: 16, Default: "4", Help: "`N` requests at the same time", Into: &p.atOnce},
	}, p.out.with(&p.shape))
	s.completeOptions(c, options, nil)
	c.RunE = func(_ *cobra.Command, args []string) error {
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
		if err := known(plans, p.only); err != nil {
			return rows.In("series", err)
		}
		var no *answerNo
		for i := range plans { // each to its own calendar; what one leaves undone stops none
			one := *p
			one.plan = plans[i]
			if len(plans) > 1 && p.only != nil {
				one.only = slices.DeleteFunc(slices.Clone(p.only), func(name string) bool { return known(plans[i:i+1], []string{name}) != nil })
				if len(one.only) == 0 {
					continue
				}
			}
			if err := one.publish(); errors.As(err, &no) {
				if len(plans) > 1 {
					a.note("%s: %s", one.plan.ID, no.text)
					no = &answerNo{"Not everything is as the plans say."}
				}
			} else if err != nil {
				return err
			}
		}
		if no != nil {
			return no
		}
		return nil
	}
	return c
}

// publish works out what the plan has, finds the calendar, and makes it so.
func (p *publishing) publish() error {
	defer question.Garbage(400)()
	if p.plan.ID == "yoyaku" {
		return usagef("%s has no `id`, by which its events are known for good; write one into it, such as id: crew-office", p.plan.Path)
	}
	client, err := p.client()
	if err != nil {
		return err
	}
	wanted, err := p.wanted()
	if err != nil {
		return err
	}
	ctx, done := p.app.interruptible()
	defer done()
	store, d, err := p.decide(ctx, client, wanted)
	if err != nil {
		return err
	}
	if p.dry {
		return p.tell(d, nil)
	}
	if store.Missing {
		title := p.plan.Title
		if title == "" || p.collection != "" {
			title = p.name()
		}
		there, err := store.Create(ctx, title)
		if err != nil {
			return err
		}
		if there { // by another publisher, who may have put events there
			if store, d, err = p.decide(ctx, client, wanted); err != nil {
				return err
			}
		}
	}
	written, stop := p.app.progress("events")
	err = d.Do(ctx, store, p.atOnce, written)
	stop()
	return p.tell(d, err)
}

// client prepares to speak to the server.
func (p *publishing) client() (*caldav.Client, error) {
	if p.to == "" {
		p.to = p.plan.Publish.To
	}
	if p.to == "" {
		return nil, &rows.OptionError{Option: "to", Is: true, Err: errors.New("is needed: the address of the calendar server, such as https://calendar.example/dav/; a plan says it as publish: {to: ADDRESS}")}
	}
	user, password, err := p.who()
	if err != nil {
		return nil, err
	}
	p.app.hide(user, password)
	client, err := caldav.New(p.to, user, password)
	return client, rows.In("to", err)
}

// name is that of the collection.
func (p *publishing) name() string {
	switch {
	case p.collection != "":
		return p.collection
	case p.plan.Publish.Collection != "":
		return p.plan.Publish.Collection
	}
	return p.plan.ID
}

// who is the user and the password; neither is ever shown.
func (p *publishing) who() (user, password string, err error) {
	if p.credentials == "" {
		user, password = p.app.Getenv("YOYAKU_CALDAV_USER"), p.app.Getenv("YOYAKU_CALDAV_PASSWORD")
		if user == "" || password == "" {
			err = usagef("who are you there? Set YOYAKU_CALDAV_USER and YOYAKU_CALDAV_PASSWORD, or name a file of the two lines user=NAME and password=WORD with --credentials")
		}
		return user, password, err
	}
	if err := p.plan.Files.Read(p.credentials); err != nil {
		return "", "", err
	}
	user, password, err = caldav.Credentials(p.credentials)
	return user, password, rows.In("credentials", err)
}

// wanted is what the plan has.
func (p *publishing) wanted() (w publish.Wanted, err error) {
	series, records := p.plan.Publish.Series, p.plan.Publish.Records
	if p.only != nil {
		if series, records, err = p.narrowed(series, records); err != nil {
			return w, err
		}
	}
	p.series = series
	if p.span, err = p.windowOf(); err != nil {
		return w, err
	}
	p.anyway = false
	if err := p.keepReleased(); err != nil {
		return w, err
	}
	if err := p.expect(); err != nil {
		return w, err
	}
	if err := p.hold(); err != nil {
		return w, err
	}
	events, err := p.plan.Ahead(plan.Ahead{Series: series, Records: records, Window: p.span, Overdue: p.span.First, Whole: p.plan.Publish.Whole}, p.place(&plan.Output{}))
	if err != nil {
		return w, err
	}
	elsewhere := schedule.Elsewhere(series, p.span, p.plan.Publish.Whole, func(*schedule.Series) string { return p.plan.ID })
	w = publish.Wanted{Plan: p.plan.ID, Calendar: ical.Calendar{Zone: p.plan.Zone, Stamp: p.plan.Env.Today}, Events: events,
		Window: p.span, Today: p.plan.Env.Today, Overwrite: p.overwrite, Adopt: p.adopt,
		Within: func(uid string, at eval.Value) bool { return p.plan.Within(uid, at, p.span, p.plan.Publish.Whole) },
		Left: func(name string) bool {
			return p.keep && p.plan.Lost(name) || p.only != nil && !slices.ContainsFunc(events, func(e schedule.Event) bool { return e.Series == name }) && !named(p.only, name) &&
				!slices.ContainsFunc(series, func(s *schedule.Series) bool { return s.Name == name })
		},
		Elsewhere: func(uid string) (e schedule.Event, _ bool) {
			entry, ok := elsewhere(uid)
			if ok {
				e = p.plan.Event(entry)
			}
			return e, ok
		}}
	if doubts := w.Calendar.Doubts(w.Calendar.Skipped(events)); doubts != "" {
		p.app.warn("%s", doubts)
	}
	return w, nil
}

func named(names []string, name string) bool {
	return slices.ContainsFunc(names, func(n string) bool { return phrase.SameName(n, name) })
}

// narrowed picks the series and records named by --series.
func (p *publishing) narrowed(series []*schedule.Series, records []*plan.Record) (s []*schedule.Series, r []*plan.Record, err error) {
	for _, name := range p.only {
		before := len(s) + len(r)
		for _, one := range p.plan.FindAll(name) {
			if slices.Contains(series, one) && !slices.Contains(s, one) {
				s = append(s, one)
			}
		}
		for _, one := range records {
			if phrase.SameName(one.Name, name) {
				r = append(r, one)
			}
		}
		if len(s)+len(r) == before {
			place := p.plan.Place()
			if p.plan.FindAll(name) != nil || p.plan.Record(name) != nil {
				err = fmt.Errorf("`%s` isn't among what the plan publishes (publish: of)", name)
			} else {
				err = place.UnknownSeries(name)
			}
			return nil, nil, rows.In("series", err)
		}
	}
	return s, r, nil
}

// decide finds the calendar and compares it with the plan.
func (p *publishing) decide(ctx context.Context, client *caldav.Client, wanted publish.Wanted) (*caldav.Collection, *publish.Decision, error) {
	store, err := client.Find(ctx, p.name(), p.collection != "" || p.plan.Publish.Collection != "")
	if err != nil {
		return nil, nil, err
	}
	there, err := store.List(ctx)
	if err != nil {
		return nil, nil, err
	}
	if store.Outside > 0 {
		p.app.warn("%s that the server lists %s outside of %s, and %[2]s not touched", phrase.Several(store.Outside, "resource"), map[bool]string{true: "is", false: "are"}[store.Outside == 1], store.Path())
	}
	d, err := publish.Decide(wanted, there)
	if err == nil {
		d.Unread += store.Unread
	}
	if err == nil && d.Unread > 0 {
		p.app.warn("%s there can't be read, and isn't touched", phrase.Several(d.Unread, "resource"))
	}
	if err == nil && store.Missing && p.dry {
		p.app.note("There is no calendar %s there yet; publishing makes it.", store.Path())
	}
	return store, d, err
}

// tell writes what became of each event; err is why it ended early.
func (p *publishing) tell(d *publish.Decision, ended error) error {
	count := map[string]int{}
	left := 0
	var failed error
	err := p.app.lines(&p.out, p.plan, publish.Columns, func(yield func([]eval.Value, error) bool) {
		for _, s := range d.Steps {
			cells := s.Cells()
			for i := range cells {
				cells[i].Text = p.app.hidden(cells[i].Text)
			}
			if !yield(cells, nil) {
				return
			}
		}
	})
	if err != nil {
		return err
	}
	for _, s := range d.Steps {
		if count[s.Result]++; s.Left() {
			left++
		}
		if s.Result == publish.Failed && failed == nil {
			failed = errors.New(s.Note)
		}
	}
	var said []string
	for _, result := range []string{publish.Added, publish.Moved, publish.Changed, publish.Gone, publish.Edited, publish.Conflict, publish.Foreign, publish.Failed} {
		if n := count[result]; n > 0 {
			said = append(said, fmt.Sprintf("%d %s", n, result))
		}
	}
	p.app.note("%s.", strings.Join(append(said, fmt.Sprintf("%d unchanged", d.Unchanged)), ", "))
	for _, w := range p.plan.Warnings() {
		p.app.warn("%s", w)
	}
	switch {
	case errors.Is(ended, context.Canceled):
		return errInterrupted
	case ended != nil:
		return ended
	case failed != nil:
		return &serverError{failed}
	case p.dry && len(d.Steps) > 0:
		return &answerNo{"Nothing was done: this was a dry run."}
	case left > 0:
		return &answerNo{fmt.Sprintf("%s not as the plan says; the column note tells why.", phrase.IsAre(left, "event"))}
	}
	return nil
}

// serverError is a fault of the server for which something is left undone.
type serverError struct{ error }
