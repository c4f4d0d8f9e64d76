package eval_test

import (
	"fmt"
	"math/big"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"yoyaku/internal/golden"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/workdays"
)

func day(s string) civil.Date { d, _, _ := civil.Parse(s); return d }

var env = eval.Env{Fiscal: civil.FiscalCalendar{WeekStart: civil.Monday, FiscalMonth: 4, FiscalDay: 1}, Calendar: workdays.New("plain", workdays.Weekend),
	Names: []string{"a", "b", "n", "none", "text", "site", "word"}, Today: day("2027-09-06"),
	Calendars: []string{"shut", "plain"},
	FindCalendar: func(name string) (*workdays.Calendar, error) {
		switch name {
		case "shut":
			return workdays.New("shut", 0).WithHolidays(workdays.HolidayList{{Date: day("2027-02-10"), Name: "Ropes"}, {Date: day("2027-02-11"), Name: "Nets"}}), nil
		case "plain":
			return workdays.New("plain", workdays.Weekend), nil
		}
		return nil, nil
	},
	Strftime: func(layout string) (func(eval.Value) string, error) {
		return func(v eval.Value) string {
			return strings.ReplaceAll(layout, "%F", v.Day.String()) + fmt.Sprint(v.Minutes)
		}, nil
	}}

// valueFunc works out a phrase: a and b are dates, b any other text too, n is 2.5.
func valueFunc(t *testing.T, text, a, b string) string {
	t.Helper()
	prog, err := eval.Compile(text, nil, env)
	if err != nil {
		return "error: " + err.Error()
	}
	n, _ := eval.ParseNumber("2.50")
	second := eval.Day(day(b))
	if second.Kind == eval.Blank {
		second = eval.Str(b)
	}
	v, err := prog.Eval([]eval.Value{eval.Day(day(a)), second, n, {}, eval.Str("2027-04-01 09:30"), eval.Str("shut"), eval.Str("Harbour")})
	if err != nil {
		return "error: " + err.Error()
	}
	return v.String()
}

// The language's worked examples for measures, its tables, and the corners.
func TestMeasures(t *testing.T) {
	for _, c := range golden.Cases(t, "testdata/measures.cases", 4) {
		got := valueFunc(t, c[0], c[1], c[2])
		switch {
		case c[0] == "a + 3":
			if !strings.Contains(got, "expected a number") {
				t.Errorf("%s is %s", c[0], got)
			}
		case strings.Contains(c[3], "column 0"):
			if !strings.Contains(got, "different kinds") && got != c[1] {
				t.Errorf("%s is %s", c[0], got)
			}
		case got != c[3]:
			t.Errorf("%s (a %s, b %s) is\n  %s, want\n  %s", c[0], c[1], c[2], got, c[3])
		}
	}
}

