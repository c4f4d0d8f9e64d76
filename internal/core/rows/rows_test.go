package rows_test

import (
	"bytes"
	"fmt"
	"iter"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/workdays"
	"yoyaku/internal/tabular"
)

func calendar(r *rand.Rand) *workdays.Calendar {
	var list workdays.HolidayList
	for range 300 {
		d := civil.Date(739000 + r.IntN(4000))
		list = append(list, workdays.Holiday{Date: d, Nominal: d, Name: "h"})
	}
	return workdays.New("random", workdays.WeekdaySet(0).With(civil.Weekday(1+r.IntN(7)))).WithHolidays(list)
}

func randomSpan(r *rand.Rand) civil.Span {
	a := civil.Date(739500 + r.IntN(1500))
	return civil.Span{First: a, Last: a + civil.Date(r.IntN(200))}
}

// The pieces of a spread add up to the whole, in days and working days, for any
// way to cut; and spread by day, then tallied by month, equals spread by month.
func TestSpread_piecesAddUp(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 3))
	frame := civil.FiscalCalendar{WeekStart: civil.Sunday, FiscalMonth: 4, FiscalDay: 6}
	odd := civil.Periods(func(span civil.Span) iter.Seq2[civil.NamedSpan, error] { // periods of 17 days
		return func(yield func(civil.NamedSpan, error) bool) {
			for d := span.First / 17 * 17; d <= span.Last; d += 17 {
				if !yield(civil.NamedSpan{Name: fmt.Sprint(d), Span: civil.Span{First: d, Last: d + 16}}, nil) {
					return
				}
			}
		}
	})
	for range 300 {
		cal := calendar(r)
		span := randomSpan(r)
		window := civil.AllDays
		if r.IntN(2) == 0 {
			window = randomSpan(r)
		}
		cut := civil.Span{First: max(span.First, window.First), Last: min(span.Last, window.Last)}
		wantDays, wantWorked := 0, 0
		for d := cut.First; d <= cut.Last; d++ {
			wantDays++
			if cal.IsWorkday(d) {
				wantWorked++
			}
		}
		for i, by := range []civil.Periods{odd, frame.Periods(civil.Week), frame.Periods(civil.Month), frame.Periods(civil.Quarter),
			frame.Periods(civil.Year), frame.Periods(civil.FiscalYear)} {
			days, worked, next := 0, 0, cut.First
			s := rows.Spread{Window: window, By: by, Calendar: cal}
			if err := s.Pieces(workdays.Extent{Span: span}, func(c []eval.Value) error {
				if c[1].Day != next {
					t.Fatalf("way %d: a piece of %v begins on %s, not on %s", i, span, c[1].Day, next)
				}
				next = c[2].Day + 1
				days, worked = days+int(c[3].Num), worked+int(c[4].Num)
				return nil
			}); err != nil || days != wantDays || worked != wantWorked {
				t.Fatalf("way %d: %v in %v gives %d days, %d worked; want %d, %d (%v)", i, span, window, days, worked, wantDays, wantWorked, err)
			}
		}
		byDay, byMonth := rows.NewTally("m", "", true), rows.NewTally("m", "", true)
		s := rows.Spread{Window: window, WorkdaysOnly: true, Calendar: cal}
		check(t, s.Pieces(workdays.Extent{Span: span}, func(c []eval.Value) error {
			return byDay.Add(cell(frame.Name(civil.Month, c[0].Day)), cell(""), eval.Int(1))
		}))
		s.By = frame.Periods(civil.Month)
		check(t, s.Pieces(workdays.Extent{Span: span}, func(c []eval.Value) error { return byMonth.Add(&c[0], cell(""), c[4]) }))
		if a, b := text(t, byDay), text(t, byMonth); a != b {
			t.Fatalf("by day and by month differ:\n%s\n%s", a, b)
		}
	}
}

func check(t *testing.T, err error) {
	t.Helper()
	if err != nil {
		t.Fatal(err)
	}
}

