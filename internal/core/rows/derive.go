package rows

import (
	"fmt"
	"slices"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
)

// Added is a column that a phrase gives.
type Added struct {
	Name string
	Prog *eval.Program
}

// Derive adds columns to every row, keeps the rows of which a condition holds,
// and picks columns. It may be used by several goroutines at once.
type Derive struct {
	in      int // columns that come in
	columns []string
	added   []Added
	reasons bool
	where   func([]eval.Value) (bool, error)
	pick    []int // places of the columns that go out; nil for all
	dirty   []dirty
	joins   []join
	open    []string // words that mean a blank
	hidden  int      // columns at the end that an operation takes
	// Blank makes a bad cell blank and goes on.
	Blank bool
}

// dirty is a column whose cells are read as dates.
type dirty struct {
	slot int
	read func(s string) (civil.Date, error)
	keep bool // the text as it was goes out
}

// join is a date put together of three columns.
type join struct {
	name             string
	year, month, day int
	read             func(year, month, day string) (civil.Date, error)
}

// NewDerive prepares to add columns to a table with the given ones.
func NewDerive(columns []string) *Derive {
	return &Derive{in: len(columns), columns: slices.Clone(columns)}
}

// ReadDates reads the cells of a column that comes in as dates by read. They go
// out as ISO dates, or with keep as they were.
func (d *Derive) ReadDates(slot int, keep bool, read func(string) (civil.Date, error)) {
	d.dirty = append(d.dirty, dirty{slot, read, keep})
}

// OpenWords are the words that mean a blank to the phrases; the cells go out as
// they were.
func (d *Derive) OpenWords(words []string) { d.open = words }

// Join adds a column that puts a date together of three.
func (d *Derive) Join(name string, year, month, day int, read func(year, month, day string) (civil.Date, error)) {
	d.joins = append(d.joins, join{name, year, month, day, read})
	d.columns = append(d.columns, name)
}

// Add adds columns. Each text is NAME = PHRASE; a phrase may use the columns
// before it. Errors are of type *phrase.Error or say which column is at fault.
// used are the columns that the phrases take dates from.
func (d *Derive) Add(texts []string, reasons bool, env eval.Env) (used []int, err error) {
	d.reasons = reasons
	kinds := make([]eval.Kind, len(d.columns))
	for i := range kinds {
		kinds[i] = eval.AnyKind
	}
	env.DateSlots = &used
	for _, text := range texts {
		name, body, err := SplitAdd(text)
		if err != nil {
			return nil, err
		}
		env.Names, env.Kinds = d.columns, kinds
		prog, err := eval.Compile(body, nil, env)
		if err != nil {
			return nil, err
		}
		add := []string{name}
		if reasons {
			add = append(add, name+"_reason")
		}
		for _, n := range add {
			if i := Find(d.columns, n); i >= 0 {
				return nil, fmt.Errorf("there already is a column `%s`; give the new one another name", d.columns[i])
			}
			d.columns = append(d.columns, n)
		}
		kind, _ := prog.KindOf()
		kinds = append(kinds, kind)
		if reasons {
			kinds = append(kinds, eval.Text)
		}
		d.added = append(d.added, Added{name, prog})
	}
	return used, nil
}

// SplitAdd splits NAME = PHRASE. The name may stand in double quotes.
func SplitAdd(text string) (name, body string, err error) {
	rest := strings.TrimSpace(text)
	if strings.HasPrefix(rest, `"`) {
		if end := strings.IndexByte(rest[1:], '"'); end >= 0 {
			name, rest = rest[1:end+1], strings.TrimSpace(rest[end+2:])
		}
	} else if i := strings.IndexAny(rest, "=<>!"); i >= 0 {
		name, rest = strings.TrimSpace(rest[:i]), rest[i:]
	}
	body, ok := strings.CutPrefix(rest, "=")
	if !ok || name == "" || strings.TrimSpace(body) == "" {
		return "", "", &phrase.Error{Phrase: text, Span: phrase.Span{End: len(text)}, Message: "expected NAME = PHRASE",
			Hint: `for example: ends = start, lasting term months`}
	}
	return name, strings.TrimSpace(body), nil
}

// Hidden compiles a phrase whose value each row carries behind its columns, for
// an operation to take; date says that it must be a date. option names it in
// faults; slot is its place in the row. used are the columns that dates are
// taken from.
func (d *Derive) Hidden(option, text string, date bool, env eval.Env) (slot int, used []int, err error) {
	env.Names, env.Kinds = d.columns[:d.visible()], nil
	env.DateSlots = &used
	compile := func(text string, env eval.Env) (*eval.Program, error) { return eval.Compile(text, nil, env) }
	if date {
		compile = eval.CompileDate
	}
	prog, err := compile(text, env)
	if err != nil {
		return 0, nil, err
	}
	d.added = append(d.added, Added{option, prog})
	d.hidden++
	d.columns = append(d.columns, "\x00"+option)
	return len(d.columns) - 1, used, nil
}

// visible counts the columns before the hidden ones.
func (d *Derive) visible() int { return len(d.columns) - d.hidden }

// Visible returns the columns before the hidden ones.
func (d *Derive) Visible() []string { return d.columns[:d.visible()] }

