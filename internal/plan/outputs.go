package plan

import (
	"errors"
	"fmt"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/declare"
	"yoyaku/internal/query"
	"yoyaku/internal/render"
)

// Output is a file that a plan makes: of series, or of a record, of which it may
// make the answer to a query.
type Output struct {
	File         string // with slashes, inside the output folder
	Series       []*schedule.Series
	Format       render.Format // that of its ending
	Record       *Record       // whose table it is, or what it makes of it; nil for dates
	EventRecords []*Record     // whose events it has beside the series
	Window       string        // of days; "" for the plan's
	IsBroken     bool          // its file, or what it shows, couldn't be read, and that was told
	Query        *ask.Query    // nil if the record's table itself is written
	Shape        ask.Shape
	EventForm    query.EventForm
	// Owner is the one whose tasks it has, `none` for those without; "" for all.
	Owner string
	// SplitBy says by what it is split into files: owner or series; "" for not at all.
	SplitBy string
	// WholeOccurrences says that occurrences are listed whole.
	WholeOccurrences bool
	// OwnWindow is a window of its own, in words; "" for none.
	OwnWindow string

	positions keyPositions
}

// IsOccurrenceTable reports whether it is the table of one series, a row an occurrence.
func (o *Output) IsOccurrenceTable() bool {
	return len(o.Series) == 1 && len(o.EventRecords) == 0 && !o.Format.HoldsEvents() && o.Owner == "" && o.Record == nil && o.Query == nil
}

// Has reports whether an event belongs into it.
func (o *Output) Has(e schedule.Event) bool {
	return o.Owner == "" || e.Owner == o.Owner || e.Owner == "" && o.Owner == unowned
}

// Placeholder is what is in the name of a split output for whom or what a file is made.
func (o *Output) Placeholder() string { return "{" + o.SplitBy + "}" }

// windowsReserved are those that Windows keeps for itself, whatever the ending.
var windowsReserved = regexp.MustCompile(`^(?i:con|prn|aux|nul|com[0-9]|lpt[0-9])_*$`)

// forName is the output for an owner or a series.
func (o *Output) forName(name string) *Output {
	output := *o
	if windowsReserved.MatchString(name) {
		name += "_"
	}
	output.File = strings.ReplaceAll(o.File, o.Placeholder(), name)
	return &output
}

// SubjectOf is for whom or what a file is made whose name fits that of a split output; ok is
// false if it doesn't fit.
func (o *Output) SubjectOf(file string) (name string, ok bool) {
	if name, ok = o.matchFile(file); windowsReserved.MatchString(name) {
		name = strings.TrimSuffix(name, "_")
	}
	return name, ok
}

func (o *Output) matchFile(file string) (name string, ok bool) {
	before, after, _ := strings.Cut(o.File, o.Placeholder())
	after, _, _ = strings.Cut(after, o.Placeholder())
	rest, ok := strings.CutPrefix(file, before)
	if !ok {
		return "", false
	}
	for at := range len(rest) + 1 { // the first that says the whole name
		if strings.HasPrefix(rest[at:], after) && at > 0 && strings.ReplaceAll(o.File, o.Placeholder(), rest[:at]) == file {
			return rest[:at], !strings.Contains(rest[:at], "/")
		}
	}
	return "", false
}

// WrapError puts the place in the plan around an error that came of the output's
// option, or of one of its record.
func (o *Output) WrapError(err error) error {
	var option *rows.OptionError
	if o.Record != nil && errors.As(err, &option) && o.positions[option.Option].doc == nil && o.Record.positions[option.Option].doc != nil {
		return o.Record.positions.wrapOption(err)
	}
	return o.positions.wrapOption(err)
}

// outputReader is an output as it is read.
type outputReader struct {
	*Output
	p *Plan
}

// group are the keys of an output that makes q; nil if it makes nothing.
func (o outputReader) group(q *ask.Query) *keyGroup {
	g := &keyGroup{label: "an output", groupFor: o.group, keys: []*declare.Key{
		{Name: "file", Required: true, Help: "the file to write; its ending sets the format", Example: "pay.csv", Value: at(textKind, o.file)},
		{Name: "of", Help: "the series or records to write", Example: "crew-pay", Value: namesKind.Call(o.setShown)},
		{Name: "make", Help: "the command to run on a record, with its options beside it", Example: "due",
			Details: "Of a record: due, spread, tally, grid or match. Of the plan: wall, a year on a sheet; days, a table of days. " +
				"Without it, the output is a record's table, the dates of one series, or an agenda of several.",
			Value: textKind.Call(ignoreText)},
		{Name: "per", Help: "write one file per owner or per series; `file` holds {owner} or {series}",
			Example: "owner", Value: choiceKind("owner or series",
				"owner", "series").Into(&o.SplitBy)},
		wholeKey(&o.WholeOccurrences),
		{Name: "language", Help: "the language of months and weekdays that `show-dates` writes", Default: "the plan's", Example: "de", Value: languageKind.Into(&o.Shape.Language)},
	}}
	g.options(o.Shape.Options())
	g.options(o.EventForm.Options())
	if q != nil && q.Name == "days" {
		g.keys = append(g.keys, &declare.Key{Name: "window", Help: "the days to write", Default: "the plan's window",
			Example: "2027", Value: textKind.Call(o.setDays)})
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
		Value: choiceKind("occurrence: whole occurrences; without it each date is chosen by its own day",
			"occurrence").Call(func(string) error { *to = true; return nil })}
}

