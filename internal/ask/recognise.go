package ask

import (
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/tabular"
)

// Recognise looks at the sheet of a file, or of standard input that can be read again, as far as
// the options don't say how it is read. dates are columns that are to hold dates.
func (t *TableOptions) Recognise(name string, in io.Reader, c tabular.DateContext, dates ...string) (*tabular.Layout, error) {
	g, err := tabular.ReadGrid(name, in, t.File())
	if err != nil {
		return nil, err
	}
	return tabular.Look(g, t.toldBefore(c, dates)), nil
}

// toldBefore is what the options say already.
func (t *TableOptions) toldBefore(c tabular.DateContext, dates []string) tabular.Told {
	told := tabular.Told{HeaderRow: -1, Skip: t.Skip, OpenWords: t.BlankWords, Dates: dates, Context: c, Forms: map[string]string{}}
	switch {
	case t.HeaderRow == NoHeading:
		told.HeaderRow = 0
	case t.HeaderRow > 1:
		told.HeaderRow = t.HeaderRow
	}
	if t.Language != nil {
		told.Context.Language = t.Language
	}
	told.First, told.Last, _ = tabular.ParseLines(t.Lines)
	for _, text := range t.ReadDates {
		name, form := SplitForm(text)
		told.Forms[name] = form
	}
	return told
}

// WithShape are the options with what a layout says of the rows of the table, where they don't
// say it themselves.
func (t TableOptions) WithShape(l *tabular.Layout) TableOptions {
	if t.Encoding == "" {
		t.Encoding = l.Encoding
	}
	if t.Separator == "" {
		t.Separator = l.Separator
	}
	if t.HeaderRow >= 0 && t.HeaderRow <= 1 {
		switch {
		case l.HeaderRow == 0:
			t.HeaderRow = NoHeading
		case l.NeedsHeaderRow:
			t.HeaderRow = l.HeaderRow
		}
	}
	if t.Lines == "" && (l.First > 0 || l.Last > 0) {
		text := func(n int) string {
			if n == 0 {
				return ""
			}
			return strconv.Itoa(n)
		}
		t.Lines = text(l.First) + ".." + text(l.Last)
	}
	t.Skip = appendNew(t.Skip, l.Skip...)
	t.Repair = t.Repair || l.Repair
	if t.Renames == nil {
		for _, pair := range l.Renames {
			t.Renames = append(t.Renames, QuoteInList(pair[0])+"="+QuoteInList(pair[1]))
		}
	}
	return t
}

// WithColumns are the options with what a layout says of the columns, where they don't say it
// themselves: the forms of dates and numbers, words that mean an open range, merged cells.
func (t TableOptions) WithColumns(l *tabular.Layout) TableOptions {
	general := slices.ContainsFunc(t.ReadDates, func(text string) bool { name, _ := SplitForm(text); return name == "" })
	says := func(list []string, column string) bool {
		return slices.ContainsFunc(list, func(text string) bool { name, _ := SplitForm(text); return phrase.NamesEqual(name, column) })
	}
	for _, name := range l.FillDown {
		t.Fill = appendNew(t.Fill, QuoteInList(name))
	}
	for _, c := range l.Columns {
		switch {
		case c.Form == "":
		case c.Kind == tabular.DateColumn && !general && !says(t.ReadDates, c.Name):
			t.ReadDates = append(slices.Clone(t.ReadDates), FormOf(c.Name, c.Form))
		case c.Kind == tabular.NumberColumn && !says(t.ReadNumbers, c.Name):
			t.ReadNumbers = append(slices.Clone(t.ReadNumbers), FormOf(c.Name, c.Form))
		}
		t.BlankWords = appendNew(t.BlankWords, c.Words[tabular.OpenWord]...)
	}
	return t
}

// appendNew is a list with what isn't there yet behind it.
func appendNew(list []string, more ...string) []string {
	list = slices.Clone(list)
	for _, s := range more {
		if !slices.Contains(list, s) {
			list = append(list, s)
		}
	}
	return list
}

// FormOf is COL=FORM as an option takes it; a name with = or % in it is quoted.
func FormOf(column, form string) string {
	if strings.ContainsAny(column, "=%\"") {
		column = rows.QuoteName(column)
	}
	return column + "=" + form
}

// QuoteInList is a name in a list with commas; one with a comma, a sign of equality or quotes is quoted.
func QuoteInList(name string) string {
	if strings.ContainsAny(name, ",=\"") {
		return rows.QuoteName(name)
	}
	return name
}

// Setting is an option of reading tables that was said, with its values.
type Setting struct {
	Name   string
	Values []string
	IsYes  bool // it takes yes or no, and is yes
	InList bool // several values stand in one text
}

