package cli

import (
	"bytes"
	"cmp"
	"errors"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/plan"
	"yoyaku/internal/question"
	"yoyaku/internal/report"
)

// comparison is `yoyaku compare` being run.
type comparison struct {
	app  *App
	s    *settings
	key  string
	fail bool
	out  output
	// plans are those that were asked, whose calendars may not know enough.
	plans []*plan.Plan
}

func (a *App) compareCommand() *cobra.Command {
	m := &comparison{app: a}
	c := &cobra.Command{
		Use:   "compare [OLD NEW]",
		Short: "What moved between two schedules",
		Long: `Tell what differs between two schedules: plans, calendar files (.ics) or tables, each
against each; without any, between the plan of this folder and its outputs as they
stand. Dates are matched by who they are, never by place; other tables by --key.`,
		Example: `  yoyaku compare
  yoyaku compare skerry.ics agenda.csv
  yoyaku compare crew-contracts.csv crew-contracts.csv --key contract`,
		Args: func(c *cobra.Command, args []string) error {
			if len(args) == 1 {
				return usagef("`yoyaku compare` takes two things, the old and the new, or none; `yoyaku compare --help` shows examples")
			}
			return needArgs(0, 2, "")(c, args)
		},
	}
	m.s = a.settings(c, false)
	var shape question.Shape
	m.out = output{app: a, shape: &shape, formats: report.Names(false)}
	options := bindAll(c, []*question.Option{
		{Name: "key", Kind: question.Column, Help: "`COL` that names the rows of tables that are no schedules", Into: &m.key},
		{Name: "fail", Kind: question.Yes, Help: "exit with 1 where something differs", Into: &m.fail},
	}, m.out.with(&shape))
	m.s.completeOptions(c, options, nil)
	c.RunE = func(_ *cobra.Command, args []string) error {
		if err := valid(options, eval.Env{}); err != nil {
			return err
		}
		if len(args) == 0 && m.key != "" {
			return &rows.OptionError{Option: "key", Is: true, Err: errors.New("goes with two tables; the outputs of a plan have keys of their own")}
		}
		return m.do(args)
	}
	return c
}

// do compares and tells.
func (m *comparison) do(args []string) error {
	p, err := plan.Empty(plan.Settings{Now: m.app.Now, Files: m.s.files})
	if err != nil {
		return err
	}
	place := p.Place()
	place.Note, place.Flags = m.app.note, true
	var t schedule.Tally
	err = m.app.lines(&m.out, p, schedule.CompareColumns, func(yield func([]eval.Value, error) bool) {
		put := func(d schedule.Difference) error {
			if !yield(d.Cells(), nil) {
				return errStop
			}
			return nil
		}
		if len(args) == 0 {
			err = m.outputs(&t, put)
		} else {
			err = m.sides(&place, args, &t, put)
		}
		if err != nil && !errors.Is(err, errStop) {
			yield(nil, err)
		}
	})
	if err != nil {
		return err
	}
	var told []string
	for _, p := range m.plans {
		if p.Window != nil {
			if err := m.app.warnHeld(p, nil, *p.Window); err != nil {
				return err
			}
		}
		for _, w := range p.Warnings() {
			if !slices.Contains(told, w) {
				told = append(told, w)
				m.app.warn("%s", w)
			}
		}
	}
	m.app.note("%s.", t)
	if m.fail && t.Differ() {
		return &answerNo{"yoyaku: they differ"}
	}
	return nil
}

var errStop = errors.New("stop")

func (m *comparison) sides(place *question.Place, args []string, t *schedule.Tally, put func(schedule.Difference) error) error {
	var sides [2]question.Side
	for i, name := range args {
		var err error
		if sides[i], err = m.side(name); err != nil {
			return err
		}
	}
	got, err := place.Compare(sides[0], sides[1], m.key, put)
	*t = got
	return err
}

