package question

import (
	"fmt"
	"slices"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
)

func init() { register(newMatch) }

// match puts beside each event the range that holds it.
type match struct{ ranges, key, date, start, end, several, openThrough string }

func newMatch() *Question {
	q := &match{}
	return &Question{
		Name: "match", Group: Tables, Use: "match EVENTS RANGES --key COL --date COL --start COL --end COL", Short: "Who held what on the day (rows to ranges)",
		Long: `Put beside each row of EVENTS the columns of the row of RANGES that has the same key
and holds its day; both ends belong to a range, and one with a blank end holds on.
Where none does, the cells stay blank and are counted.`,
		Examples: `  yoyaku match incidents.csv harbour-masters.csv --key harbour --date day --start since \
    --end until --open-words present`,
		Least: 2, Most: 2, Wants: "a table of events and a table of ranges", Table: true, Record: true,
		Options: []*Option{
			{Name: "ranges", Kind: File, Help: "`TABLE` of ranges", Into: &q.ranges},
			{Name: "key", Kind: Column, Needed: true, Complete: "columns", Help: "`COL` that both have, or COL=COL of the ranges", Into: &q.key},
			{Name: "date", Kind: Phrase, Needed: true, Complete: "columns", Help: "`PHRASE` of the event's day", Into: &q.date},
			{Name: "start", Kind: Phrase, Needed: true, Help: "`PHRASE` of the range's first day", Into: &q.start},
			{Name: "end", Kind: Phrase, Needed: true, Help: "`PHRASE` of the range's last day", Into: &q.end},
			{Name: "several", Kind: Choice, Choices: []string{"stop", "first", "all"}, Default: "stop", Help: "`WHAT` where several ranges hold it: stop, first,\nall", Into: &q.several},
			{Name: "open-through", Help: "`DATE` that open ranges run through (default: for good)", Into: &q.openThrough},
		},
		Answer: q.answer,
	}
}

// severals are the ways by the words of --several.
var severals = map[string]rows.Several{"stop": rows.StopAtSeveral, "first": rows.FirstOfSeveral, "all": rows.AllOfSeveral}

func (q *match) answer(j *Job) error {
	if len(j.Args) > 1 {
		q.ranges = j.Args[1]
	}
	if q.ranges == "" {
		return need("ranges", "the table of ranges")
	}
	keyA, keyB, two := strings.Cut(q.key, "=")
	if !two {
		keyB = keyA
	}
	t, err := j.table()
	if err != nil {
		return err
	}
	j.own(t)
	key, err := t.Column("key", keyA)
	if err != nil {
		return err
	}
	visible := slices.Clone(t.Visible())
	day, err := t.Day("date", q.date)
	if err != nil {
		return err
	}
	t.Cells = append(t.Cells, key)
	side, err := q.open(j, keyB)
	if err != nil {
		return err
	}
	head := slices.Clone(visible)
	for _, c := range side.columns { // a name that both have is told apart
		if rows.Find(head, c) >= 0 {
			c = "range_" + c
		}
		head = append(head, c)
	}
	missed, blank := 0, 0
	err = j.fill(head, func(put rows.Put) error {
		found, err := side.read(j)
		if err != nil {
			return err
		}
		var cells []eval.Value
		none := make([]eval.Value, len(side.columns))
		return j.scan(t, func(n int, row []eval.Value) error {
			var held []rows.Held
			if v, ok := eval.DayOf(row[day]); ok {
				if held, err = found.On(eval.KeyOf(row[key]), v.Day, severals[q.several]); err != nil {
					return fmt.Errorf("%s, line %d: %w", t.Name, n, err)
				}
				if len(held) == 0 {
					missed++
				}
			} else {
				blank++
			}
			beside := func(cellsOf []eval.Value) error {
				cells = append(append(cells[:0], row[:len(visible)]...), cellsOf...)
				return put(cells)
			}
			if len(held) == 0 {
				return beside(none)
			}
			for _, h := range held {
				if err := beside(h.Row); err != nil {
					return err
				}
			}
			return nil
		})
	})
	if err != nil {
		return err
	}
	q.tell(j, t.Name, missed, blank)
	return nil
}

// tell tells how many events no range holds, and how many have no day.
func (q *match) tell(j *Job, table string, missed, blank int) {
	switch {
	case missed == 1:
		j.Note("1 row of %s falls into no range.", table)
	case missed > 1:
		j.Note("%d rows of %s fall into no range.", missed, table)
	}
	if blank > 0 {
		j.Note("%s of %s without a date.", Several(blank, "row"), table)
	}
}

// rangeTable is the table of ranges: all columns but the key go out.
type rangeTable struct {
	*Table
	columns         []string
	key, start, end int
	through         civil.Date
}

func (q *match) open(j *Job, keyName string) (*rangeTable, error) {
	t, err := j.open(q.ranges)
	if err != nil {
		return nil, err
	}
	if _, err := t.join(true); err != nil {
		return nil, err
	}
	s := &rangeTable{Table: t, through: civil.Max}
	if s.key = rows.Find(t.Visible(), rows.Unquote(keyName)); s.key < 0 {
		return nil, rows.In("key", fmt.Errorf("in %s: %w", q.ranges, rows.UnknownColumn(rows.Unquote(keyName), t.Visible())))
	}
	t.Cells = append(t.Cells, s.key)
	s.columns = slices.Delete(slices.Clone(t.Visible()), s.key, s.key+1)
	if q.openThrough != "" {
		if s.through, err = j.through(q.openThrough, civil.Always); err != nil {
			return nil, err
		}
	}
	if s.start, err = t.Day("start", q.start); err != nil {
		return nil, err
	}
	s.end, err = t.Day("end", q.end)
	return s, err
}

// read holds the ranges.
func (s *rangeTable) read(j *Job) (*rows.Ranges, error) {
	width := len(s.columns) + 1
	var list []rows.Held
	bad, err := s.Scan(func(n int, row []eval.Value) error {
		span, blank, err := rows.Range(row[s.start], row[s.end], s.through)
		if err != nil {
			return &rows.BadCell{Line: n, Column: "start and end", Err: err}
		}
		if !blank {
			list = append(list, rows.Held{Span: span, Who: eval.KeyOf(row[s.key]), Line: n, Row: slices.Delete(slices.Clone(row[:width]), s.key, s.key+1)})
		}
		return nil
	})
	if err == nil {
		err = j.faults(s.Table, bad)
	}
	return rows.NewRanges(list), err
}
