package eval

import (
	"errors"
	"fmt"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/recur"
)

// within turns "ok is false beyond the bounds" into an error.
func within(d civil.Date, ok bool) (civil.Date, error) {
	if !ok {
		return civil.None, ErrRange
	}
	return d, nil
}

// ErrClosed is a search for a working day in a calendar that has none.
var ErrClosed = errors.New("the calendar has no working day within ten years of the date")

// worked turns "no working day was found" into an error.
func worked(d civil.Date, ok bool) (civil.Date, error) {
	if !ok {
		return civil.None, ErrClosed
	}
	return d, nil
}

// orBlank turns "there is none" into a blank.
func orBlank(d civil.Date, ok bool) (civil.Date, error) {
	if !ok {
		return civil.None, nil
	}
	return d, nil
}

func (c *compiler) chain(list []phrase.Step) (*Chain, error) {
	c.grow(len(list))
	ch := &Chain{Steps: make([]Step, 0, len(list)), Minutes: -1, text: c.text}
	for _, node := range list {
		if at, ok := node.(*phrase.At); ok {
			if err := c.at(ch, at, list); err != nil {
				return nil, err
			}
			continue
		}
		if z, ok := node.(*phrase.InZone); ok {
			return nil, c.fail(z.Span, "`in zone` can't be used here", "")
		}
		s := Step{Node: node, Text: phrase.StepText(node)}
		before := *c.reads
		if err := c.step(&s); err != nil {
			return nil, err
		}
		s.cells = *c.reads > before
		ch.Back, ch.Forth = ch.Back.Plus(s.back), ch.Forth.Plus(s.forth)
		ch.MayBlank = ch.MayBlank || s.mayBlank
		ch.Steps = append(ch.Steps, s)
	}
	if len(ch.Steps) == 1 {
		switch s := &ch.Steps[0]; {
		case s.roll && s.choose == nil && ch.calendar == nil:
			ch.Alone = s.Calendar
		case s.do != nil && s.choose == nil && s.Calendar == nil && s.series == nil:
			ch.single = s.do
		}
	}
	return ch, nil
}

// reaches bounds in days how far the step moves a date back and forth. It may be
// generous: it only decides how many periods are looked at in vain.
func (s *Step) reaches(back, forth int) { s.back, s.forth = Reach{Days: back}, Reach{Days: forth} }

// step compiles s.Node: what it does, the calendar it counts with, how far it
// reaches. If a column names the calendar, it is compiled once for each.
func (c *compiler) step(s *Step) (err error) {
	if column := c.byColumnOf(phrase.UsingOf(s.Node), s.Node.Pos()); column != nil && phrase.Counting(s.Node) {
		s.choose, err = chooser(c, column, func(inner *compiler) (Step, error) {
			chosen := Step{Node: s.Node, Text: s.Text}
			err := inner.step(&chosen)
			return chosen, err
		})
		s.reaches(int(civil.Max), int(civil.Max))
		return err
	}
	if phrase.Counting(s.Node) {
		if s.Calendar, err = c.calendar(phrase.UsingOf(s.Node)); err != nil {
			return err
		}
	}
	switch n := s.Node.(type) {
	case *phrase.Shift:
		return c.shift(s, n)
	case *phrase.Lasting:
		return c.lasting(s, n)
	case *phrase.Renewing:
		return c.renewing(s, n)
	case *phrase.Edge:
		return c.edge(s, n)
	case *phrase.Nth:
		return c.nth(s, n)
	case *phrase.InYear:
		return c.inYear(s, n)
	case *phrase.Seek:
		return c.seek(s, n)
	case *phrase.Roll:
		return c.roll(s, n)
	case *phrase.Anniversary:
		return c.anniversary(s, n)
	case *phrase.StepsIn:
		return c.stepsIn(s, n)
	}
	panic("a step without a compiler: " + s.Text) // TestEveryKindOfStep has them all
}

