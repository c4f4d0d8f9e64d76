package phrase

import (
	"errors"
	"slices"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/recur"
)

// Counts reports whether the nominal dates depend on a working calendar.
func (r *Rule) Counts() bool {
	return r.Working || slices.ContainsFunc(r.On, func(d Day) bool { return d.Kind == recur.NthWorking }) ||
		slices.ContainsFunc(r.Without, func(e Expr) bool { _, closed := e.(*ClosedDays); return closed })
}

func (p *parser) rule() *Rule {
	p.ruled = true
	defer func() { p.ruled = false }()
	t := p.take()
	r := &Rule{Every: 1}
	c := cadenceOf(t.word)
	switch {
	case t.is("rule"):
		p.take()
		col := p.take()
		r.In = &Name{col.Span, p.nameText(col)}
		if n := p.peek(); n.kind != tEnd {
			fail(n.Span, "`rule in` takes no clauses; the cell's rule has them", "")
		}
		r.Span = t.to(p.last())
		return r
	case t.is("rrule"):
		p.rrule(r)
	case t.is("dates"):
		r.Listed = true
		r.Plus = p.dateList("`dates`")
	case t.is("every"):
		p.every(r)
	case c != nil:
		r.Unit, r.Every = c.unit, c.every
	}
	if on := p.peek(); p.accept("on") {
		if r.RRule != nil {
			fail(on.Span, "the days of an RFC 5545 rule are in its BY parts", "for example: rrule FREQ=MONTHLY;BYMONTHDAY=15")
		}
		if r.Listed || r.Unit == civil.Day {
			hint := "write `weekly on mon-fri`"
			if r.Listed {
				hint = ""
			}
			fail(on.Span, "`"+strings.TrimSpace(p.text[:on.Start])+"` takes no list of days", hint)
		}
		p.list(func() { r.On = append(r.On, p.day(r.Unit)) })
	}
	for p.clause(r) {
	}
	p.checkRule(r, t.Span)
	r.Span = t.to(p.last())
	return r
}

// rrule reads the text of an RFC 5545 rule.
func (p *parser) rrule(r *Rule) {
	t := p.take()
	if t.kind != tRaw {
		fail(t.Span, "expected an RFC 5545 rule after `rrule`"+p.found(t),
			"for example: rrule FREQ=MONTHLY;BYDAY=-1FR from 2027-01-29")
	}
	text, at := t.word, t.Start
	if len(text) > 6 && strings.EqualFold(text[:6], "RRULE:") {
		text, at = text[6:], at+6
	}
	parsed, err := recur.ParseRRule(text)
	var bad *recur.RuleError
	if errors.As(err, &bad) {
		fail(Span{at + bad.Start, at + bad.End}, bad.Message, bad.Hint)
	}
	r.RRule = parsed
}

// every reads what follows `every`.
func (p *parser) every(r *Rule) {
	t := p.take()
	if t.is("working") && p.peek().is("day", "days") {
		p.take()
		r.Unit, r.Working = civil.Day, true
		return
	}
	u, length := p.unitAt(0)
	named := (t.kind == tQuoted || t.kind == tWord && !reserved[t.word] && !notNames[t.word]) && length > 0
	if t.kind != tNumber && !named {
		hint := "every 2 weeks, every 3 months, every working day; in the rule of a row also a column: every term months"
		fail(t.Span, "`every` needs a number and a unit"+p.found(t), hint)
	}
	if length == 0 {
		fail(p.peek().Span, "expected days, weeks, months, quarters, years or working days"+p.found(p.peek()),
			meant(p.peek().word, "", []string{"days", "weeks", "months", "quarters", "years", "working days"}))
	}
	if named {
		r.EveryBy, t.n = &Name{t.Span, p.nameText(t)}, 1
	}
	if t.n < 1 || t.n > int(civil.Max) {
		fail(t.Span, "a cadence needs a step of 1 or more", "")
	}
	p.i += length
	r.Working = u == WorkingDays
	r.Unit, r.Every = unitTable[u].cadence, unitTable[u].takes*t.n
}

