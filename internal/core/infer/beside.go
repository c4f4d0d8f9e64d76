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
	besideDays    = 60
	besideWorking = 30
	besideWeeks   = 8
)

// A way is steps from a date of the series: a row of the table of candidates.
type way struct {
	steps  string // without a base; "" for the date itself
	bits   float64
	counts bool // with working days, so no convention behind it
}

var allWays = sync.OnceValue(ways)

// ways are all steps that are tried, before their conventions.
func ways() (list []way) {
	add := func(bits float64, counts bool, format string, args ...any) {
		list = append(list, way{fmt.Sprintf(format, args...), bits, counts})
	}
	size := func(n int) float64 { return math.Abs(float64(n)) }
	add(1, false, "")
	for n := -besideDays; n <= besideDays; n++ {
		if n != 0 {
			add(2.5+0.1*size(n), false, "%s", shift{days: n}.steps())
		}
	}
	for n := -besideWorking; n <= besideWorking; n++ {
		if n != 0 {
			add(2.5+0.15*size(n), true, "%s", shift{working: n}.steps())
		}
	}
	for w := civil.Monday; w <= civil.Sunday; w++ {
		day := strings.ToLower(w.Short())
		for n := -besideWeeks; n <= besideWeeks; n++ {
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
				if long || unit == "week" && (!f.counts() || f.N > 5 || f.N < -5) {
					continue
				}
				add(f.bits+price, f.counts(), "%s of %s%s", phrase.NthText(f.Item), which, unit)
			}
		}
	}
	slices.SortStableFunc(list, func(a, b way) int { // maps have no order
		return cmp.Or(cmp.Compare(a.bits, b.bits), cmp.Compare(a.steps, b.steps))
	})
	return list
}

// Beside explains dates by steps from those of their rows; None is a blank. The phrase begins
// with `date` and says `using` where its calendar isn't the first. Given holds what it makes
// of each row; ahead are dates of the series that follow, by which phrases are told apart.
func (s *Search) Beside(base, beside, ahead []civil.Date) []Rank {
	var from, to []civil.Date
	for i, d := range beside {
		if d != civil.None && base[i] != civil.None {
			from, to = append(from, base[i]), append(to, d)
		}
	}
	n := len(to)
	work, ok := s.count()
	if n < Fewest || !ok {
		return nil
	}
	b := &besides{Search: s, work: work, from: from, to: to, off: math.Log2(float64(n)) + offBits, most: n / 3}
	switch {
	case n < 6:
		b.most = 0
	case n < 9:
		b.most = 1
	}
	if s.programs == nil {
		s.programs = map[Rule]*eval.Program{}
	}
	for _, w := range allWays() {
		b.try(w)
	}
	return b.ranked(base, ahead)
}

// besides is a search for steps.
type besides struct {
	*Search
	from, to []civil.Date
	off      float64
	most     int // that may be off
	work     *int
	ranks    []Rank
}

// try tries a way without holidays, then with conventions, and on to the calendars where
// that comes near.
func (b *besides) try(w way) {
	p, err := b.program(w.steps, 0)
	if err != nil {
		return
	}
	*b.work += len(b.from)
	near, limit := 0, civil.Date(5)
	if w.counts { // a holiday or two more on the way
		limit = 6
	}
	for i, d := range b.from {
		if made := dateOf(p, d); made != civil.None && made-b.to[i] <= limit && b.to[i]-made <= limit {
			near++
		}
		if near+len(b.from)-i-1 < len(b.from)-b.most {
			return
		}
	}
	b.judge(w, w.steps, 0)
	if w.counts {
		for cal := 1; cal < len(b.Calendars); cal++ {
			b.judge(w, w.steps, cal)
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
			b.judge(v, steps, cal)
		}
	}
}

// text is steps as a milestone says them.
func (b *besides) text(steps string, cal int) string {
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
func (b *besides) program(steps string, cal int) (*eval.Program, error) {
	key := Rule{steps, b.Calendars[cal].Name}
	if p := b.programs[key]; p != nil {
		return p, nil
	}
	env := b.Env
	env.Calendar, env.Names = b.Calendars[cal].Days, []string{"date"}
	p, err := eval.CompileDate(b.text(steps, 0), env)
	b.programs[key] = p
	return p, err
}

func dateOf(p *eval.Program, d civil.Date) civil.Date {
	v, err := p.Eval([]eval.Value{eval.Day(d)})
	if err != nil || v.Kind != eval.Date {
		return civil.None
	}
	return v.Day
}

// judge takes steps whose dates are off seldom enough.
func (b *besides) judge(w way, steps string, cal int) {
	p, err := b.program(steps, cal)
	if err != nil {
		return
	}
	*b.work += 4 * len(b.from)
	r := Rank{words: w.bits + b.Calendars[cal].Bits, Given: make([]civil.Date, len(b.from))}
	for i, d := range b.from {
		if r.Given[i] = dateOf(p, d); r.Given[i] != b.to[i] {
			if r.Off++; r.Off > b.most {
				return
			}
		}
	}
	r.Matched = len(b.from) - r.Off
	r.Bits = r.words + b.off*float64(r.Off)
	r.Rules = []Rule{{b.text(steps, cal), ""}}
	if r.Counts = w.counts || steps != w.steps; r.Counts { // a convention follows these
		r.Rules[0].Calendar = b.Calendars[cal].Name
	}
	r.at = cal
	r.steps = steps
	b.ranks = append(b.ranks, r)
}

// ranked leaves each phrase once, best first, with what it makes of all rows.
func (b *besides) ranked(base, ahead []civil.Date) (list []Rank) {
	slices.SortStableFunc(b.ranks, func(x, y Rank) int { return cmp.Compare(x.Bits, y.Bits) })
	for _, r := range b.ranks {
		if r.Bits > acceptShare*float64(len(b.to))*math.Log2(2*besideDays+1) {
			break
		}
		r.next = b.made(r, ahead)
		r.known = civil.Max
		if r.Rules[0].Calendar != "" {
			r.known = b.Calendars[r.at].Days.Known.Last
		}
		same := func(x Rank) bool { return slices.Equal(x.Given, r.Given) }
		if i := slices.IndexFunc(list, func(x Rank) bool { return same(x) && x.steps == r.steps }); i >= 0 {
			list[i].Alike = append(list[i].Alike, r.Rules[0].Calendar)
			continue
		}
		if slices.ContainsFunc(list, func(x Rank) bool {
			return same(x) && slices.Equal(x.next, r.next) || x.steps == r.steps && x.Off < r.Off
		}) {
			continue // it says the same, or is there with a calendar that fits better
		}
		if len(list) > 0 {
			r.Agrees = differ(list[0], r)
		}
		list = append(list, r)
	}
	for i := range list {
		list[i].Given = b.made(list[i], base)
	}
	return list
}

// made is what the steps of a rank make of dates.
func (b *besides) made(r Rank, dates []civil.Date) []civil.Date {
	list := make([]civil.Date, len(dates))
	p, err := b.program(r.steps, r.at)
	for i, d := range dates {
		if d != civil.None && err == nil {
			list[i] = dateOf(p, d)
		}
	}
	return list
}

// differ is the last day before what two ranks make of the dates ahead differs, within what
// their calendars know; None if it doesn't.
func differ(a, b Rank) civil.Date {
	for i, d := range a.next {
		if e := b.next[i]; d != e {
			if d == civil.None || e != civil.None && e < d {
				d = e
			}
			return min(d-1, a.known, b.known)
		}
	}
	return civil.None
}
