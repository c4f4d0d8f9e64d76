package infer

import (
	"cmp"
	"maps"
	"math"
	"math/bits"
	"slices"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/recur"
)

// searchAll tries all cadences.
func (g *searchState) searchAll() {
	g.daily()
	g.weekly()
	g.monthly()
	g.yearly()
	if g.HasFiscalYear {
		g.fiscal()
	}
}

// log2 of a count, in bits.
func log2(n int) float64 { return math.Log2(float64(n)) }

// daily tries every day, every working day and every N of them.
func (g *searchState) daily() {
	n := len(g.days)
	full := func(c *candidate, days func(yield func(civil.Date) bool)) {
		c.covered = g.bitset()
		for d := range days {
			if x := g.indexOf(d, true); x >= 0 {
				c.covered.add(x)
			} else {
				c.extra++
			}
		}
		g.addCandidate(c)
	}
	every := func(step int, start civil.Date, next func(civil.Date, int) (civil.Date, bool)) func(func(civil.Date) bool) {
		return func(yield func(civil.Date) bool) {
			for d, ok := start, true; ok && d <= g.last && yield(d); d, ok = next(d, step) {
			}
		}
	}
	days := func(a, b civil.Date) int { return int(b - a) }
	if n*3 > g.length() {
		full(&candidate{every: 1, bits: 1}, every(1, g.first, civil.Date.Add))
	}
	if step, start := g.commonStep(days); step >= 2 && step <= 400 && step%7 != 0 {
		full(&candidate{every: step, start: start, bits: 6 + 2*log2(step)}, every(step, start, civil.Date.Add))
	}
	for i, c := range g.Calendars {
		if start, ok := c.Days.OnOrAfter(g.first); ok && n*3 > c.Days.Count(civil.Span{First: g.first, Last: g.last}) {
			full(&candidate{every: 1, working: true, cal: i, bits: 2 + c.Bits}, every(1, start, c.Days.AddWorkdays))
		}
		if step, start := g.commonStep(c.Days.CountBetween); step >= 2 && step <= 60 && c.Days.IsWorkday(start) {
			full(&candidate{every: step, working: true, start: start, cal: i, bits: 6 + 2*log2(step) + c.Bits},
				every(step, start, c.Days.AddWorkdays))
		}
	}
}

// commonStep is the commonest distance of two dates in a row, if a third of them have it, and the
// first date from which most others lie so apart.
func (g *searchState) commonStep(apart func(a, b civil.Date) int) (step int, start civil.Date) {
	count := map[int]int{}
	for i := 1; i < len(g.days); i++ {
		count[apart(g.days[i-1], g.days[i])]++
	}
	step = commonest(count)
	if step < 1 || count[step]*3 < len(g.days) {
		return 0, civil.None
	}
	phases := map[int]int{}
	for _, d := range g.days {
		phases[apart(g.first, d)%step]++
	}
	phase := commonest(phases)
	for _, d := range g.days {
		if apart(g.first, d)%step == phase {
			return step, d
		}
	}
	return 0, civil.None
}

// commonest is the key with the greatest count, the least of several.
func commonest(count map[int]int) (key int) {
	for k, n := range count {
		if n > count[key] || n == count[key] && k < key {
			key = k
		}
	}
	return key
}

// phases are selections of every nth period.
func phases(every int, bits func(phase int) float64) (list []selection) {
	for phase := range every {
		list = append(list, selection{every: every, phase: phase, bits: bits(phase)})
	}
	return list
}

func (g *searchState) weekly() {
	if len(g.days)*120 < g.length() { // one week in seventeen at most
		return
	}
	f := g.periodsOf(&periodFamily{unit: civil.Week, bits: 2, forms: weekForms, maxDays: 6,
		shifts: func(dayForm) [][]shift { return [][]shift{rollsOrDrop, workShifts} }})
	sels := []selection{{}}
	for every := 2; every <= 6; every++ {
		price := 2 + 2*log2(every)
		if every == 2 {
			price = 2
		}
		sels = append(sels, phases(every, func(int) float64 { return price })...)
	}
	g.tryFamily(f, sels)
}

