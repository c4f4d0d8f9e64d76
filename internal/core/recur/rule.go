// Package recur is the one engine for recurrences: a rule names days inside
// the periods of a cadence, and the engine yields them in order, lazily.
package recur

import (
	"slices"
	"sync"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/workdays"
)

// ItemKind is a way to name days inside a period.
type ItemKind uint8

// The kinds of items.
const (
	DayNumber         ItemKind = iota // the Nth day, or N to To; counted from the end below zero
	EveryWeekday                      // each such weekday, or each from Weekday to WeekdayTo
	NthWeekday                        // the Nth such weekday
	NthWorking                        // the Nth working day
	MiddleDay                         // first day + ⌊(length − 1)/2⌋
	EasterDay                         // Easter Sunday of the period's year
	OrthodoxEasterDay                 // the same by the Julian computus
	WeekOfYear                        // a weekday of ISO week N of the period's year
)

// Item is one entry of a rule's list of days; it is complete in itself.
type Item struct {
	Kind      ItemKind
	N, To     int // To: last of a range of numbers, else 0
	Weekday   civil.Weekday
	WeekdayTo civil.Weekday // last of a range, else 0
	Month     int           // month of the period, 1 its first; 0 for the whole period
}

// isMultiple reports whether the item can give more than one date in a period.
func (it Item) isMultiple() bool {
	return it.To != 0 || it.WeekdayTo != 0 || it.Kind == EveryWeekday && it.N != 1
}

// Rule is a recurrence. Fill in the fields, then call Prepare.
type Rule struct {
	Unit    civil.Unit // Day to Year, or one of the fiscal ones
	Working bool       // Unit Day: counts working days
	Every   int        // every Nth period, 1 or more
	Items   []Item
	Months  uint16 // bit m set: month m is in; 0: all are
	// From, Until bound the nominal dates, both included; BackFrom is the last date
	// of a schedule counted backwards. None if absent.
	From, Until, BackFrom civil.Date
	MaxDates              int // at most so many dates; 0: no limit
	Exclude               []civil.Span
	ExcludeClosed         bool // leaves out what the calendar closes
	// ExcludeFunc leaves out days besides; nil for none.
	ExcludeFunc func(civil.Date) bool
	Include     []civil.Date
	Labels      []string // by which the items' dates are known
	SkipShort   bool     // a numbered day that a month lacks gives no date
	Frame       civil.FiscalCalendar
	Calendar    *workdays.Calendar

	parts          *byParts // of an RFC 5545 rule, instead of Items
	listed         bool     // the dates are Plus alone
	mayLeavePeriod bool     // items may lie outside their period
	numberedOnly   bool     // items are numbered days of the month, which is quick
	itemsInOrder   bool     // and in every month they come in their order, which is quicker
	boundsOnce     func() bounds
}

// bounds is what From, Until, BackFrom and MaxDates come to.
type bounds struct {
	span  civil.Span // nominal dates lie in here; empty when Last < First
	phase int        // number of period 0
	first civil.Date // working-day cadences: date 0
}

// Date is one nominal date of a rule and its place.
type Date struct {
	Date    civil.Date
	Period  civil.Date // first day of its period
	Item    int16      // place in the rule's list from 0; -1: known by its date
	SubItem int16      // place among the item's dates from 1
}

// Dates makes the rule of dates written out one by one.
func Dates(days []civil.Date) *Rule {
	r := &Rule{Include: days, listed: true, Every: 1, Frame: civil.DefaultFiscalCalendar}
	r.Prepare()
	return r
}

