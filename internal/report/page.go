package report

import (
	"html/template"
	"io"
	"strings"

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

// Mark implements rows.Marker.
func (h *held) Mark(on bool) { h.on = on }

func (h *held) Header(columns []string) error {
	h.columns, h.numeric = columns, make([]bool, len(columns))
	return nil
}

func (h *held) Row(cells []eval.Value) error {
	if err := room(len(h.body)); err != nil {
		return err
	}
	row := make([]string, len(cells))
	for i, c := range cells {
		row[i] = Clean(c.String())
		h.numeric[i] = h.numeric[i] || c.Kind == eval.Number
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
	plain := strings.NewReplacer("<", "&lt;", "\\", `\\`)
	row := func(cells []string) table.Row {
		r := make(table.Row, len(cells))
		for i, c := range cells {
			r[i] = plain.Replace(c)
		}
		return r
	}
	t.AppendHeader(row(s.columns))
	for i, r := range s.body {
		line := row(r)
		if s.marked[i] {
			line[len(line)-1] = "**" + r[len(r)-1] + "**"
		}
		t.AppendRow(line)
	}
	text := t.RenderMarkdown() + "\n"
	if s.title != "" {
		text = "**" + plain.Replace(s.title) + "**\n\n" + text
	}
	_, err := io.WriteString(s.w, text)
	return err
}

type htmlSink struct {
	held
	title string
	asOf  civil.Date
	w     io.Writer
}

// NewHTML returns a sink that writes a self-contained page with one table.
// Everything in it is escaped.
func NewHTML(w io.Writer, l Look) rows.Sink { return &htmlSink{title: l.over(), asOf: l.AsOf, w: w} }

// Grid implements rows.GridSink.
func (s *htmlSink) Grid(g *rows.Grid) error { return GridPage(s.w, g, s.title) }

var page = template.Must(template.New("page").Parse(`<!DOCTYPE html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>{{if .Title}}{{.Title}}{{else}}Dates{{end}}</title>
<style>
body { font: 15px/1.45 system-ui, sans-serif; color: #1d2730; background: #fcfcfa; margin: 2rem; }
h1 { font-size: 1.25rem; font-weight: 600; }
table { border-collapse: collapse; font-variant-numeric: tabular-nums; }
th { text-align: left; border-bottom: 2px solid #5a7184; padding: .3rem .8rem .3rem 0; position: sticky; top: 0; background: #fcfcfa; }
td { border-bottom: 1px solid #dfe5e8; padding: .25rem .8rem .25rem 0; vertical-align: top; }
.n { text-align: right; }
.m td { background: #fbe7c6; font-weight: 600; }
@media print { body { margin: 0; font-size: 11px; } th { position: static; } }
</style>
</head>
<body>
{{if .Title}}<h1>{{.Title}}</h1>
{{end}}<table>
<thead><tr>{{range .Head}}<th{{if .Numeric}} class="n"{{end}}>{{.Text}}</th>{{end}}</tr></thead>
<tbody>
{{range .Body}}<tr{{if .Marked}} class="m"{{end}}>{{range .Cells}}<td{{if .Numeric}} class="n"{{end}}>{{.Text}}</td>{{end}}</tr>
{{end}}</tbody>
</table>
</body>
</html>
`))

type pageRow struct {
	Cells  []pageCell
	Marked bool
}

type pageCell struct {
	Text    string
	Numeric bool
}

func (s *htmlSink) Close() error {
	cells := func(row []string) []pageCell {
		list := make([]pageCell, len(row))
		for i, c := range row {
			list[i] = pageCell{c, s.numeric[i]}
		}
		return list
	}
	body := make([]pageRow, len(s.body))
	for i, r := range s.body {
		body[i] = pageRow{cells(r), s.marked[i]}
	}
	return page.Execute(s.w, struct {
		Title string
		Head  []pageCell
		Body  []pageRow
	}{s.title, cells(s.columns), body})
}
