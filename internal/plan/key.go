package plan

import (
	"fmt"
	"slices"
	"strings"

	"github.com/goccy/go-yaml/ast"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/declare"
	"yoyaku/internal/query"
)

// mapping is what is in a mapping: keys, or names.
type mapping interface {
	declare.Mapping
	// split gives the parts of a value, unread.
	split(v *node) ([]*node, error)
	// key is how what is under a name goes over what stood there before.
	key(name string) declare.Key
	// sameName reports whether two names are one.
	sameName(a, b string) bool
}

// node is a value of a plan with its place: of YAML, a cell of a table, or what a pattern
// and a series say together.
type node struct {
	doc                *doc
	name               string // its key
	keyNode, valueNode ast.Node
	path               string       // milestones.cut-off
	positions          keyPositions // of all that was read, by path
	children           []*node      // of a mapping, once it was opened
	// literal says that it stands as it is, without the words that a pattern takes.
	literal bool
}

func (v *node) pos() Pos { return v.doc.pos(v.valueNode) }

func (v *node) wrap(err error) error { return v.doc.wrap(v.valueNode, err) }

func (v *node) fail(format string, args ...any) error {
	return v.doc.fail(v.valueNode, format, args...)
}

// rootNode is a value that stands by itself: nothing of it was read.
func rootNode(d *doc, name string, n ast.Node) *node {
	return &node{doc: d, name: name, keyNode: n, valueNode: n, positions: keyPositions{}}
}

// child is what is in a mapping under a key.
func (v *node) child(d *doc, name string, k, val ast.Node) *node {
	p := v.newChild(d, name, k, val)
	return &p
}

func (v *node) newChild(d *doc, name string, k, val ast.Node) node {
	path := name
	if v.path != "" {
		path = v.path + "." + name
	}
	return node{doc: d, name: name, keyNode: k, valueNode: val, path: path, positions: v.positions}
}

// items are the entries of a list; example is one, for who wrote something else.
func (v *node) items(example string) ([]*node, error) {
	seq, ok := v.valueNode.(*ast.SequenceNode)
	if !ok {
		return nil, v.fail("`%s` expects a list: `- %s`", v.name, example)
	}
	list := make([]*node, len(seq.Values))
	for i, item := range seq.Values {
		list[i] = v.child(v.doc, fmt.Sprint(i), item, item)
	}
	return list, nil
}

// mergeNodes puts parts over those from before, by their names.
func mergeNodes(in mapping, before, parts []*node) (list []*node, err error) {
	list = slices.Clone(before)
	for _, p := range parts {
		i := slices.IndexFunc(list, func(o *node) bool { return in.sameName(o.name, p.name) })
		k := in.key(p.name)
		switch out := k.Name == anyName && p.children == nil && isNoneValue(p.valueNode); {
		case out && i < 0:
			return nil, p.checkNoRemovals()
		case out:
			list = slices.Delete(list, i, i+1)
		case i < 0 || k.Appends:
			list = append(list, p)
		case !k.Merge:
			list[i] = p
		default:
			one := *p
			if one.children, err = list[i].mergeUnder(k.Value.Mapping().(mapping), p); err != nil {
				return nil, err
			}
			list[i] = &one
		}
	}
	return list, nil
}

func (v *node) checkNoRemovals() error {
	return v.doc.fail(v.keyNode, "there is no milestone `%s` to take out", v.name)
}

func isNoneValue(n ast.Node) bool {
	text, ok := n.(ast.ScalarNode)
	return ok && text.GetToken().Value == "none"
}

// mergeUnder are the parts of a mapping with those of another over them.
func (v *node) mergeUnder(in mapping, p *node) ([]*node, error) {
	before, err := in.split(v)
	if err != nil {
		return nil, err
	}
	parts, err := in.split(p)
	if err != nil {
		return nil, err
	}
	return mergeNodes(in, before, parts)
}