func (c *compiler) roll(s *Step, n *phrase.Roll) error {
	s.roll, s.by = true, n.By
	s.back, s.forth = Reach{Crossing: 1}, Reach{Crossing: 1}
	return nil
}

func (c *compiler) edge(s *Step, n *phrase.Edge) error {
	f, most := c.Frame, 2*n.Of.Unit.MaxDays()
	s.reaches(most, most)
	if day := [3]int{1, 0, 31}[n.Where+1]; day > 0 && n.Of.Unit == civil.Month {
		s.inMonth(toMonth{by: n.Of.Offset, day: day})
		return nil
	}
	s.do = func(d civil.Date, _ []Value) (civil.Date, error) {
		p, ok := f.Around(n.Of.Unit, d, n.Of.Offset)
		if !ok {
			return civil.None, ErrRange
		}
		return [3]civil.Date{p.First, p.Middle(), p.Last}[n.Where+1], nil
	}
	return nil
}

func (c *compiler) nth(s *Step, n *phrase.Nth) error {
	f, cal, most := c.Frame, s.Calendar, 2*n.Of.Unit.MaxDays()
	s.reaches(most, most)
	s.mayBlank = n.Item.Kind != recur.DayNumber
	s.do = func(d civil.Date, _ []Value) (civil.Date, error) {
		p, ok := f.Around(n.Of.Unit, d, n.Of.Offset)
		if !ok {
			return civil.None, ErrRange
		}
		switch n.Item.Kind {
		case recur.NthWeekday:
			return orBlank(recur.NthWeekdayOf(p, n.Item.N, n.Item.Weekday))
		case recur.NthWorking:
			return orBlank(cal.Nth(p, n.Item.N))
		}
		d, _ = recur.NumberedDay(p, n.Item.N)
		return d, nil
	}
	return nil
}

func (c *compiler) inYear(s *Step, n *phrase.InYear) error {
	r, err := c.dayOfYear(s, n.Item)
	s.reaches(366, 366)
	s.mayBlank = true
	s.do = func(d civil.Date, _ []Value) (civil.Date, error) {
		year, _ := c.Frame.Period(civil.Year, d.Year())
		for day := range r.All(year) {
			return day.Date, nil
		}
		return civil.None, nil
	}
	return err
}

func (c *compiler) shift(s *Step, n *phrase.Shift) error {
	s.back, s.forth = Reach{Days: 4}, shiftReach(n)
	if n.Back {
		s.back, s.forth = s.forth, s.back
	}
	return c.shifted(s, n)
}

// toMonth puts a date into the month that is by months behind its own: on a day of the month,
// 1 to 31, or if that is 0 where it is in its own.
type toMonth struct {
	by, day int
	keepEnd bool
}

func (m *toMonth) of(d civil.Date) (civil.Date, bool) {
	if m.day > 0 {
		return d.InMonth(m.by, m.day)
	}
	return d.ShiftMonths(m.by, m.keepEnd)
}

// inMonth makes a step of it.
func (s *Step) inMonth(m toMonth) {
	s.month = &m
	s.do = func(d civil.Date, _ []Value) (civil.Date, error) { return within(m.of(d)) }
}

// shiftReach bounds a shift in its direction.
func shiftReach(n *phrase.Shift) (r Reach) {
	for _, a := range n.Parts {
		k := int(civil.Max)
		if num, ok := a.By.(*phrase.Number); ok {
			k = num.N * a.Unit.PerUnit()
		}
		switch {
		case a.Unit == phrase.WorkingDays:
			r = r.Plus(Reach{k * 7, 1})
		case a.Unit.OfMonths():
			r = r.Plus(Reach{Days: k*31 + 4})
		default:
			r = r.Plus(Reach{Days: k})
		}
	}
	return r
}

