// Package report draws results for people: the aligned table of a terminal.
package report

import (
	"fmt"
	"io"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
)

// Table says how a table is drawn.
type Table struct {
	Title string
	Width int  // columns of the terminal; 0 for no limit
	Color bool // dim the head
}

type tableSink struct {
	Table
	w       io.Writer
	columns []string
	widths  []int
	numeric []bool
	body    [][]string
}

// NewTable returns a sink that draws an aligned table when it is closed. Where
// the width is too small, the widest columns of text are wrapped.
func NewTable(w io.Writer, t Table) rows.Sink { return &tableSink{Table: t, w: w} }

func (s *tableSink) Header(columns []string) error {
	s.columns = columns
	s.numeric = make([]bool, len(columns))
	for _, c := range columns {
		s.widths = append(s.widths, text.RuneWidthWithoutEscSequences(c))
	}
	return nil
}

func (s *tableSink) Row(cells []eval.Value) error {
	row := make([]string, len(cells))
	for i, c := range cells {
		row[i] = printable(c.String())
		s.widths[i] = max(s.widths[i], text.RuneWidthWithoutEscSequences(row[i]))
		s.numeric[i] = s.numeric[i] || c.Kind == eval.Number
	}
	s.body = append(s.body, row)
	return nil
}

// printable drops what could steer a terminal.
func printable(s string) string {
	return strings.Map(func(r rune) rune {
		if r < ' ' || r == 0x7f || r >= 0x80 && r < 0xa0 {
			return ' '
		}
		return r
	}, s)
}

const gap = 2

// fit narrows the widest columns until the table fits the width.
func (s *tableSink) fit() {
	if s.Width <= 0 {
		return
	}
	total := gap * len(s.widths) // the line under the head ends with a gap
	for _, w := range s.widths {
		total += w
	}
	for total > s.Width {
		widest := 0
		for i, w := range s.widths {
			if w > s.widths[widest] {
				widest = i
			}
		}
		if s.widths[widest] <= 12 {
			return
		}
		s.widths[widest]--
		total--
	}
}

// wrap breaks a long text, behind semicolons first.
func wrap(s string, width int) string {
	if text.RuneWidthWithoutEscSequences(s) <= width {
		return s
	}
	var lines []string
	for part := range strings.SplitSeq(strings.ReplaceAll(s, "; ", ";\n"), "\n") {
		lines = append(lines, text.WrapSoft(part, width))
	}
	return strings.Join(lines, "\n")
}

func (s *tableSink) Close() error {
	s.fit()
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
	head := make(table.Row, len(s.columns))
	var configs []table.ColumnConfig
	for i, c := range s.columns {
		head[i] = c
		cfg := table.ColumnConfig{Number: i + 1, WidthMax: s.widths[i], WidthMaxEnforcer: wrap}
		if s.numeric[i] {
			cfg.Align, cfg.AlignHeader = text.AlignRight, text.AlignRight
		}
		configs = append(configs, cfg)
	}
	t.SetColumnConfigs(configs)
	t.AppendHeader(head)
	for _, r := range s.body {
		row := make(table.Row, len(r))
		for i, c := range r {
			row[i] = c
		}
		t.AppendRow(row)
	}
	var b strings.Builder
	if s.Title != "" {
		fmt.Fprintf(&b, "%s\n\n", s.Title)
	}
	for line := range strings.Lines(t.Render()) {
		b.WriteString(strings.TrimRight(line, " \n"))
		b.WriteByte('\n')
	}
	_, err := io.WriteString(s.w, b.String())
	return err
}
