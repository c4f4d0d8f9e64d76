package plan

import (
	"fmt"
	"slices"
	"strings"

	"github.com/goccy/go-yaml/ast"

	"yoyaku/internal/core/phrase"
	"yoyaku/internal/declare"
	"yoyaku/internal/question"
)

// inside is what is in a mapping: keys, or names.
type inside interface {
	declare.Inside
	// open gives the parts of a value, unread.
	open(v *node) ([]*node, error)
	// key is how what is under a name goes over what stood there before.
	key(name string) declare.Key
	// same reports whether two names are one.
	same(a, b string) bool
}

// node is a value of a plan with its place: of YAML, a cell of a table, or what a pattern
// and a series say together.
type node struct {
	doc    *doc
	name   string // its key
	k, val ast.Node
	path   string  // milestones.cut-off
	at     places  // of all that was read, by path
	parts  []*node // of a mapping, once it was opened
	// asIs says that it stands as it is, without the words that a pattern takes.
	asIs bool
}

func (v *node) spot() Spot { return v.doc.spot(v.val) }

func (v *node) wrap(err error) error { return v.doc.wrap(v.val, err) }

func (v *node) fail(format string, args ...any) error { return v.doc.fail(v.val, format, args...) }

// entry is a value that stands by itself: nothing of it was read.
func entry(d *doc, name string, n ast.Node) *node {
	return &node{doc: d, name: name, k: n, val: n, at: places{}}
}

// part is what is in a mapping under a key.
func (v *node) part(d *doc, name string, k, val ast.Node) *node {
	p := v.partOf(d, name, k, val)
	return &p
}

func (v *node) partOf(d *doc, name string, k, val ast.Node) node {
	path := name
	if v.path != "" {
		path = v.path + "." + name
	}
	return node{doc: d, name: name, k: k, val: val, path: path, at: v.at}
}

// items are the entries of a list; example is one, for who wrote something else.
func (v *node) items(example string) ([]*node, error) {
	seq, ok := v.val.(*ast.SequenceNode)
	if !ok {
		return nil, v.fail("`%s` expects a list: `- %s`", v.name, example)
	}
	list := make([]*node, len(seq.Values))
	for i, item := range seq.Values {
		list[i] = v.part(v.doc, fmt.Sprint(i), item, item)
	}
	return list, nil
}

// over puts parts over those from before, by their names.
func over(in inside, before, parts []*node) (list []*node, err error) {
	list = slices.Clone(before)
	for _, p := range parts {
		i := slices.IndexFunc(list, func(o *node) bool { return in.same(o.name, p.name) })
		k := in.key(p.name)
		switch out := k.Name == free && p.parts == nil && isNone(p.val); {
		case out && i < 0:
			return nil, p.nothingToTakeOut()
		case out:
			list = slices.Delete(list, i, i+1)
		case i < 0 || k.Adds:
			list = append(list, p)
		case !k.Merge:
			list[i] = p
		default:
			one := *p
			if one.parts, err = list[i].under(k.Takes.In().(inside), p); err != nil {
				return nil, err
			}
			list[i] = &one
		}
	}
	return list, nil
}

func (v *node) nothingToTakeOut() error {
	return v.doc.fail(v.k, "there is no milestone `%s` to take out", v.name)
}

func isNone(n ast.Node) bool {
	text, ok := n.(ast.ScalarNode)
	return ok && text.GetToken().Value == "none"
}

// under are the parts of a mapping with those of another over them.
func (v *node) under(in inside, p *node) ([]*node, error) {
	before, err := in.open(v)
	if err != nil {
		return nil, err
	}
	parts, err := in.open(p)
	if err != nil {
		return nil, err
	}
	return over(in, before, parts)
}

// group is a mapping with keys.
type group struct {
	what string // in messages
	keys []*declare.Key
	text string // the key for which one text may stand in its place; "" for none
	// orText says that a text may be in its place which isn't read by a key.
	orText bool
	// beside is the key beside which further keys may stand, each with one value: the words
	// that a pattern takes.
	beside string
	// words says that those may stand anywhere: whose they are is seen later.
	words bool
	// chained says that what follows a key that is wrong isn't read: it may use it.
	chained bool
	done    func(v *node) error // once all keys are read
	// made is the group with the keys of what a question makes; nil if nothing is made.
	made func(q *question.Question) *group
}

func (g *group) find(name string) int {
	return slices.IndexFunc(g.keys, func(k *declare.Key) bool { return k.Name == name })
}

func (g *group) same(a, b string) bool { return a == b }

func (g *group) key(name string) declare.Key {
	if k := declare.Find(g.keys, name); k != nil {
		return *k
	}
	return declare.Key{}
}

// Keys are the keys.
func (g *group) Keys() []*declare.Key { return g.keys }

// known lists the names of the keys.
func (g *group) known() (list []string) {
	for _, k := range g.keys {
		list = append(list, k.Name)
	}
	return list
}

// options adds the flags of commands, but for those that the group has itself.
func (g *group) options(options []*declare.Key) {
	for _, o := range options {
		if g.find(o.Name) >= 0 {
			continue
		}
		o.Flag = true
		if o.Takes.Shape == declare.Running { // which stands there name by name
			one := o.Takes.Fill
			t := carries(func(text string) error { return one(declare.Said(o.Name, text)) })
			o.Takes.Words, o.Takes.Shape, o.Takes.In, o.Takes.Fill = t.Words, t.Shape, t.In, t.Fill
		}
		g.keys = append(g.keys, o)
	}
}

