package rows

import (
	"fmt"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/schedule"
)

// Events makes a calendar event of each row that has a day.
type Events struct {
	Name, Plan     string // of the table and of the plan, for the events' identity
	Day, Text, Key string // the columns of day and key, the template of the text
	Where          []string
	List           []schedule.Event

	table    *Table
	day, key int
	text     *schedule.Template
	seen     map[string]int
}

// Prepare finds the columns in a table.
func (e *Events) Prepare(t *Table) (err error) {
	if err = t.Filter(e.Where); err != nil {
		return err
	}
	if e.day, err = t.Column("event-day", e.Day); err != nil {
		return err
	}
	if e.key, err = t.Column("key", e.Key); err != nil {
		return err
	}
	if e.text, err = schedule.ParseTemplate(e.Text, t.Visible()); err != nil {
		return In("event-text", err)
	}
	t.Dates = append(t.Dates, e.day)
	e.table, e.seen = t, map[string]int{}
	return nil
}

// Add takes a row. A key that is blank or names another row is an error.
func (e *Events) Add(line int, row []eval.Value) error {
	v, ok := eval.DayOf(row[e.day])
	if !ok {
		return nil
	}
	id := row[e.key].String()
	if before := e.seen[id]; before > 0 {
		return fmt.Errorf("%s, line %d: the key `%s` is %q, as in line %d, and a key names one row", e.table.Name, line, e.Key, eval.Brief(id), before)
	}
	if id == "" {
		return fmt.Errorf("%s, line %d: the key `%s` is blank, and a key names one row", e.table.Name, line, e.Key)
	}
	e.seen[id] = line
	e.List = append(e.List, schedule.Event{UID: fmt.Sprintf("%s.%s.%s@%s", e.Name, e.Day, id, e.Plan), Summary: e.text.FillRow(row), At: v})
	return nil
}