func (c *compiler) shifted(s *Step, n *phrase.Shift) error {
	cal, sign := s.Calendar, 1
	if n.Back {
		sign = -1
	}
	fixed, months, days, working := true, 0, 0, 0
	type part struct {
		get  wholes
		unit phrase.Unit
	}
	var parts []part
	for _, a := range n.Parts {
		get, err := c.amount(a.By)
		if err != nil {
			return err
		}
		num, ok := a.By.(*phrase.Number)
		fixed = fixed && ok
		parts = append(parts, part{get, a.Unit})
		if ok {
			k := sign * num.N * a.Unit.PerUnit()
			switch {
			case a.Unit == phrase.WorkingDays:
				working += k
			case a.Unit.OfMonths():
				months += k
			default:
				days += k
			}
		}
	}
	switch {
	case fixed && n.Parts[0].Unit == phrase.WorkingDays:
		s.do = func(d civil.Date, _ []Value) (civil.Date, error) { return worked(cal.Add(d, working)) }
		return nil
	case fixed && months == 0 && !n.KeepEnd:
		s.do = func(d civil.Date, _ []Value) (civil.Date, error) { return within(d.Add(days)) }
		return nil
	case fixed && days == 0:
		s.inMonth(toMonth{by: months, keepEnd: n.KeepEnd})
		return nil
	}
	if len(parts) == 1 {
		unit := parts[0].unit
		c.byAmount(s, n.Parts[0].By, parts[0].get, func(d civil.Date, k int) (civil.Date, error) {
			switch k *= sign * unit.PerUnit(); {
			case unit == phrase.WorkingDays:
				return worked(cal.Add(d, k))
			case unit.OfMonths():
				return within(d.ShiftMonths(k, n.KeepEnd))
			}
			return within(d.Add(k))
		})
		return nil
	}
	s.do = func(d civil.Date, row []Value) (civil.Date, error) {
		months, days := 0, 0
		for _, p := range parts {
			k, blank, err := p.get(row)
			if err != nil || blank {
				return civil.None, err
			}
			k *= sign * p.unit.PerUnit()
			switch {
			case p.unit == phrase.WorkingDays:
				return worked(cal.Add(d, k))
			case p.unit.OfMonths():
				months += k
			default:
				days += k
			}
		}
		d, ok := d.ShiftMonths(months, n.KeepEnd)
		if !ok {
			return civil.None, ErrRange
		}
		return within(d.Add(days))
	}
	return nil
}

// amount is a step by a number that a column holds.
type amount struct {
	slot int
	of   func(d civil.Date, n int) (civil.Date, error)
}

// byAmount makes a step by a number; a blank one gives a blank.
func (c *compiler) byAmount(s *Step, by phrase.Expr, get wholes, of func(d civil.Date, n int) (civil.Date, error)) {
	if name, ok := by.(*phrase.Name); ok {
		if slot, err := c.slot(name); err == nil {
			s.amount = &amount{slot, of}
		}
	}
	s.do = func(d civil.Date, row []Value) (civil.Date, error) {
		n, blank, err := get(row)
		if err != nil || blank {
			return civil.None, err
		}
		return of(d, n)
	}
}

func (c *compiler) lasting(s *Step, n *phrase.Lasting) error {
	most := int(civil.Max)
	if num, ok := n.By.(*phrase.Number); ok {
		most = num.N * max(n.Unit.PerUnit(), 7) * 31
	}
	s.forth = Reach{most, 1}
	get, err := c.amount(n.By)
	if err != nil {
		return err
	}
	cal := s.Calendar
	c.byAmount(s, n.By, get, func(d civil.Date, k int) (civil.Date, error) {
		if k < 1 {
			return civil.None, c.fail(n.By.Pos(), fmt.Sprintf("a span must last 1 or more, found %d", k), "")
		}
		switch {
		case n.Unit == phrase.WorkingDays:
			first, ok := cal.OnOrAfter(d)
			if !ok {
				return civil.None, ErrRange
			}
			return worked(cal.Add(first, k-1))
		case n.Unit.OfMonths():
			return within(lastingMonths(d, k*n.Unit.PerUnit()))
		}
		return within(d.Add(k*n.Unit.PerUnit() - 1))
	})
	return nil
}

