package tabular

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
)

// Told is what a person said already of how a file is read; it is never guessed over.
type Told struct {
	HeaderRow   int // -1 if nothing was said; 0 for no heading
	First, Last int
	Skip        []string
	Forms       map[string]string // of dates by column, "" for all
	OpenWords   []string
	Dates       []string // columns that are taken for dates
	Context     DateContext
}

// Layout is what the recogniser found in a sheet: which rows are its table, and what the columns
// hold. What it says are options that a person could have typed.
type Layout struct {
	File, Sheet, Encoding, Separator string
	HeaderRow                        int         // the line of the names; 0 if there is none
	NeedsHeaderRow                   bool        // it isn't the first row
	Repair                           bool        // headings are missing or repeated, or rows are short
	Renames                          [][2]string // new and old names, of a heading of two rows
	First, Last                      int         // lines of the rows, where the table doesn't go to the end
	Skip                             []string
	FillDown                         []string
	Columns                          []ColumnLook
	NumRows                          int // that were looked at
	// Notes says what is passed over, a sentence each; Titles are texts above the table.
	Notes, Titles []string
	Doubts        []Doubt
	// OtherSheets are those of the workbook that can be seen and weren't looked at.
	OtherSheets []string
	// Passed are the kinds of rows that are none of the table, by their lines.
	Passed map[int]string
}

// Doubt is a question that the sheet leaves open: a sentence, and for each answer the option that
// gives it.
type Doubt struct {
	Column, Text string
	Answers      []Answer
	// Matters says that the answers give different dates, so that it must be asked.
	Matters bool
}

// Answer is an option with its value, and what it means.
type Answer struct{ Option, Value, Says string }

// Look finds the table of a sheet in its first rows, and what its columns hold.
func Look(g *Grid, told Told) *Layout {
	k := &looker{grid: g, told: told, layout: &Layout{File: g.File, Sheet: g.Sheet, Encoding: g.Encoding, Separator: g.Separator}}
	if len(g.Rows) == 0 {
		return k.layout
	}
	k.layout.OtherSheets = slices.DeleteFunc(slices.Clone(g.Sheets), func(s string) bool { return s == g.Sheet })
	k.findTable()
	k.findPassed()
	k.lookAtColumns()
	return k.layout
}

// looker is a look at a sheet.
type looker struct {
	grid   *Grid
	told   Told
	layout *Layout
	names  []string  // of the columns
	head   []string  // the heading as it is
	body   []GridRow // the rows of the table, those that are passed over too
	rows   []GridRow // without these
	year   int       // that a title names; 0 for none or several
}

// maxHeadingRows is how many rows of a block are tried for a heading.
const maxHeadingRows = 10

// findTable settles the heading and where the rows begin and end.
func (k *looker) findTable() {
	blocks := cutBlocks(k.grid.Rows)
	l := k.layout
	l.HeaderRow = 1
	if k.told.HeaderRow >= 0 {
		k.toldHeading()
		return
	}
	best, at, upper := -1, 0, -1
	for i, b := range blocks {
		head, above, ok := findHeading(b)
		if ok && best >= 0 && hasDates(blocks[best][at:]) { // another table below
			continue
		}
		if ok && (best < 0 || hasDates(b[head+1:])) {
			best, at, upper = i, head, above
		}
	}
	if best < 0 {
		k.headless(blocks)
		return
	}
	b := blocks[best]
	l.HeaderRow = b[at].Line
	for _, before := range blocks[:best] {
		k.addTitles(before)
	}
	top := at
	if upper >= 0 {
		top = upper
	}
	k.addTitles(b[:top])
	l.NeedsHeaderRow = b[at].Line != k.grid.Rows[0].Line
	k.setNames(b[at], upper, b)
	k.body = slices.Clone(b[at+1:])
	for _, after := range blocks[best+1:] {
		if !k.goesOn(after) {
			l.Last = k.body[len(k.body)-1].Line
			l.First = k.body[0].Line
			l.Notes = append(l.Notes, fmt.Sprintf("line %d begins another table or a note; the rows are those of lines %d to %d", after[0].Line, l.First, l.Last))
			return
		}
		k.body = append(k.body, after...)
	}
	if len(k.grid.Tail) > 0 {
		k.body = append(k.body, k.grid.Tail...)
	}
}

