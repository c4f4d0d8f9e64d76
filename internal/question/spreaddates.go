package question

import (
	"errors"
	"slices"
	"strings"
	"sync"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
)

// instalments writes the dates of each row's own rule.
func (q *spread) instalments(j *Job, share *rows.Share) error {
	window, err := j.window("window", q.window)
	if err != nil {
		return err
	}
	through, err := j.through(q.openThrough, window)
	if err != nil {
		return err
	}
	t, err := j.table()
	if err != nil {
		return err
	}
	j.own(t)
	width := len(t.Visible())
	env := t.Env
	env.Names = t.Visible()
	rule, err := eval.CompileRowRule(q.dates, env)
	if err != nil {
		return rows.In("dates", err)
	}
	head, err := rows.Untaken(t.Visible(), append([]string{"date", "period_start", "period_end", "number"},
		share.Columns()...))
	if err != nil {
		return err
	}
	down, head, err := j.runDown(q.carry, head)
	if err != nil {
		return err
	}
	looked := window
	if down.on != nil { // from the first on
		looked.First = civil.Always.First
	}
	amount, number, err := q.amounts(t)
	if err != nil {
		return err
	}
	d := rowDates{spread: q, job: j, table: t, rule: rule, share: share, window: window, looked: looked, through: through,
		width: width, amount: amount, number: number, down: down, made: &sharedDates{}}
	if down.on != nil {
		err = j.fill(head, func(put rows.Put) error {
			beside := t.Joined(put, j.result.Sort != nil)
			return j.scan(t, func(line int, row []eval.Value) error {
				return d.of(rows.Given{Line: line, Row: row}, beside)
			})
		})
	} else {
		var all []*rowDates
		err = j.expand(t, head, func() rows.Expander {
			own := d
			own.down, own.cells = &own.flat, map[string][]rowDate{}
			all = append(all, &own)
			return own.of
		})
		for _, own := range all {
			for state, n := range own.states {
				d.states[state] += n
			}
		}
	}
	if err == nil {
		down.tell(j)
		(&ranges{open: d.states[eval.OpenRow], later: d.states[eval.LaterRow], through: through,
			given: q.openThrough != ""}).tell(j)
		if blank := d.states[eval.BlankRow]; blank > 0 {
			j.Note("%s left out, because a date or number in the rule is blank", phrase.Counted(blank, "row"))
		}
	}
	return j.fewer(err, "a narrower "+j.Say("window", ""))
}

// rowDates are the dates of the rows' own rules.
type rowDates struct {
	*spread
	job            *Job
	table          *Table
	rule           *eval.RowRule
	share          *rows.Share
	window, looked civil.Span // what is shown, and what is made
	through        civil.Date
	width          int
	amount, number int
	down           *runDown
	flat           runDown                // for down, if nothing runs down
	states         [eval.LaterRow + 1]int // of the rows
	made           *sharedDates           // of rules that many rows share
	cells          map[string][]rowDate   // of those that are in cells, by their text
	kept           int                    // dates in these
	more           []eval.Value
}

// A rowDate is what is put beside a row for a date of its rule.
type rowDate struct {
	cells [4]eval.Value
	shown bool
}

