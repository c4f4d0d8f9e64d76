package query_test

import (
	"bytes"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/civil"
	"yoyaku/internal/golden"
	"yoyaku/internal/plan"
	"yoyaku/internal/query"
	"yoyaku/internal/render"
	"yoyaku/internal/workflow"
)

// asked is a query asked in a folder, as of 2027-03-10.
type asked struct {
	dir, format string
	calendar    string
	column      string // that names the calendar of each row
}

// ask asks a query: options are NAME=VALUE, in is standard input. said is what
// was told beside the answer.
func (a asked) ask(name, in string, options []string, args ...string) (out, said string, err error) {
	p, err := plan.NewEmpty(plan.Settings{AsOf: day("2027-03-10")})
	if err != nil {
		return "", "", err
	}
	if a.calendar != "" {
		if p.Env.Calendar, err = p.Calendar(a.calendar); err != nil {
			return "", "", err
		}
	}
	p.Env.CalendarColumn = a.column
	var q *ask.Query
	for _, one := range query.All() {
		if one.Name == name {
			q = one
		}
	}
	var told, b bytes.Buffer
	ws := workflow.NewWorkspace(p)
	ws.Stdin, ws.IsCommand = strings.NewReader(in), true
	ws.Note = func(format string, args ...any) { fmt.Fprintf(&told, format+"\n", args...) }
	ws.Warn = ws.Note
	ws.CreateFile = func(_, path string) (io.Writer, error) { return os.Create(filepath.Join(a.dir, path)) }
	job := &ask.Job{Workspace: &ws, Query: q, Args: args}
	all := append(append(q.Options, job.In.Options()...), job.Shape.Options()...)
	for _, o := range all {
		o.Reset()
	}
	for _, text := range options {
		name, value, _ := strings.Cut(text, "=")
		for _, o := range all {
			if o.Name == name {
				if err := o.Set(value); err != nil {
					return "", "", err
				}
			}
		}
	}
	for _, o := range all {
		if err := o.Check(p.Env); err != nil {
			return "", "", err
		}
	}
	if err := job.In.Check(); err != nil {
		return "", "", err
	}
	f, _ := render.FindFormat(a.format)
	to, err := f.Open(&b, render.Options{AsOf: p.Env.Today, GuardFormulas: job.Shape.Safe})
	if job.Sink, job.Events = to.Rows, to.Events; err == nil {
		err = job.Answer()
	}
	for _, w := range p.Warnings() {
		fmt.Fprintln(&told, w)
	}
	return b.String(), told.String(), err
}

func day(s string) civil.Date { d, _, _ := civil.Parse(s); return d }

// A case is a query over a small table: the options, the input, the answer's lines by |
// and a part of what is reported beside them; or the error. RANGES and PHRASES are files.
type answerOf struct{ ask, in, options, want, said string }

// casesIn are those of a file.
func casesIn(t *testing.T, path string) (list []answerOf) {
	for _, c := range golden.Cases(t, path, 5) {
		list = append(list, answerOf{c[0], c[1], c[2], c[3], c[4]})
	}
	return list
}

