package eval

import "yoyaku/internal/core/civil"

// Reach bounds how far steps can move a date one way: some days, and what is closed on the way,
// which so many of the steps may have to cross.
type Reach struct{ Days, Crossing int }

// closedRun is the longest stretch of closed days that a bounded look allows for.
const closedRun = 370

// Plus is the reach of steps behind one another.
func (r Reach) Plus(o Reach) Reach {
	return Reach{min(r.Days+o.Days, int(civil.Max)), r.Crossing + o.Crossing}
}

// Or is the reach of either.
func (r Reach) Or(o Reach) Reach { return Reach{max(r.Days, o.Days), max(r.Crossing, o.Crossing)} }

// Bound is the reach in days. A calendar is taken to be closed for closedRun days on end at
// most, and so again no sooner than a year of days later: many steps of working days, one behind
// the other, don't cross as many of those.
func (r Reach) Bound() int {
	return min(r.Days+closedRun*min(r.Crossing, 1+r.Days/366), int(civil.Max))
}
