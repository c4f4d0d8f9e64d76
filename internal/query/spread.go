package query

import (
	"errors"
	"fmt"
	"slices"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/core/workdays"
	"yoyaku/internal/declare"
)

func init() { register(newSpread) }

// spreadQuery cuts ranges into days or periods, or writes the dates of rows' rules.
type spreadQuery struct {
	start, end, by, window, openThrough, per, overlaps, dates, share, shareBy string
	sharePer                                                                  string
	working, balance                                                          bool
	decimals                                                                  int
	carry                                                                     []string
}

func newSpread() *ask.Query {
	q := &spreadQuery{}
	return &ask.Query{
		Name: "spread", Group: ask.Tables, Order: 3, Use: "spread TABLE --start PHRASE --end PHRASE",
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
		MinArgs: 1, MaxArgs: 1, ArgsHelp: "a table, such as absences.csv", TakesTable: true, ForRecords: true,
		Options: []*declare.Key{
			{Name: "start", Conflicts: datesOptions, Completion: "columns", Help: "the first day of each range, as `PHRASE`: a column, or worked out", Value: declare.TablePhrase.Into(&q.start)},
			{Name: "end", Conflicts: datesOptions, Completion: "columns", Help: "the last day of each range, as `PHRASE`", Value: declare.TablePhrase.Into(&q.end)},
			{Name: "by", Default: "day", Conflicts: datesOptions, Completion: "series",
				Help: "cut by `PERIOD`: day, week, month, quarter, year, fiscal-month,\nfiscal-quarter, fiscal-year, a series of the plan, or a rule", Value: declare.Text.Into(&q.by)},
			{Name: "dates", Help: "write a row per date of `RULE`, such as\n\"monthly on 1 from start until ends\"", Value: declare.Text.Into(&q.dates)},
			{Name: "share", Completion: "columns",
				Help: "split the amount in column `COL` over the pieces or dates; the\nshare takes its place", Value: declare.Column.Into(&q.share)},
			{Name: "share-by", Requires: shareOptions, Help: "split by `WHAT`: evenly (dates), days (periods), \"working days\"\n(--working), \"counted days\", or a day count such as 30E/360", Value: declare.Choice(rows.ProrationBasisNames...).Into(&q.shareBy)},
			{Name: "share-per", Requires: shareOptions, Conflicts: []string{"share-by", "working", "dates"},
				Help: "the amount is for a year, quarter or month (`UNIT`), not for the\nrange; each day counts for its part of its month", Value: declare.Choice("year", "quarter", "month").Into(&q.sharePer)},
			{Name: "balance", Requires: shareOptions, Help: "add columns before and after with what is left of the amount", Value: declare.Bool.Into(&q.balance)},
			{Name: "decimals", Requires: shareOptions, Default: "2", Help: "write shares with `N` decimal places",
				Value: declare.Number(0, 0).Into(&q.decimals)},
			{Name: "working", Conflicts: datesOptions, Help: "keep working days only", Value: declare.Bool.Into(&q.working)},
			{Name: "window", Help: "write only the part of each range in `SPAN`", Value: declare.Span.Into(&q.window)},
			openThrough(&q.openThrough),
			{Name: "per", Conflicts: datesOptions, Completion: "columns", Help: "check that ranges of the same `COL` don't overlap",
				Value: declare.Column.Into(&q.per)},
			{Name: "overlaps", Requires: []string{"per"}, Default: "stop", Help: "if they do, `WHAT` is stop, merge or count", Value: declare.Choice("stop", "merge", "count").Into(&q.overlaps)},
			runningOption(&q.carry),
		},
		Rules:  []declare.Rule{{AnyOf: []string{"start", "dates"}}, {If: []string{"start"}, AnyOf: []string{"end"}}},
		Answer: q.answer,
	}
}

// What some options of spread are with, or not with.
var datesOptions, shareOptions = []string{"dates"}, []string{"share"}

