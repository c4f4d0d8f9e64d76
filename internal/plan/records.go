package plan

import (
	"errors"
	"fmt"
	"os"
	"strings"

	"github.com/goccy/go-yaml/ast"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/core/workdays"
	"yoyaku/internal/question"
)

// Record is a table of the plan: where it is, how it is read, the columns that
// phrases add.
type Record struct {
	Name  string
	Table string // path
	Key   string // column that names each row; "" for none
	// Columns are NAME = PHRASE, in the order of the file.
	Columns []string
	Where   []string
	In      question.TableIn
	Events  []RecordEvent

	// of is what it is made of, in place of a file: a series, or an answer about another
	// record; and matches look up columns from other tables before its own are added.
	series  *schedule.Series
	record  *Record
	make    *question.Question
	matches []*lookup
	made    *question.MadeTable // once it was
	cal     *workdays.Calendar  // that it counts with; nil for the plan's
	calOf   string              // a column that names each row's; "" for none
	notes   []string            // of its making

	expects *rowsExpect // what must hold of its rows; nil for nothing

	places places
}

func (p *Plan) addRecord(d *doc, name string, n ast.Node) error {
	r := &Record{Name: name, places: places{doc: d, item: n, keys: map[string]ast.Node{}}}
	options := r.In.Options()
	for _, o := range options {
		o.Reset()
	}
	shape := recordShape
	if m, ok := n.(*ast.MappingNode); ok {
		for _, pair := range m.Values { // what it is made by says which keys there are
			if pair.Key.GetToken().Value != "make" {
				continue
			}
			var err error
			if r.make, err = p.makeOf(d, pair.Value); err != nil {
				return err
			}
			if !r.make.Record {
				return d.fail(pair.Value, "`make: %s` gives no rows", r.make.Name)
			}
			shape = recordOf(r.make)
			options = append(options, r.make.Options...)
		}
	}
	err := d.each(n, shape, func(key string, _, v ast.Node) (err error) {
		r.places.keys[key] = v
		switch key {
		case "columns":
			r.places.keys["record columns"] = v
			return d.each(v, mustShape(recordShape, key), func(column string, k, v ast.Node) error {
				return r.column(d, column, k, v)
			})
		case "table":
			return p.tableOf(d, r, v)
		case "from":
			return p.madeFrom(d, r, v)
		case "make":
			return nil
		case "match":
			return p.lookups(d, r, v)
		case "key":
			r.Key, err = d.text(v)
			return err
		case "calendar":
			return p.calendarOfRows(d, r, v)
		case "where":
			return r.conditions(d, v)
		case "events":
			return r.events(d, v)
		case "expect":
			return r.expect(d, v)
		}
		return d.option(options, key, v)
	})
	if err != nil {
		return err
	}
	if err := p.source(d, r, n); err != nil {
		return err
	}
	if err := r.In.Check(); err != nil {
		return r.places.fault(err)
	}
	if len(r.Events) > 0 && r.Key == "" {
		return r.places.Place("events", fmt.Errorf("events of rows need a `key`, the column that names each row for good"))
	}
	p.Records = append(p.Records, r)
	return nil
}

func (p *Plan) tableOf(d *doc, r *Record, v ast.Node) error {
	text, err := d.text(v)
	if err != nil {
		return err
	}
	r.Table = d.beside(text)
	if _, err := os.Stat(r.Table); err != nil {
		return err
	}
	return p.Files.Read(r.Table)
}

func (r *Record) column(d *doc, name string, k, v ast.Node) error {
	if err := CheckName(name); err != nil {
		return d.wrap(k, err)
	}
	text, err := d.text(v)
	if err != nil {
		return err
	}
	if _, err := phrase.ParseExpr(text); err != nil {
		return err
	}
	r.Columns = append(r.Columns, name+" = "+text)
	return nil
}

// calendarOfRows reads the calendar that a record counts with.
func (p *Plan) calendarOfRows(d *doc, r *Record, v ast.Node) error {
	text, err := d.text(v)
	if err != nil {
		return err
	}
	if name, ok := strings.CutPrefix(strings.TrimSpace(text), "("); ok && strings.HasSuffix(name, ")") {
		r.calOf = rows.Unquote(strings.TrimSpace(strings.TrimSuffix(name, ")")))
		return nil
	}
	r.cal, err = p.book.named(text)
	return err
}

// lend gives a place the calendar of the record.
func (r *Record) lend(place *question.Place) {
	if r.cal != nil {
		place.Env.Calendar, place.Env.CalendarColumn = r.cal, ""
	}
	if r.calOf != "" {
		place.Env.CalendarColumn = r.calOf
	}
}

// conditions reads one condition or a list of them.
func (r *Record) conditions(d *doc, v ast.Node) (err error) {
	r.Where, _, err = d.conditions(v)
	return err
}

