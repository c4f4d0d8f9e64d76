package eval

import (
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/phrase"
)

// closedRun is the longest stretch of closed days that a bounded look allows
// for: what a roll may cross.
const closedRun = 370

// reach bounds in days how far a step moves a date back and forth. It may be
// generous: it only decides how many periods are looked at in vain.
func reach(s phrase.Step) (back, forth int) {
	both := func(n int) (int, int) { return n, n }
	switch n := s.(type) {
	case *phrase.Shift:
		days := 0
		for _, a := range n.Parts {
			k := int(civil.Max)
			if num, ok := a.By.(*phrase.Number); ok {
				k = num.N * a.Unit.PerUnit()
			}
			switch {
			case a.Unit == phrase.WorkingDays:
				days += k*7 + closedRun
			case a.Unit.OfMonths():
				days += k*31 + 4
			default:
				days += k
			}
		}
		if n.Back {
			return days, 4
		}
		return 4, days
	case *phrase.Lasting:
		k := int(civil.Max)
		if num, ok := n.By.(*phrase.Number); ok {
			k = num.N * max(n.Unit.PerUnit(), 7) * 31
		}
		return 0, k + closedRun
	case *phrase.Edge:
		return both(2 * n.Of.Unit.MaxDays())
	case *phrase.Nth:
		return both(2 * n.Of.Unit.MaxDays())
	case *phrase.Seek:
		switch {
		case n.Target.Weekday != 0:
			return both(7)
		case n.Target.Series != nil:
			return both(10 * 366)
		}
		return both(3 * 366)
	case *phrase.Roll:
		return both(closedRun)
	}
	return both(366)
}
