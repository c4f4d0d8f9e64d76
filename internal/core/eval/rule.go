package eval

import (
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/recur"
)

// Recurrence is a compiled rule: nominal dates and what moves them.
type Recurrence struct {
	Text  string // canonical
	Rule  *recur.Rule
	Chain *Chain
}

// CompileRule compiles the text of a rule. Errors are of type *phrase.Error.
func CompileRule(text string, env Env) (*Recurrence, error) {
	n, err := phrase.ParseRule(text)
	if err != nil {
		return nil, err
	}
	c := &compiler{env, strings.TrimSpace(text)}
	return c.rule(n)
}

func (c *compiler) rule(n *phrase.Rule) (*Recurrence, error) {
	cal, err := c.calendar(n.Using)
	if err != nil {
		return nil, err
	}
	c.Calendar = cal
	r := &recur.Rule{Unit: n.Unit, Working: n.Working, Every: n.Every, Times: n.Times, SkipShort: n.Short,
		Frame: c.Frame, Calendar: cal}
	for _, d := range n.On {
		r.Items = append(r.Items, d.Item)
	}
	for _, m := range n.Months {
		r.Months |= 1 << m
	}
	for _, p := range []struct {
		to *civil.Date
		e  phrase.Expr
	}{{&r.From, n.From}, {&r.Until, n.Until}, {&r.Back, n.Back}} {
		if p.e != nil {
			if *p.to, err = c.constant(p.e); err != nil {
				return nil, err
			}
		}
	}
	if r.Until != civil.None && r.Until < r.From {
		return nil, c.fail(n.Until.Pos(), "the rule ends before it starts", "")
	}
	if r.Back != civil.None && r.Back < r.From {
		return nil, c.fail(n.Back.Pos(), "the rule's last date lies before `from`", "")
	}
	if r.Without, err = c.constants(n.Without); err != nil {
		return nil, err
	}
	if r.Plus, err = c.constants(n.Plus); err != nil {
		return nil, err
	}
	switch {
	case n.Listed:
		r = recur.Dates(r.Plus)
	case n.RRule != nil:
		rr, err := n.RRule.Rule(r.From)
		if err != nil {
			return nil, c.fail(n.Span, err.Error(), "")
		}
		rr.Without, rr.Plus, rr.Calendar = r.Without, r.Plus, cal
		r = rr
	}
	if !n.Listed {
		r.Prepare()
	}
	chain, err := c.chain(n.Then)
	if err != nil {
		return nil, err
	}
	return &Recurrence{Text: n.Canonical(), Rule: r, Chain: chain}, nil
}

// constant evaluates a date that stands in a rule, where there is no row.
func (c *compiler) constant(e phrase.Expr) (civil.Date, error) {
	f, err := c.dateOf(e)
	if err != nil {
		return civil.None, err
	}
	v, err := f(nil)
	if err == nil && v.Kind == Blank {
		err = c.fail(e.Pos(), "this date is blank", "")
	}
	return v.Day, err
}

func (c *compiler) constants(list []phrase.Expr) (days []civil.Date, err error) {
	for _, e := range list {
		d, err := c.constant(e)
		if err != nil {
			return nil, err
		}
		days = append(days, d)
	}
	return days, nil
}
