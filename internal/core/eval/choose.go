package eval

import (
	"slices"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/recur"
	"yoyaku/internal/core/workdays"
)

// choiceNames are what a date that is chosen after `then` may use.
var choiceNames = []string{"nominal", "previous_nominal", "next_nominal"}

// branch is one of the dates that are chosen among, with its canonical text.
type branch struct {
	step Step // what its text is the reason of
	prog *Program
}

// choice is a date that a rule chooses before its steps.
type choice struct {
	pick     func(row []Value) (*branch, error)
	branches []*branch
}

// choose compiles the date that is chosen after `then`.
func (c *compiler) choose(e phrase.Expr) (*choice, error) {
	inner := *c
	inner.Env = c.Env.withoutSlots()
	inner.Env.Names, inner.Env.Kinds = choiceNames, []Kind{Date, Date, Date}
	ch := &choice{}
	var err error
	ch.pick, err = inner.branches(e, ch)
	return ch, err
}

// branches compiles an `if`, or one of its branches.
func (c *compiler) branches(e phrase.Expr, ch *choice) (func([]Value) (*branch, error), error) {
	if e == nil {
		return func([]Value) (*branch, error) { return nil, nil }, nil
	}
	n, ok := e.(*phrase.If)
	if !ok {
		text, err := c.branchText(e)
		if err != nil {
			return nil, err
		}
		prog, err := c.program(e, nil)
		if err != nil {
			return nil, err
		}
		b := &branch{step: Step{Text: text, choice: true}, prog: prog}
		ch.branches = append(ch.branches, b)
		return func([]Value) (*branch, error) { return b, nil }, nil
	}
	cond, err := c.expr(n.Cond)
	if err != nil {
		return nil, err
	}
	then, err := c.branches(n.Then, ch)
	if err != nil {
		return nil, err
	}
	otherwise, err := c.branches(n.Else, ch)
	if err != nil {
		return nil, err
	}
	return func(row []Value) (*branch, error) {
		v, err := cond(row)
		if err != nil {
			return nil, err
		}
		switch truthOf(v) {
		case unknown:
			return nil, nil
		case yes:
			return then(row)
		}
		return otherwise(row)
	}, nil
}

// branchText is the canonical text of a branch, and refuses what can't be one, so that
// the reach of a rule stays bounded.
func (c *compiler) branchText(e phrase.Expr) (string, error) {
	bad := func() (string, error) {
		return "", c.fail(e.Pos(),
			"expected nominal, previous_nominal, next_nominal, a day of the year, or steps on nominal in parentheses", "for example: (if month of nominal = 12 then 20 dec else (nominal, -2 days))")
	}
	switch e := e.(type) {
	case *phrase.Name:
		if !slices.ContainsFunc(choiceNames, func(n string) bool { return phrase.SameName(n, e.Text) }) {
			return bad()
		}
		return phrase.ExprText(e), nil
	case *phrase.Steps:
		if base, ok := e.Base.(*phrase.Name); !ok || !phrase.SameName(base.Text, choiceNames[0]) {
			return bad()
		}
		text := ""
		for i, s := range e.List {
			if phrase.Last(s) || phrase.Alone(s) != "" {
				return "", c.fail(s.Pos(), "this step can't be used in a branch of a rule", "")
			}
			if i > 0 {
				text += ", "
			}
			text += phrase.StepText(s)
		}
		return text, nil
	}
	return bad()
}

// beside finds the nominal date before or after one.
type beside func(d civil.Date) (recur.Date, bool)

// choosing makes the chain of a rule that chooses a date before its steps.
func (ch *choice) choosing(chain *Chain, rule *recur.Rule) *Chain {
	c := *chain
	c.Unordered, c.Alone, c.single = true, nil, nil
	far := 2*rule.Stride() + 366
	var back, forth Reach
	for _, b := range ch.branches {
		if of := b.prog.chain; of != nil {
			back, forth = back.Or(of.Back), forth.Or(of.Forth)
			c.MayBlank = c.MayBlank || of.MayBlank
		}
	}
	c.Back, c.Forth = c.Back.Plus(back).Plus(Reach{Days: far}), c.Forth.Plus(forth).Plus(Reach{Days: far})
	c.MayBlank = true
	near := func(find beside, d civil.Date) Value {
		found, ok := find(d)
		if !ok {
			return Value{}
		}
		return Day(found.Date)
	}
	c.chosen = func(d civil.Date, traced bool) (to civil.Date, move Move, beyond workdays.Beyond, err error) {
		row := []Value{Day(d), near(rule.Before, d), near(rule.After, d)}
		b, err := ch.pick(row)
		if err != nil || b == nil {
			return civil.None, move, beyond, err
		}
		var v Value
		var inner []Move
		trace := &inner
		if !traced {
			trace = nil
		}
		beyond, err = b.prog.Work(row, trace, &v)
		if err != nil || v.Kind == Blank {
			return civil.None, move, beyond, err
		}
		return v.Day, Move{Step: &b.step, From: d, To: v.Day, Inner: inner}, beyond, nil
	}
	return &c
}
