package schedule

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/workdays"
)

// Bounds are how many there may be, both included.
type Bounds struct{ Least, Most int }

// ParseBounds reads N or N..M.
func ParseBounds(text string) (b Bounds, err error) {
	from, to, two := strings.Cut(text, "..")
	if !two {
		to = from
	}
	least, err1 := strconv.Atoi(strings.TrimSpace(from))
	most, err2 := strconv.Atoi(strings.TrimSpace(to))
	if err1 != nil || err2 != nil || least < 0 || most < least {
		return b, fmt.Errorf("%q is neither a number nor two of them: 24, or 26..27", text)
	}
	return Bounds{least, most}, nil
}

func (b Bounds) has(n int) bool { return n >= b.Least && n <= b.Most }

// String writes 24 or 26..27.
func (b Bounds) String() string {
	if b.Least == b.Most {
		return strconv.Itoa(b.Least)
	}
	return strconv.Itoa(b.Least) + ".." + strconv.Itoa(b.Most)
}

// CountUnits are the periods in which the dates of a series are counted, by the
// keys that say how many there must be.
var CountUnits = []struct {
	Key  string
	Unit civil.Unit
}{{"per-month", civil.Month}, {"per-quarter", civil.Quarter}, {"per-year", civil.Year}, {"per-fiscal-year", civil.FiscalYear}}

// Expects is what must hold of a series.
type Expects struct {
	Counts map[string]Bounds // by the keys of CountUnits
	Gap    *Bounds           // days from one date to the next
	Each   []*eval.Expect    // of each date
}

// Finding is something that check tells: what breaks a plan, or with Note what
// else to know.
type Finding struct {
	Note  bool
	About string     // the series or the record
	Key   string     // of the plan that it comes of, "" for the entry itself
	At    eval.Value // the date, where it has one
	Text  string
}

// Check looks at a series in a window. Its expectations come first.
func (s *Series) Check(window civil.Span) (list []Finding, err error) {
	c := &checker{s: s, window: window}
	for o, err := range s.Occurrences(c.reach()) {
		if err != nil {
			return nil, err
		}
		if !window.Has(o.To) {
			c.around = append(c.around, o.To)
			continue
		}
		o.Note()
		c.around = append(c.around, o.To)
		c.all = append(c.all, o)
	}
	slices.Sort(c.around)
	for _, look := range []func(){c.counts, c.gaps, c.each, c.twice, c.order, c.closed, c.none} {
		look()
	}
	if c.err != nil {
		return nil, c.err
	}
	if n := Blanks(s.Rec, window); n > 0 {
		c.note("rule", eval.Value{}, "%d nominal dates for which the steps after `then` give no date", n)
	}
	return c.list, nil
}

type checker struct {
	s      *Series
	window civil.Span
	all    []*Occurrence // in the window
	around []civil.Date  // moved dates in it and around it
	list   []Finding
	err    error
}

func (c *checker) fail(key string, at eval.Value, format string, args ...any) {
	c.list = append(c.list, Finding{About: c.s.Name, Key: key, At: at, Text: fmt.Sprintf(format, args...)})
}

func (c *checker) note(key string, at eval.Value, format string, args ...any) {
	c.fail(key, at, format, args...)
	c.list[len(c.list)-1].Note = true
}

// reach is the window and what counts and gaps look at around it.
func (c *checker) reach() civil.Span {
	span := c.window
	e := c.s.Expects
	if e == nil {
		return span
	}
	f := c.s.Rec.Rule.Frame
	for _, u := range CountUnits {
		if _, ok := e.Counts[u.Key]; ok {
			first, _ := f.Around(u.Unit, c.window.First, 0)
			last, _ := f.Around(u.Unit, c.window.Last, 0)
			span.First, span.Last = min(span.First, max(first.First, civil.Min)), max(span.Last, min(last.Last, civil.Max))
		}
	}
	if e.Gap != nil {
		if d, ok := c.s.Before(c.window.First, false); ok {
			span.First = min(span.First, d)
		}
		if d, ok := c.s.After(c.window.Last, false); ok {
			span.Last = max(span.Last, d)
		}
	}
	return span
}

// counts counts the dates of each whole period that the window touches. Where the
// rule's own bounds cut one, it needn't have the least.
func (c *checker) counts() {
	if c.s.Expects == nil {
		return
	}
	r := c.s.Rec.Rule
	own := civil.Always
	if r.From != civil.None {
		own.First = r.From
	}
	if !r.Endless() {
		own.Last = r.Span().Last
	}
	for _, u := range CountUnits {
		want, ok := c.s.Expects.Counts[u.Key]
		if !ok {
			continue
		}
		for p, err := range r.Frame.Periods(u.Unit)(c.window) {
			if err != nil {
				c.err = err
				return
			}
			n := 0
			for _, d := range c.around {
				if p.Has(d) {
					n++
				}
			}
			cut := own.First > p.First || own.Last < p.Last
			if !want.has(n) && !(cut && n <= want.Most) {
				c.fail("expect."+u.Key, eval.Value{}, "%s has %d dates, expected are %s", p.Name, n, want)
			}
		}
	}
}

