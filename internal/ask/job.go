// Package ask is what every query stands on: the workspace that answers are computed from, jobs,
// opened tables with their faults, and the events of a calendar file as rows.
package ask

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/language"
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
	Language             *language.Language // of names in dates; nil for that of the place
	Safe                 bool
}

// HasTableKeys reports whether more than the title was given, which only a table can use.
func (s *Shape) HasTableKeys() bool {
	return s.Where != nil || s.Sort != nil || s.Columns != nil || s.ShowDates != "" || s.Safe
}

// Options declares the options of a result.
func (s *Shape) Options() []*declare.Key {
	return []*declare.Key{
		{Name: "where", Completion: "columns", Help: "keep the rows for which `CONDITION` holds; may be repeated",
			Value: declare.Condition.Repeat(&s.Where)},
		{Name: "sort", Completion: "columns",
			Placeholder: "COLUMNS", Help: "sort by these columns, such as unit,-days; - puts the largest\nfirst", Value: declare.Column.List(&s.Sort)},
		{Name: "columns", Completion: "columns",
			Placeholder: "COLUMNS", Help: "write only these columns; - in front leaves one out", Value: declare.Column.List(&s.Columns)},
		{Name: "title", Help: "put the title `TEXT` above the table", Value: declare.Text.Into(&s.Title)},
		{Name: "show-dates", Help: "write dates as `LAYOUT`, such as \"%d %b %Y\" (default: ISO)", Value: declare.Layout.Into(&s.ShowDates)},
		{Name: "spreadsheet-safe", Help: "mark text that a spreadsheet would run as a formula", Value: declare.Bool.Into(&s.Safe)},
	}
}

// Job is a query being asked.
type Job struct {
	*Workspace
	Query        *Query
	Args         []string
	CalendarName string // the calendar that --calendar named
	In           TableOptions
	Shape        Shape
	// RecordColumns are columns that a record adds to its table, RecordWhere its conditions.
	RecordColumns, RecordWhere []string
	// Running are its columns that run down its rows, in groups by RunningGroup.
	Running      []string
	RunningGroup string
	// WrapRecordError puts the place in the plan around an error of these; nil for a table.
	WrapRecordError func(error) error
	Sink            rows.Sink  // of rows; nil if events are written
	Events          *ical.Sink // of calendar events; nil if rows are written
	Count           *int       // counts the rows that are written; nil for no matter

	// Footnotes is what to know besides, once the answer is there; Negative says that the answer
	// is no.
	Footnotes []string
	Negative  error

	Result    rows.Result
	opened    []*Table
	WithTimes bool // of cells are looked at
}

// Answer checks what was asked and answers it.
func (j *Job) Answer() error {
	defer j.Close()
	for _, o := range j.Query.Options {
		if o.Value.IsInputFile && len(j.Args) > 1 && !o.IsSet() { // which a command is told by its arguments
			if err := o.Set(j.Args[1]); err != nil {
				return err
			}
		}
	}
	if err := declare.CheckCombination(j.Query.Options, j.Query.Rules...); err != nil {
		return err
	}
	if j.Events != nil {
		j.Sink = noRows{}
	}
	j.Result = rows.Result{Where: j.Shape.Where, Sort: j.Shape.Sort, Columns: j.Shape.Columns, Sink: j.Sink, Count: j.Count}
	if j.Query.TakesTable || j.Query.ForRecords && len(j.Args) > 0 {
		if file, ok := j.In.rejectFile(); ok {
			reserve := j.ReserveFile
			if reserve == nil {
				reserve = func(_, path string) error { return j.Files.AddOutput(path) }
			}
			if err := reserve(j.Output, file); err != nil {
				return rows.WrapOption("bad-rows", err)
			}
		}
	}
	cells := &eval.CalendarCells{}
	j.Env.CalendarCells = cells
	if err := j.Query.Answer(j); err != nil {
		return j.hintShape(err)
	}
	for _, t := range j.opened {
		j.ReportBlankRunning(t.Derive)
		for _, note := range slices.Concat(t.hidden.Notes(t.Name), t.skipped.Notes(t.Name), t.formNotes(j.Workspace), t.termNotes(), t.noonNotes(), t.shadowNotes(j.Workspace)) {
			j.Note("%s", note)
		}
		if mended := t.repairs.String(); mended != "" {
			j.Warn("%s: repaired: %s", t.Name, mended)
		}
	}
	if n := int(cells.Blank.Load()); n > 0 {
		j.Note("%s blank; results that depend on it are blank", phrase.CountVerb(n, "cell that should name a calendar is", "cells that should name a calendar are"))
	}
	if n := int(cells.None.Load()); n > 0 {
		j.Note("%s; no holidays count there", phrase.CountVerb(n, "cell names the calendar `none`", "cells name the calendar `none`"))
	}
	return nil
}

