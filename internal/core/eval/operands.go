package eval

import (
	"cmp"
	"yoyaku/internal/core/language"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/workdays"
)

// tracedOperand is an operand that can tell how it came about.
type tracedOperand struct {
	eval    tracedFunc
	sources []Source
}

// isChoice reports whether an expression chooses among operands, or is steps that stand
// as one.
func isChoice(e phrase.Expr) bool {
	switch e.(type) {
	case *phrase.Steps, *phrase.Otherwise, *phrase.EarlierLater, *phrase.If, *phrase.SeriesRef:
		return true
	}
	return false
}

// sourcesOf is what the date of a plain operand is reckoned from.
func (c *compiler) sourcesOf(e phrase.Expr) ([]Source, error) {
	switch e := e.(type) {
	case *phrase.Name:
		slot, err := c.slot(e)
		return []Source{{Slot: slot}}, err
	case *phrase.Date, *phrase.Today:
		return []Source{{Slot: ConstantSlot}}, nil
	}
	return nil, nil
}

// operand compiles an expression so that it can tell how it came about.
func (c *compiler) operand(e phrase.Expr) (tracedOperand, error) {
	switch e := e.(type) {
	case *phrase.Steps:
		p, err := c.program(e, nil)
		if err != nil {
			return tracedOperand{}, err
		}
		return tracedOperand{func(row []Value, trace *[]Move) (v Value, beyond workdays.Uncovered, err error) {
			beyond, err = p.EvalTraced(row, trace, &v)
			return v, beyond, err
		}, p.sources}, nil
	case *phrase.Otherwise:
		return c.otherwise(e)
	case *phrase.EarlierLater:
		return c.earlierLater(e)
	case *phrase.If:
		return c.conditional(e)
	case *phrase.SeriesRef:
		return c.related(e)
	}
	f, err := c.expr(e)
	if err != nil {
		return tracedOperand{}, err
	}
	from, err := c.sourcesOf(e)
	return tracedOperand{func(row []Value, _ *[]Move) (v Value, beyond workdays.Uncovered, err error) {
		v, err = f(row)
		return v, beyond, err
	}, from}, err
}

// RelatedDate is a date of another series, for the rows of a series.
type RelatedDate struct {
	// Value gives it for a row: a blank if there is none, and the calendar that was asked
	// for it beyond what it knows.
	Value func(row []Value) (Value, workdays.Uncovered, error)
	// Occurrence names the one that it comes from, such as `uk-staff 2027-12/24`; "" if there is
	// none.
	Occurrence func(row []Value) string
	// Slot is the date of the row that it lies near, by ReachBack and ReachForward days at most.
	Slot, ReachBack, ReachForward int
}

// related compiles a date of another series.
func (c *compiler) related(e *phrase.SeriesRef) (tracedOperand, error) {
	text := phrase.ExprText(e)
	if c.FindRelated == nil {
		return tracedOperand{}, c.fail(e.Span, "`"+text+"` is a date of another series and can't be used here",
			"use it in the milestones, `each`, `period` and texts of a series; put a name with a point in double quotes")
	}
	r, err := c.FindRelated(e.Series, e.What)
	if err != nil {
		return tracedOperand{}, &phrase.Error{Phrase: c.text, Span: e.Span, Message: err.Error(), Err: err}
	}
	*c.usesSeries = true
	step := &Step{Text: text, isSource: true}
	return tracedOperand{func(row []Value, trace *[]Move) (Value, workdays.Uncovered, error) {
		v, beyond, err := r.Value(row)
		if err == nil && trace != nil {
			*trace = append(*trace, Move{Step: step, From: v.Day, To: v.Day,
				detail: &moveDetail{at: v, from: v, explain: func() string { return r.Occurrence(row) }}})
		}
		return v, beyond, err
	},
		[]Source{{Slot: r.Slot, ReachBack: Reach{Days: r.ReachBack}, ReachForward: Reach{Days: r.ReachForward}}}}, nil
}

// recordChoice records that a choice took an operand, with what that did, among those that it
// looked at. Only dates are reported.
func (s *Step) recordChoice(v Value, inner []Move, trace *[]Move, operands ...Operand) {
	if v.Kind != Date && v.Kind != DateTime || trace == nil {
		return
	}
	from := v.Day
	if len(inner) > 0 {
		from = inner[0].From
	}
	*trace = append(*trace, Move{Step: s, From: from, To: v.Day, Inner: inner, detail: &moveDetail{operands: operands, at: v}})
}

// evalChoice works out the operand and records that a choice took it, after what it looked at.
func (o tracedOperand) evalChoice(row []Value, trace *[]Move, why *Step, looked ...Operand) (Value, workdays.Uncovered, error) {
	if trace == nil {
		return o.eval(row, nil)
	}
	var inner []Move
	v, beyond, err := o.eval(row, &inner)
	if err == nil && why != nil {
		why.recordChoice(v, inner, trace, looked...)
	}
	return v, beyond, err
}

func chosenStep(words string, e phrase.Expr) *Step {
	return &Step{Text: words + phrase.ExprText(e), isChoice: true}
}

func (c *compiler) otherwise(e *phrase.Otherwise) (tracedOperand, error) {
	a, b, err := compilePair(c.operand, e.A, e.B)
	second := chosenStep(phrase.ExprText(e.A)+" is blank: ", e.B)
	return tracedOperand{func(row []Value, trace *[]Move) (Value, workdays.Uncovered, error) {
		var inner []Move
		first := &inner
		if trace == nil {
			first = nil
		}
		if v, beyond, err := a.eval(row, first); err != nil || !isBlank(v) {
			if trace != nil { // the usual case: what it did says enough
				*trace = append(*trace, inner...)
			}
			return v, beyond, err
		}
		return b.evalChoice(row, trace, second)
	}, append(a.sources[:len(a.sources):len(a.sources)], b.sources...)}, err
}

