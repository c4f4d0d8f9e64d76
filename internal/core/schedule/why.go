package schedule

import (
	"fmt"
	"slices"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/workdays"
)

// Telling is one line of how a date came about.
type Telling struct {
	What string // "date" or the milestone's name
	Step string // what was done, in its canonical text
	Day  eval.Value
	Why  string // what the calendar said
}

// named writes a date with its weekday.
func named(d civil.Date) string { return d.Weekday().Short() + " " + d.String() }

// closure says why a day is closed and where that is listed.
func closure(cal *workdays.Calendar, d civil.Date) string {
	why := cal.Why(d)
	if why.Weekend {
		return "weekend"
	}
	var parts []string
	for _, h := range why.Holidays {
		if h.Source != "" {
			parts = append(parts, h.Name+", "+h.Source)
		} else {
			parts = append(parts, h.Name)
		}
	}
	return strings.Join(parts, "; ")
}

// mostTold is how many closed days are reported one by one.
const mostTold = 12

// Details says what the calendar said when a step was made: each closed day
// on the way, with the holiday's name and where it is listed.
func Details(m eval.Move) string {
	cal := m.Step.Calendar
	if cal == nil {
		return ""
	}
	by := civil.Date(1)
	if m.To < m.From {
		by = -1
	}
	first := m.From
	if !m.Step.Rolls() {
		first += by // a step leaves its base out
	}
	var closed []string
	n := 0
	for d := first; d != m.To; d += by {
		if !cal.Open(d) {
			if n++; n <= mostTold {
				closed = append(closed, named(d)+" is closed ("+closure(cal, d)+")")
			}
		}
	}
	if n > mostTold {
		closed = append(closed, fmt.Sprintf("and %d more closed days", n-mostTold))
	}
	if cal.Open(m.To) {
		closed = append(closed, named(m.To)+" is a working day of "+cal.Name)
	}
	return strings.Join(closed, "; ")
}

// TellSteps explains a value that was worked out from a base, step by step.
func TellSteps(what string, from eval.Value, moves []eval.Move, result eval.Value) (list []Telling) {
	if len(moves) == 0 || !moves[0].Step.Chose() {
		list = append(list, Telling{what, "base", from, ""})
	}
	return append(list, tellMoves(what, moves, result)...)
}

// tellMoves lists the steps that were made: of a choice, first those of the operand that
// it took. The last line is what they come to.
func tellMoves(what string, moves []eval.Move, result eval.Value) []Telling {
	list := tellEach(what, moves)
	switch n := len(list); {
	case result.Kind == eval.Moment:
		list = append(list, Telling{what, "at", result, ""})
	case result.Kind == eval.Blank && (n == 0 || list[n-1].Day.Kind != eval.Blank):
		list = append(list, Telling{what, "gives", eval.Value{}, "blank"})
	}
	return list
}

func tellEach(what string, moves []eval.Move) (list []Telling) {
	for _, m := range moves {
		t := Telling{What: what, Step: m.Step.Text, Day: eval.Day(m.To)}
		if len(m.Inner) > 0 {
			if m.Step.Chose() && !m.Inner[0].Step.Chose() {
				list = append(list, Telling{what, "base", eval.Day(m.From), ""})
			}
			list = append(list, tellEach(what, m.Inner)...)
		}
		switch cal := m.Step.Calendar; {
		case m.Early != "":
			t.Why = m.Early
		case m.To == civil.None:
			t.Why = "there is no such date"
		case m.Step.Chose():
			t.Why = "chosen"
		case m.Changed():
			if t.Why = Details(m); t.Why == "" {
				t.Why = m.Tell()
			}
		case cal != nil && cal.Open(m.To):
			t.Why = named(m.To) + " is a working day of " + cal.Name
		default:
			if t.Why = m.Tell(); t.Why == "" {
				t.Why = "nothing to change"
			}
		}
		list = append(list, t)
	}
	return list
}

// tellDate says how the date of an occurrence came about.
func (s *Series) tellDate(o *Occurrence) []Telling {
	place := "listed or added by its date"
	if o.Item >= 0 {
		place = "period " + o.Rec.Rule.Frame.Name(o.Rec.Rule.Unit, o.Period)
		if labels := o.Rec.Rule.Labels; labels != nil {
			place += ", " + strings.ReplaceAll(labels[o.Item], "-", " ")
		}
	}
	list := []Telling{{"date", "nominal", o.Row[slotNominal], place + "; id " + o.ID}}
	m := o.Moved // as it was before it was set by hand
	if m.Hand = nil; len(m.Moves) > 0 {
		m.To = m.Moves[len(m.Moves)-1].To
	} else if o.Hand != nil {
		m.To = o.Date.Date
	}
	if o.Hand != nil && o.Hand.Gone {
		list[0].Why = "no longer given by the rule; id " + o.ID
	} else {
		list = append(list, tellMoves("date", o.Moves, m.Value())...)
	}
	return append(list, tellRest("date", o.Value(), o.Hand, o.Moved.Beyond)...)
}

