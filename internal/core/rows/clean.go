package rows

import (
	"fmt"
	"slices"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
)

// dirty is a column whose cells are read as dates or numbers.
type dirty struct {
	slot  int
	read  func(v eval.Value) (eval.Value, error)
	keep  bool // the text as it was is written
	soft  bool // a cell that doesn't read so is left as it is
	texts bool // a cell that is a number is left as it is
}

// join is a date put together of three columns.
type join struct {
	name             string
	year, month, day int
	read             func(year, month, day string) (civil.Date, error)
}

// ReadDates reads the cells of a column that comes in as dates by read. They go
// out as ISO dates, or with keep as they were. A cell that is none is at fault,
// or with soft stays what it is.
func (d *Derive) ReadDates(slot int, keep, soft bool, read func(eval.Value) (civil.Date, error)) {
	d.dirty = append(d.dirty, dirty{slot: slot, keep: keep, soft: soft, read: func(v eval.Value) (eval.Value, error) {
		day, err := read(v)
		return eval.Day(day), err
	}})
}

// ReadNumbers is ReadDates for numbers; the cells are written as they were.
func (d *Derive) ReadNumbers(slot int, soft bool, read func(string) (eval.Value, error)) {
	of := func(v eval.Value) (eval.Value, error) { return read(v.Text) }
	d.dirty = append(d.dirty, dirty{slot: slot, read: of, keep: true, soft: soft, texts: true})
}

// OpenWords are the words that mean a blank to the phrases; the cells are written as
// they were.
func (d *Derive) OpenWords(words []string) { d.open = words }

// Join adds a column that puts a date together of three.
func (d *Derive) Join(name string, year, month, day int, read func(year, month, day string) (civil.Date, error)) {
	d.joins = append(d.joins, join{name, year, month, day, read})
	d.columns = append(d.columns, name)
}

// original is a cell as it came in, which is written again.
type original struct {
	slot int
	v    eval.Value
}

// clean reads the dates and open words of a row. It returns the cells that are
// to are written as they were.
func (d *Derive) clean(row []eval.Value, fault func(string, error)) (was []original) {
	for i := range row {
		if row[i].Kind == eval.Text && d.open != nil &&
			slices.ContainsFunc(d.open, func(w string) bool { return strings.EqualFold(w, strings.TrimSpace(row[i].Text)) }) {
			was = append(was, original{i, row[i]})
			row[i] = eval.Value{}
		}
	}
	for _, c := range d.dirty {
		v := row[c.slot]
		if _, typed := v.Typed(); v.Kind != eval.Text && v.Kind != eval.Number || c.texts &&
			(typed || v.Kind == eval.Number) {
			continue
		}
		if v.Kind == eval.Text && strings.TrimSpace(v.Text) == "" {
			row[c.slot] = eval.Value{}
			was = append(was, original{c.slot, v})
			continue
		}
		read, err := c.read(v)
		if err != nil && c.soft {
			continue
		}
		if err != nil {
			fault(d.columns[c.slot], err)
			was = append(was, original{c.slot, v})
			row[c.slot] = eval.Value{}
			continue
		}
		if c.keep {
			was = append(was, original{c.slot, v})
		}
		row[c.slot] = read
	}
	return was
}

func (j *join) value(row []eval.Value) (eval.Value, error) {
	y, m, day := row[j.year].String(), row[j.month].String(), row[j.day].String()
	blank := func(s string) bool { return strings.TrimSpace(s) == "" }
	switch {
	case blank(y) && blank(m) && blank(day):
		return eval.Value{}, nil
	case blank(y) || blank(m) || blank(day):
		return eval.Value{}, fmt.Errorf("a part is missing of the date with year %q, month %q, day %q", y, m, day)
	}
	d, err := j.read(y, m, day)
	return eval.Day(d), err
}
