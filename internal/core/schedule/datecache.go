package schedule

import (
	"errors"
	"slices"
	"sort"
	"sync"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/workdays"
)

// dateCache holds the moved dates of a series for a stretch of nominal dates, so
// that series that look into each other make each date once. Steps never change
// the order of two dates (see eval.Chain): whatever lies before a date that is
// held was moved no further than it.
type dateCache struct {
	sync.Mutex
	span  civil.Span   // nominal dates that were made; empty at first
	dates []cachedDate // in order
	err   error
	generation
}

type cachedDate struct {
	to        civil.Date
	uncovered workdays.Uncovered
}

// lock locks, and forgets what no longer holds.
func (m *dateCache) lock(of *eval.SeriesCache) {
	if m.Lock(); m.isStale(of) {
		m.span, m.dates, m.err = civil.Span{}, nil, nil
	}
}

// initialCacheDays is how far around a day dates are made first.
const initialCacheDays = 200

// load makes the dates of r from the first to the last day of span too.
func (m *dateCache) load(s *Series, span civil.Span) {
	run := func(part civil.Span) (list []cachedDate) {
		if !s.isSingleRule() {
			for d, err := range s.movedDates(part) {
				if err != nil && m.err == nil {
					m.err = err
				}
				list = append(list, cachedDate{d.MovedTo, d.Uncovered})
			}
			return list
		}
		r := s.Rules[0].Recurrence
		counts := r.UsesCalendar()
		for d := range r.Rule.All(part) {
			to, beyond, err := r.Chain.Run(d.Date, r.Row, nil)
			if err != nil && !errors.Is(err, eval.ErrRange) && m.err == nil {
				m.err = err
			}
			if to != civil.None && err == nil {
				list = append(list, cachedDate{to, uncoveredFor(r, counts, d.Date, beyond)})
			}
		}
		return list
	}
	switch {
	case m.dates == nil && m.span == civil.Span{}:
		m.span, m.dates = span, run(span)
	default:
		if span.First < m.span.First {
			m.dates = append(run(civil.Span{First: span.First, Last: m.span.First - 1}), m.dates...)
			m.span.First = span.First
		}
		if span.Last > m.span.Last {
			m.dates = append(m.dates, run(civil.Span{First: m.span.Last + 1, Last: span.Last})...)
			m.span.Last = span.Last
		}
	}
}

// cover makes the dates that lie in days, and none further on: where there are none, nothing is
// searched to the end of time.
func (m *dateCache) cover(s *Series, days civil.Span) {
	if s.isSingleRule() {
		back, forth := s.stepReach()
		days = days.Widen(forth, back)
	}
	if m.span == (civil.Span{}) {
		m.load(s, days.Widen(initialCacheDays, initialCacheDays))
		return
	}
	more, want := max(initialCacheDays, m.span.Len()), m.span
	if days.First < want.First {
		want = civil.Span{First: days.First, Last: want.Last}.Widen(more, 0)
	}
	if days.Last > want.Last {
		want = civil.Span{First: want.First, Last: days.Last}.Widen(0, more)
	}
	if want != m.span {
		m.load(s, want)
	}
}

// indexFrom returns the place of the first date on or after d, making dates until
// those around it are known; ok is false if there is none.
func (m *dateCache) indexFrom(s *Series, d civil.Date) (i int, ok bool) {
	all := s.span()
	if !s.isSingleRule() { // the days themselves are made, wherever the nominal ones lie
		back, forth := s.stepReach()
		if all = all.Widen(back, forth); s.overrides != nil {
			all = civil.Span{First: min(all.First, s.overrides.days.First), Last: max(all.Last, s.overrides.days.Last)}
		}
	}
	if m.dates == nil {
		m.load(s, civil.Span{First: d, Last: d}.Widen(initialCacheDays, initialCacheDays))
	}
	for more := initialCacheDays; ; more *= 2 { // a series that this one looks into has to go further still
		i = sort.Search(len(m.dates), func(i int) bool { return m.dates[i].to >= d })
		switch {
		case m.err != nil:
			return 0, false
		case i == 0 && m.span.First > all.First && m.span.First > civil.Min:
			m.load(s, civil.Span{First: min(d, m.span.First), Last: m.span.Last}.Widen(more, 0))
		case i == len(m.dates) && m.span.Last < all.Last:
			m.load(s, civil.Span{First: m.span.First, Last: max(d, m.span.Last)}.Widen(0, more))
		default:
			return i, i < len(m.dates)
		}
	}
}

// After implements eval.Series: the first moved date after d, or with on on or
// after it.
func (s *Series) After(d civil.Date, on bool) (civil.Date, bool) {
	if !on {
		d++
	}
	s.dateCache.lock(s.cache)
	defer s.dateCache.Unlock()
	i, ok := s.dateCache.indexFrom(s, d)
	if !ok {
		return civil.None, false
	}
	return s.dateCache.dates[i].to, true
}

// Before implements eval.Series: the last moved date before d, or with on on or
// before it.
func (s *Series) Before(d civil.Date, on bool) (last civil.Date, ok bool) {
	if on {
		d++
	}
	s.dateCache.lock(s.cache)
	defer s.dateCache.Unlock()
	i, _ := s.dateCache.indexFrom(s, d)
	if i == 0 || s.dateCache.err != nil {
		return civil.None, false
	}
	return s.dateCache.dates[i-1].to, true
}

// UncoveredAt implements eval.Series: the calendar that was asked beyond what it knows
// for the moved date d.
func (s *Series) UncoveredAt(d civil.Date) workdays.Uncovered {
	s.dateCache.Lock()
	defer s.dateCache.Unlock()
	i, ok := slices.BinarySearchFunc(s.dateCache.dates, d, func(m cachedDate, d civil.Date) int { return int(m.to - d) })
	if !ok {
		return workdays.Uncovered{}
	}
	return s.dateCache.dates[i].uncovered
}

// Count implements eval.Series: how many moved dates lie after a up to and including b.
func (s *Series) Count(a, b civil.Date) int {
	if b < a {
		return 0
	}
	s.dateCache.lock(s.cache)
	defer s.dateCache.Unlock()
	s.dateCache.cover(s, civil.Span{First: a + 1, Last: b})
	dates := s.dateCache.dates
	dates = dates[sort.Search(len(dates), func(i int) bool { return dates[i].to > a }):]
	if len(dates) == 0 || dates[0].to > b { // as most days have none
		return 0
	}
	return sort.Search(len(dates), func(i int) bool { return dates[i].to > b })
}
