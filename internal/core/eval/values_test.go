package eval_test

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync/atomic"
	"testing"
	"unicode/utf8"

	"yoyaku/internal/golden"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/workdays"
)

// Cells sort as numbers, then dates, then true and false, then texts, blanks
// last; what is read is what is in the cell.
func TestCompareCells(t *testing.T) {
	moment := func(day string, minutes int16) eval.Value {
		d, _, _ := civil.Parse(day)
		return eval.Value{Kind: eval.DateTime, Day: d, Minutes: minutes}
	}
	rising := []eval.Value{
		eval.Int(-3),
		eval.Str("2"),
		eval.Str(" 2.5 "),
		eval.Int(10),
		eval.Str("1999-03-12"),
		moment("2027-01-15", 0),
		moment("2027-01-15", 600),
		eval.Day(day("2027-01-16")),
		eval.Str("2027-01-17 09:30"),
		eval.Bool(false),
		eval.Bool(true),
		eval.Str("Harbour"),
		eval.Str("harbour"),
		eval.Str("x"),
		{},
	}
	for i, a := range rising {
		for j, b := range rising {
			got := eval.CompareCells(a, b)
			if got < 0 != (i < j) || got > 0 != (i > j) {
				t.Errorf("%q against %q: %d", a, b, got)
			}
		}
	}
	if eval.CompareCells(eval.Str("  "), eval.Value{}) != 0 || eval.CompareCells(eval.Str(" "), eval.Str("a")) <= 0 {
		t.Error("white space alone is a blank")
	}
	for _, c := range [][2]string{
		{"007", "007"},
		{"2027-01-15 00:00:00", "2027-01-15"},
		{"2027-W02-5", "2027-01-15"},
		{"Harbour", "Harbour"},
		{"1.50", "1.50"},
	} {
		if got := eval.CellKey(eval.Str(c[0])); got != c[1] {
			t.Errorf("the key of %s is %s, want %s", c[0], got, c[1])
		}
	}
}

