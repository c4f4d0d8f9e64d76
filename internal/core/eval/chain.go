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

// apply is a compiled step; None is a blank result.
type apply func(d civil.Date, row []Value) (civil.Date, error)

// Step is a compiled step of a chain.
type Step struct {
	Node phrase.Step
	// Text is the canonical form.
	Text string
	// Calendar is what the step counts with; nil for steps that don't.
	Calendar *workdays.Calendar
	roll     bool // by a convention; it has no do
	by       workdays.Convention
	do       apply
	series   Looked // that the step looks into, if it does
	back     int    // days that it moves a date at most, and forth
	forth    int
	mayBlank bool
	// choose picks the step that counts with the calendar that a column names.
	choose func(row []Value) (*Step, error)
	// tell says more of how a date came about; nil for nothing.
	tell func(d civil.Date, row []Value) string
}

// Tell says more of how the step came to its date; "" for nothing.
func (s *Step) Tell(from civil.Date, row []Value) string {
	if s.tell == nil {
		return ""
	}
	return s.tell(from, row)
}

// Move is one step that changed a date: what happened, from which its reason
// is written.
type Move struct {
	Step     *Step
	From, To civil.Date
}

// Reason says in words why the date moved.
func (m Move) Reason() string { return string(m.appendReason(nil)) }

func (m Move) appendReason(b []byte) []byte {
	if !m.Step.roll {
		return append(b, m.Step.Text...)
	}
	b = append(append(b, m.From.Weekday().Short()...), ' ')
	b = append(m.From.Append(b), " is closed ("...)
	b = append(append(b, ClosedBy(m.Step.Calendar, m.From)...), "); rolled "...)
	return append(b, workdays.ConventionNames[m.Step.Node.(*phrase.Roll).By]...)
}

// ClosedBy names what closes d: weekend for a closed weekday, else holidays.
func ClosedBy(cal *workdays.Calendar, d civil.Date) string {
	if cal.Weekend(d) {
		return "weekend"
	}
	return HolidayNames(cal, d)
}

// HolidayNames names the holidays that are listed for d, on a weekend too.
func HolidayNames(cal *workdays.Calendar, d civil.Date) string {
	listed := cal.On(d)
	switch len(listed) {
	case 0:
		return ""
	case 1:
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
	for i, m := range moves {
		if i > 0 {
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
	Zone    string
	instant func(d civil.Date, minutes int) int64
	// Back and Forth bound in days how far a chain can move a date.
	Back, Forth int
	// Unordered says that of two dates the later may end up earlier.
	Unordered bool
	// chosen gives the date that is chosen before the steps; nil where none is.
	chosen func(d civil.Date) (to civil.Date, move *Step, blind workdays.Blind, err error)
	// MayBlank says that a step can give a blank for a date.
	MayBlank bool
	text     string
	// Alone is the calendar of a roll that is the only step, which leaves alone the days
	// that stay in it, as most dates of most rules do; nil where there is more.
	Alone *workdays.Calendar
	// single is what the only step does, where that asks no calendar and no series.
	single apply
}

// Value is a day that the chain gave, with its time if it gives one.
func (c *Chain) Value(d civil.Date) Value { return c.On(d, c.Minutes) }

// On is a day with a time of the chain's zone; minutes below 0 are none.
func (c *Chain) On(d civil.Date, minutes int) Value {
	if minutes < 0 || d == civil.None {
		return Day(d)
	}
	v := Value{Kind: Moment, Day: d, Minutes: int16(minutes), Text: c.Zone}
	if c.instant != nil {
		v.Num = c.instant(d, minutes)
	}
	return v
}

// Run applies the chain to d and appends each step that changed it to trace, where
// that isn't nil. None is a blank. blind is the calendar that was asked beyond what
// it knows, if one was. An error is a *phrase.Error that points at the step.
func (c *Chain) Run(d civil.Date, row []Value, trace *[]Move) (_ civil.Date, blind workdays.Blind, err error) {
	if c.chosen != nil {
		to, step, asked, err := c.chosen(d)
		if err != nil || to == civil.None {
			return civil.None, asked, err
		}
		if blind = asked; to != d {
			if trace != nil {
				*trace = append(*trace, Move{step, d, to})
			}
			d = to
		}
	}
	for i := range c.Steps {
		s := &c.Steps[i]
		if s.choose != nil {
			chosen, err := s.choose(row)
			if err != nil || chosen == nil {
				return civil.None, blind, err
			}
			s = chosen
		}
		if s.Calendar != nil && !s.Calendar.Knows(d) {
			blind = workdays.Blind{Calendar: s.Calendar, Day: d}
		}
		if s.roll && s.Calendar.Open(d) {
			continue
		}
		var to civil.Date
		if s.roll {
			to, err = worked(s.Calendar.RollClosed(d, s.by))
		} else {
			to, err = s.do(d, row)
		}
		if err != nil {
			return civil.None, blind, c.fault(s, err)
		}
		if to == civil.None {
			return civil.None, blind, nil
		}
		if s.Calendar != nil && !s.Calendar.Knows(to) {
			blind = workdays.Blind{Calendar: s.Calendar, Day: to}
		} else if s.series != nil && !blind.Is() {
			blind = s.series.Blind(to)
		}
		if to != d {
			if trace != nil {
				*trace = append(*trace, Move{s, d, to})
			}
			d = to
		}
	}
	return d, blind, nil
}

func (c *Chain) fault(s *Step, err error) error {
	var pe *phrase.Error
	if errors.As(err, &pe) {
		return err
	}
	return &phrase.Error{Phrase: c.text, Span: s.Node.Pos(), Message: err.Error(), Err: err}
}
