package tabular

import (
	"archive/zip"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"path"
	"strconv"
	"strings"

	"yoyaku/internal/core/civil"
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
}

// sheetRef is a sheet and the part that holds it.
type sheetRef struct{ name, part string }

func (b *workbook) fault(line int, format string, args ...any) error {
	return &CellError{File: b.file, Line: line, Message: fmt.Sprintf(format, args...)}
}

// damaged is the fault of a part that can't be read to its end.
func (b *workbook) damaged(line int, err error) error {
	var syntax *xml.SyntaxError
	why := err.Error()
	if errors.As(err, &syntax) {
		why = syntax.Msg
	}
	if errors.Is(err, io.ErrUnexpectedEOF) || why == "unexpected EOF" {
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

// shortRuns fails where more bytes stand between two tags than a cell can have.
type shortRuns struct {
	r   io.Reader
	run int
}

var errLongCell = errors.New("a cell holds over 1 MB")

// Read implements io.Reader.
func (s *shortRuns) Read(p []byte) (int, error) {
	n, err := s.r.Read(p)
	for _, c := range p[:n] {
		if s.run++; c == '<' {
			s.run = 0
		} else if s.run > mostXLSXText {
			return 0, errLongCell
		}
	}
	return n, err
}

// elements calls do with each start of an element of a part, the decoder behind
// it. The part must end with the end of its first element.
func (b *workbook) elements(name string, do func(d *xml.Decoder, e xml.StartElement) error) error {
	part, err := b.openPart(name)
	if err != nil {
		return b.damaged(1, err)
	}
	if part == nil {
		return nil
	}
	defer part.Close()
	d := xml.NewDecoder(&shortRuns{r: io.LimitReader(part, mostXLSXPart)})
	for {
		t, err := d.Token()
		if err == io.EOF {
			return nil
		}
		if err != nil {
			return b.damaged(1, fmt.Errorf("%s: %w", name, err))
		}
		if e, ok := t.(xml.StartElement); ok {
			if err := do(d, e); err != nil {
				return err
			}
		}
	}
}

func attr(e xml.StartElement, name string) string {
	for _, a := range e.Attr {
		if a.Name.Local == name {
			return a.Value
		}
	}
	return ""
}

// openBook reads everything of a workbook but its sheets.
func openBook(name string, r io.ReaderAt, size int64) (*workbook, error) {
	b := &workbook{file: name}
	var err error
	if b.zip, err = zip.NewReader(r, size); err != nil {
		return nil, b.fault(1, "this workbook can't be read: it is cut off or damaged")
	}
	main := "xl/workbook.xml"
	err = b.elements("_rels/.rels", func(_ *xml.Decoder, e xml.StartElement) error {
		if e.Name.Local == "Relationship" && strings.HasSuffix(attr(e, "Type"), "/officeDocument") {
			main = strings.TrimPrefix(attr(e, "Target"), "/")
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	targets := map[string]string{}
	dir, base := path.Split(main)
	err = b.elements(dir+"_rels/"+base+".rels", func(_ *xml.Decoder, e xml.StartElement) error {
		if e.Name.Local != "Relationship" {
			return nil
		}
		target := attr(e, "Target")
		if strings.HasPrefix(target, "/") {
			target = target[1:]
		} else {
			target = path.Join(dir, target)
		}
		targets[attr(e, "Id")] = target
		switch kind := attr(e, "Type"); {
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
	err = b.elements(main, func(_ *xml.Decoder, e xml.StartElement) error {
		switch e.Name.Local {
		case "workbookPr":
			if on := attr(e, "date1904"); on == "1" || on == "true" {
				b.epoch, _ = civil.Of(1904, 1, 1)
			}
		case "sheet":
			b.sheets = append(b.sheets, sheetRef{attr(e, "name"), targets[attr(e, "id")]})
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
	return b.elements(part, func(_ *xml.Decoder, e xml.StartElement) error {
		id, _ := strconv.Atoi(attr(e, "numFmtId"))
		switch e.Name.Local {
		case "numFmt":
			custom[id] = dateFormat(attr(e, "formatCode"))
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
	d := xml.NewDecoder(&shortRuns{r: part})
	total := 0
	for {
		t, err := d.Token()
		if err == io.EOF {
			return nil
		}
		if err != nil {
			return b.damaged(1, fmt.Errorf("the shared texts: %w", err))
		}
		if e, ok := t.(xml.StartElement); ok && e.Name.Local == "si" {
			text, err := richText(d)
			if err != nil {
				return b.damaged(1, fmt.Errorf("the shared texts: %w", err))
			}
			if total += len(text); total > mostXLSXTexts {
				return b.fault(1, "the texts of this workbook are over %d MB", mostXLSXTexts>>20)
			}
			b.texts = append(b.texts, text)
		}
	}
}

// richText reads the runs of a text up to the end of its element; readings of
// characters (rPh) aren't part of it.
func richText(d *xml.Decoder) (string, error) {
	var s strings.Builder
	depth, in, reading := 1, false, 0
	for depth > 0 {
		t, err := d.Token()
		if err != nil {
			return "", noEOF(err)
		}
		switch t := t.(type) {
		case xml.StartElement:
			depth++
			in = t.Name.Local == "t"
			if t.Name.Local == "rPh" {
				reading = depth
			}
		case xml.EndElement:
			if depth == reading {
				reading = 0
			}
			depth, in = depth-1, false
		case xml.CharData:
			if in && reading == 0 {
				if s.Write(t); s.Len() > mostXLSXText {
					return "", errLongCell
				}
			}
		}
	}
	return s.String(), nil
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
