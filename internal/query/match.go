package query

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/declare"
)

func init() { register(newMatch) }

// matchQuery puts beside each event the range that holds it.
type matchQuery struct {
	ranges, key, date, value, start, end, several, openThrough string
	columns                                                    []string
}

func newMatch() *ask.Query {
	q := &matchQuery{}
	return &ask.Query{
		Name: "match", Group: ask.Tables, Order: 4, Use: "match EVENTS RANGES [--key COL] [--date PHRASE | --value PHRASE]",
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
		MinArgs: 2, MaxArgs: 2, ArgsHelp: "a table of events and a table of ranges", TakesTable: true, ForRecords: true,
		Options: []*declare.Key{
			{Name: "ranges", Help: "the table of ranges, `FILE`", Value: declare.File.IntoInputFile(&q.ranges)},
			{Name: "key", Completion: "columns", Help: "match rows with the same value in column `COL`; COL=OTHER if\nthe ranges call it OTHER",
				Value: declare.Column.Into(&q.key)},
			{Name: "date", Completion: "columns", Help: "the day of each event, as `PHRASE`", Value: declare.TablePhrase.Into(&q.date)},
			{Name: "value", Completion: "columns",
				Help: "the number of each event, as `PHRASE`, for ranges of numbers", Value: declare.TablePhrase.Into(&q.value)},
			{Name: "start", Help: "where each range starts, as `PHRASE`: a day, or a number", Value: declare.TablePhrase.Into(&q.start)},
			{Name: "end", Help: "where each range ends, as `PHRASE`: its last day, or the first\nnumber beyond it (default: the next start)",
				Value: declare.TablePhrase.Into(&q.end)},
			{Name: "take", Placeholder: "COLUMNS", Help: "take only these columns of the ranges (default: all but the key)",
				Value: declare.Column.List(&q.columns)},
			{Name: "several", Default: "stop",
				Help: "if several ranges hold an event, `WHAT` is stop, first or all", Value: declare.Choice("stop", "first", "all").Into(&q.several)},
			{Name: "open-through", Requires: []string{"date"}, Help: "`DATE` that open ranges run through (default: for good)",
				Value: declare.Text.Into(&q.openThrough)},
		},
		Rules: []declare.Rule{
			{AnyOf: []string{"ranges"}, Reason: "the table of ranges"},
			{OnlyOneOf: ofEvents},
			{AnyOf: []string{"key", "date", "value"}},
			{If: []string{"start", "end"}, AnyOf: ofEvents},
			{If: ofEvents, AnyOf: []string{"start"}, Reason: "where each range starts"},
		},
		Answer: q.answer,
	}
}

// ofEvents are the options for what of an event is held by a range.
var ofEvents = []string{"date", "value"}

// multiMatchNames are the ways by the words of --several.
var multiMatchNames = map[string]rows.MultiMatch{"stop": rows.MultiError, "first": rows.MultiFirst,
	"all": rows.MultiAll}

func (q *matchQuery) answer(j *ask.Job) error {
	keyA, keyB, two := strings.Cut(q.key, "=")
	if !two {
		keyB = keyA
	}
	t, err := j.OpenTable()
	if err != nil {
		return err
	}
	j.FilterOwn(t)
	m := rangeMatcher{t: t, width: len(t.Visible()), key: -1}
	if q.key != "" {
		if m.key, err = t.FindColumn("key", keyA); err != nil {
			return err
		}
		t.Cells = append(t.Cells, m.key)
	}
	if m.atSlot, err = rows.IfGiven(t.AddHiddenDate, "date", q.date); m.atSlot < 0 && err == nil {
		m.atSlot, err = rows.IfGiven(t.AddHiddenPhrase, "value", q.value)
	}
	if err != nil {
		return err
	}
	side, err := q.open(j, keyB)
	if err != nil {
		return err
	}
	head := slices.Clone(t.Visible()[:m.width])
	for _, i := range side.takenSlots { // a name that both have is told apart
		c := side.Visible()[i]
		if rows.ColumnIndex(head, c) >= 0 {
			c = "range_" + c
		}
		head = append(head, c)
	}
	m.blankCells = make([]eval.Value, len(side.takenSlots))
	err = j.FillExtended(t, head, func(put rows.PutExtended) error {
		if m.find, err = side.newFinder(j, q); err != nil {
			return err
		}
		return j.Scan(t, func(line int, row []eval.Value) error { return m.putMatches(line, row, put) })
	})
	if err != nil {
		return j.HintFewerRows(err, j.OptionText("several", "first"), j.OptionText("where", "")+" to choose rows")
	}
	q.report(j, t.Name, m.missed, m.blank)
	return nil
}

