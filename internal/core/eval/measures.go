package eval

import (
	"fmt"
	"math"
	"math/big"
	"slices"
	"strconv"

	"yoyaku/internal/core/workdays"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/phrase"
)

// measure compiles the nodes that give numbers and texts.
func (c *compiler) measure(e phrase.Expr) (valueFunc, error) {
	if n, err := c.intMeasure(e); n != nil || err != nil {
		return intValues(n), err
	}
	switch e := e.(type) {
	case *phrase.Count: // of counted days
		n, err := c.weightedCount(e)
		return func(row []Value) (Value, error) {
			parts, blank, err := n(row)
			if blank || err != nil {
				return Value{}, err
			}
			return Fraction(int64(parts), workdays.FullDayWeight), nil
		}, err
	case *phrase.Age:
		if e.Through {
			return nil, c.fail(e.Span, "an age needs `from A to B`", "")
		}
		return c.rangeValue(e.Range, func(a, b civil.Date) Value { return Str(ageText(a, b)) })
	case *phrase.DayCount:
		return c.rangeValue(e.Range, func(a, b civil.Date) Value { return Fraction(e.By.YearFraction(a, b)) })
	case *phrase.Part:
		return c.datePart(e)
	case *phrase.Format:
		return c.format(e)
	case *phrase.Arith:
		return c.arithmetic(e)
	case *phrase.MinMax:
		a, b, err := compilePair(c.numberOf, e.A, e.B)
		return func(row []Value) (Value, error) {
			x, err := a(row)
			if err != nil || x.Kind == Blank {
				return x, err
			}
			y, err := b(row)
			if err != nil || y.Kind == Blank || (compareNumbers(y, x) > 0) == e.Max {
				return y, err
			}
			return x, nil
		}, err
	case *phrase.Round:
		a, err := c.numberOf(e.A)
		step := new(big.Rat).SetFrac64(1, int64(math.Pow10(e.Places)))
		if e.Multiple != "" {
			step.SetString(e.Multiple)
		}
		if e.Way != 0 || e.Multiple != "" {
			return func(row []Value) (Value, error) {
				v, err := a(row)
				if err != nil || v.Kind == Blank {
					return v, err
				}
				return roundTo(v, step, e.Way, e.Places), nil
			}, err
		}
		return func(row []Value) (Value, error) {
			v, err := a(row)
			if err != nil || v.Kind == Blank {
				return v, err
			}
			return round(v, e.Places), nil
		}, err
	}
	return c.condition(e)
}

// intMeasure compiles the measures that give whole numbers; nil for the others.
func (c *compiler) intMeasure(e phrase.Expr) (intFunc, error) {
	r, count, _, err := c.dateMeasure(e)
	if err != nil {
		return nil, err
	}
	if count != nil {
		return c.rangeInt(r, count)
	}
	switch e := e.(type) {
	case *phrase.Count:
		if !e.What.Weighted {
			return c.count(e)
		}
	case *phrase.SeriesCount:
		return c.seriesCount(e)
	}
	return nil, nil
}

// dateMeasure compiles the measures that need two dates and nothing else: of gives the whole
// number, cal is the calendar that it asks, if it asks one. of is nil for other measures.
func (c *compiler) dateMeasure(e phrase.Expr) (r phrase.Range, count func(a, b civil.Date) int, cal *workdays.Calendar, err error) {
	switch e := e.(type) {
	case *phrase.Count:
		if e.Period != nil || e.What.Weighted || e.What.Working && c.calendarColumn(e.Using, e.Span) != nil {
			return r, nil, nil, nil
		}
		between, day, cal, err := c.dayCounter(e)
		return e.Range, applyRange(e, between, day), cal, err
	case *phrase.Complete:
		return e.Range, func(a, b civil.Date) int { return completeUnits(e, a, b) }, nil, nil
	case *phrase.DayCount:
		if !e.Years {
			return e.Range, e.By.Days, nil, nil
		}
	}
	return r, nil, nil, nil
}

// rangeEnds compiles the two dates of a range.
func (c *compiler) rangeEnds(r phrase.Range) (a, b dateFunc, err error) {
	if a, err = c.dateOf(r.A); err != nil {
		return nil, nil, err
	}
	if r.Step == nil {
		b, err = c.dateOf(r.B)
		return a, b, err
	}
	chain, err := c.chain([]phrase.Step{r.Step})
	if err != nil {
		return nil, nil, err
	}
	return a, func(row []Value) (civil.Date, bool, error) {
		d, unsure, err := a(row)
		if err != nil || d == civil.None {
			return d, unsure, err
		}
		d, _, err = chain.Run(d, row, nil)
		return d, unsure, err
	}, nil
}

