package cli

import (
	"errors"
	"fmt"
	"io"
	"path/filepath"
	"slices"
	"strings"
	"sync/atomic"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/declare"
	"yoyaku/internal/files"
	"yoyaku/internal/ical"
	"yoyaku/internal/office"
	"yoyaku/internal/plan"
	"yoyaku/internal/question"
	"yoyaku/internal/report"
)

// ask makes the command of a question: its options are flags, its answer goes to
// a writer of the format that is asked for.
func (a *App) ask(q *question.Question, named bool) *cobra.Command {
	c := &cobra.Command{Use: q.Use, Short: q.Short, Long: q.Long, Example: q.Examples, Args: needArgs(q.Least, q.Most, q.Wants)}
	if !named { // listed alone
		c.RunE = func(c *cobra.Command, _ []string) error { return c.Help() }
		return c
	}
	s := a.settings(c, true)
	s.planless = q.Planless
	job := question.Job{Question: q}
	out := output{app: a, shape: &job.Shape, apart: q.Apart}
	groups := [...][]*declare.Key{asked: onCommand(q.Options), tableIn: nil, resultOut: nil}
	if q.Table {
		groups[tableIn] = onCommand(job.In.Options())
	}
	switch {
	case q.Drawn:
		out.formats = []string{"table", "html"}
		groups[resultOut] = append(out.options(), declare.Find(job.Shape.Options(), "title"))
	case !q.Bare:
		out.formats = report.Names(q.Events)
		groups[resultOut] = out.with(&job.Shape)
	}
	if q.Events {
		groups[resultOut] = append(groups[resultOut],
			&declare.Key{Name: "follows", Help: "update the events of the earlier calendar `FILE` (default: the\nfile that --out replaces); needs --as ics", Takes: declare.Text.Into(&out.follow.Follows)},
			&declare.Key{Name: "cancellations", Help: "write cancellations of removed events to `FILE`", Takes: declare.Text.Into(&out.follow.Cancellations)},
			&declare.Key{Name: "organizer", With: []string{"cancellations"}, Value: `"NAME <mail>"`, Help: "who sends the cancellations (default: the plan's organizer)", Takes: declare.Text.Into(&out.follow.Organizer)})
	}
	var options []*declare.Key
	for group, list := range groups {
		bind(c, optionGroup(group), list)
		options = append(options, list...)
	}
	s.complete(c, q, options, &job.In)
	c.RunE = func(_ *cobra.Command, args []string) error {
		var paths []string
		for q.PlanArg && len(args) > 0 && plan.Names(args[0]) {
			paths, args = append(paths, args[0]), args[1:]
		}
		p, err := s.joined(paths, q.Name)
		if err != nil {
			return err
		}
		if p.Env.CalendarColumn != "" && !q.Table {
			return &rows.OptionError{Option: "calendar", Is: true, Err: fmt.Errorf("(%s) names a column, but this command reads no table", p.Env.CalendarColumn)}
		}
		if err := valid(options, p.Env); err != nil {
			return err
		}
		if err := job.In.Check(); err != nil {
			return err
		}
		var held *question.HeldError
		job.Named = s.calendar
		if err := a.answer(&job, p, &out, args); errors.As(err, &held) {
			return a.tellHeld(nil, &office.HeldError{Plan: p, List: held.List})
		} else if err != nil {
			return err
		}
		a.tell().Once().Warnings(p)
		for _, text := range job.After {
			a.note("%s", text)
		}
		return job.No
	}
	return c
}

// onCommand leaves out what a command is told by its arguments.
func onCommand(options []*declare.Key) (list []*declare.Key) {
	for _, o := range options {
		if !o.Takes.File {
			list = append(list, o)
		}
	}
	return list
}