// answers asks for each answer and gives the folder in which files were written.
func answers(t *testing.T, list []answerOf) (dir string) {
	t.Helper()
	dir = t.TempDir()
	for name, text := range map[string]string{
		"ranges.csv":  "who,role,a,b\n007,pilot,2027-01-01,2027-01-31\n007,master,2027-02-01,\n",
		"phrases.txt": "# a comment\nx = hired, +1 day\n\ny = x, +1 day\n",
	} {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	here := strings.NewReplacer("RANGES", filepath.Join(dir, "ranges.csv"), "PHRASES", filepath.Join(dir, "phrases.txt"))
	for _, c := range list {
		c.ask, c.options = here.Replace(c.ask), here.Replace(c.options)
		a := asked{dir: dir, format: "csv"}
		sep := ";"
		if !strings.Contains(c.options, ";") {
			sep = " "
		}
		var options []string
		for _, o := range splitOptions(c.options, sep) {
			if cal, ok := strings.CutPrefix(o, "@"); ok {
				a.calendar = cal
			} else {
				options = append(options, o)
			}
		}
		args := strings.Split(c.ask, "|")
		out, said, err := a.ask(args[0], c.in, options, args[1:]...)
		got := strings.TrimSuffix(strings.ReplaceAll(out, "\n", "|"), "|")
		if args[0] == "value" {
			got = strings.TrimPrefix(got, "value|")
		}
		if err != nil {
			if !strings.Contains(err.Error(), c.want) {
				t.Errorf("%s %s: %v, want %s", c.ask, c.options, err, c.want)
			}
			continue
		}
		if got != c.want {
			t.Errorf("%s %s:\n  %s, want\n  %s", c.ask, c.options, got, c.want)
		}
		if c.said == "-" && said != "" {
			t.Errorf("%s %s: %s", c.ask, c.options, said)
		}
		for _, part := range strings.Split(strings.Trim(c.said, "-"), "|") {
			if !strings.Contains(said, part) {
				t.Errorf("%s %s tells %q, want %q", c.ask, c.options, said, part)
			}
		}
	}
	return dir
}

// splitOptions splits NAME=VALUE pairs: at semicolons, or at spaces in front of a
// name with = or of @.
func splitOptions(s, sep string) (list []string) {
	if sep == ";" {
		return strings.Split(s, ";")
	}
	for _, w := range strings.Fields(s) {
		name, _, ok := strings.Cut(w, "=")
		if len(list) > 0 && !strings.HasPrefix(w, "@") && (!ok || name == "" || strings.ContainsAny(name, "'(<>!") || w == "=") {
			list[len(list)-1] += " " + w
			continue
		}
		list = append(list, w)
	}
	return list
}

// Every query's options are declared whole: a kind that fits the field, help
// with a word for the value, a name once; and defaults are good.
func TestDeclarations(t *testing.T) {
	p, err := plan.NewEmpty(plan.Settings{AsOf: day("2027-03-10")})
	if err != nil {
		t.Fatal(err)
	}
	var declared strings.Builder
	for _, q := range query.All() {
		var in ask.TableOptions
		var shape ask.Shape
		seen := map[string]bool{}
		fmt.Fprintf(&declared, "%s in %v at %d: %d to %d arguments, %s %q; table %v record %v bare %v alone %v plan %v drawn %v events %v planless %v\n", q.Name, q.Group, q.Order, q.MinArgs,
			q.MaxArgs, q.ArgsCompletion, q.ArgsHelp, q.TakesTable, q.ForRecords, q.IsSingleValue, q.NeedsNoRecord, q.TakesPlanFile, q.IsDrawing, q.GivesEvents, q.IgnoresPlan)
		for _, o := range append(append(q.Options, in.Options()...), shape.Options()...) {
			o.Reset()
			fmt.Fprintf(&declared, "  %s: %s, of %v, default %q, needed %v, several %v, least %d, with %v not %v, %s\n", o.Name, o.Value.Description, o.Value.Choices, o.Default, o.Required,
				o.Value.Repeatable, o.Value.Min, o.Requires, o.Conflicts, o.Completion)
			switch {
			case seen[o.Name]:
				t.Errorf("%s: %s is declared twice", q.Name, o.Name)
			case !o.Value.IsBool() && (strings.Count(o.Help, "`") == 2) == (o.Placeholder != ""), o.Describe() == "":
				t.Errorf("%s: the help of %s has no word for the value", q.Name, o.Name)
			}
			seen[o.Name] = true
			if err := o.Check(p.Env); err != nil && !o.Required {
				t.Errorf("%s: %v", q.Name, err)
			}
			if o.Value.Repeatable && o.Default != "" {
				if err := o.Set("7"); err != nil {
					t.Errorf("%s: %s: %v", q.Name, o.Name, err)
				}
			}
		}
		if q.Examples == "" || q.Short == "" {
			t.Errorf("%s is without help", q.Name)
		}
	}
	golden.Compare(t, "testdata/declared.txt", declared.String())
	if _, err := query.New("deu"); err == nil || !strings.Contains(err.Error(), "did you mean `due`?") {
		t.Errorf("an unknown query: %v", err)
	}
}