// list reads items separated by commas or and.
func (p *parser) list(item func()) {
	item()
	for p.peek().sign(",") || p.peek().is("and") {
		p.take()
		item()
	}
}

func (p *parser) dateList(after string) (dates []Expr) {
	p.list(func() { dates = append(dates, p.dateOperand(after)) })
	return dates
}

func (p *parser) dateOperand(after string) Expr {
	e := p.operand("a date after " + after)
	if n, ok := e.(*Number); ok {
		fail(n.Span, "expected a date after "+after+", found a number", "write dates as 2027-03-31")
	}
	return e
}

// clause reads one clause of a rule; false when none follows.
func (p *parser) clause(r *Rule) bool {
	t := p.peek()
	once := func(had bool) {
		if had {
			fail(t.Span, "`"+t.word+"` is given twice", "each clause can be given once")
		}
	}
	switch {
	case p.accept("in"):
		once(r.Months != nil)
		p.list(func() { r.Months = append(r.Months, p.monthItem()...) })
		slices.Sort(r.Months)
		r.Months = slices.Compact(r.Months)
	case p.accept("from"):
		once(r.From != nil)
		r.From = p.dateOperand("`from`")
	case p.accept("until"), p.accept("through"):
		once(r.Until != nil)
		r.Until = p.dateOperand("`" + t.word + "`")
	case t.is("back"):
		once(r.Back != nil)
		p.take()
		p.expect("from", "`back`")
		r.Back = p.dateOperand("`back from`")
	case t.kind == tNumber && p.ahead(1).is("times", "time"):
		once(r.Times != 0 || r.TimesBy != nil)
		if t.n < 1 {
			fail(t.Span, "expected 1 date or more", "")
		}
		r.Times = t.n
		p.i += 2
	case (t.kind == tQuoted || t.kind == tWord && !reserved[t.word] && !inRules[t.word]) && p.ahead(1).is("times"):
		once(r.Times != 0 || r.TimesBy != nil)
		r.TimesBy = &Name{t.Span, p.nameText(t)}
		p.i += 2
	case t.is("leaving"):
		once(r.Without != nil)
		p.take()
		p.expect("out", "`leaving`")
		p.list(func() { r.Without = append(r.Without, p.leftOut()) })
	case t.is("plus") && !r.Listed:
		once(r.Plus != nil)
		p.take()
		r.Plus = p.dateList("`plus`")
	case t.is("skipping"):
		once(r.Short)
		p.take()
		if !p.accept("short", "months") {
			fail(p.peek().Span, "expected `skipping short months`"+p.found(p.peek()), "")
		}
		r.Short = true
	case t.is("using"):
		once(r.Using != nil)
		r.Using = p.using()
	case p.accept("then"):
		if p.peek().sign("(") && p.ahead(1).is("if") {
			p.choosing, p.ruled = true, false
			r.Choose = p.operand("a date")
			p.choosing, p.ruled = false, true
			if p.peek().sign(",") {
				p.take()
			} else if !p.shiftAhead() {
				return false
			}
		}
		r.Then = p.steps()
		p.checkThen(r.Then)
		return false
	case t.kind == tEnd || t.sign(")"):
		return false
	default:
		p.notAClause(t)
	}
	if c := p.peek(); c.sign(",") {
		fail(c.Span, "only an item of the list can follow a comma", "leave the comma out before a clause")
	}
	return true
}

// leftOut reads a date, a stretch or `closed days` after `leaving out`.
func (p *parser) leftOut() Expr {
	t := p.peek()
	switch {
	case t.kind == tStretch:
		p.take()
		a, b, _ := strings.Cut(t.word, "..")
		return &Stretch{t.Span, a, b}
	case p.accept("closed", "days"):
		return &ClosedDays{t.to(p.last())}
	}
	return p.dateOperand("`leaving out`")
}