// Settings are the options that differ from their defaults.
func (t *TableOptions) Settings() (list []Setting) {
	one := func(name, value string) {
		if value != "" {
			list = append(list, Setting{Name: name, Values: []string{value}})
		}
	}
	several := func(name string, values []string, inList bool) {
		if len(values) > 0 {
			list = append(list, Setting{Name: name, Values: values, InList: inList})
		}
	}
	one("sheet", t.Sheet)
	one("encoding", t.Encoding)
	one("separator", t.Separator)
	switch {
	case t.HeaderRow == NoHeading:
		one("header-row", "0")
	case t.HeaderRow > 1:
		one("header-row", strconv.Itoa(t.HeaderRow))
	}
	one("lines", t.Lines)
	several("skip", t.Skip, true)
	if t.Repair {
		list = append(list, Setting{Name: "repair", IsYes: true})
	}
	several("rename", t.Renames, true)
	several("fill-down", t.Fill, true)
	several("join-dates", t.DateJoins, false)
	several("read-dates", t.ReadDates, false)
	several("read-numbers", t.ReadNumbers, false)
	several("open-words", t.BlankWords, true)
	return list
}

// Flags are settings as a command line has them, each behind a blank.
func Flags(list []Setting) (line string) {
	for _, s := range list {
		switch {
		case s.IsYes:
			line += " --" + s.Name
		case s.InList:
			line += " --" + s.Name + " " + ShellWord(strings.Join(s.Values, ","))
		default:
			for _, v := range s.Values {
				line += " --" + s.Name + " " + ShellWord(v)
			}
		}
	}
	return line
}

// SettingsText writes settings as the place has them.
func (p *Workspace) SettingsText(list []Setting) string {
	if p.IsCommand {
		return strings.TrimSpace(Flags(list))
	}
	var parts []string
	for _, s := range list {
		text := s.Name + ": yes"
		if !s.IsYes {
			if text = s.Name + ": " + s.Values[0]; len(s.Values) > 1 {
				text = s.Name + ": [" + strings.Join(s.Values, ", ") + "]"
			}
		}
		parts = append(parts, "`"+text+"`")
	}
	return strings.Join(parts, ", ")
}

// recogniseAgain looks at the sheet of a table that has a fault, in which some columns were to hold
// dates; nil where it can't be looked at.
func (j *Job) recogniseAgain(name string, dates ...string) *tabular.Layout {
	if name == "-" || IsCalendarFile(name) {
		return nil
	}
	l, err := j.In.Recognise(name, nil, tabular.ContextOf(j.Env), dates...)
	if err != nil {
		return nil
	}
	return l
}

// hintShape adds to the fault of a table's shape the options with which it is read.
func (j *Job) hintShape(err error) error {
	var fault *tabular.CellError
	name := ""
	switch {
	case errors.As(err, &fault):
		name = fault.File
	case len(j.opened) > 0 && (j.Query.Name == "infer" || !hasNames(j.opened[0].columns)):
		name = j.opened[0].Name
	}
	if !slices.Contains(j.Args, name) {
		return err
	}
	l := j.recogniseAgain(name)
	if l == nil {
		return err
	}
	with := j.In.WithShape(l)
	more := newSettings(j.In.Settings(), with.Settings())
	if len(more) == 0 {
		return err
	}
	if fault == nil { // which is about something else
		j.Note("%s:%s\n  it can be read with %s", name, shapeReason(l), j.SettingsText(more))
		return err
	}
	fault.Hint = ""
	return fmt.Errorf("%w%s\n  it can be read with %s", err, shapeReason(l), j.SettingsText(more))
}

// hasNames reports whether columns seem to have names: not one alone, which may be a title, and
// none that is a date or a number.
func hasNames(columns []string) bool {
	return len(columns) > 1 && !slices.ContainsFunc(columns, tabular.IsValueText)
}

// shapeReason says what the options of a shape leave out.
func shapeReason(l *tabular.Layout) string {
	var parts []string
	if len(l.Titles) > 0 {
		parts = append(parts, fmt.Sprintf("%q stands above the table", eval.Truncate(l.Titles[0])))
	}
	parts = append(parts, l.Notes...)
	for _, d := range l.Doubts {
		if d.Column == "" {
			parts = append(parts, d.Text)
		}
	}
	if len(parts) == 0 {
		return ""
	}
	return "\n  " + strings.Join(parts, "; ")
}

// newSettings are those that others lack or have otherwise.
func newSettings(old, list []Setting) []Setting {
	return slices.DeleteFunc(slices.Clone(list), func(s Setting) bool {
		return slices.ContainsFunc(old, func(o Setting) bool {
			return o.Name == s.Name && slices.Equal(o.Values, s.Values) && o.IsYes == s.IsYes
		})
	})
}
