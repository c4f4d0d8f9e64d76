// Package render draws results for people: the aligned table of a terminal.
package render

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
)

// tableSink draws the aligned table of a terminal.
type tableSink struct {
	Options
	w            io.Writer
	columns      []string
	widths       []int // of columns
	cellWidths   []int // of their widest cells
	numeric      []bool
	body         [][]string
	highlighting bool
	highlighted  map[int]bool // rows that stand out
	groupColumn  int          // the column of blocks; -1 for none
	group        string       // that of the last row
	groupStarts  map[int]bool // rows that begin a block, but for the first
}

var _ rows.Displayer = (*tableSink)(nil)

// Display says what the table shows beside rows.
func (s *tableSink) Display() rows.Display {
	return rows.Display{
		Highlight: func(e rows.Emphasis) { s.highlighting = e != rows.NoEmphasis },
		DrawGrid:  func(g *rows.Grid) error { return drawGrid(s.w, g, s.Options) },
		DrawWall:  func(w *schedule.Wall) error { return drawWall(s.w, w, s.Options) },
	}
}

// newTable returns a sink that draws an aligned table when it is closed. Where
// the width is too small, the widest columns of text are wrapped.
func newTable(w io.Writer, l Options) rows.Sink { return &tableSink{Options: l, w: w} }

func (s *tableSink) Header(columns []string) error {
	for _, c := range columns {
		s.columns = append(s.columns, Clean(c))
	}
	s.numeric, s.cellWidths = make([]bool, len(columns)), make([]int, len(columns))
	for _, c := range s.columns {
		s.widths = append(s.widths, cellWidth(c))
	}
	s.groupColumn, s.groupStarts = slices.Index(s.columns, s.Options.GroupBy), map[int]bool{}
	return nil
}

// maxRows and maxCells are how many rows and cells a table for people may have; past that
// they want a file for programs.
const maxRows, maxCells = 200_000, 2_000_000

// checkRoom is an error if there is no room for another row behind n of so many cells.
func checkRoom(n, cells int) error {
	switch {
	case n >= maxRows:
		return fmt.Errorf("more than %d rows: use --out FILE or --as csv", maxRows)
	case n*cells >= maxCells:
		return fmt.Errorf("more than %d cells: use --out FILE or --as csv", maxCells)
	}
	return nil
}

func (s *tableSink) Row(cells []eval.Value) error {
	if err := checkRoom(len(s.body), len(cells)); err != nil {
		return err
	}
	row := make([]string, len(cells))
	if s.highlighting {
		if s.highlighted == nil {
			s.highlighted = map[int]bool{}
		}
		s.highlighted[len(s.body)] = true
	}
	for i, c := range cells {
		row[i] = Clean(c.String())
		if s.highlighting && !s.Color && i == lastText(cells) { // without colour, a mark
			row[i] += " *"
		}
		s.cellWidths[i] = max(s.cellWidths[i], cellWidth(row[i]))
		s.widths[i] = max(s.widths[i], s.cellWidths[i])
		s.numeric[i] = s.numeric[i] || c.IsNumber()
	}
	s.startGroup(cells, row)
	s.body = append(s.body, row)
	return nil
}

// startGroup begins a block where the column of blocks changes; its text is in the first
// row of each.
func (s *tableSink) startGroup(cells []eval.Value, row []string) {
	if s.groupColumn < 0 {
		return
	}
	block := row[s.groupColumn]
	if cells[s.groupColumn].IsNumber() {
		block = strings.TrimRight(block, "0123456789.")
		if row[s.groupColumn] == "0" {
			block = "0"
		}
	}
	switch {
	case len(s.body) == 0:
	case block != s.group:
		s.groupStarts[len(s.body)] = true
	case !cells[s.groupColumn].IsNumber():
		row[s.groupColumn] = ""
	}
	s.group = block
}

// lastText is the last cell of text in a row, which a mark follows.
func lastText(cells []eval.Value) int {
	for i := len(cells) - 1; i > 0; i-- {
		if cells[i].Kind == eval.Text {
			return i
		}
	}
	return 0
}

const gap = 2

// totalWidth is the width of columns side by side. A painted line ends with a gap, so each
// column counts one.
func totalWidth(widths []int) int {
	n := gap * len(widths)
	for _, w := range widths {
		n += w
	}
	return n
}

// fitWidth makes the table fit the width: heads are broken at their underscores,
// then the widest columns of text are narrowed.
func (s *tableSink) fitWidth() {
	if s.Width <= 0 || totalWidth(s.widths) <= s.Width {
		return
	}
	for i, c := range s.columns {
		s.widths[i] = max(s.cellWidths[i], min(cellWidth(c), maxUnbrokenHead))
		for part := range strings.SplitAfterSeq(c, "_") {
			s.widths[i] = max(s.widths[i], cellWidth(part))
		}
	}
	for over := totalWidth(s.widths) - s.Width; over > 0; over-- {
		widest := 0
		for i, w := range s.widths {
			if w > s.widths[widest] {
				widest = i
			}
		}
		if s.widths[widest] <= minColumnWidth {
			return
		}
		s.widths[widest]--
	}
}

