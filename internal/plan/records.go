package plan

import (
	"fmt"
	"os"
	"slices"
	"strings"

	"github.com/goccy/go-yaml/ast"

	"yoyaku/internal/core/phrase"
)

// Record is a table of the plan: where it is, how it is read, the columns that
// phrases add.
type Record struct {
	Name  string
	Table string // path
	Key   string
	// Columns are NAME = PHRASE, in the order of the file.
	Columns []string
	// Options are those of tables in, by key: where, sheet, read-dates …
	Options map[string]string
}

var (
	recordKeys  = append([]string{"table", "key", "columns"}, recordOptions...)
	recordLater = []string{"events"}
	// recordOptions are the options of tables in.
	recordOptions = []string{"where", "sheet", "read-dates", "open-words", "join-dates", "encoding", "header-row"}
)

// makes are what an output can make of a record, with the keys of each.
var makes = map[string][]string{
	"due":    {"date", "within", "window", "bands", "yearly", "upcoming"},
	"spread": {"start", "end", "by", "working", "window", "open-through", "per", "overlaps", "dates"},
	"tally":  {"rows", "cols", "sum"},
	"grid":   {"name", "start", "end", "window", "mark", "every-day", "open-through"},
	"match":  {"ranges", "key", "date", "start", "end", "several", "open-through"},
}

// makeKeys are all keys of an output that makes something of a record.
func makeKeys() (list []string) {
	for _, name := range []string{"due", "spread", "tally", "grid", "match"} {
		for _, k := range makes[name] {
			if !slices.Contains(list, k) {
				list = append(list, k)
			}
		}
	}
	return append(list, "make", "where", "sort", "columns", "title")
}

func (p *Plan) addRecord(d *doc, name string, n ast.Node) error {
	r := &Record{Name: name, Options: map[string]string{}}
	err := d.each(n, "a record", recordKeys, recordLater, func(key string, _, v ast.Node) error {
		if key == "columns" {
			return d.each(v, "columns", nil, nil, func(column string, k, v ast.Node) error {
				if err := checkName(column); err != nil {
					return d.wrap(k, err)
				}
				text, err := d.text(v)
				if err != nil {
					return err
				}
				if _, err := phrase.ParseExpr(text); err != nil {
					return err
				}
				r.Columns = append(r.Columns, column+" = "+text)
				return nil
			})
		}
		text, err := d.text(v)
		if _, list := v.(*ast.SequenceNode); list {
			var parts []string
			parts, _, err = d.texts(v)
			text = strings.Join(parts, ",")
		}
		switch key {
		case "table":
			r.Table = d.beside(text)
			if err == nil {
				_, err = os.Stat(r.Table)
			}
			p.Inputs = append(p.Inputs, r.Table)
		case "key":
			r.Key = text
		default:
			r.Options[key] = text
		}
		return err
	})
	if err != nil {
		return err
	}
	if r.Table == "" {
		return d.fail(n, "the record `%s` has no `table`", name)
	}
	p.Records = append(p.Records, r)
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

// checkMake refuses keys that don't go with what an output makes.
func (o *Output) checkMake() error {
	if o.Record == nil {
		if len(o.Args) > 0 || o.Make != "" {
			return fmt.Errorf("`make` and its keys are for records; `of` names series here")
		}
		return nil
	}
	keys, known := makes[o.Make]
	if o.Make != "" && !known {
		if o.Make == "wall" || o.Make == "days" {
			return fmt.Errorf("%s", phrase.NotBuilt("`make: "+o.Make+"`"))
		}
		names := []string{"due", "spread", "tally", "grid", "match"}
		hint := "known are " + strings.Join(names, ", ")
		if near := phrase.Nearest(o.Make, names); near != "" {
			hint = "did you mean `" + near + "`?"
		}
		return fmt.Errorf("unknown `make: %s`; %s", o.Make, hint)
	}
	for key := range o.Args {
		if !slices.Contains(keys, key) && !slices.Contains([]string{"where", "sort", "columns", "title"}, key) {
			return fmt.Errorf("the key `%s` doesn't go with make: %s", key, o.Make)
		}
	}
	if o.Format == "ics" {
		return fmt.Errorf("%s", phrase.NotBuilt("a calendar file of records"))
	}
	return nil
}
