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
	"yoyaku/internal/question"
)

// lookup is an entry of a record's `match`.
type lookup struct {
	question *question.Question
	table    string
	places   places
}

// madeFrom reads `from`: a series, or a record that is above.
func (r recordIn) madeFrom(v *node, name string) error {
	p := r.p
	if r.series = p.Find(name); r.series != nil {
		return nil
	}
	if r.record = p.Record(name); r.record != nil {
		if r.depth = r.record.depth + 1; r.depth > mostDeep {
			return v.fail("this record is made from another, which is made from another, and so on; at most %d deep", mostDeep)
		}
		return nil
	}
	switch {
	case foldName(name) == foldName(r.Name):
		return v.fail("the record `%s` is made from itself", r.Name)
	case p.failed[foldName(name)]:
		return errElsewhere
	case p.given["names"][foldName(name)].doc != nil && p.patternOf(name) == nil:
		return v.fail("`%s` comes further down, or is made from `%s`; a record can use series and the records above it",
			name, r.Name)
	}
	place := p.Place()
	return v.wrap(fmt.Errorf("%w, and there is no such record above", place.UnknownSeries(name)))
}

// source checks that a record has one table, or what takes its place.
func (r recordIn) source() error {
	made := r.series != nil || r.record != nil
	switch {
	case r.Table == "" && !made:
		return r.places.Place("",
			fmt.Errorf("the record `%s` needs a `table`, or `from`, to make it from a series or another record", r.Name))
	case r.Table != "" && made:
		return r.places.Place("from", fmt.Errorf("a record takes `table` or `from`, not both"))
	case r.make != nil && r.record == nil:
		return r.places.Place("make", fmt.Errorf("`make` needs `from`, the record to make it from"))
	case r.record != nil && r.make == nil && r.matches == nil && !r.Says("columns") && !r.Says("where") &&
		!r.Says("carry") && !r.Says("keep"):
		return r.places.Place("from",
			fmt.Errorf("`from: %s` needs `make`, such as {from: %[1]s, make: spread, start: first, end: last, by: month}", r.record.Name))
	}
	if made {
		for _, o := range r.In.Options() {
			if _, said := r.places[o.Name]; said && o.Name != "bad-rows" {
				return r.places.Place(o.Name, fmt.Errorf("`%s` is for tables in files; `%s` is made from another record", o.Name, r.Name))
			}
		}
	}
	if r.make == nil {
		return nil
	}
	for _, o := range r.make.Options {
		if err := o.Check(r.p.Env); err != nil {
			return r.places.Place(o.Name, err)
		}
	}
	return r.places.fault(declare.Fit(r.make.Options, r.make.Rules...))
}

// lookupKeys are the keys of an entry of `match`, if nothing is filled.
func lookupKeys() *group {
	q, err := question.New("match")
	if err != nil {
		panic(err)
	}
	return (&lookup{question: q}).group(nil)
}

func (l *lookup) group(p *Plan) *group {
	g := &group{what: "a look-up", keys: []*declare.Key{
		{Name: "table", Needed: true, Help: "the table to look in", Example: "sites.csv",
			Takes: at(aText, func(v *node, text string) error {
				l.table = v.doc.beside(text)
				if _, err := os.Stat(l.table); err != nil {
					return err
				}
				return p.Files.Read(l.table)
			})},
	}}
	g.options(slices.DeleteFunc(slices.Clone(l.question.Options), func(o *declare.Key) bool { return o.Name == "ranges" }))
	return g
}

// lookups reads `match`.
func (r recordIn) lookups(v *node) error {
	items, err := v.items("{table: sites.csv, key: site, take: [calendar]}")
	if err != nil {
		return err
	}
	for _, item := range items {
		q, err := question.New("match")
		if err != nil {
			return err
		}
		l := &lookup{question: q, places: places{}}
		for _, o := range q.Options {
			o.Reset()
		}
		if err := l.group(r.p).fill(&node{doc: item.doc, val: item.val, at: l.places}); err != nil {
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
				return l.places.Place(o.Name, err)
			}
		}
		if err := declare.Fit(q.Options, q.Rules...); err != nil {
			return l.places.fault(err)
		}
		r.matches = append(r.matches, l)
	}
	return nil
}

// prepare has what a record is made of made, if it isn't a file as it is; place is
// what it is asked from.
func (p *Plan) prepare(r *Record, place *question.Place) error {
	if r.series == nil && r.record == nil && r.matches == nil {
		return nil
	}
	made, err := r.made.get(place, func(of question.Place) (*question.MadeTable, error) {
		made, err := p.make(r, of)
		if r.record != nil {
			r.record.Used()
		}
		return made, err
	})
	if err == nil {
		place.Made = func(name string) (*question.MadeTable, bool, error) { return made, name == r.Table, nil }
	}
	return err
}