// text writes a tally as lines.
func text(t *testing.T, tally *rows.Tally) string {
	t.Helper()
	var b bytes.Buffer
	line := func(cells []eval.Value) error {
		for _, v := range cells {
			fmt.Fprint(&b, v, "|")
		}
		_, err := fmt.Fprintln(&b)
		return err
	}
	head, write := tally.Table()
	fmt.Fprintln(&b, strings.Join(head, "|"))
	check(t, write(line, line))
	return b.String()
}

// A tally's totals equal a plain count, and its headings stand in their order.
func cell(s string) *eval.Value { v := eval.Str(s); return &v }

func TestTally(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	for range 200 {
		tally := rows.NewTally("unit", "band", true)
		want, all := map[string]int{}, 0
		for range r.IntN(60) {
			row, col, n := fmt.Sprint("u", r.IntN(4)), []string{"overdue", "today", "1 to 30", "31 to 60", "over 60", ""}[r.IntN(6)], r.IntN(20)-5
			check(t, tally.Add(cell(row), cell(col), eval.Int(n)))
			want[row] += n
			want[col] += n
			all += n
		}
		lines := strings.Split(strings.TrimSpace(text(t, tally)), "\n")
		for _, l := range lines[1 : len(lines)-1] {
			f := strings.Split(l, "|")
			if f[len(f)-2] != fmt.Sprint(want[f[0]]) {
				t.Fatalf("%s, want %d", l, want[f[0]])
			}
		}
		if f := strings.Split(lines[len(lines)-1], "|"); f[len(f)-2] != fmt.Sprint(all) {
			t.Fatalf("total %s, want %d", f[len(f)-2], all)
		}
	}
	for _, c := range [][2]string{
		{"over 60,1 to 30,today,31 to 60,overdue", "overdue,today,1 to 30,31 to 60,over 60"},
		{"October,March,January,April", "January,March,April,October"},
		{"Sun,Mon,Wed", "Mon,Wed,Sun"},
		{"10,9,100", "9,10,100"},
		{"2027-10,2027-02", "2027-02,2027-10"},
		{"b,,a", "a,b,(blank)"},
		{"FY2028,FY2027", "FY2027,FY2028"},
	} {
		tally := rows.NewTally("x", "", false)
		for _, k := range strings.Split(c[0], ",") {
			check(t, tally.Add(cell(k), cell(""), eval.Int(1)))
		}
		var got []string
		for _, l := range strings.Split(text(t, tally), "\n")[1:] {
			if head, _, ok := strings.Cut(l, "|"); ok && head != "total" {
				got = append(got, head)
			}
		}
		if strings.Join(got, ",") != c[1] {
			t.Errorf("%s stands as %v", c[0], got)
		}
	}
	tally := rows.NewTally("a", "b", false)
	var err error
	for i := 0; err == nil && i < 100000; i++ {
		err = tally.Add(cell("x"), cell(fmt.Sprint(i)), eval.Int(1))
	}
	if err == nil || !strings.Contains(err.Error(), "coarser phrase") {
		t.Errorf("a hundred thousand columns: %v", err)
	}
}

