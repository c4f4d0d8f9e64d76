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
var seriesFromKeys = &keyGroup{label: "a table of series", argsKey: "like", argsAnywhere: true, keys: []*declare.Key{
	{Name: "table", Required: true, Help: "the table, one series per row, with a column for each word that the pattern takes",
		Example: "pay-groups.csv", Value: textKind.Call(ignoreText)},
	{Name: "like", Required: true, Help: "the pattern", Example: "monthly-pay", Value: textKind.Call(ignoreText)},
	{Name: "name", Required: true, Help: "the column with the names of the series", Example: "code", Value: textKind.Call(ignoreText)},
}}

// seriesFrom makes a series of each row of tables.
func (p *Plan) seriesFrom(v *node) error {
	items, err := v.items("{table: pay-groups.csv, like: monthly-pay, name: code}")
	if err != nil {
		return err
	}
	for _, item := range items {
		w := &pendingEntry{read: func() error {
			return item.doc.collectError(item.wrap(p.seriesOf(rootNode(item.doc, "", item.valueNode))))
		}}
		keys, _, err := seriesFromParts(rootNode(item.doc, "", item.valueNode))
		if err := item.doc.collectError(item.wrap(err)); err != nil {
			return err
		}
		if keys != nil {
			w.base = keys["like"]
			p.addPending(w)
		}
	}
	return nil
}

// seriesFromParts are the keys of a table of series by their names, and those that its
// series are to have.
func seriesFromParts(item *node) (keys map[string]*node, ownKeys []*node, err error) {
	parts, err := seriesFromKeys.split(item)
	if err != nil {
		return nil, nil, err
	}
	keys = map[string]*node{}
	for _, k := range parts {
		if seriesFromKeys.find(k.name) >= 0 {
			keys[k.name] = k
		} else {
			ownKeys = append(ownKeys, k)
		}
	}
	for _, key := range seriesFromKeys.keyNames() {
		if keys[key] == nil {
			return nil, nil, item.fail("`series-from` needs `table`, `like` and `name`, the column with the series' names; `%s` is missing", key)
		}
	}
	return keys, ownKeys, nil
}

func (p *Plan) seriesOf(item *node) error {
	d := item.doc
	keys, ownKeys, err := seriesFromParts(item)
	if err != nil {
		return err
	}
	like := keys["like"]
	patterns, err := p.patternChain(like)
	if err != nil {
		return err
	}
	column, err := d.text(keys["name"].valueNode)
	if err != nil {
		return err
	}
	var takes []string
	for _, t := range patterns {
		for _, w := range t.params {
			takes = append(takes, w.name)
		}
	}
	defer d.collect.setSubject("")
	looked := false
	return p.eachRow(d, keys["table"].valueNode, func(columns []string, at rowPos, cell func(string) (string, bool)) error {
		if !looked {
			looked = true
			p.noteSeriesColumns(at, columns, append(slices.Clone(takes), column))
		}
		name, ok := cell(column)
		switch {
		case !ok:
			return d.fail(keys["name"].valueNode, "%s has no column `%s`; it has %s", at.file, column, strings.Join(columns, ", "))
		case name == "":
			return at.wrap(fmt.Errorf("the column `%s`, which names the series, is blank", column))
		}
		if err := schedule.CheckName(name); err != nil {
			return at.wrap(err)
		}
		d.collect.setSubject(name)
		values := phrase.Substitutions{}
		for _, w := range takes {
			text, ok := cell(w)
			said := slices.ContainsFunc(ownKeys, func(k *node) bool { return phrase.NamesEqual(k.name, w) })
			switch {
			case !ok && !said:
				return item.fail("%s has no column `%s`, which the pattern takes; add the column, or give `%[2]s` here", at.file, w)
			case text != "":
				values[phrase.FoldName(w)] = text
			}
		}
		if err := p.claimName("series", at.doc, at.node, name); err != nil {
			return err
		}
		row := mergeRowKeys(slices.Clone(ownKeys), at, cell)
		err := p.makeSeries(at.doc, name, at.node, row, like, values)
		if errors.Is(err, errReportedElsewhere) {
			p.broken[phrase.FoldName(name)] = true
			return nil
		}
		return err
	})
}

