package office

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"slices"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/files"
	"yoyaku/internal/ical"
	"yoyaku/internal/plan"
	"yoyaku/internal/question"
)

// making is an output that is being made beside others: what comes of it.
type making struct {
	*Work
	out    *plan.Output
	of     []*schedule.Series // of the output, those that are asked for
	data   *files.Spool
	same   bool // as the file that is there
	err    error
	listed int // rows or events, below 0 if that says nothing
	cut    int // occurrences that the window cuts
	became Line
	rows   int // of records
	moved  []schedule.Difference
	notes  []string
	done   chan struct{}
}

// Output makes one output of the plan with all its series, stages nothing, and gives what
// is noted of it.
func (w *Work) Output(to io.Writer, out *plan.Output) (notes []string, err error) {
	m := &making{Work: w, out: out, of: out.Of}
	defer w.stage.Drop()
	err = m.fill(to)
	return m.notes, err
}

// outputs makes the plan's files and stages them, so that all are right before the first
// is put in place.
func (w *Work) outputs() error {
	for _, out := range w.Plan.Outputs {
		path := w.path(out)
		if err := files.Inside(w.folder(), path); err != nil {
			return err
		}
		if err := w.Plan.Files.Write(path); err != nil {
			return out.Fault(err)
		}
	}
	for _, rec := range w.Plan.Records {
		if err := w.keyOf(rec); err != nil {
			return err
		}
	}
	w.readAhead()
	w.Plan.CountUsers()
	var list []*making
	room := make(chan struct{}, runtime.GOMAXPROCS(0))
	for _, out := range w.Plan.Outputs {
		of := slices.DeleteFunc(slices.Clone(out.Of), func(s *schedule.Series) bool { return !slices.Contains(w.Series, s) })
		if len(of) > 0 || len(out.Of) == 0 && len(w.Series) == len(w.Plan.Series) {
			list = append(list, w.start(out, of, room))
		}
	}
	for _, m := range list {
		<-m.done
		defer m.data.Drop()
	}
	list, err := w.taken(list)
	if err != nil {
		return err
	}
	gone, err := w.gone()
	if err != nil {
		return err
	}
	for _, m := range append(list, gone...) {
		path := w.path(m.out)
		if m.same {
			continue
		}
		defer m.data.Drop()
		if err := w.put(path, m.data.Open()); err != nil {
			return err
		}
	}
	return nil
}

// start begins to make an output, as soon as there is room.
func (w *Work) start(out *plan.Output, of []*schedule.Series, room chan struct{}) *making {
	m := &making{Work: w, out: out, of: of, data: files.Hold(), done: make(chan struct{})}
	go func() {
		defer close(m.done)
		room <- struct{}{}
		defer func() { <-room }()
		if m.err = m.fill(m.data); m.err == nil {
			m.compared()
		}
		out.Used()
	}()
	return m
}

// taken takes what came of outputs, and gives those that are to be written.
func (w *Work) taken(all []*making) (list []*making, err error) {
	for _, m := range all {
		for _, text := range m.notes {
			w.noted(m.out.File, text)
		}
		w.Cut = max(w.Cut, m.cut)
		switch {
		case errors.Is(m.err, ical.ErrEmpty):
			if m.out.Owner == "" {
				w.Lines = append(w.Lines, Line{Of: m.out.File, State: "not written", Text: "it would have no events"})
			}
		case m.err != nil:
			return nil, m.out.Fault(m.err)
		case m.out.Owner != "" && m.listed == 0 && files.Missing(w.path(m.out)):
		default:
			w.told(m)
			list = append(list, m)
		}
	}
	return list, nil
}

// told keeps what became of an output.
func (w *Work) told(m *making) {
	m.became.Of = m.out.File
	w.Lines = append(w.Lines, m.became)
	if w.asked.By != "" {
		w.written.add(m.out, m.moved, m.data)
	}
}

// put stages a file.
func (w *Work) put(path string, data io.Reader) error {
	if err := os.MkdirAll(filepath.Dir(path), 0o777); err != nil {
		return err
	}
	to, err := w.stage.Create(path)
	if err == nil {
		_, err = io.Copy(to, data)
	}
	return err
}

