package eval

import (
	"errors"
	"slices"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/workdays"
)

// ErrRange is a date outside the years 0001 to 9999.
var ErrRange = errors.New("the date falls outside the years 0001 to 9999")

// stepFunc is a compiled step; None is a blank result.
type stepFunc func(d civil.Date, row []Value) (civil.Date, error)

// Step is a compiled step of a chain.
type Step struct {
	Node phrase.Step
	// Text is the canonical form.
	Text string
	// Calendar is what the step counts with; nil for steps that don't.
	Calendar    *workdays.Calendar
	isRoll      bool // by a convention; it has no do
	convention  workdays.Convention
	apply       stepFunc
	monthShift  *monthShift  // what do does, for steps that are no more than that
	amountShift *amountShift // likewise
	readsCells  bool         // it takes something from a cell
	// applyNested is do for a step that runs other steps, and reports what those did.
	applyNested  func(d civil.Date, row []Value, in *nestedTrace) (civil.Date, error)
	lookup       DateLookup // that the step looks into, if it does
	reachBack    Reach      // how far it moves a date at most, and forth
	reachForward Reach
	mayBeBlank   bool
	// chooseByCalendar picks the step that counts with the calendar that a column names.
	chooseByCalendar func(row []Value) (*Step, error)
	// inputs are what the step takes from its row, to say which was blank.
	inputs   []stepInput
	isChoice bool   // what chose among operands; it has neither Node nor do
	isSource bool   // a date of another series, where it stands for itself
	isClock  bool   // gives a time, or shows it in another zone; it moves no date
	zone     string // of that time
}

// stepInput is an operand of a step.
type stepInput struct {
	text    string
	isBlank func(row []Value) bool
}

// addInput notes an operand, unless it is a literal, which is never blank.
func (s *Step) addInput(e phrase.Expr, isBlank func(row []Value) bool) {
	switch e.(type) {
	case *phrase.Number, *phrase.Date, *phrase.Today:
		return
	}
	s.inputs = append(s.inputs, stepInput{phrase.ExprText(e), isBlank})
}

// blankInput names the first operand that is blank in a row; "" if none is.
func (s *Step) blankInput(row []Value) string {
	for _, in := range s.inputs {
		if in.isBlank(row) {
			return in.text
		}
	}
	return ""
}

// IsChoice reports whether the step is a choice among operands, such as `later of`, whose
// Text says which one won.
func (s *Step) IsChoice() bool { return s.isChoice }

// HasOwnBase reports whether the step starts from no date before it: a choice, or a date of
// another series.
func (s *Step) HasOwnBase() bool { return s.isChoice || s.isSource }

// IsRoll reports whether the step moves closed days by a convention.
func (s *Step) IsRoll() bool { _, is := s.Node.(*phrase.Roll); return is }

// nestedTrace collects what the steps inside another step did (renewing terms, steps in a
// cell): their moves and the calendar that didn't cover them.
type nestedTrace struct {
	traced    bool // moves and tell are wanted
	uncovered workdays.Uncovered
	moves     []Move
	explain   func() string
}

// Move is one step that was made: what happened, from which its reason is written. A
// step that left its date alone has From and To the same; None is a blank.
type Move struct {
	Step     *Step
	From, To civil.Date
	// Inner are the moves of the operand that a choice took, or of the steps that the
	// step runs.
	Inner  []Move
	detail *moveDetail // nil for most moves
}

// moveDetail is what else there is to say of a move.
type moveDetail struct {
	explain    func() string // how the step came to its date; nil for nothing
	operands   []Operand     // what a choice looked at, in order
	at, from   Value         // the time after the step, and before a step to another zone
	earlyClose string        // that a short day ended the time early
	blank      string        // which operand was blank
}

// Operand is what a choice looked at: a date or, of `if`, a condition.
type Operand struct {
	Text  string // in the canonical form
	Value Value
	Moves []Move // how it came about
}

// Explain says more of how the step came to its date; "" for nothing.
func (m Move) Explain() string {
	if m.detail == nil || m.detail.explain == nil {
		return ""
	}
	return m.detail.explain()
}

// Operands returns what a choice looked at; nil for other moves.
func (m Move) Operands() []Operand {
	if m.detail == nil {
		return nil
	}
	return m.detail.operands
}

// Base returns what the step started from, with its time if it has one.
func (m Move) Base() Value {
	if m.detail != nil && m.detail.from.Kind != Blank {
		return m.detail.from
	}
	return Day(m.From)
}

