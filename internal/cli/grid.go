package cli

import (
	"fmt"
	"io"

	"github.com/spf13/cobra"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/report"
	"yoyaku/internal/tabular"
)

// gridArgs are what `grid` is asked.
type gridArgs struct {
	name, start, end, window, mark, openThrough string
	everyDay                                    bool
}

func (a *App) gridCommand() *cobra.Command {
	var args gridArgs
	c := &cobra.Command{
		Use:   "grid TABLE --name COL --start PHRASE --end PHRASE --window SPAN",
		Short: "People against days",
		Long: `Draw a row a person and a column a day: booked working days are marked, closed days
shaded, totals at both ends. Several bookings of a person share a row; an unfinished
row stays empty.`,
		Example: `  yoyaku grid absences.csv --name person --start first --end last --window 2027-06 \
    --open-words present
  yoyaku grid courses.csv --name trainer --start start --end "start, lasting days working days" \
    --window 2027-06 --mark course --out june.html`,
		Args: needArgs(1, 1, "a table, such as absences.csv"),
	}
	o := a.place(c)
	o.result(c, rowFormats...)
	t := o.tables(c)
	f := c.Flags()
	f.StringVar(&args.name, "name", "", "`COL` of the names")
	f.StringVar(&args.start, "start", "", "`PHRASE` of the first day")
	f.StringVar(&args.end, "end", "", "`PHRASE` of the last day")
	f.StringVar(&args.window, "window", "", "`SPAN` of days to show, such as 2027-06")
	f.StringVar(&args.mark, "mark", "", "`PHRASE` of the mark (default: x)")
	f.BoolVar(&args.everyDay, "every-day", false, "mark closed days too")
	f.StringVar(&args.openThrough, "open-through", "", "`DATE` that open ranges run through (default: today)")
	c.RunE = t.over(func(d *rows.Derive, _ []string) error { return t.grid(d, args) })
	return c
}

// mostGridDays is how many days a grid may have.
const mostGridDays = 400

func (t *tableOptions) grid(d *rows.Derive, args gridArgs) error {
	for _, need := range [][2]string{{"--name", args.name}, {"--start", args.start}, {"--end", args.end}, {"--window", args.window}} {
		if need[1] == "" {
			return usagef("grid needs %s; `yoyaku grid --help` shows examples", need[0])
		}
	}
	window, err := t.window(args.window)
	if err != nil {
		return fmt.Errorf("--window: %w", err)
	}
	if window.Len() > mostGridDays {
		return usagef("--window: a grid shows at most %d days, and this has %d", mostGridDays, window.Len())
	}
	through, err := t.through(args.openThrough)
	if err != nil {
		return err
	}
	name := rows.Find(d.Visible(), args.name)
	if name < 0 {
		return fmt.Errorf("--name: %w", rows.UnknownColumn(args.name, d.Visible()))
	}
	if t.where != "" {
		if err := d.Where(t.where, t.loaded.Env); err != nil {
			return inOption("--where", err)
		}
		t.where = ""
	}
	start, err := t.day(d, "--start", args.start)
	if err != nil {
		return err
	}
	end, err := t.day(d, "--end", args.end)
	if err != nil {
		return err
	}
	mark := -1
	if args.mark != "" {
		if mark, err = t.hidden(d, "--mark", args.mark); err != nil {
			return err
		}
	}
	if err := t.dates(d, t.used); err != nil {
		return err
	}
	g := rows.NewGrid(d.Visible()[name], window, args.everyDay, t.loaded.Env.Calendar)
	bad, err := t.scan(d, func(line int, row []eval.Value) error {
		who := row[name].String()
		if who == "" {
			return nil
		}
		g.Name(who)
		span, blank, err := rows.Range(row[start], row[end], through)
		if err != nil {
			return &rows.BadCell{Line: line, Column: "--start and --end", Err: err}
		}
		if blank {
			return nil
		}
		m := "x"
		if mark >= 0 {
			m = row[mark].String()
		}
		g.Book(who, span, m)
		return nil
	})
	if err == nil {
		err = t.faults(bad)
	}
	if err != nil {
		return err
	}
	return t.draw(g)
}

// draw writes a grid in the format that is asked for.
func (t *tableOptions) draw(g *rows.Grid) error {
	format, err := t.format(rowFormats...)
	if err != nil {
		return err
	}
	title := t.title
	if title != "" {
		title += ", as of " + t.loaded.Env.Today.String()
	}
	switch format {
	case "table":
		width, terminal := t.app.terminal()
		look := report.Table{Title: title, Color: t.color == "always" || t.color == "auto" && terminal && t.out == "" && t.app.Getenv("NO_COLOR") == ""}
		if t.out == "" {
			look.Width = width
		}
		return t.write(func(w io.Writer) error { return report.DrawGrid(w, g, look) })
	case "html":
		return t.write(func(w io.Writer) error { return report.GridPage(w, g, title) })
	case "xlsx":
		return t.write(func(w io.Writer) error { return tabular.GridXLSX(w, g) })
	}
	return t.result(g.Columns(), func(put put) (rows.Bad, error) { return rows.Bad{}, g.Write(put) })
}
