package plan

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"

	"github.com/goccy/go-yaml/ast"

	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/declare"
)

// pattern is what several series have in common.
type pattern struct {
	name   string
	pos    Pos
	keys   []*node // unread, with words of patterns that it is like
	params []param
	base   string
}

// param is a parameter of a pattern, with its default.
type param struct {
	name, value string
	required    bool
	pos         Pos
}

// requiredValue is the value of a word that has none of its own.
const requiredValue = "needed"

// patternKeys are the keys of a pattern: those of a series, none of which it needs, and
// what it takes.
var patternKeys = sync.OnceValue(func() *keyGroup {
	g := &keyGroup{label: "a pattern", argsKey: "like", argsAnywhere: true, keys: []*declare.Key{
		{Name: "takes", Help: "the parameters that a series fills in, with their defaults",
			Example: "{lead: 5, who: needed}",
			Details: "A parameter is a number, a date or a text, or in parentheses a calendar or an owner. " +
				"Use it as NAME in phrases, as {NAME} in texts, and as (NAME) in `calendar` and `owner`. " +
				"`needed` has no default. A series whose rule differs in more than that has its own `rule`.",
			Value: takesNames(func() *nameMap { return paramNames })},
	}}
	for _, k := range seriesKeys().keys {
		own := *k
		own.Required = false
		g.keys = append(g.keys, &own)
	}
	return g
})

var paramNames = &nameMap{label: "what a pattern takes", help: "the default, or `needed`"}

// addPattern reads a pattern; what it says is read where a series is like it.
func (p *Plan) addPattern(v *node) error {
	t := &pattern{name: v.name, pos: v.pos()}
	parts, err := patternKeys().split(rootNode(v.doc, v.name, v.valueNode))
	if err != nil {
		return err
	}
	for _, k := range parts {
		switch k.name {
		case "takes":
			err = t.readParams(k)
		case "like":
			t.base, err = k.doc.text(k.valueNode)
		default:
			t.keys = append(t.keys, k)
		}
		if err := v.doc.collectError(k.wrap(err)); err != nil {
			return err
		}
	}
	for _, w := range t.params {
		for _, k := range t.keys {
			if k.name != "milestones" {
				continue
			}
			if m, ok := k.valueNode.(*ast.MappingNode); ok && slices.ContainsFunc(m.Values,
				func(v *ast.MappingValueNode) bool { return phrase.NamesEqual(v.Key.GetToken().Value, w.name) }) {
				return w.pos.wrap(fmt.Errorf("`%s` is already a milestone of the pattern; choose another word", w.name))
			}
		}
	}
	p.patterns = append(p.patterns, t)
	return nil
}

// readParams reads the words that a pattern takes.
func (t *pattern) readParams(v *node) error {
	parts, err := paramNames.split(v)
	if err != nil {
		return err
	}
	for _, w := range parts {
		if err := v.doc.collectError(t.readParam(w)); err != nil {
			return err
		}
	}
	return nil
}

func (t *pattern) readParam(w *node) error {
	if err := schedule.CheckName(w.name); err != nil {
		return w.doc.wrap(w.keyNode, err)
	}
	same := func(s string) bool { return phrase.NamesEqual(s, w.name) }
	if phrase.IsReserved(w.name) || same("name") || slices.ContainsFunc(seriesKeys().keyNames(), same) ||
		slices.ContainsFunc(schedule.BaseNames, same) {
		return w.doc.fail(w.keyNode, "`%s` already has a meaning in a series; choose another word, such as `%s-of`", w.name, w.name)
	}
	text, err := w.doc.text(w.valueNode)
	t.params = append(t.params, param{w.name, text, text == requiredValue, w.pos()})
	return w.wrap(err)
}

// patternOf finds a pattern by name, or nil.
func (p *Plan) patternOf(name string) *pattern {
	for _, t := range p.patterns {
		if phrase.NamesEqual(t.name, name) {
			return t
		}
	}
	return nil
}

// isBroken reports whether an entry of a name couldn't be read, or may be one that couldn't.
func (p *Plan) isBroken(name string) bool {
	return p.broken[foldName(name)] || p.patternOf(name) != nil && p.doc.collect.numAdded() > 0
}

