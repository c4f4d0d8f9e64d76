package query

import (
	"strings"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/declare"
)

func init() { register(newTally) }

// tallyQuery counts or sums rows against columns.
type tallyQuery struct{ rows, cols, sum string }

func newTally() *ask.Query {
	q := &tallyQuery{}
	return &ask.Query{
		Name: "tally", Group: ask.Tables, Order: 5, Use: "tally TABLE --rows PHRASE",
		Short: "Count or sum, rows against columns, with totals",
		Long: `Count the rows of a table, or sum a column, by one phrase or by two against each other,
with totals both ways. Bands, months and weekdays come in their own order.`,
		Examples: `  yoyaku tally crew-contracts.csv --rows unit
  yoyaku tally crew-contracts.csv --rows unit --cols "year of start"
  yoyaku tally invoices.csv --rows customer --cols "quarter of invoiced" --sum amount`,
		MinArgs: 1, MaxArgs: 1, ArgsHelp: "a table, such as crew-contracts.csv", TakesTable: true, ForRecords: true,
		Options: []*declare.Key{
			{Name: "rows", Required: true, Example: "unit", Completion: "columns", Placeholder: `"[NAME =] PHRASE"`, Help: "count by this down the side, such as a column",
				Value: declare.NamedPhrase.Into(&q.rows)},
			{Name: "cols", Completion: "columns", Placeholder: `"[NAME =] PHRASE"`, Help: "and by this across the top", Value: declare.NamedPhrase.Into(&q.cols)},
			{Name: "sum", Completion: "columns", Help: "sum `PHRASE`, such as a column of amounts (default: count rows)",
				Value: declare.Phrase.Into(&q.sum)},
		},
		Answer: q.answer,
	}
}

func (q *tallyQuery) answer(j *ask.Job) error {
	t, err := j.OpenFiltered()
	if err != nil {
		return err
	}
	rowName, body := rows.SplitNamed(q.rows)
	rowSlot, err := t.AddHiddenPhrase("rows", body)
	if err != nil {
		return err
	}
	colName, body := rows.SplitNamed(q.cols)
	colSlot, err := rows.IfGiven(t.AddHiddenPhrase, "cols", body)
	if err != nil {
		return err
	}
	sumSlot, ownSlot := -1, -1
	if q.sum != "" {
		if sumSlot, err = t.AddHiddenPhrase("sum", "("+q.sum+") + 0"); err != nil {
			return err
		}
		ownSlot = rows.ColumnIndex(t.Visible(), rows.UnquoteName(strings.TrimSpace(q.sum)))
	}
	if err := j.PrepareRead(nil); err != nil {
		return err
	}
	result := rows.NewTally(rowName, colName, q.sum != "")
	one, none, blank := eval.Int(1), eval.Value{}, 0
	t.RestrictCells(rows.AnyText)
	err = j.Scan(t, func(_ int, row []eval.Value) error {
		n, col := one, &none
		if sumSlot >= 0 {
			if n = row[sumSlot]; n.Kind == eval.Blank {
				blank++
			}
			if ownSlot >= 0 {
				result.NoteFormat(&row[ownSlot])
			} else {
				result.NoteFormat(&n)
			}
		}
		if colSlot >= 0 {
			col = &row[colSlot]
		}
		return result.Add(&row[rowSlot], col, n)
	})
	if err != nil {
		return err
	}
	if blank > 0 {
		j.Note("%s blank and counted as 0", phrase.CountVerb(blank, "cell of `"+q.sum+"` is", "cells of `"+q.sum+"` are"))
	}
	head, write := result.Table()
	total := j.PutTotals()
	return j.FillRows(head, func(put rows.PutRow) error { return write(put, total) })
}
