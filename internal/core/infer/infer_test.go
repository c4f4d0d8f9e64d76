package infer

import (
	"fmt"
	"iter"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/recur"
	"yoyaku/internal/core/workdays"
)

// yearly closes the same days of each year, and Good Friday and the like by their distance
// from Easter.
type yearly struct{ fixed, easter []int }

func (y yearly) Days(span civil.Span, _ *workdays.Calendar) iter.Seq[workdays.Holiday] {
	return func(yield func(workdays.Holiday) bool) {
		for year := span.First.Year(); year <= span.Last.Year(); year++ {
			var days []civil.Date
			for _, f := range y.fixed {
				d, _ := civil.NewDate(year, f/100, f%100)
				days = append(days, d)
			}
			for _, e := range y.easter {
				days = append(days, civil.Easter(year)+civil.Date(e))
			}
			slices.Sort(days)
			for _, d := range days {
				if span.Contains(d) && !yield(workdays.Holiday{Date: d, Nominal: d, Name: "closed"}) {
					return
				}
			}
		}
	}
}

// search has no holidays and five calendars of invented places.
func search() *Search {
	none := workdays.New("", workdays.Weekend)
	s := &Search{Env: eval.Env{Fiscal: civil.DefaultFiscalCalendar, Calendar: none}, Calendars: []Calendar{{"", none, 0}}}
	for i, y := range []yearly{{[]int{101, 1225, 1226}, []int{-2, 1}}, {[]int{101, 501, 508, 714, 815, 1101, 1111, 1225}, []int{1, 39, 50}}, {[]int{101, 106, 501, 1003, 1225, 1226}, []int{-2, 1, 39, 50}},
		{[]int{101, 704, 1111, 1225}, nil}, {[]int{101, 102, 317, 712, 1225, 1226, 615}, []int{-3, -2, 1}}} {
		name := fmt.Sprintf("place-%d", i+1)
		s.Calendars = append(s.Calendars, Calendar{name, workdays.New(name, workdays.Weekend).WithHolidays(y), 0.3})
	}
	return s
}

// A made rule: its phrase and about how many dates a year it has.
type made struct {
	what, text string
	ayear      float64
}

