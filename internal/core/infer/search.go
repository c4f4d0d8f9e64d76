package infer

import (
	"cmp"
	"maps"
	"math"
	"math/bits"
	"slices"

	"yoyaku/internal/core/civil"
)

// selection is which periods of a family have dates: every nth, or some months.
type selection struct {
	every, phase int    // every nth of them
	months       uint16 // of the year, bit 0 for January; 0 for no clause
	bits         float64
}

func (s selection) has(number int) bool {
	if s.months != 0 {
		return s.months>>(((number%12)+12)%12)&1 == 1
	}
	return s.every <= 1 || ((number%s.every)+s.every)%s.every == s.phase
}

// periodChoice is a selection with the periods of it in the searched span.
type periodChoice struct {
	selection
	periods          []int32              // its periods near the stretch
	classes          [selectionCycle]bool // its classes
	minHits          int                  // dates that a day must give there to be looked at
	minDays, maxDays int                  // days a period that the table's dates may come from
}

// candidate is a rule that may be reported: days of the periods that a selection keeps, or a
// cadence of days.
type candidate struct {
	family  *periodFamily // nil for a cadence of days
	sel     selection
	vectors []*dayVector
	every   int // days or working days, where family is nil
	working bool
	start   civil.Date // of every n of them
	cal     int
	bits    float64 // of its words
	score   float64 // and of what is off
	covered bitset  // the dates of the table that it gives
	extra   int     // dates that the table lacks
}

// usesCalendar reports whether a calendar matters.
func (c *candidate) usesCalendar() bool {
	return c.working || slices.ContainsFunc(c.vectors, (*dayVector).usesCalendar)
}

// anchor is the first day of the first period that gives a date here.
func (c *candidate) anchor(g *searchState) civil.Date {
	for i, p := range c.family.periods {
		if c.sel.has(c.family.numbers[i]) && slices.ContainsFunc(c.vectors,
			func(v *dayVector) bool { return v.tableIndex[i] != noDate }) {
			return p.First
		}
	}
	return g.first
}

// bitset is a set of places of dates.
type bitset []uint64

func (b bitset) union(c bitset) bitset {
	d := slices.Clone(b)
	for i := range d {
		d[i] |= c[i]
	}
	return d
}

func (b bitset) len() (n int) {
	for _, w := range b {
		n += bits.OnesCount64(w)
	}
	return n
}

func (b bitset) countCommon(c bitset) (n int) {
	for i, w := range b {
		n += bits.OnesCount64(w | c[i])
	}
	return n
}

func (b bitset) add(place int32) { b[place>>6] |= 1 << (place & 63) }

func (g *searchState) bitset() bitset { return make(bitset, (len(g.days)+63)/64) }

// addCandidate takes a candidate, if it isn't far behind the best.
func (g *searchState) addCandidate(c *candidate) {
	c.score = c.bits + g.missBits*float64(max(len(g.days)-c.covered.len(), c.extra))
	if c.score <= g.best+3*g.missBits+6 {
		g.best = min(g.best, c.score)
		g.found = append(g.found, c)
	}
}

// choices keeps the selections that may give so many dates.
func (g *searchState) choices(f *periodFamily, sels []selection) (list []periodChoice) {
	for _, s := range sels {
		c := periodChoice{selection: s, minDays: f.maxDays + 1}
		spanned := 0.0 // periods in the stretch, those at its ends in part
		for i, p := range f.periods {
			if !s.has(f.numbers[i]) {
				continue
			}
			if p.Last >= g.first-75 && p.First <= g.last+75 {
				c.periods = append(c.periods, int32(i))
			}
			if a, b := max(p.First, g.first), min(p.Last, g.last); b >= a {
				spanned += max(0.5, float64(b-a+1)/float64(p.Len()))
			}
		}
		if spanned < 1.5 {
			continue
		}
		for k := 1; k <= f.maxDays; k++ {
			if share := float64(len(g.days)) / spanned / float64(k); share >= 0.62 && share <= 1+0.65/float64(k) || f.anyLength {
				c.minDays, c.maxDays = min(c.minDays, k), k
			}
		}
		if c.minDays > c.maxDays || !g.plausible(f, s) {
			continue
		}
		c.minHits = max(2, int(math.Ceil(minHitShare*float64(len(g.days))/float64(c.maxDays))))
		for class := range c.classes {
			c.classes[class] = s.has(class)
		}
		list = append(list, c)
	}
	return list
}

