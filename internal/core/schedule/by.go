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

// byMilestone holds, for a stretch of days, the dates whose milestone falls on each, in
// the order of the milestones.
type byMilestone struct {
	sync.Mutex
	s      *Series
	at     int                            // the milestone
	beyond map[civil.Date]workdays.Beyond // by date, where a calendar was asked in vain
	span   civil.Span                     // of milestones, that were made; empty at first
	list   []byDay
	err    error
	age
}

// byDay is a milestone's day with the date that it belongs to.
type byDay struct{ day, to civil.Date }

// By implements eval.Series: the date of the occurrence whose milestone is the nearest one
// after or before a day. Blank milestones are passed over; of equal ones the earlier date
// is the one after, the later the one before.
func (s *Series) By(milestone string) (by eval.Looked, known []string, err error) {
	at := -1
	for i, m := range s.Milestones {
		known = append(known, m.Name)
		if phrase.SameName(m.Name, milestone) {
			at = i
		}
	}
	if at < 0 {
		return nil, known, nil
	}
	for _, from := range s.Milestones[at].Prog.Sources() {
		for _, chain := range from.Chains {
			for i := range chain.Steps {
				if phrase.Alone(chain.Steps[i].Node) != "" {
					return nil, known, fmt.Errorf("the milestone `%s` has a step without a limit, %s, so it can't be searched for",
						s.Milestones[at].Name, chain.Steps[i].Text)
				}
			}
		}
	}
	return &byMilestone{s: s, at: at, beyond: map[civil.Date]workdays.Beyond{}}, known, nil
}

// lock locks, and forgets what no longer holds.
func (m *byMilestone) lock() {
	if m.Lock(); m.past(m.s.memory) {
		m.span, m.list, m.err = civil.Span{}, nil, nil
		clear(m.beyond)
	}
}

// After implements eval.Looked.
func (m *byMilestone) After(d civil.Date, on bool) (civil.Date, bool) {
	if !on {
		d++
	}
	m.lock()
	defer m.Unlock()
	i, ok := m.from(d)
	if !ok {
		return civil.None, false
	}
	return m.list[i].to, true
}

// Before implements eval.Looked.
func (m *byMilestone) Before(d civil.Date, on bool) (civil.Date, bool) {
	if on {
		d++
	}
	m.lock()
	defer m.Unlock()
	i, _ := m.from(d)
	if i == 0 || m.err != nil {
		return civil.None, false
	}
	return m.list[i-1].to, true
}

// Beyond implements eval.Looked.
func (m *byMilestone) Beyond(d civil.Date) workdays.Beyond {
	m.Lock()
	defer m.Unlock()
	return m.beyond[d]
}

// reach makes the milestones of a stretch too.
func (m *byMilestone) reach(span civil.Span) {
	run := func(part civil.Span) (list []byDay) {
		for o, err := range m.s.Occurrences(part.Widen(m.s.milestoneReach())) {
			if err != nil {
				m.err = err
				return list
			}
			if v := o.Milestone(m.at); v.Kind != eval.Blank && part.Has(v.Day) {
				if list = append(list, byDay{v.Day, o.To}); o.Asked.Is() {
					m.beyond[o.To] = o.Asked
				}
			}
		}
		slices.SortFunc(list, func(a, b byDay) int { return cmp.Or(cmp.Compare(a.day, b.day), cmp.Compare(a.to, b.to)) })
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

// from returns the place of the first milestone on or after d, making those around it.
func (m *byMilestone) from(d civil.Date) (i int, ok bool) {
	back, forth := m.s.milestoneReach()
	before, after := m.s.reach()
	all := m.s.span().Widen(back+before, forth+after)
	all.First, all.Last = max(all.First, civil.Min), min(all.Last, civil.Max)
	if m.span == (civil.Span{}) {
		m.reach(civil.Span{First: d, Last: d}.Widen(firstMade, firstMade))
	}
	for more := firstMade; ; more *= 2 {
		i = sort.Search(len(m.list), func(i int) bool { return m.list[i].day >= d })
		switch {
		case m.err != nil:
			return 0, false
		case i == 0 && m.span.First > all.First:
			m.reach(civil.Span{First: min(d, m.span.First), Last: m.span.Last}.Widen(more, 0))
		case i == len(m.list) && m.span.Last < all.Last:
			m.reach(civil.Span{First: m.span.First, Last: max(d, m.span.Last)}.Widen(0, more))
		default:
			return i, i < len(m.list)
		}
	}
}
