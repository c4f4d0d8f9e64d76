package cli

import (
	"fmt"
	"runtime/debug"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
)

// dueArgs are what `due` is asked.
type dueArgs struct {
	dates                 []string
	within, window, bands string
	yearly, upcoming      bool
}

func (a *App) dueCommand() *cobra.Command {
	var args dueArgs
	c := &cobra.Command{
		Use:   "due TABLE --date PHRASE",
		Short: "What runs out, or comes round, and when",
		Long: `List the dates of a table by date, with the days and working days left and the band
they fall into. What lies before today is overdue and shown too. With --yearly, look
at the anniversaries: birthdays, years of service.`,
		Example: `  yoyaku due crew-contracts.csv --date "ends = start, lasting term months" --within "90 days"
  yoyaku due crew-contracts.csv --date "start, lasting term months" --window 2027 --bands 30,90,180
  yoyaku due crew.csv --date "birthday = born" --date "service = joined" --yearly --within "7 days"
  yoyaku due berth-leases.csv --read-dates dmy --open-words present --date ends --upcoming`,
		Args: needArgs(1, 1, "a table, such as crew-contracts.csv"),
	}
	o := a.place(c)
	o.result(c, rowFormats...)
	t := o.tables(c)
	f := c.Flags()
	f.StringArrayVar(&args.dates, "date", nil, "`[LABEL =] PHRASE` of a date to watch; may be repeated")
	f.StringVar(&args.within, "within", "", "`SHIFT` from today to show, such as '90 days'")
	f.StringVar(&args.window, "window", "", "`SPAN` of dates to show")
	f.StringVar(&args.bands, "bands", "30,60,90", "`DAYS` at which bands end")
	f.BoolVar(&args.yearly, "yearly", false, "look at anniversaries; adds the column years")
	f.BoolVar(&args.upcoming, "upcoming", false, "leave out what is overdue")
	c.RunE = t.over(func(d *rows.Derive, _ []string) error { return t.due(d, args) })
	return c
}

func (t *tableOptions) due(d *rows.Derive, args dueArgs) error {
	env := t.loaded.Env
	due := rows.Due{Today: env.Today, Span: civil.Always, Upcoming: args.upcoming, Yearly: args.yearly, Calendar: env.Calendar, Leap: env.LeapMarch}
	var err error
	if due.Bands, err = rows.ParseBands(args.bands); err != nil {
		return fmt.Errorf("--bands: %w", err)
	}
	switch {
	case args.window != "" && args.within != "":
		return usagef("--within and --window both say what to show; use one")
	case args.window != "":
		if due.Span, err = t.window(args.window); err != nil {
			return fmt.Errorf("--window: %w", err)
		}
	case args.within != "":
		last, err := dateOf("today, +"+strings.TrimPrefix(strings.TrimSpace(args.within), "+"), env)
		if err != nil {
			return usagef("--within is a stretch such as \"90 days\" or \"3 months\", not %q", args.within)
		}
		due.Span.Last = last
	}
	if len(args.dates) == 0 {
		return usagef("due needs --date: a column or a phrase, such as --date ends")
	}
	columns := slices.Clone(d.Visible())
	var labels []string
	var slots []int
	for _, text := range args.dates {
		label, body, err := rows.SplitAdd(text)
		if err != nil || strings.ContainsAny(label, ",'()") {
			label, body = strings.TrimSpace(text), text
		}
		slot, err := t.day(d, "--date", body)
		if err != nil {
			return err
		}
		labels, slots = append(labels, label), append(slots, slot)
	}
	if err := t.dates(d, t.used); err != nil {
		return err
	}
	head, err := fresh(columns, due.Columns())
	if err != nil {
		return err
	}
	band := len(columns) + slices.Index(rows.DueColumns, "band")
	nearest := due.Band(1)
	t.standsOut = func(row []eval.Value) bool { return row[band].Text == nearest || row[band].Text == "today" }
	return t.result(head, func(put put) (rows.Bad, error) {
		type line struct {
			at, base civil.Date
			label    int32
			rows.Place
		}
		var list []line
		// What is kept to be sorted is most of the memory; let little else pile up.
		defer debug.SetGCPercent(debug.SetGCPercent(20))
		var arena rows.Arena
		var cells []eval.Value
		bad, err := t.scan(d, func(_ int, row []eval.Value) error {
			var kept rows.Place // the row itself, once however many dates it has
			saved := false
			for i, slot := range slots {
				v := row[slot]
				if v.Kind == eval.Blank {
					continue
				}
				for _, at := range due.Dates(v.Day) {
					if !saved {
						kept, saved = arena.Save(row[:len(columns)]), true
					}
					list = append(list, line{at, v.Day, int32(i), kept})
				}
			}
			return nil
		})
		if err != nil {
			return bad, err
		}
		slices.SortStableFunc(list, func(a, b line) int { return int(a.at - b.at) })
		for _, l := range list {
			cells = append(arena.Load(l.Place, cells), due.Cells(labels[l.label], l.base, l.at)...)
			if err := put(cells); err != nil {
				return bad, err
			}
		}
		if len(list) == 0 && bad.Count == 0 {
			t.app.note("No date of %s falls into what was asked for.", t.name)
		}
		return bad, nil
	})
}