// maxUnbrokenHead is up to how many letters a head isn't broken.
const maxUnbrokenHead = 12

// minColumnWidth is as far as a column of text is narrowed.
const minColumnWidth = 18

// panels splits columns that don't fit side by side into several tables below
// each other, each beginning with the first column.
// They are as narrow as so many panels allow, so that none holds what is left over.
func (s *tableSink) panels() [][]int {
	list := s.panelsOf(s.Width)
	for width := s.Width - 1; len(list) > 1; width-- {
		narrower := s.panelsOf(width)
		if len(narrower) > len(list) {
			break
		}
		list = narrower
	}
	return list
}

// panelsOf splits columns into panels of a width; 0 for no limit.
func (s *tableSink) panelsOf(width int) (list [][]int) {
	panel := []int{}
	room := 0
	for i, w := range s.widths {
		if width > 0 && len(panel) > 1 && room+w+gap > width {
			list = append(list, panel)
			panel, room = []int{0}, s.widths[0]+gap
		}
		panel, room = append(panel, i), room+w+gap
	}
	return append(list, panel)
}

// breakHeading breaks a column's name at its underscores where it is too long.
func breakHeading(name string, width int) string {
	if cellWidth(name) <= width {
		return name
	}
	var b strings.Builder
	at := 0
	for part := range strings.SplitAfterSeq(name, "_") {
		w := cellWidth(part)
		if at > 0 && at+w > width {
			b.WriteByte('\n')
			at = 0
		}
		b.WriteString(part)
		at += w
	}
	return b.String()
}

// wrap breaks a long text, behind semicolons first.
func wrap(s string, width int) string {
	if cellWidth(s) <= width {
		return s
	}
	var lines []string
	for part := range strings.SplitSeq(strings.ReplaceAll(s, "; ", ";\n"), "\n") {
		lines = append(lines, text.WrapSoft(part, width))
	}
	return strings.Join(lines, "\n")
}

func (s *tableSink) Close() error {
	s.fitWidth()
	var b strings.Builder
	if s.Title != "" {
		fmt.Fprintf(&b, "%s\n\n", Clean(s.header()))
	}
	for i, panel := range s.panels() {
		if i > 0 {
			b.WriteByte('\n')
		}
		for line := range strings.Lines(s.draw(panel)) {
			line = strings.TrimRight(line, " \n")
			// the rule under the head ends with its column
			if plain := strings.TrimSuffix(line, "\x1b[0m"); strings.Trim(text.StripEscape(line), "-") == "" {
				line = strings.TrimSuffix(plain, strings.Repeat("-", gap)) + line[len(plain):]
			}
			b.WriteString(line)
			b.WriteByte('\n')
		}
	}
	_, err := io.WriteString(s.w, b.String())
	return err
}

// draw renders some of the columns.
func (s *tableSink) draw(columns []int) string {
	t := table.NewWriter()
	style := table.StyleDefault
	style.Options = table.OptionsNoBordersAndSeparators
	style.Options.SeparateHeader = true
	style.Box.PaddingLeft, style.Box.PaddingRight = "", strings.Repeat(" ", gap)
	style.Box.MiddleHorizontal = "-"
	style.Format.Header = text.FormatDefault
	if s.Color {
		style.Color.Header = text.Colors{text.Bold}
	}
	t.SetStyle(style)
	var heads table.Row
	var configs []table.ColumnConfig
	var standOut []int
	for n, i := range columns {
		heads = append(heads, breakHeading(s.columns[i], s.widths[i]))
		cfg := table.ColumnConfig{Number: n + 1, WidthMax: s.widths[i], WidthMaxEnforcer: wrap,
			VAlignHeader: text.VAlignBottom}
		if s.numeric[i] {
			cfg.Align, cfg.AlignHeader = text.AlignRight, text.AlignRight
		}
		configs = append(configs, cfg)
	}
	t.SetColumnConfigs(configs)
	t.AppendHeader(heads)
	at := 0
	for n, r := range s.body {
		if s.groupStarts[n] {
			t.AppendRow(table.Row{""})
			at++
		}
		var row table.Row
		for _, i := range columns {
			row = append(row, r[i])
		}
		t.AppendRow(row)
		if s.highlighted[n] && s.Color {
			standOut = append(standOut, at)
		}
		at++
	}
	if standOut != nil {
		t.SetRowPainter(func(_ table.Row, at table.RowAttributes) text.Colors {
			if slices.Contains(standOut, at.Number-1) {
				return text.Colors{text.Bold, text.FgHiRed}
			}
			return nil
		})
	}
	return t.Render()
}
