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

// findProven finds the rules that give dates with their very nominal dates and ids: a rule of the
// nominal dates alone, and what moves each from there. None where no rule gives all of them.
func (s *Search) findProven(days []civil.Date, proofs []Proof) (list []Explanation) {
	type row struct {
		day civil.Date
		Proof
	}
	var rows []row
	for i, d := range days {
		if d != civil.None && proofs[i].Nominal != civil.None {
			rows = append(rows, row{d, proofs[i]})
		}
	}
	slices.SortStableFunc(rows, func(a, b row) int { return int(a.Nominal - b.Nominal) })
	var nominal, moved []civil.Date
	want := map[civil.Date]row{}
	for _, r := range rows {
		nominal, moved = append(nominal, r.Nominal), append(moved, r.day)
		want[r.Nominal] = r
	}
	g, err := s.newState(nominal)
	if err != nil {
		return nil
	}
	table, err := s.newState(moved)
	if err != nil {
		return nil
	}
	g.searchAll()
	slices.SortStableFunc(g.found, func(a, b *candidate) int { return cmp.Compare(a.score, b.score) })
	// proves reports whether a rule gives the rows as they are, and nothing else between them.
	proves := func(text string, cal int) bool {
		n, byHand := 0, 0
		for m := range table.movedDates(text, cal, civil.Span{First: table.first, Last: table.last}) {
			r, ok := want[m.Date.Date]
			if !ok || r.ID != m.ID() {
				return false
			}
			if n++; r.day != m.MovedTo {
				byHand++
			}
		}
		return n == len(rows) && byHand*10 <= n
	}
	add := func(rule Rule, cal int, bits float64) {
		text, given, ok := table.canonical(rule.Phrase, cal)
		if !ok || slices.ContainsFunc(list, func(x Explanation) bool { return x.Rules[0] == rule }) {
			return
		}
		r := Explanation{Rules: []Rule{{text, rule.Calendar}}, Dates: given, words: bits}
		table.score(&r)
		r.next = table.datesOf(text, cal, table.horizonSpan())
		if r.knownUntil = table.horizonSpan().Last; rule.Calendar != "" {
			r.knownUntil = min(r.knownUntil, s.Calendars[cal].Days.Coverage.Last)
		}
		list = append(list, r)
	}
	for _, c := range g.found[:min(len(g.found), maxProven)] {
		r, ok := g.evaluate(c, c.cal)
		if !ok || r.Misses > 0 {
			continue
		}
		base := r.Rules[0]
		for _, o := range s.explainOffsets(nominal, moved, r.next) {
			for _, cal := range append([]int{o.calendarIndex}, s.indexesOf(o.EquivalentCalendars)...) {
				if c.usesCalendar() && o.UsesCalendar && cal != c.cal {
					continue
				}
				rule := Rule{base.Phrase + " then " + o.steps, base.Calendar}
				if o.steps == "" {
					rule = base
				}
				if o.UsesCalendar {
					rule.Calendar = s.Calendars[cal].Name
				} else {
					cal = c.cal
				}
				if proves(rule.Phrase, cal) {
					add(rule, cal, r.Bits+o.Bits)
				}
			}
		}
	}
	slices.SortStableFunc(list, func(a, b Explanation) int { return cmp.Compare(a.Bits, b.Bits) })
	return mergeCalendars(list)
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
