package workflow

import (
	"errors"
	"fmt"
	"path/filepath"
	"sync"
	"sync/atomic"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/plan"
	"yoyaku/internal/query"
)

// recordMaker makes the rows of a plan's records that stand on a series, on another record or
// on look-ups: each once, for whoever asks first. Several goroutines may ask at once.
type recordMaker struct {
	plan   *plan.Plan
	tables map[*plan.Record]*recordTables
}

// recordTables are the tables of one record: all its rows, and what of them goes on to others.
type recordTables struct {
	made, kept cachedTable
	readers    atomic.Int32 // that are still to come; below 1 if nobody counts
}

func newRecordMaker(p *plan.Plan) *recordMaker {
	m := &recordMaker{plan: p, tables: map[*plan.Record]*recordTables{}}
	for _, r := range p.Records {
		m.tables[r] = &recordTables{}
	}
	return m
}

// tablesOf returns the tables of a record; those of one that a broken plan doesn't list are
// made for this call alone.
func (m *recordMaker) tablesOf(r *plan.Record) *recordTables {
	if t := m.tables[r]; t != nil {
		return t
	}
	return &recordTables{}
}

// job prepares to ask something of the rows of a record. That its rows can't be made is told
// when they are opened.
func (m *recordMaker) job(r *plan.Record, ws ask.Workspace) *ask.Job {
	r.BindCalendar(&ws.Env)
	ws.Output = r.Name
	if err := m.prepare(r, &ws); err != nil {
		ws.FindMade = func(string) (*ask.MemTable, bool, error) { return nil, false, err }
	}
	return &ask.Job{Workspace: &ws, Query: query.NewTableQuery(), Args: []string{r.Table}, In: r.In,
		RecordColumns: r.Columns, RecordWhere: r.Where, Running: r.Running, RunningGroup: r.RunningGroup, WrapRecordError: r.WrapError}
}

// keptJob is job for what stands on the record: of the columns that `keep` lets go on alone.
func (m *recordMaker) keptJob(r *plan.Record, ws ask.Workspace) *ask.Job {
	if r.KeepColumns == nil {
		return m.job(r, ws)
	}
	r.BindCalendar(&ws.Env)
	ws.Output = r.Name
	kept, err := m.tablesOf(r).kept.getOrBuild(&ws, func(ws ask.Workspace) (*ask.MemTable, error) {
		job := m.job(r, ws)
		job.Shape.Columns = r.KeepColumns
		return answerInto(job)
	})
	var option *rows.OptionError
	if errors.As(err, &option) && option.Option == "columns" {
		err = rows.WrapOption("keep", option.Err)
	}
	err = r.WrapError(err)
	ws.FindMade = func(name string) (*ask.MemTable, bool, error) { return kept, name == r.Table, err }
	return &ask.Job{Workspace: &ws, Query: query.NewTableQuery(), Args: []string{r.Table},
		In: ask.TableOptions{BadRows: r.In.BadRows}}
}

// find returns a record by its name, nil if there is none.
func (m *recordMaker) find(name string) *ask.RecordRows {
	r := m.plan.Record(name)
	if r == nil {
		return nil
	}
	return &ask.RecordRows{Name: r.Name, Key: r.Key, WrapError: r.WrapError,
		Job: func(ws ask.Workspace) *ask.Job { return m.job(r, ws) }}
}

// events makes the events of the record's rows that lie in a window.
func (m *recordMaker) events(r *plan.Record, window civil.Span, ws ask.Workspace) (list []schedule.Event, err error) {
	for _, e := range r.Events {
		made := &rows.Events{Table: r.Name, Name: e.Name, Plan: m.plan.ID, Day: e.Day, Text: e.Summary, Key: r.Key,
			Where: e.Where, DayOption: "day", TextOption: "summary", Reminders: e.Reminders, EventProperties: e.EventProperties, Private: e.Private}
		if err := query.EventsOf(m.job(r, ws), made); err != nil {
			return nil, e.WrapError(r, err)
		}
		for _, event := range made.List {
			if window.Contains(event.At.Day) {
				list = append(list, event)
			}
		}
	}
	return list, nil
}

// prepare makes the rows of a record that isn't a file as it is, and lets the workspace find
// them under the record's table.
func (m *recordMaker) prepare(r *plan.Record, ws *ask.Workspace) error {
	if r.FromSeries == nil && r.From == nil && r.Lookups == nil {
		return nil
	}
	table, err := m.tablesOf(r).made.getOrBuild(ws, func(ws ask.Workspace) (*ask.MemTable, error) {
		table, err := m.build(r, ws)
		if r.From != nil {
			m.release(r.From)
		}
		return table, err
	})
	if err == nil {
		ws.FindMade = func(name string) (*ask.MemTable, bool, error) { return table, name == r.Table, nil }
	}
	return err
}

