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

// Set is all that a file says of one event: the event, and those of its instances
// that differ from it.
type Set struct {
	master *Entry // nil if only instances are there
	others []*Entry
}

// Instance is one time that an event takes place.
type Instance struct {
	*Entry
	From, To Stamp // To is exclusive; From if there is no end
	// ID is the start that the event's own rule gives; nil if it doesn't recur.
	ID *Stamp
}

// Entries are the components of a set, the event first.
func (s *Set) Entries() []*Entry {
	if s.master == nil {
		return s.others
	}
	return append([]*Entry{s.master}, s.others...)
}

// Sets reads the events of a file. Of two components with one UID and instance the
// newer holds. The error is one that leaves the whole file unread.
func Sets(file string, root *Component) (list []*Set, problems []*Error, err error) {
	return setsOf(file, root, "VEVENT")
}

// setsOf is Sets for components of some kinds.
func setsOf(file string, root *Component, kinds ...string) (list []*Set, problems []*Error, err error) {
	r := reader{zonesOf(file, root)}
	type who struct {
		uid string
		id  int64
		of  bool // of one instance
	}
	at := map[who]int{} // its place among the entries
	var entries []*Entry
	for _, cal := range root.Subs {
		problems = append(problems, cal.faults()...)
		called := strings.EqualFold(strings.TrimSpace(cal.Get("METHOD").Value), "CANCEL")
		for n, c := range cal.Subs {
			if !slices.Contains(kinds, c.Name) {
				continue
			}
			e := r.entry(c)
			if e.called = called; called {
				e.Cancelled, e.Status = true, "CANCELLED"
			}
			id := who{uid: e.UID}
			if e.UID == "" { // which is wrong, but names nobody else
				id.uid = fmt.Sprint("\x00", n, e.Line)
			}
			if e.ID != nil {
				id.id, id.of = e.ID.Instant(), true
			}
			i, twice := at[id]
			switch {
			case !twice:
				at[id] = len(entries)
				entries = append(entries, e)
			case e.newer(entries[i]):
				entries[i] = e.over(entries[i])
			case !entries[i].newer(e) && !e.from.says(entries[i].from):
				e.doubt(file, e.Line, "this component has the same UID, SEQUENCE and DTSTAMP as the one on line %d but different contents; both are listed", entries[i].Line)
				e.twin = true
				entries = append(entries, e)
			}
		}
	}
	byUID := map[string]*Set{}
	for _, e := range entries {
		if e.Broken && !e.Cancelled { // what is cancelled needs no times
			problems = append(problems, e.Problems...)
			continue
		}
		problems = append(problems, e.Problems...)
		s := byUID[e.UID]
		if s == nil || e.UID == "" || e.twin && e.ID == nil {
			s = &Set{}
			if list = append(list, s); !e.twin || byUID[e.UID] == nil {
				byUID[e.UID] = s
			}
		}
		if e.ID == nil {
			s.master = e
		} else {
			s.others = append(s.others, e)
		}
	}
	for _, s := range list {
		s.settle()
	}
	return list, problems, nil
}

// over takes the place of an older entry; a cancellation that has no times of its
// own keeps them.
func (e *Entry) over(old *Entry) *Entry {
	if !e.Cancelled || !e.Broken {
		return e
	}
	kept := *old
	kept.Cancelled, kept.Status, kept.Sequence, kept.Line, kept.called, kept.stamp = true, e.Status, e.Sequence,
		e.Line, e.called, e.stamp
	return &kept
}

// settle sorts the instances, and cancels them with their event.
func (s *Set) settle() {
	slices.SortStableFunc(s.others, func(a, b *Entry) int { return byInstant(*a.ID, *b.ID) })
	for _, o := range s.others {
		if s.master != nil && s.master.Cancelled {
			o.Cancelled = true
		}
	}
	if s.master == nil {
		return
	}
	for _, o := range s.others { // one that names no instance stands alone
		if o.onward && !s.master.has(s.master.key(*o.ID)) {
			o.onward = false
		}
	}
}

// mostInstances is how many dates a command expands, mostWalked how many it looks at in all,
// those before the window and of events that are left out too; mostText how many bytes the
// texts of recurring events may have, each counted for every date beyond the first fewText.
const (
	mostInstances = 1_000_000
	mostWalked    = 20_000_000
	mostText      = 256 << 20
	fewText       = 256
)

// Budget is how many dates a command may still expand and look at, and how many bytes of text
// these may have.
type Budget struct{ left, walk, text int }

