package cli

import (
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
)

// tallyArgs are what `tally` is asked.
type tallyArgs struct{ rows, cols, sum string }

func (a *App) tallyCommand() *cobra.Command {
	var args tallyArgs
	c := &cobra.Command{
		Use:   "tally TABLE --rows PHRASE",
		Short: "Count or sum, rows against columns, with totals",
		Long: `Count the rows of a table, or sum a column of it, by one phrase or by two against
each other, with totals both ways. Bands, months and weekdays stand in their own order.`,
		Example: `  yoyaku tally crew-contracts.csv --rows unit
  yoyaku tally crew-contracts.csv --rows unit --cols "year of start"
  yoyaku tally invoices.csv --rows customer --cols "quarter of invoiced" --sum amount`,
		Args: needArgs(1, 1, "a table, such as crew-contracts.csv"),
	}
	o := a.place(c)
	o.result(c, rowFormats...)
	t := o.tables(c)
	f := c.Flags()
	f.StringVar(&args.rows, "rows", "", "`[NAME =] PHRASE` down the side")
	f.StringVar(&args.cols, "cols", "", "`[NAME =] PHRASE` across the top")
	f.StringVar(&args.sum, "sum", "", "`PHRASE` of the number to sum (default: count rows)")
	c.RunE = t.over(func(d *rows.Derive, _ []string) error { return t.tally(d, args) })
	return c
}

// named splits NAME = PHRASE; a phrase alone names itself, and a condition
// stands in parentheses.
func named(text string) (name, body string) {
	if name, body, err := rows.SplitAdd(text); err == nil && !strings.ContainsAny(name, ",'()") {
		return name, body
	}
	return strings.TrimSpace(text), text
}

func (t *tableOptions) tally(d *rows.Derive, args tallyArgs) error {
	if args.rows == "" {
		return usagef("tally needs --rows: a column or a phrase, such as --rows unit")
	}
	filter := t.where // chooses among the rows of the table, not of the tally
	t.where = ""
	if filter != "" {
		if err := d.Where(filter, t.loaded.Env); err != nil {
			return inOption("--where", err)
		}
	}
	rowName, body := named(args.rows)
	rowSlot, err := t.hidden(d, "--rows", body)
	if err != nil {
		return err
	}
	colName, colSlot := "", -1
	if args.cols != "" {
		colName, body = named(args.cols)
		if colSlot, err = t.hidden(d, "--cols", body); err != nil {
			return err
		}
	}
	sumSlot := -1
	if args.sum != "" {
		if sumSlot, err = t.hidden(d, "--sum", args.sum+" + 0"); err != nil {
			return err
		}
	}
	if err := t.dates(d, t.used); err != nil {
		return err
	}
	tally := rows.NewTally(rowName, colName, args.sum != "")
	one := eval.Int(1)
	bad, err := t.scan(d, func(_ int, row []eval.Value) error {
		n, col := one, ""
		if sumSlot >= 0 {
			n = row[sumSlot]
		}
		if colSlot >= 0 {
			col = row[colSlot].String()
		}
		return tally.Add(row[rowSlot].String(), col, n)
	})
	if err == nil {
		err = t.faults(bad)
	}
	if err != nil {
		return err
	}
	var head []string
	var lines [][]eval.Value
	err = tally.Write(func(columns []string) error { head = columns; return nil },
		func(cells []eval.Value) error { lines = append(lines, slices.Clone(cells)); return nil })
	if err != nil {
		return err
	}
	return t.result(head, func(put put) (rows.Bad, error) {
		for _, l := range lines {
			if err := put(l); err != nil {
				return rows.Bad{}, err
			}
		}
		return rows.Bad{}, nil
	})
}
