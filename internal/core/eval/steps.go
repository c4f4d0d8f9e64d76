package eval

import (
	"errors"
	"fmt"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/recur"
	"yoyaku/internal/core/workdays"
)

// inRange turns "ok is false beyond the bounds" into an error.
func inRange(d civil.Date, ok bool) (civil.Date, error) {
	if !ok {
		return civil.None, ErrRange
	}
	return d, nil
}

// errNoWorkday is a search for a working day in a calendar that has none.
var errNoWorkday = errors.New("the calendar has no working day within ten years of the date")

// foundWorkday turns "no working day was found" into an error.
func foundWorkday(d civil.Date, ok bool) (civil.Date, error) {
	if !ok {
		return civil.None, errNoWorkday
	}
	return d, nil
}

// blankIfNone returns d, or None if ok is false: the step's result is then a blank, not an
// error.
func blankIfNone(d civil.Date, ok bool) (civil.Date, error) {
	if !ok {
		return civil.None, nil
	}
	return d, nil
}

func (c *compiler) chain(list []phrase.Step) (*Chain, error) {
	c.countOps(len(list))
	ch := &Chain{Steps: make([]Step, 0, len(list)), Minutes: -1, text: c.text}
	for _, node := range list {
		if step, ok := node.(*phrase.At); ok {
			if err := c.setTime(ch, step, list); err != nil {
				return nil, err
			}
			continue
		}
		if z, ok := node.(*phrase.InZone); ok {
			return nil, c.fail(z.Span, "`in zone` can't be used here", "")
		}
		s := Step{Node: node, Text: phrase.StepText(node)}
		before := *c.slotReads
		if err := c.step(&s); err != nil {
			return nil, err
		}
		s.readsCells = *c.slotReads > before
		ch.ReachBack, ch.ReachForward = ch.ReachBack.Add(s.reachBack), ch.ReachForward.Add(s.reachForward)
		ch.MayBeBlank = ch.MayBeBlank || s.mayBeBlank
		ch.Steps = append(ch.Steps, s)
	}
	if len(ch.Steps) == 1 {
		switch s := &ch.Steps[0]; {
		case s.isRoll && s.chooseByCalendar == nil && ch.calendar == nil:
			ch.SoleRollCalendar = s.Calendar
		case s.apply != nil && s.chooseByCalendar == nil && s.Calendar == nil && s.lookup == nil:
			ch.soleStep = s.apply
		}
	}
	return ch, nil
}

// setReach bounds in days how far the step moves a date back and forth. It may be
// generous: it only decides how many periods are looked at in vain.
func (s *Step) setReach(back, forth int) {
	s.reachBack, s.reachForward = Reach{Days: back}, Reach{Days: forth}
}

