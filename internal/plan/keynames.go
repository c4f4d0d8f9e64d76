package plan

import (
	"strings"

	"github.com/goccy/go-yaml/ast"

	"yoyaku/internal/core/phrase"
	"yoyaku/internal/declare"
)

// anyName is the name of the key that stands for all names of a mapping.
const anyName = "NAME"

// nameMap is a mapping whose keys are names.
type nameMap struct {
	label, help string
	valueGroup  func() *keyGroup // what is under a name, for the schema, help and merging; nil for a text
	readEach    func(v *node) error
}

func (n *nameMap) sameName(a, b string) bool { return phrase.NamesEqual(a, b) }

// Keys are none: all are names.
func (n *nameMap) Keys() []*declare.Key { return nil }

func (n *nameMap) key(string) declare.Key {
	k := declare.Key{Name: anyName, Merge: n.valueGroup != nil}
	if n.valueGroup != nil {
		k.Value.Mapping = func() declare.Mapping { return n.valueGroup() }
	}
	return k
}

func (n *nameMap) split(v *node) ([]*node, error) {
	if v.children != nil {
		return v.children, nil
	}
	return v.splitMapping(n.label, func(name string, k ast.Node, blank bool) error {
		if blank && strings.ContainsAny(name, " ,") {
			return v.doc.missingValueError(k, name)
		}
		return nil
	})
}

func (n *nameMap) fill(v *node) error {
	parts, err := n.split(v)
	if err != nil {
		return err
	}
	for _, p := range parts {
		p.positions[p.path] = p.pos()
		if err := p.doc.collectError(p.wrap(n.readEach(p))); err != nil {
			return err
		}
	}
	return nil
}

// takesNames takes names.
func takesNames(of func() *nameMap) declare.ValueSpec {
	return declare.ValueSpec{Description: "names, each with its own value", Form: declare.FormMapping, Mapping: func() declare.Mapping { return of() },
		Assign: fills(func(v *node) error { return of().fill(v) })}
}
