package cli

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"
	"sync/atomic"
	"time"

	"github.com/schollz/progressbar/v3"
	"github.com/spf13/cobra"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/tabular"
)

// tableOptions are those of commands that read a table.
type tableOptions struct {
	*options
	input               tabular.Input
	readDates, joins    []string
	openWords, badRows  string
	keepText, safe      bool
	where, sort, choose string

	name string
	// standsOut chooses rows of the result that stand out.
	standsOut func(row []eval.Value) bool
	used      []int // columns that phrases take dates from
	reader    rows.Reader
	closer    io.Closer
}

func (o *options) tables(c *cobra.Command) *tableOptions {
	t := &tableOptions{options: o}
	f := c.Flags()
	f.StringVar(&t.input.Sheet, "sheet", "", "`NAME` of the sheet of a workbook (default: the first)")
	f.StringVar(&t.input.Encoding, "encoding", "", "`NAME` of the text's encoding, such as windows-1252\n(default: UTF-8, or as the file says)")
	f.IntVar(&t.input.HeaderRow, "header-row", 1, "`N`: the line that names the columns")
	f.StringArrayVar(&t.readDates, "read-dates", nil, "`[COL=]FORM` of dates that aren't ISO: dmy, mdy, ymd, serial,\nor a layout; alternatives with |")
	f.StringArrayVar(&t.joins, "join-dates", nil, "`NAME=Y,M,D`: one date of the columns Y, M and D")
	f.StringVar(&t.openWords, "open-words", "", "`WORDS` that mean a range is still open, with commas")
	f.StringVar(&t.badRows, "bad-rows", "stop", "`MODE` of bad rows: stop, blank, or aside=FILE")
	f.BoolVar(&t.keepText, "keep-text", false, "leave declared date columns as they stand")
	f.BoolVar(&t.safe, "spreadsheet-safe", false, "mark text that a spreadsheet would run as a formula")
	f.StringVar(&t.where, "where", "", "`CONDITION` of the rows to keep")
	f.StringVar(&t.sort, "sort", "", "`COLUMNS` to sort by, - in front for the largest first")
	f.StringVar(&t.choose, "columns", "", "`COLUMNS` to write, or with - in front to leave out")
	return t
}

// open opens the table and prepares to read its dates.
func (t *tableOptions) open(name string) (*rows.Derive, error) {
	r, closer, err := tabular.Open(name, t.app.In, t.input)
	if err != nil {
		return nil, err
	}
	t.name, t.reader, t.closer = name, r, closer
	if name != "-" {
		t.loaded.Inputs = append(t.loaded.Inputs, name)
	}
	d := rows.NewDerive(r.Columns())
	switch mode, _, _ := strings.Cut(t.badRows, "="); mode {
	case "stop", "aside":
	case "blank":
		d.Blank = true
	default:
		return nil, usagef("--bad-rows is stop, blank or aside=FILE, not %q", t.badRows)
	}
	if t.openWords != "" {
		d.OpenWords(words(t.openWords))
	}
	for _, text := range t.joins {
		if err := t.join(d, text); err != nil {
			return nil, err
		}
	}
	return d, nil
}

// words splits a list at its commas.
func words(text string) (list []string) {
	for _, w := range strings.Split(text, ",") {
		list = append(list, strings.TrimSpace(w))
	}
	return list
}

func (t *tableOptions) join(d *rows.Derive, text string) error {
	name, list, ok := strings.Cut(text, "=")
	parts := strings.Split(list, ",")
	if !ok || len(parts) != 3 || strings.TrimSpace(name) == "" {
		return usagef("--join-dates is NAME=YEAR,MONTH,DAY, such as start=year,month,day, not %q", text)
	}
	var at [3]int
	for i, p := range parts {
		if at[i] = rows.Find(t.reader.Columns(), strings.TrimSpace(p)); at[i] < 0 {
			return fmt.Errorf("--join-dates: %w", rows.UnknownColumn(strings.TrimSpace(p), t.reader.Columns()))
		}
	}
	name = strings.TrimSpace(name)
	if i := rows.Find(d.All(), name); i >= 0 {
		return usagef("--join-dates: there already is a column `%s`", d.All()[i])
	}
	ymd, err := tabular.ParseReadings("ymd")
	if err != nil {
		return err
	}
	d.Join(name, at[0], at[1], at[2], func(y, m, day string) (civil.Date, error) {
		r, _, ok := tabular.ReadDate(y+"-"+m+"-"+day, ymd)
		if !ok {
			return civil.None, fmt.Errorf("year %s, month %s, day %s make no date", y, m, day)
		}
		return r, nil
	})
	return nil
}

