package plan

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"github.com/goccy/go-yaml/ast"

	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/question"
)

// lookup is an entry of a record's `match`.
type lookup struct {
	question *question.Question
	table    string
	places   places
}

// madeFrom reads `from`: a series, or a record that stands above.
func (p *Plan) madeFrom(d *doc, r *Record, v ast.Node) error {
	name, err := d.text(v)
	if err != nil {
		return err
	}
	if r.series = p.Find(name); r.series != nil {
		return nil
	}
	if r.record = p.Record(name); r.record != nil {
		return nil
	}
	switch {
	case foldName(name) == foldName(r.Name):
		return d.fail(v, "the record `%s` is made of itself", r.Name)
	case p.failed[foldName(name)]:
		return errLame
	case p.given["names"][foldName(name)].node != nil && p.patternOf(name) == nil:
		return d.fail(v, "`%s` stands further down, or is made of `%s`; a record is made of series and of records above it", name, r.Name)
	}
	place := p.Place()
	return d.wrap(v, fmt.Errorf("%w, and no record above has that name", place.UnknownSeries(name)))
}

// source checks that a record has one table, or what takes its place.
func (p *Plan) source(d *doc, r *Record, n ast.Node) error {
	made := r.series != nil || r.record != nil
	switch {
	case r.Table == "" && !made:
		return d.fail(n, "the record `%s` has no `table`; or `from`, where it is made of a series or of another record", r.Name)
	case r.Table != "" && made:
		return r.places.Place("from", fmt.Errorf("a record has a `table`, or is made `from` something, not both"))
	case r.make != nil && r.record == nil:
		return r.places.Place("make", fmt.Errorf("`make` is for a record that stands in `from`"))
	case r.record != nil && r.make == nil && r.matches == nil:
		return r.places.Place("from", fmt.Errorf("what is made of `%s`? `make` says so: {from: %[1]s, make: spread, start: first, end: last, by: month}", r.record.Name))
	}
	if made {
		for _, o := range r.In.Options() {
			if r.places.keys[o.Name] != nil && o.Name != "bad-rows" {
				return r.places.Place(o.Name, fmt.Errorf("`%s` is for tables in files; `%s` is made", o.Name, r.Name))
			}
		}
	}
	if r.make == nil {
		return nil
	}
	for _, o := range r.make.Options {
		if err := o.Check(p.Env); err != nil {
			return r.places.Place(o.Name, err)
		}
	}
	return r.places.fault(question.Fit(r.make.Options))
}

// lookups reads `match`.
func (p *Plan) lookups(d *doc, r *Record, v ast.Node) error {
	seq, ok := v.(*ast.SequenceNode)
	if !ok {
		return d.fail(v, "`match` is a list: `- {table: sites.csv, key: site, take: [calendar]}`")
	}
	for _, item := range seq.Values {
		q, err := question.New("match")
		if err != nil {
			return err
		}
		l := &lookup{question: q, places: places{doc: d, item: item, keys: map[string]ast.Node{}}}
		for _, o := range q.Options {
			o.Reset()
		}
		err = d.each(item, lookupShape, func(key string, _, v ast.Node) error {
			l.places.keys[key] = v
			if key != "table" {
				return d.option(q.Options, key, v)
			}
			text, err := d.text(v)
			if err != nil {
				return err
			}
			l.table = d.beside(text)
			if _, err := os.Stat(l.table); err != nil {
				return err
			}
			return p.Files.Read(l.table)
		})
		if err == nil && l.table == "" {
			err = d.fail(item, "a look-up has a `table`: {table: sites.csv, key: site, take: [calendar]}")
		}
		for _, o := range q.Options {
			if o.Name == "ranges" && err == nil {
				err = o.Set(l.table)
			}
			if at := o.Check(p.Env); at != nil && err == nil {
				err = l.places.Place(o.Name, at)
			}
		}
		at := q.Valid()
		if at == nil {
			at = question.Fit(q.Options)
		}
		if at != nil && err == nil {
			err = l.places.fault(at)
		}
		if err != nil {
			return err
		}
		r.matches = append(r.matches, l)
	}
	return nil
}

// prepare has what a record is made of made, where it isn't a file as it stands; place is
// what it is asked from.
func (p *Plan) prepare(r *Record, place *question.Place) error {
	if r.series == nil && r.record == nil && r.matches == nil {
		return nil
	}
	if r.made == nil {
		of := *place // what is told of it is told with each use
		of.Note = func(format string, args ...any) { r.notes = append(r.notes, fmt.Sprintf(format, args...)) }
		of.Warn = of.Note
		made, err := p.make(r, of)
		if err != nil {
			return err
		}
		r.made = made
	}
	for _, text := range r.notes {
		if place.Note != nil {
			place.Note("%s", text)
		}
	}
	place.Made = func(name string) (*question.MadeTable, bool, error) { return r.made, name == r.Table, nil }
	return nil
}

// make makes the rows of a record.
func (p *Plan) make(r *Record, place question.Place) (made *question.MadeTable, err error) {
	made = &question.MadeTable{}
	switch {
	case r.series != nil:
		if p.Window == nil {
			return nil, r.places.Place("from", errors.New("a record made of a series needs the plan's `window`"))
		}
		columns, lines := schedule.Wide(r.series, *p.Window)
		err = rows.Result{To: made}.Lines(columns, p.Env, lines)
		r.Table = r.series.Name
	case r.record != nil && r.make != nil:
		job := p.Job(r.record, place)
		job.Question, job.To = r.make, made
		err = job.Answer()
		r.Table = r.Name
	case r.record != nil:
		err = p.answer(p.Job(r.record, place), made)
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
			if errors.As(err, &at) && l.places.keys[at.Option] == nil && r.places.keys[at.Option] != nil {
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
