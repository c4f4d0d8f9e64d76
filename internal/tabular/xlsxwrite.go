package tabular

import (
	"fmt"
	"io"
	"strconv"
	"strings"

	"github.com/xuri/excelize/v2"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
)

// xlsxSink writes a workbook of one sheet: real dates, the header frozen and
// filtered, widths from the first rows. Text is text and never a formula.
type xlsxSink struct {
	w         io.Writer
	cover     BookProperties
	sheet     string
	book      *excelize.File
	remove    func() error // closes it, and takes its temporary files away
	stream    *excelize.StreamWriter
	columns   []string
	firstRows [][]any // the first rows, from which the widths come
	widths    []int
	line      int
	styles    struct {
		head, date, moment int
		places             [maxDecimals + 1]int
		forms              map[eval.CellFormat]int // of cells that came from a workbook
	}
	highlighting    bool
	nextIsTotals    bool        // the next row is that of totals
	totalsLine      int         // the line of totals
	highlightStyles map[int]int // styles of rows that stand out, by the plain one
}

const widthSampleRows = 1000

// firstSerial is the day from which a spreadsheet's numbers count, from March 1900 on.
var firstSerial, _ = civil.NewDate(1899, 12, 30)

// NewXLSX returns a sink that writes an XLSX workbook.
func NewXLSX(w io.Writer, c BookProperties) (rows.Sink, error) {
	book, sheet, remove, err := newBook(1, c)
	if err != nil {
		return nil, err
	}
	x := &xlsxSink{w: w, cover: c, sheet: sheet, book: book, remove: remove, line: 1}
	x.styles.forms = map[eval.CellFormat]int{}
	if x.stream, err = x.book.NewStreamWriter(sheet); err != nil {
		return nil, err
	}
	date, moment := "yyyy-mm-dd", "yyyy-mm-dd hh:mm"
	if x.styles.head, err = x.book.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true, Family: "Calibri",
		Size: 11}, Fill: excelize.Fill{Type: "pattern", Pattern: 1, Color: []string{"E8EEF2"}}}); err != nil {
		return nil, err
	}
	if x.styles.date, err = x.book.NewStyle(&excelize.Style{CustomNumFmt: &date}); err != nil {
		return nil, err
	}
	x.styles.moment, err = x.book.NewStyle(&excelize.Style{CustomNumFmt: &moment})
	return x, err
}

var _ rows.Displayer = (*xlsxSink)(nil)

// Display says what a workbook shows beside rows.
func (x *xlsxSink) Display() rows.Display {
	return rows.Display{
		Highlight:    func(e rows.Emphasis) { x.highlighting = e != rows.NoEmphasis },
		NextIsTotals: func() { x.nextIsTotals = true },
		DrawGrid:     func(g *rows.Grid) error { return gridXLSX(x.w, g, x.cover) },
	}
}

func (x *xlsxSink) Header(columns []string) error {
	x.columns = columns
	for _, c := range columns {
		x.widths = append(x.widths, len([]rune(c))+3) // room for the filter's button
	}
	return nil
}

func (x *xlsxSink) Row(cells []eval.Value) error {
	row := make([]any, len(cells))
	for i, v := range cells {
		row[i] = x.cell(v)
		switch {
		case x.highlighting:
			row[i] = x.highlighted(row[i])
		case x.nextIsTotals:
			row[i] = x.bold(row[i])
		}
		if x.firstRows != nil || x.line == 1 {
			x.widths[i] = max(x.widths[i], len([]rune(v.String()))+1)
		}
	}
	if x.nextIsTotals { // alone or not: the filter stops above it
		if err := x.writeHead(); err != nil {
			return err
		}
		x.totalsLine = x.line
	}
	if x.line == 1 && len(x.firstRows) < widthSampleRows {
		x.firstRows = append(x.firstRows, row)
		return nil
	}
	if err := x.writeHead(); err != nil {
		return err
	}
	return x.writeRow(row)
}

func (x *xlsxSink) cell(v eval.Value) any {
	switch v.Kind {
	case eval.Date, eval.DateTime:
		y, m, _ := v.Day.YMD()
		if y < 1900 || y == 1900 && m < 3 || v.IsRepeated() { // spreadsheets have no such dates and times
			return v.String()
		}
		style := x.styles.date
		if days, times, _ := formatOf(v.Format).displayKinds(); v.Kind == eval.DateTime {
			style = x.styles.moment
		} else if days && !times {
			style = x.formatStyle(v.Format)
		}
		if days := int(v.Day - firstSerial); v.Minutes == 0 {
			return excelize.Cell{StyleID: style, Value: days}
		} else {
			return excelize.Cell{StyleID: style, Value: float64(days) + float64(v.Minutes)/(24*60)}
		}
	case eval.Number:
		if f, err := strconv.ParseFloat(v.String(), 64); err == nil {
			if v.Format > eval.TextFormat {
				return excelize.Cell{StyleID: x.formatStyle(v.Format), Value: f}
			}
			if v.Places > 0 && v.Places <= maxDecimals {
				return excelize.Cell{StyleID: x.decimalStyle(int(v.Places)), Value: f}
			}
			return f
		}
	case eval.Boolean:
		return v.Num == 1
	case eval.Blank:
		return nil
	case eval.Text:
		if v.Format == eval.TextFormat {
			return v.Text
		}
		if n, ok := v.Typed(); ok {
			return excelize.Cell{StyleID: x.formatStyle(v.Format), Value: n}
		}
		if d, _, ok := civil.Parse(v.Text); ok && len(v.Text) == 10 && v.Text[7] == '-' {
			return x.cell(eval.Day(d))
		}
		if n, places, ok := plainNumber(v.Text); ok {
			if places == 0 {
				return n
			}
			return excelize.Cell{StyleID: x.decimalStyle(places), Value: n}
		}
	}
	return v.String()
}

