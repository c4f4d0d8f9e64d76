package infer

import (
	"encoding/binary"
	"math"
	"slices"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/recur"
	"yoyaku/internal/core/workdays"
)

// marginDays is how far around the dates periods are looked at: what is shifted into the stretch
// may come from there.
const marginDays = 140

// searchState is one search for rules: the dates of the table, the span and the costs in bits,
// and the candidates found so far.
type searchState struct {
	*Search
	days        []civil.Date // of the table, rising
	first, last civil.Date
	indexByDay  []int32 // of a day's date in the table by its distance from first; -1 for none
	missBits    float64 // bits of a date that is off
	listBits    float64 // bits of a list of the dates
	best        float64
	found       []*candidate
	weeks       []workWeek // the first is that of calendar 0
	origins     map[originKey]*shiftOrigins
	vectors     int      // that were made
	daysTried   *int     // days that were looked at
	unparsable  []string // phrases that the language didn't take; there are none
}

// workCounter is where days that are looked at are counted; ok is false if there may be no more.
func (s *Search) workCounter() (work *int, ok bool) {
	if s.Work == nil {
		return new(int), true
	}
	return s.Work, *s.Work <= maxWork
}

func (s *Search) newState(dates []civil.Date) (*searchState, error) {
	work, ok := s.workCounter()
	if !ok {
		return nil, ErrTooMuchWork
	}
	days := slices.Clone(dates)
	slices.Sort(days)
	days = slices.Compact(days)
	if len(days) < minDates {
		return nil, errTooFew
	}
	g := &searchState{Search: s, days: days, first: days[0], last: days[len(days)-1], best: math.Inf(1),
		origins: map[originKey]*shiftOrigins{}, daysTried: work, weeks: s.workWeeks()}
	if g.length() > maxYears*366 {
		return nil, ErrSpanTooLong
	}
	g.dropTwins()
	g.indexByDay = make([]int32, g.length())
	for i := range g.indexByDay {
		g.indexByDay[i] = -1
	}
	for i, d := range days {
		g.indexByDay[d-g.first] = int32(i)
	}
	g.missBits = math.Log2(float64(len(days))) + missBits
	g.listBits = log2Binomial(max(g.length(), len(days)+1), len(days)) // all days of a stretch could be a day longer
	return g, nil
}

// length is how many days the dates span.
func (g *searchState) length() int { return int(g.last-g.first) + 1 }

// indexOf is the place of a day in the table: none for no date at all or one outside the
// stretch, beside for a date that the table lacks.
func (g *searchState) indexOf(d civil.Date, ok bool) int32 {
	if !ok || d < g.first || d > g.last {
		return noDate
	}
	return g.indexByDay[d-g.first]
}

// What a vector says of a period that gives no date of the table.
const (
	notInTable = -1
	noDate     = -2
)

// periodFamily is a kind of period with the days that are tried in it.
type periodFamily struct {
	unit      civil.Unit
	bits      float64
	periods   []civil.Span
	numbers   []int // of each period since the first of all
	forms     []dayForm
	shifts    func(dayForm) [][]shift
	maxDays   int     // days that are tried together
	dayClass  []uint8 // of each day, by its distance from the first that may be asked: its period's number in a cycle of all selections
	anyLength bool    // how many days a period has isn't judged by how many dates there are
}

// periodsOf are those around the stretch.
func (g *searchState) periodsOf(f *periodFamily) *periodFamily {
	span := civil.Span{First: g.first, Last: g.last}.Widen(marginDays, marginDays)
	for i := g.Env.Fiscal.PeriodIndex(f.unit, span.First); ; i++ {
		p, ok := g.Env.Fiscal.Period(f.unit, i)
		if !ok || p.First > span.Last {
			return f
		}
		f.periods, f.numbers = append(f.periods, p), append(f.numbers, i)
	}
}

// selectionCycle is how many periods all selections repeat after: every 2nd to 6th, and the months of
// a year.
const selectionCycle = 60

// setDayClasses settles the classes of a family's days.
func (g *searchState) setDayClasses(f *periodFamily) {
	f.dayClass = make([]uint8, g.length()+4*marginDays)
	for i, p := range f.periods {
		for d := p.First; d <= p.Last; d++ {
			if x := int(d-g.first) + 2*marginDays; x >= 0 && x < len(f.dayClass) {
				f.dayClass[x] = uint8(((f.numbers[i] % selectionCycle) + selectionCycle) % selectionCycle)
			}
		}
	}
}