// step compiles s.Node: what it does, the calendar it counts with, how far it
// reaches. If a column names the calendar, it is compiled once for each.
func (c *compiler) step(s *Step) (err error) {
	if column := c.calendarColumn(phrase.UsingOf(s.Node), s.Node.Pos()); column != nil && phrase.UsesCalendar(s.Node) {
		if slot, err := c.slot(column); err == nil {
			s.addInput(column, func(row []Value) bool { return isBlank(row[slot]) })
		}
		s.chooseByCalendar, err = perCalendar(c, column, func(inner *compiler) (Step, error) {
			chosen := Step{Node: s.Node, Text: s.Text}
			err := inner.step(&chosen)
			return chosen, err
		})
		s.setReach(int(civil.Max), int(civil.Max))
		return err
	}
	if phrase.UsesCalendar(s.Node) {
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
	s.isRoll, s.convention = true, n.By
	s.reachBack, s.reachForward = Reach{Crossings: 1}, Reach{Crossings: 1}
	return nil
}

func (c *compiler) edge(s *Step, n *phrase.Edge) error {
	f, most := c.Fiscal, 2*n.Of.Unit.MaxDays()
	s.setReach(most, most)
	if day := [3]int{1, 0, 31}[n.Where+1]; day > 0 && n.Of.Unit == civil.Month {
		s.setMonthShift(monthShift{months: n.Of.Offset, day: day})
		return nil
	}
	s.apply = func(d civil.Date, _ []Value) (civil.Date, error) {
		p, ok := f.PeriodAt(n.Of.Unit, d, n.Of.Offset)
		if !ok {
			return civil.None, ErrRange
		}
		return [3]civil.Date{p.First, p.Midpoint(), p.Last}[n.Where+1], nil
	}
	return nil
}

func (c *compiler) nth(s *Step, n *phrase.Nth) error {
	f, cal, most := c.Fiscal, s.Calendar, 2*n.Of.Unit.MaxDays()
	s.setReach(most, most)
	s.mayBeBlank = n.Item.Kind != recur.DayNumber
	s.apply = func(d civil.Date, _ []Value) (civil.Date, error) {
		p, ok := f.PeriodAt(n.Of.Unit, d, n.Of.Offset)
		if !ok {
			return civil.None, ErrRange
		}
		switch n.Item.Kind {
		case recur.NthWeekday:
			return blankIfNone(recur.NthWeekdayOf(p, n.Item.N, n.Item.Weekday))
		case recur.NthWorking:
			return blankIfNone(cal.NthIn(p, n.Item.N))
		}
		d, _ = recur.NumberedDay(p, n.Item.N)
		return d, nil
	}
	return nil
}

func (c *compiler) inYear(s *Step, n *phrase.InYear) error {
	r, err := c.dayOfYear(s, n.Item)
	s.setReach(366, 366)
	s.mayBeBlank = true
	s.apply = func(d civil.Date, _ []Value) (civil.Date, error) {
		year, _ := c.Fiscal.Period(civil.Year, d.Year())
		for day := range r.All(year) {
			return day.Date, nil
		}
		return civil.None, nil
	}
	return err
}

func (c *compiler) shift(s *Step, n *phrase.Shift) error {
	s.reachBack, s.reachForward = Reach{Days: 4}, shiftReach(n)
	if n.Backward {
		s.reachBack, s.reachForward = s.reachForward, s.reachBack
	}
	return c.shiftByCell(s, n)
}

// monthShift moves a date by months: onto a day of the month, 1 to 31, or with day 0 onto its
// own.
type monthShift struct {
	months, day int
	keepEnd     bool
}

func (m *monthShift) apply(d civil.Date) (civil.Date, bool) {
	if m.day > 0 {
		return d.MonthDayAt(m.months, m.day)
	}
	return d.ShiftMonths(m.months, m.keepEnd)
}

// setMonthShift makes a step of it.
func (s *Step) setMonthShift(m monthShift) {
	s.monthShift = &m
	s.apply = func(d civil.Date, _ []Value) (civil.Date, error) { return inRange(m.apply(d)) }
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
			r = r.Add(Reach{k * 7, 1})
		case a.Unit.IsMonths():
			r = r.Add(Reach{Days: k*31 + 4})
		default:
			r = r.Add(Reach{Days: k})
		}
	}
	return r
}

func (c *compiler) shiftByCell(s *Step, n *phrase.Shift) error {
	fixed := true
	var parts []lengthFunc
	var total shiftAmount
	sign := 1
	if n.Backward {
		sign = -1
	}
	for _, a := range n.Parts {
		get, err := c.length(a, false)
		if err != nil {
			return err
		}
		s.addLength(a.By, get)
		num, ok := a.By.(*phrase.Number)
		if fixed = fixed && ok; ok {
			total.addUnits(a.Unit, sign*num.N)
		}
		parts = append(parts, get)
	}
	if fixed && c.shiftByFixed(s, n, total) {
		return nil
	}
	if len(parts) == 1 {
		c.applyLength(s, n.Parts[0], parts[0], func(d civil.Date, by shiftAmount) (civil.Date, error) {
			var shift shiftAmount
			shift.add(by, sign)
			return shift.shift(d, s.Calendar, n.KeepEnd)
		})
		return nil
	}
	s.apply = func(d civil.Date, row []Value) (civil.Date, error) {
		var shift shiftAmount
		for _, get := range parts {
			by, blank, err := get(row)
			if err != nil || blank {
				return civil.None, err
			}
			shift.add(by, sign)
		}
		return shift.shift(d, s.Calendar, n.KeepEnd)
	}
	return nil
}

