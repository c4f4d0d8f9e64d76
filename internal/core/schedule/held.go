package schedule

import (
	"sync"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
)

// age is that of what was made: how many days by hand were set by then.
type age struct{ hands int64 }

// past reports whether days were set since it was asked last, of a series or of one that
// it may look into.
func (a *age) past(m *eval.Memory) bool {
	if m == nil {
		return false
	}
	was := a.hands
	a.hands = m.Hands.Load()
	return a.hands != was
}

// held are the occurrences of a series in a stretch of days, in order.
type held struct {
	sync.Mutex
	span civil.Span // empty at first
	list []*Occurrence
	age
}

// mostHeld is for how many days occurrences are held, mostHung with how many milestones each,
// mostOfAll how many of all series that share their memory: those of more series are made each
// time they are asked for.
const (
	mostHeld  = 20 * 366
	mostHung  = 1000
	mostOfAll = 50_000
)

// forget empties the cache.
func (h *held) forget(m *eval.Memory) {
	h.Lock()
	defer h.Unlock()
	h.hold(m, civil.Span{}, nil)
}

// hold takes a list in place of what is held, if there is room for it.
func (h *held) hold(m *eval.Memory, span civil.Span, list []*Occurrence) {
	more := int64(len(list) - len(h.list))
	if m != nil && m.Held.Add(more) > mostOfAll && more > 0 {
		m.Held.Add(-more)
		return
	}
	h.span, h.list = span, list
}

// reach gives the occurrences of a window, and perhaps others around it. What comes before
// an error is given with it.
func (h *held) reach(s *Series, window civil.Span) (list []*Occurrence, err error) {
	if h.Lock(); h.past(s.memory) {
		h.hold(s.memory, civil.Span{}, nil)
	}
	if h.list != nil && h.span.Has(window.First) && h.span.Has(window.Last) {
		defer h.Unlock()
		return h.list, nil
	}
	h.Unlock()
	list = []*Occurrence{}
	for o, err := range s.occurrences(window) {
		if err != nil {
			return list, err
		}
		list = append(list, o)
	}
	h.Lock()
	defer h.Unlock()
	if h.list == nil || window.Len() > h.span.Len() {
		h.hold(s.memory, window, list)
	}
	return list, nil
}