// plausible reports whether enough dates lie in the periods of a selection, or all of them
// beside these on the same side.
func (g *searchState) plausible(f *periodFamily, s selection) bool {
	if s.every <= 1 && s.months == 0 {
		return true
	}
	var in [3]int
	j := 0
	for _, d := range g.days {
		for j < len(f.periods)-1 && f.periods[j].Last < d {
			j++
		}
		for k := range in {
			if q := j + k - 1; q >= 0 && q < len(f.numbers) && s.has(f.numbers[q]) {
				in[k]++
			}
		}
	}
	return 5*slices.Max(in[:]) >= 2*len(g.days) // a third may be off, and some moved across
}

// countHits counts what a vector gives in the periods of a choice.
func (c *periodChoice) countHits(v *dayVector) (hits, extra int) {
	for _, i := range c.periods {
		switch x := v.tableIndex[i]; {
		case x >= 0:
			hits++
		case x == notInTable:
			extra++
		}
	}
	return hits, extra
}

// tryFamily tries the days of a family's forms, one by one and together.
func (g *searchState) tryFamily(f *periodFamily, sels []selection) {
	if len(f.periods) == 0 {
		return
	}
	cs := g.choices(f, sels)
	if len(cs) == 0 {
		return
	}
	g.setDayClasses(f)
	groups := g.vectorsOf(f, cs)
	for _, k := range slices.SortedFunc(maps.Keys(groups),
		func(a, b vectorGroup) int { return cmp.Or(cmp.Compare(a.cal, b.cal), cmp.Compare(a.shift, b.shift)) }) {
		list := groups[k]
		if k.cal > 0 {
			if !slices.ContainsFunc(list, func(v *dayVector) bool { return v.cal == k.cal }) {
				continue // none gives the same
			}
			if f.maxDays > 1 { // days that no calendar moves are beside those
				for _, v := range groups[vectorGroup{k.shift, 0}] {
					if !v.usesCalendar() {
						list = append(list, v)
					}
				}
			}
		}
		for i := range cs {
			g.combine(f, &cs[i], list, k.cal)
		}
	}
}

// vectorGroup is what may be combined in one rule: one shift and one calendar for all its days.
type vectorGroup struct{ shift, cal int }

// vectorsOf makes the vectors worth a look: first without holidays, on to the calendars only
// where that gives enough of the dates.
func (g *searchState) vectorsOf(f *periodFamily, cs []periodChoice) map[vectorGroup][]*dayVector {
	groups := map[vectorGroup][]*dayVector{}
	ids := map[shift]int{}
	need := len(g.days)
	for i := range cs {
		need = min(need, cs[i].minHits)
	}
	enough := func(v *dayVector) bool {
		for i := range cs {
			hits, extra := cs[i].countHits(v)
			if hits >= cs[i].minHits && float64(hits) >= minHitShare*float64(hits+extra) {
				return true
			}
		}
		return false
	}
	for _, fm := range f.forms {
		nominal := make([][]civil.Date, len(g.Calendars))
		days := func(cal int) []civil.Date {
			if !fm.usesCalendar() {
				cal = 0
			}
			if nominal[cal] == nil {
				nominal[cal] = g.nominal(f, fm.Item, g.Calendars[cal].Days)
			}
			return nominal[cal]
		}
		for week, w := range g.weeks {
			bare := days(0)
			if week > 0 && fm.usesCalendar() {
				bare = g.nominal(f, fm.Item, w.days)
			}
			marks := g.dayBits(bare)
			for _, list := range f.shifts(fm) {
				for _, s := range list {
					if week > 0 && !fm.usesCalendar() && !s.usesCalendar() || !g.mayReach(f, marks, s, week, cs, need) {
						continue
					}
					v := g.vector(fm, s, 0, w.days, bare)
					if !enough(v) {
						continue
					}
					id, ok := ids[s]
					if !ok {
						id = len(ids)
						ids[s] = id
					}
					if week == 0 {
						groups[vectorGroup{id, 0}] = append(groups[vectorGroup{id, 0}], v)
					}
					for _, cal := range w.calendars {
						if cal == 0 || !v.usesCalendar() {
							continue
						}
						c := g.vector(fm, s, cal, g.Calendars[cal].Days, days(cal))
						if week == 0 && slices.Equal(c.tableIndex, v.tableIndex) {
							c.cal = 0 // it does as well without
						}
						groups[vectorGroup{id, cal}] = append(groups[vectorGroup{id, cal}], c)
					}
				}
			}
		}
	}
	return groups
}

