// Package tabular reads and writes tables as files: one row at a time in, one
// row at a time out.
package tabular

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"iter"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
)

// CellError is a fault in a table with its place.
type CellError struct {
	File    string
	Line    int
	Column  string // name, where it is about one cell
	Message string
}

// Error gives file:line, the column and the fault.
func (e *CellError) Error() string {
	s := fmt.Sprintf("%s:%d: ", e.File, e.Line)
	if e.Column != "" {
		s += "column `" + e.Column + "`: "
	}
	return s + e.Message
}

// Record is one row of a CSV file with the line it starts on.
type Record struct {
	Line   int
	Fields []string
}

// ReadCSV yields the rows of a CSV file, the header first. file names it in
// errors, which are of type *CellError. Every row has as many fields as the
// header.
func ReadCSV(file string, r io.Reader) iter.Seq2[Record, error] {
	return func(yield func(Record, error) bool) {
		in := bufio.NewReader(r)
		if mark, _ := in.Peek(3); bytes.Equal(mark, []byte("\xef\xbb\xbf")) {
			_, _ = in.Discard(3)
		}
		c := csv.NewReader(in)
		c.ReuseRecord = true
		for {
			fields, err := c.Read()
			if err == io.EOF {
				return
			}
			if err != nil {
				var pe *csv.ParseError
				if errors.As(err, &pe) {
					message := pe.Err.Error()
					if errors.Is(pe.Err, csv.ErrFieldCount) {
						message = fmt.Sprintf("this row has %d fields, the header has %d", len(fields), c.FieldsPerRecord)
					}
					err = &CellError{File: file, Line: pe.Line, Message: message}
				}
				yield(Record{}, err)
				return
			}
			line, _ := c.FieldPos(0)
			if !yield(Record{line, fields}, nil) {
				return
			}
		}
	}
}

type csvSink struct {
	w   *bufio.Writer
	sep byte
	buf []byte
}

// NewCSV returns a sink that writes CSV: comma, LF, a date as ISO 8601.
func NewCSV(w io.Writer) rows.Sink { return &csvSink{w: bufio.NewWriterSize(w, 64<<10), sep: ','} }

// NewTSV returns a sink that writes values separated by tabs.
func NewTSV(w io.Writer) rows.Sink { return &csvSink{w: bufio.NewWriterSize(w, 64<<10), sep: '\t'} }

func (s *csvSink) Header(columns []string) error {
	_, err := s.w.Write(AppendHeader(nil, columns, s.sep))
	return err
}

// AppendHeader appends the header row of separated values.
func AppendHeader(b []byte, columns []string, sep byte) []byte {
	cells := make([]eval.Value, len(columns))
	for i, c := range columns {
		cells[i] = eval.Str(c)
	}
	return AppendCSV(b, cells, sep, false)
}

func (s *csvSink) Row(cells []eval.Value) error {
	s.buf = AppendCSV(s.buf[:0], cells, s.sep, false)
	_, err := s.w.Write(s.buf)
	return err
}

func (s *csvSink) Close() error { return s.w.Flush() }
