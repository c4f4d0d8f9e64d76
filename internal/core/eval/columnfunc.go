package eval

import (
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/phrase"
)

// ColumnFunc computes a column for a batch of rows without making cells. columns[slot][row] and
// column[row] hold day numbers or integers. It returns false if any row needs EvalTraced:
// blank, out of range, or uncovered.
type ColumnFunc func(columns [][]int32, column []int32) bool

// ColumnFunc returns the vectorised form of the expression, of the kind that KindOf says; nil
// if it has none. All its names must be dates or whole numbers.
func (p *Program) ColumnFunc() ColumnFunc { return p.columnFunc }

// columnFuncOf is the Lane of a compiled expression: steps by fixed numbers or those of a column, from
// a date, and measures of two dates.
func (c *compiler) columnFuncOf(e phrase.Expr, p *Program) ColumnFunc {
	if s, ok := e.(*phrase.Steps); ok {
		from, move := c.daysOf(s.Base), p.chain.columnMove()
		if from == nil || move == nil {
			return nil
		}
		return func(columns [][]int32, column []int32) bool {
			copy(column, from(columns, column))
			return move(columns, column)
		}
	}
	r, count, cal, err := c.dateMeasure(e)
	if count == nil || err != nil || r.Step != nil {
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
			if cal != nil && !(cal.Covers(x) && cal.Covers(y)) {
				return false
			}
			column[i] = int32(count(x, y))
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

// columnMove shifts a batch of days by one or several steps.
type columnMove = func(columns [][]int32, days []int32) bool

// columnMove applies the chain to days, without cells, trace or calendars that are asked beyond what
// they know; nil if it needs one of them, or gives a time.
func (c *Chain) columnMove() columnMove {
	if c.choose != nil || c.Minutes >= 0 {
		return nil
	}
	steps := make([]columnMove, len(c.Steps))
	for i := range c.Steps {
		if steps[i] = c.Steps[i].columnMove(); steps[i] == nil {
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

// columnMove is the step for a chain's lane.
func (s *Step) columnMove() columnMove {
	switch cal := s.Calendar; {
	case s.chooseByCalendar != nil || s.applyNested != nil || s.lookup != nil || s.readsCells && s.amountShift == nil:
		return nil
	case s.isRoll:
		return func(_ [][]int32, days []int32) bool {
			for i, day := range days {
				d, ok := civil.Date(day), true
				if cal.IsKnownWorkday(d) {
					continue
				}
				if !cal.Covers(d) {
					return false
				}
				if !cal.IsWorkday(d) {
					if d, ok = cal.RollClosed(d, s.convention); !ok || !cal.Covers(d) {
						return false
					}
				}
				days[i] = int32(d)
			}
			return true
		}
	case s.monthShift != nil:
		m := *s.monthShift
		return func(_ [][]int32, days []int32) bool {
			for i, day := range days {
				d, ok := m.apply(civil.Date(day))
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
				if cal != nil && !cal.Covers(d) {
					return false
				}
				var err error
				if s.amountShift != nil {
					d, err = s.amountShift.apply(d, int(columns[s.amountShift.slot][i]))
				} else {
					d, err = s.apply(d, nil)
				}
				if err != nil || d == civil.None || cal != nil && !cal.Covers(d) {
					return false
				}
				days[i] = int32(d)
			}
			return true
		}
	}
}