// rangeValue compiles a measure of two dates; a blank end makes it blank.
func (c *compiler) rangeValue(r phrase.Range, of func(a, b civil.Date) Value) (valueFunc, error) {
	a, b, err := c.rangeEnds(r)
	return func(row []Value) (v Value, err error) {
		x, _, err := a(row)
		if err != nil || x == civil.None {
			return v, err
		}
		y, _, err := b(row)
		if err != nil || y == civil.None {
			return v, err
		}
		return of(x, y), nil
	}, err
}

// rangeInt is span for whole numbers.
func (c *compiler) rangeInt(r phrase.Range, count func(a, b civil.Date) int) (intFunc, error) {
	a, b, err := c.rangeEnds(r)
	return func(row []Value) (n int, blank bool, err error) {
		x, _, err := a(row)
		if err != nil || x == civil.None {
			return 0, true, err
		}
		y, _, err := b(row)
		if err != nil || y == civil.None {
			return 0, true, err
		}
		return count(x, y), false, nil
	}, err
}

// weekdayCounter returns how many weekdays, or of one weekday, lie in (0, d]: differences of it are
// counts.
func weekdayCounter(what phrase.CountTarget) func(d civil.Date) int {
	if what.Weekday != 0 {
		return func(d civil.Date) int { return (int(d) - int(what.Weekday) + 7) / 7 }
	}
	return func(d civil.Date) int { return int(d)/7*5 + min(int(d)%7, 5) }
}

func (c *compiler) count(e *phrase.Count) (intFunc, error) {
	if column := c.calendarColumn(e.Using, e.Span); column != nil && e.What.Working {
		return c.intPerCalendar(column, func(c *compiler) (intFunc, error) { return c.count(e) })
	}
	between, day, _, err := c.dayCounter(e)
	if err != nil {
		return nil, err
	}
	if e.Period == nil {
		return c.rangeInt(e.Range, applyRange(e, between, day))
	}
	get, err := c.dateOf(e.A)
	return func(row []Value) (int, bool, error) {
		d, _, err := get(row)
		if err != nil || d == civil.None {
			return 0, true, err
		}
		p, ok := c.Fiscal.PeriodAt(e.Period.Unit, d, e.Period.Offset)
		if !ok {
			return 0, true, c.fail(e.Span, ErrRange.Error(), "")
		}
		return between(p.First, p.Last) + day(p.First), false, nil
	}, err
}

// dayCounter gives what counts the days after a up to and including b, negative when b is before
// a, what a day alone counts, and the calendar that is asked, if one is.
func (c *compiler) dayCounter(e *phrase.Count) (between func(a, b civil.Date) int, day func(civil.Date) int,
	cal *workdays.Calendar, err error) {
	if !e.What.Working {
		if !e.What.Weekdays && e.What.Weekday == 0 {
			return func(a, b civil.Date) int { return int(b - a) }, func(civil.Date) int { return 1 }, nil, nil
		}
		upto := weekdayCounter(e.What)
		return func(a, b civil.Date) int { return upto(b) - upto(a) },
			func(d civil.Date) int { return upto(d) - upto(d-1) }, nil, nil
	}
	if cal, err = c.calendar(e.Using); err != nil {
		return nil, nil, nil, err
	}
	if e.What.Weighted {
		return func(a, b civil.Date) int { c.recordQuery(cal, a, b); return cal.WeightBetween(a, b) }, cal.DayWeight, cal, nil
	}
	return func(a, b civil.Date) int { c.recordQuery(cal, a, b); return cal.CountBetween(a, b) },
		func(d civil.Date) int { return cal.Count(civil.Span{First: d, Last: d}) }, cal, nil
}

// applyRange counts a range as its words have it: both ends, or the last alone.
func applyRange(e *phrase.Count, between func(a, b civil.Date) int, day func(civil.Date) int) func(a, b civil.Date) int {
	if !e.Through {
		return between
	}
	return func(a, b civil.Date) int {
		if b < a {
			return -between(b, a) - day(b)
		}
		return between(a, b) + day(a)
	}
}

// seriesCount compiles the count of a series' dates.
func (c *compiler) seriesCount(e *phrase.SeriesCount) (intFunc, error) {
	var s Series
	var err error
	if c.FindSeries != nil {
		if s, err = c.FindSeries(e.Series.Text); err != nil {
			return nil, err
		}
	}
	if s == nil {
		return nil, c.fail(e.Series.Span, fmt.Sprintf("unknown series `%s`", e.Series.Text),
			suggestName(e.Series.Text, "series", c.SeriesNames))
	}
	return c.rangeInt(e.Range, func(a, b civil.Date) int {
		switch {
		case e.Through && b < a:
			return -s.Count(b-1, a)
		case e.Through:
			return s.Count(a-1, b)
		case b < a:
			return -s.Count(b, a)
		}
		return s.Count(a, b)
	})
}

