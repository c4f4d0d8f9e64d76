package rows

import (
	"fmt"
	"strings"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/core/workdays"
)

// Events makes a calendar event of each row that has a day.
type Events struct {
	// Table, Name and Plan name the events for good: the table or record, the
	// event among those of a row, the plan.
	Table, Name, Plan string
	// Day is the phrase of the day, Text the template of what the event is called,
	// Key the column that names the row; the options that they come of, for faults.
	Day, Text, Key        string
	DayOption, TextOption string
	Where                 []string
	Reminders             []schedule.Reminder
	EventProperties       schedule.EventProperties
	Private               bool
	// Calendar is that of a row; nil if it is blank.
	Calendar func(row []eval.Value) *workdays.Calendar
	List     []schedule.Event
	Blank    int // rows without a day

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
	if e.key, err = t.FindColumn("key", e.Key); err != nil {
		return err
	}
	if e.text, err = schedule.ParseTemplate(e.Text, eval.Env{Names: t.Visible()}); err != nil {
		return WrapOption(e.TextOption, err)
	}
	if i := ColumnIndex(t.Visible(), UnquoteName(e.Day)); i >= 0 { // its cells are dates, and keep their time
		t.Dates = append(t.Dates, i)
	}
	e.day, err = t.AddHiddenPhrase(e.DayOption, e.Day)
	e.table, e.seen = t, map[string]int{}
	return err
}

// Add takes a row. A key that is blank or names another row is an error.
func (e *Events) Add(line int, row []eval.Value) error {
	v, ok := eval.AsDate(row[e.day])
	if !ok {
		e.Blank++
		return nil
	}
	id := row[e.key].String()
	if before := e.seen[id]; before > 0 {
		return fmt.Errorf("%s:%d: the key `%s` is %q, the same as in line %d", e.table.Name, line,
			e.Key, eval.Truncate(id), before)
	}
	if id == "" {
		return fmt.Errorf("%s, line %d: the key `%s` is blank, and a key names one row", e.table.Name, line, e.Key)
	}
	e.seen[id] = line
	text, _ := e.text.FillRow(row)
	e.List = append(e.List, schedule.Event{UID: fmt.Sprintf("%s.%s.%s@%s", e.Table, e.Name, EventKey(id), e.Plan),
		Summary: text, At: v,
		Category: e.Table, Series: e.Table, What: e.Name, ID: strings.Clone(id), Nominal: eval.Day(v.Day),
		Reminders: e.Reminders, Calendar: e.Calendar(row), Private: e.Private, Tentative: v.Provisional, EventProperties: e.EventProperties})
	return nil
}

const hexDigits = "0123456789ABCDEF"

// EventKey writes a key as a UID holds it: in UTF-8 with all but letters, digits and
// . _ - / percent-encoded.
func EventKey(s string) string {
	var b strings.Builder
	for i := range len(s) {
		c := s[i]
		if c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9' || strings.IndexByte("._-/", c) >= 0 {
			b.WriteByte(c)
		} else {
			b.WriteString("%" + hexDigits[c>>4:c>>4+1] + hexDigits[c&15:c&15+1])
		}
	}
	return b.String()
}