// Close closes the tables that the job has opened.
func (j *Job) Close() {
	for _, t := range j.opened {
		t.closer.Close()
	}
}

// isSingleTable reports whether the query is of one table.
func (j *Job) isSingleTable() bool {
	return !slices.ContainsFunc(j.Query.Options, func(o *declare.Key) bool { return o.Value.IsInputFile })
}

// OpenTable opens the table of the job's first argument, with the columns that a record adds.
func (j *Job) OpenTable() (*Table, error) {
	t, err := j.OpenNamed(j.Args[0])
	if err != nil {
		return nil, err
	}
	if _, err := t.JoinDates(false); err != nil {
		return nil, err
	}
	if err := j.addRecordColumns(t); err != nil {
		if j.WrapRecordError != nil {
			err = j.WrapRecordError(err)
		}
		return nil, err
	}
	for _, name := range j.CommandRules {
		if i := rows.ColumnIndex(t.Visible(), name); i >= 0 {
			return nil, rows.WrapOption("rule", fmt.Errorf("`%s` is a column of %s too; give the rule another name", t.Visible()[i], t.Name))
		}
	}
	return t, nil
}

func (j *Job) addRecordColumns(t *Table) error {
	if err := t.Add(j.RecordColumns, false, t.Env); err != nil {
		return rows.WrapOption("columns", err)
	}
	if err := t.AddRunning(j.Running, j.RunningGroup, t.Env); err != nil {
		return err
	}
	return t.Filter(j.RecordWhere)
}

// OpenFiltered is OpenTable with the job's conditions applied to the rows, for results that
// count or draw them.
func (j *Job) OpenFiltered() (*Table, error) {
	t, err := j.OpenTable()
	if err == nil {
		err = t.Filter(j.Result.Where)
	}
	j.Result.Where = nil
	return t, err
}

// FilterOwn applies the conditions on input columns to t, so that a row that one leaves out is
// never a bad row. The others wait for the result.
func (j *Job) FilterOwn(t *Table) {
	var rest []string
	for _, c := range j.Result.Where {
		if t.Where(c, t.Env) != nil {
			rest = append(rest, c)
		}
	}
	j.Result.Where = rest
}

// PrepareRead makes the opened tables ready to be read, once every phrase that uses their cells
// is compiled. head are the columns of the result.
func (j *Job) PrepareRead(head []string) error {
	for i, t := range j.opened {
		if t.isPrepared {
			continue
		}
		t.isPrepared = true
		if i == 0 { // conditions and sorting on the result look at its cells too
			env := j.Env
			env.Names, env.Uses.Cells = head, &t.Cells
			for _, c := range j.Result.Where {
				_, _ = eval.Condition(c, env) // what is wrong with it, the result tells
			}
			for _, name := range j.Result.Sort {
				if k, err := rows.SortColumn(name, head); err == nil {
					t.Cells = append(t.Cells, k)
				}
			}
		}
		if err := t.applyReadings(); err != nil {
			return err
		}
		t.WatchNoons()
	}
	if named := rows.DisplayOf(j.Sink).KeepNames; named != nil {
		var names []string
		for _, t := range j.opened {
			from := 0
			if t.hasOwnNames {
				from = len(t.columns)
			}
			names = append(names, t.Visible()[from:]...)
		}
		named(names)
	}
	for _, t := range j.opened[:min(len(j.opened), 1)] {
		for key, err := range t.missingNames { // what one of a pair of tables lacks, the other may have
			if !slices.ContainsFunc(j.opened, func(t *Table) bool { return t.missingNames[key] == nil }) {
				return err
			}
		}
	}
	if file, ok := j.In.rejectFile(); ok && len(j.opened) > 0 && j.opened[0].Rejects == nil {
		w, err := j.CreateFile(j.Output, file)
		if err != nil {
			return err
		}
		t := j.opened[0]
		t.Rejects = tabular.NewCSV(w, ',', j.Shape.Safe)
		return t.Rejects.Header(append(append([]string(nil), t.columns...), "reason"))
	}
	return nil
}

