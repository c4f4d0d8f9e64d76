package tabular

import (
	"encoding/xml"
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
	d       *xml.Decoder
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
	x.d = xml.NewDecoder(&shortRuns{r: x.part})
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
		t, err := x.d.Token()
		if err != nil {
			return nil, x.damaged(x.line+1, noEOF(err))
		}
		switch t := t.(type) {
		case xml.StartElement:
			if t.Name.Local != "row" {
				continue
			}
			x.line++
			if n, err := strconv.Atoi(attr(t, "r")); err == nil && n >= x.line {
				x.line = n
			}
			return x.cells()
		case xml.EndElement:
			if t.Name.Local == "sheetData" || t.Name.Local == "worksheet" {
				x.ended = true
				return nil, x.rest()
			}
		}
	}
}

// rest reads what stands behind the rows, so that a cut file is noticed.
func (x *xlsxReader) rest() error {
	for {
		if _, err := x.d.Token(); err == io.EOF {
			return nil
		} else if err != nil {
			return x.damaged(x.line+1, err)
		}
	}
}

// cells reads the cells of a row.
func (x *xlsxReader) cells() ([]eval.Value, error) {
	cells := make([]eval.Value, 0, len(x.columns)+8)
	for {
		t, err := x.d.Token()
		if err != nil {
			return nil, x.damaged(x.line, noEOF(err))
		}
		switch t := t.(type) {
		case xml.EndElement:
			if t.Name.Local == "row" {
				return cells, nil
			}
		case xml.StartElement:
			if t.Name.Local != "c" {
				continue
			}
			at := len(cells)
			if ref := attr(t, "r"); ref != "" {
				if at = columnOf(ref); at < len(cells) || at >= mostColumns {
					return nil, x.damaged(x.line, fmt.Errorf("the cell %s is out of place", eval.Brief(ref)))
				}
			}
			for len(cells) < at {
				cells = append(cells, eval.Value{})
			}
			v, err := x.cell(t)
			if err != nil {
				return nil, err
			}
			cells = append(cells, v)
		}
	}
}

// columnOf is the column of a reference such as AB12, from 0.
func columnOf(ref string) int {
	n := 0
	for i := 0; i < len(ref) && ref[i]|0x20 >= 'a' && ref[i]|0x20 <= 'z' && n <= mostColumns; i++ {
		n = n*26 + int(ref[i]|0x20-'a') + 1
	}
	return n - 1
}

// cell reads a cell up to the end of its element.
func (x *xlsxReader) cell(c xml.StartElement) (eval.Value, error) {
	kind, text, formula, has := attr(c, "t"), "", false, false
	in := ""
	for {
		t, err := x.d.Token()
		if err != nil {
			return eval.Value{}, x.damaged(x.line, noEOF(err))
		}
		switch t := t.(type) {
		case xml.StartElement:
			switch in = t.Name.Local; in {
			case "f":
				formula = true
			case "v":
				has = true
			case "is":
				if text, err = richText(x.d); err != nil {
					return eval.Value{}, x.damaged(x.line, err)
				}
				in = ""
			}
		case xml.CharData:
			if in == "v" {
				text += string(t)
			}
		case xml.EndElement:
			if in = ""; t.Name.Local != "c" {
				continue
			}
			if formula && !has {
				return eval.Value{}, x.fault(x.line, "the cell %s holds a formula without a stored value; open the workbook in a spreadsheet and save it", attr(c, "r"))
			}
			return x.value(c, kind, text)
		}
	}
}

// value makes a cell of its text by its type.
func (x *xlsxReader) value(c xml.StartElement, kind, text string) (eval.Value, error) {
	switch kind {
	case "s":
		i, err := strconv.Atoi(strings.TrimSpace(text))
		if text == "" {
			return eval.Value{}, nil
		}
		if err != nil || i < 0 || i >= len(x.texts) {
			return eval.Value{}, x.damaged(x.line, fmt.Errorf("the cell %s refers to a text that isn't there", attr(c, "r")))
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
		return eval.Value{}, x.damaged(x.line, fmt.Errorf("the cell %s holds %q as a number", attr(c, "r"), eval.Brief(text)))
	}
	if style, _ := strconv.Atoi(attr(c, "s")); style >= 0 && style < len(x.isDate) && x.isDate[style] && f >= 1 && f <= 2958465 {
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