// build makes the rows of a record.
func (m *recordMaker) build(r *plan.Record, ws ask.Workspace) (table *ask.MemTable, err error) {
	switch {
	case r.FromSeries != nil:
		if m.plan.Window == nil {
			return nil, r.WrapKey("from", errors.New("a record made from a series needs the plan's `window`"))
		}
		columns, lines := schedule.OccurrenceTable(r.FromSeries, *m.plan.Window)
		table = &ask.MemTable{}
		err = rows.Result{Sink: table}.FillLines(columns, m.plan.Env, lines)
	case r.From != nil:
		job := m.keptJob(r.From, ws)
		if r.Query != nil {
			job.Query = r.Query
		}
		table, err = answerInto(job)
	}
	if err != nil {
		return nil, r.WrapError(err)
	}
	if r.Lookups == nil {
		return table, nil
	}
	return m.lookUp(r, ws, table)
}

// lookUp gives the rows of a record the columns of its look-ups, one after the other; made is
// nil for those of a file.
func (m *recordMaker) lookUp(r *plan.Record, ws ask.Workspace, table *ask.MemTable) (*ask.MemTable, error) {
	name := filepath.Base(r.Table)
	for _, l := range r.Lookups {
		job := &ask.Job{Workspace: &ws, Query: l.Query, Args: []string{r.Table, l.Table}, In: r.In}
		if rowsSoFar := table; rowsSoFar != nil {
			ws.FindMade = func(of string) (*ask.MemTable, bool, error) { return rowsSoFar, of == name, nil }
			job.Args[0] = name
		}
		next, err := answerInto(job)
		if err != nil {
			return nil, l.WrapError(r, err)
		}
		table = next
	}
	return table, nil
}

// answerInto answers a job into a table.
func answerInto(job *ask.Job) (*ask.MemTable, error) {
	table := &ask.MemTable{}
	job.Sink = table
	return table, job.Answer()
}

// countReaders counts who is still to ask for each record: the outputs, and the records that
// are made from it and aren't there yet. What nobody asks for gives its memory back.
func (m *recordMaker) countReaders() {
	for _, r := range m.plan.Records {
		m.tablesOf(r).readers.Store(1)
	}
	for _, out := range m.plan.Outputs {
		for _, r := range out.Records() {
			m.tablesOf(r).readers.Add(1)
		}
	}
	for _, r := range m.plan.Records {
		if r.From != nil && m.tablesOf(r).made.table == nil {
			m.tablesOf(r.From).readers.Add(1)
		}
	}
	for _, r := range m.plan.Records {
		m.release(r)
	}
}

// release says that one who asked for the record is done with it; after the last one its
// memory is given back.
func (m *recordMaker) release(r *plan.Record) {
	if t := m.tablesOf(r); t.readers.Add(-1) == 0 {
		t.made.drop()
		t.kept.drop()
	}
}

// releaseOutput says that an output is made: it asks no more for its records.
func (m *recordMaker) releaseOutput(out *plan.Output) {
	for _, r := range out.Records() {
		m.release(r)
	}
}

// cachedTable is a table that is made when it is first asked for; what is told about its making
// is told with each use.
type cachedTable struct {
	sync.Mutex
	table  *ask.MemTable
	notes  []string
	builds int // how often it was made: once, unless it was dropped
}

func (c *cachedTable) getOrBuild(ws *ask.Workspace, build func(ask.Workspace) (*ask.MemTable, error)) (*ask.MemTable, error) {
	c.Lock()
	defer c.Unlock()
	if c.table == nil {
		noting := *ws
		noting.Note = func(format string, args ...any) { c.notes = append(c.notes, fmt.Sprintf(format, args...)) }
		noting.Warn = noting.Note
		table, err := build(noting)
		if err != nil {
			c.notes = nil
			return nil, err
		}
		c.table = table
		c.builds++
	}
	for _, text := range c.notes {
		if ws.Note != nil {
			ws.Note("%s", text)
		}
	}
	return c.table, nil
}

// drop gives the memory of the table back. Who asks after that has it made again.
func (c *cachedTable) drop() {
	c.Lock()
	defer c.Unlock()
	c.table, c.notes = nil, nil
}
