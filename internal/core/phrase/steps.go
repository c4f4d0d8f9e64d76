package phrase

import (
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/recur"
	"yoyaku/internal/core/workdays"
)

// unitAt reads a unit word k tokens ahead; length is 0 when there is none.
func (p *parser) unitAt(k int) (u Unit, length int) {
	t := p.ahead(k)
	if t.kind != tWord {
		return 0, 0
	}
	if t.word == "working" && p.ahead(k+1).is("day", "days") {
		return WorkingDays, 2
	}
	if u, ok := units[singular(t.word)]; ok {
		return u, 1
	}
	return 0, 0
}

// shiftAhead reports whether a sign, a number or name and a unit follow.
func (p *parser) shiftAhead() bool {
	if !p.peek().sign("+") && !p.peek().sign("-") {
		return false
	}
	n := p.ahead(1)
	if n.kind != tNumber && n.kind != tQuoted && (n.kind != tWord || reserved[n.word]) {
		return false
	}
	_, length := p.unitAt(2)
	return length > 0
}

// stepAhead reports whether the phrase goes on with a step, not with a base.
func (p *parser) stepAhead() bool {
	t, next := p.peek(), p.ahead(1)
	switch {
	case t.sign("+"):
		return true
	case t.sign("-"): // -5 alone is a number
		after := p.ahead(2)
		return p.shiftAhead() || next.kind == tWord || next.kind == tNumber && after.kind == tWord && !reserved[after.word]
	case t.kind == tOrdinal:
		return true
	case p.measureAhead():
		return false
	case t.kind == tNumber:
		return next.kind == tWord && (months[next.word] != 0 || next.word == "of")
	case t.kind == tQuoted:
		return next.is("on") && p.ahead(2).is("or")
	case t.kind != tWord:
		return false
	case weekdays[t.word] != 0, months[t.word] != 0, t.word == "at":
		return true
	case t.word == "start" || t.word == "middle" || t.word == "end":
		return next.is("of")
	case t.word == "next" || t.word == "previous" || ordinals[t.word] != 0 || t.word == "roll" || t.word == "anniversary":
		return next.kind == tWord && !next.is("otherwise") || next.kind == tNumber || next.kind == tQuoted || next.kind == tOrdinal
	case t.word == "lasting":
		return next.kind == tNumber || next.kind == tWord || next.kind == tQuoted
	case t.word == "working":
		return next.is("day") && p.ahead(2).is("on")
	case t.word == "easter":
		return next.kind == tEnd || next.sign(",") || next.is("on") || p.i > 0
	}
	return next.is("on") && p.ahead(2).is("or")
}

// measureAhead reports whether a measure begins with a word that steps begin
// with too: fridays from, working days in, working day of.
func (p *parser) measureAhead() bool {
	if _, n := p.countAhead(); n > 0 {
		return true
	}
	_, n := p.partAhead()
	return n > 0
}

// steps reads steps separated by commas, where the place supplies the base.
func (p *parser) steps() (list []Step) {
	for {
		list = append(list, p.step())
		if p.peek().sign(",") {
			p.take()
		} else if !p.shiftAhead() {
			return list
		}
	}
}

const stepHelp = "steps are: +1 month, -2 working days, lasting 6 months, end of next month, 1st mon of quarter, roll following, next fri, sun on or before, at 16:30"

func (p *parser) step() Step {
	t := p.peek()
	switch {
	case t.sign("+"), t.sign("-"):
		return p.shift()
	case t.is("start", "middle", "end"):
		p.take()
		if !p.accept("of") {
			fail(t.to(p.peek().Span), "expected `of` and a period after `"+t.word+"`", "for example: "+t.word+" of next month")
		}
		of := p.period()
		return &Edge{t.to(p.last()), map[string]int{"start": -1, "middle": 0, "end": 1}[t.word], of}
	case t.is("lasting"):
		p.take()
		a := p.amount("`lasting`")
		if n, ok := a.By.(*Number); ok && n.N < 1 {
			fail(n.Span, "a span lasts 1 or more", "")
		}
		u := p.stepUsing(a.Unit == WorkingDays)
		return &Lasting{t.to(p.last()), a, u}
	case t.is("roll"):
		return p.roll()
	case t.is("at"):
		p.take()
		at := p.take()
		if at.kind != tTime {
			fail(at.Span, "expected a time after `at`"+p.found(at), "for example: at 16:30")
		}
		if !p.peek().sign(")") && p.peek().kind != tEnd {
			fail(p.peek().Span, "`at` is the last step; nothing may follow it", "")
		}
		return &At{t.to(at.Span), at.n}
	case t.is("next", "previous"):
		return p.seek()
	case t.is("anniversary"):
		return p.anniversary()
	}
	if p.strictTarget() || p.dayAhead() {
		return p.dayStep()
	}
	if p.ahead(1).is("on") && p.ahead(2).is("or") && (t.kind == tWord && !reserved[t.word] || t.kind == tQuoted) {
		p.take()
		return p.onOr(t.Span, Target{Series: &Name{t.Span, p.nameText(t)}})
	}
	hint := stepHelp
	if t.kind == tWord {
		if h := brought[t.word]; h != "" {
			hint = "write `" + h + "`"
		} else if n := Nearest(t.word, append(stepWords, WeekdayWords...)); n != "" {
			hint = "did you mean `" + n + "`?"
		}
	}
	fail(t.Span, "expected a step"+p.found(t), hint)
	return nil
}