// Prepare sorts and checks what the engine needs; call it once.
func (r *Rule) Prepare() {
	if r.parts == nil {
		r.setDefaultItems()
	}
	r.Exclude, r.Include = mergeSpans(r.Exclude), slices.Clone(r.Include)
	slices.Sort(r.Include)
	r.Include = slices.Compact(r.Include)
	r.mayLeavePeriod = r.parts != nil && r.parts.mayLeavePeriod()
	r.numberedOnly = r.Unit == civil.Month && !r.SkipShort
	for _, it := range r.Items {
		r.mayLeavePeriod = r.mayLeavePeriod || it.Kind == WeekOfYear
		r.numberedOnly = r.numberedOnly && it.Kind == DayNumber && it.To == 0 && it.Month == 0
	}
	r.itemsInOrder = r.numberedOnly && r.parts == nil
	for length := civil.Date(28); length <= 31; length++ {
		before := civil.Date(-1)
		for _, it := range r.Items {
			day, _ := NumberedDay(civil.Span{First: 0, Last: length - 1}, it.N)
			r.itemsInOrder = r.itemsInOrder && day > before
			before = day
		}
	}
	r.boundsOnce = sync.OnceValue(r.resolveBounds)
}

// mergeSpans sorts stretches and joins those that overlap.
func mergeSpans(list []civil.Span) (all []civil.Span) {
	list = slices.Clone(list)
	slices.SortFunc(list, func(a, b civil.Span) int { return int(a.First - b.First) })
	for _, s := range list {
		if n := len(all); n > 0 && s.First <= all[n-1].Last {
			all[n-1].Last = max(all[n-1].Last, s.Last)
			continue
		}
		all = append(all, s)
	}
	return all
}

// setDefaultItems gives a rule without a list of days the one that its cadence stands for.
func (r *Rule) setDefaultItems() {
	if len(r.Items) == 0 && r.Unit == civil.Day {
		r.Items = []Item{{Kind: DayNumber, N: 1}}
	}
	if len(r.Items) == 0 {
		r.Items = []Item{r.anchorItem()}
	}
}

// anchorItem returns the day item of a rule without a list of days: the weekday or day number
// of BackFrom, else of From. A short month clamps the number for itself only.
func (r *Rule) anchorItem() Item {
	anchor := r.BackFrom
	if anchor == civil.None {
		anchor = r.From
	}
	if r.Unit == civil.Week {
		return Item{Kind: EveryWeekday, N: 1, Weekday: anchor.Weekday()}
	}
	y, m, day := anchor.YMD()
	p, _ := r.Frame.Period(r.Unit, r.Frame.PeriodIndex(r.Unit, anchor))
	if r.Unit > civil.Year {
		return Item{Kind: DayNumber, N: int(anchor-p.First) + 1}
	}
	py, pm, _ := p.First.YMD()
	return Item{Kind: DayNumber, N: day, Month: civil.MonthIndex(y, m) - civil.MonthIndex(py, pm) + 1}
}

func (r *Rule) resolveBounds() bounds {
	b := bounds{span: civil.AllDays}
	if r.listed {
		b.span = civil.Span{First: 1, Last: 0}
		return b
	}
	if r.From != civil.None {
		b.span.First = r.From
	}
	if r.Until != civil.None {
		b.span.Last = r.Until
	}
	if r.BackFrom != civil.None {
		b.span.Last = min(b.span.Last, r.BackFrom)
	}
	if !r.findPhase(&b) {
		b.span = civil.Span{First: 1, Last: 0}
		return b
	}
	if r.MaxDates > 0 {
		n := 0
		if r.BackFrom != civil.None {
			b.span.First = r.firstOfLast(b)
		} else {
			last := civil.None
			for d := range r.nominalDates(b, b.span) {
				last = d.Date
				if n++; n == r.MaxDates {
					break
				}
			}
			b.span.Last = last
		}
	}
	return b
}

// PeriodAt is the period of the cadence that holds d: so many units as there are from one
// date to the next.
func (r *Rule) PeriodAt(d civil.Date) civil.Span {
	if r.Working {
		return civil.Span{First: d, Last: d}
	}
	b := r.boundsOnce()
	i := r.Frame.PeriodIndex(r.Unit, d)
	if off := (i - b.phase) % r.Every; off > 0 {
		i -= off
	} else if off < 0 {
		i -= off + r.Every
	}
	first, _ := r.Frame.Period(r.Unit, i)
	last, _ := r.Frame.Period(r.Unit, i+r.Every-1)
	return civil.Span{First: first.First, Last: last.Last}
}

