package report

import (
	"html/template"
	"io"
	"regexp"
	"slices"
	"strings"
	"sync"

	"github.com/jedib0t/go-pretty/v6/table"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
)

// held keeps the rows of a table until it is closed.
type held struct {
	columns []string
	body    [][]string
	numeric []bool
	on      bool
	marked  []bool // rows that stand out
}

// Shows says that rows can stand out.
func (h *held) Shows() rows.Shows { return rows.Shows{Mark: func(on bool) { h.on = on }} }

func (h *held) Header(columns []string) error {
	h.columns, h.numeric = columns, make([]bool, len(columns))
	return nil
}

func (h *held) Row(cells []eval.Value) error {
	if err := room(len(h.body), len(cells)); err != nil {
		return err
	}
	row := make([]string, len(cells))
	for i, c := range cells {
		row[i] = Clean(c.String())
		h.numeric[i] = h.numeric[i] || c.IsNumber()
	}
	h.body, h.marked = append(h.body, row), append(h.marked, h.on)
	return nil
}

type markdownSink struct {
	held
	title string
	w     io.Writer
}

// NewMarkdown returns a sink that writes a Markdown table.
func NewMarkdown(w io.Writer, title string) rows.Sink { return &markdownSink{title: title, w: w} }

func (s *markdownSink) Close() error {
	t := table.NewWriter()
	row := func(cells []string) table.Row {
		r := make(table.Row, len(cells))
		for i, c := range cells {
			r[i] = inMarkdown(c)
		}
		return r
	}
	t.AppendHeader(row(s.columns))
	for i, r := range s.body {
		line := row(r)
		if s.marked[i] {
			if last := len(r) - 1; r[last] != "" {
				line[last] = "**" + inMarkdown(r[last]) + "**"
			}
		}
		t.AppendRow(line)
	}
	text := t.RenderMarkdown() + "\n"
	if s.title != "" {
		text = "**" + inMarkdown(s.title) + "**\n\n" + text
	}
	_, err := io.WriteString(s.w, text)
	return err
}

// markdownMarks are what a text has that Markdown would take as a mark; the bars of tables
// are seen to by their writer.
var markdownMarks = strings.NewReplacer("<", "&lt;", `\`, `\\`, "*", `\*`, "_", `\_`, "[", `\[`, "]", `\]`, "`",
	"\\`", "~", `\~`)

// entityMarks are texts that Markdown would read as a character of another name.
var entityMarks = regexp.MustCompile(`&(#?\w+;)`)

// inMarkdown writes a text so that Markdown shows it as it is.
func inMarkdown(s string) string {
	return markdownMarks.Replace(entityMarks.ReplaceAllString(s, "&amp;$1"))
}

type htmlSink struct {
	title string
	asOf  civil.Date
	w     io.Writer
	named []string // columns that keep their names
	table *paper
	on    bool // rows stand out
	total bool // the next row is that of totals
	band  int  // the column of bands; -1 for none
}

// Shows says what a page shows beside rows.
func (s *htmlSink) Shows() rows.Shows {
	return rows.Shows{
		Mark:  func(on bool) { s.on = on },
		Total: func() { s.total = true },
		Named: func(columns []string) { s.named = columns },
		Grid:  func(g *rows.Grid) error { return GridPage(s.w, g, s.title) },
	}
}

// NewHTML returns a sink that writes a self-contained page with one table.
// Everything in it is escaped.
func NewHTML(w io.Writer, l Look) rows.Sink { return &htmlSink{title: l.over(), asOf: l.AsOf, w: w} }

// Header implements rows.Sink.
func (s *htmlSink) Header(columns []string) error {
	s.table, s.band = newPaper(slices.Clone(columns), s.named), slices.Index(columns, "band")
	return nil
}

// Row implements rows.Sink.
func (s *htmlSink) Row(cells []eval.Value) error {
	if err := room(len(s.table.Body), len(cells)); err != nil {
		return err
	}
	class := ""
	switch {
	case s.total:
		class = "t"
	case s.on && s.band >= 0 && rows.Past(cells[s.band].String()):
		class = "o"
	case s.on:
		class = "m"
	}
	s.table.add(cells, class)
	return nil
}

// ground are the colours of pages, on paper and on a dark screen.
const ground = `:root { color-scheme: light dark; --ink: #1d2730; --paper: #fcfcfa; --faint: #4d5a66; --rule: #dfe5e8; --line: #5a7184; --shut: #e9ecee; --near: #fbe7c6; --late: #f8d3cc; --mark: #1f6d74; }
@media (prefers-color-scheme: dark) { :root { --ink: #e6eaee; --paper: #14191e; --faint: #a9b4be; --rule: #343d45; --line: #8fa3b3; --shut: #232b32; --near: #4a3a1a; --late: #5a2a24; --mark: #1f6d74; } }
body { color: var(--ink); background: var(--paper); font-variant-numeric: tabular-nums; }
h1 { font-size: 1.25rem; font-weight: 600; }
table { border-collapse: collapse; }
.vh { position: absolute; width: 1px; height: 1px; overflow: hidden; clip-path: inset(50%); white-space: nowrap; }
@media print { :root { --ink: #000; --paper: #fff; --faint: #4d5a66; --rule: #c9d1d6; --shut: #e9ecee; --near: #fbe7c6; --late: #f8d3cc; } body { margin: 0; print-color-adjust: exact; -webkit-print-color-adjust: exact; } }
`

// parsed is a template that is parsed when it is first wanted: few runs want any.
func parsed(name, text string) func() *template.Template {
	return sync.OnceValue(func() *template.Template { return template.Must(template.New(name).Parse(text)) })
}

var page = parsed("page", `<!DOCTYPE html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>{{if .Title}}{{.Title}}{{else}}Dates{{end}}</title>
<style>
`+ground+`body { font: 15px/1.45 system-ui, sans-serif; margin: 1.5rem 2rem; }
`+paperStyle+`.p th { position: sticky; top: 0; }
.m td { background: var(--near); font-weight: 600; }
.o td { background: var(--late); font-weight: 600; }
.t td { border-top: 2px solid var(--line); font-weight: 600; }
label { margin-left: .35rem; color: var(--faint); }
#why:not(:checked) ~ table .r span { display: none; }
#why:not(:checked) ~ table td.r:not(:empty)::after { content: "…"; color: var(--faint); }
@page { size: {{if gt (len .Heads) 6}}landscape{{else}}portrait{{end}}; margin: 12mm; }
@media print { .p th { position: static; } #why, label { display: none; } }
</style>
</head>
<body>
<main>
<h1{{if not .Title}} class="vh"{{end}}>{{if .Title}}{{.Title}}{{else}}Dates{{end}}</h1>
{{if .Reasons}}<input type="checkbox" id="why" checked><label for="why">Show reasons</label>
{{end}}<table class="p" style="--fs: {{.Screen}}; --ps: {{.Print}}">
{{template "paper" .}}
</table>
</main>
</body>
</html>
{{define "caption"}}{{end}}`+paperTable)

// isReason reports whether a column says why.
func isReason(column string) bool { return column == "reason" || strings.HasSuffix(column, "_reason") }

// Close implements rows.Sink.
func (s *htmlSink) Close() error {
	return page().Execute(s.w, struct {
		Title   string
		Reasons bool
		*paper
	}{s.title, slices.ContainsFunc(s.table.columns, isReason), s.table.done()})
}