// Ranges without ends run to the next start of their key, days and numbers alike: the
// same as looking for the greatest start that is not beyond.
func TestMatch_chainedRanges(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 9))
	for range 300 {
		var days []rows.KeyedRange
		var bands []rows.Band
		starts := map[string]map[int]int{}
		twice := false
		for i := range 1 + r.IntN(12) {
			key, at := fmt.Sprint(r.IntN(3)), r.IntN(60)-30
			if starts[key] == nil {
				starts[key] = map[int]int{}
			}
			_, again := starts[key][at]
			twice = twice || again
			starts[key][at] = i
			h := rows.KeyedRange{Extent: workdays.Extent{Span: civil.Span{First: civil.Date(739400 + at), Last: civil.Max}}, Key: key, Line: i}
			days, bands = append(days, h), append(bands, rows.Band{From: eval.Int(at), KeyedRange: h})
		}
		onDays, err1 := rows.NewRanges(days, true)
		onNumbers, err2 := rows.NewBands(bands, true)
		if (err1 != nil) != twice || (err2 != nil) != twice {
			t.Fatalf("two equal starts are %t, and yet %v, %v", twice, err1, err2)
		}
		for at := -32; !twice && at < 32; at++ {
			for key := range starts {
				want, best := -1, -100
				for start, line := range starts[key] {
					if start <= at && start > best {
						want, best = line, start
					}
				}
				d, _ := onDays.Lookup(key, civil.Date(739400+at), rows.MultiError, nil)
				n, _ := onNumbers.Lookup(key, eval.Int(at), rows.MultiError, nil)
				for _, got := range [][]rows.KeyedRange{d, n} {
					if want < 0 && len(got) > 0 || want >= 0 && (len(got) != 1 || got[0].Line != want) {
						t.Fatalf("key %s at %d: %v, want line %d of %v", key, at, got, want, starts[key])
					}
				}
			}
		}
	}
}

// Matching agrees with looking at every range for every event.
func TestMatch(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 9))
	for range 300 {
		var list []rows.KeyedRange
		for i := range r.IntN(30) {
			list = append(list, rows.KeyedRange{Extent: workdays.Extent{Span: randomSpan(r)}, Key: fmt.Sprint(r.IntN(3)), Line: i})
		}
		found, err := rows.NewRanges(list, false)
		if err != nil {
			t.Fatal(err)
		}
		for range 50 {
			key, d := fmt.Sprint(r.IntN(4)), civil.Date(739400+r.IntN(1900))
			var want []int
			for _, h := range list {
				if h.Key == key && h.Contains(d) {
					want = append(want, h.Line)
				}
			}
			held, err := found.Lookup(key, d, rows.MultiAll, nil)
			var got []int
			for i, h := range held {
				got = append(got, h.Line)
				if i > 0 && held[i-1].First > h.First {
					t.Fatal("ranges out of order")
				}
			}
			slices.Sort(got)
			if err != nil || !slices.Equal(got, want) {
				t.Fatalf("%s on %s: %v, want %v", key, d, got, want)
			}
			if _, err := found.Lookup(key, d, rows.MultiError, nil); (err != nil) != (len(want) > 1) {
				t.Fatalf("several: %v for %v", err, want)
			}
			if first, err := found.Lookup(key, d, rows.MultiFirst, nil); err != nil || len(first) != min(1, len(want)) {
				t.Fatalf("first: %v", first)
			}
		}
		a, b, overlap := rows.FindOverlap(list)
		naive := false
		for i, x := range list {
			for _, y := range list[i+1:] {
				naive = naive || x.Key == y.Key && x.First <= y.Last && y.First <= x.Last
			}
		}
		if overlap != naive || overlap && (a.Key != b.Key || b.First > a.Last) {
			t.Fatalf("overlap %v, want %v: %v %v", overlap, naive, a, b)
		}
		merged := rows.MergeOverlaps(list)
		if _, _, again := rows.FindOverlap(merged); again {
			t.Fatal("merged ranges overlap")
		}
		for d := civil.Date(739400); d < 741500; d += 7 { // a merge neither adds nor loses a day
			in := func(list []rows.KeyedRange, who string) bool {
				return slices.ContainsFunc(list, func(h rows.KeyedRange) bool { return h.Key == who && h.Contains(d) })
			}
			for _, who := range []string{"0", "1", "2"} {
				if in(list, who) != in(merged, who) {
					t.Fatalf("%s on %s: %v before the merge, %v after", who, d, in(list, who), in(merged, who))
				}
			}
		}
	}
}

