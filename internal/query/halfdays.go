package query

import (
	"errors"
	"slices"
	"strings"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
)

// errHalfFound ends a look for the first half.
var errHalfFound = errors.New("half a day")

// hasHalves reports whether a range of the table starts or ends at half a day, so that its days have
// a part that counts.
func (q *spreadQuery) hasHalves(j *ask.Job, window civil.Span) (found bool, err error) {
	phrases := strings.ToLower(strings.Join(slices.Concat([]string{q.start, q.end}, j.RecordColumns, j.Running), "\n"))
	timed := strings.Contains(phrases, "at ") || strings.Contains(phrases, "12:00")
	err = j.Probe(func(p *ask.Job) error {
		if may, err := p.MayHoldHalves(); err != nil || !may && !timed {
			return err
		}
		t, err := p.OpenTable()
		if err != nil {
			return err
		}
		p.FilterOwn(t)
		ranges, err := newRanges(p, t, q.start, q.end, q.openThrough, window)
		if err != nil {
			return err
		}
		t.MuteAll()
		if err := p.PrepareRead(nil); err != nil {
			return err
		}
		err = p.Scan(t, func(_ int, row []eval.Value) error {
			e, ok, err := ranges.rangeOf(0, row)
			if ok && err == nil && e.HasHalf() {
				return errHalfFound
			}
			return nil
		})
		if found = errors.Is(err, errHalfFound); found {
			return nil
		}
		return err
	})
	return found, err
}