// dates applies --read-dates; used are the columns that dates are taken from,
// to which a form without a column applies.
func (t *tableOptions) dates(d *rows.Derive, used []int) error {
	columns := t.reader.Columns()
	set := map[int]bool{}
	apply := func(slot int, form string) error {
		readings, err := tabular.ParseReadings(form)
		if err != nil {
			return fmt.Errorf("--read-dates: %w", err)
		}
		set[slot] = true
		d.ReadDates(slot, t.keepText, func(s string) (civil.Date, error) {
			day, several, ok := tabular.ReadDate(s, readings)
			switch {
			case ok:
				return day, nil
			case several != nil:
				return civil.None, fmt.Errorf("%q reads as %s, and they differ", s, strings.Join(several, " and "))
			}
			return civil.None, fmt.Errorf("%q is not a date by %s", s, form)
		})
		return nil
	}
	general := ""
	for _, text := range t.readDates {
		name, form, named := strings.Cut(text, "=")
		if !named {
			general = text
			continue
		}
		slot := rows.Find(columns, strings.TrimSpace(name))
		if slot < 0 {
			return fmt.Errorf("--read-dates: %w", rows.UnknownColumn(strings.TrimSpace(name), columns))
		}
		if err := apply(slot, form); err != nil {
			return err
		}
	}
	if general == "" {
		return nil
	}
	for _, slot := range used {
		if slot < len(columns) && !set[slot] {
			if err := apply(slot, general); err != nil {
				return err
			}
		}
	}
	return nil
}

// finish applies --where and --columns, which see added columns.
func (t *tableOptions) finish(d *rows.Derive) error {
	if t.where != "" {
		if err := d.Where(t.where, t.loaded.Env); err != nil {
			return fmt.Errorf("--where: %w", err)
		}
	}
	if t.choose != "" {
		if err := d.Pick(t.choose); err != nil {
			return fmt.Errorf("--columns: %w", err)
		}
	}
	return nil
}

// badError tells what was wrong with a table's cells.
type badError struct {
	name string
	bad  rows.Bad
}

func (e *badError) Error() string {
	var b strings.Builder
	cells := "cells are"
	if e.bad.Count == 1 {
		cells = "cell is"
	}
	fmt.Fprintf(&b, "%s: %d %s wrong", e.name, e.bad.Count, cells)
	unread := map[string][]string{}
	var order []string
	for _, c := range e.bad.First {
		fmt.Fprintf(&b, "\n  line %d, `%s`: %s", c.Line, c.Column, strings.TrimPrefix(c.Reason(), c.Column+": "))
		var nd *eval.NotDate
		if errors.As(c.Err, &nd) && nd.Column != "" {
			if unread[nd.Column] == nil {
				order = append(order, nd.Column)
			}
			unread[nd.Column] = append(unread[nd.Column], nd.Text)
		}
	}
	if more := e.bad.Count - len(e.bad.First); more > 0 {
		fmt.Fprintf(&b, "\n  and %d more", more)
	}
	for _, col := range order {
		switch fit := tabular.Fitting(unread[col]); len(fit) {
		case 0:
		case 1:
			fmt.Fprintf(&b, "\n  the dates of `%s` read as %s: --read-dates \"%s=%s\"", col, fit[0], col, fit[0])
		default:
			fmt.Fprintf(&b, "\n  the dates of `%s` read as %s; say which: --read-dates \"%s=%s\"", col, strings.Join(fit, " or as "), col, fit[0])
		}
	}
	fmt.Fprintf(&b, "\n  --bad-rows blank leaves them blank, --bad-rows aside=FILE puts such rows aside")
	return b.String()
}

// pass streams the table through d to the result.
func (t *tableOptions) pass(d *rows.Derive) error {
	defer t.closer.Close()
	format, err := t.format(rowFormats...)
	if err != nil {
		return err
	}
	aside, isAside := strings.CutPrefix(t.badRows, "aside=")
	if isAside && t.out == aside {
		return usagef("--bad-rows: the rows put aside and the result can't be one file")
	}
	var done atomic.Int64
	defer t.progress(&done)()
	work := func(w, side io.Writer) error {
		var bad rows.Bad
		if sep := map[string]byte{"csv": ',', "tsv": '\t'}[format]; sep != 0 && t.sort == "" && t.showDates == "" {
			encode := func(b []byte, cells []eval.Value) []byte { return tabular.AppendCSV(b, cells, sep, t.safe) }
			if _, err = w.Write(tabular.AppendHeader(nil, d.Columns(), sep)); err == nil {
				bad, err = rows.Stream(t.reader, d, encode, w, side, &done)
			}
		} else {
			bad, err = t.collect(d, format, w, side)
		}
		if err == nil && bad.Count > 0 && !d.Blank && side == nil {
			err = &badError{t.name, bad}
		}
		if err == nil && bad.Count > 0 {
			t.app.warn("%s", (&badError{t.name, bad}).Error())
		}
		return err
	}
	if !isAside {
		return t.spooled(func(w io.Writer) error { return work(w, nil) })
	}
	return writeFile(aside, t.loaded.Inputs, func(side io.Writer) error {
		if _, err := side.Write(tabular.AppendHeader(nil, append(slices.Clone(t.reader.Columns()), "reason"), ',')); err != nil {
			return err
		}
		return t.spooled(func(w io.Writer) error { return work(w, side) })
	})
}

