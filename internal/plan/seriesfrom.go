package plan

import (
	"errors"
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/token"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/declare"
	"yoyaku/internal/tabular"
)

// seriesFromKeys are the keys of a table of series; what they say is read row by row.
var seriesFromKeys = &group{what: "a table of series", beside: "like", words: true, keys: []*declare.Key{
	{Name: "table", Needed: true, Help: "the table, one series per row, with a column for each word that the pattern takes",
		Example: "pay-groups.csv", Takes: aText.Then(nothing)},
	{Name: "like", Needed: true, Help: "the pattern", Example: "monthly-pay", Takes: aText.Then(nothing)},
	{Name: "name", Needed: true, Help: "the column with the names of the series", Example: "code", Takes: aText.Then(nothing)},
}}

// seriesFrom makes a series of each row of tables.
func (p *Plan) seriesFrom(v *node) error {
	items, err := v.items("{table: pay-groups.csv, like: monthly-pay, name: code}")
	if err != nil {
		return err
	}
	for _, item := range items {
		w := &waiting{read: func() error { return item.doc.or(item.wrap(p.seriesOf(entry(item.doc, "", item.val)))) }}
		keys, _, err := seriesFromParts(entry(item.doc, "", item.val))
		if err := item.doc.or(item.wrap(err)); err != nil {
			return err
		}
		if keys != nil {
			w.like = keys["like"]
			p.wait(w)
		}
	}
	return nil
}

// seriesFromParts are the keys of a table of series by their names, and those that its
// series are to have.
func seriesFromParts(item *node) (keys map[string]*node, own []*node, err error) {
	parts, err := seriesFromKeys.open(item)
	if err != nil {
		return nil, nil, err
	}
	keys = map[string]*node{}
	for _, k := range parts {
		if seriesFromKeys.find(k.name) >= 0 {
			keys[k.name] = k
		} else {
			own = append(own, k)
		}
	}
	for _, key := range seriesFromKeys.known() {
		if keys[key] == nil {
			return nil, nil, item.fail("`series-from` needs `table`, `like` and `name`, the column with the series' names; `%s` is missing", key)
		}
	}
	return keys, own, nil
}

func (p *Plan) seriesOf(item *node) error {
	d := item.doc
	keys, own, err := seriesFromParts(item)
	if err != nil {
		return err
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
			said := slices.ContainsFunc(own, func(k *node) bool { return phrase.SameName(k.name, w) })
			switch {
			case !ok && !said:
				return item.fail("%s has no column `%s`, which the pattern takes; add the column, or give `%[2]s` here", at.file, w)
			case text != "":
				values[phrase.FoldName(w)] = text
			}
		}
		if err := p.unused("series", at.doc, at.node, name); err != nil {
			return err
		}
		row := keysInRow(slices.Clone(own), at, cell)
		err := p.makeSeries(at.doc, name, at.node, row, like, values)
		if errors.Is(err, errElsewhere) {
			p.failed[phrase.FoldName(name)] = true
			return nil
		}
		return err
	})
}

// rowKeys are the keys of a series that a column of its table may say.
var rowKeys = []string{"title", "rule", "calendar", "zone", "owner", "summary"}

// keysInRow lays the keys that a row says over the others.
func keysInRow(row []*node, at tableAt, cell func(string) (string, bool)) []*node {
	for _, key := range rowKeys {
		text, _ := cell(key)
		if text == "" {
			continue
		}
		k := &node{doc: at.doc, name: key, path: key, k: at.node, val: cellNode(text, at.line), asIs: key == "rule" ||
			key == "title"}
		if key == "summary" { // which stands in `event`
			of := *k
			of.name, of.path, of.val = "event", "event", at.node
			k.path = "event.summary"
			of.parts = []*node{k}
			row = append(row, &of)
			continue
		}
		row = append(slices.DeleteFunc(row, func(o *node) bool { return o.name == key }), k)
	}
	return row
}

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
				p.slips = append(p.slips,
					Finding{schedule.Finding{Note: true, Text: fmt.Sprintf("the column `%s` isn't used; did you mean `%s`?", c,
						near)}, at.doc.path, 1})
			}
		}
	}
	if keys != nil {
		p.Remarks = append(p.Remarks, fmt.Sprintf("%s: %s read as keys of its series: %s", at.file,
			phrase.Agree(len(keys), "column is", "columns are"), strings.Join(keys, ", ")))
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
func (p *Plan) eachRow(d *doc, n ast.Node, do func(columns []string, at tableAt, cell func(name string) (string,
	bool)) error) error {
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
	return d.wrap(n, rows.Each(r, func(line int, cells []eval.Value) error {
		at := tableAt{text, line, &of, lineNode(line)}
		return of.or(do(columns, at, func(name string) (string, bool) {
			if i := rows.Find(columns, name); i >= 0 {
				return strings.Clone(strings.TrimSpace(cells[i].String())), true
			}
			return "", false
		}))
	}))
}

// lineNode is the place of a line of a table.
func lineNode(line int) ast.Node { return cellNode("", line) }

// cellNode is a cell of a table as a value of YAML.
func cellNode(text string, line int) ast.Node {
	return ast.String(&token.Token{Type: token.StringType, Value: text, Position: &token.Position{Line: line, Column: 1}})
}
