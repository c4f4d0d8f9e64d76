package schedule

import (
	"fmt"
	"slices"
	"strconv"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/workdays"
)

// Finding is something that check tells: what breaks a plan, or with Note what
// else to know.
type Finding struct {
	Note   bool
	Wanted bool       // a note of what somebody wanted so, which is no warning
	About  string     // the series or the record
	Key    string     // of the plan that it comes of, "" for the entry itself
	At     eval.Value // the date, if it has one
	Text   string
}

// Check looks at a series in a window. Its expectations come first.
func (s *Series) Check(window civil.Span) (list []Finding, err error) {
	c, err := s.checked(window, (*checker).twice, (*checker).closed, (*checker).hands, (*checker).provisional, (*checker).blanks,
		(*checker).periods, (*checker).none, (*checker).early, (*checker).apart)
	if err != nil {
		return nil, err
	}
	if n := s.Blanks(window); n > 0 {
		c.note("rule", eval.Value{}, "%d nominal dates without a date, because the steps after `then` give none", n)
	}
	return c.list, nil
}

// look is one thing that is looked at: each date in turn, so that none is kept, and then what
// there is to say of all. Either may be nil.
type look struct {
	see  func(o *Occurrence)
	end  func()
	list []Finding
}

// checked looks at what is expected of the series, and then at more.
func (s *Series) checked(window civil.Span, more ...func(c *checker) []*look) (*checker, error) {
	c := &checker{s: s, window: window}
	looks := c.each()
	for _, of := range more {
		looks = append(looks, of(c)...)
	}
	for o, err := range s.Occurrences(c.reach()) {
		if err != nil {
			return nil, err
		}
		c.around = append(c.around, o.To)
		if !window.Has(o.To) {
			continue
		}
		o.Note()
		if c.n++; c.n > mostDates {
			return nil, &TooManyError{s, window}
		}
		for _, l := range looks {
			if l.see != nil {
				c.list = l.list
				l.see(o)
				l.list = c.list
			}
		}
		if c.err != nil {
			return nil, c.err
		}
	}
	slices.Sort(c.around)
	var told []Finding
	for _, l := range append([]*look{{end: c.counts}, {end: c.gaps}}, looks...) {
		if c.list = l.list; l.end != nil {
			l.end()
		}
		told = append(told, c.few()...)
	}
	c.list = told
	return c, c.err
}

// mostDates is how many dates of a series a plan may have in its window.
const mostDates = 1_000_000

// TooManyError refuses a window with more dates of a series than a plan may have.
type TooManyError struct {
	Series *Series
	Window civil.Span
}

// Error says how many there may be.
func (e *TooManyError) Error() string {
	return fmt.Sprintf("more than %d dates from %s to %s; use a narrower window", mostDates, e.Window.First, e.Window.Last)
}

// mostAlike is how many findings of one kind are listed.
const mostAlike = 10_000

// few are the findings of one look; of very many, the rest are counted.
func (c *checker) few() []Finding {
	if n := len(c.list) - mostAlike; n > 0 {
		last := c.list[mostAlike-1]
		last.At, last.Text = eval.Value{}, fmt.Sprintf("and %d more like this", n)
		return append(c.list[:mostAlike:mostAlike], last)
	}
	return c.list
}

type checker struct {
	s      *Series
	window civil.Span
	n      int          // dates in the window
	around []civil.Date // moved dates in it and around it
	list   []Finding
	proofs []Proof
	err    error
}

func (c *checker) fail(key string, at eval.Value, format string, args ...any) {
	c.list = append(c.list, Finding{About: c.s.Name, Key: key, At: at, Text: fmt.Sprintf(format, args...)})
}

// tell notes what somebody wanted so.
func (c *checker) tell(key string, at eval.Value, format string, args ...any) {
	c.note(key, at, format, args...)
	c.list[len(c.list)-1].Wanted = true
}

func (c *checker) note(key string, at eval.Value, format string, args ...any) {
	c.fail(key, at, format, args...)
	c.list[len(c.list)-1].Note = true
}