// keyGroup is a mapping of a plan file: the keys that it may have, in the order in which they
// are filled.
type keyGroup struct {
	label   string // in messages
	keys    []*declare.Key
	textKey string // the key for which one text may stand in its place; "" for none
	// allowsText says that a text may be in its place which isn't read by a key.
	allowsText bool
	// argsKey is the key beside which further keys may stand, each with one value: the words
	// that a pattern takes.
	argsKey string
	// argsAnywhere says that those may stand anywhere: whose they are is seen later.
	argsAnywhere bool
	// stopAtFault says that what follows a key that is wrong isn't read: it may use it.
	stopAtFault bool
	onRead      func(v *node) error // once all keys are read
	// groupFor is the group with the keys of what a query makes; nil if nothing is made.
	groupFor func(q *ask.Query) *keyGroup
}

func (g *keyGroup) find(name string) int {
	return slices.IndexFunc(g.keys, func(k *declare.Key) bool { return k.Name == name })
}

func (g *keyGroup) sameName(a, b string) bool { return a == b }

func (g *keyGroup) key(name string) declare.Key {
	if k := declare.Find(g.keys, name); k != nil {
		return *k
	}
	return declare.Key{}
}

// Keys are the keys.
func (g *keyGroup) Keys() []*declare.Key { return g.keys }

// keyNames lists the names of the keys.
func (g *keyGroup) keyNames() (list []string) {
	for _, k := range g.keys {
		list = append(list, k.Name)
	}
	return list
}

// options adds the flags of commands, but for those that the group has itself.
func (g *keyGroup) options(options []*declare.Key) {
	for _, o := range options {
		if g.find(o.Name) >= 0 {
			continue
		}
		o.IsOption = true
		if o.Value.Form == declare.FormRunningColumns { // which stands there name by name
			one := o.Value.Assign
			t := takesRunning(func(text string) error { return one(declare.NewInput(o.Name, text)) })
			o.Value.Description, o.Value.Form, o.Value.Mapping, o.Value.Assign = t.Description, t.Form, t.Mapping, t.Assign
		}
		g.keys = append(g.keys, o)
	}
}

// flags are those of the group's keys.
func (g *keyGroup) flags() []*declare.Key {
	return slices.DeleteFunc(slices.Clone(g.keys), func(k *declare.Key) bool { return !k.IsOption })
}

// split gives the keys of a mapping, each one of the group's, or with beside a word.
func (g *keyGroup) split(v *node) ([]*node, error) {
	if v.children != nil {
		return v.children, nil
	}
	m, mapping := v.valueNode.(*ast.MappingNode)
	if !mapping && g.textKey != "" {
		p := *v
		p.name, p.path = g.textKey, strings.TrimPrefix(v.path+"."+g.textKey, ".")
		v.children = []*node{&p}
		return v.children, nil
	}
	words := g.argsAnywhere || mapping && g.argsKey != "" && slices.ContainsFunc(m.Values,
		func(pair *ast.MappingValueNode) bool { return pair.Key.GetToken().Value == g.argsKey })
	return v.splitMapping(g.label, func(name string, k ast.Node, blank bool) error {
		switch {
		case g.find(name) >= 0 || words && !blank:
			return nil
		case blank:
			return v.doc.missingValueError(k, name)
		}
		hint := phrase.Meant(name, g.keyNames(), "use one of "+strings.Join(g.keyNames(), ", "))
		return v.doc.wrap(k, &unknownKeyError{name, g.label, hint})
	})
}

// splitMapping gives the parts of a mapping whose keys allowed lets pass.
func (v *node) splitMapping(what string, allowed func(name string, k ast.Node, blank bool) error) ([]*node, error) {
	switch v.valueNode.(type) {
	case *ast.AnchorNode, *ast.AliasNode:
		return nil, v.fail("%s", noAnchors)
	}
	m, ok := v.valueNode.(*ast.MappingNode)
	if !ok {
		return nil, v.fail("expected lines of `key: value` for %s", what)
	}
	v.children = make([]*node, 0, len(m.Values))
	block := make([]node, len(m.Values))
	for i, pair := range m.Values {
		name := pair.Key.GetToken().Value
		_, blank := pair.Value.(*ast.NullNode)
		err := allowed(name, pair.Key, blank)
		if name == "<<" {
			err = v.doc.fail(pair.Key, "%s", noAnchors)
		}
		if err != nil {
			if err = v.doc.collectError(err); err != nil {
				return nil, err
			}
			continue
		}
		block[i] = v.newChild(v.doc, name, pair.Key, pair.Value)
		v.children = append(v.children, &block[i])
	}
	return v.children, nil
}

