package tabular

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
)

// RowFilter says which rows of a file are those of its table.
type RowFilter struct {
	First, Last int      // lines of a file, rows of a sheet; 0 for no bound
	Skip        []string // SkipKinds whose rows are none
	Headless    bool     // no row has the names of columns; they are A, B, C
}

// SkipKinds are the rows that can be left out: totals, whose first filled cell is a word for a
// total, or that and a value of its column, and that have no date; repeated headings; notes, rows
// of one cell behind the last fuller one.
var SkipKinds = []string{"totals", "headings", "notes"}

// isSet reports whether the filter leaves anything out, or there is no heading.
func (f RowFilter) isSet() bool { return f.First > 0 || f.Last > 0 || len(f.Skip) > 0 || f.Headless }

// ParseLines reads lines such as 5..31, 5.. or ..31.
func ParseLines(text string) (first, last int, err error) {
	from, to, ok := strings.Cut(text, "..")
	number := func(s string) int {
		if s == "" {
			return 0
		}
		n, err := strconv.Atoi(s)
		ok = ok && err == nil && n > 0
		return n
	}
	first, last = number(strings.TrimSpace(from)), number(strings.TrimSpace(to))
	if !ok || first+last == 0 || last > 0 && last < first {
		return 0, 0, fmt.Errorf("expected lines such as 5..31 or 5.., found %q", text)
	}
	return first, last, nil
}

// ColumnLetter is the name of a column of a sheet, from 0: A, B, …, Z, AA.
func ColumnLetter(i int) (name string) {
	for i++; i > 0; i = (i - 1) / 26 {
		name = string(rune('A'+(i-1)%26)) + name
	}
	return name
}

// SkippedRows are the rows that a filter left out, by their kind.
type SkippedRows map[string]*skippedLines

// Notes says which rows of a file were left out, a sentence each.
func (s SkippedRows) Notes(file string) (list []string) {
	for _, kind := range SkipKinds {
		if of := s[kind]; of != nil && of.count > 0 {
			list = append(list, fmt.Sprintf("%s of %s left out (%s)", of.text(kind), file, of))
		}
	}
	return list
}

// Found says which rows of a sheet are of which kind, a sentence each.
func (s SkippedRows) Found() (list []string) {
	for _, kind := range SkipKinds {
		if of := s[kind]; of != nil {
			list = append(list, fmt.Sprintf("there %s %s (%s)", map[bool]string{true: "is", false: "are"}[of.count == 1], of.text(kind), of))
		}
	}
	return list
}

// text counts the rows.
func (s *skippedLines) text(kind string) string {
	switch kind {
	case "totals":
		return phrase.CountVerb(s.count, "row of totals", "rows of totals")
	case "headings":
		return phrase.Plural(s.count, "repeated heading")
	}
	return phrase.CountVerb(s.count, "note below the table", "notes below the table")
}

func (s SkippedRows) add(kind string, line int) {
	if s == nil {
		return
	}
	if s[kind] == nil {
		s[kind] = &skippedLines{}
	}
	s[kind].add(line)
}

// skippedLines are the lines of rows of a kind.
type skippedLines struct {
	count int
	lines []int // the first ones
}

const maxListedLines = 5

func (s *skippedLines) add(line int) {
	if s.count++; len(s.lines) < maxListedLines {
		s.lines = append(s.lines, line)
	}
}

// String lists the lines.
func (s *skippedLines) String() string {
	var list []string
	for _, n := range s.lines {
		list = append(list, strconv.Itoa(n))
	}
	text := "line "
	if s.count > 1 {
		text = "lines "
	}
	if text += strings.Join(list, ", "); s.count > len(list) {
		text += ", …"
	}
	return text
}

// filteredReader reads the rows of a file that a filter lets through, of rows as long as they are.
type filteredReader struct {
	rows.Reader // of rows of any length
	file        string
	filter      RowFilter
	options     Options
	columns     []string
	heading     []string // as it was read, for rows that repeat it
	totals      totalFinder
	lone        []rawRow // rows of one cell that a fuller one may follow
	first       []rawRow // that were read to find the width
	batch       []rawRow // that are yet to be looked at
	ended       bool
}

// rawRow is a row as it is in the file.
type rawRow struct {
	line  int
	width int // of it with its blank end
	cells []eval.Value
}

// newFilteredReader finds the header among rows of any length.
func newFilteredReader(file string, r rows.Reader, o Options) (*filteredReader, error) {
	f := &filteredReader{Reader: r, file: file, filter: o.Filter, options: o}
	if o.Filter.Headless {
		return f, f.nameColumns()
	}
	for {
		row, ok, err := f.nextRaw()
		switch {
		case err != nil:
			return nil, err
		case !ok && o.HeaderRow > 1:
			return nil, &CellError{File: file, Line: o.HeaderRow, Message: fmt.Sprintf("there is no header row %d", o.HeaderRow)}
		case !ok:
			return nil, &CellError{File: file, Line: 1, Message: "the table is empty: it has no header"}
		case row.line < o.HeaderRow || len(row.cells) == 0:
			continue
		}
		for _, v := range row.cells {
			f.columns = append(f.columns, headingText(v))
		}
		for f.isText() && o.Repairs == nil && len(f.columns) < row.width {
			f.columns = append(f.columns, "")
		}
		f.heading = slices.Clone(f.columns)
		return f, o.repairHeader(file, row.line, f.columns)
	}
}