// toldHeading takes the heading that was said.
func (k *looker) toldHeading() {
	l := k.layout
	l.HeaderRow = k.told.HeaderRow
	rows := slices.Concat(k.grid.Rows, k.grid.Tail)
	from := 0
	if l.HeaderRow == 0 {
		if above := slices.IndexFunc(rows, func(r GridRow) bool { return r.Line >= k.told.First }); above > 0 {
			k.addTitles(rows[:above])
			rows = rows[above:]
		}
		k.letterNames(rows)
	} else {
		from = slices.IndexFunc(rows, func(r GridRow) bool { return r.Line >= l.HeaderRow })
		if from < 0 {
			return
		}
		k.addTitles(rows[:from])
		k.setNames(rows[from], -1, nil)
		l.NeedsHeaderRow = from > 0
		from++
	}
	for _, r := range rows[from:] {
		if r.Line >= k.told.First && (k.told.Last == 0 || r.Line <= k.told.Last) {
			k.body = append(k.body, r)
		}
	}
	l.First, l.Last = k.told.First, k.told.Last
}

// headless takes a table without a heading, where its first row is one of data.
func (k *looker) headless(blocks [][]GridRow) {
	l := k.layout
	for i, b := range blocks {
		first := slices.IndexFunc(b, func(r GridRow) bool { return len(r.Cells) > 1 && slices.ContainsFunc(r.Cells, isDateCell) })
		if first < 0 {
			continue
		}
		for _, before := range blocks[:i] {
			k.addTitles(before)
		}
		k.addTitles(b[:first])
		rows := b[first:]
		for _, after := range blocks[i+1:] {
			rows = append(slices.Clone(rows), after...)
		}
		l.HeaderRow = 0
		if first > 0 || i > 0 {
			l.First = b[first].Line
		}
		k.letterNames(rows)
		k.body = slices.Concat(rows, k.grid.Tail)
		l.Doubts = append(l.Doubts, Doubt{Text: fmt.Sprintf("line %d looks like data, and no line above it has names of columns", b[first].Line),
			Answers: []Answer{{"header-row", "0", "names the columns A, B, C"}}, Matters: k.grid.Separator == ""})
		return
	}
	row := k.grid.Rows[0]
	k.setNames(row, -1, nil)
	k.body = slices.Concat(k.grid.Rows[1:], k.grid.Tail)
}

// letterNames names the columns A, B, C.
func (k *looker) letterNames(rows []GridRow) {
	width := 0
	for _, r := range rows {
		width = max(width, len(r.Cells))
	}
	for i := range width {
		k.names = append(k.names, ColumnLetter(i))
	}
}

// cutBlocks cuts rows where blank ones stand between them. A line break in a cell isn't a row.
func cutBlocks(rows []GridRow) (blocks [][]GridRow) {
	end := -1
	for _, r := range rows {
		if len(r.Cells) == 0 {
			continue
		}
		if end < 0 || r.Line > end+1 {
			blocks = append(blocks, nil)
		}
		last := &blocks[len(blocks)-1]
		*last = append(*last, r)
		end = r.Line
		for i := range r.Cells {
			end += strings.Count(r.Cells[i].Text, "\n")
		}
	}
	return joinHeadings(blocks)
}

// joinHeadings puts a row of names that stands alone above the block below it.
func joinHeadings(blocks [][]GridRow) (joined [][]GridRow) {
	for i := 0; i < len(blocks); i++ {
		b := blocks[i]
		if len(b) == 1 && i+1 < len(blocks) && countFilled(b[0].Cells) > 1 && !slices.ContainsFunc(b[0].Cells, isValueCell) &&
			len(blocks[i+1][0].Cells) <= len(b[0].Cells) && slices.ContainsFunc(blocks[i+1][0].Cells, isValueCell) {
			b = append(slices.Clone(b), blocks[i+1]...)
			i++
		}
		joined = append(joined, b)
	}
	return joined
}

