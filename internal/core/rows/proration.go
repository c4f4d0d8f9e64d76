package rows

import (
	"cmp"
	"errors"
	"fmt"
	"math/bits"
	"slices"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/daycount"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/workdays"
)

// Proration splits an amount over pieces of time so that the shares add up to it, by
// the method of the largest remainder: each piece gets its exact share cut to
// whole units, and the units left go one each to those that lost most, the
// earlier first.
type Proration struct {
	By          ProrationBasis
	Places      int // decimal places of a unit, 0 to 10
	WithBalance bool
	// Months is how many months the amount is for, if it is a rate: 12 for a year. 0:
	// it is for the range.
	Months int
}

// ProrationBasis is by what a share is reckoned: EvenBasis, DaysBasis, WorkdaysBasis,
// CountedDaysBasis, or a day count convention.
type ProrationBasis int

// The ways that aren't conventions.
const (
	EvenBasis ProrationBasis = iota
	DaysBasis
	WorkdaysBasis
	CountedDaysBasis
	conventionBasis
)

// ProrationBasisNames are the words for them.
var ProrationBasisNames = append([]string{"evenly", "days", "working days", "counted days"}, daycount.Names[:]...)

// ParseProrationBasis reads one of ProrationBasisNames; ok is false for other words.
func ParseProrationBasis(text string) (ProrationBasis, bool) {
	i := slices.IndexFunc(ProrationBasisNames, func(w string) bool { return strings.EqualFold(w, strings.TrimSpace(text)) })
	return ProrationBasis(i), i >= 0
}

// UsesCalendar reports whether shares are reckoned with a working calendar.
func (basis ProrationBasis) UsesCalendar() bool {
	return basis == WorkdaysBasis || basis == CountedDaysBasis
}

// weight is what a piece counts for; worked are its working days, counted what counts of
// them in hundredths. A convention counts from the first day to the day after the last.
func (basis ProrationBasis) weight(s civil.Span, worked, counted int) uint64 {
	switch basis {
	case EvenBasis:
		return 1
	case DaysBasis:
		return uint64(s.Len())
	case WorkdaysBasis:
		return uint64(worked)
	case CountedDaysBasis:
		return uint64(counted)
	}
	num, den := daycount.Convention(basis-conventionBasis).YearFraction(s.First, min(s.Last+1, civil.Max))
	return uint64(max(num, 0) * (360 * 365 * 366 / den))
}

// Prorate splits an amount over stretches of days.
func (h *Proration) Prorate(pieces []civil.Span, cal *workdays.Calendar, amount eval.Value) ([]Portion, error) {
	weights := make([]uint64, len(pieces))
	for i, p := range pieces {
		worked, counted := 0, 0
		if h.By.UsesCalendar() {
			cal.RecordQuery(p.First, p.Last)
			worked, counted = cal.Count(p), cal.WeightIn(p)
		}
		weights[i] = h.By.weight(p, worked, counted)
	}
	return h.Split(amount, weights)
}

// monthParts is a number of parts that each month's length divides.
const monthParts = 28 * 29 * 30 * 31 / 2

// monthlyShares are the shares of the pieces of a range, in order of time, of an amount for so
// many months: a day counts for its part of its calendar month. What is due through a day
// is rounded, and a piece is the difference of two of those, so that nothing that comes
// later changes it.
func (h *Proration) monthlyShares(r civil.Span, pieces []piece, amount eval.Value) ([]Portion, error) {
	list := make([]Portion, len(pieces))
	number, blank, err := eval.ParseAmount(amount)
	if err != nil || blank {
		return list, err
	}
	at, done := r.First, int64(0)
	through := func(d civil.Date) eval.Value { // asked in order, but where pieces overlap
		if d < at-1 {
			at, done = r.First, 0
		}
		for at <= d {
			y, m, day := at.YMD()
			n := civil.DaysIn(y, m)
			k := min(n-day+1, int(d-at)+1)
			done += int64(k) * int64(monthParts/n)
			at += civil.Date(k)
		}
		return eval.Prorate(number, done, monthParts*int64(h.Months), h.Places)
	}
	for i, p := range pieces {
		list[i].Before = through(p.First - 1)
		list[i].After = through(p.Last)
		list[i].Amount = eval.Subtract(list[i].After, list[i].Before)
	}
	whole := through(r.Last)
	for i := range list {
		p := &list[i]
		p.Before, p.After = eval.Subtract(whole, p.Before), eval.Subtract(whole, p.After)
	}
	return list, nil
}

// Portion is a piece's share, and with a balance what is left of the amount
// before and after it. All are blank if the amount is.
type Portion struct{ Amount, Before, After eval.Value }

// Columns are the columns that the balance adds.
func (h *Proration) Columns() []string {
	if h == nil || !h.WithBalance {
		return nil
	}
	return []string{"before", "after"}
}

// Cells appends the cells of Columns.
func (h *Proration) Cells(cells []eval.Value, p Portion) []eval.Value {
	if h == nil || !h.WithBalance {
		return cells
	}
	return append(cells, p.Before, p.After)
}

// errZeroWeight is a range over which nothing can be shared.
var errZeroWeight = errors.New("the range has no days to split the amount over")

// Split splits an amount by weights.
func (h *Proration) Split(amount eval.Value, weights []uint64) ([]Portion, error) {
	list := make([]Portion, len(weights))
	whole, blank, err := eval.ToUnits(amount, h.Places)
	if err != nil || blank {
		return list, err
	}
	var total uint64
	for _, w := range weights {
		total += w
	}
	if total == 0 {
		if whole != 0 {
			return nil, fmt.Errorf("%w: %s", errZeroWeight, amount)
		}
		total = 1
	}
	sign, left := int64(1), uint64(whole)
	if whole < 0 {
		sign, left = -1, uint64(-whole)
	}
	units, lost, order := make([]uint64, len(weights)), make([]uint64, len(weights)), make([]int, len(weights))
	for i, w := range weights {
		hi, lo := bits.Mul64(uint64(sign*whole), w)
		units[i], lost[i] = bits.Div64(hi, lo, total)
		left -= units[i]
		order[i] = i
	}
	if left > 0 && whole != 0 {
		slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(lost[b], lost[a]) })
		for _, i := range order[:left] {
			units[i]++
		}
	}
	rest := whole
	for i, u := range units {
		p := &list[i]
		p.Amount, p.Before = eval.FromUnits(sign*int64(u), h.Places), eval.FromUnits(rest, h.Places)
		rest -= sign * int64(u)
		p.After = eval.FromUnits(rest, h.Places)
	}
	return list, nil
}
