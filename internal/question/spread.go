package question

import (
	"errors"
	"fmt"
	"slices"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/core/workdays"
	"yoyaku/internal/declare"
)

func init() { register(newSpread) }

// spread cuts ranges into days or periods, or writes the dates of rows' rules.
type spread struct {
	start, end, by, window, openThrough, per, overlaps, dates, share, shareBy string
	sharePer                                                                  string
	working, balance                                                          bool
	decimals                                                                  int
	carry                                                                     []string
}

func newSpread() *Question {
	q := &spread{}
	return &Question{
		Name: "spread", Group: Tables, Place: 3, Use: "spread TABLE --start PHRASE --end PHRASE",
		Short: "Ranges into one row per day, month, pay period …",
		Long: `Cut each row's range into one row per day, week, month, quarter, year, fiscal period, or
period of a series, with the days and working days of each piece. Both ends belong to the
range; a blank end runs through today. The pieces add up to the whole.

With --dates, write one row per date of each row's own rule. With --share, split an amount
over the pieces or dates so that they add up to it; with --share-per, it is an amount per
year, quarter or month. With --carry, a column runs down the pieces of each row.`,
		Examples: `  yoyaku spread absences.csv --start first --end last --by month --open-words present
  yoyaku spread absences.csv --start first --end last --by crew-pay --open-words present
  yoyaku spread insurance.csv --start begins --end ends --by month --share premium \
    --share-per year
  yoyaku spread crew-contracts.csv --dates "monthly on 1 from start 3 times"
  yoyaku spread invoices.csv --dates "monthly from invoiced 12 times" --share amount --balance`,
		Least: 1, Most: 1, Wants: "a table, such as absences.csv", Table: true, Record: true,
		Options: []*declare.Key{
			{Name: "start", Not: ofDates, Complete: "columns", Help: "the first day of each range, as `PHRASE`: a column, or worked out", Takes: declare.Phrase.Into(&q.start)},
			{Name: "end", Not: ofDates, Complete: "columns", Help: "the last day of each range, as `PHRASE`", Takes: declare.Phrase.Into(&q.end)},
			{Name: "by", Default: "day", Not: ofDates, Complete: "series",
				Help: "cut by `PERIOD`: day, week, month, quarter, year, fiscal-month,\nfiscal-quarter, fiscal-year, a series of the plan, or a rule", Takes: declare.Text.Into(&q.by)},
			{Name: "dates", Help: "write a row per date of `RULE`, such as\n\"monthly on 1 from start until ends\"", Takes: declare.Text.Into(&q.dates)},
			{Name: "share", Complete: "columns",
				Help: "split the amount in column `COL` over the pieces or dates; the\nshare takes its place", Takes: declare.Column.Into(&q.share)},
			{Name: "share-by", With: ofShare, Help: "split by `WHAT`: evenly (dates), days (periods), \"working days\"\n(--working), \"counted days\", or a day count such as 30E/360", Takes: declare.Choice(rows.ShareWays...).Into(&q.shareBy)},
			{Name: "share-per", With: ofShare, Not: []string{"share-by", "working", "dates"},
				Help: "the amount is for a year, quarter or month (`UNIT`), not for the\nrange; each day counts for its part of its month", Takes: declare.Choice("year", "quarter", "month").Into(&q.sharePer)},
			{Name: "balance", With: ofShare, Help: "add columns before and after with what is left of the amount", Takes: declare.Yes.Into(&q.balance)},
			{Name: "decimals", With: ofShare, Default: "2", Help: "write shares with `N` decimal places",
				Takes: declare.Number(0, 0).Into(&q.decimals)},
			{Name: "working", Not: ofDates, Help: "keep working days only", Takes: declare.Yes.Into(&q.working)},
			{Name: "window", Help: "write only the part of each range in `SPAN`", Takes: declare.Span.Into(&q.window)},
			openThrough(&q.openThrough),
			{Name: "per", Not: ofDates, Complete: "columns", Help: "check that ranges of the same `COL` don't overlap",
				Takes: declare.Column.Into(&q.per)},
			{Name: "overlaps", With: []string{"per"}, Default: "stop", Help: "if they do, `WHAT` is stop, merge or count", Takes: declare.Choice("stop", "merge", "count").Into(&q.overlaps)},
			carryOption(&q.carry),
		},
		Rules:  []declare.Rule{{Any: []string{"start", "dates"}}, {If: []string{"start"}, Any: []string{"end"}}},
		Answer: q.answer,
	}
}

// What some options of spread are with, or not with.
var ofDates, ofShare = []string{"dates"}, []string{"share"}

// spreadUnits are the periods that --by names, with their units.
var spreadUnits = []struct {
	name string
	unit civil.Unit
}{{"day", civil.Day}, {"week", civil.Week}, {"month", civil.Month}, {"quarter", civil.Quarter},
	{"half-year", civil.Half}, {"year", civil.Year},
	{"fiscal-month", civil.FiscalMonth}, {"fiscal-quarter", civil.FiscalQuarter}, {"fiscal-year", civil.FiscalYear}}