func (o outputReader) setDays(text string) error {
	o.Window = text
	_, err := eval.ParseWindow(text, o.p.Env)
	return err
}

// readOutputs reads the list of outputs.
func (p *Plan) readOutputs(v *node) error {
	items, err := v.items("{file: pay.csv, of: crew-pay}")
	if err != nil {
		return err
	}
	for _, item := range items {
		o, err := p.readOutput(item)
		if err == nil {
			err = p.addOutputs(o)
		}
		if err := item.doc.collectError(err); err != nil {
			return err
		}
	}
	return nil
}

// addOutputs adds an output, or where it is made for each owner or series, those.
func (p *Plan) addOutputs(o *Output) error {
	list := []*Output{o}
	if o.SplitBy != "" {
		p.SplitOutputs = append(p.SplitOutputs, o)
		list = nil
	}
	switch o.SplitBy {
	case "owner":
		for _, owner := range append(slices.Clone(p.Owners), Owner{Name: unowned}) {
			output := o.forName(owner.Name)
			output.Owner = owner.Name
			list = append(list, output)
		}
	case "series":
		for _, s := range o.Series {
			output := o.forName(s.Name)
			output.Series = []*schedule.Series{s}
			list = append(list, output)
		}
	}
	for _, o := range list {
		if len(p.Outputs) == maxOutputs {
			return o.positions.WrapKey("file", fmt.Errorf("a plan has at most %d outputs; put the rest into a plan of its own", maxOutputs))
		}
		if err := p.outputPaths.add(o.File); err != nil {
			return o.positions.WrapKey("file", err)
		}
		p.Outputs = append(p.Outputs, o)
	}
	return nil
}

func (p *Plan) readOutput(item *node) (_ *Output, err error) {
	o := outputReader{&Output{positions: keyPositions{}}, p}
	if o.Query, err = item.madeQuery(); err != nil {
		return nil, err
	}
	g := o.group(o.Query)
	v := &node{doc: item.doc, valueNode: item.valueNode, positions: o.positions}
	if err := g.fill(v); err != nil {
		return nil, explainUnknownKey(err, o.Query)
	}
	for _, k := range v.children {
		if k.name == "window" { // of the days, or of what is made
			o.OwnWindow, _ = k.doc.text(k.valueNode)
		}
	}
	if len(o.EventRecords) == 1 && len(o.Series) == 0 && !o.Format.HoldsEvents() { // a table of one record is its rows
		o.Record, o.EventRecords = o.EventRecords[0], nil
	}
	return o.Output, p.checkOutput(o.Output, g)
}

// IsDayTable reports whether the output is a table of days, which needs no series.
func (o *Output) IsDayTable() bool { return o.Query != nil && o.Query.Name == "days" }

// IsDrawing reports whether the output is a picture of series.
func (o *Output) IsDrawing() bool { return o.Query != nil && o.Query.IsDrawing }

// maxOutputs is how many files a plan writes.
const maxOutputs = 5000

// outputPaths are the files that outputs write and the folders that these need, in lower case,
// each with a file for which it is there.
type outputPaths map[string]string