// missingValueError is the fault of a key without a value.
func (d *doc) missingValueError(k ast.Node, name string) error {
	return d.fail(k, "`%s` was read as a key without a value, because a comma ends a value inside { }; quote the phrase: '…'", name)
}

// unknownKeyError is the fault of a key that its mapping doesn't have.
type unknownKeyError struct{ key, what, hint string }

// Error names it and says what it may have been.
func (e *unknownKeyError) Error() string {
	return fmt.Sprintf("unknown key `%s` in %s; %s", e.key, e.what, e.hint)
}

// fill reads what the keys fill, in the order in which they are declared: what others
// depend on comes first.
func (g *keyGroup) fill(v *node) error {
	before := v.doc.collect.numAdded()
	parts, err := g.split(v)
	if err != nil {
		return err
	}
	v.positions[v.path] = v.pos()
	wrong := func() bool { return g.stopAtFault && v.doc.collect.numAdded() > before }
	for _, k := range g.keys {
		at := slices.IndexFunc(parts, func(p *node) bool { return p.name == k.Name })
		if at < 0 && k.Required && !k.IsOption {
			return v.fail("%s needs `%s`, %s", g.label, k.Name, k.HelpText())
		}
		for ; at >= 0 && at < len(parts); at++ { // one that adds stands several times
			if p := parts[at]; p.name == k.Name && !wrong() {
				if err := p.doc.collectError(p.fill(k)); err != nil {
					return err
				}
			}
		}
		if k.AfterRead != nil && !wrong() {
			if err := v.doc.collectError(k.AfterRead()); err != nil {
				return err
			}
		}
	}
	if g.onRead == nil || wrong() {
		return nil
	}
	return v.wrap(g.onRead(v))
}

// fill fills the field of a key.
func (v *node) fill(k *declare.Key) error {
	v.positions[v.path] = v.pos()
	if k.IsOption {
		return k.Read(v)
	}
	return v.wrap(k.Value.Assign(v))
}

// takesKeys takes a mapping with keys. They are made when there is one.
func takesKeys(of func() *keyGroup) declare.ValueSpec {
	return declare.ValueSpec{Description: "keys", Form: declare.FormMapping, Mapping: func() declare.Mapping { return of() },
		Assign: fills(func(v *node) error { return of().fill(v) })}
}

// listOf takes a list of mappings.
func listOf(words string, item func() *keyGroup, fill func(v *node) error) declare.ValueSpec {
	return declare.ValueSpec{Description: words, Form: declare.FormList, Item: func() declare.Mapping { return item() }, Assign: fills(fill)}
}

// takesOneOrList takes one value, or a list of mappings in its place; done is called at the end of
// the list.
func takesOneOrList(one declare.ValueSpec, item func() *keyGroup, done func(v *node) error) declare.ValueSpec {
	scalar := one.Assign
	one.Form, one.Item = declare.FormTextOrList, func() declare.Mapping { return item() }
	one.Description += ", or a list"
	one.Assign = fills(func(v *node) error {
		if _, list := v.valueNode.(*ast.SequenceNode); !list {
			return scalar(v)
		}
		items, err := v.items("")
		if err != nil {
			return err
		}
		for _, p := range items {
			if err := p.wrap(item().fill(p)); err != nil {
				return err
			}
		}
		return done(v)
	})
	return one
}

// madeQuery is the query that the value of `make` in a mapping names; nil for none. What it
// makes says which other keys there are.
func (v *node) madeQuery() (*ask.Query, error) {
	m, ok := v.valueNode.(*ast.MappingNode)
	if !ok {
		return nil, nil
	}
	for _, pair := range m.Values {
		if pair.Key.GetToken().Value != "make" {
			continue
		}
		name, err := v.doc.text(pair.Value)
		if err != nil {
			return nil, err
		}
		for _, q := range query.All() {
			if q.NeedsNoRecord && q.Name == name {
				return q, nil
			}
		}
		q, err := query.New(name)
		return q, v.doc.wrap(pair.Value, err)
	}
	return nil, nil
}
