package cli

import (
	"errors"
	"fmt"
	"io"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/declare"
	"yoyaku/internal/files"
	"yoyaku/internal/ical"
	"yoyaku/internal/plan"
	"yoyaku/internal/query"
	"yoyaku/internal/render"
	"yoyaku/internal/workflow"
)

// ruleCommands are the commands without a table that take rules of their own.
var ruleCommands = []string{"value", "why"}

// queryCommand makes the command of a query: its options are flags, its answer goes to
// a writer of the format that is asked for.
func (a *App) queryCommand(q *ask.Query, named bool) *cobra.Command {
	c := &cobra.Command{Use: q.Use, Short: q.Short, Long: q.Long, Example: q.Examples, Args: argCount(q.MinArgs, q.MaxArgs, q.ArgsHelp)}
	if !named { // listed alone
		c.RunE = func(c *cobra.Command, _ []string) error { return c.Help() }
		return c
	}
	s := a.settings(c, true)
	s.ignoreBadPlan = q.IgnoresPlan
	job := ask.Job{Query: q}
	out := output{app: a, shape: &job.Shape, groupBy: q.GroupBy}
	groups := [...][]*declare.Key{groupQuery: commandOptions(q.Options), groupTableIn: nil, groupResult: nil}
	if q.TakesTable || slices.Contains(ruleCommands, q.Name) {
		groups[groupQuery] = append(groups[groupQuery], s.ruleOption())
	}
	if q.TakesTable {
		groups[groupTableIn] = commandOptions(job.In.Options())
	}
	switch {
	case q.IsDrawing:
		out.formats = []string{"table", "html"}
		groups[groupResult] = append(out.options(), declare.Find(job.Shape.Options(), "title"))
	case !q.IsSingleValue:
		out.formats = render.FormatNames(q.GivesEvents)
		groups[groupResult] = out.optionsAround(&job.Shape)
	}
	if q.GivesEvents {
		groups[groupResult] = append(groups[groupResult],
			&declare.Key{Name: "follows", Help: "update the events of the earlier calendar `FILE` (default: the\nfile that --out replaces); needs --as ics", Value: declare.Text.Into(&out.update.Previous)},
			&declare.Key{Name: "cancellations", Help: "write cancellations of removed events to `FILE`", Value: declare.Text.Into(&out.update.Cancellations)},
			&declare.Key{Name: "organizer", Requires: []string{"cancellations"}, Placeholder: `"NAME <mail>"`, Help: "who sends the cancellations (default: the plan's organizer)", Value: declare.Text.Into(&out.update.Organizer)})
	}
	var options []*declare.Key
	for group, list := range groups {
		addFlags(c, optionGroup(group), list)
		options = append(options, list...)
	}
	s.completeQuery(c, q, options, &job.In)
	c.RunE = func(_ *cobra.Command, args []string) error {
		var paths []string
		for q.TakesPlanFile && len(args) > 0 && plan.IsPlanName(args[0]) {
			paths, args = append(paths, args[0]), args[1:]
		}
		p, err := s.loadJoined(paths, q.Name)
		if err != nil {
			return err
		}
		if err := p.AddRules(s.rules); err != nil {
			return rows.WrapOption("rule", err)
		}
		for _, name := range p.CommandRules {
			if query.IsPeriodName(name) {
				return rows.WrapOption("rule", fmt.Errorf("`%s` is a period of `by`; give the rule another name", name))
			}
		}
		if p.Env.CalendarColumn != "" && !q.TakesTable {
			return &rows.OptionError{Option: "calendar", IsPredicate: true, Err: fmt.Errorf("(%s) names a column, but this command reads no table", p.Env.CalendarColumn)}
		}
		if err := checkOptions(options, p.Env); err != nil {
			return err
		}
		if err := job.In.Check(); err != nil {
			return err
		}
		var breach *query.BreachError
		job.CalendarName = s.calendar
		if err := a.runJob(&job, p, &out, args); errors.As(err, &breach) {
			return a.reportBreaches(nil, &workflow.BreachError{Plan: p, Breaches: breach.Breaches})
		} else if err != nil {
			return err
		}
		a.reporter().Once().Warnings(p)
		for _, text := range job.Footnotes {
			a.note("%s", text)
		}
		return job.Negative
	}
	return c
}