// isValueCell reports whether a cell is a date or a number, and so no name of a column.
func isValueCell(v eval.Value) bool {
	text := strings.TrimSpace(v.String())
	return v.Kind != eval.Text && v.Kind != eval.Blank || v.IsNumber() || isDateCell(v) ||
		len(FittingNumberForms([]string{text})) > 0 && strings.ContainsAny(text, "0123456789")
}

// IsValueText reports whether a text is a date or a number, and so no name of a column.
func IsValueText(text string) bool { return isValueCell(eval.Str(text)) }

// findHeading finds the heading of a block: the first of its rows whose cells are all texts, at
// least six tenths as many as the widest row below has, with a date or a number in some column
// below. No name stands twice, unless a row above says which is which, upper then.
func findHeading(b []GridRow) (at, upper int, ok bool) {
	for i := range min(maxHeadingRows, len(b)-1) {
		cells := b[i].Cells
		n := countFilled(cells)
		widest, data := 0, false
		for _, r := range b[i+1:] {
			widest = max(widest, countFilled(r.Cells))
			data = data || slices.ContainsFunc(r.Cells, isValueCell)
		}
		if n == 0 || n*10 < widest*6 || !data || n == 1 && widest > 1 || slices.ContainsFunc(cells, isValueCell) || hasLongText(cells) {
			continue
		}
		if i+1 < len(b)-1 && n < countFilled(b[i+1].Cells) && !slices.ContainsFunc(b[i+1].Cells, isValueCell) && headsGroups(cells, b[i+1].Cells) {
			return i + 1, i, true
		}
		if i > 0 && headsGroups(b[i-1].Cells, cells) && countFilled(b[i-1].Cells) < n && !slices.ContainsFunc(b[i-1].Cells, isValueCell) {
			return i, i - 1, true
		}
		return i, -1, true
	}
	return 0, -1, false
}

// hasLongText reports whether a cell is too long for a name.
func hasLongText(cells []eval.Value) bool {
	return slices.ContainsFunc(cells, func(v eval.Value) bool { return len(v.Text) > 200 })
}

// headsGroups reports whether a row of texts names groups of the columns of the one below: some
// of its names stand over several, and names below repeat or are all texts.
func headsGroups(above, below []eval.Value) bool {
	seen := map[string]bool{}
	repeats := false
	for i := range below {
		name := strings.ToLower(strings.TrimSpace(below[i].String()))
		repeats = repeats || name != "" && seen[name]
		seen[name] = true
	}
	return repeats && countFilled(above) > 0
}

// hasDates reports whether rows hold a date.
func hasDates(rows []GridRow) bool {
	for _, r := range rows {
		if slices.ContainsFunc(r.Cells, isDateCell) {
			return true
		}
	}
	return false
}

// setNames takes the names of the columns, of two rows where upper names groups.
func (k *looker) setNames(row GridRow, upper int, b []GridRow) {
	l := k.layout
	for i := range row.Cells {
		k.head = append(k.head, headingText(row.Cells[i]))
	}
	width := len(k.head)
	k.names = slices.Clone(k.head)
	mended := Options{Repairs: &Repairs{}}
	_ = mended.repairHeader("", row.Line, k.names)
	l.Repair = len(mended.Repairs.Headings) > 0
	if upper < 0 {
		return
	}
	group := ""
	for i := range width {
		if above := b[upper].Cells; i < len(above) && !isBlankCell(above[i]) {
			group = headingText(above[i])
		}
		if name := k.names[i]; group != "" && slices.ContainsFunc(k.head, func(h string) bool {
			return phrase.NamesEqual(h, k.head[i]) && countName(k.head, h) > 1
		}) {
			joined := group + " " + k.head[i]
			l.Renames = append(l.Renames, [2]string{joined, name})
			k.names[i] = joined
		}
	}
}

