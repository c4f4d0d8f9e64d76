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
  yoyaku tally invoices.csv --rows customer --cols "calendar quarter of invoiced" --sum amount`,
		MinArgs: 1, MaxArgs: 1, ArgsHelp: "a table, such as crew-contracts.csv", TakesTable: true, ForRecords: true,
		Options: []*declare.Key{
			{Name: "rows", Required: true, Example: "unit", Completion: "columns", Placeholder: `"[NAME =] PHRASE"`, Help: "count by this down the side, such as a column",
				Value: declare.NamedPhrase.Into(&q.rows)},
			{Name: "cols", Completion: "columns", Placeholder: `"[NAME =] PHRASE"`, Help: "and by this across the top", Value: declare.NamedPhrase.Into(&q.cols)},
			{Name: "sum", Completion: "columns", Help: "sum `PHRASE`, such as a column of amounts (default: count rows)",
				Value: declare.TablePhrase.Into(&q.sum)},
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
		ownSlot = rows.ColumnIndex(t.Visible(), rows.UnquoteName(strings.TrimSpace(q.sum)))
		sum := q.sum
		if _, err := phrase.ParseExpr(sum); err != nil && ownSlot >= 0 {
			sum = rows.QuoteName(t.Visible()[ownSlot])
		}
		if sumSlot, err = t.AddHiddenPhrase("sum", "("+sum+") + 0"); err != nil {
			return err
		}
	}
	years, err := q.mixedYears(t)
	if err != nil {
		return err
	}
	if err := j.PrepareRead(nil); err != nil {
		return err
	}
	result := rows.NewTally(rowName, colName, q.sum != "")
	one, none, blank := eval.Int(1), eval.Value{}, 0
	t.RestrictCells(rows.AnyText)
	t.MuteUnshown(nil)
	err = j.Scan(t, func(_ int, row []eval.Value) error {
		for _, y := range years {
			y.add(row)
		}
		n, col := one, &none
		if sumSlot >= 0 {
			if n = row[sumSlot]; n.Kind == eval.Blank {
				blank++
			}
		}
		if colSlot >= 0 {
			col = &row[colSlot]
		}
		switch {
		case sumSlot < 0:
			return result.Add(&row[rowSlot], col, n)
		case ownSlot >= 0:
			return result.AddShown(&row[rowSlot], col, n, &row[ownSlot])
		}
		return result.AddShown(&row[rowSlot], col, n, &n)
	})
	if err != nil {
		return err
	}
	if blank > 0 {
		j.Note("%s blank and counted as 0", phrase.CountVerb(blank, "cell of `"+q.sum+"` is", "cells of `"+q.sum+"` are"))
	}
	for _, y := range years {
		if y.mixed {
			j.Note("`%s` puts dates of several years together; to keep the years apart, use \"%s\"", y.phrase, y.withYear)
		}
	}
	head, write := result.Table()
	total := j.PutTotals()
	return j.FillRows(head, func(put rows.PutRow) error { return write(put, total) })
}

// mixedYears watches whether a heading that comes round each year, such as a quarter, holds dates of
// several years.
type mixedYears struct {
	phrase, withYear string
	slot             int // of the year
	first            string
	mixed            bool
}

// add takes a row.
func (m *mixedYears) add(row []eval.Value) {
	switch year := row[m.slot].String(); {
	case m.mixed || year == "":
	case m.first == "":
		m.first = year
	default:
		m.mixed = year != m.first
	}
}

// mixedYears are those of the phrases down the side and across the top, unless the other one of
// them tells the years apart.
func (q *tallyQuery) mixedYears(t *ask.Table) (list []*mixedYears, err error) {
	_, down := rows.SplitNamed(q.rows)
	_, across := rows.SplitNamed(q.cols)
	for _, pair := range [][2]string{{down, across}, {across, down}} {
		year, with, ok := phrase.YearlyPart(pair[0])
		if !ok || phrase.FoldName(pair[1]) == phrase.FoldName(year) {
			continue
		}
		slot, err := t.AddHiddenPhrase("rows", year)
		if err != nil {
			return nil, err
		}
		list = append(list, &mixedYears{phrase: pair[0], withYear: with, slot: slot})
	}
	return list, nil
}
