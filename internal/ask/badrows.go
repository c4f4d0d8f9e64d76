package ask

import (
	"errors"
	"fmt"
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
}

// Error lists the first cells, counts all, and offers what would read them.
func (e *BadRowsError) Error() string {
	var b strings.Builder
	cells := "cells are"
	if e.Bad.Count == 1 {
		cells = "cell is"
	}
	fmt.Fprintf(&b, "%s: %d %s wrong", e.Table, e.Bad.Count, cells)
	unread, unplain := map[string][]string{}, map[string][]string{}
	var order, numbers []string
	for _, c := range e.Bad.First {
		fmt.Fprintf(&b, "\n  line %d, `%s`: %s", c.Line, c.Column, strings.TrimPrefix(c.Reason(), c.Column+": "))
		var f *phrase.Error
		if errors.As(c.Err, &f) && f.InCell { // the cell holds a phrase itself
			b.WriteString("\n  " + strings.ReplaceAll(strings.TrimSuffix(render.Caret(f), "\n"), "\n", "\n  "))
			if f.Hint != "" {
				b.WriteString("\n    " + f.Hint)
			}
		}
		var nd *eval.NotDateError
		if errors.As(c.Err, &nd) && nd.Column != "" && nd.Form == "" {
			if unread[nd.Column] == nil {
				order = append(order, nd.Column)
			}
			unread[nd.Column] = append(unread[nd.Column], nd.Text)
		}
		if column, text, ok := notNumber(c); ok {
			if unplain[column] == nil {
				numbers = append(numbers, column)
			}
			unplain[column] = append(unplain[column], text)
		}
	}
	if more := e.Bad.Count - len(e.Bad.First); more > 0 {
		fmt.Fprintf(&b, "\n  and %d more", more)
	}
	for _, col := range order {
		if fit := tabular.FittingLayouts(unread[col], tabular.ContextOf(e.workspace.Env)); len(fit) > 0 {
			which := ""
			if len(fit) > 1 {
				which = "; choose one"
			}
			fmt.Fprintf(&b, "\n  the dates in `%s` can be read as %s%s: %s", col, strings.Join(fit, " or as "), which,
				e.workspace.OptionText("read-dates", `"`+col+"="+fit[0]+`"`))
		}
	}
	for _, col := range numbers {
		if fit := tabular.FittingNumberForms(unplain[col]); len(fit) > 0 {
			fmt.Fprintf(&b, "\n  the numbers in `%s` can be read as %s: %s", col, fit[0],
				e.workspace.OptionText("read-numbers", `"`+col+"="+fit[0]+`"`))
		}
	}
	if words := blankWordsHint(unread); words != "" {
		fmt.Fprintf(&b, "\n  if a word there means that the range is still open: %s", e.workspace.OptionText("open-words", words))
	}
	fmt.Fprintf(&b, "\n  %s leaves them blank; %s sets such rows aside", e.workspace.OptionText("bad-rows", "blank"),
		e.workspace.OptionText("bad-rows", "aside=FILE"))
	return b.String()
}

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

// errorValues are what a spreadsheet writes into a cell that it couldn't work out (ECMA-376,
// 18.18.11): a fault, and no word that anybody chose.
var errorValues = map[string]bool{"#N/A": true, "#REF!": true, "#VALUE!": true, "#NAME?": true, "#DIV/0!": true,
	"#NULL!": true, "#NUM!": true, "#GETTING_DATA": true, "#SPILL!": true, "#CALC!": true}

// blankWordsHint lists the words among cells that were to be dates, a few.
func blankWordsHint(unread map[string][]string) string {
	var list []string
	for _, cells := range unread {
		for _, s := range cells {
			s = strings.TrimSpace(s)
			if !strings.ContainsAny(s, "0123456789,") && !errorValues[strings.ToUpper(s)] && len(s) < 20 &&
				!strings.Contains(strings.Join(list, ","), s) && len(list) < 3 {
				list = append(list, s)
			}
		}
	}
	if len(list) == 0 || len(list) == 3 {
		return ""
	}
	return strings.Join(list, ",")
}
