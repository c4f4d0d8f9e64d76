package schedule

import (
	"errors"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
)

// YearCount is how many dates of a rule a year has, by nominal date and by
// moved date.
type YearCount struct{ Year, Nominal, Moved int }

// CountYears counts the dates of each year that a window touches, whichever of
// the two dates lies in it. Years without any are left out at both ends.
func CountYears(r *eval.Recurrence, window civil.Span) ([]YearCount, error) {
	counts := map[int]*YearCount{}
	at := func(d civil.Date) *YearCount {
		y := d.Year()
		if counts[y] == nil {
			counts[y] = &YearCount{Year: y}
		}
		return counts[y]
	}
	asks := r.Rule.Counts()
	wide := window.Widen(r.Chain.Forth, r.Chain.Back)
	for d := range r.Rule.All(wide) {
		to, _, blind, err := r.Chain.Run(d.Date, r.Row, nil)
		switch {
		case errors.Is(err, eval.ErrRange), to == civil.None && err == nil:
			continue
		case err != nil:
			return nil, err
		}
		if window.Has(d.Date) || window.Has(to) {
			blindOf(r, asks, d.Date, blind).Note()
		}
		if window.Has(d.Date) {
			at(d.Date).Nominal++
		}
		if window.Has(to) {
			at(to).Moved++
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