// answer answers a job: the result is written whole or not at all.
func (a *App) answer(job *question.Job, p *plan.Plan, out *output, args []string) error {
	place := office.Place(p)
	place.Stdin, place.Warn, place.Note, place.Flags = a.In, a.warn, a.note, true
	var stage files.Stage
	defer stage.Drop()
	place.Create = func(_, path string) (io.Writer, error) { return stage.Create(path) }
	job.Place, job.Args = &place, args
	if job.Question.Table {
		var stop func()
		place.Done, stop = a.counting("rows")()
		defer stop()
	}
	if job.Question.Bare {
		if err := p.Files.Output(a.Out); err != nil {
			return err
		}
		job.To = report.Bare(a.toTerminal(a.Out))
		return job.Answer()
	}
	return a.write(out, p, &stage, func(_ report.Format, sink rows.Sink) error {
		job.To = sink
		return out.following().Answer(p, &stage, sink, a.tell(), job.Answer)
	})
}

// counting begins to show on a terminal how many things are done.
func (a *App) counting(of string) func() (*atomic.Int64, func()) {
	return func() (*atomic.Int64, func()) {
		if a.quiet {
			return nil, func() {}
		}
		return report.Progress(a.Err, of)
	}
}

// write writes a result in its dress, beside what is staged.
func (a *App) write(out *output, p *plan.Plan, stage *files.Stage, fill func(report.Format, rows.Sink) error) error {
	format, look, err := out.dress(p)
	if err != nil {
		return err
	}
	return a.writeTo(out, p, stage, format.People, func(w io.Writer) error {
		sink, err := format.Sink(w, look)
		if err != nil {
			return err
		}
		return fill(format, sink)
	})
}

// writeTo writes a result to the file of --out, whole or not at all, or to standard
// output.
func (a *App) writeTo(out *output, p *plan.Plan, stage *files.Stage, people bool, fill func(io.Writer) error) error {
	if out.file == "" {
		w := a.Out
		if !people {
			w = a.toTerminal(w)
		}
		if err := p.Files.Output(a.Out); err != nil {
			return err
		}
		spool := files.NewSpool(w, a.Err)
		defer spool.Drop()
		if err := fill(spool); err != nil {
			return a.unlessEmpty(err)
		}
		if err := spool.Commit(); err != nil {
			return err
		}
		return stage.Commit()
	}
	if err := p.Files.Write(out.file); err != nil {
		return err
	}
	w, err := stage.Create(out.file)
	if err == nil {
		err = fill(w)
	}
	if err != nil {
		stage.Drop()
		return a.unlessEmpty(err)
	}
	return stage.Commit()
}

// unlessEmpty reports a calendar without events, which isn't written and is no fault.
func (a *App) unlessEmpty(err error) error {
	if errors.Is(err, ical.ErrEmpty) {
		a.note("there are no events, so no calendar file was written")
		return nil
	}
	return err
}

// lines writes lines of a table that a command makes itself.
func (a *App) lines(out *output, p *plan.Plan, columns []string, lines schedule.Lines) error {
	var stage files.Stage
	defer stage.Drop()
	return a.write(out, p, &stage, func(_ report.Format, sink rows.Sink) error {
		return out.result(sink).Lines(columns, p.Env, lines)
	})
}

// result is what becomes of a result's rows.
func (o *output) result(to rows.Sink) rows.Result {
	return rows.Result{Where: o.shape.Where, Sort: o.shape.Sort, Columns: o.shape.Columns, StandsOut: o.standsOut, To: to}
}

// toTerminal is the way to w that takes out what could steer a terminal, if w is
// one.
func (a *App) toTerminal(w io.Writer) io.Writer {
	if _, ok := a.terminal(); ok && w == a.Out {
		return report.Cleaner(w)
	}
	return w
}

// output says where a result goes and how it is dressed.
type output struct {
	app             *App
	shape           *question.Shape
	formats         []string
	as, file, color string
	// follow says what calendar the result follows.
	follow office.Following
	// events is the title of calendars if none is given.
	events string
	// standsOut picks the rows that stand out; nil for none.
	standsOut func(row []eval.Value) bool
	apart     string // the column whose rows are in blocks
}

// following is what a calendar follows that goes there.
func (o *output) following() office.Following {
	f := o.follow
	f.In = o.file
	return f
}

