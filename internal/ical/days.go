package ical

import (
	"cmp"
	"fmt"
	"strconv"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/recur"
)

// DayEvent is an all-day event: the days that it covers, and how it recurs.
type DayEvent struct {
	Summary    string
	Categories string // joined by ", "
	Line       int
	First      civil.Date // DTSTART
	Days       int
	Rule       *recur.Rule // its starts; nil where it is First alone
	// Timed says that the event has times of day, so that it isn't all-day.
	Timed bool
	// Problem is what is wrong with it; an event with Days can be used all the
	// same.
	Problem *Error
	// Closing says that it would leave no day open: its calendar can't be used.
	Closing bool

	uid      string
	sequence int
	stamp    string
	instance civil.Date // RECURRENCE-ID, of one instance of a recurring event
	without  []civil.Date
	plus     []civil.Date
	rrule    *recur.RRule
}

// AllDay returns the events of a file that aren't cancelled, the timed ones
// marked. An instance with RECURRENCE-ID stands in the place of the one it names;
// of two events with one UID the higher SEQUENCE holds, then the later DTSTAMP
// (sections 3.8.4.4 and 3.8.7.4).
func AllDay(file string, root *Component) (list []DayEvent) {
	type who struct {
		uid      string
		instance civil.Date
	}
	var order []who
	best := map[who]*dayRead{}
	for _, cal := range root.Subs {
		called := strings.EqualFold(cal.Get("METHOD").Value, "CANCEL")
		if cal.Bad != nil {
			list = append(list, DayEvent{Line: cal.Bad.Line, Problem: cal.Bad})
		}
		for n, e := range cal.Subs {
			if e.Name != "VEVENT" {
				continue
			}
			d := readDay(file, e)
			d.cancelled = d.cancelled || called
			if d.uid == "" { // which is wrong, but names nobody else
				d.uid = fmt.Sprint("\x00", n, e.Line)
			}
			id := who{d.uid, d.instance}
			switch was := best[id]; {
			case was == nil:
				order = append(order, id)
				best[id] = d
			case cmp.Or(cmp.Compare(d.sequence, was.sequence), cmp.Compare(d.stamp, was.stamp)) > 0:
				best[id] = d
			}
		}
	}
	for _, id := range order {
		if id.instance != civil.None { // its place in the series is taken
			if master := best[who{uid: id.uid}]; master != nil {
				master.without = append(master.without, id.instance)
				best[id].cancelled = best[id].cancelled || master.cancelled
			}
		}
	}
	for _, id := range order {
		d := best[id]
		if d.cancelled {
			continue
		}
		if d.Problem == nil || d.Days > 0 {
			if err := d.recur(); err != nil {
				d.Problem, d.Days = &Error{file, d.Line, err.Error()}, 0
			}
		}
		list = append(list, d.DayEvent)
	}
	return list
}

// dayRead is an event while it is being read.
type dayRead struct {
	DayEvent
	cancelled bool
}

// readDay reads one event.
func readDay(file string, e *Component) *dayRead {
	d := &dayRead{}
	start := e.Get("DTSTART")
	d.Line = max(e.Line, start.Line)
	d.Summary = strings.Join(texts(e.Get("SUMMARY").Value), ",")
	var cats []string
	for _, p := range e.Props {
		if p.Name == "CATEGORIES" {
			cats = append(cats, texts(p.Value)...)
		}
	}
	d.Categories = strings.Join(cats, ", ")
	d.uid, d.stamp = e.Get("UID").Value, e.Get("DTSTAMP").Value
	d.sequence, _ = strconv.Atoi(e.Get("SEQUENCE").Value)
	d.cancelled = strings.EqualFold(strings.TrimSpace(e.Get("STATUS").Value), "CANCELLED")
	fault := func(line int, err error) *dayRead {
		d.Problem = &Error{file, line, err.Error()}
		return d
	}
	if id := e.Get("RECURRENCE-ID"); id.Line > 0 {
		var err error
		if d.instance, err = basicDate(id.Value); err != nil {
			return fault(id.Line, err)
		}
		if strings.EqualFold(id.Params["RANGE"], "THISANDFUTURE") {
			return fault(id.Line, fmt.Errorf("RANGE=THISANDFUTURE isn't read in a list of holidays"))
		}
	}
	if e.Bad != nil {
		return fault(e.Bad.Line, fmt.Errorf("%s", e.Bad.Message))
	}
	if start.Line == 0 {
		return fault(e.Line, fmt.Errorf("an event without DTSTART"))
	}
	var err error
	if d.First, err = basicDate(start.Value); err != nil {
		return fault(start.Line, err)
	}
	if line, err := d.length(e, start); err != nil {
		return fault(line, err)
	}
	if d.Timed {
		return d
	}
	if line, err := d.recurrence(e); err != nil {
		d.Days = 0
		return fault(line, err)
	}
	return d
}

