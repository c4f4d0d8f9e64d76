package eval

import (
	"slices"
	"strings"

	"yoyaku/internal/core/phrase"
)

// Expect is a condition that must hold, and can tell why it doesn't.
type Expect struct {
	Text string // canonical
	all  value
	node phrase.Expr
	a, b value // of a comparison
	used []int // slots, for other conditions
	name func(slot int) string
}

// CompileExpect compiles a condition that must hold of rows with the names of env.
func CompileExpect(text string, env Env) (*Expect, error) {
	e, err := phrase.ParseCondition(text)
	if err != nil {
		return nil, err
	}
	x := &Expect{Text: phrase.ExprText(e), node: e, name: func(i int) string { return env.Names[i] }}
	slots := env.Uses.All
	env.Uses.All = &x.used
	c := newCompiler(text, env)
	if x.all, err = c.expr(e); err != nil {
		return nil, err
	}
	if slots != nil {
		*slots = append(*slots, x.used...)
	}
	if cmp, ok := e.(*phrase.Compare); ok {
		x.a, x.b, err = pair(c.expr, cmp.A, cmp.B)
	}
	return x, err
}

// Holds tests a row. A condition that is blank neither holds nor fails.
func (x *Expect) Holds(row []Value) (ok, blank bool, err error) {
	v, err := x.all(row)
	t := truthOf(v)
	return t == yes, t == unknown, err
}

// broken says in words what the sides of a comparison are when it doesn't hold, of
// dates and of other things.
var broken = map[string][2]string{
	"<": {"is not before", "is not less than"}, "<=": {"is after", "is more than"},
	">": {"is not after", "is not more than"}, ">=": {"is before", "is less than"},
	"=": {"is not", "is not"}, "!=": {"is", "is"}, "contains": {"doesn't contain", "doesn't contain"},
	"starts with": {"doesn't start with", "doesn't start with"},
}

// Why tells with the values of a row why the condition doesn't hold.
func (x *Expect) Why(row []Value) string {
	if cmp, ok := x.node.(*phrase.Compare); ok && x.a != nil && x.b != nil {
		a, aerr := x.a(row)
		b, berr := x.b(row)
		if aerr == nil && berr == nil {
			words := broken[cmp.Op][1]
			if _, day := DayOf(a); day {
				words = broken[cmp.Op][0]
			}
			return a.String() + " " + words + " " + b.String()
		}
	}
	var parts []string
	for _, i := range slices.Compact(slices.Sorted(slices.Values(x.used))) {
		v := row[i].String()
		if v == "" {
			v = "blank"
		}
		parts = append(parts, x.name(i)+" is "+v)
	}
	return strings.Join(parts, ", ")
}
