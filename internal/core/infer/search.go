package infer

import (
	"cmp"
	"maps"
	"math"
	"math/bits"
	"slices"

	"yoyaku/internal/core/civil"
)

// A selection is which periods of a family have dates.
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

// A choice is a selection with what its periods come to here.
type choice struct {
	selection
	near        []int32     // its periods near the stretch
	in          [cycle]bool // its classes
	need        int         // dates that a day must give there to be looked at
	least, most int         // days a period that the table's dates may come from
}

// A candidate is a rule that may be handed out: days of the periods that a selection keeps,
// or a cadence of days.
type candidate struct {
	family  *family // nil for a cadence of days
	sel     selection
	vectors []*vector
	every   int // days or working days, where family is nil
	working bool
	start   civil.Date // of every n of them
	cal     int
	bits    float64 // of its words
	score   float64 // and of what is off
	set     bitset  // the dates of the table that it gives
	extra   int     // dates that the table lacks
}

// counts reports whether a calendar matters.
func (c *candidate) counts() bool {
	return c.working || slices.ContainsFunc(c.vectors, (*vector).counts)
}

// anchor is the first day of the first period that gives a date here.
func (c *candidate) anchor(g *ground) civil.Date {
	for i, p := range c.family.periods {
		if c.sel.has(c.family.number[i]) && slices.ContainsFunc(c.vectors,
			func(v *vector) bool { return v.gives[i] != none }) {
			return p.First
		}
	}
	return g.first
}

// bitset is a set of places of dates.
type bitset []uint64

func (b bitset) or(c bitset) bitset {
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

func (b bitset) with(c bitset) (n int) {
	for i, w := range b {
		n += bits.OnesCount64(w | c[i])
	}
	return n
}

func (b bitset) add(place int32) { b[place>>6] |= 1 << (place & 63) }

func (g *ground) bitset() bitset { return make(bitset, (len(g.days)+63)/64) }

// keep takes a candidate, if it isn't far behind the best.
func (g *ground) keep(c *candidate) {
	c.score = c.bits + g.off*float64(max(len(g.days)-c.set.len(), c.extra))
	if c.score <= g.best+3*g.off+6 {
		g.best = min(g.best, c.score)
		g.found = append(g.found, c)
	}
}

// choices keeps the selections that may give so many dates.
func (g *ground) choices(f *family, sels []selection) (list []choice) {
	for _, s := range sels {
		c := choice{selection: s, least: f.most + 1}
		spanned := 0.0 // periods in the stretch, those at its ends in part
		for i, p := range f.periods {
			if !s.has(f.number[i]) {
				continue
			}
			if p.Last >= g.first-75 && p.First <= g.last+75 {
				c.near = append(c.near, int32(i))
			}
			if a, b := max(p.First, g.first), min(p.Last, g.last); b >= a {
				spanned += max(0.5, float64(b-a+1)/float64(p.Len()))
			}
		}
		if spanned < 1.5 {
			continue
		}
		for k := 1; k <= f.most; k++ {
			if share := float64(len(g.days)) / spanned / float64(k); share >= 0.62 && share <= 1+0.65/float64(k) || f.loose {
				c.least, c.most = min(c.least, k), k
			}
		}
		if c.least > c.most || !g.plausible(f, s) {
			continue
		}
		c.need = max(2, int(math.Ceil(worthHits*float64(len(g.days))/float64(c.most))))
		for class := range c.in {
			c.in[class] = s.has(class)
		}
		list = append(list, c)
	}
	return list
}

// plausible reports whether enough dates lie in the periods of a selection, or all of them
// beside these on the same side.
func (g *ground) plausible(f *family, s selection) bool {
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
			if q := j + k - 1; q >= 0 && q < len(f.number) && s.has(f.number[q]) {
				in[k]++
			}
		}
	}
	return 5*slices.Max(in[:]) >= 2*len(g.days) // a third may be off, and some moved across
}

// gives counts what a vector gives in the periods of a choice.
func (c *choice) gives(v *vector) (hits, extra int) {
	for _, i := range c.near {
		switch x := v.gives[i]; {
		case x >= 0:
			hits++
		case x == beside:
			extra++
		}
	}
	return hits, extra
}

