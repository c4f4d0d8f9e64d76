package workflow

import (
	"cmp"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"

	"yoyaku/demo"
	"yoyaku/internal/ask"
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/files"
	"yoyaku/internal/plan"
	"yoyaku/internal/query"
	"yoyaku/internal/render"
)

// desk asks the room as the program does: a command, its arguments and options by |.
type desk struct {
	*testing.T
	dir  string
	out  strings.Builder
	args []string
	set  map[string]string
}

// runCommand gives what is answered and told, without the folder, and the exit code of that.
func runCommand(t *testing.T, dir, line string) (said string, code int) {
	t.Helper()
	d := &desk{T: t, dir: dir, set: map[string]string{}}
	words := strings.Split(line, "|")
	for i := 1; i < len(words); i++ {
		name, is := strings.CutPrefix(words[i], "--")
		switch {
		case !is:
			d.args = append(d.args, words[i])
		case slices.Contains([]string{"anyway", "keep-released", "strict", "provisional"}, name):
			d.set[name] = "yes"
		default:
			i++
			d.set[name] = words[i]
		}
	}
	err := d.do(words[0])
	if code = 0; err != nil {
		code = 2
		if errors.As(err, new(*NegativeError)) || errors.As(err, new(*BreachError)) || errors.As(err, new(*LedgerError)) {
			code = 1
		}
		fmt.Fprintln(&d.out, err)
	}
	return strings.ReplaceAll(filepath.ToSlash(d.out.String()), filepath.ToSlash(dir)+"/", ""), code
}

// load reads the plans among the arguments, or that of the folder.
func (d *desk) load(c *plan.Collector) (plans []*plan.Plan, err error) {
	var paths []string
	for len(d.args) > 0 && plan.IsPlanName(d.args[0]) {
		paths, d.args = append(paths, d.args[0]), d.args[1:]
	}
	if paths == nil {
		paths = []string{plan.FileName}
	}
	day, _, _ := civil.Parse(cmp.Or(d.set["as-of"], "2026-11-25"))
	for _, path := range paths {
		p, err := plan.Load(filepath.Join(d.dir, path), plan.Settings{AsOf: day, Collector: c, Hash: d.set["by"] != ""})
		if err != nil {
			return nil, err
		}
		plans = append(plans, p)
	}
	return plans, CheckDistinctIDs(plans)
}

// tell writes what is reported.
func (d *desk) tell() Reporter {
	put := func(format string, args ...any) { fmt.Fprintf(&d.out, format+"\n", args...) }
	return Reporter{put, put}
}

// rows writes rows as CSV.
func (d *desk) rows(p *plan.Plan, columns []string, lines schedule.Lines) error {
	f, _ := render.FindFormat("csv")
	sink, err := f.OpenRows(&d.out, render.Options{})
	if err != nil {
		return err
	}
	r := rows.Result{Sink: sink}
	if d.set["where"] != "" {
		r.Where = []string{d.set["where"]}
	}
	if d.set["columns"] != "" {
		r.Columns = strings.Split(d.set["columns"], ",")
	}
	return r.FillLines(columns, p.Env, lines)
}

func (d *desk) list(name string) []string {
	if d.set[name] == "" {
		return nil
	}
	return strings.Split(d.set[name], ",")
}

func (d *desk) do(command string) error {
	var c plan.Collector
	collect := &c
	if command != "check" && command != "release" {
		collect = nil
	}
	if command == "compare" {
		return d.compare()
	}
	plans, err := d.load(collect)
	if err != nil {
		return err
	}
	p := plans[0]
	switch command {
	case "check", "release":
		list, err := Check(p, &c, d.set["window"], command == "check")
		if err != nil {
			return err
		}
		PromoteNotes(list, d.set["strict"] != "", p.Strict)
		if err := d.rows(p, plan.FindingColumns, schedule.LinesOf(list, plan.Finding.Cells)); err != nil {
			return err
		}
		if fails, notes := CountFindings(list); fails > 0 {
			return &NegativeError{Text: fmt.Sprint(fails, " fails, ", notes, " notes")}
		}
		if command == "release" {
			return d.release(p)
		}
	case "run":
		return d.run(plans)
	case "ahead":
		coming, err := Ahead(plans, AheadRequest{Names: d.args, Within: cmp.Or(d.set["within"], "30 days"), Overdue: cmp.Or(d.set["overdue"], "90 days"), Window: d.set["window"], Owner: d.set["owner"]}, d.tell())
		if err != nil {
			return err
		}
		return d.rows(p, coming.Columns, schedule.LinesOf(coming.Events, coming.Row))
	default:
		for _, other := range plans[1:] {
			p.Join(other)
		}
		return d.query(command, p)
	}
	return nil
}

