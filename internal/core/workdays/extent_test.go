package workdays

import (
	"math/rand/v2"
	"testing"

	"yoyaku/internal/core/civil"
)

// TestExtent adds random extents up half day by half day, whole and in two parts.
func TestExtent(t *testing.T) {
	r := rand.New(rand.NewPCG(38, 3))
	for range 3000 {
		first := civil.Date(740000 + r.IntN(10))
		e := Extent{civil.Span{First: first, Last: first + civil.Date(r.IntN(4))}, r.IntN(2) == 0, r.IntN(2) == 0}
		if empty := e.First == e.Last && e.StartsAtNoon && e.EndsAtNoon; e.IsEmpty() != empty {
			t.Fatalf("%v: empty %v", e, e.IsEmpty())
		} else if empty {
			continue
		}
		if e.HasHalf() != (e.StartsAtNoon || e.EndsAtNoon) {
			t.Fatalf("%v: has a half: %v", e, e.HasHalf())
		}
		list := HolidayList{}
		halves := map[int]int{} // what each half day counts
		for d := first; d < first+4; d++ {
			weight := []int{0, 30, 50, 80, 100}[r.IntN(5)]
			if weight < FullDayWeight {
				list = append(list, Holiday{Date: d, Name: "x", Weight: weight})
			}
			halves[2*int(d)], halves[2*int(d)+1] = min(weight, 50), max(weight-50, 0)
		}
		cal := New("c", 0).WithHolidays(list)
		from, to := 2*int(e.First), 2*int(e.Last)+1
		if e.StartsAtNoon {
			from++
		}
		if e.EndsAtNoon {
			to--
		}
		if e.StartHalf() != from || e.EndHalf() != to {
			t.Fatalf("%v: halves %d to %d, want %d to %d", e, e.StartHalf(), e.EndHalf(), from, to)
		}
		want := 0
		for half := from; half <= to; half++ {
			want += halves[half]
		}
		if got := cal.WeightOf(e); got != want {
			t.Fatalf("%v counts %d, want %d: %v", e, got, want, list)
		}
		cut := e.First + civil.Date(r.IntN(int(e.Last-e.First)+1))
		a, b := e.Within(civil.Span{First: e.First - 5, Last: cut}), e.Within(civil.Span{First: cut + 1, Last: e.Last + 5})
		sum := cal.WeightOf(a)
		if cut < e.Last {
			sum += cal.WeightOf(b)
		}
		if a.First != e.First || b.Last != e.Last || sum != want {
			t.Fatalf("%v in two at %s: %v and %v count %d, want %d", e, cut, a, b, sum, want)
		}
	}
}