// shiftAmount is how far a shift goes: working days alone, or months and then days.
type shiftAmount struct {
	months, days, workdays int
	isWorkdays             bool
}

// add adds another one, as often as times says, which may be below 0.
func (a *shiftAmount) add(b shiftAmount, times int) {
	a.months += b.months * times
	a.days += b.days * times
	a.workdays += b.workdays * times
	a.isWorkdays = a.isWorkdays || b.isWorkdays
}

// addUnits adds so many of a unit.
func (a *shiftAmount) addUnits(unit phrase.Unit, n int) {
	n *= unit.PerUnit()
	switch {
	case unit == phrase.WorkingDays:
		a.workdays += n
		a.isWorkdays = true
	case unit.IsMonths():
		a.months += n
	default:
		a.days += n
	}
}

func (a shiftAmount) shift(d civil.Date, cal *workdays.Calendar, keepEnd bool) (civil.Date, error) {
	if a.isWorkdays {
		return foundWorkday(cal.AddWorkdays(d, a.workdays))
	}
	d, ok := d.ShiftMonths(a.months, keepEnd)
	if !ok {
		return civil.None, ErrRange
	}
	return inRange(d.Add(a.days))
}

// shiftByFixed compiles a shift of fixed length by the shortest way; false if months and days
// come together.
func (c *compiler) shiftByFixed(s *Step, n *phrase.Shift, shift shiftAmount) bool {
	cal := s.Calendar
	switch {
	case shift.isWorkdays:
		s.apply = func(d civil.Date, _ []Value) (civil.Date, error) {
			return foundWorkday(cal.AddWorkdays(d, shift.workdays))
		}
	case shift.months == 0 && !n.KeepEnd:
		s.apply = func(d civil.Date, _ []Value) (civil.Date, error) { return inRange(d.Add(shift.days)) }
	case shift.days == 0:
		s.setMonthShift(monthShift{months: shift.months, keepEnd: n.KeepEnd})
	default:
		return false
	}
	return true
}

// amountShift is a step by a number that a column holds.
type amountShift struct {
	slot  int
	apply func(d civil.Date, n int) (civil.Date, error)
}

// addLength notes a length that the step takes from its row.
func (s *Step) addLength(e phrase.Expr, get lengthFunc) {
	s.addInput(e, func(row []Value) bool { _, blank, err := get(row); return blank && err == nil })
}

// applyLength makes a step by a length; a blank one gives a blank.
func (c *compiler) applyLength(s *Step, a phrase.Amount, get lengthFunc, of func(d civil.Date, by shiftAmount) (civil.Date, error)) {
	if name, ok := a.By.(*phrase.Name); ok && a.Unit != phrase.CellUnit {
		if slot, err := c.slot(name); err == nil {
			s.amountShift = &amountShift{slot, func(d civil.Date, n int) (civil.Date, error) {
				var by shiftAmount
				by.addUnits(a.Unit, n)
				return of(d, by)
			}}
		}
	}
	s.apply = func(d civil.Date, row []Value) (civil.Date, error) {
		by, blank, err := get(row)
		if err != nil || blank {
			return civil.None, err
		}
		return of(d, by)
	}
}

func (c *compiler) lasting(s *Step, n *phrase.Lasting) error {
	most := int(civil.Max)
	if num, ok := n.By.(*phrase.Number); ok {
		most = num.N * max(n.Unit.PerUnit(), 7) * 31
	}
	s.reachForward = Reach{most, 1}
	get, err := c.length(n.Amount, true)
	if err != nil {
		return err
	}
	s.addLength(n.By, get)
	c.applyLength(s, n.Amount, get, func(d civil.Date, by shiftAmount) (civil.Date, error) {
		if k := by.total(); k < 1 {
			return civil.None, c.fail(n.By.Pos(), fmt.Sprintf("a span must last 1 or more, found %d", k/max(1, n.Unit.PerUnit())), "")
		}
		return by.lastDay(d, s.Calendar)
	})
	return nil
}

