package query

import (
	"errors"
	"slices"
	"strings"
	"sync"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
)

// instalments writes the dates of each row's own rule.
func (q *spreadQuery) instalments(j *ask.Job, share *rows.Proration) error {
	window, err := j.ParseWindow("window", q.window)
	if err != nil {
		return err
	}
	through, err := openThroughDay(j, q.openThrough, window)
	if err != nil {
		return err
	}
	t, err := j.OpenTable()
	if err != nil {
		return err
	}
	j.FilterOwn(t)
	width := len(t.Visible())
	env := t.Env
	env.Names = t.Visible()
	rule, err := eval.CompileRowRule(q.dates, env)
	if err != nil {
		return rows.WrapOption("dates", err)
	}
	head, err := rows.AppendColumns(t.Visible(), append([]string{"date", "period_start", "period_end", "number"},
		share.Columns()...))
	if err != nil {
		return err
	}
	down, head, err := newRunning(j, q.carry, head)
	if err != nil {
		return err
	}
	looked := window
	if down.derive != nil { // from the first on
		looked.First = civil.AllDays.First
	}
	amount, number, err := q.amountColumns(t)
	if err != nil {
		return err
	}
	d := rowDateWriter{spreadQuery: q, job: j, table: t, rule: rule, share: share, window: window, searched: looked, through: through,
		width: width, amount: amount, number: number, running: down, sharedCache: &sharedDates{}}
	if down.derive != nil {
		err = j.FillRows(head, func(put rows.PutRow) error {
			beside := t.ConcatCells(put, j.Result.Sort != nil)
			return j.Scan(t, func(line int, row []eval.Value) error {
				return d.putRow(rows.SourceRow{Line: line, Row: row}, beside)
			})
		})
	} else {
		var all []*rowDateWriter
		err = j.ExpandRows(t, head, func() rows.Expander {
			own := d
			own.running, own.cells = &own.noRunning, map[string][]rowDate{}
			all = append(all, &own)
			return own.putRow
		})
		for _, own := range all {
			for state, n := range own.states {
				d.states[state] += n
			}
			d.clamped += own.clamped
		}
	}
	if err == nil {
		down.report(j)
		(&rowRanges{numOpen: d.states[eval.RowOpenEnded], numLater: d.states[eval.RowNotStarted], through: through,
			throughGiven: q.openThrough != ""}).report(j)
		if blank := d.states[eval.RowBlank]; blank > 0 {
			j.Note("%s left out, because a date or number in the rule is blank", phrase.Plural(blank, "row"))
		}
		if d.clamped > 0 {
			j.Note("%s a date on the `until` day only because that month is too short for the day of the first date; for a number of dates instead, write `from start years times`",
				phrase.CountVerb(d.clamped, "row has", "rows have"))
		}
	}
	return j.HintFewerRows(err, "a narrower "+j.OptionText("window", ""))
}

// rowDateWriter are the dates of the rows' own rules.
type rowDateWriter struct {
	*spreadQuery
	job              *ask.Job
	table            *ask.Table
	rule             *eval.RowRule
	share            *rows.Proration
	window, searched civil.Span // what is shown, and what is made
	through          civil.Date
	width            int
	amount, number   int
	running          *runningColumns
	noRunning        runningColumns              // for down, if nothing runs down
	states           [eval.RowNotStarted + 1]int // of the rows
	clamped          int                         // of which the last date is one in a short month alone
	sharedCache      *sharedDates                // of rules that many rows share
	cells            map[string][]rowDate        // of those that are in cells, by their text
	kept             int                         // dates in these
	more             []eval.Value
}

// A rowDate is what is put beside a row for a date of its rule.
type rowDate struct {
	cells [4]eval.Value
	shown bool
}

// putRow puts the dates of a row.
func (d *rowDateWriter) putRow(g rows.SourceRow, put rows.PutExtended) error {
	line, row := g.Line, g.Row
	in := "" // the cell of a rule that looks at no other
	if g.Text != "" && d.share == nil {
		in = d.rule.CellText(row)
	}
	if list := d.cells[in]; in != "" && list != nil {
		d.states[eval.RowComplete]++
		return d.putCached(g, row, list, put)
	}
	rec, state, err := d.rule.ForRow(row, d.through, g.Text == "")
	if state == eval.RowNeedsCells {
		in = ""
		row = g.AllCells()
		rec, state, err = d.rule.ForRow(row, d.through, true)
	}
	if err != nil {
		var pe *phrase.Error
		if errors.As(err, &pe) {
			return &rows.BadCell{Line: line, Column: "dates", Err: err}
		}
		return err
	}
	d.states[state]++
	if rec == nil {
		return nil
	}
	if rec.Rule.EndsClamped() {
		d.clamped++
		in = "" // counted for each row
	}
	if rec.Rule.Endless() {
		if err := d.endless(d.rule.FromCells(), d.share != nil, line); err != nil {
			return err
		}
	}
	if d.share != nil {
		d.running.reset()
		return d.shared(rec, line, slices.Clone(row[:d.width]), row[d.number], put)
	}
	list, err := d.instalments(rec)
	if err == rows.ErrTooManyPieces {
		return wrapTableLine(d.table.Name, line, err)
	}
	if err != nil {
		return &rows.BadCell{Line: line, Column: "dates", Err: err}
	}
	if in != "" && rec.Shared && d.kept+len(list) < maxCachedDates && len(d.cells) < maxCachedRules {
		d.kept += len(list)
		made := make([]rowDate, len(list))
		for i := range list {
			made[i] = rowDate{[4]eval.Value(d.dateCells(&list[i])), d.window.Contains(list[i].Date.Day)}
		}
		d.cells[strings.Clone(in)] = made
	}
	return d.putDates(g, row, list, put)
}

