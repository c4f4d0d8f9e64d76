package civil

import (
	"iter"
	"strings"
)

// ParseSpan reads the name of a stretch of time: 2027, 2027-H1, 2027-Q2,
// 2027-03, 2027-W13, FY2027, FY2027-Q1, FY2027-M03 or a single ISO date. ok is false for other text.
func (f FiscalCalendar) ParseSpan(s string) (Span, bool) {
	if d, shape, ok := Parse(s); shape {
		return Span{d, d}, ok
	}
	up := strings.ToUpper(s)
	if rest, isFiscal := strings.CutPrefix(up, "FY"); isFiscal {
		return f.fiscalSpan(rest)
	}
	if len(up) < 4 {
		return Span{}, false
	}
	year, ok := digits(up[:4])
	if !ok || year < MinYear {
		return Span{}, false
	}
	return f.partOfYear(year, up[4:])
}

// partOfYear reads what follows a year: nothing, -H1, -Q2, -03 or -W13.
func (f FiscalCalendar) partOfYear(year int, rest string) (Span, bool) {
	if rest == "" {
		return f.periodWithin(Year, year)
	}
	if len(rest) < 3 || rest[0] != '-' {
		return Span{}, false
	}
	letter, number := rest[1], rest[2:]
	if letter >= '0' && letter <= '9' {
		letter, number = 'M', rest[1:]
	}
	n, ok := digits(number)
	if !ok || n < 1 {
		return Span{}, false
	}
	switch {
	case letter == 'H' && len(number) == 1 && n <= 2:
		return f.periodWithin(Half, year*2+n-1)
	case letter == 'Q' && len(number) == 1 && n <= 4:
		return f.periodWithin(Quarter, year*4+n-1)
	case letter == 'M' && len(number) == 2 && n <= 12:
		return f.periodWithin(Month, MonthIndex(year, n))
	case letter == 'W' && len(number) == 2:
		d, ok := FromISOWeek(year, n, Monday)
		return Span{d, d + 6}, ok && d+6 <= Max
	}
	return Span{}, false
}

// fiscalSpan reads what follows FY: a year, and -Q1, -M03, -H1 or -W05.
func (f FiscalCalendar) fiscalSpan(s string) (Span, bool) {
	if len(s) < 4 {
		return Span{}, false
	}
	number, ok := digits(s[:4])
	if !ok || number < MinYear {
		return Span{}, false
	}
	year := f.fiscalYearIndex(number)
	s = s[4:]
	if s == "" {
		return f.periodWithin(FiscalYear, year)
	}
	for u := FiscalWeek; u < FiscalYear; u++ {
		n, ok := 0, len(s) > 2 && s[0] == '-' && s[1] == u.fiscalPrefix()
		if ok {
			n, ok = digits(s[2:])
		}
		if !ok || n < 1 || (len(s) == 4) != (u < FiscalQuarter) {
			continue
		}
		first, ok := f.Period(FiscalYear, year)
		if !ok {
			return Span{}, false
		}
		p, ok := f.periodWithin(u, f.PeriodIndex(u, first.First)+n-1)
		return p, ok && first.Contains(p.First)
	}
	return Span{}, false
}

func (f FiscalCalendar) periodWithin(u Unit, i int) (Span, bool) {
	s, ok := f.Period(u, i)
	return s, ok && s.First >= Min && s.Last <= Max
}

// NamedSpan is a period and what it is called.
type NamedSpan struct {
	Name string
	Span
}

// Periods yields the periods, in order, that touch a span; a period may reach
// beyond it.
type Periods func(span Span) iter.Seq2[NamedSpan, error]

// Periods returns the periods of a unit, for one goroutine: it makes each name once.
func (f FiscalCalendar) Periods(u Unit) Periods {
	type named struct {
		i    int
		name string
	}
	var names [512]named // those asked last, by their numbers
	return func(span Span) iter.Seq2[NamedSpan, error] {
		return func(yield func(NamedSpan, error) bool) {
			i := f.PeriodIndex(u, span.First)
			for w := f.Walk(u, i); ; w.Skip(1) {
				p, _ := w.Period()
				if p.First > span.Last {
					return
				}
				n := &names[uint(i)%uint(len(names))]
				if n.name == "" || n.i != i {
					*n = named{i, f.Name(u, max(p.First, Min))}
				}
				if !yield(NamedSpan{n.name, p}, nil) {
					return
				}
				i++
			}
		}
	}
}
