// Package infer goes from dates to the rules that give them.
//
// Candidates are phrases of the language. Each is judged by how short it makes the dates to
// tell (minimum description length): the bits of its words and a price for each date that is
// off. One is taken only if it says the dates in markedly fewer bits than a list of them.
// What is handed out is compiled and listed by the engine that lists every other rule.
package infer

import (
	"cmp"
	"errors"
	"fmt"
	"math"
	"slices"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/core/workdays"
)

// Calendar is one that a rule may count with.
type Calendar struct {
	Name string // "" for none: Saturday and Sunday closed
	Days *workdays.Calendar
	Bits float64 // what it costs to name it
}

// Search is what rules are looked for with.
type Search struct {
	Env           eval.Env
	Calendars     []Calendar // the first is what phrases count with that name none
	HasFiscalYear bool       // a fiscal year is set, so fiscal cadences are tried
	Work          *int       // days that were looked at, by all searches of a command; nil if there is no bound

	programs map[Rule]*eval.Program // of steps beside dates, by their calendar
	parsed   map[string]phrase.Expr // those steps
}

// The bounds of what is tried.
const (
	minDates = 4    // dates, from which on a rule is looked for
	maxYears = 100  // that the dates may span
	horizon  = 3653 // days after the last date in which two phrases may part
)

// maxWork is how many days are looked at in all: some hundred columns take no more.
const maxWork = 500_000_000

// ErrTooMuchWork is reported about dates that weren't looked at after maxWork.
var ErrTooMuchWork = errors.New("not tried, because one command does only so much work")

// ErrSpanTooLong is reported about dates that span more than maxYears.
var ErrSpanTooLong = fmt.Errorf("its dates span more than %d years", maxYears)

var errTooFew = errors.New("too few dates")

// Rule is a phrase and the calendar that it counts with, "" if none matters.
type Rule struct{ Phrase, Calendar string }

// Explanation is one or two rules that give a table's dates, with what they miss and what they
// cost in bits.
type Explanation struct {
	Rules   []Rule       // one, or two that follow each other
	Matched int          // dates of the table that it gives
	Misses  int          // those that it doesn't give, or gives besides
	Bits    float64      // of its words and of what is off
	Dates   []civil.Date // by it, from the first date of the table through its last
	// EquivalentCalendars are further calendars with which it gives the same dates in the table.
	EquivalentCalendars []string
	// AgreesUntil is the last day before it first differs from the first rank; None for the
	// first rank, and where both agree as far as was looked.
	AgreesUntil civil.Date
	// UsesCalendar says of steps beside dates that a calendar matters to them.
	UsesCalendar bool

	words         float64
	next          []civil.Date // what it gives after the table, through the horizon
	knownUntil    civil.Date   // the last day that its calendars know
	found         *candidate
	steps         string // of a milestone, without its calendar,
	calendarIndex int    // and its place
}

// findRules explains dates, in any order, one twice counting once: the shortest explanation
// first; none if nothing says them in markedly fewer bits than a list.
func (s *Search) findRules(dates []civil.Date) ([]Explanation, error) {
	g, err := s.newState(dates)
	if err != nil {
		if err == errTooFew {
			return nil, nil
		}
		return nil, err
	}
	return g.acceptable(g.explanations()), nil
}

// explanations is every explanation worth a look, best first.
func (g *searchState) explanations() []Explanation {
	g.searchAll()
	ranks := g.topExplanations(40)
	off, least := len(g.days), g.listBits
	if len(ranks) > 0 {
		off, least = ranks[0].Misses, min(least, ranks[0].Bits)
	}
	if len(g.days) >= 8 && g.missBits*float64(off) > changeBits+8 && (len(ranks) == 0 || g.endsUnexplained(ranks[0].Dates)) {
		ranks = append(g.findRuleChange(least), ranks...)
	}
	return ranks
}

// acceptable returns the explanations that are short enough, each phrase once.
func (g *searchState) acceptable(ranks []Explanation) (list []Explanation) {
	n := len(g.days)
	var seen []Explanation // each phrase with each calendar, those too that are reported beside another
	for _, r := range ranks {
		switch {
		case r.Bits > maxCostShare*g.listBits || r.Bits > g.listBits-minBitsSaved,
			n < 6 && r.Misses > 0, n < 9 && r.Misses > 1, 3*r.Misses > n, 2*r.Matched < n:
			continue
		}
		if slices.ContainsFunc(seen, func(x Explanation) bool {
			return slices.Equal(x.next, r.next) &&
				slices.Equal(x.Dates, r.Dates)
		}) {
			if i := slices.IndexFunc(list, func(x Explanation) bool { return x.sameButCalendar(r) }); i >= 0 {
				list[i].EquivalentCalendars = append(list[i].EquivalentCalendars, lastRule(r).Calendar)
			}
			continue
		}
		seen = append(seen, r)
		if i := slices.IndexFunc(list, func(x Explanation) bool { return x.sameButCalendar(r) }); i >= 0 {
			list[i].EquivalentCalendars = append(list[i].EquivalentCalendars, lastRule(r).Calendar)
			continue
		}
		if slices.ContainsFunc(list, func(x Explanation) bool {
			return x.samePhrases(r) &&
				(x.Matched > r.Matched || x.Misses < r.Misses)
		}) {
			continue // the phrase is there already, with a calendar that fits better
		}
		if len(list) > 0 {
			r.AgreesUntil = ranksAgreeUntil(list[0], r)
		}
		list = append(list, r)
	}
	return list
}