// commandOptions leaves out what a command is told by its arguments.
func commandOptions(options []*declare.Key) (list []*declare.Key) {
	for _, o := range options {
		if !o.Value.IsInputFile {
			list = append(list, o)
		}
	}
	return list
}

// runJob answers a job: the result is written whole or not at all.
func (a *App) runJob(job *ask.Job, p *plan.Plan, out *output, args []string) error {
	ws := workflow.NewWorkspace(p)
	ws.Stdin, ws.Warn, ws.Note, ws.IsCommand = a.In, a.warn, a.note, true
	var stage files.Stage
	defer stage.Discard()
	ws.CreateFile = func(_, path string) (io.Writer, error) { return stage.Create(path) }
	job.Workspace, job.Args = &ws, args
	if job.Query.TakesTable {
		var stop func()
		ws.Progress, stop = a.startCounter("rows")()
		a.stopCounter = sync.OnceFunc(stop)
		defer a.stopCounter()
	}
	if job.Query.IsSingleValue {
		if err := p.Files.SetStdout(a.Out); err != nil {
			return err
		}
		job.Sink = render.NewValueSink(a.terminalWriter(a.Out))
		return job.Answer()
	}
	return a.writeResult(out, p, &stage, func(to render.Writer) error {
		job.Sink, job.Events = to.Rows, to.Events
		return out.updateOptions().Run(p, &stage, to.Events, a.reporter(), job.Answer)
	})
}

// startCounter begins to show on a terminal how many things are done.
func (a *App) startCounter(of string) func() (*atomic.Int64, func()) {
	return func() (*atomic.Int64, func()) {
		if a.quiet {
			return nil, func() {}
		}
		return render.Progress(a.Err, of)
	}
}

// writeResult writes a result in its dress, beside what is staged.
func (a *App) writeResult(out *output, p *plan.Plan, stage *files.Stage, fill func(render.Writer) error) error {
	format, look, err := out.renderOptions(p)
	if err != nil {
		return err
	}
	return a.writeOutput(out, p, stage, format.ForPeople, func(w io.Writer) error {
		to, err := format.Open(w, look)
		if err != nil {
			return err
		}
		return fill(to)
	})
}

// writeOutput writes a result to the file of --out, whole or not at all, or to standard
// output.
func (a *App) writeOutput(out *output, p *plan.Plan, stage *files.Stage, people bool, fill func(io.Writer) error) error {
	if out.file == "" {
		w := a.Out
		if !people {
			w = a.terminalWriter(w)
		}
		if err := p.Files.SetStdout(a.Out); err != nil {
			return err
		}
		spool := files.NewOutputSpool(w, a.Err)
		defer spool.Discard()
		if err := fill(spool); err != nil {
			return a.ignoreEmpty(err)
		}
		if a.stopCounter != nil { // whose line would be in front of the result's first
			a.stopCounter()
		}
		if err := spool.Commit(); err != nil {
			return err
		}
		return stage.Commit()
	}
	if err := p.Files.AddOutput(out.file); err != nil {
		return err
	}
	w, err := stage.Create(out.file)
	if err == nil {
		err = fill(w)
	}
	if err != nil {
		stage.Discard()
		return a.ignoreEmpty(err)
	}
	return stage.Commit()
}

// ignoreEmpty reports a calendar without events, which isn't written and is no fault.
func (a *App) ignoreEmpty(err error) error {
	if errors.Is(err, ical.ErrEmpty) {
		a.note("there are no events, so no calendar file was written")
		return nil
	}
	return err
}

// writeLines writes lines of a table that a command makes itself.
func (a *App) writeLines(out *output, p *plan.Plan, columns []string, lines schedule.Lines) error {
	var stage files.Stage
	defer stage.Discard()
	return a.writeResult(out, p, &stage, func(to render.Writer) error {
		return out.result(to.Rows).FillLines(columns, p.Env, lines)
	})
}

