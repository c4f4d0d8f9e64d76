package recur

import (
	"iter"
	"slices"

	"yoyaku/internal/core/civil"
)

// gregorianCycleDays is the 400 years after which the Gregorian calendar repeats, weekdays
// included; rules that agree over it agree for ever.
const gregorianCycleDays = 146097

// Export writes the rule as an RFC 5545 rule that gives exactly the same
// nominal dates, before leaving out and plus. start is DTSTART: the rule's
// first date, or None if the rule has no first. Where RFC 5545 can't say it,
// why says the reason. Each candidate is proved: both are expanded over 400
// years and compared.
func (r *Rule) Export() (rule *RRule, start civil.Date, why string) {
	switch {
	case r.listed:
		return nil, 0, "it lists its dates one by one, which needs RDATE"
	case r.parts != nil:
		return nil, 0, "it is one already"
	case r.Working:
		return nil, 0, "it counts working days, and RFC 5545 has no holidays"
	}
	for _, it := range r.Items {
		switch it.Kind {
		case NthWorking:
			return nil, 0, "it counts working days, and RFC 5545 has no holidays"
		case EasterDay, OrthodoxEasterDay:
			return nil, 0, "RFC 5545 can't count from Easter"
		case MiddleDay:
			return nil, 0, "RFC 5545 can't express the middle of a period"
		}
	}
	b := r.boundsOnce()
	if b.span.First > civil.Min || r.Every > 1 {
		for d := range r.nominalDates(b, b.span) {
			start = d.Date
			break
		}
		if start == civil.None {
			return nil, 0, "it gives no dates"
		}
		if b.span.First == civil.Min {
			return nil, 0, "it has no first date to count from; `from` gives it one"
		}
	}
	for _, c := range r.candidates() {
		c.Interval = max(c.Interval, 1) * r.Every
		c.WeekStart = civil.Monday
		if r.Unit == civil.Week && r.Every > 1 {
			c.WeekStart = r.Frame.WeekStart
		}
		if b.span.Last < civil.Max {
			c.Until, c.UntilDate = &DateTime{b.span.Last, 86399}, true
			if r.MaxDates > 0 && r.BackFrom == civil.None {
				c.Until, c.UntilDate, c.Count = nil, false, r.MaxDates
			}
		}
		if r.sameDates(c, start, b) {
			return c, start, ""
		}
	}
	if len(r.Items) > 1 {
		return nil, 0, "one RFC 5545 rule can't express these days together"
	}
	return nil, 0, "no RFC 5545 rule gives exactly these dates"
}

// sameDates compares the nominal dates with those of an RFC 5545 rule over 400
// years, or over all of a rule that ends sooner.
func (r *Rule) sameDates(c *RRule, start civil.Date, b bounds) bool {
	rule, err := c.Rule(start)
	if err != nil {
		return false
	}
	rule.Prepare()
	from := start
	if from == civil.None {
		from, _ = civil.NewDate(2000, 1, 1)
	}
	span := civil.Span{First: from, Last: from}.Widen(0, gregorianCycleDays)
	next, stop := iter.Pull(rule.All(span))
	defer stop()
	for d := range r.nominalDates(b, civil.Span{First: span.First, Last: min(span.Last, b.span.Last)}) {
		if other, ok := next(); !ok || other.Date != d.Date {
			return false
		}
	}
	_, more := next()
	return !more
}

// candidates are the RFC 5545 rules that may say the list of days.
func (r *Rule) candidates() []*RRule {
	var in []int
	for m := 1; m <= 12; m++ {
		if r.Months>>m&1 == 1 {
			in = append(in, m)
		}
	}
	switch r.Unit {
	case civil.Day:
		return []*RRule{{Freq: Daily, ByMonth: in}}
	case civil.Week:
		c := &RRule{Freq: Weekly, ByMonth: in}
		for _, it := range r.Items {
			for w := it.Weekday; ; w = w%7 + 1 {
				c.ByDay = append(c.ByDay, ByDay{Weekday: w})
				if it.WeekdayTo == 0 || w == it.WeekdayTo {
					break
				}
			}
		}
		return []*RRule{c}
	case civil.Month:
		return r.monthly(RRule{Freq: Monthly, ByMonth: in}, r.Items)
	case civil.Year:
		return r.yearly(in)
	}
	return r.byMonths(in)
}

