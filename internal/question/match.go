package question

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/declare"
)

func init() { register(newMatch) }

// match puts beside each event the range that holds it.
type match struct {
	ranges, key, date, value, start, end, several, openThrough string
	take                                                       []string
}

func newMatch() *Question {
	q := &match{}
	return &Question{
		Name: "match", Group: Tables, Place: 4, Use: "match EVENTS RANGES [--key COL] [--date PHRASE | --value PHRASE]",
		Short: "Who held what on the day (rows to ranges)",
		Long: `Put the columns of a table of ranges beside each row of a table of events: those of the
range with the same key that holds the event's day (--date; both ends included, a blank
end stays open) or its number (--value; the start included, the end not). Without --end, a
range ends where the next one of its key starts. Without --date and --value, rows meet by
key alone. Rows that no range holds stay blank and are counted.`,
		Examples: `  yoyaku match absences.csv crew-contracts.csv --key person --take unit --several first \
    --open-words present
  yoyaku match incidents.csv harbour-masters.csv --key harbour --date day --start since \
    --end until --open-words present
  yoyaku match crew-contracts.csv notice-weeks.csv --value "years from start to today" \
    --start from_years --take weeks`,
		Least: 2, Most: 2, Wants: "a table of events and a table of ranges", Table: true, Record: true,
		Options: []*declare.Key{
			{Name: "ranges", Help: "the table of ranges, `FILE`", Takes: declare.File.Read(&q.ranges)},
			{Name: "key", Complete: "columns", Help: "match rows with the same value in column `COL`; COL=OTHER if\nthe ranges call it OTHER",
				Takes: declare.Column.Into(&q.key)},
			{Name: "date", Complete: "columns", Help: "the day of each event, as `PHRASE`", Takes: declare.Phrase.Into(&q.date)},
			{Name: "value", Complete: "columns",
				Help: "the number of each event, as `PHRASE`, for ranges of numbers", Takes: declare.Phrase.Into(&q.value)},
			{Name: "start", Help: "where each range starts, as `PHRASE`: a day, or a number", Takes: declare.Phrase.Into(&q.start)},
			{Name: "end", Help: "where each range ends, as `PHRASE`: its last day, or the first\nnumber beyond it (default: the next start)",
				Takes: declare.Phrase.Into(&q.end)},
			{Name: "take", Value: "COLUMNS", Help: "take only these columns of the ranges (default: all but the key)",
				Takes: declare.Column.List(&q.take)},
			{Name: "several", Default: "stop",
				Help: "if several ranges hold an event, `WHAT` is stop, first or all", Takes: declare.Choice("stop", "first", "all").Into(&q.several)},
			{Name: "open-through", With: []string{"date"}, Help: "`DATE` that open ranges run through (default: for good)",
				Takes: declare.Text.Into(&q.openThrough)},
		},
		Rules: []declare.Rule{
			{Any: []string{"ranges"}, Why: "the table of ranges"},
			{One: ofEvents},
			{Any: []string{"key", "date", "value"}},
			{If: []string{"start", "end"}, Any: ofEvents},
			{If: ofEvents, Any: []string{"start"}, Why: "where each range starts"},
		},
		Answer: q.answer,
	}
}

// check refuses what doesn't go together.
// ofEvents are the options for what of an event is held by a range.
var ofEvents = []string{"date", "value"}

// severals are the ways by the words of --several.
var severals = map[string]rows.OnSeveral{"stop": rows.StopAtSeveral, "first": rows.FirstOfSeveral,
	"all": rows.AllOfSeveral}

