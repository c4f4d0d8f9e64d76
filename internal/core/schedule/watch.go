package schedule

import (
	"fmt"
	"slices"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/workdays"
)

// Watch notes which dates lie outside what calendars know, so that a holiday
// list that has run out is never silent.
type Watch struct {
	cals          []*workdays.Calendar
	before, after []int
}

// NewWatch watches the calendars that don't know all time.
func NewWatch(cals []*workdays.Calendar) *Watch {
	w := &Watch{}
	for _, joint := range cals {
		for _, c := range joint.Parts() {
			if c.Known != civil.Always && !slices.Contains(w.cals, c) {
				w.cals = append(w.cals, c)
			}
		}
	}
	w.before, w.after = make([]int, len(w.cals)), make([]int, len(w.cals))
	return w
}

// See notes a date that was worked out with the calendars.
func (w *Watch) See(d civil.Date) {
	for i, c := range w.cals {
		switch {
		case d == civil.None:
		case d < c.Known.First:
			w.before[i]++
		case d > c.Known.Last:
			w.after[i]++
		}
	}
}

// Warnings tells for each calendar how many dates lie beyond what it knows.
func (w *Watch) Warnings() (list []string) {
	say := func(n int, format string, c *workdays.Calendar, d civil.Date) {
		if n == 0 {
			return
		}
		dates := fmt.Sprintf("%d dates lie", n)
		if n == 1 {
			dates = "1 date lies"
		}
		list = append(list, fmt.Sprintf(format, c.Name, d, dates))
	}
	for i, c := range w.cals {
		say(w.before[i], "the calendar %s knows no holidays before %s, and %s there: they may move once it does", c, c.Known.First)
		say(w.after[i], "the calendar %s knows no holidays after %s, and %s there: they may move once it does", c, c.Known.Last)
	}
	return list
}
