package eval

import (
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/phrase"
)

func (c *compiler) anniversary(s *Step, n *phrase.Anniversary) error {
	get, err := c.dateOf(n.Of)
	if err != nil {
		return err
	}
	s.addInput(n.Of, func(row []Value) bool { d, _, err := get(row); return d == civil.None && err == nil })
	s.setReach(366, 366)
	s.applyNested = func(d civil.Date, row []Value, in *nestedTrace) (civil.Date, error) {
		limit, unsure, err := get(row)
		in.uncovered.Recorded = unsure
		if err != nil || limit == civil.None {
			return civil.None, err
		}
		year := max(limit.Year(), d.Year())
		if n.Backward {
			year = limit.Year()
		}
		day := c.anniversaryIn(d, year)
		switch {
		case n.Backward && day > limit:
			year--
		case !n.Backward && (day < limit || day == limit && !n.OrOn):
			year++
		}
		if year < d.Year() {
			return civil.None, nil
		}
		if year > civil.MaxYear {
			return civil.None, ErrRange
		}
		return c.anniversaryIn(d, year), nil
	}
	return nil
}

func (c *compiler) anniversaryIn(d civil.Date, year int) civil.Date {
	return AnniversaryIn(d, year, c.LeapDayToMarch)
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