// lastingMonths gives the last day of n months that begin on d: the day before
// d's day number in the target month, or the last day of a month too short.
func lastingMonths(d civil.Date, n int) (civil.Date, bool) {
	y, m, day := d.YMD()
	i := civil.MonthIndex(y, m) + n
	if day == 1 { // the month before, which may be the last there is
		return civil.MonthDay(i-1, 31)
	}
	end, ok := civil.MonthDay(i, 31)
	if _, _, last := end.YMD(); !ok || last < day {
		return end, ok
	}
	return civil.MonthDay(i, day-1)
}

// dayOfYear makes the yearly rule of one item for a step.
func (c *compiler) dayOfYear(s *Step, it recur.Item) (*recur.Rule, error) {
	r := &recur.Rule{Unit: civil.Year, Every: 1, Items: []recur.Item{it}, Frame: c.Frame}
	if it.Kind == recur.NthWorking {
		r.Calendar = s.Calendar
	}
	r.Prepare()
	return r, nil
}

func (c *compiler) seek(s *Step, n *phrase.Seek) error {
	s.reaches(3*366, 3*366)
	// find gives the nearest target strictly after or before a day.
	var find func(d civil.Date) (civil.Date, bool)
	switch t := n.Target; {
	case t.Working:
		cal := s.Calendar
		find = func(d civil.Date) (civil.Date, bool) {
			if n.Back {
				return cal.Add(d, -1)
			}
			return cal.Add(d, 1)
		}
	case t.Day != nil:
		r, err := c.dayOfYear(s, *t.Day)
		if err != nil {
			return err
		}
		find = func(d civil.Date) (civil.Date, bool) {
			step := r.After
			if n.Back {
				step = r.Before
			}
			found, ok := step(d)
			return found.Date, ok
		}
	case t.Series != nil:
		return c.seekSeries(s, n)
	default:
		s.reaches(7, 7)
		find = func(d civil.Date) (civil.Date, bool) {
			if n.Back {
				d = (d - 1).OnOrBefore(t.Weekday)
			} else {
				d = (d + 1).OnOrAfter(t.Weekday)
			}
			return d, d.Valid()
		}
	}
	step := civil.Date(0)
	if n.On { // strictly after the day before is on or after
		step = -1
		if n.Back {
			step = 1
		}
	}
	s.do = func(d civil.Date, _ []Value) (civil.Date, error) { return within(find(d + step)) }
	return nil
}

// seekSeries compiles a look into a series of the plan.
func (c *compiler) seekSeries(s *Step, n *phrase.Seek) (err error) {
	name := n.Target.Series
	var series Series
	if c.Series != nil {
		if series, err = c.Series(name.Text); err != nil {
			return err
		}
	}
	if series == nil {
		hint := known(name.Text, "series", append(phrase.WeekdayWords, c.SeriesNames...))
		if write := phrase.Brought(c.text, name.Span); write != "" {
			hint = "write `" + write + "`"
		}
		return c.fail(name.Span, fmt.Sprintf("unknown weekday or series `%s`", name.Text), hint)
	}
	s.reaches(10*366, 10*366)
	s.mayBlank = true
	s.series = series
	*c.looks = true
	if by := n.Target.By; by != nil {
		found, known, err := series.By(by.Text)
		if err != nil {
			return c.fail(by.Span, err.Error(), "")
		}
		if found == nil {
			hint := "`" + name.Text + "` has no milestones"
			if near := phrase.Nearest(by.Text, known); near != "" {
				hint = "did you mean `" + near + "`?"
			} else if known != nil {
				hint = "milestones here: " + phrase.Names(known)
			}
			return c.fail(by.Span, fmt.Sprintf("`%s` has no milestone `%s`", name.Text, by.Text), hint)
		}
		s.series = found
	}
	look := s.series.After
	if n.Back {
		look = s.series.Before
	}
	s.do = func(d civil.Date, _ []Value) (civil.Date, error) { return orBlank(look(d, n.On)) }
	return nil
}
