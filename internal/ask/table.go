package ask

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"
	"sync/atomic"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/tabular"
)

// Table is a table that a job has opened.
type Table struct {
	*rows.Table
	options *TableOptions
	closer  io.Closer
	repairs *tabular.Repairs
	hidden  *tabular.HiddenParts
	skipped tabular.SkippedRows
	// first are the first rows, where a form is said for all columns.
	first [][]eval.Value
	// unusedForms are the columns that no phrase uses and that a form for all reads; otherForms counts their later cells of other forms.
	unusedForms []string
	otherForms  atomic.Int64
	// missingNames has what options name that the table doesn't have.
	missingNames map[string]error
	// columns are those of the file itself.
	columns     []string
	hasOwnNames bool // they have names of ours
	isPrepared  bool
}

// OpenNamed opens a table and prepares to read its dates.
func (j *Job) OpenNamed(name string) (*Table, error) {
	if j.FindMade != nil {
		if table, ok, err := j.FindMade(name); err != nil {
			return nil, err
		} else if ok {
			t := &Table{hasOwnNames: true, options: &TableOptions{BadRows: j.In.BadRows}, repairs: &tabular.Repairs{}, missingNames: map[string]error{},
				closer: io.NopCloser(nil)}
			t.Table, t.columns = rows.NewTable(name, table.reader(), j.Env), table.columns
			j.opened = append(j.opened, t)
			return t, nil
		}
	}
	if IsCalendarFile(name) {
		table, err := j.calendarFile(name)
		if err != nil {
			return nil, err
		}
		t := &Table{hasOwnNames: true, options: &j.In, repairs: &tabular.Repairs{}, missingNames: map[string]error{}, closer: io.NopCloser(nil)}
		r, err := t.applyRepairs(table.reader())
		if err != nil {
			return nil, err
		}
		t.Table, t.columns = rows.NewTable(name, r, j.Env), r.Columns()
		j.opened = append(j.opened, t)
		return t, nil
	}
	return j.openFile(name)
}

// openFile opens a table in a file, or standard input.
func (j *Job) openFile(name string) (*Table, error) {
	if name != "-" {
		if err := j.Files.AddInput(name); err != nil {
			return nil, err
		}
	}
	t := &Table{options: &j.In, repairs: &tabular.Repairs{}, missingNames: map[string]error{}}
	t.hidden = &tabular.HiddenParts{}
	t.skipped = tabular.SkippedRows{}
	in := j.In.File()
	in.Hidden, in.Skipped, in.Ignored, in.OnOpen = t.hidden, t.skipped, map[string]string{}, j.Files.OpenRegistered
	if j.In.Repair {
		in.Repairs = t.repairs
	}
	r, closer, err := tabular.Open(name, j.Stdin, in)
	if err != nil {
		return nil, err
	}
	for option, why := range in.Ignored {
		t.missingNames[option] = rows.WrapOption(option, errors.New("this has no effect here: "+why))
	}
	t.closer = closer
	if r, err = t.applyRepairs(r); err == nil && t.hasGeneralForm() {
		t.first, r, err = tabular.Peek(r)
	}
	if err == nil && len(t.missingNames) > 0 && j.isSingleTable() {
		err = t.missingError()
	}
	if err != nil {
		closer.Close()
		return nil, err
	}
	t.Table, t.columns = rows.NewTable(name, r, j.Env), r.Columns()
	t.Env.Language = cmp.Or(j.In.Language, j.Env.Language)
	t.Progress = j.Progress
	t.BlankBadCells = j.In.BadRows == "blank"
	if j.In.BlankWords != nil {
		t.Derive.SetBlankWords(j.In.BlankWords)
	}
	j.opened = append(j.opened, t)
	return t, nil
}

// applyRepairs gives columns their other names and fills down.
func (t *Table) applyRepairs(r rows.Reader) (rows.Reader, error) {
	pairs, err := t.options.renames()
	if err != nil {
		return nil, err
	}
	if pairs != nil {
		was := r.Columns()
		var missing []string
		if r, missing, err = tabular.Rename(r, pairs); err != nil {
			return nil, rows.WrapOption("rename", err)
		}
		for _, name := range missing {
			t.missingNames["rename "+name] = rows.WrapOption("rename", rows.UnknownColumn(name, was))
		}
	}
	var places []int
	for _, name := range t.options.Fill {
		i := rows.ColumnIndex(r.Columns(), rows.UnquoteName(name))
		if i < 0 {
			t.missingNames["fill-down "+name] = rows.WrapOption("fill-down", rows.UnknownColumn(rows.UnquoteName(name), r.Columns()))
			continue
		}
		places = append(places, i)
	}
	if places != nil {
		r = tabular.FillDown(r, places, t.repairs)
	}
	return r, nil
}

// missingError is the first of what the table lacks.
func (t *Table) missingError() error {
	for _, key := range slices.Sorted(maps.Keys(t.missingNames)) {
		return t.missingNames[key]
	}
	return nil
}

