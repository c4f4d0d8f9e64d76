package tabular

import (
	"cmp"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"
	"yoyaku/internal/core/phrase"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
)

// xlsxReader reads one sheet of a workbook as it streams. Cells with a date
// format are dates.
type xlsxReader struct {
	*workbook
	sheet     string
	part      io.ReadCloser
	tags      *xmlScanner
	line      int
	columns   []string
	ended     bool
	rowHidden bool     // the row that was read last
	isRaw     bool     // rows are as long as they are, and there is no header
	merged    []string // references of merged cells, known at the end
	unseen    *HiddenParts
}

func openXLSX(name string, r io.ReaderAt, size int64, o Options) (rows.Reader, error) {
	b, err := openBook(name, r, size)
	if err != nil {
		return nil, err
	}
	sheet, err := b.findSheet(o.Sheet)
	if err != nil {
		return nil, err
	}
	x := &xlsxReader{workbook: b, sheet: sheet.name, unseen: cmp.Or(o.Hidden, &HiddenParts{})}
	if first := b.sheets[0]; o.Sheet == "" && first.hidden {
		x.unseen.hiddenSheet, x.unseen.readSheet = first.name, sheet.name
	}
	if x.part, err = b.openPart(sheet.part); err != nil {
		return nil, b.partError(1, err)
	}
	if x.part == nil {
		return nil, b.fault(1, "the sheet %s can't be read: the workbook is damaged", sheet.name)
	}
	x.tags = newTags(x.part)
	if x.isRaw = o.raw; x.isRaw {
		return x, nil
	}
	for {
		cells, err := x.row()
		if err != nil {
			return nil, err
		}
		if cells == nil {
			if o.HeaderRow > 1 && x.line > 0 {
				return nil, b.fault(x.line, "there is no header row %d", o.HeaderRow)
			}
			return nil, b.fault(1, "the sheet %s is empty: it has no header", x.sheet)
		}
		if x.line < o.HeaderRow {
			continue
		}
		for _, v := range cells {
			x.columns = append(x.columns, headingText(v))
		}
		for n := len(x.columns); n > 0 && x.columns[n-1] == ""; n-- {
			x.columns = x.columns[:n-1]
		}
		if len(x.columns) == 0 {
			x.columns = nil
			continue
		}
		x.unseen.columns = slices.DeleteFunc(x.unseen.columns, func(i int) bool { return i >= len(x.columns) })
		return x, o.repairHeader(name, x.line, x.columns)
	}
}

// row reads the next row that is there; nil at the end.
func (x *xlsxReader) row() ([]eval.Value, error) {
	if x.ended {
		return nil, nil
	}
	for {
		kind, err := x.tags.next()
		if err == nil && kind == endOfPart {
			err = io.ErrUnexpectedEOF
		}
		if err != nil {
			return nil, x.partError(x.line+1, err)
		}
		switch name := x.tags.name; {
		case kind == startTag && name == "col":
			x.noteHiddenColumns()
		case kind == startTag && name == "row":
			x.line++
			if n, err := strconv.Atoi(x.tags.attr("r")); err == nil && n >= x.line {
				x.line = n
			}
			hidden := x.tags.attr("hidden")
			x.rowHidden = hidden == "1" || hidden == "true"
			return x.cells()
		case kind == endTag && (name == "sheetData" || name == "worksheet"):
			x.ended = true
			return nil, x.checkTail()
		}
	}
}

// checkTail reads what follows the rows, so that a cut file is noticed.
func (x *xlsxReader) checkTail() error {
	for {
		if kind, err := x.tags.next(); err != nil {
			return x.partError(x.line+1, err)
		} else if kind == endOfPart {
			return nil
		} else if kind == startTag && x.tags.name == "mergeCell" && len(x.merged) < maxLookedRows {
			x.merged = append(x.merged, strings.Clone(x.tags.attr("ref")))
		}
	}
}

// noteHiddenColumns notes the columns that an element hides.
func (x *xlsxReader) noteHiddenColumns() {
	if hidden := x.tags.attr("hidden"); hidden != "1" && hidden != "true" {
		return
	}
	first, _ := strconv.Atoi(x.tags.attr("min"))
	last, _ := strconv.Atoi(x.tags.attr("max"))
	for i := max(first, 1); i <= min(last, maxColumns) && len(x.unseen.columns) < maxLookedRows; i++ {
		x.unseen.columns = append(x.unseen.columns, i-1)
	}
}