// rangeMatcher looks up the ranges of each row of a table.
type rangeMatcher struct {
	t           *ask.Table
	width       int // its columns
	key, atSlot int // slots of what is looked up; -1 for none
	find        rangeFinder
	blankCells  []eval.Value // beside a row that no range holds
	// missed counts those rows, blank those that have nothing to look up by.
	missed, blank int
}

// putMatches puts the ranges of a row beside it.
func (m *rangeMatcher) putMatches(line int, row []eval.Value, put rows.PutExtended) error {
	var of string
	var when eval.Value
	if m.key >= 0 {
		of = eval.CellKey(row[m.key])
	}
	if m.atSlot >= 0 {
		when = row[m.atSlot]
	}
	found, known, err := m.find(of, when, m.key >= 0 && of == "")
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
	case len(found) == 0:
		m.missed++
	}
	if len(found) == 0 {
		return put(m.t.Text, row[:m.width], m.blankCells)
	}
	for _, h := range found {
		if err := put(m.t.Text, row[:m.width], h.Row); err != nil {
			return err
		}
	}
	return nil
}

// report says how many events no range holds, and how many have nothing to look up by.
func (q *matchQuery) report(j *ask.Job, table string, missed, blank int) {
	falls, fall, without := "lies in no range", "lie in no range", "without a date"
	switch {
	case q.value != "":
		without = "without a number"
	case q.date == "":
		falls, fall, without = "has a key that "+q.ranges+" lacks", "have a key that "+q.ranges+" lacks", "with a blank key"
	}
	if missed > 0 {
		j.Note("%s.", phrase.CountVerb(missed, "row of "+table+" "+falls, "rows of "+table+" "+fall))
	}
	if blank > 0 {
		j.Note("%s of %s %s.", phrase.Plural(blank, "row"), table, without)
	}
}

// rangeTable is the table of ranges.
type rangeTable struct {
	*ask.Table
	takenSlots      []int // the columns that are written
	key, start, end int   // -1 if there is none
	openThrough     civil.Date
}

func (q *matchQuery) open(j *ask.Job, keyName string) (*rangeTable, error) {
	t, err := j.OpenNamed(q.ranges)
	if err != nil {
		return nil, err
	}
	if _, err := t.JoinDates(true); err != nil {
		return nil, err
	}
	s := &rangeTable{Table: t, key: -1, openThrough: civil.Max}
	visible := slices.Clone(t.Visible())
	if q.key != "" {
		if s.key = rows.ColumnIndex(visible, rows.UnquoteName(keyName)); s.key < 0 {
			return nil, rows.WrapOption("key", fmt.Errorf("in %s: %w", q.ranges, rows.UnknownColumn(rows.UnquoteName(keyName), visible)))
		}
		t.Cells = append(t.Cells, s.key)
	}
	for i := range visible {
		if q.columns == nil && i != s.key {
			s.takenSlots = append(s.takenSlots, i)
		}
	}
	for _, name := range q.columns {
		i := rows.ColumnIndex(visible, rows.UnquoteName(name))
		if i < 0 {
			return nil, rows.WrapOption("take", fmt.Errorf("in %s: %w", q.ranges, rows.UnknownColumn(rows.UnquoteName(name), visible)))
		}
		s.takenSlots = append(s.takenSlots, i)
	}
	if q.openThrough != "" {
		if s.openThrough, err = openThroughDay(j, q.openThrough, civil.AllDays); err != nil {
			return nil, err
		}
	}
	end := t.AddHiddenPhrase
	if q.date != "" {
		end = t.AddHiddenDate
	}
	if s.start, err = rows.IfGiven(end, "start", q.start); err == nil {
		s.end, err = rows.IfGiven(end, "end", q.end)
	}
	return s, err
}

// rangeFinder finds the rows for a key and a day or number, which hold until it is called
// again; known is false if what is
// looked up is blank.
type rangeFinder func(key string, when eval.Value, blankKey bool) (found []rows.KeyedRange, known bool, err error)

