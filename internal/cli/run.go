package cli

import (
	"errors"
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"github.com/spf13/cobra"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/files"
	"yoyaku/internal/ical"
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
	anyway      bool
	keep        bool                                // what was released goes before what is now
	by, logNote string                              // of the line in the log; none where by is empty
	together    bool                                // what became of each file is part of the result
	note        func(out *plan.Output, text string) // tells of an output

	series  []*schedule.Series
	span    civil.Span
	sums    []schedule.Summary
	stage   *files.Stage
	asides  map[string]string // files that bad rows go to, and the records of which
	staging *sync.Mutex       // outputs are made beside each other
	told    []told
	cut     int // occurrences that the window's edge cuts
	listed  int // rows of the last output, below 0 where that says nothing
	moved   []schedule.Difference
	hashes  map[string]string // of outputs
	// earlier are the calendars that stand in the places of new ones.
	earlier map[string]func() (*ical.Earlier, error)
}

// told is what became of an output, or a note of some.
type told struct {
	of, text string
	note     bool
}

func (a *App) runCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "run [PLAN …]",
		Short: "Make every schedule and output of a plan",
		Long: `Make all outputs of a plan (yoyaku.yaml in this folder unless named), and print a
line for each series. All files appear together, or none does and the older ones
stay. With --by, a line is added to yoyaku-log.jsonl beside the plan: what was read and
written, by their hashes, and each date that moved.`,
		Example: `  yoyaku run
  yoyaku run yoyaku.yaml --window 2027-H1 --out half
  yoyaku run --series crew-pay,safety-drill
  yoyaku run --by "A. Gull" --note "pay calendar sent out"`,
	}
	s := a.settings(c, false)
	r := a.newRun()
	options := bindAll(c, []*question.Option{
		{Name: "window", Help: "`SPAN` instead of the plan's window", Into: &r.window},
		{Name: "out", Help: "`FOLDER` for the outputs (default: the plan's)", Into: &r.dir},
		{Name: "series", List: true, Complete: "series", Help: "`NAMES` of the series to make anew, with commas; others stay\nas they are in files that they share", Into: &r.only},
		{Name: "anyway", Kind: question.Yes, Help: "write although an expectation isn't met", Into: &r.anyway},
		r.keepOption(),
		{Name: "by", Help: "`NAME` of who runs it: adds a line to the plan's log", Into: &r.by},
		{Name: "note", With: []string{"by"}, Help: "`TEXT` for that line", Into: &r.logNote},
	}, []*question.Option{r.out.formatOption(), r.out.colorOption()})
	s.completeOptions(c, options, nil)
	c.RunE = func(_ *cobra.Command, args []string) error {
		if err := valid(options, eval.Env{}); err != nil {
			return err
		}
		s.files = nil // the log of each tells what that one read
		s.hash = r.by != ""
		plans, err := s.plans(args, "run")
		if err != nil {
			return err
		}
		return r.do(plans...)
	}
	return c
}

func (a *App) newRun() *run {
	r := &run{app: a, stage: &files.Stage{}, staging: &sync.Mutex{}, asides: map[string]string{}, out: output{app: a, shape: &question.Shape{}, formats: report.Names(false)}}
	r.note = func(out *plan.Output, text string) {
		if i := slices.IndexFunc(r.told, func(t told) bool { return t.note && t.text == text }); i >= 0 {
			if of := strings.Split(r.told[i].of, ", "); of[len(of)-1] != out.File {
				r.told[i].of += ", " + out.File // once for all outputs of one table
			}
			return
		}
		r.told = append(r.told, told{out.File, text, true})
	}
	return r
}

// expect holds the plan against what it expects, and its days by hand and owners; a
// fail stops the run.
func (r *run) expect() error {
	found, err := r.plan.Expectations(r.series, r.span, r.place(&plan.Output{File: "records"}))
	if err != nil {
		return err
	}
	wrong := r.plan.Faults()
	if len(found)+len(wrong) == 0 {
		return nil
	}
	for _, f := range append(slices.Clone(wrong), found...) {
		line := ""
		for i, c := range f.Cells()[1:] {
			if text := c.String(); text != "" {
				line += map[bool]string{true: "", false: ": "}[i == 0] + text
			}
		}
		r.app.warn("%s", line)
	}
	if len(wrong) > 0 {
		return &answerNo{"yoyaku: " + phrase.Several(len(wrong), "entry") + " can't be right, so nothing is written; yoyaku check tells all"}
	}
	said := phrase.Several(len(found), "expectation") + " not met"
	if r.anyway {
		r.app.warn("%s, and written all the same", said)
		return nil
	}
	return &answerNo{"yoyaku: " + said + ", so nothing is written; yoyaku check tells all, --anyway writes all the same"}
}

// do makes all outputs of plans and reports on their series.
func (r *run) do(plans ...*plan.Plan) error {
	defer question.Garbage(1000)()
	runs := make([]*run, len(plans))
	for i, p := range plans {
		if runs[i] = r; len(plans) > 1 {
			runs[i] = r.another()
		}
		runs[i].plan = p
		if err := p.Files.Output(r.app.Out); err != nil { // the report
			return err
		}
		defer runs[i].stage.Drop()
	}
	if err := r.known(plans); err != nil {
		return err
	}
	for _, one := range runs { // what the others write is none of its files
		for _, other := range runs {
			for _, out := range other.plan.Outputs {
				if one == other {
					continue
				}
				if err := one.plan.Files.Write(other.path(out)); err != nil {
					return out.Fault(err)
				}
			}
		}
	}
	for _, one := range runs {
		if err := one.make(); err != nil {
			return one.of(err, len(runs))
		}
	}
	if r.by != "" {
		unlock, err := r.log(runs)
		defer unlock()
		if err != nil {
			return err
		}
	}
	for _, one := range runs {
		if err := one.stage.Commit(); err != nil {
			return err
		}
	}
	return r.report(runs)
}

