package tabular

import (
	"bufio"
	"bytes"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"

	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
)

// Input says how a table is read.
type Input struct {
	Sheet     string
	Encoding  string // of text, where it doesn't say itself
	HeaderRow int    // line of the header; 0 or 1 for the first
}

var encodings = map[string]encoding.Encoding{"utf-8": nil, "windows-1252": charmap.Windows1252, "iso-8859-1": charmap.ISO8859_1,
	"iso-8859-15": charmap.ISO8859_15, "windows-1250": charmap.Windows1250, "utf-16": unicode.UTF16(unicode.LittleEndian, unicode.UseBOM)}

// Open opens a table by its name: - is in, as CSV. The format is recognised by
// the ending, and for workbooks by the first bytes. Close the closer when done.
func Open(name string, in io.Reader, o Input) (rows.Reader, io.Closer, error) {
	if name == "-" {
		r, err := o.read("standard input", ".csv", in)
		return r, io.NopCloser(nil), err
	}
	f, err := os.Open(name)
	if err != nil {
		return nil, nil, err
	}
	if info, err := f.Stat(); err == nil && info.IsDir() {
		f.Close()
		return nil, nil, fmt.Errorf("%s is a folder, not a table", name)
	}
	r, err := o.read(name, strings.ToLower(filepath.Ext(name)), f)
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

func (o Input) read(name, ext string, r io.Reader) (rows.Reader, error) {
	in := bufio.NewReaderSize(r, 64<<10)
	head, _ := in.Peek(4096)
	fail := func(format string, args ...any) error {
		return &CellError{File: name, Line: 1, Message: fmt.Sprintf(format, args...)}
	}
	switch {
	case bytes.HasPrefix(head, oldMagic):
		return nil, fail("this is an old or an encrypted workbook; save it as .xlsx without a password")
	case bytes.HasPrefix(head, zipMagic):
		return openXLSX(name, in, o)
	case ext == ".xlsx":
		return nil, fail("this isn't a workbook, whatever its name says")
	}
	text, head, err := o.text(in, head)
	if err != nil {
		return nil, fail("%v", err)
	}
	if bytes.IndexByte(head, 0) >= 0 {
		return nil, fail("this is not a table in text: it holds NUL bytes")
	}
	start := bytes.TrimLeft(head, " \t\r\n")
	switch {
	case ext == ".json" || ext == ".jsonl" || ext == ".ndjson", name == "standard input" && (bytes.HasPrefix(start, []byte("[{")) || bytes.HasPrefix(start, []byte("{\""))):
		return openJSON(name, text)
	case ext == ".tsv":
		return newCSV(name, text, '\t', o.HeaderRow)
	}
	return newCSV(name, text, separator(head), o.HeaderRow)
}

// text turns the input into UTF-8 without a byte-order mark.
func (o Input) text(in *bufio.Reader, head []byte) (io.Reader, []byte, error) {
	var enc encoding.Encoding
	switch {
	case bytes.HasPrefix(head, []byte("\xef\xbb\xbf")):
		_, _ = in.Discard(3)
		return in, head[3:], nil
	case bytes.HasPrefix(head, []byte("\xff\xfe")), bytes.HasPrefix(head, []byte("\xfe\xff")):
		enc = unicode.UTF16(unicode.LittleEndian, unicode.ExpectBOM)
	case o.Encoding != "":
		known := false
		if enc, known = encodings[strings.ToLower(o.Encoding)]; !known {
			var names []string
			for n := range encodings {
				names = append(names, n)
			}
			hint := "windows-1252, iso-8859-1, iso-8859-15, windows-1250, utf-16 and utf-8 are read"
			if near := phrase.Nearest(o.Encoding, names); near != "" {
				hint = "did you mean " + near + "?"
			}
			return nil, nil, fmt.Errorf("unknown encoding %q; %s", o.Encoding, hint)
		}
	}
	if enc == nil {
		return in, head, nil
	}
	decoded := bufio.NewReaderSize(enc.NewDecoder().Reader(in), 64<<10)
	head, _ = decoded.Peek(4096)
	return decoded, head, nil
}