func randomRule(r *rand.Rand) made {
	one := func(list ...string) string { return list[r.IntN(len(list))] }
	day := func() string { return one("mon", "tue", "wed", "thu", "fri") }
	roll := func() string {
		return one("", "", " then roll preceding", " then roll preceding", " then roll following", " then roll modified following", " then roll nearest", " leaving out closed days")
	}
	shift := func() string {
		if r.IntN(4) > 0 {
			return roll()
		}
		n := 1 + r.IntN(10)
		return fmt.Sprintf(" then %s%d working day%s", one("+", "-", "-"), n, map[bool]string{true: "s"}[n > 1])
	}
	number := func() string {
		if r.IntN(2) == 0 {
			return one("1", "15", "5", "10", "20", "25")
		}
		return fmt.Sprint(1 + r.IntN(28))
	}
	months := strings.Fields("jan feb mar apr may jun jul aug sep oct nov dec")
	from := fmt.Sprintf(" from 20%02d-0%d-0%d", 10+r.IntN(10), 1+r.IntN(9), 1+r.IntN(9))
	switch r.IntN(19) {
	case 0:
		return made{"weekly", "weekly on " + day() + shift(), 52}
	case 1:
		return made{"several weekdays", "weekly on " + one("mon, thu", "tue, fri", "mon, wed, fri", "tue, thu") + one("", " then roll following", " leaving out closed days"), 120}
	case 2:
		n := 2 + r.IntN(5)
		return made{"every weeks", fmt.Sprintf("every %d weeks on %s%s", n, day(), strings.Replace(from+shift(), " leaving", " leaving", 1)), 52 / float64(n)}
	case 3, 4:
		return made{"monthly, a number", "monthly on " + number() + shift(), 12}
	case 5:
		return made{"monthly, from the end", "monthly on " + one("last", "last", "last", "2nd last", "3rd last", "5th last") + shift(), 12}
	case 6:
		return made{"monthly, a weekday", "monthly on " + one("1st", "2nd", "3rd", "4th", "last") + " " + day() + shift(), 12}
	case 7:
		return made{"monthly, a working day", fmt.Sprintf("monthly on %s working day", one("1st", "2nd", "3rd", "5th", "10th", "last", "2nd last", "3rd last", "5th last")), 12}
	case 8:
		return made{"two a month", "monthly on " + one("15, last", "1, 15", "10, 25", "5, 20", "1st fri, 3rd fri") + roll(), 24}
	case 9:
		return made{"quarterly", "quarterly on " + one("last", "last working day", "day 15", "1st working day", "10 of month 2", "2nd tue of month 3", "last fri", "20 of month 1") + one("", " then roll preceding", " then roll following"), 4}
	case 10:
		n := one("2", "4", "5")
		return made{"every months", fmt.Sprintf("every %s months on %s%s%s", n, one(number(), "last"), from, one("", " then roll preceding", " then roll following")), 12 / float64(n[0]-'0')}
	case 11:
		return made{"yearly", "yearly on " + number() + " " + one(months...) + roll(), 1}
	case 12:
		return made{"easter", "yearly on easter" + one("", " then -2 days", " then +39 days", " then +1 day"), 1}
	case 13:
		return made{"every days", fmt.Sprintf("every %d days%s", []int{2, 10, 30, 45, 90, 100}[r.IntN(6)], from), 20}
	case 14:
		return made{"every working days", fmt.Sprintf("every %d working days%s", []int{2, 3, 5, 10, 20}[r.IntN(5)], from), 30}
	case 15:
		n := 1 + r.IntN(20)
		return made{"a weekday or a working day, shifted", fmt.Sprintf("monthly on %s then %s%d day%s%s", one("1st mon", "2nd tue", "3rd wed", "last fri", "1st working day", "last working day", "5th working day"), one("+", "-"), n,
			map[bool]string{true: "s"}[n > 1], one("", ", roll following", ", roll preceding")), 12}
	case 16:
		return made{"days of a year", "yearly on " + one("15 jan, 1 jul", "1 may, 1 nov", "last fri of mar, last fri of oct", "10 apr, 10 aug, 10 dec") + one("", " then roll preceding", " then roll following"), 3}
	case 17:
		a := r.IntN(12)
		return made{"in months", "monthly on " + number() + " in " + months[a] + ", " + months[(a+3)%12] + ", " + months[(a+5)%12] + ", " + months[(a+8)%12] + one("", " then roll preceding", " then roll following"), 4}
	}
	return made{"half-yearly", "half-yearly on " + one("last", "day 15", "last working day", "1st mon") + one("", " then roll preceding"), 2}
}

// falsify moves, drops or adds dates, as hands do.
func falsify(r *rand.Rand, dates []civil.Date, n int) []civil.Date {
	dates = slices.Clone(dates)
	for range n {
		i := r.IntN(len(dates))
		switch r.IntN(4) {
		case 0:
			dates = slices.Delete(dates, i, i+1)
		case 1:
			dates = append(dates, dates[i]+civil.Date(1+r.IntN(6)))
		default:
			dates[i] += civil.Date([]int{-3, -2, -1, 1, 2, 3}[r.IntN(6)])
		}
	}
	return dates
}

// dates lists a phrase.
func dates(s *Search, text string, cal int, span civil.Span) []civil.Date {
	g := &searchState{Search: s}
	list := g.datesOf(text, cal, span)
	if g.unparsable != nil {
		panic(fmt.Sprint(g.unparsable))
	}
	return list
}

// The shares of made tables, of a hundred, whose rule comes back: the first phrase, or one of
// the first eight that fit as well, gives the same dates for two years more.
var found = []struct {
	dates, wrong int
	given        bool // the calendar is known
	share        int
}{
	{12, 0, true, 95}, {12, 1, true, 84}, {12, 3, true, 67}, {24, 0, true, 97}, {24, 1, true, 95}, {24, 3, true, 90},
	{60, 0, true, 99}, {60, 1, true, 98}, {60, 3, true, 98}, {24, 0, false, 95}, {24, 1, false, 93},
}

