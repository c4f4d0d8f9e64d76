package rows_test

import (
	"fmt"
	"math/big"
	"math/rand/v2"
	"strings"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/workdays"
)

// sample is how many random rows a comparison takes.
func sample(n int) int {
	if testing.Short() {
		return n / 10
	}
	return n
}

// isRounded is a fraction in hundredths, halves away from zero, by the words alone.
func isRounded(r *big.Rat) *big.Rat {
	twice := new(big.Rat).Mul(r, big.NewRat(200, 1))
	n := new(big.Int).Quo(new(big.Int).Add(new(big.Int).Abs(twice.Num()), twice.Denom()), new(big.Int).Mul(twice.Denom(), big.NewInt(2)))
	if r.Sign() < 0 {
		n.Neg(n)
	}
	return new(big.Rat).SetFrac(n, big.NewInt(100))
}

// TestProration_sharePer holds shares of a rate to a sum over each day of the range: a piece is what is due
// through its last day, rounded, less what was due before its first.
func TestProration_sharePer(t *testing.T) {
	r := rand.New(rand.NewPCG(25, 9))
	for range sample(10_000) {
		months := []int{12, 3, 1}[r.IntN(3)]
		first := civil.Date(739900 + r.IntN(1500))
		span := civil.Span{First: first, Last: first + civil.Date(r.IntN(150))}
		cents := int64(r.IntN(4_000_000) - 1_000_000)
		units := []civil.Unit{civil.Week, civil.Month, civil.Quarter, civil.FiscalMonth}
		s := rows.Spread{Window: civil.AllDays, By: civil.DefaultFiscalCalendar.Periods(units[r.IntN(4)]),
			Share: &rows.Proration{Places: 2, Months: months, WithBalance: true}}
		if r.IntN(5) == 0 {
			s.By = nil
		}
		due := map[civil.Date]*big.Rat{first - 1: new(big.Rat)}
		for d := span.First; d <= span.Last; d++ {
			y, m, _ := d.YMD()
			due[d] = new(big.Rat).Add(due[d-1], big.NewRat(cents, int64(100*months*civil.DaysIn(y, m))))
		}
		day := span.First
		err := s.ProratedPieces(workdays.Extent{Span: span}, eval.Fraction(cents, 100), func(cells []eval.Value, share rows.Portion) error {
			last := cells[0].Day
			if s.By != nil {
				last = cells[2].Day
			}
			before, after := isRounded(due[day-1]), isRounded(due[last])
			whole := isRounded(due[span.Last])
			for i, want := range []*big.Rat{new(big.Rat).Sub(after, before), new(big.Rat).Sub(whole, before), new(big.Rat).Sub(whole, after)} {
				if got := []eval.Value{share.Amount, share.Before, share.After}[i].String(); got != want.FloatString(2) {
					return fmt.Errorf("%d cents for %d months, %s to %s, piece %s to %s: %s, want %s", cents, months, span.First,
						span.Last, day, last, got, want.FloatString(2))
				}
			}
			day = last + 1
			return nil
		})
		if err == nil && day != span.Last+1 {
			err = fmt.Errorf("the pieces of %s to %s end before %s", span.First, span.Last, day)
		}
		check(t, err)
	}
}

// TestRunningColumns holds columns that run down to a loop: groups of their own, rows set aside
// passed over, a blank that stays to the end of its group.
func TestRunningColumns(t *testing.T) {
	r := rand.New(rand.NewPCG(25, 10))
	for range sample(10_000) / 20 {
		d := rows.NewDerive([]string{"who", "n", "prior"})
		d.BlankBadCells = r.IntN(3) == 0
		per := []string{"", "who"}[r.IntN(2)]
		check(t, d.Add([]string{"twice = n * 2"}, false, eval.Env{}))
		check(t, d.AddRunning([]string{`balance = twice / 2; prior + twice`, `place = 1; prior + 1`, `old = "prior"; prior & "prior"`}, per, eval.Env{}))
		type state struct {
			balance, place int
			old            string
			blank, seen    bool
		}
		above := map[string]*state{}
		groups := map[string]bool{}
		for i := range 20 {
			who, n := string(rune('a'+r.IntN(3))), r.IntN(9)
			cell := eval.Str(fmt.Sprint(n))
			kind := r.IntN(12)
			switch kind {
			case 0:
				cell = eval.Value{}
			case 1:
				cell = eval.Str("x")
			}
			row, keep, bad := d.EvalRow(i, append(make([]eval.Value, 0, 9), eval.Str(who), cell, eval.Str(who)), nil)
			if keep != (kind != 1 || d.BlankBadCells) || (bad != nil) != (kind == 1) {
				t.Fatalf("row of %v: keep %v, bad %v", cell, keep, bad)
			}
			if !keep {
				continue
			}
			if per == "" {
				groups[""] = true
			}
			key := map[bool]string{true: who}[per != ""]
			s := above[key]
			if s == nil {
				s = &state{}
				above[key] = s
			}
			if s.place++; s.seen {
				n *= 2
			}
			s.seen = true
			s.balance, s.old = s.balance+n, s.old+who
			s.blank = s.blank || kind < 2
			want := []string{fmt.Sprint(s.balance), fmt.Sprint(s.place), s.old}
			if s.blank {
				want[0] = ""
			}
			for k, w := range want {
				if got := row[4+k].String(); got != w {
					t.Fatalf("row %d, column %d: %q, want %q", i, k, got, w)
				}
			}
		}
		blank := 0
		for _, s := range above {
			if s.blank {
				blank++
			}
		}
		columns, counts := d.BlankGroups()
		if (blank > 0) != (len(columns) == 1) || blank > 0 && counts[0] != blank {
			t.Fatalf("%v %v of %d groups", columns, counts, blank)
		}
		if d.ResetGroups(); blank > 0 {
			row, _, _ := d.EvalRow(0, append(make([]eval.Value, 0, 9), eval.Str("a"), eval.Str("7"), eval.Str("p")), nil)
			if row[4].String() != "7" || row[6].String() != "p" {
				t.Fatalf("after a restart: %v", row)
			}
		}
	}
	for text, want := range map[string]string{
		"b = a; ":            "expected NAME = FIRST; NEXT",
		"b = 'x;y' & who; n": "",
		"b = prior; n":       "unknown name `prior`",
		"who = 1; 2":         "there is already a column",
		"b = n; n ^ ":        "expected",
	} {
		err := rows.NewDerive([]string{"who", "n"}).AddRunning([]string{text}, "", eval.Env{})
		if got := fmt.Sprint(err); (err == nil) != (want == "") || !strings.Contains(got, want) {
			t.Errorf("%s: %v, want %q", text, err, want)
		}
	}
}
