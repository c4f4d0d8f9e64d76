package tabular

import (
	"archive/zip"
	"errors"
	"fmt"
	"io"
	"path"
	"slices"
	"strconv"
	"strings"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
)

// Bounds on what is unpacked of a workbook: a small file can hold a lot.
const (
	maxCellBytes         = 1 << 20   // bytes between two tags: the text of a cell
	maxPartBytes         = 64 << 20  // of a part that is held: styles, relations
	maxSharedStringBytes = 128 << 20 // of the shared texts together
	maxStdinBytes        = 512 << 20 // of a workbook on standard input
)

// workbook is a workbook in the form of ECMA-376: a zip file of XML parts.
type workbook struct {
	file          string
	zip           *zip.Reader
	sharedStrings []string // shared strings
	cellStyles    []cellStyle
	defaultStyle  cellStyle
	sheets        []sheetRef
	arena         eval.TextArena
	// from1904 says that days count from 1904-01-01 and not from 1900.
	from1904 bool
}

// cellStyle is how a cell shows a number.
type cellStyle struct {
	form                 eval.CellFormat
	days, times, elapsed bool
}

// sheetRef is a sheet and the part that holds it.
type sheetRef struct {
	name, part string
	hidden     bool
}

func (b *workbook) fault(line int, format string, args ...any) error {
	return &CellError{File: b.file, Line: line, Message: fmt.Sprintf(format, args...)}
}

// partError is the fault of a part that can't be read to its end.
func (b *workbook) partError(line int, err error) error {
	why := err.Error()
	if errors.Is(err, io.ErrUnexpectedEOF) {
		why = "it is cut off"
	}
	return b.fault(line, "the workbook is damaged here (%s); open it in a spreadsheet and save it again", why)
}

// A part that unpacks to more than so many bytes, and to so many times its packed size, is no
// table.
const maxUnpackedBytes, maxUnpackRatio = 64 << 20, 200

// openPart opens a part; nil if the workbook has none of that name.
func (b *workbook) openPart(name string) (io.ReadCloser, error) {
	for _, f := range b.zip.File {
		if strings.EqualFold(f.Name, name) {
			if f.UncompressedSize64 > maxUnpackedBytes && f.UncompressedSize64/maxUnpackRatio > f.CompressedSize64 {
				return nil, fmt.Errorf("%s unpacks to %d MB from %d KB", f.Name, f.UncompressedSize64>>20, f.CompressedSize64>>10)
			}
			return f.Open()
		}
	}
	return nil, nil
}

// elements calls do with each start of an element of a part, its name and the reader
// behind it. The part must end with the end of its first element.
func (b *workbook) elements(name string, do func(e *xmlScanner, name string) error) error {
	part, err := b.openPart(name)
	if err != nil {
		return b.partError(1, err)
	}
	if part == nil {
		return nil
	}
	defer part.Close()
	t := newTags(io.LimitReader(part, maxPartBytes))
	for {
		kind, err := t.next()
		if err != nil {
			return b.partError(1, fmt.Errorf("%s: %w", name, err))
		}
		if kind == endOfPart {
			return nil
		}
		if kind == startTag {
			if err := do(t, t.name); err != nil {
				return err
			}
		}
	}
}

// checkMainPart refuses an archive of another kind, told by its main part.
func (b *workbook) checkMainPart(main string) error {
	if part, err := b.openPart("mimetype"); err == nil && part != nil {
		defer part.Close()
		if kind, _ := io.ReadAll(io.LimitReader(part, 200)); strings.Contains(string(kind), "opendocument") {
			return b.fault(1, "an OpenDocument file, not a workbook; save it as .xlsx")
		}
	}
	part, err := b.openPart(main)
	switch {
	case err != nil:
		return b.partError(1, err)
	case part == nil:
		return b.fault(1, "an archive, not a workbook; unpack it, or save the table as .xlsx")
	}
	part.Close()
	switch {
	case strings.HasSuffix(main, ".bin"):
		return b.fault(1, "a binary workbook; save it as .xlsx")
	case !strings.HasSuffix(path.Base(main), "workbook.xml") && !strings.HasPrefix(main, "xl/"):
		return b.fault(1, "a document of another kind, not a workbook")
	}
	return nil
}