func TestFindRules_comeBack(t *testing.T) {
	for _, c := range found {
		t.Run(fmt.Sprintf("%d dates, %d wrong, %v", c.dates, c.wrong, c.given), func(t *testing.T) {
			t.Parallel()
			tries, slack := 600, 0
			if testing.Short() { // a few say little of a share
				tries, slack = 1, 100
			}
			r := rand.New(rand.NewPCG(uint64(c.dates), uint64(c.wrong)))
			all := search()
			alike, first := 0, 0
			by, lost := map[string][2]int{}, map[string]int{}
			for tried := 0; tried < tries; {
				m, cal := randomRule(r), 1+r.IntN(5)
				s := &Search{Env: all.Env, Calendars: all.Calendars}
				if c.given {
					s.Calendars = []Calendar{all.Calendars[0], all.Calendars[cal]}
				}
				from := civil.Date(730000 + r.IntN(9000))
				list := dates(all, m.text, cal, civil.Span{First: from, Last: from + civil.Date(float64(c.dates+3)/m.ayear*380+40)})
				if len(list) < c.dates {
					continue
				}
				tried++
				list = list[:c.dates]
				next := civil.Span{First: list[c.dates-1] + 1, Last: list[c.dates-1] + 730}
				ranks, err := s.findRules(falsify(r, list, c.wrong))
				if err != nil {
					t.Fatal(err)
				}
				want, hit := dates(all, m.text, cal, next), -1
				for i, k := range ranks[:min(len(ranks), 8)] {
					for _, name := range append([]string{lastRule(k).Calendar}, k.EquivalentCalendars...) {
						if hit < 0 && k.Matched == ranks[0].Matched && k.Misses == ranks[0].Misses && slices.Equal(dates(all, lastRule(k).Phrase, all.calendarIndex(name), next), want) {
							hit = i
						}
					}
				}
				n := by[m.what]
				if n[1]++; hit >= 0 {
					n[0]++
					alike++
				} else if len(ranks) > 0 {
					lost[m.what+": "+m.text+" as "+fmt.Sprint(ranks[0].Rules)]++
				}
				if by[m.what] = n; hit == 0 {
					first++
				}
			}
			t.Logf("first %d, alike %d of %d; by form %v; lost %.2000v", first, alike, tries, by, lost)
			if 100*alike < (c.share-slack)*tries {
				t.Errorf("%d of %d come back, wanted are %d of 100: %v", alike, tries, c.share, by)
			}
		})
	}
}

// TestRandomDates gives no rule to dates that have none, and counts what each phrase that is
// handed out of tables with some order gives by a listing of its own.
func TestRandomDates(t *testing.T) {
	tables := 2000
	if testing.Short() {
		tables = 8
	}
	for kind := range 4 {
		t.Run(fmt.Sprint(kind), func(t *testing.T) { t.Parallel(); randomDates(t, kind, tables/4) })
	}
}

func randomDates(t *testing.T, kind, tables int) {
	r := rand.New(rand.NewPCG(24, uint64(kind)))
	s := search()
	for n := range tables {
		count := 4 + r.IntN(57)
		first := civil.Date(730000 + r.IntN(9000))
		var list []civil.Date
		for i := range count {
			switch kind {
			case 0: // of some years
				list = append(list, first+civil.Date(r.IntN(count*(7+n%60))))
			case 1: // working days
				d, _ := s.Calendars[1].Days.OnOrAfter(first + civil.Date(r.IntN(count*(7+n%60))))
				list = append(list, d)
			case 2: // birthdays
				list = append(list, civil.Date(715000+r.IntN(18000)))
			case 3: // one a month
				month, _ := civil.DefaultFiscalCalendar.Period(civil.Month, 2010*12+i)
				list = append(list, month.First+civil.Date(r.IntN(month.Len())))
			}
		}
		if ranks, err := s.findRules(list); err != nil || len(ranks) > 0 {
			t.Errorf("%d: %v is said to be %v, %v", n, list, ranks[0].Rules, err)
		}
	}
}

