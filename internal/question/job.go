package question

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync/atomic"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/declare"
	"yoyaku/internal/ical"
	"yoyaku/internal/tabular"
)

// Shape is what becomes of an answer's rows: which stay, in what order, dressed
// how.
type Shape struct {
	Where, Sort, Columns []string
	Title, ShowDates     string
	Safe                 bool
}

// Options declares the options of a result.
func (s *Shape) Options() []*declare.Key {
	return []*declare.Key{
		{Name: "where", Complete: "columns", Help: "keep the rows for which `CONDITION` holds; may be repeated",
			Takes: declare.Condition.Repeat(&s.Where)},
		{Name: "sort", Complete: "columns",
			Value: "COLUMNS", Help: "sort by these columns, such as unit,-days; - puts the largest\nfirst", Takes: declare.Column.List(&s.Sort)},
		{Name: "columns", Complete: "columns",
			Value: "COLUMNS", Help: "write only these columns; - in front leaves one out", Takes: declare.Column.List(&s.Columns)},
		{Name: "title", Help: "put the title `TEXT` above the table", Takes: declare.Text.Into(&s.Title)},
		{Name: "show-dates", Help: "write dates as `LAYOUT`, such as \"%d %b %Y\" (default: ISO)", Takes: declare.Layout.Into(&s.ShowDates)},
		{Name: "spreadsheet-safe", Help: "mark text that a spreadsheet would run as a formula", Takes: declare.Yes.Into(&s.Safe)},
	}
}

// Job is a question being asked.
type Job struct {
	*Place
	Question *Question
	Args     []string
	Named    string // the calendar that --calendar named
	In       TableIn
	Shape    Shape
	// Added are columns that a record adds to its table, Kept its conditions.
	Added, Kept []string
	// Carried are its columns that run down its rows, in groups by CarryPer.
	Carried  []string
	CarryPer string
	To       rows.Sink
	Count    *int // counts the rows that are written; nil for no matter

	// After is what to know besides, once the answer is there; No says that the answer
	// is no.
	After []string
	No    error

	result rows.Result
	opened []*Table
	times  bool // of cells are looked at
}

// Answer checks what was asked and answers it.
func (j *Job) Answer() error {
	defer func() {
		for _, t := range j.opened {
			t.closer.Close()
		}
	}()
	for _, o := range j.Question.Options {
		if o.Takes.File && len(j.Args) > 1 && !o.Given() { // which a command is told by its arguments
			if err := o.Set(j.Args[1]); err != nil {
				return err
			}
		}
	}
	if err := declare.Fit(j.Question.Options, j.Question.Rules...); err != nil {
		return err
	}
	j.result = rows.Result{Where: j.Shape.Where, Sort: j.Shape.Sort, Columns: j.Shape.Columns, To: j.To, Count: j.Count}
	if j.Question.Table || j.Question.Record && len(j.Args) > 0 {
		if file, ok := j.In.aside(); ok {
			reserve := j.Reserve
			if reserve == nil {
				reserve = func(_, path string) error { return j.Files.Write(path) }
			}
			if err := reserve(j.Asker, file); err != nil {
				return rows.In("bad-rows", err)
			}
		}
	}
	blank := &atomic.Int64{}
	j.Env.BlankCalendars = blank
	if err := j.Question.Answer(j); err != nil {
		return err
	}
	for _, t := range j.opened {
		j.tellCarried(t.Derive)
		for _, note := range t.unseen.Notes(t.Name) {
			j.Note("%s", note)
		}
		if mended := t.mended.String(); mended != "" {
			j.Warn("%s: repaired: %s", t.Name, mended)
		}
	}
	if n := int(blank.Load()); n > 0 {
		j.Note("%s blank; results that depend on it are blank", phrase.Agree(n, "cell that should name a calendar is", "cells that should name a calendar are"))
	}
	return nil
}

// single reports whether the question is of one table.
func (j *Job) single() bool {
	return !slices.ContainsFunc(j.Question.Options, func(o *declare.Key) bool { return o.Takes.File })
}

// table opens the table that is asked, with the columns that a record adds.
func (j *Job) table() (*Table, error) {
	t, err := j.open(j.Args[0])
	if err != nil {
		return nil, err
	}
	if _, err := t.join(false); err != nil {
		return nil, err
	}
	if err := t.Add(j.Added, false, t.Env); err != nil {
		return nil, rows.In("record columns", err)
	}
	if err := t.Carry(j.Carried, j.CarryPer, t.Env); err != nil {
		return nil, err
	}
	if err := t.Filter(j.Kept); err != nil {
		return nil, err
	}
	return t, nil
}

// chosen is the table with the rows that the conditions choose, which the answer counts or draws.
func (j *Job) chosen() (*Table, error) {
	t, err := j.table()
	if err == nil {
		err = t.Filter(j.result.Where)
	}
	j.result.Where = nil
	return t, err
}

