package tabular

import (
	"bufio"
	"encoding/json"
	"errors"
	"fmt"
	"io"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
)

// jsonReader reads an array of objects, or objects one after another. The keys
// of the first object are the columns.
type jsonReader struct {
	file    string
	dec     *json.Decoder
	array   bool
	columns []string
	places  map[string]int // of the columns, by folded name
	first   []eval.Value
	numRead int // objects read
}

func openJSON(file string, r io.Reader, o Options) (rows.Reader, error) {
	in := bufio.NewReader(r)
	j := &jsonReader{file: file, dec: json.NewDecoder(in)}
	j.dec.UseNumber()
	for {
		c, err := in.ReadByte()
		if err != nil {
			return nil, j.fail("the table is empty")
		}
		if c == ' ' || c == '\n' || c == '\r' || c == '\t' {
			continue
		}
		_ = in.UnreadByte()
		j.array = c == '['
		break
	}
	if j.array {
		if _, err := j.dec.Token(); err != nil {
			return nil, j.syntaxError(err)
		}
	}
	cells, ok, err := j.object(true)
	if err != nil {
		return nil, err
	}
	if !ok {
		return nil, j.fail("the table is empty: no object, so no columns")
	}
	if err := o.repairHeader(file, 1, j.columns); err != nil {
		return nil, err
	}
	j.places = map[string]int{}
	for i, c := range j.columns {
		j.places[phrase.FoldName(c)] = i
	}
	j.first = cells
	return j, nil
}

func (j *jsonReader) fail(format string, args ...any) error {
	return &CellError{File: j.file, Line: max(j.numRead, 1), Message: fmt.Sprintf(format, args...)}
}

// syntaxError reports text that isn't JSON.
func (j *jsonReader) syntaxError(err error) error {
	var syntax *json.SyntaxError
	switch {
	case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF):
		return j.fail("object %d: the file ends inside it", j.numRead)
	case errors.As(err, &syntax):
		return j.fail("object %d isn't JSON: %v (byte %d of the file)", j.numRead, err, syntax.Offset)
	}
	return j.fail("object %d can't be read: %v", j.numRead, err)
}

// object reads the next object; the first names the columns.
func (j *jsonReader) object(first bool) (cells []eval.Value, ok bool, err error) {
	if !j.dec.More() {
		return nil, false, j.end()
	}
	j.numRead++
	t, err := j.dec.Token()
	switch {
	case err == io.EOF:
		return nil, false, nil
	case err != nil:
		return nil, false, j.syntaxError(err)
	case t != json.Delim('{'):
		return nil, false, j.fail("object %d: expected an object, found %v", j.numRead, t)
	}
	cells = make([]eval.Value, len(j.columns), len(j.columns)+8)
	seen := make([]bool, len(j.columns))
	for j.dec.More() {
		k, err := j.dec.Token()
		if err != nil {
			return nil, false, j.syntaxError(err)
		}
		name, _ := k.(string)
		cell, err := j.cell(name)
		if err != nil {
			return nil, false, err
		}
		if first {
			j.columns = append(j.columns, name)
			cells = append(cells, cell)
			continue
		}
		i, known := j.places[phrase.FoldName(name)]
		switch {
		case !known:
			return nil, false, j.fail("object %d has `%s`, which the first object doesn't have", j.numRead, eval.Truncate(name))
		case seen[i]:
			return nil, false, j.fail("object %d has `%s` twice", j.numRead, eval.Truncate(name))
		}
		cells[i], seen[i] = cell, true
	}
	if _, err := j.dec.Token(); err != nil {
		return nil, false, j.syntaxError(err)
	}
	return cells, true, nil
}

// end checks that the list, or what stands without one, ends behind the last object.
func (j *jsonReader) end() error {
	t, err := j.dec.Token()
	switch {
	case j.array && (err != nil || t != json.Delim(']')):
		return j.fail("the list is not closed with ]")
	case !j.array && err != nil && err != io.EOF:
		return j.syntaxError(err)
	case !j.array:
		return nil
	}
	j.array = false
	if _, err := j.dec.Token(); err != io.EOF {
		return j.fail("unexpected text after the list's ]")
	}
	return nil
}

// cell reads the value of a key.
func (j *jsonReader) cell(name string) (cell eval.Value, err error) {
	t, err := j.dec.Token()
	if err != nil {
		return cell, j.syntaxError(err)
	}
	switch v := t.(type) {
	case string:
		if cell = eval.Str(v); v != "" {
			if _, _, number := plainNumber(v); number {
				cell.Format = eval.TextFormat
			}
		}
	case json.Number:
		if cell = eval.LiteralNumber(v.String()); cell.Kind == eval.Text { // of more digits than are reckoned with
			if f, err := v.Float64(); err == nil {
				cell = eval.TypedNumber(v.String(), f, eval.PlainFormat)
			}
		}
	case bool:
		cell = eval.Bool(v)
	case json.Delim:
		return cell, j.fail("object %d: `%s` holds a list or an object, expected a single value", j.numRead, eval.Truncate(name))
	}
	return cell, nil
}

func (j *jsonReader) Columns() []string { return j.columns }

const jsonBatch = 1000

func (j *jsonReader) Next() (rows.Batch, error) {
	var b jsonBatchRows
	if j.first != nil {
		b.add(1, j.first)
		j.first = nil
	}
	for len(b.rows) < jsonBatch {
		cells, ok, err := j.object(false)
		if err != nil {
			return nil, err
		}
		if !ok {
			break
		}
		b.add(j.numRead, cells)
	}
	if len(b.rows) == 0 {
		return nil, nil
	}
	return &b, nil
}

// jsonBatchRows is a batch of rows held one by one.
type jsonBatchRows struct {
	lines []int
	rows  [][]eval.Value
}

func (b *jsonBatchRows) add(line int, cells []eval.Value) {
	b.lines, b.rows = append(b.lines, line), append(b.rows, cells)
}

func (b *jsonBatchRows) Each(do func(line int, cells []eval.Value) error) error {
	for i, cells := range b.rows {
		if err := do(b.lines[i], cells); err != nil {
			return err
		}
	}
	return nil
}