// spreadUnits are the periods that --by names, with their units.
var spreadUnits = []struct {
	name string
	unit civil.Unit
}{{"day", civil.Day}, {"week", civil.Week}, {"month", civil.Month}, {"quarter", civil.Quarter},
	{"half-year", civil.Half}, {"year", civil.Year},
	{"fiscal-month", civil.FiscalMonth}, {"fiscal-quarter", civil.FiscalQuarter}, {"fiscal-year", civil.FiscalYear}}

// IsPeriodName reports whether a name is that of a period, such as month.
func IsPeriodName(name string) bool {
	return slices.ContainsFunc(spreadUnits, func(u struct {
		name string
		unit civil.Unit
	}) bool {
		return phrase.NamesEqual(u.name, name)
	})
}

// unitPeriods are the periods of a unit, for one goroutine; nil for days. ok is false if by
// names no unit.
func unitPeriods(j *ask.Job, by string) (periods civil.Periods, ok bool) {
	for _, u := range spreadUnits {
		switch {
		case u.name != by:
		case u.unit == civil.Day:
			return nil, true
		default:
			return j.Env.Fiscal.Periods(u.unit), true
		}
	}
	return nil, false
}

// parsePeriods returns the periods that --by names: of a unit, a series or a rule; nil for
// days.
func parsePeriods(j *ask.Job, by string) (civil.Periods, error) {
	if periods, ok := unitPeriods(j, by); ok {
		return periods, nil
	}
	var names []string
	for _, u := range spreadUnits {
		names = append(names, u.name)
	}
	s, err := periodsOf(j, by, names)
	if err != nil {
		return nil, err
	}
	return s.Periods, nil
}

// periodsOf is the series whose periods --by means, or that of a rule; names are those of
// other periods that it may name.
func periodsOf(j *ask.Job, by string, names []string) (*schedule.Series, error) {
	if s := j.FindSeries(by); s != nil {
		return s, nil
	}
	if !phrase.IsRule(by) {
		names = append(names, j.Env.SeriesNames...)
		hint := phrase.Meant(by, names, phrase.ListNames(names)+", or a rule")
		return nil, rows.WrapOption("by", fmt.Errorf("unknown period or series `%s`; %s", eval.Truncate(by), hint))
	}
	s, err := schedule.NewSeries("", "", by, j.Env)
	return s, rows.WrapOption("by", err)
}

func (q *spreadQuery) answer(j *ask.Job) error {
	share, err := q.proration()
	if err != nil {
		return err
	}
	if q.dates != "" {
		return q.instalments(j, share)
	}
	s := rows.Spread{WorkdaysOnly: q.working, Calendar: j.Env.Calendar, Share: share,
		HidesWorkdays: q.carry == nil && !j.Result.MayShow("working_days") && !j.Result.MayShow("counted_days")}
	if s.ShowCounted, err = j.MayHaveShortDays(); err != nil {
		return err
	}
	if s.By, err = parsePeriods(j, q.by); err != nil {
		return err
	}
	if s.Window, err = j.ParseWindow("window", q.window); err != nil {
		return err
	}
	if s.HasHalves, err = q.hasHalves(j, s.Window); err != nil {
		return err
	}
	s.ShowCounted = s.ShowCounted || s.HasHalves
	t, err := j.OpenTable()
	if err != nil {
		return err
	}
	j.FilterOwn(t)
	per, err := rows.IfGiven(t.FindColumn, "per", q.per)
	if err != nil {
		return err
	}
	ranges, err := newRanges(j, t, q.start, q.end, q.openThrough, s.Window)
	if err != nil {
		return err
	}
	ranges.forbidOpen = share != nil && q.openThrough == ""
	ranges.forbidTimes, ranges.addsParts = share != nil && share.By == rows.CountedDaysBasis, s.ShowCounted
	amount, number, err := q.amountColumns(t)
	if err != nil {
		return err
	}
	width := len(t.Visible())
	head, err := rows.AppendColumns(t.Visible(), s.Columns())
	if err != nil {
		return err
	}
	down, head, err := newRunning(j, q.carry, head)
	if err != nil {
		return err
	}
	s.IncludeOutside = down.derive != nil
	if (s.By != nil || s.HasHalves) && !s.HidesWorkdays || q.working || share != nil && share.By.UsesCalendar() {
		j.MarkCalendarUsed()
	}
	cals, check, err := j.CalendarsOf(t)
	if err != nil {
		return err
	}
	p := &pieceWriter{spreadQuery: q, cut: s, ranges: *ranges, running: down, calendar: cals, check: check, calendarColumn: j.Env.CalendarColumn, table: t.Name,
		width: width, amount: amount, number: number}
	if per < 0 && down.derive == nil {
		err = p.putParallel(j, t, head)
	} else {
		err = j.FillRows(head, func(put rows.PutRow) error {
			return p.putSequential(j, t, per, t.ConcatCells(put, j.Result.Sort != nil))
		})
	}
	if err == nil {
		p.ranges.report(j)
		q.report(j, &p.cut, t.Name, down.numShown)
		down.report(j)
	}
	return j.HintFewerRows(err, "a narrower "+j.OptionText("window", ""), "longer periods with "+j.OptionText("by", ""))
}

