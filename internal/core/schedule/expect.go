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

// Finding is something that check reports: what breaks a plan or, with IsNote, what else to
// know.
type Finding struct {
	IsNote   bool
	Intended bool       // a note of what somebody wanted so, which is no warning
	Subject  string     // the series or the record
	Key      string     // of the plan that it comes of, "" for the entry itself
	At       eval.Value // the date, if it has one
	Text     string
}

// Check looks at a series in a window. Its expectations come first.
func (s *Series) Check(window civil.Span) (list []Finding, err error) {
	c, err := s.checked(window, (*checker).duplicateChecks, (*checker).closedDayChecks, (*checker).overrideChecks, (*checker).provisionalChecks, (*checker).blankChecks,
		(*checker).periodChecks, (*checker).noDatesChecks, (*checker).endedRuleChecks, (*checker).unmatchedRelatedChecks)
	if err != nil {
		return nil, err
	}
	if n := s.Blanks(window); n > 0 {
		c.note("rule", eval.Value{}, "%d nominal dates without a date, because the steps after `then` give none", n)
	}
	return c.list, nil
}

// check is one test of a series: onOccurrence sees each occurrence in order and must not keep
// it, onEnd runs once afterwards. Either may be nil.
type check struct {
	onOccurrence func(o *Occurrence)
	onEnd        func()
	findings     []Finding
}

// checked looks at what is expected of the series, and then at more.
func (s *Series) checked(window civil.Span, more ...func(c *checker) []*check) (*checker, error) {
	c := &checker{s: s, window: window}
	looks := c.eachChecks()
	for _, of := range more {
		looks = append(looks, of(c)...)
	}
	for o, err := range s.Occurrences(c.reach()) {
		if err != nil {
			return nil, err
		}
		c.around = append(c.around, o.MovedTo)
		if !window.Contains(o.MovedTo) {
			continue
		}
		o.recordUncovered()
		if c.n++; c.n > maxDates {
			return nil, &TooManyError{s, window}
		}
		for _, l := range looks {
			if l.onOccurrence != nil {
				c.list = l.findings
				l.onOccurrence(o)
				l.findings = c.list
			}
		}
		if c.err != nil {
			return nil, c.err
		}
	}
	slices.Sort(c.around)
	var told []Finding
	for _, l := range append([]*check{{onEnd: c.checkCounts}, {onEnd: c.checkGaps}}, looks...) {
		if c.list = l.findings; l.onEnd != nil {
			l.onEnd()
		}
		told = append(told, c.firstFindings()...)
	}
	c.list = told
	return c, c.err
}

// maxDates is how many dates of a series a plan may have in its window.
const maxDates = 1_000_000

// TooManyError refuses a window with more dates of a series than a plan may have.
type TooManyError struct {
	Series *Series
	Window civil.Span
}

// Error says how many there may be.
func (e *TooManyError) Error() string {
	return fmt.Sprintf("more than %d dates from %s to %s; use a narrower window", maxDates, e.Window.First, e.Window.Last)
}

// maxListedAlike is how many findings of one kind are listed.
const maxListedAlike = 10_000