func (q *match) answer(j *Job) error {
	keyA, keyB, two := strings.Cut(q.key, "=")
	if !two {
		keyB = keyA
	}
	t, err := j.table()
	if err != nil {
		return err
	}
	j.own(t)
	m := meeting{t: t, width: len(t.Visible()), key: -1}
	if q.key != "" {
		if m.key, err = t.Column("key", keyA); err != nil {
			return err
		}
		t.Cells = append(t.Cells, m.key)
	}
	if m.by, err = rows.IfGiven(t.Day, "date", q.date); m.by < 0 && err == nil {
		m.by, err = rows.IfGiven(t.Hide, "value", q.value)
	}
	if err != nil {
		return err
	}
	side, err := q.open(j, keyB)
	if err != nil {
		return err
	}
	head := slices.Clone(t.Visible()[:m.width])
	for _, i := range side.taken { // a name that both have is told apart
		c := side.Visible()[i]
		if rows.Find(head, c) >= 0 {
			c = "range_" + c
		}
		head = append(head, c)
	}
	m.none = make([]eval.Value, len(side.taken))
	err = j.beside(t, head, func(put rows.Beside) error {
		if m.find, err = side.read(j, q); err != nil {
			return err
		}
		return j.scan(t, func(line int, row []eval.Value) error { return m.row(line, row, put) })
	})
	if err != nil {
		return j.fewer(err, j.Say("several", "first"), j.Say("where", "")+" to choose rows")
	}
	q.tell(j, t.Name, m.missed, m.blank)
	return nil
}

// meeting looks up the ranges of each row of a table.
type meeting struct {
	t       *Table
	width   int // its columns
	key, by int // slots of what is looked up; -1 for none
	find    finder
	none    []eval.Value // beside a row that no range holds
	// missed counts those rows, blank those that have nothing to look up by.
	missed, blank int
}

// row puts the ranges of a row beside it.
func (m *meeting) row(line int, row []eval.Value, put rows.Beside) error {
	var of string
	var at eval.Value
	if m.key >= 0 {
		of = eval.KeyOf(row[m.key])
	}
	if m.by >= 0 {
		at = row[m.by]
	}
	held, known, err := m.find(of, at, m.key >= 0 && of == "")
	if err != nil {
		var bad *rows.BadCell
		if !errors.As(err, &bad) {
			return fmt.Errorf("%s, line %d: %w", m.t.Name, line, err)
		}
		bad.Line = line
		return bad
	}
	switch {
	case !known:
		m.blank++
	case len(held) == 0:
		m.missed++
	}
	if len(held) == 0 {
		return put(m.t.Text, row[:m.width], m.none)
	}
	for _, h := range held {
		if err := put(m.t.Text, row[:m.width], h.Row); err != nil {
			return err
		}
	}
	return nil
}

// tell says how many events no range holds, and how many have nothing to look up by.
func (q *match) tell(j *Job, table string, missed, blank int) {
	falls, fall, without := "lies in no range", "lie in no range", "without a date"
	switch {
	case q.value != "":
		without = "without a number"
	case q.date == "":
		falls, fall, without = "has a key that "+q.ranges+" lacks", "have a key that "+q.ranges+" lacks", "with a blank key"
	}
	if missed > 0 {
		j.Note("%s.", phrase.Agree(missed, "row of "+table+" "+falls, "rows of "+table+" "+fall))
	}
	if blank > 0 {
		j.Note("%s of %s %s.", phrase.Counted(blank, "row"), table, without)
	}
}

// rangeTable is the table of ranges.
type rangeTable struct {
	*Table
	taken           []int // the columns that are written
	key, start, end int   // -1 if there is none
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
	s := &rangeTable{Table: t, key: -1, through: civil.Max}
	visible := slices.Clone(t.Visible())
	if q.key != "" {
		if s.key = rows.Find(visible, rows.Unquote(keyName)); s.key < 0 {
			return nil, rows.In("key", fmt.Errorf("in %s: %w", q.ranges, rows.UnknownColumn(rows.Unquote(keyName), visible)))
		}
		t.Cells = append(t.Cells, s.key)
	}
	for i := range visible {
		if q.take == nil && i != s.key {
			s.taken = append(s.taken, i)
		}
	}
	for _, name := range q.take {
		i := rows.Find(visible, rows.Unquote(name))
		if i < 0 {
			return nil, rows.In("take", fmt.Errorf("in %s: %w", q.ranges, rows.UnknownColumn(rows.Unquote(name), visible)))
		}
		s.taken = append(s.taken, i)
	}
	if q.openThrough != "" {
		if s.through, err = j.through(q.openThrough, civil.Always); err != nil {
			return nil, err
		}
	}
	end := t.Hide
	if q.date != "" {
		end = t.Day
	}
	if s.start, err = rows.IfGiven(end, "start", q.start); err == nil {
		s.end, err = rows.IfGiven(end, "end", q.end)
	}
	return s, err
}

