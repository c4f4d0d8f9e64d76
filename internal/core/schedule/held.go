package schedule

import (
	"sync"
	"sync/atomic"

	"yoyaku/internal/core/civil"
)

// handsSet counts the days by hand that were set, of any series: they look into each
// other, so what was made of one may not hold when a day of another is set.
var handsSet atomic.Int64

// age is that of what was made: how many days by hand were set by then.
type age struct{ hands int64 }

// past reports whether days were set since it was asked last.
func (a *age) past() bool {
	was := a.hands
	a.hands = handsSet.Load()
	return a.hands != was
}

// held are the occurrences of a series in a stretch of days, in order.
type held struct {
	sync.Mutex
	span civil.Span // empty at first
	list []*Occurrence
	age
}

// mostHeld is for how many days occurrences are held.
const mostHeld = 20 * 366

// forget forgets what is held.
func (h *held) forget() {
	h.Lock()
	defer h.Unlock()
	h.span, h.list = civil.Span{}, nil
}

// reach gives the occurrences of a window, and perhaps others around it. What comes before
// an error is given with it.
func (h *held) reach(s *Series, window civil.Span) (list []*Occurrence, err error) {
	if h.Lock(); h.past() {
		h.span, h.list = civil.Span{}, nil
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
		h.span, h.list = window, list
	}
	return list, nil
}
