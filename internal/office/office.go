// Package office is a plan at work: what a run makes, follows, stages, holds and logs, and
// what check, ahead, compare, publish and release ask of a plan. It knows no clock, no
// stream and no terminal: today is in the plan's settings, words go through a Tell.
package office

import (
	"errors"
	"fmt"
	"io"
	"path/filepath"
	"runtime"
	"runtime/debug"
	"slices"
	"strings"
	"sync"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/files"
	"yoyaku/internal/plan"
	"yoyaku/internal/question"
	"yoyaku/internal/report"
)

// Asked is what is asked of a plan; the zero value asks for all that the plan says.
type Asked struct {
	Window   string   // instead of the plan's
	Series   []string // names of series and patterns; nil for all
	Folder   string   // of the outputs; "" for the plan's own
	Keep     bool     // what was released goes before what the plan gives now
	Anyway   bool     // an expectation that isn't met stops nothing
	By, Note string   // of the line in the log; there is none where By is ""
}

// Tell is where words for people go while something is made; none is nil.
type Tell struct {
	Warn, Note func(format string, args ...any)
}

// Silent tells nobody.
var Silent = Tell{func(string, ...any) {}, func(string, ...any) {}}

// Once is a Tell that says the same warning once.
func (t Tell) Once() Tell {
	said := map[string]bool{}
	return Tell{Note: t.Note, Warn: func(format string, args ...any) {
		if text := fmt.Sprintf(format, args...); !said[text] {
			said[text] = true
			t.Warn("%s", text)
		}
	}}
}

// Warnings says what the calendars that plans asked didn't know.
func (t Tell) Warnings(plans ...*plan.Plan) {
	for _, p := range plans {
		t.WhatIf(p)
		for _, w := range p.Warnings() {
			t.Warn("%s", w)
		}
	}
}

// WhatIf tells on which days that are tried the answers of a plan rest.
func (t Tell) WhatIf(p *plan.Plan) {
	rests, notes := p.WhatIf()
	for _, text := range notes {
		t.Note("%s", text)
	}
	if rests != "" {
		t.Note("%s", rests)
	}
}

// No is an answer that is no, with what to say of it.
type No struct {
	Of   string // the plan, if several are at work
	Text string
}

// Error gives the text.
func (e *No) Error() string { return ofPlan(e.Of) + e.Text }

// HeldError is an answer that is no since dates aren't as they were released.
type HeldError struct {
	Of   string // the plan, if several are at work
	Plan *plan.Plan
	List []schedule.Breach
}

// Error says what can be done.
func (e *HeldError) Error() string {
	return ofPlan(e.Of) + schedule.Differing(e.List) + "; nothing was written. " +
		"Release the dates again (`yoyaku release`), keep the released ones (--keep-released), or give a reason under `instead` in the plan"
}

func ofPlan(path string) string {
	if path == "" {
		return ""
	}
	return path + ": "
}

// named says in an answer that is no of which plan it is.
func named(err error, p *plan.Plan) error {
	var no *No
	var held *HeldError
	switch {
	case errors.As(err, &no):
		no.Of = p.Path
	case errors.As(err, &held):
		held.Of = p.Path
	}
	return err
}

// Work is a plan being worked with.
type Work struct {
	Plan   *plan.Plan
	Series []*schedule.Series // those that are asked for
	Span   civil.Span
	// What a run gives: a summary a series, what became of each output and what was noted
	// of it, and how many occurrences the window's edge cuts.
	Sums  []schedule.Summary
	Lines []Line
	Cut   int

	records []*plan.Record // of what is published
	asked   Asked
	tell    Tell
	noted   func(of, text string) // takes notes of what isn't told at once
	stage   files.Stage
	staging sync.Mutex        // outputs are made beside each other
	asides  map[string]string // files that bad rows go to, and the records of which
	written written
	ledger  *Ledger
	earlier earlier
}

// Line is what became of an output: new, changed, unchanged, replaced or not written,
// how much is in it, and in Text what changed; or it is a note of some.
type Line struct {
	Of, State, Count, Text string
	Note                   bool
}

// New settles what is asked of a plan: which series, and in which window.
func New(p *plan.Plan, a Asked, tell Tell) (w *Work, err error) {
	w = begin(p, a, tell)
	if a.Series != nil {
		w.Series, _ = pick(p, a.Series)
	}
	w.Span, err = w.window()
	return w, err
}

// begin is a work of which nothing is settled: all series, and no window.
func begin(p *plan.Plan, a Asked, tell Tell) *Work {
	w := &Work{Plan: p, Series: p.Series, asked: a, tell: tell, asides: map[string]string{}, ledger: LedgerOf(p)}
	w.noted = w.note
	return w
}

