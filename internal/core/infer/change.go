package infer

import (
	"slices"

	"yoyaku/internal/core/civil"
)

// lopsided reports whether a stretch at either end goes by another rule: at least four dates
// of it are off, and two of five.
func (g *ground) lopsided(given []civil.Date) bool {
	n := len(g.days)
	for _, back := range []bool{false, true} {
		off := 0
		for i := range n {
			k := i
			if back {
				k = n - 1 - i
			}
			if _, ok := slices.BinarySearch(given, g.days[k]); !ok {
				off++
			}
			if i >= 3 && off >= 4 && 5*off >= 2*(i+1) && (2*off >= i+1 || i > 8) {
				return true
			}
		}
	}
	return false
}

// A half is a rule that may hold before or after a change.
type half struct {
	Rank
	cal  int
	all  []civil.Date // over the whole stretch
	upto []int        // what is off before each date of the table
}

// changed looks for two rules that follow each other, in fewer bits than the best.
func (g *ground) changed(best float64) []Rank {
	n := len(g.days)
	var halves []half
	for _, c := range [][2]int{{0, n / 2}, {n / 2, n}, {0, n / 3}, {2 * n / 3, n}} {
		part, err := g.ground(g.days[c[0]:c[1]])
		if err != nil {
			continue
		}
		part.search()
		for _, r := range part.ranked(6) {
			if slices.ContainsFunc(halves, func(h half) bool { return h.Rules[0] == r.Rules[0] }) ||
				5*r.Matched < 2*len(part.days) {
				continue
			}
			cal := g.Search.place(r.Rules[0].Calendar)
			h := half{Rank: r, cal: cal, all: g.listed(r.Rules[0].Phrase, cal, civil.Span{First: g.first, Last: g.last})}
			h.upto = offUpTo(g.days, h.all)
			halves = append(halves, h)
		}
	}
	// Where the second takes over, by what is off on either side.
	at, least := [3]int{-1}, best-4
	for a := range halves {
		for b := range halves {
			if a == b {
				continue
			}
			words := halves[a].words + halves[b].words + changeBits
			if halves[a].cal == halves[b].cal { // named once
				words -= g.Calendars[halves[a].cal].Bits
			}
			for k := 3; k <= n-3; k++ {
				off := halves[a].upto[k] + halves[b].upto[n] - halves[b].upto[k]
				if bits := words + g.off*float64(off); bits < least {
					least, at = bits, [3]int{a, b, k}
				}
			}
		}
	}
	if at[0] < 0 {
		return nil
	}
	return g.follow(halves[at[0]], halves[at[1]], at[2], best-2)
}

// offUpTo counts what is off before each date of the table, and in all.
func offUpTo(table, given []civil.Date) []int {
	upto := make([]int, len(table)+1)
	missing, extra, j := 0, 0, 0
	for k, d := range table {
		upto[k] = max(missing, extra)
		hit := false
		for ; j < len(given) && given[j] <= d; j++ {
			if given[j] == d {
				hit = true
			} else {
				extra++
			}
		}
		if !hit {
			missing++
		}
	}
	upto[len(table)] = max(missing, extra+len(given)-j)
	return upto
}

// follow says two rules, the second from the kth date on, and with it the others that
// explain what comes from there as well.
func (g *ground) follow(a, b half, k int, best float64) (ranks []Rank) {
	seconds := []half{b}
	if part, err := g.ground(g.days[k:]); err == nil {
		part.search()
		for _, r := range part.ranked(20) {
			cal := g.Search.place(r.Rules[0].Calendar)
			if r.Rules[0] != b.Rules[0] {
				seconds = append(seconds, half{Rank: r, cal: cal})
			}
		}
	}
	least := -1
	for _, second := range seconds {
		first, from := g.words(a.found), g.words(second.found)
		until, d2 := civil.None, civil.None
		whole := civil.Span{First: g.first, Last: g.last}
		for m := range g.moved(a.Rules[0].Phrase, a.cal, whole) {
			if m.To < g.days[k] {
				until = max(until, m.Date.Date)
			}
		}
		for m := range g.moved(second.Rules[0].Phrase, second.cal, whole) {
			if m.To >= g.days[k] && (d2 == civil.None || m.Date.Date < d2) {
				d2 = m.Date.Date
			}
		}
		if until == civil.None || d2 == civil.None {
			continue
		}
		first.Until, from.From = on(until), on(d2)
		if first.open {
			for m := range g.moved(a.Rules[0].Phrase, a.cal, whole) {
				first.From = on(m.Date.Date)
				break
			}
		}
		r := Rank{words: a.words + b.words + changeBits, found: second.found}
		texts := [2]string{}
		var lists [2][]civil.Date
		ok := true
		for i, w := range []*wording{first, from} {
			fine := false
			texts[i], lists[i], fine = g.canonical(w.text(), []int{a.cal, second.cal}[i])
			ok = ok && fine
		}
		if !ok {
			continue
		}
		r.Rules = []Rule{{texts[0], a.Rules[0].Calendar}, {texts[1], second.Rules[0].Calendar}}
		r.Given = slices.Concat(lists[0], lists[1])
		slices.Sort(r.Given)
		r.Given = slices.Compact(r.Given)
		g.judge(&r)
		if r.Bits >= best || least >= 0 && r.Off > least {
			continue
		}
		if least < 0 {
			least = r.Off
		}
		r.next, r.known = g.listed(texts[1], second.cal, g.ahead()), second.known
		ranks = append(ranks, r)
	}
	slices.SortStableFunc(ranks, func(a, b Rank) int { return a.Off - b.Off })
	return ranks
}
