package cli

import (
	"bytes"
	"fmt"
	"io"
	"os"
	"path/filepath"
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

// run is a plan being run.
type run struct {
	app         *App
	plan        *plan.Plan
	out         output // of the report
	window, dir string
	only        []string

	series []*schedule.Series
	span   civil.Span
	sums   []schedule.Summary
	stage  files.Stage
	told   []string // what became of each output
	cut    int      // occurrences that the window's edge cuts
}

func (a *App) runCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "run [PLAN]",
		Short: "Make every schedule and output of a plan",
		Long: `Make all outputs of a plan (yoyaku.yaml in this folder unless named), and print a
line for each series. All files appear together, or none does and the older ones
stay.`,
		Example: `  yoyaku run
  yoyaku run yoyaku.yaml --window 2027-H1 --out half
  yoyaku run --series crew-pay,safety-drill`,
		Args: needArgs(0, 1, ""),
	}
	s := a.settings(c, false)
	r := a.newRun()
	options := append([]*question.Option{
		{Name: "window", Help: "`SPAN` instead of the plan's window", Into: &r.window},
		{Name: "out", Help: "`FOLDER` for the outputs (default: the plan's)", Into: &r.dir},
		{Name: "series", List: true, Complete: "series", Help: "`NAMES` of the series to make, with commas", Into: &r.only},
	}, r.out.formatOption(), r.out.colorOption())
	bind(c, options)
	s.completeOptions(c, options, nil)
	c.RunE = func(_ *cobra.Command, args []string) error {
		if s.plan = plan.FileName; len(args) == 1 {
			s.plan = args[0]
		} else if _, err := os.Stat(s.plan); err != nil {
			return usagef("there is no yoyaku.yaml in this folder; name a plan: yoyaku run PLAN, or start with yoyaku demo")
		}
		for _, o := range options {
			if err := o.Check(eval.Env{}); err != nil {
				return err
			}
		}
		p, err := s.load()
		if err != nil {
			return err
		}
		return r.do(p)
	}
	return c
}

func (a *App) newRun() *run {
	return &run{app: a, out: output{app: a, shape: &question.Shape{}, formats: report.Names(false)}}
}

// do makes all outputs of a plan and reports on its series.
func (r *run) do(p *plan.Plan) (err error) {
	r.plan = p
	defer r.stage.Drop()
	if r.dir == "" {
		r.dir = filepath.Dir(p.Path)
	}
	if err := r.choose(); err != nil {
		return err
	}
	if r.span, err = r.windowOf(); err != nil {
		return err
	}
	for _, s := range r.series {
		sum, err := schedule.Summarise(s, r.span, p.Env.Today)
		if err != nil {
			return fmt.Errorf("series %s: %w", s.Name, err)
		}
		r.sums = append(r.sums, sum)
	}
	if err := r.outputs(); err != nil {
		return err
	}
	return r.report()
}

// choose picks the series named by --series.
func (r *run) choose() error {
	if r.only == nil {
		r.series = r.plan.Series
		return nil
	}
	place := r.plan.Place()
	for _, name := range r.only {
		s := r.plan.Find(name)
		if s == nil {
			return rows.In("series", place.UnknownSeries(name))
		}
		r.series = append(r.series, s)
	}
	return nil
}

// windowOf settles on the window: the option's, the plan's, or where there is
// neither all time, if every series ends by itself.
func (r *run) windowOf() (civil.Span, error) {
	if r.window != "" {
		w, err := eval.Window(r.window, r.plan.Env)
		return w, rows.In("window", err)
	}
	if r.plan.Window != nil {
		return *r.plan.Window, nil
	}
	for _, s := range r.series {
		if s.Rec.Rule.Endless() {
			return civil.Span{}, usagef("%s: the series `%s` has no end; give the plan a window (window: 2027), or use --window", r.plan.Path, s.Name)
		}
	}
	return civil.Always, nil
}

// outputs makes the plan's files, and only when all are right begins to write:
// all are staged before the first is put in place.
func (r *run) outputs() error {
	type made struct {
		path string
		data []byte
	}
	var list []made
	for _, out := range r.plan.Outputs {
		path := filepath.Join(r.dir, filepath.FromSlash(out.File))
		if err := files.Inside(r.dir, path); err != nil {
			return err
		}
		if err := r.plan.Files.Write(path); err != nil {
			return out.Fault(err)
		}
	}
	for _, rec := range r.plan.Records {
		if err := r.keyOf(rec); err != nil {
			return err
		}
	}
	for _, out := range r.plan.Outputs {
		of := slices.DeleteFunc(slices.Clone(out.Of), func(s *schedule.Series) bool { return !slices.Contains(r.series, s) })
		if len(of) == 0 && (out.Record == nil || len(r.series) < len(r.plan.Series)) {
			continue
		}
		path := filepath.Join(r.dir, filepath.FromSlash(out.File))
		var b bytes.Buffer
		if err := r.output(&b, out, of); err != nil {
			return out.Fault(err)
		}
		r.told = append(r.told, "  "+out.File+": "+became(path, out, b.Bytes()))
		if !files.Same(path, b.Bytes()) {
			list = append(list, made{path, b.Bytes()})
		}
	}
	for _, m := range list {
		if err := os.MkdirAll(filepath.Dir(m.path), 0o755); err != nil {
			return err
		}
		w, err := r.stage.Create(m.path)
		if err == nil {
			_, err = w.Write(m.data)
		}
		if err != nil {
			return err
		}
	}
	return r.stage.Commit()
}

