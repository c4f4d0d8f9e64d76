package infer

import (
	"math"
	"slices"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/recur"
	"yoyaku/internal/core/workdays"
)

// beyond is how far around the dates periods are looked at: what is shifted into the stretch
// may come from there.
const beyond = 140

// ground is the stretch of the dates, and what was found on it.
type ground struct {
	*Search
	days        []civil.Date // of the table, rising
	first, last civil.Date
	places      []int32 // of a day's date in the table by its distance from first; -1 for none
	off         float64 // bits of a date that is off
	list        float64 // bits of a list of the dates
	best        float64
	found       []*candidate
	origins     map[shift]*origins
	vectors     int      // that were made
	work        *int     // days that were looked at
	refused     []string // phrases that the language didn't take; there are none
}

// count is where days that are looked at are counted; ok is false if there may be no more.
func (s *Search) count() (work *int, ok bool) {
	if s.Work == nil {
		return new(int), true
	}
	return s.Work, *s.Work <= mostWork
}

func (s *Search) ground(dates []civil.Date) (*ground, error) {
	work, ok := s.count()
	if !ok {
		return nil, ErrMany
	}
	days := slices.Clone(dates)
	slices.Sort(days)
	days = slices.Compact(days)
	if len(days) < Fewest {
		return nil, errFew
	}
	g := &ground{Search: s, days: days, first: days[0], last: days[len(days)-1], best: math.Inf(1),
		origins: map[shift]*origins{}, work: work}
	if g.length() > MostYears*366 {
		return nil, ErrFar
	}
	g.places = make([]int32, g.length())
	for i := range g.places {
		g.places[i] = -1
	}
	for i, d := range days {
		g.places[d-g.first] = int32(i)
	}
	g.off = math.Log2(float64(len(days))) + offBits
	g.list = choose(max(g.length(), len(days)+1), len(days)) // all days of a stretch could be a day longer
	return g, nil
}

// length is how many days the dates span.
func (g *ground) length() int { return int(g.last-g.first) + 1 }

// at is the place of a day in the table: none for no date at all or one outside the
// stretch, beside for a date that the table lacks.
func (g *ground) at(d civil.Date, ok bool) int32 {
	if !ok || d < g.first || d > g.last {
		return none
	}
	return g.places[d-g.first]
}

// What a vector says of a period that gives no date of the table.
const (
	beside = -1
	none   = -2
)

// A family is a kind of period with the days that are tried in it.
type family struct {
	unit    civil.Unit
	bits    float64
	periods []civil.Span
	number  []int // of each period since the first of all
	forms   []form
	shifts  func(form) [][]shift
	most    int     // days that are tried together
	class   []uint8 // of each day, by its distance from the first that may be asked: its period's number in a cycle of all selections
	loose   bool    // how many days a period has isn't judged by how many dates there are
}

// periodsOf are those around the stretch.
func (g *ground) periodsOf(f *family) *family {
	span := civil.Span{First: g.first, Last: g.last}.Widen(beyond, beyond)
	for i := g.Env.Frame.Index(f.unit, span.First); ; i++ {
		p, ok := g.Env.Frame.Period(f.unit, i)
		if !ok || p.First > span.Last {
			return f
		}
		f.periods, f.number = append(f.periods, p), append(f.number, i)
	}
}

// cycle is how many periods all selections repeat after: every 2nd to 6th, and the months of
// a year.
const cycle = 60

// classes settles the classes of a family's days.
func (g *ground) classes(f *family) {
	f.class = make([]uint8, g.length()+4*beyond)
	for i, p := range f.periods {
		for d := p.First; d <= p.Last; d++ {
			if x := int(d-g.first) + 2*beyond; x >= 0 && x < len(f.class) {
				f.class[x] = uint8(((f.number[i] % cycle) + cycle) % cycle)
			}
		}
	}
}

