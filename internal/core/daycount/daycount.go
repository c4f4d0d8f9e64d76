// Package daycount counts days and year fractions by the conventions of bonds
// and loans.
package daycount

import "yoyaku/internal/core/civil"

// Convention is a day count convention.
type Convention uint8

// The conventions, with where each is published.
const (
	US30360    Convention = iota // 30/360 with the February rule (Standard Securities Calculation Methods, SIA)
	Bond30360                    // 30/360 bond basis (2006 ISDA Definitions, 4.16(f))
	E30360                       // 30E/360, eurobond basis (4.16(g))
	E30360ISDA                   // 30E/360 (ISDA) (4.16(h))
	Act360                       // actual/360 (4.16(e))
	Act365F                      // actual/365 fixed (4.16(d))
	ActActISDA                   // actual/actual (4.16(b))
)

// Names are the language's words for the conventions.
var Names = [...]string{"30/360 US", "30/360 bond", "30E/360", "30E/360 ISDA", "ACT/360", "ACT/365F", "ACT/ACT ISDA"}

// Is30360 reports whether months count as 30 days.
func (c Convention) Is30360() bool { return c <= E30360ISDA }

// Days counts the days from a to b; when b is before a it is the exact negative
// of the days from b to a.
func (c Convention) Days(a, b civil.Date) int {
	if !c.Is30360() {
		return int(b - a)
	}
	if b < a {
		return -c.Days(b, a)
	}
	y1, m1, d1 := a.YMD()
	y2, m2, d2 := b.YMD()
	endA, endB := a.IsMonthEnd(), b.IsMonthEnd()
	switch c {
	case US30360:
		if m1 == 2 && endA {
			if m2 == 2 && endB {
				d2 = 30
			}
			d1 = 30
		}
		if d2 == 31 && d1 >= 30 {
			d2 = 30
		}
		d1 = min(d1, 30)
	case Bond30360:
		d1 = min(d1, 30)
		if d1 == 30 {
			d2 = min(d2, 30)
		}
	case E30360:
		d1, d2 = min(d1, 30), min(d2, 30)
	case E30360ISDA: // b is taken not to be a termination date
		if endA {
			d1 = 30
		}
		if endB {
			d2 = 30
		}
	}
	return 360*(y2-y1) + 30*(m2-m1) + d2 - d1
}

// YearFraction returns the year fraction from a to b as a fraction num / den.
func (c Convention) YearFraction(a, b civil.Date) (num, den int64) {
	switch {
	case c.Is30360(), c == Act360:
		return int64(c.Days(a, b)), 360
	case c == Act365F:
		return int64(b - a), 365
	}
	if b < a {
		num, den = c.YearFraction(b, a)
		return -num, den
	}
	// Days in leap years count by 366, the others by 365.
	var leap, common int64
	for day := a; day < b; {
		y := day.Year()
		next := b
		if end, ok := civil.NewDate(y+1, 1, 1); ok {
			next = min(b, end)
		}
		if civil.IsLeap(y) {
			leap += int64(next - day)
		} else {
			common += int64(next - day)
		}
		day = next
	}
	return leap*365 + common*366, 365 * 366
}
