package tabular

import (
	"archive/zip"
	"errors"
	"fmt"
	"io"
	"path"
	"strconv"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
)

// Bounds on what is unpacked of a workbook: a small file can hold a lot.
const (
	mostXLSXText  = 1 << 20   // bytes between two tags: the text of a cell
	mostXLSXPart  = 64 << 20  // of a part that is held: styles, relations
	mostXLSXTexts = 128 << 20 // of the shared texts together
	mostXLSXFile  = 512 << 20 // of a workbook on standard input
)

// workbook is a workbook in the form of ECMA-376: a zip file of XML parts.
type workbook struct {
	file   string
	zip    *zip.Reader
	texts  []string // shared strings
	isDate []bool   // by cell style
	epoch  civil.Date
	sheets []sheetRef
	keep   eval.Keeper
}

// sheetRef is a sheet and the part that holds it.
type sheetRef struct{ name, part string }

func (b *workbook) fault(line int, format string, args ...any) error {
	return &CellError{File: b.file, Line: line, Message: fmt.Sprintf(format, args...)}
}

// damaged is the fault of a part that can't be read to its end.
func (b *workbook) damaged(line int, err error) error {
	why := err.Error()
	if errors.Is(err, io.ErrUnexpectedEOF) {
		why = "it is cut off"
	}
	return b.fault(line, "the workbook is damaged here (%s); open it in a spreadsheet and save it again", why)
}

// openPart opens a part; nil where the workbook has none of that name.
func (b *workbook) openPart(name string) (io.ReadCloser, error) {
	for _, f := range b.zip.File {
		if strings.EqualFold(f.Name, name) {
			return f.Open()
		}
	}
	return nil, nil
}

// elements calls do with each start of an element of a part, its name and the reader
// behind it. The part must end with the end of its first element.
func (b *workbook) elements(name string, do func(e *tags, name string) error) error {
	part, err := b.openPart(name)
	if err != nil {
		return b.damaged(1, err)
	}
	if part == nil {
		return nil
	}
	defer part.Close()
	t := newTags(io.LimitReader(part, mostXLSXPart))
	for {
		kind, err := t.next()
		if err != nil {
			return b.damaged(1, fmt.Errorf("%s: %w", name, err))
		}
		if kind == noTag {
			return nil
		}
		if kind == startTag {
			if err := do(t, string(t.name)); err != nil {
				return err
			}
		}
	}
}