// ReportBadRows returns the bad cells as an error, or warns of them if bad-rows says to go on.
func (j *Job) ReportBadRows(t *Table, bad rows.BadCells) error {
	if t.Rejects != nil {
		if err := t.Rejects.Close(); err != nil {
			return err
		}
	}
	if bad.Count == 0 {
		return nil
	}
	e := &BadRowsError{Table: t.Name, Bad: bad, workspace: j.Workspace, options: *t.options}
	dates, _ := e.columns()
	e.layout = j.recogniseAgain(t.Name, dates...)
	if j.In.BadRows == "" || j.In.BadRows == "stop" {
		return e
	}
	j.Warn("%s", e.Error())
	return nil
}

// Scan calls each for the rows of a table, and reports the bad ones.
func (j *Job) Scan(t *Table, each func(line int, row []eval.Value) error) error {
	bad, err := t.Scan(each)
	if err != nil {
		return err
	}
	return j.ReportBadRows(t, bad)
}

// PutTotals returns the function that takes the row of totals, which stays behind all others.
func (j *Job) PutTotals() rows.PutRow {
	j.Result.Total = &rows.TotalsRow{}
	return j.Result.Total.Put
}

// FillRows writes the answer's rows.
func (j *Job) FillRows(head []string, fill func(rows.PutRow) error) error {
	if err := j.PrepareRead(head); err != nil {
		return err
	}
	return j.Result.Fill(head, j.Env, fill)
}

// FillExtended writes a result whose rows are those of a table with further cells.
func (j *Job) FillExtended(t *Table, head []string, fill func(rows.PutExtended) error) error {
	if err := j.PrepareRead(head); err != nil {
		return err
	}
	return j.Result.FillExtended(t.Table, head, j.Env, fill)
}

// ExpandRows writes a result with several rows for each row of a table. Each processor has an
// expander of its own.
func (j *Job) ExpandRows(t *Table, head []string, expander func() rows.Expander) error {
	if err := j.PrepareRead(head); err != nil {
		return err
	}
	return j.Result.Expand(t.Table, head, j.Env, expander, func(bad rows.BadCells) error { return j.ReportBadRows(t, bad) })
}

// HintFewerRows adds to ErrTooManyRows and its kin the options that give fewer rows; other
// errors are returned unchanged.
func (j *Job) HintFewerRows(err error, ways ...string) error {
	if errors.Is(err, rows.ErrTooManyRows) || errors.Is(err, rows.ErrSortTooLarge) {
		return fmt.Errorf("%w; use %s", err, strings.Join(ways, " or "))
	}
	return err
}

// FillLines writes rows of a schedule.
func (j *Job) FillLines(head []string, lines schedule.Lines) error {
	return j.Result.FillLines(head, j.Env, lines)
}

// WriteTable writes the table with what its phrases add.
func (j *Job) WriteTable(t *Table) error {
	if err := j.PrepareRead(t.Visible()); err != nil {
		return err
	}
	bad, err := j.Result.WriteTable(t.Table)
	if err != nil {
		return err
	}
	return j.ReportBadRows(t, bad)
}

// noRows refuses rows where events are written.
type noRows struct{}

// Header implements rows.Sink.
func (noRows) Header([]string) error {
	return errors.New("this result has rows, not events; use another format than ics")
}

// Row implements rows.Sink.
func (noRows) Row([]eval.Value) error { return nil }

// Close implements rows.Sink.
func (noRows) Close() error { return nil }

// ReportBlankRunning warns of the groups in which a running column became blank.
func (j *Job) ReportBlankRunning(d *rows.Derive) {
	columns, groups := d.BlankGroups()
	for i, name := range columns {
		j.Warn("`%s` is blank from a blank value on in %s", name, phrase.Plural(groups[i], "group"))
	}
}
