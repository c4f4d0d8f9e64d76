package tabular

import (
	"bufio"
	"bytes"
	"encoding/json"
	"io"
	"strings"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
)

type jsonSink struct {
	w       *bufio.Writer
	lines   bool // one object a line, no array
	keys    [][]byte
	hasRows bool
	buf     bytes.Buffer
	enc     *json.Encoder
}

// NewJSON returns a sink that writes one array of objects, a row a line, keys
// in column order, a blank as null.
func NewJSON(w io.Writer) rows.Sink {
	s := &jsonSink{w: bufio.NewWriter(w)}
	s.enc = json.NewEncoder(&s.buf)
	s.enc.SetEscapeHTML(false)
	return s
}

// NewJSONL returns a sink that writes one object a line.
func NewJSONL(w io.Writer) rows.Sink {
	s := NewJSON(w).(*jsonSink)
	s.lines = true
	return s
}

func (s *jsonSink) encode(v any) ([]byte, error) {
	s.buf.Reset()
	err := s.enc.Encode(v)
	return bytes.TrimSuffix(s.buf.Bytes(), []byte("\n")), err
}

func (s *jsonSink) Header(columns []string) error {
	for _, c := range columns {
		k, err := s.encode(c)
		if err != nil {
			return err
		}
		s.keys = append(s.keys, bytes.Clone(k))
	}
	if s.lines {
		return nil
	}
	_, err := s.w.WriteString("[")
	return err
}

func (s *jsonSink) Row(cells []eval.Value) error {
	switch {
	case s.lines && s.hasRows:
		s.w.WriteString("\n{")
	case s.lines:
		s.w.WriteByte('{')
	case s.hasRows:
		s.w.WriteString(",\n{")
	default:
		s.w.WriteString("\n{")
	}
	s.hasRows = true
	for i, c := range cells {
		if i > 0 {
			s.w.WriteString(", ")
		}
		s.w.Write(s.keys[i])
		s.w.WriteString(": ")
		var v any
		switch c.Kind {
		case eval.Blank:
		case eval.Number:
			v = json.Number(c.String())
		case eval.Text:
			if v = c.Text; c.IsNumber() {
				v = json.Number(c.Text)
			}
		case eval.Boolean:
			v = c.Num == 1
		default:
			v = c.String()
		}
		text, err := s.encode(v)
		if err != nil {
			return err
		}
		s.w.Write(text)
	}
	_, err := s.w.WriteString("}")
	return err
}

func (s *jsonSink) Close() error {
	end := "]\n"
	if s.lines {
		end = strings.Repeat("\n", map[bool]int{true: 1}[s.hasRows])
	} else if s.hasRows {
		end = "\n]\n"
	}
	s.w.WriteString(end)
	return s.w.Flush()
}
