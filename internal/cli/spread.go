package cli

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
)

// spreadArgs are what `spread` is asked.
type spreadArgs struct {
	start, end, by, window, openThrough, per, overlaps, dates string
	working                                                   bool
}

var spreadUnits = map[string]civil.Unit{"week": civil.Week, "month": civil.Month, "quarter": civil.Quarter, "half-year": civil.Half,
	"year": civil.Year, "fiscal-year": civil.FiscalYear}

func (a *App) spreadCommand() *cobra.Command {
	var args spreadArgs
	c := &cobra.Command{
		Use:   "spread TABLE --start PHRASE --end PHRASE",
		Short: "Ranges into one row per day, month, pay period …",
		Long: `Cut each row's range into one row per day, or per week, month, quarter, year, fiscal
year or period of a series, with the days and working days of the piece. Both ends
belong to the range; a blank end runs through today. The pieces add up to the whole.
With --dates, write one row per date of each row's own rule.`,
		Example: `  yoyaku spread absences.csv --start first --end last --by month --open-words present
  yoyaku spread absences.csv --start first --end last --by crew-pay --open-words present
  yoyaku spread absences.csv --start first --end last --working --open-words present
  yoyaku spread crew-contracts.csv --dates "monthly on 1 from start 3 times"`,
		Args: needArgs(1, 1, "a table, such as absences.csv"),
	}
	o := a.place(c)
	o.result(c, rowFormats...)
	t := o.tables(c)
	f := c.Flags()
	f.StringVar(&args.start, "start", "", "`PHRASE` of the first day")
	f.StringVar(&args.end, "end", "", "`PHRASE` of the last day")
	f.StringVar(&args.by, "by", "day", "`PERIOD`: day, week, month, quarter, year, fiscal-year, a\nseries of the plan, or a rule")
	f.BoolVar(&args.working, "working", false, "keep working days alone")
	f.StringVar(&args.window, "window", "", "`SPAN` to cut the ranges to")
	f.StringVar(&args.openThrough, "open-through", "", "`DATE` that open ranges run through (default: today)")
	f.StringVar(&args.per, "per", "", "`COL` whose ranges must not overlap")
	f.StringVar(&args.overlaps, "overlaps", "stop", "`WHAT` where they do: stop, merge or count")
	f.StringVar(&args.dates, "dates", "", "`RULE` of each row, such as 'monthly on 1 from start until ends'")
	_ = c.RegisterFlagCompletionFunc("by", o.completeSeries)
	c.RunE = t.over(func(d *rows.Derive, _ []string) error {
		if args.dates != "" {
			return t.instalments(d, args)
		}
		return t.spread(d, args)
	})
	return c
}

// periods finds the periods of --by; nil for days.
func (t *tableOptions) periods(by string) (rows.Periods, error) {
	env := t.loaded.Env
	if by == "day" || by == "" {
		return nil, nil
	}
	if u, ok := spreadUnits[by]; ok {
		return rows.UnitPeriods(env.Frame, u), nil
	}
	if s := t.loaded.Find(by); s != nil {
		return s.Periods, nil
	}
	if !phrase.IsRule(by) {
		names := append([]string{"day", "week", "month", "quarter", "half-year", "year", "fiscal-year"}, env.SeriesNames...)
		hint := strings.Join(names, ", ") + ", or a rule"
		if near := phrase.Nearest(by, names); near != "" {
			hint = "did you mean `" + near + "`?"
		}
		return nil, usagef("--by: unknown period or series `%s`; %s", by, hint)
	}
	s, err := schedule.NewSeries("", "", by, env)
	if err != nil {
		return nil, inOption("--by", err)
	}
	return s.Periods, nil
}

