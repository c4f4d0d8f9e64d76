package tabular

import (
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"

	"github.com/xuri/excelize/v2"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
)

// xlsxReader reads one sheet of a workbook. Cells with a date format are dates.
type xlsxReader struct {
	file    string
	book    *excelize.File
	sheet   string
	rows    *excelize.Rows
	line    int
	columns []string
	dates   map[int]bool // style: is it a date's
	epoch   civil.Date
}

func openXLSX(name string, r io.Reader, o Input) (rows.Reader, error) {
	fail := func(line int, format string, args ...any) error {
		return &CellError{File: name, Line: line, Message: fmt.Sprintf(format, args...)}
	}
	book, err := excelize.OpenReader(r, excelize.Options{RawCellValue: true})
	if err != nil {
		return nil, fail(1, "this workbook can't be read: %v", err)
	}
	sheets := book.GetSheetList()
	x := &xlsxReader{file: name, book: book, dates: map[int]bool{}}
	if x.sheet = o.Sheet; x.sheet == "" && len(sheets) > 0 {
		x.sheet = sheets[0]
	}
	found := false
	for _, s := range sheets {
		if strings.EqualFold(s, x.sheet) {
			x.sheet, found = s, true
		}
	}
	if !found {
		hint := "the sheets are " + strings.Join(sheets, ", ")
		if near := phrase.Nearest(x.sheet, sheets); near != "" {
			hint = "did you mean " + near + "?"
		}
		return nil, fail(1, "there is no sheet %q; %s", x.sheet, hint)
	}
	x.epoch, _ = civil.Of(1899, 12, 30)
	if props, err := book.GetWorkbookProps(); err == nil && props.Date1904 != nil && *props.Date1904 {
		x.epoch, _ = civil.Of(1904, 1, 1)
	}
	if x.rows, err = book.Rows(x.sheet); err != nil {
		return nil, fail(1, "this sheet can't be read: %v", err)
	}
	for {
		cells, err := x.row()
		if err != nil {
			return nil, err
		}
		if cells == nil {
			return nil, fail(1, "the sheet %s is empty: not even a header", x.sheet)
		}
		if x.line < o.HeaderRow {
			continue
		}
		for _, v := range cells {
			x.columns = append(x.columns, strings.TrimSpace(v.String()))
		}
		for n := len(x.columns); n > 0 && x.columns[n-1] == ""; n-- {
			x.columns = x.columns[:n-1]
		}
		return x, checkHeader(name, x.line, x.columns)
	}
}

// row reads the next row; nil at the end.
func (x *xlsxReader) row() ([]eval.Value, error) {
	if !x.rows.Next() {
		return nil, x.rows.Error()
	}
	x.line++
	texts, err := x.rows.Columns()
	if err != nil {
		return nil, &CellError{File: x.file, Line: x.line, Message: err.Error()}
	}
	cells := make([]eval.Value, 0, len(texts)+8)
	for i, s := range texts {
		v := eval.Str(s)
		if d, ok := x.date(i, s); ok {
			v = eval.Day(d)
		}
		cells = append(cells, v)
	}
	return cells, nil
}

// date reads a number in a cell whose format is a date's.
func (x *xlsxReader) date(column int, s string) (civil.Date, bool) {
	if s == "" || s[0] < '0' || s[0] > '9' {
		return civil.None, false
	}
	f, err := strconv.ParseFloat(s, 64)
	if err != nil || f < 1 || f > 2958465 {
		return civil.None, false
	}
	cell, err := excelize.CoordinatesToCellName(column+1, x.line)
	if err != nil {
		return civil.None, false
	}
	style, err := x.book.GetCellStyle(x.sheet, cell)
	if err != nil {
		return civil.None, false
	}
	isDate, known := x.dates[style]
	if !known {
		isDate = x.dateStyle(style)
		x.dates[style] = isDate
	}
	if !isDate {
		return civil.None, false
	}
	return serial(int(f), x.epoch)
}

