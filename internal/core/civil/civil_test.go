package civil

import (
	"fmt"
	"slices"
	"testing"
	"time"
)

// Every day of the 9999 years, walked by hand, against the table of months and, for
// weekdays, ISO weeks, day-of-year and text, against the standard library's time.
// TestClock reads every time of day back, and nothing else.
func TestClock(t *testing.T) {
	for m := range 24 * 60 {
		text := string(AppendClock(nil, m))
		if got, ok := ParseClock(text); !ok || got != m || len(text) != 5 {
			t.Fatalf("%d is written %s and read as %d, %v", m, text, got, ok)
		}
	}
	for _, text := range []string{"", "9:00", "24:00", "12:60", "99:99", "16:30 or so", "-1:-5", "16.30", "１６:30", "+1:30", "1 :30"} {
		if m, ok := ParseClock(text); ok {
			t.Errorf("%q is read as %d", text, m)
		}
	}
}

func TestEveryDay(t *testing.T) {
	y, m, day := 1, 1, 1
	first, last := Min, Max
	if testing.Short() { // one cycle of the calendar, and what lies around it
		y = 1599
		first, last = dayNumber(y, m, day), dayNumber(2200, 12, 31)
	}
	for d := first; d <= last; d++ {
		if gy, gm, gd := d.YMD(); gy != y || gm != m || gd != day {
			t.Fatalf("day %d is %d-%d-%d, want %d-%d-%d", d, gy, gm, gd, y, m, day)
		}
		if back, ok := NewDate(y, m, day); !ok || back != d {
			t.Fatalf("Of(%d, %d, %d) = %d, %v; want %d", y, m, day, back, ok, d)
		}
		if back, ok := MonthDay(MonthIndex(y, m), day); !ok || back != d {
			t.Fatalf("day %d of month %d-%d is %d, %v; want %d", day, y, m, back, ok, d)
		}
		if day%5 == 0 || m == 1 && day < 8 || m == 12 && day > 24 {
			tm := time.Date(y, time.Month(m), day, 0, 0, 0, 0, time.UTC)
			iy, iw := d.ISOWeek()
			ty, tw := tm.ISOWeek()
			if d.Weekday()%7 != Weekday(tm.Weekday()) || iy != ty || iw != tw || d.YearDay() != tm.YearDay() {
				t.Fatalf("%s: weekday, ISO week or day of year differ from package time", d)
			}
			text := tm.Format(time.DateOnly)
			if back, _, ok := Parse(text); d.String() != text || !ok || back != d {
				t.Fatalf("%s is written %s and read as day %d, not %d", text, d, back, d)
			}
			month, _ := DefaultFiscalCalendar.PeriodAt(Month, d, 0)
			if by, _ := DefaultFiscalCalendar.Period(Month, MonthIndex(y, m)); month != by || d.IsMonthEnd() != (d == by.Last) {
				t.Fatalf("the month of %s is %v, want %v", d, month, by)
			}
			if w, ok := FromISOWeek(iy, iw, d.Weekday()); iy >= 1 && iy <= 9999 && (!ok || w != d) {
				t.Fatalf("OfISOWeek of %s gives %s", d, w)
			}
		}
		if day++; day > time.Date(y, time.Month(m+1), 0, 0, 0, 0, 0, time.UTC).Day() {
			if day, m = 1, m+1; m > 12 {
				m, y = 1, y+1
			}
		}
	}
}

// fiscal is a frame of fiscal years of months.
func fiscal(week Weekday, month, day int, named bool) FiscalCalendar {
	return FiscalCalendar{WeekStart: week, FiscalMonth: month, FiscalDay: day, NamedByStartYear: named}
}