// Numbers as they are read and printed.
func TestNumbers(t *testing.T) {
	for _, c := range []struct {
		in, out string
		ok      bool
	}{
		{"12", "12", true},
		{"-0.50", "-0.5", true},
		{"+7", "7", true},
		{"1.", "1", true},
		{".5", "0.5", true},
		{"", "", false},
		{".", "", false},
		{"-", "", false},
		{"1.2.3", "", false},
		{"1e5", "", false},
		{"12a", "", false},
		{"123456789012345678", "123456789012345678", true},
		{"1234567890123456789012.5", "1234567890123456789012.5", true},
		{strings.Repeat("9", 400), strings.Repeat("9", 400), true},
		{strings.Repeat("9", 401), "", false},
		{"99999999999999999999x", "", false},
		{"1234567890123456789/3", "", false},
		{"1234567890123456789e5", "", false},
		{"0000000000000000002p8000000", "", false},
		{"1_0000000000000000000", "", false},
		{"1234567890123456789.5.5", "", false},
	} {
		v, ok := eval.ParseNumber(c.in)
		if ok != c.ok || ok && v.String() != c.out {
			t.Errorf("%q is %q, %v; want %q", c.in, v, ok, c.out)
		}
	}
	for in, out := range map[string]string{"1.50": "1.50", "2": "2", "-3.10": "-3.10", "x": "x", "1e5": "1e5"} {
		if got := eval.LiteralNumber(in); got.String() != out {
			t.Errorf("the numeral %s prints as %s", in, got)
		}
	}
	for n := -3; n < 12_000; n += 1 + n/300 {
		v := eval.Int(n)
		if got := string(v.AppendNumber(nil)); got != fmt.Sprint(n) {
			t.Fatalf("%d is written as %s", n, got)
		}
	}
	// A rounded number prints with its places; as a key it is the number alone.
	for text, want := range map[string][2]string{"round 1200.5 to 2": {"1200.50", "1200.5"}, "round 12345678901234567890123.125 to 2": {"12345678901234567890123.13", "12345678901234567890123.13"},
		"round 2 to 0": {"2", "2"}, "round 7 to 3 - round 1 to 1": {"6.000", "6"}, "round 7 to 3 * 2": {"14", "14"}, "round 1 / 3 to 2 + 1": {"1.33", "1.33"}, "max of 1 and round 3 to 1": {"3.0", "3"}} {
		p, err := eval.Compile(text, nil, eval.Env{})
		if err != nil {
			t.Fatal(err)
		}
		v, _ := p.Eval(nil)
		if v.String() != want[0] || eval.CellKey(v) != want[1] || string(eval.AppendCellKey(nil, &v)) != want[1] || string(v.AppendNumber(nil)) != want[0] {
			t.Errorf("%s is %s, as a key %s, %s", text, v, eval.CellKey(v), eval.AppendCellKey(nil, &v))
		}
	}
	// Cells as amounts, and in units of cents.
	for text, want := range map[string]string{"": "true 0 ", " ": "true 0 ", "1200.50": "false 120050 ", "-0.01": "false -1 ", "x": "false 0 expected an amount", "1.005": "false 0 more than 2 decimal places",
		"2027-01-01": "false 0 expected an amount", "92233720368547758.07": "false 9223372036854775807 ", "92233720368547758.08": "false 0 too large", "-92233720368547758.08": "false 0 too large"} {
		units, blank, err := eval.ToUnits(eval.Value{Kind: eval.Text, Text: text}, 2)
		if got := fmt.Sprint(blank, units, " "); !strings.HasPrefix(want, got) || (err == nil) != (want == got) || err != nil && !strings.Contains(err.Error(), want[len(got):]) {
			t.Errorf("%q in cents: %v, %v, want %s", text, got, err, want)
		}
		n, none, err := eval.ParseAmount(eval.Value{Kind: eval.Text, Text: text})
		if none != (strings.TrimSpace(text) == "") || (err != nil) != (text == "x" || text == "2027-01-01") || err == nil && !none && n.Kind != eval.Number {
			t.Errorf("%q as an amount: %v %v %v", text, n, none, err)
		}
	}
	for _, c := range []struct{ a, b, sum, less string }{{"1.50", "2.25", "3.75", "-0.75"}, {"", "2.25", "2.25", ""}, {"1.50", "", "1.50", ""}, {"1.50", "0.50", "2.00", "1.00"}} {
		fixed := func(s string) eval.Value {
			units, blank, _ := eval.ToUnits(eval.Str(s), 2)
			if blank {
				return eval.Value{}
			}
			return eval.FromUnits(units, 2)
		}
		a, b := fixed(c.a), fixed(c.b)
		if got := eval.Add(a, b); got.String() != c.sum {
			t.Errorf("%s + %s is %s", c.a, c.b, got)
		}
		if c.less != "" && eval.Subtract(a, b).String() != c.less {
			t.Errorf("%s - %s is %s", c.a, c.b, eval.Subtract(a, b))
		}
	}
	if got := eval.Prorate(eval.Int(10_000), 22, 12*31, 2); got.String() != "591.40" {
		t.Errorf("a part of a rate: %s", got)
	}
	// What no exact number can be.
	for text, want := range map[string]string{"10 ^ 1000": "more than 1000 digits", "10 ^ 999 * 10": "more than 1000 digits", "1 / 10 ^ 999 / 10": "more than 1000 digits", "2 ^ 1.5": "from -1000 to 1000, a whole number", "2 ^ 1001": "a whole number", "1 ^ -1001": "a whole number",
		"0 ^ -1": "division by zero", "7 ^ 1000 ^ 2": "two ways", "3 ^ (999999999 * 999999999 * 999999999)": "a whole number", "10 ^ 999": "", "1 ^ -1000": "", "0.1 ^ 999": "", "(-1) ^ 1000": ""} {
		p, err := eval.Compile(text, nil, eval.Env{})
		if err == nil {
			_, err = p.Eval(nil)
		}
		if (err == nil) != (want == "") || err != nil && !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v, want %q", text, err, want)
		}
	}
	// The value above stands for the bare word alone, in whatever slot.
	for slot := range 2 {
		names := []string{"prior", "n"}
		p, err := eval.Compile(`prior & "prior" & Prior`, nil, eval.Env{Names: names, PriorSlot: slot + 1})
		if err != nil {
			t.Fatal(err)
		}
		if v, _ := p.Eval([]eval.Value{eval.Str("a"), eval.Str("b")}); v.String() != []string{"aaa", "bab"}[slot] {
			t.Errorf("slot %d gives %s", slot, v)
		}
	}
	if got := eval.Truncate(strings.Repeat("ü", 61)); got != strings.Repeat("ü", 60)+"…" {
		t.Errorf("a long text is shown as %q", got)
	}
	if got := eval.Truncate(strings.Repeat("ü", 60)); strings.HasSuffix(got, "…") {
		t.Errorf("a text that fits is shown as %q", got)
	}
}

