package rows

import (
	"errors"
	"fmt"
	"slices"
	"sync/atomic"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
)

// AddedColumn is a column that a phrase gives.
type AddedColumn struct {
	Name      string
	Program   *eval.Program
	UsedSlots []int // slots that the phrase looks at

	running *runningColumn // in place of the phrase; nil for most
	// isMuted says that nothing comes of the column: what its calendars don't know isn't counted.
	isMuted *bool
}

// rowCondition is one that rows must satisfy; own says that it looks at cells alone
// that came in.
type rowCondition struct {
	holds     func([]eval.Value) (bool, error)
	inputOnly bool
}

// isFilteredOut reports whether a `where` condition is false for the row. inputOnly: test only
// the conditions on input columns, before cells are parsed; else only the others.
func (d *Derive) isFilteredOut(row []eval.Value, own bool) (bool, error) {
	for _, c := range d.conditions {
		if c.inputOnly != own {
			continue
		}
		if ok, err := c.holds(row); err != nil || !ok {
			return err == nil, err
		}
	}
	return false, nil
}

// usedInputs are the slots of the cells that came in which something looks at, and those that
// are picked; nil if all are looked at.
func (d *Derive) usedInputs() []int {
	if d.parsed != nil || d.blankWords != nil {
		return nil
	}
	slots := append(slices.Clone(d.used), d.picked...)
	for _, a := range d.added {
		slots = append(slots, a.UsedSlots...)
	}
	for _, j := range d.joins {
		slots = append(slots, j.year, j.month, j.day)
	}
	slots = slices.DeleteFunc(slots, func(s int) bool { return s >= d.inputs })
	slices.Sort(slots)
	return append([]int{}, slices.Compact(slots)...)
}

// restore puts back the cells that are written as they came in.
func (d *Derive) restore(row []eval.Value, originals []originalCell) {
	for _, o := range originals {
		row[o.slot] = o.v
	}
}

// Derive adds columns to every row, keeps the rows of which a condition holds,
// and picks columns. It may be used by several goroutines at once.
type Derive struct {
	inputs     int // columns that come in
	columns    []string
	added      []AddedColumn
	reasons    bool
	conditions []rowCondition
	picked     []int // places of the columns that are written; nil for all
	parsed     []parsedColumn
	joins      []dateJoin
	blankWords []string     // words that mean a blank
	blankDays  []civil.Date // days that do
	// Terms are the columns that phrases take lengths of time from; openTerms counts the words there
	// that mean a blank.
	Terms     []int
	openTerms atomic.Int64
	// halves are the columns that ends of ranges are taken from, of which halves count; noons tell of
	// each whether it says 12:00 in every cell.
	halves []int
	// shadowed are options with the columns whose names they took for phrases.
	shadowed   [][2]string
	noons      []noonCount
	hidden     int   // columns at the end that an operation takes
	used       []int // slots that are looked at, but for those that AddedColumn names
	hasRunning bool  // a column runs down the rows
	// BlankBadCells makes a bad cell blank and goes on.
	BlankBadCells bool
	// onKept, if it isn't nil, sees each row that is kept while its dates are
	// dates still, before cells that are written as they came in are put back.
	onKept func(row []eval.Value)
}

// NewDerive prepares to add columns to a table with the given ones.
func NewDerive(columns []string) *Derive {
	return &Derive{inputs: len(columns), columns: slices.Clone(columns)}
}

