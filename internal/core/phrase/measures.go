package phrase

import (
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/daycount"
)

// The nodes of measures and arithmetic.
type (
	// Range is `from A to B` or `from A through B`. Step is B where it is one
	// step on A.
	Range struct {
		A, B    Expr
		Step    Step
		Through bool
	}
	// Count counts days between two dates, or with In in the period around A.
	Count struct {
		Span
		What CountTarget
		Range
		Period *Period // A alone is set then
		Using  *Using
	}
	// SeriesCount counts the dates of a series of the plan between two dates.
	SeriesCount struct {
		Span
		Series Name
		Range
	}
	// Complete counts complete units; Started rounds up.
	Complete struct {
		Span
		Unit    Unit
		Started bool
		Range
	}
	// Age is years, months and days as a text.
	Age struct {
		Span
		Range
	}
	// DayCount is days or years by a convention.
	DayCount struct {
		Span
		By    daycount.Convention
		Years bool
		Range
	}
	// Format writes A by a strftime layout.
	Format struct {
		Span
		A      Expr
		Layout string
	}
	// Join is A & B as one text.
	Join struct {
		Span
		A, B Expr
	}
	// Arith is A op B; Op is one of + - * / ^.
	Arith struct {
		Span
		Op   byte
		A, B Expr
	}
	// MinMax is the smaller or the larger of two values.
	MinMax struct {
		Span
		Max  bool
		A, B Expr
	}
	// Round rounds A to so many places, or to multiples of a number, which Multiple then is: to the
	// nearest, or with Way above 0 away from zero, below 0 towards it.
	Round struct {
		Span
		A        Expr
		Places   int
		Way      int
		Multiple string
	}
	// If chooses a value; Else is nil if it gives a blank.
	If struct {
		Span
		Cond, Then, Else Expr
	}
)

// CountTarget is what a Count counts: days, working days, Monday to Friday, or one
// weekday.
type CountTarget struct {
	Working, Weekdays bool
	Weighted          bool // of working days that are short
	Weekday           civil.Weekday
}

func (c CountTarget) text() string {
	switch {
	case c.Weighted:
		return "counted days"
	case c.Working:
		return "working days"
	case c.Weekdays:
		return "weekdays"
	case c.Weekday != 0:
		return strings.ToLower(civil.WeekdayNames[c.Weekday]) + "s"
	}
	return "days"
}

// measure reads a measure, if one begins here; nil otherwise.
func (p *parser) measure() Expr {
	t, next := p.peek(), p.peekAt(1)
	if d := p.dayCountExpr(); d != nil {
		return d
	}
	if next.isWord("dates") && p.peekAt(2).isWord("from") && (t.kind == tQuoted || t.kind == tWord && !reserved[t.word]) {
		p.pos += 2
		c := &SeriesCount{Series: Name{t.Span, p.nameText(t)}, Range: p.rangeExpr()}
		c.Span = t.extendTo(p.prevSpan())
		return c
	}
	if t.kind != tWord {
		return nil
	}
	if what := p.peekPart(); what != nil {
		return p.datePart(what)
	}
	switch {
	case t.isWord("min", "max") && next.isWord("of"):
		defer p.enter()()
		p.pos += 2
		a := p.number("a number")
		p.expect("and", "`"+t.word+" of A`")
		b := p.number("a number")
		return &MinMax{t.extendTo(b.Pos()), t.word == "max", a, b}
	case t.isWord("round") && (next.kind == tWord && !next.isWord("to", "and", "or") || next.kind == tQuoted ||
		next.kind == tNumber || next.isSign("(") || next.isSign("-")):
		defer p.enter()()
		p.next()
		return p.round(t)
	case t.isWord("age") && next.isWord("from"):
		p.next()
		r := p.rangeExpr()
		return &Age{t.extendTo(p.prevSpan()), r}
	case t.isWord("started") && next.isWord("weeks", "months", "quarters", "years"):
		p.next()
		u, n := p.unitAt(0)
		p.pos += n
		r := p.rangeExpr()
		return &Complete{t.extendTo(p.prevSpan()), u, true, r}
	case t.isWord("weeks", "months", "quarters", "years") && next.isWord("from"):
		u, n := p.unitAt(0)
		p.pos += n
		r := p.rangeExpr()
		return &Complete{t.extendTo(p.prevSpan()), u, false, r}
	}
	if what, n := p.peekCount(); n > 0 {
		p.pos += n
		return p.count(t, what)
	}
	return nil
}

// count reads what a count of days goes over, behind what is counted.
func (p *parser) count(t token, what CountTarget) *Count {
	c := &Count{What: what}
	if p.accept("in") {
		per := p.period()
		c.Period = &per
		p.expect("of", "the period")
		c.A = p.operand("a date or a name after `of`")
	} else {
		c.Range = p.rangeExpr()
	}
	if what.Working {
		c.Using = p.using()
	}
	c.Span = t.extendTo(p.prevSpan())
	return c
}