// Fiscal years of weeks against a walk day by day that lists each year's weeks
// and deals them out to its months; and the years of 53 weeks that retailers had.
func TestFiscalWeeks(t *testing.T) {
	for _, end := range []FiscalYearEnd{{Saturday, 1, 0}, {Sunday, 12, 0}, {Friday, 9, 0}, {Saturday, 1, 31}, {Thursday, 12, 31}, {Tuesday, 1, 1}, {Sunday, 6, 30}} {
		for _, pattern := range WeekPatterns {
			f := DefaultFiscalCalendar
			f.YearEnd, f.Pattern = end, pattern.WeekPattern
			ends := func(year int) (d Date) { // by looking at each day
				last := dayNumber(year, end.Month, DaysIn(year, end.Month))
				for off := Date(0); ; off++ {
					if end.Day == 0 && (last-off).Weekday() == end.Weekday {
						return last - off
					}
					if near := dayNumber(year, end.Month, end.Day); end.Day > 0 {
						if (near + off).Weekday() == end.Weekday {
							return near + off
						}
						if (near - off).Weekday() == end.Weekday {
							return near - off
						}
					}
				}
			}
			var long []int
			day := ends(1989) + 1
			for year := 1990; year <= 2060; year++ {
				first, last := day, ends(year)
				weeks := int(last-first+1) / 7
				var of []int // month of each week
				for m := range 12 {
					for range pattern.WeekPattern[m%3] {
						of = append(of, m+1)
					}
				}
				if weeks == 53 {
					of, long = append(of, 12), append(long, year)
				}
				for ; day <= last; day++ {
					week := int(day-first)/7 + 1
					m := of[week-1]
					if got := [...]int{f.FiscalYearOf(day), f.FiscalNumber(FiscalWeek, day), f.FiscalNumber(FiscalMonth, day), f.FiscalNumber(FiscalQuarter, day), f.FiscalNumber(FiscalHalf, day)}; got != [...]int{year, week, m, (m + 2) / 3, (m + 5) / 6} {
						t.Fatalf("%v %s %s: year, week, month, quarter, half %v, want week %d of %d, month %d", end, pattern.Name, day, got, week, year, m)
					}
					for u := FiscalWeek; u <= FiscalYear && (!testing.Short() || day%13 == 0); u++ {
						name := f.Name(u, day)
						if s, ok := f.ParseSpan(name); !ok || !s.Contains(day) || s != mustPeriod(f, u, day) {
							t.Fatalf("%v %s: %s is %v, which doesn't hold %s", end, pattern.Name, name, s, day)
						}
					}
				}
			}
			if want := [...]int{1990, 1996, 2001, 2007, 2013, 2018, 2024}; end == (FiscalYearEnd{Saturday, 1, 31}) && !slices.Equal(long[:7], want[:]) {
				t.Errorf("years of 53 weeks: %v, want %v", long[:7], want)
			}
		}
	}
	f := DefaultFiscalCalendar
	f.YearEnd, f.Pattern = FiscalYearEnd{Thursday, 12, 31}, WeekPatterns[0].WeekPattern
	if d := dayNumber(2030, 1, 3); f.Name(FiscalMonth, d) != "FY2029-M12" || f.Name(FiscalMonth, d+1) != "FY2030-M01" {
		t.Errorf("3 January 2030 lies in %s", f.Name(FiscalMonth, d))
	}
	if f.NamedByStartYear = true; f.Name(FiscalYear, dayNumber(2030, 1, 3)) != "FY2028" {
		t.Errorf("named by the year before: %s", f.Name(FiscalYear, dayNumber(2030, 1, 3)))
	}
}

func mustPeriod(f FiscalCalendar, u Unit, d Date) Span {
	s, _ := f.Period(u, f.PeriodIndex(u, d))
	return s
}

func TestPeriodsTileTime(t *testing.T) {
	frames := []FiscalCalendar{DefaultFiscalCalendar, fiscal(Sunday, 4, 1, false), fiscal(Saturday, 4, 6, true), fiscal(Monday, 3, 31, false), fiscal(Monday, 2, 29, false)}
	for i, end := range []FiscalYearEnd{{Saturday, 1, 0}, {Saturday, 1, 31}, {Thursday, 12, 31}, {Sunday, 1, 2}, {Friday, 2, 29}} {
		f := DefaultFiscalCalendar
		f.YearEnd, f.Pattern = end, WeekPatterns[i%3].WeekPattern
		frames = append(frames, f)
	}
	for _, f := range frames {
		for u := Day; u <= FiscalYear; u++ {
			prev, last := f.PeriodIndex(u, 719163), Date(0)
			for d := Date(719163); d < 719163+366*9; d++ {
				i := f.PeriodIndex(u, d)
				s, ok := f.Period(u, i)
				if !ok || !s.Contains(d) {
					t.Fatalf("%v %s: period %d of %s is %v", f, UnitNames[u], i, d, s)
				}
				if i != prev && (i != prev+1 || s.First != d || last != d-1) {
					t.Fatalf("%v %s: gap or overlap at %s", f, UnitNames[u], d)
				}
				if s.Len() > u.MaxDays() {
					t.Fatalf("%s has %d days, MaxDays says %d", UnitNames[u], s.Len(), u.MaxDays())
				}
				prev, last = i, s.Last
			}
		}
	}
}