// serial is the day of a spreadsheet's day number. The system that counts from
// 1900 has a 29 February 1900 that never was: day 60.
func serial(n int, epoch civil.Date) (civil.Date, bool) {
	if first, _ := civil.Of(1899, 12, 30); epoch == first && n <= 60 {
		if n == 60 {
			return civil.None, false
		}
		n++
	}
	return epoch.Add(n)
}

func (x *xlsxReader) dateStyle(id int) bool {
	style, err := x.book.GetStyle(id)
	if err != nil {
		return false
	}
	if style.CustomNumFmt != nil {
		format, quoted := strings.ToLower(*style.CustomNumFmt), false
		for i := range len(format) {
			switch c := format[i]; {
			case c == '"':
				quoted = !quoted
			case !quoted && (c == 'y' || c == 'd'):
				return true
			}
		}
		return false
	}
	n := style.NumFmt
	return n >= 14 && n <= 17 || n == 22 || n >= 27 && n <= 36 || n >= 50 && n <= 58
}

func (x *xlsxReader) Columns() []string { return x.columns }

func (x *xlsxReader) Next() (rows.Batch, error) {
	var b rowBatch
	for len(b.rows) < jsonBatch {
		cells, err := x.row()
		if err != nil {
			return nil, err
		}
		if cells == nil {
			break
		}
		blank := true
		for _, c := range cells {
			blank = blank && c.Kind == eval.Blank
		}
		if blank {
			continue
		}
		for i := len(x.columns); i < len(cells); i++ {
			if cells[i].Kind != eval.Blank {
				return nil, &CellError{File: x.file, Line: x.line, Message: fmt.Sprintf("this row has %d cells, the header has %d", i+1, len(x.columns))}
			}
		}
		cells = cells[:min(len(cells), len(x.columns))]
		for len(cells) < len(x.columns) {
			cells = append(cells, eval.Value{})
		}
		b.add(x.line, cells)
	}
	if len(b.rows) == 0 {
		return nil, nil
	}
	return &b, nil
}

// xlsxSink writes a workbook of one sheet: real dates, the header frozen and
// filtered, widths from the first rows. Text is text and never a formula.
type xlsxSink struct {
	w       io.Writer
	book    *excelize.File
	stream  *excelize.StreamWriter
	columns []string
	held    [][]any // the first rows, from which the widths come
	widths  []int
	line    int
	styles  struct {
		head, date, moment int
		places             [mostDecimals + 1]int
	}
	on   bool
	loud map[int]int // styles of rows that stand out, by the plain one
}

const heldRows = 1000

// NewXLSX returns a sink that writes an XLSX workbook.
func NewXLSX(w io.Writer) (rows.Sink, error) {
	x := &xlsxSink{w: w, book: excelize.NewFile(), line: 1}
	var err error
	if x.stream, err = x.book.NewStreamWriter("Sheet1"); err != nil {
		return nil, err
	}
	date, moment := "yyyy-mm-dd", "yyyy-mm-dd hh:mm"
	if x.styles.head, err = x.book.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true, Family: "Calibri", Size: 11}, Fill: excelize.Fill{Type: "pattern", Pattern: 1, Color: []string{"E8EEF2"}}}); err != nil {
		return nil, err
	}
	if x.styles.date, err = x.book.NewStyle(&excelize.Style{CustomNumFmt: &date}); err != nil {
		return nil, err
	}
	x.styles.moment, err = x.book.NewStyle(&excelize.Style{CustomNumFmt: &moment})
	return x, err
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
		if x.on {
			row[i] = x.standOut(row[i])
		}
		if x.held != nil || x.line == 1 {
			x.widths[i] = max(x.widths[i], len([]rune(v.String()))+1)
		}
	}
	if x.line == 1 && len(x.held) < heldRows {
		x.held = append(x.held, row)
		return nil
	}
	if err := x.begin(); err != nil {
		return err
	}
	return x.put(row)
}

