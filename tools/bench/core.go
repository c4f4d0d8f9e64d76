//go:build !windows

package main

import (
	"sync/atomic"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/core/workdays"
)

// keepAlive keeps what is worked out from being left out.
var keepAlive atomic.Int64

// core is what the core does by itself, a thousand years at a time.
func core() []task {
	cal := workdays.New("plain", workdays.Weekend)
	window := civil.Span{First: 740000, Last: 740000 + 365243}
	cal.CountBetween(window.First-400, window.Last+400)
	const turns = 20
	bare := func() {
		sum := civil.Date(0)
		for range turns {
			months(1000, func(_, _ int, _ string, nominal, moved civil.Date) { sum += nominal + moved })
		}
		keepAlive.Store(int64(sum))
	}
	dates := func(name, rule string, budget float64) task {
		rec, err := eval.CompileRule(rule, eval.Env{Fiscal: civil.DefaultFiscalCalendar, Calendar: cal})
		must(err)
		return task{name: name, budget: budget, baselineFunc: bare, do: func() {
			sum := civil.Date(0)
			for range turns {
				for m := range schedule.Dates(rec, window) {
					sum += m.MovedTo
				}
			}
			keepAlive.Store(int64(sum))
		}}
	}
	count := func(days civil.Date) func() {
		return func() {
			sum := 0
			for i := range civil.Date(2_000_000) {
				sum += cal.CountBetween(window.First+i%1000, window.First+i%1000+days)
			}
			keepAlive.Store(int64(sum))
		}
	}
	return []task{
		// 40 million a second, where the bare loop does 220.
		dates("twice a month, rolled", "monthly on 15, last then roll preceding", 5.5),
		dates("fortnightly, rolled", "fortnightly on fri from 2027-01-08 then roll preceding", 0),
		dates("every working day", "every working day", 0),
		{name: "working days in 1,000 years, a day", budget: 1.2, do: count(365000), baselineFunc: count(1)},
	}
}
