package schedule

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
)

// The table of days against package time and days walked one by one.
func TestDaysAgainstWalking(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 8))
	for range 6 {
		w, cal := randomWorld(r)
		f := civil.FiscalCalendar{WeekStart: civil.Sunday, FiscalMonth: 1 + r.IntN(12), FiscalDay: 1 + r.IntN(28), NamedByStartYear: r.IntN(2) == 0}
		var got [][]eval.Value
		span, _ := f.ParseSpan("2024")
		for cells := range Days(civil.Span{First: span.First, Last: span.Last + 500}, f, cal) {
			got = append(got, slices.Clone(cells))
		}
		d := day("2024-01-01")
		for _, row := range got {
			worked, left := 0, 0
			for x := d.AddDate(0, 0, 1-d.Day()); x.Month() == d.Month(); x = x.AddDate(0, 0, 1) {
				if !w.closed[x] && !x.After(d) {
					worked++
				} else if !w.closed[x] {
					left++
				}
			}
			nth := fmt.Sprint(worked)
			if w.closed[d] {
				nth = ""
			}
			start := time.Date(d.Year(), time.Month(f.FiscalMonth), f.FiscalDay, 0, 0, 0, 0, time.UTC)
			if d.Before(start) {
				start = start.AddDate(-1, 0, 0)
			}
			fy := start.Year()
			if !f.NamedByStartYear {
				fy = start.AddDate(1, 0, -1).Year()
			}
			fm := 1
			for !start.AddDate(0, fm, 0).After(d) {
				fm++
			}
			y, wk := d.ISOWeek()
			end := d.AddDate(0, 1, -d.Day())
			want := []string{d.Format(isoDay), d.Format("Mon"), fmt.Sprintf("%d-W%02d", y, wk), d.Format("2006-01"), fmt.Sprintf("Q%d", (d.Month()+2)/3),
				fmt.Sprintf("H%d", (d.Month()+5)/6), d.Format("2006"), fmt.Sprint(d.YearDay()), fmt.Sprintf("FY%d", fy), fmt.Sprintf("FQ%d", (fm+2)/3), fmt.Sprint(fm),
				fmt.Sprint(!w.closed[d]), nth, fmt.Sprint(left), row[14].String(), d.Format("2006-01") + "-01", end.Format(isoDay)}
			if end.Month() != d.Month() { // the last days of a long month overflow AddDate
				want[16] = time.Date(d.Year(), d.Month()+1, 0, 0, 0, 0, 0, time.UTC).Format(isoDay)
			}
			var cells []string
			for _, c := range row {
				cells = append(cells, c.String())
			}
			if strings.Join(cells, "|") != strings.Join(want, "|") {
				t.Fatalf("fiscal start %d-%d:\n%v, want\n%v", f.FiscalMonth, f.FiscalDay, cells, want)
			}
			d = d.AddDate(0, 0, 1)
		}
	}
}

// Counts of years agree with the listed dates, and what is reported about a date ends
// where the date is.
func TestCountYearsAndExplain(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 9))
	worlds := 60
	if testing.Short() {
		worlds = 20
	}
	for range worlds {
		w, cal := randomWorld(r)
		env := plain
		env.Calendar, env.Fiscal = cal, weekFrame
		text, all := bruteRule(r, w)
		rec, err := eval.CompileRule(text, env)
		if err != nil {
			t.Fatal(err)
		}
		window, _ := eval.ParseWindow("2023..2033", env)
		counts, err := (&Series{Rules: singleRule(rec)}).CountYears(window)
		if err != nil {
			t.Fatal(err)
		}
		nominal, moved := map[int]int{}, map[int]int{}
		for _, d := range all {
			nominal[d.nominal.Year()]++
			moved[d.moved.Year()]++
		}
		var want []YearCount // all years from the first with a date through the last
		for y, empty := 2023, 0; y <= 2033; y++ {
			if nominal[y]+moved[y] == 0 {
				empty++
				continue
			}
			for ; empty > 0 && want != nil; empty-- {
				want = append(want, YearCount{Year: y - empty})
			}
			want, empty = append(want, YearCount{y, nominal[y], moved[y]}), 0
		}
		if !slices.Equal(counts, want) {
			t.Fatalf("%s: %v, want %v", text, counts, want)
		}
		for _, c := range counts {
			if c.Nominal != nominal[c.Year] || c.Moved != moved[c.Year] {
				t.Fatalf("%s: %+v, want %d and %d", text, c, nominal[c.Year], moved[c.Year])
			}
		}
		s, err := NewSeries("s", "", text, env)
		if err != nil {
			t.Fatal(err)
		}
		for _, d := range all[:min(len(all), 12)] {
			if d.nominal.Year() < 2022 || d.nominal.Year() > 2034 {
				continue
			}
			for _, instant := range []time.Time{d.nominal, d.moved} {
				cd, _, _ := civil.Parse(instant.Format(isoDay))
				e, err := s.Explain(cd, cal)
				lines := e.Lines
				found := false
				for _, line := range lines {
					found = found || line.Day.Day.String() == d.moved.Format(isoDay)
					if line.What == "no date" {
						t.Fatalf("%s: %s is told to be no date", text, cd)
					}
				}
				if err != nil || !found {
					t.Fatalf("%s: what is told of %s doesn't end at %s: %v %v", text, cd, d.moved.Format(isoDay), lines, err)
				}
			}
		}
	}
}
