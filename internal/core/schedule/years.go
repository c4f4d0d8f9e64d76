package schedule

import (
	"errors"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
)

// YearCount is how many dates of a rule a year has, by nominal date and by
// moved date.
type YearCount struct{ Year, Nominal, Moved int }

// CountYears counts the dates of the series in each year that a window touches, whichever of
// the two dates lies in it. Years without any are left out at both ends.
func (s *Series) CountYears(window civil.Span) ([]YearCount, error) {
	counts := map[int]*YearCount{}
	day := func(d civil.Date) *YearCount {
		y := d.Year()
		if counts[y] == nil {
			counts[y] = &YearCount{Year: y}
		}
		return counts[y]
	}
	back, forth := s.stepReach()
	put := func(m MovedDate) {
		if m.MovedTo == civil.None {
			return
		}
		if window.Contains(m.Date.Date) || window.Contains(m.MovedTo) {
			m.Uncovered.Record()
		}
		if window.Contains(m.Date.Date) {
			day(m.Date.Date).Nominal++
		}
		if window.Contains(m.MovedTo) {
			day(m.MovedTo).Moved++
		}
	}
	wide := window.Widen(forth, back)
	for d, rec := range s.nominal(wide) {
		m, err := s.moveDate(d, rec, nil)
		switch {
		case errors.Is(err, eval.ErrRange):
			continue
		case err != nil:
			return nil, err
		}
		put(m)
	}
	for _, h := range s.overrides.list() { // those that were set from far away
		if h.What == "date" && (h.Removed || !wide.Contains(h.Nominal)) {
			m := MovedDate{Date: h.date, Recurrence: h.rec}
			m.Date.Date = h.Nominal
			m.applyOverride(h)
			put(m)
		}
	}
	var list []YearCount
	for y := window.First.Year(); y <= window.Last.Year(); y++ {
		if c := counts[y]; c != nil {
			list = append(list, *c)
			delete(counts, y)
		} else if len(list) > 0 && len(counts) > 0 {
			list = append(list, YearCount{Year: y})
		}
	}
	return list, nil
}
