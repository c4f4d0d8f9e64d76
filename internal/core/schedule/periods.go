package schedule

import (
	"cmp"
	"iter"
	"slices"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
)

// Periods yields the periods of a series that touch a span: its pay periods.
func (s *Series) Periods(span civil.Span) iter.Seq2[civil.NamedSpan, error] {
	return func(yield func(civil.NamedSpan, error) bool) {
		for p, err := range s.NumberedPeriods(span) {
			if !yield(p.NamedSpan, err) {
				return
			}
		}
	}
}

// NumberedPeriods is Periods, each with its place in the nominal date's year.
func (s *Series) NumberedPeriods(span civil.Span) iter.Seq2[NumberedPeriod, error] {
	return func(yield func(NumberedPeriod, error) bool) {
		back, forth := s.stepReach()
		far := 2*s.maxStride() + back + forth
		var list []*Occurrence // dates that move change places, periods don't
		for o, err := range s.Occurrences(span.Widen(far, far)) {
			if err != nil {
				yield(NumberedPeriod{}, err)
				return
			}
			start, end := o.Row[slotPeriodStart], o.Row[slotPeriodEnd]
			if start.Kind == eval.Blank || end.Kind == eval.Blank {
				continue
			}
			p := civil.Span{First: start.Day, Last: end.Day}
			if p.First > span.Last || p.Last < span.First {
				continue
			}
			list = append(list, o)
		}
		slices.SortStableFunc(list, func(a, b *Occurrence) int {
			return cmp.Or(cmp.Compare(a.Row[slotPeriodStart].Day, b.Row[slotPeriodStart].Day),
				cmp.Compare(a.Row[slotPeriodEnd].Day, b.Row[slotPeriodEnd].Day))
		})
		for _, o := range list {
			o.recordUncovered()
			p := civil.Span{First: o.Row[slotPeriodStart].Day, Last: o.Row[slotPeriodEnd].Day}
			if !yield(NumberedPeriod{civil.NamedSpan{Name: o.ID, Span: p}, int(o.Row[slotNumber].Num)}, nil) {
				return
			}
		}
	}
}

// Instalment is a date of a row's own rule with its period and running number.
type Instalment struct {
	Date, Start, End eval.Value
	Number           int
}

// Instalments yields the dates of a rule in a window, numbered from the rule's
// first, or if it has none within the nominal year.
func Instalments(rec *eval.Recurrence, window civil.Span) iter.Seq2[Instalment, error] {
	return func(yield func(Instalment, error) bool) {
		s := &Series{Rules: singleRule(rec)}
		n, wide := 0, window
		begins := rec.Rule.HasStart()
		if begins {
			wide.First = civil.Min
		}
		for o, err := range s.Occurrences(wide) {
			if err != nil {
				yield(Instalment{}, err)
				return
			}
			if n++; o.MovedTo < window.First {
				continue
			}
			number := n
			if !begins {
				number = int(o.Row[slotNumber].Num)
			}
			o.recordUncovered()
			if !yield(Instalment{o.Value(), o.Row[slotPeriodStart], o.Row[slotPeriodEnd], number}, nil) {
				return
			}
		}
	}
}
