package draft

import (
	"fmt"
	"io"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/language"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/query"
	"yoyaku/internal/tabular"
	"yoyaku/internal/workflow"
)

// recordNameFrom is a name for the record of a table that is none of those taken.
func recordNameFrom(table string, taken []string) string {
	name := regexp.MustCompile(`[^A-Za-z0-9]+`).ReplaceAllString(strings.TrimSuffix(filepath.Base(table),
		filepath.Ext(table)), "-")
	if name = strings.Trim(name, "-"); schedule.CheckName(name) != nil || slices.Contains(taken, name) {
		name = strings.Trim("table-"+name, "-")
	}
	return uniqueName(name, taken)
}

// uniqueName is a name, or with a number behind it, that is none of those taken.
func uniqueName(name string, taken []string) string {
	for n, stem := 2, name; slices.ContainsFunc(taken, func(t string) bool { return phrase.NamesEqual(t, name) }); n++ {
		name = fmt.Sprintf("%s-%d", stem, n)
	}
	return name
}

// standardInput is the table of standard input.
const standardInput = "-"

// pathOf is where a table is found that the plan reaches by a path.
func (s NewPlan) pathOf(table string) string {
	if table == standardInput {
		return table
	}
	return filepath.Join(s.Dir, table)
}

// input is standard input, from its beginning; nil for a table in a file.
func (s NewPlan) input(table string) io.Reader {
	if table != standardInput {
		return nil
	}
	return strings.NewReader(s.stdin)
}

// newRecord writes a record of a table: its key, and how its cells are read.
func (s NewPlan) newRecord(table string) (*planTable, error) {
	path := s.pathOf(table)
	if ask.IsCalendarFile(path) { // whose columns are those of `read`
		says := yamlBlock{{key: "table", value: filepath.ToSlash(table), remark: "its events, as `yoyaku read` lists them"}}
		return &planTable{file: table, keys: says, summary: table + ": a calendar file", isCalendar: true, options: ask.TableOptions{HeaderRow: 1}}, nil
	}
	told := s.In
	layout, err := told.Recognise(path, s.input(table), s.context, s.Dates...)
	if err != nil {
		return nil, err
	}
	told = s.optionsFor(layout, told)
	if layout, err = told.Recognise(path, s.input(table), s.context, s.Dates...); err != nil {
		return nil, err
	}
	t := &planTable{file: table, layout: layout}
	var names []string
	for _, c := range layout.Columns {
		names = append(names, c.Name)
	}
	if text := query.ResultText(names); text != "" {
		return nil, &ResultError{table, text}
	}
	if query.IsSchedule(names) && len(s.Dates) == 0 && s.Key == "" { // whose columns say what they are
		t.options, t.summary, t.isSchedule = told, tableLabel(table)+": a schedule of ours", true
		t.keys = yamlBlock{{key: "table", value: filepath.ToSlash(table)}}
		return t, nil
	}
	if err := s.askDoubts(t); err != nil {
		return nil, err
	}
	t.options = told.WithShape(layout).WithColumns(layout)
	t.keys = s.recordKeys(t)
	t.describe()
	return t, nil
}

// optionsFor are the options for a table: those that name columns only as far as it has them.
func (s NewPlan) optionsFor(l *tabular.Layout, told ask.TableOptions) ask.TableOptions {
	has := func(text string) bool {
		name, _ := ask.SplitForm(text)
		return name == "" || slices.ContainsFunc(l.Columns, func(c tabular.ColumnLook) bool {
			return phrase.NamesEqual(c.Name, name)
		})
	}
	keep := func(list []string) []string {
		return slices.DeleteFunc(slices.Clone(list), func(text string) bool { return !has(text) })
	}
	told.ReadDates, told.ReadNumbers = keep(told.ReadDates), keep(told.ReadNumbers)
	return told
}

// askDoubts stops at what is in doubt and matters, with the commands that answer it.
func (s NewPlan) askDoubts(t *planTable) error {
	for _, d := range t.layout.Doubts {
		if !d.Matters || d.Column != "" && len(s.Dates) > 0 && !slices.ContainsFunc(s.Dates, func(n string) bool { return phrase.NamesEqual(n, d.Column) }) {
			continue
		}
		doubt := &DoubtError{Table: tableLabel(t.file), Text: d.Text, Says: d.Answers[0].Says}
		for _, a := range d.Answers {
			with := s
			switch a.Option {
			case "header-row":
				with.In.HeaderRow = ask.NoHeading
			case "language":
				with.Language = a.Value
			default:
				with.In.ReadDates = append(slices.Clone(s.In.ReadDates), ask.FormOf(d.Column, a.Value))
			}
			doubt.Commands = append(doubt.Commands, with.commandLine())
		}
		return doubt
	}
	return nil
}

// DoubtError is what a table leaves open and matters, with the commands that answer it.
type DoubtError struct {
	Table, Text string
	Says        string // what the only command does; "" where there are several
	Commands    []string
}

