package cli

import (
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/tabular"
)

// matchArgs are what `match` is asked.
type matchArgs struct{ ranges, key, date, start, end, several, openThrough string }

func (a *App) matchCommand() *cobra.Command {
	var args matchArgs
	c := &cobra.Command{
		Use:   "match EVENTS RANGES --key COL --date COL --start COL --end COL",
		Short: "Who held what on the day (rows to ranges)",
		Long: `Put beside each row of EVENTS the columns of the row of RANGES that has the same key
and holds its day; both ends belong to a range, and a blank end runs through today.
Where none does, the cells stay blank and are counted.`,
		Example: `  yoyaku match incidents.csv harbour-masters.csv --key harbour --date day --start since \
    --end until --open-words present`,
		Args: needArgs(2, 2, "a table of events and a table of ranges"),
	}
	o := a.place(c)
	o.result(c, rowFormats...)
	t := o.tables(c)
	f := c.Flags()
	f.StringVar(&args.key, "key", "", "`COL` that both have, or COL=COL of the ranges")
	f.StringVar(&args.date, "date", "", "`PHRASE` of the event's day")
	f.StringVar(&args.start, "start", "", "`PHRASE` of the range's first day")
	f.StringVar(&args.end, "end", "", "`PHRASE` of the range's last day")
	f.StringVar(&args.several, "several", "stop", "`WHAT` where several ranges hold it: stop, first, all")
	f.StringVar(&args.openThrough, "open-through", "", "`DATE` that open ranges run through (default: today)")
	c.RunE = t.over(func(d *rows.Derive, names []string) error {
		args.ranges = names[1]
		return t.match(d, args)
	})
	return c
}

func (t *tableOptions) match(d *rows.Derive, args matchArgs) error {
	for option, text := range map[string]string{"--key": args.key, "--date": args.date, "--start": args.start, "--end": args.end} {
		if text == "" {
			return usagef("match needs %s; `yoyaku match --help` shows examples", option)
		}
	}
	several, ok := map[string]rows.Several{"stop": rows.StopAtSeveral, "first": rows.FirstOfSeveral, "all": rows.AllOfSeveral}[args.several]
	if !ok {
		return usagef("--several is stop, first or all, not %q", args.several)
	}
	keyA, keyB, two := strings.Cut(args.key, "=")
	if !two {
		keyB = keyA
	}
	found, columns, err := t.ranges(args, strings.TrimSpace(keyB))
	if err != nil {
		return err
	}
	key := rows.Find(d.Visible(), strings.TrimSpace(keyA))
	if key < 0 {
		return fmt.Errorf("--key: %w", rows.UnknownColumn(keyA, d.Visible()))
	}
	visible := slices.Clone(d.Visible())
	day, err := t.day(d, "--date", args.date)
	if err != nil {
		return err
	}
	if err := t.dates(d, t.used); err != nil {
		return err
	}
	head := slices.Clone(visible)
	for _, c := range columns { // a name that both have is told apart
		if rows.Find(head, c) >= 0 {
			c = "range_" + c
		}
		head = append(head, c)
	}
	missed := 0
	err = t.result(head, func(put put) (rows.Bad, error) {
		return t.scan(d, func(n int, row []eval.Value) error {
			cells := slices.Clone(row[:len(visible)])
			var held []rows.Held
			if v, ok := eval.DayOf(row[day]); ok {
				if held, err = found.On(row[key].String(), v.Day, several); err != nil {
					return fmt.Errorf("%s, line %d: %w", t.name, n, err)
				}
			}
			if len(held) == 0 {
				missed++
				return put(append(cells, make([]eval.Value, len(columns))...))
			}
			for _, h := range held {
				if err := put(append(slices.Clone(cells), h.Row...)); err != nil {
					return err
				}
			}
			return nil
		})
	})
	if err == nil && missed > 0 {
		t.app.note("%d rows of %s fall into no range.", missed, t.name)
	}
	return err
}

// ranges reads the table of ranges: all columns but the key.
func (t *tableOptions) ranges(args matchArgs, keyName string) (*rows.Ranges, []string, error) {
	side := *t
	r, closer, err := tabular.Open(args.ranges, t.app.In, t.input)
	if err != nil {
		return nil, nil, err
	}
	t.loaded.Inputs = append(t.loaded.Inputs, args.ranges)
	side.name, side.reader, side.closer, side.used = args.ranges, r, closer, nil
	d := rows.NewDerive(r.Columns())
	if t.openWords != "" {
		d.OpenWords(words(t.openWords))
	}
	key := rows.Find(r.Columns(), keyName)
	if key < 0 {
		return nil, nil, fmt.Errorf("--key in %s: %w", args.ranges, rows.UnknownColumn(keyName, r.Columns()))
	}
	start, err := side.day(d, "--start", args.start)
	if err != nil {
		return nil, nil, err
	}
	end, err := side.day(d, "--end", args.end)
	if err != nil {
		return nil, nil, err
	}
	if err := side.dates(d, side.used); err != nil {
		return nil, nil, err
	}
	through, err := t.through(args.openThrough)
	if err != nil {
		return nil, nil, err
	}
	width := len(r.Columns())
	var list []rows.Held
	bad, err := rows.Scan(r, d, func(n int, row []eval.Value) error {
		span, blank, err := rows.Range(row[start], row[end], through)
		if err != nil {
			return &rows.BadCell{Line: n, Column: "--start and --end", Err: err}
		}
		if blank {
			return nil
		}
		rest := slices.Clone(row[:width])
		list = append(list, rows.Held{Span: span, Who: row[key].String(), Line: n, Row: slices.Delete(rest, key, key+1)})
		return nil
	}, nil)
	closer.Close()
	if err == nil && bad.Count > 0 {
		err = &badError{args.ranges, bad}
	}
	columns := slices.Clone(r.Columns())
	return rows.NewRanges(list), slices.Delete(columns, key, key+1), err
}