func (c *compiler) earlierLater(e *phrase.EarlierLater) (tracedOperand, error) {
	a, b, err := compilePair(c.momentOperand, e.A, e.B)
	words := "the earlier is "
	if e.Later {
		words = "the later is "
	}
	textA, textB := phrase.ExprText(e.A), phrase.ExprText(e.B)
	first, second := chosenStep(words, e.A), chosenStep(words, e.B)
	return tracedOperand{func(row []Value, trace *[]Move) (Value, workdays.Uncovered, error) {
		var one, other *[]Move
		if trace != nil {
			one, other = new([]Move), new([]Move)
		}
		x, beyond, err := a.eval(row, one)
		if err != nil || x.Kind == Blank {
			reportBlank(trace, first, textA, err)
			return Value{}, beyond, err
		}
		y, also, err := b.eval(row, other)
		if err != nil || y.Kind == Blank {
			reportBlank(trace, second, textB, err)
			return Value{}, also, err
		}
		order, err := c.compareMoments(x, y)
		if err != nil {
			return Value{}, beyond, err
		}
		won, moves, asked, why := x, one, beyond, first
		if order < 0 && e.Later || order > 0 && !e.Later { // of equal instants the first is taken
			won, moves, asked, why = y, other, also, second
		}
		if trace != nil {
			why.recordChoice(won, *moves, trace, Operand{textA, x, *one}, Operand{textB, y, *other})
		}
		// Which one wins rests on both.
		if !asked.IsSet() && !won.Provisional {
			asked = beyond.OrElse(also)
			won.Provisional = x.Provisional || y.Provisional
		}
		return won, asked, nil
	}, append(a.sources[:len(a.sources):len(a.sources)], b.sources...)}, err
}

// reportBlank records that a choice gave a blank since an operand is blank.
func reportBlank(trace *[]Move, step *Step, operand string, err error) {
	if trace != nil && err == nil {
		*trace = append(*trace, Move{Step: step, detail: &moveDetail{blank: operand}})
	}
}

// momentOperand is operand for one that must be a date or blank, and keeps its time.
func (c *compiler) momentOperand(e phrase.Expr) (tracedOperand, error) {
	if err := c.requireKind(e, Date); err != nil {
		return tracedOperand{}, err
	}
	o, err := c.operand(e)
	if err != nil {
		return o, err
	}
	read, do := c.dateIn(e), o.eval
	o.eval = func(row []Value, trace *[]Move) (Value, workdays.Uncovered, error) {
		v, beyond, err := do(row, trace)
		if err != nil || v.Kind == DateTime || v.Kind == Date {
			return v, beyond, err
		}
		if at, ok := AsDate(v); ok && (at.Kind == DateTime || at.Half != language.WholeDay) {
			return at, beyond, nil
		}
		d, unsure, err := read(v)
		return dateValue(d, unsure), beyond, err
	}
	return o, nil
}

// compareMoments orders two dates, either of which may have a time: by their instants, if a zone
// is known. A date without a time counts from midnight in the other's zone.
func (c *compiler) compareMoments(a, b Value) (int, error) {
	if a.Kind == b.Kind || a.Num == 0 && b.Num == 0 {
		return CompareTimes(a, b), nil
	}
	timed, day := a, b
	if b.Kind == DateTime {
		timed, day = b, a
	}
	clock, err := c.Clock(timed.Text)
	if err != nil {
		return 0, err
	}
	n := cmp.Compare(timed.Num, clock.Instant(day.Day, 0))
	if b.Kind == DateTime {
		n = -n
	}
	return n, nil
}

// conditional compiles an `if` that chooses a value.
func (c *compiler) conditional(e *phrase.If) (tracedOperand, error) {
	cond, err := c.expr(e.Cond)
	if err != nil {
		return tracedOperand{}, err
	}
	then, err := c.operand(e.Then)
	if err != nil {
		return tracedOperand{}, err
	}
	otherwise := tracedOperand{eval: func([]Value, *[]Move) (v Value, beyond workdays.Uncovered, err error) { return v, beyond, nil }}
	condText := phrase.ExprText(e.Cond)
	thenWhy, elseWhy := chosenStep("if "+phrase.ExprText(e.Cond)+": ", e.Then), (*Step)(nil)
	if e.Else != nil {
		if a, b := c.kindOf(e.Then), c.kindOf(e.Else); a != b && a != AnyKind && b != AnyKind &&
			!(a <= DateTime && b <= DateTime) {
			return tracedOperand{}, c.fail(e.Span,
				"the branches of `if` have different kinds: "+kindNames[a]+" and "+kindNames[b], "")
		}
		if otherwise, err = c.operand(e.Else); err != nil {
			return tracedOperand{}, err
		}
		elseWhy = chosenStep("else: ", e.Else)
	}
	return tracedOperand{func(row []Value, trace *[]Move) (Value, workdays.Uncovered, error) {
		v, err := cond(row)
		if err != nil {
			return v, workdays.Uncovered{}, err
		}
		looked := Operand{Text: condText, Value: v}
		switch ternaryOf(v) {
		case ternaryBlank:
			reportBlank(trace, thenWhy, condText, nil)
			return Value{}, workdays.Uncovered{}, nil
		case ternaryTrue:
			return then.evalChoice(row, trace, thenWhy, looked)
		}
		return otherwise.evalChoice(row, trace, elseWhy, looked)
	}, append(then.sources[:len(then.sources):len(then.sources)], otherwise.sources...)}, nil
}
