package schedule

import (
	"sync"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
)

// generation is that of what was made: how many days by hand were set by then.
type generation struct{ overrides int64 }

// isStale reports whether an override was set since the last call, in any series that shares
// the cache, and updates the generation.
func (a *generation) isStale(m *eval.SeriesCache) bool {
	if m == nil {
		return false
	}
	was := a.overrides
	a.overrides = m.Overrides.Load()
	return a.overrides != was
}

// occurrenceCache are the occurrences of a series in a stretch of days, in order.
type occurrenceCache struct {
	sync.Mutex
	span civil.Span // empty at first
	list []*Occurrence
	generation
}

// maxCachedDays is for how many days occurrences are held, maxCachedMilestones with how many milestones each,
// maxCachedTotal how many of all series that share their memory: those of more series are made each
// time they are asked for.
const (
	maxCachedDays       = 20 * 366
	maxCachedMilestones = 1000
	maxCachedTotal      = 50_000
)

// empty empties the cache.
func (h *occurrenceCache) empty(m *eval.SeriesCache) {
	h.Lock()
	defer h.Unlock()
	h.store(m, civil.Span{}, nil)
}

// store takes a list in place of what is held, if there is room for it.
func (h *occurrenceCache) store(m *eval.SeriesCache, span civil.Span, list []*Occurrence) {
	more := int64(len(list) - len(h.list))
	if m != nil && m.Cached.Add(more) > maxCachedTotal && more > 0 {
		m.Cached.Add(-more)
		return
	}
	h.span, h.list = span, list
}

// load gives the occurrences of a window, and perhaps others around it. What comes before
// an error is given with it.
func (h *occurrenceCache) load(s *Series, window civil.Span) (list []*Occurrence, err error) {
	if h.Lock(); h.isStale(s.cache) {
		h.store(s.cache, civil.Span{}, nil)
	}
	if h.list != nil && h.span.Contains(window.First) && h.span.Contains(window.Last) {
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
		h.store(s.cache, window, list)
	}
	return list, nil
}