// scoredVector is a vector in the periods of a choice.
type scoredVector struct {
	*dayVector
	set         bitset
	hits, extra int
	gain        float64
}

// combine makes candidates of the vectors of a group: each alone, pairs of the best, and
// what may be added to these.
func (g *searchState) combine(f *periodFamily, c *periodChoice, vectors []*dayVector, cal int) {
	list := g.worthwhile(c, vectors)
	if *g.daysTried += len(vectors) * len(c.periods); len(list) < c.minDays {
		return
	}
	slices.SortStableFunc(list, func(a, b scoredVector) int { return cmp.Compare(b.gain, a.gain) })
	if c.maxDays > 1 && len(list) > maxCombinedVectors {
		list = list[:maxCombinedVectors]
	}
	for i := range list {
		list[i].set = g.bitset()
		for _, p := range c.periods {
			if x := list[i].tableIndex[p]; x >= 0 {
				list[i].set.add(x)
			}
		}
	}
	add := func(set bitset, extra int, of ...int) {
		cand := &candidate{family: f, sel: c.selection, cal: cal, covered: set, extra: extra}
		cand.bits = f.bits + c.bits + g.Calendars[cal].Bits + dayBits*float64(len(of)-1) +
			list[of[0]].shift.bits(list[of[0]].form)
		matters := cal == 0
		for _, i := range of {
			cand.vectors = append(cand.vectors, list[i].dayVector)
			cand.bits += list[i].form.bits
			matters = matters || list[i].cal > 0
		}
		if matters {
			g.addCandidate(cand)
		}
	}
	if c.minDays <= 1 {
		for i := range list {
			add(list[i].set, list[i].extra, i)
		}
	}
	if c.maxDays >= 2 {
		g.combineSeveral(c, list, add)
	}
}

// maxCombinedVectors is of how many days, the best, sets are tried; maxPairs with how many pairs
// they begin, and maxGrownPairs how many of those are added to.
const maxCombinedVectors, maxPairs, maxGrownPairs = 24, 16, 8

// worthwhile returns the days that meet enough of the table's dates.
func (g *searchState) worthwhile(c *periodChoice, vectors []*dayVector) (list []scoredVector) {
	for _, v := range vectors {
		hits, extra := c.countHits(v)
		if hits < 2 || float64(hits*c.maxDays) < minHitShare*float64(len(g.days)) {
			continue
		}
		list = append(list, scoredVector{dayVector: v, hits: hits, extra: extra, gain: g.missBits*float64(hits-extra) - v.form.bits})
	}
	return list
}

// combineSeveral adds sets of two and more days: the best pairs, and to the first of them the
// day that gains most, as long as one does.
func (g *searchState) combineSeveral(c *periodChoice, list []scoredVector, add func(set bitset, extra int, of ...int)) {
	for n, p := range g.bestPairs(list) {
		set, extra, of := list[p.i].set.union(list[p.j].set), list[p.i].extra+list[p.j].extra, []int{p.i, p.j}
		add(set, extra, of...)
		for n < maxGrownPairs && len(of) < c.maxDays {
			next, gain := -1, 0.0
			was := max(len(g.days)-set.len(), extra)
			for q := range list {
				if more := g.missBits*float64(was-max(len(g.days)-set.countCommon(list[q].set),
					extra+list[q].extra)) - list[q].form.bits - dayBits; more > gain {
					next, gain = q, more
				}
			}
			if next < 0 {
				break
			}
			set, extra, of = set.union(list[next].set), extra+list[next].extra, append(slices.Clone(of), next)
			add(set, extra, of...)
		}
	}
}

// vectorPair are two days by their indexes; score is in bits, the lower the better.
type vectorPair struct {
	i, j  int
	score float64
}

// bestPairs returns the pairs of days that meet most dates together, more than either alone.
func (g *searchState) bestPairs(list []scoredVector) []vectorPair {
	var best []vectorPair
	for i := range list {
		for j := i + 1; j < len(list); j++ {
			hits := list[i].set.countCommon(list[j].set)
			if hits > list[i].hits+1 && hits > list[j].hits+1 {
				best = append(best, vectorPair{i, j, g.missBits*float64(max(len(g.days)-hits, list[i].extra+list[j].extra)) +
					list[i].form.bits + list[j].form.bits})
			}
		}
	}
	slices.SortStableFunc(best, func(a, b vectorPair) int { return cmp.Compare(a.score, b.score) })
	return best[:min(len(best), maxPairs)]
}