// own applies the conditions that look at columns of the table alone, so that a
// row that one leaves out is never a bad row. The others wait for the result.
func (j *Job) own(t *Table) {
	var rest []string
	for _, c := range j.result.Where {
		if t.Where(c, t.Env) != nil {
			rest = append(rest, c)
		}
	}
	j.result.Where = rest
}

// settle makes the tables ready to be read: every phrase that looks at cells is
// known by now.
func (j *Job) settle(head []string) error {
	for i, t := range j.opened {
		if t.ready {
			continue
		}
		t.ready = true
		if i == 0 { // conditions and sorting on the result look at its cells too
			env := j.Env
			env.Names, env.Uses.Cells = head, &t.Cells
			for _, c := range j.result.Where {
				_, _ = eval.Condition(c, env) // what is wrong with it, the result tells
			}
			for _, name := range j.result.Sort {
				if k, err := rows.SortColumn(name, head); err == nil {
					t.Cells = append(t.Cells, k)
				}
			}
		}
		if err := t.read(); err != nil {
			return err
		}
	}
	if named := rows.ShowsOf(j.To).Named; named != nil {
		var names []string
		for _, t := range j.opened {
			from := 0
			if t.ours {
				from = len(t.columns)
			}
			names = append(names, t.Visible()[from:]...)
		}
		named(names)
	}
	for _, t := range j.opened[:min(len(j.opened), 1)] {
		for key, err := range t.lacks { // what one of a pair of tables lacks, the other may have
			if !slices.ContainsFunc(j.opened, func(t *Table) bool { return t.lacks[key] == nil }) {
				return err
			}
		}
	}
	if file, ok := j.In.aside(); ok && len(j.opened) > 0 && j.opened[0].Aside == nil {
		w, err := j.Create(j.Asker, file)
		if err != nil {
			return err
		}
		t := j.opened[0]
		t.Aside = tabular.NewCSV(w, ',', j.Shape.Safe)
		return t.Aside.Header(append(append([]string(nil), t.columns...), "reason"))
	}
	return nil
}

// faults turns bad cells into an error, or into a warning where bad-rows says to
// go on.
func (j *Job) faults(t *Table, bad rows.Bad) error {
	if t.Aside != nil {
		if err := t.Aside.Close(); err != nil {
			return err
		}
	}
	if bad.Count == 0 {
		return nil
	}
	e := &BadRows{Table: t.Name, Bad: bad, place: j.Place}
	if j.In.BadRows == "" || j.In.BadRows == "stop" {
		return e
	}
	j.Warn("%s", e.Error())
	return nil
}

// scan goes through a table for an answer that needs its rows.
func (j *Job) scan(t *Table, each func(line int, row []eval.Value) error) error {
	bad, err := t.Scan(each)
	if err != nil {
		return err
	}
	return j.faults(t, bad)
}

// total takes the row of totals, which stays behind all others.
func (j *Job) total() rows.Put {
	j.result.Total = &rows.Total{}
	return j.result.Total.Put
}

// fill writes the answer's rows.
func (j *Job) fill(head []string, fill func(rows.Put) error) error {
	if err := j.settle(head); err != nil {
		return err
	}
	return j.result.Fill(head, j.Env, fill)
}

// beside writes the answer's rows that are those of a table with more cells.
func (j *Job) beside(t *Table, head []string, fill func(rows.Beside) error) error {
	if err := j.settle(head); err != nil {
		return err
	}
	return j.result.Beside(t.Table, head, j.Env, fill)
}

// expand writes the answer's rows that each row of a table becomes, for each processor by an
// expander of its own.
func (j *Job) expand(t *Table, head []string, expander func() rows.Expander) error {
	if err := j.settle(head); err != nil {
		return err
	}
	return j.result.Expand(t.Table, head, j.Env, expander, func(bad rows.Bad) error { return j.faults(t, bad) })
}

// fewer says what makes fewer rows of a table, if that is at fault.
func (j *Job) fewer(err error, ways ...string) error {
	if errors.Is(err, rows.ErrMany) || errors.Is(err, rows.ErrHeld) {
		return fmt.Errorf("%w; use %s", err, strings.Join(ways, " or "))
	}
	return err
}

// lines writes rows of a schedule.
func (j *Job) lines(head []string, lines schedule.Lines) error {
	return j.result.Lines(head, j.Env, lines)
}

// pass writes the table with what its phrases add.
func (j *Job) pass(t *Table) error {
	if err := j.settle(t.Visible()); err != nil {
		return err
	}
	bad, err := j.result.Pass(t.Table)
	if err != nil {
		return err
	}
	return j.faults(t, bad)
}

// Events takes calendar events; the writer of calendar files does.
type Events interface {
	// Bound says of which schedule the events are, to a calendar that follows an earlier
	// one.
	Bound(ical.Scope)
	Events(list []schedule.Event) error
}

// events returns the writer of events, if the answer goes to one.
func (j *Job) events() (Events, bool) {
	to, ok := j.To.(Events)
	return to, ok
}
