package plan

import (
	"errors"
	"fmt"
	"os"
	"slices"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/core/workdays"
	"yoyaku/internal/declare"
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
	// Running are NAME = FIRST; NEXT of columns that run down the rows, in groups by RunningGroup.
	Running      []string
	RunningGroup string
	// KeepColumns are the columns that go on to what stands on the record, or with - in front those
	// that don't; nil for all.
	KeepColumns []string
	In          ask.TableOptions
	Events      []RecordEvent

	// FromSeries or From is what it is made of in place of a file, and Query how; Lookups add
	// columns of other tables before its own.
	FromSeries *schedule.Series
	From       *Record
	Query      *ask.Query // nil: its rows as they are
	Lookups    []*Lookup

	depth          int                // how many records it is made from in turn
	ownCalendar    *workdays.Calendar // that it counts with; nil for the plan's
	calendarColumn string             // a column that names each row's; "" for none

	Expects *RecordExpectations // what must hold of its rows; nil for nothing

	positions keyPositions
}

// recordReader is a record as it is read.
type recordReader struct {
	*Record
	p *Plan
}

// group are the keys of a record that is made by q, whose options stand among them; nil
// where it is made by nothing.
func (r recordReader) group(q *ask.Query) *keyGroup {
	columns := func() *nameMap {
		return &nameMap{label: "columns", help: "a phrase", readEach: r.column}
	}
	g := &keyGroup{label: "a record", groupFor: r.group, keys: []*declare.Key{
		{Name: "table", Help: "the table's file, relative to the plan", Example: "crew.csv", Value: at(textKind, r.tableOf)},
		{Name: "from", Help: "instead of a table: a series, one row per date; or a record above",
			Example: "crew-pay", Value: at(textKind, r.readFrom)},
		{Name: "make", Help: "the command to run on the record in `from`, with its options beside it", Example: "spread",
			Value: textKind.Call(ignoreText)},
		{Name: "match", Help: "columns to look up in other tables, before `columns`",
			Value: listOf("a list", lookupKeys, r.lookups)},
		{Name: "key", Help: "the column that identifies each row for good", Example: "contract", Value: textKind.Into(&r.Key)},
		{Name: "calendar", Help: "the working calendar; (site) takes each row's from column site",
			Default: "the plan's", Example: "yard", Value: textKind.Call(r.calendar)},
		{Name: "language", Help: "the language of months and weekdays in its cells, read before all others", Default: "the plan's", Example: "de",
			Value: languageKind.Into(&r.In.Language)},
		{Name: "columns", Help: "columns to add, each worked out by a phrase, in order", Value: takesNames(columns)},
		{Name: "where", Help: "keep only the rows for which this holds", Example: "site is not blank",
			Value: conditionsKind.Call(func(list []textAt) error { r.Where = textsOf(list); return nil })},
		{Name: "keep", Help: "the columns that outputs and later records see; -C leaves out C",
			Default: "all", Example: "[contract, -notice]", Value: nameListKind.Into(&r.KeepColumns)},
		{Name: "expect", Help: "what must hold for the rows", Value: takesKeys(r.expectKeys)},
		{Name: "events", Help: "the calendar events of each row", Value: listOf("a list", func() *keyGroup { return new(RecordEvent).group() }, r.events)},
	}}
	if q == nil || declare.Find(q.Options, "carry") == nil {
		g.keys = append(g.keys, &declare.Key{Name: "carry", Help: runningHelp, Example: `{balance: "amount; prior + amount"}`, Value: takesRunning(r.addRunning)},
			&declare.Key{Name: "per", Help: "run `carry` down the rows of each value of this column", Default: "all rows together",
				Example: "account", Value: textKind.Into(&r.RunningGroup)})
	}
	g.options(r.In.Options())
	if q != nil {
		g.options(q.Options)
	}
	return g
}

// addRecord reads an entry of `records`.
func (p *Plan) addRecord(v *node) (err error) {
	r := recordReader{&Record{Name: v.name, positions: keyPositions{}}, p}
	if r.Query, err = v.madeQuery(); err != nil {
		return err
	}
	if r.Query != nil && !r.Query.ForRecords {
		return v.fail("`make: %s` doesn't make rows", r.Query.Name)
	}
	g := r.group(r.Query)
	for _, k := range g.flags() {
		k.Reset()
	}
	if err := g.fill(&node{doc: v.doc, valueNode: v.valueNode, positions: r.positions}); err != nil {
		return err
	}
	if err := r.checkSource(); err != nil {
		return err
	}
	if err := r.In.Check(); err != nil {
		return r.positions.wrapOption(err)
	}
	if r.RunningGroup != "" && r.Running == nil {
		return r.positions.WrapKey("per", errors.New("`per` needs `carry`"))
	}
	if len(r.Events) > 0 && r.Key == "" {
		return r.positions.WrapKey("events", fmt.Errorf("events of rows need a `key`, the column that identifies each row for good"))
	}
	p.Records = append(p.Records, r.Record)
	return nil
}

