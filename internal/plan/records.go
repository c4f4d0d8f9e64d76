package plan

import (
	"errors"
	"fmt"
	"os"
	"slices"
	"sync/atomic"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/core/workdays"
	"yoyaku/internal/declare"
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
	// Carried are NAME = FIRST; NEXT of columns that run down the rows, in groups by CarryPer.
	Carried  []string
	CarryPer string
	// Keep are the columns that go on to what stands on the record, or with - in front those
	// that don't; nil for all.
	Keep   []string
	In     question.TableIn
	Events []RecordEvent

	// of is what it is made of, in place of a file: a series, or an answer about another
	// record; and matches look up columns from other tables before its own are added.
	series  *schedule.Series
	record  *Record
	depth   int // how many records it is made from in turn
	make    *question.Question
	matches []*lookup
	made    madeOnce
	kept    madeOnce           // what of it goes on
	users   atomic.Int32       // that are still to come; below 1 if nobody counts
	cal     *workdays.Calendar // that it counts with; nil for the plan's
	calOf   string             // a column that names each row's; "" for none

	Expects *RowsExpect // what must hold of its rows; nil for nothing

	places places
}

// recordIn is a record as it is read.
type recordIn struct {
	*Record
	p *Plan
}

// group are the keys of a record that is made by q, whose options stand among them; nil
// where it is made by nothing.
func (r recordIn) group(q *question.Question) *group {
	columns := func() *names {
		return &names{what: "columns", help: "a phrase", each: r.column}
	}
	g := &group{what: "a record", made: r.group, keys: []*declare.Key{
		{Name: "table", Help: "the table's file, relative to the plan", Example: "crew.csv", Takes: at(aText, r.tableOf)},
		{Name: "from", Help: "instead of a table: a series, one row per date; or a record above",
			Example: "crew-pay", Takes: at(aText, r.madeFrom)},
		{Name: "make", Help: "the command to run on the record in `from`, with its options beside it", Example: "spread",
			Takes: aText.Then(nothing)},
		{Name: "match", Help: "columns to look up in other tables, before `columns`",
			Takes: listOf("a list", lookupKeys, r.lookups)},
		{Name: "key", Help: "the column that identifies each row for good", Example: "contract", Takes: aText.Into(&r.Key)},
		{Name: "calendar", Help: "the working calendar; (site) takes each row's from column site",
			Default: "the plan's", Example: "yard", Takes: aText.Then(r.calendar)},
		{Name: "columns", Help: "columns to add, each worked out by a phrase, in order", Takes: namesOf(columns)},
		{Name: "where", Help: "keep only the rows for which this holds", Example: "site is not blank",
			Takes: conditions.Then(func(list []placed) error { r.Where = texts(list); return nil })},
		{Name: "keep", Help: "the columns that outputs and later records see; -C leaves out C",
			Default: "all", Example: "[contract, -notice]", Takes: namesIn.Into(&r.Keep)},
		{Name: "expect", Help: "what must hold for the rows", Takes: keysOf(r.expectKeys)},
		{Name: "events", Help: "the calendar events of each row", Takes: listOf("a list", func() *group { return new(RecordEvent).group() }, r.events)},
	}}
	if q == nil || declare.Find(q.Options, "carry") == nil {
		g.keys = append(g.keys, &declare.Key{Name: "carry", Help: carryHelp, Example: `{balance: "amount; prior + amount"}`, Takes: carries(r.carry)},
			&declare.Key{Name: "per", Help: "run `carry` down the rows of each value of this column", Default: "all rows together",
				Example: "account", Takes: aText.Into(&r.CarryPer)})
	}
	g.options(r.In.Options())
	if q != nil {
		g.options(q.Options)
	}
	return g
}

// addRecord reads an entry of `records`.
func (p *Plan) addRecord(v *node) (err error) {
	r := recordIn{&Record{Name: v.name, places: places{}}, p}
	if r.make, err = v.makes(); err != nil {
		return err
	}
	if r.make != nil && !r.make.Record {
		return v.fail("`make: %s` doesn't make rows", r.make.Name)
	}
	g := r.group(r.make)
	for _, k := range g.flags() {
		k.Reset()
	}
	if err := g.fill(&node{doc: v.doc, val: v.val, at: r.places}); err != nil {
		return err
	}
	if err := r.source(); err != nil {
		return err
	}
	if err := r.In.Check(); err != nil {
		return r.places.fault(err)
	}
	if r.CarryPer != "" && r.Carried == nil {
		return r.places.Place("per", errors.New("`per` needs `carry`"))
	}
	if len(r.Events) > 0 && r.Key == "" {
		return r.places.Place("events", fmt.Errorf("events of rows need a `key`, the column that identifies each row for good"))
	}
	p.Records = append(p.Records, r.Record)
	return nil
}

func (r recordIn) tableOf(v *node, text string) error {
	r.Table = v.doc.beside(text)
	if _, err := os.Stat(r.Table); err != nil {
		return err
	}
	return r.p.Files.Read(r.Table)
}

func (r recordIn) column(v *node) error {
	if err := CheckName(v.name); err != nil {
		return v.doc.wrap(v.k, err)
	}
	text, err := v.doc.text(v.val)
	if err != nil {
		return err
	}
	if _, err := phrase.ParseExpr(text); err != nil {
		return err
	}
	r.Columns = append(r.Columns, v.name+" = "+text)
	return nil
}