// spooled writes the result; to standard output only once it is whole.
func (t *tableOptions) spooled(fill func(io.Writer) error) error {
	if t.out != "" {
		return t.write(fill)
	}
	var s spool
	defer s.drop()
	if err := fill(&s); err != nil {
		return err
	}
	return s.copyTo(t.app.Out)
}

// collect holds the rows where the format or a sort needs it.
func (t *tableOptions) collect(d *rows.Derive, format string, w, side io.Writer) (rows.Bad, error) {
	sink, err := t.sink(w, format)
	if err != nil {
		return rows.Bad{}, err
	}
	if err := sink.Header(d.Columns()); err != nil {
		return rows.Bad{}, err
	}
	order, err := t.order(d)
	if err != nil {
		return rows.Bad{}, err
	}
	var all [][]eval.Value
	put := t.writer(d, sink)
	aside := func(cells []eval.Value, c *rows.BadCell) error {
		_, err := side.Write(tabular.AppendCSV(nil, append(slices.Clone(cells), eval.Str(c.Reason())), ',', t.safe))
		return err
	}
	if side == nil {
		aside = nil
	}
	bad, err := rows.Scan(t.reader, d, func(_ int, row []eval.Value) error {
		if order == nil {
			return put(row)
		}
		all = append(all, slices.Clone(row))
		return nil
	}, aside)
	if err != nil {
		return bad, err
	}
	slices.SortStableFunc(all, order)
	for _, row := range all {
		if err := put(row); err != nil {
			return bad, err
		}
	}
	return bad, sink.Close()
}

// order reads --sort; nil where there is none.
func (t *tableOptions) order(d *rows.Derive) (func(a, b []eval.Value) int, error) {
	if t.sort == "" {
		return nil, nil
	}
	type key struct{ slot, way int }
	var keys []key
	for _, name := range strings.Split(t.sort, ",") {
		name = strings.TrimSpace(name)
		k := key{rows.Find(d.All(), name), 1}
		if bare, minus := strings.CutPrefix(name, "-"); minus && k.slot < 0 {
			k = key{rows.Find(d.All(), bare), -1}
		}
		if k.slot < 0 {
			return nil, fmt.Errorf("--sort: %w", rows.UnknownColumn(strings.TrimPrefix(name, "-"), d.All()))
		}
		keys = append(keys, k)
	}
	return func(a, b []eval.Value) int {
		for _, k := range keys {
			if c := eval.Order(a[k.slot], b[k.slot]); c != 0 {
				return c * k.way
			}
		}
		return 0
	}, nil
}

// progress shows on a terminal how many rows are done, for work of over a
// second. Call what it returns at the end.
func (t *tableOptions) progress(done *atomic.Int64) func() {
	f, isFile := t.app.Err.(*os.File)
	if t.app.quiet || !isFile || !isTerminal(f) {
		return func() {}
	}
	stop := make(chan struct{})
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		tick := time.NewTicker(time.Second)
		defer tick.Stop()
		var bar *progressbar.ProgressBar
		for {
			select {
			case <-stop:
				if bar != nil {
					_ = bar.Clear()
				}
				return
			case <-tick.C:
				if bar == nil {
					bar = progressbar.NewOptions64(-1, progressbar.OptionSetWriter(f), progressbar.OptionSetDescription("rows"), progressbar.OptionShowCount())
				}
				_ = bar.Set64(done.Load())
			}
		}
	}()
	return func() { close(stop); <-ended }
}

// completeColumns offers the columns of the table named on the command line.
func (t *tableOptions) completeColumns(_ *cobra.Command, args []string, word string) ([]string, cobra.ShellCompDirective) {
	if len(args) == 0 {
		return nil, cobra.ShellCompDirectiveDefault
	}
	r, closer, err := tabular.Open(args[0], strings.NewReader(""), t.input)
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	defer closer.Close()
	before := word[:strings.LastIndexByte(word, ',')+1]
	var list []string
	for _, c := range r.Columns() {
		list = append(list, before+c)
	}
	slices.SortFunc(list, cmp.Compare)
	return list, cobra.ShellCompDirectiveNoFileComp | cobra.ShellCompDirectiveNoSpace
}

// known names a phrase's error by the option that it stands in.
func inOption(option string, err error) error {
	var pe *phrase.Error
	if errors.As(err, &pe) {
		return fmt.Errorf("%s: %w", option, err)
	}
	return err
}