func (g *searchState) monthly() {
	f := g.periodsOf(&periodFamily{unit: civil.Month, bits: 2, forms: monthForms, maxDays: 3, shifts: shiftsOf})
	sels := []selection{{}}
	for every := 2; every <= 6; every++ {
		sels = append(sels, phases(every, func(phase int) float64 {
			switch {
			case every != 3 && every != 6:
				return 5 + log2(every)
			case phase == 0 || phase == every-1: // the first or the last month of a quarter
				return 1.4 + log2(every)
			}
			return 2 + log2(every)
		})...)
	}
	if len(g.days)*20 < g.length() || g.length() > 700 {
		for m := range 12 {
			sels = append(sels, selection{months: 1 << m, bits: 6.6})
		}
	}
	g.tryFamily(f, append(sels, g.months()...))
	for unit, price := range map[civil.Unit]float64{civil.Quarter: 3.4, civil.Half: 4.4} {
		g.tryFamily(g.periodsOf(&periodFamily{unit: unit, bits: price, forms: middleForms, maxDays: 1, shifts: shiftsOf}), []selection{{}})
	}
}

// months are selections of months of the year: those that have dates, and those beside them
// from which dates may be moved. A single month that is missing once is no clause.
func (g *searchState) months() (sels []selection) {
	if g.length() <= 200 {
		return nil
	}
	var count, spanned [12]int
	for _, d := range g.days {
		_, m, _ := d.YMD()
		count[m-1]++
	}
	for i := g.Env.Fiscal.PeriodIndex(civil.Month, g.first); i <= g.Env.Fiscal.PeriodIndex(civil.Month, g.last); i++ {
		spanned[i%12]++
	}
	seen := map[uint16]bool{}
	for _, least := range []float64{0.01, 0.34, 0.67} {
		set := uint16(0)
		for m, n := range count {
			if float64(n) > least*float64(slices.Max(count[:])) {
				set |= 1 << m
			}
		}
		for _, by := range []int{0, 1, 11} {
			s := (set<<by | set>>(12-by)) & 0xfff
			n := bits.OnesCount16(s)
			if n == 0 || n == 12 || seen[s] || n == 11 && spanned[bits.TrailingZeros16(^s)] < 2 {
				continue
			}
			seen[s] = true
			price := 3 + log2Binomial(12, n) + float64(n)/4
			if by > 0 {
				price++
			}
			sels = append(sels, selection{months: s, bits: price})
		}
	}
	return sels
}

func (g *searchState) yearly() {
	if g.length() < 700 {
		return
	}
	g.tryFamily(g.periodsOf(&periodFamily{unit: civil.Year, bits: 3, forms: easterForms, maxDays: 2, anyLength: true,
		shifts: func(dayForm) [][]shift { return [][]shift{easterShifts} }}), []selection{{}})
	if len(g.days)*60 > g.length() {
		return
	}
	// Days of different months, each year, with the same steps.
	var count [12]int
	for _, d := range g.days {
		_, m, _ := d.YMD()
		count[m-1]++
	}
	f := g.periodsOf(&periodFamily{unit: civil.Year, bits: 3, maxDays: 4, anyLength: true, shifts: func(fm dayForm) [][]shift {
		if fm.usesCalendar() {
			return [][]shift{noShift}
		}
		return [][]shift{rollsOrDrop}
	}})
	for m := range 12 {
		if count[m]+count[(m+1)%12]+count[(m+11)%12] < 2 {
			continue
		}
		for _, fm := range monthForms {
			if fm.Kind == recur.MiddleDay || fm.Kind == recur.DayNumber && (fm.N < -3 || fm.N > civil.DaysIn(2024, m+1)) {
				continue
			}
			fm.Month, fm.bits = m+1, fm.bits+3.6
			f.forms = append(f.forms, fm)
		}
	}
	g.tryFamily(f, []selection{{}})
	g.daysOfYear()
}

// maxYearForms is how many days or weeks of the year are tried.
const maxYearForms = 40

// daysOfYear tries the days of the year, and weekdays of its weeks, on or near which dates fall.
func (g *searchState) daysOfYear() {
	count := map[recur.Item]int{}
	for _, d := range g.days {
		first, _ := civil.NewDate(d.Year(), 1, 1)
		for near := d - 3; near <= d+3; near++ { // from where a convention may have moved it
			if n := int(near-first) + 1; n > 31 && n <= 365 {
				count[recur.Item{Kind: recur.DayNumber, N: n}]++
			}
			if _, week := near.ISOWeek(); week > 0 {
				count[recur.Item{Kind: recur.WeekOfYear, N: week, Weekday: near.Weekday()}]++
			}
		}
	}
	f := g.periodsOf(&periodFamily{unit: civil.Year, bits: 3, maxDays: 2, anyLength: true, shifts: func(dayForm) [][]shift { return [][]shift{rollsOrDrop} }})
	items := slices.SortedFunc(maps.Keys(count), func(a, b recur.Item) int {
		return cmp.Or(cmp.Compare(count[b], count[a]), cmp.Compare(a.Kind, b.Kind), cmp.Compare(a.N, b.N), cmp.Compare(a.Weekday, b.Weekday))
	})
	for _, it := range items[:min(len(items), maxYearForms)] {
		if count[it] > 1 {
			f.forms = append(f.forms, dayForm{it, 9})
		}
	}
	g.tryFamily(f, []selection{{}})
}

