package eval

import (
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/workdays"
)

// What an expression compiles to. Dates and whole numbers, which most columns are,
// don't travel as cells.
type (
	valueFunc = func(row []Value) (Value, error)
	// dateFunc gives a day, None for a blank; provisional says that a calendar was asked
	// beyond what it knows.
	dateFunc = func(row []Value) (d civil.Date, provisional bool, err error)
	// intFunc gives a whole number, or a blank.
	intFunc = func(row []Value) (n int, blank bool, err error)
)

// dateValue is a day as a cell.
func dateValue(d civil.Date, unsure bool) Value {
	v := Day(d)
	v.Provisional = unsure && d != civil.None
	return v
}

// dateValues makes cells of dates.
func dateValues(f dateFunc) valueFunc {
	return func(row []Value) (Value, error) {
		d, unsure, err := f(row)
		return dateValue(d, unsure), err
	}
}

// intValues makes cells of whole numbers.
func intValues(f intFunc) valueFunc {
	return func(row []Value) (Value, error) {
		n, blank, err := f(row)
		if blank || err != nil {
			return Value{}, err
		}
		return Int(n), nil
	}
}

// Program is a compiled expression.
type Program struct {
	Text string // canonical
	kind Kind
	// One of these is what it gives, or what its steps start from.
	value   valueFunc
	date    dateFunc
	integer intFunc
	chain   *Chain // steps at the top, nil when there are none
	// choice is what is chosen among operands, in place of the three above: what the
	// expression gives, or what its steps start from.
	choice     tracedFunc
	sources    []Source
	zone       *zoneStep // that what it gives is shown in; nil for none
	mayBeBlank bool
	columnFunc ColumnFunc
}

// tracedFunc computes a value and appends the moves of its operands to trace, if that isn't
// nil. beyond is a calendar asked beyond what it knows that nobody has noted yet.
type tracedFunc = func(row []Value, trace *[]Move) (v Value, beyond workdays.Uncovered, err error)

// Source is a name that the date of an expression is reckoned from, and how far before and
// after it that date may lie.
type Source struct {
	Slot                    int // Standing for a date that is in the phrase, and for today
	ReachBack, ReachForward Reach
	// Chains are the steps that lead from it to the date, the outermost last.
	Chains []*Chain
}

// ConstantSlot is the Slot of a source that is no name.
const ConstantSlot = -1

// MayBeBlank reports whether the expression says by itself that it may give nothing: an `if`
// without `else`, or a date of another series.
func (p *Program) MayBeBlank() bool { return p.mayBeBlank }

// Zone is the zone that its times are shown in, by its name; "" for that in which they are.
func (p *Program) Zone() string {
	if p.zone == nil {
		return ""
	}
	return p.zone.name
}

// Sources are what the date of the expression is reckoned from, through operands and
// branches; none if it gives no date.
func (p *Program) Sources() []Source { return p.sources }

// Chain returns the steps at the top of the expression, or nil.
func (p *Program) Chain() *Chain { return p.chain }

// Base is what the expression's steps start from for a row.
func (p *Program) Base(row []Value) (Value, error) {
	switch {
	case p.choice != nil:
		v, _, err := p.choice(row, nil)
		return v, err
	case p.date != nil:
		return dateValues(p.date)(row)
	case p.integer != nil:
		return intValues(p.integer)(row)
	}
	return p.value(row)
}

// Eval computes the expression on a row. A date for which a calendar was asked
// beyond what it knows is noted with the calendar, once.
func (p *Program) Eval(row []Value) (v Value, err error) {
	err = p.EvalInto(row, nil, &v)
	return v, err
}

// EvalInto computes the expression on a row into a blank cell, and appends the moves of its
// own steps to trace, where that isn't nil.
func (p *Program) EvalInto(row []Value, trace *[]Move, cell *Value) error {
	beyond, err := p.EvalTraced(row, trace, cell)
	beyond.Record()
	return err
}

// EvalTraced is EvalInto, but returns the uncovered calendar instead of recording it; the zero
// value if the base was provisional already.
func (p *Program) EvalTraced(row []Value, trace *[]Move, cell *Value) (beyond workdays.Uncovered, err error) {
	beyond, err = p.evalTraced(row, trace, cell)
	if p.zone == nil || err != nil {
		return beyond, err
	}
	before := *cell
	if *cell, err = p.zone.convert(before); err == nil && trace != nil && cell.Kind == DateTime {
		*trace = append(*trace, Move{Step: p.zone.step, From: before.Day, To: cell.Day, detail: &moveDetail{from: before, at: *cell}})
	}
	return beyond, err
}

func (p *Program) evalTraced(row []Value, trace *[]Move, cell *Value) (beyond workdays.Uncovered, err error) {
	switch {
	case p.integer != nil:
		n, none, err := p.integer(row)
		if !none && err == nil {
			cell.Kind, cell.Num = Number, int64(n)
		}
		return beyond, err
	case p.choice != nil:
		return p.evalChoice(row, trace, cell)
	case p.date == nil:
		v, err := p.value(row)
		if err == nil {
			*cell = v
		}
		return beyond, err
	}
	d, unsure, err := p.date(row)
	if err != nil || d == civil.None {
		return beyond, err
	}
	if c := p.chain; c != nil {
		switch {
		case trace == nil && c.soleStep != nil:
			if d, err = c.soleStep(d, row); err != nil {
				err = c.wrapError(&c.Steps[0], err)
			}
		case trace == nil && c.SoleRollCalendar != nil && c.SoleRollCalendar.IsKnownWorkday(d):
		default:
			d, beyond, err = c.Run(d, row, trace)
		}
		if err != nil || d == civil.None {
			return beyond, err
		}
		if p.chain.Minutes >= 0 {
			*cell = p.chain.WithTime(d, row)
		}
	}
	if cell.Kind == Blank {
		cell.Kind = Date
	}
	cell.Day, cell.Provisional = d, unsure || beyond.IsSet()
	if unsure || beyond.Recorded {
		beyond = workdays.Uncovered{}
	}
	return beyond, nil
}

// evalChoice is Work for a choice among operands, with the steps behind it.
func (p *Program) evalChoice(row []Value, trace *[]Move, cell *Value) (workdays.Uncovered, error) {
	v, beyond, err := p.choice(row, trace)
	if err != nil || p.chain == nil || v.Kind == Blank {
		if err == nil {
			*cell = v
		}
		return beyond, err
	}
	unsure := v.Provisional && !beyond.IsSet()
	d, asked, err := p.chain.Run(v.Day, row, trace)
	if err != nil || d == civil.None {
		return beyond, err
	}
	*cell = p.chain.WithTime(d, row)
	if beyond = beyond.OrElse(asked); beyond.IsSet() || unsure {
		cell.Provisional = true
	}
	if unsure || beyond.Recorded {
		beyond = workdays.Uncovered{}
	}
	return beyond, nil
}