// Anniversaries, bands and the days left, against stepping through the days.
func TestDue(t *testing.T) {
	r := rand.New(rand.NewPCG(6, 1))
	for range 400 {
		cal := calendar(r)
		base, today := civil.Date(738000+r.IntN(4000)), civil.Date(740000)
		if r.IntN(5) == 0 {
			base, _, _ = civil.Parse("2024-02-29")
		}
		span := civil.Span{First: today, Last: today + civil.Date(r.IntN(900))}
		due := rows.Due{Today: today, Span: span, Yearly: true, Bands: []int{30, 60}, Calendar: func([]eval.Value) *workdays.Calendar { return cal }}
		var want []civil.Date
		_, bm, bd := base.YMD()
		for d := span.First; d <= span.Last; d++ {
			y, m, day := d.YMD()
			kept := bm == 2 && bd == 29 && !civil.IsLeap(y) && m == 2 && day == 28
			if d >= base && (m == bm && day == bd || kept) {
				want = append(want, d)
			}
		}
		if got := due.Dates(base); !slices.Equal(got, want) {
			t.Fatalf("anniversaries of %s in %v: %v, want %v", base, span, got, want)
		}
		at := today + civil.Date(r.IntN(300)-100)
		worked := 0
		for d := min(at, today) + 1; d <= max(at, today); d++ {
			if cal.IsWorkday(d) {
				worked++
			}
		}
		if at < today {
			worked = -worked
		}
		c := due.Cells(nil, "x", base, at, eval.Int(cal.CountBetween(today, at)))
		left := int(at - today)
		band := map[bool]string{true: "over 60"}[left > 60]
		switch {
		case left < 0:
			band = "overdue"
		case left == 0:
			band = "today"
		case left <= 30:
			band = "1 to 30"
		case left <= 60:
			band = "31 to 60"
		}
		if int(c[3].Num) != left || int(c[4].Num) != worked || c[5].Text != band || int(c[6].Num) != at.Year()-base.Year() {
			t.Fatalf("%s as of %s: %v, want %d, %d, %s", at, today, c, left, worked, band)
		}
	}
	due := rows.Due{Today: 100, Span: civil.Span{First: civil.Min, Last: 200}}
	if len(due.Dates(50)) != 1 || len(due.Dates(201)) != 0 {
		t.Error("overdue dates are shown, those past the span aren't")
	}
	if due.UpcomingOnly = true; len(due.Dates(50)) != 0 || len(due.Dates(100)) != 1 {
		t.Error("--upcoming leaves out what is overdue, and keeps today")
	}
	for _, bad := range []string{"", "30,20", "0", "x", "30,,60"} {
		if _, err := rows.ParseBands(strings.Split(bad, ",")); err == nil {
			t.Errorf("%q are bands", bad)
		}
	}
}

// What an arena keeps comes back, cell by cell.
func TestArena(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 3))
	var a rows.Arena
	var places []rows.Ref
	var want [][]eval.Value
	for range 20000 {
		var row []eval.Value
		for range r.IntN(6) {
			n, _ := eval.ParseNumber(fmt.Sprint(r.IntN(2000)-1000, ".", r.IntN(100)))
			row = append(row, []eval.Value{{}, eval.Str(strings.Repeat("ü", r.IntN(200))), eval.Day(civil.Date(1 + r.IntN(3000000))), n, eval.Int(-r.IntN(1 << 40)),
				{Kind: eval.DateTime, Day: 740000, Minutes: int16(r.IntN(1440))}, eval.Bool(r.IntN(2) == 0), {Kind: eval.Number, Text: "1/123456789012345678901"}}[r.IntN(8)])
		}
		want, places = append(want, row), append(places, a.Save(row))
	}
	for _, i := range r.Perm(len(want)) {
		if _, got := a.Load(places[i], nil); !slices.Equal(got, want[i]) {
			t.Fatalf("row %d is %v, want %v", i, got, want[i])
		}
	}
}

