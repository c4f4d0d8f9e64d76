package plan

import (
	"path/filepath"
	"slices"
	"strings"

	"github.com/goccy/go-yaml/ast"

	"yoyaku/internal/core/phrase"
)

// Formats are the endings of files that a plan can make.
var Formats = []string{"csv", "tsv", "json", "jsonl", "md", "html", "xlsx", "ics"}

func (p *Plan) outputs(d *doc, n ast.Node) error {
	seq, ok := n.(*ast.SequenceNode)
	if !ok {
		return d.fail(n, "outputs are a list: `- {file: pay.csv, of: crew-pay}`")
	}
	for _, item := range seq.Values {
		var o Output
		var fileNode ast.Node
		err := d.each(item, "an output", outputKeys, outputLater, func(key string, k, v ast.Node) error {
			if key == "file" {
				fileNode = v
				text, err := d.text(v)
				o.File = text
				return err
			}
			names, nodes, err := d.texts(v)
			for i, name := range names {
				s := p.Find(name)
				if s == nil {
					hint := "series here: " + strings.Join(p.Env.SeriesNames, ", ")
					if near := phrase.Nearest(name, p.Env.SeriesNames); near != "" {
						hint = "did you mean `" + near + "`?"
					}
					return d.fail(nodes[i], "unknown series `%s`; %s", name, hint)
				}
				o.Of = append(o.Of, s)
			}
			return err
		})
		if err != nil {
			return err
		}
		if fileNode == nil {
			return d.fail(item, "an output needs a `file`")
		}
		if len(o.Of) == 0 {
			return d.fail(item, "an output needs `of`: the series that it shows")
		}
		o.Format = strings.ToLower(strings.TrimPrefix(filepath.Ext(o.File), "."))
		if !slices.Contains(Formats, o.Format) {
			return d.fail(fileNode, "the ending of `%s` names no format; known are .%s", o.File, strings.Join(Formats, ", ."))
		}
		if !filepath.IsLocal(filepath.FromSlash(o.File)) {
			return d.fail(fileNode, "`%s` lies outside the output folder; outputs stay inside it", o.File)
		}
		o.File = filepath.ToSlash(filepath.Clean(filepath.FromSlash(o.File)))
		if slices.ContainsFunc(p.Outputs, func(x Output) bool { return strings.EqualFold(x.File, o.File) }) {
			return d.fail(fileNode, "`%s` is made twice", o.File)
		}
		p.Outputs = append(p.Outputs, o)
	}
	return nil
}