// Result returns what the step gave, with its time if it gives one.
func (m Move) Result() Value {
	if m.detail != nil && m.detail.at.Kind != Blank {
		return m.detail.at
	}
	return Day(m.To)
}

// Blank names the operand that was blank, so that the step gave a blank; "" if none was.
func (m Move) Blank() string {
	if m.detail == nil {
		return ""
	}
	return m.detail.blank
}

// EarlyClose says that a short day ended the time early; "" for other moves.
func (m Move) EarlyClose() string {
	if m.detail == nil {
		return ""
	}
	return m.detail.earlyClose
}

// Zone returns the zone in which the step gives or shows a time; "" if times float.
func (m Move) Zone() string { return m.Step.zone }

// IsClock reports whether the step gave a time or showed it in another zone.
func (m Move) IsClock() bool { return m.Step.isClock }

// Changed reports whether the step put the date on another day.
func (m Move) Changed() bool { return m.To != m.From && m.To != civil.None }

// IsRoll reports whether a business-day convention moved the date.
func (m Move) IsRoll() bool { return m.Step.isRoll && m.Changed() }

// Reason says in words why the date moved.
func (m Move) Reason() string { return string(m.appendReason(nil)) }

// appendReason appends why the date moved; nothing for a step that left it alone.
func (m Move) appendReason(b []byte) []byte {
	switch {
	case m.EarlyClose() != "":
		return append(b, m.EarlyClose()...)
	case m.Step.isChoice:
		b = append(b, m.Step.Text...)
		for _, in := range m.Inner { // its other steps are in the text
			if in.Step.isChoice || in.IsRoll() || in.EarlyClose() != "" {
				b = in.appendReason(append(b, "; "...))
			}
		}
		return b
	case !m.Changed():
		return b
	case !m.Step.isRoll:
		return append(b, m.Step.Text...)
	}
	b = append(append(b, m.From.Weekday().Abbrev()...), ' ')
	b = append(m.From.Append(b), " is closed ("...)
	b = append(append(b, ClosureName(m.Step.Calendar, m.From)...), ')')
	b = append(appendPassedHolidays(b, m), "; rolled "...)
	return append(b, workdays.ConventionNames[m.Step.convention]...)
}

// appendPassedHolidays appends the names of holidays that the roll crossed after the first
// closed day, such as a Monday holiday behind a weekend.
func appendPassedHolidays(b []byte, m Move) []byte {
	days := civil.Date(1)
	if m.To < m.From {
		days = -1
	}
	cal := m.Step.Calendar
	told := ClosureName(cal, m.From)
	var list []string
	for d := m.From + days; d != m.To; d += days {
		if cal.IsWorkday(d) || cal.IsWeekend(d) {
			continue
		}
		if name := HolidayNames(cal, d); name != told { // a stretch is named once
			list = append(list, d.Weekday().Abbrev()+" "+d.String()+" ("+name+")")
			told = name
		}
	}
	switch len(list) {
	case 0:
		return b
	case 1:
		return append(append(b, ", as is "...), list[0]...)
	}
	return append(append(b, ", as are "...), strings.Join(list, " and ")...)
}

// ClosureName names what closes d: weekend for a closed weekday, else holidays.
func ClosureName(cal *workdays.Calendar, d civil.Date) string {
	if cal.IsWeekend(d) {
		return "weekend"
	}
	return HolidayNames(cal, d)
}

// HolidayNames names the holidays that d is, on a weekend too; one that was opened is none.
func HolidayNames(cal *workdays.Calendar, d civil.Date) string {
	listed := cal.HolidaysOn(d)
	switch {
	case len(listed) == 0 || cal.IsWorkday(d):
		return ""
	case len(listed) == 1:
		return listed[0].Name
	}
	var names []string
	for _, h := range listed {
		if !slices.Contains(names, h.Name) {
			names = append(names, h.Name)
		}
	}
	return strings.Join(names, ", ")
}

// Reasons joins the reasons of several moves.
func Reasons(moves []Move) string { return string(AppendReasons(nil, moves)) }

// AppendReasons appends what Reasons returns.
func AppendReasons(b []byte, moves []Move) []byte {
	start := len(b)
	for _, m := range moves {
		if (!m.Changed() || m.Step.isClock) && (!m.Step.isChoice || m.To == civil.None) && m.EarlyClose() == "" {
			continue
		}
		if len(b) > start {
			b = append(b, "; "...)
		}
		b = m.appendReason(b)
	}
	return b
}