// Error asks, and gives the commands.
func (e *DoubtError) Error() string {
	text := e.Table + ": " + e.Text + "; nothing was written. Say which:"
	if e.Says != "" {
		text = e.Table + ": " + e.Text + "; nothing was written. This " + e.Says + ":"
	}
	for _, c := range e.Commands {
		text += "\n  " + c
	}
	return text
}

// tableLabel is how a table is called.
func tableLabel(table string) string {
	if table == standardInput {
		return "standard input"
	}
	return table
}

// ResultError is a table of ours that comes of others: no plan can be made of it.
type ResultError struct{ Table, Text string }

// Error says what it is and what to take instead.
func (e *ResultError) Error() string { return e.Table + " " + e.Text }

// commandLine is the command that makes the plan.
func (s NewPlan) commandLine() string {
	line := "yoyaku new"
	if s.Dir != "." {
		line += " " + ask.ShellWord(s.Dir)
	}
	for _, o := range []struct {
		name   string
		values []string
	}{{"id", nonBlank(s.givenID)}, {"calendar", nonBlank(s.Calendar)}, {"language", nonBlank(s.Language)}, {"series", s.Series}, {"table", s.givenTables}, {"key", nonBlank(s.Key)}, {"date", s.Dates}, {"where", s.Where}} {
		for _, v := range o.values {
			line += " --" + o.name + " " + ask.ShellWord(v)
		}
	}
	return line + ask.Flags(s.In.Settings())
}

// nonBlank is a list of a text, or of nothing.
func nonBlank(text string) []string {
	if text == "" {
		return nil
	}
	return []string{text}
}

// settingRemarks are what a newcomer may want to know of the options of a record.
var settingRemarks = map[string]string{"repair": "missing and repeated headings were numbered", "header-row": "the line with the column names",
	"skip": "rows that are none of the table", "lines": "the lines that the table's rows are on"}

// recordKeys is what a plan says of how a table is read.
func (s NewPlan) recordKeys(t *planTable) yamlBlock {
	says := yamlBlock{{key: "table", value: filepath.ToSlash(t.file)}}
	settings := t.options.Settings()
	add := func(names ...string) {
		for _, o := range settings {
			if !slices.Contains(names, o.Name) {
				continue
			}
			e := yamlEntry{key: o.Name, value: o.Values, remark: settingRemarks[o.Name], gap: 4}
			switch {
			case o.IsYes:
				e.value, e.gap = yamlPlain("yes"), remarkGap
			case o.Name == "header-row":
				if e.value = yamlPlain(o.Values[0]); o.Values[0] == "0" {
					e.remark = "no line has the names of the columns"
				}
			case len(o.Values) == 1 && !o.InList && !slices.Contains([]string{"read-dates", "read-numbers", "join-dates"}, o.Name):
				e.value = o.Values[0]
			}
			says = append(says, e)
		}
	}
	add("sheet", "encoding", "separator", "repair", "header-row", "lines", "skip", "rename", "fill-down")
	if i := slices.IndexFunc(t.layout.Columns, func(c tabular.ColumnLook) bool { return canNameRows(c, t.layout) }); i >= 0 {
		says = append(says, yamlEntry{key: "key", value: t.layout.Columns[i].Name, remark: "identifies each row for good"})
	}
	add("join-dates", "read-dates", "open-words", "read-numbers")
	if n := t.unreadable(); n > 0 {
		says = append(says, yamlEntry{key: "bad-rows", value: "blank", remark: phrase.CountVerb(n, "kind of cell isn't a date and counts as blank", "kinds of cells aren't dates and count as blank")})
	}
	if len(s.Where) > 0 {
		says = append(says, yamlEntry{key: "where", value: s.Where})
	}
	if dates := t.dateColumns(); len(dates) > 0 {
		says = append(says, commentLines("Columns to add, each worked out by a phrase:", "columns:",
			"  notice: "+yamlQuote(nameInPhrase(dates[len(dates)-1].Name)+", -90 days, roll preceding")))
	}
	return says
}

// canNameRows reports whether a column can name the rows: filled, and no value twice; numbers
// name rows in the first column alone.
func canNameRows(c tabular.ColumnLook, l *tabular.Layout) bool {
	most := 0
	for _, o := range l.Columns {
		most = max(most, o.Filled)
	}
	return c.Filled > 0 && c.Filled == l.NumRows && c.Distinct == c.Filled && c.Kind != tabular.DateColumn &&
		(c.Name == l.Columns[0].Name || c.Kind != tabular.NumberColumn)
}

// unreadable counts the texts in columns of declared dates that are no dates.
func (t *planTable) unreadable() (n int) {
	for _, c := range t.dateColumns() {
		if c.Form != "" {
			n += c.NumOdd + len(c.Words[tabular.NeverWord]) + len(c.Words[tabular.DoubtfulWord]) + len(c.Words[tabular.UnknownWord])
		}
	}
	return n
}

// dateColumns are the columns of dates.
func (t *planTable) dateColumns() (list []tabular.ColumnLook) {
	if t.layout == nil {
		return nil
	}
	for _, c := range t.layout.Columns {
		if c.Kind == tabular.DateColumn {
			list = append(list, c)
		}
	}
	return list
}