// note keeps a note of the output.
func (m *making) note(text string) { m.notes = append(m.notes, text) }

// rowsFrom is what the rows of the output's records are asked from.
func (m *making) rowsFrom() question.Place { return m.place(m.out, m.note) }

// counted is a sink that counts rows.
type counted struct {
	rows.Sink
	n int
}

// Row implements rows.Sink.
func (c *counted) Row(cells []eval.Value) error {
	c.n++
	return c.Sink.Row(cells)
}

// fill makes the output.
func (m *making) fill(w io.Writer) error {
	m.listed = -1
	sink, err := m.sink(w)
	if err != nil {
		return err
	}
	if job := m.job(); job != nil {
		job.To, job.Count = sink, &m.rows
		return job.Answer()
	}
	if m.out.Format.Events {
		return m.calendar(sink.(*ical.Sink))
	}
	count := &counted{Sink: sink}
	defer func() { m.listed = count.n }()
	result := m.result(count)
	if m.out.Wide() { // a table of one series is wide, however many are asked for
		columns, lines := schedule.Wide(m.of[0], m.Span)
		return result.Lines(columns, m.Plan.Env, lines)
	}
	events, err := m.events()
	if err == nil {
		a := m.agenda()
		err = result.Lines(a.Columns(), m.Plan.Env, a.Lines(events, m.Plan.ZoneName()))
	}
	return err
}

// sink is the writer of the output.
func (m *making) sink(w io.Writer) (rows.Sink, error) {
	l, err := Look(&m.out.Shape, m.Plan, m.out.Format)
	if err != nil {
		return nil, err
	}
	if m.out.Format.Events {
		l.Title = m.Plan.Title
	}
	return m.out.Format.Sink(w, l)
}

// result is what becomes of the output's rows.
func (m *making) result(to rows.Sink) rows.Result {
	return rows.Result{Where: m.out.Shape.Where, Sort: m.out.Shape.Sort, Columns: m.out.Shape.Columns, To: to}
}

// job is the question whose answer the output is; nil for dates of series.
func (m *making) job() *question.Job {
	out := m.out
	if out.Record != nil {
		job := m.Plan.Onward(out.Record, m.rowsFrom())
		if job.Shape = out.Shape; out.Make != nil {
			job.Question = out.Make
		}
		return job
	}
	if !out.Drawn() && !out.Days() {
		return nil
	}
	place := m.rowsFrom()
	job := &question.Job{Place: &place, Question: out.Make, Shape: out.Shape}
	switch {
	case out.Drawn():
		place.Window = &m.Span
		for _, s := range out.Of {
			job.Args = append(job.Args, s.Name)
		}
	case out.Window != "":
		job.Args = []string{out.Window}
	default:
		job.Args = []string{m.Span.First.String() + ".." + m.Span.Last.String()}
	}
	return job
}

// calendar makes a calendar file of series and of rows.
func (m *making) calendar(sink *ical.Sink) error {
	entries, err := m.entries()
	if err != nil {
		return err
	}
	result, a, zone := m.result(sink), m.agenda(), m.Plan.ZoneName()
	if entries, err = rows.Kept(result, entries, a.Columns(), m.Plan.Env,
		func(e schedule.Entry) []eval.Value { return a.Row(nil, m.Plan.Event(e), zone) }); err != nil {
		return err
	}
	id := func(*schedule.Series) string { return m.Plan.ID }
	list, err := m.out.Form.Events(entries, id, m.Plan.Event)
	if err != nil {
		return err
	}
	if len(m.of) == len(m.out.Of) { // what others have stays by following the earlier calendar
		of, err := m.ofRows()
		if err != nil {
			return err
		}
		if of, err = rows.Kept(result, of, a.Columns(), m.Plan.Env,
			func(e schedule.Event) []eval.Value { return a.Row(nil, e, zone) }); err != nil {
			return err
		}
		for _, e := range of {
			list = append(list, m.out.Form.Of(e))
		}
	}
	schedule.SortEvents(list, order(m.out), m.Plan.Midnight())
	if err := m.follow(sink); err != nil {
		return err
	}
	if err := sink.Events(list); err != nil {
		return err
	}
	if doubts := sink.Doubts(); doubts != "" {
		m.note(doubts)
	}
	m.listed = sink.Count()
	return nil
}