// putDates puts the dates of a row.
func (d *rowDateWriter) putDates(g rows.SourceRow, row []eval.Value, list []schedule.Instalment, put rows.PutExtended) error {
	d.running.reset()
	for i := range list {
		err := d.running.putPiece(g.Line, put, g.Text, row[:d.width], d.dateCells(&list[i]), d.window.Contains(list[i].Date.Day))
		if err != nil {
			return err
		}
	}
	return d.running.flush(put)
}

// dateCells are the cells of a date, until the next.
func (d *rowDateWriter) dateCells(i *schedule.Instalment) []eval.Value {
	d.more = append(d.more[:0], i.Date, i.Start, i.End, eval.Int(i.Number))
	return d.more
}

// putCached puts the dates of a rule that an earlier row had, too.
func (d *rowDateWriter) putCached(g rows.SourceRow, row []eval.Value, list []rowDate, put rows.PutExtended) error {
	d.running.reset()
	for i := range list {
		if err := d.running.putPiece(g.Line, put, g.Text, row[:d.width], list[i].cells[:], list[i].shown); err != nil {
			return err
		}
	}
	return d.running.flush(put)
}

// maxCachedRules is how many texts of rules are kept with their dates, maxCachedDates how many dates.
const maxCachedRules, maxCachedDates = 10_000, 250_000

// sharedDates makes the dates of each rule that many rows share once, for all processors: what
// a calendar doesn't know of them is noted as they are made.
type sharedDates struct {
	sync.Mutex // of those who make them
	made       sync.Map
	kept       int // dates of all of them
}

// instalments are the dates of a rule, which it remembers if other rows have the same.
func (d *rowDateWriter) instalments(rec *eval.Recurrence) (list []schedule.Instalment, err error) {
	if rec.Shared {
		if list, known := d.sharedCache.made.Load(rec); known {
			return list.([]schedule.Instalment), nil
		}
		d.sharedCache.Lock()
		defer d.sharedCache.Unlock()
		if list, known := d.sharedCache.made.Load(rec); known {
			return list.([]schedule.Instalment), nil
		}
	}
	for i, err := range schedule.Instalments(rec, d.searched) {
		if err != nil {
			return nil, err
		}
		if list = append(list, i); len(list) > rows.MaxPieces {
			return nil, rows.ErrTooManyPieces
		}
	}
	if rec.Shared && d.sharedCache.kept+len(list) < maxCachedDates {
		d.sharedCache.kept += len(list)
		d.sharedCache.made.Store(rec, list)
	}
	return list, nil
}

// endless refuses a rule without an end where something needs one.
func (q *spreadQuery) endless(ofCells, shared bool, line int) error {
	switch {
	case ofCells && (shared || q.window == ""):
		return &rows.BadCell{Line: line, Column: "dates",
			Err: errors.New("the row's rule has no end; add `until` or `times` to it, or use a window")}
	case shared:
		return rows.WrapOption("dates", errors.New("the rule has no end, so there is no whole amount to split; add `until` or `times`"))
	case q.window == "":
		return rows.WrapOption("dates", errors.New("the rule has no end; add `until` or `times`, or use a window"))
	}
	return nil
}

// shared puts the dates of a row's rule, each with its share of the row's amount;
// the window only chooses among them.
func (d *rowDateWriter) shared(rec *eval.Recurrence, line int, row []eval.Value, whole eval.Value, put rows.PutExtended) error {
	var list []schedule.Instalment
	var pieces []civil.Span
	for i, err := range schedule.Instalments(rec, civil.AllDays) {
		if err != nil {
			return &rows.BadCell{Line: line, Column: "dates", Err: err}
		}
		list, pieces = append(list, i), append(pieces, civil.Span{First: i.Start.Day, Last: i.End.Day})
		if len(list) > rows.MaxPieces {
			return wrapTableLine(d.table.Name, line, rows.ErrTooManyPieces)
		}
	}
	shares, err := d.share.Prorate(pieces, d.job.Env.Calendar, whole)
	if err != nil {
		return &rows.BadCell{Line: line, Column: d.spreadQuery.share, Err: err}
	}
	for k, i := range list {
		row[d.amount] = shares[k].Amount
		extra := []eval.Value{i.Date, i.Start, i.End, eval.Int(i.Number)}
		err := d.running.putPiece(line, put, "", row, d.share.Cells(extra, shares[k]), d.window.Contains(i.Date.Day))
		if err != nil {
			return err
		}
	}
	return d.running.flush(put)
}
