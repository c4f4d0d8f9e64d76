package query

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
)

// errRowFound ends the search for a row.
var errRowFound = errors.New("found")

// explainRow says how a column of a row came about: the row by its key, or by its place
// as #12.
func (q *whyQuery) explainRow(j *ask.Job, r *ask.RecordRows, who, column string) error {
	sub := r.Job(*j.Workspace)
	var list []schedule.ExplanationLine
	sub.Query = &ask.Query{Name: "why", Answer: func(s *ask.Job) (err error) {
		list, err = q.rowExplanation(s, r, who, column)
		return err
	}}
	if err := sub.Answer(); err != nil {
		if errors.As(err, new(*phrase.Error)) || errors.As(err, new(*rows.OptionError)) { // of a key of the plan
			return r.WrapError(err)
		}
		return err
	}
	return reportExplanation(j, list)
}

func (q *whyQuery) rowExplanation(s *ask.Job, r *ask.RecordRows, who, column string) ([]schedule.ExplanationLine, error) {
	t, err := s.OpenTable()
	if err != nil {
		return nil, err
	}
	names := slices.Clone(t.Visible())
	at := rows.ColumnIndex(names, rows.UnquoteName(column))
	if at < 0 {
		return nil, rows.UnknownColumn(rows.UnquoteName(column), names)
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
		if key, err = t.FindColumn("key", r.Key); err != nil {
			return nil, err
		}
		t.Cells = append(t.Cells, key)
	}
	if err := s.PrepareRead(names); err != nil {
		return nil, err
	}
	var found []eval.Value
	n := 0
	err = s.Scan(t, func(_ int, row []eval.Value) error {
		if n++; byPlace && n != number || !byPlace && eval.CellKey(row[key]) != who {
			return nil
		}
		found = slices.Clone(row)
		for i := range found {
			found[i].Text = strings.Clone(found[i].Text)
		}
		return errRowFound
	})
	switch {
	case errors.Is(err, errRowFound):
	case err != nil:
		return nil, err
	case byPlace:
		return nil, fmt.Errorf("there is no row %[3]s: %[1]s has %[2]s", t.Name, phrase.Plural(n, "row"), who)
	default:
		return nil, fmt.Errorf("no row of %s has `%s` %q", t.Name, r.Key, who)
	}
	s.ResetMisses() // of other rows, and of what the record stands on
	w := rowExplainer{table: t, row: found, explained: map[int]bool{}}
	err = w.explain(at)
	return w.lines, err
}

// rowExplainer tells columns of a row, each once, those that one uses in front of it.
type rowExplainer struct {
	table     *ask.Table
	row       []eval.Value
	explained map[int]bool
	lines     []schedule.ExplanationLine
}

// explain explains a column from what its own program, that of the table, leaves as its trace.
func (w *rowExplainer) explain(at int) error {
	if w.explained[at] {
		return nil
	}
	w.explained[at] = true
	name := w.table.Visible()[at]
	added, ok := w.table.AddedAt(at)
	if !ok {
		w.addLine(name, "in the table", w.row[at], "")
		return nil
	}
	slices.Sort(added.UsedSlots)
	for _, i := range slices.Compact(added.UsedSlots) {
		if err := w.explain(i); err != nil {
			return err
		}
	}
	if text, prior, ok := added.RunningPhrase(); ok {
		w.lines = append(w.lines, schedule.ExplanationLine{What: name, Step: "= " + text})
		if prior.Kind != eval.Blank {
			w.addLine(name, "prior, in the row above", prior, "")
		}
		w.addLine(name, "gives", w.row[at], "")
		return nil
	}
	var v eval.Value
	var moves []eval.Move
	uncovered, err := added.Program.EvalTraced(w.row[:at], &moves, &v)
	if err != nil {
		return err
	}
	uncovered.Record()
	w.lines = append(w.lines, schedule.ExplanationLine{What: name, Step: "= " + added.Program.Text})
	if len(moves) == 0 {
		w.addLine(name, "gives", v, w.blankUsed(added.UsedSlots, v))
		return nil
	}
	w.lines = append(w.lines, schedule.ExplainSteps(name, eval.Day(moves[0].From), moves, v)...)
	return nil
}

// blankUsed says which of the columns that gave a blank are blank themselves; "" if v isn't one.
func (w *rowExplainer) blankUsed(slots []int, v eval.Value) string {
	var names []string
	for _, i := range slots {
		if v.Kind == eval.Blank && strings.TrimSpace(w.row[i].String()) == "" {
			names = append(names, w.table.Visible()[i])
		}
	}
	switch len(names) {
	case 0:
		return ""
	case 1:
		return names[0] + " is blank"
	}
	return strings.Join(names[:len(names)-1], ", ") + " and " + names[len(names)-1] + " are blank"
}

// addLine writes a value: a date in its column, anything else in words.
func (w *rowExplainer) addLine(name, step string, v eval.Value, why string) {
	t := schedule.ExplanationLine{What: name, Step: step, Reason: why}
	if d, ok := eval.AsDate(v); ok {
		t.Day = d
	} else if v.Kind == eval.Blank {
		t.Reason = cmp.Or(why, "blank")
	} else {
		t.Reason = v.String()
	}
	w.lines = append(w.lines, t)
}