func (t *tableOptions) spread(d *rows.Derive, args spreadArgs) error {
	if args.start == "" || args.end == "" {
		return usagef("spread needs --start and --end, or --dates; `yoyaku spread --help` shows examples")
	}
	if !slices.Contains([]string{"stop", "merge", "count"}, args.overlaps) {
		return usagef("--overlaps is stop, merge or count, not %q", args.overlaps)
	}
	s := rows.Spread{Window: civil.Always, Working: args.working, Calendar: t.loaded.Env.Calendar}
	var err error
	if s.By, err = t.periods(args.by); err != nil {
		return err
	}
	if args.window != "" {
		if s.Window, err = t.window(args.window); err != nil {
			return fmt.Errorf("--window: %w", err)
		}
	}
	through, err := t.through(args.openThrough)
	if err != nil {
		return err
	}
	columns := slices.Clone(d.Visible())
	per := -1
	if args.per != "" {
		if per = rows.Find(columns, args.per); per < 0 {
			return fmt.Errorf("--per: %w", rows.UnknownColumn(args.per, columns))
		}
	}
	start, err := t.day(d, "--start", args.start)
	if err != nil {
		return err
	}
	end, err := t.day(d, "--end", args.end)
	if err != nil {
		return err
	}
	if err := t.dates(d, t.used); err != nil {
		return err
	}
	head, err := fresh(columns, s.Columns())
	if err != nil {
		return err
	}
	n := 0
	err = t.result(head, func(put put) (rows.Bad, error) {
		var room []eval.Value
		pieces := func(row []eval.Value, span civil.Span) error {
			return s.Pieces(span, func(cells []eval.Value) error {
				n++
				room = append(append(room[:0], row...), cells...)
				return put(room)
			})
		}
		var held []rows.Held
		bad, err := t.scan(d, func(line int, row []eval.Value) error {
			span, blank, err := rows.Range(row[start], row[end], through)
			if err != nil {
				return &rows.BadCell{Line: line, Column: "--start and --end", Err: err}
			}
			if blank {
				return nil
			}
			if per < 0 {
				return pieces(row[:len(columns)], span)
			}
			held = append(held, rows.Held{Span: span, Who: row[per].String(), Line: line, Row: slices.Clone(row[:len(columns)])})
			return nil
		})
		if err != nil {
			return bad, err
		}
		switch args.overlaps {
		case "stop":
			if a, b, overlap := rows.Overlaps(held); overlap {
				return bad, usagef("%s: two ranges of %q overlap: %s to %s (line %d) and %s to %s (line %d); --overlaps merge joins them, count keeps both",
					t.name, a.Who, a.First, a.Last, a.Line, b.First, b.Last, b.Line)
			}
		case "merge":
			held = rows.Merge(held)
		}
		for _, h := range held {
			if err := pieces(h.Row, h.Span); err != nil {
				return bad, err
			}
		}
		return bad, nil
	})
	if err == nil && n == 0 {
		t.app.note("No range of %s falls into what was asked for.", t.name)
	}
	return err
}

// instalments writes the dates of each row's own rule.
func (t *tableOptions) instalments(d *rows.Derive, args spreadArgs) error {
	env := t.loaded.Env
	columns := slices.Clone(d.Visible())
	env.Names, env.DateSlots = columns, &t.used
	rule, err := eval.CompileRowRule(args.dates, env)
	if err != nil {
		return inOption("--dates", err)
	}
	if err := t.dates(d, t.used); err != nil {
		return err
	}
	window := civil.Always
	if args.window != "" {
		if window, err = t.window(args.window); err != nil {
			return fmt.Errorf("--window: %w", err)
		}
	}
	through, err := t.through(args.openThrough)
	if err != nil {
		return err
	}
	head, err := fresh(columns, []string{"date", "period_start", "period_end", "number"})
	if err != nil {
		return err
	}
	return t.result(head, func(put put) (rows.Bad, error) {
		return t.scan(d, func(line int, row []eval.Value) error {
			rec, blank, err := rule.For(row, through)
			var pe *phrase.Error
			if errors.As(err, &pe) {
				return &rows.BadCell{Line: line, Column: "--dates", Err: err}
			}
			if err != nil || blank {
				return err
			}
			if args.window == "" && rec.Rule.Endless() {
				return usagef("--dates: the rule has no end; add `until`, `times`, or --window")
			}
			base := slices.Clone(row[:len(columns)])
			for i, err := range schedule.Instalments(rec, window) {
				if err != nil {
					return &rows.BadCell{Line: line, Column: "--dates", Err: err}
				}
				if err := put(append(slices.Clone(base), i.Date, i.Start, i.End, eval.Int(i.Number))); err != nil {
					return err
				}
			}
			return nil
		})
	})
}
