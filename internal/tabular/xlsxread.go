package tabular

import (
	"fmt"
	"io"
	"strconv"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
)

// xlsxReader reads one sheet of a workbook as it streams. Cells with a date
// format are dates.
type xlsxReader struct {
	*workbook
	sheet   string
	part    io.ReadCloser
	tags    *tags
	line    int
	columns []string
	ended   bool
}

func openXLSX(name string, r io.ReaderAt, size int64, o Input) (rows.Reader, error) {
	b, err := openBook(name, r, size)
	if err != nil {
		return nil, err
	}
	sheet, err := b.part(o.Sheet)
	if err != nil {
		return nil, err
	}
	x := &xlsxReader{workbook: b, sheet: sheet.name}
	if x.part, err = b.openPart(sheet.part); err != nil || x.part == nil {
		return nil, b.fault(1, "the sheet %s can't be read: the workbook is damaged", sheet.name)
	}
	x.tags = newTags(x.part)
	for {
		cells, err := x.row()
		if err != nil {
			return nil, err
		}
		if cells == nil {
			if o.HeaderRow > 1 && x.line > 0 {
				return nil, b.fault(x.line, "there is no header row %d", o.HeaderRow)
			}
			return nil, b.fault(1, "the sheet %s is empty: not even a header", x.sheet)
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
		if len(x.columns) == 0 {
			x.columns = nil
			continue
		}
		return x, o.header(name, x.line, x.columns)
	}
}

// row reads the next row that is there; nil at the end.
func (x *xlsxReader) row() ([]eval.Value, error) {
	if x.ended {
		return nil, nil
	}
	for {
		kind, err := x.tags.next()
		if err == nil && kind == noTag {
			err = io.ErrUnexpectedEOF
		}
		if err != nil {
			return nil, x.damaged(x.line+1, err)
		}
		switch name := x.tags.name; {
		case kind == startTag && string(name) == "row":
			x.line++
			if n, err := strconv.Atoi(x.tags.attr("r")); err == nil && n >= x.line {
				x.line = n
			}
			return x.cells()
		case kind == endTag && (string(name) == "sheetData" || string(name) == "worksheet"):
			x.ended = true
			return nil, x.rest()
		}
	}
}

// rest reads what stands behind the rows, so that a cut file is noticed.
func (x *xlsxReader) rest() error {
	for {
		if kind, err := x.tags.next(); err != nil {
			return x.damaged(x.line+1, err)
		} else if kind == noTag {
			return nil
		}
	}
}

// cells reads the cells of a row.
func (x *xlsxReader) cells() ([]eval.Value, error) {
	cells := make([]eval.Value, 0, len(x.columns)+8)
	for {
		kind, err := x.tags.next()
		if err != nil {
			return nil, x.damaged(x.line, err)
		}
		switch {
		case kind == noTag:
			return nil, x.damaged(x.line, io.ErrUnexpectedEOF)
		case kind == endTag && string(x.tags.name) == "row":
			return cells, nil
		case kind == startTag && string(x.tags.name) == "c":
			c := xlsxCell{x.tags.attr("r"), x.tags.attr("t"), x.tags.attr("s")}
			at := len(cells)
			if c.ref != "" {
				if at = columnOf(c.ref); at < len(cells) || at >= mostColumns {
					return nil, x.damaged(x.line, fmt.Errorf("the cell %s is out of place", eval.Brief(c.ref)))
				}
			}
			for len(cells) < at {
				cells = append(cells, eval.Value{})
			}
			v, err := x.cell(c)
			if err != nil {
				return nil, err
			}
			cells = append(cells, v)
		}
	}
}

// xlsxCell are the attributes of a cell: its reference, its type and its style.
type xlsxCell struct{ ref, kind, style string }

// columnOf is the column of a reference such as AB12, from 0.
func columnOf(ref string) int {
	n := 0
	for i := 0; i < len(ref) && ref[i]|0x20 >= 'a' && ref[i]|0x20 <= 'z' && n <= mostColumns; i++ {
		n = n*26 + int(ref[i]|0x20-'a') + 1
	}
	return n - 1
}

// cell reads a cell up to the end of its element.
func (x *xlsxReader) cell(c xlsxCell) (eval.Value, error) {
	text, formula, has, in := x.keep.Room(), false, false, false
	for {
		kind, err := x.tags.next()
		if err == nil && kind == noTag {
			err = io.ErrUnexpectedEOF
		}
		if err != nil {
			return eval.Value{}, x.damaged(x.line, err)
		}
		switch name := x.tags.name; kind {
		case startTag:
			in = string(name) == "v"
			has = has || in
			switch string(name) {
			case "f":
				formula = true
			case "is":
				if text, err = richText(x.tags, text); err != nil {
					return eval.Value{}, x.damaged(x.line, err)
				}
			}
		case charData:
			if in {
				text = append(text, x.tags.text...)
			}
		case endTag:
			if in = false; string(name) != "c" {
				continue
			}
			if formula && !has {
				return eval.Value{}, x.fault(x.line, "the cell %s holds a formula without a stored value; open the workbook in a spreadsheet and save it", c.ref)
			}
			return x.value(c, x.keep.Keep(text))
		}
	}
}

// value makes a cell of its text by its type.
func (x *xlsxReader) value(c xlsxCell, text string) (eval.Value, error) {
	switch c.kind {
	case "s":
		i, err := strconv.Atoi(strings.TrimSpace(text))
		if text == "" {
			return eval.Value{}, nil
		}
		if err != nil || i < 0 || i >= len(x.texts) {
			return eval.Value{}, x.damaged(x.line, fmt.Errorf("the cell %s refers to a text that isn't there", c.ref))
		}
		return eval.Str(x.texts[i]), nil
	case "b":
		return eval.Bool(text == "1"), nil
	case "str", "inlineStr", "e", "d":
		return eval.Str(text), nil
	}
	if text = strings.TrimSpace(text); text == "" {
		return eval.Value{}, nil
	}
	f, err := strconv.ParseFloat(text, 64)
	if err != nil {
		return eval.Value{}, x.damaged(x.line, fmt.Errorf("the cell %s holds %q as a number", c.ref, eval.Brief(text)))
	}
	if style, _ := strconv.Atoi(c.style); style >= 0 && style < len(x.isDate) && x.isDate[style] && f >= 1 && f <= 2958465 {
		if d, ok := serial(int(f), x.epoch); ok {
			return eval.Day(d), nil
		}
	}
	return eval.Str(plain(text, f)), nil
}

// plain writes a number as a spreadsheet shows it: without an exponent, to 15
// digits.
func plain(text string, f float64) string {
	if len(text) <= 15 && !strings.ContainsAny(text, "eE") {
		return text
	}
	if strings.Trim(text, "0123456789") == "" {
		return text
	}
	r, err := strconv.ParseFloat(strconv.FormatFloat(f, 'g', 15, 64), 64)
	if err != nil {
		return text
	}
	return strconv.FormatFloat(r, 'f', -1, 64)
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
				return nil, x.fault(x.line, "this row has %d cells, the header has %d", i+1, len(x.columns))
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
