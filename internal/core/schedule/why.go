package schedule

import (
	"fmt"
	"slices"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/workdays"
)

// ExplanationLine is one line of how a date came about.
type ExplanationLine struct {
	What   string // "date" or the milestone's name
	Step   string // what was done, in its canonical text
	Day    eval.Value
	Reason string // what the calendar said
}

// dateWithWeekday writes a date with its weekday.
func dateWithWeekday(d civil.Date) string { return d.Weekday().Abbrev() + " " + d.String() }

// closureText says why a day is closed and where that is listed.
func closureText(cal *workdays.Calendar, d civil.Date) string {
	why := cal.ClosureOf(d)
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

// maxListedClosed is how many closed days are reported one by one.
const maxListedClosed = 12

// moveDetails says what the calendar said when a step was made: each closed day
// on the way, with the holiday's name and where it is listed.
func moveDetails(m eval.Move) string {
	cal := m.Step.Calendar
	if cal == nil {
		return ""
	}
	days := civil.Date(1)
	if m.To < m.From {
		days = -1
	}
	first := m.From
	if !m.Step.IsRoll() {
		first += days // a step leaves its base out
	}
	var closed []string
	n := 0
	for d := first; d != m.To; d += days {
		if !cal.IsWorkday(d) {
			if n++; n <= maxListedClosed {
				closed = append(closed, dateWithWeekday(d)+" is closed ("+closureText(cal, d)+")")
			}
		}
	}
	if n > maxListedClosed {
		closed = append(closed, fmt.Sprintf("and %d more closed days", n-maxListedClosed))
	}
	if cal.IsWorkday(m.To) {
		closed = append(closed, dateWithWeekday(m.To)+" is a working day of "+cal.Name)
	}
	return strings.Join(closed, "; ")
}

// ExplainSteps explains a value that was worked out from a base, step by step.
func ExplainSteps(what string, from eval.Value, moves []eval.Move, result eval.Value) (list []ExplanationLine) {
	if len(moves) == 0 || !moves[0].Step.IsChoice() {
		list = append(list, ExplanationLine{what, "base", from, ""})
	}
	return append(list, explainMoves(what, moves, result)...)
}

// explainMoves lists the steps that were made: of a choice, first those of the operand that
// it took. The last line is what they come to.
func explainMoves(what string, moves []eval.Move, result eval.Value) []ExplanationLine {
	list := explainEach(what, moves)
	switch n := len(list); {
	case result.Kind == eval.DateTime:
		list = append(list, ExplanationLine{what, "at", result, ""})
	case result.Kind == eval.Blank && (n == 0 || list[n-1].Day.Kind != eval.Blank):
		list = append(list, ExplanationLine{what, "gives", eval.Value{}, "blank"})
	}
	return list
}

func explainEach(what string, moves []eval.Move) (list []ExplanationLine) {
	for _, m := range moves {
		t := ExplanationLine{What: what, Step: m.Step.Text, Day: eval.Day(m.To)}
		if len(m.Inner) > 0 {
			if m.Step.IsChoice() && !m.Inner[0].Step.IsChoice() {
				list = append(list, ExplanationLine{what, "base", eval.Day(m.From), ""})
			}
			list = append(list, explainEach(what, m.Inner)...)
		}
		switch cal := m.Step.Calendar; {
		case m.EarlyClose != "":
			t.Reason = m.EarlyClose
		case m.To == civil.None:
			t.Reason = "there is no such date"
		case m.Step.IsChoice():
			t.Reason = "chosen"
		case m.Changed():
			if t.Reason = moveDetails(m); t.Reason == "" {
				t.Reason = m.Explain()
			}
		case cal != nil && cal.IsWorkday(m.To):
			t.Reason = dateWithWeekday(m.To) + " is a working day of " + cal.Name
		default:
			if t.Reason = m.Explain(); t.Reason == "" {
				t.Reason = "nothing to change"
			}
		}
		list = append(list, t)
	}
	return list
}

// explainDate says how the date of an occurrence came about.
func (s *Series) explainDate(o *Occurrence) []ExplanationLine {
	place := "listed or added by its date"
	if o.Item >= 0 {
		place = "period " + o.Recurrence.Rule.Frame.Name(o.Recurrence.Rule.Unit, o.Period)
		if labels := o.Recurrence.Rule.Labels; labels != nil {
			place += ", " + strings.ReplaceAll(labels[o.Item], "-", " ")
		}
	}
	list := []ExplanationLine{{"date", "nominal", o.Row[slotNominal], place + "; id " + o.ID}}
	m := o.MovedDate // as it was before it was set by hand
	if m.Override = nil; len(m.Moves) > 0 {
		m.MovedTo = m.Moves[len(m.Moves)-1].To
	} else if o.Override != nil {
		m.MovedTo = o.Date.Date
	}
	if o.Override != nil && o.Override.Removed {
		list[0].Reason = "no longer given by the rule; id " + o.ID
	} else {
		list = append(list, explainMoves("date", o.Moves, m.Value())...)
	}
	return append(list, explainAdjustments("date", o.Value(), o.Override, o.MovedDate.Uncovered)...)
}

// explainAdjustments says what was set by hand, and what a calendar didn't know.
func explainAdjustments(what string, when eval.Value, h *Override, beyond workdays.Uncovered) (list []ExplanationLine) {
	switch {
	case h != nil && h.At.Kind == eval.Blank:
		list = append(list, ExplanationLine{what, "left out by hand", eval.Value{}, h.Reason})
	case h != nil && h.FromRelease:
		list = append(list, ExplanationLine{what, "kept", when, h.Reason})
	case h != nil:
		list = append(list, ExplanationLine{what, "by hand", when, h.Reason})
	}
	if beyond.IsSet() {
		list = append(list, ExplanationLine{what, "provisional", when, beyond.Message()})
	}
	return list
}

// Explain tells about a day: how each date or milestone of the series came about
// that falls on it or was meant for it; or, if there is none, what the
// calendar says of the day and which dates lie around it. ids are those of the dates.
func (s *Series) Explain(d civil.Date, cal *workdays.Calendar) (list []ExplanationLine, ids []string, err error) {
	span := civil.Span{First: d, Last: d}
	back, forth := s.milestoneReach()
	before, after := s.stepReach()
	for _, h := range s.overrides.list() { // one that was left out has no place among the others
		if h.What == "date" && h.At.Kind == eval.Blank && !h.Removed && (h.Nominal == d || s.dateWithoutOverride(h) == d) {
			list = append(list, ExplanationLine{"date", "nominal", eval.Day(h.Nominal), "id " + h.ID})
			list = append(list, explainAdjustments("date", eval.Value{}, h, noUncovered)...)
			ids = append(ids, h.ID)
		}
	}
	wide := span.Widen(max(back, before), max(forth, after))
	if s.overrides != nil { // what was meant for the day may have been set far from it
		wide = civil.Span{First: min(wide.First, s.overrides.days.First), Last: max(wide.Last, s.overrides.days.Last)}
	}
	for o, err := range s.Occurrences(wide) {
		if err != nil {
			return nil, nil, err
		}
		told := o.MovedTo == d || o.Override != nil && s.dateWithoutOverride(o.Override) == d || o.Date.Date == d || slices.ContainsFunc(o.Moves,
			func(m eval.Move) bool { return m.From == d })
		if told {
			list = append(list, s.explainDate(o)...)
		}
		for i := range s.Milestones {
			if v := o.Milestone(i); v.Day != d || v.Kind != eval.Date && v.Kind != eval.DateTime {
				continue
			}
			if !told {
				list = append(list, s.explainDate(o)...)
				told = true
			}
			list = append(list, s.explainMilestone(o, i)...)
		}
		if told {
			o.recordUncovered()
			ids = append(ids, o.ID)
		}
	}
	if list == nil {
		list = s.explainNoDate(d, cal)
	}
	return list, ids, nil
}

// explainMilestone explains milestone i of an occurrence.
func (s *Series) explainMilestone(o *Occurrence, i int) (list []ExplanationLine) {
	m, why := s.Milestones[i], o.Provenance[i]
	unset := o.Milestone(i)
	if why.beforeOverride != nil {
		unset = *why.beforeOverride
	}
	from := unset // if nothing was done to it
	if len(why.Moves) > 0 {
		from = eval.Day(why.Moves[0].From)
	}
	if o.Override == nil || !o.Override.Removed {
		list = append(list, ExplanationLine{m.Name, m.Program.Text, from, "counts from here"})
		if len(why.Moves) > 0 && why.Moves[0].Step.IsChoice() { // it tells its own bases
			list[len(list)-1].Day, list[len(list)-1].Reason = eval.Value{}, ""
		}
		list = append(list, explainMoves(m.Name, why.Moves, unset)...)
	}
	return append(list, explainAdjustments(m.Name, o.Milestone(i), why.Override, why.Uncovered)...)
}

// explainNoDate says what a day is that is no date, and the dates around it.
func (s *Series) explainNoDate(d civil.Date, cal *workdays.Calendar) []ExplanationLine {
	what := "a working day of " + cal.Name
	if !cal.IsWorkday(d) {
		what = "closed (" + closureText(cal, d) + ") in " + cal.Name
	}
	why := what + ", but no date of " + s.Name
	around := civil.Span{First: d, Last: d}
	if prev, ok := s.Before(d, false); ok {
		why += "; the one before is " + dateWithWeekday(prev)
		around.First = prev
	}
	if next, ok := s.After(d, false); ok {
		why += "; the next is " + dateWithWeekday(next)
		around.Last = next
	}
	cal.RecordQuery(around.First, around.Last)
	return []ExplanationLine{{"no date", "", eval.Day(d), why}}
}