// Measures against days walked one by one, by package time alone.
func TestMeasuresAgainstWalking(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	const iso = "2006-01-02"
	clamp := func(d time.Time, months int) time.Time {
		end := time.Date(d.Year(), d.Month()+time.Month(months)+1, 0, 0, 0, 0, 0, time.UTC)
		return time.Date(end.Year(), end.Month(), min(d.Day(), end.Day()), 0, 0, 0, 0, time.UTC)
	}
	lasting := func(d time.Time, months int) time.Time {
		to := clamp(d, months)
		if to.Day() < d.Day() {
			return to
		}
		return to.AddDate(0, 0, -1)
	}
	worlds := 4000
	if testing.Short() {
		worlds = 400
	}
	for range worlds {
		a := time.Date(2020+r.IntN(8), time.Month(1+r.IntN(12)), 1+r.IntN(31), 0, 0, 0, 0, time.UTC)
		b := a.AddDate(0, 0, r.IntN(1500))
		count := func(through bool, keep func(time.Time) bool) int {
			n := 0
			for d := a; !d.After(b); d = d.AddDate(0, 0, 1) {
				if (through || d != a) && keep(d) {
					n++
				}
			}
			return n
		}
		all := func(time.Time) bool { return true }
		working := func(d time.Time) bool { return d.Weekday() != 0 && d.Weekday() != 6 }
		wd := time.Weekday(r.IntN(7))
		on := func(d time.Time) bool { return d.Weekday() == wd }
		months, through := 0, 0
		for !clamp(a, months+1).After(b) {
			months++
		}
		for !lasting(a, through+1).After(b) {
			through++
		}
		rest := int(b.Sub(clamp(a, months)).Hours() / 24)
		started := months
		if rest > 0 {
			started++
		}
		name := strings.ToLower(wd.String()) + "s"
		for text, want := range map[string]any{
			"days from a to b": count(false, all), "days from a through b": count(true, all), "working days from a to b": count(false, working),
			"weekdays from a through b": count(true, working), name + " from a to b": count(false, on), name + " from a through b": count(true, on),
			"months from a to b": months, "months from a through b": through, "started months from a to b": started, "quarters from a to b": months / 3,
			"years from a to b": months / 12, "weeks from a to b": count(false, all) / 7,
			"age from a to b": fmt.Sprintf("%dy %dm %dd", months/12, months%12, rest),
		} {
			as, bs := a.Format(iso), b.Format(iso)
			if got := valueFunc(t, text, as, bs); got != fmt.Sprint(want) {
				t.Fatalf("%s, a %s, b %s: %s, want %v", text, as, bs, got, want)
			}
			if n, isNumber := want.(int); isNumber && as != bs { // and backwards the exact negative
				if got := valueFunc(t, text, bs, as); got != fmt.Sprint(-n) {
					t.Fatalf("%s, a %s, b %s: %s, want %d", text, bs, as, got, -n)
				}
			}
		}
	}
}

// Anniversaries, and the days of fiscal periods, by walking the days.
func TestAnniversariesAgainstWalking(t *testing.T) {
	r := rand.New(rand.NewPCG(12, 1))
	const iso = "2006-01-02"
	worlds := 3000
	if testing.Short() {
		worlds = 400
	}
	for range worlds {
		base := time.Date(2015+r.IntN(10), time.Month(1+r.IntN(12)), 1+r.IntN(31), 0, 0, 0, 0, time.UTC)
		if r.IntN(4) == 0 {
			base = time.Date(2016+4*r.IntN(3), 2, 29, 0, 0, 0, 0, time.UTC)
		}
		of := base.AddDate(0, 0, r.IntN(3000)-600)
		is := func(d time.Time) bool { // d is an anniversary of base
			next := d.AddDate(0, 0, 1)
			kept := base.Month() == 2 && base.Day() == 29 && d.Month() == 2 && d.Day() == 28 && next.Month() == 3
			return !d.Before(base) && (d.Month() == base.Month() && d.Day() == base.Day() || kept)
		}
		walk := func(d time.Time, by int) string {
			for n := 0; n < 12000; n++ {
				if is(d) {
					return d.Format(iso)
				}
				if by < 0 && d.Before(base) {
					return ""
				}
				d = d.AddDate(0, 0, by)
			}
			return ""
		}
		for text, want := range map[string]string{
			"a, anniversary on or after b": walk(of, 1), "a, anniversary after b": walk(of.AddDate(0, 0, 1), 1), "a, anniversary on or before b": walk(of, -1),
		} {
			if got := valueFunc(t, text, base.Format(iso), of.Format(iso)); got != want {
				t.Fatalf("%s, a %s, b %s: %s, want %s", text, base.Format(iso), of.Format(iso), got, want)
			}
		}
		// The fiscal year starts in April.
		start := time.Date(base.Year(), 4, 1, 0, 0, 0, 0, time.UTC)
		if base.Before(start) {
			start = start.AddDate(-1, 0, 0)
		}
		months := 0
		for !start.AddDate(0, months+1, 0).After(base) {
			months++
		}
		q := start.AddDate(0, months/3*3, 0)
		for text, want := range map[string]any{
			"a, start of fiscal year": start.Format(iso), "a, end of fiscal year": start.AddDate(1, 0, -1).Format(iso), "a, start of fiscal quarter": q.Format(iso),
			"a, end of next fiscal quarter": q.AddDate(0, 6, -1).Format(iso), "a, start of fiscal half": start.AddDate(0, months/6*6, 0).Format(iso),
			"fiscal year of a": fmt.Sprint("FY", start.Year()+1), "fiscal quarter of a": fmt.Sprint("FQ", months/3+1), "fiscal month of a": months + 1,
			"days in fiscal quarter of a": int(q.AddDate(0, 3, 0).Sub(q).Hours() / 24),
		} {
			if got := valueFunc(t, text, base.Format(iso), ""); got != fmt.Sprint(want) {
				t.Fatalf("%s, a %s: %s, want %v", text, base.Format(iso), got, want)
			}
		}
	}
}

