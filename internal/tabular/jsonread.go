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
	n       int // objects read
}

func openJSON(file string, r io.Reader, o Input) (rows.Reader, error) {
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
			return nil, j.broken(err)
		}
	}
	cells, ok, err := j.object(true)
	if err != nil {
		return nil, err
	}
	if !ok {
		return nil, j.fail("the table is empty: no object, so no columns")
	}
	if err := o.header(file, 1, j.columns); err != nil {
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
	return &CellError{File: j.file, Line: max(j.n, 1), Message: fmt.Sprintf(format, args...)}
}

// broken reports text that isn't JSON.
func (j *jsonReader) broken(err error) error {
	var syntax *json.SyntaxError
	switch {
	case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF):
		return j.fail("object %d: the file ends inside it", j.n)
	case errors.As(err, &syntax):
		return j.fail("object %d isn't JSON: %v (byte %d of the file)", j.n, err, syntax.Offset)
	}
	return j.fail("object %d can't be read: %v", j.n, err)
}

// object reads the next object; the first names the columns.
func (j *jsonReader) object(first bool) (cells []eval.Value, ok bool, err error) {
	if !j.dec.More() {
		if t, err := j.dec.Token(); j.array && (err != nil || t != json.Delim(']')) {
			return nil, false, j.fail("the list is not closed with ]")
		} else if !j.array && err != nil && err != io.EOF {
			return nil, false, j.broken(err)
		}
		if j.array {
			j.array = false
			if _, err := j.dec.Token(); err != io.EOF {
				return nil, false, j.fail("unexpected text after the list's ]")
			}
		}
		return nil, false, nil
	}
	j.n++
	t, err := j.dec.Token()
	if err == io.EOF {
		return nil, false, nil
	}
	if err != nil {
		return nil, false, j.broken(err)
	}
	if t != json.Delim('{') {
		return nil, false, j.fail("object %d: expected an object, found %v", j.n, t)
	}
	cells = make([]eval.Value, len(j.columns), len(j.columns)+8)
	seen := make([]bool, len(j.columns))
	for j.dec.More() {
		k, err := j.dec.Token()
		if err != nil {
			return nil, false, j.broken(err)
		}
		name, _ := k.(string)
		v, err := j.dec.Token()
		if err != nil {
			return nil, false, j.broken(err)
		}
		cell := eval.Value{}
		switch v := v.(type) {
		case string:
			if cell = eval.Str(v); v != "" {
				if _, _, number := plainNumber(v); number {
					cell.Form = eval.TextForm
				}
			}
		case json.Number:
			if cell = eval.Numeral(v.String()); cell.Kind == eval.Text { // of more digits than are reckoned with
				if f, err := v.Float64(); err == nil {
					cell = eval.Typed(v.String(), f, eval.Plain)
				}
			}
		case bool:
			cell = eval.Bool(v)
		case json.Delim:
			return nil, false, j.fail("object %d: `%s` holds a list or an object, expected a single value", j.n, eval.Brief(name))
		}
		if first {
			j.columns = append(j.columns, name)
			cells = append(cells, cell)
			continue
		}
		i, known := j.places[phrase.FoldName(name)]
		switch {
		case !known:
			return nil, false, j.fail("object %d has `%s`, which the first object doesn't have", j.n, eval.Brief(name))
		case seen[i]:
			return nil, false, j.fail("object %d has `%s` twice", j.n, eval.Brief(name))
		}
		cells[i], seen[i] = cell, true
	}
	if _, err := j.dec.Token(); err != nil {
		return nil, false, j.broken(err)
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