// peekCount reads what is counted, if `from` or `in` a period follows it.
func (p *parser) peekCount() (c CountTarget, n int) {
	t := p.peek()
	switch {
	case t.isWord("days"):
		n = 1
	case t.isWord("weekdays"):
		c.Weekdays, n = true, 1
	case t.isWord("working") && p.peekAt(1).isWord("days"):
		c.Working, n = true, 2
	case t.isWord("counted") && p.peekAt(1).isWord("days"):
		c.Working, c.Weighted, n = true, true, 2
	case t.kind == tWord && weekdays[t.word] != 0:
		c.Weekday, n = weekdays[t.word], 1
	default:
		return c, 0
	}
	after, then := p.peekAt(n), p.peekAt(n+1)
	if after.isWord("from") || after.isWord("in") && then.isWord("this", "next", "previous", "week", "month", "quarter",
		"half-year", "year", "fiscal") {
		return c, n
	}
	return c, 0
}

// rangeExpr reads `from A to B` or `from A through B`.
func (p *parser) rangeExpr() (r Range) {
	p.expect("from", "the measure")
	r.A = p.operand("a date, a name or `today` after `from`")
	t := p.peek()
	switch {
	case p.accept("to"):
	case p.accept("through"):
		r.Through = true
	default:
		hint := p.quoteHint(t)
		if hint == "" {
			hint = "`to` leaves out the first day, `through` counts both"
		}
		failAt(t.Span, "expected `to` or `through` after `from A`"+p.describe(t), hint)
	}
	if p.peekStep() && !p.peek().isSign("-") || p.peekShift() {
		r.Step = p.step()
		return r
	}
	r.B = p.operand("a date, a name, `today` or one step after `" + t.word + "`")
	return r
}

// dayCountExpr reads a day count convention and what is measured by it.
func (p *parser) dayCountExpr() Expr {
	t := p.peek()
	if !p.peekAt(1).isSign("/") || t.kind != tWord && t.kind != tNumber {
		return nil
	}
	b := p.peekAt(2)
	name := t.word + "/" + b.word
	by := -1
	n := 3
	switch name {
	case "30/360":
		switch k := p.peekAt(3); {
		case k.isWord("us"):
			by, n = int(daycount.US30360), 4
		case k.isWord("bond"):
			by, n = int(daycount.Bond30360), 4
		case k.isWord("days", "years"):
			failAt(t.extendTo(b.Span), "30/360 alone has two meanings",
				"write `30/360 US` (with the February rule) or `30/360 bond` (without)")
		default:
			return nil
		}
	case "30e/360":
		by = int(daycount.E30360)
		if p.peekAt(3).isWord("isda") {
			by, n = int(daycount.E30360ISDA), 4
		}
	case "act/360":
		by = int(daycount.Act360)
	case "act/365f":
		by = int(daycount.Act365F)
	case "act/365":
		if p.peekAt(3).isWord("years", "days") {
			failAt(t.extendTo(b.Span), "`ACT/365` has several meanings", "write `ACT/365F` for the fixed one")
		}
		return nil
	case "act/act":
		if !p.peekAt(3).isWord("isda") {
			failAt(t.extendTo(b.Span), "`ACT/ACT` has several forms", "write `ACT/ACT ISDA`")
		}
		by, n = int(daycount.ActActISDA), 4
	default:
		return nil
	}
	p.pos += n
	d := &DayCount{By: daycount.Convention(by)}
	k := p.next()
	switch {
	case k.isWord("years"):
		d.Years = true
	case k.isWord("days") && d.By.Is30360():
	case k.isWord("days"):
		failAt(k.Span, "days are the same in every actual convention", "write `days from A to B`")
	default:
		failAt(k.Span, "expected `days` or `years` after the convention"+p.describe(k),
			"for example: 30E/360 days from start to ends")
	}
	d.Range = p.rangeExpr()
	if d.Through {
		failAt(d.Span, "a day count needs `from A to B`", "")
	}
	d.Span = t.extendTo(p.prevSpan())
	return d
}

// number reads an operand that may also be a measure.
func (p *parser) number(want string) Expr {
	if m := p.measure(); m != nil {
		return m
	}
	return p.operand(want)
}

func (r Range) write(p *printer) {
	p.writeStrings(" from ")
	writeOperand(p, r.A)
	p.writeStrings(map[bool]string{true: " through ", false: " to "}[r.Through])
	if r.Step != nil {
		r.Step.write(p)
		return
	}
	writeOperand(p, r.B)
}

func (c *Count) write(p *printer) {
	p.writeStrings(c.What.text())
	if c.Period != nil {
		p.writeStrings(" in ")
		c.Period.write(p)
		p.writeStrings(" of ")
		writeOperand(p, c.A)
	} else {
		c.Range.write(p)
	}
	c.Using.write(p)
}

func (c *SeriesCount) write(p *printer) {
	c.Series.write(p)
	p.writeStrings(" dates")
	c.Range.write(p)
}