// A list of dates comes by day, those of one day as they came in, to both ends of the
// days there are.
func TestDueOrder(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	in, _, err := tabular.Open("-", strings.NewReader("n,at\n"), tabular.Options{})
	check(t, err)
	for _, spread := range []int{1, 40, 5000, int(civil.Max - civil.Min)} {
		due := rows.Due{Today: civil.Min, Span: civil.Span{First: civil.Min, Last: civil.Max}, Calendar: func([]eval.Value) *workdays.Calendar { return nil }}
		list := rows.NewDueList(&due, rows.NewTable("t", in, eval.Env{}))
		list.AddDate("at", 1)
		want := make([][2]int, 3000)
		for i := range want {
			want[i] = [2]int{int(civil.Min) + r.IntN(spread+1), i}
		}
		want[1][0], want[2][0] = int(civil.Max), int(civil.Min)
		for _, w := range want {
			check(t, list.Add(0, []eval.Value{eval.Int(w[1]), eval.Day(civil.Date(w[0]))}))
		}
		slices.SortStableFunc(want, func(a, b [2]int) int { return a[0] - b[0] })
		at := 0
		err = list.Write(func(_ string, row, _ []eval.Value) error {
			if int(row[0].Num) != want[at][1] || int(row[1].Day) != want[at][0] {
				t.Fatalf("over %d days, place %d: %v, want %v", spread, at, row, want[at])
			}
			at++
			return nil
		})
		if err != nil || at != len(want) {
			t.Fatal(err, at)
		}
	}
}

// What a calendar doesn't know is counted where something comes of it: a column that is shown, or
// that one shown, a condition or the order looks at.
func TestDerive_countsWhatIsShown(t *testing.T) {
	for _, c := range []struct {
		columns, where, sort []string
		after                int
	}{
		{nil, nil, nil, 4},
		{[]string{"id", "e"}, nil, nil, 0},
		{[]string{"id", "w"}, nil, nil, 2},
		{[]string{"more"}, nil, nil, 2},
		{[]string{"id"}, nil, []string{"w"}, 2},
		{[]string{"id"}, []string{"w > 3"}, nil, 2},
		{[]string{"-w"}, nil, nil, 4},
		{[]string{"-w", "-more"}, nil, nil, 2},
		{[]string{"paid"}, nil, nil, 2},
	} {
		cal := workdays.New("isles", workdays.Weekend)
		cal.Coverage.Last, _, _ = civil.Parse("2027-12-31")
		env := eval.Env{Calendar: cal}
		in, _, err := tabular.Open("-", strings.NewReader("id,start\na,2027-01-04\nb,2027-01-05\n"), tabular.Options{})
		check(t, err)
		table := rows.NewTable("staff", in, env)
		check(t, table.Add([]string{"e = start, +2 years", "w = working days from start to e", "more = w + 1", "paid = e, +1 working day"}, false, table.Env))
		_, err = rows.Result{Columns: c.columns, Where: c.where, Sort: c.sort, Sink: &sink{}}.WriteTable(table)
		check(t, err)
		if _, after := cal.Misses(); after != c.after {
			t.Errorf("%v where %v by %v: %d dates, want %d", c.columns, c.where, c.sort, after, c.after)
		}
	}
}

// A sum shows as many places as its cells have at most, whatever it is, and counts have none.
func TestTally_sumsKeepPlaces(t *testing.T) {
	for _, c := range []struct{ cells, want string }{
		{"10000.10 -50.10", "9950.00"}, {"1.5 2.5", "4.0"}, {"1 2", "3"}, {"0.1 0.25 7", "7.35"}, {"0.00", "0.00"},
		{"1.123456789012 1", "2.1234567890"}, {"100000000000000000.5 0.5", "100000000000000001.0"},
	} {
		tally := rows.NewTally("k", "", true)
		for _, text := range strings.Fields(c.cells) {
			n, _ := eval.ParseNumber(text)
			check(t, tally.AddShown(cell("a"), cell(""), n, cell(text)))
		}
		if got := text(t, tally); got != "k|sum\na|"+c.want+"|\ntotal|"+c.want+"|\n" {
			t.Errorf("%s: %s, want %s", c.cells, got, c.want)
		}
	}
}