// describe says what was seen in the table, and with which options its dates are watched.
func (t *planTable) describe() {
	var texts []string
	dates := t.dateColumns()
	for _, c := range dates {
		text := c.Name
		if c.Form != "" {
			text += " (" + c.Form
			if c.Why != "" {
				text += ", " + c.Why
			}
			text += ")"
		}
		texts = append(texts, text)
	}
	t.summary = tableLabel(t.file) + ": no column of dates found"
	if texts != nil {
		t.summary = fmt.Sprintf("%s: dates in %s", tableLabel(t.file), strings.Join(texts, ", "))
		t.dueOptions = t.dueFlags(dates[len(dates)-1])
	}
	if other := t.layout.OtherSheets; len(other) > 0 {
		t.notes = append(t.notes, fmt.Sprintf("the sheet `%s` was read; --sheet takes another: %s", t.layout.Sheet, phrase.ListNames(other)))
	}
	for _, note := range t.layout.Notes {
		t.notes = append(t.notes, note+", left out")
	}
	var terms []string
	for _, c := range t.layout.Columns {
		switch {
		case c.Kind == tabular.LabelColumn:
			t.notes = append(t.notes, fmt.Sprintf("`%s` names stretches of time; --read-dates %s takes their first days", c.Name, ask.FormWord(c.Name, tabular.FirstDay)))
		case c.LacksYear && c.Kind != tabular.DateColumn:
			t.notes = append(t.notes, fmt.Sprintf("the dates in `%s` have no year; say which, such as --read-dates %s", c.Name, ask.FormWord(c.Name, "dmy 2027")))
		case c.Kind == tabular.TermColumn:
			terms = append(terms, c.Name)
		case c.Kind == tabular.HalfColumn:
			t.notes = append(t.notes, t.halfNote(c))
		case c.Kind == tabular.DateColumn && c.NumOdd > 0:
			t.notes = append(t.notes, fmt.Sprintf("`%s` has %s that can't be read, such as %q", c.Name, phrase.Plural(c.NumOdd, "date"), c.Odd[0]))
		}
		t.notes = append(t.notes, ask.WordNotes(c)...)
		if len(c.FarDates) > 0 && c.Kind == tabular.DateColumn {
			t.notes = append(t.notes, fmt.Sprintf("if %s in `%s` stands for no end, add it to open-words", c.FarDates[0], c.Name))
		}
	}
	if len(terms) > 0 {
		t.notes = append(t.notes, fmt.Sprintf("lengths of time with their units stand in %s; DATE, lasting %s gives the last day of each", phrase.ListNames(terms), nameInPhrase(terms[0])))
	}
}

// halfNote says how a column of halves beside a column of dates is counted.
func (t *planTable) halfNote(c tabular.ColumnLook) string {
	date, end := "DATE", false
	for _, other := range t.layout.Columns {
		if other.Name == c.Name {
			break
		}
		if other.Kind == tabular.DateColumn {
			date, end = nameInPhrase(other.Name), date != "DATE"
		}
	}
	option, half, word := "--start", nameInPhrase(c.Name), c.Halves[language.Afternoon]
	if end {
		option, word = "--end", c.Halves[language.Morning]
	}
	if word == "" {
		return fmt.Sprintf("`%s` holds halves of days, which nothing counts", c.Name)
	}
	text := fmt.Sprintf("if %s is not blank and %s = '%s' then (%s, at 12:00) else %s", half, half, word, date, date)
	return fmt.Sprintf("`%s` holds halves of days, which nothing counts; to count them: %s %s", c.Name, option, ask.QuotedWord(text))
}

// dueFlags are the options with which `due` watches a column of dates.
func (t *planTable) dueFlags(c tabular.ColumnLook) string {
	how := t.options
	name := c.Name
	how.ReadDates, how.ReadNumbers, how.Fill = nil, nil, nil
	if nameInPhrase(name) != name { // a name that a phrase has in quotes gets another, since shells differ in quotes
		name = strings.ReplaceAll(strings.Trim(seriesNameFrom(name), "-"), "-", "_")
		if schedule.CheckName(name) != nil || nameInPhrase(name) != name {
			name = "day_" + name
		}
		how.Renames = append(slices.Clone(how.Renames), name+"="+ask.QuoteInList(c.Name))
	}
	if c.Form != "" {
		how.ReadDates = []string{name + "=" + c.Form}
	}
	return " --date " + name + ask.Flags(how.Settings())
}

// errNothingFound is the answer that no plan can be made of a table.
func errNothingFound(t *planTable) error {
	notes := ""
	for _, n := range t.notes {
		notes += "\n  " + n
	}
	return &workflow.NegativeError{Text: tableLabel(t.file) + " holds no dates that a plan could be made of; nothing was written. If it does, say how it is read: --header-row for the line of its headings, --date and --read-dates for its columns of dates" + notes}
}

// nameInPhrase is a column's name as a phrase has it, in quotes where it must be.
func nameInPhrase(name string) string {
	if _, err := phrase.ParseExpr(name + ", +1 day"); err == nil && strings.Trim(name, " ") == name &&
		!strings.ContainsAny(name, " ,") {
		return name
	}
	return rows.QuoteName(name)
}