// mergePatterns puts a series' own keys over those of its patterns. values are words that its
// row of a table gives.
func (p *Plan) mergePatterns(g *keyGroup, d *doc, name string, n ast.Node, ownKeys []*node, like *node,
	values phrase.Substitutions) (said *node, patterns []*pattern, err error) {
	said = rootNode(d, name, n)
	said.children = []*node{}
	if like != nil {
		if patterns, err = p.patternChain(like); err != nil {
			return nil, nil, err
		}
	}
	words, err := p.paramValues(d, name, n, &ownKeys, patterns, values)
	if err != nil {
		return nil, nil, err
	}
	if patterns == nil {
		for _, k := range ownKeys {
			k.positions = said.positions
		}
		said.children = ownKeys
		return said, nil, nil
	}
	layers := [][]*node{ownKeys}
	for _, t := range patterns {
		layers = append(layers, t.keys)
	}
	where := fmt.Sprintf("for the series `%s` at %s", name, d.source(n))
	docs := map[*doc]*doc{}
	for i, keys := range slices.Backward(layers) { // the farthest pattern first
		var parts []*node
		for _, k := range keys {
			of := docs[k.doc]
			if of == nil || i == 0 {
				c := *k.doc
				if c.params = words; i > 0 {
					c.forSeries = where
				}
				of = &c
				docs[k.doc] = of
			}
			if k.literal {
				plain := *of
				plain.params = nil
				of = &plain
			}
			part := said.child(of, k.name, k.keyNode, k.valueNode)
			for _, c := range k.children { // a cell that stands within a key
				child := *c
				child.doc, child.positions = of, said.positions
				part.children = append(part.children, &child)
			}
			parts = append(parts, part)
		}
		if said.children, err = mergeNodes(g, said.children, parts); err != nil {
			return nil, nil, err
		}
	}
	return said, patterns, nil
}

// patternChain are the patterns that a series is like, the nearest first.
func (p *Plan) patternChain(like *node) (list []*pattern, err error) {
	name, err := like.doc.text(like.valueNode)
	if err != nil {
		return nil, err
	}
	pos := like.pos()
	for name != "" {
		t := p.patternOf(name)
		switch {
		case t == nil && p.broken[foldName(name)]:
			return nil, errReportedElsewhere
		case t == nil:
			var known []string
			for _, o := range p.patterns {
				known = append(known, o.name)
			}
			hint := "this plan has no `patterns`"
			if near := phrase.Nearest(name, known); near != "" {
				hint = "did you mean `" + near + "`?"
			} else if known != nil {
				hint = "use one of " + phrase.ListNames(known)
			}
			return nil, pos.wrap(fmt.Errorf("unknown pattern `%s`; %s", name, hint))
		case slices.Contains(list, t):
			return nil, t.pos.wrap(fmt.Errorf("the pattern `%s` is based on itself", t.name))
		}
		if list = append(list, t); len(list) > maxDepth {
			return nil, pos.wrap(fmt.Errorf("this pattern is based on another, which is based on another, and so on; at most %d deep", maxDepth))
		}
		name, pos = t.base, t.pos
	}
	return list, nil
}

// paramValues are the values of what the patterns of a series take, by its own keys, which
// are taken out of them, by its row's, or by their defaults.
func (p *Plan) paramValues(d *doc, name string, n ast.Node, ownKeys *[]*node, patterns []*pattern,
	values phrase.Substitutions) (phrase.Substitutions, error) {
	if patterns == nil {
		return nil, nil
	}
	words := phrase.Substitutions{"name": name}
	given := map[string]*node{}
	var takes []string
	for _, t := range slices.Backward(patterns) { // the nearest one wins
		for _, w := range t.params {
			fold := phrase.FoldName(w.name)
			if !slices.Contains(takes, w.name) {
				takes = append(takes, w.name)
			}
			if delete(words, fold); !w.required {
				words[fold] = w.value
			}
		}
		rest, err := p.takeParams(t.keys, takes, given, "the pattern `"+t.name+"`")
		if err != nil {
			return nil, err
		}
		t.keys = rest
	}
	rest, err := p.takeParams(*ownKeys, takes, given, "the series")
	if err != nil {
		return nil, err
	}
	*ownKeys = rest
	for fold, g := range given {
		text, err := g.doc.text(g.valueNode)
		if err != nil {
			return nil, err
		}
		words[fold] = text
	}
	maps.Copy(words, values)
	for _, t := range takes {
		if _, ok := words[phrase.FoldName(t)]; !ok {
			return nil, d.fail(n, "the series `%s` needs a value for `%s`, which the pattern `%s` takes", name, t, patterns[0].name)
		}
	}
	return words, nil
}

// takeParams takes the keys that are parameters of patterns out of the others.
func (p *Plan) takeParams(keys []*node, takes []string, given map[string]*node, what string) (rest []*node, err error) {
	for _, t := range keys {
		if seriesKeys().find(t.name) >= 0 {
			rest = append(rest, t)
			continue
		}
		if !slices.ContainsFunc(takes, func(w string) bool { return phrase.NamesEqual(w, t.name) }) {
			known := append(seriesKeys().keyNames(), takes...)
			hint := "its pattern takes " + strings.Join(takes, ", ")
			if near := phrase.Nearest(t.name, known); near != "" {
				hint = "did you mean `" + near + "`?"
			} else if takes == nil {
				hint = "its pattern takes no words"
			}
			return nil, t.doc.wrap(t.keyNode, &unknownKeyError{t.name, what, hint})
		}
		given[phrase.FoldName(t.name)] = t
	}
	return rest, nil
}