func countName(names []string, name string) (n int) {
	for _, other := range names {
		if phrase.NamesEqual(other, name) {
			n++
		}
	}
	return n
}

// yearIn finds a year in a title.
var yearIn = regexp.MustCompile(`\b(?:19|20)\d\d\b`)

// addTitles notes texts above a table, and the year that they name.
func (k *looker) addTitles(rows []GridRow) {
	for _, r := range rows {
		for i := range r.Cells {
			text := strings.TrimSpace(r.Cells[i].String())
			if text == "" {
				continue
			}
			k.layout.Titles = append(k.layout.Titles, text)
			for _, y := range yearIn.FindAllString(text, -1) {
				year, _ := strconv.Atoi(y)
				if k.year == 0 {
					k.year = year
				} else if k.year != year {
					k.year = -1
				}
			}
		}
	}
}

// goesOn reports whether a block behind a blank row belongs to the table: it is as wide and has
// dates or numbers where the table has them.
func (k *looker) goesOn(b []GridRow) bool {
	if _, _, ok := findHeading(b); ok {
		return false
	}
	fits := 0
	for _, r := range b {
		if len(r.Cells) <= len(k.head) && (countFilled(r.Cells) > 1 || len(k.head) == 1) {
			fits++
		}
	}
	return fits*2 > len(b) || len(b) == 1 && k.isPassed(b[0]) != ""
}

// findPassed finds rows that are none: repeated headings, totals, notes.
func (k *looker) findPassed() {
	found := SkippedRows{}
	var totals totalFinder
	kinds := make([]string, len(k.body))
	fuller := -1 // the last row of several cells
	for i, r := range k.body {
		switch {
		case repeatsHeading(r.Cells, k.head):
			kinds[i] = "headings"
		case totals.isTotal(r.Cells):
			kinds[i] = "totals"
		default:
			totals.see(r.Cells)
		}
		if kinds[i] == "totals" || kinds[i] == "" && countFilled(r.Cells) > 1 {
			fuller = i
		}
	}
	if len(k.names) > 1 {
		for i := fuller + 1; i < len(k.body) && fuller >= 0; i++ {
			if kinds[i] == "" && countFilled(k.body[i].Cells) == 1 && (k.grid.IsWhole || len(k.grid.Tail) > 0) {
				kinds[i] = "notes"
			}
		}
	}
	for i, r := range k.body {
		if kinds[i] == "" {
			if len(r.Cells) > len(k.names) {
				k.layout.Repair = true
			}
			k.rows = append(k.rows, r)
			continue
		}
		found.add(kinds[i], r.Line)
		if k.layout.Passed == nil {
			k.layout.Passed = map[int]string{}
		}
		k.layout.Passed[r.Line] = kinds[i]
	}
	for _, kind := range SkipKinds {
		if found[kind] != nil && !slices.Contains(k.told.Skip, kind) {
			k.layout.Skip = append(k.layout.Skip, kind)
		}
	}
	k.layout.Notes = append(k.layout.Notes, found.Found()...)
	for _, c := range k.grid.Merged {
		if c < len(k.names) && k.hasBlanks(c) {
			k.layout.FillDown = append(k.layout.FillDown, k.names[c])
		}
	}
}

// isPassed is the kind of a row that is none; "" if it is one.
func (k *looker) isPassed(r GridRow) string {
	var totals totalFinder
	switch {
	case repeatsHeading(r.Cells, k.head):
		return "headings"
	case totals.isTotal(r.Cells):
		return "totals"
	case countFilled(r.Cells) == 1 && len(k.names) > 1:
		return "notes"
	}
	return ""
}

// hasBlanks reports whether a column has blank cells between filled ones.
func (k *looker) hasBlanks(c int) bool {
	return slices.ContainsFunc(k.rows, func(r GridRow) bool { return c >= len(r.Cells) || isBlankCell(r.Cells[c]) })
}