func (o *output) options() []*declare.Key {
	return []*declare.Key{o.formatOption(),
		{Name: "out", Help: "write to `FILE`; its ending sets the format", Takes: declare.Text.Into(&o.file)}, o.colorOption()}
}

// with are the options of the output around those of its shape: what is asked for most
// comes first.
func (o *output) with(s *question.Shape) []*declare.Key {
	own := o.options()
	return append(append(own[:2:2], s.Options()...), own[2:]...)
}

func (o *output) formatOption() *declare.Key {
	return &declare.Key{Name: "as", Takes: declare.Text.Of(o.formats).Into(&o.as),
		Help: "write `FORMAT`: " + strings.Join(o.formats, ", ") + " " + map[bool]string{true: "(default: table on a terminal, else csv)", false: "(default: table)"}[slices.Contains(o.formats, "csv")]}
}

func (o *output) colorOption() *declare.Key {
	return &declare.Key{Name: "color", Default: "auto",
		Help: "use colour: `WHEN` is auto, always or never", Takes: declare.Choice("auto", "always", "never").Into(&o.color)}
}

// format settles on an output format.
func (o *output) format() (report.Format, error) {
	as := strings.ToLower(o.as)
	if as == "" && o.file != "" {
		if as = strings.ToLower(strings.TrimPrefix(filepath.Ext(o.file), ".")); as == "" || as == "txt" {
			as = "table"
		}
	}
	if as == "" {
		as = o.formats[0] // of what is drawn
		if slices.Contains(o.formats, "csv") {
			as = "csv"
		}
		if _, terminal := o.app.terminal(); terminal {
			as = "table"
		}
	}
	for _, name := range o.formats {
		if name == as {
			f, _ := report.Find(as)
			return f, nil
		}
	}
	return report.Format{}, usagef("unknown format %q; use %s", as, strings.Join(o.formats, ", "))
}

// dress settles on the format and the look of the result.
func (o *output) dress(p *plan.Plan) (f report.Format, l report.Look, err error) {
	if f, err = o.format(); err != nil {
		return f, l, err
	}
	if rests, _ := p.WhatIf(); rests != "" && f.Events {
		return f, l, plan.ErrWhatIf
	}
	if l, err = office.Look(o.shape, p, f); err != nil {
		return f, l, err
	}
	if l.Title != "" && !f.Titled && (o.as != "" || o.file != "") {
		return f, l, &rows.OptionError{Option: "title", Is: true, Err: f.ErrUntitled()}
	}
	if o.shape.Sort == nil {
		l.Apart = o.apart
	}
	if l.Title == "" && f.Events {
		l.Title = o.events
	}
	width, terminal := o.app.terminal()
	if o.file == "" {
		l.Width = width
	}
	if !terminal && o.file == "" { // in a pipe, a width only if one is given
		_, _ = fmt.Sscan(o.app.Getenv("COLUMNS"), &l.Width)
	}
	if l.Color = o.color == "always"; l.Color {
		text.EnableColors() // whatever the environment says
	} else if o.color == "auto" {
		l.Color = terminal && o.file == "" && o.app.Getenv("NO_COLOR") == "" && o.app.Getenv("TERM") != "dumb"
	}
	return f, l, nil
}

// needArgs checks how many arguments there are and says what is missing.
func needArgs(least, most int, what string) cobra.PositionalArgs {
	return func(c *cobra.Command, args []string) error {
		switch {
		case len(args) < least:
			return usagef("`%s` needs %s; `%s --help` shows examples", c.CommandPath(), what, c.CommandPath())
		case most >= 0 && len(args) > most:
			return usagef("`%s`: unexpected argument after %q. Put a phrase in double quotes: \"…\"", c.CommandPath(), strings.TrimSpace(args[max(most, 1)-1]))
		}
		return nil
	}
}

// valid checks the values of options.
func valid(options []*declare.Key, env eval.Env) error {
	for _, o := range options {
		if err := o.Check(env); err != nil {
			return err
		}
	}
	return declare.Fit(options)
}