// Windows, and dates that stand alone.
func TestWindows(t *testing.T) {
	for _, c := range golden.Cases(t, "testdata/windows.cases", 2) {
		e := env
		e.Names = nil
		s, err := eval.ParseWindow(c[0], e)
		got := s.First.String() + ".." + s.Last.String()
		if err != nil {
			got = err.Error()
		}
		if !strings.Contains(got, c[1]) {
			t.Errorf("%s is %s, want %s", c[0], got, c[1])
		}
	}
}

// A rule that names a calendar counts and rolls with it.
func TestRuleCalendars(t *testing.T) {
	for _, c := range [][2]string{
		{"every working day using shut", "2027-02-12"},
		{"monthly on 10 using shut then roll following", "2027-02-12"},
		{"monthly on 10 then roll following using shut", "2027-02-12"},
		{"monthly on 10 then roll following", "2027-02-10"},
		{"monthly on 13 using shut then roll following", "2027-02-13"},
		{"monthly on 13 then roll following", "2027-02-15"},
	} {
		rec, err := eval.CompileRule(c[0], env)
		if err != nil {
			t.Fatal(err)
		}
		first, _ := rec.Rule.After(day("2027-02-09"))
		to, _, err := rec.Chain.Run(first.Date, rec.Row, nil)
		if err != nil || to.String() != c[1] {
			t.Errorf("%s gives %s, %v; want %s", c[0], to, err, c[1])
		}
	}
}

// Which columns a phrase takes dates from, which as whatever the cell holds, and
// all that it uses.
func TestUses_slots(t *testing.T) {
	for _, c := range []struct {
		phrase             string
		dates, cells, used string
	}{
		{"a, +1 month", "a", "a", "a"},
		{"a otherwise b, +1 month", "ab", "ab", "ab"},
		{"if n = 1 then a else b", "", "abn", "abn"},
		{"(if n = 1 then a else b), +1 day", "ab", "abn", "abn"},
		{"a < b", "", "ab", "ab"},
		{"word = 'Harbour'", "", "", "word"},
		{"word = 'x' and a < today", "", "a", "aword"},
		{"days from a to b", "ab", "ab", "ab"},
		{"word contains 'x'", "", "", "word"},
	} {
		var dates, cells, used []int
		e := env
		e.Uses.Dates, e.Uses.Cells, e.Uses.All = &dates, &cells, &used
		if _, err := eval.Compile(c.phrase, nil, e); err != nil {
			t.Fatal(err)
		}
		for what, list := range map[string][]int{c.dates: dates, c.cells: cells, c.used: used} {
			slices.Sort(list)
			var names []string
			for _, i := range list {
				names = append(names, env.Names[i])
			}
			if strings.Join(names, "") != what && !(what == c.dates && c.dates == c.cells) {
				t.Errorf("%s: %v, want %s", c.phrase, names, what)
			}
		}
	}
}

// fixed is a series of a few days.
type fixed []civil.Date

