package tabular

import (
	"bufio"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
)

// tags reads the markup of a part of a workbook with encoding/xml, bounded between two
// tags.
type tags struct {
	d  *xml.Decoder
	in *between
	// What next found, valid until it is called again: the local name of an element,
	// and the bytes of a text.
	name  string
	text  []byte
	attrs []xml.Attr
	open  []string // the elements that are open
}

// between bounds what is read between two tags.
type between struct {
	r    io.Reader
	read int
}

// Read implements io.Reader.
func (b *between) Read(p []byte) (int, error) {
	if b.read > mostXLSXText {
		return 0, errLongCell
	}
	n, err := b.r.Read(p)
	b.read += n
	return n, err
}

// tagKind is what next found.
type tagKind uint8

const (
	noTag tagKind = iota // the end of the part
	startTag
	endTag
	charData
)

var errLongCell = errors.New("a cell is larger than 1 MB")

func newTags(r io.Reader) *tags {
	in := &between{r: r}
	return &tags{d: xml.NewDecoder(bufio.NewReaderSize(in, 64<<10)), in: in}
}

// next finds the next start or end of an element, or text.
func (t *tags) next() (tagKind, error) {
	for {
		t.in.read = 0
		token, err := t.d.RawToken()
		if err == io.EOF {
			if len(t.open) > 0 {
				return noTag, io.ErrUnexpectedEOF
			}
			return noTag, nil
		}
		if err != nil {
			return noTag, cutOff(err)
		}
		switch v := token.(type) {
		case xml.StartElement:
			t.name, t.attrs = v.Name.Local, v.Attr
			t.open = append(t.open, t.name)
			return startTag, nil
		case xml.EndElement:
			t.name = v.Name.Local
			n := len(t.open) - 1
			if n < 0 {
				return noTag, fmt.Errorf("unexpected end element </%s>", t.name)
			}
			if t.open[n] != t.name {
				return noTag, fmt.Errorf("element <%s> closed by </%s>", t.open[n], t.name)
			}
			t.open = t.open[:n]
			return endTag, nil
		case xml.CharData:
			t.text = v
			return charData, nil
		case xml.Directive:
			return noTag, errors.New("unexpected declaration")
		}
	}
}

// cutOff reports the end of a part within an element as that, and other faults without the
// line, which says nothing where all is in one.
func cutOff(err error) error {
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
func (t *tags) attr(name string) string {
	for _, a := range t.attrs {
		if a.Name.Local == name {
			return a.Value
		}
	}
	return ""
}
