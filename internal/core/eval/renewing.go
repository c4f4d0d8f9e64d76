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
	first, err := c.length(n.First, true)
	if err != nil {
		return err
	}
	every, err := c.length(n.Every, true)
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
	s.addLength(n.First.By, first)
	s.addInput(n.Of, func(row []Value) bool { d, _, err := get(row); return d == civil.None && err == nil })
	cal := s.Calendar
	t := termSeries{notice: notice, cal: cal}
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
	start, reference civil.Date
	first, renewal   shiftAmount // of one kind; renewal is nothing if none renews
	notice           *Chain
	row              []Value
	cal              *workdays.Calendar
	uncovered        workdays.Uncovered // what the date that is looked for rests on
}

// term finds which term of a row it is, from 0; below 0 if that is blank.
func (c *compiler) term(t termSeries, n *phrase.Renewing, first, every lengthFunc, get dateFunc, d civil.Date,
	row []Value) (termSeries, int, error) {
	t.start, t.row = d, row
	var blank bool
	var err error
	if t.first, blank, err = first(row); err != nil || blank {
		return t, -1, err
	}
	if k := t.first.total(); k < 1 {
		return t, -1, c.fail(n.First.By.Pos(), fmt.Sprintf("a term must last 1 or more, found %d", k/max(1, n.First.Unit.PerUnit())), "")
	}
	if t.renewal, blank, err = every(row); err != nil {
		return t, -1, err
	}
	switch k := t.renewal.total(); {
	case blank:
	case k < 1:
		return t, -1, c.fail(n.Every.By.Pos(), fmt.Sprintf("a renewal must last 1 or more, found %d", k/max(1, n.Every.Unit.PerUnit())), "")
	case !t.renewal.sameKind(t.first):
		return t, -1, c.fail(n.Every.By.Pos(), "a term and its renewal need the same kind of unit: months or days", "")
	}
	if t.reference, t.uncovered.Recorded, err = get(row); err != nil || t.reference == civil.None {
		return t, -1, err
	}
	renewal := t.renewal.total()
	if renewal == 0 {
		if day, err := t.deadlineOf(0); err != nil || day == civil.None {
			return t, -1, err
		}
		return t, 0, nil
	}
	// A term more is a day more at least.
	most := (int(civil.Max)-int(d))/renewal + 2
	if t.renewal.months > 0 {
		most = (int(civil.Max)-int(d))/(28*renewal) + 2
	}
	if k, ok := t.searchNear(most); ok {
		return t, k, nil
	}
	none := false
	k := sort.Search(most, func(k int) bool {
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
	if _, err := t.deadlineOf(k); err != nil {
		return t, -1, err
	}
	return t, k, nil
}

// searchNear finds the first term whose deadline isn't before the reference date, by at most 8
// estimates; ok is false if they don't get there, and the caller bisects.
func (t *termSeries) searchNear(most int) (k int, ok bool) {
	// days that a renewal takes, about
	long := max(1, t.renewal.months*30+t.renewal.days+t.renewal.workdays*7/5)
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
	length := t.first
	length.add(t.renewal, k)
	return length.lastDay(t.start, t.cal)
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
		if err == nil && day < t.reference && t.renewal.total() > 0 {
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