// band is the range of numbers of a row.
func (s *rangeTable) band(h rows.KeyedRange, row []eval.Value) (rows.Band, error) {
	b := rows.Band{KeyedRange: h}
	bound := func(what string, slot int) (eval.Value, error) {
		v, ok := rows.ParseNumberCell(row[slot])
		if !ok {
			return v, &rows.BadCell{Line: h.Line, Column: what, Err: fmt.Errorf("the %s: expected a number, found %q", what,
				eval.Truncate(row[slot].String()))}
		}
		return v, nil
	}
	var err error
	if b.From, err = bound("start", s.start); err == nil && s.end >= 0 {
		b.To, err = bound("end", s.end)
	}
	return b, err
}

// newFinder holds the ranges.
func (s *rangeTable) newFinder(j *ask.Job, q *matchQuery) (rangeFinder, error) {
	r := rangeRows{byKey: rows.ByKey{}}
	bad, err := s.Scan(func(n int, row []eval.Value) error { return s.addRange(&r, q, n, row) })
	if err == nil {
		err = j.ReportBadRows(s.Table, bad)
	}
	if err != nil {
		return nil, err
	}
	several := multiMatchNames[q.several]
	switch {
	case q.date != "":
		return s.findDays(r.days, several)
	case q.value != "":
		return s.findNumbers(r.bands, several)
	}
	return func(key string, _ eval.Value, blankKey bool) ([]rows.KeyedRange, bool, error) {
		found, err := r.byKey.Lookup(key, several)
		return found, !blankKey, err
	}, nil
}

// rangeRows are the rows of a table of ranges: of days, of numbers, or by their keys alone.
type rangeRows struct {
	days  []rows.KeyedRange
	bands []rows.Band
	byKey rows.ByKey
}

// addRange adds a row of the table; one without a start, or without a key where keys alone
// count, is left out.
func (s *rangeTable) addRange(r *rangeRows, q *matchQuery, line int, row []eval.Value) error {
	h := rows.KeyedRange{Line: line}
	if s.key >= 0 {
		h.Key = eval.CellKey(row[s.key])
	}
	for _, i := range s.takenSlots {
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
		span, blank, err := rows.ParseRange(row[s.start], end, s.openThrough)
		if err != nil {
			return &rows.BadCell{Line: line, Column: "start and end", Err: err}
		}
		if h.Extent = span; !blank {
			r.days = append(r.days, h)
		}
	case q.value != "":
		b, err := s.band(h, row)
		if err != nil {
			return err
		}
		if b.From.Kind != eval.Blank {
			r.bands = append(r.bands, b)
		}
	case h.Key != "":
		r.byKey[h.Key] = append(r.byKey[h.Key], h)
	}
	return nil
}

// findDays looks days up in ranges of days.
func (s *rangeTable) findDays(days []rows.KeyedRange, several rows.MultiMatch) (rangeFinder, error) {
	ranges, err := rows.NewRanges(days, s.end < 0)
	var buf []rows.KeyedRange
	return func(key string, when eval.Value, _ bool) ([]rows.KeyedRange, bool, error) {
		v, ok := eval.AsDate(when)
		if !ok {
			return nil, false, nil
		}
		var err error
		buf, err = ranges.Lookup(key, v.Day, several, buf)
		return buf, true, err
	}, s.withTableName(err)
}

// findNumbers looks numbers up in bands.
func (s *rangeTable) findNumbers(list []rows.Band, several rows.MultiMatch) (rangeFinder, error) {
	bands, err := rows.NewBands(list, s.end < 0)
	var buf []rows.KeyedRange
	return func(key string, when eval.Value, _ bool) ([]rows.KeyedRange, bool, error) {
		v, ok := rows.ParseNumberCell(when)
		if !ok {
			return nil, false, &rows.BadCell{Column: "value", Err: fmt.Errorf("the value: expected a number, found %q",
				eval.Truncate(when.String()))}
		}
		if v.Kind == eval.Blank {
			return nil, false, nil
		}
		var err error
		buf, err = bands.Lookup(key, v, several, buf)
		return buf, true, err
	}, s.withTableName(err)
}

// withTableName puts the table's name in front of an error.
func (s *rangeTable) withTableName(err error) error {
	if err != nil {
		err = fmt.Errorf("%s: %w", s.Name, err)
	}
	return err
}
