package rows

import (
	"fmt"
	"slices"
	"sort"

	"yoyaku/internal/core/civil"
)

// Several says what is done where several ranges hold a day.
type Several uint8

// The ways.
const (
	StopAtSeveral Several = iota
	FirstOfSeveral
	AllOfSeveral
)

// Ranges finds the ranges that hold a day, by key.
type Ranges struct {
	byKey map[string][]Held
	upTo  map[string][]civil.Date // greatest last day of the ranges so far
}

// NewRanges sorts ranges for finding.
func NewRanges(list []Held) *Ranges {
	r := &Ranges{byKey: map[string][]Held{}, upTo: map[string][]civil.Date{}}
	for _, h := range list {
		r.byKey[h.Who] = append(r.byKey[h.Who], h)
	}
	for key, hs := range r.byKey {
		slices.SortStableFunc(hs, func(a, b Held) int { return int(a.First - b.First) })
		most := civil.None
		for _, h := range hs {
			most = max(most, h.Last)
			r.upTo[key] = append(r.upTo[key], most)
		}
	}
	return r
}

// On returns the ranges of a key that hold a day, those that start first in
// front.
func (r *Ranges) On(key string, d civil.Date, several Several) (found []Held, err error) {
	hs, upTo := r.byKey[key], r.upTo[key]
	// The last range that starts on or before d; those before it may hold d as
	// long as one of them reaches so far.
	for i := sort.Search(len(hs), func(i int) bool { return hs[i].First > d }) - 1; i >= 0 && upTo[i] >= d; i-- {
		if hs[i].Last >= d {
			found = append(found, hs[i])
		}
	}
	slices.Reverse(found)
	if len(found) > 1 {
		switch several {
		case StopAtSeveral:
			return nil, fmt.Errorf("%s is held by the ranges at lines %d and %d of %q; --several first or all takes them", d, found[0].Line, found[1].Line, key)
		case FirstOfSeveral:
			found = found[:1]
		}
	}
	return found, nil
}
