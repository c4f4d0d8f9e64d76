package plan

import (
	"fmt"
	"maps"
	"path/filepath"
	"slices"
	"strings"

	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/token"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/tabular"
)

// told is a key of a series or pattern with its value, and the document that says so.
type told struct {
	doc    *doc
	key    string
	k, val ast.Node
	whole  bool // it stands as it is, without the words that a pattern takes
}

// pattern is what several series have in common.
type pattern struct {
	name  string
	doc   *doc
	node  ast.Node
	keys  []told
	takes []taken
	like  string
}

// taken is a word that a pattern takes, with the value that it has unless told.
type taken struct {
	name, value string
	needed      bool
	doc         *doc
	node        ast.Node
}

// needed is the value of a word that has none of its own.
const needed = "needed"

// addPattern reads a pattern; what it says is read where a series is like it.
func (p *Plan) addPattern(d *doc, name string, n ast.Node) error {
	t := &pattern{name: name, doc: d, node: n}
	err := d.eachOr(n, patternShape, func(key string, k, v ast.Node) (err error) {
		switch key {
		case "takes":
			return t.take(d, v)
		case "like":
			t.like, err = d.text(v)
			return err
		}
		t.keys = append(t.keys, told{doc: d, key: key, k: k, val: v})
		return nil
	}, func(key string, k, v ast.Node) error {
		t.keys = append(t.keys, told{doc: d, key: key, k: k, val: v}) // a word of the pattern that it is like
		return nil
	})
	if err != nil {
		return err
	}
	for _, w := range t.takes {
		for _, k := range t.keys {
			if k.key != "milestones" {
				continue
			}
			if m, ok := k.val.(*ast.MappingNode); ok && slices.ContainsFunc(m.Values, func(v *ast.MappingValueNode) bool { return phrase.SameName(v.Key.GetToken().Value, w.name) }) {
				return w.doc.fail(w.node, "`%s` is a milestone of the pattern; take another word", w.name)
			}
		}
	}
	p.patterns = append(p.patterns, t)
	return nil
}

// take reads the words that a pattern takes.
func (t *pattern) take(d *doc, n ast.Node) error {
	return d.each(n, takesShape, func(key string, k, v ast.Node) error {
		if err := CheckName(key); err != nil {
			return d.wrap(k, err)
		}
		if phrase.Reserved(key) || phrase.SameName(key, "name") || slices.ContainsFunc(seriesShape.known(), func(s string) bool { return phrase.SameName(s, key) }) ||
			slices.ContainsFunc(schedule.BaseNames, func(s string) bool { return phrase.SameName(s, key) }) {
			return d.fail(k, "`%s` already means something in a series; take another word, such as `%s-of`", key, key)
		}
		text, err := d.text(v)
		t.takes = append(t.takes, taken{key, text, text == needed, d, v})
		return err
	})
}

// patternOf finds a pattern by name, or nil.
func (p *Plan) patternOf(name string) *pattern {
	for _, t := range p.patterns {
		if phrase.SameName(t.name, name) {
			return t
		}
	}
	return nil
}

// lameOf reports whether an entry of a name couldn't be read, or may be one that couldn't.
func (p *Plan) lameOf(name string) bool {
	return p.failed[foldName(name)] || p.patternOf(name) != nil && p.doc.collect.count() > 0
}

// layered is all that a series says: its own keys, and those of its patterns that it
// doesn't say itself.
type layered struct {
	keys     map[string]told
	lists    map[string][]told // of milestones, expect, event and period the keys, in order
	each     []told            // of expect, all of them
	patterns []*pattern
	later    []func() error // what can be read once milestones are known
	words    phrase.Words   // what its patterns take, filled in
}

// merged are the keys that series and pattern say together.
var merged = []string{"milestones", "expect", "event", "period"}