// nominal are the days of a form in each period of its family, None if it lacks one:
// what the engine gives for a rule of that day alone.
func (g *ground) nominal(f *family, it recur.Item, cal *workdays.Calendar) []civil.Date {
	list := make([]civil.Date, len(f.periods))
	*g.work += 4 * len(list)
	r := &recur.Rule{Unit: f.unit, Every: 1, Items: []recur.Item{it}, Frame: g.Env.Frame, Calendar: cal}
	r.Prepare()
	i := 0
	for d := range r.All(civil.Span{First: f.periods[0].First, Last: f.periods[len(f.periods)-1].Last}) {
		for i < len(f.periods) && f.periods[i].First < d.Period {
			i++
		}
		if i < len(f.periods) && f.periods[i].First == d.Period {
			list[i] = d.Date
		}
	}
	return list
}

// origins are, for each date of the table, the days that a shift makes that date of.
type origins struct {
	upto []int // of days, by the place of the date
	days []civil.Date
}

// originsOf works them out once for a shift; days before it only move them.
func (g *ground) originsOf(s shift) *origins {
	s.days = 0
	if o := g.origins[s]; o != nil {
		return o
	}
	cal := g.Calendars[0].Days
	*g.work += 4 * g.length()
	from := make([][]civil.Date, len(g.days))
	for d := max(g.first-beyond, civil.Min); d <= min(g.last+beyond, civil.Max); d++ {
		if x := g.at(s.apply(d, cal)); x >= 0 {
			from[x] = append(from[x], d)
		}
	}
	o := &origins{upto: make([]int, 0, len(from))}
	for _, days := range from {
		o.days = append(o.days, days...)
		o.upto = append(o.upto, len(o.days))
	}
	g.origins[s] = o
	return o
}

// marked has a bit for each day of a form, by its distance from the first that may be asked.
func (g *ground) marked(nominal []civil.Date) bitset {
	marks := make(bitset, (g.length()+4*beyond)/64+1)
	for _, d := range nominal {
		if x := d - g.first + 2*beyond; d != civil.None && x >= 0 && int(x>>6) < len(marks) {
			marks.add(int32(x))
		}
	}
	return marks
}

// reaches reports whether a shift of marked days gives enough dates for one of the choices,
// without holidays: by going through the dates, of which there are few, and not through the
// periods; most are refused by the first ones.
func (g *ground) reaches(f *family, marks bitset, s shift, cs []choice, need int) bool {
	o := g.originsOf(s)
	var hits [cycle]int
	by := civil.Date(2*beyond) - g.first - civil.Date(s.days)
	from := 0
	defer func() { *g.work += 8 + from }()
	for i, upto := range o.upto {
		found := 0
		for _, d := range o.days[from:upto] {
			if x := d + by; x >= 0 && int(x>>6) < len(marks) && marks[x>>6]>>(x&63)&1 == 1 {
				hits[f.class[x]]++
				found = 1
			}
		}
		from, need = upto, need-found
		if need > len(o.upto)-i-1 {
			return false
		}
	}
	for i := range cs {
		n := 0
		for class, in := range cs[i].in {
			if in {
				n += hits[class]
			}
		}
		if n >= cs[i].need {
			return true
		}
	}
	return false
}

// vector says what a day with its shift gives, period by period.
type vector struct {
	form  form
	shift shift
	cal   int
	gives []int32 // place of the table's date; or beside, none
	hits  int
	extra int
}

func (v *vector) counts() bool { return v.form.counts() || v.shift.counts() }

func (g *ground) vector(fm form, s shift, cal int, nominal []civil.Date) *vector {
	g.vectors++
	*g.work += 4 * len(nominal)
	v := &vector{form: fm, shift: s, cal: cal, gives: make([]int32, len(nominal))}
	days := g.Calendars[cal].Days
	for i, d := range nominal {
		v.gives[i] = none
		if d != civil.None {
			v.gives[i] = g.at(s.apply(d, days))
		}
		switch {
		case v.gives[i] >= 0:
			v.hits++
		case v.gives[i] == beside:
			v.extra++
		}
	}
	return v
}