// conditions reads one condition or a list of them, none split at commas.
func (d *doc) conditions(v ast.Node) (list []string, nodes []ast.Node, err error) {
	nodes = []ast.Node{v}
	if seq, ok := v.(*ast.SequenceNode); ok {
		nodes = seq.Values
	}
	for _, n := range nodes {
		text, err := d.phrase(n)
		if err == nil {
			_, err = phrase.ParseCondition(text)
		}
		if err != nil {
			return nil, nil, d.wrap(n, err)
		}
		list = append(list, text)
	}
	return list, nodes, nil
}

// RecordEvent is an event that each row of a record has.
type RecordEvent struct {
	Name, Day, Summary string
	Where              []string
	Reminders          []schedule.Reminder
	Look               schedule.Look
	Private            bool

	places places
}

// reminders reads one reminder or a list of them.
func (d *doc) reminders(v ast.Node) (list []schedule.Reminder, err error) {
	texts, nodes, err := d.texts(v)
	for i, text := range texts {
		if text, err = phrase.Fill(text, d.words); err != nil {
			return nil, d.wrap(nodes[i], err)
		}
		r, err := schedule.ParseReminder(text)
		if err != nil {
			return nil, d.wrap(nodes[i], err)
		}
		list = append(list, r)
	}
	return list, err
}

func (r *Record) events(d *doc, v ast.Node) error {
	seq, ok := v.(*ast.SequenceNode)
	if !ok {
		return d.fail(v, "events are a list: `- {name: ends, day: ends, summary: \"{person}\"}`")
	}
	for _, item := range seq.Values {
		e := RecordEvent{places: places{doc: d, item: item, keys: map[string]ast.Node{}}}
		err := d.each(item, recordEventShape, func(key string, _, v ast.Node) (err error) {
			e.places.keys[key] = v
			switch key {
			case "where":
				e.Where, _, err = d.conditions(v)
			case "name":
				if e.Name, err = d.text(v); err == nil {
					err = CheckName(e.Name)
				}
			case "day":
				if e.Day, err = d.text(v); err == nil {
					_, err = phrase.ParseExpr(e.Day)
				}
			case "summary":
				e.Summary, err = d.summary(v)
			case "private":
				e.Private, err = d.yes(key, v)
			default:
				err = d.look(key, v, &e.Look, &e.Reminders)
			}
			return err
		})
		if err == nil && (e.Name == "" || e.Day == "") {
			err = d.fail(item, "an event of rows has a `name` and a `day`")
		}
		for _, other := range r.Events {
			if err == nil && phrase.SameName(other.Name, e.Name) {
				err = d.fail(item, "there already is an event `%s`", e.Name)
			}
		}
		if err != nil {
			return err
		}
		if e.Summary == "" {
			e.Summary = r.Name + ": " + e.Name + " {" + r.Key + "}"
		}
		r.Events = append(r.Events, e)
	}
	return nil
}

// Job prepares to ask something of the record's table.
func (p *Plan) Job(r *Record, place question.Place) *question.Job {
	r.lend(&place)
	place.Asker = r.Name
	if err := p.prepare(r, &place); err != nil {
		place.Made = func(string) (*question.MadeTable, bool, error) { return nil, false, err }
	}
	return &question.Job{Place: &place, Question: question.Plain(), Args: []string{r.Table}, In: r.In, Added: r.Columns, Kept: r.Where}
}

// Events makes the events of the record's rows that lie in a window.
func (p *Plan) Events(r *Record, window civil.Span, place question.Place) (list []schedule.Event, err error) {
	for _, e := range r.Events {
		job := p.Job(r, place)
		of := &rows.Events{Table: r.Name, Name: e.Name, Plan: p.ID, Day: e.Day, Text: e.Summary, Key: r.Key, Where: e.Where, DayOption: "day", TextOption: "summary", Reminders: e.Reminders, Look: e.Look, Private: e.Private}
		if err := job.EventsOf(of); err != nil {
			return nil, e.fault(r, err)
		}
		for _, made := range of.List {
			if window.Has(made.At.Day) {
				list = append(list, made)
			}
		}
	}
	return list, nil
}

// fault puts the place of the event's key around an error, or of the record's.
func (e *RecordEvent) fault(r *Record, err error) error {
	var at *rows.OptionError
	if errors.As(err, &at) && e.places.keys[at.Option] == nil {
		return r.Fault(err)
	}
	return e.places.fault(err)
}

// Record finds a record by name, or nil.
func (p *Plan) Record(name string) *Record {
	for _, r := range p.Records {
		if phrase.SameName(r.Name, name) {
			return r
		}
	}
	return nil
}

// Fault puts the place in the plan around an error that came of the record's
// table or of one of its keys.
func (r *Record) Fault(err error) error {
	if err == nil {
		return nil
	}
	return r.places.fault(err)
}

// recordOf is a record as questions see it, or nil.
func (p *Plan) recordOf(name string) *question.RecordOf {
	r := p.Record(name)
	if r == nil {
		return nil
	}
	place := p.Place()
	if err := p.prepare(r, &place); err != nil {
		return &question.RecordOf{Name: r.Name, Err: err}
	}
	return &question.RecordOf{Name: r.Name, Table: r.Table, Key: r.Key, Columns: r.Columns, Where: r.Where, In: r.In, Lend: r.lend}
}
