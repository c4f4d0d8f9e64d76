package tabular

import (
	"io"

	"github.com/xuri/excelize/v2"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/rows"
)

// GridXLSX writes people against days as a workbook: weekdays over days, closed
// days shaded, names and heads frozen.
func GridXLSX(w io.Writer, g *rows.Grid) error {
	book := excelize.NewFile()
	s, err := book.NewStreamWriter("Sheet1")
	if err != nil {
		return err
	}
	font := &excelize.Font{Bold: true, Family: "Calibri", Size: 11}
	middle := &excelize.Alignment{Horizontal: "center"}
	fill := func(color string) excelize.Fill {
		return excelize.Fill{Type: "pattern", Pattern: 1, Color: []string{color}}
	}
	style := func(st excelize.Style) int {
		if id, serr := book.NewStyle(&st); serr == nil {
			return id
		} else if err == nil {
			err = serr
		}
		return 0
	}
	head := style(excelize.Style{Font: font, Alignment: middle})
	closed := style(excelize.Style{Alignment: middle, Fill: fill("E3E7EA")})
	marked := style(excelize.Style{Alignment: middle, Fill: fill("BFE0E2")})
	plain := style(excelize.Style{Alignment: middle})
	bold := style(excelize.Style{Font: font})
	if err != nil {
		return err
	}
	totals, all := g.Totals()
	days := len(totals)
	width, mark := 10, 3
	for _, n := range g.Names {
		width = max(width, len([]rune(n))+2)
		marks, _ := g.Row(n)
		for _, m := range marks {
			mark = max(mark, len([]rune(m)))
		}
	}
	for _, step := range []error{s.SetColWidth(1, 1, float64(min(width, 60))), s.SetColWidth(2, days+1, float64(min(mark, 30))+1.5),
		s.SetPanes(&excelize.Panes{Freeze: true, XSplit: 1, YSplit: 2, TopLeftCell: "B3", ActivePane: "bottomRight"})} {
		if step != nil {
			return step
		}
	}
	line := 1
	put := func(name any, at func(i int) any, end any) error {
		row := []any{name}
		for i := range days {
			row = append(row, at(i))
		}
		cell, err := excelize.CoordinatesToCellName(1, line)
		if err != nil {
			return err
		}
		line++
		return s.SetRow(cell, append(row, end))
	}
	shade := func(i, open int) int {
		if g.Closed(i) {
			return closed
		}
		return open
	}
	day := func(i int) civil.Date { return g.Window.First + civil.Date(i) }
	err = put(nil, func(i int) any { return excelize.Cell{StyleID: shade(i, head), Value: day(i).Weekday().Short()[:2]} }, nil)
	if err == nil {
		err = put(excelize.Cell{StyleID: bold, Value: g.Head}, func(i int) any {
			_, _, n := day(i).YMD()
			return excelize.Cell{StyleID: shade(i, head), Value: n}
		}, excelize.Cell{StyleID: bold, Value: "total"})
	}
	for _, name := range g.Names {
		if err != nil {
			return err
		}
		marks, total := g.Row(name)
		err = put(name, func(i int) any {
			if marks[i] != "" {
				return excelize.Cell{StyleID: marked, Value: marks[i]}
			}
			return excelize.Cell{StyleID: shade(i, plain)}
		}, total)
	}
	if err == nil {
		err = put(excelize.Cell{StyleID: bold, Value: "total"}, func(i int) any {
			c := excelize.Cell{StyleID: shade(i, head)}
			if totals[i] > 0 {
				c.Value = totals[i]
			}
			return c
		}, excelize.Cell{StyleID: bold, Value: all})
	}
	if err == nil {
		err = s.Flush()
	}
	if err != nil {
		return err
	}
	_, err = book.WriteTo(w)
	return err
}