// window is the option's, the plan's, or if there is neither all time, if every series
// ends by itself.
func (w *Work) window() (civil.Span, error) {
	if w.asked.Window != "" {
		span, err := eval.Window(w.asked.Window, w.Plan.Env)
		return span, rows.In("window", err)
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
	return civil.Always, nil
}

// note keeps a note of an output, once for all outputs of one table.
func (w *Work) note(of, text string) {
	i := slices.IndexFunc(w.Lines, func(l Line) bool { return l.Note && l.Text == text })
	if i < 0 {
		w.Lines = append(w.Lines, Line{Of: of, Text: text, Note: true})
		return
	}
	if all := strings.Split(w.Lines[i].Of, ", "); all[len(all)-1] != of {
		w.Lines[i].Of += ", " + of
	}
}

// pick gives the series and records of a plan that names say: of one, or of a pattern,
// which stands for all that are like it. Names that are none are passed over.
func pick(p *plan.Plan, names []string) (series []*schedule.Series, records []*plan.Record) {
	for _, name := range names {
		found := p.FindAll(name)
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

// Known refuses names that are no series of any of the plans; with records, those of
// records are known too.
func Known(plans []*plan.Plan, names []string, records bool) error {
	for _, name := range names {
		if !slices.ContainsFunc(plans, func(p *plan.Plan) bool {
			return p.FindAll(name) != nil || records &&
				p.Record(name) != nil
		}) {
			place := plans[0].Place()
			return place.UnknownSeries(name)
		}
	}
	return nil
}

// Apart refuses plans that have one id, by which the events of each are known.
func Apart(plans []*plan.Plan) error {
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
func (w *Work) folder() string {
	if w.asked.Folder == "" {
		return filepath.Dir(w.Plan.Path)
	}
	return w.asked.Folder
}

// path is that of an output.
func (w *Work) path(out *plan.Output) string {
	return filepath.Join(w.folder(), filepath.FromSlash(out.File))
}

// place is what rows of records are asked from; out is the output that shows them, nil for
// none, and note takes what is reported about them.
func (w *Work) place(out *plan.Output, note func(text string)) question.Place {
	place := w.ledger.place()
	place.Ledger = nil // which is looked at once for all outputs
	place.Stdin = strings.NewReader("")
	place.Note = func(format string, args ...any) { note(fmt.Sprintf(format, args...)) }
	place.Warn = place.Note
	place.Reserve = w.reserve
	place.Create = func(asker, file string) (io.Writer, error) {
		if out == nil || w.firstOf(asker) != out {
			return io.Discard, nil
		}
		w.staging.Lock()
		defer w.staging.Unlock()
		return w.stage.Create(filepath.Join(w.folder(), file))
	}
	return place
}

// placeOf is place for what isn't an output.
func (w *Work) placeOf(what string) question.Place {
	return w.place(nil, func(text string) { w.noted(what, text) })
}

// reserve registers the file that bad rows of a record go to. What one output sets aside,
// the others would set aside too.
func (w *Work) reserve(asker, file string) error {
	path := filepath.Join(w.folder(), file)
	if !filepath.IsLocal(file) {
		return fmt.Errorf("%s is outside the output folder; outputs must stay inside it", file)
	}
	if err := files.Inside(w.folder(), path); err != nil {
		return err
	}
	w.staging.Lock()
	defer w.staging.Unlock()
	if of, set := w.asides[path]; set && of == asker {
		return nil
	}
	if err := w.Plan.Files.Write(path); err != nil {
		return err
	}
	w.asides[path] = asker
	return nil
}

// firstOf is the first output that shows a record, itself or in what it makes; nil for
// none.
func (w *Work) firstOf(record string) *plan.Output {
	for _, out := range w.Plan.Outputs {
		if out.Record != nil && out.Record.Name == record || slices.ContainsFunc(out.Rows,
			func(rec *plan.Record) bool { return rec.Name == record }) {
			return out
		}
	}
	return nil
}

// How much garbage may pile up beside what lives: some 50 MB, and a third more of that.
const ballast, percent = 160 << 20, 30

// Thrift bounds garbage by an allowance rather than by a multiple of what lives: a small
// plan is made without a collection, a large one doesn't pile it up. What it returns ends
// that.
func Thrift() (done func()) {
	room := make([]byte, ballast) // never touched, and so no memory
	was := debug.SetGCPercent(percent)
	return func() {
		debug.SetGCPercent(was)
		runtime.KeepAlive(room)
	}
}

const whatIf = " (what if)"

// Look is how a result with a shape is dressed in a format, as far as the plan says it.
func Look(s *question.Shape, p *plan.Plan, f report.Format) (l report.Look, err error) {
	l = report.Look{Title: s.Title, AsOf: p.Env.Today, Plan: p.Title, Safe: s.Safe, Zone: p.Zone}
	if rests, _ := p.WhatIf(); rests != "" {
		switch {
		case l.Title != "":
			l.Title += whatIf
		case f.Name == "html":
			l.Title = "Dates" + whatIf
		}
	}
	if s.ShowDates != "" {
		if l.Dates, err = p.Env.Strftime(s.ShowDates); err != nil {
			err = rows.In("show-dates", err)
		}
	}
	return l, err
}
