package question

import (
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
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
}

// Options declares the options of tables in.
func (t *TableIn) Options() []*Option {
	return []*Option{
		{Name: "sheet", Help: "`NAME` of the sheet of a workbook (default: the first)", Into: &t.Sheet},
		{Name: "encoding", Help: "`NAME` of the text's encoding, such as windows-1252\n(default: UTF-8, or as the file says)", Into: &t.Encoding},
		{Name: "header-row", Kind: Number, Least: 1, Default: "1", Help: "`N`: the line that names the columns", Into: &t.HeaderRow},
		{Name: "read-dates", Repeat: true, Help: "`[COL=]FORM` of dates that aren't ISO: dmy, mdy, ymd, serial,\nor a layout; alternatives with |", Into: &t.ReadDates},
		{Name: "join-dates", Repeat: true, Help: "`NAME=Y,M,D`: one date of the columns Y, M and D", Into: &t.Joins},
		{Name: "open-words", List: true, Help: "`WORDS` that mean a range is still open, with commas", Into: &t.OpenWords},
		{Name: "bad-rows", Default: "stop", Help: "`MODE` of bad rows: stop, blank, or aside=FILE", Into: &t.BadRows},
		{Name: "keep-text", Kind: Yes, Help: "leave declared date columns as they stand", Into: &t.KeepText},
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
	for _, text := range t.Joins {
		if _, _, err := cutJoin(text); err != nil {
			return err
		}
	}
	if err := tabular.KnownEncoding(t.Encoding); err != nil {
		return rows.In("encoding", err)
	}
	switch mode, file, _ := strings.Cut(t.BadRows, "="); {
	case mode == "stop", mode == "blank", mode == "":
	case mode == "aside" && file != "":
	default:
		return &rows.OptionError{Option: "bad-rows", Is: true, Err: fmt.Errorf("is stop, blank or aside=FILE, not %q", t.BadRows)}
	}
	return nil
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
	parts = splitList(list)
	if !ok || len(parts) != 3 || strings.TrimSpace(name) == "" {
		return "", nil, &rows.OptionError{Option: "join-dates", Is: true, Err: fmt.Errorf("is NAME=YEAR,MONTH,DAY, such as start=year,month,day, not %q", text)}
	}
	return rows.Unquote(name), parts, nil
}

// Table is a table that a job has opened.
type Table struct {
	*rows.Table
	in     *TableIn
	closer io.Closer
	// columns are those of the file itself.
	columns []string
	ready   bool
}

// open opens a table and prepares to read its dates.
func (j *Job) open(name string) (*Table, error) {
	if name != "-" {
		if err := j.Files.Read(name); err != nil {
			return nil, err
		}
	}
	r, closer, err := tabular.Open(name, j.Stdin, tabular.Input{Sheet: j.In.Sheet, Encoding: j.In.Encoding, HeaderRow: j.In.HeaderRow})
	if err != nil {
		return nil, err
	}
	t := &Table{Table: rows.NewTable(name, r, j.Env), in: &j.In, closer: closer, columns: r.Columns()}
	t.Done = j.Done
	t.Blank = j.In.BadRows == "blank"
	if j.In.OpenWords != nil {
		t.Derive.OpenWords(j.In.OpenWords)
	}
	j.opened = append(j.opened, t)
	return t, nil
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
			return nil, rows.In("join-dates", fmt.Errorf("there already is a column `%s`", t.All()[i]))
		}
		t.Derive.Join(name, at[0], at[1], at[2], joined)
	}
	return missing, nil
}

// joined makes a date of a year, a month and a day.
func joined(y, m, day string) (civil.Date, error) {
	d, ok := tabular.JoinDate(y, m, day)
	if !ok {
		return civil.None, fmt.Errorf("year %s, month %s, day %s make no date", eval.Brief(y), eval.Brief(m), eval.Brief(day))
	}
	return d, nil
}

// read applies --read-dates: to the columns that it names, and a form without a
// column to those that phrases take dates from. missing tells of a column that
// the table lacks.
func (t *Table) read() (missing error, err error) {
	set := map[int]bool{}
	general := ""
	for _, text := range t.in.ReadDates {
		name, form := cutForm(text)
		if name == "" {
			general = text
			continue
		}
		slot := rows.Find(t.columns, name)
		if slot < 0 {
			missing = rows.In("read-dates", t.unknownIn(name))
			continue
		}
		if set[slot] {
			return nil, rows.In("read-dates", fmt.Errorf("the column `%s` is declared twice; alternatives stand with | between: dmy|serial", name))
		}
		set[slot] = true
		if err := t.readBy(slot, form, false); err != nil {
			return nil, err
		}
	}
	if general == "" {
		return missing, nil
	}
	for i, slot := range slices.Concat(t.Dates, t.Cells) {
		if slot >= len(t.columns) || set[slot] {
			continue
		}
		soft := i >= len(t.Dates)
		if soft && general == "serial" { // any number would be a date
			continue
		}
		set[slot] = true
		if err := t.readBy(slot, general, soft); err != nil {
			return nil, err
		}
	}
	return missing, nil
}

// unknownIn is the error for a column that the file lacks; an added one is told
// apart, since its dates need no form.
func (t *Table) unknownIn(name string) error {
	if i := rows.Find(t.All(), name); i >= 0 {
		return fmt.Errorf("`%s` is added by a phrase and is no column of %s; its dates need no form", t.All()[i], t.Name)
	}
	return rows.UnknownColumn(name, t.columns)
}

func (t *Table) readBy(slot int, form string, soft bool) error {
	readings, err := tabular.ParseReadings(form)
	if err != nil {
		return rows.In("read-dates", err)
	}
	column := t.columns[slot]
	t.Derive.ReadDates(slot, t.in.KeepText, soft, func(s string) (civil.Date, error) {
		day, several, ok := tabular.ReadDate(s, readings)
		switch {
		case ok:
			return day, nil
		case several != nil:
			return civil.None, fmt.Errorf("%q reads as %s, and they differ", eval.Brief(s), strings.Join(several, " and "))
		case soft:
			return civil.None, errSoft
		}
		return civil.None, &eval.NotDate{Column: column, Text: s, Form: form}
	})
	return nil
}

var errSoft = errors.New("no date")