// cells reads the cells of a row.
func (x *xlsxReader) cells() ([]eval.Value, error) {
	cells := make([]eval.Value, 0, len(x.columns)+8)
	for {
		kind, err := x.tags.next()
		if err != nil {
			return nil, x.partError(x.line, err)
		}
		switch {
		case kind == endOfPart:
			return nil, x.partError(x.line, io.ErrUnexpectedEOF)
		case kind == endTag && x.tags.name == "row":
			return cells, nil
		case kind == startTag && x.tags.name == "c":
			c := xlsxCell{x.tags.attr("r"), x.tags.attr("t"), x.tags.attr("s")}
			at := len(cells)
			if c.ref != "" {
				if at = columnOf(c.ref); at < len(cells) || at >= maxColumns {
					return nil, x.partError(x.line, fmt.Errorf("the cell %s is out of place", eval.Truncate(c.ref)))
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
	for i := 0; i < len(ref) && ref[i]|0x20 >= 'a' && ref[i]|0x20 <= 'z' && n <= maxColumns; i++ {
		n = n*26 + int(ref[i]|0x20-'a') + 1
	}
	return n - 1
}

// cell reads a cell up to the end of its element.
func (x *xlsxReader) cell(c xlsxCell) (eval.Value, error) {
	text, formula, has, in := x.arena.Buffer(), false, false, false
	for {
		kind, err := x.tags.next()
		if err == nil && kind == endOfPart {
			err = io.ErrUnexpectedEOF
		}
		if err != nil {
			return eval.Value{}, x.partError(x.line, err)
		}
		switch name := x.tags.name; kind {
		case startTag:
			in = name == "v"
			has = has || in && c.kind == "str" // a formula may give an empty text
			switch name {
			case "f":
				formula = true
			case "is":
				if text, err = richText(x.tags, text); err != nil {
					return eval.Value{}, x.partError(x.line, err)
				}
			}
		case charData:
			if in {
				text = append(text, x.tags.text...)
				has = has || len(x.tags.text) > 0
			}
		case endTag:
			if in = false; name != "c" {
				continue
			}
			if formula && !has {
				return eval.Value{}, x.fault(x.line,
					"%s has a formula without a stored value; open the workbook in a spreadsheet and save it",
					strings.TrimSuffix("the cell "+c.ref, " "))
			}
			return x.value(c, x.arena.Store(text))
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
		if err != nil || i < 0 || i >= len(x.sharedStrings) {
			return eval.Value{}, x.partError(x.line, fmt.Errorf("the cell %s refers to a missing text", c.ref))
		}
		return textCell(x.sharedStrings[i]), nil
	case "b":
		return eval.Bool(text == "1"), nil
	case "str", "inlineStr", "e", "d":
		return textCell(text), nil
	}
	if text = strings.TrimSpace(text); text == "" {
		return eval.Value{}, nil
	}
	f, err := strconv.ParseFloat(text, 64)
	if err != nil || math.IsNaN(f) || math.IsInf(f, 0) || strings.ContainsAny(text, "xX") {
		return eval.Value{}, x.partError(x.line, fmt.Errorf("the cell %s: expected a number, found %q", c.ref, eval.Truncate(text)))
	}
	style := x.defaultStyle
	if i, _ := strconv.Atoi(c.style); i >= 0 && i < len(x.cellStyles) {
		style = x.cellStyles[i]
	}
	if style.days || style.times {
		if v, ok := x.time(f, style); ok {
			return v, nil
		}
	}
	return eval.TypedNumber(formatGeneral(text, f), f, style.form), nil
}

// textCell is a cell that holds a text.
func textCell(s string) eval.Value {
	v := eval.Str(s)
	v.Format = eval.TextFormat
	return v
}

const (
	daySeconds = 86_400
	lastSerial = 2_958_465 // 9999-12-31, counted from 1900
	shift1904  = 1_462     // days from the one beginning to the other
)

// time makes a cell of a number that is shown as a day, a time, or both: a date; a text
// such as 2026-03-01T14:30, if there is a time with it; or such as 09:15.
func (x *xlsxReader) time(f float64, style cellStyle) (eval.Value, bool) {
	if f < 0 || f > lastSerial+1 {
		return eval.Value{}, false
	}
	seconds := int64(math.Round(f * daySeconds))
	if f < 1 || !style.days && (style.elapsed || f < 366) {
		if style.days && f == 0 {
			return eval.Value{}, false
		}
		return eval.TypedNumber(clockText(seconds), f, style.form), true
	}
	d, ok := dateOfSerial(int(seconds/daySeconds), x.from1904)
	if !ok {
		return eval.Value{}, false
	}
	if seconds %= daySeconds; seconds == 0 {
		v := eval.Day(d)
		v.Format = style.form
		return v, true
	}
	if x.from1904 {
		f += shift1904
	}
	return eval.TypedNumber(d.String()+"T"+clockText(seconds), f, style.form), true
}

// clockText writes seconds as hours and minutes, and seconds if there are some.
func clockText(n int64) string {
	text := fmt.Sprintf("%02d:%02d", n/3600, n/60%60)
	if n%60 != 0 {
		text += fmt.Sprintf(":%02d", n%60)
	}
	return text
}

// formatGeneral writes a number as a spreadsheet shows it: without an exponent, to 15
// digits.
func formatGeneral(text string, f float64) string {
	digits := strings.TrimPrefix(text, "-")
	whole, frac, point := strings.Cut(digits, ".")
	if whole != "" && digitsOnly(whole+frac) && (len(whole) == 1 || whole[0] != '0') &&
		(len(text) <= 15 && point == (frac != "") || !point) {
		return text
	}
	r, err := strconv.ParseFloat(strconv.FormatFloat(f, 'g', 15, 64), 64)
	if err != nil {
		return text
	}
	return strconv.FormatFloat(r, 'f', -1, 64)
}

// dateOfSerial is the day of a spreadsheet's day number. The system that counts from
// 1900 has a 29 February 1900 that never was: day 60.
func dateOfSerial(n int, from1904 bool) (civil.Date, bool) {
	epoch, _ := civil.NewDate(1899, 12, 30)
	switch {
	case from1904:
		n += shift1904
	case n == 60:
		return civil.None, false
	case n < 60:
		n++
	}
	return epoch.Add(n)
}

func (x *xlsxReader) Columns() []string { return x.columns }

func (x *xlsxReader) Next() (rows.Batch, error) {
	var b jsonBatchRows
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
		if x.rowHidden {
			x.unseen.rows++
		}
		if x.isRaw {
			b.add(x.line, cells)
			continue
		}
		for i := len(x.columns); i < len(cells); i++ {
			if cells[i].Kind != eval.Blank {
				return nil, x.fault(x.line, "this row has %s, the header has %d", phrase.Plural(i+1, "cell"), len(x.columns))
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