// Each count that is handed out is that of the phrase, listed and compared day by day; no two
// ranks are the same; the second parts from the first on the day after it says.
func TestExplanations_claimsHold(t *testing.T) {
	tables := 400
	if testing.Short() {
		tables = 5
	}
	r := rand.New(rand.NewPCG(24, 4))
	s := search()
	for range tables {
		m := randomRule(r)
		from := civil.Date(730000 + r.IntN(9000))
		list := dates(s, m.text, 1, civil.Span{First: from, Last: from + civil.Date(30/m.ayear*380)})
		if len(list) < 8 {
			continue
		}
		table := falsify(r, list[:min(len(list), 30)], r.IntN(3))
		table = append(table, table[0]) // twice
		ranks, _ := s.findRules(table)
		slices.Sort(table)
		table = slices.Compact(table)
		for i, k := range ranks {
			var given []civil.Date
			span := civil.Span{First: min(table[0], k.Dates[0]), Last: max(table[len(table)-1], k.Dates[len(k.Dates)-1])}
			for _, rule := range k.Rules {
				given = append(given, dates(s, rule.Phrase, s.calendarIndex(rule.Calendar), span)...)
			}
			matched := 0
			for _, d := range table {
				if slices.Contains(given, d) {
					matched++
				}
			}
			_, off := compareDates(table, k.Dates)
			if alone := len(table) - matched; k.Matched != matched || k.Misses != len(off) || k.Misses < max(alone, len(given)-matched) || k.Misses > alone+len(given)-matched {
				t.Fatalf("%s: rank %d %v has %d matched, %d off; listed %d of %d, %d given", m.text, i, k.Rules, k.Matched, k.Misses, matched, len(table), len(given))
			}
			if i == 0 || len(k.Rules) > 1 || len(ranks[0].Rules) > 1 {
				continue
			}
			rest := civil.Span{First: table[len(table)-1] + 1, Last: k.AgreesUntil}
			one := func(k Explanation, span civil.Span) []civil.Date {
				return dates(s, k.Rules[0].Phrase, s.calendarIndex(k.Rules[0].Calendar), span)
			}
			day := civil.Span{First: k.AgreesUntil + 1, Last: k.AgreesUntil + 1}
			if k.AgreesUntil < table[len(table)-1]+horizon && (!slices.Equal(one(k, rest), one(ranks[0], rest)) || slices.Equal(one(k, day), one(ranks[0], day))) {
				t.Fatalf("%s: %v and %v don't part after %s", m.text, k.Rules, ranks[0].Rules, k.AgreesUntil)
			}
		}
	}
}

// Steps of every kind come back from dates and what they make of these.
func TestExplainOffsets_comeBack(t *testing.T) {
	r := rand.New(rand.NewPCG(24, 5))
	s := search()
	cals := []int{0, 1, 3}
	if testing.Short() {
		cals = cals[1:2]
	}
	for _, cal := range cals {
		own := *s
		own.Calendars = s.withDefault(s.Calendars[cal].Name)
		for _, steps := range []string{"date", "date, -2 working days", "date, +10 working days", "date, -5 days", "date, -14 days, roll preceding", "date, +30 days, roll following",
			"date, wed on or before", "date, -1 week, fri on or before", "date, next mon", "date, start of month", "date, end of next month, roll preceding", "date, 3rd working day of next month",
			"date, 20th day of next month, roll following", "date, last fri of month", "date, roll following", "date, 1st working day of week"} {
			base := dates(s, "monthly on 10, 25", cal, civil.Span{First: 738000, Last: 738730})
			env := s.Env
			env.Calendar, env.Names = s.Calendars[cal].Days, []string{"date"}
			p, err := eval.CompileDate(steps, env)
			if err != nil {
				t.Fatal(err)
			}
			beside := make([]civil.Date, len(base))
			for i, d := range base {
				beside[i] = evalDate(p, d)
			}
			beside[r.IntN(len(base))] = civil.None
			wrong := r.IntN(len(base))
			beside[wrong] += 2
			if beside[wrong] == 2 {
				beside[wrong] = civil.None
			}
			ranks := own.explainOffsets(base, beside, nil)
			if len(ranks) == 0 || ranks[0].Misses > 1 {
				t.Errorf("%s of %s: %v", steps, s.Calendars[cal].Name, ranks)
				continue
			}
			for i, d := range ranks[0].Dates {
				if want := evalDate(p, base[i]); d != want {
					t.Errorf("%s of %s: %s, which gives %s of %s", steps, s.Calendars[cal].Name, ranks[0].Rules[0].Phrase, d, base[i])
					break
				}
			}
		}
		var base, beside []civil.Date
		for i := range 40 {
			base, beside = append(base, civil.Date(738000+30*i)), append(beside, civil.Date(738000+30*i+r.IntN(25)))
		}
		if ranks := own.explainOffsets(base, beside, nil); ranks != nil {
			t.Errorf("random days beside dates are %s", ranks[0].Rules[0].Phrase)
		}
	}
}