func TestMonthTable_againstArithmetic(t *testing.T) {
	// Easter Sundays as the churches' published tables list them.
	for _, s := range []string{"1818-03-22", "1943-04-25", "1961-04-02", "2000-04-23", "2008-03-23", "2019-04-21",
		"2024-03-31", "2025-04-20", "2026-04-05", "2027-03-28", "2028-04-16", "2038-04-25", "2285-03-22"} {
		d, _, _ := Parse(s)
		if e := Easter(d.Year()); e != d {
			t.Errorf("Easter %d = %s, want %s", d.Year(), e, s)
		}
	}
	for _, s := range []string{"1900-04-22", "2000-04-30", "2010-04-04", "2019-04-28", "2024-05-05", "2025-04-20", "2026-04-12", "2027-05-02", "2028-04-16"} {
		d, _, _ := Parse(s)
		if e := OrthodoxEaster(d.Year()); e != d {
			t.Errorf("Orthodox Easter %d = %s, want %s", d.Year(), e, s)
		}
	}
	april := fiscal(Monday, 4, 1, false)
	for _, c := range []struct {
		f              FiscalCalendar
		in, from, upto string
	}{
		{DefaultFiscalCalendar, "2027", "2027-01-01", "2027-12-31"},
		{DefaultFiscalCalendar, "2027-H2", "2027-07-01", "2027-12-31"},
		{DefaultFiscalCalendar, "2027-q2", "2027-04-01", "2027-06-30"},
		{DefaultFiscalCalendar, "2028-02", "2028-02-01", "2028-02-29"},
		{DefaultFiscalCalendar, "2027-W13", "2027-03-29", "2027-04-04"},
		{DefaultFiscalCalendar, "2026-W53", "2026-12-28", "2027-01-03"},
		{april, "FY2027", "2026-04-01", "2027-03-31"},
		{DefaultFiscalCalendar, "FY2027", "2027-01-01", "2027-12-31"},
		{fiscal(Monday, 4, 6, true), "FY2027", "2027-04-06", "2028-04-05"},
		{DefaultFiscalCalendar, "2027-090", "2027-03-31", "2027-03-31"},
		{DefaultFiscalCalendar, "2027-W13-3", "2027-03-31", "2027-03-31"},
		{DefaultFiscalCalendar, "9999", "9999-01-01", "9999-12-31"},
		{DefaultFiscalCalendar, "0000", "", ""},
		{DefaultFiscalCalendar, "2027-W53", "", ""},
		{DefaultFiscalCalendar, "2026-W54", "", ""},
		{DefaultFiscalCalendar, "2027-W00", "", ""},
		{DefaultFiscalCalendar, "9999-W52", "", ""},
		{DefaultFiscalCalendar, "9999-W51", "9999-12-20", "9999-12-26"},
		{april, "FY0001", "", ""},
		{april, "FY0002", "0001-04-01", "0002-03-31"},
		{april, "FY2027-Q4", "2027-01-01", "2027-03-31"},
		{april, "FY2027-M03", "2026-06-01", "2026-06-30"},
		{april, "FY2027-H2", "2026-10-01", "2027-03-31"},
		{april, "FY2027-W53", "2027-03-31", "2027-03-31"},
		{april, "FY2027-W54", "", ""},
		{april, "FY2027-M13", "", ""},
		{april, "FY2027-M3", "", ""},
		{april, "FY2027-Q0", "", ""},
		{april, "FY2027-X1", "", ""},
		{DefaultFiscalCalendar, "2027-H3", "", ""},
		{DefaultFiscalCalendar, "2027-H0", "", ""},
		{DefaultFiscalCalendar, "2027-Q0", "", ""},
		{DefaultFiscalCalendar, "2027-00", "", ""},
		{DefaultFiscalCalendar, "2027-Q5", "", ""},
		{DefaultFiscalCalendar, "2027-13", "", ""},
		{DefaultFiscalCalendar, "2027-02-29", "", ""},
		{DefaultFiscalCalendar, "2027-366", "", ""},
		{DefaultFiscalCalendar, "FY27", "", ""},
		{DefaultFiscalCalendar, "20270331", "", ""},
		{DefaultFiscalCalendar, "2027-3-1", "", ""},
	} {
		s, ok := c.f.ParseSpan(c.in)
		if ok != (c.from != "") || ok && (s.First.String() != c.from || s.Last.String() != c.upto) {
			t.Errorf("%s = %s..%s, %v; want %s..%s", c.in, s.First, s.Last, ok, c.from, c.upto)
		}
	}
	d, _, _ := Parse("2027-03-31")
	for u, want := range map[Unit]string{Week: "2027-W13", Month: "2027-03", Quarter: "2027-Q1", Half: "2027-H1",
		Year: "2027", FiscalYear: "FY2027", Day: "2027-03-31"} {
		if got := april.Name(u, d); got != want {
			t.Errorf("name of %s is %s, want %s", UnitNames[u], got, want)
		}
	}
}