// layers puts a series' own keys over those of its patterns. values are words that its
// row of a table gives.
func (p *Plan) layers(d *doc, name string, n ast.Node, own []told, like *told, values phrase.Words) (s *layered, err error) {
	s = &layered{keys: map[string]told{}, lists: map[string][]told{}}
	if like != nil {
		if s.patterns, err = p.chain(*like); err != nil {
			return nil, err
		}
	}
	words, err := p.words(d, name, n, &own, s.patterns, values)
	if err != nil {
		return nil, err
	}
	s.words = words
	layers := [][]told{own}
	for _, t := range s.patterns {
		layers = append(layers, t.keys)
	}
	where := fmt.Sprintf("for the series `%s` at %s", name, d.source(n))
	docs := map[*doc]*doc{}
	for i, keys := range slices.Backward(layers) { // the farthest pattern first
		for _, t := range keys {
			if len(s.patterns) > 0 {
				of := docs[t.doc]
				if of == nil || i == 0 {
					c := *t.doc
					if c.words = words; i > 0 {
						c.through = where
					}
					of = &c
					docs[t.doc] = of
				}
				if t.doc = of; t.whole {
					plain := *of
					plain.words = nil
					t.doc = &plain
				}
			}
			if err := s.put(t); err != nil {
				return nil, err
			}
		}
	}
	return s, nil
}

// put takes a key over what was said of it before.
func (s *layered) put(t told) error {
	if !slices.Contains(merged, t.key) {
		s.keys[t.key] = t
		return nil
	}
	s.keys[t.key] = t
	return t.doc.each(t.val, mustShape(seriesShape, t.key), func(key string, k, v ast.Node) error {
		part := told{doc: t.doc, key: key, k: k, val: v}
		if t.key == "expect" && key == "each" {
			s.each = append(s.each, part)
			return nil
		}
		list := s.lists[t.key]
		i := slices.IndexFunc(list, func(o told) bool { return phrase.SameName(o.key, key) })
		out := false
		if text, ok := v.(ast.ScalarNode); ok && t.key == "milestones" {
			out = text.GetToken().Value == "none"
		}
		switch {
		case out && i < 0:
			return t.doc.fail(k, "there is no milestone `%s` to take out", key)
		case out:
			list = slices.Delete(slices.Clone(list), i, i+1)
		case i >= 0:
			list = slices.Clone(list)
			list[i] = part
		default:
			list = append(list, part)
		}
		s.lists[t.key] = list
		return nil
	})
}

// chain are the patterns that a series is like, the nearest first.
func (p *Plan) chain(like told) (list []*pattern, err error) {
	name, err := like.doc.text(like.val)
	if err != nil {
		return nil, err
	}
	at, node := like.doc, like.val
	for name != "" {
		t := p.patternOf(name)
		switch {
		case t == nil && p.failed[foldName(name)]:
			return nil, errLame
		case t == nil:
			var known []string
			for _, o := range p.patterns {
				known = append(known, o.name)
			}
			hint := "this plan has none; they stand under `patterns`"
			if near := phrase.Nearest(name, known); near != "" {
				hint = "did you mean `" + near + "`?"
			} else if known != nil {
				hint = "known are " + strings.Join(known, ", ")
			}
			return nil, at.fail(node, "unknown pattern `%s`; %s", name, hint)
		case slices.Contains(list, t):
			return nil, t.doc.fail(t.node, "the pattern `%s` is like itself", t.name)
		}
		list = append(list, t)
		name, at, node = t.like, t.doc, t.node
	}
	return list, nil
}

// words are the values of what the patterns of a series take, by its own keys, which
// are taken out of them, by its row's, or by their defaults.
func (p *Plan) words(d *doc, name string, n ast.Node, own *[]told, patterns []*pattern, values phrase.Words) (phrase.Words, error) {
	if patterns == nil {
		return nil, nil
	}
	words := phrase.Words{"name": name}
	given := map[string]told{}
	var takes []string
	for _, t := range slices.Backward(patterns) { // the nearest one wins
		for _, w := range t.takes {
			fold := phrase.FoldName(w.name)
			if !slices.Contains(takes, w.name) {
				takes = append(takes, w.name)
			}
			if delete(words, fold); !w.needed {
				words[fold] = w.value
			}
		}
		rest, err := p.filledIn(t.keys, takes, given, "the pattern `"+t.name+"`")
		if err != nil {
			return nil, err
		}
		t.keys = rest
	}
	rest, err := p.filledIn(*own, takes, given, "the series")
	if err != nil {
		return nil, err
	}
	*own = rest
	for fold, g := range given {
		text, err := g.doc.text(g.val)
		if err != nil {
			return nil, err
		}
		words[fold] = text
	}
	maps.Copy(words, values)
	for _, t := range takes {
		if _, ok := words[phrase.FoldName(t)]; !ok {
			return nil, d.fail(n, "the series `%s` doesn't say `%s`, which the pattern `%s` needs", name, t, patterns[0].name)
		}
	}
	return words, nil
}

