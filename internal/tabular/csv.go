// Package tabular reads and writes tables as files: one row at a time in, one
// row at a time out.
package tabular

import (
	"bufio"
	"fmt"
	"io"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
)

// CellError is a fault in a table with its place.
type CellError struct {
	File    string
	Line    int
	Column  string // name, if it is about one cell
	Message string
	Hint    string // what may help, a sentence; "" for nothing
}

// Error gives file:line, the column, the fault and what may help.
func (e *CellError) Error() string {
	s := fmt.Sprintf("%s:%d: ", e.File, e.Line)
	if e.Column != "" {
		s += "column `" + e.Column + "`: "
	}
	if e.Hint != "" {
		return s + e.Message + ". " + e.Hint
	}
	return s + e.Message
}

// csvSink writes separated values; it takes whole blocks too.
type csvSink struct {
	w    *bufio.Writer
	sep  byte
	safe bool
	buf  []byte
}

// NewCSV returns a sink that writes separated values: LF, a date as ISO 8601.
// With safe, text that a spreadsheet would run as a formula is marked.
func NewCSV(w io.Writer, sep byte, safe bool) rows.Sink {
	return &csvSink{w: bufio.NewWriterSize(w, 64<<10), sep: sep, safe: safe}
}

func (s *csvSink) Header(columns []string) error {
	cells := make([]eval.Value, len(columns))
	for i, c := range columns {
		cells[i] = eval.Str(c)
	}
	return s.Row(cells)
}

func (s *csvSink) Row(cells []eval.Value) error {
	s.buf = appendCSV(s.buf[:0], cells, s.sep, s.safe)
	_, err := s.w.Write(s.buf)
	return err
}

// Encode implements rows.BlockSink.
func (s *csvSink) Encode(b []byte, cells []eval.Value) []byte {
	return appendCSV(b, cells, s.sep, s.safe)
}

// AcceptsText implements rows.TextSink.
func (s *csvSink) AcceptsText(sep byte) bool { return sep == s.sep && !s.safe }

// EncodeText implements rows.TextSink.
func (s *csvSink) EncodeText(b []byte, text string, extra []eval.Value) []byte {
	return append(appendCells(append(b, text...), extra, s.sep, s.safe, true), '\n')
}

// EncodeDays implements rows.TextSink.
func (s *csvSink) EncodeDays(b []byte, text string, kinds []eval.Kind, columns [][]int32, row int) []byte {
	b = append(b, text...)
	for i, kind := range kinds {
		if b = append(b, s.sep); kind == eval.Date {
			b = civil.Date(columns[i][row]).Append(b)
		} else {
			b = eval.AppendInt(b, int64(columns[i][row]))
		}
	}
	return append(b, '\n')
}

// WriteText implements rows.TextSink.
func (s *csvSink) WriteText(text string, extra []eval.Value) error {
	s.buf = s.EncodeText(s.buf[:0], text, extra)
	_, err := s.w.Write(s.buf)
	return err
}

// WriteBlock implements rows.BlockSink.
func (s *csvSink) WriteBlock(b []byte) error {
	if len(b) > s.w.Available() { // a large one isn't copied then
		if err := s.w.Flush(); err != nil {
			return err
		}
	}
	_, err := s.w.Write(b)
	return err
}

func (s *csvSink) Close() error { return s.w.Flush() }
