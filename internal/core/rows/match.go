package rows

import (
	"fmt"
	"slices"
	"sort"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
)

// KeySeparator stands between the parts of a key of several columns; no text has it.
const KeySeparator = "\x00"

// keyText is a key as a message has it.
func keyText(key string) string { return eval.Truncate(strings.ReplaceAll(key, KeySeparator, ", ")) }

// MultiMatch says what is done where several ranges hold a day or number.
type MultiMatch uint8

// The ways.
const (
	MultiError MultiMatch = iota
	MultiFirst
	MultiAll
)

// resolve takes what is wanted of the rows found for a key and a day or number; "" for none.
func (s MultiMatch) resolve(found []KeyedRange, at, key string) ([]KeyedRange, error) {
	if len(found) < 2 {
		return found, nil
	}
	switch s {
	case MultiError:
		if key != "" {
			key = strings.TrimSuffix(fmt.Sprintf("%q on %s", keyText(key), at), " on ")
			at = ""
		}
		return nil, fmt.Errorf("two rows hold %s%s, those in lines %d and %d; use --several first or all", key, at,
			found[0].Line, found[1].Line)
	case MultiFirst:
		return found[:1], nil
	}
	return found, nil
}

// Ranges finds the ranges that hold a day, by key.
type Ranges struct {
	byKey  map[string][]KeyedRange
	maxEnd map[string][]civil.Date // greatest last day of the ranges so far
}

// NewRanges sorts ranges for finding. Where they are chained, each runs to the day
// before the next start of its key, and two equal starts are an error.
func NewRanges(list []KeyedRange, chained bool) (*Ranges, error) {
	r := &Ranges{byKey: map[string][]KeyedRange{}, maxEnd: map[string][]civil.Date{}}
	for _, h := range list {
		r.byKey[h.Key] = append(r.byKey[h.Key], h)
	}
	for key, hs := range r.byKey {
		slices.SortStableFunc(hs, func(a, b KeyedRange) int { return int(a.First - b.First) })
		most := civil.None
		for i := range hs {
			if chained && i+1 < len(hs) {
				if hs[i].First == hs[i+1].First {
					return nil, duplicateStartError(key, hs[i].First.String(), hs[i].Line, hs[i+1].Line)
				}
				hs[i].Last = min(hs[i].Last, hs[i+1].First-1)
			}
			most = max(most, hs[i].Last)
			r.maxEnd[key] = append(r.maxEnd[key], most)
		}
	}
	return r, nil
}

// duplicateStartError is the error of two ranges without ends that begin alike.
func duplicateStartError(key, at string, a, b int) error {
	if key != "" {
		key = fmt.Sprintf(" of %q", keyText(key))
	}
	return fmt.Errorf("the ranges in lines %d and %d%s both start at %s, so their ends are unclear", a,
		b, key, at)
}

// Lookup returns the ranges of a key that hold a day, those that start first in
// front, in room.
func (r *Ranges) Lookup(key string, d civil.Date, several MultiMatch, room []KeyedRange) (found []KeyedRange, err error) {
	hs, upTo := r.byKey[key], r.maxEnd[key]
	found = room[:0]
	// The last range that starts on or before d; those before it may hold d as
	// long as one of them reaches so far.
	for i := sort.Search(len(hs), func(i int) bool { return hs[i].First > d }) - 1; i >= 0 && upTo[i] >= d; i-- {
		if hs[i].Last >= d {
			found = append(found, hs[i])
		}
	}
	slices.Reverse(found)
	if len(found) < 2 {
		return found, nil
	}
	return several.resolve(found, d.String(), key)
}

// Band is a range of numbers: its start belongs to it, its end, a blank if it has
// none, doesn't.
type Band struct {
	From, To eval.Value
	KeyedRange
}

// Bands finds the ranges that hold a number, by key.
type Bands map[string][]Band

// NewBands sorts ranges for finding. Where they are chained, each runs to the next start
// of its key.
func NewBands(list []Band, chained bool) (Bands, error) {
	b := Bands{}
	for _, h := range list {
		b[h.Key] = append(b[h.Key], h)
	}
	for key, hs := range b {
		slices.SortStableFunc(hs, func(a, b Band) int { return eval.CompareCells(a.From, b.From) })
		for i := 0; chained && i+1 < len(hs); i++ {
			if eval.CompareCells(hs[i].From, hs[i+1].From) == 0 {
				return nil, duplicateStartError(key, hs[i].From.String(), hs[i].Line, hs[i+1].Line)
			}
			hs[i].To = hs[i+1].From
		}
	}
	return b, nil
}

// Lookup returns the ranges of a key that hold a number, those that start first in front,
// in room.
func (b Bands) Lookup(key string, v eval.Value, several MultiMatch, room []KeyedRange) (found []KeyedRange, err error) {
	hs := b[key]
	found = room[:0]
	n := sort.Search(len(hs), func(i int) bool { return eval.CompareCells(hs[i].From, v) > 0 })
	for _, h := range hs[:n] {
		if h.To.Kind == eval.Blank || eval.CompareCells(v, h.To) < 0 {
			found = append(found, h.KeyedRange)
		}
	}
	if len(found) < 2 {
		return found, nil
	}
	return several.resolve(found, v.String(), key)
}

// ByKey finds rows by their key alone.
type ByKey map[string][]KeyedRange

// Lookup returns the rows of a key.
func (b ByKey) Lookup(key string, several MultiMatch) ([]KeyedRange, error) {
	return several.resolve(b[key], "", key)
}

// ParseNumberCell is a cell as a number; ok is false if it is neither one nor blank.
func ParseNumberCell(v eval.Value) (n eval.Value, ok bool) {
	if v.Kind == eval.Text {
		if v = eval.LiteralNumber(strings.TrimSpace(v.Text)); v.Kind == eval.Text && strings.TrimSpace(v.Text) == "" {
			v = eval.Value{}
		}
	}
	return v, v.Kind == eval.Number || v.Kind == eval.Blank
}
