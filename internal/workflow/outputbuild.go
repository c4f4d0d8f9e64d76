package workflow

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"slices"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/files"
	"yoyaku/internal/ical"
	"yoyaku/internal/plan"
	"yoyaku/internal/query"
	"yoyaku/internal/render"
)

// outputBuild is an output in the making, and what became of it. Several are made at once.
type outputBuild struct {
	*Session
	out            *plan.Output
	series         []*schedule.Series // of the output, those that are asked for
	data           *files.Spool
	unchanged      bool // as the file that is there
	err            error
	numListed      int // rows or events, below 0 if that says nothing
	cutOccurrences int // occurrences that the window cuts
	outcome        OutputResult
	numRows        int // of records
	moved          []schedule.Difference
	notes          []string
	done           chan struct{}
}

// writeOutput makes one output of the plan with all its series, stages nothing, and gives what
// is noted of it.
func (s *Session) writeOutput(to io.Writer, out *plan.Output) (notes []string, err error) {
	m := &outputBuild{Session: s, out: out, series: out.Series}
	defer s.stage.Discard()
	err = m.write(to)
	return m.notes, err
}

// buildOutputs makes the plan's files and stages them, so that all are right before the first
// is put in place.
func (w *Session) buildOutputs() error {
	for _, out := range w.Plan.Outputs {
		path := w.path(out)
		if err := files.CheckInside(w.folder(), path); err != nil {
			return err
		}
		if err := w.Plan.Files.AddOutput(path); err != nil {
			return out.WrapError(err)
		}
	}
	for _, rec := range w.Plan.Records {
		if err := w.checkRecordKey(rec); err != nil {
			return err
		}
	}
	w.prefetchPrevious()
	w.recordMaker.countReaders()
	var list []*outputBuild
	room := make(chan struct{}, runtime.GOMAXPROCS(0))
	for _, out := range w.Plan.Outputs {
		series := slices.DeleteFunc(slices.Clone(out.Series), func(s *schedule.Series) bool { return !slices.Contains(w.Series, s) })
		if len(series) > 0 || len(out.Series) == 0 && len(w.Series) == len(w.Plan.Series) {
			list = append(list, w.startBuild(out, series, room))
		}
	}
	for _, m := range list {
		<-m.done
		defer m.data.Discard()
	}
	list, err := w.collectBuilds(list)
	if err != nil {
		return err
	}
	gone, err := w.retiredOutputs()
	if err != nil {
		return err
	}
	for _, m := range append(list, gone...) {
		path := w.path(m.out)
		if m.unchanged {
			continue
		}
		defer m.data.Discard()
		if err := w.stageFile(path, m.data.Open()); err != nil {
			return err
		}
	}
	return nil
}

// startBuild begins to make an output, as soon as there is room.
func (s *Session) startBuild(out *plan.Output, series []*schedule.Series, room chan struct{}) *outputBuild {
	m := &outputBuild{Session: s, out: out, series: series, data: files.NewHeldSpool(), done: make(chan struct{})}
	go func() {
		defer close(m.done)
		room <- struct{}{}
		defer func() { <-room }()
		if m.err = m.write(m.data); m.err == nil {
			m.compareWithPrevious()
		}
		s.recordMaker.releaseOutput(out)
	}()
	return m
}

// collectBuilds records notes and outcomes of finished builds and returns those to stage.
// Calendars without events are reported as not written; any other error ends it.
func (s *Session) collectBuilds(all []*outputBuild) (list []*outputBuild, err error) {
	for _, m := range all {
		for _, text := range m.notes {
			s.onNote(m.out.File, text)
		}
		s.CutOccurrences = max(s.CutOccurrences, m.cutOccurrences)
		switch {
		case errors.Is(m.err, ical.ErrEmpty):
			if m.out.Owner == "" {
				s.Results = append(s.Results, OutputResult{Output: m.out.File, State: "not written", Text: "it would have no events"})
			}
		case m.err != nil:
			return nil, m.out.WrapError(m.err)
		case m.out.Owner != "" && m.numListed == 0 && files.NotExist(s.path(m.out)):
		default:
			s.recordOutcome(m)
			list = append(list, m)
		}
	}
	return list, nil
}

// recordOutcome keeps what became of an output.
func (s *Session) recordOutcome(m *outputBuild) {
	m.outcome.Output = m.out.File
	s.Results = append(s.Results, m.outcome)
	if s.request.By != "" {
		s.logData.add(m.out, m.moved, m.data)
	}
}

// stageFile stages a file.
func (s *Session) stageFile(path string, data io.Reader) error {
	if err := os.MkdirAll(filepath.Dir(path), 0o777); err != nil {
		return err
	}
	to, err := s.stage.Create(path)
	if err == nil {
		_, err = io.Copy(to, data)
	}
	return err
}

