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
	Env       eval.Env
	Calendars []Calendar // the first is what phrases count with that name none
	Fiscal    bool       // a fiscal year is set, so fiscal cadences are tried
	Work      *int       // days that were looked at, by all searches of a command; nil if there is no bound

	programs map[Rule]*eval.Program // of steps beside dates, by their calendar
}

// The bounds of what is tried.
const (
	Fewest    = 4    // dates, from which on a rule is looked for
	MostYears = 100  // that the dates may span
	horizon   = 3653 // days after the last date in which two phrases may part
)

// mostWork is how many days are looked at in all: some hundred columns take no more.
const mostWork = 500_000_000

// ErrMany is reported about dates that weren't looked at after mostWork.
var ErrMany = errors.New("not tried, because one command does only so much work")

// ErrFar is reported about dates that span more than MostYears.
var ErrFar = fmt.Errorf("its dates span more than %d years", MostYears)

var errFew = errors.New("too few dates")

// Rule is a phrase and the calendar that it counts with, "" if none matters.
type Rule struct{ Phrase, Calendar string }

// Rank is one explanation of the dates.
type Rank struct {
	Rules   []Rule       // one, or two that follow each other
	Matched int          // dates of the table that it gives
	Off     int          // those that it doesn't give, or gives besides
	Bits    float64      // of its words and of what is off
	Given   []civil.Date // by it, from the first date of the table through its last
	// Alike are further calendars with which it gives the same dates in the table.
	Alike []string
	// Agrees is the last day before it first differs from the first rank; None for the
	// first rank, and where both agree as far as was looked.
	Agrees civil.Date
	// Counts says of steps beside dates that a calendar matters to them.
	Counts bool

	words float64
	next  []civil.Date // what it gives after the table, through the horizon
	known civil.Date   // the last day that its calendars know
	found *candidate
	steps string // of a milestone, without its calendar,
	at    int    // and its place
}

// Rules explains dates, in any order, one twice counting once: the shortest explanation
// first; none if nothing says them in markedly fewer bits than a list.
func (s *Search) Rules(dates []civil.Date) ([]Rank, error) {
	g, err := s.ground(dates)
	if err != nil {
		if err == errFew {
			return nil, nil
		}
		return nil, err
	}
	return g.told(g.all()), nil
}

// all is every explanation worth a look, best first.
func (g *ground) all() []Rank {
	g.search()
	ranks := g.ranked(40)
	off, least := len(g.days), g.list
	if len(ranks) > 0 {
		off, least = ranks[0].Off, min(least, ranks[0].Bits)
	}
	if len(g.days) >= 8 && g.off*float64(off) > changeBits+8 && (len(ranks) == 0 || g.lopsided(ranks[0].Given)) {
		ranks = append(g.changed(least), ranks...)
	}
	return ranks
}

// told leaves what is short enough, each phrase once.
func (g *ground) told(ranks []Rank) (list []Rank) {
	n := len(g.days)
	var seen []Rank // each phrase with each calendar, those too that are reported beside another
	for _, r := range ranks {
		switch {
		case r.Bits > acceptShare*g.list || r.Bits > g.list-acceptLess,
			n < 6 && r.Off > 0, n < 9 && r.Off > 1, 3*r.Off > n, 2*r.Matched < n:
			continue
		}
		if slices.ContainsFunc(seen, func(x Rank) bool {
			return slices.Equal(x.next, r.next) &&
				slices.Equal(x.Given, r.Given)
		}) {
			if i := slices.IndexFunc(list, func(x Rank) bool { return x.likes(r) }); i >= 0 {
				list[i].Alike = append(list[i].Alike, last(r).Calendar)
			}
			continue
		}
		seen = append(seen, r)
		if i := slices.IndexFunc(list, func(x Rank) bool { return x.likes(r) }); i >= 0 {
			list[i].Alike = append(list[i].Alike, last(r).Calendar)
			continue
		}
		if slices.ContainsFunc(list, func(x Rank) bool {
			return x.samePhrases(r) &&
				(x.Matched > r.Matched || x.Off < r.Off)
		}) {
			continue // the phrase is there already, with a calendar that fits better
		}
		if len(list) > 0 {
			r.Agrees = agree(list[0], r)
		}
		list = append(list, r)
	}
	return list
}

