package phrase

import (
	"errors"
	"slices"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/recur"
)

// UsesCalendar reports whether the nominal dates depend on a working calendar.
func (r *Rule) UsesCalendar() bool {
	return r.Working || slices.ContainsFunc(r.On, func(d Day) bool { return d.Kind == recur.NthWorking }) ||
		slices.ContainsFunc(r.Exclude, func(e Expr) bool { _, closed := e.(*ClosedDays); return closed })
}

func (p *parser) rule() *Rule {
	p.inRule = true
	defer func() { p.inRule = false }()
	t := p.next()
	r := &Rule{Every: 1}
	c := cadenceOf(t.word)
	switch {
	case t.isWord("rule"):
		p.next()
		col := p.next()
		r.Column = &Name{col.Span, p.nameText(col)}
		if n := p.peek(); n.kind != tEnd {
			failAt(n.Span, "`rule in` takes no clauses; the cell's rule has them", "")
		}
		r.Span = t.extendTo(p.prevSpan())
		return r
	case t.isWord("rrule"):
		p.rrule(r)
	case t.isWord("dates"):
		r.IsListed = true
		r.Include = p.dateList("`dates`")
	case t.isWord("every"):
		p.every(r)
	case c != nil:
		r.Unit, r.Every = c.unit, c.every
	}
	if on := p.peek(); p.accept("on") {
		if r.RRule != nil {
			failAt(on.Span, "the days of an RFC 5545 rule are in its BY parts", "for example: rrule FREQ=MONTHLY;BYMONTHDAY=15")
		}
		if r.IsListed || r.Unit == civil.Day {
			hint := "write `weekly on mon-fri`"
			if r.IsListed {
				hint = ""
			}
			failAt(on.Span, "`"+strings.TrimSpace(p.text[:on.Start])+"` takes no list of days", hint)
		}
		p.commaList(func() { r.On = append(r.On, p.day(r.Unit)) })
	}
	for p.clause(r) {
	}
	p.checkRule(r, t.Span)
	r.Span = t.extendTo(p.prevSpan())
	return r
}

// rrule reads the text of an RFC 5545 rule.
func (p *parser) rrule(r *Rule) {
	t := p.next()
	if t.kind != tRaw {
		failAt(t.Span, "expected an RFC 5545 rule after `rrule`"+p.describe(t),
			"for example: rrule FREQ=MONTHLY;BYDAY=-1FR from 2027-01-29")
	}
	text, at := t.word, t.Start
	if len(text) > 6 && strings.EqualFold(text[:6], "RRULE:") {
		text, at = text[6:], at+6
	}
	parsed, err := recur.ParseRRule(text)
	var bad *recur.RuleError
	if errors.As(err, &bad) {
		failAt(Span{at + bad.Start, at + bad.End}, bad.Message, bad.Hint)
	}
	r.RRule = parsed
}

// every reads what follows `every`.
func (p *parser) every(r *Rule) {
	t := p.next()
	if t.isWord("working") && p.peek().isWord("day", "days") {
		p.next()
		r.Unit, r.Working = civil.Day, true
		return
	}
	u, length := p.unitAt(0)
	named := (t.kind == tQuoted || t.kind == tWord && !reserved[t.word] && !neverNames[t.word]) && length > 0
	if t.kind != tNumber && !named {
		hint := "every 2 weeks, every 3 months, every working day; in the rule of a row also a column: every term months"
		failAt(t.Span, "`every` needs a number and a unit"+p.describe(t), hint)
	}
	if length == 0 {
		failAt(p.peek().Span, "expected days, weeks, months, quarters, years or working days"+p.describe(p.peek()),
			didYouMean(p.peek().word, "", []string{"days", "weeks", "months", "quarters", "years", "working days"}))
	}
	if named {
		r.EveryBy, t.num = &Name{t.Span, p.nameText(t)}, 1
	}
	if t.num < 1 || t.num > int(civil.Max) {
		failAt(t.Span, "a cadence needs a step of 1 or more", "")
	}
	p.pos += length
	r.Working = u == WorkingDays
	r.Unit, r.Every = unitTable[u].cadence, unitTable[u].takes*t.num
}