// Add adds columns. Each text is NAME = PHRASE; a phrase may use the columns
// before it. Errors are of type *phrase.Error or say which column is at fault.
func (d *Derive) Add(texts []string, reasons bool, env eval.Env) error {
	d.reasons = reasons
	kinds := make([]eval.Kind, len(d.columns))
	for i := range kinds {
		kinds[i] = eval.AnyKind
	}
	for _, text := range texts {
		name, body, err := SplitAdd(text)
		if err != nil {
			return err
		}
		var used []int
		env.Names, env.Kinds, env.Uses.All, env.IsMuted = d.columns, kinds, &used, new(bool)
		prog, err := d.compileOrColumn("add", body, d.columns, compileAny, env)
		if err != nil {
			return err
		}
		add := []string{name}
		if reasons {
			add = append(add, name+"_reason")
		}
		for _, n := range add {
			if i := ColumnIndex(d.columns, n); i >= 0 {
				return fmt.Errorf("there is already a column `%s`; give the new one another name", d.columns[i])
			}
			d.columns = append(d.columns, n)
		}
		kind, _ := prog.KindOf()
		kinds = append(kinds, kind)
		if reasons {
			kinds = append(kinds, eval.Text)
		}
		d.added = append(d.added, AddedColumn{Name: name, Program: prog, UsedSlots: used, isMuted: env.IsMuted})
	}
	return nil
}

// MuteUnshown has nothing counted of what calendars don't know where nothing comes of it: in added
// columns that aren't shown, and that nothing that is shown or chosen by looks at. It is called
// before the rows are worked out.
func (d *Derive) MuteUnshown(shown []int) {
	needed := append(slices.Clone(d.used), shown...)
	for i := len(d.added) - 1; i >= 0; i-- {
		a := &d.added[i]
		if a.isMuted == nil {
			continue
		}
		slot := ColumnIndex(d.columns, a.Name)
		*a.isMuted = !slices.Contains(needed, slot) && !(d.reasons && slices.Contains(needed, slot+1))
		if !*a.isMuted {
			needed = append(needed, a.UsedSlots...)
		}
	}
}

// compileAny compiles a phrase that may give anything.
func compileAny(text string, env eval.Env) (*eval.Program, error) {
	return eval.Compile(text, nil, env)
}

// AddedAt returns the column that was added at a slot; ok is false for one that came in.
func (d *Derive) AddedAt(slot int) (a AddedColumn, ok bool) {
	for _, a := range d.added {
		if ColumnIndex(d.columns, a.Name) == slot {
			return a, true
		}
	}
	return a, false
}

// addHiddenBy compiles a phrase whose value each row carries behind its columns, for
// an operation to take. option names it in faults; slot is its place in the row.
func (d *Derive) addHiddenBy(option, text string, compile func(string, eval.Env) (*eval.Program, error), env eval.Env) (slot int, err error) {
	env.Names, env.Kinds, env.Uses.All = d.columns[:d.visible()], nil, &d.used
	prog, err := d.compileOrColumn(option, text, d.Visible(), compile, env)
	if err != nil {
		return 0, err
	}
	blame := option
	if i := ColumnIndex(d.Visible(), UnquoteName(text)); i >= 0 { // a wrong cell is one of that column
		blame = d.columns[i]
	}
	d.added = append(d.added, AddedColumn{Name: blame, Program: prog})
	d.hidden++
	d.columns = append(d.columns, "\x00"+option)
	return len(d.columns) - 1, nil
}

// compileOrColumn compiles a phrase of an option. A text that is none, but as a whole is a column's
// name, is that column; one that is both stays the phrase, which ShadowedColumns tells.
func (d *Derive) compileOrColumn(option, text string, columns []string, compile func(string, eval.Env) (*eval.Program, error), env eval.Env) (*eval.Program, error) {
	column := ColumnIndex(columns, UnquoteName(text))
	prog, err := compile(text, env)
	switch {
	case column < 0:
	case err != nil:
		return compile(QuoteName(columns[column]), env)
	case !eval.IsName(text, env):
		d.shadowed = append(d.shadowed, [2]string{option, columns[column]})
	}
	return prog, err
}

// ShadowedColumns are columns whose names an option took for phrases, each behind the option.
func (d *Derive) ShadowedColumns() [][2]string { return d.shadowed }

// SetHiddenColumn names the column that wrong cells of the last hidden phrase are reported about.
func (d *Derive) SetHiddenColumn(column string) { d.added[len(d.added)-1].Name = column }

