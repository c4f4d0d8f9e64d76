package schedule

import (
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
)

// Whatever the rule, a narrow window holds the dates of a wide one that lie in
// it: the same dates with the same nominal dates, in order.
func FuzzRule(f *testing.F) {
	for _, s := range []string{"monthly on 15, last then roll preceding", "every 3 weeks on tue, fri from 2027-01-08 then +2 working days", "yearly on mon of week 53, easter",
		"monthly on 31 skipping short months from 2027-01-01 7 times", "every 5 working days from 2027-01-04", "quarterly on last working day then 25th day of next month, roll following",
		"every 2 months back from 2028-05-31 5 times leaving out 2028-01-31 plus 2027-12-24", "rrule FREQ=YEARLY;INTERVAL=2;BYWEEKNO=1;BYDAY=MO from 2024-12-30", "monthly on 2nd tue then 5th fri of month"} {
		f.Add(s, 740000, 40)
	}
	f.Fuzz(func(t *testing.T, text string, first, length int) {
		rec, err := eval.CompileRule(text, plain)
		if err != nil {
			return
		}
		narrow := civil.Span{First: civil.Date(730000 + abs(first)%20000)}
		narrow.Last = narrow.First + civil.Date(abs(length)%200)
		const most = 3000
		var want []MovedDate
		n := 0
		for m, err := range Dates(rec, narrow.Widen(700, 700)) {
			if n++; err != nil || n > most {
				return
			}
			if narrow.Contains(m.MovedTo) {
				want = append(want, *m)
			}
		}
		i := 0
		for m, err := range Dates(rec, narrow) {
			if err != nil {
				t.Fatalf("%q: %v in %v, and not around it", text, err, narrow)
			}
			if i >= len(want) || m.MovedTo != want[i].MovedTo || m.Date != want[i].Date {
				t.Fatalf("%q: date %d in %v is %s (%v), not in the wider window", text, i, narrow, m.MovedTo, m.Date)
			}
			i++
		}
		if i != len(want) {
			t.Fatalf("%q: %d dates in %v, %d of the wider window", text, i, narrow, len(want))
		}
	})
}

func abs(n int) int {
	if n < 0 {
		return -(n + 1)
	}
	return n
}
