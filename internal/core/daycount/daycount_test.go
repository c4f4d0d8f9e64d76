package daycount

import (
	"math"
	"testing"

	"yoyaku/internal/core/civil"
)

func day(s string) civil.Date { d, _, _ := civil.Parse(s); return d }

// Days by the published tables of the 30/360 conventions, in the order US, bond
// basis, 30E, 30E ISDA.
func TestDays_30360(t *testing.T) {
	for _, c := range []struct {
		a, b string
		want [4]int
	}{
		{"2007-01-15", "2007-01-30", [4]int{15, 15, 15, 15}},
		{"2007-01-15", "2007-02-15", [4]int{30, 30, 30, 30}},
		{"2007-01-15", "2007-07-15", [4]int{180, 180, 180, 180}},
		{"2007-09-30", "2008-03-31", [4]int{180, 180, 180, 180}},
		{"2007-09-30", "2007-10-31", [4]int{30, 30, 30, 30}},
		{"2007-09-30", "2008-09-30", [4]int{360, 360, 360, 360}},
		{"2007-01-15", "2007-01-31", [4]int{16, 16, 15, 15}},
		{"2007-01-31", "2007-02-28", [4]int{28, 28, 28, 30}},
		{"2007-02-28", "2007-03-31", [4]int{30, 33, 32, 30}},
		{"2006-08-31", "2007-02-28", [4]int{178, 178, 178, 180}},
		{"2007-02-28", "2007-08-31", [4]int{180, 183, 182, 180}},
		{"2007-02-14", "2007-02-28", [4]int{14, 14, 14, 16}},
		{"2007-02-26", "2008-02-29", [4]int{363, 363, 363, 364}},
		{"2008-02-29", "2009-02-28", [4]int{360, 359, 359, 360}},
		{"2008-02-29", "2008-03-30", [4]int{30, 31, 31, 30}},
		{"2008-02-29", "2008-03-31", [4]int{30, 32, 31, 30}},
		{"2007-02-28", "2007-03-05", [4]int{5, 7, 7, 5}},
		{"2007-10-31", "2007-11-28", [4]int{28, 28, 28, 28}},
		{"2007-08-31", "2008-02-29", [4]int{179, 179, 179, 180}},
		{"2008-02-29", "2008-08-31", [4]int{180, 182, 181, 180}},
	} {
		for i, want := range c.want {
			if got := Convention(i).Days(day(c.a), day(c.b)); got != want {
				t.Errorf("%s from %s to %s: %d, want %d", Names[i], c.a, c.b, got, want)
			}
			if got := Convention(i).Days(day(c.b), day(c.a)); got != -want {
				t.Errorf("%s from %s to %s: %d, want %d", Names[i], c.b, c.a, got, -want)
			}
		}
	}
}

// The examples of the memorandum "EMU and market conventions: recent
// developments" (ISDA, 1998), for actual/actual.
func TestActualActual(t *testing.T) {
	for _, c := range []struct {
		a, b string
		want float64
	}{
		{"2003-11-01", "2004-05-01", 61.0/365 + 121.0/366},
		{"1999-02-01", "1999-07-01", 150.0 / 365},
		{"1999-07-01", "2000-07-01", 184.0/365 + 182.0/366},
		{"2002-08-15", "2003-07-15", 334.0 / 365},
		{"2003-07-15", "2004-01-15", 170.0/365 + 14.0/366},
		{"1999-07-30", "2000-01-30", 155.0/365 + 29.0/366},
		{"2000-01-30", "2000-06-30", 152.0 / 366},
		{"1999-11-30", "2000-04-30", 32.0/365 + 120.0/366},
	} {
		num, den := ActActISDA.YearFraction(day(c.a), day(c.b))
		if got := float64(num) / float64(den); math.Abs(got-c.want) > 1e-12 {
			t.Errorf("from %s to %s: %v, want %v", c.a, c.b, got, c.want)
		}
		back, _ := ActActISDA.YearFraction(day(c.b), day(c.a))
		if back != -num {
			t.Errorf("from %s to %s isn't the negative", c.b, c.a)
		}
	}
	if n, d := Act365F.YearFraction(day("2027-01-01"), day("2028-01-01")); n != 365 || d != 365 {
		t.Errorf("ACT/365F: %d/%d", n, d)
	}
}
