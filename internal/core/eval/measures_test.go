package eval_test

import (
	"fmt"
	"math/big"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/workdays"
)

func day(s string) civil.Date { d, _, _ := civil.Parse(s); return d }

var env = eval.Env{Frame: civil.Frame{WeekStart: civil.Monday, FiscalMonth: 4, FiscalDay: 1}, Calendar: workdays.New("plain", workdays.Weekend),
	Names: []string{"a", "b", "n", "none", "text", "site", "word"}, Today: day("2027-09-06"),
	Calendars: []string{"shut", "plain"},
	Find: func(name string) (*workdays.Calendar, error) {
		switch name {
		case "shut":
			return workdays.New("shut", 0).WithHolidays(workdays.List{{Date: day("2027-02-10"), Name: "Ropes"}, {Date: day("2027-02-11"), Name: "Nets"}}), nil
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

// value works out a phrase: a and b are dates, n is 2.5.
func value(t *testing.T, text, a, b string) string {
	t.Helper()
	prog, err := eval.Compile(text, nil, env)
	if err != nil {
		return "error: " + err.Error()
	}
	n, _ := eval.ParseNumber("2.50")
	v, err := prog.Eval([]eval.Value{eval.Day(day(a)), eval.Day(day(b)), n, {}, eval.Str("2027-04-01 09:30"), eval.Str("shut"), eval.Str("Harbour")})
	if err != nil {
		return "error: " + err.Error()
	}
	return v.String()
}

// The language's worked examples for measures, its tables, and the corners.
func TestMeasures(t *testing.T) {
	for _, c := range [][4]string{
		{"working days from today through end of month", "", "", "19"},
		{"working days from a to b", "2027-06-07", "2027-06-04", "-1"},
		{"working days from a through b", "2027-06-07", "2027-06-04", "-2"},
		{"30/360 US days from a to b", "2027-02-28", "2027-08-31", "180"},
		{"30/360 bond days from a to b", "2027-02-28", "2027-08-31", "183"},
		{"30E/360 days from a to b", "2027-02-28", "2027-08-31", "182"},
		{"fridays in month of a", "2027-10-10", "", "5"},
		{"year of a", "2027-03-31", "", "2027"},
		{"half of a", "2027-03-31", "", "H1"},
		{"quarter of a", "2027-03-31", "", "Q1"},
		{"month of a", "2027-03-31", "", "3"},
		{"day of a", "2027-03-31", "", "31"},
		{"day of year of a", "2027-03-31", "", "90"},
		{"iso week of a", "2027-03-31", "", "2027-W13"},
		{"calendar month of a", "2027-03-31", "", "2027-03"},
		{"calendar quarter of a", "2027-03-31", "", "2027-Q1"},
		{"fiscal year of a", "2027-03-31", "", "FY2027"},
		{"fiscal quarter of a", "2027-03-31", "", "FQ4"},
		{"fiscal month of a", "2027-03-31", "", "12"},
		{"month name of a", "2027-03-31", "", "March"},
		{"weekday of a", "2027-03-31", "", "Wed"},
		{"weekday name of a", "2027-03-31", "", "Wednesday"},
		{"weekday number of a", "2027-03-31", "", "3"},
		{"weekday number from sun of a", "2027-03-31", "", "4"},
		{"weekday number from sun of a", "2027-03-28", "", "1"},
		{"working day of a", "2027-03-31", "", "true"},
		{"working day of a using shut", "2027-02-10", "", "false"},
		{"holiday name of a using (site)", "2027-02-10", "", "Ropes"},
		{"holiday name of a", "2027-02-10", "", ""},
		{"days in fiscal year of a", "2028-04-01", "", "365"},
		{"days in fiscal year of a", "2027-04-01", "", "366"},
		{"working days in quarter of a", "2027-02-10", "", "64"},
		{"working days in next month of a using shut", "2027-01-10", "", "26"},
		{"a, +2 working days using (site)", "2027-02-09", "", "2027-02-13"},
		{"a, roll following using (site)", "2027-02-10", "", "2027-02-12"},
		{"a, roll following using (none)", "2027-02-10", "", ""},
		{"a, roll following using (word)", "2027-02-10", "", "error: in \"a, roll following using (word)\", column 26: unknown calendar `Harbour`; calendars here: shut, plain"},
		{"months from a to b", "2027-01-31", "2027-02-28", "1"},
		{"months from a to b", "2027-01-31", "2027-02-27", "0"},
		{"started months from a to b", "2027-01-31", "2027-03-01", "2"},
		{"started months from a through b", "2027-01-01", "2027-01-31", "1"},
		{"started months from a through b", "2027-01-01", "2027-02-15", "2"},
		{"started months from a through b", "2027-01-01", "2027-01-01", "1"},
		{"started months from a through b", "2027-01-31", "2027-02-28", "1"},
		{"months from a through b", "2027-01-01", "2027-01-31", "1"},
		{"months from a to b", "2027-01-01", "2027-01-31", "0"},
		{"months from a to b", "2027-02-28", "2027-01-31", "-1"},
		{"years from a to b", "2024-02-29", "2027-02-28", "3"},
		{"quarters from a to b", "2027-01-15", "2027-07-14", "1"},
		{"weeks from a through b", "2027-01-01", "2027-01-07", "1"},
		{"started weeks from a to b", "2027-01-01", "2027-01-09", "2"},
		{"age from a to b", "2024-02-29", "2027-05-04", "3y 2m 5d"},
		{"age from a to b", "2027-05-05", "2027-05-05", "0y 0m 0d"},
		{"days from a to (b, end of month)", "2027-01-01", "2027-01-05", "30"},
		{"days from a through next fri", "2027-03-31", "", "3"},
		{"weekdays from a to b", "2027-01-01", "2027-01-31", "20"},
		{"sundays from a through b", "2027-01-03", "2027-01-31", "5"},
		{"days from none to b", "", "2027-01-01", ""},
		{"max of n and 2", "", "", "2.5"},
		{"max of 2 and n", "", "", "2.5"},
		{"min of n and 2", "", "", "2"},
		{"min of 2 and n", "", "", "2"},
		{"max of none and 2", "", "", ""},
		{"min of 2 and none", "", "", ""},
		{"days from a to b otherwise 9", "2027-01-01", "2027-01-02", "1"},
		{"days from none to b otherwise 9", "", "2027-01-02", "9"},
		{"a as '%F'", "2027-03-31", "", "2027-03-310"},
		{"(a, at 16:30) as 'x'", "2027-03-31", "", "x990"},
		{"a, +1 day as '%F'", "2027-03-31", "", "2027-04-010"},
		{"text, +1 day", "", "", "2027-04-02"},
		{"1 / 3", "", "", "0.3333333333"},
		{"2 / 3 * 3", "", "", "2"},
		{"1 - 0.9 - 0.1", "", "", "0"},
		{"n * n", "", "", "6.25"},
		{"round n to 0", "", "", "3"},
		{"round -2.5 to 0", "", "", "-3"},
		{"round 1.005 to 2", "", "", "1.01"},
		{"min of n and 3", "", "", "2.5"},
		{"max of days from a to b and 3", "2027-01-01", "2027-01-10", "9"},
		{"999999999 * 999999999 * 999999999 * 999999999 / 999999999", "", "", "999999997000000002999999999"},
		{"2 + 3 * 4 - 6 / 4", "", "", "12.5"},
		{"n / (1 - 1)", "", "", "error: in \"n / (1 - 1)\", column 6: division by zero"},
		{"none + 1", "", "", ""},
		{"none otherwise 5", "", "", "5"},
		{"a, +none months", "2027-01-01", "", ""},
		{"a, +n months", "2027-01-01", "", "error: in \"a, +n months\", column 5: a whole number is wanted here, and this is \"2.5\""},
		{"if n > 2 then 'big' else 'small'", "", "", "big"},
		{"if none = 1 then 'x'", "", "", ""},
		{"if n > 2 then (a, +1 day) else b", "2027-01-01", "", "2027-01-02"},
		{"if n > 2 then a else 'x'", "2027-01-01", "", "error: in \"if n > 2 then a else 'x'\", column 0"},
		{"earlier of a and b", "2027-01-01", "2026-01-01", "2026-01-01"},
		{"later of a and none", "2027-01-01", "", ""},
		{"word, +1 day", "", "", "error: in \"word, +1 day\", column 1: a date is wanted here, and this is \"Harbour\""},
		{"a + 3", "2027-01-01", "", ""},
		{"today + 3", "", "", "error: in \"today + 3\", column 1: dates can't be added up or multiplied; a step needs a unit: +3 days"},
		{"'x' * 2", "", "", "error: in \"'x' * 2\", column 1: a number is wanted here, and this is a text; single quotes make a text; a column's name stands in double quotes: \"x\""},
		{"days from 3 to b", "", "", "error: in \"days from 3 to b\", column 11: a date is wanted here, and this is a number"},
		{"a, +b days", "2027-01-01", "2027-01-02", "error: in \"a, +b days\", column 5: a whole number is wanted here, and this is \"2027-01-02\""},
		{"ACT/360 years from a to b", "2027-01-01", "2027-07-01", "0.5027777778"},
		{"n in (2.5, 3) and word in ('Harbour')", "", "", "true"},
		{"working days from a to b using shut", "2027-02-08", "2027-02-12", "2"},
	} {
		got := value(t, c[0], c[1], c[2])
		switch {
		case c[0] == "a + 3":
			if !strings.Contains(got, "a number is wanted") {
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
			if got := value(t, text, as, bs); got != fmt.Sprint(want) {
				t.Fatalf("%s, a %s, b %s: %s, want %v", text, as, bs, got, want)
			}
			if n, isNumber := want.(int); isNumber && as != bs { // and backwards the exact negative
				if got := value(t, text, bs, as); got != fmt.Sprint(-n) {
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
			if got := value(t, text, base.Format(iso), of.Format(iso)); got != want {
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
			if got := value(t, text, base.Format(iso), ""); got != fmt.Sprint(want) {
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
			if r.IntN(2) == 0 {
				text, want = text+" + "+n+" * "+m, want.Add(want, x.Mul(x, y))
			} else {
				text, want = text+" - "+n+" / "+m, want.Sub(want, x.Quo(x, y))
			}
		}
		got := value(t, text, "", "")
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
		err = prog.Into(cells, &moves, &v)
		if v != bare || (err == nil) != (bareErr == nil) {
			t.Fatalf("%q gives %v with a trace and %v without", text, v, bare)
		}
		if n := len(moves); n > 0 && v.Kind == eval.Date && moves[n-1].To != v.Day {
			t.Fatalf("%q gives %v, and its last move is to %v", text, v, moves[n-1].To)
		}
		if err == nil && (v.Kind == eval.Date || v.Kind == eval.Moment) && !v.Day.Valid() {
			t.Fatalf("%q gives day %d", text, v.Day)
		}
		_ = eval.Reasons(moves)
		_ = v.String()
	})
}

// Words that people bring from elsewhere get the phrase to write instead, where
// they are met: in a rule, in a step, in a value.
func TestBrought(t *testing.T) {
	for _, c := range [][2]string{
		{"biweekly", "fortnightly on fri from DATE"},
		{"biweekly on tue", "fortnightly on tue from DATE"},
		{"semi-monthly", "monthly on 15, last"},
		{"twice a month", "monthly on 15, last"},
		{"every friday", "weekly on fri"},
		{"every other friday", "fortnightly on fri from DATE"},
		{"every month", "monthly on 15"},
		{"every day", "daily"},
		{"every weekday", "weekly on mon-fri"},
		{"the 15th of each month", "monthly on 15"},
		{"1st and 15th of month", "monthly on 1, 15"},
		{"1st and 15th", "monthly on 1, 15"},
		{"last friday of every month", "monthly on last fri"},
		{"first monday of each month", "monthly on 1st mon"},
		{"month end", "monthly on last"},
		{"EOM", "end of month"},
		{"net 30", "invoiced, +30 days"},
		{"30 days after invoice", "invoiced, +30 days"},
		{"end of the quarter", "end of quarter"},
		{"business day", "working day"},
		{"today, next business day", "next working day"},
		{"first of the month", "monthly on 1"},
		{"quarter end", "quarterly on last"},
		{"bi-monthly", "every 2 months"},
		{"semi-annually", "half-yearly on last"},
		{"T+2", "NAME, +2 working days"},
		{"tomorrow", "today, +1 day"},
		{"today, +5 business days", "5 working days"},
		{"10 days before a", "NAME, -10 days"},
		{"annually", "yearly"},
		{"today, next month", "start of next month"},
		{"last business day of the month", "monthly on last working day"},
		{"every december", "yearly on 1 dec"},
		{"today, tomorrow", "today, +1 day"},
		{"monthly on 15 then following", "roll following"},
		{"year-end", "yearly on last day of dec"},
		{"mid-month", "monthly on 15"},
		{"90 days from now", "today, +90 days"},
	} {
		_, err := eval.CompileRule(c[0], env)
		if !phrase.IsRule(c[0]) {
			_, err = eval.Compile(c[0], nil, env)
		}
		if err == nil || !strings.Contains(err.Error(), "write `") || !strings.Contains(err.Error(), c[1]) {
			t.Errorf("%q: %v, want %q", c[0], err, c[1])
		}
	}
}
