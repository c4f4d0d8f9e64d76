package tabular

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"
	"unicode/utf8"
)

// tags reads the markup of a part of a workbook, without copying: XML 1.0 in UTF-8, as
// spreadsheets write it. It takes whatever encoding/xml takes of that and gives the same,
// to which a fuzz target holds it, in a tenth of the time.
type tags struct {
	r     io.Reader
	buf   []byte
	at    int // of what comes next
	ended bool

	// What next found: the local name of an element, its attributes as they stand, and
	// of a text its bytes. They are valid until it is called again.
	name, attrs, text []byte

	open    []byte // names of the elements that are open, one behind the other
	lengths []int  // of them
	closing bool   // the element that began ends at once
}

// tagKind is what next found.
type tagKind uint8

const (
	noTag tagKind = iota // the end of the part
	startTag
	endTag
	charData
)

var errLongCell = errors.New("a cell holds over 1 MB")

func newTags(r io.Reader) *tags { return &tags{r: r, buf: make([]byte, 0, 64<<10)} }

// more reads on behind what is there from t.at on, which moves to the front.
func (t *tags) more() error {
	if t.ended {
		return io.EOF
	}
	n := copy(t.buf, t.buf[t.at:])
	t.buf, t.at = t.buf[:n], 0
	if n > mostXLSXText {
		return errLongCell
	}
	if n == cap(t.buf) {
		t.buf = append(make([]byte, 0, 2*n), t.buf...)
	}
	n, err := io.ReadFull(t.r, t.buf[n:cap(t.buf)])
	t.buf = t.buf[:len(t.buf)+n]
	switch {
	case err == io.EOF || err == io.ErrUnexpectedEOF:
		t.ended = true
		if n == 0 {
			return io.EOF
		}
	case err != nil:
		return err
	}
	return nil
}

// upto gives what stands before a mark, and goes behind it.
func (t *tags) upto(mark string) ([]byte, error) {
	for from := 0; ; {
		if i := bytes.Index(t.buf[t.at+from:], []byte(mark)); i >= 0 {
			text := t.buf[t.at : t.at+from+i]
			t.at += from + i + len(mark)
			return text, nil
		}
		from = max(0, len(t.buf)-t.at-len(mark)+1)
		if err := t.more(); err != nil {
			return nil, noEOF(err)
		}
	}
}

// next finds the next start or end of an element, or text.
func (t *tags) next() (tagKind, error) {
	if t.closing {
		t.closing = false
		return endTag, t.shut(t.name)
	}
	for {
		if t.at == len(t.buf) {
			if err := t.more(); err == io.EOF {
				if len(t.lengths) > 0 {
					err = io.ErrUnexpectedEOF
				}
				return noTag, noError(err)
			} else if err != nil {
				return noTag, err
			}
		}
		if t.buf[t.at] != '<' {
			return charData, t.chars()
		}
		for len(t.buf)-t.at < len("<![CDATA[") && t.more() == nil {
		}
		rest := t.buf[t.at:]
		if len(rest) > 1 && rest[1] != '!' && rest[1] != '?' && rest[1] != '/' {
			t.at++
			return startTag, t.start()
		}
		var err error
		switch {
		case bytes.HasPrefix(rest, []byte("</")):
			t.at += 2
			if t.name, err = t.upto(">"); err == nil {
				for n := len(t.name); n > 0 && blank(t.name[n-1]); n-- {
					t.name = t.name[:n-1]
				}
				t.name = local(t.name)
				err = t.shut(t.name)
			}
			return endTag, err
		case bytes.HasPrefix(rest, []byte("<!--")):
			t.at += 4
			_, err = t.upto("-->")
		case bytes.HasPrefix(rest, []byte("<![CDATA[")):
			t.at += 9
			if t.text, err = t.upto("]]>"); err == nil {
				err = wholesomeText(t.text)
			}
			t.text = lineEnds(t.text)
			return charData, err
		case bytes.HasPrefix(rest, []byte("<!")):
			err = errors.New("a declaration has no place here")
		case bytes.HasPrefix(rest, []byte("<?")):
			t.at += 2
			_, err = t.upto("?>")
		default:
			err = io.ErrUnexpectedEOF
		}
		if err != nil {
			return noTag, err
		}
	}
}

// noError is nil for the end of a part.
func noError(err error) error {
	if err == io.EOF {
		return nil
	}
	return err
}

// chars finds a text up to the next tag, or the end of the part.
func (t *tags) chars() error {
	for from := 0; ; {
		i := bytes.IndexByte(t.buf[t.at+from:], '<')
		if i >= 0 {
			t.text = t.buf[t.at : t.at+from+i]
			t.at += from + i
			break
		}
		from = len(t.buf) - t.at
		if err := t.more(); err == io.EOF {
			t.text = t.buf[t.at:]
			t.at = len(t.buf)
			break
		} else if err != nil {
			return err
		}
	}
	if err := wholesomeText(t.text); err != nil {
		return err
	}
	var err error
	t.text, err = unescaped(t.text)
	return err
}

