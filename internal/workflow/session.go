// Package workflow is a plan at work: what a run makes, follows, stages, holds and logs, and
// what check, ahead, compare, publish and release ask of a plan. It knows no clock, no
// stream and no terminal: today is in the plan's settings, words go through a Reporter.
package workflow

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/files"
	"yoyaku/internal/heap"
	"yoyaku/internal/plan"
	"yoyaku/internal/render"
)

// Request is what a user asks of a plan; the zero value asks for all that the plan says.
type Request struct {
	Window             string   // instead of the plan's
	Series             []string // names of series and patterns; nil for all
	Folder             string   // of the outputs; "" for the plan's own
	KeepReleased       bool     // what was released goes before what the plan gives now
	IgnoreExpectations bool     // an expectation that isn't met stops nothing
	By, Note           string   // of the line in the log; there is none where By is ""
}

// Reporter is where warnings and notes go while something is made. Neither function is nil.
type Reporter struct {
	Warn, Note func(format string, args ...any)
}

// noReports tells nobody.
var noReports = Reporter{func(string, ...any) {}, func(string, ...any) {}}

// Once returns a Reporter that gives the same warning once.
func (t Reporter) Once() Reporter {
	said := map[string]bool{}
	return Reporter{Note: t.Note, Warn: func(format string, args ...any) {
		if text := fmt.Sprintf(format, args...); !said[text] {
			said[text] = true
			t.Warn("%s", text)
		}
	}}
}

// Warnings says what the calendars that plans asked didn't know.
func (t Reporter) Warnings(plans ...*plan.Plan) {
	for _, p := range plans {
		t.WhatIf(p)
		for _, w := range p.Warnings() {
			t.Warn("%s", w)
		}
		t.titledEvents(p)
	}
}

// titledEvents notes which events took the title of their series.
func (t Reporter) titledEvents(p *plan.Plan) {
	for _, s := range p.Series {
		if text := s.TitledNote(); text != "" {
			t.Note("%s: %s", s.Name, text)
		}
	}
}

// WhatIf tells on which days that are tried the answers of a plan rest.
func (t Reporter) WhatIf(p *plan.Plan) {
	rests, notes := p.WhatIf()
	for _, text := range notes {
		t.Note("%s", text)
	}
	if rests != "" {
		t.Note("%s", rests)
	}
}

// NegativeError is the answer no: exit code 1, with what to say of it.
type NegativeError struct {
	Plan string // the plan, if several are at work
	Text string
}

// Error gives the text.
func (e *NegativeError) Error() string { return planSuffix(e.Plan) + e.Text }

// BreachError is the answer no because dates differ from what was released.
type BreachError struct {
	Name     string // the plan, if several are at work
	Plan     *plan.Plan
	Breaches []schedule.Breach
}

// Error says what can be done.
func (e *BreachError) Error() string {
	return planSuffix(e.Name) + schedule.CountBreaches(e.Breaches) + "; nothing was written. " +
		"Release the dates again (`yoyaku release`), keep the released ones (--keep-released), or give a reason under `instead` in the plan"
}

func planSuffix(path string) string {
	if path == "" {
		return ""
	}
	return path + ": "
}

// withPlanName says in an answer that is no of which plan it is.
func withPlanName(err error, p *plan.Plan) error {
	var no *NegativeError
	var breach *BreachError
	switch {
	case errors.As(err, &no):
		no.Plan = p.Path
	case errors.As(err, &breach):
		breach.Name = p.Path
	}
	return err
}