// of puts the dates of a row.
func (d *rowDates) of(g rows.Given, put rows.Beside) error {
	line, row := g.Line, g.Row
	in := "" // the cell of a rule that looks at no other
	if g.Text != "" && d.share == nil {
		in = d.rule.In(row)
	}
	if list := d.cells[in]; in != "" && list != nil {
		d.states[eval.WholeRow]++
		return d.again(g, row, list, put)
	}
	rec, state, err := d.rule.For(row, d.through, g.Text == "")
	if state == eval.PartRow {
		in = ""
		row = g.Whole()
		rec, state, err = d.rule.For(row, d.through, true)
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
	if rec.Rule.Endless() {
		if err := d.endless(d.rule.OfCells(), d.share != nil, line); err != nil {
			return err
		}
	}
	if d.share != nil {
		d.down.begin()
		return d.shared(rec, line, slices.Clone(row[:d.width]), row[d.number], put)
	}
	list, err := d.instalments(rec)
	if err == rows.ErrPieces {
		return atLine(d.table.Name, line, err)
	}
	if err != nil {
		return &rows.BadCell{Line: line, Column: "dates", Err: err}
	}
	if in != "" && rec.Shared && d.kept+len(list) < mostKept && len(d.cells) < mostCells {
		d.kept += len(list)
		made := make([]rowDate, len(list))
		for i := range list {
			made[i] = rowDate{[4]eval.Value(d.beside(&list[i])), d.window.Has(list[i].Date.Day)}
		}
		d.cells[strings.Clone(in)] = made
	}
	return d.put(g, row, list, put)
}

// put puts the dates of a row.
func (d *rowDates) put(g rows.Given, row []eval.Value, list []schedule.Instalment, put rows.Beside) error {
	d.down.begin()
	for i := range list {
		err := d.down.put(g.Line, put, g.Text, row[:d.width], d.beside(&list[i]), d.window.Has(list[i].Date.Day))
		if err != nil {
			return err
		}
	}
	return d.down.end(put)
}

// beside are the cells of a date, until the next.
func (d *rowDates) beside(i *schedule.Instalment) []eval.Value {
	d.more = append(d.more[:0], i.Date, i.Start, i.End, eval.Int(i.Number))
	return d.more
}

// again puts the dates of a rule that an earlier row had, too.
func (d *rowDates) again(g rows.Given, row []eval.Value, list []rowDate, put rows.Beside) error {
	d.down.begin()
	for i := range list {
		if err := d.down.put(g.Line, put, g.Text, row[:d.width], list[i].cells[:], list[i].shown); err != nil {
			return err
		}
	}
	return d.down.end(put)
}

// mostCells is how many texts of rules are kept with their dates, mostKept how many dates.
const mostCells, mostKept = 10_000, 250_000

// sharedDates makes the dates of each rule that many rows share once, for all processors: what
// a calendar doesn't know of them is noted as they are made.
type sharedDates struct {
	sync.Mutex // of those who make them
	made       sync.Map
	kept       int // dates of all of them
}

// instalments are the dates of a rule, which it remembers if other rows have the same.
func (d *rowDates) instalments(rec *eval.Recurrence) (list []schedule.Instalment, err error) {
	if rec.Shared {
		if list, known := d.made.made.Load(rec); known {
			return list.([]schedule.Instalment), nil
		}
		d.made.Lock()
		defer d.made.Unlock()
		if list, known := d.made.made.Load(rec); known {
			return list.([]schedule.Instalment), nil
		}
	}
	for i, err := range schedule.Instalments(rec, d.looked) {
		if err != nil {
			return nil, err
		}
		if list = append(list, i); len(list) > rows.MostPieces {
			return nil, rows.ErrPieces
		}
	}
	if rec.Shared && d.made.kept+len(list) < mostKept {
		d.made.kept += len(list)
		d.made.made.Store(rec, list)
	}
	return list, nil
}

// endless refuses a rule without an end where something needs one.
func (q *spread) endless(ofCells, shared bool, line int) error {
	switch {
	case ofCells && (shared || q.window == ""):
		return &rows.BadCell{Line: line, Column: "dates",
			Err: errors.New("the row's rule has no end; add `until` or `times` to it, or use a window")}
	case shared:
		return rows.In("dates", errors.New("the rule has no end, so there is no whole amount to split; add `until` or `times`"))
	case q.window == "":
		return rows.In("dates", errors.New("the rule has no end; add `until` or `times`, or use a window"))
	}
	return nil
}

// shared puts the dates of a row's rule, each with its share of the row's amount;
// the window only chooses among them.
func (d *rowDates) shared(rec *eval.Recurrence, line int, row []eval.Value, whole eval.Value, put rows.Beside) error {
	var list []schedule.Instalment
	var pieces []civil.Span
	for i, err := range schedule.Instalments(rec, civil.Always) {
		if err != nil {
			return &rows.BadCell{Line: line, Column: "dates", Err: err}
		}
		list, pieces = append(list, i), append(pieces, civil.Span{First: i.Start.Day, Last: i.End.Day})
		if len(list) > rows.MostPieces {
			return atLine(d.table.Name, line, rows.ErrPieces)
		}
	}
	shares, err := d.share.Over(pieces, d.job.Env.Calendar, whole)
	if err != nil {
		return &rows.BadCell{Line: line, Column: d.spread.share, Err: err}
	}
	for k, i := range list {
		row[d.amount] = shares[k].Amount
		more := []eval.Value{i.Date, i.Start, i.End, eval.Int(i.Number)}
		err := d.down.put(line, put, "", row, d.share.Cells(more, shares[k]), d.window.Has(i.Date.Day))
		if err != nil {
			return err
		}
	}
	return d.down.end(put)
}
