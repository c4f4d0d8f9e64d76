package phrase

import (
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/recur"
)

// Period is a week, month, … relative to the one that holds the base.
type Period struct {
	Offset int // -1 previous, 0 this, 1 next
	Unit   civil.Unit
}

// Edge is the start (-1), middle (0) or end (1) of a period.
type Edge struct {
	Span
	Where int
	Of    Period
}

// Nth is the Nth day, weekday or working day of a period.
type Nth struct {
	Span
	Item  recur.Item
	Of    Period
	Using *Using
}

func init() { addStep(edgeForm("start", -1), edgeForm("middle", 0), edgeForm("end", 1)) }

// edgeForm reads start of P, middle of P, end of P.
func edgeForm(word string, where int) *stepForm {
	return &stepForm{word: word, peek: func(p *parser) bool { return p.peekAt(1).isWord("of") },
		parse: func(p *parser) Step {
			t := p.next()
			if !p.accept("of") {
				failAt(t.extendTo(p.peek().Span), "expected `of` and a period after `"+word+"`", "for example: "+word+" of next month")
			}
			period := p.period()
			return &Edge{t.extendTo(p.prevSpan()), where, period}
		}}
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
	case t.isWord("last"):
		failAt(t.Span, "`last` is an ordinal", "write `previous`")
	case t.isWord("the"):
		failAt(t.Span, "leave out `the`", "for example: end of month")
	}
	t = p.next()
	if t.isWord("fiscal") {
		f := p.next()
		u := map[string]civil.Unit{"week": civil.FiscalWeek, "month": civil.FiscalMonth, "quarter": civil.FiscalQuarter,
			"half":      civil.FiscalHalf,
			"half-year": civil.FiscalHalf, "year": civil.FiscalYear}[f.word]
		if u == 0 || f.kind != tWord {
			failAt(f.Span, "expected week, month, quarter, half or year after `fiscal`"+p.describe(f), "")
		}
		per.Unit = u
		return per
	}
	u, ok := periodUnits[t.word]
	if t.kind != tWord || !ok {
		hint := "a period is [this|next|previous] week, month, quarter, half-year, year, or fiscal week, month, quarter, half, year"
		if m := months[t.word]; t.kind == tWord && m != 0 {
			hint = "write `1 " + shortMonth(m) + "` or `last day of " + shortMonth(m) + "`"
		} else if t.kind == tWord {
			hint = didYouMean(t.word, hint, []string{"week", "month", "quarter", "half-year", "year", "fiscal year", "next",
				"previous"})
		}
		failAt(t.Span, "expected a period"+p.describe(t), hint)
	}
	per.Unit = u
	return per
}

func (per Period) write(p *printer) {
	switch per.Offset {
	case -1:
		p.writeStrings("previous ")
	case 1:
		p.writeStrings("next ")
	}
	p.writeStrings(civil.UnitNames[per.Unit])
}

func (e *Edge) write(p *printer) {
	p.writeStrings([]string{"start", "middle", "end"}[e.Where+1], " of ")
	e.Of.write(p)
}

func (n *Nth) write(p *printer) {
	p.writeStrings(NthText(n.Item), " of ")
	n.Of.write(p)
	n.Using.write(p)
}

func (e *Edge) calendarUse() (*Using, bool) { return nil, false }
func (e *Edge) form() *stepForm             { return &sharedForm }

func (n *Nth) calendarUse() (*Using, bool) { return n.Using, n.Item.Kind == recur.NthWorking }
func (n *Nth) form() *stepForm             { return &sharedForm }

func (per Period) reading() string {
	return [...]string{"the previous ", "the ", "the next "}[per.Offset+1] + civil.UnitNames[per.Unit]
}

func (s *Edge) reading() string {
	return []string{"the first day of ", "the middle day of ", "the last day of "}[s.Where+1] + s.Of.reading()
}

func (s *Nth) reading() string {
	return "the " + NthText(s.Item) + usingReading(s.Using) + " of " + s.Of.reading()
}