// Session is a plan at work for one request.
type Session struct {
	Plan   *plan.Plan
	Series []*schedule.Series // those that are asked for
	Span   civil.Span
	// What a run gives: a summary a series, what became of each output and what was noted
	// of it, and how many occurrences the window's edge cuts.
	Summaries      []schedule.Summary
	Results        []OutputResult
	CutOccurrences int

	records     []*plan.Record // of what is published
	request     Request
	reporter    Reporter
	onNote      func(of, text string) // takes notes of what isn't told at once
	stage       files.Stage
	stageLock   sync.Mutex        // outputs are made beside each other
	rejectFiles map[string]string // files that bad rows go to, and the records of which
	logData     logData
	ledger      *ledger
	recordMaker *recordMaker
	previous    previousCalendars
}

// OutputResult is what became of an output: new, changed, unchanged, replaced or not written,
// how much is in it, and in Text what changed; or it is a note of some.
type OutputResult struct {
	Output, State, Count, Text string
	Note                       bool
}

// newSession starts work on a plan: the series and the window that are requested.
func newSession(p *plan.Plan, a Request, reporter Reporter) (s *Session, err error) {
	s = newBareSession(p, a, reporter)
	if a.Series != nil {
		s.Series, _ = selectNamed(p, a.Series)
	}
	s.Span, err = s.window()
	return s, err
}

// newBareSession starts work on all series of a plan, without a window.
func newBareSession(p *plan.Plan, a Request, reporter Reporter) *Session {
	s := &Session{Plan: p, Series: p.Series, request: a, reporter: reporter, rejectFiles: map[string]string{}, ledger: newLedger(p), recordMaker: newRecordMaker(p)}
	s.onNote = s.note
	return s
}

// window is the option's, the plan's, or if there is neither all time, if every series
// ends by itself.
func (w *Session) window() (civil.Span, error) {
	if w.request.Window != "" {
		span, err := eval.ParseWindow(w.request.Window, w.Plan.Env)
		return span, rows.WrapOption("window", err)
	}
	if w.Plan.Window != nil {
		return *w.Plan.Window, nil
	}
	for _, s := range w.Series {
		if s.Endless() {
			return civil.Span{}, fmt.Errorf(
				"%s: the series `%s` has no end; write a window in the plan (window: 2027) or use --window", w.Plan.Path, s.Name)
		}
	}
	return civil.AllDays, nil
}

// note keeps a note of an output, once for all outputs of one table.
func (s *Session) note(of, text string) {
	i := slices.IndexFunc(s.Results, func(l OutputResult) bool { return l.Note && l.Text == text })
	if i < 0 {
		s.Results = append(s.Results, OutputResult{Output: of, Text: text, Note: true})
		return
	}
	if all := strings.Split(s.Results[i].Output, ", "); all[len(all)-1] != of {
		s.Results[i].Output += ", " + of
	}
}

// selectNamed gives the series and records of a plan that names say: of one, or of a pattern,
// which stands for all that are like it. Names that are none are passed over.
func selectNamed(p *plan.Plan, names []string) (series []*schedule.Series, records []*plan.Record) {
	for _, name := range names {
		found := p.FindAllSeries(name)
		for _, s := range found {
			if !slices.Contains(series, s) {
				series = append(series, s)
			}
		}
		if r := p.Record(name); found == nil && r != nil && !slices.Contains(records, r) {
			records = append(records, r)
		}
	}
	return series, records
}

// CheckNames refuses names that are no series of any of the plans; with records, those of
// records are known too.
func CheckNames(plans []*plan.Plan, names []string, records bool) error {
	for _, name := range names {
		if !slices.ContainsFunc(plans, func(p *plan.Plan) bool {
			return p.FindAllSeries(name) != nil || records &&
				p.Record(name) != nil
		}) {
			return plans[0].UnknownSeries(name)
		}
	}
	return nil
}

// CheckDistinctIDs refuses plans that have one id, by which the events of each are known.
func CheckDistinctIDs(plans []*plan.Plan) error {
	for i, p := range plans {
		for _, other := range plans[:i] {
			if other.ID == p.ID {
				return fmt.Errorf("%s and %s have the same id, %s; ids identify events, so give each plan its own",
					other.Path, p.Path, p.ID)
			}
		}
	}
	return nil
}