func (r recordReader) tableOf(v *node, text string) error {
	r.Table = v.doc.resolvePath(text)
	if _, err := os.Stat(r.Table); err != nil {
		return err
	}
	return r.p.Files.AddInput(r.Table)
}

func (r recordReader) column(v *node) error {
	if err := schedule.CheckName(v.name); err != nil {
		return v.doc.wrap(v.keyNode, err)
	}
	text, err := v.doc.text(v.valueNode)
	if err != nil {
		return err
	}
	if _, err := phrase.ParseExpr(text); err != nil {
		return err
	}
	r.Columns = append(r.Columns, v.name+" = "+text)
	return nil
}

const runningHelp = "running columns, each `FIRST; NEXT`: FIRST in the first row, then NEXT, in which prior is the value above"

// takesRunning takes columns that run down, each by its name.
func takesRunning(add func(text string) error) declare.ValueSpec {
	return takesNames(func() *nameMap {
		return &nameMap{label: "carry", help: "FIRST; NEXT, such as \"amount; prior + amount\"", readEach: func(v *node) error {
			if err := schedule.CheckName(v.name); err != nil {
				return v.doc.wrap(v.keyNode, err)
			}
			text, err := v.doc.text(v.valueNode)
			if err != nil {
				return err
			}
			return add(v.name + " = " + text)
		}}
	})
}

func (r recordReader) addRunning(text string) error {
	r.Running = append(r.Running, text)
	_, _, _, err := rows.SplitCarry(text)
	return err
}

// calendar takes the calendar that the record counts with.
func (r recordReader) calendar(text string) (err error) {
	if column, ok := calendarColumn(text); ok {
		r.calendarColumn = column
		return nil
	}
	r.ownCalendar, err = r.p.calendars.resolve(text)
	return err
}

// BindCalendar gives an environment the calendar of the record, if it has its own.
func (r *Record) BindCalendar(env *eval.Env) {
	if r.ownCalendar != nil {
		env.Calendar, env.CalendarColumn = r.ownCalendar, ""
	}
	if r.calendarColumn != "" {
		env.CalendarColumn = r.calendarColumn
	}
}

// RecordEvent is an event that each row of a record may have.
type RecordEvent struct {
	Name, Day, Summary string
	Where              []string
	Reminders          []schedule.Reminder
	EventProperties    schedule.EventProperties
	Private            bool

	places keyPositions
}

func (e *RecordEvent) group() *keyGroup {
	name := func(text string) error { e.Name = text; return schedule.CheckName(text) }
	day := func(text string) error {
		e.Day = text
		_, err := phrase.ParseExpr(text)
		return err
	}
	return &keyGroup{label: "an event of rows", keys: append([]*declare.Key{
		{Name: "name", Required: true, Help: "identifies the event among those of its row, for good", Example: "decide",
			Value: textKind.Call(name)},
		{Name: "day", Required: true, Help: "the event's day: a column or a phrase", Example: "ends, -3 months",
			Value: textKind.Call(day)},
		{Name: "where", Help: "only the rows for which this holds have the event", Example: "ends is not blank",
			Value: conditionsKind.Call(func(list []textAt) error { e.Where = textsOf(list); return nil })},
		{Name: "summary", Help: "the event's text, with {columns} filled in", Default: "the names of record and event, and the key",
			Example: `"Decide on {person}'s contract"`, Value: summaryKind.Into(&e.Summary)},
		{Name: "private", Help: "mark the event as private", Default: "no", Value: declare.Bool.Into(&e.Private)},
	}, eventPropertyKeys(&e.EventProperties, &e.Reminders)...)}
}

func (r recordReader) events(v *node) error {
	items, err := v.items("{name: ends, day: ends, summary: \"{person}\"}")
	if err != nil {
		return err
	}
	for _, item := range items {
		e := RecordEvent{places: keyPositions{}}
		if err := e.group().fill(&node{doc: item.doc, valueNode: item.valueNode, positions: e.places}); err != nil {
			return err
		}
		if slices.ContainsFunc(r.Events, func(other RecordEvent) bool { return phrase.NamesEqual(other.Name, e.Name) }) {
			return item.fail("there is already an event `%s`", e.Name)
		}
		if e.Summary == "" {
			e.Summary = r.Name + ": " + e.Name + " {" + r.Key + "}"
		}
		r.Events = append(r.Events, e)
	}
	return nil
}

// WrapError puts the place of the event's key around an error, or of the record's.
func (e *RecordEvent) WrapError(r *Record, err error) error {
	var option *rows.OptionError
	if errors.As(err, &option) && e.places[option.Option].doc == nil {
		return r.WrapError(err)
	}
	return e.places.wrapOption(err)
}

// Record finds a record by name, or nil.
func (p *Plan) Record(name string) *Record {
	if i := p.recordsAt.find(name, len(p.Records), func(i int) string { return p.Records[i].Name }); i >= 0 {
		return p.Records[i]
	}
	return nil
}

// WrapError puts the place in the plan around an error that came of the record's
// table or of one of its keys.
func (r *Record) WrapError(err error) error {
	if err == nil {
		return nil
	}
	return r.positions.wrapOption(err)
}