// Decimals are exact: any sum of products agrees with math/big.
func TestExactDecimals(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 9))
	sums := 3000
	if testing.Short() {
		sums = 500
	}
	for range sums {
		text, want := "0", new(big.Rat)
		for range 1 + r.IntN(5) {
			n := fmt.Sprintf("%d.%0*d", r.IntN(1_000_000_000), 1+r.IntN(9), r.IntN(10))
			m := fmt.Sprint(1 + r.IntN(999_999_999))
			x, _ := new(big.Rat).SetString(n)
			y, _ := new(big.Rat).SetString(m)
			switch r.IntN(3) {
			case 0:
				text, want = text+" + "+n+" * "+m, want.Add(want, x.Mul(x, y))
			case 1:
				k := r.IntN(9) - 4
				base := fmt.Sprintf("%d.%d", 1+r.IntN(20), r.IntN(100))
				z, _ := new(big.Rat).SetString(base)
				text += fmt.Sprintf(" + 3 * %s ^ %d", base, k)
				for y.SetInt64(3); k > 0; k-- {
					y.Mul(y, z)
				}
				for ; k < 0; k++ {
					y.Quo(y, z)
				}
				want.Add(want, y)
			default:
				text, want = text+" - "+n+" / "+m, want.Sub(want, x.Quo(x, y))
			}
		}
		got := valueFunc(t, text, "", "")
		if s := strings.TrimRight(strings.TrimRight(want.FloatString(10), "0"), "."); got != s && !(s == "-0" && got == "0") {
			t.Fatalf("%s = %s, want %s", text, got, s)
		}
	}
}

// Whatever the phrase and the cells, the answer is a value in bounds or an
// error that points into the phrase.
func FuzzEval(f *testing.F) {
	for _, s := range []string{"a, +n months", "working days from a through b using (site)", "round n / 3 to 2", "if word = text then (a, end of fiscal year) else b",
		"age from a to b", "30E/360 ISDA years from a to b", "a, anniversary on or after b, lasting n working days", "text as '%F' contains word", "days in next half-year of a"} {
		f.Add(s, "2027-01-31", "7", "x")
	}
	f.Fuzz(func(t *testing.T, text, a, n, word string) {
		prog, err := eval.Compile(text, nil, env)
		if err != nil {
			return
		}
		cells := []eval.Value{eval.Str(a), eval.Day(740000), eval.Str(n), {}, eval.Str(word), eval.Str("shut"), eval.Str(a)}
		bare, bareErr := prog.Eval(slices.Clone(cells)) // the same without a trace
		var v eval.Value
		var moves []eval.Move
		err = prog.EvalInto(cells, &moves, &v)
		if v != bare || (err == nil) != (bareErr == nil) {
			t.Fatalf("%q gives %v with a trace and %v without", text, v, bare)
		}
		if n := len(moves); n > 0 && v.Kind == eval.Date && moves[n-1].To != v.Day {
			t.Fatalf("%q gives %v, and its last move is to %v", text, v, moves[n-1].To)
		}
		if err == nil && (v.Kind == eval.Date || v.Kind == eval.DateTime) && !v.Day.Valid() {
			t.Fatalf("%q gives day %d", text, v.Day)
		}
		_ = eval.Reasons(moves)
		_ = v.String()
	})
}

