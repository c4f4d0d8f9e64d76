package cli

import (
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
	"yoyaku/internal/plan"
	"yoyaku/internal/report"
	"yoyaku/internal/tabular"
)

// options are those that commands share.
type options struct {
	app                                           *App
	plan, calendar, asOf, weekStart, fiscal, leap string
	as, out, title, color, showDates              string
	loaded                                        *plan.Plan
}

// place adds the options that say where and when phrases are read.
func (a *App) place(c *cobra.Command) *options {
	o := a.when(c)
	f := c.Flags()
	f.StringVar(&o.plan, "plan", "", "plan `FILE` to take calendars and settings from (yoyaku.yaml\nhere is taken by itself)")
	f.StringVar(&o.calendar, "calendar", "", "working calendar: a `NAME` of the plan, names joined by\n+, or a calendar file")
	f.StringVar(&o.weekStart, "week-start", "", "`WEEKDAY` that weeks start on (default mon)")
	f.StringVar(&o.fiscal, "fiscal-start", "", "`DAY` the fiscal year starts on: apr, 6 apr (default 1 jan)")
	f.StringVar(&o.leap, "leap-day", "", "`DAY` that keeps a 29 February in other years: 28-feb or\n1-mar (default 28-feb)")
	_ = c.RegisterFlagCompletionFunc("calendar", o.completeCalendars)
	return o
}

// when adds the option that says what today is.
func (a *App) when(c *cobra.Command) *options {
	o := &options{app: a}
	c.Flags().StringVar(&o.asOf, "as-of", "", "`DATE` that today means (default: YOYAKU_AS_OF, or the clock)")
	return o
}

// result adds the options that say where a table goes and how.
func (o *options) result(c *cobra.Command, formats ...string) {
	f := c.Flags()
	f.StringVar(&o.as, "as", "", "`FORMAT`: "+strings.Join(formats, ", ")+"\n(default: table on a terminal, else csv)")
	f.StringVar(&o.out, "out", "", "`FILE` to write, by its ending, instead of standard output")
	f.StringVar(&o.title, "title", "", "`TEXT` over the table")
	f.StringVar(&o.showDates, "show-dates", "", "`LAYOUT` of dates in the result: '%d %b %Y' (default: ISO)")
	f.StringVar(&o.color, "color", "auto", "`WHEN` to colour: auto, always or never")
	_ = c.RegisterFlagCompletionFunc("as", cobra.FixedCompletions(formats, cobra.ShellCompDirectiveNoFileComp))
}

// load reads the plan, if there is one, and the calendar.
func (o *options) load() (*plan.Plan, error) {
	s := plan.Settings{Now: o.app.Now, WeekStart: o.weekStart, FiscalStart: o.fiscal}
	switch o.leap {
	case "", "28-feb":
	case "1-mar":
		s.LeapMarch = true
	default:
		return nil, usagef("--leap-day is 28-feb or 1-mar, not %q", o.leap)
	}
	asOf, from := o.asOf, "--as-of"
	if asOf == "" {
		asOf, from = o.app.Getenv("YOYAKU_AS_OF"), "YOYAKU_AS_OF"
	}
	if asOf != "" {
		d, _, ok := civil.Parse(strings.TrimSpace(asOf))
		if !ok {
			return nil, usagef("%s is a date such as 2027-03-31, not %q", from, asOf)
		}
		s.AsOf = d
	}
	path := o.plan
	if path == "" {
		if _, err := os.Stat(plan.FileName); err == nil {
			path = plan.FileName
		}
	}
	p, err := plan.Empty(s)
	if err == nil && path != "" {
		p, err = plan.Load(path, s)
	}
	if err != nil {
		return nil, err
	}
	if o.calendar != "" {
		cal, err := p.Calendar(o.calendar)
		if err != nil {
			return nil, fmt.Errorf("--calendar: %w", err)
		}
		p.Env.Calendar = cal
	}
	o.loaded = p
	return p, nil
}