// likes reports whether another rank says the same with another calendar.
func (r Rank) likes(o Rank) bool {
	return r.samePhrases(o) && slices.Equal(r.Given, o.Given) && last(r).Calendar != last(o).Calendar &&
		!slices.Contains(r.Alike, last(o).Calendar)
}

func (r Rank) samePhrases(o Rank) bool {
	return slices.EqualFunc(r.Rules, o.Rules, func(a, b Rule) bool { return a.Phrase == b.Phrase })
}

// agree is the last day before two ranks differ, within what their calendars know.
func agree(a, b Rank) civil.Date {
	known := min(a.known, b.known)
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

// exact lists a candidate by the engine, and compares.
func (g *ground) exact(c *candidate, cal int) (r Rank, ok bool) {
	w := g.words(c)
	if w.open { // every few periods: from the first date that it gives
		w.From = on(c.anchor(g))
		for m := range g.moved(w.text(), cal, civil.Span{First: g.first, Last: g.last}) {
			w.From = on(m.Date.Date)
			break
		}
	}
	text, given, ok := g.canonical(w.text(), cal)
	if !ok {
		return r, false
	}
	words := c.bits + g.Calendars[cal].Bits - g.Calendars[c.cal].Bits
	r = Rank{Rules: []Rule{{text, g.Calendars[cal].Name}}, Given: given, words: words, found: c}
	r.next = g.listed(text, cal, g.ahead())
	g.widen(&r, g.listed(text, cal, civil.Span{First: max(g.first-beyond, civil.Min), Last: g.first - 1}))
	g.judge(&r)
	r.known = min(g.Calendars[cal].Days.Known.Last, g.ahead().Last)
	if r.Rules[0].Calendar == "" {
		r.known = g.ahead().Last
	}
	return r, true
}

// canonical is a phrase as the language prints it, with the dates that it gives.
func (g *ground) canonical(text string, cal int) (string, []civil.Date, bool) {
	rule, err := phrase.ParseRule(text)
	if err != nil {
		g.refused = append(g.refused, text)
		return "", nil, false
	}
	text = rule.Canonical()
	return text, g.listed(text, cal, civil.Span{First: g.first, Last: g.last}), true
}

// widen lets a date of the rule just before or behind the table stand for one at its end that
// the rule lacks: it was moved by hand.
func (g *ground) widen(r *Rank, before []civil.Date) {
	near := civil.Date(3 * g.length() / len(g.days) / 4)
	lacks := func(d civil.Date) bool { _, ok := slices.BinarySearch(r.Given, d); return !ok }
	if n := len(before); n > 0 && lacks(g.first) && g.first-before[n-1] <= near {
		r.Given = slices.Insert(r.Given, 0, before[n-1])
	}
	if len(r.next) > 0 && lacks(g.last) && r.next[0]-g.last <= near {
		r.Given = append(r.Given, r.next[0])
	}
}

// judge counts what matches and what is off.
func (g *ground) judge(r *Rank) {
	var pairs []Exception
	r.Matched, pairs = Compare(g.days, r.Given)
	r.Off = len(pairs)
	r.Bits = r.words + g.off*float64(r.Off)
}

// moved yields the dates of a phrase in a stretch.
func (g *ground) moved(text string, cal int, span civil.Span) func(func(*schedule.Moved) bool) {
	env := g.Env
	env.Calendar = g.Calendars[cal].Days
	rec, err := eval.CompileRule(text, env)
	return func(yield func(*schedule.Moved) bool) {
		if err != nil {
			g.refused = append(g.refused, text)
			return
		}
		for m, err := range schedule.Dates(rec, span) {
			if err != nil || !yield(m) {
				return
			}
		}
	}
}

// listed are the dates of a phrase in a stretch, by date, none twice.
func (g *ground) listed(text string, cal int, span civil.Span) (list []civil.Date) {
	for m := range g.moved(text, cal, span) {
		list = append(list, m.To)
	}
	slices.Sort(list)
	return slices.Compact(list)
}

// ahead is the stretch in which phrases are told apart.
func (g *ground) ahead() civil.Span {
	return civil.Span{First: g.last + 1, Last: min(g.last+horizon, civil.Max)}
}

// Exception is a date of a rule that the table lacks, one of the table that the rule lacks,
// or one of each that stand for each other; None if there is none.
type Exception struct {
	Rule, Table civil.Date
	Of          civil.Date // the date of the series that it is, or on which it hangs
}

// Compare counts the dates that both have, of two sorted lists, and gives the others: one
// of each with no other between them are a pair.
func Compare(table, rule []civil.Date) (matched int, off []Exception) {
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
				off[len(off)-1].Rule, off[len(off)-1].Of, open = rule[j], rule[j], false
			} else {
				off, open = append(off, Exception{Rule: rule[j], Of: rule[j]}), true
			}
			j++
		}
	}
	return matched, off
}