// nominal are the days of a form in each period of its family, None if it lacks one:
// what the engine gives for a rule of that day alone.
func (g *searchState) nominal(f *periodFamily, it recur.Item, cal *workdays.Calendar) []civil.Date {
	list := make([]civil.Date, len(f.periods))
	*g.daysTried += 4 * len(list)
	r := &recur.Rule{Unit: f.unit, Every: 1, Items: []recur.Item{it}, Frame: g.Env.Fiscal, Calendar: cal}
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

// workWeek is a working week without holidays, and the calendars that have it, by their places.
type workWeek struct {
	days      *workdays.Calendar
	calendars []int
}

// workWeeks are the working weeks of the calendars: what their holidays aside can't give dates
// needn't be tried with them.
func (s *Search) workWeeks() (list []workWeek) {
	for i, c := range s.Calendars {
		closed := c.Days.ClosedWeekdays()
		k := slices.IndexFunc(list, func(w workWeek) bool { return w.days.ClosedWeekdays() == closed })
		if k < 0 {
			k = len(list)
			days := c.Days
			if i > 0 {
				days = workdays.New("", closed)
			}
			list = append(list, workWeek{days: days})
		}
		list[k].calendars = append(list[k].calendars, i)
	}
	return list
}

// dropTwins leaves calendars out of the search that close the same days around the table as one
// before them; what a rule gives with them is looked at once it is found.
func (g *searchState) dropTwins() {
	around := civil.Span{First: g.first, Last: g.last}.Widen(2*marginDays, 2*marginDays)
	for i := range g.weeks {
		seen := map[string]bool{}
		g.weeks[i].calendars = slices.DeleteFunc(g.weeks[i].calendars, func(cal int) bool {
			var closed []byte
			for d := around.First; d <= around.Last; d++ {
				if !g.Calendars[cal].Days.IsWorkday(d) {
					closed = binary.AppendVarint(closed, int64(d))
				}
			}
			twin := seen[string(closed)]
			seen[string(closed)] = true
			return twin
		})
	}
}

// originKey is a shift in one of the working weeks.
type originKey struct {
	shift
	week int
}

// shiftOrigins are, for each date of the table, the days that a shift makes that date of.
type shiftOrigins struct {
	ends []int // of days, by the place of the date
	days []civil.Date
}

// originsOf works them out once for a shift in a working week; days before it only move them.
func (g *searchState) originsOf(s shift, week int) *shiftOrigins {
	s.days = 0
	if o := g.origins[originKey{s, week}]; o != nil {
		return o
	}
	cal := g.weeks[week].days
	*g.daysTried += 4 * g.length()
	from := make([][]civil.Date, len(g.days))
	for d := max(g.first-marginDays, civil.Min); d <= min(g.last+marginDays, civil.Max); d++ {
		if x := g.indexOf(s.apply(d, cal)); x >= 0 {
			from[x] = append(from[x], d)
		}
	}
	o := &shiftOrigins{ends: make([]int, 0, len(from))}
	for _, days := range from {
		o.days = append(o.days, days...)
		o.ends = append(o.ends, len(o.days))
	}
	g.origins[originKey{s, week}] = o
	return o
}

// dayBits has a bit for each day of a form, by its distance from the first that may be asked.
func (g *searchState) dayBits(nominal []civil.Date) bitset {
	marks := make(bitset, (g.length()+4*marginDays)/64+1)
	for _, d := range nominal {
		if x := d - g.first + 2*marginDays; d != civil.None && x >= 0 && int(x>>6) < len(marks) {
			marks.add(int32(x))
		}
	}
	return marks
}

// mayReach reports whether a shift of marked days gives enough dates for one of the choices,
// without holidays: by going through the dates, of which there are few, and not through the
// periods; most are refused by the first ones.
func (g *searchState) mayReach(f *periodFamily, marks bitset, s shift, week int, cs []periodChoice, need int) bool {
	o := g.originsOf(s, week)
	var hits [selectionCycle]int
	days := civil.Date(2*marginDays) - g.first - civil.Date(s.days)
	from := 0
	defer func() { *g.daysTried += 8 + from }()
	for i, upto := range o.ends {
		found := 0
		for _, d := range o.days[from:upto] {
			if x := d + days; x >= 0 && int(x>>6) < len(marks) && marks[x>>6]>>(x&63)&1 == 1 {
				hits[f.dayClass[x]]++
				found = 1
			}
		}
		from, need = upto, need-found
		if need > len(o.ends)-i-1 {
			return false
		}
	}
	for i := range cs {
		n := 0
		for class, in := range cs[i].classes {
			if in {
				n += hits[class]
			}
		}
		if n >= cs[i].minHits {
			return true
		}
	}
	return false
}

// dayVector is a day with its shift: for each period of the family the table's date that it
// gives.
type dayVector struct {
	form       dayForm
	shift      shift
	cal        int
	tableIndex []int32 // place of the table's date; or beside, none
	hits       int
	extra      int
}

func (v *dayVector) usesCalendar() bool { return v.form.usesCalendar() || v.shift.usesCalendar() }

func (g *searchState) vector(fm dayForm, s shift, cal int, days *workdays.Calendar, nominal []civil.Date) *dayVector {
	g.vectors++
	*g.daysTried += 4 * len(nominal)
	v := &dayVector{form: fm, shift: s, cal: cal, tableIndex: make([]int32, len(nominal))}
	for i, d := range nominal {
		v.tableIndex[i] = noDate
		if d != civil.None {
			v.tableIndex[i] = g.indexOf(s.apply(d, days))
		}
		switch {
		case v.tableIndex[i] >= 0:
			v.hits++
		case v.tableIndex[i] == notInTable:
			v.extra++
		}
	}
	return v
}
