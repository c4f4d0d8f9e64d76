package schedule

import (
	"fmt"
	"strconv"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
)

// Bounds are how many there may be, both included.
type Bounds struct{ Min, Max int }

// ParseBounds reads N or N..M.
func ParseBounds(text string) (b Bounds, err error) {
	from, to, two := strings.Cut(text, "..")
	if !two {
		to = from
	}
	least, err1 := strconv.Atoi(strings.TrimSpace(from))
	most, err2 := strconv.Atoi(strings.TrimSpace(to))
	if err1 != nil || err2 != nil || least < 0 || most < least {
		return b, fmt.Errorf("expected a number or a range, such as 24 or 26..27, found %q", text)
	}
	return Bounds{least, most}, nil
}

func (b Bounds) contains(n int) bool { return n >= b.Min && n <= b.Max }

// String writes 24 or 26..27.
func (b Bounds) String() string {
	if b.Min == b.Max {
		return strconv.Itoa(b.Min)
	}
	return strconv.Itoa(b.Min) + ".." + strconv.Itoa(b.Max)
}

// countUnits are the periods in which the dates of a series are counted, by the
// keys that say how many there must be.
var countUnits = []struct {
	Key  string
	Unit civil.Unit
}{{"per-month", civil.Month}, {"per-quarter", civil.Quarter}, {"per-year", civil.Year},
	{"per-fiscal-year", civil.FiscalYear}}

// Expectations is what must hold of a series.
type Expectations struct {
	Counts map[string]Bounds   // by the keys of countUnits
	Gap    *Bounds             // days from one date to the next
	Each   []*eval.Expectation // of each date
}
