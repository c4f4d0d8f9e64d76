package plan

import (
	"errors"
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"github.com/goccy/go-yaml/ast"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/question"
	"yoyaku/internal/report"
)

// Output is a file that a plan makes: of series, or of a record, of which it may
// make the answer to a question.
type Output struct {
	File   string // with slashes, inside the output folder
	Of     []*schedule.Series
	Format report.Format      // that of its ending
	Record *Record            // whose table it is, or what it makes of it; nil for dates
	Rows   []*Record          // whose events it has beside the series
	Window string             // of days; "" for the plan's
	Lame   bool               // its file, or what it shows, couldn't be read, and that was told
	Make   *question.Question // nil where the record's table itself goes out
	Shape  question.Shape
	Form   question.EventForm
	// Owner is the one whose tasks it has, `none` for those without; "" for all.
	Owner string
	// Whole says that occurrences are listed whole.
	Whole bool

	per    bool
	places places
}

// Wide reports whether it is the table of one series, a row an occurrence.
func (o *Output) Wide() bool {
	return len(o.Of) == 1 && len(o.Rows) == 0 && !o.Format.Events && o.Owner == "" && o.Record == nil && o.Make == nil
}

// Has reports whether an event belongs into it.
func (o *Output) Has(e schedule.Event) bool {
	return o.Owner == "" || e.Owner == o.Owner || e.Owner == "" && o.Owner == nobody
}

// Named is who a file is made for whose name fits that of an output split by owners; ok is
// false if it doesn't fit.
func (o *Output) Named(file string) (owner string, ok bool) {
	before, after, _ := strings.Cut(o.File, "{owner}")
	after, _, _ = strings.Cut(after, "{owner}")
	rest, ok := strings.CutPrefix(file, before)
	if !ok {
		return "", false
	}
	for at := range len(rest) + 1 { // the first that says the whole name
		if strings.HasPrefix(rest[at:], after) && at > 0 && strings.ReplaceAll(o.File, "{owner}", rest[:at]) == file {
			return rest[:at], !strings.Contains(rest[:at], "/")
		}
	}
	return "", false
}

// whole reads `choose`.
func (d *doc) whole(v ast.Node) (bool, error) {
	text, err := d.text(v)
	if err == nil && text != "occurrence" {
		err = fmt.Errorf("`choose` is occurrence: whole occurrences; without it each date is chosen by its own day")
	}
	return err == nil, err
}

// places are the places of keys, by name.
type places struct {
	doc  *doc
	item ast.Node
	keys map[string]ast.Node
}

// Place puts the place of an option around an error: of its key, or of the whole
// entry.
func (p places) Place(option string, err error) error {
	if n := p.keys[option]; n != nil {
		return p.doc.wrap(n, err)
	}
	return p.doc.wrap(p.item, err)
}

// fault puts the place of the option that an error names around it.
func (p places) fault(err error) error {
	var at *rows.OptionError
	if errors.As(err, &at) {
		return p.Place(at.Option, err)
	}
	return p.Place("", err)
}

// Fault puts the place in the plan around an error that came of the output's
// option, or of one of its record.
func (o *Output) Fault(err error) error {
	var at *rows.OptionError
	if o.Record != nil && errors.As(err, &at) && o.places.keys[at.Option] == nil && o.Record.places.keys[at.Option] != nil {
		return o.Record.places.fault(err)
	}
	return o.places.fault(err)
}

func (p *Plan) outputs(d *doc, n ast.Node) error {
	seq, ok := n.(*ast.SequenceNode)
	if !ok {
		return d.fail(n, "outputs are a list: `- {file: pay.csv, of: crew-pay}`")
	}
	for _, item := range seq.Values {
		o, err := p.output(d, item)
		if err != nil {
			if err = d.or(err); err != nil {
				return err
			}
			continue
		}
		if err := d.or(p.addOutputs(o)); err != nil {
			return err
		}
	}
	return nil
}