// maxFormatStyles is how many formats of other workbooks one can take over; each is looked for
// among the styles there are.
const maxFormatStyles = 1000

// formatStyle is the style of a form of numbers; the general one if a workbook can't have it.
func (x *xlsxSink) formatStyle(f eval.CellFormat) int {
	id, known := x.styles.forms[f]
	if known || len(x.styles.forms) >= maxFormatStyles {
		return id
	}
	s := formatOf(f)
	days, times, _ := s.displayKinds()
	style := &excelize.Style{NumFmt: s.id}
	switch {
	case s.code != "":
		style.CustomNumFmt = &s.code
	case s.id <= 22 || s.id >= 37 && s.id <= 49: // the others are of some languages
	case days && times:
		id = x.styles.moment
	case days:
		id = x.styles.date
	case times:
		style.NumFmt = 20
	default:
		style.NumFmt = 0
	}
	if made, err := x.book.NewStyle(style); err == nil && id == 0 {
		id = made
	}
	x.styles.forms[f] = id
	return id
}

// plainNumber reads a text that is a number and nothing but: no sign in front
// but -, no zeros that a code might have, no more digits than a workbook keeps.
func plainNumber(s string) (n float64, places int, ok bool) {
	whole, frac, point := strings.Cut(strings.TrimPrefix(s, "-"), ".")
	digits := strings.Trim(whole+frac, "0123456789") == ""
	if !digits || whole == "" || point && frac == "" || len(whole) > 1 && whole[0] == '0' ||
		len(whole)+len(frac) > 15 || len(frac) > maxDecimals {
		return 0, 0, false
	}
	n, err := strconv.ParseFloat(s, 64)
	return n, len(frac), err == nil
}

const maxDecimals = 10

// decimalStyle is the style that shows a number with its decimal places.
func (x *xlsxSink) decimalStyle(places int) int {
	if x.styles.places[places] == 0 {
		format := "0." + strings.Repeat("0", places)
		if id, err := x.book.NewStyle(&excelize.Style{CustomNumFmt: &format}); err == nil {
			x.styles.places[places] = id
		}
	}
	return x.styles.places[places]
}

// highlighted gives a cell the fill of a row that stands out.
func (x *xlsxSink) highlighted(v any) any {
	c, styled := v.(excelize.Cell)
	if !styled {
		c = excelize.Cell{Value: v}
	}
	id, known := x.highlightStyles[c.StyleID]
	if !known {
		style := &excelize.Style{}
		if c.StyleID != 0 {
			if plain, err := x.book.GetStyle(c.StyleID); err == nil {
				style = plain
			}
		}
		style.Fill = excelize.Fill{Type: "pattern", Pattern: 1, Color: []string{"FBE7C6"}}
		var err error
		if id, err = x.book.NewStyle(style); err != nil {
			return v
		}
		if x.highlightStyles == nil {
			x.highlightStyles = map[int]int{}
		}
		x.highlightStyles[c.StyleID] = id
	}
	c.StyleID = id
	return c
}

// bold is a cell of the totals.
func (x *xlsxSink) bold(v any) any {
	c, styled := v.(excelize.Cell)
	if !styled {
		c = excelize.Cell{Value: v}
	}
	style := &excelize.Style{}
	if c.StyleID != 0 {
		if plain, err := x.book.GetStyle(c.StyleID); err == nil {
			style = plain
		}
	}
	style.Font = &excelize.Font{Bold: true, Family: "Calibri", Size: 11}
	style.Border = []excelize.Border{{Type: "top", Color: "5A7184", Style: 1}}
	if id, err := x.book.NewStyle(style); err == nil {
		c.StyleID = id
	}
	return c
}

// writeHead writes widths, header and the rows held back; once.
func (x *xlsxSink) writeHead() error {
	if x.line > 1 {
		return nil
	}
	for i, w := range x.widths {
		if err := x.stream.SetColWidth(i+1, i+1, float64(min(w+1, 60))); err != nil {
			return err
		}
	}
	if err := x.stream.SetPanes(&excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2",
		ActivePane: "bottomLeft"}); err != nil {
		return err
	}
	head := make([]any, len(x.columns))
	for i, c := range x.columns {
		head[i] = excelize.Cell{StyleID: x.styles.head, Value: c}
	}
	if err := x.writeRow(head); err != nil {
		return err
	}
	for _, row := range x.firstRows {
		if err := x.writeRow(row); err != nil {
			return err
		}
	}
	x.firstRows = nil
	return nil
}

func (x *xlsxSink) writeRow(row []any) error {
	cell, err := excelize.CoordinatesToCellName(1, x.line)
	if err != nil {
		return fmt.Errorf("a workbook has at most 1,048,576 rows; use --as csv")
	}
	x.line++
	return x.stream.SetRow(cell, row)
}

func (x *xlsxSink) Close() (err error) {
	defer func() {
		if gone := x.remove(); err == nil {
			err = gone
		}
	}()
	if err := x.writeHead(); err != nil {
		return err
	}
	end := x.line - 1
	if x.totalsLine > 0 {
		end = x.totalsLine - 1
	}
	// what is set after the flush is lost
	if last, err := excelize.CoordinatesToCellName(len(x.columns), end); err == nil {
		if err := x.book.AutoFilter(x.sheet, "A1:"+last, nil); err != nil {
			return err
		}
	}
	if err := x.stream.Flush(); err != nil {
		return err
	}
	_, err = x.book.WriteTo(x.w)
	return err
}
