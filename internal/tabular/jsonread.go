package tabular

import (
	"bufio"
	"encoding/json"
	"fmt"
	"io"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
)

// jsonReader reads an array of objects, or objects one after another. The keys
// of the first object are the columns.
type jsonReader struct {
	file    string
	dec     *json.Decoder
	array   bool
	columns []string
	first   []eval.Value
	n       int // objects read
}

func openJSON(file string, r io.Reader) (rows.Reader, error) {
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
			return nil, j.fail("not JSON: %v", err)
		}
	}
	cells, ok, err := j.object(true)
	if err != nil {
		return nil, err
	}
	if !ok {
		return nil, j.fail("the table is empty: no object, so no columns")
	}
	if err := checkHeader(file, 1, j.columns); err != nil {
		return nil, err
	}
	j.first = cells
	return j, nil
}

func (j *jsonReader) fail(format string, args ...any) error {
	return &CellError{File: j.file, Line: max(j.n, 1), Message: fmt.Sprintf(format, args...)}
}

// object reads the next object; the first names the columns.
func (j *jsonReader) object(first bool) (cells []eval.Value, ok bool, err error) {
	if !j.dec.More() {
		if t, err := j.dec.Token(); j.array && (err != nil || t != json.Delim(']')) {
			return nil, false, j.fail("the list is never closed with ]")
		}
		j.array = false
		return nil, false, nil
	}
	j.n++
	t, err := j.dec.Token()
	if err == io.EOF {
		return nil, false, nil
	}
	if err != nil {
		return nil, false, j.fail("object %d: %v", j.n, err)
	}
	if t != json.Delim('{') {
		return nil, false, j.fail("object %d: a table is an array of objects, and this is %v", j.n, t)
	}
	cells = make([]eval.Value, len(j.columns), len(j.columns)+8)
	for j.dec.More() {
		k, err := j.dec.Token()
		if err != nil {
			return nil, false, j.fail("object %d: %v", j.n, err)
		}
		name, _ := k.(string)
		v, err := j.dec.Token()
		if err != nil {
			return nil, false, j.fail("object %d: %v", j.n, err)
		}
		cell := eval.Value{}
		switch v := v.(type) {
		case string:
			cell = eval.Str(v)
		case json.Number:
			cell = eval.Str(v.String())
			if n, ok := eval.ParseNumber(v.String()); ok {
				cell = n
			}
		case bool:
			cell = eval.Bool(v)
		case json.Delim:
			return nil, false, j.fail("object %d: `%s` holds a list or an object; a cell holds one value", j.n, name)
		}
		if first {
			j.columns = append(j.columns, name)
			cells = append(cells, cell)
			continue
		}
		i := rows.Find(j.columns, name)
		if i < 0 {
			return nil, false, j.fail("object %d has `%s`, which the first object lacks", j.n, name)
		}
		cells[i] = cell
	}
	if _, err := j.dec.Token(); err != nil {
		return nil, false, j.fail("object %d: %v", j.n, err)
	}
	return cells, true, nil
}

func (j *jsonReader) Columns() []string { return j.columns }

const jsonBatch = 1000

func (j *jsonReader) Next() (rows.Batch, error) {
	var b rowBatch
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
		b.add(j.n, cells)
	}
	if len(b.rows) == 0 {
		return nil, nil
	}
	return &b, nil
}

// rowBatch is a batch of rows held one by one.
type rowBatch struct {
	lines []int
	rows  [][]eval.Value
}

func (b *rowBatch) add(line int, cells []eval.Value) {
	b.lines, b.rows = append(b.lines, line), append(b.rows, cells)
}

func (b *rowBatch) Each(do func(line int, cells []eval.Value) error) error {
	for i, cells := range b.rows {
		if err := do(b.lines[i], cells); err != nil {
			return err
		}
	}
	return nil
}