// headingText is a cell as the name of a column: a line break in it is a blank.
func headingText(v eval.Value) string {
	text := strings.TrimSpace(v.String())
	if strings.ContainsAny(text, "\r\n") {
		return strings.Join(strings.FieldsFunc(text, func(r rune) bool { return r == '\r' || r == '\n' }), " ")
	}
	return strings.Clone(text)
}

// nameColumns names the columns of a table without a heading, as many as its widest first row has.
func (f *filteredReader) nameColumns() error {
	width := 0
	for len(f.first) < maxLookedRows {
		row, ok, err := f.nextRaw()
		if err != nil {
			return err
		}
		if !ok {
			break
		}
		f.first = append(f.first, row)
		if f.isOutside(row.line) {
			continue
		}
		width = max(width, len(row.cells))
	}
	if width == 0 {
		return &CellError{File: f.file, Line: 1, Message: "the table is empty"}
	}
	for i := range width {
		f.columns = append(f.columns, ColumnLetter(i))
	}
	return nil
}

// isOutside reports whether a line isn't of the table.
func (f *filteredReader) isOutside(line int) bool {
	return line < f.filter.First || f.filter.Last > 0 && line > f.filter.Last
}

// nextRaw is the next row of the file with its blank end cut off.
func (f *filteredReader) nextRaw() (row rawRow, ok bool, err error) {
	for len(f.batch) == 0 && !f.ended {
		b, err := f.Reader.Next()
		if err != nil {
			return row, false, err
		}
		if b == nil {
			f.ended = true
			break
		}
		err = b.Each(func(line int, cells []eval.Value) error {
			width := len(cells)
			for len(cells) > 0 && isBlankCell(cells[len(cells)-1]) {
				cells = cells[:len(cells)-1]
			}
			f.batch = append(f.batch, rawRow{line, width, slices.Clone(cells)})
			return nil
		})
		if err != nil {
			return row, false, err
		}
	}
	if len(f.batch) == 0 {
		return row, false, nil
	}
	row, f.batch = f.batch[0], f.batch[1:]
	return row, true, nil
}

// Columns implements rows.Reader.
func (f *filteredReader) Columns() []string { return f.columns }

// Next implements rows.Reader.
func (f *filteredReader) Next() (rows.Batch, error) {
	var held memBatch
	for len(held.rows) < jsonBatch {
		var row rawRow
		var ok bool
		var err error
		if len(f.first) > 0 {
			row, f.first, ok = f.first[0], f.first[1:], true
		} else if row, ok, err = f.nextRaw(); err != nil {
			return nil, err
		}
		if !ok {
			break
		}
		if err := f.take(row, &held); err != nil {
			return nil, err
		}
	}
	if len(held.rows) == 0 {
		f.endNotes()
		return nil, nil
	}
	return &held, nil
}

// take puts a row among those of the table, unless it is none of it.
func (f *filteredReader) take(row rawRow, held *memBatch) error {
	switch {
	case f.isOutside(row.line):
		return nil
	case len(row.cells) == 0:
		return nil
	case f.skips("headings") && repeatsHeading(row.cells, f.heading):
		f.options.Skipped.add("headings", row.line)
		return nil
	case f.skips("totals") && f.totals.isTotal(row.cells):
		f.options.Skipped.add("totals", row.line)
		return f.putLone(held) // it is a fuller one
	case f.skips("notes") && len(f.columns) > 1 && countFilled(row.cells) == 1:
		f.lone = append(f.lone, row)
		return nil
	}
	if err := f.putLone(held); err != nil {
		return err
	}
	return f.fit(row, held)
}

// putLone puts the rows of one cell that a fuller one follows.
func (f *filteredReader) putLone(held *memBatch) error {
	for _, row := range f.lone {
		if err := f.fit(row, held); err != nil {
			return err
		}
	}
	f.lone = nil
	return nil
}

// endNotes leaves out the rows of one cell at the end.
func (f *filteredReader) endNotes() {
	for _, row := range f.lone {
		f.options.Skipped.add("notes", row.line)
	}
	f.lone = nil
}

func (f *filteredReader) skips(kind string) bool { return slices.Contains(f.filter.Skip, kind) }

// isText reports whether it is a file of text, whose rows say how many cells they have.
func (f *filteredReader) isText() bool {
	_, is := f.Reader.(*csvReader)
	return is
}

