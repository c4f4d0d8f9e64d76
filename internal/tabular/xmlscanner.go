package tabular

import (
	"bufio"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
)

// xmlScanner reads the markup of a part of a workbook with encoding/xml, bounded between two
// tags.
type xmlScanner struct {
	d     *xml.Decoder
	limit *limitedReader
	// What next found, valid until it is called again: the local name of an element,
	// and the bytes of a text.
	name         string
	text         []byte
	attrs        []xml.Attr
	openElements []string // the elements that are open
}

// limitedReader bounds what is read between two tags.
type limitedReader struct {
	r io.Reader
	n int
}

// Read implements io.Reader.
func (b *limitedReader) Read(p []byte) (int, error) {
	if b.n > maxCellBytes {
		return 0, errCellTooLong
	}
	n, err := b.r.Read(p)
	b.n += n
	return n, err
}

// tagKind is what next found.
type tagKind uint8

const (
	endOfPart tagKind = iota // the end of the part
	startTag
	endTag
	charData
)

var errCellTooLong = errors.New("a cell is larger than 1 MB")

func newTags(r io.Reader) *xmlScanner {
	in := &limitedReader{r: r}
	return &xmlScanner{d: xml.NewDecoder(bufio.NewReaderSize(in, 64<<10)), limit: in}
}

// next finds the next start or end of an element, or text.
func (t *xmlScanner) next() (tagKind, error) {
	for {
		t.limit.n = 0
		token, err := t.d.RawToken()
		if err == io.EOF {
			if len(t.openElements) > 0 {
				return endOfPart, io.ErrUnexpectedEOF
			}
			return endOfPart, nil
		}
		if err != nil {
			return endOfPart, truncatedError(err)
		}
		switch v := token.(type) {
		case xml.StartElement:
			t.name, t.attrs = v.Name.Local, v.Attr
			t.openElements = append(t.openElements, t.name)
			return startTag, nil
		case xml.EndElement:
			t.name = v.Name.Local
			n := len(t.openElements) - 1
			if n < 0 {
				return endOfPart, fmt.Errorf("unexpected end element </%s>", t.name)
			}
			if t.openElements[n] != t.name {
				return endOfPart, fmt.Errorf("element <%s> closed by </%s>", t.openElements[n], t.name)
			}
			t.openElements = t.openElements[:n]
			return endTag, nil
		case xml.CharData:
			t.text = v
			return charData, nil
		case xml.Directive:
			return endOfPart, errors.New("unexpected declaration")
		}
	}
}

// truncatedError reports the end of a part within an element as that, and other faults without the
// line, which says nothing where all is in one.
func truncatedError(err error) error {
	var syntax *xml.SyntaxError
	switch {
	case !errors.As(err, &syntax):
		return err
	case syntax.Msg == "unexpected EOF":
		return io.ErrUnexpectedEOF
	}
	return errors.New(syntax.Msg)
}

// attr is the value of an attribute of the element that next found; "" if it has none.
func (t *xmlScanner) attr(name string) string {
	for _, a := range t.attrs {
		if a.Name.Local == name {
			return a.Value
		}
	}
	return ""
}