// completeUnits counts complete units of a span.
func completeUnits(e *phrase.Complete, a, b civil.Date) int {
	if b < a {
		return -completeUnits(e, b, a)
	}
	if e.Unit == phrase.Weeks {
		n := int(b - a)
		if e.Through {
			n++
		}
		if e.Started {
			n += 6
		}
		return n / 7
	}
	per := e.Unit.PerUnit()
	ay, am, _ := a.YMD()
	by, bm, _ := b.YMD()
	n := (civil.MonthIndex(by, bm)-civil.MonthIndex(ay, am))/per + 1
	reached := func(n int) bool { // n units fit
		if e.Through {
			last, ok := lastingMonths(a, n*per)
			return ok && (n == 0 || last <= b)
		}
		to, ok := a.ShiftMonths(n*per, false)
		return ok && to <= b
	}
	for n > 0 && !reached(n) {
		n--
	}
	if e.Started {
		exact := false
		if e.Through {
			last, ok := lastingMonths(a, n*per)
			exact = n > 0 && ok && last == b
		} else {
			to, ok := a.ShiftMonths(n*per, false)
			exact = ok && to == b
		}
		if !exact {
			n++
		}
	}
	return n
}

// ageText writes years, months and days: 3y 2m 5d.
func ageText(a, b civil.Date) string {
	if b < a {
		return "-" + ageText(b, a)
	}
	months := completeUnits(&phrase.Complete{Unit: phrase.Months}, a, b)
	day, _ := a.ShiftMonths(months, false)
	return fmt.Sprintf("%dy %dm %dd", months/12, months%12, b-day)
}

// maxLayout is how many bytes the layout of a date may have.
const maxLayout = 1000

func (c *compiler) format(e *phrase.Format) (valueFunc, error) {
	a, err := c.dateOf(e.A)
	if err != nil {
		return nil, err
	}
	exact, err := c.expr(e.A) // keeps the time of a moment
	if err != nil {
		return nil, err
	}
	if c.Strftime == nil {
		return nil, c.fail(e.Span, phrase.NotImplemented("`as` here"), "")
	}
	if len(e.Layout) > maxLayout {
		return nil, c.fail(e.Span, "this layout has more than "+strconv.Itoa(maxLayout)+" characters", "")
	}
	write, err := c.Strftime(e.Layout)
	if err != nil {
		return nil, c.fail(e.Span, err.Error(), "")
	}
	return func(row []Value) (Value, error) {
		d, _, err := a(row)
		if err != nil || d == civil.None {
			return Value{}, err
		}
		if m, err := exact(row); err == nil && m.Kind == DateTime {
			return Str(write(m)), nil
		}
		return Str(write(Day(d))), nil
	}, nil
}

// arithmetic compiles a chain of operators, such as a + b - c, into one loop: a call within a
// call for each takes a stack as deep as the chain is long.
func (c *compiler) arithmetic(e *phrase.Arith) (valueFunc, error) {
	type term struct {
		op byte
		of valueFunc
		at phrase.Span
	}
	var chain []*phrase.Arith
	first := phrase.Expr(e)
	for link, ok := e, true; ok; link, ok = first.(*phrase.Arith) {
		for _, side := range []phrase.Expr{link.A, link.B} {
			if k := c.kindOf(side); k == Date || k == DateTime {
				hint := "days between dates are written `days from A to B`"
				if n, ok := link.B.(*phrase.Number); ok && (link.Op == '+' || link.Op == '-') {
					hint = "a step needs a unit: " + string(link.Op) + n.Text() + " days"
				}
				return nil, c.fail(link.Span, "dates can't be added or multiplied", hint)
			}
		}
		chain, first = append(chain, link), link.A
	}
	start, err := c.numberOf(first)
	if err != nil {
		return nil, err
	}
	terms := make([]term, 0, len(chain))
	for _, link := range slices.Backward(chain) {
		of, err := c.numberOf(link.B)
		if err != nil {
			return nil, err
		}
		terms = append(terms, term{link.Op, of, link.B.Pos()})
	}
	return func(row []Value) (Value, error) {
		v, err := start(row)
		if err != nil || v.Kind == Blank {
			return v, err
		}
		n := exactNumber{Value: v}
		for i := range terms {
			t := &terms[i]
			y, err := t.of(row)
			if err != nil || y.Kind == Blank {
				return y, err
			}
			err = n.arith(t.op, &y)
			if err == nil && n.big != nil {
				err = c.countBig(&n)
			}
			if err != nil {
				return Value{}, c.fail(t.at, err.Error(), "")
			}
		}
		return n.value(), nil
	}, nil
}
