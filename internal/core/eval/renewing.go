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
	s.setReach(0, int(civil.Max))
	s.mayBeBlank = true
	first, err := c.amount(n.First.By)
	if err != nil {
		return err
	}
	every, err := c.amount(n.Every.By)
	if err != nil {
		return err
	}
	get, err := c.dateOf(n.Of)
	if err != nil {
		return err
	}
	notice, err := c.chain(n.Notice)
	if err != nil {
		return err
	}
	s.addInput(n.First.By, func(row []Value) bool { _, blank, err := first(row); return blank && err == nil })
	s.addInput(n.Of, func(row []Value) bool { d, _, err := get(row); return d == civil.None && err == nil })
	cal := s.Calendar
	t := termSeries{unit: n.First.Unit, notice: notice, cal: cal}
	s.applyNested = func(d civil.Date, row []Value, in *nestedTrace) (civil.Date, error) {
		t, k, err := c.term(t, n, first, every, get, d, row)
		in.uncovered = t.uncovered
		if err != nil || k < 0 {
			return civil.None, err
		}
		// Which term it is hangs on its notice and on that of the one before.
		for i := max(0, k-1); i <= k && len(t.notice.Steps) > 0; i++ {
			if end, err := t.endOf(i); err == nil {
				if _, beyond, err := t.notice.Run(end, row, nil); err == nil && beyond.IsSet() {
					in.uncovered = in.uncovered.OrElse(beyond)
				}
			}
		}
		if in.traced {
			in.explain = func() string { return t.describe(k) }
		}
		end, _ := t.endOf(k)
		return end, nil
	}
	return nil
}

// termSeries are the terms of a row.
type termSeries struct {
	unit             phrase.Unit
	start, reference civil.Date
	first, renewal   int // in days, months or working days; every is 0 if none renews
	notice           *Chain
	row              []Value
	cal              *workdays.Calendar
	uncovered        workdays.Uncovered // what the date that is looked for rests on
}

// term finds which term of a row it is, from 0; below 0 if that is blank.
func (c *compiler) term(t termSeries, n *phrase.Renewing, first, every intFunc, get dateFunc, d civil.Date,
	row []Value) (termSeries, int, error) {
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
		t.renewal = k * n.Every.Unit.PerUnit()
	}
	if t.reference, t.uncovered.Recorded, err = get(row); err != nil || t.reference == civil.None {
		return t, -1, err
	}
	if t.renewal == 0 {
		if day, err := t.deadlineOf(0); err != nil || day == civil.None {
			return t, -1, err
		}
		return t, 0, nil
	}
	// A term more is a day more at least.
	most := (int(civil.Max)-int(d))/max(1, t.renewal) + 2
	if t.unit.IsMonths() {
		most = (int(civil.Max)-int(d))/(28*t.renewal) + 2
	}
	if k, ok := t.searchNear(most); ok {
		return t, k, nil
	}
	var failed error
	none := false
	k = sort.Search(most, func(k int) bool {
		day, err := t.deadlineOf(k)
		switch {
		case err != nil:
			return true // beyond the last year, or told below
		case day == civil.None:
			none = true
		}
		return day >= t.reference
	})
	if none {
		return t, -1, nil
	}
	if _, failed = t.deadlineOf(k); failed != nil {
		return t, -1, failed
	}
	return t, k, nil
}

// searchNear finds the first term whose deadline isn't before the reference date, by at most 8
// estimates; ok is false if they don't get there, and the caller bisects.
func (t *termSeries) searchNear(most int) (k int, ok bool) {
	long := t.renewal // days that a renewal takes, about
	switch {
	case t.unit.IsMonths():
		long = max(1, t.renewal*30)
	case t.unit == phrase.WorkingDays:
		long = max(1, t.renewal*7/5)
	}
	late := func(k int) (by int, ok bool) { // how many days before the day wanted term k is
		day, err := t.deadlineOf(k)
		return int(t.reference - day), err == nil && day != civil.None
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

// endOf is the last day of term k.
func (t *termSeries) endOf(k int) (civil.Date, error) {
	n := t.first + k*t.renewal
	switch {
	case t.unit == phrase.WorkingDays:
		first, ok := t.cal.OnOrAfter(t.start)
		if !ok {
			return civil.None, ErrRange
		}
		return foundWorkday(t.cal.AddWorkdays(first, n-1))
	case t.unit.IsMonths():
		return inRange(lastingMonths(t.start, n))
	}
	return inRange(t.start.Add(n - 1))
}

// deadlineOf is the day by which term k must be ended: its last, or that of its notice.
func (t *termSeries) deadlineOf(k int) (civil.Date, error) {
	end, err := t.endOf(k)
	if err != nil || len(t.notice.Steps) == 0 {
		return end, err
	}
	day, _, err := t.notice.Run(end, t.row, nil)
	return day, err
}

// maxListedTerms is how many terms are reported one by one.
const maxListedTerms = 12

// describe lists terms 0..k, each with its end date and its notice deadline.
func (t *termSeries) describe(k int) string {
	var parts []string
	for i := 0; i <= k; i++ {
		if k > maxListedTerms && i == 2 {
			parts = append(parts, fmt.Sprintf("and %d more", k-maxListedTerms+1))
			i = k - maxListedTerms + 3
		}
		end, err := t.endOf(i)
		if err != nil {
			break
		}
		text := "term " + Int(i+1).String() + " ends " + end.String()
		var moves []Move
		day := end
		if len(t.notice.Steps) > 0 {
			if day, _, err = t.notice.Run(end, t.row, &moves); err == nil {
				text += ", notice by " + day.String()
			}
		}
		if err == nil && day < t.reference && t.renewal > 0 {
			text += " (passed)"
		}
		for _, m := range moves {
			if m.IsRoll() {
				text += ": " + m.Reason()
			}
		}
		parts = append(parts, text)
	}
	return strings.Join(parts, "; ") + "; wanted on or after " + t.reference.String()
}

// stepsIn compiles the steps that a cell holds: each text once.
func (c *compiler) stepsIn(s *Step, n *phrase.StepsIn) error {
	slot, err := c.slot(&n.Column)
	if err != nil {
		return err
	}
	c.noteSlot(c.Uses.Cells, slot)
	s.setReach(int(civil.Max), int(civil.Max))
	s.mayBeBlank = true
	for i := range c.Names {
		c.noteSlot(c.Uses.All, i)
	}
	s.addInput(&n.Column, func(row []Value) bool { return isBlank(row[slot]) })
	var made compiledTexts[*Chain]
	s.applyNested = func(d civil.Date, row []Value, in *nestedTrace) (to civil.Date, err error) {
		text := row[slot].String()
		if strings.TrimSpace(text) == "" {
			return civil.None, nil
		}
		chain, err := made.compileCell(text, c.cellSteps)
		if err != nil {
			return civil.None, err
		}
		var trace *[]Move
		if in.traced {
			trace = &in.moves
		}
		to, in.uncovered, err = chain.Run(d, row, trace)
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
	inner := newCompiler(text, c.Env.withoutCollectors())
	if !ok || steps.Base != nil {
		return nil, inner.fail(e.Pos(), "expected steps, without a date to start from",
			"for example: +30 days, roll following")
	}
	for _, s := range steps.List {
		if _, is := s.(*phrase.StepsIn); is {
			return nil, inner.fail(s.Pos(), "`steps in` can't be used inside a cell", "")
		}
		if phrase.IsLastStep(s) {
			return nil, inner.fail(s.Pos(), "a time can't be used inside a cell",
				"write it after the cell's steps: steps in terms, at 12:00")
		}
	}
	return inner.chain(steps.List)
}