// commaList reads items separated by commas or and.
func (p *parser) commaList(item func()) {
	item()
	for p.peek().isSign(",") || p.peek().isWord("and") {
		p.next()
		item()
	}
}

func (p *parser) dateList(after string) (dates []Expr) {
	p.commaList(func() { dates = append(dates, p.dateOperand(after)) })
	return dates
}

func (p *parser) dateOperand(after string) Expr {
	e := p.operand("a date after " + after)
	if n, ok := e.(*Number); ok {
		failAt(n.Span, "expected a date after "+after+", found a number", "write dates as 2027-03-31")
	}
	return e
}

// clause reads one clause of a rule; false when none follows.
func (p *parser) clause(r *Rule) (more bool) {
	t := p.peek()
	once := func(had bool) {
		if had {
			failAt(t.Span, "`"+t.word+"` is given twice", "each clause can be given once")
		}
	}
	switch {
	case p.accept("in"):
		once(r.Months != nil)
		p.commaList(func() { r.Months = append(r.Months, p.monthItem()...) })
		slices.Sort(r.Months)
		r.Months = slices.Compact(r.Months)
	case p.accept("from"):
		once(r.From != nil)
		r.From = p.dateOperand("`from`")
	case p.accept("until"), p.accept("through"):
		once(r.Until != nil)
		r.Until = p.dateOperand("`" + t.word + "`")
	case t.isWord("back"):
		once(r.BackFrom != nil)
		p.next()
		p.expect("from", "`back`")
		r.BackFrom = p.dateOperand("`back from`")
	case t.kind == tNumber && p.peekAt(1).isWord("times", "time"):
		once(r.Times != 0 || r.TimesBy != nil)
		if t.num < 1 {
			failAt(t.Span, "expected 1 date or more", "")
		}
		r.Times = t.num
		p.pos += 2
	case (t.kind == tQuoted || t.kind == tWord && !reserved[t.word] && !reservedInRules[t.word]) && p.peekAt(1).isWord("times"):
		once(r.Times != 0 || r.TimesBy != nil)
		r.TimesBy = &Name{t.Span, p.nameText(t)}
		p.pos += 2
	case t.isWord("leaving"):
		once(r.Exclude != nil)
		p.next()
		p.expect("out", "`leaving`")
		p.commaList(func() { r.Exclude = append(r.Exclude, p.exclusion()) })
	case t.isWord("plus") && !r.IsListed:
		once(r.Include != nil)
		p.next()
		r.Include = p.dateList("`plus`")
	case t.isWord("skipping"):
		once(r.SkipShort)
		p.next()
		if !p.accept("short", "months") {
			failAt(p.peek().Span, "expected `skipping short months`"+p.describe(p.peek()), "")
		}
		r.SkipShort = true
	case t.isWord("using"):
		once(r.Using != nil)
		r.Using = p.using()
	case p.accept("then"):
		p.thenClause(r)
		return false
	case t.kind == tEnd || t.isSign(")"):
		return false
	default:
		p.failNotClause(t)
	}
	if c := p.peek(); c.isSign(",") {
		failAt(c.Span, "only an item of the list can follow a comma", "leave the comma out before a clause")
	}
	return true
}

// thenClause reads what follows `then`, the last clause: a date chosen by `if`, steps, or both.
func (p *parser) thenClause(r *Rule) {
	if p.peek().isSign("(") && p.peekAt(1).isWord("if") {
		p.inChoice, p.inRule = true, false
		r.Choice = p.operand("a date")
		p.inChoice, p.inRule = false, true
		if p.peek().isSign(",") {
			p.next()
		} else if !p.peekShift() {
			return
		}
	}
	r.Then = p.steps()
	p.checkThen(r.Then)
}

// exclusion reads a date, a stretch or `closed days` after `leaving out`.
func (p *parser) exclusion() Expr {
	t := p.peek()
	switch {
	case t.kind == tStretch:
		p.next()
		a, b, _ := strings.Cut(t.word, "..")
		return &DateRange{t.Span, a, b}
	case p.accept("closed", "days"):
		return &ClosedDays{t.extendTo(p.prevSpan())}
	}
	return p.dateOperand("`leaving out`")
}

