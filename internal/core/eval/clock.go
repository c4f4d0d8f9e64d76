package eval

import (
	"cmp"
	"strconv"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/workdays"
)

// Clock is the clock of a time zone. Instants are seconds of UTC since day 0.
type Clock interface {
	Instant(d civil.Date, minutes int) int64
	Local(at int64) (d civil.Date, minutes int)
}

// setTime gives a chain the time of its last step; list are all its steps.
func (c *compiler) setTime(ch *Chain, step *phrase.At, list []phrase.Step) (err error) {
	ch.Minutes, ch.Zone = step.Minutes, step.Zone
	ch.timeStep = &Step{Node: step, Text: phrase.StepText(step), isClock: true}
	if ch.Zone == "" {
		ch.Zone = c.Zone
	}
	ch.timeStep.zone = cmp.Or(ch.Zone, c.HomeZone)
	if c.Clock != nil {
		if ch.clock, err = c.Clock(ch.Zone); err != nil {
			return c.fail(step.Span, err.Error(), "")
		}
	}
	using := step.Using
	for i := len(list) - 1; i >= 0 && using == nil; i-- {
		using = phrase.UsingOf(list[i])
	}
	if step.Zone != "" && step.Zone != c.homeZone() {
		if step.Using != nil {
			return c.fail(step.Using.Span, "a time in another zone is never shortened, so a calendar has no effect", "")
		}
		return nil
	}
	ch.calendar, err = c.calendarOf(using, step.Span)
	return err
}

// homeZone is the zone of times here, by its name.
func (c *compiler) homeZone() string {
	if c.Zone != "" {
		return c.Zone
	}
	return c.HomeZone
}

// calendarOf gives the calendar by which a time may end early, for each row; nil if it
// has no short days.
func (c *compiler) calendarOf(using *phrase.Using, span phrase.Span) (func(row []Value) (*workdays.Calendar, error), error) {
	if column := c.calendarColumn(using, span); column != nil {
		choose, err := perCalendar(c, column, func(c *compiler) (*workdays.Calendar, error) { return c.Calendar, nil })
		return func(row []Value) (*workdays.Calendar, error) {
			cal, err := choose(row)
			if cal == nil || err != nil {
				return nil, err
			}
			return *cal, nil
		}, err
	}
	cal := c.Calendar
	if using != nil {
		var err error
		if cal, err = c.calendar(using); err != nil {
			return nil, err
		}
	}
	if cal == nil || !cal.HasShortDays() {
		return nil, nil
	}
	return func([]Value) (*workdays.Calendar, error) { return cal, nil }, nil
}

// earlyClose gives when a day ends, if that is before the time that the chain gives; ok is false
// if it isn't.
func (c *Chain) earlyClose(d civil.Date, row []Value) (end workdays.Holiday, ok bool) {
	if c.calendar == nil {
		return end, false
	}
	cal, err := c.calendar(row)
	if cal == nil || err != nil { // a blank name, which is counted, or a wrong one, which a step tells
		return end, false
	}
	end, ok = cal.ShortDayOn(d)
	return end, ok && end.Until > 0 && end.Until < c.Minutes
}

// WithTime is a day that the chain gave for a row, with its time if it gives one, which a short
// day may end early.
func (c *Chain) WithTime(d civil.Date, row []Value) Value {
	minutes := c.Minutes
	if minutes >= 0 && d != civil.None {
		if end, ok := c.earlyClose(d, row); ok {
			minutes = end.Until
		}
	}
	return c.AtTime(d, minutes)
}

// AtTime is a day with a time of the chain's zone; minutes below 0 are none.
func (c *Chain) AtTime(d civil.Date, minutes int) Value {
	if minutes < 0 || d == civil.None {
		return Day(d)
	}
	v := Value{Kind: DateTime, Day: d, Minutes: int16(minutes), Text: c.Zone}
	if c.clock != nil {
		v.Num = c.clock.Instant(d, minutes)
	}
	return v
}