func (c *Complete) write(p *printer) {
	if c.Started {
		p.writeStrings("started ")
	}
	p.writeStrings(unitTable[c.Unit].word, "s")
	c.Range.write(p)
}

func (a *Age) write(p *printer) { p.writeStrings("age"); a.Range.write(p) }

func (d *DayCount) write(p *printer) {
	p.writeStrings(daycount.Names[d.By], map[bool]string{true: " years", false: " days"}[d.Years])
	d.Range.write(p)
}

func (f *Format) write(p *printer) {
	writeAtPrecedence(p, f.A, 2)
	p.writeStrings(" as '", strings.ReplaceAll(f.Layout, "'", "''"), "'")
}

// precedence returns how tightly a node binds: 0 is loosest.
func precedence(e Expr) int {
	switch e := e.(type) {
	case *Join:
		return 1
	case *Format:
		return 2
	case *Arith:
		switch e.Op {
		case '+', '-':
			return 3
		case '^':
			return 5
		}
		return 4
	case *If:
		return 0
	}
	if isCondition(e) {
		return 0
	}
	return 6
}

// writeAtPrecedence writes e, in parentheses where it binds more loosely than its place.
func writeAtPrecedence(p *printer, e Expr, least int) {
	if precedence(e) < least {
		p.writeStrings("(")
		e.write(p)
		p.writeStrings(")")
		return
	}
	e.write(p)
}

func (j *Join) write(p *printer) {
	writeAtPrecedence(p, j.A, 1)
	p.writeStrings(" & ")
	writeAtPrecedence(p, j.B, 2)
}

func (a *Arith) write(p *printer) {
	at := precedence(a)
	if a.Op == '^' {
		if n, ok := a.A.(*Number); ok && n.Text()[0] == '-' {
			p.writeStrings("(", n.Text(), ")")
		} else {
			writeOperand(p, a.A)
		}
		p.writeStrings(" ^ ")
		writeOperand(p, a.B)
		return
	}
	writeAtPrecedence(p, a.A, at)
	p.writeStrings(" ", string(a.Op), " ")
	writeAtPrecedence(p, a.B, at+1)
}

func writeNumberOperand(p *printer, e Expr) {
	switch e.(type) {
	case *Count, *Complete, *Age, *DayCount, *Part, *MinMax, *Round:
		e.write(p)
	default:
		writeOperand(p, e)
	}
}

func (m *MinMax) write(p *printer) {
	p.writeStrings(map[bool]string{true: "max of ", false: "min of "}[m.Max])
	writeNumberOperand(p, m.A)
	p.writeStrings(" and ")
	writeNumberOperand(p, m.B)
}

func (r *Round) write(p *printer) {
	p.writeStrings("round ", map[int]string{1: "up ", -1: "down "}[r.Way])
	writeNumberOperand(p, r.A)
	if r.Multiple != "" {
		p.writeStrings(" to multiples of ", r.Multiple)
		return
	}
	p.writeStrings(" to ", itoa(r.Places))
}

// round reads what follows `round`.
func (p *parser) round(t token) Expr {
	r := &Round{}
	// Before `to`, an operator or a sign, up and down are names.
	if next := p.peekAt(1); p.peek().isWord("up", "down") &&
		(next.kind == tNumber || next.kind == tQuoted || next.isSign("(") || next.kind == tWord && !reserved[next.word]) {
		r.Way = 1
		if p.next().word == "down" {
			r.Way = -1
		}
	}
	r.A = p.sum()
	p.expect("to", "`round X`")
	n := p.next()
	switch {
	case n.isWord("multiples"):
		p.expect("of", "`multiples`")
		if n = p.next(); n.kind != tNumber || strings.Trim(n.word, "0.") == "" {
			failAt(n.Span, "expected a number above 0"+p.describe(n), "for example: round hours to multiples of 0.25")
		}
		r.Multiple = n.word
		if _, decimals, _ := strings.Cut(n.word, "."); len(decimals) > 10 {
			failAt(n.Span, "a multiple has at most 10 decimal places", "")
		} else {
			r.Places = len(decimals)
		}
	case n.kind != tNumber || n.num < 0 || n.num > 10:
		failAt(n.Span, "expected a number of places, 0 to 10, or `multiples of`"+p.describe(n), "for example: round pay to 2")
	default:
		r.Places = n.num
	}
	r.Span = t.extendTo(n.Span)
	return r
}

func (i *If) write(p *printer) {
	branch := func(e Expr) {
		_, steps := e.(*Steps)
		_, nested := e.(*If)
		if steps || isCondition(e) || nested {
			p.writeStrings("(")
			e.write(p)
			p.writeStrings(")")
			return
		}
		e.write(p)
	}
	p.writeStrings("if ")
	i.Cond.write(p)
	p.writeStrings(" then ")
	branch(i.Then)
	if i.Else != nil {
		p.writeStrings(" else ")
		branch(i.Else)
	}
}
