package render

import (
	"fmt"
	"io"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
)

// maxGridCells is how many cells a grid for people may have.
const maxGridCells = 1_000_000

// drawGrid draws people against days for a terminal: each day under its weekday,
// closed days marked by a dot. Days that don't fit are in a panel below.
func drawGrid(w io.Writer, g *rows.Grid, o Options) error {
	if err := g.CheckSize(maxGridCells, "a table"); err != nil {
		return err
	}
	d := newGridDrawing(g, o)
	if o.Title != "" {
		fmt.Fprintf(&d.out, "%s\n\n", Clean(o.header()))
	}
	perBlock := len(d.totals)
	if o.Width > 0 {
		perBlock = max(1, (o.Width-d.nameWidth-7)/(d.cellWidth+1))
	}
	for from := 0; from < len(d.totals); from += perBlock {
		if from > 0 {
			d.out.WriteByte('\n')
		}
		d.writeBlock(from, min(len(d.totals), from+perBlock))
	}
	_, err := io.WriteString(w, d.out.String())
	return err
}

// gridDrawing is a grid being drawn for a terminal, in blocks of days that fit its width.
type gridDrawing struct {
	*rows.Grid
	out                  strings.Builder
	nameWidth, cellWidth int
	totals               []eval.Value // of the days
	total                eval.Value
	color                bool
}

func newGridDrawing(g *rows.Grid, o Options) *gridDrawing {
	d := &gridDrawing{Grid: g, cellWidth: 2, color: o.Color}
	d.nameWidth = max(cellWidth(Clean(g.Head)), len("total"))
	for _, n := range g.Names {
		d.nameWidth = max(d.nameWidth, cellWidth(Clean(n)))
		marks, _ := g.Row(n)
		for _, m := range marks {
			d.cellWidth = max(d.cellWidth, cellWidth(Clean(m)))
		}
	}
	d.totals, d.total = g.Totals()
	return d
}

// writeBlock writes the days from..upto-1 of all people; the last block has their totals.
func (d *gridDrawing) writeBlock(from, upto int) {
	day := func(i int) civil.Date { return d.Window.First + civil.Date(i) }
	step := d.cellWidth + 1
	months := []byte(strings.Repeat(" ", d.nameWidth+(upto-from+4)*step))
	for i := from; i < upto; i++ { // each month's name over its first days
		if _, m, dd := day(i).YMD(); i == from || dd == 1 {
			copy(months[d.nameWidth+1+(i-from)*step:], civil.MonthNames[m]+" "+strconv.Itoa(day(i).Year())+" ")
		}
	}
	d.out.WriteString(strings.TrimRight(string(months), " ") + "\n")
	line := func(head string, at func(i int) string, end string) { d.writeLine(from, upto, head, at, end) }
	line("", func(i int) string { return day(i).Weekday().Abbrev()[:2] }, "")
	line(Clean(d.Head), func(i int) string { _, _, dd := day(i).YMD(); return strconv.Itoa(dd) }, "total")
	d.out.WriteString(strings.Repeat("-", d.nameWidth+(upto-from)*step) + "\n")
	for _, n := range d.Names {
		marks, total := d.Row(n)
		line(Clean(n), func(i int) string {
			if marks[i] == "" && d.ClosedFor(n, i) {
				return "·"
			}
			return Clean(marks[i])
		}, total.String())
	}
	line("total", func(i int) string {
		if d.totals[i].Num == 0 {
			return ""
		}
		return d.totals[i].String()
	}, d.total.String())
}

// writeLine writes a name and what stands at each day, closed ones dimmed; end is that of the
// last block alone.
func (d *gridDrawing) writeLine(from, upto int, head string, at func(i int) string, end string) {
	s := padRight(head, d.nameWidth)
	for i := from; i < upto; i++ {
		c := padLeft(at(i), d.cellWidth)
		if d.Closed(i) && d.color {
			c = "\x1b[2m" + c + "\x1b[0m"
		}
		s += " " + c
	}
	if upto == len(d.totals) {
		s += "  " + padLeft(end, len("total"))
	}
	d.out.WriteString(strings.TrimRight(s, " ") + "\n")
}

// cellWidth is how many columns of a terminal a text takes.
func cellWidth(s string) int { return text.RuneWidthWithoutEscSequences(s) }

func padRight(s string, width int) string { return s + strings.Repeat(" ", max(0, width-cellWidth(s))) }

func padLeft(s string, width int) string { return strings.Repeat(" ", max(0, width-cellWidth(s))) + s }

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

// gridPage writes people against days as a self-contained page that prints on a
// sheet in landscape.
func gridPage(w io.Writer, g *rows.Grid, title string) error {
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