// tellRest says what was set by hand, and what a calendar didn't know.
func tellRest(what string, at eval.Value, h *Hand, beyond workdays.Beyond) (list []Telling) {
	switch {
	case h != nil && h.At.Kind == eval.Blank:
		list = append(list, Telling{what, "left out by hand", eval.Value{}, h.Reason})
	case h != nil && h.Kept:
		list = append(list, Telling{what, "kept", at, h.Reason})
	case h != nil:
		list = append(list, Telling{what, "by hand", at, h.Reason})
	}
	if beyond.Is() {
		list = append(list, Telling{what, "provisional", at, beyond.Text()})
	}
	return list
}

// Why tells about a day: how each date or milestone of the series came about
// that falls on it or was meant for it; or, if there is none, what the
// calendar says of the day and which dates lie around it. ids are those of the dates.
func (s *Series) Why(d civil.Date, cal *workdays.Calendar) (list []Telling, ids []string, err error) {
	span := civil.Span{First: d, Last: d}
	back, forth := s.milestoneReach()
	before, after := s.reach()
	for _, h := range s.hands.list() { // one that was left out has no place among the others
		if h.What == "date" && h.At.Kind == eval.Blank && !h.Gone && (h.Nominal == d || s.unset(h) == d) {
			list = append(list, Telling{"date", "nominal", eval.Day(h.Nominal), "id " + h.ID})
			list = append(list, tellRest("date", eval.Value{}, h, beyondNone)...)
			ids = append(ids, h.ID)
		}
	}
	wide := span.Widen(max(back, before), max(forth, after))
	if s.hands != nil { // what was meant for the day may have been set far from it
		wide = civil.Span{First: min(wide.First, s.hands.days.First), Last: max(wide.Last, s.hands.days.Last)}
	}
	for o, err := range s.Occurrences(wide) {
		if err != nil {
			return nil, nil, err
		}
		told := o.To == d || o.Hand != nil && s.unset(o.Hand) == d || o.Date.Date == d || slices.ContainsFunc(o.Moves,
			func(m eval.Move) bool { return m.From == d })
		if told {
			list = append(list, s.tellDate(o)...)
		}
		for i, m := range s.Milestones {
			if v := o.Milestone(i); v.Day != d || v.Kind != eval.Date && v.Kind != eval.Moment {
				continue
			}
			if !told {
				list = append(list, s.tellDate(o)...)
				told = true
			}
			why := o.Whys[i]
			unset := o.Milestone(i)
			if why.unset != nil {
				unset = *why.unset
			}
			from := unset // if nothing was done to it
			if len(why.Moves) > 0 {
				from = eval.Day(why.Moves[0].From)
			}
			if o.Hand == nil || !o.Hand.Gone {
				list = append(list, Telling{m.Name, m.Prog.Text, from, "counts from here"})
				if len(why.Moves) > 0 && why.Moves[0].Step.Chose() { // it tells its own bases
					list[len(list)-1].Day, list[len(list)-1].Why = eval.Value{}, ""
				}
				list = append(list, tellMoves(m.Name, why.Moves, unset)...)
			}
			list = append(list, tellRest(m.Name, o.Milestone(i), why.Hand, why.Beyond)...)
		}
		if told {
			o.Note()
			ids = append(ids, o.ID)
		}
	}
	if list == nil {
		list = s.whyNone(d, cal)
	}
	return list, ids, nil
}

// whyNone says what a day is that is no date, and the dates around it.
func (s *Series) whyNone(d civil.Date, cal *workdays.Calendar) []Telling {
	what := "a working day of " + cal.Name
	if !cal.Open(d) {
		what = "closed (" + closure(cal, d) + ") in " + cal.Name
	}
	why := what + ", but no date of " + s.Name
	around := civil.Span{First: d, Last: d}
	if prev, ok := s.Before(d, false); ok {
		why += "; the one before is " + named(prev)
		around.First = prev
	}
	if next, ok := s.After(d, false); ok {
		why += "; the next is " + named(next)
		around.Last = next
	}
	cal.Ask(around.First, around.Last)
	return []Telling{{"no date", "", eval.Day(d), why}}
}