func (x *xlsxSink) cell(v eval.Value) any {
	switch v.Kind {
	case eval.Date, eval.Moment:
		y, m, d := v.Day.YMD()
		if y < 1900 || y == 1900 && m < 3 { // spreadsheets have no such dates
			return v.String()
		}
		style := x.styles.date
		if v.Kind == eval.Moment {
			style = x.styles.moment
		}
		return excelize.Cell{StyleID: style, Value: time.Date(y, time.Month(m), d, 0, int(v.Minutes), 0, 0, time.UTC)}
	case eval.Number:
		if f, err := strconv.ParseFloat(v.String(), 64); err == nil {
			return f
		}
	case eval.Truth:
		return v.Num == 1
	case eval.Blank:
		return nil
	case eval.Text:
		if d, _, ok := civil.Parse(v.Text); ok && len(v.Text) == 10 && v.Text[7] == '-' {
			return x.cell(eval.Day(d))
		}
		if n, places, ok := plainNumber(v.Text); ok {
			if places == 0 {
				return n
			}
			return excelize.Cell{StyleID: x.decimals(places), Value: n}
		}
	}
	return v.String()
}

// plainNumber reads a text that is a number and nothing but: no sign in front
// but -, no zeros that a code might have, no more digits than a workbook keeps.
func plainNumber(s string) (n float64, places int, ok bool) {
	whole, frac, point := strings.Cut(strings.TrimPrefix(s, "-"), ".")
	digits := strings.Trim(whole+frac, "0123456789") == ""
	if !digits || whole == "" || point && frac == "" || len(whole) > 1 && whole[0] == '0' || len(whole)+len(frac) > 15 || len(frac) > mostDecimals {
		return 0, 0, false
	}
	n, err := strconv.ParseFloat(s, 64)
	return n, len(frac), err == nil
}

const mostDecimals = 10

// decimals is the style that shows a number with its decimal places.
func (x *xlsxSink) decimals(places int) int {
	if x.styles.places[places] == 0 {
		format := "0." + strings.Repeat("0", places)
		if id, err := x.book.NewStyle(&excelize.Style{CustomNumFmt: &format}); err == nil {
			x.styles.places[places] = id
		}
	}
	return x.styles.places[places]
}

// Mark implements rows.Marker.
func (x *xlsxSink) Mark(on bool) { x.on = on }

// standOut gives a cell the fill of a row that stands out.
func (x *xlsxSink) standOut(v any) any {
	c, styled := v.(excelize.Cell)
	if !styled {
		c = excelize.Cell{Value: v}
	}
	id, known := x.loud[c.StyleID]
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
		if x.loud == nil {
			x.loud = map[int]int{}
		}
		x.loud[c.StyleID] = id
	}
	c.StyleID = id
	return c
}

// begin writes widths, header and the rows held back; once.
func (x *xlsxSink) begin() error {
	if x.line > 1 {
		return nil
	}
	for i, w := range x.widths {
		if err := x.stream.SetColWidth(i+1, i+1, float64(min(w+1, 60))); err != nil {
			return err
		}
	}
	if err := x.stream.SetPanes(&excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2", ActivePane: "bottomLeft"}); err != nil {
		return err
	}
	head := make([]any, len(x.columns))
	for i, c := range x.columns {
		head[i] = excelize.Cell{StyleID: x.styles.head, Value: c}
	}
	if err := x.put(head); err != nil {
		return err
	}
	for _, row := range x.held {
		if err := x.put(row); err != nil {
			return err
		}
	}
	x.held = nil
	return nil
}

func (x *xlsxSink) put(row []any) error {
	cell, err := excelize.CoordinatesToCellName(1, x.line)
	if err != nil {
		return fmt.Errorf("a workbook holds at most 1,048,576 rows")
	}
	x.line++
	return x.stream.SetRow(cell, row)
}

func (x *xlsxSink) Close() error {
	if err := x.begin(); err != nil {
		return err
	}
	if err := x.stream.Flush(); err != nil {
		return err
	}
	if last, err := excelize.CoordinatesToCellName(len(x.columns), x.line-1); err == nil {
		if err := x.book.AutoFilter("Sheet1", "A1:"+last, nil); err != nil {
			return err
		}
	}
	_, err := x.book.WriteTo(x.w)
	return err
}
