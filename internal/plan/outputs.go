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
			if key != "of" {
				return o.argument(d, key, v)
			}
			names, nodes, err := d.texts(v)
			for i, name := range names {
				if r := p.record(name); r != nil && len(names) == 1 {
					o.Record = r
					continue
				}
				s := p.Find(name)
				if s == nil {
					known := slices.Clone(p.Env.SeriesNames)
					for _, r := range p.Records {
						known = append(known, r.Name)
					}
					hint := "this plan has " + strings.Join(known, ", ")
					if near := phrase.Nearest(name, known); near != "" {
						hint = "did you mean `" + near + "`?"
					}
					return d.fail(nodes[i], "unknown series or record `%s`; %s", name, hint)
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
		if len(o.Of) == 0 && o.Record == nil {
			return d.fail(item, "an output needs `of`: the series or the record that it shows")
		}
		o.Format = strings.ToLower(strings.TrimPrefix(filepath.Ext(o.File), "."))
		if !slices.Contains(Formats, o.Format) {
			return d.fail(fileNode, "the ending of `%s` names no format; known are .%s", o.File, strings.Join(Formats, ", ."))
		}
		if err := o.checkMake(); err != nil {
			return d.wrap(item, err)
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

// argument reads `make` or one of its keys; of a list, each item is a line.
func (o *Output) argument(d *doc, key string, v ast.Node) error {
	text, sep := "", ","
	if key == "date" { // phrases, which have commas of their own
		sep = "\n"
	}
	if list, ok := v.(*ast.SequenceNode); ok {
		parts, _, err := d.texts(list)
		if err != nil {
			return err
		}
		text = strings.Join(parts, sep)
	} else {
		var err error
		if text, err = d.text(v); err != nil {
			return err
		}
	}
	if key == "make" {
		o.Make = text
		return nil
	}
	if o.Args == nil {
		o.Args = map[string]string{}
	}
	o.Args[key] = text
	return nil
}
