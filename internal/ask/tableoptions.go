package ask

import (
	"fmt"
	"strings"
	"yoyaku/internal/core/language"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/declare"
	"yoyaku/internal/tabular"
)

// TableOptions says how a table is read.
type TableOptions struct {
	Sheet, Encoding      string
	Separator, Lines     string
	Skip                 []string
	HeaderRow            int // NoHeading for a table without names of columns
	ReadDates, DateJoins []string
	BlankWords           []string
	BadRows              string
	KeepText             bool
	Repair               bool
	Renames, Fill        []string
	ReadNumbers          []string
	Language             *language.Language // whose words go before all others'; nil for that of the place
}

// Options declares the options of tables in.
func (t *TableOptions) Options() []*declare.Key {
	return []*declare.Key{
		{Name: "sheet", Help: "read the workbook's sheet `NAME` (default: the first visible one)", Value: declare.Text.Into(&t.Sheet)},
		{Name: "encoding", Help: "read text in encoding `NAME`, such as windows-1252 (default:\nUTF-8, or what the file declares)", Value: declare.Text.Into(&t.Encoding)},
		{Name: "header-row", Default: "1", Help: "take the column names from line `N`; 0: there are none, and\nthey are A, B, C",
			Value: headerRowKind.Into(&t.HeaderRow)},
		{Name: "lines", Help: "read the rows on these `LINES` of the file, or rows of the sheet:\n5..31, 5..", Value: declare.Text.Into(&t.Lines)},
		{Name: "skip", Placeholder: "KINDS", Help: "leave out rows that are none: totals, headings (repeated),\nnotes (below the table)", Value: declare.Choice(tabular.SkipKinds...).List(&t.Skip)},
		{Name: "separator", Help: "cut text without separators at runs of `blanks`, or into a date\nand the rest", Value: declare.Choice("blanks").Into(&t.Separator)},
		{Name: "read-dates", Placeholder: "[COL=]FORM", Help: "read dates that aren't ISO: dmy, mdy, ymd, dmy 2027, serial,\na layout, or first day or last day of what a label names;\nseveral joined by |",
			Value: declare.Text.Repeat(&t.ReadDates)},
		{Name: "read-numbers", Placeholder: "[COL=]EXAMPLE", Help: "read numbers written like EXAMPLE, such as \"1.234,56\"",
			Value: declare.Text.Repeat(&t.ReadNumbers)},
		{Name: "join-dates", Placeholder: "NAME=Y,M,D", Help: "make one date NAME of a year, a month and a day column", Value: declare.Text.Repeat(&t.DateJoins)},
		{Name: "open-words", Placeholder: "WORDS", Help: "read these words, or dates such as 9999-12-31, as an open range", Value: declare.Text.List(&t.BlankWords)},
		{Name: "repair", Help: "tidy up a messy table: number missing and repeated headings,\ndrop blank columns at the right, fill short rows with blanks", Value: declare.Bool.Into(&t.Repair)},
		{Name: "fill-down", Completion: "columns",
			Placeholder: "COLUMNS", Help: "fill blank cells of these columns from the cell above", Value: declare.Column.List(&t.Fill)},
		{Name: "rename", Placeholder: "NEW=OLD", Help: "rename columns; several joined by commas", Value: declare.Text.List(&t.Renames)},
		{Name: "bad-rows", Default: "stop", Help: "what to do with bad rows: `MODE` is stop, blank or aside=FILE", Value: declare.Text.Into(&t.BadRows)},
		{Name: "keep-text", Help: "leave declared date columns as written in the table", Value: declare.Bool.Into(&t.KeepText)},
	}
}

// NoHeading is the header row of a table whose columns have no names.
const NoHeading = -1

// headerRowKind is the line of the names of columns; 0 says that there are none.
var headerRowKind = func() declare.Kind[int] {
	k := declare.Number(0, 0)
	read := k.Read
	k.Read = func(v declare.Input) (int, error) {
		n, err := read(v)
		if err == nil && n == 0 {
			n = NoHeading
		}
		return n, err
	}
	return k
}()