// Words that people bring from elsewhere get the phrase to write instead, where
// they are met: in a rule, in a step, in a value.
func TestForeignHints(t *testing.T) {
	for _, c := range golden.Cases(t, "testdata/brought.cases", 2) {
		_, err := eval.CompileRule(c[0], env)
		if !phrase.IsRule(c[0]) {
			_, err = eval.Compile(c[0], nil, env)
		}
		if err == nil || !strings.Contains(err.Error(), "write `") || !strings.Contains(err.Error(), c[1]) {
			t.Errorf("%q: %v, want %q", c[0], err, c[1])
		}
	}
}

// The last date of a rule is one in a short month alone where the rule that skips short months
// lacks it.
func TestEndsClamped_asSkippingLacksIt(t *testing.T) {
	r := rand.New(rand.NewPCG(36, 7))
	env := eval.Env{Fiscal: civil.DefaultFiscalCalendar}
	last := func(text string) civil.Date {
		rec, err := eval.CompileRule(text, env)
		if err != nil {
			t.Fatal(err)
		}
		d, _ := rec.Rule.Before(civil.Max)
		return d.Date
	}
	clamped := 0
	for range 16000 {
		from, _ := civil.NewDate(2024, 1, 1)
		from += civil.Date(r.IntN(800))
		if _, _, d := from.YMD(); d < 29 && r.IntN(4) > 0 {
			from += civil.Date(29 - d)
		}
		every, unit := 1+r.IntN(14), r.IntN(4)
		until := from + civil.Date(1+r.IntN(1500))
		if r.IntN(2) == 0 { // the end of a month in which a date may lie
			y, m, _ := from.YMD()
			m += every*[]int{1, 3, 6, 12}[unit]*(1+r.IntN(3)) - r.IntN(2)
			until, _ = civil.NewDate(y+m/12, m%12+1, 1)
			until--
		}
		text := fmt.Sprintf("every %d %s from %s until %s", every, []string{"months", "quarters", "half-years", "years"}[unit], from, until)
		rec, err := eval.CompileRule(text, env)
		if err != nil {
			t.Fatal(err)
		}
		want := until > from && last(text) == until && last(text+" skipping short months") != until
		if got := rec.Rule.EndsClamped(); got != want {
			t.Fatalf("%s: ends clamped: %v, want %v", text, got, want)
		}
		if want {
			clamped++
		}
	}
	if clamped < 100 {
		t.Errorf("only %d ended so", clamped)
	}
}

// TestRound_random rounds 3,000 decimals by whole numbers of thousandths, each way and to multiples.
func TestRound_random(t *testing.T) {
	r := rand.New(rand.NewPCG(39, 1))
	for range 3000 {
		x, step := r.IntN(20_001)-10_000, 1+r.IntN(3000)
		way := r.IntN(3) - 1
		abs := max(x, -x)
		whole := abs / step
		switch rest := abs % step; {
		case way > 0 && rest > 0, way == 0 && 2*rest >= step:
			whole++
		}
		want := whole * step
		if x < 0 {
			want = -want
		}
		thousandths := func(n int) string {
			sign := ""
			if n < 0 {
				sign, n = "-", -n
			}
			return fmt.Sprintf("%s%d.%03d", sign, n/1000, n%1000)
		}
		text := fmt.Sprintf("round %s(0 + %s) to multiples of %s", []string{"down ", "", "up "}[way+1], strings.Replace(thousandths(x), "-", "0 - ", 1), thousandths(step))
		if got := valueFunc(t, text, "", ""); got != strings.Replace(thousandths(want), "-0.000", "0.000", 1) {
			t.Fatalf("%s is %s, want %s", text, got, thousandths(want))
		}
	}
}