// given takes the keys that are words of patterns out of others.
func (p *Plan) filledIn(keys []told, takes []string, given map[string]told, what string) (rest []told, err error) {
	for _, t := range keys {
		if slices.ContainsFunc(seriesShape.keys, func(k keyOf) bool { return k.name == t.key }) {
			rest = append(rest, t)
			continue
		}
		if !slices.ContainsFunc(takes, func(w string) bool { return phrase.SameName(w, t.key) }) {
			known := append(seriesShape.known(), takes...)
			hint := "its pattern takes " + strings.Join(takes, ", ")
			if near := phrase.Nearest(t.key, known); near != "" {
				hint = "did you mean `" + near + "`?"
			} else if takes == nil {
				hint = "its pattern takes no words"
			}
			return nil, t.doc.wrap(t.k, &unknownKey{t.key, what, hint})
		}
		given[phrase.FoldName(t.key)] = t
	}
	return rest, nil
}

// seriesFrom makes a series of each row of a table.
func (p *Plan) seriesFrom(d *doc, n ast.Node) error {
	seq, ok := n.(*ast.SequenceNode)
	if !ok {
		return d.fail(n, "`series-from` is a list: `- {table: pay-groups.csv, like: monthly-pay, name: code}`")
	}
	for _, item := range seq.Values {
		if err := d.or(p.seriesOf(d, item)); err != nil {
			return err
		}
	}
	return nil
}

func (p *Plan) seriesOf(d *doc, item ast.Node) error {
	keys := map[string]told{}
	var own []told
	err := d.eachOr(item, seriesFromShape, func(key string, k, v ast.Node) error {
		keys[key] = told{doc: d, key: key, k: k, val: v}
		return nil
	}, func(key string, k, v ast.Node) error {
		own = append(own, told{doc: d, key: key, k: k, val: v})
		return nil
	})
	if err != nil {
		return err
	}
	for _, key := range []string{"table", "like", "name"} {
		if keys[key].val == nil {
			return d.fail(item, "`series-from` needs `table`, `like` and `name`, the column that names each series; `%s` is missing", key)
		}
	}
	like := keys["like"]
	patterns, err := p.chain(like)
	if err != nil {
		return err
	}
	column, err := d.text(keys["name"].val)
	if err != nil {
		return err
	}
	var takes []string
	for _, t := range patterns {
		for _, w := range t.takes {
			takes = append(takes, w.name)
		}
	}
	defer d.collect.tell("")
	looked := false
	return p.eachRow(d, keys["table"].val, func(columns []string, at tableAt, cell func(string) (string, bool)) error {
		if !looked {
			looked = true
			p.columnsOfSeries(at, columns, append(slices.Clone(takes), column))
		}
		name, ok := cell(column)
		switch {
		case !ok:
			return d.fail(keys["name"].val, "%s has no column `%s`; it has %s", at.file, column, strings.Join(columns, ", "))
		case name == "":
			return at.wrap(fmt.Errorf("the column `%s`, which names the series, is blank", column))
		}
		if err := CheckName(name); err != nil {
			return at.wrap(err)
		}
		d.collect.tell(name)
		values := phrase.Words{}
		for _, w := range takes {
			text, ok := cell(w)
			said := slices.ContainsFunc(own, func(t told) bool { return phrase.SameName(t.key, w) })
			switch {
			case !ok && !said:
				return d.fail(item, "%s has no column `%s`, which the pattern takes; name one so, or say `%[2]s` here", at.file, w)
			case text != "":
				values[phrase.FoldName(w)] = text
			}
		}
		if err := p.fresh(at.doc, at.node, name); err != nil {
			return err
		}
		row := slices.Clone(own)
		for _, key := range rowKeys {
			text, _ := cell(key)
			if text == "" || key == "title" || key == "summary" {
				continue
			}
			row = slices.DeleteFunc(row, func(t told) bool { return t.key == key })
			row = append(row, told{doc: at.doc, key: key, k: at.node, val: cellNode(text, at.line), whole: key == "rule"})
		}
		s, err := p.layers(at.doc, name, at.node, row, &like, values)
		if err != nil {
			return err
		}
		if text, _ := cell("summary"); text != "" {
			filled := *at.doc
			filled.words = s.words
			s.lists["event"] = append(slices.DeleteFunc(slices.Clone(s.lists["event"]), func(t told) bool { return t.key == "summary" }),
				told{doc: &filled, key: "summary", k: at.node, val: cellNode(text, at.line)})
		}
		title, _ := cell("title")
		return p.makeSeries(at.doc, name, at.node, s, title)
	})
}

