package ical

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/recur"
)

// EventSet is all that a file says of one event: the event, and those of its instances
// that differ from it.
type EventSet struct {
	master    *Entry // nil if only instances are there
	overrides []*Entry
}

// Instance is one time that an event takes place.
type Instance struct {
	*Entry
	From, To TimeValue // To is exclusive; From if there is no end
	// RecurrenceID is the start that the event's own rule gives; nil if it doesn't recur.
	RecurrenceID *TimeValue
}

// Entries are the components of a set, the event first.
func (s *EventSet) Entries() []*Entry {
	if s.master == nil {
		return s.overrides
	}
	return append([]*Entry{s.master}, s.overrides...)
}

// ReadSets reads the events of a file. Of two components with one UID and instance the
// newer holds. The error is one that leaves the whole file unread.
func ReadSets(file string, root *Component) (list []*EventSet, problems []*Error, err error) {
	return readSetsOf(file, root, "VEVENT")
}

// readSetsOf is ReadSets for components of some kinds.
func readSetsOf(file string, root *Component, kinds ...string) (list []*EventSet, problems []*Error, err error) {
	r := componentReader{zonesOf(file, root)}
	type who struct {
		uid string
		id  int64
		of  bool // of one instance
	}
	at := map[who]int{} // its place among the entries
	var entries []*Entry
	for _, cal := range root.Subs {
		problems = append(problems, cal.problems()...)
		called := strings.EqualFold(strings.TrimSpace(cal.Get("METHOD").Value), "CANCEL")
		for n, c := range cal.Subs {
			if !slices.Contains(kinds, c.Name) {
				continue
			}
			e := r.entry(c)
			if e.isMethodCancel = called; called {
				e.Cancelled, e.Status = true, "CANCELLED"
			}
			id := who{uid: e.UID}
			if e.UID == "" { // which is wrong, but names nobody else
				id.uid = fmt.Sprint("\x00", n, e.Line)
			}
			if e.RecurrenceID != nil {
				id.id, id.of = e.RecurrenceID.Instant(), true
			}
			i, twice := at[id]
			switch {
			case !twice:
				at[id] = len(entries)
				entries = append(entries, e)
			case e.isNewerThan(entries[i]):
				entries[i] = e.override(entries[i])
			case !entries[i].isNewerThan(e) && !e.from.equals(entries[i].from):
				e.addProblem(file, e.Line, "this component has the same UID, SEQUENCE and DTSTAMP as the one on line %d but different contents; both are listed", entries[i].Line)
				e.isAmbiguous = true
				entries = append(entries, e)
			}
		}
	}
	list, more := groupByUID(entries)
	return list, append(problems, more...), nil
}

// groupByUID puts each component with those that replace its instances.
func groupByUID(entries []*Entry) (list []*EventSet, problems []*Error) {
	byUID := map[string]*EventSet{}
	for _, e := range entries {
		if e.Broken && !e.Cancelled { // what is cancelled needs no times
			problems = append(problems, e.Problems...)
			continue
		}
		problems = append(problems, e.Problems...)
		s := byUID[e.UID]
		if s == nil || e.UID == "" || e.isAmbiguous && e.RecurrenceID == nil {
			s = &EventSet{}
			if list = append(list, s); !e.isAmbiguous || byUID[e.UID] == nil {
				byUID[e.UID] = s
			}
		}
		if e.RecurrenceID == nil {
			s.master = e
		} else {
			s.overrides = append(s.overrides, e)
		}
	}
	for _, s := range list {
		s.sortOverrides()
	}
	return list, problems
}

// override takes the place of an older entry; a cancellation that has no times of its
// own keeps them.
func (e *Entry) override(old *Entry) *Entry {
	if !e.Cancelled || !e.Broken {
		return e
	}
	kept := *old
	kept.Cancelled, kept.Status, kept.Sequence, kept.Line, kept.isMethodCancel, kept.dtstamp = true, e.Status, e.Sequence,
		e.Line, e.isMethodCancel, e.dtstamp
	return &kept
}