// folder is where the outputs go.
func (s *Session) folder() string {
	if s.request.Folder == "" {
		return filepath.Dir(s.Plan.Path)
	}
	return s.request.Folder
}

// path is that of an output.
func (s *Session) path(out *plan.Output) string {
	return filepath.Join(s.folder(), filepath.FromSlash(out.File))
}

// workspaceFor is what rows of records are asked from; out is the output that shows them, nil for
// none, and note takes what is reported about them.
func (s *Session) workspaceFor(out *plan.Output, note func(text string)) ask.Workspace {
	ws := newWorkspace(s.ledger, s.recordMaker)
	ws.BreachesChecked = true // once for all outputs
	ws.Stdin = strings.NewReader("")
	ws.Note = func(format string, args ...any) { note(fmt.Sprintf(format, args...)) }
	ws.Warn = ws.Note
	ws.ReserveFile = s.reserveRejects
	ws.CreateFile = func(asker, file string) (io.Writer, error) {
		if out == nil || s.firstOutputOf(asker) != out {
			return io.Discard, nil
		}
		s.stageLock.Lock()
		defer s.stageLock.Unlock()
		return s.stage.Create(filepath.Join(s.folder(), file))
	}
	return ws
}

// workspace is workspaceFor what isn't an output.
func (s *Session) workspace(what string) ask.Workspace {
	return s.workspaceFor(nil, func(text string) { s.onNote(what, text) })
}

// reserveRejects registers the file that bad rows of a record go to. What one output sets aside,
// the others would set aside too.
func (s *Session) reserveRejects(asker, file string) error {
	path := filepath.Join(s.folder(), file)
	if !filepath.IsLocal(file) {
		return fmt.Errorf("%s is outside the output folder; outputs must stay inside it", file)
	}
	if err := files.CheckInside(s.folder(), path); err != nil {
		return err
	}
	s.stageLock.Lock()
	defer s.stageLock.Unlock()
	if of, set := s.rejectFiles[path]; set && of == asker {
		return nil
	}
	if err := s.Plan.Files.AddOutput(path); err != nil {
		return err
	}
	s.rejectFiles[path] = asker
	return nil
}

// firstOutputOf is the first output that shows a record, itself or in what it makes; nil for
// none.
func (s *Session) firstOutputOf(record string) *plan.Output {
	for _, out := range s.Plan.Outputs {
		if out.Record != nil && out.Record.Name == record || slices.ContainsFunc(out.EventRecords,
			func(rec *plan.Record) bool { return rec.Name == record }) {
			return out
		}
	}
	return nil
}

// How much garbage may pile up beside what lives: some 50 MB, and a third more of that.
const gcBallastBytes, gcPercent = 160 << 20, 30

// LimitGarbage bounds garbage by an allowance rather than by a multiple of what lives: a small
// plan is made without a collection, a large one doesn't pile it up. done lifts the bound.
func LimitGarbage() (done func()) { return heap.BoundWithReserve(gcPercent, gcBallastBytes) }

const whatIf = " (what if)"

// RenderOptions is how a result with a shape is dressed in a format, as far as the plan says it.
func RenderOptions(s *ask.Shape, p *plan.Plan, f render.Format) (l render.Options, err error) {
	l = render.Options{Title: s.Title, AsOf: p.Env.Today, Plan: p.Title, GuardFormulas: s.Safe, Zone: p.Zone}
	if rests, _ := p.WhatIf(); rests != "" {
		switch {
		case l.Title != "":
			l.Title += whatIf
		case f.Name == "html":
			l.Title = "Dates" + whatIf
		}
	}
	if s.ShowDates != "" {
		if l.Dates, err = p.StrftimeIn(s.ShowDates, cmp.Or(s.Language, p.Env.Language)); err != nil {
			err = rows.WrapOption("show-dates", err)
		}
	}
	return l, err
}
