package schedule

import (
	"cmp"
	"fmt"
	"slices"
	"sort"
	"sync"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/workdays"
)

// milestoneIndex holds, for a stretch of days, the dates whose milestone falls on each, in
// the order of the milestones.
type milestoneIndex struct {
	sync.Mutex
	s         *Series
	milestone int                               // the milestone
	uncovered map[civil.Date]workdays.Uncovered // by date, where a calendar was asked in vain
	span      civil.Span                        // of milestones, that were made; empty at first
	list      []milestoneDay
	err       error
	generation
}

// milestoneDay is a milestone's day with the date that it belongs to.
type milestoneDay struct{ day, date civil.Date }

// ByMilestone implements eval.Series: the date of the occurrence whose milestone is the nearest one
// after or before a day. Blank milestones are passed over; of equal ones the earlier date
// is the one after, the later the one before.
func (s *Series) ByMilestone(milestone string) (lookup eval.DateLookup, known []string, err error) {
	at := -1
	for i, m := range s.Milestones {
		known = append(known, m.Name)
		if phrase.NamesEqual(m.Name, milestone) {
			at = i
		}
	}
	if at < 0 {
		return nil, known, nil
	}
	for _, from := range s.Milestones[at].Program.Sources() {
		for _, chain := range from.Chains {
			for i := range chain.Steps {
				if phrase.RowsOnlyReason(chain.Steps[i].Node) != "" {
					return nil, known, fmt.Errorf("the milestone `%s` has a step without a limit, %s, so it can't be searched for",
						s.Milestones[at].Name, chain.Steps[i].Text)
				}
			}
		}
	}
	return &milestoneIndex{s: s, milestone: at, uncovered: map[civil.Date]workdays.Uncovered{}}, known, nil
}

// lock locks, and forgets what no longer holds.
func (m *milestoneIndex) lock() {
	if m.Lock(); m.isStale(m.s.cache) {
		m.span, m.list, m.err = civil.Span{}, nil, nil
		clear(m.uncovered)
	}
}

// After implements eval.DateLookup.
func (m *milestoneIndex) After(d civil.Date, on bool) (civil.Date, bool) {
	if !on {
		d++
	}
	m.lock()
	defer m.Unlock()
	i, ok := m.indexFrom(d)
	if !ok {
		return civil.None, false
	}
	return m.list[i].date, true
}

// Before implements eval.DateLookup.
func (m *milestoneIndex) Before(d civil.Date, on bool) (civil.Date, bool) {
	if on {
		d++
	}
	m.lock()
	defer m.Unlock()
	i, _ := m.indexFrom(d)
	if i == 0 || m.err != nil {
		return civil.None, false
	}
	return m.list[i-1].date, true
}

// UncoveredAt implements eval.DateLookup.
func (m *milestoneIndex) UncoveredAt(d civil.Date) workdays.Uncovered {
	m.Lock()
	defer m.Unlock()
	return m.uncovered[d]
}

// load makes the milestones of a stretch too.
func (m *milestoneIndex) load(span civil.Span) {
	run := func(part civil.Span) (list []milestoneDay) {
		for o, err := range m.s.Occurrences(part.Widen(m.s.milestoneReach())) {
			if err != nil {
				m.err = err
				return list
			}
			if v := o.Milestone(m.milestone); v.Kind != eval.Blank && part.Contains(v.Day) {
				if list = append(list, milestoneDay{v.Day, o.MovedTo}); o.AnyUncovered.IsSet() {
					m.uncovered[o.MovedTo] = o.AnyUncovered
				}
			}
		}
		slices.SortFunc(list, func(a, b milestoneDay) int { return cmp.Or(cmp.Compare(a.day, b.day), cmp.Compare(a.date, b.date)) })
		return list
	}
	switch {
	case m.span == civil.Span{}:
		m.span, m.list = span, run(span)
		return
	case span.First < m.span.First:
		m.list = append(run(civil.Span{First: span.First, Last: m.span.First - 1}), m.list...)
		m.span.First = span.First
	}
	if span.Last > m.span.Last {
		m.list = append(m.list, run(civil.Span{First: m.span.Last + 1, Last: span.Last})...)
		m.span.Last = span.Last
	}
}

// indexFrom returns the place of the first milestone on or after d, making those around it.
func (m *milestoneIndex) indexFrom(d civil.Date) (i int, ok bool) {
	back, forth := m.s.milestoneReach()
	before, after := m.s.stepReach()
	all := m.s.span().Widen(back+before, forth+after)
	all.First, all.Last = max(all.First, civil.Min), min(all.Last, civil.Max)
	if m.span == (civil.Span{}) {
		m.load(civil.Span{First: d, Last: d}.Widen(initialCacheDays, initialCacheDays))
	}
	for more := initialCacheDays; ; more *= 2 {
		i = sort.Search(len(m.list), func(i int) bool { return m.list[i].day >= d })
		switch {
		case m.err != nil:
			return 0, false
		case i == 0 && m.span.First > all.First:
			m.load(civil.Span{First: min(d, m.span.First), Last: m.span.Last}.Widen(more, 0))
		case i == len(m.list) && m.span.Last < all.Last:
			m.load(civil.Span{First: m.span.First, Last: max(d, m.span.Last)}.Widen(0, more))
		default:
			return i, i < len(m.list)
		}
	}
}