// unitPeriods are the periods of a unit, for one goroutine; nil for days. ok is false if by
// names no unit.
func (j *Job) unitPeriods(by string) (of civil.Periods, ok bool) {
	for _, u := range spreadUnits {
		switch {
		case u.name != by:
		case u.unit == civil.Day:
			return nil, true
		default:
			return j.Env.Frame.Periods(u.unit), true
		}
	}
	return nil, false
}

// periods finds the periods of --by; nil for days.
func (j *Job) periods(by string) (civil.Periods, error) {
	if of, ok := j.unitPeriods(by); ok {
		return of, nil
	}
	var names []string
	for _, u := range spreadUnits {
		names = append(names, u.name)
	}
	s, err := j.periodsOf(by, names)
	if err != nil {
		return nil, err
	}
	return s.Periods, nil
}

// periodsOf is the series whose periods --by means, or that of a rule; names are those of
// other periods that it may name.
func (j *Job) periodsOf(by string, names []string) (*schedule.Series, error) {
	if s := j.Find(by); s != nil {
		return s, nil
	}
	if !phrase.IsRule(by) {
		names = append(names, j.Env.SeriesNames...)
		hint := phrase.Meant(by, names, phrase.Names(names)+", or a rule")
		return nil, rows.In("by", fmt.Errorf("unknown period or series `%s`; %s", eval.Brief(by), hint))
	}
	s, err := schedule.NewSeries("", "", by, j.Env)
	return s, rows.In("by", err)
}

func (q *spread) answer(j *Job) error {
	share, err := q.sharing()
	if err != nil {
		return err
	}
	if q.dates != "" {
		return q.instalments(j, share)
	}
	s := rows.Spread{Working: q.working, Calendar: j.Env.Calendar, Share: share}
	if s.Short, err = j.shortDays(); err != nil {
		return err
	}
	if s.By, err = j.periods(q.by); err != nil {
		return err
	}
	if s.Window, err = j.window("window", q.window); err != nil {
		return err
	}
	t, err := j.table()
	if err != nil {
		return err
	}
	j.own(t)
	per, err := rows.IfGiven(t.Column, "per", q.per)
	if err != nil {
		return err
	}
	ranges, err := j.ranges(t, q.start, q.end, q.openThrough, s.Window)
	if err != nil {
		return err
	}
	ranges.closed = share != nil && q.openThrough == ""
	amount, number, err := q.amounts(t)
	if err != nil {
		return err
	}
	width := len(t.Visible())
	head, err := rows.Untaken(t.Visible(), s.Columns())
	if err != nil {
		return err
	}
	down, head, err := j.runDown(q.carry, head)
	if err != nil {
		return err
	}
	s.All = down.on != nil
	if s.By != nil || q.working || share != nil && share.By.Counts() {
		j.needCalendar()
	}
	cals, check, err := j.calendarsOf(t)
	if err != nil {
		return err
	}
	p := &pieces{spread: q, cut: s, ranges: *ranges, down: down, calendar: cals, check: check, by: j.Env.CalendarColumn, table: t.Name,
		width: width, amount: amount, number: number}
	if per < 0 && down.on == nil {
		err = p.beside(j, t, head)
	} else {
		err = j.fill(head, func(put rows.Put) error { return p.inTurn(j, t, per, t.Joined(put, j.result.Sort != nil)) })
	}
	if err == nil {
		p.ranges.tell(j)
		q.tell(j, &p.cut, t.Name, down.n)
		down.tell(j)
	}
	return j.fewer(err, "a narrower "+j.Say("window", ""), "longer periods with "+j.Say("by", ""))
}

// tell says what of the days stands in no row, or in two; n rows were written.
func (q *spread) tell(j *Job, s *rows.Spread, table string, n int) {
	if s.Lost > 0 {
		j.Warn("%s in no period of `%s`, so in no row: %s", phrase.IsAre(s.Lost, "day"), q.by, table)
	}
	if s.Twice > 0 {
		j.Warn("%s in two periods of `%s`, so counted twice: %s", phrase.IsAre(s.Twice, "day"), q.by, table)
	}
	if n == 0 {
		j.Note("no range in %s lies in the window", table)
	}
}

// sharing is how an amount is split; nil if none is.
func (q *spread) sharing() (*rows.Share, error) {
	if q.share == "" {
		return nil, nil
	}
	h := &rows.Share{By: rows.ByDays, Places: q.decimals, Balance: q.balance}
	switch {
	case q.overlaps == "merge":
		return nil, rows.In("share",
			errors.New("merged ranges have no amount of their own to split; use overlaps stop or count"))
	case q.decimals > 10:
		return nil, &rows.OptionError{Option: "decimals", Err: fmt.Errorf("expected 0 to 10, found %d", q.decimals)}
	case q.shareBy != "":
		h.By, _ = rows.ParseShareBy(q.shareBy)
	case q.dates != "":
		h.By = rows.Evenly
	case q.working:
		h.By = rows.ByWorkingDays
	}
	h.Months = map[string]int{"year": 12, "quarter": 3, "month": 1}[q.sharePer]
	return h, nil
}