// start finds the name and the attributes of an element that begins.
func (t *tags) start() error {
	var text []byte
	for from := 0; text == nil; {
		i := bytes.IndexByte(t.buf[t.at+from:], '>')
		if i < 0 {
			from = len(t.buf) - t.at
			if err := t.more(); err != nil {
				return noEOF(err)
			}
			continue
		}
		if from += i; !inQuotes(t.buf[t.at : t.at+from]) {
			text = t.buf[t.at : t.at+from]
		}
		from++
	}
	t.at += len(text) + 1
	if t.closing = len(text) > 0 && text[len(text)-1] == '/'; t.closing {
		text = text[:len(text)-1]
	}
	end := 0
	for end < len(text) && !blank(text[end]) {
		end++
	}
	t.name, t.attrs = local(text[:end]), text[end:]
	if len(t.name) == 0 {
		return errors.New("expected element name after <")
	}
	t.open, t.lengths = append(t.open, t.name...), append(t.lengths, len(t.name))
	return nil
}

// shut ends the innermost element.
func (t *tags) shut(name []byte) error {
	n := len(t.lengths) - 1
	if n < 0 {
		return fmt.Errorf("unexpected end element </%s>", name)
	}
	at := len(t.open) - t.lengths[n]
	if open := t.open[at:]; !bytes.Equal(open, name) {
		return fmt.Errorf("element <%s> closed by </%s>", open, name)
	}
	t.open, t.lengths = t.open[:at], t.lengths[:n]
	return nil
}

// attr is the value of an attribute of the element that next found; "" where it has none.
func (t *tags) attr(name string) string {
	for rest := t.attrs; ; {
		rest = trimmed(rest)
		eq := bytes.IndexByte(rest, '=')
		if eq < 0 {
			return ""
		}
		key := rest[:eq]
		for len(key) > 0 && blank(key[len(key)-1]) {
			key = key[:len(key)-1]
		}
		key = local(key)
		if rest = trimmed(rest[eq+1:]); len(rest) == 0 {
			return ""
		}
		end := bytes.IndexByte(rest[1:], rest[0])
		if end < 0 {
			return ""
		}
		if string(key) == name {
			value, err := unescaped(rest[1 : end+1])
			if err != nil {
				return ""
			}
			return string(value)
		}
		rest = rest[end+2:]
	}
}

func blank(c byte) bool { return c == ' ' || c == '\t' || c == '\n' || c == '\r' }

// trimmed is a text without the blanks in front.
func trimmed(text []byte) []byte {
	for len(text) > 0 && blank(text[0]) {
		text = text[1:]
	}
	return text
}

// local is a name without its prefix.
func local(name []byte) []byte {
	if i := bytes.IndexByte(name, ':'); i > 0 && i < len(name)-1 {
		return name[i+1:]
	}
	return name
}

// inQuotes reports whether a quoted value is open at the end of a text.
func inQuotes(text []byte) bool {
	if bytes.IndexByte(text, '"') < 0 && bytes.IndexByte(text, '\'') < 0 {
		return false
	}
	quote := byte(0)
	for _, c := range text {
		switch {
		case quote == 0 && (c == '"' || c == '\''):
			quote = c
		case c == quote:
			quote = 0
		}
	}
	return quote != 0
}

// wholesomeText refuses what XML text can't hold.
func wholesomeText(text []byte) error {
	plain := true
	for _, c := range text {
		if c < 0x20 && c != '\t' && c != '\n' && c != '\r' {
			return fmt.Errorf("illegal character code U+%04X", c)
		}
		plain = plain && c < utf8.RuneSelf
	}
	if plain {
		return nil
	}
	if !utf8.Valid(text) {
		return errors.New("invalid UTF-8")
	}
	if bytes.Contains(text, []byte("\uFFFE")) || bytes.Contains(text, []byte("\uFFFF")) {
		return errors.New("illegal character code U+FFFE or U+FFFF")
	}
	return nil
}

// lineEnds makes every line end a line feed (XML 1.0, section 2.11).
func lineEnds(text []byte) []byte {
	if bytes.IndexByte(text, '\r') < 0 {
		return text
	}
	return bytes.ReplaceAll(bytes.ReplaceAll(text, []byte("\r\n"), []byte("\n")), []byte("\r"), []byte("\n"))
}

// entities are those that XML itself has.
var entities = map[string]string{"lt": "<", "gt": ">", "amp": "&", "quot": `"`, "apos": "'"}

// unescaped puts the characters in place of the references to them.
func unescaped(text []byte) ([]byte, error) {
	text = lineEnds(text)
	if bytes.IndexByte(text, '&') < 0 {
		return text, nil
	}
	var b []byte
	for {
		before, rest, found := bytes.Cut(text, []byte("&"))
		if b = append(b, before...); !found {
			return b, nil
		}
		name, behind, ended := bytes.Cut(rest, []byte(";"))
		known, ok := entities[string(name)]
		if digits, numbered := strings.CutPrefix(string(name), "#"); numbered && ended {
			base := 10
			if strings.HasPrefix(digits, "x") {
				digits, base = digits[1:], 16
			}
			n, err := strconv.ParseUint(digits, base, 32)
			ok = err == nil && n <= utf8.MaxRune && (n >= 0x20 || n == '\t' || n == '\n' || n == '\r') && n != 0xFFFE && n != 0xFFFF
			known = string(rune(n))
		}
		if !ended || !ok {
			return nil, fmt.Errorf("invalid character entity &%.20s", name)
		}
		b, text = append(b, known...), behind
	}
}