// family tries the days of a family's forms, one by one and together.
func (g *ground) family(f *family, sels []selection) {
	if len(f.periods) == 0 {
		return
	}
	cs := g.choices(f, sels)
	if len(cs) == 0 {
		return
	}
	g.classes(f)
	groups := g.vectorsOf(f, cs)
	for _, k := range slices.SortedFunc(maps.Keys(groups),
		func(a, b group) int { return cmp.Or(cmp.Compare(a.cal, b.cal), cmp.Compare(a.shift, b.shift)) }) {
		list := groups[k]
		if k.cal > 0 {
			if !slices.ContainsFunc(list, func(v *vector) bool { return v.cal == k.cal }) {
				continue // none gives the same
			}
			if f.most > 1 { // days that no calendar moves are beside those
				for _, v := range groups[group{k.shift, 0}] {
					if !v.counts() {
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

// A group is what may stand together in a rule: one shift and one calendar for all.
type group struct{ shift, cal int }

// vectorsOf makes the vectors worth a look: first without holidays, on to the calendars only
// where that gives enough of the dates.
func (g *ground) vectorsOf(f *family, cs []choice) map[group][]*vector {
	groups := map[group][]*vector{}
	ids := map[shift]int{}
	need := len(g.days)
	for i := range cs {
		need = min(need, cs[i].need)
	}
	enough := func(v *vector) bool {
		for i := range cs {
			hits, extra := cs[i].gives(v)
			if hits >= cs[i].need && float64(hits) >= worthHits*float64(hits+extra) {
				return true
			}
		}
		return false
	}
	for _, fm := range f.forms {
		nominal := make([][]civil.Date, len(g.Calendars))
		days := func(cal int) []civil.Date {
			if !fm.counts() {
				cal = 0
			}
			if nominal[cal] == nil {
				nominal[cal] = g.nominal(f, fm.Item, g.Calendars[cal].Days)
			}
			return nominal[cal]
		}
		marks := g.marked(days(0))
		for _, list := range f.shifts(fm) {
			for _, s := range list {
				if !g.reaches(f, marks, s, cs, need) {
					continue
				}
				v := g.vector(fm, s, 0, days(0))
				if !enough(v) {
					continue
				}
				id, ok := ids[s]
				if !ok {
					id = len(ids)
					ids[s] = id
				}
				groups[group{id, 0}] = append(groups[group{id, 0}], v)
				if !v.counts() {
					continue
				}
				for cal := 1; cal < len(g.Calendars); cal++ {
					w := g.vector(fm, s, cal, days(cal))
					if slices.Equal(w.gives, v.gives) {
						w.cal = 0 // it does as well without
					}
					groups[group{id, cal}] = append(groups[group{id, cal}], w)
				}
			}
		}
	}
	return groups
}

// one is a vector in the periods of a choice.
type one struct {
	*vector
	set         bitset
	hits, extra int
	gain        float64
}

// combine makes candidates of the vectors of a group: each alone, pairs of the best, and
// what may be added to these.
func (g *ground) combine(f *family, c *choice, vectors []*vector, cal int) {
	var list []one
	for _, v := range vectors {
		hits, extra := c.gives(v)
		if hits < 2 || float64(hits*c.most) < worthHits*float64(len(g.days)) {
			continue
		}
		list = append(list, one{vector: v, hits: hits, extra: extra, gain: g.off*float64(hits-extra) - v.form.bits})
	}
	if *g.work += len(vectors) * len(c.near); len(list) < c.least {
		return
	}
	slices.SortStableFunc(list, func(a, b one) int { return cmp.Compare(b.gain, a.gain) })
	if c.most > 1 && len(list) > 24 {
		list = list[:24]
	}
	for i := range list {
		list[i].set = g.bitset()
		for _, p := range c.near {
			if x := list[i].gives[p]; x >= 0 {
				list[i].set.add(x)
			}
		}
	}
	add := func(set bitset, extra int, of ...int) {
		cand := &candidate{family: f, sel: c.selection, cal: cal, set: set, extra: extra}
		cand.bits = f.bits + c.bits + g.Calendars[cal].Bits + dayBits*float64(len(of)-1) +
			list[of[0]].shift.bits(list[of[0]].form)
		matters := cal == 0
		for _, i := range of {
			cand.vectors = append(cand.vectors, list[i].vector)
			cand.bits += list[i].form.bits
			matters = matters || list[i].cal > 0
		}
		if matters {
			g.keep(cand)
		}
	}
	if c.least <= 1 {
		for i := range list {
			add(list[i].set, list[i].extra, i)
		}
	}
	if c.most < 2 {
		return
	}
	type pair struct {
		i, j  int
		score float64
	}
	var best []pair
	for i := range list {
		for j := i + 1; j < len(list); j++ {
			hits := list[i].set.with(list[j].set)
			if hits > list[i].hits+1 && hits > list[j].hits+1 {
				best = append(best, pair{i, j, g.off*float64(max(len(g.days)-hits, list[i].extra+list[j].extra)) +
					list[i].form.bits + list[j].form.bits})
			}
		}
	}
	slices.SortStableFunc(best, func(a, b pair) int { return cmp.Compare(a.score, b.score) })
	for n, p := range best[:min(len(best), 16)] {
		set, extra, of := list[p.i].set.or(list[p.j].set), list[p.i].extra+list[p.j].extra, []int{p.i, p.j}
		add(set, extra, of...)
		for n < 8 && len(of) < c.most {
			next, gain := -1, 0.0
			was := max(len(g.days)-set.len(), extra)
			for q := range list {
				if more := g.off*float64(was-max(len(g.days)-set.with(list[q].set),
					extra+list[q].extra)) - list[q].form.bits - dayBits; more > gain {
					next, gain = q, more
				}
			}
			if next < 0 {
				break
			}
			set, extra, of = set.or(list[next].set), extra+list[next].extra, append(slices.Clone(of), next)
			add(set, extra, of...)
		}
	}
}
