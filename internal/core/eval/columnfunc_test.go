package eval_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/workdays"
)

// What is worked out for runs of rows from days alone is what each row gives by itself; a run
// is given back if a row of it is blank, at fault, or beyond what the calendar knows. Other
// phrases have no such way.
func TestColumnFunc_againstRows(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 1))
	cal := workdays.New("known", workdays.Weekend).WithHolidays(workdays.HolidayList{{Date: 739000, Nominal: 739000, Name: "h"}})
	cal.Coverage = civil.Span{First: 738000, Last: 741000}
	env := eval.Env{Fiscal: civil.DefaultFiscalCalendar, Calendar: cal, Names: []string{"a", "b", "n"}, Today: 739500,
		Kinds: []eval.Kind{eval.AnyKind, eval.AnyKind, eval.AnyKind}}
	gave, gaveBack := 0, 0
	for _, c := range []struct {
		quick  bool
		phrase string
	}{
		{true, "a, +1 month"}, {true, "a, -13 months"}, {true, "b, +1 month keep month end"}, {true, "a, +1 year +3 days"},
		{true, "a, end of month"}, {true, "a, start of next month"}, {true, "a, middle of month"}, {true, "a, end of previous quarter"},
		{true, "a, roll following"}, {true, "b, end of month, roll modified following, +2 days"}, {true, "a, +5 working days"},
		{true, "a, 5th mon of month"}, {true, "a, 2nd working day of next month"}, {true, "a, next fri"}, {true, "a, lasting 3 months"},
		{true, "a, lasting 4 working days"}, {true, "today, +1 month"}, {true, "2027-01-31, +1 month, roll preceding"},
		{true, "days from a to b"}, {true, "working days from a through b"}, {true, "weekdays from a to today"},
		{true, "working days from 2024-12-31 to b"}, {true, "months from a to b"}, {true, "30E/360 days from a to b"},
		{true, "a, 29 feb"},
		{true, "a, +n days"}, {true, "a, -n months keep month end, roll following"}, {true, "a, lasting n months"}, {true, "b, +n working days"},
		{true, "a, lasting n working days, end of month"}, {true, "a, -n years"},
		{false, "a, +n months 2 days"}, {false, "a, +n days, at 12:00"}, {false, "a, at 12:00"}, {false, "a, steps in b"}, {false, "a"},
		{false, "a, roll following using (b)"}, {false, "later of a and b"}, {false, "if a < b then a else b"}, {false, "year of a"},
		{false, "days from today to 2027-01-01"}, {false, "counted days from a to b"}, {false, "working days in month of a"},
		{false, "30E/360 years from a to b"}, {false, "days from (a, +1 day) to b"}, {false, "a, at 9:00, in zone 'Asia/Tokyo'"},
	} {
		p, err := eval.Compile(c.phrase, nil, env)
		if err != nil {
			if c.quick {
				t.Errorf("%s: %v", c.phrase, err)
			}
			continue
		}
		lane := p.ColumnFunc()
		if (lane != nil) != c.quick {
			t.Errorf("%s: a quick way is %v", c.phrase, lane != nil)
		}
		for range 2000 {
			if lane == nil {
				break
			}
			n := 1 + r.IntN(4)
			columns, column, good := [][]int32{make([]int32, n), make([]int32, n), make([]int32, n)}, make([]int32, n), true
			var want []eval.Value
			for i := range n {
				columns[2][i] = int32(r.IntN(40))
				for k := range columns[:2] {
					columns[k][i] = int32(739000 + r.IntN(1500))
					if r.IntN(30) == 0 {
						columns[k][i] = []int32{int32(civil.Min), int32(civil.Max), int32(civil.Max) - 40, 738000, 741000, 700000, 737999}[r.IntN(7)]
					}
				}
				before, after := cal.Misses()
				v, err := p.Eval([]eval.Value{eval.Day(civil.Date(columns[0][i])), eval.Day(civil.Date(columns[1][i])),
					eval.Str(fmt.Sprint(columns[2][i]))})
				missed, later := cal.Misses()
				good = good && err == nil && v.Kind != eval.Blank && !v.Provisional && before == missed && after == later
				want = append(want, v)
			}
			before, after := cal.Misses()
			ok := lane(columns, column)
			if missed, later := cal.Misses(); ok != good || before != missed || after != later {
				t.Fatalf("%s of %v: taken %v, should be %v", c.phrase, columns, ok, good)
			}
			for i, v := range want {
				got := eval.Day(civil.Date(column[i]))
				if v.Kind == eval.Number {
					got = eval.Int(int(column[i]))
				}
				if ok && got != v {
					t.Fatalf("%s of %v: row %d is %v, by itself %v", c.phrase, columns, i, got, v)
				}
			}
			gave, gaveBack = gave+btoi(ok), gaveBack+btoi(!ok)
		}
	}
	if gave < 30000 || gaveBack < 2000 {
		t.Errorf("%d runs were taken and %d given back", gave, gaveBack)
	}
}

func btoi(b bool) int {
	if b {
		return 1
	}
	return 0
}
