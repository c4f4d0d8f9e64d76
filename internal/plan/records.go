package plan

import (
	"os"

	"github.com/goccy/go-yaml/ast"

	"yoyaku/internal/core/phrase"
	"yoyaku/internal/question"
)

// Record is a table of the plan: where it is, how it is read, the columns that
// phrases add.
type Record struct {
	Name  string
	Table string // path
	Key   string // column that names each row; "" for none
	// Columns are NAME = PHRASE, in the order of the file.
	Columns []string
	Where   []string
	In      question.TableIn

	places places
}

func (p *Plan) addRecord(d *doc, name string, n ast.Node) error {
	r := &Record{Name: name, places: places{doc: d, item: n, keys: map[string]ast.Node{}}}
	options := r.In.Options()
	for _, o := range options {
		o.Reset()
	}
	err := d.each(n, recordShape, func(key string, _, v ast.Node) (err error) {
		r.places.keys[key] = v
		switch key {
		case "columns":
			r.places.keys["record columns"] = v
			return d.each(v, mustShape(recordShape, key), func(column string, k, v ast.Node) error {
				return r.column(d, column, k, v)
			})
		case "table":
			return p.tableOf(d, r, v)
		case "key":
			r.Key, err = d.text(v)
			return err
		case "where":
			return r.conditions(d, v)
		}
		return d.option(options, key, v)
	})
	if err != nil {
		return err
	}
	if r.Table == "" {
		return d.fail(n, "the record `%s` has no `table`", name)
	}
	if err := r.In.Check(); err != nil {
		return r.places.fault(err)
	}
	p.Records = append(p.Records, r)
	return nil
}

func (p *Plan) tableOf(d *doc, r *Record, v ast.Node) error {
	text, err := d.text(v)
	if err != nil {
		return err
	}
	r.Table = d.beside(text)
	if _, err := os.Stat(r.Table); err != nil {
		return err
	}
	return p.Files.Read(r.Table)
}

func (r *Record) column(d *doc, name string, k, v ast.Node) error {
	if err := checkName(name); err != nil {
		return d.wrap(k, err)
	}
	text, err := d.text(v)
	if err != nil {
		return err
	}
	if _, err := phrase.ParseExpr(text); err != nil {
		return err
	}
	r.Columns = append(r.Columns, name+" = "+text)
	return nil
}

// conditions reads one condition or a list of them.
func (r *Record) conditions(d *doc, v ast.Node) error {
	nodes := []ast.Node{v}
	if seq, ok := v.(*ast.SequenceNode); ok {
		nodes = seq.Values
	}
	for _, n := range nodes {
		text, err := d.text(n)
		if err == nil {
			_, err = phrase.ParseCondition(text)
		}
		if err != nil {
			return d.wrap(n, err)
		}
		r.Where = append(r.Where, text)
	}
	return nil
}

// record finds a record by name, or nil.
func (p *Plan) record(name string) *Record {
	for _, r := range p.Records {
		if phrase.SameName(r.Name, name) {
			return r
		}
	}
	return nil
}

// Fault puts the place in the plan around an error that came of the record's
// table or of one of its keys.
func (r *Record) Fault(err error) error {
	if err == nil {
		return nil
	}
	return r.places.fault(err)
}
