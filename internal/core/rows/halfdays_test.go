package rows_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/workdays"
)

// quarters are the parts of an hour by which days are walked; each is cut into hundredths, so that
// what a short day counts is a whole number of those.
const quarters = 96

// ends are ways to write the first and last day of a range: the quarter at which a first day begins,
// and at which a last one ends.
var ends = []struct {
	text         string
	begins, ends int
}{{"", 0, quarters}, {" AM", 0, quarters / 2}, {" PM", quarters / 2, quarters}, {"T12:00", quarters / 2, quarters / 2}, {" 12:00:00", quarters / 2, quarters / 2},
	{" (matin)", 0, quarters / 2}, {" nachmittags", quarters / 2, quarters}, {"T00:00", 0, quarters}, {" po południu", quarters / 2, quarters}}

// TestHalfDays_byQuarters walks 10,000 ranges by quarters of an hour, over random calendars with
// short days: counted days, the pieces of a spread by day and by month, and the totals of a grid
// are what the quarters add up to.
func TestHalfDays_byQuarters(t *testing.T) {
	r := rand.New(rand.NewPCG(38, 2))
	from := civil.Date(740000)
	months := civil.DefaultFiscalCalendar.Periods(civil.Month)
	halves := 0
	for range 500 {
		list := workdays.HolidayList{}
		weights := map[civil.Date]int{}
		for d := from; d < from+120; d++ {
			switch r.IntN(8) {
			case 0:
				list, weights[d] = append(list, workdays.Holiday{Date: d, Name: "closed"}), 0
			case 1:
				weights[d] = 1 + r.IntN(99)
				list = append(list, workdays.Holiday{Date: d, Name: "short", Weight: weights[d]})
			}
		}
		cal := workdays.New("c", workdays.WeekdaySet(r.IntN(128)<<1)&^(1<<civil.Monday)).WithHolidays(list)
		env := eval.Env{Calendar: cal, Names: []string{"a", "b"}, Fiscal: civil.DefaultFiscalCalendar}
		prog, err := eval.Compile("counted days from a through b", nil, env)
		check(t, err)
		window := civil.Span{First: from, Last: from + 119}
		for range 20 {
			first := from + civil.Date(r.IntN(100))
			span := civil.Span{First: first, Last: first + civil.Date(r.IntN(1+r.IntN(20)))}
			a, b := ends[r.IntN(len(ends))], ends[r.IntN(len(ends))]
			row := []eval.Value{eval.Str(span.First.String() + a.text), eval.Str(span.Last.String() + b.text)}
			want := map[civil.Date]int{} // in hundredths of quarters
			sum := 0
			for d := span.First; d <= span.Last; d++ {
				weight := 0
				if cal.IsWorkday(d) {
					weight = 100
				}
				if w, ok := weights[d]; ok && weight > 0 {
					weight = w
				}
				for q := range quarters {
					if (d == span.First && q < a.begins) || (d == span.Last && q >= b.ends) {
						continue
					}
					want[d] += max(0, min((q+1)*100, weight*quarters)-q*100)
				}
				sum += want[d]
			}
			name := fmt.Sprintf("%s through %s", row[0], row[1])
			extent, _, err := rows.ParseRange(row[0], row[1], window.Last)
			v, measured := prog.Eval(append([]eval.Value{}, row...))
			if span.First == span.Last && a.begins >= b.ends {
				if err == nil || measured == nil {
					t.Fatalf("%s: %v, %v: a range of nothing", name, err, measured)
				}
				continue
			}
			check(t, err)
			check(t, measured)
			if extent.HasHalf() {
				halves++
			}
			is := func(what string, got eval.Value, want int) {
				t.Helper()
				if exact := eval.Fraction(int64(want), quarters*100); eval.CompareCells(got, exact) != 0 {
					t.Fatalf("%s: %s is %s, want %s", name, what, got, exact)
				}
			}
			is("counted days", v, sum)
			byDay := rows.Spread{Window: civil.AllDays, Calendar: cal, HasHalves: true}
			check(t, byDay.Pieces(extent, func(cells []eval.Value) error {
				is("the piece of "+cells[0].String(), cells[1], want[cells[0].Day])
				return nil
			}))
			total := eval.Int(0)
			byMonth := rows.Spread{Window: civil.AllDays, Calendar: cal, By: months, ShowCounted: true}
			check(t, byMonth.Pieces(extent, func(cells []eval.Value) error {
				total = eval.Add(total, cells[5])
				return nil
			}))
			is("the sum by month", total, sum)
			grid := rows.NewGrid("who", window, false, cal)
			check(t, grid.Mark("x", extent, "L", cal))
			_, marked := grid.Row("x")
			_, all := grid.Totals()
			is("the grid", marked, sum)
			is("the grid's total", all, sum)
		}
	}
	if halves < 5000 {
		t.Errorf("%d ranges with halves", halves)
	}
}

// TestGrid_halves: two halves of a day are one mark, others stand side by side.
func TestGrid_halves(t *testing.T) {
	cal := workdays.New("c", 0).WithHolidays(workdays.HolidayList{{Date: 740001, Name: "short", Weight: 80}})
	day := func(d civil.Date, starts, ends bool) workdays.Extent {
		return workdays.Extent{Span: civil.Span{First: d, Last: d}, StartsAtNoon: starts, EndsAtNoon: ends}
	}
	g := rows.NewGrid("who", civil.Span{First: 740000, Last: 740003}, false, cal)
	for _, m := range []struct {
		at   workdays.Extent
		mark string
	}{{day(740000, false, true), "L"}, {day(740000, true, false), "L"}, {day(740001, false, true), "L"}, {day(740001, true, false), "S"},
		{day(740002, true, false), "L"}, {day(740002, true, false), "L"}, {day(740003, true, false), "S"}, {day(740003, false, false), "L"}} {
		check(t, g.Mark("x", m.at, m.mark, cal))
	}
	marks, n := g.Row("x")
	if got, want := fmt.Sprint(marks, n), "[L L½/S½ L½ S½/L] 3.3"; got != want {
		t.Errorf("%s, want %s", got, want)
	}
}

// TestOverlaps_halves: a morning and an afternoon of one day don't overlap.
func TestOverlaps_halves(t *testing.T) {
	at := func(line int, first, last civil.Date, starts, ends bool) rows.KeyedRange {
		return rows.KeyedRange{Line: line, Key: "a", Extent: workdays.Extent{Span: civil.Span{First: first, Last: last}, StartsAtNoon: starts, EndsAtNoon: ends}}
	}
	apart := []rows.KeyedRange{at(2, 5, 7, true, false), at(3, 3, 5, false, true)}
	if a, b, ok := rows.FindOverlap(apart); ok {
		t.Errorf("%v and %v overlap", a, b)
	}
	if merged := rows.MergeOverlaps(apart); len(merged) != 2 {
		t.Errorf("merged: %v", merged)
	}
	merged := rows.MergeOverlaps([]rows.KeyedRange{at(2, 5, 7, false, true), at(3, 3, 5, false, true), at(4, 7, 7, false, false)})
	if len(merged) != 1 || merged[0].First != 3 || merged[0].Last != 7 || merged[0].HasHalf() {
		t.Errorf("merged: %v", merged)
	}
}
