package eval

import (
	"slices"
	"strings"

	"yoyaku/internal/core/phrase"
)

// Expectation is a condition that must hold, and can tell why it doesn't.
type Expectation struct {
	Text      string // canonical
	condition valueFunc
	node      phrase.Expr
	a, b      valueFunc // of a comparison
	usedSlots []int     // slots, for other conditions
	name      func(slot int) string
}

// CompileExpectation compiles a condition that must hold of rows with the names of env.
func CompileExpectation(text string, env Env) (*Expectation, error) {
	e, err := phrase.ParseCondition(text)
	if err != nil {
		return nil, err
	}
	x := &Expectation{Text: phrase.ExprText(e), node: e, name: func(i int) string { return env.Names[i] }}
	slots := env.Uses.All
	env.Uses.All = &x.usedSlots
	c := newCompiler(text, env)
	if x.condition, err = c.expr(e); err != nil {
		return nil, err
	}
	if slots != nil {
		*slots = append(*slots, x.usedSlots...)
	}
	if cmp, ok := e.(*phrase.Compare); ok {
		x.a, x.b, err = compilePair(c.expr, cmp.A, cmp.B)
	}
	return x, err
}

// Holds tests a row. A condition that is blank neither holds nor fails.
func (x *Expectation) Holds(row []Value) (ok, blank bool, err error) {
	v, err := x.condition(row)
	t := ternaryOf(v)
	return t == ternaryTrue, t == ternaryBlank, err
}

// brokenTexts says in words what the sides of a comparison are when it doesn't hold, of
// dates and of other things.
var brokenTexts = map[string][2]string{
	"<": {"is not before", "is not less than"}, "<=": {"is after", "is more than"},
	">": {"is not after", "is not more than"}, ">=": {"is before", "is less than"},
	"=": {"is not", "is not"}, "!=": {"is", "is"}, "contains": {"doesn't contain", "doesn't contain"},
	"starts with": {"doesn't start with", "doesn't start with"},
}

// Explain tells with the values of a row why the condition doesn't hold.
func (x *Expectation) Explain(row []Value) string {
	if cmp, ok := x.node.(*phrase.Compare); ok && x.a != nil && x.b != nil {
		a, aerr := x.a(row)
		b, berr := x.b(row)
		if aerr == nil && berr == nil {
			words := brokenTexts[cmp.Op][1]
			if _, day := AsDate(a); day {
				words = brokenTexts[cmp.Op][0]
			}
			return a.String() + " " + words + " " + b.String()
		}
	}
	var parts []string
	for _, i := range slices.Compact(slices.Sorted(slices.Values(x.usedSlots))) {
		v := row[i].String()
		if v == "" {
			v = "blank"
		}
		parts = append(parts, x.name(i)+" is "+v)
	}
	return strings.Join(parts, ", ")
}
