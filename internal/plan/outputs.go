package plan

import (
	"errors"
	"fmt"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/declare"
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
	Faulty bool               // its file, or what it shows, couldn't be read, and that was told
	Make   *question.Question // nil if the record's table itself is written
	Shape  question.Shape
	Form   question.EventForm
	// Owner is the one whose tasks it has, `none` for those without; "" for all.
	Owner string
	// Per says by what it is split into files: owner or series; "" for not at all.
	Per string
	// Whole says that occurrences are listed whole.
	Whole bool
	// Own is a window of its own, in words; "" for none.
	Own string

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

// Each is what is in the name of a split output for whom or what a file is made.
func (o *Output) Each() string { return "{" + o.Per + "}" }

// keptNames are those that Windows keeps for itself, whatever the ending.
var keptNames = regexp.MustCompile(`^(?i:con|prn|aux|nul|com[0-9]|lpt[0-9])_*$`)

// each is the output for an owner or a series.
func (o *Output) each(name string) *Output {
	one := *o
	if keptNames.MatchString(name) {
		name += "_"
	}
	one.File = strings.ReplaceAll(o.File, o.Each(), name)
	return &one
}

// Named is for whom or what a file is made whose name fits that of a split output; ok is
// false if it doesn't fit.
func (o *Output) Named(file string) (name string, ok bool) {
	if name, ok = o.fits(file); keptNames.MatchString(name) {
		name = strings.TrimSuffix(name, "_")
	}
	return name, ok
}

func (o *Output) fits(file string) (name string, ok bool) {
	before, after, _ := strings.Cut(o.File, o.Each())
	after, _, _ = strings.Cut(after, o.Each())
	rest, ok := strings.CutPrefix(file, before)
	if !ok {
		return "", false
	}
	for at := range len(rest) + 1 { // the first that says the whole name
		if strings.HasPrefix(rest[at:], after) && at > 0 && strings.ReplaceAll(o.File, o.Each(), rest[:at]) == file {
			return rest[:at], !strings.Contains(rest[:at], "/")
		}
	}
	return "", false
}

// Fault puts the place in the plan around an error that came of the output's
// option, or of one of its record.
func (o *Output) Fault(err error) error {
	var at *rows.OptionError
	if o.Record != nil && errors.As(err, &at) && o.places[at.Option].doc == nil && o.Record.places[at.Option].doc != nil {
		return o.Record.places.fault(err)
	}
	return o.places.fault(err)
}

// outputIn is an output as it is read.
type outputIn struct {
	*Output
	p *Plan
}

// group are the keys of an output that makes q; nil if it makes nothing.
func (o outputIn) group(q *question.Question) *group {
	g := &group{what: "an output", made: o.group, keys: []*declare.Key{
		{Name: "file", Needed: true, Help: "the file to write; its ending sets the format", Example: "pay.csv", Takes: at(aText, o.file)},
		{Name: "of", Help: "the series or records to write", Example: "crew-pay", Takes: someNames.Then(o.shows)},
		{Name: "make", Help: "the command to run on a record, with its options beside it", Example: "due",
			More: "Of a record: due, spread, tally, grid or match. Of the plan: wall, a year on a sheet; days, a table of days. " +
				"Without it, the output is a record's table, the dates of one series, or an agenda of several.",
			Takes: aText.Then(nothing)},
		{Name: "per", Help: "write one file per owner or per series; `file` holds {owner} or {series}",
			Example: "owner", Takes: oneOf("owner or series",
				"owner", "series").Into(&o.Per)},
		wholeKey(&o.Whole),
	}}
	g.options(o.Shape.Options())
	g.options(o.Form.Options())
	if q != nil && q.Name == "days" {
		g.keys = append(g.keys, &declare.Key{Name: "window", Help: "the days to write", Default: "the plan's window",
			Example: "2027", Takes: aText.Then(o.days)})
	}
	if q != nil {
		g.keys = slices.DeleteFunc(g.keys, func(k *declare.Key) bool { // one that is for series alone can't be combined with it
			return k.Name == "per" && declare.Find(q.Options, k.Name) != nil
		})
		g.options(q.Options)
	}
	return g
}

// wholeKey is the key by which occurrences are taken whole.
func wholeKey(to *bool) *declare.Key {
	return &declare.Key{Name: "choose",
		Help:    "`occurrence` keeps milestones with their date, across the window's edge",
		Default: "each date and milestone by its own day", Example: "occurrence",
		Takes: oneOf("occurrence: whole occurrences; without it each date is chosen by its own day",
			"occurrence").Then(func(string) error { *to = true; return nil })}
}

func (o outputIn) days(text string) error {
	o.Window = text
	_, err := eval.Window(text, o.p.Env)
	return err
}

// outputs reads the list of outputs.
func (p *Plan) outputs(v *node) error {
	items, err := v.items("{file: pay.csv, of: crew-pay}")
	if err != nil {
		return err
	}
	for _, item := range items {
		o, err := p.output(item)
		if err == nil {
			err = p.addOutputs(o)
		}
		if err := item.doc.or(err); err != nil {
			return err
		}
	}
	return nil
}

// addOutputs adds an output, or where it is made for each owner or series, those.
func (p *Plan) addOutputs(o *Output) error {
	list := []*Output{o}
	if o.Per != "" {
		p.Split = append(p.Split, o)
		list = nil
	}
	switch o.Per {
	case "owner":
		for _, owner := range append(slices.Clone(p.Owners), Owner{Name: nobody}) {
			one := o.each(owner.Name)
			one.Owner = owner.Name
			list = append(list, one)
		}
	case "series":
		for _, s := range o.Of {
			one := o.each(s.Name)
			one.Of = []*schedule.Series{s}
			list = append(list, one)
		}
	}
	for _, o := range list {
		if len(p.Outputs) == mostOutputs {
			return o.places.Place("file", fmt.Errorf("a plan has at most %d outputs; put the rest into a plan of its own", mostOutputs))
		}
		if err := p.writes.add(o.File); err != nil {
			return o.places.Place("file", err)
		}
		p.Outputs = append(p.Outputs, o)
	}
	return nil
}

func (p *Plan) output(item *node) (_ *Output, err error) {
	o := outputIn{&Output{places: places{}}, p}
	if o.Make, err = item.makes(); err != nil {
		return nil, err
	}
	g := o.group(o.Make)
	v := &node{doc: item.doc, val: item.val, at: o.places}
	if err := g.fill(v); err != nil {
		return nil, explained(err, o.Make)
	}
	for _, k := range v.parts {
		if k.name == "window" { // of the days, or of what is made
			o.Own, _ = k.doc.text(k.val)
		}
	}
	if len(o.Rows) == 1 && len(o.Of) == 0 && !o.Format.Events { // a table of one record is its rows
		o.Record, o.Rows = o.Rows[0], nil
	}
	return o.Output, p.check(o.Output, g)
}

// Days reports whether the output is a table of days, which needs no series.
func (o *Output) Days() bool { return o.Make != nil && o.Make.Name == "days" }

// Drawn reports whether the output is a picture of series.
func (o *Output) Drawn() bool { return o.Make != nil && o.Make.Drawn }

// mostOutputs is how many files a plan writes.
const mostOutputs = 5000

// written are the files that outputs write and the folders that these need, in lower case,
// each with a file for which it is there.
type written map[string]string

// add takes a file, unless it is written already or is a folder of another, or the reverse.
func (w written) add(file string) error {
	both := func(other string) error {
		return fmt.Errorf("`%s` and `%s` can't both be written: one is a file, the other needs a folder of that name", other, file)
	}
	name := strings.ToLower(file)
	if other, is := w[name]; is {
		return fmt.Errorf("`%s` is written by two outputs", other)
	}
	if other, folder := w[name+"/"]; folder {
		return both(other)
	}
	for i := range len(name) {
		if name[i] != '/' {
			continue
		}
		if other, is := w[name[:i]]; is {
			return both(other)
		}
		w[name[:i+1]] = file
	}
	w[name] = file
	return nil
}

// explained says of an unknown key which `make` it goes with, if one does.
func explained(err error, made *question.Question) error {
	var unknown *unknownKey
	if !errors.As(err, &unknown) {
		return err
	}
	var goes []string
	for _, q := range question.All() {
		if q.Record && declare.Find(q.Options, unknown.key) != nil {
			goes = append(goes, "`make: "+q.Name+"`")
		}
	}
	switch {
	case goes == nil:
	case made != nil:
		unknown.hint = "it can't be combined with make: " + made.Name + "; use it with " + strings.Join(goes, ", ")
	default:
		unknown.hint = "it needs make: " + strings.Join(goes, ", ")
	}
	return err
}

// check refuses what doesn't go together in an output.
func (p *Plan) check(o *Output, g *group) error {
	fail := func(key, format string, args ...any) error { return o.places.Place(key, fmt.Errorf(format, args...)) }
	switch {
	case o.Faulty:
		return nil
	case o.File == "":
		return fail("", "an output needs a `file`")
	case o.Per != "" && !strings.Contains(o.File, o.Each()):
		return fail("file", "with `per: %s` the file's name needs %s, such as close-%[2]s.ics", o.Per, o.Each())
	case strings.ContainsAny(strings.ReplaceAll(o.File, o.Each(), map[bool]string{true: "", false: "{"}[o.Per != ""]), "{}"):
		return fail("file", "the file name `%s` has a brace: only {owner} and {series} are filled in, with `per: owner` or `per: series`", o.File)
	case (o.Per != "" || o.Whole) && (o.Record != nil || o.Make != nil):
		return fail(map[bool]string{true: "per", false: "choose"}[o.Per != ""], "`per` and `choose` are for dates of series")
	case o.Per == "series" && len(o.Rows) > 0:
		return fail("of", "`%s` is a record; with `per: series`, `of` takes only series", o.Rows[0].Name)
	case o.Shape.Title != "" && !o.Format.Titled:
		return fail("title", "`title` %v", o.Format.ErrUntitled())
	case o.Days() && (len(o.Of) > 0 || o.Record != nil || o.Format.Events):
		return fail("make", "`make: days` takes no `of` and can't be a calendar file")
	case o.Days() && o.Window == "" && p.Window == nil:
		return fail("make", "`make: days` needs a `window`, such as 2027")
	case o.Days():
	case o.Drawn() && (o.Record != nil || len(o.Rows) > 0):
		return fail("of", "`make: wall` takes only series; `of` names a record")
	case o.Drawn() && o.Format.Name != "html" && o.Format.Name != "table":
		return fail("file", "`make: wall` needs a file that ends in .html")
	case o.Drawn() && (o.Shape.Where != nil || o.Shape.Sort != nil || o.Shape.Columns != nil ||
		o.Shape.ShowDates != "" || o.Shape.Safe):
		return fail("make", "`make: wall` takes no keys of a table except `title`")
	case o.Drawn():
	case len(o.Of) == 0 && o.Record == nil && len(o.Rows) == 0:
		return fail("", "an output needs `of`, the series or record to write")
	case o.Record == nil && o.Make != nil:
		return fail("make", "`make` and its options need a record; `of` names series")
	}
	if err := o.Form.Check(o.Format.Events && o.Make == nil); err != nil {
		return o.places.fault(err)
	}
	options := g.flags()
	for _, opt := range options {
		if err := opt.Check(p.Env); err != nil {
			return o.places.Place(opt.Name, err)
		}
		if path := opt.Takes.Field; opt.Takes.File && *path != "" {
			*path = o.places[""].doc.beside(*path)
			if err := p.Files.Read(*path); err != nil {
				return o.places.Place(opt.Name, err)
			}
		}
	}
	var rules []declare.Rule
	if o.Make != nil {
		rules = o.Make.Rules
	}
	return o.places.fault(declare.Fit(options, rules...))
}

// file reads the file of an output.
func (o outputIn) file(v *node, text string) (err error) {
	defer func() { o.Faulty = o.Faulty || err != nil }()
	o.File = text
	ending := strings.ToLower(strings.TrimPrefix(filepath.Ext(o.File), "."))
	var ok bool
	if o.Format, ok = report.Find(ending); !ok || o.Format.Name == "table" {
		names := slices.DeleteFunc(report.Names(true), func(s string) bool { return s == "table" })
		return v.fail("the ending of `%s` names no format; use one of .%s", o.File, strings.Join(names, ", ."))
	}
	if !filepath.IsLocal(filepath.FromSlash(o.File)) {
		return v.fail("`%s` is outside the output folder; outputs must stay inside it", o.File)
	}
	o.File = filepath.ToSlash(filepath.Clean(filepath.FromSlash(o.File)))
	return nil
}

// shows takes what an output shows.
func (o outputIn) shows(names []placed) error {
	p := o.p
	for _, said := range names {
		name := said.text
		if r := p.Record(name); r != nil {
			if slices.Contains(o.Rows, r) {
				return said.at.wrap(fmt.Errorf("`%s` is listed twice", r.Name))
			}
			if o.Rows = append(o.Rows, r); len(r.Events) == 0 && (len(names) > 1 || o.Format.Events) {
				return said.at.wrap(fmt.Errorf("the record `%s` has no `events`, so it has no dates of its own", name))
			}
			continue
		}
		found := p.FindAll(name)
		if found == nil && p.faulty(name) { // which is reported where it is
			o.Faulty = true
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
			hint := phrase.Meant(name, known, "this plan has "+phrase.Names(known))
			return said.at.wrap(fmt.Errorf("unknown series or record `%s`; %s", name, hint))
		}
		for _, s := range found {
			if slices.Contains(o.Of, s) {
				return said.at.wrap(fmt.Errorf("`%s` is listed twice", s.Name))
			}
			o.Of = append(o.Of, s)
		}
	}
	return nil
}
