package eval

import (
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/phrase"
)

// Lane works out a column for a run of rows from days and whole numbers alone, without cells.
// columns hold the days of dates, and whole numbers, by slot and row; so does column, what is
// worked out. It is false if a row needs more care: a blank, a date out of range, a day beyond
// what a calendar knows. What becomes of such a row, Program.Work says.
type Lane func(columns [][]int32, column []int32) bool

// Lane is the quick way to what the expression gives, of the kind that KindOf says; nil if
// there is none. Its names must stand for days.
func (p *Program) Lane() Lane { return p.lane }

// laneOf is the Lane of a compiled expression: steps by fixed numbers or those of a column, from
// a date, and measures of two dates.
func (c *compiler) laneOf(e phrase.Expr, p *Program) Lane {
	if s, ok := e.(*phrase.Steps); ok {
		from, move := c.daysOf(s.Base), p.chain.lane()
		if from == nil || move == nil {
			return nil
		}
		return func(columns [][]int32, column []int32) bool {
			copy(column, from(columns, column))
			return move(columns, column)
		}
	}
	r, of, cal, err := c.measured(e)
	if of == nil || err != nil || r.Step != nil {
		return nil
	}
	a, b := c.daysOf(r.A), c.daysOf(r.B)
	_, one := r.A.(*phrase.Name)
	_, other := r.B.(*phrase.Name)
	if a == nil || b == nil || !one && !other { // both dates would fill the same column
		return nil
	}
	return func(columns [][]int32, column []int32) bool {
		from, to := a(columns, column), b(columns, column)
		for i := range column {
			x, y := civil.Date(from[i]), civil.Date(to[i])
			if cal != nil && !(cal.Knows(x) && cal.Knows(y)) {
				return false
			}
			column[i] = int32(of(x, y))
		}
		return true
	}
}

// daysOf gives the days of an operand that is no more than a name or a date, for which it
// fills column; nil for another.
func (c *compiler) daysOf(e phrase.Expr) func(columns [][]int32, column []int32) []int32 {
	day := civil.None
	switch e := e.(type) {
	case *phrase.Name:
		slot, err := c.slot(e)
		if err != nil {
			return nil
		}
		return func(columns [][]int32, column []int32) []int32 { return columns[slot][:len(column)] }
	case *phrase.Date:
		day = e.Day
	case *phrase.Today:
		day = c.Today
	}
	if day == civil.None {
		return nil
	}
	return func(_ [][]int32, column []int32) []int32 {
		for i := range column {
			column[i] = int32(day)
		}
		return column
	}
}

// moves is a step, or several, of a Lane: it moves days.
type moves = func(columns [][]int32, days []int32) bool

// lane applies the chain to days, without cells, trace or calendars that are asked beyond what
// they know; nil if it needs one of them, or gives a time.
func (c *Chain) lane() moves {
	if c.chosen != nil || c.Minutes >= 0 {
		return nil
	}
	steps := make([]moves, len(c.Steps))
	for i := range c.Steps {
		if steps[i] = c.Steps[i].lane(); steps[i] == nil {
			return nil
		}
	}
	return func(columns [][]int32, days []int32) bool {
		for _, step := range steps {
			if !step(columns, days) {
				return false
			}
		}
		return true
	}
}

// lane is the step for a chain's lane.
func (s *Step) lane() moves {
	switch cal := s.Calendar; {
	case s.choose != nil || s.deep != nil || s.series != nil || s.cells && s.amount == nil:
		return nil
	case s.roll:
		return func(_ [][]int32, days []int32) bool {
			for i, day := range days {
				d, ok := civil.Date(day), true
				if cal.Stays(d) {
					continue
				}
				if !cal.Knows(d) {
					return false
				}
				if !cal.Open(d) {
					if d, ok = cal.RollClosed(d, s.by); !ok || !cal.Knows(d) {
						return false
					}
				}
				days[i] = int32(d)
			}
			return true
		}
	case s.month != nil:
		m := *s.month
		return func(_ [][]int32, days []int32) bool {
			for i, day := range days {
				d, ok := m.of(civil.Date(day))
				if !ok {
					return false
				}
				days[i] = int32(d)
			}
			return true
		}
	default:
		return func(columns [][]int32, days []int32) bool {
			for i, day := range days {
				d := civil.Date(day)
				if cal != nil && !cal.Knows(d) {
					return false
				}
				var err error
				if s.amount != nil {
					d, err = s.amount.of(d, int(columns[s.amount.slot][i]))
				} else {
					d, err = s.do(d, nil)
				}
				if err != nil || d == civil.None || cal != nil && !cal.Knows(d) {
					return false
				}
				days[i] = int32(d)
			}
			return true
		}
	}
}
