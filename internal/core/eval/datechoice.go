package eval

import (
	"slices"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/recur"
	"yoyaku/internal/core/workdays"
)

// choiceNominals are what a date that is chosen after `then` may use.
var choiceNominals = []string{"nominal", "previous_nominal", "next_nominal"}

// branch is one of the dates that are chosen among, with its canonical text.
type branch struct {
	step Step // what its text is the reason of
	prog *Program
}

// dateChoice is a date that a rule chooses before its steps.
type dateChoice struct {
	pick     func(row []Value) (*branch, error)
	branches []*branch
}

// choose compiles the date that is chosen after `then`.
func (c *compiler) choose(e phrase.Expr) (*dateChoice, error) {
	inner := *c
	inner.Env = c.Env.withoutCollectors()
	inner.Env.Names, inner.Env.Kinds = choiceNominals, []Kind{Date, Date, Date}
	ch := &dateChoice{}
	var err error
	ch.pick, err = inner.branches(e, ch)
	return ch, err
}

// branches compiles an `if`, or one of its branches.
func (c *compiler) branches(e phrase.Expr, ch *dateChoice) (func([]Value) (*branch, error), error) {
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
		b := &branch{step: Step{Text: text, isChoice: true}, prog: prog}
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
		switch ternaryOf(v) {
		case ternaryBlank:
			return nil, nil
		case ternaryTrue:
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
		if !slices.ContainsFunc(choiceNominals, func(n string) bool { return phrase.NamesEqual(n, e.Text) }) {
			return bad()
		}
		return phrase.ExprText(e), nil
	case *phrase.Steps:
		if base, ok := e.Base.(*phrase.Name); !ok || !phrase.NamesEqual(base.Text, choiceNominals[0]) {
			return bad()
		}
		text := ""
		for i, s := range e.List {
			if phrase.IsLastStep(s) || phrase.RowsOnlyReason(s) != "" {
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

// neighborFunc finds the nominal date before or after one.
type neighborFunc func(d civil.Date) (recur.Date, bool)

// chainWith makes the chain of a rule that chooses a date before its steps.
func (ch *dateChoice) chainWith(chain *Chain, rule *recur.Rule) *Chain {
	c := *chain
	c.MayReorder, c.SoleRollCalendar, c.soleStep = true, nil, nil
	far := 2*rule.MaxGap() + 366
	var back, forth Reach
	for _, b := range ch.branches {
		if of := b.prog.chain; of != nil {
			back, forth = back.Max(of.ReachBack), forth.Max(of.ReachForward)
			c.MayBeBlank = c.MayBeBlank || of.MayBeBlank
		}
	}
	c.ReachBack, c.ReachForward = c.ReachBack.Add(back).Add(Reach{Days: far}), c.ReachForward.Add(forth).Add(Reach{Days: far})
	c.MayBeBlank = true
	near := func(find neighborFunc, d civil.Date) Value {
		found, ok := find(d)
		if !ok {
			return Value{}
		}
		return Day(found.Date)
	}
	c.choose = func(d civil.Date, traced bool) (to civil.Date, move Move, beyond workdays.Uncovered, err error) {
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
		beyond, err = b.prog.EvalTraced(row, trace, &v)
		if err != nil || v.Kind == Blank {
			return civil.None, move, beyond, err
		}
		return v.Day, Move{Step: &b.step, From: d, To: v.Day, Inner: inner}, beyond, nil
	}
	return &c
}
