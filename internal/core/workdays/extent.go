package workdays

import "yoyaku/internal/core/civil"

// Extent is a range of days, of which the first may begin at noon and the last may end at noon.
type Extent struct {
	civil.Span
	StartsAtNoon, EndsAtNoon bool
}

// IsEmpty reports whether it ends at noon of the day on which it begins then.
func (e Extent) IsEmpty() bool { return e.StartsAtNoon && e.EndsAtNoon && e.First == e.Last }

// HasHalf reports whether an end of it is half a day.
func (e Extent) HasHalf() bool { return e.StartsAtNoon || e.EndsAtNoon }

// Within is what of it lies in s; of days outside of it the result is that of s alone.
func (e Extent) Within(s civil.Span) Extent {
	part := Extent{Span: civil.Span{First: max(s.First, e.First), Last: min(s.Last, e.Last)}}
	part.StartsAtNoon = e.StartsAtNoon && part.First == e.First
	part.EndsAtNoon = e.EndsAtNoon && part.Last == e.Last
	return part
}

// halfWeight is half a day, in hundredths.
const halfWeight = FullDayWeight / 2

// StartHalf and EndHalf are the half days in which it starts and ends, counted through all time.
func (e Extent) StartHalf() int {
	if e.StartsAtNoon {
		return 2*int(e.First) + 1
	}
	return 2 * int(e.First)
}

// EndHalf is the half day in which it ends.
func (e Extent) EndHalf() int {
	if e.EndsAtNoon {
		return 2 * int(e.Last)
	}
	return 2*int(e.Last) + 1
}

// WeightOf adds up the parts of the working days that an extent covers, in hundredths of a day.
// What a short day counts is its beginning: of one that counts 0.8 the morning is 0.5, the
// afternoon 0.3.
func (c *Calendar) WeightOf(e Extent) int {
	n := c.WeightIn(e.Span)
	if e.StartsAtNoon {
		n -= min(halfWeight, c.DayWeight(e.First))
	}
	if e.EndsAtNoon {
		n -= max(0, c.DayWeight(e.Last)-halfWeight)
	}
	return n
}
