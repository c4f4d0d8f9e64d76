package plan

import (
	"strings"

	"github.com/goccy/go-yaml/ast"

	"yoyaku/internal/core/phrase"
	"yoyaku/internal/declare"
)

// free is the name of the key that stands for all names of a mapping.
const free = "NAME"

// names is a mapping whose keys are names.
type names struct {
	what, help string
	of         func() *group // what is under a name, for the schema, help and merging; nil for a text
	each       func(v *node) error
}

func (n *names) same(a, b string) bool { return phrase.SameName(a, b) }

// Keys are none: all are names.
func (n *names) Keys() []*declare.Key { return nil }

func (n *names) key(string) declare.Key {
	k := declare.Key{Name: free, Merge: n.of != nil}
	if n.of != nil {
		k.Takes.In = func() declare.Inside { return n.of() }
	}
	return k
}

func (n *names) open(v *node) ([]*node, error) {
	if v.parts != nil {
		return v.parts, nil
	}
	return v.open(n.what, func(name string, k ast.Node, blank bool) error {
		if blank && strings.ContainsAny(name, " ,") {
			return v.doc.unvalued(k, name)
		}
		return nil
	})
}

func (n *names) fill(v *node) error {
	parts, err := n.open(v)
	if err != nil {
		return err
	}
	for _, p := range parts {
		p.at[p.path] = p.spot()
		if err := p.doc.or(p.wrap(n.each(p))); err != nil {
			return err
		}
	}
	return nil
}

// namesOf takes names.
func namesOf(of func() *names) declare.Takes {
	return declare.Takes{Words: "names, each with its own value", Shape: declare.AMapping, In: func() declare.Inside { return of() },
		Fill: fills(func(v *node) error { return of().fill(v) })}
}
