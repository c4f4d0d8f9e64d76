package plan

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"sync"

	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/declare"
	"yoyaku/internal/query"
)

// matchEntry is an entry of a record's `match`.
type matchEntry struct {
	query     *query.Query
	table     string
	positions keyPositions
}

// readFrom reads `from`: a series, or a record that is above.
func (r recordReader) readFrom(v *node, name string) error {
	p := r.p
	if r.series = p.FindSeries(name); r.series != nil {
		return nil
	}
	if r.record = p.Record(name); r.record != nil {
		if r.depth = r.record.depth + 1; r.depth > maxDepth {
			return v.fail("this record is made from another, which is made from another, and so on; at most %d deep", maxDepth)
		}
		return nil
	}
	switch {
	case foldName(name) == foldName(r.Name):
		return v.fail("the record `%s` is made from itself", r.Name)
	case p.broken[foldName(name)]:
		return errReportedElsewhere
	case p.nameOrigins["names"][foldName(name)].doc != nil && p.patternOf(name) == nil:
		return v.fail("`%s` comes further down, or is made from `%s`; a record can use series and the records above it",
			name, r.Name)
	}
	place := p.Workspace()
	return v.wrap(fmt.Errorf("%w, and there is no such record above", place.UnknownSeries(name)))
}

// checkSource checks that a record has one table, or what takes its place.
func (r recordReader) checkSource() error {
	made := r.series != nil || r.record != nil
	switch {
	case r.Table == "" && !made:
		return r.positions.WrapKey("",
			fmt.Errorf("the record `%s` needs a `table`, or `from`, to make it from a series or another record", r.Name))
	case r.Table != "" && made:
		return r.positions.WrapKey("from", fmt.Errorf("a record takes `table` or `from`, not both"))
	case r.query != nil && r.record == nil:
		return r.positions.WrapKey("make", fmt.Errorf("`make` needs `from`, the record to make it from"))
	case r.record != nil && r.query == nil && r.matches == nil && !r.HasKey("columns") && !r.HasKey("where") &&
		!r.HasKey("carry") && !r.HasKey("keep"):
		return r.positions.WrapKey("from",
			fmt.Errorf("`from: %s` needs `make`, such as {from: %[1]s, make: spread, start: first, end: last, by: month}", r.record.Name))
	}
	if made {
		for _, o := range r.In.Options() {
			if _, said := r.positions[o.Name]; said && o.Name != "bad-rows" {
				return r.positions.WrapKey(o.Name, fmt.Errorf("`%s` is for tables in files; `%s` is made from another record", o.Name, r.Name))
			}
		}
	}
	if r.query == nil {
		return nil
	}
	for _, o := range r.query.Options {
		if err := o.Check(r.p.Env); err != nil {
			return r.positions.WrapKey(o.Name, err)
		}
	}
	return r.positions.wrapOption(declare.CheckCombination(r.query.Options, r.query.Rules...))
}

// lookupKeys are the keys of an entry of `match`, if nothing is filled.
func lookupKeys() *keyGroup {
	q, err := query.New("match")
	if err != nil {
		panic(err)
	}
	return (&matchEntry{query: q}).group(nil)
}

func (l *matchEntry) group(p *Plan) *keyGroup {
	g := &keyGroup{label: "a look-up", keys: []*declare.Key{
		{Name: "table", Required: true, Help: "the table to look in", Example: "sites.csv",
			Value: at(textKind, func(v *node, text string) error {
				l.table = v.doc.resolvePath(text)
				if _, err := os.Stat(l.table); err != nil {
					return err
				}
				return p.Files.AddInput(l.table)
			})},
	}}
	g.options(slices.DeleteFunc(slices.Clone(l.query.Options), func(o *declare.Key) bool { return o.Name == "ranges" }))
	return g
}

// lookups reads `match`.
func (r recordReader) lookups(v *node) error {
	items, err := v.items("{table: sites.csv, key: site, take: [calendar]}")
	if err != nil {
		return err
	}
	for _, item := range items {
		q, err := query.New("match")
		if err != nil {
			return err
		}
		l := &matchEntry{query: q, positions: keyPositions{}}
		for _, o := range q.Options {
			o.Reset()
		}
		if err := l.group(r.p).fill(&node{doc: item.doc, valueNode: item.valueNode, positions: l.positions}); err != nil {
			return err
		}
		for _, o := range q.Options {
			if o.Name == "ranges" {
				err = o.Set(l.table)
			}
			if err == nil {
				err = o.Check(r.p.Env)
			}
			if err != nil {
				return l.positions.WrapKey(o.Name, err)
			}
		}
		if err := declare.CheckCombination(q.Options, q.Rules...); err != nil {
			return l.positions.wrapOption(err)
		}
		r.matches = append(r.matches, l)
	}
	return nil
}

// prepareRecord has what a record is made of made, if it isn't a file as it is; place is
// what it is asked from.
func (p *Plan) prepareRecord(r *Record, place *query.Workspace) error {
	if r.series == nil && r.record == nil && r.matches == nil {
		return nil
	}
	made, err := r.built.getOrBuild(place, func(of query.Workspace) (*query.MemTable, error) {
		made, err := p.buildRecord(r, of)
		if r.record != nil {
			r.record.Release()
		}
		return made, err
	})
	if err == nil {
		place.FindMade = func(name string) (*query.MemTable, bool, error) { return made, name == r.Table, nil }
	}
	return err
}

