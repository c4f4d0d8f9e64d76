package cli

import (
	"bytes"
	"errors"
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
	together    bool                                // what became of each file is part of the result
	note        func(out *plan.Output, text string) // tells of an output

	series []*schedule.Series
	span   civil.Span
	sums   []schedule.Summary
	stage  files.Stage
	told   []told
	cut    int  // occurrences that the window's edge cuts
	empty  bool // the last output had no date
}

// told is what became of an output, or a note of some.
type told struct {
	of, text string
	note     bool
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
	options := bindAll(c, []*question.Option{
		{Name: "window", Help: "`SPAN` instead of the plan's window", Into: &r.window},
		{Name: "out", Help: "`FOLDER` for the outputs (default: the plan's)", Into: &r.dir},
		{Name: "series", List: true, Complete: "series", Help: "`NAMES` of the series to make anew, with commas; others stay\nas they are in files that they share", Into: &r.only},
		{Name: "anyway", Kind: question.Yes, Help: "write although an expectation isn't met", Into: &r.anyway},
		r.keepOption(),
	}, []*question.Option{r.out.formatOption(), r.out.colorOption()})
	s.completeOptions(c, options, nil)
	c.RunE = func(_ *cobra.Command, args []string) error {
		if err := s.planArgument(args, "run"); err != nil {
			return err
		}
		if err := valid(options, eval.Env{}); err != nil {
			return err
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
	r := &run{app: a, out: output{app: a, shape: &question.Shape{}, formats: report.Names(false)}}
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
		for i, c := range f.Cells(false)[1:] {
			if text := c.String(); text != "" {
				line += map[bool]string{true: "", false: ": "}[i == 0] + text
			}
		}
		r.app.warn("%s", line)
	}
	if len(wrong) > 0 {
		return &answerNo{"yoyaku: " + question.Several(len(wrong), "entry") + " can't be right, so nothing is written; yoyaku check tells all"}
	}
	said := question.Several(len(found), "expectation") + " not met"
	if r.anyway {
		r.app.warn("%s, and written all the same", said)
		return nil
	}
	return &answerNo{"yoyaku: " + said + ", so nothing is written; yoyaku check tells all, --anyway writes all the same"}
}

// do makes all outputs of a plan and reports on its series.
func (r *run) do(p *plan.Plan) (err error) {
	r.plan = p
	defer question.Garbage(400)()
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
	if err := r.keepReleased(); err != nil {
		return err
	}
	for _, s := range r.series {
		sum, err := schedule.Summarise(s, r.span, p.Env.Today)
		if err != nil {
			return fmt.Errorf("series %s: %w", s.Name, err)
		}
		r.sums = append(r.sums, sum)
	}
	if err := r.expect(); err != nil {
		return err
	}
	if err := r.hold(); err != nil {
		return err
	}
	if err := r.outputs(); err != nil {
		return err
	}
	if err := r.strict(); err != nil {
		return err
	}
	if err := r.stage.Commit(); err != nil {
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
		found := r.plan.FindAll(name)
		if found == nil {
			return rows.In("series", place.UnknownSeries(name))
		}
		for _, s := range found {
			if !slices.Contains(r.series, s) {
				r.series = append(r.series, s)
			}
		}
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
		if s.Endless() {
			return civil.Span{}, usagef("%s: the series `%s` has no end; give the plan a window (window: 2027), or use --window", r.plan.Path, s.Name)
		}
	}
	return civil.Always, nil
}

// outputs makes the plan's files and stages them, so that all are right before the first
// is put in place.
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
		if len(of) == 0 && (len(out.Of) > 0 || len(r.series) < len(r.plan.Series)) {
			continue
		}
		path := filepath.Join(r.dir, filepath.FromSlash(out.File))
		var b bytes.Buffer
		if err := r.output(&b, out, of); errors.Is(err, ical.ErrEmpty) {
			if out.Owner == "" {
				r.told = append(r.told, told{of: out.File, text: "not written, since there is no event in it"})
			}
			continue
		} else if err != nil {
			return out.Fault(err)
		}
		if out.Owner != "" && r.empty && files.Missing(path) {
			continue
		}
		r.told = append(r.told, told{of: out.File, text: became(path, out, b.Bytes())})
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
	return nil
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
		job := r.plan.Job(out.Record, r.place(out))
		if job.Shape, job.To = out.Shape, sink; out.Make != nil {
			job.Question = out.Make
		}
		return job.Answer()
	}
	if out.Drawn() {
		place := r.place(out)
		place.Window = &r.span
		job := &question.Job{Place: &place, Question: out.Make, Shape: out.Shape, To: sink}
		for _, s := range out.Of {
			job.Args = append(job.Args, s.Name)
		}
		return job.Answer()
	}
	if out.Days() {
		place := r.place(out)
		job := &question.Job{Place: &place, Question: out.Make, Args: []string{out.Window}, Shape: out.Shape, To: sink}
		if out.Window == "" {
			job.Args[0] = r.span.First.String() + ".." + r.span.Last.String()
		}
		return job.Answer()
	}
	result := rows.Result{Where: out.Shape.Where, Sort: out.Shape.Sort, Columns: out.Shape.Columns, To: sink}
	if out.Wide() { // a table of one series is wide, however many --series leaves
		columns, lines := schedule.Wide(of[0], r.span)
		return result.Lines(columns, r.plan.Env, lines)
	}
	if out.Format.Events {
		return r.calendar(out, of, sink, result)
	}
	events, err := r.events(out, of)
	if r.empty = len(events) == 0; err == nil {
		a := r.agenda(out)
		err = result.Lines(a.Columns(), r.plan.Env, a.Lines(events, r.plan.ZoneName()))
	}
	return err
}

