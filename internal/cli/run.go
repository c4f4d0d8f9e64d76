package cli

import (
	"bytes"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/ical"
	"yoyaku/internal/plan"
)

func (a *App) runCommand() *cobra.Command {
	var window, dir, only string
	c := &cobra.Command{
		Use:   "run [PLAN]",
		Short: "Make every schedule and output of a plan",
		Long: `Make all outputs of a plan (yoyaku.yaml in this folder unless named), and print a
line for each series. All files appear together, or none does and the older ones
stay.`,
		Example: `  yoyaku run
  yoyaku run yoyaku.yaml --window 2027-H1 --out half
  yoyaku run --series crew-pay,safety-drill`,
		Args: needArgs(0, 1, ""),
	}
	o := a.when(c)
	f := c.Flags()
	f.StringVar(&window, "window", "", "`SPAN` instead of the plan's window")
	f.StringVar(&dir, "out", "", "`FOLDER` for the outputs (default: the plan's)")
	f.StringVar(&only, "series", "", "`NAMES` of the series to make, with commas")
	f.StringVar(&o.as, "as", "", "`FORMAT` of the report: table, csv, json")
	f.StringVar(&o.color, "color", "auto", "`WHEN` to colour: auto, always or never")
	_ = c.RegisterFlagCompletionFunc("series", o.completeSeries)
	c.RunE = func(_ *cobra.Command, args []string) error {
		if len(args) == 1 {
			o.plan = args[0]
		} else if o.plan == "" {
			o.plan = plan.FileName
			if _, err := os.Stat(o.plan); err != nil {
				return usagef("there is no yoyaku.yaml in this folder; name a plan: yoyaku run PLAN, or start with yoyaku demo")
			}
		}
		if _, err := o.load(); err != nil {
			return err
		}
		return o.run(window, dir, only)
	}
	return c
}

// completeSeries offers the series of the plan at hand.
func (o *options) completeSeries(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
	p, err := o.load()
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	return p.Env.SeriesNames, cobra.ShellCompDirectiveNoFileComp
}

func (o *options) run(window, dir, only string) error {
	p := o.loaded
	if dir == "" {
		dir = filepath.Dir(p.Path)
	}
	series, err := chosen(p, only)
	if err != nil {
		return err
	}
	span, err := o.runWindow(window, series)
	if err != nil {
		return err
	}
	var sums []schedule.Summary
	for _, s := range series {
		sum, err := schedule.Summarise(s, span, p.Env.Today)
		if err != nil {
			return fmt.Errorf("series %s: %w", s.Name, err)
		}
		sums = append(sums, sum)
	}
	told, err := o.outputs(dir, series, span)
	if err != nil {
		return err
	}
	if err := o.table(rowFormats, func(to rows.Sink) error { return reportRun(to, sums) }); err != nil {
		return err
	}
	for _, line := range told {
		o.app.note("%s", line)
	}
	for _, s := range sums {
		for _, text := range s.Warnings {
			o.app.warn("%s: %s", s.Series.Name, text)
		}
	}
	return nil
}

// chosen picks the series named by --series.
func chosen(p *plan.Plan, only string) ([]*schedule.Series, error) {
	if only == "" {
		return p.Series, nil
	}
	var list []*schedule.Series
	for _, name := range strings.Split(only, ",") {
		s := p.Find(strings.TrimSpace(name))
		if s == nil {
			return nil, unknownSeries("--series: ", name, p)
		}
		list = append(list, s)
	}
	return list, nil
}

// runWindow settles on the window: the option's, the plan's, or where there is
// neither all time, if every series ends by itself.
func (o *options) runWindow(text string, series []*schedule.Series) (civil.Span, error) {
	if text != "" {
		return o.window(text)
	}
	if o.loaded.Window != nil {
		return *o.loaded.Window, nil
	}
	for _, s := range series {
		if s.Rec.Rule.Endless() {
			return civil.Span{}, usagef("%s: the series `%s` has no end; give the plan a window (window: 2027), or use --window", o.loaded.Path, s.Name)
		}
	}
	return civil.Always, nil
}

func reportRun(to rows.Sink, sums []schedule.Summary) error {
	if err := to.Header([]string{"series", "dates", "first", "last", "next", "moved", "warnings"}); err != nil {
		return err
	}
	for _, s := range sums {
		if err := to.Row([]eval.Value{eval.Str(s.Series.Name), eval.Int(s.Dates), eval.Day(s.First), eval.Day(s.Last),
			eval.Day(s.Next), eval.Int(s.Moved), eval.Int(len(s.Warnings))}); err != nil {
			return err
		}
	}
	return nil
}

// outputs makes the plan's files in dir, all staged before the first is put in
// place, and tells what became of each.
func (o *options) outputs(dir string, series []*schedule.Series, span civil.Span) (told []string, err error) {
	var st stage
	defer st.drop()
	for _, out := range o.loaded.Outputs {
		of := slices.DeleteFunc(slices.Clone(out.Of), func(s *schedule.Series) bool { return !slices.Contains(series, s) })
		if len(of) == 0 && (out.Record == nil || len(series) < len(o.loaded.Series)) {
			continue
		}
		path := filepath.Join(dir, filepath.FromSlash(out.File))
		if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
			return nil, err
		}
		if err := inside(dir, path); err != nil {
			return nil, err
		}
		if err := notInput(path, o.loaded.Inputs); err != nil {
			return nil, err
		}
		var b bytes.Buffer
		if out.Record != nil {
			err = o.recordOutput(&b, out)
			told = append(told, "  "+out.File+": "+replaced(path, b.Bytes()))
		} else { // a table of one series is wide, however many --series leaves
			err = o.output(&b, out.Format, of, len(out.Of) == 1, span)
			told = append(told, "  "+out.File+": "+changes(path, out.Format, b.Bytes()))
		}
		if err != nil {
			return nil, fmt.Errorf("output %s: %w", out.File, err)
		}
		if sameBytes(path, b.Bytes()) {
			continue
		}
		w, err := st.create(path)
		if err != nil {
			return nil, err
		}
		if _, err := w.Write(b.Bytes()); err != nil {
			return nil, err
		}
	}
	return told, st.commit()
}

func (o *options) output(w io.Writer, format string, of []*schedule.Series, wide bool, span civil.Span) error {
	p := o.loaded
	if wide && format != "ics" {
		sink, err := o.sink(w, format)
		if err != nil {
			return err
		}
		if err := schedule.Wide(of[0], span, sink); err != nil {
			return err
		}
		return sink.Close()
	}
	entries, err := schedule.Entries(of, span)
	if err != nil {
		return err
	}
	if format != "ics" {
		sink, err := o.sink(w, format)
		if err != nil {
			return err
		}
		if err := schedule.Agenda(entries, sink); err != nil {
			return err
		}
		return sink.Close()
	}
	var events []ical.Event
	for _, e := range entries {
		events = append(events, event(e, p.ID))
	}
	return ical.Write(w, ical.Calendar{Name: p.Title, Zone: p.Zone, Stamp: p.Env.Today}, events)
}