// sameButCalendar reports whether another rank says the same with another calendar.
func (r Explanation) sameButCalendar(o Explanation) bool {
	return r.samePhrases(o) && slices.Equal(r.Dates, o.Dates) && lastRule(r).Calendar != lastRule(o).Calendar &&
		!slices.Contains(r.EquivalentCalendars, lastRule(o).Calendar)
}

func (r Explanation) samePhrases(o Explanation) bool {
	return slices.EqualFunc(r.Rules, o.Rules, func(a, b Rule) bool { return a.Phrase == b.Phrase })
}

// ranksAgreeUntil returns the last day before two explanations differ, within what their
// calendars know.
func ranksAgreeUntil(a, b Explanation) civil.Date {
	known := min(a.knownUntil, b.knownUntil)
	for i := 0; i < len(a.next) || i < len(b.next); i++ {
		switch inA, inB := i < len(a.next), i < len(b.next); {
		case !inB || inA && a.next[i] < b.next[i]:
			return min(a.next[i]-1, known)
		case !inA || b.next[i] < a.next[i]:
			return min(b.next[i]-1, known)
		}
	}
	return known
}

// evaluate runs a candidate's phrase through the real engine and compares the result with the
// table; ok is false if the phrase doesn't parse.
func (g *searchState) evaluate(c *candidate, cal int) (r Explanation, ok bool) {
	w := g.wordingOf(c)
	if w.needsStart { // every few periods: from the first date that it gives
		w.From = dayExpr(c.anchor(g))
		for m := range g.movedDates(w.text(), cal, civil.Span{First: g.first, Last: g.last}) {
			w.From = dayExpr(m.Date.Date)
			break
		}
	}
	text, given, ok := g.canonical(w.text(), cal)
	if !ok {
		return r, false
	}
	words := c.bits + g.Calendars[cal].Bits - g.Calendars[c.cal].Bits
	r = Explanation{Rules: []Rule{{text, g.Calendars[cal].Name}}, Dates: given, words: words, found: c}
	r.next = g.datesOf(text, cal, g.horizonSpan())
	g.absorbEdges(&r, g.datesOf(text, cal, civil.Span{First: max(g.first-marginDays, civil.Min), Last: g.first - 1}))
	g.score(&r)
	r.knownUntil = min(g.Calendars[cal].Days.Coverage.Last, g.horizonSpan().Last)
	if r.Rules[0].Calendar == "" {
		r.knownUntil = g.horizonSpan().Last
	}
	return r, true
}

// canonical is a phrase as the language prints it, with the dates that it gives.
func (g *searchState) canonical(text string, cal int) (string, []civil.Date, bool) {
	rule, err := phrase.ParseRule(text)
	if err != nil {
		g.unparsable = append(g.unparsable, text)
		return "", nil, false
	}
	text = rule.Canonical()
	return text, g.datesOf(text, cal, civil.Span{First: g.first, Last: g.last}), true
}

// absorbEdges counts a rule date just outside the table (within ¾ of the mean distance) as the
// table's first or last date, if the rule lacks that: somebody moved it by hand.
func (g *searchState) absorbEdges(r *Explanation, before []civil.Date) {
	near := civil.Date(3 * g.length() / len(g.days) / 4)
	lacks := func(d civil.Date) bool { _, ok := slices.BinarySearch(r.Dates, d); return !ok }
	if n := len(before); n > 0 && lacks(g.first) && g.first-before[n-1] <= near {
		r.Dates = slices.Insert(r.Dates, 0, before[n-1])
	}
	if len(r.next) > 0 && lacks(g.last) && r.next[0]-g.last <= near {
		r.Dates = append(r.Dates, r.next[0])
	}
}

// score counts what matches and what is off.
func (g *searchState) score(r *Explanation) {
	var pairs []Exception
	r.Matched, pairs = compareDates(g.days, r.Dates)
	r.Misses = len(pairs)
	r.Bits = r.words + g.missBits*float64(r.Misses)
}

// movedDates yields the dates of a phrase in a stretch.
func (g *searchState) movedDates(text string, cal int, span civil.Span) func(func(*schedule.MovedDate) bool) {
	env := g.Env
	env.Calendar = g.Calendars[cal].Days
	rec, err := eval.CompileRule(text, env)
	return func(yield func(*schedule.MovedDate) bool) {
		if err != nil {
			g.unparsable = append(g.unparsable, text)
			return
		}
		for m, err := range schedule.Dates(rec, span) {
			if err != nil || !yield(m) {
				return
			}
		}
	}
}