// calendar makes a calendar file of series and of rows.
func (r *run) calendar(out *plan.Output, of []*schedule.Series, sink rows.Sink, result rows.Result) error {
	entries, err := r.entries(out, of)
	if err != nil {
		return err
	}
	a := r.agenda(out)
	if entries, err = rows.Kept(result, entries, a.Columns(), r.plan.Env, func(e schedule.Entry) []eval.Value { return a.Row(nil, r.plan.Event(e), r.plan.ZoneName()) }); err != nil {
		return err
	}
	id := func(*schedule.Series) string { return r.plan.ID }
	list, err := out.Form.Events(entries, id, r.plan.Event)
	if err != nil {
		return err
	}
	if len(of) == len(out.Of) { // what others have stays by following the earlier calendar
		of, err := r.ofRows(out)
		if err != nil {
			return err
		}
		if of, err = rows.Kept(result, of, a.Columns(), r.plan.Env, func(e schedule.Event) []eval.Value { return a.Row(nil, e, r.plan.ZoneName()) }); err != nil {
			return err
		}
		for _, e := range of {
			list = append(list, out.Form.Of(e))
		}
	}
	schedule.SortEvents(list, order(out), r.plan.Midnight())
	if err := r.follow(out, of, sink); err != nil {
		return err
	}
	if err := sink.(question.Events).Events(list); err != nil {
		return err
	}
	if doubts := sink.(*ical.Sink).Doubts(); doubts != "" {
		r.note(out, doubts)
	}
	return nil
}

// follow makes a calendar follow the file that stands in its place: what is as it was
// stays, what changed is told so, what is gone is cancelled.
func (r *run) follow(out *plan.Output, of []*schedule.Series, sink rows.Sink) error {
	path := filepath.Join(r.dir, filepath.FromSlash(out.File))
	earlier, err := ical.Earliest(path)
	if err != nil || earlier == nil {
		return err
	}
	narrowed := len(of) < len(out.Of)
	named := func(series string) bool {
		return slices.ContainsFunc(of, func(s *schedule.Series) bool { return s.Name == series })
	}
	elsewhere := schedule.Elsewhere(of, r.span, out.Whole, func(*schedule.Series) string { return r.plan.ID })
	f := &ical.Follow{Earlier: earlier, Window: r.span, Today: r.plan.Env.Today, Plans: []string{r.plan.ID}, Order: order(out)}
	f.Left = func(series string) bool { return narrowed && !named(series) }
	f.Elsewhere = func(uid string) (e schedule.Event, _ bool) {
		entry, ok := elsewhere(uid)
		if ok = ok && out.Has(r.plan.Event(entry)); ok {
			e = out.Form.Of(r.plan.Event(entry))
		}
		return e, ok
	}
	f.Within = func(uid string, at eval.Value) bool { return r.plan.Within(uid, at, r.span, out.Whole) }
	sink.(*ical.Sink).Follow(f)
	return nil
}

// entries are the dates and milestones of series that an output has.
func (r *run) entries(out *plan.Output, of []*schedule.Series) (entries []schedule.Entry, err error) {
	cut := 0
	if out.Whole {
		entries, err = schedule.Whole(of, r.span)
	} else {
		entries, cut, err = schedule.Entries(of, r.span)
	}
	r.cut = max(r.cut, cut)
	if out.Owner != "" {
		entries = slices.DeleteFunc(entries, func(e schedule.Entry) bool { return !out.Has(r.plan.Event(e)) })
	}
	return entries, err
}

// events are the dates, milestones and events of rows that an agenda shows, by date.
func (r *run) events(out *plan.Output, of []*schedule.Series) (events []schedule.Event, err error) {
	entries, err := r.entries(out, of)
	if err != nil {
		return nil, err
	}
	for _, e := range entries {
		events = append(events, r.plan.Event(e))
	}
	var more []schedule.Event
	if len(of) < len(out.Of) {
		more, err = r.others(out, of)
	} else {
		more, err = r.ofRows(out)
	}
	events = append(events, more...)
	schedule.SortEvents(events, order(out), r.plan.Midnight())
	return events, err
}