// addNote keeps a note of the output.
func (m *outputBuild) addNote(text string) { m.notes = append(m.notes, text) }

// recordWorkspace is what the rows of the output's records are asked from.
func (m *outputBuild) recordWorkspace() ask.Workspace { return m.workspaceFor(m.out, m.addNote) }

// countingSink is a sink that counts rows.
type countingSink struct {
	rows.Sink
	n int
}

// Row implements rows.Sink.
func (c *countingSink) Row(cells []eval.Value) error {
	c.n++
	return c.Sink.Row(cells)
}

// write makes the output.
func (m *outputBuild) write(w io.Writer) error {
	m.numListed = -1
	to, err := m.open(w)
	if err != nil {
		return err
	}
	if job := m.job(); job != nil {
		job.Sink, job.Events, job.Count = to.Rows, to.Events, &m.numRows
		return job.Answer()
	}
	if to.Events != nil {
		return m.writeCalendar(to.Events)
	}
	count := &countingSink{Sink: to.Rows}
	defer func() { m.numListed = count.n }()
	result := m.result(count)
	if m.out.IsOccurrenceTable() { // a table of one series is wide, however many are asked for
		columns, lines := schedule.OccurrenceTable(m.series[0], m.Span)
		return result.FillLines(columns, m.Plan.Env, lines)
	}
	events, err := m.events()
	if err == nil {
		a := m.agenda()
		err = result.FillLines(a.Columns(), m.Plan.Env, a.Lines(events, m.Plan.ZoneName()))
	}
	return err
}

// open makes the writer of the output.
func (m *outputBuild) open(w io.Writer) (to render.Writer, err error) {
	l, err := RenderOptions(&m.out.Shape, m.Plan, m.out.Format)
	if err != nil {
		return to, err
	}
	if m.out.Format.HoldsEvents() {
		l.Title = m.Plan.Title
	}
	return m.out.Format.Open(w, l)
}

// result is what becomes of the output's rows.
func (m *outputBuild) result(to rows.Sink) rows.Result {
	return rows.Result{Where: m.out.Shape.Where, Sort: m.out.Shape.Sort, Columns: m.out.Shape.Columns, Sink: to}
}

// job is the query whose answer the output is; nil for dates of series.
func (m *outputBuild) job() *ask.Job {
	out := m.out
	if out.Record != nil {
		job := m.recordMaker.keptJob(out.Record, m.recordWorkspace())
		if job.Shape = out.Shape; out.Query != nil {
			job.Query = out.Query
		}
		return job
	}
	if !out.IsDrawing() && !out.IsDayTable() {
		return nil
	}
	ws := m.recordWorkspace()
	job := &ask.Job{Workspace: &ws, Query: out.Query, Shape: out.Shape}
	switch {
	case out.IsDrawing():
		ws.Window = &m.Span
		for _, s := range out.Series {
			job.Args = append(job.Args, s.Name)
		}
	case out.Window != "":
		job.Args = []string{out.Window}
	default:
		job.Args = []string{m.Span.First.String() + ".." + m.Span.Last.String()}
	}
	return job
}

// writeCalendar makes a calendar file of series and of rows.
func (m *outputBuild) writeCalendar(sink *ical.Sink) error {
	entries, err := m.entries()
	if err != nil {
		return err
	}
	result, a, zone := m.result(nil), m.agenda(), m.Plan.ZoneName()
	if entries, err = rows.FilterList(result, entries, a.Columns(), m.Plan.Env,
		func(e schedule.Entry) []eval.Value { return a.Row(nil, m.Plan.Event(e), zone) }); err != nil {
		return err
	}
	id := func(*schedule.Series) string { return m.Plan.ID }
	list, err := m.out.EventForm.Events(entries, id, m.Plan.Event)
	if err != nil {
		return err
	}
	if len(m.series) == len(m.out.Series) { // what others have stays by following the earlier calendar
		of, err := m.recordEvents()
		if err != nil {
			return err
		}
		if of, err = rows.FilterList(result, of, a.Columns(), m.Plan.Env,
			func(e schedule.Event) []eval.Value { return a.Row(nil, e, zone) }); err != nil {
			return err
		}
		for _, e := range of {
			list = append(list, m.out.EventForm.Apply(e))
		}
	}
	schedule.SortEvents(list, seriesOrder(m.out), m.Plan.Midnight())
	if err := m.updatePrevious(sink); err != nil {
		return err
	}
	if err := sink.Events(list); err != nil {
		return err
	}
	if doubts := sink.Warnings(); doubts != "" {
		m.addNote(doubts)
	}
	m.numListed = sink.Count()
	return nil
}