// AtMoment is a moment told by hand by the chain's clock; one with an offset stays that instant.
func (c *Chain) AtMoment(v Value) Value {
	w := c.AtTime(v.Day, int(v.Minutes))
	if v.IsRepeated() && w.Num != v.Num {
		w = w.Repeated(v.Num)
	}
	return w
}

// timeMove is the move that gives d its time, which moves no date; a short day may end it early.
func (c *Chain) timeMove(d civil.Date, row []Value) Move {
	detail := &moveDetail{}
	minutes := c.Minutes
	if end, ok := c.earlyClose(d, row); ok {
		minutes = end.Until
		text := append(d.Append([]byte(d.Weekday().Abbrev()+" ")), " ends at "...)
		text = civil.AppendClock(text, end.Until)
		detail.earlyClose = string(text) + " (" + end.Name + ")"
	}
	detail.at = c.AtTime(d, minutes)
	return Move{Step: c.timeStep, From: d, To: d, detail: detail}
}

// zoneStep shows a time by another clock.
type zoneStep struct {
	name  string
	clock Clock
	at    phrase.Span
	text  string
	step  *Step
}

// inZone compiles the step.
func (c *compiler) inZone(z *phrase.InZone) (*zoneStep, error) {
	if c.Clock == nil {
		return nil, c.fail(z.Span, phrase.NotImplemented("`in zone` here"), "")
	}
	clock, err := c.Clock(z.Zone)
	if err != nil {
		return nil, c.fail(z.Span, err.Error(), "")
	}
	return &zoneStep{z.Zone, clock, z.Span, c.text, &Step{Node: z, Text: phrase.StepText(z), isClock: true, zone: z.Zone}}, nil
}

// convert is the same instant by the clock; a blank stays one.
func (z *zoneStep) convert(v Value) (Value, error) {
	fault := func(message, hint string) (Value, error) {
		return Value{}, &phrase.Error{Phrase: z.text, Span: z.at, Message: message, Hint: hint}
	}
	switch {
	case isBlank(v):
		return Value{}, nil
	case v.Kind != DateTime:
		return fault("expected a time of this plan or command, found "+strconv.Quote(Truncate(v.String())),
			"`at 17:00` gives a date its time")
	case v.Num == 0:
		return fault("this time has no known zone: "+v.String(), "name the zone with the time: at 17:00 in 'Europe/London'")
	}
	d, minutes := z.clock.Local(v.Num)
	w := Value{Kind: DateTime, Day: d, Minutes: int16(minutes), Text: z.name, Num: v.Num, Provisional: v.Provisional}
	if z.clock.Instant(d, minutes) != v.Num {
		w = w.Repeated(v.Num)
	}
	return w, nil
}

// zonedProgram compiles steps of which the last shows a time by another clock.
func (c *compiler) zonedProgram(s *phrase.Steps, base *phrase.Name) (*Program, error) {
	last := len(s.List) - 1
	z, err := c.inZone(s.List[last].(*phrase.InZone))
	if err != nil {
		return nil, err
	}
	var inner phrase.Expr = &phrase.Steps{Span: s.Span, Base: s.Base, List: s.List[:last]}
	switch {
	case last > 0:
		if _, ok := s.List[last-1].(*phrase.At); !ok {
			return nil, c.fail(z.at, "the step before this gives a day without a time", "put `at 17:00` before it")
		}
	case s.Base != nil:
		inner = s.Base
	case base != nil:
		inner = base
	default:
		return nil, c.fail(z.at, "this step has no date to start from", "put a time and a comma before it")
	}
	if err := c.requireKind(inner, Date); err != nil {
		return nil, err
	}
	p, err := c.program(inner, base)
	if err != nil {
		return nil, err
	}
	p.Text, p.kind, p.zone = phrase.ExprText(s), DateTime, z
	for i := range p.sources {
		f := &p.sources[i]
		f.ReachBack, f.ReachForward = f.ReachBack.Add(Reach{Days: 1}), f.ReachForward.Add(Reach{Days: 1})
	}
	return p, nil
}
