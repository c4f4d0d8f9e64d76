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
		What CountOf
		Range
		In    *Period // A alone is set then
		Using *Using
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
	// Round rounds A to so many places.
	Round struct {
		Span
		A      Expr
		Places int
	}
	// If chooses a value; Else is nil if it gives a blank.
	If struct {
		Span
		Cond, Then, Else Expr
	}
)

// CountOf is what a Count counts: days, working days, Monday to Friday, or one
// weekday.
type CountOf struct {
	Working, Weekdays bool
	Parts             bool // of working days that are short
	Weekday           civil.Weekday
}

func (c CountOf) text() string {
	switch {
	case c.Parts:
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
	t, next := p.peek(), p.ahead(1)
	if d := p.dayCount(); d != nil {
		return d
	}
	if next.is("dates") && p.ahead(2).is("from") && (t.kind == tQuoted || t.kind == tWord && !reserved[t.word]) {
		p.i += 2
		c := &SeriesCount{Series: Name{t.Span, p.nameText(t)}, Range: p.span()}
		c.Span = t.to(p.last())
		return c
	}
	if t.kind != tWord {
		return nil
	}
	if what := p.partAhead(); what != nil {
		return p.part(what)
	}
	switch {
	case t.is("min", "max") && next.is("of"):
		defer p.nest()()
		p.i += 2
		a := p.number("a number")
		p.expect("and", "`"+t.word+" of A`")
		b := p.number("a number")
		return &MinMax{t.to(b.Pos()), t.word == "max", a, b}
	case t.is("round") && (next.kind == tWord && !next.is("to", "and", "or") || next.kind == tQuoted ||
		next.kind == tNumber || next.sign("(") || next.sign("-")):
		defer p.nest()()
		p.take()
		a := p.sum()
		p.expect("to", "`round X`")
		n := p.take()
		if n.kind != tNumber || n.n < 0 || n.n > 10 {
			fail(n.Span, "expected a number of places, 0 to 10"+p.found(n), "for example: round pay to 2")
		}
		return &Round{t.to(n.Span), a, n.n}
	case t.is("age") && next.is("from"):
		p.take()
		r := p.span()
		return &Age{t.to(p.last()), r}
	case t.is("started") && next.is("weeks", "months", "quarters", "years"):
		p.take()
		u, n := p.unitAt(0)
		p.i += n
		r := p.span()
		return &Complete{t.to(p.last()), u, true, r}
	case t.is("weeks", "months", "quarters", "years") && next.is("from"):
		u, n := p.unitAt(0)
		p.i += n
		r := p.span()
		return &Complete{t.to(p.last()), u, false, r}
	}
	if what, n := p.countAhead(); n > 0 {
		p.i += n
		return p.count(t, what)
	}
	return nil
}

// count reads what a count of days goes over, behind what is counted.
func (p *parser) count(t token, what CountOf) *Count {
	c := &Count{What: what}
	if p.accept("in") {
		per := p.period()
		c.In = &per
		p.expect("of", "the period")
		c.A = p.operand("a date or a name after `of`")
	} else {
		c.Range = p.span()
	}
	if what.Working {
		c.Using = p.using()
	}
	c.Span = t.to(p.last())
	return c
}

// countAhead reads what is counted, if `from` or `in` a period follows it.
func (p *parser) countAhead() (c CountOf, n int) {
	t := p.peek()
	switch {
	case t.is("days"):
		n = 1
	case t.is("weekdays"):
		c.Weekdays, n = true, 1
	case t.is("working") && p.ahead(1).is("days"):
		c.Working, n = true, 2
	case t.is("counted") && p.ahead(1).is("days"):
		c.Working, c.Parts, n = true, true, 2
	case t.kind == tWord && weekdays[t.word] != 0:
		c.Weekday, n = weekdays[t.word], 1
	default:
		return c, 0
	}
	after, then := p.ahead(n), p.ahead(n+1)
	if after.is("from") || after.is("in") && then.is("this", "next", "previous", "week", "month", "quarter",
		"half-year", "year", "fiscal") {
		return c, n
	}
	return c, 0
}

// span reads `from A to B` or `from A through B`.
func (p *parser) span() (r Range) {
	p.expect("from", "the measure")
	r.A = p.operand("a date, a name or `today` after `from`")
	t := p.peek()
	switch {
	case p.accept("to"):
	case p.accept("through"):
		r.Through = true
	default:
		hint := p.spaced(t)
		if hint == "" {
			hint = "`to` leaves out the first day, `through` counts both"
		}
		fail(t.Span, "expected `to` or `through` after `from A`"+p.found(t), hint)
	}
	if p.stepAhead() && !p.peek().sign("-") || p.shiftAhead() {
		r.Step = p.step()
		return r
	}
	r.B = p.operand("a date, a name, `today` or one step after `" + t.word + "`")
	return r
}

// dayCount reads a day count convention and what is measured by it.
func (p *parser) dayCount() Expr {
	t := p.peek()
	if !p.ahead(1).sign("/") || t.kind != tWord && t.kind != tNumber {
		return nil
	}
	b := p.ahead(2)
	name := t.word + "/" + b.word
	by := -1
	n := 3
	switch name {
	case "30/360":
		switch k := p.ahead(3); {
		case k.is("us"):
			by, n = int(daycount.US30360), 4
		case k.is("bond"):
			by, n = int(daycount.Bond30360), 4
		case k.is("days", "years"):
			fail(t.to(b.Span), "30/360 alone has two meanings",
				"write `30/360 US` (with the February rule) or `30/360 bond` (without)")
		default:
			return nil
		}
	case "30e/360":
		by = int(daycount.E30360)
		if p.ahead(3).is("isda") {
			by, n = int(daycount.E30360ISDA), 4
		}
	case "act/360":
		by = int(daycount.Act360)
	case "act/365f":
		by = int(daycount.Act365F)
	case "act/365":
		if p.ahead(3).is("years", "days") {
			fail(t.to(b.Span), "`ACT/365` has several meanings", "write `ACT/365F` for the fixed one")
		}
		return nil
	case "act/act":
		if !p.ahead(3).is("isda") {
			fail(t.to(b.Span), "`ACT/ACT` has several forms", "write `ACT/ACT ISDA`")
		}
		by, n = int(daycount.ActActISDA), 4
	default:
		return nil
	}
	p.i += n
	d := &DayCount{By: daycount.Convention(by)}
	k := p.take()
	switch {
	case k.is("years"):
		d.Years = true
	case k.is("days") && d.By.Thirty():
	case k.is("days"):
		fail(k.Span, "days are the same in every actual convention", "write `days from A to B`")
	default:
		fail(k.Span, "expected `days` or `years` after the convention"+p.found(k),
			"for example: 30E/360 days from start to ends")
	}
	d.Range = p.span()
	if d.Through {
		fail(d.Span, "a day count needs `from A to B`", "")
	}
	d.Span = t.to(p.last())
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
	p.put(" from ")
	operand(p, r.A)
	p.put(map[bool]string{true: " through ", false: " to "}[r.Through])
	if r.Step != nil {
		r.Step.write(p)
		return
	}
	operand(p, r.B)
}

func (c *Count) write(p *printer) {
	p.put(c.What.text())
	if c.In != nil {
		p.put(" in ")
		c.In.write(p)
		p.put(" of ")
		operand(p, c.A)
	} else {
		c.Range.write(p)
	}
	c.Using.write(p)
}

func (c *SeriesCount) write(p *printer) {
	c.Series.write(p)
	p.put(" dates")
	c.Range.write(p)
}

func (c *Complete) write(p *printer) {
	if c.Started {
		p.put("started ")
	}
	p.put(unitTable[c.Unit].word, "s")
	c.Range.write(p)
}

func (a *Age) write(p *printer) { p.put("age"); a.Range.write(p) }

func (d *DayCount) write(p *printer) {
	p.put(daycount.Names[d.By], map[bool]string{true: " years", false: " days"}[d.Years])
	d.Range.write(p)
}

func (f *Format) write(p *printer) {
	ranked(p, f.A, 2)
	p.put(" as '", strings.ReplaceAll(f.Layout, "'", "''"), "'")
}

// rank is how tightly a node binds: 0 loosest.
func rank(e Expr) int {
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
	if IsCondition(e) {
		return 0
	}
	return 6
}

// ranked writes e, in parentheses where it binds more loosely than its place.
func ranked(p *printer, e Expr, least int) {
	if rank(e) < least {
		p.put("(")
		e.write(p)
		p.put(")")
		return
	}
	e.write(p)
}

func (j *Join) write(p *printer) {
	ranked(p, j.A, 1)
	p.put(" & ")
	ranked(p, j.B, 2)
}

func (a *Arith) write(p *printer) {
	at := rank(a)
	if a.Op == '^' {
		if n, ok := a.A.(*Number); ok && n.Text()[0] == '-' {
			p.put("(", n.Text(), ")")
		} else {
			operand(p, a.A)
		}
		p.put(" ^ ")
		operand(p, a.B)
		return
	}
	ranked(p, a.A, at)
	p.put(" ", string(a.Op), " ")
	ranked(p, a.B, at+1)
}

func numberOperand(p *printer, e Expr) {
	switch e.(type) {
	case *Count, *Complete, *Age, *DayCount, *Part, *MinMax, *Round:
		e.write(p)
	default:
		operand(p, e)
	}
}

func (m *MinMax) write(p *printer) {
	p.put(map[bool]string{true: "max of ", false: "min of "}[m.Max])
	numberOperand(p, m.A)
	p.put(" and ")
	numberOperand(p, m.B)
}

func (r *Round) write(p *printer) {
	p.put("round ")
	numberOperand(p, r.A)
	p.put(" to ", itoa(r.Places))
}

func (i *If) write(p *printer) {
	branch := func(e Expr) {
		_, steps := e.(*Steps)
		_, nested := e.(*If)
		if steps || IsCondition(e) || nested {
			p.put("(")
			e.write(p)
			p.put(")")
			return
		}
		e.write(p)
	}
	p.put("if ")
	i.Cond.write(p)
	p.put(" then ")
	branch(i.Then)
	if i.Else != nil {
		p.put(" else ")
		branch(i.Else)
	}
}
