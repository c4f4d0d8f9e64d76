package ask

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/render"
	"yoyaku/internal/tabular"
)

// BadRowsError says what was wrong with a table's cells, and what would help.
type BadRowsError struct {
	Table     string
	Bad       rows.BadCells
	workspace *Workspace
	layout    *tabular.Layout // what the recogniser sees in the sheet
	options   TableOptions    // with which it was read
}

// Error lists the first cells, counts all, and offers what would read them.
func (e *BadRowsError) Error() string {
	var b strings.Builder
	cells := "cells are"
	if e.Bad.Count == 1 {
		cells = "cell is"
	}
	fmt.Fprintf(&b, "%s: %d %s wrong", e.Table, e.Bad.Count, cells)
	for _, c := range e.Bad.First {
		fmt.Fprintf(&b, "\n  line %d, `%s`: %s", c.Line, c.Column, strings.TrimPrefix(c.Reason(), c.Column+": "))
		var f *phrase.Error
		if errors.As(c.Err, &f) && f.InCell { // the cell holds a phrase itself
			b.WriteString("\n  " + strings.ReplaceAll(strings.TrimSuffix(render.Caret(f), "\n"), "\n", "\n  "))
			if f.Hint != "" {
				b.WriteString("\n    " + f.Hint)
			}
		}
	}
	if more := e.Bad.Count - len(e.Bad.First); more > 0 {
		fmt.Fprintf(&b, "\n  and %d more", more)
	}
	for _, hint := range e.hints() {
		b.WriteString("\n  " + hint)
	}
	fmt.Fprintf(&b, "\n  %s leaves them blank; %s sets such rows aside", e.workspace.OptionText("bad-rows", "blank"),
		e.workspace.OptionText("bad-rows", "aside=FILE"))
	return b.String()
}

// hints are what would read the cells that are wrong.
func (e *BadRowsError) hints() (list []string) {
	dates, numbers := e.columns()
	if e.layout != nil && slices.ContainsFunc(e.Bad.First, func(c *rows.BadCell) bool { return e.layout.Passed[c.Line] != "" }) {
		with := e.options.WithShape(e.layout)
		if more := newSettings(e.options.Settings(), with.Settings()); len(more) > 0 {
			list = append(list, strings.Join(e.layout.Notes, "; ")+map[bool]string{true: ": "}[len(e.layout.Notes) > 0]+e.workspace.SettingsText(more))
		}
	}
	var open []string
	for _, name := range dates {
		c := e.look(name, name)
		list = append(list, e.dateHints(c)...)
		open = appendNew(open, c.Words[tabular.OpenWord]...)
	}
	for _, o := range []struct {
		words []string
		what  string
	}{{open, "range is still open"}, {e.openTerms(&list), "term has no end"}} {
		if len(o.words) > 0 {
			list = append(list, "if a word there means that the "+o.what+": "+e.workspace.SettingsText([]Setting{{Name: "open-words", Values: o.words, InList: true}}))
		}
	}
	for _, name := range numbers {
		if c := e.look(name); c.Kind == tabular.NumberColumn && c.Form != "" && e.readsWhole(name, c.Form) {
			list = append(list, fmt.Sprintf("the numbers in `%s` can be read as %s: %s", name, c.Form, e.workspace.OptionText("read-numbers", FormWord(name, c.Form))))
		}
	}
	return list
}

// columns are those with cells that were to be dates or numbers, in the order of the cells.
func (e *BadRowsError) columns() (dates, numbers []string) {
	for _, c := range e.Bad.First {
		var nd *eval.NotDateError
		if errors.As(c.Err, &nd) && nd.Column != "" {
			dates = appendNew(dates, nd.Column)
		} else if errors.As(c.Err, new(*UnclearDateError)) {
			dates = appendNew(dates, c.Column)
		}
		if column, _, ok := notNumber(c); ok {
			numbers = appendNew(numbers, column)
		}
	}
	return dates, numbers
}

// openTerms are the words of an open end in cells that were to be lengths of time. It appends to
// list what would read the others: the language of a unit.
func (e *BadRowsError) openTerms(list *[]string) (open []string) {
	var names []string
	for _, c := range e.Bad.First {
		var term *eval.NotTermError
		if !errors.As(c.Err, &term) {
			continue
		}
		names = appendNew(names, term.Column)
		if term.Wrong == nil {
			continue
		}
		for _, code := range term.Wrong.Languages {
			*list = appendNew(*list, fmt.Sprintf("if that is of the language %s: %s", code, e.workspace.OptionText("language", code)))
		}
		if term.Wrong.UnclearComma {
			*list = appendNew(*list, fmt.Sprintf("if it stands behind thousands: %s; before decimals: %s", e.workspace.OptionText("read-numbers", FormWord(term.Column, "1,234.56")),
				e.workspace.OptionText("read-numbers", FormWord(term.Column, "1.234,56"))))
		}
	}
	for _, name := range names {
		c := e.look(name)
		if c.Kind != tabular.TermColumn {
			c = tabular.LookAtTerms(name, e.termCells(name))
			c.Kind = tabular.TermColumn
		}
		delete(c.Words, tabular.UnknownWord) // each is told already
		*list = append(*list, WordNotes(c)...)
		open = appendNew(open, c.Words[tabular.OpenWord]...)
	}
	return open
}

