package infer

import (
	"cmp"
	"slices"

	"yoyaku/internal/core/civil"
)

// Proof is what a table of a schedule says of a date besides: its nominal date and its id, which
// tell the rule behind it.
type Proof struct {
	Nominal civil.Date
	ID      string
}

// maxProven is how many rules of nominal dates are looked at.
const maxProven = 12

// provenRow is a date of the table with its proof.
type provenRow struct {
	day civil.Date
	Proof
}

// provenSearch looks for the rules that give dates with their very nominal dates and ids.
type provenSearch struct {
	nominal, table *searchState // of the nominal dates, and of what they moved to
	rows           map[civil.Date]provenRow
	list           []Explanation
}

// findProven finds the rules that give dates with their very nominal dates and ids: a rule of the
// nominal dates alone, and what moves each from there. None where no rule gives all of them; up to
// one date in ten may have been moved by hand.
func (s *Search) findProven(days []civil.Date, proofs []Proof) []Explanation {
	var rows []provenRow
	for i, d := range days {
		if d != civil.None && proofs[i].Nominal != civil.None {
			rows = append(rows, provenRow{d, proofs[i]})
		}
	}
	slices.SortStableFunc(rows, func(a, b provenRow) int { return int(a.Nominal - b.Nominal) })
	p := &provenSearch{rows: map[civil.Date]provenRow{}}
	var nominal, moved []civil.Date
	for _, r := range rows {
		nominal, moved = append(nominal, r.Nominal), append(moved, r.day)
		p.rows[r.Nominal] = r
	}
	var err, err2 error
	p.nominal, err = s.newState(nominal)
	p.table, err2 = s.newState(moved)
	if err != nil || err2 != nil {
		return nil
	}
	g := p.nominal
	g.searchAll()
	slices.SortStableFunc(g.found, func(a, b *candidate) int { return cmp.Compare(a.score, b.score) })
	for _, c := range g.found[:min(len(g.found), maxProven)] {
		if r, ok := g.evaluate(c, c.cal); ok && r.Misses == 0 {
			for _, o := range s.explainOffsets(nominal, moved, r.next) {
				p.try(c, r, o)
			}
		}
	}
	slices.SortStableFunc(p.list, func(a, b Explanation) int { return cmp.Compare(a.Bits, b.Bits) })
	return mergeCalendars(p.list)
}

// try takes a rule of the nominal dates with steps behind it, with each calendar that fits, if that
// gives the rows.
func (p *provenSearch) try(c *candidate, r, steps Explanation) {
	s := p.table.Search
	for _, cal := range append([]int{steps.calendarIndex}, s.indexesOf(steps.EquivalentCalendars)...) {
		if c.usesCalendar() && steps.UsesCalendar && cal != c.cal {
			continue
		}
		rule := r.Rules[0]
		if steps.steps != "" {
			rule.Phrase += " then " + steps.steps
		}
		if steps.UsesCalendar {
			rule.Calendar = s.Calendars[cal].Name
		} else {
			cal = c.cal
		}
		if p.proves(rule.Phrase, cal) {
			p.add(rule, cal, r.Bits+steps.Bits)
		}
	}
}

// proves reports whether a rule gives the rows as they are, and nothing else between them.
func (p *provenSearch) proves(text string, cal int) bool {
	n, byHand := 0, 0
	for m := range p.table.movedDates(text, cal, civil.Span{First: p.table.first, Last: p.table.last}) {
		r, ok := p.rows[m.Date.Date]
		if !ok || r.ID != m.ID() {
			return false
		}
		if n++; r.day != m.MovedTo {
			byHand++
		}
	}
	return n == len(p.rows) && byHand*10 <= n
}

func (p *provenSearch) add(rule Rule, cal int, bits float64) {
	g := p.table
	text, given, ok := g.canonical(rule.Phrase, cal)
	if rule.Phrase = text; !ok || slices.ContainsFunc(p.list, func(x Explanation) bool { return x.Rules[0] == rule }) {
		return
	}
	r := Explanation{Rules: []Rule{rule}, Dates: given, words: bits}
	g.score(&r)
	r.next = g.datesOf(text, cal, g.horizonSpan())
	if r.knownUntil = g.horizonSpan().Last; rule.Calendar != "" {
		r.knownUntil = min(r.knownUntil, g.Calendars[cal].Days.Coverage.Last)
	}
	p.list = append(p.list, r)
}

// mergeCalendars puts those that say the same with another calendar into one.
func mergeCalendars(list []Explanation) (merged []Explanation) {
	for _, r := range list {
		if i := slices.IndexFunc(merged, func(x Explanation) bool { return x.samePhrases(r) }); i >= 0 {
			merged[i].EquivalentCalendars = append(merged[i].EquivalentCalendars, r.Rules[0].Calendar)
			continue
		}
		if len(merged) > 0 {
			r.AgreesUntil = ranksAgreeUntil(merged[0], r)
		}
		merged = append(merged, r)
	}
	return merged
}

// indexesOf are the places of calendars.
func (s *Search) indexesOf(names []string) (list []int) {
	for _, name := range names {
		list = append(list, s.calendarIndex(name))
	}
	return list
}