// total is how many months, days or working days a length of one kind has.
func (a shiftAmount) total() int { return a.months + a.days + a.workdays }

// lastDay is the last day of a span of such a length that begins on d.
func (a shiftAmount) lastDay(d civil.Date, cal *workdays.Calendar) (civil.Date, error) {
	switch {
	case a.isWorkdays:
		first, ok := cal.OnOrAfter(d)
		if !ok {
			return civil.None, ErrRange
		}
		return foundWorkday(cal.AddWorkdays(first, a.workdays-1))
	case a.months != 0:
		return inRange(lastingMonths(d, a.months))
	}
	return inRange(d.Add(a.days - 1))
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
	r := &recur.Rule{Unit: civil.Year, Every: 1, Items: []recur.Item{it}, Frame: c.Fiscal}
	if it.Kind == recur.NthWorking {
		r.Calendar = s.Calendar
	}
	r.Prepare()
	return r, nil
}

func (c *compiler) seek(s *Step, n *phrase.Seek) error {
	s.setReach(3*366, 3*366)
	// find gives the nearest target strictly after or before a day.
	var find func(d civil.Date) (civil.Date, bool)
	switch t := n.Target; {
	case t.Working:
		cal := s.Calendar
		find = func(d civil.Date) (civil.Date, bool) {
			if n.Backward {
				return cal.AddWorkdays(d, -1)
			}
			return cal.AddWorkdays(d, 1)
		}
	case t.Day != nil:
		r, err := c.dayOfYear(s, *t.Day)
		if err != nil {
			return err
		}
		find = func(d civil.Date) (civil.Date, bool) {
			step := r.After
			if n.Backward {
				step = r.Before
			}
			found, ok := step(d)
			return found.Date, ok
		}
	case t.Series != nil:
		return c.seekSeries(s, n)
	default:
		s.setReach(7, 7)
		find = func(d civil.Date) (civil.Date, bool) {
			if n.Backward {
				d = (d - 1).OnOrBefore(t.Weekday)
			} else {
				d = (d + 1).OnOrAfter(t.Weekday)
			}
			return d, d.Valid()
		}
	}
	step := civil.Date(0)
	if n.OrOn { // strictly after the day before is on or after
		step = -1
		if n.Backward {
			step = 1
		}
	}
	s.apply = func(d civil.Date, _ []Value) (civil.Date, error) { return inRange(find(d + step)) }
	return nil
}

// seekSeries compiles a look into a series of the plan.
func (c *compiler) seekSeries(s *Step, n *phrase.Seek) (err error) {
	name := n.Target.Series
	var series Series
	if c.FindSeries != nil {
		if series, err = c.FindSeries(name.Text); err != nil {
			return err
		}
	}
	if series == nil {
		hint := suggestName(name.Text, "series", append(phrase.WeekdayWords, c.SeriesNames...))
		if write := phrase.ForeignHint(c.text, name.Span); write != "" {
			hint = "write `" + write + "`"
		}
		return c.fail(name.Span, fmt.Sprintf("unknown weekday or series `%s`", name.Text), hint)
	}
	s.setReach(10*366, 10*366)
	s.mayBeBlank = true
	s.lookup = series
	*c.usesSeries = true
	if by := n.Target.Milestone; by != nil {
		found, known, err := series.ByMilestone(by.Text)
		if err != nil {
			return c.fail(by.Span, err.Error(), "")
		}
		if found == nil {
			hint := "`" + name.Text + "` has no milestones"
			if near := phrase.Nearest(by.Text, known); near != "" {
				hint = "did you mean `" + near + "`?"
			} else if known != nil {
				hint = "milestones here: " + phrase.ListNames(known)
			}
			return c.fail(by.Span, fmt.Sprintf("`%s` has no milestone `%s`", name.Text, by.Text), hint)
		}
		s.lookup = found
	}
	look := s.lookup.After
	if n.Backward {
		look = s.lookup.Before
	}
	s.apply = func(d civil.Date, _ []Value) (civil.Date, error) { return blankIfNone(look(d, n.OrOn)) }
	return nil
}
