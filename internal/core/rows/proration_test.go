package rows_test

import (
	"math/big"
	"math/rand/v2"
	"strings"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/workdays"
)

// Shares add up to the amount, each is less than a unit from the exact one and
// none has another sign; the balance begins with the amount and ends with nothing.
func TestProration_shares(t *testing.T) {
	rowCount := 20_000
	if testing.Short() {
		rowCount = 1_000
	}
	r := rand.New(rand.NewPCG(10, 2))
	cal := workdays.New("plain", workdays.Weekend)
	var fridays workdays.HolidayList // of which a quarter counts
	for d := civil.Date(730000).OnOrAfter(civil.Friday); d < 740000; d += 7 {
		fridays = append(fridays, workdays.Holiday{Date: d, Weight: 25})
	}
	cal = cal.WithHolidays(fridays)
	number := func(v eval.Value) *big.Rat { n, _ := new(big.Rat).SetString(v.String()); return n }
	for range rowCount {
		h := rows.Proration{By: rows.ProrationBasis(r.IntN(len(rows.ProrationBasisNames))), Places: r.IntN(5), WithBalance: true}
		amount := eval.FromUnits(r.Int64N(2_000_000)-1_000_000, h.Places)
		if r.IntN(50) == 0 {
			amount = eval.FromUnits(r.Int64()-r.Int64(), h.Places)
		}
		var pieces []civil.Span
		for day, n := civil.Date(730000+r.IntN(9000)), 1+r.IntN(14); n > 0; n-- {
			last := day + civil.Date(r.IntN(40))
			pieces = append(pieces, civil.Span{First: day, Last: last})
			day = last + 1
		}
		shares, err := h.Prorate(pieces, cal, eval.Str(amount.String()))
		total, weights := new(big.Rat), make([]*big.Rat, len(pieces))
		for i, p := range pieces { // by a count of its own
			w := int64(1)
			switch way := rows.ProrationBasisNames[h.By]; {
			case way == "days":
				w = int64(p.Last-p.First) + 1
			case way == "working days":
				w = 0
				for d := p.First; d <= p.Last; d++ {
					if d.Weekday() < civil.Saturday {
						w++
					}
				}
			case way == "counted days":
				w = 0
				for d := p.First; d <= p.Last; d++ {
					if day := d.Weekday(); day < civil.Friday {
						w += 4
					} else if day == civil.Friday {
						w++
					}
				}
			case way != "evenly":
				p, err := eval.Compile(way+" years from "+p.First.String()+" to "+(p.Last+1).String(), nil, eval.Env{Fiscal: civil.DefaultFiscalCalendar, Calendar: cal})
				if err != nil {
					t.Fatal(err)
				}
				v, _ := p.Eval(nil)
				weights[i] = big.NewRat(v.Num, max(v.Den, 1))
			}
			if weights[i] == nil {
				weights[i] = big.NewRat(w, 1)
			}
			total.Add(total, weights[i])
		}
		if total.Sign() == 0 {
			if err == nil && number(amount).Sign() != 0 {
				t.Fatalf("%v over nothing gives %v", amount, shares)
			}
			continue
		}
		unit, sum := number(eval.FromUnits(1, h.Places)), new(big.Rat)
		for i, s := range shares {
			exact := new(big.Rat).Quo(new(big.Rat).Mul(number(amount), weights[i]), total)
			off := new(big.Rat).Abs(exact.Sub(exact, number(s.Amount)))
			before := new(big.Rat).Sub(number(amount), sum)
			sum.Add(sum, number(s.Amount))
			if off.Cmp(unit) >= 0 || number(s.Amount).Sign()*number(amount).Sign() < 0 || before.Cmp(number(s.Before)) != 0 || number(s.After).Cmp(new(big.Rat).Sub(number(amount), sum)) != 0 {
				t.Fatalf("%v by %s over %v: share %d is %v, %v off; before %v, after %v", amount, rows.ProrationBasisNames[h.By], pieces, i, s.Amount, off, s.Before, s.After)
			}
		}
		if err != nil || sum.Cmp(number(amount)) != 0 {
			t.Fatalf("%v by %s over %v: the shares are %v in all, %v", amount, rows.ProrationBasisNames[h.By], pieces, sum, err)
		}
	}
	for _, c := range []struct {
		amount  string
		places  int
		weights []uint64
		want    string
	}{
		{"10000.00", 2, []uint64{1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 1}, "833.34 833.34 833.34 833.34 833.33 833.33 833.33 833.33 833.33 833.33 833.33 833.33"},
		{"100", 0, []uint64{1, 1, 1}, "34 33 33"},
		{"-1", 2, []uint64{2, 0, 1}, "-0.67 0.00 -0.33"},
		{"0", 2, []uint64{0, 0}, "0.00 0.00"},
		{"", 2, []uint64{1, 2}, " "},
		{"5", 2, []uint64{0}, "!the range has no days to split the amount over: 5"},
		{"1.005", 2, []uint64{1}, "!1.005 has more than 2 decimal places, the places of a share"},
		{"five", 2, []uint64{1}, `!expected an amount, found "five"`},
		{"99999999999999999999", 2, []uint64{1}, "!the amount 99999999999999999999 is too large to be shared exactly"},
	} {
		h := rows.Proration{Places: c.places}
		var got []string
		shares, err := h.Split(eval.Str(c.amount), c.weights)
		for _, s := range shares {
			got = append(got, s.Amount.String())
		}
		if err != nil {
			got = []string{"!" + err.Error()}
		}
		if text := strings.Join(got, " "); text != c.want {
			t.Errorf("%s by %v: %q, want %q", c.amount, c.weights, text, c.want)
		}
	}
}