// amounts are the places of the column that is shared and of its number; -1 where
// there is none.
func (q *spread) amounts(t *Table) (column, number int, err error) {
	if q.share == "" {
		return -1, -1, nil
	}
	if column, err = t.Column("share", q.share); err != nil {
		return -1, -1, err
	}
	for slot := range t.Visible() { // the share takes its column's place, so that all cells are written
		t.Uses(slot)
	}
	if number, err = t.Hide("share", rows.Quote(t.Visible()[column])+" + 0"); err == nil {
		t.Blame(t.Visible()[column])
	}
	return column, number, err
}

// pieces puts the pieces of the range of each row.
type pieces struct {
	*spread
	cut            rows.Spread
	ranges         ranges
	down           *runDown
	flat           runDown // for down, if nothing runs down
	calendar       func(row []eval.Value) *workdays.Calendar
	check          func(line int, row []eval.Value) error
	by             string // the column that names the calendar; "" for none
	table          string
	width          int
	amount, number int // the column that is shared and the slot of its number; -1 if there is none
	room           []eval.Value
}

// beside puts them on all processors.
func (p *pieces) beside(j *Job, t *Table, head []string) error {
	var all []*pieces
	err := j.expand(t, head, func() rows.Expander {
		own := *p
		own.down = &own.flat
		if of, ok := j.unitPeriods(p.spread.by); ok { // a series notes once what a calendar doesn't know
			own.cut.By = of
		}
		all = append(all, &own)
		return own.of
	})
	for _, own := range all {
		p.cut.Lost += own.cut.Lost
		p.cut.Twice += own.cut.Twice
		p.ranges.add(&own.ranges)
		p.down.n += own.down.n
	}
	return err
}

// inTurn puts them one row after the other; those of one person, in a column, must not overlap,
// so that all ranges must be known before.
func (p *pieces) inTurn(j *Job, t *Table, person int, put rows.Beside) error {
	var held []rows.Ranged
	err := j.scan(t, func(line int, row []eval.Value) error {
		if person < 0 {
			return p.of(rows.Given{Line: line, Row: row}, put)
		}
		span, ok, err := p.ranges.of(line, row)
		if ok && err == nil {
			held = append(held, rows.Ranged{Span: span, Who: eval.KeyOf(row[person]), Line: line, Row: slices.Clone(row)})
		}
		return err
	})
	if err == nil {
		held, err = p.overlapping(t.Name, held)
	}
	for _, h := range held {
		if err == nil {
			err = p.put(h.Line, "", h.Row, h.Span, put)
		}
	}
	return err
}

// of puts the pieces of a row.
func (p *pieces) of(g rows.Given, put rows.Beside) error {
	span, ok, err := p.ranges.of(g.Line, g.Row)
	if err != nil || !ok {
		return err
	}
	return p.put(g.Line, g.Text, g.Row, span, put)
}

// put puts the pieces of a range.
func (p *pieces) put(line int, text string, row []eval.Value, span civil.Span, put rows.Beside) (err error) {
	defer func() { err = atLine(p.table, line, err) }()
	if err := p.check(line, row); err != nil {
		return err
	}
	s := &p.cut
	if s.Calendar = p.calendar(row); s.Calendar == nil && s.Share != nil && s.Share.By.Counts() {
		return &rows.BadCell{Line: line, Column: p.by, Err: errors.New("the calendar of this row is blank")}
	}
	p.down.begin()
	if s.Share == nil {
		err = s.Pieces(span, func(cells []eval.Value) error {
			return p.down.put(line, put, text, row[:p.width], cells, !s.Outside)
		})
		if err != nil {
			return err
		}
		return p.down.end(put)
	}
	p.room = append(p.room[:0], row[:p.width]...)
	err = s.Shared(span, row[p.number], func(cells []eval.Value, share rows.Portion) error {
		p.room[p.amount] = share.Amount
		return p.down.put(line, put, "", p.room, cells, !s.Outside)
	})
	var bad *rows.AmountError
	if errors.As(err, &bad) {
		return &rows.BadCell{Line: line, Column: p.share, Err: bad}
	}
	if err != nil {
		return err
	}
	return p.down.end(put)
}

// overlapping does with overlapping ranges of one person what is asked.
func (q *spread) overlapping(table string, held []rows.Ranged) ([]rows.Ranged, error) {
	switch q.overlaps {
	case "stop":
		if a, b, overlap := rows.Overlaps(held); overlap {
			return nil, rows.In("overlaps",
				fmt.Errorf("%s: two ranges of %q overlap: %s to %s (line %d) and %s to %s (line %d). Use merge to join them or count to keep both",
					table, a.Who, a.First, a.Last, a.Line, b.First, b.Last, b.Line))
		}
	case "merge":
		return rows.Merge(held), nil
	}
	return held, nil
}