// reach is the window and what counts and gaps look at around it.
func (c *checker) reach() civil.Span {
	span := c.window
	f := c.s.frame()
	for _, u := range CountUnits {
		if c.expected(u.Key) {
			first, _ := f.Around(u.Unit, c.window.First, 0)
			last, _ := f.Around(u.Unit, c.window.Last, 0)
			span.First, span.Last = min(span.First, max(first.First, civil.Min)), max(span.Last, min(last.Last, civil.Max))
		}
	}
	if slices.ContainsFunc(c.expectations(), func(e *Expects) bool { return e.Gap != nil }) {
		if d, ok := c.s.Before(c.window.First, false); ok {
			span.First = min(span.First, d)
		}
		if d, ok := c.s.After(c.window.Last, false); ok {
			span.Last = max(span.Last, d)
		}
	}
	return span
}

// counts counts the dates of each whole period that the window touches. If the
// rule's own bounds cut one, it needn't have the least.
func (c *checker) counts() {
	own := c.s.own()
	for _, u := range CountUnits {
		if !c.expected(u.Key) {
			continue
		}
		changes, fails, seen := 0, len(c.list), counts{}
		for p, err := range c.s.frame().Periods(u.Unit)(c.window) {
			if err != nil {
				c.err = err
				return
			}
			want, ok, changed := c.countOf(u.Key, p.Span)
			if changed {
				changes++
			}
			if !ok {
				continue
			}
			from, _ := slices.BinarySearch(c.around, p.First)
			to, _ := slices.BinarySearch(c.around, p.Last+1)
			n := to - from
			seen.add(want, p.Name, n)
			cut := own.First > p.First || own.Last < p.Last
			if !want.has(n) && !(cut && n <= want.Most) {
				c.fail("expect."+u.Key, eval.Value{}, "%s: %s has %s, expected %s", u.Key, p.Name, phrase.Counted(n, "date"), want)
			}
		}
		c.proveCounts(fails, u.Key, seen)
		if changes > 0 {
			c.note("expect."+u.Key, eval.Value{}, "%s: the rule changes within %d of the periods; they aren't counted",
				u.Key, changes)
		}
	}
}

// gaps looks at neighbours of which one lies in the window.
func (c *checker) gaps() {
	fails, least, most, n, words := len(c.list), 0, 0, 0, ""
	defer func() {
		if n > 0 {
			days := phrase.Counted(most, "day")
			if least < most {
				days = fmt.Sprintf("%d to %s", least, days)
			}
			c.prove(fails, "gap: "+words, "%s of %s", phrase.Counted(n, "gap"), days)
		}
	}()
	for i := 1; i < len(c.around); i++ {
		a, b := c.around[i-1], c.around[i]
		gap, days := c.gapOf(b), int(b-a)
		if gap == nil || !c.window.Has(a) && !c.window.Has(b) {
			continue
		}
		if n == 0 {
			least, words = days, gap.String()+" days"
		}
		n, least, most = n+1, min(least, days), max(most, days)
		if !gap.has(days) {
			c.fail("expect.gap", eval.Day(b), "gap: %s after %s, expected %s", phrase.Counted(days, "day"), a, gap)
		}
	}
}

// expectations are what is expected of the series and of each of its rules.
func (c *checker) expectations() (list []*Expects) {
	for _, r := range c.s.Rules {
		if r.Expects != nil {
			list = append(list, r.Expects)
		}
	}
	if c.s.Expects != nil {
		list = append(list, c.s.Expects)
	}
	return list
}

// expected reports whether a number of dates is expected anywhere.
func (c *checker) expected(key string) bool {
	return slices.ContainsFunc(c.expectations(), func(e *Expects) bool { _, ok := e.Counts[key]; return ok })
}

// countOf is how many dates a period should have, by the rule that holds in it or by
// the series. If the rule changes in it, there is no telling.
func (c *checker) countOf(key string, p civil.Span) (want Bounds, ok, changed bool) {
	rule := c.ruleAt(p.First)
	if other := c.ruleAt(p.Last); len(c.s.Rules) > 1 && other != rule {
		return want, false, true
	}
	for _, e := range []*Expects{rule.expects(), c.s.Expects} {
		if e != nil {
			if want, ok = e.Counts[key]; ok {
				return want, true, false
			}
		}
	}
	return want, false, false
}

// ruleAt is the rule that holds on a day, or nil.
func (c *checker) ruleAt(d civil.Date) *Ruled {
	for i := range c.s.Rules {
		if c.s.Rules[i].Span.Has(d) {
			return &c.s.Rules[i]
		}
	}
	return nil
}

func (r *Ruled) expects() *Expects {
	if r == nil {
		return nil
	}
	return r.Expects
}

