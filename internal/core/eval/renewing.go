package eval

import (
	"fmt"
	"sort"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/workdays"
)

// renewing compiles a term that renews itself. The ends of its terms rise, and so do the
// days of their notices, since those are shifts and rolls alone: the first that is late
// enough is found by halving.
func (c *compiler) renewing(s *Step, n *phrase.Renewing) error {
	s.reaches(0, int(civil.Max))
	s.mayBlank = true
	first, err := c.amount(n.First.By)
	if err != nil {
		return err
	}
	every, err := c.amount(n.Every.By)
	if err != nil {
		return err
	}
	of, err := c.dateOf(n.Of)
	if err != nil {
		return err
	}
	notice, err := c.chain(n.Notice)
	if err != nil {
		return err
	}
	cal := s.Calendar
	t := terms{unit: n.First.Unit, notice: notice, cal: cal}
	s.deep = func(d civil.Date, row []Value, in *inside) (civil.Date, error) {
		t, k, err := c.term(t, n, first, every, of, d, row)
		in.beyond = t.beyond
		if err != nil || k < 0 {
			return civil.None, err
		}
		// Which term it is hangs on its notice and on that of the one before.
		for i := max(0, k-1); i <= k && len(t.notice.Steps) > 0; i++ {
			if end, err := t.end(i); err == nil {
				if _, beyond, err := t.notice.Run(end, row, nil); err == nil && beyond.Is() {
					in.beyond = in.beyond.Or(beyond)
				}
			}
		}
		if in.traced {
			in.tell = func() string { return t.told(k) }
		}
		end, _ := t.end(k)
		return end, nil
	}
	return nil
}

// terms are the terms of a row.
type terms struct {
	unit         phrase.Unit
	start, on    civil.Date
	first, every int // in days, months or working days; every is 0 if none renews
	notice       *Chain
	row          []Value
	cal          *workdays.Calendar
	beyond       workdays.Beyond // what the date that is looked for rests on
}

// term finds which term of a row it is, from 0; below 0 if that is blank.
func (c *compiler) term(t terms, n *phrase.Renewing, first, every wholes, of dates, d civil.Date,
	row []Value) (terms, int, error) {
	t.start, t.row = d, row
	k, blank, err := first(row)
	if err != nil || blank {
		return t, -1, err
	}
	if k < 1 {
		return t, -1, c.fail(n.First.By.Pos(), fmt.Sprintf("a term must last 1 or more, found %d", k), "")
	}
	t.first = k * n.First.Unit.PerUnit()
	k, blank, err = every(row)
	switch {
	case err != nil:
		return t, -1, err
	case !blank && k < 1:
		return t, -1, c.fail(n.Every.By.Pos(), fmt.Sprintf("a renewal must last 1 or more, found %d", k), "")
	case !blank:
		t.every = k * n.Every.Unit.PerUnit()
	}
	if t.on, t.beyond.Noted, err = of(row); err != nil || t.on == civil.None {
		return t, -1, err
	}
	if t.every == 0 {
		if day, err := t.day(0); err != nil || day == civil.None {
			return t, -1, err
		}
		return t, 0, nil
	}
	// A term more is a day more at least.
	most := (int(civil.Max)-int(d))/max(1, t.every) + 2
	if t.unit.OfMonths() {
		most = (int(civil.Max)-int(d))/(28*t.every) + 2
	}
	if k, ok := t.near(most); ok {
		return t, k, nil
	}
	var failed error
	none := false
	k = sort.Search(most, func(k int) bool {
		day, err := t.day(k)
		switch {
		case err != nil:
			return true // beyond the last year, or told below
		case day == civil.None:
			none = true
		}
		return day >= t.on
	})
	if none {
		return t, -1, nil
	}
	if _, failed = t.day(k); failed != nil {
		return t, -1, failed
	}
	return t, k, nil
}