func (p *parser) failNotClause(t token) {
	if p.peekShift() || t.isWord("roll", "lasting", "start", "end", "middle", "at", "next", "previous") {
		failAt(t.Span, "the steps of a rule follow `then`", "write `then "+p.text[t.Start:]+"`")
	}
	hint := "a rule can go on with: on, in, from, until, back from, N times, leaving out, plus, skipping short months, using, then"
	if t.kind == tWord {
		if weekdays[t.word] != 0 || ordinals[t.word] != 0 {
			hint = "write `on` before the days"
		} else if before := p.toks[max(p.pos-1, 0)]; before.kind == tOrdinal || before.kind == tWord &&
			ordinals[before.word] != 0 {
			hint = didYouMean(t.word, "an ordinal needs a weekday, `day` or `working day`",
				append([]string{"day", "working day"}, WeekdayWords...))
		} else {
			hint = didYouMean(t.word, hint, []string{"on", "in", "from", "until", "through", "back from", "times", "leaving out",
				"plus", "skipping", "using", "then"})
		}
	} else if t.kind == tOrdinal || t.kind == tNumber {
		hint = "write `on` before the days, or `" + t.word + " times`"
	}
	failAt(t.Span, "expected a clause of the rule"+p.describe(t), hint)
}

func (p *parser) monthItem() []int {
	t := p.next()
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
		failAt(t.Span, "unknown month"+p.describe(t), didYouMean(t.word, "months are jan to dec", monthWords))
	}
	failAt(t.Span, "expected a month"+p.describe(t), "for example: in mar-oct")
	return nil
}

func (p *parser) checkThen(steps []Step) {
	for _, s := range steps {
		if why := RowsOnlyReason(s); why != "" {
			failAt(s.Pos(), "`"+s.form().name()+"` can't be used in a rule", why)
		}
	}
	for i, s := range steps {
		if IsLastStep(s) && i < len(steps)-1 {
			failAt(s.Pos(), "`"+s.form().name()+"` is the last step", "")
		}
	}
}

// hasCount reports whether the rule says how many dates it gives.
func (r *Rule) hasCount() bool { return r.Times != 0 || r.TimesBy != nil }

// checkRule refuses rules that leave open where they count from.
func (p *parser) checkRule(r *Rule, span Span) {
	needs := ""
	switch {
	case r.RRule != nil:
		checkRRule(r, span)
	case r.IsListed:
		if r.From != nil || r.Until != nil || r.BackFrom != nil || r.hasCount() || r.Exclude != nil || r.Months != nil || r.SkipShort {
			failAt(span, "`dates` takes only the clauses `using` and `then`", "")
		}
	case r.From != nil || r.BackFrom != nil:
	case r.Every > 1, r.EveryBy != nil:
		needs = "a cadence that skips periods needs a date to count from"
	case r.hasCount():
		needs = "`times` needs a date to count from"
	case r.needsDays():
		needs = "without `on`, a cadence needs a date to start from"
	}
	if needs == "" {
		return
	}
	hint := "add `from` and a date"
	for _, c := range cadences {
		if r.needsDays() && c.unit == r.Unit && r.Every == 1 && r.EveryBy == nil && c.every == 1 {
			hint = "add `on " + c.defaultDay + "`, or `from` and a date"
		}
	}
	failAt(span, needs, hint)
}

// needsDays reports whether the rule says no day of its periods.
func (r *Rule) needsDays() bool { return len(r.On) == 0 && r.Unit != civil.Day }

// checkRRule refuses clauses that an RFC 5545 rule has parts of its own for.
func checkRRule(r *Rule, span Span) {
	if r.Until != nil || r.BackFrom != nil || r.hasCount() || r.Months != nil || r.SkipShort {
		failAt(span, "an RFC 5545 rule takes only the clauses `from`, `leaving out`, `plus`, `using` and `then`",
			"use its own parts for the rest: UNTIL, COUNT, BYMONTH")
	}
	if _, err := r.RRule.Rule(civil.None); err != nil && (r.From == nil || !recur.NeedsStart(err)) {
		hint := ""
		if recur.NeedsStart(err) {
			hint = "add `from` and its first date (DTSTART)"
		}
		failAt(span, err.Error(), hint)
	}
}
