package rows

import (
	"fmt"
	"slices"
	"strings"
	"sync/atomic"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/language"
)

// parsedColumn is a column whose cells are read as dates or numbers.
type parsedColumn struct {
	slot     int
	read     func(v eval.Value) (eval.Value, error)
	keepText bool // the text as it was is written
	lenient  bool // a cell that doesn't read so is left as it is
	textOnly bool // a cell that is a number is left as it is
}

// dateJoin is a date put together of three columns.
type dateJoin struct {
	name             string
	year, month, day int
	read             func(year, month, day string) (civil.Date, error)
}

// ReadDates reads the cells of a column that comes in as dates by read. They go
// out as ISO dates, or with keep as they were. A cell that is none is at fault,
// or with soft stays what it is.
func (d *Derive) ReadDates(slot int, keep, soft bool, read func(eval.Value) (civil.Date, error)) {
	d.parsed = append(d.parsed, parsedColumn{slot: slot, keepText: keep, lenient: soft, read: func(v eval.Value) (eval.Value, error) {
		day, err := read(v)
		if err != nil {
			return eval.Value{}, err
		}
		return eval.DayIn(day, v.String()), nil
	}})
}

// ReadNumbers is ReadDates for numbers; the cells are written as they were.
func (d *Derive) ReadNumbers(slot int, soft bool, read func(string) (eval.Value, error)) {
	of := func(v eval.Value) (eval.Value, error) { return read(v.Text) }
	d.parsed = append(d.parsed, parsedColumn{slot: slot, read: of, keepText: true, lenient: soft, textOnly: true})
}

// SetBlankWords are the words that mean a blank to the phrases, and ISO dates that do, however
// they are written; the cells are written as they were.
func (d *Derive) SetBlankWords(words []string) {
	d.blankWords = words
	for _, w := range words {
		if day, _, ok := civil.Parse(strings.TrimSpace(w)); ok {
			d.blankDays = append(d.blankDays, day)
		}
	}
}

// OpenTerms is how many lengths of time were words for no end.
func (d *Derive) OpenTerms() int64 { return d.openTerms.Load() }

// isBlankDay reports whether a cell is a date that means a blank.
func (d *Derive) isBlankDay(v eval.Value) bool {
	if d.blankDays == nil {
		return false
	}
	day, ok := eval.AsDate(v)
	return ok && slices.Contains(d.blankDays, day.Day)
}

// AddDateJoin adds a column that puts a date together of three.
func (d *Derive) AddDateJoin(name string, year, month, day int, read func(year, month, day string) (civil.Date, error)) {
	d.joins = append(d.joins, dateJoin{name, year, month, day, read})
	d.columns = append(d.columns, name)
}

// originalCell is a cell as it came in, which is written again.
type originalCell struct {
	slot int
	v    eval.Value
}

// parseCells reads the dates and open words of a row. It returns the cells that are
// to are written as they were.
func (d *Derive) parseCells(row []eval.Value, fault func(string, error)) (originals []originalCell) {
	for i := range row {
		if d.isBlankDay(row[i]) || row[i].Kind == eval.Text && d.blankWords != nil &&
			slices.ContainsFunc(d.blankWords, func(w string) bool { return strings.EqualFold(w, strings.TrimSpace(row[i].Text)) }) {
			originals = append(originals, originalCell{i, row[i]})
			row[i] = eval.Value{}
		}
	}
	for _, c := range d.parsed {
		v := row[c.slot]
		if _, typed := v.Typed(); v.Kind != eval.Text && v.Kind != eval.Number || c.textOnly &&
			(typed || v.Kind == eval.Number) {
			continue
		}
		if v.Kind == eval.Text && strings.TrimSpace(v.Text) == "" {
			row[c.slot] = eval.Value{}
			originals = append(originals, originalCell{c.slot, v})
			continue
		}
		read, err := c.read(v)
		if err != nil && c.lenient {
			continue
		}
		if err != nil {
			fault(d.columns[c.slot], err)
			originals = append(originals, originalCell{c.slot, v})
			row[c.slot] = eval.Value{}
			continue
		}
		if d.isBlankDay(read) {
			originals = append(originals, originalCell{c.slot, v})
			row[c.slot] = eval.Value{}
			continue
		}
		if c.keepText || read.Half != language.WholeDay && read.Half != language.OtherTime { // a half is written as it came
			originals = append(originals, originalCell{c.slot, v})
		}
		row[c.slot] = read
	}
	return originals
}

// countOpenTerms counts the lengths of time of a row that are words for no end.
func (d *Derive) countOpenTerms(row []eval.Value, originals []originalCell) {
	for _, o := range originals {
		if row[o.slot].Kind == eval.Blank && slices.Contains(d.Terms, o.slot) && strings.TrimSpace(o.v.String()) != "" {
			d.openTerms.Add(1)
		}
	}
}

// noonCount tells of a column whether every filled cell says 12:00.
type noonCount struct {
	noons  atomic.Int64
	others atomic.Bool
}

// countNoons looks at what the ends of ranges say of the time of day.
func (d *Derive) countNoons(row []eval.Value) {
	for i := range d.noons {
		v, n := &row[d.halves[i]], &d.noons[i]
		switch {
		case v.Kind == eval.Blank || n.others.Load():
		case eval.HalfOf(v) == language.Noon:
			n.noons.Add(1)
		default:
			n.others.Store(true)
		}
	}
}

// NoonColumns are the columns of ends of ranges in which every filled cell says 12:00, two or more.
func (d *Derive) NoonColumns() (names []string) {
	for i := range d.noons {
		if n := &d.noons[i]; n.noons.Load() > 1 && !n.others.Load() {
			names = append(names, d.columns[d.halves[i]])
		}
	}
	return names
}

// WatchNoons prepares for NoonColumns, once all phrases are compiled.
func (d *Derive) WatchNoons() {
	d.halves = slices.DeleteFunc(d.halves, func(slot int) bool { return slot >= d.inputs })
	d.noons = make([]noonCount, len(d.halves))
}

func (j *dateJoin) value(row []eval.Value) (eval.Value, error) {
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