// addOutputs adds an output, or where it is made for each owner, those.
func (p *Plan) addOutputs(o *Output) error {
	list := []*Output{o}
	if o.per {
		p.Split = append(p.Split, o)
		list = nil
		for _, owner := range append(slices.Clone(p.Owners), Owner{Name: nobody}) {
			one := *o
			one.Owner, one.File = owner.Name, strings.ReplaceAll(o.File, "{owner}", owner.Name)
			list = append(list, &one)
		}
	}
	for _, o := range list {
		for _, other := range p.Outputs {
			a, b := strings.ToLower(other.File), strings.ToLower(o.File)
			switch {
			case a == b:
				return o.places.Place("file", fmt.Errorf("`%s` is made twice", o.File))
			case strings.HasPrefix(a, b+"/"), strings.HasPrefix(b, a+"/"):
				return o.places.Place("file", fmt.Errorf("`%s` and `%s` can't both be made: one would be a file and a folder", other.File, o.File))
			}
		}
		p.Outputs = append(p.Outputs, o)
	}
	return nil
}

func (p *Plan) output(d *doc, item ast.Node) (o *Output, err error) {
	o = &Output{places: places{doc: d, item: item, keys: map[string]ast.Node{}}}
	m, ok := item.(*ast.MappingNode)
	if !ok {
		return nil, d.fail(item, "%s should be lines of `key: value`", outputShape.what)
	}
	for _, pair := range m.Values { // what it makes says which keys there are
		if pair.Key.GetToken().Value == "make" {
			if o.Make, err = p.makeOf(d, pair.Value); err != nil {
				return nil, err
			}
		}
	}
	options := o.Shape.Options()
	options = append(options, o.Form.Options()...)
	shape := outputOf(o.Make, options)
	if o.Make != nil {
		options = append(options, o.Make.Options...)
	}
	err = d.each(item, shape, func(key string, _, v ast.Node) error {
		o.places.keys[key] = v
		switch key {
		case "file":
			err := o.file(d, v)
			o.Lame = o.Lame || err != nil
			return err
		case "of":
			return p.of(d, o, v)
		case "make":
			return nil
		case "per":
			text, err := d.text(v)
			if o.per = true; err == nil && text != "owner" {
				err = fmt.Errorf("`per` is owner: one file for each owner of tasks")
			}
			return err
		case "choose":
			o.Whole, err = d.whole(v)
			return err
		case "window":
			if o.Days() {
				o.Window, err = d.text(v)
				if err == nil {
					_, err = eval.Window(o.Window, p.Env)
				}
				return err
			}
		}
		return d.option(options, key, v)
	})
	if err != nil {
		return nil, explained(err, o.Make)
	}
	if len(o.Rows) == 1 && len(o.Of) == 0 && !o.Format.Events { // a table of one record is its rows
		o.Record, o.Rows = o.Rows[0], nil
	}
	return o, p.check(d, o, options)
}

// Days reports whether the output is a table of days, which needs no series.
func (o *Output) Days() bool { return o.Make != nil && o.Make.Name == "days" }

// Drawn reports whether the output is a picture of series.
func (o *Output) Drawn() bool { return o.Make != nil && o.Make.Drawn }

// explained says of an unknown key which `make` it goes with, if one does.
func explained(err error, made *question.Question) error {
	var unknown *unknownKey
	if !errors.As(err, &unknown) {
		return err
	}
	var goes []string
	for _, q := range question.All() {
		if q.Record && slices.ContainsFunc(q.Options, func(o *question.Option) bool { return o.Name == unknown.key }) {
			goes = append(goes, "`make: "+q.Name+"`")
		}
	}
	switch {
	case goes == nil:
	case made != nil:
		unknown.hint = "it doesn't go with make: " + made.Name + ", but with " + strings.Join(goes, ", ")
	default:
		unknown.hint = "it goes with " + strings.Join(goes, ", ")
	}
	return err
}

