package infer

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"
	"sync"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/recur"
	"yoyaku/internal/core/workdays"
)

// The reach of steps from a date to the one beside it.
const (
	maxOffsetDays     = 60
	maxOffsetWorkdays = 30
	maxOffsetWeeks    = 8
)

// offsetForm is steps from a date of the series, such as -2 working days: a row of the table of
// candidates.
type offsetForm struct {
	steps        string // without a base; "" for the date itself
	bits         float64
	usesCalendar bool // with working days, so no convention behind it
}

var offsetForms = sync.OnceValue(buildOffsetForms)

// buildOffsetForms are all steps that are tried, before their conventions.
func buildOffsetForms() (list []offsetForm) {
	add := func(bits float64, counts bool, format string, args ...any) {
		list = append(list, offsetForm{fmt.Sprintf(format, args...), bits, counts})
	}
	size := func(n int) float64 { return math.Abs(float64(n)) }
	add(1, false, "")
	for n := -maxOffsetDays; n <= maxOffsetDays; n++ {
		if n != 0 {
			add(2.5+0.1*size(n), false, "%s", shift{days: n}.steps())
		}
	}
	for n := -maxOffsetWorkdays; n <= maxOffsetWorkdays; n++ {
		if n != 0 {
			add(2.5+0.15*size(n), true, "%s", shift{working: n}.steps())
		}
	}
	for w := civil.Monday; w <= civil.Sunday; w++ {
		day := strings.ToLower(w.Abbrev())
		for n := -maxOffsetWeeks; n <= maxOffsetWeeks; n++ {
			weeks, price := "", 4.5
			if n != 0 {
				weeks, price = fmt.Sprintf("%+d week%s, ", n, map[bool]string{true: "s"}[n*n > 1]), 7.5+0.4*size(n)
			}
			add(price, false, "%s%s on or after", weeks, day)
			add(price, false, "%s%s on or before", weeks, day)
		}
		add(4.5, false, "next %s", day)
		add(4.5, false, "previous %s", day)
	}
	for _, unit := range []string{"week", "month", "quarter"} {
		for which, price := range map[string]float64{"previous ": 2, "": 1, "next ": 2} {
			add(3+price, false, "start of %s%s", which, unit)
			add(3+price, false, "end of %s%s", which, unit)
			for _, f := range monthForms {
				long := f.Kind == recur.DayNumber && (f.N < -5 || f.N == -1) || f.Kind == recur.MiddleDay
				if long || unit == "week" && (!f.usesCalendar() || f.N > 5 || f.N < -5) {
					continue
				}
				add(f.bits+price, f.usesCalendar(), "%s of %s%s", phrase.NthText(f.Item), which, unit)
			}
		}
	}
	slices.SortStableFunc(list, func(a, b offsetForm) int { // maps have no order
		return cmp.Or(cmp.Compare(a.bits, b.bits), cmp.Compare(a.steps, b.steps))
	})
	return list
}

// explainOffsets explains dates by steps from those of their rows; None is a blank. The phrase begins
// with `date` and says `using` where its calendar isn't the first. Given holds what it makes
// of each row; ahead are dates of the series that follow, by which phrases are told apart.
func (s *Search) explainOffsets(base, beside, ahead []civil.Date) []Explanation {
	var from, to []civil.Date
	for i, d := range beside {
		if d != civil.None && base[i] != civil.None {
			from, to = append(from, base[i]), append(to, d)
		}
	}
	n := len(to)
	work, ok := s.workCounter()
	if n < minDates || !ok {
		return nil
	}
	b := &offsetSearch{Search: s, work: work, from: from, to: to, missBits: math.Log2(float64(n)) + missBits, maxMisses: n / 3}
	switch {
	case n < 6:
		b.maxMisses = 0
	case n < 9:
		b.maxMisses = 1
	}
	if s.programs == nil {
		s.programs, s.parsed = map[Rule]*eval.Program{}, map[string]phrase.Expr{}
	}
	for _, w := range offsetForms() {
		b.tryForm(w)
	}
	return b.explanations(base, ahead)
}

// offsetSearch is a search for steps.
type offsetSearch struct {
	*Search
	from, to  []civil.Date
	missBits  float64
	maxMisses int // that may be off
	work      *int
	found     []Explanation
}

// tryForm tries a way without holidays, then with conventions, and on to the calendars where
// that comes near.
func (b *offsetSearch) tryForm(w offsetForm) {
	p, err := b.program(w.steps, 0)
	if err != nil {
		return
	}
	*b.work += len(b.from)
	near, limit := 0, civil.Date(5)
	if w.usesCalendar { // a holiday or two more on the way
		limit = 6
	}
	for i, d := range b.from {
		if made := evalDate(p, d); made != civil.None && made-b.to[i] <= limit && b.to[i]-made <= limit {
			near++
		}
		if near+len(b.from)-i-1 < len(b.from)-b.maxMisses {
			return
		}
	}
	b.accept(w, w.steps, 0)
	if w.usesCalendar {
		for cal := 1; cal < len(b.Calendars); cal++ {
			b.accept(w, w.steps, cal)
		}
		return
	}
	for c := workdays.Following; c <= workdays.Nearest; c++ {
		v := w
		v.bits += conventionBits[c]
		steps := shift{roll: c}.steps()
		if w.steps != "" {
			steps = w.steps + ", " + steps
		}
		for cal := range b.Calendars {
			b.accept(v, steps, cal)
		}
	}
}