// report says what of the days stands in no row, or in two; n rows were written.
func (q *spreadQuery) report(j *ask.Job, s *rows.Spread, table string, n int) {
	if s.UncoveredDays > 0 {
		j.Warn("%s in no period of `%s`, so in no row: %s", phrase.CountIs(s.UncoveredDays, "day"), q.by, table)
	}
	if s.DoubleDays > 0 {
		j.Warn("%s in two periods of `%s`, so counted twice: %s", phrase.CountIs(s.DoubleDays, "day"), q.by, table)
	}
	if n == 0 {
		j.Note("no range in %s lies in the window", table)
	}
}

// proration is how an amount is split; nil if none is.
func (q *spreadQuery) proration() (*rows.Proration, error) {
	if q.share == "" {
		return nil, nil
	}
	h := &rows.Proration{By: rows.DaysBasis, Places: q.decimals, WithBalance: q.balance}
	switch {
	case q.overlaps == "merge":
		return nil, rows.WrapOption("share",
			errors.New("merged ranges have no amount of their own to split; use overlaps stop or count"))
	case q.decimals > 10:
		return nil, &rows.OptionError{Option: "decimals", Err: fmt.Errorf("expected 0 to 10, found %d", q.decimals)}
	case q.shareBy != "":
		h.By, _ = rows.ParseProrationBasis(q.shareBy)
	case q.dates != "":
		h.By = rows.EvenBasis
	case q.working:
		h.By = rows.WorkdaysBasis
	}
	h.Months = map[string]int{"year": 12, "quarter": 3, "month": 1}[q.sharePer]
	return h, nil
}

// amountColumns are the places of the column that is shared and of its number; -1 where
// there is none.
func (q *spreadQuery) amountColumns(t *ask.Table) (column, number int, err error) {
	if q.share == "" {
		return -1, -1, nil
	}
	if column, err = t.FindColumn("share", q.share); err != nil {
		return -1, -1, err
	}
	for slot := range t.Visible() { // the share takes its column's place, so that all cells are written
		t.MarkUsed(slot)
	}
	if number, err = t.AddHiddenPhrase("share", rows.QuoteName(t.Visible()[column])+" + 0"); err == nil {
		t.SetHiddenColumn(t.Visible()[column])
	}
	return column, number, err
}

// pieceWriter writes the pieces that the ranges of rows are cut into.
type pieceWriter struct {
	*spreadQuery
	cut            rows.Spread
	ranges         rowRanges
	running        *runningColumns
	noRunning      runningColumns // for down, if nothing runs down
	calendar       func(row []eval.Value) *workdays.Calendar
	check          func(line int, row []eval.Value) error
	calendarColumn string // the column that names the calendar; "" for none
	table          string
	width          int
	amount, number int // the column that is shared and the slot of its number; -1 if there is none
	buf            []eval.Value
}

