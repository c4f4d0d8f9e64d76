package query

import (
	"path/filepath"
	"strings"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/declare"
	"yoyaku/internal/ical"
)

func init() { register(newDerive) }

// deriveQuery adds columns to every row, or makes events of rows.
type deriveQuery struct {
	adds, remind, carry []string
	form                EventForm
	reasons             bool
	day, text, key, per string
}

func newDerive() *ask.Query {
	q := &deriveQuery{}
	return &ask.Query{
		Name: "derive", Group: ask.Tables, Order: 1, Use: "derive TABLE", Short: "Add columns to every row of a table",
		Long: `Add columns to every row of a table (CSV, TSV, JSON, JSON lines, XLSX, .ics, or - for
standard input). A column is "NAME = PHRASE" and may use the columns before it; if a cell
it needs is blank, it is blank. With --carry, a column runs down the rows, such as a
balance.`,
		Examples: `  yoyaku derive crew-contracts.csv --add "ends = start, lasting term months"
  yoyaku derive crew-contracts.csv --add "ends = start, lasting term months" --where "ends < today"
  yoyaku derive invoices.csv --add "due = invoiced, end of month, +30 days" --reasons
  yoyaku derive courses.csv --add "last = start, lasting days working days" --out courses.xlsx
  yoyaku derive berth-leases.csv --read-dates dmy --add "since = days from begins to today"`,
		MinArgs: 1, MaxArgs: 1, ArgsHelp: "a table, such as crew-contracts.csv", TakesTable: true, GivesEvents: true,
		Options: []*declare.Key{
			{Name: "add", Completion: "columns",
				Placeholder: `"NAME = PHRASE"`, Help: "add a column, or those of @FILE, one a line", Value: declare.Text.Repeat(&q.adds)},
			{Name: "reasons", Help: "add a column NAME_reason beside each: why it moved", Value: declare.Bool.Into(&q.reasons)},
			runningOption(&q.carry),
			{Name: "per", Requires: []string{"carry"}, Completion: "columns",
				Help: "run --carry down the rows of each value of column `COL`", Value: declare.Column.Into(&q.per)},
			{Name: "event-day", Completion: "columns",
				Help: "put each row's event on the day in column `COL`; needs --as ics", Value: declare.Column.Into(&q.day)},
			{Name: "event-text", Help: "write `TEXT` as the event's summary, with {columns} in it", Value: declare.Text.Into(&q.text)},
			{Name: "key", Completion: "columns", Help: "identify each row's event by column `COL` for good",
				Value: declare.Column.Into(&q.key)},
			reminderOption(&q.remind),
			q.form.Options()[0], // what rows are doesn't recur
		},
		Answer: q.answer,
	}
}

func (q *deriveQuery) answer(j *ask.Job) error {
	adds, err := readAdds(j, q.adds)
	if err != nil {
		return err
	}
	t, err := j.OpenTable()
	if err != nil {
		return err
	}
	if err := t.Add(adds, q.reasons, t.Env); err != nil {
		return rows.WrapOption("add", err)
	}
	if err := t.AddRunning(q.carry, q.per, t.Env); err != nil {
		return err
	}
	if err := q.form.Check(j.Events != nil); err != nil {
		return err
	}
	if j.Events != nil {
		return q.events(j, t)
	}
	if err := rejectEventOptions(j, "event-day", q.day, "event-text", q.text, "key", q.key, "remind",
		strings.Join(q.remind, ", ")); err != nil {
		return err
	}
	return j.WriteTable(t)
}

// maxPhrasesBytes bounds a file of phrases.
const maxPhrasesBytes = 1 << 20

// readAdds puts the lines of @FILE in its place; # begins a comment.
func readAdds(j *ask.Job, adds []string) (list []string, err error) {
	for _, a := range adds {
		name, isFile := strings.CutPrefix(a, "@")
		if !isFile {
			list = append(list, a)
			continue
		}
		if err := j.Files.AddInput(name); err != nil {
			return nil, err
		}
		data, err := j.Files.ReadAll(name, maxPhrasesBytes, "file of phrases")
		if err != nil {
			return nil, rows.WrapOption("add", err)
		}
		for line := range strings.Lines(strings.TrimPrefix(string(data), "\ufeff")) {
			if line = strings.TrimSpace(line); line != "" && line[0] != '#' {
				list = append(list, line)
			}
		}
	}
	return list, nil
}

// events makes an event of each row that has a day.
func (q *deriveQuery) events(j *ask.Job, t *ask.Table) error {
	for _, o := range []struct{ name, value string }{{"event-day", q.day}, {"event-text", q.text}, {"key", q.key}} {
		if o.value == "" {
			return declare.MissingError(o.name, "events of rows need event-day, event-text and key")
		}
	}
	stem := strings.TrimSuffix(filepath.Base(t.Name), filepath.Ext(t.Name))
	if t.Name == "-" {
		stem = "table"
	}
	day, err := t.FindColumn("event-day", q.day)
	if err != nil {
		return err
	}
	name := t.Visible()[day]
	e := rows.Events{Table: stem, Name: name, Plan: j.ID, Day: rows.QuoteName(name), Text: q.text, Key: q.key,
		Where:     j.Result.Where,
		DayOption: "event-day", TextOption: "event-text"}
	if e.Reminders, err = parseReminders(q.remind); err != nil {
		return err
	}
	if err := eventsOf(j, t, &e); err != nil {
		return err
	}
	for i := range e.List {
		e.List[i] = q.form.Apply(e.List[i])
		e.List[i].Category = "" // a file's name is no word for people
	}
	j.Events.SetScope(ical.Scope{Window: civil.AllDays, Plans: []string{j.ID},
		IsExcluded: func(series string) bool { return series != stem }})
	return j.Events.Events(e.List)
}

// eventsOf makes the events of a table's rows and says how many have no day.
func eventsOf(j *ask.Job, t *ask.Table, e *rows.Events) error {
	of, check, err := j.CalendarsOf(t)
	if err != nil {
		return err
	}
	e.Calendar = of
	if err := e.Prepare(t.Table); err != nil {
		return err
	}
	if err := j.PrepareRead(t.Visible()); err != nil {
		return err
	}
	err = j.Scan(t, func(line int, row []eval.Value) error {
		if err := check(line, row); err != nil {
			return err
		}
		return e.Add(line, row)
	})
	if err != nil {
		return err
	}
	if e.Blank > 0 {
		j.Note("%s", undatedText(e.Blank, t.Name))
	}
	return nil
}

// EventsOf makes events of the rows of the job's table.
func EventsOf(j *ask.Job, e *rows.Events) error {
	j.Query = &ask.Query{Name: "events", Answer: func(j *ask.Job) error {
		t, err := j.OpenTable()
		if err != nil {
			return err
		}
		return eventsOf(j, t, e)
	}}
	return j.Answer()
}
