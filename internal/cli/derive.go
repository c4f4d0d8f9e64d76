package cli

import (
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/ical"
)

func (a *App) deriveCommand() *cobra.Command {
	var adds []string
	var reasons bool
	var ev rowEvents
	c := &cobra.Command{
		Use:   "derive TABLE",
		Short: "Add columns to every row of a table",
		Long: `Add columns to every row of a table (CSV, TSV, JSON, JSON lines, XLSX, or - for
standard input). A column is NAME = PHRASE; later ones may use earlier ones, and a
blank in gives a blank out.`,
		Example: `  yoyaku derive crew-contracts.csv --add "ends = start, lasting term months"
  yoyaku derive crew-contracts.csv --add "ends = start, lasting term months" --where "ends < today"
  yoyaku derive invoices.csv --add "due = invoiced, end of month, +30 days" --reasons
  yoyaku derive berth-leases.csv --read-dates dmy --add "since = days from begins to today"
  yoyaku derive season-passes.csv --add "ends = bought, start of next month, lasting 12 months"
  yoyaku derive courses.csv --add "last = start, lasting days working days" --out courses.xlsx
  yoyaku derive invoices.csv --as ics --event-day invoiced --event-text "{customer}" --key invoice`,
		Args: needArgs(1, 1, "a table, such as crew-contracts.csv"),
	}
	o := a.place(c)
	o.result(c, append(rowFormats, "ics")...)
	t := o.tables(c)
	f := c.Flags()
	f.StringArrayVar(&adds, "add", nil, "`NAME = PHRASE` of a column, or @FILE with one a line")
	f.BoolVar(&reasons, "reasons", false, "add NAME_reason beside each: the steps that changed it")
	f.StringVar(&ev.day, "event-day", "", "with --as ics: `COLUMN` of the day of each row's event")
	f.StringVar(&ev.text, "event-text", "", "with --as ics: `TEXT` of the event, with {columns} in it")
	f.StringVar(&ev.key, "key", "", "with --as ics: `COLUMN` that names the row for good")
	for _, name := range []string{"columns", "sort", "event-day", "key"} {
		_ = c.RegisterFlagCompletionFunc(name, t.completeColumns)
	}
	c.RunE = func(_ *cobra.Command, args []string) error {
		if _, err := o.load(); err != nil {
			return err
		}
		adds, err := readAdds(adds)
		if err != nil {
			return err
		}
		d, err := t.open(args[0])
		if err != nil {
			return err
		}
		used, err := d.Add(adds, reasons, o.loaded.Env)
		if err != nil {
			return inOption("--add", err)
		}
		if err := t.dates(d, used); err != nil {
			return err
		}
		if err := t.finish(d); err != nil {
			return err
		}
		if strings.EqualFold(o.as, "ics") || o.as == "" && strings.EqualFold(filepath.Ext(o.out), ".ics") {
			return t.rowEvents(d, ev)
		}
		return t.pass(d)
	}
	return c
}

// readAdds puts the lines of @FILE in its place; # begins a comment.
func readAdds(adds []string) (list []string, err error) {
	for _, a := range adds {
		name, isFile := strings.CutPrefix(a, "@")
		if !isFile {
			list = append(list, a)
			continue
		}
		data, err := os.ReadFile(name)
		if err != nil {
			return nil, err
		}
		for line := range strings.Lines(string(data)) {
			if line = strings.TrimSpace(line); line != "" && line[0] != '#' {
				list = append(list, line)
			}
		}
	}
	return list, nil
}

// rowEvents says how rows become events.
type rowEvents struct{ day, text, key string }

// rowEvents writes an event for each row that has a day.
func (t *tableOptions) rowEvents(d *rows.Derive, ev rowEvents) error {
	defer t.closer.Close()
	if ev.day == "" || ev.text == "" || ev.key == "" {
		return usagef("events of rows need --event-day, --event-text and --key")
	}
	find := func(option, name string) (int, error) {
		i := rows.Find(d.All(), name)
		if i < 0 {
			return 0, fmt.Errorf("%s: %w", option, rows.UnknownColumn(name, d.All()))
		}
		return i, nil
	}
	day, err := find("--event-day", ev.day)
	if err != nil {
		return err
	}
	key, err := find("--key", ev.key)
	if err != nil {
		return err
	}
	text, err := schedule.ParseTemplate(ev.text, d.All())
	if err != nil {
		return fmt.Errorf("--event-text: %w", err)
	}
	p := t.loaded
	stem := strings.TrimSuffix(filepath.Base(t.name), filepath.Ext(t.name))
	var events []ical.Event
	seen := map[string]int{}
	n := 0
	bad, err := rows.Scan(t.reader, d, func(_ int, row []eval.Value) error {
		n++
		v, ok := eval.DayOf(row[day])
		if !ok {
			return nil
		}
		id := row[key].String()
		if before := seen[id]; id == "" || before > 0 {
			return usagef("%s, row %d: the key `%s` is %q, and a key names one row", t.name, n, ev.key, id)
		}
		seen[id] = n
		events = append(events, ical.Event{UID: fmt.Sprintf("%s.%s.%s@%s", stem, ev.day, id, p.ID), Summary: text.FillRow(row), At: v})
		return nil
	}, nil)
	if err == nil && bad.Count > 0 && !d.Blank {
		err = &badError{t.name, bad}
	}
	if err != nil {
		return err
	}
	return t.write(func(w io.Writer) error {
		return ical.Write(w, ical.Calendar{Name: t.title, Zone: p.Zone, Stamp: p.Env.Today}, events)
	})
}