func (f fixed) After(d civil.Date, on bool) (civil.Date, bool) {
	for _, at := range f {
		if at > d || on && at == d {
			return at, true
		}
	}
	return civil.None, false
}
func (f fixed) Count(a, b civil.Date) (n int) {
	for _, at := range f {
		if a < at && at <= b {
			n++
		}
	}
	return n
}
func (f fixed) Before(civil.Date, bool) (civil.Date, bool)            { return civil.None, false }
func (f fixed) UncoveredAt(civil.Date) (none workdays.Uncovered)      { return none }
func (f fixed) ByMilestone(string) (eval.DateLookup, []string, error) { return nil, nil, nil }

// A row's own rule: which blanks leave the row without dates, and which run on.
func TestRowRules(t *testing.T) {
	const filled = "2027-02-10"
	env := env
	env.FindAllSeries = func(name string) ([]eval.Series, error) {
		return map[string][]eval.Series{"pay": {fixed{day("2027-03-10")}}, "twins": {fixed{day("2026-02-10")}, fixed{day("2027-02-10")}}}[name], nil
	}
	for _, c := range []struct {
		rule, a, b, through string
		state               eval.RowState
		last                string // the last date before 2030
	}{
		{"monthly on 15 from a until b", "2027-01-01", filled, "2027-06-30", eval.RowComplete, "2027-01-15"},
		{"monthly on 15 from a until b", "2027-01-01", "", "2027-06-30", eval.RowOpenEnded, "2027-06-15"},
		{"monthly on 15 from a until b", "2027-08-01", "", "2027-06-30", eval.RowNotStarted, ""},
		{"monthly on 15 from a until b", "", filled, "2027-06-30", eval.RowBlank, ""},
		{"every 2 months back from b from a", "2026-10-01", filled, "", eval.RowComplete, filled},
		{"every 2 months back from b from a", "2026-10-01", "", "2027-06-30", eval.RowBlank, ""},
		{"monthly on 15 from a 3 times plus b", "2027-01-01", "2027-09-09", "", eval.RowComplete, "2027-09-09"},
		{"monthly on 15 from a 3 times plus b", "2027-01-01", "", "2027-06-30", eval.RowBlank, ""},
		{"dates a, b", "2027-01-01", filled, "", eval.RowComplete, filled},
		{"every n months from a 3 times", "2027-01-31", "", "", eval.RowComplete, "2027-05-31"},
		{"monthly from a n times", "2027-01-31", "", "", eval.RowComplete, "2027-02-28"},
		{"every n fortnights from a n times", "2027-01-31", "", "", eval.RowComplete, "2027-02-28"},
		{"every none months from a 3 times", "2027-01-31", "", "", eval.RowBlank, ""},
		{"monthly from a none times", "2027-01-31", "", "", eval.RowBlank, ""},
		{"weekly from a leaving out 2027-02..2027-12-30, b 60 times", "2027-01-25", "2027-12-31", "", eval.RowComplete, "2028-03-13"},
		{"monthly on 10 from a until 2027-04-01 leaving out b", "2027-01-01", filled, "", eval.RowComplete, "2027-03-10"},
		{"monthly on 10 from a until 2027-03-01 leaving out b", "2027-01-01", filled, "", eval.RowComplete, "2027-01-10"},
		{"monthly on 10 from a until 2027-04-01 leaving out pay", "2027-01-01", "", "", eval.RowComplete, "2027-02-10"},
		{"monthly on 10 from a until 2027-04-01 leaving out pay, twins", "2027-01-01", "", "", eval.RowComplete, "2027-01-10"},
		{"daily from a until b leaving out closed days", "2027-01-01", "2027-01-31", "", eval.RowComplete, "2027-01-29"},
	} {
		rule, err := eval.CompileRowRule(c.rule, env)
		if err != nil {
			t.Fatal(c.rule, err)
		}
		row := make([]eval.Value, len(env.Names))
		for i, s := range []string{c.a, c.b} {
			if s != "" {
				row[i] = eval.Day(day(s))
			}
		}
		row[slices.Index(env.Names, "n")] = eval.Str("2")
		through := civil.None
		if c.through != "" {
			through = day(c.through)
		}
		rec, state, err := rule.ForRow(row, through, true)
		last := ""
		if rec != nil {
			for d := range rec.Rule.All(civil.Span{First: day("2020-01-01"), Last: day("2030-01-01")}) {
				last = d.Date.String()
			}
		}
		if err != nil || state != c.state || last != c.last {
			t.Errorf("%s of %q and %q: state %d, last %s, %v", c.rule, c.a, c.b, state, last, err)
		}
	}
}