// result is what becomes of a result's rows.
func (o *output) result(to rows.Sink) rows.Result {
	return rows.Result{Where: o.shape.Where, Sort: o.shape.Sort, Columns: o.shape.Columns, Highlight: o.highlight, Sink: to}
}

// terminalWriter is the way to w that takes out what could steer a terminal, if w is
// one.
func (a *App) terminalWriter(w io.Writer) io.Writer {
	if _, ok := a.terminalWidth(); ok && w == a.Out {
		return render.NewCleanWriter(w)
	}
	return w
}

// output says where a result goes and how it is dressed.
type output struct {
	app                     *App
	shape                   *ask.Shape
	formats                 []string
	formatName, file, color string
	// update says what calendar the result follows.
	update workflow.UpdateOptions
	// calendarTitle is the title of calendars if none is given.
	calendarTitle string
	// highlight picks the rows that stand out; nil for none.
	highlight func(row []eval.Value) rows.Emphasis
	groupBy   string // the column whose rows are in blocks
}

// updateOptions is what a calendar follows that goes there.
func (o *output) updateOptions() workflow.UpdateOptions {
	f := o.update
	f.Output = o.file
	return f
}

func (o *output) options() []*declare.Key {
	return []*declare.Key{o.formatOption(),
		{Name: "out", Help: "write to `FILE`; its ending sets the format", Value: declare.Text.Into(&o.file)}, o.colorOption()}
}

// optionsAround are the options of the output around those of its shape: what is asked for most
// comes first.
func (o *output) optionsAround(s *ask.Shape) []*declare.Key {
	own := o.options()
	return append(append(own[:2:2], s.Options()...), own[2:]...)
}

func (o *output) formatOption() *declare.Key {
	return &declare.Key{Name: "as", Value: declare.Text.WithChoices(o.formats).Into(&o.formatName),
		Help: "write `FORMAT`: " + strings.Join(o.formats, ", ") + " " + map[bool]string{true: "(default: table on a terminal, else csv)", false: "(default: table)"}[slices.Contains(o.formats, "csv")]}
}

func (o *output) colorOption() *declare.Key {
	return &declare.Key{Name: "color", Default: "auto",
		Help: "use colour: `WHEN` is auto, always or never", Value: declare.Choice("auto", "always", "never").Into(&o.color)}
}

// resolveFormat settles on an output format.
func (o *output) resolveFormat() (render.Format, error) {
	as := strings.ToLower(o.formatName)
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
		if _, terminal := o.app.terminalWidth(); terminal {
			as = "table"
		}
	}
	for _, name := range o.formats {
		if name == as {
			f, _ := render.FindFormat(as)
			return f, nil
		}
	}
	return render.Format{}, usagef("unknown format %q; use %s", as, strings.Join(o.formats, ", "))
}

// renderOptions settles on the format and the look of the result.
func (o *output) renderOptions(p *plan.Plan) (f render.Format, l render.Options, err error) {
	if f, err = o.resolveFormat(); err != nil {
		return f, l, err
	}
	if rests, _ := p.WhatIf(); rests != "" && f.HoldsEvents() {
		return f, l, plan.ErrWhatIf
	}
	if l, err = workflow.RenderOptions(o.shape, p, f); err != nil {
		return f, l, err
	}
	if l.Title != "" && !f.Titled && (o.formatName != "" || o.file != "") {
		return f, l, &rows.OptionError{Option: "title", IsPredicate: true, Err: f.TitleError()}
	}
	if o.shape.Sort == nil {
		l.GroupBy = o.groupBy
	}
	if l.Title == "" && f.HoldsEvents() {
		l.Title = o.calendarTitle
	}
	width, terminal := o.app.terminalWidth()
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

// argCount checks how many arguments there are and says what is missing.
func argCount(least, most int, what string) cobra.PositionalArgs {
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

// checkOptions checks the values of options.
func checkOptions(options []*declare.Key, env eval.Env) error {
	for _, o := range options {
		if err := o.Check(env); err != nil {
			return err
		}
	}
	return declare.CheckCombination(options)
}