// Tables as people have them: what is said of each.
func TestTable(t *testing.T) {
	s := search()
	day := func(texts ...string) (list []civil.Date) {
		for _, text := range texts {
			d, _, _ := civil.Parse(text)
			list = append(list, d)
		}
		return list
	}
	timed := func(name string, days []civil.Date, at ...int) Column {
		c := Column{Name: name, Days: days, Times: make([]int, len(days))}
		for i := range c.Times {
			c.Times[i] = at[i%len(at)]
		}
		return c
	}
	year := civil.Span{First: 739617, Last: 740346} // 2026, 2027
	months := dates(s, "monthly on 15 then roll preceding", 1, year)
	april := *s // months and quarters of its fiscal year are those of the calendar
	april.HasFiscalYear, april.Env.Fiscal.FiscalMonth = true, 4
	for text, want := range map[string]string{"quarterly on 2nd tue": "quarterly on 2nd tue", "fiscal-monthly on 3": "monthly on 3", "fiscal-yearly on last": "fiscal-yearly on last"} {
		ranks, err := april.findRules(dates(&april, text, 0, civil.Span{First: 736000, Last: 740346}))
		if err != nil || ranks[0].Rules[0].Phrase != want {
			t.Errorf("%s: %v", text, ranks)
		}
	}
	// A date at either end that was moved by hand stands for the rule's beside the table.
	for _, days := range [][2]civil.Date{{2, 0}, {0, -6}, {3, -1}} {
		list := dates(s, "monthly on 15", 1, year)
		rule := slices.Clone(list)
		list[0], list[23] = list[0]+days[0], list[23]+days[1]
		ranks, _ := s.findRules(list)
		f := ColumnResult{Days: list}
		var want []Exception
		for _, i := range []int{0, 23} {
			if list[i] != rule[i] {
				want = append(want, Exception{rule[i], list[i], rule[i]})
			}
		}
		if got := f.Exceptions(ranks[0]); !slices.Equal(got, want) || s.IDs(ranks[0])[rule[4]] != "2026-05/15" {
			t.Errorf("moved by %v: %v, want %v", days, got, want)
		}
	}
	// The calendar of what hangs on a date that counts with any.
	beside := Column{Name: "cut", Times: make([]int, 24)}
	for _, d := range months {
		cut, _ := s.Calendars[2].Days.AddWorkdays(d, -4)
		beside.Days = append(beside.Days, cut)
	}
	found := s.Table("x", []Column{timed("d", months, -1), beside})
	if got := fmt.Sprint(found[0].Explanations[0].Rules, found[1].Explanations[0].Rules, found[1].Explanations[0].Bits < 4); got != "[{monthly on 15 then roll preceding place-2}] [{date, -4 working days place-2}] true" {
		t.Errorf("beside dates: %s, %f", got, found[1].Explanations[0].Bits)
	}
	for text, want := range map[string]string{"monthly on 10, 20 in jun": "monthly on 10, 20 in jun", "yearly on last day of feb": "yearly on last day of feb", "yearly on 29 feb": "yearly on last day of feb"} {
		ranks, err := s.findRules(dates(s, text, 1, civil.Span{First: 736000, Last: 740346}))
		if err != nil || ranks[0].Rules[0].Phrase != want {
			t.Errorf("%s: %v", text, ranks)
		}
	}
	for _, first := range []civil.Date{civil.Min, civil.Max - 400} { // the ends of time
		for _, text := range []string{"monthly on last", "weekly on fri", "monthly on 2nd working day then -3 days"} {
			list := dates(s, text, 1, civil.Span{First: first, Last: min(first+400, civil.Max)})
			if ranks, err := s.findRules(list); err != nil || len(ranks) == 0 || ranks[0].Misses > 0 {
				t.Errorf("%s from %s: %v %v", text, first, ranks, err)
			}
		}
	}
	changed := slices.Concat(dates(s, "monthly on last", 1, civil.Span{First: 739617, Last: 739981}), dates(s, "monthly on 15 then roll following", 1, civil.Span{First: 739982, Last: 740346}))
	for _, c := range []struct {
		columns []Column
		want    string
	}{
		{[]Column{timed("d", months, -1)}, "x date 24 [{monthly on 15 then roll preceding none}]"},
		{[]Column{timed("d", months, 570)}, "x date 24 [{monthly on 15 then roll preceding, at 09:30 none}]"},
		{[]Column{timed("d", dates(s, "monthly on 2nd tue", 1, year), 570)}, "x date 24 [{monthly on 2nd tue then at 09:30 }]"},
		{[]Column{timed("d", months, 570, 600)}, "x date 24 [{monthly on 15 then roll preceding none}] mixed"},
		{[]Column{timed("d", append(slices.Clone(months), months[3], months[4]), -1)}, "x date 26 [{monthly on 15 then roll preceding none}] twice 2"},
		{[]Column{timed("d", append(slices.Repeat(day("2026-01-01"), 40), day("2026-02-01", "2026-03-01")...), -1)}, "x date 42 [] few twice 39"},
		{[]Column{timed("d", changed, -1)}, "x date 24 [{monthly on last until 2026-12-31 } {monthly on 15 from 2027-01-15 then roll following none}]"},
		{[]Column{timed("d", months, -1), timed("cut", dates(s, "monthly on 10", 1, year), 990)}, "x date 24 [{monthly on 15 then roll preceding none}]; x cut 24 [{date, 10th day of month, at 16:30 }]"},
		{[]Column{timed("d", months, -1), timed("cut", slices.Repeat(day("2026-05-05"), 24), -1)}, "x date 24 [{monthly on 15 then roll preceding none}]; x cut 24 [] few"},
		{[]Column{timed("d", day("1850-01-01", "1900-01-01", "1950-01-01", "2000-01-01", "2010-01-01"), -1)}, "x date 5 [] far"},
		{[]Column{timed("d", dates(s, "daily", 1, civil.Span{First: 739617, Last: 739716}), -1)}, "x date 100 [{daily }]"},
		{[]Column{timed("d", dates(s, "every 10 days from 2026-01-05", 1, year), -1)}, "x date 73 [{every 10 days from 2026-01-05 }]"},
		{[]Column{timed("d", dates(s, "every working day", 2, civil.Span{First: 739617, Last: 739816}), -1)}, "x date 135 [{every working day place-2}]"},
		{[]Column{timed("d", dates(s, "every 3 working days from 2026-01-05", 2, year), -1)}, "x date 169 [{every 3 working days from 2026-01-05 place-2}]"},
		{[]Column{timed("d", dates(s, "weekly on mon-fri leaving out closed days", 3, civil.Span{First: 739617, Last: 739816}), -1)}, "x date 135 [{every working day place-3}]"},
		{[]Column{timed("d", dates(s, "yearly on easter then -47 days", 1, civil.Span{First: 735000, Last: 739700}), -1)}, "x date 13 [{yearly on easter then -47 days }]"},
		{[]Column{timed("d", dates(s, "yearly on 31 mar, 30 jun, 20 dec then roll preceding", 4, civil.Span{First: 736000, Last: 739700}), -1)}, "x date 30 [{yearly on last day of mar, last day of jun, 20 dec then roll preceding none}]"},
	} {
		var told []string
		for _, f := range s.Table("x", c.columns) {
			text := fmt.Sprintf("%s %s %d ", f.Series, f.What, f.Dates)
			if len(f.Explanations) > 0 {
				text += fmt.Sprint(f.Phrases(f.Explanations[0]))
			} else {
				text += "[]"
			}
			for word, is := range map[string]bool{" mixed": f.MixedTimes, " few": f.TooFew, " far": f.Err == ErrSpanTooLong, " own": f.OwnSeries && len(f.Explanations) > 0} {
				if is {
					text += word
				}
			}
			if f.Duplicates > 0 && f.Base == nil {
				text += fmt.Sprint(" twice ", f.Duplicates)
			}
			told = append(told, text)
		}
		if got := strings.Join(told, "; "); got != c.want {
			t.Errorf("%s, want\n%s", got, c.want)
		}
	}
}