// window reads a --window.
func (o *options) window(text string) (civil.Span, error) { return eval.Window(text, o.loaded.Env) }

// format settles on an output format, given those that a command can make.
func (o *options) format(formats ...string) (string, error) {
	as := strings.ToLower(o.as)
	if as == "" && o.out != "" {
		as = strings.ToLower(strings.TrimPrefix(filepath.Ext(o.out), "."))
		if as == "" || as == "txt" {
			as = "table"
		}
	}
	if as == "" {
		as = "csv"
		if _, terminal := o.app.terminal(); terminal {
			as = "table"
		}
	}
	if slices.Contains(formats, as) {
		return as, nil
	}
	return "", usagef("unknown format %q; this command writes %s", as, strings.Join(formats, ", "))
}

// sink makes the writer of a format, which shows dates as --show-dates says.
// Workbooks have real dates in any case.
func (o *options) sink(w io.Writer, format string) (rows.Sink, error) {
	s, err := o.plainSink(w, format)
	if err != nil || o.showDates == "" || format == "xlsx" {
		return s, err
	}
	show, err := report.Strftime(o.showDates)
	if err != nil {
		return nil, fmt.Errorf("--show-dates: %w", err)
	}
	return &shownDates{Sink: s, show: show}, nil
}

// shownDates writes dates by a layout.
type shownDates struct {
	rows.Sink
	show func(d civil.Date, minutes int) string
	room []eval.Value
}

// Mark implements rows.Marker.
func (s *shownDates) Mark(on bool) {
	if m, ok := s.Sink.(rows.Marker); ok {
		m.Mark(on)
	}
}

func (s *shownDates) Row(cells []eval.Value) error {
	s.room = append(s.room[:0], cells...)
	for i, v := range s.room {
		if v.Kind == eval.Date || v.Kind == eval.Moment {
			s.room[i] = eval.Str(s.show(v.Day, int(v.Minutes)))
		}
	}
	return s.Sink.Row(s.room)
}

func (o *options) plainSink(w io.Writer, format string) (rows.Sink, error) {
	title := o.title
	if title != "" {
		title += ", as of " + o.loaded.Env.Today.String()
	}
	switch format {
	case "md":
		return report.NewMarkdown(w, title), nil
	case "html":
		return report.NewHTML(w, title), nil
	case "csv":
		return tabular.NewCSV(w), nil
	case "tsv":
		return tabular.NewTSV(w), nil
	case "json":
		return tabular.NewJSON(w), nil
	case "jsonl":
		return tabular.NewJSONL(w), nil
	case "xlsx":
		return tabular.NewXLSX(w)
	}
	t := report.Table{Title: title}
	width, terminal := o.app.terminal()
	if o.out == "" {
		t.Width = width
	}
	switch o.color {
	case "always":
		t.Color = true
	case "never":
	case "auto":
		t.Color = terminal && o.out == "" && o.app.Getenv("NO_COLOR") == ""
	default:
		return nil, usagef("--color is auto, always or never, not %q", o.color)
	}
	return report.NewTable(w, t), nil
}

// write makes the result: to the file of --out, whole or not at all, or to
// standard output.
func (o *options) write(fill func(io.Writer) error) error {
	if o.out == "" {
		return fill(o.app.Out)
	}
	return writeFile(o.out, o.loaded.Inputs, fill)
}

// table writes a result of rows.
func (o *options) table(formats []string, fill func(rows.Sink) error) error {
	format, err := o.format(formats...)
	if err != nil {
		return err
	}
	return o.write(func(w io.Writer) error {
		s, err := o.sink(w, format)
		if err != nil {
			return err
		}
		if err := fill(s); err != nil {
			return err
		}
		return s.Close()
	})
}

// completeCalendars offers the calendars of the plan at hand.
func (o *options) completeCalendars(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
	p, err := o.load()
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	return p.CalendarNames(), cobra.ShellCompDirectiveNoFileComp
}
