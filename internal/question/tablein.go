package question

import (
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/declare"
	"yoyaku/internal/tabular"
)

// TableIn says how a table is read.
type TableIn struct {
	Sheet, Encoding  string
	HeaderRow        int
	ReadDates, Joins []string
	OpenWords        []string
	BadRows          string
	KeepText         bool
	Repair           bool
	Renames, Fill    []string
	ReadNumbers      []string
}

// Options declares the options of tables in.
func (t *TableIn) Options() []*declare.Key {
	return []*declare.Key{
		{Name: "sheet", Help: "read the workbook's sheet `NAME` (default: the first visible one)", Takes: declare.Text.Into(&t.Sheet)},
		{Name: "encoding", Help: "read text in encoding `NAME`, such as windows-1252 (default:\nUTF-8, or what the file declares)", Takes: declare.Text.Into(&t.Encoding)},
		{Name: "header-row", Default: "1", Help: "take the column names from line `N`",
			Takes: declare.Number(1, 0).Into(&t.HeaderRow)},
		{Name: "read-dates", Value: "[COL=]FORM", Help: "read dates that aren't ISO: dmy, mdy, ymd, serial,\nor a layout; several joined by |",
			Takes: declare.Text.Repeat(&t.ReadDates)},
		{Name: "read-numbers", Value: "[COL=]EXAMPLE", Help: "read numbers written like EXAMPLE, such as \"1.234,56\"",
			Takes: declare.Text.Repeat(&t.ReadNumbers)},
		{Name: "join-dates", Value: "NAME=Y,M,D", Help: "make one date NAME of a year, a month and a day column", Takes: declare.Text.Repeat(&t.Joins)},
		{Name: "open-words", Value: "WORDS", Help: "read these words as an open range, such as present,ongoing", Takes: declare.Text.List(&t.OpenWords)},
		{Name: "repair", Help: "tidy up a messy table: number missing and repeated headings,\ndrop blank columns at the right, fill short rows with blanks", Takes: declare.Yes.Into(&t.Repair)},
		{Name: "fill-down", Complete: "columns",
			Value: "COLUMNS", Help: "fill blank cells of these columns from the cell above", Takes: declare.Column.List(&t.Fill)},
		{Name: "rename", Value: "NEW=OLD", Help: "rename columns; several joined by commas", Takes: declare.Text.List(&t.Renames)},
		{Name: "bad-rows", Default: "stop", Help: "what to do with bad rows: `MODE` is stop, blank or aside=FILE", Takes: declare.Text.Into(&t.BadRows)},
		{Name: "keep-text", Help: "leave declared date columns as written in the table", Takes: declare.Yes.Into(&t.KeepText)},
	}
}