// NewBudget is the budget of a command.
func NewBudget() *Budget { return &Budget{mostInstances, mostWalked, mostText} }

// errTooLong is an event whose text would stand in the list too often.
var errTooLong = errors.New("the text of this event is too long to be repeated for each of its dates, so it is left out; narrow the window")

// errTooFar is an event that would pass what a command looks at.
var errTooFar = fmt.Errorf("the command would look at more than %d times of recurring events, so this one is left out; narrow the window", mostWalked)

// errTooMany is an event that would pass what may be expanded.
var errTooMany = fmt.Errorf("this event would bring the list to more than %d dates, so it is left out; narrow the window",
	mostInstances)

// ErrEndless is an event without an end, of which all is asked.
var ErrEndless = errors.New("this event repeats without end; give a window")

// Instances are the times that touch a span of days on the events' own clocks, in
// the order of their instances. What is cancelled is left out unless it is asked for; budget is
// nil for one of its own.
func (s *Set) Instances(span civil.Span, cancelled bool, budget *Budget) (list []Instance, err error) {
	if budget == nil {
		budget = NewBudget()
	}
	put := func(i Instance) {
		i.From, i.To = i.From.In(i.From.Zone), i.To.In(i.To.Zone) // a time that the clock skips, as it shows it
		if i.touches(span) && (cancelled || !i.Cancelled) {
			list = append(list, i)
		}
	}
	taken := map[int64]bool{}
	for _, o := range s.others {
		if s.master != nil {
			taken[s.master.key(*o.ID)] = true
		}
		if !o.Broken {
			put(Instance{o, o.Start, o.end(o.Start, nil), o.ID})
		}
	}
	m := s.master
	if m == nil || m.Broken || m.Cancelled && !cancelled {
		return list, nil
	}
	wide := span
	if span != civil.Always {
		wide = span.Widen(s.reach(), s.reach())
	}
	before := *budget
	starts, err := m.starts(wide, budget)
	if long := len(starts) * max(0, m.size()-fewText); err == nil && long > budget.text {
		err = errTooLong
	} else {
		budget.text -= long
	}
	if err != nil {
		budget.left, budget.text = before.left, before.text // which the others may use
		return nil, &Error{"", m.Line, err.Error()}
	}
	var onward []*Entry
	for _, o := range s.others {
		if o.onward {
			onward = append(onward, o)
		}
	}
	list = slices.Grow(list, len(starts))
	for _, at := range starts {
		key := m.key(at.Stamp)
		if taken[key] {
			continue
		}
		i := Instance{Entry: m, From: at.Stamp}
		if m.Recurs() {
			id := at.Stamp
			i.ID = &id
		}
		for _, o := range onward {
			if m.key(*o.ID) <= key {
				i.Entry, i.From = o, o.shift(at.Stamp)
			}
		}
		if !i.Broken {
			i.To = i.end(i.From, at.long)
			put(i)
		}
	}
	return list, nil
}

// size is how many bytes the texts of an entry have.
func (e *Entry) size() int {
	return len(e.UID) + len(e.Summary) + len(e.Description) + len(e.Location) + len(e.Categories) + len(e.Rule)
}

// reach is how far, in days, an instance may lie from the start that names it.
func (s *Set) reach() int {
	days := 2
	for _, e := range s.Entries() {
		long := max(e.Days, e.long.days+int(e.long.seconds/secondsOfDay)+1)
		for _, o := range e.plus {
			if o.long != nil {
				long = max(long, o.long.days+int(o.long.seconds/secondsOfDay)+1)
			}
		}
		if e.onward {
			moved := int(e.Start.Day - e.ID.Day)
			long += max(moved, -moved)
		}
		days = max(days, long+2)
	}
	return days
}

// shift moves a start as a THISANDFUTURE instance moved: by the clock where both are
// on one clock, else by the time between them (section 3.8.4.4).
func (e *Entry) shift(s Stamp) Stamp {
	id := *e.ID
	if id.Timed == e.Start.Timed && id.Zone == e.Start.Zone || !e.Start.Timed || !id.Timed {
		s.Moment = moment64(local(s.Moment) + local(e.Start.Moment) - local(id.Moment))
		s.Timed, s.Zone, s.late = e.Start.Timed, e.Start.Zone, false
		if !s.Timed {
			s.Second = 0
		}
		return s
	}
	return clockAt(s.Instant()+e.Start.Instant()-id.Instant(), e.Start.Zone)
}