// byMonths proposes rules for quarters, half-years and fiscal periods: the months of the items,
// in each.
func (r *Rule) byMonths(in []int) []*RRule {
	first := 1 // month of a fiscal year's start
	if r.Unit > civil.Year {
		// its last day is one that RFC 5545 knows
		if end := r.Frame.YearEnd; r.Unit == civil.FiscalYear && r.Frame.IsWeekBased() && end.Day == 0 {
			return []*RRule{{Freq: Yearly, ByMonth: []int{end.Month}, ByDay: []ByDay{{-1, end.Weekday}}}}
		}
		if r.Frame.IsWeekBased() || r.Frame.FiscalDay > 1 {
			return nil
		}
		first = r.Frame.FiscalMonth
	}
	size := map[civil.Unit]int{civil.Quarter: 3, civil.Half: 6, civil.FiscalMonth: 1, civil.FiscalQuarter: 3,
		civil.FiscalYear: 12}[r.Unit]
	items := slices.Clone(r.Items)
	month := 0
	for i := range items {
		at := items[i].Month
		if at == 0 { // of the whole period: its first month, or from the end its last
			at = 1
			if items[i].N < 0 {
				at = size
			}
		}
		if month != 0 && month != at {
			return nil
		}
		month = at
		items[i].Month = 0
	}
	if r.Every > 1 || in != nil || size == 1 {
		return r.monthly(RRule{Freq: Monthly, Interval: size, ByMonth: in}, items)
	}
	for m := month; m <= 12; m += size {
		in = append(in, (m+first-2)%12+1)
	}
	slices.Sort(in)
	return r.monthly(RRule{Freq: Yearly, ByMonth: in}, items)
}

// monthly adds the days of months to a rule in the ways that RFC 5545 has.
func (r *Rule) monthly(c RRule, items []Item) []*RRule {
	clamped := 0
	for _, it := range items {
		switch it.Kind {
		case DayNumber:
			for n := it.N; n <= max(it.N, it.To) && (n == it.N || it.To != 0); n++ {
				c.ByMonthDay = append(c.ByMonthDay, n)
				if n > 28 && !r.SkipShort {
					clamped++
				}
			}
		case EveryWeekday:
			c.ByDay = append(c.ByDay, ByDay{Weekday: it.Weekday})
		case NthWeekday:
			c.ByDay = append(c.ByDay, ByDay{it.N, it.Weekday})
		}
	}
	if c.ByMonthDay != nil && c.ByDay != nil {
		return nil // together they would limit each other
	}
	if clamped == 0 {
		return []*RRule{&c}
	}
	// A day that may be missing is the last of those up to it; or RFC 7529 says
	// so in its own words.
	var list []*RRule
	if slices.Max(c.ByMonthDay) == 31 && clamped == 1 {
		end := c
		end.ByMonthDay = slices.Clone(c.ByMonthDay)
		end.ByMonthDay[slices.Index(end.ByMonthDay, 31)] = -1
		list = append(list, &end)
	}
	if clamped == 1 && len(c.ByMonthDay) == 1 {
		set := c
		set.ByMonthDay, set.BySetPos = nil, []int{-1}
		for n := 28; n <= c.ByMonthDay[0]; n++ {
			set.ByMonthDay = append(set.ByMonthDay, n)
		}
		list = append(list, &set)
	}
	skip := c
	skip.Skip = SkipBackward
	return append(list, &skip)
}

func (r *Rule) yearly(in []int) []*RRule {
	c := RRule{Freq: Yearly, ByMonth: in}
	var months []int
	whole := true // items of the whole year
	for _, it := range r.Items {
		whole = whole && it.Month == 0
		if it.Month != 0 && !slices.Contains(months, it.Month) {
			months = append(months, it.Month)
		}
	}
	if whole {
		for _, it := range r.Items {
			switch it.Kind {
			case DayNumber:
				c.ByYearDay = append(c.ByYearDay, it.N)
			case NthWeekday:
				c.ByDay = append(c.ByDay, ByDay{it.N, it.Weekday})
			case WeekOfYear:
				c.ByWeekNo = append(c.ByWeekNo, it.N)
				if !slices.Contains(c.ByDay, ByDay{Weekday: it.Weekday}) {
					c.ByDay = append(c.ByDay, ByDay{Weekday: it.Weekday})
				}
			}
		}
		skip := c
		skip.Skip = SkipBackward
		return []*RRule{&c, &skip}
	}
	if in != nil {
		return nil
	}
	slices.Sort(months)
	c.ByMonth = months
	// Each month must have the same days; what is written twice counts once.
	var items []Item
	for _, it := range r.Items {
		it.Month = 0
		if !slices.Contains(items, it) {
			items = append(items, it)
		}
	}
	list := r.monthly(c, items)
	for _, k := range list { // 29 feb in common years is the month's last
		if len(k.ByMonthDay) == 1 && k.ByMonthDay[0] > 28 {
			end := *k
			end.ByMonthDay, end.Skip, end.BySetPos = []int{-1}, SkipOmit, nil
			list = append(list, &end)
			break
		}
	}
	return list
}