// entries are the dates and milestones of series that the output has.
func (m *making) entries() (entries []schedule.Entry, err error) {
	cut := 0
	if m.out.Whole {
		entries, err = schedule.Whole(m.of, m.Span)
	} else {
		entries, cut, err = schedule.Entries(m.of, m.Span)
	}
	m.cut = max(m.cut, cut)
	if m.out.Owner != "" {
		entries = slices.DeleteFunc(entries, func(e schedule.Entry) bool { return !m.out.Has(m.Plan.Event(e)) })
	}
	return entries, err
}

// events are the dates, milestones and events of rows that an agenda shows, by date.
func (m *making) events() (events []schedule.Event, err error) {
	entries, err := m.entries()
	if err != nil {
		return nil, err
	}
	for _, e := range entries {
		events = append(events, m.Plan.Event(e))
	}
	var more []schedule.Event
	if len(m.of) < len(m.out.Of) {
		more, err = m.others()
	} else {
		more, err = m.ofRows()
	}
	events = append(events, more...)
	schedule.SortEvents(events, order(m.out), m.Plan.Midnight())
	return events, err
}

// agenda is how the output lists its events.
func (m *making) agenda() schedule.Agenda {
	return schedule.AgendaOf(m.out.Of, m.Plan.ZoneName())
}

// ofRows are the events of the output's records.
func (m *making) ofRows() (events []schedule.Event, err error) {
	for _, rec := range m.out.Rows {
		list, err := m.Plan.Events(rec, m.Span, m.rowsFrom())
		if err != nil {
			return nil, err
		}
		events = append(events, list...)
	}
	return events, nil
}

// others are the dates of series that aren't asked for, as they are in the file that
// they share.
func (m *making) others() ([]schedule.Event, error) {
	var named []string
	for _, s := range m.of {
		named = append(named, s.Name)
	}
	list, err := question.OfOthers(m.path(m.out), named)
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

// keyOf checks that the key of a record is there, filled and names one row.
func (w *Work) keyOf(rec *plan.Record) error {
	if rec.Key == "" {
		return nil
	}
	return rec.Fault(w.Plan.Job(rec, w.placeOf(rec.Name)).CheckKey(rec.Key))
}

// mostCompared is up to how many bytes a file is compared date by date with the one before:
// some 300,000 dates.
const mostCompared = 32 << 20

// compared says what becomes of the output: how it differs from the file that stands
// there, date by date.
func (m *making) compared() {
	path, out := m.path(m.out), m.out
	f, err := files.OpenOld(path)
	if err == nil {
		defer f.Close()
	}
	switch {
	case out.Format.Events || m.listed >= 0:
		m.became.Count = phrase.Counted(m.listed, "date")
	case m.rows > 0:
		m.became.Count = phrase.Counted(m.rows, "row")
	}
	switch {
	case err != nil:
		m.became.State = "new"
		return
	case files.Same(path, m.data):
		m.same = true
		m.became.State = "unchanged"
		return
	}
	m.became.State = "changed"
	if out.Record != nil {
		return
	}
	if info, err := f.Stat(); err != nil || info.Size() > mostCompared || m.data.Size() > mostCompared {
		m.became.Text = "too large to compare date by date"
		return
	}
	now, err := question.ReadEvents(out.File, "", m.data.Open())
	if err != nil {
		return
	}
	was, err := question.ReadEvents(path, "", f)
	if err != nil {
		m.became.State = "replaced"
		return
	}
	list, t := schedule.Differences(was, now, func(schedule.Event) bool { return true })
	if out.Wide() {
		t = schedule.Occurrences(list)
	}
	m.became.Text, m.moved = t.Words(), list
}