// The edges of what a date can be: forms, bounds, clamps.
func TestDate_bounds(t *testing.T) {
	for _, c := range []struct {
		in        string
		shape, ok bool
	}{
		{"2027-W13-7", true, true},
		{"2027-W13-8", true, false},
		{"2027-W13-0", true, false},
		{"2027-w53-1", true, false},
		{"2026-W53-1", true, true},
		{"2028-366", true, true},
		{"2027-366", true, false},
		{"2027-000", true, false},
		{"0000-001", true, false},
		{"0001-01-01", true, true},
		{"9999-12-31", true, true},
		{"2027-3-01", false, false},
		{"2027/03/01", false, false},
		{"2027-03-0x", false, false},
		{"20270301xx", false, false},
		{"2027-0a1", false, false},
	} {
		d, shape, ok := Parse(c.in)
		if shape != c.shape || ok != c.ok || ok != d.Valid() {
			t.Errorf("%s: %d, shape %v, ok %v", c.in, d, shape, ok)
		}
	}
	for _, c := range [][3]int{{0, 12, 31}, {10000, 1, 1}, {2027, 0, 1}, {2027, 13, 1}, {2027, 1, 0}, {2027, 1, 32}, {2027, 2, 29}} {
		if d, ok := NewDate(c[0], c[1], c[2]); ok || d != None {
			t.Errorf("%v is a day: %s", c, d)
		}
	}
	for _, n := range []int{1 << 33, -1 << 33, int(Max), -int(Max), 1<<32 + 1} {
		if d, ok := Date(700000).Add(n); ok {
			t.Errorf("700000 + %d = %d", n, d)
		}
	}
	if d, ok := Min.Add(int(Max) - 1); !ok || d != Max {
		t.Errorf("the last day is %d, %v", d, ok)
	}
	if d, ok := Max.Add(-int(Max) + 1); !ok || d != Min {
		t.Errorf("the first day is %d, %v", d, ok)
	}
	for _, c := range []struct {
		from string
		n    int
		keep bool
		want string
	}{
		{"2027-02-28", 1, true, "2027-03-31"},
		{"2027-02-28", 1, false, "2027-03-28"},
		{"2028-02-28", 1, true, "2028-03-28"},
		{"2027-01-31", -11, false, "2026-02-28"},
		{"0001-01-31", -1, false, ""},
		{"9999-12-01", 1, false, ""},
		{"9999-11-30", 1, true, "9999-12-31"},
	} {
		d, _, _ := Parse(c.from)
		got, ok := d.ShiftMonths(c.n, c.keep)
		if ok != (c.want != "") || ok && got.String() != c.want {
			t.Errorf("%s + %d months = %s, %v; want %s", c.from, c.n, got, ok, c.want)
		}
	}
	for day, end := range map[string]bool{"2027-02-28": true, "2028-02-28": false, "2028-02-29": true, "2027-04-30": true, "2027-05-30": false} {
		if d, _, _ := Parse(day); d.IsMonthEnd() != end {
			t.Errorf("%s ends its month: %v", day, !end)
		}
	}
}