func (g *searchState) fiscal() {
	f := g.Env.Fiscal
	months := !f.IsWeekBased() && f.FiscalDay == 1 // then fiscal months are those of the calendar
	for u, price := range map[civil.Unit]float64{civil.FiscalMonth: 2.5, civil.FiscalQuarter: 3, civil.FiscalYear: 3.5} {
		if months && (u == civil.FiscalMonth || u == civil.FiscalQuarter && f.FiscalMonth%3 == 1) {
			continue
		}
		f := g.periodsOf(&periodFamily{unit: u, bits: price, forms: monthForms, maxDays: 2, shifts: func(fm dayForm) [][]shift {
			if fm.usesCalendar() {
				return [][]shift{noShift}
			}
			return [][]shift{rollsOrDrop, workShifts}
		}})
		if len(g.days)*3 >= len(f.periods) {
			g.tryFamily(f, []selection{{}})
		}
	}
}

// wording is a candidate as the language writes it.
type wording struct {
	phrase.Rule
	stepsText  string // steps without a base
	needsStart bool   // it needs a first date, which the rule itself gives
}

func (w *wording) text() string {
	text := w.Canonical()
	if w.stepsText != "" {
		text += " then " + w.stepsText
	}
	return text
}

func dayExpr(d civil.Date) phrase.Expr { return &phrase.Date{Day: d} }

// wordingOf says a candidate.
func (g *searchState) wordingOf(c *candidate) *wording {
	w := &wording{Rule: phrase.Rule{Unit: civil.Day, Every: c.every, Working: c.working}}
	if c.family == nil {
		if c.every > 1 {
			w.From = dayExpr(c.start)
		}
		return w
	}
	w.Unit, w.Every = c.family.unit, max(1, c.sel.every)
	var items []recur.Item
	for _, v := range c.vectors {
		items = append(items, v.form.Item)
	}
	slices.SortStableFunc(items, compareItems)
	switch {
	case bits.OnesCount16(c.sel.months) == 1 && len(items) == 1 && items[0].N <= civil.DaysIn(2024,
		bits.TrailingZeros16(c.sel.months)+1):
		w.Unit, w.Every = civil.Year, 1
		items[0].Month = bits.TrailingZeros16(c.sel.months) + 1
	case c.sel.months != 0:
		w.Every = 1
		for m := range 12 {
			if c.sel.months>>m&1 == 1 {
				w.Months = append(w.Months, m+1)
			}
		}
	case w.Unit == civil.Month && (w.Every == 3 || w.Every == 6):
		w.Unit = map[int]civil.Unit{3: civil.Quarter, 6: civil.Half}[w.Every]
		for i := range items {
			items[i].Month = monthOf(items[i], c.sel.phase+1, w.Every)
		}
		w.Every = 1
	}
	w.needsStart = w.Every > 1
	for _, it := range items {
		w.On = append(w.On, phrase.Day{Item: it})
	}
	s := c.vectors[0].shift
	if s.dropClosed {
		w.Exclude = []phrase.Expr{&phrase.ClosedDays{}}
	} else {
		w.stepsText = s.steps()
	}
	return w
}

// monthOf is the month of a quarter or half-year in which an item counts; 0 if it counts
// the same in the whole.
func monthOf(it recur.Item, month, months int) int {
	first := it.Kind == recur.DayNumber && it.N > 0 && it.N <= 28 ||
		it.Kind == recur.NthWorking && it.N > 0 && it.N <= 15 || it.Kind == recur.NthWeekday && it.N > 0 && it.N < 5
	if month == 1 && first || month == months && it.N < 0 && it.N >= -10 && (it.Kind != recur.DayNumber || it.N == -1) {
		return 0
	}
	return month
}

// compareItems sorts the items of a rule: numbered days, last days behind them, then the others.
func compareItems(a, b recur.Item) int {
	rank := func(it recur.Item) int {
		n := int(it.Kind)*10000 + it.Month*1000 + it.N
		if it.N < 0 {
			n += 500
		}
		if it.Kind == recur.EveryWeekday {
			n = int(it.Weekday)
		}
		return n
	}
	return rank(a) - rank(b)
}
