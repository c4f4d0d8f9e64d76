package cli

import (
	"fmt"
	"io"
	"path/filepath"
	"strconv"
	"strings"

	"yoyaku/internal/plan"
)

// recordOutput makes an output of a record, as the command of that name would.
func (o *options) recordOutput(w io.Writer, out plan.Output) error {
	app := *o.app
	app.Out = w
	r, arg := out.Record, out.Args
	t := &tableOptions{options: &options{app: &app, loaded: o.loaded, as: out.Format, color: "never", title: arg["title"]}, badRows: "stop",
		where: arg["where"], sort: arg["sort"], choose: arg["columns"]}
	t.input.Sheet, t.input.Encoding, t.openWords = r.Options["sheet"], r.Options["encoding"], r.Options["open-words"]
	if line := r.Options["header-row"]; line != "" {
		n, err := strconv.Atoi(line)
		if err != nil || n < 1 {
			return fmt.Errorf("header-row is the number of a line, not %q", line)
		}
		t.input.HeaderRow = n
	}
	if form := r.Options["read-dates"]; form != "" {
		t.readDates = []string{form}
		if strings.Contains(form, "=") {
			t.readDates = strings.Split(form, ",")
		}
	}
	if join := r.Options["join-dates"]; join != "" {
		t.joins = []string{join}
	}
	d, err := t.open(r.Table)
	if err != nil {
		return err
	}
	used, err := d.Add(r.Columns, false, o.loaded.Env)
	if err != nil {
		return fmt.Errorf("record %s: %w", r.Name, err)
	}
	t.used = used
	if where := r.Options["where"]; where != "" {
		if err := d.Where(where, o.loaded.Env); err != nil {
			return fmt.Errorf("record %s: %w", r.Name, err)
		}
	}
	yes := func(key string) bool { return arg[key] == "true" || arg[key] == "yes" }
	or := func(key, instead string) string {
		if arg[key] == "" {
			return instead
		}
		return arg[key]
	}
	switch out.Make {
	case "due":
		return t.due(d, dueArgs{dates: strings.Split(arg["date"], "\n"), within: arg["within"], window: arg["window"], bands: or("bands", "30,60,90"),
			yearly: yes("yearly"), upcoming: yes("upcoming")})
	case "spread":
		args := spreadArgs{start: arg["start"], end: arg["end"], by: arg["by"], window: arg["window"], openThrough: arg["open-through"], per: arg["per"],
			overlaps: or("overlaps", "stop"), dates: arg["dates"], working: yes("working")}
		if args.dates != "" {
			return t.instalments(d, args)
		}
		return t.spread(d, args)
	case "tally":
		return t.tally(d, tallyArgs{arg["rows"], arg["cols"], arg["sum"]})
	case "grid":
		return t.grid(d, gridArgs{name: arg["name"], start: arg["start"], end: arg["end"], window: arg["window"], mark: arg["mark"],
			openThrough: arg["open-through"], everyDay: yes("every-day")})
	case "match":
		ranges := filepath.Join(filepath.Dir(o.loaded.Path), filepath.FromSlash(arg["ranges"]))
		return t.match(d, matchArgs{ranges, arg["key"], arg["date"], arg["start"], arg["end"], or("several", "stop"), arg["open-through"]})
	}
	if err := t.dates(d, used); err != nil {
		return err
	}
	if err := t.finish(d); err != nil {
		return err
	}
	return t.pass(d)
}