// key is what tells instances of an event apart: the day of an all-day event, else
// the instant. A stamp without a zone is on the event's clock.
func (e *Entry) key(s Stamp) int64 {
	switch {
	case e.AllDay():
		return int64(s.Day)
	case !s.Timed:
		s.Timed, s.Second, s.Zone = true, e.Start.Second, e.Start.Zone
	case s.Zone == nil:
		s.Zone = e.Start.Zone
	case e.Start.Zone == nil: // an event that floats has no other clock than its own
		s.Zone = nil
	}
	return s.Instant()
}

// has reports whether a key is that of an instance.
func (e *Entry) has(key int64) bool {
	day := civil.Date(key)
	if !e.AllDay() {
		day = civil.Date(key / secondsOfDay)
	}
	list, err := e.starts(civil.Span{First: day, Last: day}.Widen(2, 2), NewBudget())
	return err == nil && slices.ContainsFunc(list, func(o occurrence) bool { return e.key(o.Stamp) == key })
}

// starts are the starts of an event in a span, in order: DTSTART, RRULE and RDATE
// less EXRULE and EXDATE (section 3.8.5).
func (e *Entry) starts(span civil.Span, budget *Budget) (list []occurrence, err error) {
	if span == civil.Always && slices.ContainsFunc(e.rules, func(r rule) bool { return r.Count == 0 && r.Until == nil }) {
		return nil, ErrEndless
	}
	list = append(slices.Clone(e.plus), occurrence{Stamp: e.Start})
	list = slices.DeleteFunc(list, func(o occurrence) bool { return !span.Has(o.Day) })
	for _, r := range e.rules {
		if err := e.expand(r, span, budget, func(s Stamp) { list = append(list, occurrence{Stamp: s}) }); err != nil {
			return nil, err
		}
	}
	out := map[int64]bool{}
	for _, s := range e.minus {
		out[e.key(s)] = true
	}
	for _, r := range e.exrules {
		if err := e.expand(r, span, budget, func(s Stamp) { out[e.key(s)] = true }); err != nil {
			return nil, err
		}
	}
	if len(list) > 1 {
		slices.SortStableFunc(list, func(a, b occurrence) int { return byInstant(a.Stamp, b.Stamp) })
		list = slices.CompactFunc(list, func(a, b occurrence) bool { return e.key(a.Stamp) == e.key(b.Stamp) })
	}
	days := map[civil.Date]bool{}
	for _, d := range e.minusDays {
		days[d] = true
	}
	if len(out)+len(days) > 0 {
		list = slices.DeleteFunc(list, func(o occurrence) bool { return out[e.key(o.Stamp)] || days[o.Day] })
	}
	return list, nil
}

// expand puts the starts that a rule gives in a span.
func (e *Entry) expand(r rule, span civil.Span, budget *Budget, put func(Stamp)) error {
	if e.AllDay() {
		for d := range r.days.All(span) {
			if err := budget.spend(true); err != nil {
				return err
			}
			put(Stamp{Moment: recur.Moment{Day: d.Date}})
		}
		return nil
	}
	zone := e.Start.Zone
	rule := *r.RRule
	until := int64(0) // an instant; a rule's UNTIL with Z is no time of the clock
	if rule.UntilUTC && zone != nil && zone != time.UTC {
		until = local(*rule.Until)
		later := moment64(until + 2*secondsOfDay)
		rule.Until = &later
	}
	if end := (recur.Moment{Day: min(span.Last+2, civil.Max)}); rule.Until == nil || rule.Until.Day > end.Day {
		rule.Until = &end // a rule that never matches isn't walked to the end of time
	}
	for m := range rule.MomentsFrom(e.Start.Moment, recur.Moment{Day: span.First}) {
		if m.Day > span.Last {
			break
		}
		s := Stamp{Moment: m, Timed: true, Zone: zone}
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
	if b.walk--; b.walk < 0 {
		return errTooFar
	}
	if expanded {
		if b.left--; b.left < 0 {
			return errTooMany
		}
	}
	return nil
}

// touches reports whether an instance takes place on a day of a span.
func (i *Instance) touches(span civil.Span) bool {
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
	r := reader{zonesOf(file, root)}
	for _, cal := range root.Subs {
		problems = append(problems, cal.faults()...)
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

// Whole is a component as an instance of itself.
func (e *Entry) Whole() Instance { return Instance{e, e.Start, e.end(e.Start, nil), e.ID} }
