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
	Window       civil.Span
	By           civil.Periods      // nil: days
	WorkdaysOnly bool               // keeps working days alone
	Share        *Proration         // splits an amount over all pieces of a range; nil for none
	Calendar     *workdays.Calendar // nil if a row names none: its working days are blank
	ShowCounted  bool               // adds what counts of the working days
	HasHalves    bool               // ranges start or end at half a day, so that days have what counts too
	// HidesWorkdays says that the columns of working days can't matter to what is written.
	HidesWorkdays bool
	// UncoveredDays counts the days of ranges that lie in no period, DoubleDays those in two of them.
	UncoveredDays, DoubleDays int
	// IncludeOutside gives the pieces outside of the window too, for what runs down them; IsOutside says
	// that the one that is put is such a one.
	IncludeOutside, IsOutside bool

	buf []eval.Value // of the cells of a piece
	// Of the range that is cut: days that lie in periods so far, and the last of those.
	covered     int
	lastCovered civil.Date
}

// Columns returns the columns that are added.
func (s *Spread) Columns() []string {
	if s.By == nil && s.HasHalves {
		return append([]string{"day", "counted_days"}, s.Share.Columns()...)
	}
	if s.By == nil {
		return append([]string{"day"}, s.Share.Columns()...)
	}
	list := []string{"period", "first_day", "last_day", "days", "working_days"}
	if s.ShowCounted {
		list = append(list, "counted_days")
	}
	return append(list, s.Share.Columns()...)
}

// piece is a day of a range, or what of it lies in a period.
type piece struct {
	name string
	civil.Span
	workdays int
	weight   int // what counts of the working days, in hundredths
}

// unknownDays are the working days of a piece where no calendar is named.
const unknownDays = -1

// Pieces calls put with the cells for each piece of a range inside the window. They are
// valid only during the call.
func (s *Spread) Pieces(r workdays.Extent, put func([]eval.Value) error) error {
	if !s.IncludeOutside {
		r = r.Within(s.Window)
	}
	if r.First > r.Last {
		return nil
	}
	return s.split(r, func(p piece) error {
		if s.WorkdaysOnly && p.workdays <= 0 {
			return nil
		}
		s.IsOutside = p.Last < s.Window.First || p.First > s.Window.Last
		return put(s.cells(p))
	})
}

// ProratedPieces is Pieces with an amount split over the whole range; the window only
// chooses pieces. Those without working days stay, with nothing.
func (s *Spread) ProratedPieces(r workdays.Extent, amount eval.Value, put func(cells []eval.Value, share Portion) error) error {
	var list []piece
	var weights []uint64
	err := s.split(r, func(p piece) error {
		if list, weights = append(list, p), append(weights, s.Share.By.weight(p.Span, p.workdays, p.weight)); len(list) > MaxPieces {
			return ErrTooManyPieces
		}
		return nil
	})
	if err != nil {
		return err
	}
	var shares []Portion
	if s.Share.Months > 0 {
		shares, err = s.Share.monthlyShares(r.Span, list, amount)
	} else {
		shares, err = s.Share.Split(amount, weights)
	}
	if err != nil {
		return &AmountError{err}
	}
	for i, p := range list {
		if s.IsOutside = p.Last < s.Window.First || p.First > s.Window.Last; s.IsOutside && !s.IncludeOutside {
			continue
		}
		if err := put(s.Share.Cells(s.cells(p), shares[i]), shares[i]); err != nil {
			return err
		}
	}
	return nil
}

// AmountError is an amount that can't be split.
type AmountError struct{ Err error }

// Error says why.
func (e *AmountError) Error() string { return e.Err.Error() }

// Unwrap returns the fault.
func (e *AmountError) Unwrap() error { return e.Err }

// cells are the cells of a piece, without its share; the next piece takes their room.
func (s *Spread) cells(p piece) []eval.Value {
	if s.buf = s.buf[:0]; s.By == nil {
		if s.buf = append(s.buf, eval.Day(p.First)); s.HasHalves {
			s.buf = append(s.buf, p.counted())
		}
		return s.buf
	}
	s.buf = slices.Grow(s.buf[:0], 8)[:5] // with room for the columns of a share
	s.buf[0].SetText(p.name)
	s.buf[1].SetDay(p.First)
	s.buf[2].SetDay(p.Last)
	s.buf[3].SetInt(p.Len())
	if s.buf[4].SetInt(p.workdays); p.workdays == unknownDays {
		s.buf[4] = eval.Value{}
	}
	if s.ShowCounted {
		s.buf = append(s.buf, p.counted())
	}
	return s.buf
}

// counted is what counts of the piece's working days, a blank where no calendar is named.
func (p *piece) counted() eval.Value {
	if p.workdays == unknownDays {
		return eval.Value{}
	}
	return eval.Fraction(int64(p.weight), workdays.FullDayWeight)
}

