package plan

import (
	"strings"

	"github.com/goccy/go-yaml/ast"

	"yoyaku/internal/core/phrase"
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

func (n *names) key(string) Key {
	k := Key{Name: free, Merge: n.of != nil}
	if n.of != nil {
		k.Takes.in = func() inside { return n.of() }
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
func namesOf(of func() *names) takes {
	return takes{words: "names, each with its own value", kind: aMapping, in: func() inside { return of() },
		fill: func(v *node) error { return of().fill(v) }}
}