func (p *parser) nameText(t token) string {
	if t.kind == tQuoted {
		return t.word
	}
	return p.text[t.Start:t.End]
}

// amount reads a whole number or name and a unit.
func (p *parser) amount(after string) Amount {
	t := p.take()
	var by Expr
	switch {
	case t.kind == tNumber:
		if t.n < 0 {
			fail(t.Span, "an amount is a whole number, not "+t.word, "")
		}
		by = &Number{t.Span, t.n, ""}
	case t.kind == tQuoted, t.kind == tWord && !reserved[t.word]:
		by = &Name{t.Span, p.nameText(t)}
	default:
		fail(t.Span, "expected a number or a name after "+after+p.found(t), "for example: +3 months, -2 working days")
	}
	u, length := p.unitAt(0)
	if length == 0 {
		w := p.peek()
		hint := "days, weeks, fortnights, months, quarters, half-years, years or working days"
		if w.kind == tWord {
			hint = meant(w.word, hint, []string{"days", "weeks", "fortnights", "months", "quarters", "half-years", "years", "working days"})
			if h := brought[w.word]; h != "" {
				hint = "write `" + h + "`"
			}
		}
		fail(w.Span, "expected a unit after the number"+p.found(w), hint)
	}
	p.i += length
	return Amount{by, u}
}

func (p *parser) shift() Step {
	t := p.take()
	s := &Shift{Back: t.word == "-", Parts: []Amount{p.amount("`" + t.word + "`")}}
	for n := p.peek(); n.kind == tNumber; n = p.peek() {
		if _, length := p.unitAt(1); length == 0 {
			break
		}
		s.Parts = append(s.Parts, p.amount("the units"))
	}
	ofMonths := false
	for _, a := range s.Parts {
		ofMonths = ofMonths || a.Unit.OfMonths()
		if a.Unit == WorkingDays && len(s.Parts) > 1 {
			fail(t.to(p.last()), "working days can't be joined with other units", "make two steps of it, separated by a comma")
		}
	}
	if k := p.peek(); p.accept("keep") {
		if !p.accept("month", "end") {
			fail(k.Span, "expected `keep month end`", "")
		}
		if !ofMonths {
			fail(k.to(p.last()), "`keep month end` goes with months, quarters or years", "")
		}
		s.KeepEnd = true
	}
	s.Using = p.stepUsing(s.Parts[0].Unit == WorkingDays)
	s.Span = t.to(p.last())
	return s
}

// stepUsing reads `using` after a step, which must be one that counts.
func (p *parser) stepUsing(counts bool) *Using {
	u := p.using()
	if u != nil && !counts {
		fail(u.Span, "this step counts no working days, so a calendar changes nothing in it", "put `using` behind the step that counts or rolls")
	}
	return u
}