// rowKeys are the keys of a series that a column of its table may say.
var rowKeys = []string{"title", "rule", "calendar", "zone", "owner", "summary"}

// mergeRowKeys lays the keys that a row says over the others.
func mergeRowKeys(row []*node, at rowPos, cell func(string) (string, bool)) []*node {
	for _, key := range rowKeys {
		text, _ := cell(key)
		if text == "" {
			continue
		}
		k := &node{doc: at.doc, name: key, path: key, keyNode: at.node, valueNode: nodeOfCell(text, at.line), literal: key == "rule" ||
			key == "title"}
		if key == "summary" { // which stands in `event`
			of := *k
			of.name, of.path, of.valueNode = "event", "event", at.node
			k.path = "event.summary"
			of.children = []*node{k}
			row = append(row, &of)
			continue
		}
		row = append(slices.DeleteFunc(row, func(o *node) bool { return o.name == key }), k)
	}
	return row
}

// noteSeriesColumns notes which columns of a table are read as keys of its series, and which
// are not read at all but resemble one that is.
func (p *Plan) noteSeriesColumns(row rowPos, columns, used []string) {
	known := append(slices.Clone(used), rowKeys...)
	var keys []string
	for _, c := range columns {
		same := func(name string) bool { return phrase.NamesEqual(name, c) }
		switch {
		case slices.ContainsFunc(used, same):
		case slices.ContainsFunc(rowKeys, same):
			keys = append(keys, c)
		default:
			if near := phrase.Nearest(c, known); near != "" {
				p.unusedColumns = append(p.unusedColumns,
					Finding{schedule.Finding{IsNote: true, Text: fmt.Sprintf("the column `%s` isn't used; did you mean `%s`?", c,
						near)}, row.doc.path, 1})
			}
		}
	}
	if keys != nil {
		p.Notes = append(p.Notes, fmt.Sprintf("%s: %s read as keys of its series: %s", row.file,
			phrase.CountVerb(len(keys), "column is", "columns are"), strings.Join(keys, ", ")))
	}
}

// rowPos is a row of a table that the plan reads, as a place for errors.
type rowPos struct {
	file string
	line int
	doc  *doc
	node ast.Node
}

func (t rowPos) wrap(err error) error { return t.doc.wrap(t.node, err) }

// eachRow goes through the rows of a table that a key names.
func (p *Plan) eachRow(d *doc, n ast.Node, do func(columns []string, row rowPos, cell func(name string) (string,
	bool)) error) error {
	text, err := d.text(n)
	if err != nil {
		return err
	}
	path := d.resolvePath(text)
	f, err := p.Files.Open(path)
	if err != nil {
		return d.wrap(n, err)
	}
	defer f.Close()
	r, err := tabular.Options{}.Read(path, strings.ToLower(filepath.Ext(path)), f)
	if err != nil {
		return d.wrap(n, err)
	}
	columns := slices.Clone(r.Columns())
	of := *d
	of.path, of.params, of.forSeries = path, nil, ""
	return d.wrap(n, rows.Each(r, func(line int, cells []eval.Value) error {
		row := rowPos{text, line, &of, nodeAtLine(line)}
		return of.collectError(do(columns, row, func(name string) (string, bool) {
			if i := rows.ColumnIndex(columns, name); i >= 0 {
				return strings.Clone(strings.TrimSpace(cells[i].String())), true
			}
			return "", false
		}))
	}))
}

// nodeAtLine is the place of a line of a table.
func nodeAtLine(line int) ast.Node { return nodeOfCell("", line) }

// nodeOfCell is a cell of a table as a value of YAML.
func nodeOfCell(text string, line int) ast.Node {
	return ast.String(&token.Token{Type: token.StringType, Value: text, Position: &token.Position{Line: line, Column: 1}})
}