// Check says what is wrong with the options as far as they alone tell.
func (t *TableOptions) Check() error {
	for _, text := range t.ReadDates {
		if _, form := SplitForm(text); form != "" {
			if _, err := tabular.ParseDateLayouts(form, tabular.DateContext{}); err != nil {
				return rows.WrapOption("read-dates", err)
			}
		}
	}
	for _, text := range t.ReadNumbers {
		if _, form := SplitForm(text); form != "" {
			if _, err := tabular.ParseNumberForm(form); err != nil {
				return rows.WrapOption("read-numbers", err)
			}
		}
	}
	for _, text := range t.DateJoins {
		if _, _, err := splitDateJoin(text); err != nil {
			return err
		}
	}
	if _, err := t.renames(); err != nil {
		return err
	}
	if err := tabular.CheckEncoding(t.Encoding); err != nil {
		return rows.WrapOption("encoding", err)
	}
	if t.Lines != "" {
		if _, _, err := tabular.ParseLines(t.Lines); err != nil {
			return rows.WrapOption("lines", err)
		}
	}
	switch mode, file, _ := strings.Cut(t.BadRows, "="); {
	case mode == "stop", mode == "blank", mode == "":
	case mode == "aside" && file != "":
	default:
		return &rows.OptionError{Option: "bad-rows", Err: fmt.Errorf("expected stop, blank or aside=FILE, found %q",
			t.BadRows)}
	}
	return nil
}

// File is how a file is opened by these options.
func (t *TableOptions) File() tabular.Options {
	in := tabular.Options{Sheet: t.Sheet, Encoding: t.Encoding, HeaderRow: t.HeaderRow, Separator: t.Separator}
	in.Filter = tabular.RowFilter{Skip: t.Skip, Headless: t.HeaderRow == NoHeading}
	in.Filter.First, in.Filter.Last, _ = tabular.ParseLines(t.Lines) // which was checked
	return in
}

// renames are the pairs of new and old names.
func (t *TableOptions) renames() (pairs [][2]string, err error) {
	for _, text := range t.Renames {
		name, old, ok := strings.Cut(text, "=")
		if name, old = rows.UnquoteName(strings.TrimSpace(name)), rows.UnquoteName(strings.TrimSpace(old)); !ok || name == "" ||
			old == "" {
			return nil, &rows.OptionError{Option: "rename",
				Err: fmt.Errorf("expected NEW=OLD, such as start=\"Start date\", found %q", text)}
		}
		pairs = append(pairs, [2]string{name, old})
	}
	return pairs, nil
}

// rejectFile is the file that bad rows go to, if they do.
func (t *TableOptions) rejectFile() (file string, ok bool) {
	return strings.CutPrefix(t.BadRows, "aside=")
}

// SplitForm splits COL=FORM; a form alone has no column. The = of a layout splits
// nothing.
func SplitForm(text string) (column, form string) {
	for i := 1; strings.HasPrefix(text, `"`) && i < len(text)-1; i++ { // a quoted name may hold =
		switch {
		case text[i] != '"':
		case text[i+1] == '"':
			i++
		case text[i+1] == '=':
			return rows.UnquoteName(text[:i+1]), text[i+2:]
		}
	}
	column, form, ok := strings.Cut(text, "=")
	if !ok || strings.Contains(column, "%") {
		return "", text
	}
	return rows.UnquoteName(column), form
}

// splitDateJoin splits NAME=YEAR,MONTH,DAY.
func splitDateJoin(text string) (name string, parts []string, err error) {
	name, list, ok := strings.Cut(text, "=")
	parts = declare.SplitList(list)
	if !ok || len(parts) != 3 || strings.TrimSpace(name) == "" {
		return "", nil, &rows.OptionError{Option: "join-dates",
			Err: fmt.Errorf("expected NAME=YEAR,MONTH,DAY, such as start=year,month,day, found %q", text)}
	}
	return rows.UnquoteName(name), parts, nil
}
