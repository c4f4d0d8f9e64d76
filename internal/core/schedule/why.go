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
	if len(moves) == 0 || !moves[0].Step.HasOwnBase() {
		if len(moves) > 0 && from.Kind == eval.Date {
			from = moves[0].Base()
		}
		list = append(list, ExplanationLine{what, "base", from, blankText(from)})
	}
	return append(list, explainMoves(what, moves, result)...)
}

// blankText says that a value is blank; "" if it isn't.
func blankText(v eval.Value) string {
	if v.Kind == eval.Blank {
		return "blank"
	}
	return ""
}

// explainMoves lists the steps that were made: of a choice, first what it looked at. The last
// line is what they come to.
func explainMoves(what string, moves []eval.Move, result eval.Value) []ExplanationLine {
	list := explainEach(what, moves)
	n := len(list)
	switch {
	case result.Kind == eval.Blank && (n == 0 || list[n-1].Day.Kind != eval.Blank):
		list = append(list, ExplanationLine{what, "gives", eval.Value{}, "blank"})
	case result.Kind == eval.DateTime && (n == 0 || !list[n-1].Day.SameTime(result)):
		list = append(list, ExplanationLine{what, "gives", result, zoneText(result)})
	}
	return list
}

// zoneText says by which zone's clock a time is told; "" if it floats, or is of the place's own.
func zoneText(v eval.Value) string {
	if v.Kind != eval.DateTime || v.Text == "" {
		return ""
	}
	return "by the clock of " + v.Text
}

func explainEach(what string, moves []eval.Move) (list []ExplanationLine) {
	for _, m := range moves {
		told := false // what it took was among what it looked at
		for _, o := range m.Operands() {
			list = append(list, explainOperand(what, o)...)
			told = told || o.Value.Kind != eval.Boolean
		}
		if len(m.Inner) > 0 && !told {
			if m.Step.IsChoice() && !m.Inner[0].Step.HasOwnBase() {
				list = append(list, ExplanationLine{what, "base", m.Inner[0].Base(), ""})
			}
			list = append(list, explainEach(what, m.Inner)...)
		}
		list = append(list, ExplanationLine{what, m.Step.Text, m.Result(), moveText(m)})
	}
	return list
}

// explainOperand tells what a choice looked at: an operand with how it came about, or a condition
// with its answer.
func explainOperand(what string, o eval.Operand) []ExplanationLine {
	switch {
	case o.Value.Kind == eval.Boolean:
		return []ExplanationLine{{what, o.Text, eval.Value{}, o.Value.String()}}
	case len(o.Moves) == 0:
		return []ExplanationLine{{what, o.Text, o.Value, zoneText(o.Value)}}
	}
	return ExplainSteps(what, eval.Day(o.Moves[0].From), o.Moves, o.Value)
}

