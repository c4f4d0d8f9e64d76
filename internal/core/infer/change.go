package infer

import (
	"slices"

	"yoyaku/internal/core/civil"
)

// endsUnexplained reports whether a stretch at either end goes by another rule: at least four dates
// of it are off, and two of five.
func (g *searchState) endsUnexplained(given []civil.Date) bool {
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
type changeSide struct {
	Explanation
	cal          int
	dates        []civil.Date // over the whole stretch
	missesBefore []int        // what is off before each date of the table
}

// findRuleChange looks for two rules that follow each other, in fewer bits than the best.
func (g *searchState) findRuleChange(best float64) []Explanation {
	n := len(g.days)
	var halves []changeSide
	for _, c := range [][2]int{{0, n / 2}, {n / 2, n}, {0, n / 3}, {2 * n / 3, n}} {
		part, err := g.newState(g.days[c[0]:c[1]])
		if err != nil {
			continue
		}
		part.searchAll()
		for _, r := range part.topExplanations(6) {
			if slices.ContainsFunc(halves, func(h changeSide) bool { return h.Rules[0] == r.Rules[0] }) ||
				5*r.Matched < 2*len(part.days) {
				continue
			}
			cal := g.Search.calendarIndex(r.Rules[0].Calendar)
			h := changeSide{Explanation: r, cal: cal, dates: g.datesOf(r.Rules[0].Phrase, cal, civil.Span{First: g.first, Last: g.last})}
			h.missesBefore = cumulativeMisses(g.days, h.dates)
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
				off := halves[a].missesBefore[k] + halves[b].missesBefore[n] - halves[b].missesBefore[k]
				if bits := words + g.missBits*float64(off); bits < least {
					least, at = bits, [3]int{a, b, k}
				}
			}
		}
	}
	if at[0] < 0 {
		return nil
	}
	return g.joinSides(halves[at[0]], halves[at[1]], at[2], best-2)
}

// cumulativeMisses counts what is off before each date of the table, and in all.
func cumulativeMisses(table, given []civil.Date) []int {
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

// joinSides says two rules, the second from the kth date on, and with it the others that
// explain what comes from there as well.
func (g *searchState) joinSides(a, b changeSide, k int, best float64) (ranks []Explanation) {
	seconds := []changeSide{b}
	if part, err := g.newState(g.days[k:]); err == nil {
		part.searchAll()
		for _, r := range part.topExplanations(20) {
			cal := g.Search.calendarIndex(r.Rules[0].Calendar)
			if r.Rules[0] != b.Rules[0] {
				seconds = append(seconds, changeSide{Explanation: r, cal: cal})
			}
		}
	}
	least := -1
	for _, second := range seconds {
		first, from := g.wordingOf(a.found), g.wordingOf(second.found)
		until, d2 := civil.None, civil.None
		whole := civil.Span{First: g.first, Last: g.last}
		for m := range g.movedDates(a.Rules[0].Phrase, a.cal, whole) {
			if m.MovedTo < g.days[k] {
				until = max(until, m.Date.Date)
			}
		}
		for m := range g.movedDates(second.Rules[0].Phrase, second.cal, whole) {
			if m.MovedTo >= g.days[k] && (d2 == civil.None || m.Date.Date < d2) {
				d2 = m.Date.Date
			}
		}
		if until == civil.None || d2 == civil.None {
			continue
		}
		first.Until, from.From = dayExpr(until), dayExpr(d2)
		if first.needsStart {
			for m := range g.movedDates(a.Rules[0].Phrase, a.cal, whole) {
				first.From = dayExpr(m.Date.Date)
				break
			}
		}
		r := Explanation{words: a.words + b.words + changeBits, found: second.found}
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
		r.Dates = slices.Concat(lists[0], lists[1])
		slices.Sort(r.Dates)
		r.Dates = slices.Compact(r.Dates)
		g.score(&r)
		if r.Bits >= best || least >= 0 && r.Misses > least {
			continue
		}
		if least < 0 {
			least = r.Misses
		}
		r.next, r.knownUntil = g.datesOf(texts[1], second.cal, g.horizonSpan()), second.knownUntil
		ranks = append(ranks, r)
	}
	slices.SortStableFunc(ranks, func(a, b Explanation) int { return a.Misses - b.Misses })
	return ranks
}
