package infer

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/recur"
	"yoyaku/internal/core/workdays"
)

// Prices in bits. They were set by how many of a thousand random rules came back; see
// docs/from-last-year.md for what that means for a table.
const (
	missBits     = 3.0  // a date that is off costs so much and log2 of how many dates there are
	maxCostShare = 0.85 // of what a list of the dates takes, a phrase may take
	minBitsSaved = 5.0  // and takes so many bits less
	changeBits   = 12.0 // that one rule follows another
	dayBits      = 1.5  // each further day of a period
	shiftBits    = 2.0  // that days are shifted at all
	minHitShare  = 0.45 // share of the dates that a day stands for that it must give to be looked at
)

// dayForm is a day of a period, such as last fri: a row of the table of candidates. Its text is
// how the language prints the item, and its days are those that the engine gives for it.
type dayForm struct {
	recur.Item
	bits float64
}

// usesCalendar reports whether the form's day depends on a calendar.
func (f dayForm) usesCalendar() bool { return f.Kind == recur.NthWorking }

func (f dayForm) isEaster() bool {
	return f.Kind == recur.EasterDay || f.Kind == recur.OrthodoxEasterDay
}

// All days that are tried. Those of months serve quarters, half-years, years and fiscal
// periods too.
var (
	monthForms  = newMonthForms()
	weekForms   = newWeekForms()
	middleForms = []dayForm{{recur.Item{Kind: recur.MiddleDay}, 4.5}}
	easterForms = []dayForm{{recur.Item{Kind: recur.EasterDay}, 2.5}, {recur.Item{Kind: recur.OrthodoxEasterDay}, 5}}
)

func newMonthForms() (list []dayForm) {
	add := func(bits float64, it recur.Item) { list = append(list, dayForm{it, bits}) }
	for n := 1; n <= 31; n++ {
		bits := 5.5
		switch n {
		case 1, 15:
			bits = 3.5
		case 5, 10, 20, 25:
			bits = 4.5
		case 29, 30, 31:
			bits = 6.5
		}
		add(bits, recur.Item{Kind: recur.DayNumber, N: n})
	}
	for n := 1; n <= 10; n++ {
		add(firstOr(n, 2.5, 5+0.3*float64(n)), recur.Item{Kind: recur.DayNumber, N: -n})
	}
	add(6.5, recur.Item{Kind: recur.MiddleDay})
	for w := civil.Monday; w <= civil.Sunday; w++ {
		for n, bits := range map[int]float64{1: 5.5, 2: 5.5, 3: 5.5, 4: 5.5, 5: 8, -1: 5.5, -2: 8} {
			if w >= civil.Saturday {
				bits += 0.5
			}
			add(bits, recur.Item{Kind: recur.NthWeekday, N: n, Weekday: w})
		}
	}
	for n := 1; n <= 20; n++ {
		add(firstOr(n, 3, 4.2+0.15*float64(n)), recur.Item{Kind: recur.NthWorking, N: n})
	}
	for n := 1; n <= 10; n++ {
		add(firstOr(n, 3.2, 4.7+0.2*float64(n)), recur.Item{Kind: recur.NthWorking, N: -n})
	}
	slices.SortStableFunc(list, func(a, b dayForm) int { // maps have no order
		return cmp.Or(cmp.Compare(a.Kind, b.Kind), cmp.Compare(a.Weekday, b.Weekday), cmp.Compare(a.N, b.N))
	})
	return list
}

func newWeekForms() (list []dayForm) {
	for w := civil.Monday; w <= civil.Sunday; w++ {
		list = append(list, dayForm{recur.Item{Kind: recur.EveryWeekday, Weekday: w}, 2.8})
	}
	return list
}

func firstOr(n int, first, others float64) float64 {
	if n == 1 {
		return first
	}
	return others
}

// shift is what a rule does to its day: steps behind `then`, or leaving closed ones out.
type shift struct {
	days, working int
	roll          workdays.Convention // behind the days
	dropClosed    bool                // closed days
}

// conventionBits is what naming a convention costs.
var conventionBits = [...]float64{workdays.NoRoll: 0.4, workdays.Following: 2.2, workdays.Preceding: 1.8,
	workdays.ModifiedFollowing: 3, workdays.ModifiedPreceding: 4.5, workdays.Nearest: 4}

func (s shift) bits(of dayForm) float64 {
	size := func(n int) float64 { return float64(max(n, -n)) }
	switch {
	case s.dropClosed:
		return 4
	case s.working > 0:
		return shiftBits + 4.5 + size(s.working)/4
	case s.working < 0: // so many days before is the commoner
		return shiftBits + 4 + size(s.working)/4
	case s.days != 0 && of.isEaster():
		return 3 + 0.06*size(s.days) + conventionBits[s.roll]
	case s.days != 0:
		return shiftBits + 5 + size(s.days)/10 + conventionBits[s.roll]
	}
	return conventionBits[s.roll]
}

// usesCalendar reports whether the shift depends on a calendar.
func (s shift) usesCalendar() bool {
	return s.working != 0 || s.roll != workdays.NoRoll || s.dropClosed
}

// apply gives the day that becomes of one; ok is false if none does.
func (s shift) apply(d civil.Date, cal *workdays.Calendar) (_ civil.Date, ok bool) {
	if s.dropClosed {
		return d, cal.IsWorkday(d)
	}
	if d, ok = d.Add(s.days); !ok {
		return d, false
	}
	if s.working != 0 {
		if d, ok = cal.AddWorkdays(d, s.working); !ok {
			return d, false
		}
	}
	if s.roll == workdays.NoRoll {
		return d, true
	}
	return cal.Roll(d, s.roll)
}

// steps are the shift in the language, without a base.
func (s shift) steps() string {
	var list []string
	unit := func(n int, unit string) {
		if n != 0 {
			if n != 1 && n != -1 {
				unit += "s"
			}
			list = append(list, fmt.Sprintf("%+d %s", n, unit))
		}
	}
	unit(s.days, "day")
	unit(s.working, "working day")
	if s.roll != workdays.NoRoll {
		list = append(list, "roll "+workdays.ConventionNames[s.roll])
	}
	return strings.Join(list, ", ")
}

// What shifts are tried where.
var (
	noShift      = []shift{{}}
	conventions  = withConventions(0, 0, workdays.Nearest)
	rollsOrDrop  = append(conventions, shift{dropClosed: true})
	workShifts   = bothWays(10, func(n int) []shift { return []shift{{working: n}} })
	dayShifts    = bothWays(31, func(n int) []shift { return withConventions(n, workdays.NoRoll, workdays.ModifiedFollowing) })
	easterShifts = append(conventions,
		bothWays(70, func(n int) []shift { return withConventions(n, workdays.NoRoll, workdays.Nearest) })...)
)

// withConventions are shifts by days with each convention of a range.
func withConventions(days int, from, through workdays.Convention) (list []shift) {
	for c := from; c <= through; c++ {
		list = append(list, shift{days: days, roll: c})
	}
	return list
}

// bothWays are the shifts by 1 to most, either way.
func bothWays(most int, of func(n int) []shift) (list []shift) {
	for n := -most; n <= most; n++ {
		if n != 0 {
			list = append(list, of(n)...)
		}
	}
	return list
}

// shiftsOf are those that are tried with a day of a month.
func shiftsOf(f dayForm) [][]shift {
	switch f.Kind {
	case recur.NthWorking:
		return [][]shift{noShift, dayShifts}
	case recur.NthWeekday:
		return [][]shift{rollsOrDrop, workShifts, dayShifts}
	}
	return [][]shift{rollsOrDrop, workShifts}
}