// MuteAll has nothing counted that calendars don't know, for rows that are read beforehand.
func (d *Derive) MuteAll() {
	muted := true
	for i := range d.added {
		d.added[i].isMuted = &muted
	}
}

// visible counts the columns before the hidden ones.
func (d *Derive) visible() int { return len(d.columns) - d.hidden }

// Visible returns the columns before the hidden ones.
func (d *Derive) Visible() []string { return d.columns[:d.visible()] }

// Columns returns the columns that are written.
func (d *Derive) Columns() []string {
	if d.picked == nil {
		return d.columns
	}
	var names []string
	for _, i := range d.picked {
		names = append(names, d.columns[i])
	}
	return names
}

// AllColumns returns all columns, those that aren't picked too.
func (d *Derive) AllColumns() []string { return d.columns }

// faultyColumn is the column whose cell is wrong: the one that an added column takes it from.
func faultyColumn(column string, err error) string {
	var date *eval.NotDateError
	var number *eval.NotNumberError
	var term *eval.NotTermError
	var half *eval.HalfDayError
	switch {
	case errors.As(err, &date) && date.Column != "":
		return date.Column
	case errors.As(err, &number) && number.Column != "":
		return number.Column
	case errors.As(err, &term) && term.Column != "":
		return term.Column
	case errors.As(err, &half):
		return half.Column
	}
	return column
}

// EvalRow works out one row: cells are those that come in, and must have room for
// what is added or are copied; trace is room for moves, if there are reasons. keep is false for a
// row that the condition drops.
// bad is the first cell at fault.
func (d *Derive) EvalRow(line int, cells []eval.Value, trace *[]eval.Move) (row []eval.Value, keep bool, bad *BadCell) {
	fault := func(column string, err error) {
		if bad == nil {
			bad = &BadCell{line, faultyColumn(column, err), err}
		}
	}
	row = cells
	var originals []originalCell
	if d.parsed != nil || d.blankWords != nil {
		originals = d.parseCells(row, fault)
	}
	for i := range d.joins {
		v, err := d.joins[i].value(row)
		if err != nil {
			fault(d.joins[i].name, err)
		}
		row = append(row, v)
	}
	if d.conditions != nil {
		if left, err := d.isFilteredOut(row, true); err != nil {
			fault("where", err)
		} else if left {
			d.restore(row, originals)
			return row, false, nil // whatever else is wrong with it
		}
	}
	d.countOpenTerms(row, originals)
	d.countNoons(row)
	var moves *[]eval.Move
	for i := range d.added {
		a := &d.added[i]
		n := len(row)
		if c := a.running; c != nil {
			if bad == nil || d.BlankBadCells {
				if err := c.value(row); err != nil {
					fault(a.Name, err)
				}
				row = append(row[:n], c.current)
			} else {
				row = append(row, eval.Value{})
			}
			continue
		}
		row = append(row, eval.Value{})
		if d.reasons {
			*trace = (*trace)[:0]
			moves = trace
		}
		beyond, err := a.Program.EvalTraced(row[:n], moves, &row[n])
		if beyond.IsSet() && (a.isMuted == nil || !*a.isMuted) {
			beyond.Record()
		}
		if err != nil {
			fault(a.Name, err)
			if row[n] = (eval.Value{}); d.reasons {
				*trace = (*trace)[:0]
			}
		}
		if d.reasons {
			row = append(row, eval.Str(eval.Reasons(*trace)))
		}
	}
	keep = bad == nil || d.BlankBadCells
	if keep && d.hasRunning {
		d.commitRow()
	}
	if keep && d.conditions != nil {
		left, err := d.isFilteredOut(row, false)
		if err != nil {
			fault("where", err)
		}
		keep = !left && err == nil
	}
	if keep && d.onKept != nil {
		d.onKept(row)
	}
	d.restore(row, originals)
	return row, keep, bad
}