// JoinDates adds the dates of --join-dates. Of a pair of tables one may lack the
// columns.
func (t *Table) JoinDates(lenient bool) (missing error, err error) {
	for _, text := range t.options.DateJoins {
		name, parts, err := splitDateJoin(text)
		if err != nil {
			return nil, err
		}
		var at [3]int
		for i, p := range parts {
			if at[i] = rows.ColumnIndex(t.columns, rows.UnquoteName(p)); at[i] < 0 {
				missing = rows.WrapOption("join-dates", rows.UnknownColumn(rows.UnquoteName(p), t.columns))
				break
			}
		}
		if missing != nil {
			if lenient {
				continue
			}
			return nil, missing
		}
		if i := rows.ColumnIndex(t.AllColumns(), name); i >= 0 {
			return nil, rows.WrapOption("join-dates", fmt.Errorf("there is already a column `%s`", t.AllColumns()[i]))
		}
		t.Derive.AddDateJoin(name, at[0], at[1], at[2], t.joinDate)
	}
	return missing, nil
}

// dateContext is what the reading of the table's dates depends on.
func (t *Table) dateContext() tabular.DateContext {
	return tabular.ContextOf(t.Env)
}

// joinDate makes a date of a year, a month and a day.
func (t *Table) joinDate(y, m, day string) (civil.Date, error) {
	d, ok := tabular.JoinDate(y, m, day, t.dateContext())
	if !ok {
		return civil.None, fmt.Errorf("year %s, month %s, day %s are not a date", eval.Truncate(y), eval.Truncate(m), eval.Truncate(day))
	}
	return d, nil
}

// applyReadings applies --read-dates and --read-numbers.
func (t *Table) applyReadings() error {
	if err := t.applyForms(formOption{"read-dates", t.options.ReadDates, t.Dates, t.readDatesAs}); err != nil {
		return err
	}
	return t.applyForms(formOption{"read-numbers", t.options.ReadNumbers, t.Numbers, t.readNumbersAs})
}

// formOption is an option that says how the cells of columns are read: its texts,
// the columns that phrases take such values from, and what applies a form.
type formOption struct {
	option    string
	texts     []string
	usedSlots []int
	applyForm func(slot int, form string, soft bool) error
}

// applyForms reads the columns that an option names by their forms; a form without a
// column is for those that phrases take such values from, and, softly, for those
// that they take as whatever the cell holds.
func (t *Table) applyForms(d formOption) error {
	set := map[int]bool{}
	general := ""
	for _, text := range d.texts {
		name, form := SplitForm(text)
		if name == "" {
			general = text
			continue
		}
		slot := rows.ColumnIndex(t.columns, name)
		if slot < 0 {
			t.missingNames[d.option+" "+name] = rows.WrapOption(d.option, t.unknownColumn(name))
			continue
		}
		if set[slot] {
			return rows.WrapOption(d.option,
				fmt.Errorf("the column `%s` is declared twice; join alternatives with |, such as dmy|serial", name))
		}
		set[slot] = true
		if err := d.applyForm(slot, form, false); err != nil {
			return err
		}
	}
	if general == "" {
		return nil
	}
	for i, slot := range slices.Concat(d.usedSlots, t.Cells) {
		soft := i >= len(d.usedSlots)
		if slot >= len(t.columns) || set[slot] || soft && general == "serial" { // any number would be a date
			continue
		}
		set[slot] = true
		if err := d.applyForm(slot, general, soft); err != nil {
			return err
		}
	}
	if d.option == "read-dates" {
		return t.readUnused(set, general)
	}
	return nil
}

// hasGeneralForm reports whether dates are read by a form that is said for all columns.
func (t *Table) hasGeneralForm() bool {
	return !t.options.KeepText && slices.ContainsFunc(t.options.ReadDates, func(text string) bool { name, _ := SplitForm(text); return name == "" })
}

// readUnused reads by a form for all columns those that no phrase uses and that hold it alone, so
// that no table has dates of two forms. What could be a number or names a stretch needs its column.
func (t *Table) readUnused(set map[int]bool, form string) error {
	layouts, err := tabular.ParseDateLayouts(form, t.dateContext())
	if err != nil {
		return rows.WrapOption("read-dates", err)
	}
	layouts = slices.DeleteFunc(layouts, func(l tabular.DateLayout) bool {
		return slices.Contains([]string{"serial", tabular.FirstDay, tabular.LastDay}, l.Name)
	})
	for slot, name := range t.columns {
		if set[slot] || !tabular.HoldsForm(t.first, slot, layouts, t.options.BlankWords) {
			continue
		}
		t.unusedForms = append(t.unusedForms, name)
		t.Derive.ReadDates(slot, false, true, func(v eval.Value) (civil.Date, error) {
			day, _, ok := tabular.ReadCell(v, layouts)
			if !ok {
				t.otherForms.Add(1)
				return civil.None, errUnclear
			}
			return day, nil
		})
	}
	t.first = nil
	return nil
}