const carryHelp = "running columns, each `FIRST; NEXT`: FIRST in the first row, then NEXT, in which prior is the value above"

// carries takes columns that run down, each by its name.
func carries(add func(text string) error) declare.Takes {
	return namesOf(func() *names {
		return &names{what: "carry", help: "FIRST; NEXT, such as \"amount; prior + amount\"", each: func(v *node) error {
			if err := CheckName(v.name); err != nil {
				return v.doc.wrap(v.k, err)
			}
			text, err := v.doc.text(v.val)
			if err != nil {
				return err
			}
			return add(v.name + " = " + text)
		}}
	})
}

func (r recordIn) carry(text string) error {
	r.Carried = append(r.Carried, text)
	_, _, _, err := rows.SplitCarry(text)
	return err
}

// calendar takes the calendar that the record counts with.
func (r recordIn) calendar(text string) (err error) {
	if column, ok := calendarColumn(text); ok {
		r.calOf = column
		return nil
	}
	r.cal, err = r.p.book.named(text)
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

// RecordEvent is an event that each row of a record has.
type RecordEvent struct {
	Name, Day, Summary string
	Where              []string
	Reminders          []schedule.Reminder
	Look               schedule.Look
	Private            bool

	places places
}

func (e *RecordEvent) group() *group {
	name := func(text string) error { e.Name = text; return CheckName(text) }
	day := func(text string) error {
		e.Day = text
		_, err := phrase.ParseExpr(text)
		return err
	}
	return &group{what: "an event of rows", keys: append([]*declare.Key{
		{Name: "name", Needed: true, Help: "identifies the event among those of its row, for good", Example: "decide",
			Takes: aText.Then(name)},
		{Name: "day", Needed: true, Help: "the event's day: a column or a phrase", Example: "ends, -3 months",
			Takes: aText.Then(day)},
		{Name: "where", Help: "only the rows for which this holds have the event", Example: "ends is not blank",
			Takes: conditions.Then(func(list []placed) error { e.Where = texts(list); return nil })},
		{Name: "summary", Help: "the event's text, with {columns} filled in", Default: "the names of record and event, and the key",
			Example: `"Decide on {person}'s contract"`, Takes: aSummary.Into(&e.Summary)},
		{Name: "private", Help: "mark the event as private", Default: "no", Takes: declare.Yes.Into(&e.Private)},
	}, lookKeys(&e.Look, &e.Reminders)...)}
}

func (r recordIn) events(v *node) error {
	items, err := v.items("{name: ends, day: ends, summary: \"{person}\"}")
	if err != nil {
		return err
	}
	for _, item := range items {
		e := RecordEvent{places: places{}}
		if err := e.group().fill(&node{doc: item.doc, val: item.val, at: e.places}); err != nil {
			return err
		}
		if slices.ContainsFunc(r.Events, func(other RecordEvent) bool { return phrase.SameName(other.Name, e.Name) }) {
			return item.fail("there is already an event `%s`", e.Name)
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
	return &question.Job{Place: &place, Question: question.Plain(), Args: []string{r.Table}, In: r.In,
		Added: r.Columns, Kept: r.Where, Carried: r.Carried, CarryPer: r.CarryPer}
}

// Events makes the events of the record's rows that lie in a window.
func (p *Plan) Events(r *Record, window civil.Span, place question.Place) (list []schedule.Event, err error) {
	for _, e := range r.Events {
		job := p.Job(r, place)
		of := &rows.Events{Table: r.Name, Name: e.Name, Plan: p.ID, Day: e.Day, Text: e.Summary, Key: r.Key,
			Where: e.Where, DayOption: "day", TextOption: "summary", Reminders: e.Reminders, Look: e.Look, Private: e.Private}
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
	if errors.As(err, &at) && e.places[at.Option].doc == nil {
		return r.Fault(err)
	}
	return e.places.fault(err)
}

// Record finds a record by name, or nil.
func (p *Plan) Record(name string) *Record {
	if i := p.recordsAt.find(name, len(p.Records), func(i int) string { return p.Records[i].Name }); i >= 0 {
		return p.Records[i]
	}
	return nil
}

// Fault puts the place in the plan around an error that came of the record's
// table or of one of its keys.
func (r *Record) Fault(err error) error {
	if err == nil {
		return nil
	}
	return r.places.fault(inColumns(err))
}

// inColumns says that what is wrong with columns that a record adds is wrong with its key
// of that name.
func inColumns(err error) error {
	var at *rows.OptionError
	if errors.As(err, &at) && at.Option == "record columns" {
		return rows.In("columns", at.Err)
	}
	return err
}

// RecordOf is a record as questions see it, or nil.
func (p *Plan) RecordOf(name string) *question.RecordOf {
	r := p.Record(name)
	if r == nil {
		return nil
	}
	place := p.Place()
	if err := p.prepare(r, &place); err != nil {
		return &question.RecordOf{Name: r.Name, Err: err}
	}
	return &question.RecordOf{Name: r.Name, Table: r.Table, Key: r.Key, Columns: r.Columns, Where: r.Where, In: r.In,
		Carried: r.Carried, CarryPer: r.CarryPer, Lend: r.lend}
}