// A search counts its work together with others, and looks at nothing more once that is spent.
func TestWorkIsCounted(t *testing.T) {
	s := search()
	work := 0
	s.Work = &work
	days := dates(s, "monthly on last then roll preceding", 1, civil.Span{First: 739617, Last: 740300})
	columns := []Column{{Name: "d", Days: days, Times: make([]int, len(days))}, {Name: "e", Days: days, Times: make([]int, len(days))}}
	list := s.Table("x", columns)
	if len(list) != 2 || len(list[0].Explanations) == 0 || list[1].Base == nil || len(list[1].Explanations) == 0 || work < 100_000 || work > 20_000_000 {
		t.Fatalf("%d columns, %d days looked at", len(list), work)
	}
	work = maxWork + 1
	for _, f := range s.Table("x", columns) {
		if f.Explanations != nil || f.Err != ErrTooMuchWork || work != maxWork+1 {
			t.Errorf("%s %s: %v, %v, %d days looked at", f.Series, f.What, f.Explanations, f.Err, work)
		}
	}
}

// Every day of every cadence is a phrase that the language takes.
func TestForms_parse(t *testing.T) {
	s := search()
	s.HasFiscalYear, s.Env.Fiscal.FiscalMonth, s.Env.Fiscal.FiscalDay = true, 4, 6
	var days []civil.Date
	for d := civil.Date(738000); d < 739500; d += 30 {
		days = append(days, d)
	}
	g, err := s.newState(days)
	if err != nil {
		t.Fatal(err)
	}
	n := 0
	for _, unit := range []civil.Unit{civil.Week, civil.Month, civil.Year, civil.FiscalMonth, civil.FiscalQuarter, civil.FiscalYear} {
		f := g.periodsOf(&periodFamily{unit: unit})
		forms := monthForms
		if unit == civil.Week {
			forms = weekForms
		}
		for _, fm := range forms {
			sels := []selection{{}}
			switch unit {
			case civil.Week:
				sels = append(sels, selection{every: 2}, selection{every: 5, phase: 3})
			case civil.Month:
				sels = append(sels, selection{every: 4, phase: 1}, selection{every: 3, phase: 2}, selection{every: 6}, selection{months: 1 << 1}, selection{months: 0xf})
			case civil.Year:
				fm.Month = 2
			}
			for _, sel := range sels {
				for _, sh := range []shift{{}, {dropClosed: true}, {working: -2}, {days: 3, roll: workdays.Nearest}} {
					v := g.vector(fm, sh, 0, s.Calendars[0].Days, g.nominal(f, fm.Item, s.Calendars[0].Days))
					w := g.wordingOf(&candidate{family: f, sel: sel, vectors: []*dayVector{v}})
					if w.needsStart {
						w.From = dayExpr(738000)
					}
					if n++; fm.Kind != recur.DayNumber || fm.N < 29 || fm.Month == 0 { // 30 feb is none
						g.canonical(w.text(), 0)
					}
				}
			}
		}
	}
	if len(g.unparsable) > 0 || n < 2000 {
		t.Errorf("of %d phrases %d are refused: %s", n, len(g.unparsable), g.unparsable[:min(len(g.unparsable), 9)])
	}
}