// offsetText is steps as a milestone says them.
func (b *offsetSearch) offsetText(steps string, cal int) string {
	text := "date"
	if steps != "" {
		text += ", " + steps
	}
	if cal > 0 {
		text += phrase.UsingText(strings.Split(b.Calendars[cal].Name, " + ")...)
	}
	return text
}

// program compiles steps once, whatever the columns are for which they are tried.
func (b *offsetSearch) program(steps string, cal int) (*eval.Program, error) {
	key := Rule{steps, b.Calendars[cal].Name}
	if p := b.programs[key]; p != nil {
		return p, nil
	}
	env := b.Env
	env.Calendar, env.Names = b.Calendars[cal].Days, []string{"date"}
	text := b.offsetText(steps, 0)
	if b.parsed[steps] == nil {
		e, err := phrase.ParseExpr(text)
		if err != nil {
			return nil, err
		}
		b.parsed[steps] = e
	}
	p, err := eval.CompileParsedDate(text, b.parsed[steps], env)
	b.programs[key] = p
	return p, err
}

func evalDate(p *eval.Program, d civil.Date) civil.Date {
	v, err := p.Eval([]eval.Value{eval.Day(d)})
	if err != nil || v.Kind != eval.Date {
		return civil.None
	}
	return v.Day
}

// accept takes steps whose dates are off seldom enough.
func (b *offsetSearch) accept(w offsetForm, steps string, cal int) {
	p, err := b.program(steps, cal)
	if err != nil {
		return
	}
	*b.work += 4 * len(b.from)
	r := Explanation{words: w.bits + b.Calendars[cal].Bits, Dates: make([]civil.Date, len(b.from))}
	for i, d := range b.from {
		if r.Dates[i] = evalDate(p, d); r.Dates[i] != b.to[i] {
			if r.Misses++; r.Misses > b.maxMisses {
				return
			}
		}
	}
	r.Matched = len(b.from) - r.Misses
	r.Bits = r.words + b.missBits*float64(r.Misses)
	r.Rules = []Rule{{b.offsetText(steps, cal), ""}}
	if r.UsesCalendar = w.usesCalendar || steps != w.steps; r.UsesCalendar { // a convention follows these
		r.Rules[0].Calendar = b.Calendars[cal].Name
	}
	r.calendarIndex = cal
	r.steps = steps
	b.found = append(b.found, r)
}

// explanations leaves each phrase once, best first, with what it makes of all rows.
func (b *offsetSearch) explanations(base, ahead []civil.Date) (list []Explanation) {
	slices.SortStableFunc(b.found, func(x, y Explanation) int { return cmp.Compare(x.Bits, y.Bits) })
	for _, r := range b.found {
		if r.Bits > maxCostShare*float64(len(b.to))*math.Log2(2*maxOffsetDays+1) {
			break
		}
		r.next = b.apply(r, ahead)
		r.knownUntil = civil.Max
		if r.Rules[0].Calendar != "" {
			r.knownUntil = b.Calendars[r.calendarIndex].Days.Coverage.Last
		}
		same := func(x Explanation) bool { return slices.Equal(x.Dates, r.Dates) }
		if i := slices.IndexFunc(list, func(x Explanation) bool { return same(x) && x.steps == r.steps }); i >= 0 {
			list[i].EquivalentCalendars = append(list[i].EquivalentCalendars, r.Rules[0].Calendar)
			continue
		}
		if slices.ContainsFunc(list, func(x Explanation) bool {
			return same(x) && slices.Equal(x.next, r.next) || x.steps == r.steps && x.Misses < r.Misses
		}) {
			continue // it says the same, or is there with a calendar that fits better
		}
		if len(list) > 0 {
			r.AgreesUntil = agreeUntil(list[0], r)
		}
		list = append(list, r)
	}
	for i := range list {
		list[i].Dates = b.apply(list[i], base)
	}
	return list
}

// apply is what the steps of a rank make of dates.
func (b *offsetSearch) apply(r Explanation, dates []civil.Date) []civil.Date {
	list := make([]civil.Date, len(dates))
	p, err := b.program(r.steps, r.calendarIndex)
	for i, d := range dates {
		if d != civil.None && err == nil {
			list[i] = evalDate(p, d)
		}
	}
	return list
}

// agreeUntil is the last day before what two ranks make of the dates ahead differs, within what
// their calendars know; None if it doesn't.
func agreeUntil(a, b Explanation) civil.Date {
	for i, d := range a.next {
		if e := b.next[i]; d != e {
			if d == civil.None || e != civil.None && e < d {
				d = e
			}
			return min(d-1, a.knownUntil, b.knownUntil)
		}
	}
	return civil.None
}