// sortOverrides sorts the instances, and cancels them with their event.
func (s *EventSet) sortOverrides() {
	slices.SortStableFunc(s.overrides, func(a, b *Entry) int { return byInstant(*a.RecurrenceID, *b.RecurrenceID) })
	for _, o := range s.overrides {
		if s.master != nil && s.master.Cancelled {
			o.Cancelled = true
		}
	}
	if s.master == nil {
		return
	}
	for _, o := range s.overrides { // one that names no instance stands alone
		if o.thisAndFuture && !s.master.hasInstance(s.master.instanceKey(*o.RecurrenceID)) {
			o.thisAndFuture = false
		}
	}
}

// maxInstances is how many dates a command expands, maxVisited how many it looks at in all,
// those before the window and of events that are left out too; maxTextBytes how many bytes the
// texts of recurring events may have, each counted for every date beyond the first smallTextBytes.
const (
	maxInstances   = 1_000_000
	maxVisited     = 20_000_000
	maxTextBytes   = 256 << 20
	smallTextBytes = 256
)

// Budget is how many dates a command may still expand and look at, and how many bytes of text
// these may have.
type Budget struct{ instances, visits, text int }

// NewBudget is the budget of a command.
func NewBudget() *Budget { return &Budget{maxInstances, maxVisited, maxTextBytes} }

// errTextTooLong is an event whose text would stand in the list too often.
var errTextTooLong = errors.New("the text of this event is too long to be repeated for each of its dates, so it is left out; narrow the window")

// errTooManyVisits is an event that would pass what a command looks at.
var errTooManyVisits = fmt.Errorf("the command would look at more than %d times of recurring events, so this one is left out; narrow the window", maxVisited)

// errTooManyInstances is an event that would pass what may be expanded.
var errTooManyInstances = fmt.Errorf("this event would bring the list to more than %d dates, so it is left out; narrow the window",
	maxInstances)

// ErrEndless is an event without an end, of which all is asked.
var ErrEndless = errors.New("this event repeats without end; give a window")

// Instances are the times that touch a span of days on the events' own clocks, in
// the order of their instances. What is cancelled is left out unless it is asked for; budget is
// nil for one of its own.
func (s *EventSet) Instances(span civil.Span, cancelled bool, budget *Budget) (list []Instance, err error) {
	if budget == nil {
		budget = NewBudget()
	}
	put := func(i Instance) {
		i.From, i.To = i.From.In(i.From.Zone), i.To.In(i.To.Zone) // a time that the clock skips, as it shows it
		if i.overlaps(span) && (cancelled || !i.Cancelled) {
			list = append(list, i)
		}
	}
	taken := map[int64]bool{}
	for _, o := range s.overrides {
		if s.master != nil {
			taken[s.master.instanceKey(*o.RecurrenceID)] = true
		}
		if !o.Broken {
			put(Instance{o, o.Start, o.endOf(o.Start, nil), o.RecurrenceID})
		}
	}
	m := s.master
	if m == nil || m.Broken || m.Cancelled && !cancelled {
		return list, nil
	}
	wide := span
	if span != civil.AllDays {
		wide = span.Widen(s.maxDisplacement(), s.maxDisplacement())
	}
	before := *budget
	starts, err := m.starts(wide, budget)
	if long := len(starts) * max(0, m.textBytes()-smallTextBytes); err == nil && long > budget.text {
		err = errTextTooLong
	} else {
		budget.text -= long
	}
	if err != nil {
		budget.instances, budget.text = before.instances, before.text // which the others may use
		return nil, &Error{"", m.Line, err.Error()}
	}
	var onward []*Entry
	for _, o := range s.overrides {
		if o.thisAndFuture {
			onward = append(onward, o)
		}
	}
	list = slices.Grow(list, len(starts))
	for _, at := range starts {
		key := m.instanceKey(at.TimeValue)
		if taken[key] {
			continue
		}
		i := Instance{Entry: m, From: at.TimeValue}
		if m.Recurs() {
			id := at.TimeValue
			i.RecurrenceID = &id
		}
		for _, o := range onward {
			if m.instanceKey(*o.RecurrenceID) <= key {
				i.Entry, i.From = o, o.shiftByOverride(at.TimeValue)
			}
		}
		if !i.Broken {
			i.To = i.endOf(i.From, at.duration)
			put(i)
		}
	}
	return list, nil
}

