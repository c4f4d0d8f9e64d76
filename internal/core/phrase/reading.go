package phrase

import (
	"strconv"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/recur"
)

// Reading tells in plain words what a phrase means.
func (p *Phrase) Reading() string {
	if p.Rule != nil {
		return p.Rule.Reading()
	}
	return sentence(exprReading(p.Expr))
}

// sentence gives a text a capital and a full stop.
func sentence(s string) string {
	if s == "" {
		return ""
	}
	return strings.ToUpper(s[:1]) + s[1:] + "."
}

// joinAnd joins parts as people do.
func joinAnd(parts []string) string {
	if n := len(parts); n > 1 {
		return strings.Join(parts[:n-1], ", ") + " and " + parts[n-1]
	}
	return strings.Join(parts, "")
}

// Reading tells in plain words what a rule means.
func (r *Rule) Reading() string {
	var b strings.Builder
	dates := func(list []Expr) string {
		var s []string
		for _, e := range list {
			s = append(s, exprReading(e))
		}
		return joinAnd(s)
	}
	switch {
	case r.Column != nil:
		return sentence("the rule in each row's " + r.Column.Text + " holds")
	case r.IsListed:
		b.WriteString("the dates " + dates(r.Include))
	case r.RRule != nil:
		b.WriteString("the dates of the RFC 5545 rule " + r.RRule.String())
	default:
		b.WriteString(r.cadenceReading())
	}
	var days []string
	for _, d := range r.On {
		days = append(days, r.dayReading(d.Item))
	}
	if len(days) > 0 {
		b.WriteString(", on " + joinAnd(days))
	} else if !r.IsListed && r.RRule == nil && r.Unit != civil.Day {
		b.WriteString(", on the day it counts from")
	}
	if len(r.Months) > 0 {
		var s []string
		for _, m := range r.Months {
			s = append(s, monthName(m))
		}
		b.WriteString(", in " + joinAnd(s) + " only")
	}
	clause := func(e Expr, before, after string) {
		if e != nil {
			b.WriteString(before + exprReading(e) + after)
		}
	}
	clause(r.BackFrom, ", counted back from ", "")
	clause(r.From, ", from ", " on")
	clause(r.Until, ", until ", " (included)")
	if r.Times > 0 {
		b.WriteString(", " + strconv.Itoa(r.Times) + " times")
	}
	clause(r.TimesBy, ", as many times as ", " says")
	if len(r.Exclude) > 0 {
		b.WriteString(", leaving out " + dates(r.Exclude))
	}
	if len(r.Include) > 0 && !r.IsListed {
		b.WriteString(", and also on " + dates(r.Include))
	}
	if r.SkipShort {
		b.WriteString(", with no date in a month without that day")
	}
	if r.Using != nil {
		b.WriteString(", by the calendar" + usingReading(r.Using))
	}
	if r.Choice != nil {
		b.WriteString("; of which each is " + ExprText(r.Choice))
	}
	if len(r.Then) > 0 {
		b.WriteString("; then " + stepsReading(r.Then))
	}
	return sentence(b.String())
}

func usingReading(u *Using) string {
	if u == nil {
		return ""
	}
	if u.Column != nil {
		return " that " + u.Column.Text + " names"
	}
	var s []string
	for _, c := range u.Calendars {
		s = append(s, c.Text)
	}
	if len(s) > 1 {
		return " of " + joinAnd(s) + " together"
	}
	return " of " + s[0]
}

func (r *Rule) cadenceReading() string {
	n := strconv.Itoa(r.Every)
	switch {
	case r.EveryBy != nil:
		return "every so many " + r.unitWord() + "s as " + exprReading(r.EveryBy) + " says"
	case r.Working && r.Every == 1:
		return "every working day"
	case r.Working:
		return "every " + n + " working days"
	case r.Every == 1:
		return "every " + civil.UnitNames[r.Unit]
	case r.Every == 2:
		return "every second " + civil.UnitNames[r.Unit]
	}
	return "every " + n + " " + civil.UnitNames[r.Unit] + "s"
}

func (r *Rule) dayReading(it recur.Item) string {
	s := ""
	switch it.Kind {
	case recur.DayNumber:
		whole := it.Month == 0 && r.Unit != civil.Month
		switch {
		case it.N < 0:
			s = "the " + ordinalText(it.N) + " day"
		case whole:
			s = "day " + strconv.Itoa(it.N) + " of the " + civil.UnitNames[r.Unit]
		case it.To != 0:
			s = "the " + ordinalText(it.N) + " to the " + ordinalText(it.To)
		default:
			s = "the " + ordinalText(it.N)
		}
		if it.N > 28 && !whole && !r.SkipShort && (it.Month == 0 || r.Unit != civil.Year || it.N > civil.DaysIn(2027, it.Month)) {
			s += " (or the last day of a shorter month)"
		}
	case recur.EveryWeekday:
		s = civil.WeekdayNames[it.Weekday]
		if it.WeekdayTo != 0 {
			s += " to " + civil.WeekdayNames[it.WeekdayTo]
		} else if r.Unit != civil.Week {
			s = "every " + s
		}
	case recur.NthWeekday:
		s = "the " + ordinalText(it.N) + " " + civil.WeekdayNames[it.Weekday]
	case recur.NthWorking:
		s = "the " + ordinalText(it.N) + " working day"
	case recur.MiddleDay:
		s = "the middle day"
	case recur.EasterDay:
		return "Easter Sunday"
	case recur.OrthodoxEasterDay:
		return "Orthodox Easter Sunday"
	case recur.WeekOfYear:
		return civil.WeekdayNames[it.Weekday] + " of ISO week " + strconv.Itoa(it.N)
	}
	switch {
	case it.Month != 0 && r.Unit == civil.Year:
		s += " of " + monthName(it.Month)
	case it.Month != 0:
		s += " of its " + ordinalText(it.Month) + " month"
	}
	return s
}

func exprReading(e Expr) string {
	switch e := e.(type) {
	case *Today:
		return "today"
	case *Date:
		return e.Day.String()
	case *DateRange:
		return "all from " + e.A + " through " + e.B
	case *ClosedDays:
		return "the days on which the calendar is closed"
	case *Name:
		return e.Text
	case *SeriesRef:
		return e.What + " of " + e.Series
	case *Otherwise:
		return exprReading(e.A) + ", or " + exprReading(e.B) + " if that is blank"
	case *EarlierLater:
		word := "the earlier of "
		if e.Later {
			word = "the later of "
		}
		return word + exprReading(e.A) + " and " + exprReading(e.B)
	case *Steps:
		base := "the base"
		if e.Base != nil {
			base = exprReading(e.Base)
		}
		return "from " + base + ": " + stepsReading(e.List)
	}
	return ExprText(e)
}

func stepsReading(list []Step) string {
	var s []string
	for _, step := range list {
		s = append(s, stepReading(step))
	}
	return strings.Join(s, "; then ")
}
