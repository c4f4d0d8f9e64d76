package workdays

import "yoyaku/internal/core/civil"

// Convention is a business-day convention: where a date goes that falls on a
// closed day (2006 ISDA Definitions, section 4.12, and their kin).
type Convention uint8

// The conventions. The modified ones turn back when the month would change.
const (
	NoRoll Convention = iota
	Following
	Preceding
	ModifiedFollowing
	ModifiedPreceding
	Nearest
)

// ConventionNames holds the language's words for the conventions.
var ConventionNames = [...]string{"none", "following", "preceding", "modified following", "modified preceding",
	"nearest"}

// Roll moves a closed day by a convention and leaves a working day alone.
// Modified goes by the month of d and turns back from d; nearest counts
// calendar days and takes the later day on a tie. ok is false beyond the bounds.
func (c *Calendar) Roll(d civil.Date, convention Convention) (r civil.Date, ok bool) {
	if c.IsWorkday(d) {
		return d, true
	}
	return c.RollClosed(d, convention)
}

// RollClosed is Roll for a day that is known to be closed.
func (c *Calendar) RollClosed(d civil.Date, convention Convention) (r civil.Date, ok bool) {
	switch convention {
	case NoRoll:
		return d, true
	case Following:
		return c.AddWorkdays(d, 1)
	case Preceding:
		return c.AddWorkdays(d, -1)
	}
	after, aok := c.AddWorkdays(d, 1)
	before, bok := c.AddWorkdays(d, -1)
	var later bool
	switch convention {
	case ModifiedFollowing:
		later = aok && sameMonth(after, d)
	case ModifiedPreceding:
		later = !bok || !sameMonth(before, d)
	case Nearest:
		later = aok && (!bok || after-d <= d-before)
	}
	if later {
		return after, aok
	}
	return before, bok
}

func sameMonth(a, b civil.Date) bool {
	ay, am, _ := a.YMD()
	by, bm, _ := b.YMD()
	return ay == by && am == bm
}