// another is a run that is told the same.
func (r *run) another() *run {
	one := r.app.newRun()
	one.out, one.window, one.dir, one.only, one.anyway, one.keep, one.by, one.logNote = r.out, r.window, r.dir, r.only, r.anyway, r.keep, r.by, r.logNote
	return one
}

// of says of which plan an answer is, where there are several.
func (r *run) of(err error, plans int) error {
	var no *answerNo
	if plans > 1 && errors.As(err, &no) {
		return &answerNo{strings.Replace(no.text, "yoyaku: ", "yoyaku: "+r.plan.Path+": ", 1)}
	}
	return err
}

// folder is where the outputs go.
func (r *run) folder() string {
	if r.dir == "" {
		return filepath.Dir(r.plan.Path)
	}
	return r.dir
}

// path is that of an output.
func (r *run) path(out *plan.Output) string {
	return filepath.Join(r.folder(), filepath.FromSlash(out.File))
}

// known refuses names of --series that no plan has.
func (r *run) known(plans []*plan.Plan) error {
	for _, name := range r.only {
		if !slices.ContainsFunc(plans, func(p *plan.Plan) bool { return p.FindAll(name) != nil }) {
			place := plans[0].Place()
			return rows.In("series", place.UnknownSeries(name))
		}
	}
	return nil
}

// make makes the outputs of the plan, and stages them.
func (r *run) make() (err error) {
	r.choose()
	if r.span, err = r.windowOf(); err != nil {
		return err
	}
	if err := r.keepReleased(); err != nil {
		return err
	}
	for _, s := range r.series {
		sum, err := schedule.Summarise(s, r.span, r.plan.Env.Today)
		if err != nil {
			return fmt.Errorf("series %s: %w", s.Name, err)
		}
		r.sums = append(r.sums, sum)
	}
	for _, step := range []func() error{r.expect, r.hold, r.outputs, r.strict} {
		if err := step(); err != nil {
			return err
		}
	}
	return nil
}

// choose picks the series named by --series.
func (r *run) choose() {
	if r.only == nil {
		r.series = r.plan.Series
		return
	}
	for _, name := range r.only {
		for _, s := range r.plan.FindAll(name) {
			if !slices.Contains(r.series, s) {
				r.series = append(r.series, s)
			}
		}
	}
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
		if s.Endless() {
			return civil.Span{}, usagef("%s: the series `%s` has no end; give the plan a window (window: 2027), or use --window", r.plan.Path, s.Name)
		}
	}
	return civil.Always, nil
}

// report prints a line for each series, and tells what else there is to know.
func (r *run) report(runs []*run) error {
	format, look, err := r.out.dress(runs[0].plan)
	if err != nil {
		return err
	}
	sink, err := format.Sink(r.app.Out, look)
	if err != nil {
		return err
	}
	columns := schedule.SummaryColumns
	if len(runs) > 1 {
		columns = append([]string{"plan"}, columns...)
	}
	err = rows.Result{To: sink}.Lines(columns, runs[0].plan.Env, func(yield func([]eval.Value, error) bool) {
		for _, one := range runs {
			for _, s := range one.sums {
				cells := s.Cells()
				if len(runs) > 1 {
					cells = append([]eval.Value{eval.Str(one.plan.ID)}, cells...)
				}
				if !yield(cells, nil) {
					return
				}
			}
		}
	})
	if err != nil {
		return err
	}
	var said []string
	for _, one := range runs {
		if one.together { // for a reader, not for a program
			fmt.Fprint(r.app.said, "\nIts files:\n")
		}
		for _, t := range one.told {
			line := fmt.Sprintf("  %s: %s", t.of, t.text)
			if len(runs) > 1 {
				line = "  " + one.plan.ID + strings.TrimPrefix(line, " ")
			}
			if one.together {
				fmt.Fprintln(r.app.said, report.CleanLines(line))
			} else {
				r.app.note("%s", line)
			}
		}
		for _, text := range one.plan.Told {
			r.app.note("%s", text)
		}
		if one.cut > 0 {
			r.app.warn("the window cuts %s: a date or a milestone lies outside of it and is not listed", phrase.Several(one.cut, "occurrence"))
		}
		for _, w := range one.warnings() {
			if !slices.Contains(said, w) {
				said = append(said, w)
				r.app.warn("%s", w)
			}
		}
	}
	return nil
}

// warnings are what may be wrong with the result.
func (r *run) warnings() (list []string) {
	for _, s := range r.sums {
		if s.Blank > 0 {
			list = append(list, fmt.Sprintf("%s: %s for which the steps after `then` give no date, and so not listed", s.Series.Name, phrase.Several(s.Blank, "nominal date")))
		}
		if s.Provisional > 0 {
			list = append(list, fmt.Sprintf("%s: %s provisional, and may move once the calendars know more", s.Series.Name, phrase.IsAre(s.Provisional, "date")))
		}
	}
	return append(list, r.plan.Warnings()...)
}

// strict stops a run that warns, where the plan says so.
func (r *run) strict() error {
	if !r.plan.Strict {
		return nil
	}
	warnings := r.warnings()
	for _, t := range r.told {
		if t.note {
			warnings = append(warnings, t.of+": "+t.text)
		}
	}
	for _, w := range warnings {
		r.app.warn("%s", w)
	}
	if len(warnings) > 0 {
		return &answerNo{"yoyaku: the plan is strict and there are warnings, so nothing is written"}
	}
	return nil
}