// gapOf is what is expected of the days before a date.
func (c *checker) gapOf(d civil.Date) *Bounds {
	if e := c.ruleAt(d).expects(); e != nil && e.Gap != nil {
		return e.Gap
	}
	if c.s.Expects != nil {
		return c.s.Expects.Gap
	}
	return nil
}

// own is the stretch that the series bounds itself.
func (s *Series) own() civil.Span {
	own := civil.Always
	first, last := s.Rules[0], s.Rules[len(s.Rules)-1]
	own.First = first.Span.First
	if from := first.Rec.Rule.From; from != civil.None {
		own.First = max(own.First, from)
	}
	if own.Last = last.Span.Last; !last.Rec.Rule.Endless() {
		own.Last = min(own.Last, last.Rec.Rule.Span().Last)
	}
	return own
}

func (c *checker) each() (list []*look) {
	if c.s.Expects != nil {
		list = c.eachOf(c.s.Expects, "expect.each.", func(*Occurrence) bool { return true })
	}
	for i := range c.s.Rules {
		if r := &c.s.Rules[i]; r.Expects != nil {
			list = append(list, c.eachOf(r.Expects, fmt.Sprintf("expect.rule.%d.each.", i),
				func(o *Occurrence) bool { return r.Span.Has(o.Date.Date) })...)
		}
	}
	return list
}

// eachOf holds the dates that are its own against the conditions of e.
func (c *checker) eachOf(e *Expects, key string, own func(o *Occurrence) bool) (list []*look) {
	for i, x := range e.Each {
		blank, of := 0, 0
		key := key + strconv.Itoa(i)
		list = append(list, &look{see: func(o *Occurrence) {
			if !own(o) {
				return
			}
			of++
			ok, none, err := x.Holds(o.Row)
			switch {
			case err != nil:
				c.err = err
			case none:
				blank++
			case !ok:
				c.fail(key, o.Value(), "each: %s: %s", x.Text, x.Why(o.Row))
			}
		}, end: func() {
			c.proveEach(0, x.Text, of, blank)
			if blank > 0 {
				c.note(key, eval.Value{}, "each: %s is blank for %d of %s", x.Text, blank, phrase.Counted(c.n, "date"))
			}
		}})
	}
	return list
}

// twice finds two dates of the series on one day.
func (c *checker) twice() []*look {
	var before *Occurrence
	return []*look{{see: func(o *Occurrence) {
		if a := before; a != nil && a.To == o.To {
			c.fail("rule", o.Value(), "two dates on the same day: %s (nominal %s) and %s (nominal %s)", a.ID, a.Date.Date, o.ID,
				o.Date.Date)
		}
		before = o
	}}}
}

// closed finds dates and milestones that a roll was to keep off closed days and
// that lie on one of the calendar they roll by.
func (c *checker) closed() []*look {
	rolls := func(chain *eval.Chain) *workdays.Calendar {
		if chain != nil {
			for i := range slices.Backward(chain.Steps) {
				if chain.Steps[i].Rolls() {
					return chain.Steps[i].Calendar
				}
			}
		}
		return nil
	}
	day := func(key, what string, cal *workdays.Calendar, v eval.Value, o *Occurrence, h *Hand) {
		switch {
		case v.Kind == eval.Blank:
		case h != nil:
			if cal := c.s.Calendar; cal != nil && !cal.Open(v.Day) {
				c.tell("instead."+h.What+"."+h.ID, o.Value(), "%s %s is closed (%s) in %s; %s", what, named(v.Day),
					eval.ClosedBy(cal, v.Day), cal.Name, h.Reason)
			}
		case cal != nil && !cal.Open(v.Day):
			c.fail(key, o.Value(), "%s %s is closed (%s) in %s, after a roll", what, named(v.Day),
				eval.ClosedBy(cal, v.Day), cal.Name)
		}
	}
	return []*look{{see: func(o *Occurrence) {
		day("rule", "the date", rolls(o.Rec.Chain), o.Value(), o, o.Hand)
		for i, m := range c.s.Milestones {
			day("milestones."+m.Name, m.Name, rolls(m.Prog.Chain()), o.Milestone(i), o, o.Whys[i].Hand)
		}
	}}}
}

// hands notes the dates that were left out by hand, and those that were set beyond the
// date before or after; the others are in the table with their reason.
func (c *checker) hands() []*look { return []*look{{end: c.tellHands}} }

