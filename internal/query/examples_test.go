package query_test

import (
	"bytes"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"yoyaku/demo"
	"yoyaku/internal/ask"
	"yoyaku/internal/golden"
	"yoyaku/internal/plan"
	"yoyaku/internal/query"
	"yoyaku/internal/render"
	"yoyaku/internal/workflow"
)

// words splits a command line as a shell does, as far as examples need it.
func words(line string) (list []string) {
	word, in, quote := "", false, byte(0)
	for i := 0; i < len(line); i++ {
		switch c := line[i]; {
		case quote != 0 && c == quote:
			quote = 0
		case quote == 0 && (c == '"' || c == '\''):
			quote, in = c, true
		case quote == 0 && c == ' ':
			if in {
				list = append(list, word)
			}
			word, in = "", false
		default:
			word, in = word+string(c), true
		}
	}
	if in {
		list = append(list, word)
	}
	return list
}

// plans are those read so far that have no warnings, by their settings.
var plans = map[string]*plan.Plan{}

// example runs a command line of a query in the folder of a plan, and gives all that it
// writes and tells.
func example(t *testing.T, line string) string {
	t.Helper()
	args := words(line)[1:]
	var q *ask.Query
	for _, one := range query.All() {
		if one.Name == args[0] {
			q = one
		}
	}
	job := &ask.Job{Query: q}
	all := append(append(q.Options, job.In.Options()...), job.Shape.Options()...)
	for _, o := range all {
		o.Reset()
	}
	set, calendar, format := plan.Settings{AsOf: day("2026-11-25")}, "", "csv"
	if q.IsDrawing {
		format = "table"
	}
	for i := 1; i < len(args); i++ {
		name, is := strings.CutPrefix(args[i], "--")
		if !is {
			job.Args = append(job.Args, args[i])
			continue
		}
		value := "yes"
		for _, o := range all {
			if o.Name == name && !o.Value.IsBool() {
				value = ""
			}
		}
		if value == "" || name == "as" || name == "calendar" || name == "as-of" || name == "fiscal-start" || name == "fiscal-end" || name == "leap-day" || name == "out" {
			i++
			value = args[i]
		}
		switch name {
		case "as":
			format = value
		case "calendar":
			calendar = value
		case "as-of":
			set.AsOf = day(value)
		case "fiscal-start", "fiscal-end":
			set.Fiscal = map[string]string{name: value}
		case "leap-day":
			set.LeapDayToMarch = value == "1-mar"
		}
		for _, o := range all {
			if o.Name == name {
				if err := o.Set(value); err != nil {
					return fmt.Sprintln(">", err)
				}
			}
		}
	}
	key := fmt.Sprint(set, calendar)
	p := plans[key]
	if p == nil {
		var err error
		if p, err = plan.Load(plan.FileName, set); err != nil {
			t.Fatal(err)
		}
		if calendar != "" {
			if err := p.SetCalendar(calendar); err != nil {
				return fmt.Sprintln(">", err)
			}
		}
	}
	job.CalendarName = calendar
	var out, told bytes.Buffer
	ws := workflow.NewWorkspace(p)
	ws.Stdin, ws.IsCommand = strings.NewReader(""), true
	ws.Note = func(format string, args ...any) { fmt.Fprintf(&told, "> "+format+"\n", args...) }
	ws.Warn = ws.Note
	ws.Ledger = kept{}
	ws.CreateFile = func(_, path string) (io.Writer, error) { return io.Discard, nil }
	job.Workspace = &ws
	f, _ := render.FindFormat(format)
	to, err := f.Open(&out, render.Options{AsOf: p.Env.Today, Zone: p.Zone})
	if job.Sink, job.Events = to.Rows, to.Events; err == nil {
		if q.IsSingleValue {
			job.Sink = render.NewValueSink(&out)
		}
		err = job.Answer()
	}
	if err != nil {
		fmt.Fprintf(&told, "> %v\n", err)
	}
	plans[key] = p
	for _, w := range p.Warnings() {
		fmt.Fprintln(&told, ">", w)
		delete(plans, key)
	}
	for _, a := range job.Footnotes {
		fmt.Fprintln(&told, ">", a)
	}
	if job.Negative != nil {
		fmt.Fprintln(&told, "> no:", job.Negative)
	}
	text := strings.ReplaceAll(out.String(), "\r\n", "\n") + told.String()
	if lines := strings.SplitAfter(text, "\n"); len(lines) > 100 { // both ends say enough
		text = strings.Join(lines[:60], "") + fmt.Sprintf("… %d lines\n", len(lines)-90) + strings.Join(lines[len(lines)-30:], "")
	}
	return text
}

// TestExamples holds what the examples of each query, and more of its options, give on
// the demo's tables to the files in testdata.
func TestExamples(t *testing.T) {
	here, err := filepath.Abs("testdata")
	if err != nil {
		t.Fatal(err)
	}
	dir := t.TempDir()
	files, err := fs.Sub(demo.Files, "files")
	if err == nil {
		err = os.CopyFS(dir, files)
	}
	if err == nil {
		err = os.CopyFS(dir, os.DirFS("testdata/messy"))
	}
	if err != nil {
		t.Fatal(err)
	}
	text, err := os.ReadFile("testdata/more.lines") // beside the examples that people see
	if err != nil {
		t.Fatal(err)
	}
	more := strings.Split(string(text), "\n")
	t.Chdir(dir)
	for _, q := range query.All() {
		var got strings.Builder
		lines := strings.Split(strings.ReplaceAll(q.Examples, "\\\n", ""), "\n")
		for _, line := range append(lines, more...) {
			if line = strings.TrimSpace(line); !strings.HasPrefix(line, "yoyaku "+q.Name+" ") ||
				strings.Contains(line, " | ") || strings.Contains(line, "--follows") {
				continue
			}
			fmt.Fprintf(&got, "$ %s\n%s\n", line, example(t, line))
		}
		golden.Compare(t, filepath.Join(here, q.Name+".txt"), got.String())
	}
}