// findPhase finds period 0: the one that holds the first listed day on or after From, or the
// last on or before BackFrom. It reports false if there is none.
func (r *Rule) findPhase(b *bounds) (ok bool) {
	if r.Working {
		switch {
		case r.BackFrom != civil.None:
			b.first, ok = r.Calendar.OnOrBefore(r.BackFrom)
		case r.From != civil.None:
			b.first, ok = r.Calendar.OnOrAfter(r.From)
		default:
			b.first, ok = r.Calendar.OnOrAfter(civil.Min)
		}
		return ok
	}
	if r.Every == 1 {
		return true
	}
	if r.parts != nil { // RFC 5545 counts from the period of DTSTART
		b.phase = r.Frame.PeriodIndex(r.Unit, r.From)
		if r.Unit == civil.Year {
			b.phase = r.parts.yearOf(r.From)
		}
		return true
	}
	var buf []Date
	step, anchor := 1, r.From
	if r.BackFrom != civil.None {
		step, anchor = -1, r.BackFrom
	}
	at := r.Frame.PeriodIndex(r.Unit, anchor)
	for i := at - step; ; i += step {
		p, ok := r.Frame.Period(r.Unit, i)
		if !ok {
			if i == at-step {
				continue
			}
			return false
		}
		buf = r.appendPeriod(buf[:0], p)
		for _, d := range buf {
			if step > 0 && d.Date >= anchor || step < 0 && d.Date <= anchor && d.Date.Valid() {
				b.phase = i
				return true
			}
		}
	}
}

// firstOfLast finds the first of the last Times dates of b.
func (r *Rule) firstOfLast(b bounds) civil.Date {
	for width := r.MaxGap() * (r.MaxDates + 2); ; width *= 2 {
		s := civil.Span{First: b.span.Last, Last: b.span.Last}.Widen(width, 0)
		s.First = max(s.First, b.span.First)
		var all []civil.Date
		for d := range r.nominalDates(b, s) {
			all = append(all, d.Date)
		}
		if len(all) >= r.MaxDates {
			return all[len(all)-r.MaxDates]
		}
		if s.First == b.span.First {
			return s.First
		}
	}
}

// MaxGap bounds the days from one visited period to the next.
func (r *Rule) MaxGap() int {
	n := r.Unit.MaxDays() * max(r.Every, 1)
	if r.Working {
		n *= 4
	}
	return min(n, int(civil.Max))
}

// AppendID appends the identity of a date of the rule: its period and the item
// that gave it, 2027-03/last, with its place in an item that gives several; the
// period alone where the rule has no list; or its nominal date where that is who
// it is.
func (r *Rule) AppendID(b []byte, d Date) []byte {
	if d.Item < 0 {
		return d.Date.Append(b)
	}
	b = r.Frame.AppendName(b, r.Unit, d.Period)
	if len(r.Labels) == 0 {
		return b
	}
	b = append(append(b, '/'), r.Labels[d.Item]...)
	if r.Items[d.Item].isMultiple() {
		b = appendInt(append(b, '.'), int(d.SubItem))
	}
	return b
}

// EndsClamped reports whether Until is a date of the rule only because its month is too short for
// the day of From, on which the rule stands: 28 February 2027, every year from 29 February 2024.
func (r *Rule) EndsClamped() bool {
	months := r.Unit.Months() * r.Every
	if months == 0 || r.Unit > civil.Year || len(r.Labels) > 0 || r.parts != nil || r.listed || r.SkipShort || r.From == civil.None || r.Until <= r.From {
		return false
	}
	y, m, d := r.From.YMD()
	toYear, toMonth, toDay := r.Until.YMD()
	_, _, after := (r.Until + 1).YMD()
	return ((toYear-y)*12+toMonth-m)%months == 0 && toDay < d && after == 1
}