// Columns returns the columns that go out.
func (d *Derive) Columns() []string {
	if d.pick == nil {
		return d.columns
	}
	var names []string
	for _, i := range d.pick {
		names = append(names, d.columns[i])
	}
	return names
}

// All returns all columns, those that aren't picked too.
func (d *Derive) All() []string { return d.columns }

// Where keeps the rows of which a condition holds, and all conditions set before
// it; it sees added columns.
func (d *Derive) Where(text string, env eval.Env) error {
	env.Names = d.columns
	holds, err := eval.Condition(text, env)
	if err != nil {
		return err
	}
	if before := d.where; before != nil {
		d.where = func(row []eval.Value) (bool, error) {
			if ok, err := before(row); !ok || err != nil {
				return false, err
			}
			return holds(row)
		}
		return nil
	}
	d.where = holds
	return nil
}

// Pick chooses columns: A,B picks these, -C leaves C out.
func (d *Derive) Pick(list string) error {
	var take, leave []int
	for _, name := range strings.Split(list, ",") {
		name = strings.TrimSpace(name)
		bare, minus := strings.CutPrefix(name, "-")
		i := Find(d.columns, name)
		if i >= 0 {
			minus = false
		} else if i = Find(d.columns, bare); i < 0 {
			return UnknownColumn(bare, d.columns)
		}
		if minus {
			leave = append(leave, i)
		} else {
			take = append(take, i)
		}
	}
	if take == nil {
		for i := range d.columns {
			take = append(take, i)
		}
	}
	d.pick = slices.DeleteFunc(take, func(i int) bool { return slices.Contains(leave, i) })
	return nil
}

// UnknownColumn is the error for a name that is no column.
func UnknownColumn(name string, columns []string) error {
	hint := "; the columns are " + strings.Join(columns, ", ")
	if near := phrase.Nearest(name, columns); near != "" {
		hint = "; did you mean `" + near + "`?"
	}
	return fmt.Errorf("unknown column `%s`%s", name, hint)
}

// Row works out one row: cells are those that come in, and must have room for
// what is added or are copied. keep is false for a row that the condition drops.
// bad is the first cell at fault.
func (d *Derive) Row(line int, cells []eval.Value, trace []eval.Move) (row []eval.Value, keep bool, bad *BadCell) {
	fault := func(column string, err error) {
		if bad == nil {
			bad = &BadCell{line, column, err}
		}
	}
	row = cells
	var was []original
	if d.dirty != nil || d.open != nil {
		was = d.clean(row, fault)
	}
	for i := range d.joins {
		v, err := d.joins[i].value(row)
		if err != nil {
			fault(d.joins[i].name, err)
		}
		row = append(row, v)
	}
	for i := range d.added {
		a := &d.added[i]
		v, moves, err := a.Prog.Eval(row, trace[:0])
		if err != nil {
			fault(a.Name, err)
			v, moves = eval.Value{}, nil
		}
		row = append(row, v)
		if d.reasons {
			row = append(row, eval.Str(eval.Reasons(moves)))
		}
	}
	keep = bad == nil || d.Blank
	if keep && d.where != nil {
		ok, err := d.where(row)
		if err != nil {
			fault("--where", err)
		}
		keep = ok && err == nil
	}
	for _, o := range was {
		row[o.slot] = o.v
	}
	return row, keep, bad
}

// original is a cell as it came in, which goes out again.
type original struct {
	slot int
	v    eval.Value
}

// clean reads the dates and open words of a row. It returns the cells that are
// to go out as they were.
func (d *Derive) clean(row []eval.Value, fault func(string, error)) (was []original) {
	for i := range row {
		if row[i].Kind == eval.Text && d.open != nil && slices.ContainsFunc(d.open, func(w string) bool { return strings.EqualFold(w, strings.TrimSpace(row[i].Text)) }) {
			was = append(was, original{i, row[i]})
			row[i] = eval.Value{}
		}
	}
	for _, c := range d.dirty {
		v := row[c.slot]
		if v.Kind != eval.Text && v.Kind != eval.Number {
			continue
		}
		if v.Kind == eval.Text && strings.TrimSpace(v.Text) == "" {
			row[c.slot] = eval.Value{}
			was = append(was, original{c.slot, v})
			continue
		}
		day, err := c.read(v.String())
		if err != nil {
			fault(d.columns[c.slot], err)
			was = append(was, original{c.slot, v})
			row[c.slot] = eval.Value{}
			continue
		}
		if c.keep {
			was = append(was, original{c.slot, v})
		}
		row[c.slot] = eval.Day(day)
	}
	return was
}

func (j *join) value(row []eval.Value) (eval.Value, error) {
	y, m, day := row[j.year].String(), row[j.month].String(), row[j.day].String()
	if y == "" || m == "" || day == "" {
		return eval.Value{}, nil
	}
	d, err := j.read(y, m, day)
	return eval.Day(d), err
}

// Out picks the columns that go out of a row.
func (d *Derive) Out(row, room []eval.Value) []eval.Value {
	if d.pick == nil {
		return row
	}
	room = room[:0]
	for _, i := range d.pick {
		room = append(room, row[i])
	}
	return room
}