// textBytes is how many bytes the texts of an entry have.
func (e *Entry) textBytes() int {
	return len(e.UID) + len(e.Summary) + len(e.Description) + len(e.Location) + len(e.Categories) + len(e.Rule)
}

// maxDisplacement is how far, in days, an instance may lie from the start that names it.
func (s *EventSet) maxDisplacement() int {
	days := 2
	for _, e := range s.Entries() {
		long := max(e.Days, e.duration.days+int(e.duration.seconds/secondsOfDay)+1)
		for _, o := range e.rdates {
			if o.duration != nil {
				long = max(long, o.duration.days+int(o.duration.seconds/secondsOfDay)+1)
			}
		}
		if e.thisAndFuture {
			moved := int(e.Start.Day - e.RecurrenceID.Day)
			long += max(moved, -moved)
		}
		days = max(days, long+2)
	}
	return days
}

// shiftByOverride moves a start as a THISANDFUTURE instance moved: by the clock where both are
// on one clock, else by the time between them (section 3.8.4.4).
func (e *Entry) shiftByOverride(s TimeValue) TimeValue {
	id := *e.RecurrenceID
	if id.HasTime == e.Start.HasTime && id.Zone == e.Start.Zone || !e.Start.HasTime || !id.HasTime {
		s.DateTime = dateTimeAt(localSeconds(s.DateTime) + localSeconds(e.Start.DateTime) - localSeconds(id.DateTime))
		s.HasTime, s.Zone, s.isSecondOfFold = e.Start.HasTime, e.Start.Zone, false
		if !s.HasTime {
			s.Second = 0
		}
		return s
	}
	return localAt(s.Instant()+e.Start.Instant()-id.Instant(), e.Start.Zone)
}

// instanceKey is what tells instances of an event apart: the day of an all-day event, else
// the instant. A stamp without a zone is on the event's clock.
func (e *Entry) instanceKey(s TimeValue) int64 {
	switch {
	case e.AllDay():
		return int64(s.Day)
	case !s.HasTime:
		s.HasTime, s.Second, s.Zone = true, e.Start.Second, e.Start.Zone
	case s.Zone == nil:
		s.Zone = e.Start.Zone
	case e.Start.Zone == nil: // an event that floats has no other clock than its own
		s.Zone = nil
	}
	return s.Instant()
}

// hasInstance reports whether a key is that of an instance.
func (e *Entry) hasInstance(key int64) bool {
	day := civil.Date(key)
	if !e.AllDay() {
		day = civil.Date(key / secondsOfDay)
	}
	list, err := e.starts(civil.Span{First: day, Last: day}.Widen(2, 2), NewBudget())
	return err == nil && slices.ContainsFunc(list, func(o occurrence) bool { return e.instanceKey(o.TimeValue) == key })
}