// formNotes says which columns a form for all read besides those that phrases use.
func (t *Table) formNotes(w *Workspace) (list []string) {
	n := len(t.unusedForms)
	if n == 0 {
		return nil
	}
	of := ""
	for _, text := range t.options.ReadDates {
		if name, form := SplitForm(text); name == "" {
			of = form
		}
	}
	list = append(list, fmt.Sprintf("%s, which no phrase uses, %s read as %s too; %s says so of one column", phrase.ListNames(t.unusedForms),
		map[bool]string{true: "was", false: "were"}[n == 1], of, w.OptionText("read-dates", FormWord(t.unusedForms[0], of))))
	if n := t.otherForms.Load(); n > 0 {
		list = append(list, phrase.CountVerb(int(n), "later cell of them is", "later cells of them are")+" of another form and left as written")
	}
	return list
}

// termNotes counts the terms that a word says have no end.
func (t *Table) termNotes() []string {
	n := int(t.OpenTerms())
	if n == 0 {
		return nil
	}
	return []string{phrase.CountVerb(n, "term has", "terms have") + " no end; " + map[bool]string{true: "its date is", false: "their dates are"}[n == 1] + " blank"}
}

// noonNotes names the ends of ranges that all say 12:00, which is half a day.
func (t *Table) noonNotes() []string {
	names := t.NoonColumns()
	if names == nil {
		return nil
	}
	return []string{fmt.Sprintf("every time in %s is 12:00, so that each counts as half a day; `%s, +0 days` takes the day whole",
		"`"+strings.Join(names, "` and `")+"`", phrase.ExprText(&phrase.Name{Text: names[0]}))}
}

// shadowNotes names the columns whose names were taken for phrases.
func (t *Table) shadowNotes(w *Workspace) (list []string) {
	for _, s := range t.ShadowedColumns() {
		list = appendNew(list, fmt.Sprintf("`%s` is a phrase and a column too; the phrase was taken, and %s takes the column", s[1], w.OptionText(s[0], ShellWord(rows.QuoteName(s[1])))))
	}
	return list
}

func (t *Table) readNumbersAs(slot int, example string, soft bool) error {
	form, err := tabular.ParseNumberForm(example)
	if err != nil {
		return rows.WrapOption("read-numbers", err)
	}
	t.Derive.ReadNumbers(slot, soft, func(s string) (eval.Value, error) {
		if plain, ok := form.Read(s); ok {
			return eval.LiteralNumber(plain), nil
		}
		if plain, ok := form.PlainUnits(s); ok && slices.Contains(t.Terms, slot) {
			return eval.Str(plain), nil
		}
		return eval.Value{}, fmt.Errorf("expected a number like %[2]s, found %[1]q", eval.Truncate(s), example)
	})
	return nil
}

// unknownColumn is the error for a column that the file lacks; an added one is reported
// apart, since its dates need no form.
func (t *Table) unknownColumn(name string) error {
	if i := rows.ColumnIndex(t.AllColumns(), name); i >= 0 {
		return fmt.Errorf("`%s` is an added column, not one of %s; its dates need no declaration", t.AllColumns()[i], t.Name)
	}
	return rows.UnknownColumn(name, t.columns)
}

func (t *Table) readDatesAs(slot int, form string, soft bool) error {
	readings, err := tabular.ParseDateLayouts(form, t.dateContext())
	if err != nil {
		return rows.WrapOption("read-dates", err)
	}
	column := t.columns[slot]
	t.Derive.ReadDates(slot, t.options.KeepText, soft, func(v eval.Value) (civil.Date, error) {
		day, several, ok := tabular.ReadCell(v, readings)
		s := v.String()
		switch {
		case ok:
			return day, nil
		case several != nil:
			return civil.None, fmt.Errorf("%q can be read as %s, which differ", eval.Truncate(s), strings.Join(several, " and "))
		case soft:
			return civil.None, errUnclear
		}
		if why := tabular.WhyNot(s, readings, t.dateContext()); why != "" {
			return civil.None, &UnclearDateError{s, why}
		}
		return civil.None, &eval.NotDateError{Column: column, Text: s, Form: form}
	})
	return nil
}

var errUnclear = errors.New("no date")

// TakeLayouts takes over the forms in which dates are declared, by column: a time behind such a
// date is looked at here, and nowhere else.
func (t *Table) TakeLayouts() ([][]tabular.DateLayout, error) {
	readings := make([][]tabular.DateLayout, len(t.Visible()))
	in := *t.options
	texts := slices.SortedStableFunc(slices.Values(t.options.ReadDates), func(a, b string) int { // those for one column first
		first, _ := SplitForm(a)
		second, _ := SplitForm(b)
		return cmp.Compare(min(1, len(second)), min(1, len(first)))
	})
	in.ReadDates, t.options = nil, &in
	for _, text := range texts {
		name, form := SplitForm(text)
		list, err := tabular.ParseDateLayouts(form, t.dateContext())
		if err != nil {
			return nil, rows.WrapOption("read-dates", err)
		}
		if slot := rows.ColumnIndex(t.columns, name); name == "" {
			for i := range readings {
				if readings[i] == nil {
					readings[i] = list
				}
			}
		} else if slot < 0 {
			return nil, rows.WrapOption("read-dates", t.unknownColumn(name))
		} else {
			readings[slot] = list
		}
	}
	return readings, nil
}
