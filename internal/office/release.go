package office

import (
	"errors"
	"fmt"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/plan"
)

// Release works out what a release through a day fixes; Put writes it.
func Release(p *plan.Plan, window, through string, as plan.Releasing, tell Tell) (r *Released, err error) {
	w, err := New(p, Asked{Window: window}, tell)
	if err != nil {
		return nil, err
	}
	as.Window = w.Span
	if as.Through, err = eval.DateOf(through, p.Env); err != nil {
		return nil, rows.In("through", err)
	}
	if w.Span == civil.Always || !w.Span.Has(as.Through) {
		return nil, &rows.OptionError{Option: "through", Is: true, Err: fmt.Errorf("is a day of the window, %s to %s, and %s isn't", w.Span.First, w.Span.Last, as.Through)}
	}
	if err := p.KeepReleased(); err != nil {
		return nil, err
	}
	r = &Released{plan: p}
	r.data, r.Changes, r.same, err = p.Release(as)
	var provisional *plan.ProvisionalError
	if errors.As(err, &provisional) {
		err = &No{Text: err.Error()}
	}
	return r, err
}

// Released is what a release changes.
type Released struct {
	Changes []schedule.Held
	plan    *plan.Plan
	data    []byte // of the file; nil where nothing changes
	same    int
}

// Put writes the released dates, whole or not at all.
func (r *Released) Put() error {
	if r.data == nil {
		return nil
	}
	return r.plan.WriteReleased(r.data)
}

// String counts what became of the dates.
func (r *Released) String() string {
	count := map[string]int{}
	for _, h := range r.Changes {
		count[h.Change()]++
	}
	return fmt.Sprintf("%d released, %d moved, %d gone, %d as they were released.", count["released"], count["moved"]+count["renamed"], count["gone"], r.same)
}