func (p *parser) notAClause(t token) {
	if p.shiftAhead() || t.is("roll", "lasting", "start", "end", "middle", "at", "next", "previous") {
		fail(t.Span, "the steps of a rule follow `then`", "write `then "+p.text[t.Start:]+"`")
	}
	hint := "a rule can go on with: on, in, from, until, back from, N times, leaving out, plus, skipping short months, using, then"
	if t.kind == tWord {
		if weekdays[t.word] != 0 || ordinals[t.word] != 0 {
			hint = "write `on` before the days"
		} else if before := p.toks[max(p.i-1, 0)]; before.kind == tOrdinal || before.kind == tWord &&
			ordinals[before.word] != 0 {
			hint = meant(t.word, "an ordinal needs a weekday, `day` or `working day`",
				append([]string{"day", "working day"}, WeekdayWords...))
		} else {
			hint = meant(t.word, hint, []string{"on", "in", "from", "until", "through", "back from", "times", "leaving out",
				"plus", "skipping", "using", "then"})
		}
	} else if t.kind == tOrdinal || t.kind == tNumber {
		hint = "write `on` before the days, or `" + t.word + " times`"
	}
	fail(t.Span, "expected a clause of the rule"+p.found(t), hint)
}

func (p *parser) monthItem() []int {
	t := p.take()
	if t.kind == tWord {
		if m := months[t.word]; m != 0 {
			return []int{m}
		}
		if a, b, ok := strings.Cut(t.word, "-"); ok && months[a] != 0 && months[b] != 0 {
			list := []int{months[a]}
			for m := months[a]; m != months[b]; {
				m = m%12 + 1
				list = append(list, m)
			}
			return list
		}
		fail(t.Span, "unknown month"+p.found(t), meant(t.word, "months are jan to dec", MonthWords))
	}
	fail(t.Span, "expected a month"+p.found(t), "for example: in mar-oct")
	return nil
}

func (p *parser) checkThen(steps []Step) {
	for _, s := range steps {
		if why := Alone(s); why != "" {
			fail(s.Pos(), "`"+s.form().name()+"` can't be used in a rule", why)
		}
	}
	for i, s := range steps {
		if Last(s) && i < len(steps)-1 {
			fail(s.Pos(), "`"+s.form().name()+"` is the last step", "")
		}
	}
}

// counted reports whether the rule says how many dates it gives.
func (r *Rule) counted() bool { return r.Times != 0 || r.TimesBy != nil }

// checkRule refuses rules that leave open where they count from.
func (p *parser) checkRule(r *Rule, at Span) {
	anchored := r.From != nil || r.Back != nil
	needs := ""
	switch {
	case r.RRule != nil:
		if r.Until != nil || r.Back != nil || r.counted() || r.Months != nil || r.Short {
			fail(at, "an RFC 5545 rule takes only the clauses `from`, `leaving out`, `plus`, `using` and `then`",
				"use its own parts for the rest: UNTIL, COUNT, BYMONTH")
		}
		if _, err := r.RRule.Rule(civil.None); err != nil && (r.From == nil || !recur.NeedsStart(err)) {
			hint := ""
			if recur.NeedsStart(err) {
				hint = "add `from` and its first date (DTSTART)"
			}
			fail(at, err.Error(), hint)
		}
		return
	case r.Listed:
		if r.From != nil || r.Until != nil || r.Back != nil || r.counted() || r.Without != nil || r.Months != nil || r.Short {
			fail(at, "`dates` takes only the clauses `using` and `then`", "")
		}
	case anchored:
	case r.Every > 1, r.EveryBy != nil:
		needs = "a cadence that skips periods needs a date to count from"
	case r.counted():
		needs = "`times` needs a date to count from"
	case len(r.On) == 0 && r.Unit != civil.Day:
		needs = "without `on`, a cadence needs a date to start from"
	}
	if needs == "" {
		return
	}
	hint := "add `from` and a date"
	if len(r.On) == 0 && r.Unit != civil.Day {
		for _, c := range cadences {
			if c.unit == r.Unit && r.Every == 1 && r.EveryBy == nil && c.every == 1 {
				hint = "add `on " + c.on + "`, or `from` and a date"
			}
		}
	}
	fail(Span{at.Start, at.End}, needs, hint)
}