// output makes one output.
func (r *run) output(w io.Writer, out *plan.Output, of []*schedule.Series) error {
	l, err := look(&out.Shape, r.plan)
	if err != nil {
		return err
	}
	if out.Format.Events {
		l.Title = r.plan.Title
	}
	sink, err := out.Format.Sink(w, l)
	if err != nil {
		return err
	}
	if out.Record != nil {
		job := r.job(out.Record)
		job.Note = func(format string, args ...any) {
			r.told = append(r.told, "  "+out.File+": "+fmt.Sprintf(format, args...))
		}
		if job.Shape, job.To = out.Shape, sink; out.Make != nil {
			job.Question = out.Make
		}
		return job.Answer()
	}
	result := rows.Result{Where: out.Shape.Where, Sort: out.Shape.Sort, Columns: out.Shape.Columns, To: sink}
	if len(out.Of) == 1 && !out.Format.Events { // a table of one series is wide, however many --series leaves
		columns, lines := schedule.Wide(of[0], r.span)
		return result.Lines(columns, r.plan.Env, lines)
	}
	entries, cut, err := schedule.Entries(of, r.span)
	if err != nil {
		return err
	}
	r.cut = max(r.cut, cut)
	if !out.Format.Events {
		return result.Lines(schedule.AgendaColumns, r.plan.Env, schedule.Agenda(entries))
	}
	keeps, err := result.Keeps(schedule.AgendaColumns, r.plan.Env)
	if err != nil {
		return err
	}
	var events []schedule.Event
	for _, e := range entries {
		keep, err := keeps(schedule.AgendaRow(nil, e))
		if err != nil {
			return err
		}
		if keep {
			events = append(events, e.Event(r.plan.ID))
		}
	}
	return sink.(question.Events).Events(events)
}

// job asks something of a record; without a question, its table itself.
func (r *run) job(rec *plan.Record) *question.Job {
	place := r.plan.Place()
	place.Stdin, place.Warn, place.Note = strings.NewReader(""), r.app.warn, r.app.note
	place.Create = func(path string) (io.Writer, error) {
		if !filepath.IsLocal(path) {
			return nil, fmt.Errorf("%s lies outside the output folder; outputs stay inside it", path)
		}
		return r.stage.Create(filepath.Join(r.dir, path))
	}
	return &question.Job{Place: &place, Question: question.Plain(), Args: []string{rec.Table}, In: rec.In, Added: rec.Columns, Kept: rec.Where}
}

// keyOf checks that the key of a record is there, filled and names one row.
func (r *run) keyOf(rec *plan.Record) error {
	if rec.Key == "" {
		return nil
	}
	return rec.Fault(r.job(rec).CheckKey(rec.Key))
}

// became tells what becomes of an output: how it differs from the file that
// stands there.
func became(path string, out *plan.Output, data []byte) string {
	f, err := os.Open(path)
	isNew := err != nil
	if !isNew {
		defer f.Close()
	}
	now, err := question.ReadSnapshot(out.File, out.Format.Name, bytes.NewReader(data))
	dates := ""
	if out.Record == nil && err == nil {
		dates = ", " + question.Several(len(now), "date")
	}
	switch {
	case isNew:
		return "new" + dates
	case files.Same(path, data):
		return "unchanged" + dates
	case out.Record != nil:
		return "changed"
	case err != nil:
		return "made"
	}
	was, err := question.ReadSnapshot(path, out.Format.Name, f)
	if err != nil {
		return "replaced" + dates
	}
	return "changed (" + schedule.Compare(was, now).String() + ")" + dates
}

// report prints a line for each series, and tells what else there is to know.
func (r *run) report() error {
	format, look, err := r.out.dress(r.plan)
	if err != nil {
		return err
	}
	sink, err := format.Sink(r.app.Out, look)
	if err != nil {
		return err
	}
	err = rows.Result{To: sink}.Lines(schedule.SummaryColumns, r.plan.Env, func(yield func([]eval.Value, error) bool) {
		for _, s := range r.sums {
			if !yield(s.Cells(), nil) {
				return
			}
		}
	})
	if err != nil {
		return err
	}
	for _, line := range r.told {
		r.app.note("%s", line)
	}
	for _, s := range r.sums {
		if s.Blank > 0 {
			r.app.warn("%s: %s for which the steps after `then` give no date, and so not listed", s.Series.Name, question.Several(s.Blank, "nominal date"))
		}
	}
	if r.cut > 0 {
		r.app.warn("the window cuts %s: a date or a milestone lies outside of it and is not listed", question.Several(r.cut, "occurrence"))
	}
	for _, w := range r.plan.Warnings() {
		r.app.warn("%s", w)
	}
	return nil
}
