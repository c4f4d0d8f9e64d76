package tabular

import (
	"io"
	"strconv"

	"github.com/xuri/excelize/v2"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
)

// gridWriter is a workbook of people against days being written.
type gridWriter struct {
	g      *rows.Grid
	book   *excelize.File
	sheet  string
	stream *excelize.StreamWriter
	line   int
	days   int
	// The styles of heads, closed days, marks, other days and names.
	head, closed, marked, plain, bold int
}

const maxGridCells = 5_000_000

// gridXLSX writes people against days as a workbook: weekdays over days, closed
// days shaded, names and heads frozen.
func gridXLSX(w io.Writer, g *rows.Grid, c BookProperties) error {
	if err := g.CheckSize(maxGridCells, "a workbook"); err != nil {
		return err
	}
	book, sheet, remove, err := newBook(2, c)
	if err != nil {
		return err
	}
	defer func() { _ = remove() }()
	b := &gridWriter{g: g, book: book, sheet: sheet, line: 1, days: g.Window.Len()}
	for _, step := range []func() error{b.styles, b.setPanes, b.heads, b.people, b.total} {
		if err := step(); err != nil {
			return err
		}
	}
	_, err = b.book.WriteTo(w)
	return err
}

func (b *gridWriter) styles() (err error) {
	font := &excelize.Font{Bold: true, Family: "Calibri", Size: 11}
	middle := &excelize.Alignment{Horizontal: "center"}
	fill := func(color string) excelize.Fill {
		return excelize.Fill{Type: "pattern", Pattern: 1, Color: []string{color}}
	}
	for _, s := range []struct {
		to    *int
		style excelize.Style
	}{
		{&b.head, excelize.Style{Font: font, Alignment: middle}},
		{&b.closed, excelize.Style{Alignment: middle, Fill: fill("E3E7EA")}},
		{&b.marked, excelize.Style{Alignment: middle, Fill: fill("BFE0E2")}},
		{&b.plain, excelize.Style{Alignment: middle}},
		{&b.bold, excelize.Style{Font: font}},
	} {
		if *s.to, err = b.book.NewStyle(&s.style); err != nil {
			return err
		}
	}
	b.stream, err = b.book.NewStreamWriter(b.sheet)
	return err
}

// setPanes sets widths and frozen panes.
func (b *gridWriter) setPanes() error {
	width, mark := 10, 3
	for _, n := range b.g.Names {
		width = max(width, len([]rune(n))+2)
		marks, _ := b.g.Row(n)
		for _, m := range marks {
			mark = max(mark, len([]rune(m)))
		}
	}
	if err := b.stream.SetColWidth(1, 1, float64(min(width, 60))); err != nil {
		return err
	}
	if err := b.stream.SetColWidth(2, b.days+1, float64(min(mark, 30))+1.5); err != nil {
		return err
	}
	return b.stream.SetPanes(&excelize.Panes{Freeze: true, XSplit: 1, YSplit: 2, TopLeftCell: "B3",
		ActivePane: "bottomRight"})
}

// writeRow writes a row: the name, a cell a day, the end.
func (b *gridWriter) writeRow(name any, at func(i int) any, end any) error {
	row := []any{name}
	for i := range b.days {
		row = append(row, at(i))
	}
	cell, err := excelize.CoordinatesToCellName(1, b.line)
	if err != nil {
		return err
	}
	b.line++
	return b.stream.SetRow(cell, append(row, end))
}

// dayStyle is the style of a day: that of closed ones, or another.
func (b *gridWriter) dayStyle(i, open int) int { return b.closedStyle(b.g.Closed(i), open) }

func (b *gridWriter) closedStyle(closed bool, open int) int {
	if closed {
		return b.closed
	}
	return open
}

func (b *gridWriter) day(i int) civil.Date { return b.g.Window.First + civil.Date(i) }

func (b *gridWriter) heads() error {
	err := b.writeRow(nil, func(i int) any {
		return excelize.Cell{StyleID: b.dayStyle(i, b.head), Value: b.day(i).Weekday().Abbrev()[:2]}
	}, nil)
	if err != nil {
		return err
	}
	return b.writeRow(excelize.Cell{StyleID: b.bold, Value: b.g.Head}, func(i int) any {
		_, _, n := b.day(i).YMD()
		return excelize.Cell{StyleID: b.dayStyle(i, b.head), Value: n}
	}, excelize.Cell{StyleID: b.bold, Value: "total"})
}

func (b *gridWriter) people() error {
	for _, name := range b.g.Names {
		marks, total := b.g.Row(name)
		err := b.writeRow(name, func(i int) any {
			if marks[i] != "" {
				return excelize.Cell{StyleID: b.marked, Value: marks[i]}
			}
			return excelize.Cell{StyleID: b.dayStyle(i, b.plain)}
		}, excelize.Cell{StyleID: b.bold, Value: totalFloat(total)})
		if err != nil {
			return err
		}
	}
	return nil
}

func (b *gridWriter) total() error {
	totals, all := b.g.Totals()
	err := b.writeRow(excelize.Cell{StyleID: b.bold, Value: "total"}, func(i int) any {
		c := excelize.Cell{StyleID: b.dayStyle(i, b.head)}
		if totals[i].Num > 0 {
			c.Value = totalFloat(totals[i])
		}
		return c
	}, excelize.Cell{StyleID: b.bold, Value: totalFloat(all)})
	if err != nil {
		return err
	}
	return b.stream.Flush()
}

// totalFloat is a total as a workbook holds it.
func totalFloat(total eval.Value) float64 {
	f, _ := strconv.ParseFloat(total.String(), 64)
	return f
}
