package render

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
	"yoyaku/internal/core/schedule"
)

// bufferedTable keeps the rows of a table until it is closed.
type bufferedTable struct {
	columns      []string
	body         [][]string
	numeric      []bool
	highlighting bool
	highlighted  []bool // rows that stand out
}

var _, _ rows.Displayer = (*bufferedTable)(nil), (*htmlSink)(nil)

// Display says that rows can stand out.
func (h *bufferedTable) Display() rows.Display {
	return rows.Display{Highlight: func(e rows.Emphasis) { h.highlighting = e != rows.NoEmphasis }}
}

func (h *bufferedTable) Header(columns []string) error {
	h.columns, h.numeric = columns, make([]bool, len(columns))
	return nil
}

func (h *bufferedTable) Row(cells []eval.Value) error {
	if err := checkRoom(len(h.body), len(cells)); err != nil {
		return err
	}
	row := make([]string, len(cells))
	for i, c := range cells {
		row[i] = Clean(c.String())
		h.numeric[i] = h.numeric[i] || c.IsNumber()
	}
	h.body, h.highlighted = append(h.body, row), append(h.highlighted, h.highlighting)
	return nil
}

type markdownSink struct {
	bufferedTable
	title string
	w     io.Writer
}

// newMarkdown returns a sink that writes a Markdown table.
func newMarkdown(w io.Writer, title string) rows.Sink { return &markdownSink{title: title, w: w} }

func (s *markdownSink) Close() error {
	t := table.NewWriter()
	row := func(cells []string) table.Row {
		r := make(table.Row, len(cells))
		for i, c := range cells {
			r[i] = escapeMarkdown(c)
		}
		return r
	}
	t.AppendHeader(row(s.columns))
	for i, r := range s.body {
		line := row(r)
		if s.highlighted[i] {
			if last := len(r) - 1; r[last] != "" {
				line[last] = "**" + escapeMarkdown(r[last]) + "**"
			}
		}
		t.AppendRow(line)
	}
	text := t.RenderMarkdown() + "\n"
	if s.title != "" {
		text = "**" + escapeMarkdown(s.title) + "**\n\n" + text
	}
	_, err := io.WriteString(s.w, text)
	return err
}

// markdownEscaper are what a text has that Markdown would take as a mark; the bars of tables
// are seen to by their writer.
var markdownEscaper = strings.NewReplacer("<", "&lt;", `\`, `\\`, "*", `\*`, "_", `\_`, "[", `\[`, "]", `\]`, "`",
	"\\`", "~", `\~`)

// entityMarks are texts that Markdown would read as a character of another name.
var entityMarks = regexp.MustCompile(`&(#?\w+;)`)

// escapeMarkdown writes a text so that Markdown shows it as it is.
func escapeMarkdown(s string) string {
	return markdownEscaper.Replace(entityMarks.ReplaceAllString(s, "&amp;$1"))
}

type htmlSink struct {
	title        string
	asOf         civil.Date
	w            io.Writer
	verbatim     []string // columns that keep their names
	table        *peopleTable
	emphasis     rows.Emphasis // of the rows to come
	nextIsTotals bool          // the next row is that of totals
}

// Display says what a page shows beside rows.
func (s *htmlSink) Display() rows.Display {
	return rows.Display{
		Highlight:    func(e rows.Emphasis) { s.emphasis = e },
		NextIsTotals: func() { s.nextIsTotals = true },
		KeepNames:    func(columns []string) { s.verbatim = columns },
		DrawGrid:     func(g *rows.Grid) error { return gridPage(s.w, g, s.title) },
		DrawWall:     func(w *schedule.Wall) error { return wallPage(s.w, w, s.asOf) }, TakesWallParts: true,
	}
}

// newHTML returns a sink that writes a self-contained page with one table.
// Everything in it is escaped.
func newHTML(w io.Writer, l Options) rows.Sink {
	return &htmlSink{title: l.header(), asOf: l.AsOf, w: w}
}

// Header implements rows.Sink.
func (s *htmlSink) Header(columns []string) error {
	s.table = newPaper(slices.Clone(columns), s.verbatim)
	return nil
}

// Row implements rows.Sink.
func (s *htmlSink) Row(cells []eval.Value) error {
	if err := checkRoom(len(s.table.Body), len(cells)); err != nil {
		return err
	}
	class := ""
	switch {
	case s.nextIsTotals:
		class = "t"
	case s.emphasis == rows.OverdueRow:
		class = "o"
	case s.emphasis == rows.NearRow:
		class = "m"
	}
	s.table.addRow(cells, class)
	return nil
}

// pageColors are the colours of pages, on paper and on a dark screen.
const pageColors = `:root { color-scheme: light dark; --ink: #1d2730; --paper: #fcfcfa; --faint: #4d5a66; --rule: #dfe5e8; --line: #5a7184; --shut: #e9ecee; --near: #fbe7c6; --late: #f8d3cc; --mark: #1f6d74; }
@media (prefers-color-scheme: dark) { :root { --ink: #e6eaee; --paper: #14191e; --faint: #a9b4be; --rule: #343d45; --line: #8fa3b3; --shut: #232b32; --near: #4a3a1a; --late: #5a2a24; --mark: #1f6d74; } }
body { color: var(--ink); background: var(--paper); font-variant-numeric: tabular-nums; }
h1 { font-size: 1.25rem; font-weight: 600; }
table { border-collapse: collapse; }
.vh { position: absolute; width: 1px; height: 1px; overflow: hidden; clip-path: inset(50%); white-space: nowrap; }
@media print { :root { --ink: #000; --paper: #fff; --faint: #4d5a66; --rule: #c9d1d6; --shut: #e9ecee; --near: #fbe7c6; --late: #f8d3cc; } body { margin: 0; print-color-adjust: exact; -webkit-print-color-adjust: exact; } }
`

// lazyTemplate is a template that is parsed when it is first wanted: few runs want any.
func lazyTemplate(name, text string) func() *template.Template {
	return sync.OnceValue(func() *template.Template { return template.Must(template.New(name).Parse(text)) })
}

var pageTemplate = lazyTemplate("page", `<!DOCTYPE html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>{{if .Title}}{{.Title}}{{else}}Dates{{end}}</title>
<style>
`+pageColors+`body { font: 15px/1.45 system-ui, sans-serif; margin: 1.5rem 2rem; }
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
	return pageTemplate().Execute(s.w, struct {
		Title   string
		Reasons bool
		*peopleTable
	}{s.title, slices.ContainsFunc(s.table.columns, isReason), s.table.finish()})
}