// ranked lists the best candidates by the engine, with the calendars that do as well.
func (g *ground) ranked(top int) (ranks []Rank) {
	slices.SortStableFunc(g.found, func(a, b *candidate) int { return cmp.Compare(a.score, b.score) })
	seen := map[Rule]bool{}
	for i, n := 0, 0; i < len(g.found) && n < top; i++ {
		c := g.found[i]
		if c.score > g.found[0].score+2*g.off+4 {
			break
		}
		r, ok := g.exact(c, c.cal)
		if !ok || seen[r.Rules[0]] {
			continue
		}
		seen[r.Rules[0]] = true
		n++
		ranks = append(ranks, r)
		if r.Bits > g.found[0].score+g.off/2 || !c.counts() {
			continue
		}
		for cal := 1; cal < len(g.Calendars); cal++ {
			if seen[Rule{r.Rules[0].Phrase, g.Calendars[cal].Name}] {
				continue
			}
			if q, ok := g.exact(c, cal); ok && slices.Equal(q.Given, r.Given) {
				seen[q.Rules[0]] = true
				ranks = append(ranks, q)
			}
		}
	}
	slices.SortStableFunc(ranks, func(a, b Rank) int { return cmp.Compare(a.Bits, b.Bits) })
	return ranks
}

// choose is the bits that it takes to say which k of n days, log2 of n over k.
func choose(n, k int) float64 {
	lg := func(n int) float64 { v, _ := math.Lgamma(float64(n + 1)); return v }
	return (lg(n) - lg(k) - lg(n-k)) / math.Ln2
}

// timed is a phrase that gives its dates a time, in minutes; below zero it stays as it is.
func timed(text string, at int, rule bool) string {
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
func (s *Search) IDs(r Rank) map[civil.Date]string {
	ids := map[civil.Date]string{}
	if len(r.Given) == 0 {
		return ids
	}
	g := &ground{Search: s}
	for _, rule := range r.Rules {
		cal := s.place(rule.Calendar)
		for m := range g.moved(rule.Phrase, cal, civil.Span{First: r.Given[0], Last: r.Given[len(r.Given)-1]}) {
			if ids[m.To] == "" {
				ids[m.To] = m.ID()
			}
		}
	}
	return ids
}

// Calendar is the one that a rank counts with in the end.
func (s *Search) Calendar(r Rank) Calendar { return s.Calendars[s.place(last(r).Calendar)] }

// place is where a calendar stands.
func (s *Search) place(name string) int {
	return max(0, slices.IndexFunc(s.Calendars, func(c Calendar) bool { return c.Name == name }))
}