// Why an expectation doesn't hold, in words, and numbers whose product is large.
func TestExpectation_explain(t *testing.T) {
	env := eval.Env{Fiscal: civil.DefaultFiscalCalendar, Names: []string{"a", "b"}}
	for _, c := range []struct{ text, a, b, want string }{
		{"a < b", "2027-03-02", "2027-03-01", "2027-03-02 is not before 2027-03-01"}, {"a < b", "3", "2", "3 is not less than 2"}, {"a >= b", "2027-03-01", "2027-03-02", "2027-03-01 is before 2027-03-02"},
		{"a = b", "x", "y", "x is not y"}, {"a contains 'q'", "x", "", "x doesn't contain q"}, {"a is not blank", "", "", "a is blank"}, {"a < b and b > 0", "3", "2", "a is 3, b is 2"},
	} {
		x, err := eval.CompileExpectation(c.text, env)
		if err != nil {
			t.Fatal(c.text, err)
		}
		row := []eval.Value{eval.Str(c.a), eval.Str(c.b)}
		if ok, blank, err := x.Holds(row); ok || blank || err != nil || x.Explain(row) != c.want {
			t.Errorf("%s: %t %t %v, %q, want %q", c.text, ok, blank, err, x.Explain(row), c.want)
		}
	}
	x, err := eval.CompileExpectation("a < (b, +9000 years)", env) // one side can't be worked out
	if err != nil {
		t.Fatal(err)
	}
	if why := x.Explain([]eval.Value{eval.Str("2027-01-01"), eval.Str("2027-01-02")}); why != "a is 2027-01-01, b is 2027-01-02" {
		t.Error(why)
	}
	for text, want := range map[string]string{"4000000000 * 4000000000": "", "4294967295 * 4294967295": "", "3000000 * 3000000": "9000000000000"} {
		var v eval.Value
		p, err := eval.Compile(text, nil, env)
		if err == nil {
			v, err = p.Eval(nil)
		}
		if (err != nil) != (want == "") || err == nil && v.String() != want {
			t.Errorf("%s is %s, %v, want %q", text, v, err, want)
		}
	}
	var names []string // all that are known, and no more, are named
	for i := range 31 {
		names = append(names, "n"+strings.Repeat("x", i))
	}
	for n, want := range map[int]string{30: "", 31: " and 1 more"} {
		env.Names = names[:n]
		_, err := eval.Compile("qqqqqqqq", nil, env)
		var at *phrase.Error
		if !errors.As(err, &at) || !strings.HasSuffix(at.Hint, names[29]+want) {
			t.Errorf("%d names: %v", n, err)
		}
	}
	shut := workdays.New("shut", workdays.WeekdaySet(0).With(civil.Saturday).With(civil.Sunday)).WithHolidays(workdays.HolidayList{{Date: day("2027-01-01"), Nominal: day("2027-01-01"), Name: "New Year"}})
	p, err := eval.Compile("2026-12-10, 1st working day of jan on or after", nil, eval.Env{Fiscal: civil.DefaultFiscalCalendar, Calendar: shut})
	if err != nil {
		t.Fatal(err)
	}
	if v, err := p.Eval(nil); err != nil || v.String() != "2027-01-04" {
		t.Errorf("the first working day is %s, %v", v, err)
	}
	for text, want := range map[string]int{"every 1 month back from 2027-05-31 from 2027-05-31": 1, "every 3 months back from 2027-05-31 from 2027-02-28": 2, "monthly on 1 from 2027-02-01 until 2027-02-01": 1} {
		r, err := eval.CompileRule(text, env)
		n := 0
		if err == nil {
			for range r.Rule.All(civil.AllDays) {
				n++
			}
		}
		if err != nil || n != want {
			t.Errorf("%s: %d dates, %v, want %d", text, n, err, want)
		}
	}
}