// side is a plan or a file.
func (m *comparison) side(name string) (question.Side, error) {
	s := question.Side{Name: name}
	if err := m.s.files.Read(name); err != nil {
		return s, err
	}
	if !strings.HasPrefix(strings.ToLower(filepath.Ext(name)), ".y") {
		if _, err := os.Stat(name); err != nil {
			return s, err
		}
		s.Open = func() (io.ReadCloser, error) { return os.Open(name) }
		return s, nil
	}
	settings := *m.s
	settings.plan = name
	p, err := settings.load()
	if err != nil {
		return s, err
	}
	m.plans = append(m.plans, p)
	r := m.app.newRun()
	r.plan, r.series = p, p.Series
	r.note = func(_ *plan.Output, text string) { m.app.note("%s: %s", name, text) }
	if r.span, err = r.windowOf(); err != nil {
		return s, err
	}
	wide, err := settings.load() // whose calendars are asked further than the answer goes
	if err != nil {
		return s, err
	}
	s.Window = &r.span
	s.Dates = func(span, around civil.Span) ([]schedule.Event, error) {
		if _, err := p.Ahead(plan.Ahead{Series: p.Series, Records: p.Records, Window: span, Overdue: span.First}, r.place(nil)); err != nil {
			return nil, err
		}
		r.note = func(*plan.Output, string) {}
		return wide.Ahead(plan.Ahead{Series: wide.Series, Records: wide.Records, Window: around, Overdue: around.First}, r.place(nil))
	}
	return s, nil
}

// outputs compares the plan's outputs as they stand with what it makes now. What
// several files tell alike is told once.
func (m *comparison) outputs(t *schedule.Tally, put func(schedule.Difference) error) error {
	if err := m.s.planArgument(nil, "compare"); err != nil {
		return err
	}
	p, err := m.s.load()
	if err != nil {
		return err
	}
	r := m.app.newRun()
	m.plans = append(m.plans, p)
	r.plan, r.series, r.dir = p, p.Series, filepath.Dir(p.Path)
	r.note = func(*plan.Output, string) {}
	if r.span, err = r.windowOf(); err != nil {
		return err
	}
	place := p.Place()
	place.Note = func(string, ...any) {}
	told := map[string]bool{}
	var left []string
	defer func() {
		if left != nil {
			m.app.note("Not compared, since their rows have no key or such a file isn't read: %s.", strings.Join(left, ", "))
		}
	}()
	list := slices.Clone(p.Outputs) // tables of one series last: they don't tell why a milestone moved
	slices.SortStableFunc(list, func(a, b *plan.Output) int { return cmp.Compare(single(a), single(b)) })
	for _, out := range list {
		path := filepath.Join(r.dir, filepath.FromSlash(out.File))
		if _, err := os.Stat(path); err != nil {
			m.app.note("%s: not there yet.", out.File)
			continue
		}
		key := ""
		if out.Days() {
			key = "date"
		}
		if out.Record != nil {
			if key = out.Record.Key; out.Make != nil {
				key = ""
			}
		}
		if out.Record != nil && key == "" || !question.Readable(out.File) {
			left = append(left, out.File)
			continue
		}
		if err := m.s.files.Read(path); err != nil {
			return err
		}
		var b bytes.Buffer
		err := r.output(&b, out, out.Of)
		r.stage.Drop()
		if err != nil {
			return out.Fault(err)
		}
		series := ""
		if out.Wide() {
			series = out.Of[0].Name
		}
		old := question.Side{Name: path, Series: series, Open: func() (io.ReadCloser, error) { return os.Open(path) }}
		now := question.Side{Name: path, Series: series, Window: &r.span, Open: func() (io.ReadCloser, error) { return io.NopCloser(bytes.NewReader(b.Bytes())), nil }}
		got, err := place.Compare(old, now, key, func(d schedule.Difference) error {
			line := "" // a title that went along is told by one file and not by another
			for _, c := range d.Cells()[1:6] {
				line += phrase.FoldName(c.String()) + "\x00"
			}
			if told[line] {
				return nil
			}
			told[line] = true
			t.Count(d)
			return put(d)
		})
		if err != nil {
			return err
		}
		t.Same = max(t.Same, got.Same)
	}
	return nil
}

// single is 1 for an output that is the table of one series.
func single(o *plan.Output) int {
	if len(o.Of) == 1 && !o.Format.Events {
		return 1
	}
	return 0
}