func (p *parser) period() Period {
	var per Period
	t := p.peek()
	switch {
	case p.accept("this"):
	case p.accept("next"):
		per.Offset = 1
	case p.accept("previous"):
		per.Offset = -1
	case t.is("last"):
		fail(t.Span, "`last` is an ordinal", "write `previous`")
	case t.is("the"):
		fail(t.Span, "`the` is left out here", "for example: end of month")
	}
	t = p.take()
	if t.is("fiscal") {
		f := p.take()
		u := map[string]civil.Unit{"month": civil.FiscalMonth, "quarter": civil.FiscalQuarter, "half": civil.FiscalHalf,
			"half-year": civil.FiscalHalf, "year": civil.FiscalYear}[f.word]
		if u == 0 || f.kind != tWord {
			fail(f.Span, "expected month, quarter, half or year after `fiscal`"+p.found(f), "")
		}
		per.Unit = u
		return per
	}
	u, ok := periodUnits[t.word]
	if t.kind != tWord || !ok {
		hint := "a period is [this|next|previous] week, month, quarter, half-year, year, or fiscal month, quarter, half, year"
		if m := months[t.word]; t.kind == tWord && m != 0 {
			hint = "write `1 " + shortMonth(m) + "` or `last day of " + shortMonth(m) + "`"
		} else if t.kind == tWord {
			hint = meant(t.word, hint, []string{"week", "month", "quarter", "half-year", "year", "fiscal year", "next", "previous"})
		}
		fail(t.Span, "expected a period"+p.found(t), hint)
	}
	per.Unit = u
	return per
}

func (p *parser) roll() Step {
	t := p.take()
	w := p.take()
	name := w.word
	if w.is("modified") {
		if !p.peek().is("following", "preceding") {
			fail(w.to(p.peek().Span), "`roll modified` needs a direction", "write `roll modified following` or `roll modified preceding`")
		}
		name += " " + p.take().word
	}
	for by, n := range workdays.ConventionNames {
		if w.kind == tWord && n == name {
			u := p.stepUsing(true)
			return &Roll{t.to(p.last()), workdays.Convention(by), u}
		}
	}
	hint := strings.Join(workdays.ConventionNames[1:], ", ") + ", none"
	switch {
	case w.is("back", "backward", "backwards", "before", "previous"):
		hint = "write `roll preceding`"
	case w.is("forward", "forwards", "next", "after"):
		hint = "write `roll following`"
	case w.kind == tWord:
		hint = meant(w.word, hint, workdays.ConventionNames[:])
	}
	fail(w.Span, "expected a business-day convention after `roll`"+p.found(w), hint)
	return nil
}

func (p *parser) anniversary() Step {
	t := p.take()
	a := &Anniversary{On: true}
	switch {
	case p.accept("on", "or", "after"):
	case p.accept("on", "or", "before"):
		a.Back = true
	case p.accept("after"):
		a.On = false
	default:
		fail(p.peek().Span, "expected `on or after`, `after` or `on or before`"+p.found(p.peek()), "for example: anniversary on or after today")
	}
	a.Of = p.operand("a date, a name or `today`")
	a.Span = t.to(p.last())
	return a
}

func (p *parser) seek() Step {
	t := p.take()
	s := &Seek{Back: t.word == "previous"}
	w := p.peek()
	switch {
	case p.dayAhead():
		from := p.peek().Span
		it, _ := p.dayOf(false)
		s.Target = p.target(it, from)
	case w.kind == tWord && weekdays[w.word] != 0:
		p.take()
		s.Target.Weekday = weekdays[w.word]
	case p.accept("working", "day"):
		s.Target.Working = true
	case w.kind == tWord && periodUnits[w.word] != 0:
		hint := "write `start of " + t.word + " " + w.word + "`, or `+1 " + w.word + "`"
		if s.Back {
			hint = "write `start of " + t.word + " " + w.word + "`, or `-1 " + w.word + "`"
		}
		fail(t.to(w.Span), "`"+t.word+" "+w.word+"` is a period, not a date", hint)
	case w.kind == tQuoted, w.kind == tWord && !reserved[w.word]:
		p.take()
		if h := brought[w.word]; h != "" {
			fail(w.Span, "`"+w.word+"` is not a word of the language", "write `"+h+"`")
		}
		s.Target.Series = &Name{w.Span, p.nameText(w)}
	default:
		fail(w.Span, "expected a weekday, `working day`, a day of the year or a series after `"+t.word+"`"+p.found(w), "")
	}
	s.Using = p.stepUsing(s.Target.Working || s.Target.Day != nil && s.Target.Day.Kind == recur.NthWorking)
	s.Span = t.to(p.last())
	return s
}

// strictTarget reports whether a weekday or `working day` follows, which as a
// step needs `on or after` or `on or before`.
func (p *parser) strictTarget() bool {
	t := p.peek()
	return t.kind == tWord && weekdays[t.word] != 0 || t.is("working") && p.ahead(1).is("day")
}

// dayAhead reports whether an ordinal, a day of a month or easter follows.
func (p *parser) dayAhead() bool {
	t := p.peek()
	return t.kind == tOrdinal || t.kind == tNumber || t.kind == tWord && (ordinals[t.word] != 0 || months[t.word] != 0) ||
		t.is("easter")
}

