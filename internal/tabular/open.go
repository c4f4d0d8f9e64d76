package tabular

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/htmlindex"
	"golang.org/x/text/encoding/unicode"

	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
)

// Options says how a table is read, and collects what was hidden or mended in it.
type Options struct {
	Sheet     string
	Encoding  string // of text, if it doesn't say itself
	HeaderRow int    // line of the header; 0 or 1 for the first
	Separator string // "blanks" where cells stand apart by runs of them
	Filter    RowFilter
	// Skipped, if it isn't nil, takes the rows that Filter leaves out.
	Skipped SkippedRows
	raw     bool // rows are read as they are, without a header
	// Ignored, if it isn't nil, takes the options that mean nothing for the table, with
	// why: sheet, encoding, header-row, repair.
	Ignored map[string]string
	// OnOpen, if it isn't nil, sees a file when it is opened.
	OnOpen func(f *os.File, err error) (*os.File, error)
	// Hidden, if it isn't nil, counts what was read of a workbook that a viewer doesn't see.
	Hidden *HiddenParts
	// Repairs, if it isn't nil, has a messy table mended and counts how.
	Repairs *Repairs
}

// HiddenParts is what is hidden in a workbook.
type HiddenParts struct {
	hiddenSheet, readSheet string // the hidden sheet that was passed over, and the one that was read
	rows                   int
	columns                []int // places of hidden ones
}

// Notes says what is hidden in a file, a sentence each.
func (u *HiddenParts) Notes(file string) (list []string) {
	if u == nil {
		return nil
	}
	if u.hiddenSheet != "" && u.readSheet != u.hiddenSheet {
		list = append(list, fmt.Sprintf("the first sheet of %s, %s, is hidden; read %s instead", file, u.hiddenSheet, u.readSheet))
	} else if u.hiddenSheet != "" {
		list = append(list, fmt.Sprintf("all sheets of %s are hidden; read %s", file, u.readSheet))
	}
	if u.rows == 1 {
		list = append(list, fmt.Sprintf("1 row of %s is hidden or filtered; it is included", file))
	} else if u.rows > 1 {
		list = append(list, fmt.Sprintf("%d rows of %s are hidden or filtered; they are included", u.rows, file))
	}
	if n := len(u.columns); n > 0 {
		var letters []string
		for _, i := range u.columns {
			letters = append(letters, ColumnLetter(i))
		}
		list = append(list, fmt.Sprintf("%s of %s (%s); %s included", phrase.CountVerb(n, "column is hidden", "columns are hidden"), file,
			strings.Join(letters, ", "), map[bool]string{true: "it is", false: "they are"}[n == 1]))
	}
	return list
}

// findEncoding finds an encoding by a name of the WHATWG Encoding Standard; nil for UTF-8 and "".
func findEncoding(name string) (encoding.Encoding, error) {
	if name == "" {
		return nil, nil
	}
	enc, err := htmlindex.Get(name)
	if err == nil {
		name, err = htmlindex.Name(enc)
	}
	switch {
	case err != nil, name == "replacement", name == "x-user-defined":
		return nil, errors.New("unknown encoding")
	case name == "utf-8":
		return nil, nil
	case name == "utf-16le" || name == "utf-16be":
		endian := unicode.LittleEndian
		if name == "utf-16be" {
			endian = unicode.BigEndian
		}
		return unicode.UTF16(endian, unicode.UseBOM), nil
	}
	return enc, nil
}

// knownEncodings are those that hints offer.
var knownEncodings = []string{"euc-jp", "gb18030", "iso-8859-1", "iso-8859-15", "iso-8859-2", "koi8-r", "shift_jis", "utf-16", "utf-8", "windows-1250", "windows-1251",
	"windows-1252", "windows-1253", "windows-1254", "windows-1257"}

// CheckEncoding refuses an encoding that isn't read; "" is fine.
func CheckEncoding(name string) error {
	if _, err := findEncoding(name); err == nil {
		return nil
	}
	hint := "those of the WHATWG Encoding Standard are read, such as " + strings.Join(knownEncodings, ", ")
	if near := phrase.Nearest(strings.ToLower(name), knownEncodings); near != "" {
		hint = "did you mean " + near + "?"
	}
	return fmt.Errorf("unknown encoding %q; %s", name, hint)
}

// Open opens a table by its name: - is in, as CSV. The format is recognised by
// the ending, and for workbooks by the first bytes. Close the closer when done.
func Open(name string, in io.Reader, o Options) (rows.Reader, io.Closer, error) {
	if name == "-" {
		r, err := o.Read("standard input", ".csv", in)
		return r, io.NopCloser(nil), err
	}
	f, err := os.Open(name)
	if o.OnOpen != nil {
		f, err = o.OnOpen(f, err)
	}
	if err != nil {
		return nil, nil, err
	}
	if info, err := f.Stat(); err == nil && info.IsDir() {
		f.Close()
		return nil, nil, fmt.Errorf("%s is a folder, not a table", name)
	}
	r, err := o.Read(name, strings.ToLower(filepath.Ext(name)), f)
	if err != nil {
		f.Close()
		return nil, nil, err
	}
	return r, f, nil
}