// madeOnce is a table that is made when it is first asked for, by whomever; what is reported about
// its making is reported with each use.
type madeOnce struct {
	sync.Mutex
	table *question.MadeTable
	notes []string
	times int // that it was made, which is once
}

func (m *madeOnce) get(place *question.Place,
	make func(question.Place) (*question.MadeTable, error)) (*question.MadeTable, error) {
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
		m.times++
	}
	for _, text := range m.notes {
		if place.Note != nil {
			place.Note("%s", text)
		}
	}
	return m.table, nil
}

// drop gives the memory of the table back. Who asks after that has it made again.
func (m *madeOnce) drop() {
	m.Lock()
	defer m.Unlock()
	m.table, m.notes = nil, nil
}

// CountUsers counts who is still to ask for each record: the outputs, and the records that
// are made from it and aren't there yet. What nobody asks for gives its memory back.
func (p *Plan) CountUsers() {
	for _, r := range p.Records {
		r.users.Store(1)
	}
	for _, out := range p.Outputs {
		for _, r := range out.records() {
			r.users.Add(1)
		}
	}
	for _, r := range p.Records {
		if r.made.table == nil && r.record != nil {
			r.record.users.Add(1)
		}
	}
	for _, r := range p.Records {
		r.Used()
	}
}

// Used says that one who asked for the record is done with it; after the last one its
// memory is given back.
func (r *Record) Used() {
	if r.users.Add(-1) == 0 {
		r.made.drop()
		r.kept.drop()
	}
}

// Used says that the output is made: it asks no more for its records.
func (o *Output) Used() {
	for _, r := range o.records() {
		r.Used()
	}
}

// records are those that the output asks for.
func (o *Output) records() []*Record {
	if o.Record != nil {
		return append([]*Record{o.Record}, o.Rows...)
	}
	return o.Rows
}

// Onward prepares to ask something of the rows of a record for what stands on it: with
// `keep`, of the columns that go on alone.
func (p *Plan) Onward(r *Record, place question.Place) *question.Job {
	if r.Keep == nil {
		return p.Job(r, place)
	}
	r.lend(&place)
	place.Asker = r.Name
	kept, err := r.kept.get(&place, func(of question.Place) (*question.MadeTable, error) {
		table := &question.MadeTable{}
		job := p.Job(r, of)
		job.Shape.Columns = r.Keep
		return table, p.answer(job, table)
	})
	var at *rows.OptionError
	if errors.As(err, &at) && at.Option == "columns" {
		err = r.Fault(rows.In("keep", at.Err))
	} else {
		err = r.Fault(err)
	}
	place.Made = func(name string) (*question.MadeTable, bool, error) { return kept, name == r.Table, err }
	return &question.Job{Place: &place, Question: question.Plain(), Args: []string{r.Table},
		In: question.TableIn{BadRows: r.In.BadRows}}
}

// make makes the rows of a record.
func (p *Plan) make(r *Record, place question.Place) (made *question.MadeTable, err error) {
	made = &question.MadeTable{}
	switch {
	case r.series != nil:
		if p.Window == nil {
			return nil, r.places.Place("from", errors.New("a record made from a series needs the plan's `window`"))
		}
		columns, lines := schedule.Wide(r.series, *p.Window)
		err = rows.Result{To: made}.Lines(columns, p.Env, lines)
		r.Table = r.series.Name
	case r.record != nil && r.make != nil:
		job := p.Onward(r.record, place)
		job.Question, job.To = r.make, made
		err = job.Answer()
		r.Table = r.Name
	case r.record != nil:
		err = p.answer(p.Onward(r.record, place), made)
		r.Table = r.Name
	}
	if err != nil {
		return nil, r.Fault(err)
	}
	if r.matches == nil {
		return made, nil
	}
	name := filepath.Base(r.Table)
	for i, l := range r.matches {
		next := &question.MadeTable{}
		job := &question.Job{Place: &place, Question: l.question, Args: []string{r.Table, l.table}, In: r.In, To: next}
		if i > 0 || r.series != nil || r.record != nil {
			place.Made = func(of string) (*question.MadeTable, bool, error) { return made, of == name, nil }
			job.Args[0] = name
		}
		if err := job.Answer(); err != nil {
			var at *rows.OptionError
			if errors.As(err, &at) && l.places[at.Option].doc == nil && r.places[at.Option].doc != nil {
				return nil, r.Fault(err)
			}
			return nil, l.places.fault(err)
		}
		made = next
	}
	return made, nil
}

// answer answers a job into a table.
func (p *Plan) answer(job *question.Job, to *question.MadeTable) error {
	job.To = to
	return job.Answer()
}