// Every kind of steps has a row in the language and a maker: it is read, compiled and run,
// and what its row says of it holds.
func TestEveryKindOfStep(t *testing.T) {
	examples := map[string][]struct {
		text         string
		counts       bool
		alone        string // why it stands in no rule
		want, inRule string
	}{
		"*phrase.Shift":       {{"+1 month", false, "", "2027-02-15", ""}, {"-2 working days", true, "", "2027-01-13", ""}},
		"*phrase.Lasting":     {{"lasting 2 weeks", false, "", "2027-01-28", ""}, {"lasting 3 working days", true, "", "2027-01-19", ""}},
		"*phrase.Renewing":    {{"lasting 1 month renewing every 1 month on or after 2027-03-01", false, "its reach has no limit", "2027-03-14", "`renewing` can't be used in a rule"}},
		"*phrase.Edge":        {{"end of month", false, "", "2027-01-31", ""}},
		"*phrase.Nth":         {{"2nd working day of next month", true, "", "2027-02-02", ""}, {"last fri of month", false, "", "2027-01-29", ""}},
		"*phrase.InYear":      {{"25 dec", false, "", "2027-12-25", ""}},
		"*phrase.Seek":        {{"next fri", false, "", "2027-01-22", ""}, {"working day on or after", true, "", "2027-01-15", ""}},
		"*phrase.Roll":        {{"roll following", true, "", "2027-01-15", ""}},
		"*phrase.Anniversary": {{"anniversary on or after 2030-02-01", false, "its reach has no limit", "2031-01-15", "`anniversary` can't be used in a rule"}},
		"*phrase.StepsIn":     {{"steps in terms", false, "it is for the rows of a table", "2027-01-17", "`steps in` can't be used in a rule"}},
		"*phrase.At":          {{"at 16:30", false, "", "2027-01-15T16:30", ""}, {"at 16:30 using plain", true, "", "2027-01-15T16:30", ""}},
		"*phrase.InZone":      {{"at 16:30 in 'Far/West', in zone 'Far/East'", false, "set a series' own zone", "2027-01-16T09:30", "`in zone` can't be used in a rule"}},
	}
	env := eval.Env{Names: []string{"day", "terms"}, Fiscal: civil.DefaultFiscalCalendar, Calendar: workdays.New("plain", workdays.Weekend), Clock: clocks}
	env.FindCalendar = func(string) (*workdays.Calendar, error) { return env.Calendar, nil }
	for kind, list := range examples {
		for _, c := range list {
			e, err := phrase.ParseExpr("day, " + c.text)
			if err != nil {
				t.Errorf("%s: %v", c.text, err)
				continue
			}
			list := e.(*phrase.Steps).List
			s := list[len(list)-1]
			if fmt.Sprintf("%T", s) != kind || phrase.UsesCalendar(s) != c.counts || !strings.HasPrefix(phrase.RowsOnlyReason(s), c.alone) || c.alone == "" && phrase.RowsOnlyReason(s) != "" || phrase.IsLastStep(s) != (kind == "*phrase.At" || kind == "*phrase.InZone") {
				t.Errorf("%s is a %T, counts %v, alone %q, last %v", c.text, s, phrase.UsesCalendar(s), phrase.RowsOnlyReason(s), phrase.IsLastStep(s))
			}
			prog, err := eval.Compile("day, "+c.text, nil, env)
			if err != nil {
				t.Errorf("%s: %v", c.text, err)
				continue
			}
			if v, err := prog.Eval([]eval.Value{eval.Day(day("2027-01-15")), eval.Str("+2 days")}); err != nil || v.String() != c.want {
				t.Errorf("%s gives %s, %v, want %s", c.text, v, err, c.want)
			}
			if _, err := phrase.ParseRule("monthly on 1 then " + c.text); (err != nil) != (c.inRule != "") || err != nil && !strings.Contains(err.Error(), c.inRule) {
				t.Errorf("%s in a rule: %v, want %q", c.text, err, c.inRule)
			}
			if _, err := phrase.ParseRule("monthly on 1 then " + c.text + ", +1 day"); kind == "*phrase.At" && (err == nil || !strings.Contains(err.Error(), "`at` must be the last step")) {
				t.Errorf("%s, +1 day: %v", c.text, err)
			}
		}
	}
}