// Check says what is wrong with the options as far as they alone tell.
func (t *TableIn) Check() error {
	for _, text := range t.ReadDates {
		if _, form := cutForm(text); form != "" {
			if _, err := tabular.ParseReadings(form); err != nil {
				return rows.In("read-dates", err)
			}
		}
	}
	for _, text := range t.ReadNumbers {
		if _, form := cutForm(text); form != "" {
			if _, err := tabular.ParseNumberForm(form); err != nil {
				return rows.In("read-numbers", err)
			}
		}
	}
	for _, text := range t.Joins {
		if _, _, err := cutJoin(text); err != nil {
			return err
		}
	}
	if _, err := t.renames(); err != nil {
		return err
	}
	if err := tabular.KnownEncoding(t.Encoding); err != nil {
		return rows.In("encoding", err)
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

// renames are the pairs of new and old names.
func (t *TableIn) renames() (pairs [][2]string, err error) {
	for _, text := range t.Renames {
		name, old, ok := strings.Cut(text, "=")
		if name, old = rows.Unquote(strings.TrimSpace(name)), rows.Unquote(strings.TrimSpace(old)); !ok || name == "" ||
			old == "" {
			return nil, &rows.OptionError{Option: "rename",
				Err: fmt.Errorf("expected NEW=OLD, such as start=\"Start date\", found %q", text)}
		}
		pairs = append(pairs, [2]string{name, old})
	}
	return pairs, nil
}

// aside is the file that bad rows go to, if they do.
func (t *TableIn) aside() (file string, ok bool) { return strings.CutPrefix(t.BadRows, "aside=") }

// cutForm splits COL=FORM; a form alone has no column. The = of a layout splits
// nothing.
func cutForm(text string) (column, form string) {
	column, form, ok := strings.Cut(text, "=")
	if !ok || strings.Contains(column, "%") {
		return "", text
	}
	return rows.Unquote(column), form
}

// cutJoin splits NAME=YEAR,MONTH,DAY.
func cutJoin(text string) (name string, parts []string, err error) {
	name, list, ok := strings.Cut(text, "=")
	parts = declare.SplitList(list)
	if !ok || len(parts) != 3 || strings.TrimSpace(name) == "" {
		return "", nil, &rows.OptionError{Option: "join-dates",
			Err: fmt.Errorf("expected NAME=YEAR,MONTH,DAY, such as start=year,month,day, found %q", text)}
	}
	return rows.Unquote(name), parts, nil
}

// Table is a table that a job has opened.
type Table struct {
	*rows.Table
	in     *TableIn
	closer io.Closer
	mended *tabular.Repairs
	unseen *tabular.Unseen
	// lacks has what options name that the table doesn't have.
	lacks map[string]error
	// columns are those of the file itself.
	columns []string
	ours    bool // they have names of ours
	ready   bool
}

// open opens a table and prepares to read its dates.
func (j *Job) open(name string) (*Table, error) {
	if j.Made != nil {
		if made, ok, err := j.Made(name); err != nil {
			return nil, err
		} else if ok {
			t := &Table{ours: true, in: &TableIn{BadRows: j.In.BadRows}, mended: &tabular.Repairs{}, lacks: map[string]error{},
				closer: io.NopCloser(nil)}
			t.Table, t.columns = rows.NewTable(name, made.reader(), j.Env), made.columns
			j.opened = append(j.opened, t)
			return t, nil
		}
	}
	if IsCalendarFile(name) {
		made, err := j.calendarFile(name)
		if err != nil {
			return nil, err
		}
		t := &Table{ours: true, in: &j.In, mended: &tabular.Repairs{}, lacks: map[string]error{}, closer: io.NopCloser(nil)}
		r, err := t.settle(made.reader())
		if err != nil {
			return nil, err
		}
		t.Table, t.columns = rows.NewTable(name, r, j.Env), r.Columns()
		j.opened = append(j.opened, t)
		return t, nil
	}
	if name != "-" {
		if err := j.Files.Read(name); err != nil {
			return nil, err
		}
	}
	t := &Table{in: &j.In, mended: &tabular.Repairs{}, lacks: map[string]error{}}
	t.unseen = &tabular.Unseen{}
	in := tabular.Input{Unseen: t.unseen, Sheet: j.In.Sheet, Encoding: j.In.Encoding, HeaderRow: j.In.HeaderRow,
		Passed: map[string]string{}, Opened: j.Files.Opened}
	if j.In.Repair {
		in.Repairs = t.mended
	}
	r, closer, err := tabular.Open(name, j.Stdin, in)
	if err != nil {
		return nil, err
	}
	for option, why := range in.Passed {
		t.lacks[option] = rows.In(option, errors.New("this has no effect here: "+why))
	}
	t.closer = closer
	if r, err = t.settle(r); err == nil && len(t.lacks) > 0 && j.single() {
		err = t.lacking()
	}
	if err != nil {
		closer.Close()
		return nil, err
	}
	t.Table, t.columns = rows.NewTable(name, r, j.Env), r.Columns()
	t.Done = j.Done
	t.Blank = j.In.BadRows == "blank"
	if j.In.OpenWords != nil {
		t.Derive.OpenWords(j.In.OpenWords)
	}
	j.opened = append(j.opened, t)
	return t, nil
}

// settle gives columns their other names and fills down.
func (t *Table) settle(r rows.Reader) (rows.Reader, error) {
	pairs, err := t.in.renames()
	if err != nil {
		return nil, err
	}
	if pairs != nil {
		was := r.Columns()
		var missing []string
		if r, missing, err = tabular.Rename(r, pairs); err != nil {
			return nil, rows.In("rename", err)
		}
		for _, name := range missing {
			t.lacks["rename "+name] = rows.In("rename", rows.UnknownColumn(name, was))
		}
	}
	var places []int
	for _, name := range t.in.Fill {
		i := rows.Find(r.Columns(), rows.Unquote(name))
		if i < 0 {
			t.lacks["fill-down "+name] = rows.In("fill-down", rows.UnknownColumn(rows.Unquote(name), r.Columns()))
			continue
		}
		places = append(places, i)
	}
	if places != nil {
		r = tabular.FillDown(r, places, t.mended)
	}
	return r, nil
}

// lacking is the first of what the table lacks.
func (t *Table) lacking() error {
	for _, key := range slices.Sorted(maps.Keys(t.lacks)) {
		return t.lacks[key]
	}
	return nil
}

// join adds the dates of --join-dates. Of a pair of tables one may lack the
// columns.
func (t *Table) join(lenient bool) (missing error, err error) {
	for _, text := range t.in.Joins {
		name, parts, err := cutJoin(text)
		if err != nil {
			return nil, err
		}
		var at [3]int
		for i, p := range parts {
			if at[i] = rows.Find(t.columns, rows.Unquote(p)); at[i] < 0 {
				missing = rows.In("join-dates", rows.UnknownColumn(rows.Unquote(p), t.columns))
				break
			}
		}
		if missing != nil {
			if lenient {
				continue
			}
			return nil, missing
		}
		if i := rows.Find(t.All(), name); i >= 0 {
			return nil, rows.In("join-dates", fmt.Errorf("there is already a column `%s`", t.All()[i]))
		}
		t.Derive.Join(name, at[0], at[1], at[2], joined)
	}
	return missing, nil
}

// joined makes a date of a year, a month and a day.
func joined(y, m, day string) (civil.Date, error) {
	d, ok := tabular.JoinDate(y, m, day)
	if !ok {
		return civil.None, fmt.Errorf("year %s, month %s, day %s are not a date", eval.Brief(y), eval.Brief(m), eval.Brief(day))
	}
	return d, nil
}

// read applies --read-dates and --read-numbers.
func (t *Table) read() error {
	if err := t.apply(declared{"read-dates", t.in.ReadDates, t.Dates, t.datesBy}); err != nil {
		return err
	}
	return t.apply(declared{"read-numbers", t.in.ReadNumbers, t.Numbers, t.numbersBy})
}

// declared is an option that says how the cells of columns are read: its texts,
// the columns that phrases take such values from, and what applies a form.
type declared struct {
	option string
	texts  []string
	taken  []int
	by     func(slot int, form string, soft bool) error
}

// apply reads the columns that an option names by their forms; a form without a
// column is for those that phrases take such values from, and, softly, for those
// that they take as whatever the cell holds.
func (t *Table) apply(d declared) error {
	set := map[int]bool{}
	general := ""
	for _, text := range d.texts {
		name, form := cutForm(text)
		if name == "" {
			general = text
			continue
		}
		slot := rows.Find(t.columns, name)
		if slot < 0 {
			t.lacks[d.option+" "+name] = rows.In(d.option, t.unknownIn(name))
			continue
		}
		if set[slot] {
			return rows.In(d.option,
				fmt.Errorf("the column `%s` is declared twice; join alternatives with |, such as dmy|serial", name))
		}
		set[slot] = true
		if err := d.by(slot, form, false); err != nil {
			return err
		}
	}
	if general == "" {
		return nil
	}
	for i, slot := range slices.Concat(d.taken, t.Cells) {
		soft := i >= len(d.taken)
		if slot >= len(t.columns) || set[slot] || soft && general == "serial" { // any number would be a date
			continue
		}
		set[slot] = true
		if err := d.by(slot, general, soft); err != nil {
			return err
		}
	}
	return nil
}

func (t *Table) numbersBy(slot int, example string, soft bool) error {
	form, err := tabular.ParseNumberForm(example)
	if err != nil {
		return rows.In("read-numbers", err)
	}
	t.Derive.ReadNumbers(slot, soft, func(s string) (eval.Value, error) {
		if plain, ok := form.Read(s); ok {
			return eval.Numeral(plain), nil
		}
		return eval.Value{}, fmt.Errorf("expected a number like %[2]s, found %[1]q", eval.Brief(s), example)
	})
	return nil
}

// unknownIn is the error for a column that the file lacks; an added one is reported
// apart, since its dates need no form.
func (t *Table) unknownIn(name string) error {
	if i := rows.Find(t.All(), name); i >= 0 {
		return fmt.Errorf("`%s` is an added column, not one of %s; its dates need no declaration", t.All()[i], t.Name)
	}
	return rows.UnknownColumn(name, t.columns)
}

func (t *Table) datesBy(slot int, form string, soft bool) error {
	readings, err := tabular.ParseReadings(form)
	if err != nil {
		return rows.In("read-dates", err)
	}
	column := t.columns[slot]
	t.Derive.ReadDates(slot, t.in.KeepText, soft, func(v eval.Value) (civil.Date, error) {
		day, several, ok := tabular.ReadCell(v, readings)
		s := v.String()
		switch {
		case ok:
			return day, nil
		case several != nil:
			return civil.None, fmt.Errorf("%q can be read as %s, which differ", eval.Brief(s), strings.Join(several, " and "))
		case soft:
			return civil.None, errSoft
		}
		return civil.None, &eval.NotDate{Column: column, Text: s, Form: form}
	})
	return nil
}

var errSoft = errors.New("no date")
