package eval

import (
	"fmt"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/recur"
	"yoyaku/internal/core/workdays"
)

// within turns "ok is false beyond the bounds" into an error.
func within(d civil.Date, ok bool) (civil.Date, error) {
	if !ok {
		return civil.None, ErrRange
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
	ch := &Chain{Steps: make([]Step, 0, len(list)), Minutes: -1, text: c.text}
	for _, node := range list {
		if at, ok := node.(*phrase.At); ok {
			ch.Minutes = at.Minutes
			continue
		}
		s := Step{Node: node, Text: phrase.StepText(node)}
		if err := c.step(&s); err != nil {
			return nil, err
		}
		back, forth := reach(node)
		ch.Back, ch.Forth = min(ch.Back+back, int(civil.Max)), min(ch.Forth+forth, int(civil.Max))
		ch.Steps = append(ch.Steps, s)
	}
	return ch, nil
}

// columnOf returns the column that names the calendar of a step, or nil, and
// the step without it.
func columnOf(node phrase.Step) (*phrase.Name, phrase.Step) {
	column := func(u **phrase.Using) *phrase.Name {
		if *u == nil || (*u).Column == nil {
			return nil
		}
		name := (*u).Column
		*u = nil
		return name
	}
	switch n := node.(type) {
	case *phrase.Shift:
		plain := *n
		return column(&plain.Using), &plain
	case *phrase.Lasting:
		plain := *n
		return column(&plain.Using), &plain
	case *phrase.Nth:
		plain := *n
		return column(&plain.Using), &plain
	case *phrase.InYear:
		plain := *n
		return column(&plain.Using), &plain
	case *phrase.Seek:
		plain := *n
		return column(&plain.Using), &plain
	case *phrase.Roll:
		plain := *n
		return column(&plain.Using), &plain
	}
	return nil, node
}

// step compiles s.Node into s.do.
func (c *compiler) step(s *Step) (err error) {
	if column, plain := columnOf(s.Node); column != nil {
		s.choose, err = chooser(c, column, func(inner *compiler) (Step, error) {
			chosen := Step{Node: plain, Text: s.Text}
			err := inner.step(&chosen)
			return chosen, err
		})
		return err
	}
	counting := func(u *phrase.Using) *workdays.Calendar {
		s.Calendar, err = c.calendar(u)
		return s.Calendar
	}
	switch n := s.Node.(type) {
	case *phrase.Shift:
		if n.Parts[0].Unit == phrase.WorkingDays {
			counting(n.Using)
		}
		if err == nil {
			s.do, err = c.shift(n, s.Calendar)
		}
	case *phrase.Lasting:
		if n.Unit == phrase.WorkingDays {
			counting(n.Using)
		}
		if err == nil {
			s.do, err = c.lasting(n, s.Calendar)
		}
	case *phrase.Edge:
		f := c.Frame
		s.do = func(d civil.Date, _ []Value) (civil.Date, error) {
			p, ok := f.Around(n.Of.Unit, d, n.Of.Offset)
			if !ok {
				return civil.None, ErrRange
			}
			return [3]civil.Date{p.First, p.Middle(), p.Last}[n.Where+1], nil
		}
	case *phrase.Nth:
		f, cal := c.Frame, (*workdays.Calendar)(nil)
		if n.Item.Kind == recur.NthWorking {
			cal = counting(n.Using)
		}
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
	case *phrase.InYear:
		r := c.dayOfYear(n.Item, n.Using, counting)
		s.do = func(d civil.Date, _ []Value) (civil.Date, error) {
			year, _ := c.Frame.Period(civil.Year, d.Year())
			for day := range r.All(year) {
				return day.Date, nil
			}
			return civil.None, nil
		}
	case *phrase.Seek:
		s.do, err = c.seek(n, counting)
	case *phrase.Roll:
		cal := counting(n.Using)
		s.roll = true
		s.do = func(d civil.Date, _ []Value) (civil.Date, error) { return within(cal.Roll(d, n.By)) }
	case *phrase.Anniversary:
		s.do, err = c.anniversary(n)
	default:
		err = c.fail(n.Pos(), phrase.NotBuilt("this step"), "")
	}
	return err
}

func (c *compiler) shift(n *phrase.Shift, cal *workdays.Calendar) (apply, error) {
	sign := 1
	if n.Back {
		sign = -1
	}
	fixed, months, days, working := true, 0, 0, 0
	type part struct {
		get  func([]Value) (int, bool, error)
		unit phrase.Unit
	}
	var parts []part
	for _, a := range n.Parts {
		get, err := c.amount(a.By)
		if err != nil {
			return nil, err
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
		return func(d civil.Date, _ []Value) (civil.Date, error) { return within(cal.Add(d, working)) }, nil
	case fixed && months == 0 && !n.KeepEnd:
		return func(d civil.Date, _ []Value) (civil.Date, error) { return within(d.Add(days)) }, nil
	case fixed:
		return func(d civil.Date, _ []Value) (civil.Date, error) {
			d, ok := d.AddMonths(months, n.KeepEnd)
			if !ok || days == 0 {
				return within(d, ok)
			}
			return within(d.Add(days))
		}, nil
	}
	return func(d civil.Date, row []Value) (civil.Date, error) {
		months, days := 0, 0
		for _, p := range parts {
			k, blank, err := p.get(row)
			if err != nil || blank {
				return civil.None, err
			}
			k *= sign * p.unit.PerUnit()
			switch {
			case p.unit == phrase.WorkingDays:
				return within(cal.Add(d, k))
			case p.unit.OfMonths():
				months += k
			default:
				days += k
			}
		}
		d, ok := d.AddMonths(months, n.KeepEnd)
		if !ok {
			return civil.None, ErrRange
		}
		return within(d.Add(days))
	}, nil
}

func (c *compiler) lasting(n *phrase.Lasting, cal *workdays.Calendar) (apply, error) {
	get, err := c.amount(n.By)
	if err != nil {
		return nil, err
	}
	return func(d civil.Date, row []Value) (civil.Date, error) {
		k, blank, err := get(row)
		if err != nil || blank {
			return civil.None, err
		}
		if k < 1 {
			return civil.None, c.fail(n.By.Pos(), fmt.Sprintf("a span lasts 1 or more, and this is %d", k), "")
		}
		switch {
		case n.Unit == phrase.WorkingDays:
			first, ok := cal.OnOrAfter(d)
			if !ok {
				return civil.None, ErrRange
			}
			return within(cal.Add(first, k-1))
		case n.Unit.OfMonths():
			return within(lastingMonths(d, k*n.Unit.PerUnit()))
		}
		return within(d.Add(k*n.Unit.PerUnit() - 1))
	}, nil
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

// dayOfYear makes the yearly rule of one item.
func (c *compiler) dayOfYear(it recur.Item, u *phrase.Using, counting func(*phrase.Using) *workdays.Calendar) *recur.Rule {
	r := &recur.Rule{Unit: civil.Year, Every: 1, Items: []recur.Item{it}, Frame: c.Frame}
	if it.Kind == recur.NthWorking {
		r.Calendar = counting(u)
	}
	r.Prepare()
	return r
}

func (c *compiler) seek(n *phrase.Seek, counting func(*phrase.Using) *workdays.Calendar) (apply, error) {
	// find gives the nearest target strictly after or before a day.
	var find func(d civil.Date) (civil.Date, bool)
	switch t := n.Target; {
	case t.Working:
		cal := counting(n.Using)
		find = func(d civil.Date) (civil.Date, bool) {
			if n.Back {
				return cal.Add(d, -1)
			}
			return cal.Add(d, 1)
		}
	case t.Day != nil:
		r := c.dayOfYear(*t.Day, n.Using, counting)
		find = func(d civil.Date) (civil.Date, bool) {
			step := r.After
			if n.Back {
				step = r.Before
			}
			found, ok := step(d)
			return found.Date, ok
		}
	case t.Series != nil:
		var s Series
		var err error
		if c.Series != nil {
			s, err = c.Series(t.Series.Text)
		}
		if err != nil {
			return nil, err
		}
		if s == nil {
			return nil, c.fail(t.Series.Span, fmt.Sprintf("unknown weekday or series `%s`", t.Series.Text),
				known(t.Series.Text, "series", append(phrase.WeekdayWords, c.SeriesNames...)))
		}
		return func(d civil.Date, _ []Value) (civil.Date, error) {
			if n.Back {
				return orBlank(s.Before(d, n.On))
			}
			return orBlank(s.After(d, n.On))
		}, nil
	default:
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
	return func(d civil.Date, _ []Value) (civil.Date, error) { return within(find(d + step)) }, nil
}

func (c *compiler) anniversary(n *phrase.Anniversary) (apply, error) {
	of, err := c.dateOf(n.Of)
	if err != nil {
		return nil, err
	}
	return func(d civil.Date, row []Value) (civil.Date, error) {
		v, err := of(row)
		if err != nil || v.Kind == Blank {
			return civil.None, err
		}
		year := max(v.Day.Year(), d.Year())
		if n.Back {
			year = v.Day.Year()
		}
		at := c.anniversaryIn(d, year)
		switch {
		case n.Back && at > v.Day:
			year--
		case !n.Back && (at < v.Day || at == v.Day && !n.On):
			year++
		}
		if year < d.Year() {
			return civil.None, nil
		}
		if year > civil.MaxYear {
			return civil.None, ErrRange
		}
		return c.anniversaryIn(d, year), nil
	}, nil
}

func (c *compiler) anniversaryIn(d civil.Date, year int) civil.Date {
	return AnniversaryIn(d, year, c.LeapMarch)
}

// AnniversaryIn returns the month and day of d in a year. A 29 February is kept
// on the 28th in common years, or with march on 1 March.
func AnniversaryIn(d civil.Date, year int, march bool) civil.Date {
	_, m, day := d.YMD()
	if m == 2 && day == 29 && march && !civil.IsLeap(year) {
		m, day = 3, 1
	}
	r, _ := civil.MonthDay(civil.MonthIndex(year, m), day)
	return r
}