// TestBounds_longValues bounds texts, layouts and numbers of hundreds of digits, which a table counts.
func TestBounds_longValues(t *testing.T) {
	long := strings.Repeat("é", phrase.MaxText-1)
	var digits atomic.Int64
	third := "1 / 3" + strings.Repeat(" + 1 / 10007 / 10009", 300)
	for _, c := range []struct {
		text  string
		spent int64
		want  string // the fault, or how many characters
	}{
		{"x & 'a'", 0, "32767"}, {"x & 'ab'", 0, "a text of more than 32767 characters"}, {"'ab' & x & blank", 0, "a text of more than 32767 characters"}, {"'a' & x & blank", 0, "32767"}, {"x", 0, "32766"},
		{"d as '" + strings.Repeat("%d", 500) + "'", 0, "1000"}, {"d as '" + strings.Repeat("%d", 501) + "'", 0, "more than 1000 characters"},
		{"1.05 ^ 300", 1 << 40, "too many exact results"}, {"1.05 ^ 300 + 1", 39_999_900, "18"}, {"1.05 ^ 300 + 1", 39_999_960, "too many exact results"}, {third, 0, "12"}, {third, 39_999_000, "12"}, {"1.05 ^ 20 * 3", 1 << 40, "12"},
	} {
		digits.Store(c.spent)
		env := eval.Env{Names: []string{"x", "blank", "d"}, Fiscal: civil.DefaultFiscalCalendar, BigWords: &digits,
			Strftime: func(layout string) (func(eval.Value) string, error) {
				return func(eval.Value) string { return layout }, nil
			}}
		p, err := eval.Compile(c.text, nil, env)
		var v eval.Value
		if err == nil {
			v, err = p.Eval([]eval.Value{eval.Str(long), {}, eval.Day(740000)})
		}
		got := fmt.Sprint(utf8.RuneCountInString(v.String()))
		if err != nil {
			got = err.Error()
		}
		if !strings.Contains(got, c.want) {
			t.Errorf("%.40q after %d words: %.200s, want %s", c.text, c.spent, got, c.want)
		}
	}
}

// TestParseSmallInt reads amounts in place as the long way reads them.
func TestParseSmallInt(t *testing.T) {
	for _, s := range []string{"0", "7", "12", "0012", "999999", "1000000", "", " 12", "12 ", "1.0", "-3", "+3", "1e3", "٣", "12x", "0x1", "1_0"} {
		env := eval.Env{Names: []string{"n"}, Fiscal: civil.DefaultFiscalCalendar}
		for _, text := range []string{"2027-01-31, +n days", "2027-01-31, +(n) days", "2027-01-31, -n months"} {
			p, err := eval.Compile(text, nil, env)
			if err != nil {
				if strings.Contains(text, "(n)") {
					continue
				}
				t.Fatal(err)
			}
			got, gotErr := p.Eval([]eval.Value{eval.Str(s)})
			number, isNumber := eval.ParseNumber(strings.TrimSpace(s))
			want, wantErr := p.Eval([]eval.Value{number})
			if !isNumber {
				if strings.TrimSpace(s) != "" && gotErr == nil {
					t.Errorf("%s with %q gives %s, and it is no number", text, s, got)
				}
				continue
			}
			if got != want || (gotErr == nil) != (wantErr == nil) {
				t.Errorf("%s with %q gives %s %v, want %s %v", text, s, got, gotErr, want, wantErr)
			}
		}
	}
}