// openBook reads everything of a workbook but its sheets.
func openBook(name string, r io.ReaderAt, size int64) (*workbook, error) {
	b := &workbook{file: name}
	var err error
	if b.zip, err = zip.NewReader(r, size); err != nil {
		return nil, b.fault(1, "the workbook can't be read: it is cut off or damaged")
	}
	main := "xl/workbook.xml"
	err = b.elements("_rels/.rels", func(e *xmlScanner, name string) error {
		if name == "Relationship" && strings.HasSuffix(e.attr("Type"), "/officeDocument") {
			main = strings.TrimPrefix(e.attr("Target"), "/")
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	if err := b.checkMainPart(main); err != nil {
		return nil, err
	}
	targets, sheets, err := b.relationships(main)
	if err != nil {
		return nil, err
	}
	err = b.elements(main, func(e *xmlScanner, name string) error {
		switch name {
		case "workbookPr":
			on := e.attr("date1904")
			b.from1904 = on == "1" || on == "true"
		case "sheet":
			if state := e.attr("state"); sheets[e.attr("id")] { // a sheet of a chart has no rows
				b.sheets = append(b.sheets, sheetRef{e.attr("name"), targets[e.attr("id")], state == "hidden" ||
					state == "veryHidden"})
			}
		}
		return nil
	})
	b.defaultStyle = b.style(0, "")
	if err == nil && len(b.sheets) == 0 {
		err = b.fault(1, "the workbook has no worksheet")
	}
	if err == nil {
		err = b.readStyles(targets["styles"])
	}
	if err == nil {
		err = b.readSharedStrings(targets["texts"])
	}
	return b, err
}

// relationships returns the parts that the workbook's main part refers to, by their ids and as
// `texts` and `styles`, and which of the ids are worksheets.
func (b *workbook) relationships(main string) (targets map[string]string, sheets map[string]bool, err error) {
	targets, sheets = map[string]string{}, map[string]bool{}
	dir, base := path.Split(main)
	err = b.elements(dir+"_rels/"+base+".rels", func(e *xmlScanner, name string) error {
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
		case strings.HasSuffix(kind, "/worksheet"):
			sheets[e.attr("Id")] = true
		case strings.HasSuffix(kind, "/sharedStrings"):
			targets["texts"] = target
		case strings.HasSuffix(kind, "/styles"):
			targets["styles"] = target
		}
		return nil
	})
	return targets, sheets, err
}

// readStyles finds how cell styles show numbers.
func (b *workbook) readStyles(part string) error {
	custom := map[int]string{}
	inCells := false
	return b.elements(part, func(e *xmlScanner, name string) error {
		id, _ := strconv.Atoi(e.attr("numFmtId"))
		switch name {
		case "numFmt":
			custom[id] = e.attr("formatCode")
		case "cellStyleXfs", "dxfs", "cellStyles":
			inCells = false
		case "cellXfs":
			inCells = true
		case "xf":
			if inCells {
				b.cellStyles = append(b.cellStyles, b.style(id, custom[id]))
			}
		}
		return nil
	})
}

// style is that of cells whose format has a number, and a code if it is the book's own.
func (b *workbook) style(id int, code string) cellStyle {
	s := numberFormat{id: id, from1904: b.from1904}
	if code != "" {
		s.id, s.code = 0, code
	}
	if strings.EqualFold(s.code, "General") {
		s.code = ""
	}
	c := cellStyle{form: s.form()}
	c.days, c.times, c.elapsed = s.displayKinds()
	return c
}

// stringOverhead is what holding a text takes beside its letters.
const stringOverhead = 24

// readSharedStrings reads the texts that cells refer to.
func (b *workbook) readSharedStrings(name string) error {
	part, err := b.openPart(name)
	if err != nil {
		return b.partError(1, err)
	}
	if part == nil {
		return nil
	}
	defer part.Close()
	t := newTags(part)
	total := 0
	for {
		kind, err := t.next()
		if err != nil {
			return b.partError(1, fmt.Errorf("the shared texts: %w", err))
		}
		if kind == endOfPart {
			return nil
		}
		if kind == startTag && t.name == "si" {
			text, err := richText(t, b.arena.Buffer())
			if err != nil {
				return b.partError(1, fmt.Errorf("the shared texts: %w", err))
			}
			if total += len(text) + stringOverhead; total > maxSharedStringBytes {
				return b.fault(1, "the texts of this workbook take more than %d MB", maxSharedStringBytes>>20)
			}
			b.sharedStrings = append(b.sharedStrings, b.arena.Store(text))
		}
	}
}

// richText appends the runs of a text up to the end of its element; readings of
// characters (rPh) aren't part of it.
func richText(t *xmlScanner, s []byte) ([]byte, error) {
	depth, in, reading := 1, false, 0
	for depth > 0 {
		kind, err := t.next()
		if err != nil {
			return s, err
		}
		switch kind {
		case endOfPart:
			return s, io.ErrUnexpectedEOF
		case startTag:
			depth++
			in = t.name == "t"
			if t.name == "rPh" {
				reading = depth
			}
		case endTag:
			if depth == reading {
				reading = 0
			}
			depth, in = depth-1, false
		case charData:
			if in && reading == 0 {
				if s = append(s, t.text...); len(s) > maxCellBytes {
					return s, errCellTooLong
				}
			}
		}
	}
	return s, nil
}

// findSheet finds the part of a sheet by the sheet's name; the first that isn't hidden if name is "".
func (b *workbook) findSheet(name string) (sheetRef, error) {
	if name == "" {
		return b.sheets[max(0, slices.IndexFunc(b.sheets, func(s sheetRef) bool { return !s.hidden }))], nil
	}
	var names []string
	for _, s := range b.sheets {
		if strings.EqualFold(s.name, name) {
			return s, nil
		}
		names = append(names, s.name)
	}
	hint := "the sheets are " + phrase.ListNames(names)
	if near := phrase.Nearest(name, names); near != "" {
		hint = "did you mean " + near + "?"
	}
	return sheetRef{}, b.fault(1, "there is no sheet %q; %s", name, hint)
}