// termCells are the wrong cells of a column that was to hold lengths of time.
func (e *BadRowsError) termCells(name string) (cells []string) {
	for _, c := range e.Bad.First {
		var term *eval.NotTermError
		if errors.As(c.Err, &term) && term.Column == name {
			cells = append(cells, term.Text)
		}
	}
	return cells
}

// readsWhole reports whether a form reads the wrong cells of a column to what was wanted there: a
// whole number, where it was one.
func (e *BadRowsError) readsWhole(name, form string) bool {
	f, err := tabular.ParseNumberForm(form)
	for _, c := range e.Bad.First {
		var n *eval.NotNumberError
		if errors.As(c.Err, &n) && n.Column == name && n.Whole {
			plain, _ := f.Read(n.Text)
			_, decimals, _ := strings.Cut(plain, ".")
			if strings.Trim(decimals, "0") != "" {
				return false
			}
		}
	}
	return err == nil
}

// look is what the recogniser sees in a column; of a table that can't be read again, in its cells
// that are wrong. dates are columns that were to hold dates.
func (e *BadRowsError) look(name string, dates ...string) tabular.ColumnLook {
	if e.layout != nil {
		for _, c := range e.layout.Columns {
			if phrase.NamesEqual(c.Name, name) {
				return c
			}
		}
	}
	var cells []string
	for _, c := range e.Bad.First {
		var nd *eval.NotDateError
		if errors.As(c.Err, &nd) && nd.Column == name {
			cells = append(cells, nd.Text)
		} else if column, text, ok := notNumber(c); ok && column == name {
			cells = append(cells, text)
		}
	}
	return tabular.LookAtCells(name, cells, e.options.toldBefore(tabular.ContextOf(e.workspace.Env), dates))
}

// dateHints say what would read a column of dates.
func (e *BadRowsError) dateHints(c tabular.ColumnLook) (list []string) {
	option := func(form string) string { return e.workspace.OptionText("read-dates", FormWord(c.Name, form)) }
	declared := slices.ContainsFunc(e.options.ReadDates, func(text string) bool {
		name, _ := SplitForm(text)
		return name == "" || phrase.NamesEqual(name, c.Name)
	})
	switch {
	case c.Kind == tabular.LabelColumn && !declared:
		list = append(list, fmt.Sprintf("`%s` names stretches of time; for their first days %s, for their last %s", c.Name, option(tabular.FirstDay), option(tabular.LastDay)))
	case c.LacksYear && !declared:
		list = append(list, fmt.Sprintf("the dates in `%s` have no year; say which, such as %s", c.Name, option(fmt.Sprintf("dmy %d", e.workspace.Env.Today.Year()))))
	case c.Form != "" && !declared:
		choose, why := "", ""
		if len(c.Also) > 0 {
			choose = "; choose one"
		}
		if c.Why != "" {
			why = ", " + c.Why
		}
		list = append(list, fmt.Sprintf("the dates in `%s` can be read as %s%s%s: %s", c.Name, strings.Join(append([]string{c.Form}, c.Also...), " or as "), choose, why, option(c.Form)))
	}
	if c.Language != "" {
		list = append(list, fmt.Sprintf("the other dates in `%s` are of the language %s: %s", c.Name, c.Language, e.workspace.OptionText("language", c.Language)))
	}
	list = append(list, WordNotes(c)...)
	if len(c.FarDates) > 0 {
		list = append(list, fmt.Sprintf("if %s in `%s` stands for no end: %s", c.FarDates[0], c.Name, e.workspace.OptionText("open-words", ShellWord(c.FarDates[0]))))
	}
	return list
}

// UnclearDateError is a cell that is written as a date and can't be read as one: its weekday is
// another, its year lacks, or a word of it means two months.
type UnclearDateError struct{ Text, Why string }

// Error says why.
func (e *UnclearDateError) Error() string { return fmt.Sprintf("%q: %s", eval.Truncate(e.Text), e.Why) }

// notNumber reports a cell that was to be a number and isn't a plain one.
func notNumber(c *rows.BadCell) (column, text string, ok bool) {
	var n *eval.NotNumberError
	var a *eval.NotAmountError
	switch {
	case errors.As(c.Err, &n):
		return n.Column, n.Text, true
	case errors.As(c.Err, &a):
		return c.Column, a.Text, true
	}
	return "", "", false
}