// add takes a file, unless it is written already or is a folder of another, or the reverse.
func (w outputPaths) add(file string) error {
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

// explainUnknownKey says of an unknown key which `make` it goes with, if one does.
func explainUnknownKey(err error, made *ask.Query) error {
	var unknown *unknownKeyError
	if !errors.As(err, &unknown) {
		return err
	}
	var goes []string
	for _, q := range query.All() {
		if q.ForRecords && declare.Find(q.Options, unknown.key) != nil {
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

// checkOutput refuses what doesn't go together in an output.
func (p *Plan) checkOutput(o *Output, g *keyGroup) error {
	if o.IsBroken {
		return nil
	}
	for _, check := range []func(*Output) (key string, err error){p.checkOutputFile, p.checkOutputSubject} {
		if key, err := check(o); err != nil {
			return o.positions.WrapKey(key, err)
		}
	}
	if err := o.EventForm.Check(o.Format.HoldsEvents() && o.Query == nil); err != nil {
		return o.positions.wrapOption(err)
	}
	options := g.flags()
	for _, opt := range options {
		if err := opt.Check(p.Env); err != nil {
			return o.positions.WrapKey(opt.Name, err)
		}
		if path := opt.Value.Field; opt.Value.IsInputFile && *path != "" {
			*path = o.positions[""].doc.resolvePath(*path)
			if err := p.Files.AddInput(*path); err != nil {
				return o.positions.WrapKey(opt.Name, err)
			}
		}
	}
	var rules []declare.Rule
	if o.Query != nil {
		rules = o.Query.Rules
	}
	return o.positions.wrapOption(declare.CheckCombination(options, rules...))
}

// checkOutputFile checks an output's file, and what splits it into several; key is the one at
// fault.
func (p *Plan) checkOutputFile(o *Output) (key string, err error) {
	isSplit := o.SplitBy != ""
	name := o.File
	if isSplit {
		name = strings.ReplaceAll(name, o.Placeholder(), "")
	}
	switch {
	case o.File == "":
		return "", errors.New("an output needs a `file`")
	case isSplit && !strings.Contains(o.File, o.Placeholder()):
		return "file", fmt.Errorf("with `per: %s` the file's name needs %s, such as close-%[2]s.ics", o.SplitBy, o.Placeholder())
	case strings.ContainsAny(name, "{}"):
		return "file", fmt.Errorf("the file name `%s` has a brace: only {owner} and {series} are filled in, with `per: owner` or `per: series`", o.File)
	case isSplit && (o.Record != nil || o.Query != nil):
		return "per", errors.New("`per` and `choose` are for dates of series")
	case o.WholeOccurrences && (o.Record != nil || o.Query != nil):
		return "choose", errors.New("`per` and `choose` are for dates of series")
	case o.SplitBy == "series" && len(o.EventRecords) > 0:
		return "of", fmt.Errorf("`%s` is a record; with `per: series`, `of` takes only series", o.EventRecords[0].Name)
	case o.Shape.Title != "" && !o.Format.Titled:
		return "title", fmt.Errorf("`title` %v", o.Format.TitleError())
	}
	return "", nil
}

// checkOutputSubject checks what an output is of; key is the one at fault.
func (p *Plan) checkOutputSubject(o *Output) (key string, err error) {
	isRecord := o.Record != nil || len(o.EventRecords) > 0
	switch {
	case o.IsDayTable() && (len(o.Series) > 0 || o.Record != nil || o.Format.HoldsEvents()):
		return "make", errors.New("`make: days` takes no `of` and can't be a calendar file")
	case o.IsDayTable() && o.Window == "" && p.Window == nil:
		return "make", errors.New("`make: days` needs a `window`, such as 2027")
	case o.IsDayTable():
	case o.IsDrawing() && isRecord:
		return "of", errors.New("`make: wall` takes only series; `of` names a record")
	case o.IsDrawing() && o.Format.Name != "html" && o.Format.Name != "table":
		return "file", errors.New("`make: wall` needs a file that ends in .html")
	case o.IsDrawing() && o.Shape.HasTableKeys():
		return "make", errors.New("`make: wall` takes no keys of a table except `title`")
	case o.IsDrawing():
	case len(o.Series) == 0 && !isRecord:
		return "", errors.New("an output needs `of`, the series or record to write")
	case o.Record == nil && o.Query != nil:
		return "make", errors.New("`make` and its options need a record; `of` names series")
	}
	return "", nil
}

// file reads the file of an output.
func (o outputReader) file(v *node, text string) (err error) {
	defer func() { o.IsBroken = o.IsBroken || err != nil }()
	o.File = text
	ending := strings.ToLower(strings.TrimPrefix(filepath.Ext(o.File), "."))
	var ok bool
	if o.Format, ok = render.FindFormat(ending); !ok || o.Format.Name == "table" {
		names := slices.DeleteFunc(render.FormatNames(true), func(s string) bool { return s == "table" })
		return v.fail("the ending of `%s` names no format; use one of .%s", o.File, strings.Join(names, ", ."))
	}
	if !filepath.IsLocal(filepath.FromSlash(o.File)) {
		return v.fail("`%s` is outside the output folder; outputs must stay inside it", o.File)
	}
	o.File = filepath.ToSlash(filepath.Clean(filepath.FromSlash(o.File)))
	return nil
}

// setShown takes what an output shows.
func (o outputReader) setShown(names []textAt) error {
	p := o.p
	for _, said := range names {
		name := said.text
		if r := p.Record(name); r != nil {
			if slices.Contains(o.EventRecords, r) {
				return said.pos.wrap(fmt.Errorf("`%s` is listed twice", r.Name))
			}
			if o.EventRecords = append(o.EventRecords, r); len(r.Events) == 0 && (len(names) > 1 || o.Format.HoldsEvents()) {
				return said.pos.wrap(fmt.Errorf("the record `%s` has no `events`, so it has no dates of its own", name))
			}
			continue
		}
		found := p.FindAllSeries(name)
		if found == nil && p.isBroken(name) { // which is reported where it is
			o.IsBroken = true
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
			hint := phrase.Meant(name, known, "this plan has "+phrase.ListNames(known))
			return said.pos.wrap(fmt.Errorf("unknown series or record `%s`; %s", name, hint))
		}
		for _, s := range found {
			if slices.Contains(o.Series, s) {
				return said.pos.wrap(fmt.Errorf("`%s` is listed twice", s.Name))
			}
			o.Series = append(o.Series, s)
		}
	}
	return nil
}

// Records returns the records that the output asks for.
func (o *Output) Records() []*Record {
	if o.Record != nil {
		return append([]*Record{o.Record}, o.EventRecords...)
	}
	return o.EventRecords
}