// flags are those of the group's keys.
func (g *group) flags() []*declare.Key {
	return slices.DeleteFunc(slices.Clone(g.keys), func(k *declare.Key) bool { return !k.Flag })
}

// open gives the keys of a mapping, each one of the group's, or with beside a word.
func (g *group) open(v *node) ([]*node, error) {
	if v.parts != nil {
		return v.parts, nil
	}
	m, mapping := v.val.(*ast.MappingNode)
	if !mapping && g.text != "" {
		p := *v
		p.name, p.path = g.text, strings.TrimPrefix(v.path+"."+g.text, ".")
		v.parts = []*node{&p}
		return v.parts, nil
	}
	words := g.words || mapping && g.beside != "" && slices.ContainsFunc(m.Values,
		func(pair *ast.MappingValueNode) bool { return pair.Key.GetToken().Value == g.beside })
	return v.open(g.what, func(name string, k ast.Node, blank bool) error {
		switch {
		case g.find(name) >= 0 || words && !blank:
			return nil
		case blank:
			return v.doc.unvalued(k, name)
		}
		hint := phrase.Meant(name, g.known(), "use one of "+strings.Join(g.known(), ", "))
		return v.doc.wrap(k, &unknownKey{name, g.what, hint})
	})
}

// open gives the parts of a mapping whose keys allowed lets pass.
func (v *node) open(what string, allowed func(name string, k ast.Node, blank bool) error) ([]*node, error) {
	switch v.val.(type) {
	case *ast.AnchorNode, *ast.AliasNode:
		return nil, v.fail("%s", noAnchors)
	}
	m, ok := v.val.(*ast.MappingNode)
	if !ok {
		return nil, v.fail("expected lines of `key: value` for %s", what)
	}
	v.parts = make([]*node, 0, len(m.Values))
	block := make([]node, len(m.Values))
	for i, pair := range m.Values {
		name := pair.Key.GetToken().Value
		_, blank := pair.Value.(*ast.NullNode)
		err := allowed(name, pair.Key, blank)
		if name == "<<" {
			err = v.doc.fail(pair.Key, "%s", noAnchors)
		}
		if err != nil {
			if err = v.doc.or(err); err != nil {
				return nil, err
			}
			continue
		}
		block[i] = v.partOf(v.doc, name, pair.Key, pair.Value)
		v.parts = append(v.parts, &block[i])
	}
	return v.parts, nil
}

// unvalued is the fault of a key without a value.
func (d *doc) unvalued(k ast.Node, name string) error {
	return d.fail(k, "`%s` was read as a key without a value, because a comma ends a value inside { }; quote the phrase: '…'", name)
}

// unknownKey is the fault of a key that its mapping doesn't have.
type unknownKey struct{ key, what, hint string }

// Error names it and says what it may have been.
func (e *unknownKey) Error() string {
	return fmt.Sprintf("unknown key `%s` in %s; %s", e.key, e.what, e.hint)
}

// fill reads what the keys fill, in the order in which they are declared: what others
// depend on comes first.
func (g *group) fill(v *node) error {
	before := v.doc.collect.count()
	parts, err := g.open(v)
	if err != nil {
		return err
	}
	v.at[v.path] = v.spot()
	wrong := func() bool { return g.chained && v.doc.collect.count() > before }
	for _, k := range g.keys {
		at := slices.IndexFunc(parts, func(p *node) bool { return p.name == k.Name })
		if at < 0 && k.Needed && !k.Flag {
			return v.fail("%s needs `%s`, %s", g.what, k.Name, k.Told())
		}
		for ; at >= 0 && at < len(parts); at++ { // one that adds stands several times
			if p := parts[at]; p.name == k.Name && !wrong() {
				if err := p.doc.or(p.fill(k)); err != nil {
					return err
				}
			}
		}
		if k.After != nil && !wrong() {
			if err := v.doc.or(k.After()); err != nil {
				return err
			}
		}
	}
	if g.done == nil || wrong() {
		return nil
	}
	return v.wrap(g.done(v))
}

// fill fills the field of a key.
func (v *node) fill(k *declare.Key) error {
	v.at[v.path] = v.spot()
	if k.Flag {
		return k.Say(v)
	}
	return v.wrap(k.Takes.Fill(v))
}

// keysOf takes a mapping with keys. They are made when there is one.
func keysOf(of func() *group) declare.Takes {
	return declare.Takes{Words: "keys", Shape: declare.AMapping, In: func() declare.Inside { return of() },
		Fill: fills(func(v *node) error { return of().fill(v) })}
}

// listOf takes a list of mappings.
func listOf(words string, item func() *group, fill func(v *node) error) declare.Takes {
	return declare.Takes{Words: words, Shape: declare.AList, Item: func() declare.Inside { return item() }, Fill: fills(fill)}
}

// orList takes one value, or a list of mappings in its place; done is called at the end of
// the list.
func orList(one declare.Takes, item func() *group, done func(v *node) error) declare.Takes {
	scalar := one.Fill
	one.Shape, one.Item = declare.TextOrList, func() declare.Inside { return item() }
	one.Words += ", or a list"
	one.Fill = fills(func(v *node) error {
		if _, list := v.val.(*ast.SequenceNode); !list {
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

// makes is the question that the value of `make` in a mapping names; nil for none. What it
// makes says which other keys there are.
func (v *node) makes() (*question.Question, error) {
	m, ok := v.val.(*ast.MappingNode)
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
		for _, q := range question.All() {
			if q.Alone && q.Name == name {
				return q, nil
			}
		}
		q, err := question.New(name)
		return q, v.doc.wrap(pair.Value, err)
	}
	return nil, nil
}