// openBook reads everything of a workbook but its sheets.
func openBook(name string, r io.ReaderAt, size int64) (*workbook, error) {
	b := &workbook{file: name}
	var err error
	if b.zip, err = zip.NewReader(r, size); err != nil {
		return nil, b.fault(1, "this workbook can't be read: it is cut off or damaged")
	}
	main := "xl/workbook.xml"
	err = b.elements("_rels/.rels", func(e *tags, name string) error {
		if name == "Relationship" && strings.HasSuffix(e.attr("Type"), "/officeDocument") {
			main = strings.TrimPrefix(e.attr("Target"), "/")
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	targets := map[string]string{}
	dir, base := path.Split(main)
	err = b.elements(dir+"_rels/"+base+".rels", func(e *tags, name string) error {
		if name != "Relationship" {
			return nil
		}
		target := e.attr("Target")
		if strings.HasPrefix(target, "/") {
			target = target[1:]
		} else {
			target = path.Join(dir, target)
		}
		targets[e.attr("Id")] = target
		switch kind := e.attr("Type"); {
		case strings.HasSuffix(kind, "/sharedStrings"):
			targets["texts"] = target
		case strings.HasSuffix(kind, "/styles"):
			targets["styles"] = target
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	b.epoch, _ = civil.Of(1899, 12, 30)
	err = b.elements(main, func(e *tags, name string) error {
		switch name {
		case "workbookPr":
			if on := e.attr("date1904"); on == "1" || on == "true" {
				b.epoch, _ = civil.Of(1904, 1, 1)
			}
		case "sheet":
			b.sheets = append(b.sheets, sheetRef{e.attr("name"), targets[e.attr("id")]})
		}
		return nil
	})
	if err == nil {
		err = b.styles(targets["styles"])
	}
	if err == nil {
		err = b.sharedTexts(targets["texts"])
	}
	return b, err
}

// styles finds which cell styles show dates.
func (b *workbook) styles(part string) error {
	custom := map[int]bool{}
	inCells := false
	return b.elements(part, func(e *tags, name string) error {
		id, _ := strconv.Atoi(e.attr("numFmtId"))
		switch name {
		case "numFmt":
			custom[id] = dateFormat(e.attr("formatCode"))
		case "cellStyleXfs", "dxfs", "cellStyles":
			inCells = false
		case "cellXfs":
			inCells = true
		case "xf":
			if inCells {
				b.isDate = append(b.isDate, custom[id] || id >= 14 && id <= 17 || id == 22 || id >= 27 && id <= 36 || id >= 50 && id <= 58)
			}
		}
		return nil
	})
}

// dateFormat reports whether a number format shows a day or a year.
func dateFormat(format string) bool {
	quoted := false
	for i := 0; i < len(format); i++ {
		switch c := format[i] | 0x20; {
		case format[i] == '"':
			quoted = !quoted
		case quoted:
		case format[i] == '\\':
			i++
		case format[i] == '[': // a colour or a condition
			if end := strings.IndexByte(format[i:], ']'); end > 0 {
				i += end
			}
		case c == 'y', c == 'd':
			return true
		}
	}
	return false
}

// sharedTexts reads the texts that cells refer to.
func (b *workbook) sharedTexts(name string) error {
	part, err := b.openPart(name)
	if err != nil || part == nil {
		return err
	}
	defer part.Close()
	t := newTags(part)
	total := 0
	for {
		kind, err := t.next()
		if err != nil {
			return b.damaged(1, fmt.Errorf("the shared texts: %w", err))
		}
		if kind == noTag {
			return nil
		}
		if kind == startTag && string(t.name) == "si" {
			text, err := richText(t, b.keep.Room())
			if err != nil {
				return b.damaged(1, fmt.Errorf("the shared texts: %w", err))
			}
			if total += len(text); total > mostXLSXTexts {
				return b.fault(1, "the texts of this workbook are over %d MB", mostXLSXTexts>>20)
			}
			b.texts = append(b.texts, b.keep.Keep(text))
		}
	}
}

// richText appends the runs of a text up to the end of its element; readings of
// characters (rPh) aren't part of it.
func richText(t *tags, s []byte) ([]byte, error) {
	depth, in, reading := 1, false, 0
	for depth > 0 {
		kind, err := t.next()
		if err != nil {
			return s, err
		}
		switch kind {
		case noTag:
			return s, io.ErrUnexpectedEOF
		case startTag:
			depth++
			in = string(t.name) == "t"
			if string(t.name) == "rPh" {
				reading = depth
			}
		case endTag:
			if depth == reading {
				reading = 0
			}
			depth, in = depth-1, false
		case charData:
			if in && reading == 0 {
				if s = append(s, t.text...); len(s) > mostXLSXText {
					return s, errLongCell
				}
			}
		}
	}
	return s, nil
}

func noEOF(err error) error {
	if err == io.EOF {
		return io.ErrUnexpectedEOF
	}
	return err
}

// part finds the part of a sheet by the sheet's name; the first where name is "".
func (b *workbook) part(name string) (sheetRef, error) {
	var names []string
	for i, s := range b.sheets {
		if strings.EqualFold(s.name, name) || name == "" && i == 0 {
			return s, nil
		}
		names = append(names, s.name)
	}
	hint := "the sheets are " + strings.Join(names, ", ")
	if near := phrase.Nearest(name, names); near != "" {
		hint = "did you mean " + near + "?"
	}
	return sheetRef{}, b.fault(1, "there is no sheet %q; %s", name, hint)
}