// moveText says what a step did, and why.
func moveText(m eval.Move) string {
	cal := m.Step.Calendar
	switch {
	case m.EarlyClose() != "":
		return m.EarlyClose()
	case m.Blank() != "":
		return m.Blank() + " is blank"
	case m.IsClock() && m.Zone() != "":
		return "by the clock of " + m.Zone()
	case m.IsClock():
		return ""
	case m.To == civil.None && m.Step.HasOwnBase():
		return "it has no date that belongs to this one"
	case m.To == civil.None:
		return "there is no such date"
	case m.Step.IsChoice():
		return "chosen"
	case m.Explain() != "":
		return m.Explain()
	case m.Changed():
		return moveDetails(m)
	case cal != nil && cal.IsWorkday(m.To):
		return dateWithWeekday(m.To) + " is a working day of " + cal.Name
	}
	return "nothing to change"
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

// Explained is how dates came about.
type Explained struct {
	Lines []ExplanationLine
	IDs   []string // of the dates
	dates []*Occurrence
	// If there is no date, around it the calendar was asked about.
	calendar *workdays.Calendar
	around   civil.Span
}

// RecordUncovered counts the dates that rest on days that no calendar covers.
func (e *Explained) RecordUncovered() {
	if e.calendar != nil {
		e.calendar.RecordQuery(e.around.First, e.around.Last)
	}
	for _, o := range e.dates {
		o.recordUncovered()
	}
}

func (e *Explained) add(o *Occurrence, lines []ExplanationLine) {
	e.Lines, e.IDs, e.dates = append(e.Lines, lines...), append(e.IDs, o.ID), append(e.dates, o)
}

// addLeftOut tells of dates that were left out by hand, which have no place among the others.
func (s *Series) addLeftOut(e *Explained, isMeant func(*Override) bool) {
	for _, h := range s.overrides.list() {
		if h.What == "date" && h.At.Kind == eval.Blank && !h.Removed && isMeant(h) {
			e.Lines = append(e.Lines, ExplanationLine{"date", "nominal", eval.Day(h.Nominal), "id " + h.ID})
			e.Lines = append(e.Lines, explainAdjustments("date", eval.Value{}, h, noUncovered)...)
			e.IDs = append(e.IDs, h.ID)
		}
	}
}

// Explain tells about a day: how each date or milestone of the series came about that falls on it
// or was meant for it; or, if there is none, what the calendar says of the day and which dates lie
// around it.
func (s *Series) Explain(d civil.Date, cal *workdays.Calendar) (e Explained, err error) {
	s.addLeftOut(&e, func(h *Override) bool { return h.Nominal == d || s.dateWithoutOverride(h) == d })
	for o, err := range s.Occurrences(s.spanAround(d)) {
		if err != nil {
			return e, err
		}
		var lines []ExplanationLine
		if o.MovedTo == d || o.Override != nil && s.dateWithoutOverride(o.Override) == d || o.Date.Date == d || slices.ContainsFunc(o.Moves,
			func(m eval.Move) bool { return m.From == d }) {
			lines = s.explainDate(o)
		}
		for i := range s.Milestones {
			if v := o.Milestone(i); v.Day == d && (v.Kind == eval.Date || v.Kind == eval.DateTime) {
				if lines == nil {
					lines = s.explainDate(o)
				}
				lines = append(lines, s.explainMilestone(o, i)...)
			}
		}
		if lines != nil {
			e.add(o, lines)
		}
	}
	if e.Lines == nil {
		e.Lines, e.around = s.explainNoDate(d, cal)
		e.calendar = cal
	}
	return e, nil
}

// spanAround holds all dates that fall on a day, or of which a milestone or a step does.
func (s *Series) spanAround(d civil.Date) civil.Span {
	back, forth := s.milestoneReach()
	before, after := s.stepReach()
	wide := civil.Span{First: d, Last: d}.Widen(max(back, before), max(forth, after))
	if s.overrides != nil { // what was meant for the day may have been set far from it
		wide = civil.Span{First: min(wide.First, s.overrides.days.First), Last: max(wide.Last, s.overrides.days.Last)}
	}
	return wide
}

// ExplainID is Explain for the date of an id; it has no lines if the series gives none.
func (s *Series) ExplainID(id string) (e Explained, err error) {
	if s.addLeftOut(&e, func(h *Override) bool { return h.ID == id }); e.Lines != nil {
		return e, nil
	}
	o, err := s.findOccurrence(id)
	if err == nil && o != nil {
		e.add(o, s.explainDate(o))
	}
	return e, err
}

// ExplainMilestone tells how milestone i came about where it falls on d, or belongs to a date
// that falls on d or was meant for it; id, if it isn't "", chooses the date instead.
func (s *Series) ExplainMilestone(i int, d civil.Date, id string) (e Explained, err error) {
	if id != "" {
		o, err := s.findOccurrence(id)
		if err == nil && o != nil {
			e.add(o, s.explainMilestone(o, i))
		}
		return e, err
	}
	for o, err := range s.Occurrences(s.spanAround(d)) {
		if err != nil {
			return e, err
		}
		if v := o.Milestone(i); o.MovedTo == d || o.Date.Date == d || v.Kind != eval.Blank && v.Day == d {
			e.add(o, s.explainMilestone(o, i))
		}
	}
	return e, nil
}

// explainMilestone explains milestone i of an occurrence.
func (s *Series) explainMilestone(o *Occurrence, i int) (list []ExplanationLine) {
	m, why := s.Milestones[i], o.Provenance[i]
	unset := o.Milestone(i)
	if why.beforeOverride != nil {
		unset = *why.beforeOverride
	}
	if o.Override == nil || !o.Override.Removed {
		line := ExplanationLine{m.Name, m.Program.Text, unset, "counts from here"} // if nothing was done to it
		switch {
		case len(why.Moves) == 0:
		case why.Moves[0].Step.HasOwnBase(): // which it tells itself
			line.Day, line.Reason = eval.Value{}, ""
		default:
			line.Day = why.Moves[0].Base()
		}
		list = append(append(list, line), explainMoves(m.Name, why.Moves, unset)...)
	}
	return append(list, explainAdjustments(m.Name, o.Milestone(i), why.Override, why.Uncovered)...)
}

// explainNoDate says what a day is that is no date, and the dates around it.
func (s *Series) explainNoDate(d civil.Date, cal *workdays.Calendar) (lines []ExplanationLine, around civil.Span) {
	what := "a working day of " + cal.Name
	if !cal.IsWorkday(d) {
		what = "closed (" + closureText(cal, d) + ") in " + cal.Name
	}
	why := what + ", but no date of " + s.Name
	around = civil.Span{First: d, Last: d}
	if prev, ok := s.Before(d, false); ok {
		why += "; the one before is " + dateWithWeekday(prev)
		around.First = prev
	}
	if next, ok := s.After(d, false); ok {
		why += "; the next is " + dateWithWeekday(next)
		around.Last = next
	}
	return []ExplanationLine{{"no date", "", eval.Day(d), why}}, around
}