// putParallel puts them on all processors.
func (p *pieceWriter) putParallel(j *ask.Job, t *ask.Table, head []string) error {
	var all []*pieceWriter
	err := j.ExpandRows(t, head, func() rows.Expander {
		own := *p
		own.running = &own.noRunning
		if periods, ok := unitPeriods(j, p.spreadQuery.by); ok { // a series notes once what a calendar doesn't know
			own.cut.By = periods
		}
		all = append(all, &own)
		return own.putRow
	})
	for _, own := range all {
		p.cut.UncoveredDays += own.cut.UncoveredDays
		p.cut.DoubleDays += own.cut.DoubleDays
		p.ranges.addCounts(&own.ranges)
		p.running.numShown += own.running.numShown
	}
	return err
}

// putSequential puts them one row after the other; those of one person, in a column, must not overlap,
// so that all ranges must be known before.
func (p *pieceWriter) putSequential(j *ask.Job, t *ask.Table, person int, put rows.PutExtended) error {
	var found []rows.KeyedRange
	err := j.Scan(t, func(line int, row []eval.Value) error {
		if person < 0 {
			return p.putRow(rows.SourceRow{Line: line, Row: row}, put)
		}
		span, ok, err := p.ranges.rangeOf(line, row)
		if ok && err == nil {
			found = append(found, rows.KeyedRange{Extent: span, Key: eval.CellKey(row[person]), Line: line, Row: slices.Clone(row)})
		}
		return err
	})
	if err == nil {
		found, err = p.resolveOverlaps(t.Name, found)
	}
	for _, h := range found {
		if err == nil {
			err = p.putRange(h.Line, "", h.Row, h.Extent, put)
		}
	}
	return err
}

// putRow puts the pieces of a row.
func (p *pieceWriter) putRow(g rows.SourceRow, put rows.PutExtended) error {
	span, ok, err := p.ranges.rangeOf(g.Line, g.Row)
	if err != nil || !ok {
		return err
	}
	return p.putRange(g.Line, g.Text, g.Row, span, put)
}

// putRange puts the pieces of a range.
func (p *pieceWriter) putRange(line int, text string, row []eval.Value, span workdays.Extent, put rows.PutExtended) (err error) {
	defer func() { err = wrapTableLine(p.table, line, err) }()
	if err := p.check(line, row); err != nil {
		return err
	}
	s := &p.cut
	if s.Calendar = p.calendar(row); s.Calendar == nil && s.Share != nil && s.Share.By.UsesCalendar() {
		return &rows.BadCell{Line: line, Column: p.calendarColumn, Err: errors.New("the calendar of this row is blank")}
	}
	p.running.reset()
	if s.Share == nil {
		err = s.Pieces(span, func(cells []eval.Value) error {
			return p.running.putPiece(line, put, text, row[:p.width], cells, !s.IsOutside)
		})
		if err != nil {
			return err
		}
		return p.running.flush(put)
	}
	p.buf = append(p.buf[:0], row[:p.width]...)
	err = s.ProratedPieces(span, row[p.number], func(cells []eval.Value, share rows.Portion) error {
		p.buf[p.amount] = share.Amount
		return p.running.putPiece(line, put, "", p.buf, cells, !s.IsOutside)
	})
	var bad *rows.AmountError
	if errors.As(err, &bad) {
		return &rows.BadCell{Line: line, Column: p.share, Err: bad}
	}
	if err != nil {
		return err
	}
	return p.running.flush(put)
}

// resolveOverlaps does with overlapping ranges of one person what is asked.
func (q *spreadQuery) resolveOverlaps(table string, found []rows.KeyedRange) ([]rows.KeyedRange, error) {
	switch q.overlaps {
	case "stop":
		if a, b, overlap := rows.FindOverlap(found); overlap {
			return nil, rows.WrapOption("overlaps",
				fmt.Errorf("%s: two ranges of %q overlap: %s to %s (line %d) and %s to %s (line %d). Use merge to join them or count to keep both",
					table, a.Key, a.First, a.Last, a.Line, b.First, b.Last, b.Line))
		}
	case "merge":
		return rows.MergeOverlaps(found), nil
	}
	return found, nil
}