// rowKeys are the keys of a series that a column of its table may say.
var rowKeys = []string{"title", "rule", "calendar", "zone", "owner", "summary"}

// columnsOfSeries notes which columns of a table are read as keys of its series, and which
// are not read at all but resemble one that is.
func (p *Plan) columnsOfSeries(at tableAt, columns, used []string) {
	known := append(slices.Clone(used), rowKeys...)
	var keys []string
	for _, c := range columns {
		same := func(name string) bool { return phrase.SameName(name, c) }
		switch {
		case slices.ContainsFunc(used, same):
		case slices.ContainsFunc(rowKeys, same):
			keys = append(keys, c)
		default:
			if near := phrase.Nearest(c, known); near != "" {
				p.slips = append(p.slips, Finding{schedule.Finding{Note: true, Text: fmt.Sprintf("nothing uses the column `%s`; did you mean `%s`?", c, near)}, at.doc.path, 1})
			}
		}
	}
	if keys != nil {
		p.Told = append(p.Told, fmt.Sprintf("%s: %s read as keys of its series: %s", at.file, phrase.Agree(len(keys), "column is", "columns are"), strings.Join(keys, ", ")))
	}
}

// tableAt is a row of a table that the plan reads, as a place for errors.
type tableAt struct {
	file string
	line int
	doc  *doc
	node ast.Node
}

func (t tableAt) wrap(err error) error { return t.doc.wrap(t.node, err) }

// eachRow goes through the rows of a table that a key names.
func (p *Plan) eachRow(d *doc, n ast.Node, do func(columns []string, at tableAt, cell func(name string) (string, bool)) error) error {
	text, err := d.text(n)
	if err != nil {
		return err
	}
	path := d.beside(text)
	f, err := p.Files.Open(path)
	if err != nil {
		return d.wrap(n, err)
	}
	defer f.Close()
	r, err := tabular.Input{}.Read(path, strings.ToLower(filepath.Ext(path)), f)
	if err != nil {
		return d.wrap(n, err)
	}
	columns := slices.Clone(r.Columns())
	of := *d
	of.path, of.words, of.through = path, nil, ""
	for {
		batch, err := r.Next()
		if err != nil {
			return d.wrap(n, err)
		}
		if batch == nil {
			return nil
		}
		err = batch.Each(func(line int, cells []eval.Value) error {
			at := tableAt{text, line, &of, lineNode(line)}
			return of.or(do(columns, at, func(name string) (string, bool) {
				if i := rows.Find(columns, name); i >= 0 {
					return strings.Clone(strings.TrimSpace(cells[i].String())), true
				}
				return "", false
			}))
		})
		if err != nil {
			return err
		}
	}
}

// lineNode is the place of a line of a table.
func lineNode(line int) ast.Node { return cellNode("", line) }

// cellNode is a cell of a table as a value of YAML.
func cellNode(text string, line int) ast.Node {
	return ast.String(&token.Token{Type: token.StringType, Value: text, Position: &token.Position{Line: line, Column: 1}})
}