// Chain is steps compiled, applied left to right. Each is monotone: of two
// dates the later never ends before the earlier, so a chain keeps the order of
// a series.
type Chain struct {
	Steps   []Step
	Minutes int // of a last `at`, else -1
	// Zone is that of the time, by its IANA name; "" is the place's own.
	Zone  string
	clock Clock
	// calendar is that by whose short days the time may end early; nil if none can. at is
	// the step that gives it.
	calendar func(row []Value) (*workdays.Calendar, error)
	timeStep *Step
	// ReachBack and ReachForward bound how far a chain can move a date.
	ReachBack, ReachForward Reach
	// MayReorder says that of two dates the later may end up earlier.
	MayReorder bool
	// choose gives the date that is chosen before the steps; nil if none is.
	choose func(d civil.Date, traced bool) (to civil.Date, move Move, beyond workdays.Uncovered, err error)
	// MayBeBlank says that a step can give a blank for a date.
	MayBeBlank bool
	text       string
	// SoleRollCalendar is the calendar of a roll that is the only step, which leaves alone the days
	// that stay in it, as most dates of most rules do; nil if there is more.
	SoleRollCalendar *workdays.Calendar
	// soleStep is what the only step does, where that asks no calendar and no series.
	soleStep stepFunc
}

// Run applies the chain to d and appends each step to trace, if that isn't nil. None is
// a blank. beyond is the calendar that was asked beyond what it knows, if one was. An
// error is a *phrase.Error that points at the step.
func (c *Chain) Run(d civil.Date, row []Value, trace *[]Move) (_ civil.Date, beyond workdays.Uncovered, err error) {
	if c.choose != nil {
		to, move, asked, err := c.choose(d, trace != nil)
		if err != nil || to == civil.None {
			return civil.None, asked, err
		}
		if beyond = asked; to != d {
			if trace != nil {
				*trace = append(*trace, move)
			}
			d = to
		}
	}
	for i := range c.Steps {
		s := &c.Steps[i]
		if s.chooseByCalendar != nil {
			chosen, err := s.chooseByCalendar(row)
			if err == nil && chosen == nil && trace != nil {
				*trace = append(*trace, Move{Step: s, From: d, detail: &moveDetail{blank: s.blankInput(row)}})
			}
			if err != nil || chosen == nil {
				return civil.None, beyond, err
			}
			s = chosen
		}
		if s.Calendar != nil && !s.Calendar.Covers(d) {
			beyond = workdays.Uncovered{Calendar: s.Calendar, Day: d}
		}
		if s.isRoll && s.Calendar.IsWorkday(d) {
			if trace != nil {
				*trace = append(*trace, Move{Step: s, From: d, To: d})
			}
			continue
		}
		var to civil.Date
		move := Move{Step: s, From: d}
		switch {
		case s.isRoll:
			to, err = foundWorkday(s.Calendar.RollClosed(d, s.convention))
		case s.applyNested != nil:
			in := nestedTrace{traced: trace != nil}
			to, err = s.applyNested(d, row, &in)
			if move.Inner = in.moves; in.explain != nil {
				move.detail = &moveDetail{explain: in.explain}
			}
			beyond = beyond.OrElse(in.uncovered)
		default:
			to, err = s.apply(d, row)
		}
		if err != nil {
			return civil.None, beyond, c.wrapError(s, err)
		}
		if trace != nil {
			if move.To = to; to == civil.None {
				move.detail = &moveDetail{blank: s.blankInput(row)}
			}
			*trace = append(*trace, move)
		}
		if to == civil.None {
			return civil.None, beyond, nil
		}
		if s.Calendar != nil && !s.Calendar.Covers(to) {
			beyond = workdays.Uncovered{Calendar: s.Calendar, Day: to}
		} else if s.lookup != nil && !beyond.IsSet() {
			beyond = s.lookup.UncoveredAt(to)
		}
		d = to
	}
	if trace != nil && c.Minutes >= 0 {
		*trace = append(*trace, c.timeMove(d, row))
	}
	return d, beyond, nil
}

func (c *Chain) wrapError(s *Step, err error) error {
	var pe *phrase.Error
	if errors.As(err, &pe) {
		return err
	}
	return &phrase.Error{Phrase: c.text, Span: s.Node.Pos(), Message: err.Error(), Err: err}
}
