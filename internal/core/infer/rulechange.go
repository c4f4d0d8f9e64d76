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

// changeSide is a rule that may hold before or after a change.
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
	least := -1
	for _, second := range g.secondSides(b, k) {
		r, ok := g.joinRules(a, second, k)
		if !ok {
			continue
		}
		r.words = a.words + b.words + changeBits
		g.score(&r)
		if r.Bits >= best || least >= 0 && r.Misses > least {
			continue
		}
		if least < 0 {
			least = r.Misses
		}
		r.next, r.knownUntil = g.datesOf(r.Rules[1].Phrase, second.cal, g.horizonSpan()), second.knownUntil
		ranks = append(ranks, r)
	}
	slices.SortStableFunc(ranks, func(a, b Explanation) int { return a.Misses - b.Misses })
	return ranks
}

// maxSecondSides is how many explanations of the dates behind the change are tried beside b.
const maxSecondSides = 20

// secondSides returns b and the explanations of the dates from index k alone.
func (g *searchState) secondSides(b changeSide, k int) []changeSide {
	list := []changeSide{b}
	part, err := g.newState(g.days[k:])
	if err != nil {
		return list
	}
	part.searchAll()
	for _, r := range part.topExplanations(maxSecondSides) {
		if r.Rules[0] != b.Rules[0] {
			list = append(list, changeSide{Explanation: r, cal: g.Search.calendarIndex(r.Rules[0].Calendar)})
		}
	}
	return list
}

// joinRules makes an explanation of two rules, of which the second holds from the table's date
// of index k; ok is false if one of them has no date there.
func (g *searchState) joinRules(a, second changeSide, k int) (r Explanation, ok bool) {
	first, from := g.wordingOf(a.found), g.wordingOf(second.found)
	until, since, start := civil.None, civil.None, civil.None
	whole := civil.Span{First: g.first, Last: g.last}
	for m := range g.movedDates(a.Rules[0].Phrase, a.cal, whole) {
		if start == civil.None {
			start = m.Date.Date
		}
		if m.MovedTo < g.days[k] {
			until = max(until, m.Date.Date)
		}
	}
	for m := range g.movedDates(second.Rules[0].Phrase, second.cal, whole) {
		if m.MovedTo >= g.days[k] && (since == civil.None || m.Date.Date < since) {
			since = m.Date.Date
		}
	}
	if until == civil.None || since == civil.None {
		return r, false
	}
	first.Until, from.From = dayExpr(until), dayExpr(since)
	if first.needsStart {
		first.From = dayExpr(start)
	}
	before, dates, ok1 := g.canonical(first.text(), a.cal)
	after, more, ok2 := g.canonical(from.text(), second.cal)
	if !ok1 || !ok2 {
		return r, false
	}
	r = Explanation{found: second.found, Rules: []Rule{{before, a.Rules[0].Calendar}, {after, second.Rules[0].Calendar}},
		Dates: slices.Concat(dates, more)}
	slices.Sort(r.Dates)
	r.Dates = slices.Compact(r.Dates)
	return r, true
}