// check refuses what doesn't go together in an output.
func (p *Plan) check(d *doc, o *Output, options []*question.Option) error {
	fail := func(key, format string, args ...any) error { return o.places.Place(key, fmt.Errorf(format, args...)) }
	switch {
	case o.Lame:
		return nil
	case o.File == "":
		return fail("", "an output needs a `file`")
	case o.per && !strings.Contains(o.File, "{owner}"):
		return fail("file", "one file for each owner has {owner} in its name: close-{owner}.ics")
	case strings.ContainsAny(strings.ReplaceAll(o.File, "{owner}", map[bool]string{true: "", false: "{"}[o.per]), "{}"):
		return fail("file", "a brace stands in the name of the file `%s`: only {owner} is filled in, with `per: owner`; write the name out", o.File)
	case (o.per || o.Whole) && (o.Record != nil || o.Make != nil):
		return fail(map[bool]string{true: "per", false: "choose"}[o.per], "`per` and `choose` are for dates of series")
	case o.Shape.Title != "" && !o.Format.Titled:
		return fail("title", "`title` %v", o.Format.ErrUntitled())
	case o.Days() && (len(o.Of) > 0 || o.Record != nil || o.Format.Events):
		return fail("make", "a table of days has no `of`, and is no calendar file")
	case o.Days() && o.Window == "" && p.Window == nil:
		return fail("make", "a table of days needs a `window`: 2027")
	case o.Days():
	case o.Drawn() && (o.Record != nil || len(o.Rows) > 0):
		return fail("of", "a wall shows series, and `of` names a record")
	case o.Drawn() && o.Format.Name != "html" && o.Format.Name != "table":
		return fail("file", "a wall is a page, and its file ends in .html")
	case o.Drawn() && (o.Shape.Where != nil || o.Shape.Sort != nil || o.Shape.Columns != nil || o.Shape.ShowDates != "" || o.Shape.Safe):
		return fail("make", "a wall has no rows: of the keys of a table it takes `title` alone")
	case o.Drawn():
	case len(o.Of) == 0 && o.Record == nil && len(o.Rows) == 0:
		return fail("", "an output needs `of`: the series or the record that it shows")
	case o.Record == nil && o.Make != nil:
		return fail("make", "`make` and its keys are for records; `of` names series here")
	}
	if err := o.Form.Check(o.Format.Events && o.Make == nil); err != nil {
		return o.places.fault(err)
	}
	for _, opt := range options {
		if err := opt.Check(p.Env); err != nil {
			return o.places.Place(opt.Name, err)
		}
		if path, ok := opt.Path(); ok {
			*path = d.beside(*path)
			if err := p.Files.Read(*path); err != nil {
				return o.places.Place(opt.Name, err)
			}
		}
	}
	return o.places.fault(question.Fit(options))
}

// makeOf finds what an output makes.
func (p *Plan) makeOf(d *doc, n ast.Node) (*question.Question, error) {
	name, err := d.text(n)
	if err != nil {
		return nil, err
	}
	for _, q := range question.All() {
		if q.Alone && q.Name == name {
			return q, nil
		}
	}
	q, err := question.New(name)
	return q, d.wrap(n, err)
}

// file reads the file of an output.
func (o *Output) file(d *doc, n ast.Node) (err error) {
	if o.File, err = d.text(n); err != nil {
		return err
	}
	ending := strings.ToLower(strings.TrimPrefix(filepath.Ext(o.File), "."))
	var ok bool
	if o.Format, ok = report.Find(ending); !ok || o.Format.Name == "table" {
		names := slices.DeleteFunc(report.Names(true), func(s string) bool { return s == "table" })
		return d.fail(n, "the ending of `%s` names no format; known are .%s", o.File, strings.Join(names, ", ."))
	}
	if !filepath.IsLocal(filepath.FromSlash(o.File)) {
		return d.fail(n, "`%s` lies outside the output folder; outputs stay inside it", o.File)
	}
	o.File = filepath.ToSlash(filepath.Clean(filepath.FromSlash(o.File)))
	return nil
}

// of reads what an output shows.
func (p *Plan) of(d *doc, o *Output, v ast.Node) error {
	names, nodes, err := d.texts(v)
	for i, name := range names {
		if r := p.Record(name); r != nil {
			if slices.Contains(o.Rows, r) {
				return d.fail(nodes[i], "`%s` stands here twice", r.Name)
			}
			if o.Rows = append(o.Rows, r); len(r.Events) == 0 && (len(names) > 1 || o.Format.Events) {
				return d.fail(nodes[i], "the record `%s` has no `events`, and so no dates of its own", name)
			}
			continue
		}
		found := p.FindAll(name)
		if found == nil && p.lameOf(name) { // which is told where it stands
			o.Lame = true
			continue
		}
		if found == nil {
			known := slices.Clone(p.Env.SeriesNames)
			for _, t := range p.patterns {
				known = append(known, t.name)
			}
			for _, r := range p.Records {
				known = append(known, r.Name)
			}
			hint := "this plan has " + strings.Join(known, ", ")
			if near := phrase.Nearest(name, known); near != "" {
				hint = "did you mean `" + near + "`?"
			}
			return d.fail(nodes[i], "unknown series or record `%s`; %s", name, hint)
		}
		for _, s := range found {
			if slices.Contains(o.Of, s) {
				return d.fail(nodes[i], "`%s` stands here twice", s.Name)
			}
			o.Of = append(o.Of, s)
		}
	}
	return err
}