// A walker stands where asking for each period by its number stands, also when
// it skips and at the ends of time.
func TestWalker(t *testing.T) {
	f := FiscalCalendar{WeekStart: Sunday, FiscalMonth: 4, FiscalDay: 6}
	for u := Day; u <= FiscalYear; u++ {
		for _, day := range []Date{1, 400, 730000, Max - 800, Max} {
			i := f.PeriodIndex(u, day)
			w := f.Walk(u, i)
			for _, skip := range []int{0, 1, 1, 2, 1, 5, 1} {
				i += skip
				w.Skip(skip)
				want, ok := f.Period(u, i)
				if got, gok := w.Period(); gok != ok || ok && got != want {
					t.Fatalf("%s %d: the walker stands at %v %v, the period is %v %v", UnitNames[u], i, got, gok, want, ok)
				}
			}
		}
		n := 0
		for p, err := range f.Periods(u)(Span{730000, 730400}) {
			if n++; err != nil || p.Last < 730000 || p.First > 730400 {
				t.Fatalf("%s: %v lies outside", UnitNames[u], p)
			}
		}
		first, last := f.PeriodIndex(u, 730000), f.PeriodIndex(u, 730400)
		if n != last-first+1 {
			t.Errorf("%s: %d periods, want %d", UnitNames[u], n, last-first+1)
		}
	}
}

// The name of a fiscal year is read as the year that it names, for years of months and
// of weeks, named by their start and by their end.
func TestFiscalNames(t *testing.T) {
	for _, f := range []FiscalCalendar{{FiscalMonth: 2, FiscalDay: 1, WeekStart: Monday}, {FiscalMonth: 1, FiscalDay: 2, WeekStart: Monday}, {FiscalMonth: 1, FiscalDay: 1, WeekStart: Monday}, {FiscalMonth: 4, FiscalDay: 6, WeekStart: Monday}, {FiscalMonth: 4, FiscalDay: 6, NamedByStartYear: true, WeekStart: Monday},
		{YearEnd: FiscalYearEnd{Weekday: Saturday, Month: 1}, WeekStart: Monday}, {YearEnd: FiscalYearEnd{Weekday: Saturday, Month: 1}, NamedByStartYear: true, WeekStart: Monday}} {
		f.Pattern = WeekPatterns[0].WeekPattern
		for d := dayNumber(2020, 1, 3); d < dayNumber(2034, 1, 1); d += 53 {
			for _, u := range []Unit{FiscalYear, FiscalQuarter, FiscalMonth} {
				name := f.Name(u, d)
				want, _ := f.PeriodAt(u, d, 0)
				if span, ok := f.ParseSpan(name); !ok || span != want {
					t.Fatalf("%+v, %s: %s is read as %v, want %v", f, d, name, span, want)
				}
			}
		}
	}
	for text, want := range map[string]string{"2027-001": "2027-01-01", "2027-365": "2027-12-31", "2028-366": "2028-12-31", "2027-366": "", "2027-000": ""} {
		if d, _, ok := Parse(text); ok != (want != "") || ok && d.String() != want {
			t.Errorf("%s is read as %s, want %q", text, d, want)
		}
	}
}

// Days written with signs behind their numbers: each is read, with its own weekday and no other.
func TestParseSigned(t *testing.T) {
	signs := []rune("月火水木金土日")
	for d := dayNumber(1999, 12, 1); d < dayNumber(2001, 4, 1); d++ {
		y, m, day := d.YMD()
		text := fmt.Sprintf("%d年%d月%02d日", y, m, day)
		for i, sign := range append(signs, 'x') {
			if got, ok := ParseSigned(text + "(" + string(sign) + ")"); ok != (i+1 == int(d.Weekday())) || ok && got != d {
				t.Fatalf("%s with %c is %v, %t", text, sign, got, ok)
			}
		}
		if got, ok := ParseSigned(text); !ok || got != d {
			t.Fatalf("%s is %v, %t", text, got, ok)
		}
	}
	for _, bad := range []string{"2027年3月", "2027年13月1日", "年3月1日", "2027年3月15日x", "20270年3月1日", "2027月3年1日"} {
		if d, ok := ParseSigned(bad); ok {
			t.Errorf("%s is %v", bad, d)
		}
	}
}