// zipMagic begins every XLSX file; oldMagic begins old and encrypted workbooks.
var (
	zipMagic = []byte("PK\x03\x04")
	oldMagic = []byte("\xd0\xcf\x11\xe0")
)

// Read reads a table from r: name is for messages, ext its ending, such as .csv.
func (o Options) Read(name, ext string, r io.Reader) (rows.Reader, error) {
	if !o.raw && (o.Filter.isSet() || o.Separator != "") {
		raw := o
		raw.raw = true
		in, err := raw.Read(name, ext, r)
		if _, isJSON := in.(*jsonReader); err != nil || isJSON {
			return in, err
		}
		return newFilteredReader(name, in, o)
	}
	in := bufio.NewReaderSize(r, 64<<10)
	head, _ := in.Peek(4096)
	fail := func(format string, args ...any) error {
		return &CellError{File: name, Line: 1, Message: fmt.Sprintf(format, args...)}
	}
	switch {
	case bytes.HasPrefix(head, oldMagic):
		return nil, fail("an old or encrypted workbook; save it as .xlsx without a password")
	case bytes.HasPrefix(head, zipMagic):
		o.ignore("encoding", o.Encoding != "", name+" is a workbook")
		return openZip(name, r, in, o)
	case ext == ".xlsx":
		return nil, fail("not a workbook, despite its name")
	}
	o.ignore("sheet", o.Sheet != "", name+" is not a workbook")
	text, head, err := o.decodeText(in, head)
	if err != nil {
		return nil, fail("%v", err)
	}
	if bytes.IndexByte(head, 0) >= 0 {
		return nil, fail("not a text table: it contains NUL bytes")
	}
	if bytes.IndexByte(head, '\r') >= 0 && bytes.IndexByte(head, '\n') < 0 { // line ends earlier
		text, head = &crReader{r: text}, bytes.ReplaceAll(head, []byte{'\r'}, []byte{'\n'})
	}
	if o.Separator == separatorBlanks {
		return newBlanks(name, text), nil
	}
	sep, told := separatorLine(head)
	if told > 0 {
		if _, err := io.CopyN(io.Discard, text, int64(told)); err != nil {
			return nil, fail("%v", err)
		}
		return newCSV(name, text, sep, 2, o)
	}
	start := bytes.TrimLeft(head, " \t\r\n")
	switch {
	case ext == ".json" || ext == ".jsonl" || ext == ".ndjson", name == "standard input" &&
		(bytes.HasPrefix(start, []byte("[{")) || bytes.HasPrefix(start, []byte("{\""))):
		o.ignore("header-row", o.HeaderRow > 1, name+" is JSON, which has its own column names")
		o.ignore("lines", o.Filter.First+o.Filter.Last > 0, name+" is JSON, which has no lines")
		o.ignore("skip", len(o.Filter.Skip) > 0, name+" is JSON, which has neither headings nor notes")
		o.ignore("repair", o.Repairs != nil, name+" is JSON, which has no short rows and no headings")
		return openJSON(name, text, o)
	case ext == ".tsv":
		return newCSV(name, text, '\t', 1, o)
	}
	return newCSV(name, text, guessSeparator(head, o.HeaderRow), 1, o)
}

// ignore notes an option that was said and means nothing here.
func (o Options) ignore(option string, said bool, why string) {
	if said && o.Ignored != nil {
		o.Ignored[option] = why
	}
}

// crReader reads text whose lines end with CR alone.
type crReader struct{ r io.Reader }

// Read implements io.Reader.
func (b *crReader) Read(p []byte) (int, error) {
	n, err := b.r.Read(p)
	for i, c := range p[:n] {
		if c == '\r' {
			p[i] = '\n'
		}
	}
	return n, err
}

// openZip opens a workbook, from a file or from all that a stream holds.
func openZip(name string, r io.Reader, in io.Reader, o Options) (rows.Reader, error) {
	if f, ok := r.(*os.File); ok {
		if info, err := f.Stat(); err == nil && info.Mode().IsRegular() {
			return openXLSX(name, f, info.Size(), o)
		}
	}
	data, err := io.ReadAll(io.LimitReader(in, maxStdinBytes))
	if err != nil {
		return nil, err
	}
	return openXLSX(name, bytes.NewReader(data), int64(len(data)), o)
}

// decodeText turns the input into UTF-8 without a byte-order mark.
func (o Options) decodeText(in *bufio.Reader, head []byte) (io.Reader, []byte, error) {
	var enc encoding.Encoding
	switch {
	case bytes.HasPrefix(head, []byte("\xef\xbb\xbf")):
		_, _ = in.Discard(3)
		return in, head[3:], nil
	case bytes.HasPrefix(head, []byte("\xff\xfe")), bytes.HasPrefix(head, []byte("\xfe\xff")):
		enc = unicode.UTF16(unicode.LittleEndian, unicode.ExpectBOM)
	case o.Encoding != "":
		if err := CheckEncoding(o.Encoding); err != nil {
			return nil, nil, err
		}
		enc, _ = findEncoding(o.Encoding)
	}
	if enc == nil {
		return in, head, nil
	}
	decoded := bufio.NewReaderSize(enc.NewDecoder().Reader(in), 64<<10)
	head, _ = decoded.Peek(4096)
	return decoded, head, nil
}