// entries are the dates and milestones of series that the output has.
func (m *outputBuild) entries() (entries []schedule.Entry, err error) {
	cut := 0
	if m.out.WholeOccurrences {
		entries, err = schedule.OccurrenceEntries(m.series, m.Span)
	} else {
		entries, cut, err = schedule.Entries(m.series, m.Span)
	}
	m.cutOccurrences = max(m.cutOccurrences, cut)
	if m.out.Owner != "" {
		entries = slices.DeleteFunc(entries, func(e schedule.Entry) bool { return !m.out.Has(m.Plan.Event(e)) })
	}
	return entries, err
}

// events are the dates, milestones and events of rows that an agenda shows, by date.
func (m *outputBuild) events() (events []schedule.Event, err error) {
	entries, err := m.entries()
	if err != nil {
		return nil, err
	}
	for _, e := range entries {
		events = append(events, m.Plan.Event(e))
	}
	var more []schedule.Event
	if len(m.series) < len(m.out.Series) {
		more, err = m.otherSeriesEvents()
	} else {
		more, err = m.recordEvents()
	}
	events = append(events, more...)
	schedule.SortEvents(events, seriesOrder(m.out), m.Plan.Midnight())
	return events, err
}

// agenda is how the output lists its events.
func (m *outputBuild) agenda() schedule.Agenda {
	return schedule.NewAgenda(m.out.Series, m.Plan.ZoneName())
}

// recordEvents are the events of the output's records.
func (m *outputBuild) recordEvents() (events []schedule.Event, err error) {
	for _, rec := range m.out.EventRecords {
		list, err := m.recordMaker.events(rec, m.Span, m.recordWorkspace())
		if err != nil {
			return nil, err
		}
		events = append(events, list...)
	}
	return events, nil
}

// otherSeriesEvents are the dates of series that aren't asked for, as they are in the file that
// they share.
func (m *outputBuild) otherSeriesEvents() ([]schedule.Event, error) {
	var named []string
	for _, s := range m.series {
		named = append(named, s.Name)
	}
	list, err := query.ReadOtherSeries(m.path(m.out), named)
	if err != nil {
		return nil, fmt.Errorf("%s: the dates of the other series in it can't be read, so it was left as it is: %w",
			m.out.File, err)
	}
	for i := range list {
		if list[i].UID == "" {
			list[i].UID = schedule.UID(list[i], m.Plan.ID)
		}
		if list[i].Category == "" {
			list[i].Category = list[i].Series
		}
	}
	return list, nil
}

// seriesOrder is that of an output's series and records on one day.
func seriesOrder(out *plan.Output) (list []string) {
	for _, s := range out.Series {
		list = append(list, s.Name)
	}
	for _, rec := range out.EventRecords {
		list = append(list, rec.Name)
	}
	return list
}

// checkRecordKey checks that the key of a record is there, filled and names one row.
func (s *Session) checkRecordKey(rec *plan.Record) error {
	if rec.Key == "" {
		return nil
	}
	return rec.WrapError(query.CheckKey(s.recordMaker.job(rec, s.workspace(rec.Name)), rec.Key))
}

// maxCompareBytes is up to how many bytes a file is compared date by date with the one before:
// some 300,000 dates.
const maxCompareBytes = 32 << 20

// compareWithPrevious says what becomes of the output: how it differs from the file that stands
// there, date by date.
func (m *outputBuild) compareWithPrevious() {
	path, out := m.path(m.out), m.out
	f, err := files.OpenExisting(path)
	if err == nil {
		defer f.Close()
	}
	switch {
	case out.Format.HoldsEvents() || m.numListed >= 0:
		m.outcome.Count = phrase.Plural(m.numListed, "date")
	case m.numRows > 0:
		m.outcome.Count = phrase.Plural(m.numRows, "row")
	}
	switch {
	case err != nil:
		m.outcome.State = "new"
		return
	case files.HasContent(path, m.data):
		m.unchanged = true
		m.outcome.State = "unchanged"
		return
	}
	m.outcome.State = "changed"
	if out.Record != nil {
		return
	}
	if info, err := f.Stat(); err != nil || info.Size() > maxCompareBytes || m.data.Size() > maxCompareBytes {
		m.outcome.Text = "too large to compare date by date"
		return
	}
	now, err := query.ReadEvents(out.File, "", m.data.Open())
	if err != nil {
		return
	}
	before, err := query.ReadEvents(path, "", f)
	if err != nil {
		m.outcome.State = "replaced"
		return
	}
	list, t := schedule.Differences(before, now, func(schedule.Event) bool { return true })
	if out.IsOccurrenceTable() {
		t = schedule.TallyRows(list)
	}
	m.outcome.Text, m.moved = t.Summary(), list
}
