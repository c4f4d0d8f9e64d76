package eval

import "yoyaku/internal/core/civil"

// Reach bounds how far steps move a date in one direction: Days, plus up to maxClosedRun closed
// days for each of Crossings steps.
type Reach struct{ Days, Crossings int }

// maxClosedRun is the longest stretch of closed days that a bounded look allows for.
const maxClosedRun = 370

// Add is the reach of steps behind one another.
func (r Reach) Add(o Reach) Reach {
	return Reach{min(r.Days+o.Days, int(civil.Max)), r.Crossings + o.Crossings}
}

// Max is the reach of either.
func (r Reach) Max(o Reach) Reach { return Reach{max(r.Days, o.Days), max(r.Crossings, o.Crossings)} }

// MaxDays is the reach in days. A calendar is taken to be closed for maxClosedRun days on end at
// most, and so again no sooner than a year of days later: many steps of working days, one behind
// the other, don't cross as many of those.
func (r Reach) MaxDays() int {
	return min(r.Days+maxClosedRun*min(r.Crossings, 1+r.Days/366), int(civil.Max))
}
