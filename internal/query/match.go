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
	ranges, date, value, start, end, several, openThrough string
	keys, columns                                         []string
	unmatched                                             bool
}

func newMatch() *ask.Query {
	q := &matchQuery{}
	return &ask.Query{
		Name: "match", Group: ask.Tables, Order: 4, Use: "match EVENTS RANGES [--key COLUMNS] [--date PHRASE | --value PHRASE]",
		Short: "Who held what on the day (rows to ranges)",
		Long: `Put the columns of a table of ranges beside each row of a table of events: those of the
range with the same key that holds the event's day (--date; both ends included, a blank
end stays open) or its number (--value; the start included, the end not). Without --end, a
range ends where the next one of its key starts. Without --date and --value, rows meet by
key alone. Rows that no range holds stay blank and are counted; --unmatched adds the rows of
the other table that none met.`,
		Examples: `  yoyaku match absences.csv crew-contracts.csv --key person --take unit --several first \
    --open-words present
  yoyaku match incidents.csv harbour-masters.csv --key harbour --date day --start since \
    --end until --open-words present
  yoyaku match crew-contracts.csv notice-weeks.csv --value "years from start to today" \
    --start from_years --take weeks`,
		MinArgs: 2, MaxArgs: 2, ArgsHelp: "a table of events and a table of ranges", TakesTable: true, ForRecords: true,
		Options: []*declare.Key{
			{Name: "ranges", Help: "the table of ranges, `FILE`", Value: declare.File.IntoInputFile(&q.ranges)},
			{Name: "key", Completion: "columns", Placeholder: "COLUMNS", Help: "match rows with the same values in these columns; COL=OTHER if\nthe ranges call it OTHER",
				Value: declare.Column.List(&q.keys)},
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
			{Name: "unmatched", Requires: []string{"key"}, Conflicts: ofEvents, Help: "add the rows of RANGES that no event met, behind the others",
				Value: declare.Bool.Into(&q.unmatched)},
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
	var keysA, keysB []string
	for _, key := range q.keys {
		a, b, two := strings.Cut(key, "=")
		if !two {
			b = a
		}
		keysA, keysB = append(keysA, a), append(keysB, b)
	}
	t, err := j.OpenTable()
	if err != nil {
		return err
	}
	j.FilterOwn(t)
	m := rangeMatcher{t: t, width: len(t.Visible())}
	for _, name := range keysA {
		key, err := t.FindColumn("key", name)
		if err != nil {
			return err
		}
		m.keys, t.Cells = append(m.keys, key), append(t.Cells, key)
	}
	if m.atSlot, err = rows.IfGiven(t.AddHiddenDate, "date", q.date); m.atSlot < 0 && err == nil {
		m.atSlot, err = rows.IfGiven(t.AddHiddenPhrase, "value", q.value)
	}
	if err != nil {
		return err
	}
	side, err := q.open(j, keysB)
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
	if q.unmatched {
		m.met = map[string]bool{}
	}
	added := 0
	err = j.FillExtended(t, head, func(put rows.PutExtended) error {
		if m.find, err = side.newFinder(j, q); err != nil {
			return err
		}
		if err := j.Scan(t, func(line int, row []eval.Value) error { return m.putMatches(line, row, put) }); err != nil {
			return err
		}
		added, err = m.putUnmatched(side.ordered, put)
		return err
	})
	if err != nil {
		return j.HintFewerRows(err, j.OptionText("several", "first"), j.OptionText("where", "")+" to choose rows")
	}
	q.report(j, t.Name, m.missed, m.blank)
	if added > 0 {
		j.Note("%s no row of %s; added at the end.", phrase.CountVerb(added, "row of "+q.ranges+" met", "rows of "+q.ranges+" met"), t.Name)
	}
	return nil
}

// rangeMatcher looks up the ranges of each row of a table.
type rangeMatcher struct {
	t          *ask.Table
	width      int   // its columns
	keys       []int // slots of the keys
	atSlot     int   // slot of what is looked up; -1 for none
	find       rangeFinder
	blankCells []eval.Value    // beside a row that no range holds
	met        map[string]bool // the keys that events have; nil if it doesn't matter
	// missed counts those rows, blank those that have nothing to look up by.
	missed, blank int
}

// putMatches puts the ranges of a row beside it.
func (m *rangeMatcher) putMatches(line int, row []eval.Value, put rows.PutExtended) error {
	var of string
	var when eval.Value
	blank := false
	if len(m.keys) > 0 {
		if of, blank = joinKeys(row, m.keys); m.met != nil && !blank {
			m.met[of] = true
		}
	}
	if m.atSlot >= 0 {
		when = row[m.atSlot]
	}
	found, known, err := m.find(of, when, blank)
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

// putUnmatched puts the rows of the other table whose keys no event has.
func (m *rangeMatcher) putUnmatched(list []unmatchedRow, put rows.PutExtended) (n int, err error) {
	if m.met == nil {
		return 0, nil
	}
	for _, r := range list {
		if m.met[r.Key] {
			continue
		}
		cells := make([]eval.Value, m.width)
		for i, slot := range m.keys {
			cells[slot] = r.keys[i]
		}
		if err := put("", cells, r.Row); err != nil {
			return n, err
		}
		n++
	}
	return n, nil
}

// joinKeys is the key of a row with several columns of keys; blank says that one of them is.
func joinKeys(row []eval.Value, slots []int) (key string, blank bool) {
	if len(slots) == 1 {
		key = eval.CellKey(row[slots[0]])
		return key, key == ""
	}
	for i, slot := range slots {
		part := eval.CellKey(row[slot])
		if blank = blank || part == ""; i > 0 {
			key += rows.KeySeparator
		}
		key += part
	}
	return key, blank
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
	takenSlots  []int // the columns that are written
	keys        []int
	start, end  int // -1 if there is none
	openThrough civil.Date
	ordered     []unmatchedRow // its rows as they come; nil if that doesn't matter
}

// unmatchedRow is a row of the other table with the cells of its keys.
type unmatchedRow struct {
	rows.KeyedRange
	keys []eval.Value
}

func (q *matchQuery) open(j *ask.Job, keyNames []string) (*rangeTable, error) {
	t, err := j.OpenNamed(q.ranges)
	if err != nil {
		return nil, err
	}
	if _, err := t.JoinDates(true); err != nil {
		return nil, err
	}
	s := &rangeTable{Table: t, openThrough: civil.Max}
	visible := slices.Clone(t.Visible())
	for _, name := range keyNames {
		key := rows.ColumnIndex(visible, rows.UnquoteName(name))
		if key < 0 {
			return nil, rows.WrapOption("key", fmt.Errorf("in %s: %w", q.ranges, rows.UnknownColumn(rows.UnquoteName(name), visible)))
		}
		s.keys, t.Cells = append(s.keys, key), append(t.Cells, key)
	}
	for i := range visible {
		if q.columns == nil && !slices.Contains(s.keys, i) {
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
	blank := false
	if len(s.keys) > 0 {
		h.Key, blank = joinKeys(row, s.keys)
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
	case !blank:
		r.byKey[h.Key] = append(r.byKey[h.Key], h)
		if q.unmatched {
			s.ordered = append(s.ordered, s.withKeys(h, row))
		}
	case q.unmatched: // nothing can meet it
		s.ordered = append(s.ordered, s.withKeys(h, row))
	}
	return nil
}

// withKeys is a row with copies of the cells of its keys.
func (s *rangeTable) withKeys(h rows.KeyedRange, row []eval.Value) unmatchedRow {
	u := unmatchedRow{KeyedRange: h}
	for _, slot := range s.keys {
		v := row[slot]
		v.Text = strings.Clone(v.Text)
		u.keys = append(u.keys, v)
	}
	return u
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