// firstFindings are the findings of one look; of very many, the rest are counted.
func (c *checker) firstFindings() []Finding {
	if n := len(c.list) - maxListedAlike; n > 0 {
		last := c.list[maxListedAlike-1]
		last.At, last.Text = eval.Value{}, fmt.Sprintf("and %d more like this", n)
		return append(c.list[:maxListedAlike:maxListedAlike], last)
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

func (c *checker) fail(key string, when eval.Value, format string, args ...any) {
	c.list = append(c.list, Finding{Subject: c.s.Name, Key: key, At: when, Text: fmt.Sprintf(format, args...)})
}

// noteIntended adds a note about what somebody wanted so: `strict` doesn't make a failure of
// it.
func (c *checker) noteIntended(key string, when eval.Value, format string, args ...any) {
	c.note(key, when, format, args...)
	c.list[len(c.list)-1].Intended = true
}

func (c *checker) note(key string, when eval.Value, format string, args ...any) {
	c.fail(key, when, format, args...)
	c.list[len(c.list)-1].IsNote = true
}

// reach is the window and what counts and gaps look at around it.
func (c *checker) reach() civil.Span {
	span := c.window
	f := c.s.fiscal()
	for _, u := range countUnits {
		if c.expectsCount(u.Key) {
			first, _ := f.PeriodAt(u.Unit, c.window.First, 0)
			last, _ := f.PeriodAt(u.Unit, c.window.Last, 0)
			span.First, span.Last = min(span.First, max(first.First, civil.Min)), max(span.Last, min(last.Last, civil.Max))
		}
	}
	if slices.ContainsFunc(c.expectations(), func(e *Expectations) bool { return e.Gap != nil }) {
		if d, ok := c.s.Before(c.window.First, false); ok {
			span.First = min(span.First, d)
		}
		if d, ok := c.s.After(c.window.Last, false); ok {
			span.Last = max(span.Last, d)
		}
	}
	return span
}

// checkCounts counts the dates of each whole period that the window touches. If the
// rule's own bounds cut one, it needn't have the least.
func (c *checker) checkCounts() {
	own := c.s.ruleSpan()
	for _, u := range countUnits {
		if !c.expectsCount(u.Key) {
			continue
		}
		changes, fails, seen := 0, len(c.list), countSummary{}
		for p, err := range c.s.fiscal().Periods(u.Unit)(c.window) {
			if err != nil {
				c.err = err
				return
			}
			want, ok, changed := c.expectedCount(u.Key, p.Span)
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
			if !want.contains(n) && !(cut && n <= want.Max) {
				c.fail("expect."+u.Key, eval.Value{}, "%s: %s has %s, expected %s", u.Key, p.Name, phrase.Plural(n, "date"), want)
			}
		}
		c.proveCounts(fails, u.Key, seen)
		if changes > 0 {
			c.note("expect."+u.Key, eval.Value{}, "%s: the rule changes within %d of the periods; they aren't counted",
				u.Key, changes)
		}
	}
}

// checkGaps looks at neighbours of which one lies in the window.
func (c *checker) checkGaps() {
	fails, least, most, n, words := len(c.list), 0, 0, 0, ""
	defer func() {
		if n > 0 {
			days := phrase.Plural(most, "day")
			if least < most {
				days = fmt.Sprintf("%d to %s", least, days)
			}
			c.addProof(fails, "gap: "+words, "%s of %s", phrase.Plural(n, "gap"), days)
		}
	}()
	for i := 1; i < len(c.around); i++ {
		a, b := c.around[i-1], c.around[i]
		gap, days := c.expectedGap(b), int(b-a)
		if gap == nil || !c.window.Contains(a) && !c.window.Contains(b) {
			continue
		}
		if n == 0 {
			least, words = days, gap.String()+" days"
		}
		n, least, most = n+1, min(least, days), max(most, days)
		if !gap.contains(days) {
			c.fail("expect.gap", eval.Day(b), "gap: %s after %s, expected %s", phrase.Plural(days, "day"), a, gap)
		}
	}
}

// expectations are what is expected of the series and of each of its rules.
func (c *checker) expectations() (list []*Expectations) {
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

// expectsCount reports whether a number of dates is expected anywhere.
func (c *checker) expectsCount(key string) bool {
	return slices.ContainsFunc(c.expectations(), func(e *Expectations) bool { _, ok := e.Counts[key]; return ok })
}

// expectedCount is how many dates a period should have, by the rule that holds in it or by
// the series. If the rule changes in it, there is no telling.
func (c *checker) expectedCount(key string, p civil.Span) (want Bounds, ok, changed bool) {
	rule := c.ruleAt(p.First)
	if other := c.ruleAt(p.Last); len(c.s.Rules) > 1 && other != rule {
		return want, false, true
	}
	for _, e := range []*Expectations{rule.expects(), c.s.Expects} {
		if e != nil {
			if want, ok = e.Counts[key]; ok {
				return want, true, false
			}
		}
	}
	return want, false, false
}

// ruleAt is the rule that holds on a day, or nil.
func (c *checker) ruleAt(d civil.Date) *EffectiveRule {
	for i := range c.s.Rules {
		if c.s.Rules[i].Span.Contains(d) {
			return &c.s.Rules[i]
		}
	}
	return nil
}

func (r *EffectiveRule) expects() *Expectations {
	if r == nil {
		return nil
	}
	return r.Expects
}

// expectedGap is what is expected of the days before a date.
func (c *checker) expectedGap(d civil.Date) *Bounds {
	if e := c.ruleAt(d).expects(); e != nil && e.Gap != nil {
		return e.Gap
	}
	if c.s.Expects != nil {
		return c.s.Expects.Gap
	}
	return nil
}

// ruleSpan is the stretch that the series bounds itself.
func (s *Series) ruleSpan() civil.Span {
	own := civil.AllDays
	first, last := s.Rules[0], s.Rules[len(s.Rules)-1]
	own.First = first.Span.First
	if from := first.Recurrence.Rule.From; from != civil.None {
		own.First = max(own.First, from)
	}
	if own.Last = last.Span.Last; !last.Recurrence.Rule.Endless() {
		own.Last = min(own.Last, last.Recurrence.Rule.Span().Last)
	}
	return own
}

func (c *checker) eachChecks() (list []*check) {
	if c.s.Expects != nil {
		list = c.eachChecksOf(c.s.Expects, "expect.each.", func(*Occurrence) bool { return true })
	}
	for i := range c.s.Rules {
		if r := &c.s.Rules[i]; r.Expects != nil {
			list = append(list, c.eachChecksOf(r.Expects, fmt.Sprintf("expect.rule.%d.each.", i),
				func(o *Occurrence) bool { return r.Span.Contains(o.Date.Date) })...)
		}
	}
	return list
}

// eachChecksOf holds the dates that are its own against the conditions of e.
func (c *checker) eachChecksOf(e *Expectations, key string, own func(o *Occurrence) bool) (list []*check) {
	for i, x := range e.Each {
		blank, of := 0, 0
		key := key + strconv.Itoa(i)
		list = append(list, &check{onOccurrence: func(o *Occurrence) {
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
				c.fail(key, o.Value(), "each: %s: %s", x.Text, x.Explain(o.Row))
			}
		}, onEnd: func() {
			c.proveEach(0, x.Text, of, blank)
			if blank > 0 {
				c.note(key, eval.Value{}, "each: %s is blank for %d of %s", x.Text, blank, phrase.Plural(c.n, "date"))
			}
		}})
	}
	return list
}

// duplicateChecks finds two dates of the series on one day.
func (c *checker) duplicateChecks() []*check {
	var before *Occurrence
	return []*check{{onOccurrence: func(o *Occurrence) {
		if a := before; a != nil && a.MovedTo == o.MovedTo {
			c.fail("rule", o.Value(), "two dates on the same day: %s (nominal %s) and %s (nominal %s)", a.ID, a.Date.Date, o.ID,
				o.Date.Date)
		}
		before = o
	}}}
}

// closedDayChecks finds dates and milestones that a roll was to keep off closed days and
// that lie on one of the calendar they roll by.
func (c *checker) closedDayChecks() []*check {
	rolls := func(chain *eval.Chain) *workdays.Calendar {
		if chain != nil {
			for i := range slices.Backward(chain.Steps) {
				if chain.Steps[i].IsRoll() {
					return chain.Steps[i].Calendar
				}
			}
		}
		return nil
	}
	day := func(key, what string, cal *workdays.Calendar, v eval.Value, o *Occurrence, h *Override) {
		switch {
		case v.Kind == eval.Blank:
		case h != nil:
			if cal := c.s.Calendar; cal != nil && !cal.IsWorkday(v.Day) {
				c.noteIntended("instead."+h.What+"."+h.ID, o.Value(), "%s %s is closed (%s) in %s; %s", what, dateWithWeekday(v.Day),
					eval.ClosureName(cal, v.Day), cal.Name, h.Reason)
			}
		case cal != nil && !cal.IsWorkday(v.Day):
			c.fail(key, o.Value(), "%s %s is closed (%s) in %s, after a roll", what, dateWithWeekday(v.Day),
				eval.ClosureName(cal, v.Day), cal.Name)
		}
	}
	return []*check{{onOccurrence: func(o *Occurrence) {
		day("rule", "the date", rolls(o.Recurrence.Chain), o.Value(), o, o.Override)
		for i, m := range c.s.Milestones {
			day("milestones."+m.Name, m.Name, rolls(m.Program.Chain()), o.Milestone(i), o, o.Provenance[i].Override)
		}
	}}}
}

// overrideChecks notes the dates that were left out by hand, and those that were set beyond the
// date before or after; the others are in the table with their reason.
func (c *checker) overrideChecks() []*check { return []*check{{onEnd: c.noteOverrides}} }

func (c *checker) noteOverrides() {
	for _, h := range c.s.Overrides() {
		if h.What != "date" || h.FromRelease || h.Removed || h.At.Kind == eval.Blank || !c.window.Contains(h.Nominal) &&
			!c.window.Contains(h.At.Day) {
			continue
		}
		for _, after := range []bool{false, true} {
			d, rec, ok := c.s.adjacentNominal(h.Nominal, after)
			if !ok {
				continue
			}
			m, err := c.s.moveDate(d, rec, nil)
			if err != nil || m.MovedTo == civil.None || m.MovedTo == h.At.Day || m.MovedTo > h.At.Day == after {
				continue
			}
			side := "before the previous date"
			if after {
				side = "after the next date"
			}
			c.note("instead.date."+h.ID, h.At, "the date moved by hand of %s is %s, %s of %s", h.ID, side, m.MovedTo, m.ID())
		}
	}
	for _, h := range c.s.Overrides() {
		if h.At.Kind == eval.Blank && !h.FromRelease && c.window.Contains(h.Nominal) {
			c.noteIntended("instead."+h.What+"."+h.ID, eval.Day(h.Nominal), "%s of %s: %s", h.What, h.ID, h.Reason)
		}
	}
}

// provisional counts the date and its milestones that may move once a calendar knows
// more.
func (o *Occurrence) provisional() (n int) {
	for _, asked := range append([]Provenance{{Uncovered: o.MovedDate.Uncovered}}, o.Provenance...) {
		if asked.Uncovered.IsSet() {
			n++
		}
	}
	return n
}

// provisionalChecks notes how many dates may move once a calendar knows more.
func (c *checker) provisionalChecks() []*check {
	n, why := 0, noUncovered
	return []*check{{onOccurrence: func(o *Occurrence) {
		if k := o.provisional(); k > 0 {
			n, why = n+k, o.AnyUncovered
		}
	}, onEnd: func() {
		if n > 0 {
			c.note("rule", eval.Value{}, "%s provisional: %s", phrase.CountIs(n, "date"), why.Message())
		}
	}}}
}

// blankChecks notes milestones that some dates lack. One that may be blank by its own words
// isn't noted.
func (c *checker) blankChecks() (list []*check) {
	for i, m := range c.s.Milestones {
		if m.Program.MayBeBlank() {
			continue
		}
		n, of := 0, 0
		list = append(list, &check{onOccurrence: func(o *Occurrence) {
			if o.Override != nil && o.Override.Removed || o.Provenance[i].Override != nil {
				return
			}
			if of++; o.Milestone(i).Kind == eval.Blank {
				n++
			}
		}, onEnd: func() {
			if n > 0 {
				c.note("milestones."+m.Name, eval.Value{}, "%s is blank for %d of %s", m.Name, n, phrase.Plural(of, "date"))
			}
		}})
	}
	return list
}

// periodChecks notes periods that overlap, or leave out days between them.
func (c *checker) periodChecks() []*check { return []*check{{onEnd: c.notePeriods}} }

func (c *checker) notePeriods() {
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
		c.note("period", eval.Value{}, "%s the one before; the first are %s", phrase.CountVerb(over.n, "period overlaps",
			"periods overlap"), over.first)
	}
	if holes.n > 0 {
		c.note("period", eval.Value{}, "%s in no period; the first is %s", phrase.CountVerb(holes.n, "stretch of days lies",
			"stretches of days lie"), holes.first)
	}
}

// endedRuleChecks notes a rule that ends before the window begins.
func (c *checker) endedRuleChecks() []*check { return []*check{{onEnd: c.noteEndedRule}} }

func (c *checker) noteEndedRule() {
	if last := c.s.ruleSpan().Last; last < c.window.First {
		c.note("rule", eval.Value{}, "the rule ends on %s, before the window starts on %s", last, c.window.First)
	}
}

func (c *checker) noDatesChecks() []*check { return []*check{{onEnd: c.noteNoDates}} }

func (c *checker) noteNoDates() {
	if c.n == 0 {
		c.fail("rule", eval.Value{}, "no dates from %s to %s", c.window.First, c.window.Last)
	}
}