// starts are the starts of an event in a span, in order: DTSTART, RRULE and RDATE
// less EXRULE and EXDATE (section 3.8.5).
func (e *Entry) starts(span civil.Span, budget *Budget) (list []occurrence, err error) {
	if span == civil.AllDays && slices.ContainsFunc(e.rules, func(r recurrenceRule) bool { return r.Count == 0 && r.Until == nil }) {
		return nil, ErrEndless
	}
	list = append(slices.Clone(e.rdates), occurrence{TimeValue: e.Start})
	list = slices.DeleteFunc(list, func(o occurrence) bool { return !span.Contains(o.Day) })
	for _, r := range e.rules {
		if err := e.expand(r, span, budget, func(s TimeValue) { list = append(list, occurrence{TimeValue: s}) }); err != nil {
			return nil, err
		}
	}
	out := map[int64]bool{}
	for _, s := range e.exdates {
		out[e.instanceKey(s)] = true
	}
	for _, r := range e.exrules {
		if err := e.expand(r, span, budget, func(s TimeValue) { out[e.instanceKey(s)] = true }); err != nil {
			return nil, err
		}
	}
	if len(list) > 1 {
		slices.SortStableFunc(list, func(a, b occurrence) int { return byInstant(a.TimeValue, b.TimeValue) })
		list = slices.CompactFunc(list, func(a, b occurrence) bool { return e.instanceKey(a.TimeValue) == e.instanceKey(b.TimeValue) })
	}
	days := map[civil.Date]bool{}
	for _, d := range e.exdateDays {
		days[d] = true
	}
	if len(out)+len(days) > 0 {
		list = slices.DeleteFunc(list, func(o occurrence) bool { return out[e.instanceKey(o.TimeValue)] || days[o.Day] })
	}
	return list, nil
}

// expand puts the starts that a rule gives in a span.
func (e *Entry) expand(r recurrenceRule, span civil.Span, budget *Budget, put func(TimeValue)) error {
	if e.AllDay() {
		for d := range r.asDays.All(span) {
			if err := budget.spend(true); err != nil {
				return err
			}
			put(TimeValue{DateTime: recur.DateTime{Day: d.Date}})
		}
		return nil
	}
	zone := e.Start.Zone
	rule := *r.RRule
	until := int64(0) // an instant; a rule's UNTIL with Z is no time of the clock
	if rule.UntilUTC && zone != nil && zone != time.UTC {
		until = localSeconds(*rule.Until)
		later := dateTimeAt(until + 2*secondsOfDay)
		rule.Until = &later
	}
	if end := (recur.DateTime{Day: min(span.Last+2, civil.Max)}); rule.Until == nil || rule.Until.Day > end.Day {
		rule.Until = &end // a rule that never matches isn't walked to the end of time
	}
	for m := range rule.DateTimesFrom(e.Start.DateTime, recur.DateTime{Day: span.First}) {
		if m.Day > span.Last {
			break
		}
		s := TimeValue{DateTime: m, HasTime: true, Zone: zone}
		if until > 0 && s.Instant() > until {
			break
		}
		if err := budget.spend(m.Day >= span.First); err != nil {
			return err
		}
		if m.Day >= span.First {
			put(s)
		}
	}
	return nil
}

// spend takes a time that is looked at, and expanded or not.
func (b *Budget) spend(expanded bool) error {
	if b.visits--; b.visits < 0 {
		return errTooManyVisits
	}
	if expanded {
		if b.instances--; b.instances < 0 {
			return errTooManyInstances
		}
	}
	return nil
}

// overlaps reports whether an instance takes place on a day of a span.
func (i *Instance) overlaps(span civil.Span) bool {
	return i.From.Day <= span.Last && i.Last() >= span.First
}

// Last is the last day on which an instance takes place.
func (i *Instance) Last() civil.Date {
	last := i.To.Day
	if i.To.Second == 0 && last > i.From.Day {
		last--
	}
	return last
}

// Entries reads every component of a file that has times or could have, as it is.
func Entries(file string, root *Component) (list []*Entry, problems []*Error, err error) {
	r := componentReader{zonesOf(file, root)}
	for _, cal := range root.Subs {
		problems = append(problems, cal.problems()...)
		for _, c := range cal.Subs {
			if c.Name == "VTIMEZONE" {
				continue
			}
			e := r.entry(c)
			if problems = append(problems, e.Problems...); !e.Broken {
				list = append(list, e)
			}
		}
	}
	return list, problems, nil
}

// AsInstance is a component as an instance of itself.
func (e *Entry) AsInstance() Instance {
	return Instance{e, e.Start, e.endOf(e.Start, nil), e.RecurrenceID}
}