// fit gives a row as many cells as there are columns, where repairs or a sheet allow it.
func (f *filteredReader) fit(row rawRow, held *memBatch) error {
	isText := f.isText() && !f.filter.Headless
	if isText && row.width < len(f.columns) && f.options.Repairs == nil {
		return &CellError{File: f.file, Line: row.line, Message: fmt.Sprintf("this row has %s, the header has %d", phrase.Plural(row.width, "cell"), len(f.columns)), Hint: repairHint}
	}
	if isText && row.width < len(f.columns) {
		f.options.Repairs.padded.Add(1)
	}
	if len(row.cells) > len(f.columns) {
		return &CellError{File: f.file, Line: row.line, Message: fmt.Sprintf("this row has %s, the header has %d", phrase.Plural(len(row.cells), "cell"), len(f.columns))}
	}
	cells := append(row.cells, make([]eval.Value, len(f.columns)-len(row.cells))...)
	held.lines, held.rows = append(held.lines, row.line), append(held.rows, cells)
	f.totals.see(cells)
	return nil
}

// isBlankCell reports whether a cell holds nothing, or white space.
func isBlankCell(v eval.Value) bool {
	return v.Kind == eval.Blank || v.Kind == eval.Text && strings.TrimSpace(v.Text) == ""
}

// countFilled is how many cells hold something.
func countFilled(cells []eval.Value) (n int) {
	for i := range cells {
		if !isBlankCell(cells[i]) {
			n++
		}
	}
	return n
}

// repeatsHeading reports whether a row is the heading again.
func repeatsHeading(cells []eval.Value, heading []string) bool {
	if len(heading) == 0 || len(cells) > len(heading) {
		return false
	}
	for i, name := range heading {
		text := ""
		if i < len(cells) {
			text = headingText(cells[i])
		}
		if text != name {
			return false
		}
	}
	return true
}

// totalWords are words for a total, folded, in the languages of sheets.
var totalWords = map[string]bool{"total": true, "totals": true, "subtotal": true, "sub-total": true, "grand total": true, "sum": true,
	"summe": true, "gesamt": true, "gesamtsumme": true, "zwischensumme": true, "insgesamt": true, "somme": true, "total général": true, "sous-total": true,
	"suma": true, "totale": true, "totaal": true, "subtotaal": true, "subtotale": true, "totalt": true, "summa": true, "delsumma": true, "razem": true, "suma końcowa": true,
	"celkem": true, "součet": true, "yhteensä": true, "összesen": true, "ukupno": true, "spolu": true, "i alt": true, "sum total": true, "итого": true, "всего": true, "разом": true,
	"σύνολο": true, "合計": true, "小計": true, "総計": true}

// totalFinder finds rows of totals, by the words of their first cells and by what columns held
// before.
type totalFinder struct {
	seen map[string]bool // texts of the columns, each behind its place
}

// maxSeenTexts is how many texts of columns are remembered.
const maxSeenTexts = 100_000

// see remembers the texts of a row.
func (t *totalFinder) see(cells []eval.Value) {
	if t.seen == nil {
		t.seen = map[string]bool{}
	}
	for i := range cells {
		if cells[i].Kind == eval.Text && len(t.seen) < maxSeenTexts {
			t.seen[seenKey(i, cells[i].String())] = true
		}
	}
}

func seenKey(i int, text string) string {
	return strconv.Itoa(i) + "\x00" + strings.ToLower(strings.TrimSpace(text))
}

// isTotal reports whether a row is one of totals.
func (t *totalFinder) isTotal(cells []eval.Value) bool {
	at := slices.IndexFunc(cells, func(v eval.Value) bool { return !isBlankCell(v) })
	if at < 0 || !t.isTotalText(at, strings.TrimSpace(cells[at].String())) {
		return false
	}
	for i := range cells {
		if isDateCell(cells[i]) {
			return false
		}
	}
	return true
}

// isTotalText reports whether a text is a word for a total alone, or that and a value of its column.
func (t *totalFinder) isTotalText(column int, text string) bool {
	fold := strings.ToLower(strings.TrimRight(text, ": "))
	if totalWords[fold] {
		return true
	}
	for at := range fold {
		head, tail := strings.TrimRight(fold[:at], ": "), strings.TrimLeft(fold[at:], ": ")
		if fold[at] == ' ' && totalWords[head] && t.seen[seenKey(column, tail)] {
			return true
		}
		if fold[at] == ' ' && totalWords[tail] && t.seen[seenKey(column, head)] { // Yard total
			return true
		}
	}
	return false
}

// isDateCell reports whether a cell is a date in some form that tells, its year aside.
func isDateCell(v eval.Value) bool {
	if v.Kind == eval.Date || v.Kind == eval.DateTime {
		return true
	}
	text := strings.TrimSpace(v.String())
	if !strings.ContainsAny(text, "0123456789") {
		return false
	}
	if _, _, ok := civil.Parse(dropTime(text)); ok {
		return true
	}
	if digitsOnly(text) {
		return false
	}
	for _, order := range []string{"dmy", "mdy", "ymd"} {
		if _, _, ok := (dateOrder{letters: order, year: 2028}).read(text); ok { // of a leap year, if it has none
			return true
		}
	}
	return false
}