func (c *checker) tellHands() {
	for _, h := range c.s.Hands() {
		if h.What != "date" || h.Kept || h.Gone || h.At.Kind == eval.Blank || !c.window.Has(h.Nominal) &&
			!c.window.Has(h.At.Day) {
			continue
		}
		for _, after := range []bool{false, true} {
			d, rec, ok := c.s.beside(h.Nominal, after)
			if !ok {
				continue
			}
			m, err := c.s.run(d, rec, nil)
			if err != nil || m.To == civil.None || m.To == h.At.Day || m.To > h.At.Day == after {
				continue
			}
			side := "before the previous date"
			if after {
				side = "after the next date"
			}
			c.note("instead.date."+h.ID, h.At, "the date moved by hand of %s is %s, %s of %s", h.ID, side, m.To, m.ID())
		}
	}
	for _, h := range c.s.Hands() {
		if h.At.Kind == eval.Blank && !h.Kept && c.window.Has(h.Nominal) {
			c.tell("instead."+h.What+"."+h.ID, eval.Day(h.Nominal), "%s of %s: %s", h.What, h.ID, h.Reason)
		}
	}
}

// provisional counts the date and its milestones that may move once a calendar knows
// more.
func (o *Occurrence) provisional() (n int) {
	for _, asked := range append([]Why{{Beyond: o.Moved.Beyond}}, o.Whys...) {
		if asked.Beyond.Is() {
			n++
		}
	}
	return n
}

// provisional notes how many dates may move once a calendar knows more.
func (c *checker) provisional() []*look {
	n, why := 0, beyondNone
	return []*look{{see: func(o *Occurrence) {
		if k := o.provisional(); k > 0 {
			n, why = n+k, o.Asked
		}
	}, end: func() {
		if n > 0 {
			c.note("rule", eval.Value{}, "%s provisional: %s", phrase.IsAre(n, "date"), why.Text())
		}
	}}}
}

// blanks notes milestones that some dates lack. One that may be blank by its own words
// isn't noted.
func (c *checker) blanks() (list []*look) {
	for i, m := range c.s.Milestones {
		if m.Prog.MayLack() {
			continue
		}
		n, of := 0, 0
		list = append(list, &look{see: func(o *Occurrence) {
			if o.Hand != nil && o.Hand.Gone || o.Whys[i].Hand != nil {
				return
			}
			if of++; o.Milestone(i).Kind == eval.Blank {
				n++
			}
		}, end: func() {
			if n > 0 {
				c.note("milestones."+m.Name, eval.Value{}, "%s is blank for %d of %s", m.Name, n, phrase.Counted(of, "date"))
			}
		}})
	}
	return list
}

// periods notes periods that overlap, or leave out days between them.
func (c *checker) periods() []*look { return []*look{{end: c.tellPeriods}} }

func (c *checker) tellPeriods() {
	if c.s.Start == nil && c.s.End == nil {
		return // the default periods follow each other
	}
	type found struct {
		n     int
		first string
	}
	var over, holes found
	var before civil.Span
	see := func(f *found, format string, args ...any) {
		if f.n++; f.n == 1 {
			f.first = fmt.Sprintf(format, args...)
		}
	}
	for p, err := range c.s.Periods(c.window) {
		if err != nil {
			c.err = err
			return
		}
		switch last := before.Last; {
		case before == civil.Span{}:
		case p.First <= last:
			see(&over, "%s..%s and %s..%s", before.First, last, p.First, p.Last)
		case p.First > last+1:
			see(&holes, "%s..%s", last+1, p.First-1)
		}
		if p.Last > before.Last || before == (civil.Span{}) {
			before = p.Span
		}
	}
	if over.n > 0 {
		c.note("period", eval.Value{}, "%s the one before; the first are %s", phrase.Agree(over.n, "period overlaps",
			"periods overlap"), over.first)
	}
	if holes.n > 0 {
		c.note("period", eval.Value{}, "%s in no period; the first is %s", phrase.Agree(holes.n, "stretch of days lies",
			"stretches of days lie"), holes.first)
	}
}

// early notes a rule that ends before the window begins.
func (c *checker) early() []*look { return []*look{{end: c.tellEarly}} }

func (c *checker) tellEarly() {
	if last := c.s.own().Last; last < c.window.First {
		c.note("rule", eval.Value{}, "the rule ends on %s, before the window starts on %s", last, c.window.First)
	}
}

func (c *checker) none() []*look { return []*look{{end: c.tellNone}} }

func (c *checker) tellNone() {
	if c.n == 0 {
		c.fail("rule", eval.Value{}, "no dates from %s to %s", c.window.First, c.window.Last)
	}
}
