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
	In               TableIn
	Err              error // why it can't be had; nil where it can
}

// errFound ends the search for a row.
var errFound = errors.New("found")

// row tells how a column of a row came about: the row by its key, or by its place
// as #12.
func (q *why) row(j *Job, r *RecordOf, who, column string) error {
	sub := &Job{Place: j.Place, Args: []string{r.Table}, In: r.In, Added: r.Columns, Kept: r.Where}
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
		return nil, fmt.Errorf("%q is no place of a row; places are #1, #2, …", who)
	}
	if !byPlace {
		if r.Key == "" {
			return nil, fmt.Errorf("the record `%s` has no `key`, so a row is asked for by its place: #12", r.Name)
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
		return nil, fmt.Errorf("%s has %s, so there is no row %s", t.Name, phrase.Several(n, "row"), who)
	default:
		return nil, fmt.Errorf("no row of %s has `%s` %q", t.Name, r.Key, who)
	}
	w := rowTelling{env: t.Env, names: names, row: found, phrases: map[string]string{}, told: map[int]bool{}}
	for _, text := range r.Columns {
		name, body, err := rows.SplitAdd(text)
		if err != nil {
			return nil, err
		}
		w.phrases[phrase.FoldName(name)] = body
	}
	err = w.tell(at)
	return w.list, err
}

// rowTelling tells columns of a row, each once, those that one uses in front of it.
type rowTelling struct {
	env     eval.Env
	names   []string
	row     []eval.Value
	phrases map[string]string // of added columns, by folded name
	told    map[int]bool
	list    []schedule.Telling
}

func (w *rowTelling) tell(at int) error {
	if w.told[at] {
		return nil
	}
	w.told[at] = true
	name := w.names[at]
	body, added := w.phrases[phrase.FoldName(name)]
	if !added {
		w.put(name, "in the table", w.row[at], "")
		return nil
	}
	var used []int
	env := w.env
	env.Names, env.UsedSlots = w.names[:at], &used
	prog, err := eval.Compile(body, nil, env)
	if err != nil {
		return err
	}
	slices.Sort(used)
	for _, i := range slices.Compact(used) {
		if err := w.tell(i); err != nil {
			return err
		}
	}
	var v eval.Value
	var moves []eval.Move
	if err := prog.Into(w.row[:at], &moves, &v); err != nil {
		return err
	}
	w.list = append(w.list, schedule.Telling{What: name, Step: "= " + prog.Text})
	if chain := prog.Chain(); chain != nil {
		from := v
		if base, err := prog.Base(w.row[:at]); err == nil {
			from = base
		}
		w.list = append(w.list, schedule.TellSteps(name, from, chain, moves, v, w.row[:at])...)
		return nil
	}
	w.put(name, "gives", v, "")
	return nil
}

// put tells a value: a date in its column, anything else in words.
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