func (d *desk) run(plans []*plan.Plan) error {
	a := Request{Window: d.set["window"], Series: d.list("series"), KeepReleased: d.set["keep-released"] != "", IgnoreExpectations: d.set["anyway"] != "", By: d.set["by"], Note: d.set["note"], Folder: d.set["out"]}
	sessions, err := Run(plans, a, d.tell())
	var breach *BreachError
	if errors.As(err, &breach) {
		if err := d.rows(breach.Plan, schedule.BreachColumns, schedule.LinesOf(breach.Breaches, schedule.Breach.Cells)); err != nil {
			return err
		}
	}
	if err != nil {
		return err
	}
	columns, lines := Summary(sessions)
	if err := d.rows(plans[0], columns, lines); err != nil {
		return err
	}
	Report(sessions, func(line string) { fmt.Fprintln(&d.out, line) }, d.tell())
	return nil
}

func (d *desk) release(p *plan.Plan) error {
	made, err := Release(p, ReleaseRequest{Window: d.set["window"], Through: d.set["through"], By: d.set["by"], Note: d.set["note"], Series: d.list("series"), AllowProvisional: d.set["provisional"] != ""}, d.tell())
	if err != nil {
		return err
	}
	fmt.Fprintln(&d.out, made)
	if err := d.rows(p, schedule.ChangeColumns, schedule.LinesOf(made.Changes, schedule.Breach.ChangeCells)); err != nil {
		return err
	}
	return made.Write()
}

func (d *desk) compare() error {
	c := Comparison{Key: d.set["key"], Files: &files.Registry{}, Reporter: d.tell(), HasWhatIf: d.set["closed"] != "", Load: func(path string, tried bool) (*plan.Plan, error) {
		day, _, _ := civil.Parse("2026-11-25")
		set := plan.Settings{AsOf: day}
		if tried {
			set.WhatIf.Closed = []string{d.set["closed"]}
		}
		return plan.Load(path, set)
	}}
	if d.args == nil {
		d.args = []string{plan.FileName}
	}
	for i := range d.args {
		d.args[i] = filepath.Join(d.dir, d.args[i])
	}
	var list []schedule.Difference
	t, err := c.Compare(d.args, func(x schedule.Difference) error { list = append(list, x); return nil })
	if err != nil {
		return err
	}
	empty, err := plan.NewEmpty(plan.Settings{})
	if err == nil {
		err = d.rows(empty, schedule.CompareColumns, schedule.LinesOf(list, schedule.Difference.Cells))
	}
	fmt.Fprintln(&d.out, t.String()+".")
	return errors.Join(err, c.ReportWarnings())
}

func (d *desk) query(name string, p *plan.Plan) error {
	i := slices.IndexFunc(query.All(), func(q *ask.Query) bool { return q.Name == name })
	if i < 0 {
		d.Fatalf("no query %s", name)
	}
	ws := NewWorkspace(p)
	ws.Warn, ws.Note = d.tell().Warn, d.tell().Note
	job := &ask.Job{Workspace: &ws, Query: query.All()[i], Args: d.args}
	for name, value := range d.set {
		for _, o := range slices.Concat(job.Query.Options, job.Shape.Options()) {
			if o.Name == name {
				if err := o.Set(value); err != nil {
					return err
				}
			}
		}
	}
	for i, arg := range job.Args {
		if path := filepath.Join(d.dir, arg); !files.NotExist(path) {
			job.Args[i] = path
		}
	}
	f, _ := render.FindFormat(cmp.Or(d.set["as"], map[bool]string{true: "table", false: "csv"}[job.Query.IsDrawing]))
	to, err := f.Open(&d.out, render.Options{})
	if err != nil {
		return err
	}
	var breach *query.BreachError
	if job.Sink, job.Events = to.Rows, to.Events; job.Query.IsSingleValue {
		job.Sink = render.NewValueSink(&d.out)
	}
	if err = job.Answer(); errors.As(err, &breach) {
		if err := d.rows(p, schedule.BreachColumns, schedule.LinesOf(breach.Breaches, schedule.Breach.Cells)); err != nil {
			return err
		}
		return &BreachError{Plan: p, Breaches: breach.Breaches}
	}
	if err == nil {
		d.tell().Warnings(p)
	}
	return err
}

// demoFolder is a copy of the demo, run once.
func demoFolder(t *testing.T) string {
	t.Helper()
	from, err := ranDemo()
	if err != nil {
		t.Fatal(err)
	}
	dir := filepath.Join(t.TempDir(), "demo")
	if err := os.CopyFS(dir, os.DirFS(from)); err != nil {
		t.Fatal(err)
	}
	return dir
}

var ranDemo = sync.OnceValues(func() (string, error) {
	dir, err := os.MkdirTemp("", "office")
	if err != nil {
		return "", err
	}
	if _, err := demo.Write(dir); err != nil {
		return "", err
	}
	day, _, _ := civil.Parse("2026-11-25")
	p, err := plan.Load(filepath.Join(dir, plan.FileName), plan.Settings{AsOf: day})
	if err == nil {
		_, err = Run([]*plan.Plan{p}, Request{}, noReports)
	}
	return dir, err
})

// TestMain removes what the demo was run in.
func TestMain(m *testing.M) {
	code := m.Run()
	if dir, err := ranDemo(); err == nil {
		os.RemoveAll(dir)
	}
	os.Exit(code)
}

func read(t *testing.T, path string) string {
	t.Helper()
	data, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	return string(data)
}

func write(t *testing.T, path, text string) {
	t.Helper()
	if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
}