// agenda is how an output lists its events.
func (r *run) agenda(out *plan.Output) schedule.Agenda {
	return schedule.AgendaOf(out.Of, r.plan.ZoneName())
}

// ofRows are the events of an output's records.
func (r *run) ofRows(out *plan.Output) (events []schedule.Event, err error) {
	for _, rec := range out.Rows {
		list, err := r.plan.Events(rec, r.span, r.place(out))
		if err != nil {
			return nil, err
		}
		events = append(events, list...)
	}
	return events, nil
}

// order is that of an output's series and records on one day.
func order(out *plan.Output) (list []string) {
	for _, s := range out.Of {
		list = append(list, s.Name)
	}
	for _, rec := range out.Rows {
		list = append(list, rec.Name)
	}
	return list
}

// others are the dates of series that --series left out, as they stand in the file
// that they share.
func (r *run) others(out *plan.Output, of []*schedule.Series) ([]schedule.Event, error) {
	var named []string
	for _, s := range of {
		named = append(named, s.Name)
	}
	path := filepath.Join(r.dir, filepath.FromSlash(out.File))
	list, err := question.OfOthers(path, named)
	if err != nil {
		return nil, fmt.Errorf("%s: what the other series have in it can't be read, so it isn't written over: %w", out.File, err)
	}
	for i := range list {
		if list[i].UID == "" {
			list[i].UID = schedule.UID(list[i], r.plan.ID)
		}
		if list[i].Category == "" {
			list[i].Category = list[i].Series
		}
	}
	return list, nil
}

// place is what a record's rows are asked from; notes are told with the output.
func (r *run) place(out *plan.Output) question.Place {
	place := r.plan.Place()
	place.Hold = nil // which is looked at once for all outputs
	place.Stdin = strings.NewReader("")
	place.Note = func(format string, args ...any) { r.note(out, fmt.Sprintf(format, args...)) }
	place.Warn = place.Note
	place.Create = func(path string) (io.Writer, error) {
		if !filepath.IsLocal(path) {
			return nil, fmt.Errorf("%s lies outside the output folder; outputs stay inside it", path)
		}
		return r.stage.Create(filepath.Join(r.dir, path))
	}
	return place
}

// keyOf checks that the key of a record is there, filled and names one row.
func (r *run) keyOf(rec *plan.Record) error {
	if rec.Key == "" {
		return nil
	}
	return rec.Fault(r.plan.Job(rec, r.place(&plan.Output{File: rec.Name})).CheckKey(rec.Key))
}

// became tells what becomes of an output: how it differs from the file that
// stands there.
func became(path string, out *plan.Output, data []byte) string {
	f, err := os.Open(path)
	isNew := err != nil
	if !isNew {
		defer f.Close()
	}
	wide := out.Wide()
	dates := ""
	now, err := question.ReadEvents(out.File, "", bytes.NewReader(data))
	if err == nil && out.Record == nil {
		n := len(now)
		if wide { // a row is a date with its milestones
			n = len(slices.DeleteFunc(slices.Clone(now), func(e schedule.Event) bool { return e.What != "date" }))
		}
		dates = ", " + question.Several(n, "date")
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
	was, err := question.ReadEvents(path, "", f)
	if err != nil {
		return "replaced" + dates
	}
	list, t := schedule.Differences(was, now, func(schedule.Event) bool { return true })
	if wide {
		t = schedule.Occurrences(list)
	}
	return "changed (" + t.Words() + ")" + dates
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
	if r.together { // for a reader, not for a program
		fmt.Fprint(r.app.Out, "\nIts files:\n")
	}
	for _, t := range r.told {
		if line := fmt.Sprintf("  %s: %s", t.of, t.text); r.together {
			fmt.Fprintln(r.app.Out, report.CleanLines(line))
		} else {
			r.app.note("%s", line)
		}
	}
	if r.cut > 0 {
		r.app.warn("the window cuts %s: a date or a milestone lies outside of it and is not listed", question.Several(r.cut, "occurrence"))
	}
	for _, w := range r.warnings() {
		r.app.warn("%s", w)
	}
	return nil
}

// warnings are what may be wrong with the result.
func (r *run) warnings() (list []string) {
	for _, s := range r.sums {
		if s.Blank > 0 {
			list = append(list, fmt.Sprintf("%s: %s for which the steps after `then` give no date, and so not listed", s.Series.Name, question.Several(s.Blank, "nominal date")))
		}
		if s.Provisional > 0 {
			list = append(list, fmt.Sprintf("%s: %s provisional, and may move once the calendars know more", s.Series.Name, isAre(s.Provisional, "date")))
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
