package question

import (
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
)

// RecordOf is a record of the plan as questions see it.
type RecordOf struct {
	Name, Table, Key string
	Columns, Where   []string // NAME = PHRASE of the added ones; conditions
	Carried          []string // NAME = FIRST; NEXT of those that run down
	CarryPer         string
	In               TableIn
	// Lend gives a place the calendar that the record counts with.
	Lend func(*Place)
	Err  error // why it can't be had; nil if it can
}

// errFound ends the search for a row.
var errFound = errors.New("found")

// row says how a column of a row came about: the row by its key, or by its place
// as #12.
func (q *why) row(j *Job, r *RecordOf, who, column string) error {
	place := *j.Place
	if r.Lend != nil {
		r.Lend(&place)
	}
	sub := &Job{Place: &place, Args: []string{r.Table}, In: r.In, Added: r.Columns, Kept: r.Where,
		Carried: r.Carried, CarryPer: r.CarryPer}
	var list []schedule.Telling
	sub.Question = &Question{Name: "why", Answer: func(s *Job) (err error) {
		list, err = q.tellRow(s, r, who, column)
		return err
	}}
	if err := sub.Answer(); err != nil {
		return err
	}
	return j.tell(list)
}

func (q *why) tellRow(s *Job, r *RecordOf, who, column string) ([]schedule.Telling, error) {
	t, err := s.table()
	if err != nil {
		return nil, err
	}
	names := slices.Clone(t.Visible())
	at := rows.Find(names, rows.Unquote(column))
	if at < 0 {
		return nil, rows.UnknownColumn(rows.Unquote(column), names)
	}
	place, byPlace := strings.CutPrefix(who, "#")
	number, err := strconv.Atoi(place)
	key := -1
	if byPlace && (err != nil || number < 1) {
		return nil, fmt.Errorf("expected a row's place such as #1 or #12, found %q", who)
	}
	if !byPlace {
		if r.Key == "" {
			return nil, fmt.Errorf("the record `%s` has no `key`; name the row by its place, such as #12", r.Name)
		}
		if key, err = t.Column("key", r.Key); err != nil {
			return nil, err
		}
		t.Cells = append(t.Cells, key)
	}
	if err := s.settle(names); err != nil {
		return nil, err
	}
	var found []eval.Value
	n := 0
	err = s.scan(t, func(_ int, row []eval.Value) error {
		if n++; byPlace && n != number || !byPlace && eval.KeyOf(row[key]) != who {
			return nil
		}
		found = slices.Clone(row)
		for i := range found {
			found[i].Text = strings.Clone(found[i].Text)
		}
		return errFound
	})
	switch {
	case errors.Is(err, errFound):
	case err != nil:
		return nil, err
	case byPlace:
		return nil, fmt.Errorf("there is no row %[3]s: %[1]s has %[2]s", t.Name, phrase.Counted(n, "row"), who)
	default:
		return nil, fmt.Errorf("no row of %s has `%s` %q", t.Name, r.Key, who)
	}
	w := rowTelling{table: t, row: found, told: map[int]bool{}}
	err = w.tell(at)
	return w.list, err
}

// rowTelling tells columns of a row, each once, those that one uses in front of it.
type rowTelling struct {
	table *Table
	row   []eval.Value
	told  map[int]bool
	list  []schedule.Telling
}

// tell explains a column from what its own program, that of the table, leaves as its trace.
func (w *rowTelling) tell(at int) error {
	if w.told[at] {
		return nil
	}
	w.told[at] = true
	name := w.table.Visible()[at]
	added, ok := w.table.AddedAt(at)
	if !ok {
		w.put(name, "in the table", w.row[at], "")
		return nil
	}
	slices.Sort(added.Used)
	for _, i := range slices.Compact(added.Used) {
		if err := w.tell(i); err != nil {
			return err
		}
	}
	if text, prior, ok := added.RunsDown(); ok {
		w.list = append(w.list, schedule.Telling{What: name, Step: "= " + text})
		if prior.Kind != eval.Blank {
			w.put(name, "prior, in the row above", prior, "")
		}
		w.put(name, "gives", w.row[at], "")
		return nil
	}
	var v eval.Value
	var moves []eval.Move
	if _, err := added.Prog.Work(w.row[:at], &moves, &v); err != nil {
		return err
	}
	w.list = append(w.list, schedule.Telling{What: name, Step: "= " + added.Prog.Text})
	if len(moves) == 0 {
		w.put(name, "gives", v, "")
		return nil
	}
	w.list = append(w.list, schedule.TellSteps(name, eval.Day(moves[0].From), moves, v)...)
	return nil
}

// put writes a value: a date in its column, anything else in words.
func (w *rowTelling) put(name, step string, v eval.Value, why string) {
	t := schedule.Telling{What: name, Step: step, Why: why}
	if d, ok := eval.DayOf(v); ok {
		t.Day = d
	} else if v.Kind == eval.Blank {
		t.Why = "blank"
	} else {
		t.Why = v.String()
	}
	w.list = append(w.list, t)
}