// cachedTable is a table that is made when it is first asked for, by whomever; what is reported about
// its making is reported with each use.
type cachedTable struct {
	sync.Mutex
	table  *query.MemTable
	notes  []string
	builds int // that it was made, which is once
}

func (m *cachedTable) getOrBuild(place *query.Workspace,
	make func(query.Workspace) (*query.MemTable, error)) (*query.MemTable, error) {
	m.Lock()
	defer m.Unlock()
	if m.table == nil {
		of := *place
		of.Note = func(format string, args ...any) { m.notes = append(m.notes, fmt.Sprintf(format, args...)) }
		of.Warn = of.Note
		table, err := make(of)
		if err != nil {
			m.notes = nil
			return nil, err
		}
		m.table = table
		m.builds++
	}
	for _, text := range m.notes {
		if place.Note != nil {
			place.Note("%s", text)
		}
	}
	return m.table, nil
}

// drop gives the memory of the table back. Who asks after that has it made again.
func (m *cachedTable) drop() {
	m.Lock()
	defer m.Unlock()
	m.table, m.notes = nil, nil
}

// CountReaders counts who is still to ask for each record: the outputs, and the records that
// are made from it and aren't there yet. What nobody asks for gives its memory back.
func (p *Plan) CountReaders() {
	for _, r := range p.Records {
		r.pendingReaders.Store(1)
	}
	for _, out := range p.Outputs {
		for _, r := range out.records() {
			r.pendingReaders.Add(1)
		}
	}
	for _, r := range p.Records {
		if r.built.table == nil && r.record != nil {
			r.record.pendingReaders.Add(1)
		}
	}
	for _, r := range p.Records {
		r.Release()
	}
}

// Release says that one who asked for the record is done with it; after the last one its
// memory is given back.
func (r *Record) Release() {
	if r.pendingReaders.Add(-1) == 0 {
		r.built.drop()
		r.builtKept.drop()
	}
}

// ReleaseRecords says that the output is made: it asks no more for its records.
func (o *Output) ReleaseRecords() {
	for _, r := range o.records() {
		r.Release()
	}
}

// records are those that the output asks for.
func (o *Output) records() []*Record {
	if o.Record != nil {
		return append([]*Record{o.Record}, o.EventRecords...)
	}
	return o.EventRecords
}

// JobOfKept prepares to ask something of the rows of a record for what stands on it: with
// `keep`, of the columns that go on alone.
func (p *Plan) JobOfKept(r *Record, place query.Workspace) *query.Job {
	if r.KeepColumns == nil {
		return p.Job(r, place)
	}
	r.bindCalendar(&place)
	place.Output = r.Name
	kept, err := r.builtKept.getOrBuild(&place, func(of query.Workspace) (*query.MemTable, error) {
		table := &query.MemTable{}
		job := p.Job(r, of)
		job.Shape.Columns = r.KeepColumns
		return table, p.runInto(job, table)
	})
	var at *rows.OptionError
	if errors.As(err, &at) && at.Option == "columns" {
		err = r.WrapError(rows.WrapOption("keep", at.Err))
	} else {
		err = r.WrapError(err)
	}
	place.FindMade = func(name string) (*query.MemTable, bool, error) { return kept, name == r.Table, err }
	return &query.Job{Workspace: &place, Query: query.NewPlain(), Args: []string{r.Table},
		In: query.TableOptions{BadRows: r.In.BadRows}}
}

// buildRecord makes the rows of a record.
func (p *Plan) buildRecord(r *Record, place query.Workspace) (made *query.MemTable, err error) {
	made = &query.MemTable{}
	switch {
	case r.series != nil:
		if p.Window == nil {
			return nil, r.positions.WrapKey("from", errors.New("a record made from a series needs the plan's `window`"))
		}
		columns, lines := schedule.OccurrenceTable(r.series, *p.Window)
		err = rows.Result{Sink: made}.FillLines(columns, p.Env, lines)
		r.Table = r.series.Name
	case r.record != nil && r.query != nil:
		job := p.JobOfKept(r.record, place)
		job.Query, job.Sink = r.query, made
		err = job.Answer()
		r.Table = r.Name
	case r.record != nil:
		err = p.runInto(p.JobOfKept(r.record, place), made)
		r.Table = r.Name
	}
	if err != nil {
		return nil, r.WrapError(err)
	}
	if r.matches == nil {
		return made, nil
	}
	name := filepath.Base(r.Table)
	for i, l := range r.matches {
		next := &query.MemTable{}
		job := &query.Job{Workspace: &place, Query: l.query, Args: []string{r.Table, l.table}, In: r.In, Sink: next}
		if i > 0 || r.series != nil || r.record != nil {
			place.FindMade = func(of string) (*query.MemTable, bool, error) { return made, of == name, nil }
			job.Args[0] = name
		}
		if err := job.Answer(); err != nil {
			var at *rows.OptionError
			if errors.As(err, &at) && l.positions[at.Option].doc == nil && r.positions[at.Option].doc != nil {
				return nil, r.WrapError(err)
			}
			return nil, l.positions.wrapOption(err)
		}
		made = next
	}
	return made, nil
}

// runInto answers a job into a table.
func (p *Plan) runInto(job *query.Job, to *query.MemTable) error {
	job.Sink = to
	return job.Answer()
}
