package rows

import (
	"fmt"
	"slices"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/workdays"
)

// Spread cuts ranges into one row per day or per period.
type Spread struct {
	Window   civil.Span
	By       civil.Periods // nil: days
	Working  bool          // keeps working days alone
	Calendar *workdays.Calendar
}

// Columns returns the columns that are added.
func (s *Spread) Columns() []string {
	if s.By == nil {
		return []string{"day"}
	}
	return []string{"period", "first_day", "last_day", "days", "working_days"}
}

// Pieces calls put with the cells for each piece of a range inside the window.
func (s *Spread) Pieces(r civil.Span, put func([]eval.Value) error) error {
	r = civil.Span{First: max(r.First, s.Window.First), Last: min(r.Last, s.Window.Last)}
	if r.First > r.Last {
		return nil
	}
	if s.By != nil || s.Working {
		s.Calendar.Ask(r.First, r.Last)
	}
	if s.By == nil {
		for d := r.First; d <= r.Last; d++ {
			if s.Working && !s.Calendar.Open(d) {
				continue
			}
			if err := put([]eval.Value{eval.Day(d)}); err != nil {
				return err
			}
		}
		return nil
	}
	for p, err := range s.By(r) {
		if err != nil {
			return err
		}
		piece := civil.Span{First: max(p.First, r.First), Last: min(p.Last, r.Last)}
		if piece.First > piece.Last {
			continue
		}
		worked := s.Calendar.Count(piece)
		if s.Working && worked == 0 {
			continue
		}
		if err := put([]eval.Value{eval.Str(p.Name), eval.Day(piece.First), eval.Day(piece.Last), eval.Int(piece.Len()), eval.Int(worked)}); err != nil {
			return err
		}
	}
	return nil
}

// Held is a row with its range and whose it is.
type Held struct {
	civil.Span
	Who  string
	Line int
	Row  []eval.Value
}

// Overlaps finds two ranges of one person that overlap; ok is false when none
// do.
func Overlaps(list []Held) (a, b Held, ok bool) {
	sorted := slices.Clone(list)
	slices.SortStableFunc(sorted, byPerson)
	for i := 1; i < len(sorted); i++ {
		if sorted[i].Who == sorted[i-1].Who && sorted[i].First <= sorted[i-1].Last {
			return sorted[i-1], sorted[i], true
		}
	}
	return a, b, false
}

func byPerson(a, b Held) int {
	switch {
	case a.Who != b.Who:
		if a.Who < b.Who {
			return -1
		}
		return 1
	case a.First != b.First:
		return int(a.First - b.First)
	}
	return int(a.Last - b.Last)
}

// Merge joins the overlapping ranges of each person; the row of the first
// stays, in the order in which those came.
func Merge(list []Held) []Held {
	sorted := slices.Clone(list)
	slices.SortStableFunc(sorted, byPerson)
	var merged []Held
	for _, h := range sorted {
		if n := len(merged); n > 0 && merged[n-1].Who == h.Who && h.First <= merged[n-1].Last {
			last := &merged[n-1]
			last.Last = max(last.Last, h.Last)
			if h.Line < last.Line {
				last.Line, last.Row = h.Line, h.Row
			}
			continue
		}
		merged = append(merged, h)
	}
	slices.SortStableFunc(merged, func(a, b Held) int { return a.Line - b.Line })
	return merged
}

// Range takes the two ends of a range from cells; a blank end is open and runs
// through a day. blank is true where the start is blank.
func Range(start, end eval.Value, through civil.Date) (s civil.Span, blank bool, err error) {
	a, ok := eval.DayOf(start)
	if start.Kind == eval.Blank {
		return s, true, nil
	}
	if !ok {
		return s, false, fmt.Errorf("the start is a date, and this is %q", start)
	}
	s = civil.Span{First: a.Day, Last: through}
	if end.Kind == eval.Blank {
		if s.Last < s.First { // it has not begun yet
			return s, true, nil
		}
		return s, false, nil
	}
	b, ok := eval.DayOf(end)
	if !ok {
		return s, false, fmt.Errorf("the end is a date, and this is %q", end)
	}
	s.Last = b.Day
	if s.Last < s.First {
		return s, false, fmt.Errorf("the range ends on %s, before it starts on %s", s.Last, s.First)
	}
	return s, false, nil
}