// dayStep reads the steps that name a day: in a period, in the base's year, or
// on or after, on or before the base.
func (p *parser) dayStep() Step {
	t := p.peek()
	if p.strictTarget() {
		p.take()
		target := Target{Weekday: weekdays[t.word]}
		if target.Weekday == 0 {
			p.take()
			target.Working = true
		}
		if !p.peek().is("on") {
			w := p.text[t.Start:p.last().End]
			fail(t.to(p.last()), "`"+w+"` alone isn't a step", "write `next "+w+"`, `previous "+w+"`, `"+w+" on or after` or `"+w+" on or before`")
		}
		return p.onOr(t.Span, target)
	}
	it, of := p.dayOf(true)
	if of != nil {
		u := p.stepUsing(it.Kind == recur.NthWorking)
		return &Nth{t.to(p.last()), it, *of, u}
	}
	if p.peek().is("on") && p.ahead(1).is("or") {
		return p.onOr(t.Span, p.target(it, t.Span))
	}
	u := p.stepUsing(it.Kind == recur.NthWorking)
	return &InYear{t.to(p.last()), it, u}
}

func (p *parser) target(it recur.Item, _ Span) Target { return Target{Day: &it} }

func (p *parser) onOr(from Span, target Target) Step {
	at := p.peek()
	s := &Seek{Target: target, On: true}
	switch {
	case p.accept("on", "or", "after"):
	case p.accept("on", "or", "before"):
		s.Back = true
	default:
		fail(at.Span, "expected `on or after` or `on or before`", "")
	}
	s.Using = p.stepUsing(target.Working || target.Day != nil && target.Day.Kind == recur.NthWorking)
	s.Span = from.to(p.last())
	return s
}

// dayOf reads `25 dec`, `last fri of nov`, `easter`, or with periods allowed
// also `ORD day|fri|working day of P`, for which of is the period.
func (p *parser) dayOf(periods bool) (it recur.Item, of *Period) {
	t := p.take()
	switch {
	case t.is("easter"):
		return recur.Item{Kind: recur.EasterDay}, nil
	case t.kind == tNumber:
		m := p.take()
		if m.is("of") && months[p.peek().word] != 0 {
			m = p.take()
		}
		if m.kind != tWord || months[m.word] == 0 {
			hint := meant(m.word, "a day of the year is written 25 dec", MonthWords)
			if m.is("of") {
				hint = "write an ordinal: " + ordinalText(max(t.n, 1)) + " day of month"
			}
			fail(t.to(m.Span), "expected a month after the number"+p.found(m), hint)
		}
		if t.n < 1 {
			fail(t.Span, "days of a month start at 1", "")
		}
		return p.ofMonth(recur.Item{Kind: recur.DayNumber, N: t.n}, months[m.word], t.to(m.Span)), nil
	case t.kind == tWord && months[t.word] != 0:
		hint := "for example: 25 dec"
		if n := p.peek(); n.kind == tNumber || n.kind == tOrdinal {
			hint = "write `" + strings.TrimRight(n.word, "sthndr") + " " + t.word + "`"
		}
		fail(t.Span, "the day stands before the month", hint)
	}
	p.i--
	it.N = p.ordinal()
	w := p.take()
	switch {
	case w.is("day", "days"):
		it.Kind = recur.DayNumber
	case w.is("working") && p.peek().is("day", "days"):
		p.take()
		it.Kind = recur.NthWorking
	case w.kind == tWord && weekdays[w.word] != 0:
		it.Kind, it.Weekday = recur.NthWeekday, weekdays[w.word]
	default:
		hint := "for example: 1st mon of next month, last working day of quarter"
		if w.kind == tWord {
			hint = meant(w.word, hint, append([]string{"day", "working day"}, WeekdayWords...))
			if h := brought[w.word]; h != "" {
				hint = "write `" + h + "`"
			}
		}
		fail(w.Span, "expected day, a weekday or working day after the ordinal"+p.found(w), hint)
	}
	if !p.accept("of") {
		fail(p.peek().Span, "expected `of` and a period or month"+p.found(p.peek()), "for example: 1st mon of next month")
	}
	if m := p.peek(); m.kind == tWord && months[m.word] != 0 {
		p.take()
		return p.ofMonth(it, months[m.word], t.to(m.Span)), nil
	}
	if !periods {
		fail(p.peek().Span, "expected a month, for a day of the year"+p.found(p.peek()), "for example: next last fri of nov")
	}
	per := p.period()
	return it, &per
}