// finder finds the rows for a key and a day or number, which hold until it is called
// again; known is false if what is
// looked up is blank.
type finder func(key string, at eval.Value, blankKey bool) (found []rows.Ranged, known bool, err error)

// band is the range of numbers of a row.
func (s *rangeTable) band(h rows.Ranged, row []eval.Value) (rows.Band, error) {
	b := rows.Band{Ranged: h}
	bound := func(what string, slot int) (eval.Value, error) {
		v, ok := rows.NumberOf(row[slot])
		if !ok {
			return v, &rows.BadCell{Line: h.Line, Column: what, Err: fmt.Errorf("the %s: expected a number, found %q", what,
				eval.Brief(row[slot].String()))}
		}
		return v, nil
	}
	var err error
	if b.From, err = bound("start", s.start); err == nil && s.end >= 0 {
		b.To, err = bound("end", s.end)
	}
	return b, err
}

// read holds the ranges.
func (s *rangeTable) read(j *Job, q *match) (finder, error) {
	several := severals[q.several]
	var days []rows.Ranged
	var bands []rows.Band
	alone := rows.ByKey{}
	bad, err := s.Scan(func(n int, row []eval.Value) error {
		h := rows.Ranged{Line: n}
		if s.key >= 0 {
			h.Who = eval.KeyOf(row[s.key])
		}
		for _, i := range s.taken {
			v := row[i]
			v.Text = strings.Clone(v.Text)
			h.Row = append(h.Row, v)
		}
		switch {
		case q.date != "":
			end := eval.Value{}
			if s.end >= 0 {
				end = row[s.end]
			}
			span, blank, err := rows.Range(row[s.start], end, s.through)
			if err != nil {
				return &rows.BadCell{Line: n, Column: "start and end", Err: err}
			}
			if h.Span = span; !blank {
				days = append(days, h)
			}
		case q.value != "":
			b, err := s.band(h, row)
			if err != nil {
				return err
			}
			if b.From.Kind != eval.Blank {
				bands = append(bands, b)
			}
		case h.Who != "":
			alone[h.Who] = append(alone[h.Who], h)
		}
		return nil
	})
	if err == nil {
		err = j.faults(s.Table, bad)
	}
	if err != nil {
		return nil, err
	}
	var room []rows.Ranged
	switch {
	case q.date != "":
		found, err := rows.NewRanges(days, s.end < 0)
		return func(key string, at eval.Value, blankKey bool) ([]rows.Ranged, bool, error) {
			v, ok := eval.DayOf(at)
			if !ok {
				return nil, false, nil
			}
			held, err := found.On(key, v.Day, several, room)
			room = held
			return held, true, err
		}, s.named(err)
	case q.value != "":
		found, err := rows.NewBands(bands, s.end < 0)
		return func(key string, at eval.Value, blankKey bool) ([]rows.Ranged, bool, error) {
			v, ok := rows.NumberOf(at)
			if !ok {
				return nil, false, &rows.BadCell{Column: "value", Err: fmt.Errorf("the value: expected a number, found %q",
					eval.Brief(at.String()))}
			}
			if v.Kind == eval.Blank {
				return nil, false, nil
			}
			held, err := found.On(key, v, several, room)
			room = held
			return held, true, err
		}, s.named(err)
	}
	return func(key string, _ eval.Value, blankKey bool) ([]rows.Ranged, bool, error) {
		held, err := alone.Of(key, several)
		return held, !blankKey, err
	}, nil
}

// named puts the table's name in front of an error.
func (s *rangeTable) named(err error) error {
	if err != nil {
		err = fmt.Errorf("%s: %w", s.Name, err)
	}
	return err
}
