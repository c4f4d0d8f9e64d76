package recur

import (
	"math/rand/v2"
	"testing"

	"yoyaku/internal/core/civil"
)

// Numbered days walked month by month are those of the engine that fills each period.
func TestBatches(t *testing.T) {
	r := rand.New(rand.NewPCG(40, 1))
	walked := 0
	for range 3000 {
		rule := &Rule{Unit: civil.Month, Every: 1 + r.IntN(2)*r.IntN(5), Frame: civil.DefaultFiscalCalendar}
		for n := r.IntN(3); n >= 0; n-- {
			rule.Items = append(rule.Items, Item{Kind: DayNumber, N: []int{1, 5, 15, 16, 27, 28, 30, 31, -1, -2, -30}[r.IntN(11)]})
		}
		if r.IntN(3) == 0 {
			rule.Months = uint16(r.IntN(1<<12)) << 1
		}
		if rule.From = civil.Date(1 + r.IntN(3_600_000)); r.IntN(3) == 0 {
			rule.MaxDates = 1 + r.IntN(40)
		}
		rule.Prepare()
		span := civil.Span{First: rule.From, Last: rule.From}.Widen(r.IntN(900), r.IntN(9000))
		if r.IntN(50) == 0 {
			span.Last = civil.Max
		}
		if rule.itemsInOrder {
			walked++
		}
		most, i := 500, 0
		var want []Date
		for d := range rule.All(span) {
			if want = append(want, d); len(want) == most {
				break
			}
		}
		rule.Batches(span)(func(list []Date) bool {
			for _, d := range list {
				if i == most {
					return false
				}
				if i >= len(want) || d != want[i] {
					t.Fatalf("%+v in %v: date %d is %+v, want %+v", rule, span, i, d, want[min(i, len(want)-1)])
				}
				i++
			}
			return true
		})
		if i != len(want) {
			t.Fatalf("%+v in %v: %d dates, want %d", rule, span, i, len(want))
		}
	}
	if walked < 500 {
		t.Errorf("only %d rules were walked", walked)
	}
}