// gaps looks at neighbours of which one lies in the window.
func (c *checker) gaps() {
	if c.s.Expects == nil || c.s.Expects.Gap == nil {
		return
	}
	for i := 1; i < len(c.around); i++ {
		a, b := c.around[i-1], c.around[i]
		if n := int(b - a); (c.window.Has(a) || c.window.Has(b)) && !c.s.Expects.Gap.has(n) {
			c.fail("expect.gap", eval.Day(b), "%d days after %s, expected are %s", n, a, c.s.Expects.Gap)
		}
	}
}

func (c *checker) each() {
	if c.s.Expects == nil {
		return
	}
	for i, x := range c.s.Expects.Each {
		blank := 0
		key := "expect.each." + strconv.Itoa(i)
		for _, o := range c.all {
			ok, none, err := x.Holds(o.Row)
			switch {
			case err != nil:
				c.err = err
				return
			case none:
				blank++
			case !ok:
				c.fail(key, o.Value(), "each: %s: %s", x.Text, x.Why(o.Row))
			}
		}
		if blank > 0 {
			c.note(key, eval.Value{}, "each: %s is blank for %d of %d dates", x.Text, blank, len(c.all))
		}
	}
}

// twice finds two dates of the series on one day.
func (c *checker) twice() {
	for i := 1; i < len(c.all); i++ {
		if a, b := c.all[i-1], c.all[i]; a.To == b.To {
			c.fail("rule", b.Value(), "two dates on one day: %s (nominal %s) and %s (nominal %s)", a.ID, a.Date.Date, b.ID, b.Date.Date)
		}
	}
}

// order finds milestones, the date among them, that stand the other way round than
// on most dates.
func (c *checker) order() {
	slots := []int{slotDate}
	for i := range c.s.Milestones {
		slots = append(slots, slotMilestones+i)
	}
	names := c.s.Names()
	way := func(o *Occurrence, a, b int) int {
		x, y := o.Row[slots[a]], o.Row[slots[b]]
		if x.Kind == eval.Blank || y.Kind == eval.Blank {
			return 0
		}
		if x.Day != y.Day {
			return sign(int(x.Day - y.Day))
		}
		if x.Kind == eval.Moment && y.Kind == eval.Moment {
			return sign(int(x.Minutes) - int(y.Minutes))
		}
		return 0
	}
	for a := range slots {
		for b := a + 1; b < len(slots); b++ {
			sum := 0
			for _, o := range c.all {
				sum += way(o, a, b)
			}
			for _, o := range c.all {
				if w := way(o, a, b); w*sum < 0 {
					first, then := b, a
					if w < 0 {
						first, then = a, b
					}
					x, y := o.Row[slots[first]], o.Row[slots[then]]
					c.fail("milestones."+names[slots[b]], o.Value(), "out of order: %s (%s) comes after %s (%s), on most dates before it", names[slots[first]], x, names[slots[then]], y)
				}
			}
		}
	}
}

func sign(n int) int { return min(1, max(-1, n)) }

// closed finds dates and milestones that a roll was to keep off closed days and
// that lie on one of the calendar they roll by.
func (c *checker) closed() {
	rolls := func(chain *eval.Chain) *workdays.Calendar {
		if chain != nil {
			for i := range slices.Backward(chain.Steps) {
				if _, ok := chain.Steps[i].Node.(*phrase.Roll); ok {
					return chain.Steps[i].Calendar
				}
			}
		}
		return nil
	}
	look := func(key, what string, cal *workdays.Calendar, v eval.Value, o *Occurrence) {
		if cal != nil && v.Kind != eval.Blank && !cal.Open(v.Day) {
			c.fail(key, o.Value(), "%s %s is closed (%s) in %s, after a roll", what, named(v.Day), eval.ClosedBy(cal, v.Day), cal.Name)
		}
	}
	date := rolls(c.s.Rec.Chain)
	for _, o := range c.all {
		look("rule", "the date", date, o.Value(), o)
		for i, m := range c.s.Milestones {
			look("milestones."+m.Name, m.Name, rolls(m.Prog.Chain()), o.Milestone(i), o)
		}
	}
}

func (c *checker) none() {
	if len(c.all) == 0 {
		c.fail("rule", eval.Value{}, "no date falls between %s and %s", c.window.First, c.window.Last)
	}
}

// Meetings finds the days in a window on which two of several series have a date.
func Meetings(list []*Series, window civil.Span) (found []Finding, err error) {
	on := map[civil.Date]*Series{}
	for d, err := range Merge(list, window) {
		if err != nil {
			return nil, err
		}
		if other := on[d.To]; other != nil && other != d.Series {
			first, then := other, d.Series
			if slices.Index(list, then) < slices.Index(list, first) {
				first, then = then, first
			}
			found = append(found, Finding{About: first.Name + ", " + then.Name, At: eval.Day(d.To),
				Text: fmt.Sprintf("%s and %s fall on one day and must stay apart", first.Name, then.Name)})
			continue
		}
		on[d.To] = d.Series
	}
	return found, nil
}