// datesOf are the dates of a phrase in a stretch, by date, none twice.
func (g *searchState) datesOf(text string, cal int, span civil.Span) (list []civil.Date) {
	for m := range g.movedDates(text, cal, span) {
		list = append(list, m.MovedTo)
	}
	slices.Sort(list)
	return slices.Compact(list)
}

// horizonSpan is the stretch in which phrases are told apart.
func (g *searchState) horizonSpan() civil.Span {
	return civil.Span{First: g.last + 1, Last: min(g.last+horizon, civil.Max)}
}

// Exception is a date of a rule that the table lacks, one of the table that the rule lacks,
// or one of each that stand for each other; None if there is none.
type Exception struct {
	Rule, Table civil.Date
	Nominal     civil.Date // the date of the series that it is, or on which it hangs
}

// compareDates counts the dates that both have, of two sorted lists, and gives the others: one
// of each with no other between them are a pair.
func compareDates(table, rule []civil.Date) (matched int, off []Exception) {
	open := false // the last exception lacks its other half, and nothing came since
	for i, j := 0, 0; i < len(table) || j < len(rule); {
		switch {
		case i < len(table) && j < len(rule) && table[i] == rule[j]:
			matched, open = matched+1, false
			i, j = i+1, j+1
		case j >= len(rule) || i < len(table) && table[i] < rule[j]:
			if open && off[len(off)-1].Table == civil.None {
				off[len(off)-1].Table, open = table[i], false
			} else {
				off, open = append(off, Exception{Table: table[i]}), true
			}
			i++
		default:
			if open && off[len(off)-1].Rule == civil.None {
				off[len(off)-1].Rule, off[len(off)-1].Nominal, open = rule[j], rule[j], false
			} else {
				off, open = append(off, Exception{Rule: rule[j], Nominal: rule[j]}), true
			}
			j++
		}
	}
	return matched, off
}

// topExplanations lists the best candidates by the engine, with the calendars that do as well.
func (g *searchState) topExplanations(top int) (ranks []Explanation) {
	slices.SortStableFunc(g.found, func(a, b *candidate) int { return cmp.Compare(a.score, b.score) })
	seen := map[Rule]bool{}
	for i, n := 0, 0; i < len(g.found) && n < top; i++ {
		c := g.found[i]
		if c.score > g.found[0].score+2*g.missBits+4 {
			break
		}
		r, ok := g.evaluate(c, c.cal)
		if !ok || seen[r.Rules[0]] {
			continue
		}
		seen[r.Rules[0]] = true
		n++
		ranks = append(ranks, r)
		if r.Bits > g.found[0].score+g.missBits/2 || !c.usesCalendar() {
			continue
		}
		for cal := 1; cal < len(g.Calendars); cal++ {
			if seen[Rule{r.Rules[0].Phrase, g.Calendars[cal].Name}] {
				continue
			}
			if q, ok := g.evaluate(c, cal); ok && slices.Equal(q.Dates, r.Dates) {
				seen[q.Rules[0]] = true
				ranks = append(ranks, q)
			}
		}
	}
	slices.SortStableFunc(ranks, func(a, b Explanation) int { return cmp.Compare(a.Bits, b.Bits) })
	return ranks
}

// log2Binomial is the bits that it takes to say which k of n days, log2 of n over k.
func log2Binomial(n, k int) float64 {
	lg := func(n int) float64 { v, _ := math.Lgamma(float64(n + 1)); return v }
	return (lg(n) - lg(k) - lg(n-k)) / math.Ln2
}

// withTime is a phrase that gives its dates a time, in minutes; below zero it stays as it is.
func withTime(text string, at int, rule bool) string {
	if at < 0 {
		return text
	}
	clock := "at " + string(civil.AppendClock(nil, at))
	if p, err := phrase.ParseRule(text); rule && err == nil && len(p.Then) == 0 {
		return text + " then " + clock
	}
	return text + ", " + clock
}

// IDs are the names of the dates that a rank gives in the table, by which a plan sets them by
// hand.
func (s *Search) IDs(r Explanation) map[civil.Date]string {
	ids := map[civil.Date]string{}
	if len(r.Dates) == 0 {
		return ids
	}
	g := &searchState{Search: s}
	for _, rule := range r.Rules {
		cal := s.calendarIndex(rule.Calendar)
		for m := range g.movedDates(rule.Phrase, cal, civil.Span{First: r.Dates[0], Last: r.Dates[len(r.Dates)-1]}) {
			if ids[m.MovedTo] == "" {
				ids[m.MovedTo] = m.ID()
			}
		}
	}
	return ids
}

// Calendar is the one that a rank counts with in the end.
func (s *Search) Calendar(r Explanation) Calendar {
	return s.Calendars[s.calendarIndex(lastRule(r).Calendar)]
}

// calendarIndex is where a calendar stands.
func (s *Search) calendarIndex(name string) int {
	return max(0, slices.IndexFunc(s.Calendars, func(c Calendar) bool { return c.Name == name }))
}