// near finds the term from a guess, in a few steps; ok is false if it takes more.
func (t *terms) near(most int) (k int, ok bool) {
	long := t.every // days that a renewal takes, about
	switch {
	case t.unit.OfMonths():
		long = max(1, t.every*30)
	case t.unit == phrase.WorkingDays:
		long = max(1, t.every*7/5)
	}
	late := func(k int) (by int, ok bool) { // how many days before the day wanted term k is
		day, err := t.day(k)
		return int(t.on - day), err == nil && day != civil.None
	}
	for range 8 {
		by, ok := late(k)
		if !ok {
			return 0, false
		}
		if by > 0 {
			if k += max(1, by/long); k >= most {
				return 0, false
			}
			continue
		}
		if k == 0 {
			return 0, true
		}
		before, ok := late(k - 1)
		if !ok || before > 0 {
			return k, ok
		}
		k = max(0, k-1+before/long)
	}
	return 0, false
}

// end is the last day of term k.
func (t *terms) end(k int) (civil.Date, error) {
	n := t.first + k*t.every
	switch {
	case t.unit == phrase.WorkingDays:
		first, ok := t.cal.OnOrAfter(t.start)
		if !ok {
			return civil.None, ErrRange
		}
		return worked(t.cal.Add(first, n-1))
	case t.unit.OfMonths():
		return within(lastingMonths(t.start, n))
	}
	return within(t.start.Add(n - 1))
}

// day is the day by which term k must be ended: its last, or that of its notice.
func (t *terms) day(k int) (civil.Date, error) {
	end, err := t.end(k)
	if err != nil || len(t.notice.Steps) == 0 {
		return end, err
	}
	day, _, err := t.notice.Run(end, t.row, nil)
	return day, err
}

// mostTerms is how many terms are reported one by one.
const mostTerms = 12

// told lists the terms up to k, and by when each was to be ended.
func (t *terms) told(k int) string {
	var parts []string
	for i := 0; i <= k; i++ {
		if k > mostTerms && i == 2 {
			parts = append(parts, fmt.Sprintf("and %d more", k-mostTerms+1))
			i = k - mostTerms + 3
		}
		end, err := t.end(i)
		if err != nil {
			break
		}
		text := "term " + Int(i+1).String() + " ends " + end.String()
		if len(t.notice.Steps) > 0 {
			if day, err := t.day(i); err == nil {
				text += ", notice by " + day.String()
			}
		}
		if day, err := t.day(i); err == nil && day < t.on && t.every > 0 {
			text += " (passed)"
		}
		parts = append(parts, text)
	}
	return strings.Join(parts, "; ") + "; wanted on or after " + t.on.String()
}

// stepsIn compiles the steps that a cell holds: each text once.
func (c *compiler) stepsIn(s *Step, n *phrase.StepsIn) error {
	slot, err := c.slot(&n.Column)
	if err != nil {
		return err
	}
	c.note(c.Uses.Cells, slot)
	s.reaches(int(civil.Max), int(civil.Max))
	s.mayBlank = true
	for i := range c.Names {
		c.note(c.Uses.All, i)
	}
	var made texts[*Chain]
	s.deep = func(d civil.Date, row []Value, in *inside) (to civil.Date, err error) {
		text := row[slot].String()
		if strings.TrimSpace(text) == "" {
			return civil.None, nil
		}
		chain, err := made.of(text, c.cellSteps)
		if err != nil {
			return civil.None, err
		}
		var trace *[]Move
		if in.traced {
			trace = &in.moves
		}
		to, in.beyond, err = chain.Run(d, row, trace)
		return to, err
	}
	return nil
}

// cellSteps compiles the steps of one cell.
func (c *compiler) cellSteps(text string) (*Chain, error) {
	e, err := phrase.ParseExpr(text)
	if err != nil {
		return nil, err
	}
	steps, ok := e.(*phrase.Steps)
	inner := newCompiler(text, c.Env.withoutSlots())
	if !ok || steps.Base != nil {
		return nil, inner.fail(e.Pos(), "expected steps, without a date to start from",
			"for example: +30 days, roll following")
	}
	for _, s := range steps.List {
		if _, is := s.(*phrase.StepsIn); is {
			return nil, inner.fail(s.Pos(), "`steps in` can't be used inside a cell", "")
		}
		if phrase.Last(s) {
			return nil, inner.fail(s.Pos(), "a time can't be used inside a cell",
				"write it after the cell's steps: steps in terms, at 12:00")
		}
	}
	return inner.chain(steps.List)
}