// length settles how many days an event covers, and whether it has times of day:
// midnight to midnight is all-day.
func (d *dayRead) length(e *Component, start Property) (line int, err error) {
	timed := strings.Contains(start.Value, "T") && start.Params["VALUE"] != "DATE"
	d.Days = 1
	end, long := e.Get("DTEND"), e.Get("DURATION")
	switch {
	case timed && (!midnight(start.Value) || end.Line > 0 && !midnight(end.Value) || end.Line == 0 && long.Line == 0):
		d.Timed, d.Days = true, 0
		return 0, nil
	case end.Line > 0:
		last, err := basicDate(end.Value)
		if err != nil {
			d.Days = 0
			return end.Line, err
		}
		if last < d.First || timed && last == d.First {
			return end.Line, fmt.Errorf("the event ends before it starts; it is taken as one day")
		}
		d.Days = max(1, int(last-d.First))
	case long.Line > 0:
		days, whole, err := durationDays(long.Value)
		if err != nil {
			d.Days = 0
			return long.Line, err
		}
		if !whole {
			d.Timed, d.Days = true, 0
			return 0, nil
		}
		d.Days = days
	}
	return 0, nil
}

// midnight reports whether a date-time is at 00:00:00.
func midnight(s string) bool {
	_, clock, timed := strings.Cut(strings.TrimSpace(s), "T")
	return timed && strings.TrimSuffix(clock, "Z") == "000000"
}

// recurrence reads RRULE, EXDATE and RDATE.
func (d *dayRead) recurrence(e *Component) (line int, err error) {
	for _, p := range e.Props {
		switch p.Name {
		case "RRULE":
			if d.rrule, err = recur.ParseRRule(p.Value); err != nil {
				return p.Line, err
			}
		case "EXDATE", "RDATE":
			for _, v := range strings.Split(p.Value, ",") {
				v, _, _ = strings.Cut(v, "/") // a period
				day, err := basicDate(v)
				if err != nil {
					return p.Line, err
				}
				if p.Name == "RDATE" {
					d.plus = append(d.plus, day)
				} else {
					d.without = append(d.without, day)
				}
			}
		}
	}
	return 0, nil
}

// mostRecurring is how many days an event that recurs may cover.
const mostRecurring = 400

// recur makes the rule of the event's starts. DTSTART is in the set whether its
// rule gives it or not (section 3.8.5.3), and an EXDATE takes it out.
func (d *dayRead) recur() error {
	if d.rrule == nil && d.plus == nil && d.without == nil || d.Timed {
		return nil
	}
	if d.Days > mostRecurring {
		d.Closing = true
		return fmt.Errorf("an event that recurs covers %d days, so that none is left open; at most %d are read", d.Days, mostRecurring)
	}
	out := map[civil.Date]bool{}
	for _, day := range d.without {
		out[day] = true
	}
	var plus []civil.Date
	for _, day := range append(d.plus, d.First) {
		if !out[day] {
			plus = append(plus, day)
		}
	}
	if d.rrule == nil {
		d.Rule = recur.Dates(plus)
		return nil
	}
	r, err := d.rrule.Rule(d.First)
	if err != nil {
		return err
	}
	for _, day := range d.without {
		r.Without = append(r.Without, civil.Span{First: day, Last: day})
	}
	r.Plus = plus
	r.Prepare()
	d.Rule = r
	return nil
}

// basicDate reads 20270331, and drops a time behind it.
func basicDate(s string) (civil.Date, error) {
	day, _, _ := strings.Cut(strings.TrimSpace(s), "T")
	if len(day) == 8 {
		if d, _, ok := civil.Parse(day[:4] + "-" + day[4:6] + "-" + day[6:]); ok {
			return d, nil
		}
	}
	return civil.None, fmt.Errorf("not a date: %q; dates here are written 20270331", s[:min(len(s), 40)])
}

// durationDays reads the days of a duration such as P2D, P1W or PT24H (section
// 3.3.6); whole is false where it isn't whole days.
func durationDays(s string) (days int, whole bool, err error) {
	bad := fmt.Errorf("not a duration: %q; for example P2D", s[:min(len(s), 40)])
	rest, ok := strings.CutPrefix(strings.TrimPrefix(strings.ToUpper(strings.TrimSpace(s)), "+"), "P")
	if !ok || rest == "" {
		return 0, false, bad
	}
	seconds, clock := 0, false
	for rest != "" {
		if rest[0] == 'T' && !clock {
			rest, clock = rest[1:], true
			continue
		}
		n := 0
		for n < len(rest) && n < 7 && rest[n] >= '0' && rest[n] <= '9' {
			n++
		}
		if n == 0 || n == len(rest) {
			return 0, false, bad
		}
		k, _ := strconv.Atoi(rest[:n])
		per := map[bool]map[byte]int{false: {'W': 7 * 86400, 'D': 86400}, true: {'H': 3600, 'M': 60, 'S': 1}}[clock][rest[n]]
		if per == 0 {
			return 0, false, bad
		}
		seconds += k * per
		rest = rest[n+1:]
	}
	if seconds <= 0 {
		return 0, false, bad
	}
	return seconds / 86400, seconds%86400 == 0, nil
}
