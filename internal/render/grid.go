package render

import (
	"fmt"
	"io"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/rows"
)

// maxGridCells is how many cells a grid for people may have.
const maxGridCells = 1_000_000

// DrawGrid draws people against days for a terminal: each day under its weekday,
// closed days marked by a dot. Days that don't fit are in a panel below.
func DrawGrid(w io.Writer, g *rows.Grid, t Options) error {
	if err := g.CheckSize(maxGridCells, "a table"); err != nil {
		return err
	}
	width := text.RuneWidthWithoutEscSequences
	head := Clean(g.Head)
	nameWidth := max(width(head), len("total"))
	cell := 2
	for _, n := range g.Names {
		nameWidth = max(nameWidth, width(Clean(n)))
		marks, _ := g.Row(n)
		for _, m := range marks {
			cell = max(cell, width(Clean(m)))
		}
	}
	totals, all := g.Totals()
	days := len(totals)
	fit := days
	if t.Width > 0 {
		fit = max(1, (t.Width-nameWidth-7)/(cell+1))
	}
	pad := func(s string, n int) string { return s + strings.Repeat(" ", max(0, n-width(s))) }
	right := func(s string, n int) string { return strings.Repeat(" ", max(0, n-width(s))) + s }
	dim := func(s string) string {
		if t.Color {
			return "\x1b[2m" + s + "\x1b[0m"
		}
		return s
	}
	var b strings.Builder
	if t.Title != "" {
		fmt.Fprintf(&b, "%s\n\n", Clean(t.header()))
	}
	for from := 0; from < days; from += fit {
		upto := min(days, from+fit)
		last := upto == days
		line := func(head string, at func(i int) string, end string) {
			s := pad(head, nameWidth)
			for i := from; i < upto; i++ {
				c := right(at(i), cell)
				if g.Closed(i) {
					c = dim(c)
				}
				s += " " + c
			}
			if last {
				s += "  " + right(end, len("total"))
			}
			b.WriteString(strings.TrimRight(s, " ") + "\n")
		}
		if from > 0 {
			b.WriteByte('\n')
		}
		day := func(i int) civil.Date { return g.Window.First + civil.Date(i) }
		months := []byte(strings.Repeat(" ", nameWidth+(upto-from+4)*(cell+1)))
		for i := from; i < upto; i++ { // each month's name over its first days
			if _, m, d := day(i).YMD(); i == from || d == 1 {
				copy(months[nameWidth+1+(i-from)*(cell+1):], civil.MonthNames[m]+" "+strconv.Itoa(day(i).Year())+" ")
			}
		}
		b.WriteString(strings.TrimRight(string(months), " ") + "\n")
		line("", func(i int) string { return day(i).Weekday().Abbrev()[:2] }, "")
		line(head, func(i int) string { _, _, d := day(i).YMD(); return strconv.Itoa(d) }, "total")
		b.WriteString(strings.Repeat("-", nameWidth+(upto-from)*(cell+1)) + "\n")
		for _, n := range g.Names {
			marks, total := g.Row(n)
			line(Clean(n), func(i int) string {
				if marks[i] == "" && g.ClosedFor(n, i) {
					return "·"
				}
				return Clean(marks[i])
			}, total.String())
		}
		line("total", func(i int) string {
			if totals[i].Num == 0 {
				return ""
			}
			return totals[i].String()
		}, all.String())
	}
	_, err := io.WriteString(w, b.String())
	return err
}

var gridTemplate = lazyTemplate("grid", `<!DOCTYPE html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>{{.Title}}</title>
<style>
`+pageColors+`body { font: 14px/1.4 system-ui, sans-serif; margin: 1.5rem; }
th, td { border: 1px solid var(--rule); padding: .2rem .3rem; text-align: center; min-width: 1.5rem; }
th:first-child, td:first-child { text-align: left; padding-right: .8rem; white-space: nowrap; }
thead th { font-weight: 600; color: var(--faint); background: var(--paper); }
thead { position: sticky; top: 0; }
.c, thead .c { background: var(--shut); color: var(--faint); }
.m { background: var(--mark); color: #fff; font-weight: 600; }
tfoot td, .t { font-weight: 600; border-left: 2px solid var(--line); }
tfoot td { border-top: 2px solid var(--line); border-left-width: 1px; }
@page { size: landscape; margin: 10mm; }
@media print { body { font-size: 9px; } thead { position: static; } }
</style>
</head>
<body>
<main>
<h1>{{.Title}}</h1>
<table>
<thead>
<tr><th scope="col"><span class="vh">Weekday</span></th>{{range .Days}}<th scope="col"{{if .Closed}} class="c"{{end}}>{{.Weekday}}</th>{{end}}<th><span class="vh">Days</span></th></tr>
<tr><th scope="col">{{.Head}}</th>{{range .Days}}<th scope="col"{{if .Closed}} class="c"{{end}} title="{{.ISO}}">{{.Number}}</th>{{end}}<th class="t">total</th></tr>
</thead>
<tbody>
{{range .Rows}}<tr><th scope="row">{{.Name}}</th>{{range .Cells}}<td{{if .Class}} class="{{.Class}}"{{end}}>{{.Text}}</td>{{end}}<td class="t">{{.Total}}</td></tr>
{{end}}</tbody>
<tfoot><tr><td>total</td>{{range .Totals}}<td{{if .Class}} class="{{.Class}}"{{end}}>{{.Text}}</td>{{end}}<td class="t">{{.All}}</td></tr></tfoot>
</table>
</main>
</body>
</html>
`)

type gridDay struct {
	Weekday, ISO string
	Number       int
	Closed       bool
}

type gridCell struct{ Text, Class string }

type gridRow struct {
	Name  string
	Cells []gridCell
	Total string
}

// GridPage writes people against days as a self-contained page that prints on a
// sheet in landscape.
func GridPage(w io.Writer, g *rows.Grid, title string) error {
	if err := g.CheckSize(maxGridCells, "a page"); err != nil {
		return err
	}
	if title == "" {
		title = g.Window.First.String() + " to " + g.Window.Last.String()
	}
	data := struct {
		Title, Head string
		Days        []gridDay
		Rows        []gridRow
		Totals      []gridCell
		All         string
	}{Title: title, Head: g.Head}
	totals, all := g.Totals()
	data.All = all.String()
	class := func(closed, marked bool) string {
		switch {
		case marked:
			return "m"
		case closed:
			return "c"
		}
		return ""
	}
	for i, n := range totals {
		d := g.Window.First + civil.Date(i)
		_, _, number := d.YMD()
		data.Days = append(data.Days, gridDay{d.Weekday().Abbrev()[:2], d.String(), number, g.Closed(i)})
		c := gridCell{Class: class(g.Closed(i), false)}
		if n.Num > 0 {
			c.Text = n.String()
		}
		data.Totals = append(data.Totals, c)
	}
	for _, name := range g.Names {
		marks, total := g.Row(name)
		r := gridRow{Name: Clean(name), Total: total.String()}
		for i, m := range marks {
			r.Cells = append(r.Cells, gridCell{Clean(m), class(g.ClosedFor(name, i), m != "")})
		}
		data.Rows = append(data.Rows, r)
	}
	return gridTemplate().Execute(w, data)
}