// split cuts a range into pieces.
func (s *Spread) split(r workdays.Extent, put func(piece) error) error {
	matters := s.WorkdaysOnly || s.Share != nil && s.Share.By.UsesCalendar()
	counts := (s.By != nil || matters || s.HasHalves) && s.Calendar != nil
	if counts && (matters || !s.HidesWorkdays) {
		s.Calendar.RecordQuery(r.First, r.Last)
	}
	if s.By == nil {
		for d := r.First; d <= r.Last; d++ {
			p := piece{Span: civil.Span{First: d, Last: d}}
			if s.Calendar == nil {
				p.workdays = unknownDays
			}
			if counts && s.Calendar.IsWorkday(d) {
				p.workdays, p.weight = 1, s.Calendar.WeightOf(r.Within(p.Span))
			}
			if err := put(p); err != nil {
				return err
			}
		}
		return nil
	}
	s.covered, s.lastCovered = 0, r.First-1 // periods come in order of their first days
	err := s.periods(r, put)
	s.UncoveredDays += r.Len() - s.covered
	return err
}

// periods cuts a range at the edges of periods.
func (s *Spread) periods(r workdays.Extent, put func(piece) error) error {
	parts := s.ShowCounted || s.Share != nil && s.Share.By == CountedDaysBasis
	for p, err := range s.By(r.Span) {
		if err != nil {
			return err
		}
		part := civil.Span{First: max(p.First, r.First), Last: min(p.Last, r.Last)}
		if part.First > part.Last {
			continue
		}
		again := max(0, int(min(s.lastCovered, part.Last)-part.First)+1)
		s.DoubleDays += again
		s.covered += part.Len() - again
		s.lastCovered = max(s.lastCovered, part.Last)
		made := piece{p.Name, part, unknownDays, 0}
		if s.Calendar != nil {
			made.workdays = s.Calendar.Count(part)
		}
		if s.Calendar != nil && parts {
			made.weight = s.Calendar.WeightOf(r.Within(part))
		}
		if err := put(made); err != nil {
			return err
		}
	}
	return nil
}

// KeyedRange is a row with its range and whose it is.
type KeyedRange struct {
	workdays.Extent
	Key  string
	Line int
	Row  []eval.Value
}

// FindOverlap finds two ranges of one person that overlap; ok is false when none
// do.
func FindOverlap(list []KeyedRange) (a, b KeyedRange, ok bool) {
	sorted := slices.Clone(list)
	slices.SortStableFunc(sorted, compareByKey)
	for i := 1; i < len(sorted); i++ {
		if sorted[i].Key == sorted[i-1].Key && sorted[i].StartHalf() <= sorted[i-1].EndHalf() {
			return sorted[i-1], sorted[i], true
		}
	}
	return a, b, false
}

func compareByKey(a, b KeyedRange) int {
	switch {
	case a.Key != b.Key:
		if a.Key < b.Key {
			return -1
		}
		return 1
	case a.StartHalf() != b.StartHalf():
		return a.StartHalf() - b.StartHalf()
	}
	return a.EndHalf() - b.EndHalf()
}

// MergeOverlaps joins the overlapping ranges of each person; the row of the first
// stays, in the order in which those came.
func MergeOverlaps(list []KeyedRange) []KeyedRange {
	sorted := slices.Clone(list)
	slices.SortStableFunc(sorted, compareByKey)
	var merged []KeyedRange
	for _, h := range sorted {
		if n := len(merged); n > 0 && merged[n-1].Key == h.Key && h.StartHalf() <= merged[n-1].EndHalf() {
			last := &merged[n-1]
			if h.EndHalf() > last.EndHalf() {
				last.Last, last.EndsAtNoon = h.Last, h.EndsAtNoon
			}
			if h.Line < last.Line {
				last.Line, last.Row = h.Line, h.Row
			}
			continue
		}
		merged = append(merged, h)
	}
	slices.SortStableFunc(merged, func(a, b KeyedRange) int { return a.Line - b.Line })
	return merged
}

// ParseRange takes the two ends of a range from cells; a blank end is open and runs
// through a day. blank is true if the start is blank. Halves of days count, and any other time of
// a day is its whole.
func ParseRange(start, end eval.Value, through civil.Date) (e workdays.Extent, blank bool, err error) {
	a, ok := eval.AsDate(start)
	if start.Kind == eval.Blank {
		return e, true, nil
	}
	if !ok {
		return e, false, fmt.Errorf("the start: expected a date, found %q", start)
	}
	s := civil.Span{First: a.Day, Last: through}
	b := eval.Value{}
	if end.Kind == eval.Blank {
		if s.Last < s.First { // it has not begun yet
			return workdays.Extent{Span: s}, true, nil
		}
	} else if b, ok = eval.AsDate(end); !ok {
		return workdays.Extent{Span: s}, false, fmt.Errorf("the end: expected a date, found %q", end)
	} else if s.Last = b.Day; s.Last < s.First {
		return workdays.Extent{Span: s}, false, fmt.Errorf("the range ends on %s, before it starts on %s", s.Last, s.First)
	}
	e, err = eval.ExtentOf(&a, &b, s)
	return e, false, err
}
