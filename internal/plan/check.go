package plan

import (
	"cmp"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/core/workdays"
	"yoyaku/internal/files"
	"yoyaku/internal/question"
)

// Finding is a finding of check with its place.
type Finding struct {
	schedule.Finding
	File string
	Line int
}

// FindingColumns are the columns of what check tells.
var FindingColumns = []string{"level", "where", "about", "date", "finding"}

// Cells are the cells of FindingColumns.
func (f Finding) Cells() []eval.Value {
	level := "fail"
	if f.Note {
		level = "note"
	}
	where := filepath.ToSlash(f.File)
	if f.Line > 0 {
		where = fmt.Sprintf("%s:%d", where, f.Line)
	}
	return []eval.Value{eval.Str(level), eval.Str(where), eval.Str(f.About), f.At, eval.Str(f.Text)}
}

// String tells it on one line.
func (f Finding) String() string {
	var parts []string
	for _, c := range f.Cells()[1:] {
		if text := c.String(); text != "" {
			parts = append(parts, text)
		}
	}
	return strings.Join(parts, ": ")
}

// mostRows is how many rows that break one expectation are told one by one.
const mostRows = 20

// Collector collects the faults of a plan as it is read, so that all are told.
type Collector struct {
	Findings []Finding
	about    string
	added    int // told once or again
}

// Add takes a fault; one that is told twice is told once.
func (c *Collector) Add(file string, err error) {
	f := FaultOf(file, err)
	f.About = c.about
	c.added++
	if !slices.ContainsFunc(c.Findings, func(o Finding) bool { return o.File == f.File && o.Line == f.Line && o.Text == f.Text }) {
		c.Findings = append(c.Findings, f)
	}
}

// tell says what the faults to come are about.
func (c *Collector) tell(about string) {
	if c != nil {
		c.about = about
	}
}

// count is how many faults were added; none where none are collected.
func (c *Collector) count() int {
	if c == nil {
		return 0
	}
	return c.added
}

// FaultOf is an error as a finding.
func FaultOf(file string, err error) (f Finding) {
	f.File = file
	var placed *Error
	if errors.As(err, &placed) {
		f.File, f.Line = placed.File, placed.Line
		err = placed.Err
	}
	if f.Text = err.Error(); placed != nil && placed.Through != "" {
		f.Text = placed.Through + ": " + f.Text
	}
	var path *fs.PathError
	if errors.As(err, &path) {
		f.Text = strings.TrimSuffix(f.Text, path.Error()) + files.Told(path)
	}
	var pe *phrase.Error
	if errors.As(err, &pe) && pe.Hint != "" && !strings.Contains(f.Text, pe.Hint) {
		f.Text += "; " + pe.Hint
	}
	f.Text = strings.Join(strings.Fields(f.Text), " ")
	return f
}

// fault keeps a fail that checking tells, and a run stops for.
func (p *Plan) fault(at spot, about, format string, args ...any) {
	p.faults = append(p.faults, Finding{schedule.Finding{About: about, Text: fmt.Sprintf(format, args...)}, at.doc.path, int(at.line)})
}

// Faults are days by hand that no rule gives, and owners that aren't among the people.
func (p *Plan) Faults() []Finding { return p.faults }

// placed gives a finding of a series its line.
func (p *Plan) placed(f schedule.Finding) Finding {
	at := p.at[f.About][f.Key]
	if at.doc == nil {
		at = p.at[f.About][""]
	}
	if at.doc == nil {
		return Finding{Finding: f, File: p.Path}
	}
	return Finding{f, at.doc.path, int(at.line)}
}

// Expectations checks what the plan expects of its series and records in a window.
// place is what records are asked from.
func (p *Plan) Expectations(series []*schedule.Series, window civil.Span, place question.Place) (list []Finding, err error) {
	all, err := p.checkSeries(series, window)
	for _, f := range all {
		if strings.HasPrefix(f.Key, "expect.") && !f.Note {
			list = append(list, p.placed(f))
		}
	}
	if err == nil {
		var apart []Finding
		apart, err = p.checkApart(series, window)
		list = append(list, apart...)
	}
	if err == nil {
		var many []Finding
		many, err = p.tooMany(series, window)
		list = append(list, many...)
	}
	if err != nil {
		return nil, err
	}
	for _, r := range p.Records {
		if r.expects == nil {
			continue
		}
		found, err := p.checkRows(r, place)
		if err != nil {
			return nil, err
		}
		for _, f := range found {
			if !f.Note {
				list = append(list, f)
			}
		}
	}
	return list, nil
}

func (p *Plan) checkSeries(series []*schedule.Series, window civil.Span) (list []schedule.Finding, err error) {
	for _, s := range series {
		found, err := s.Check(window)
		if err != nil {
			return nil, fmt.Errorf("series %s: %w", s.Name, err)
		}
		list = append(list, found...)
	}
	return list, nil
}

func (p *Plan) checkApart(series []*schedule.Series, window civil.Span) (list []Finding, err error) {
	for _, a := range p.apart {
		of := slices.DeleteFunc(slices.Clone(a.of), func(c schedule.Column) bool { return !slices.Contains(series, c.Series) })
		found, err := schedule.Meetings(of, window)
		if err != nil {
			return nil, err
		}
		for _, f := range found {
			list = append(list, Finding{f, a.at.doc.path, int(a.at.line)})
		}
	}
	return list, nil
}

// checkRows checks what is expected of a record, and its key.
func (p *Plan) checkRows(r *Record, place question.Place) (list []Finding, err error) {
	fail := func(key, format string, args ...any) {
		at := r.places[key]
		list = append(list, Finding{schedule.Finding{About: r.Name, Text: fmt.Sprintf(format, args...)}, at.doc.path, int(at.line)})
	}
	if r.Key != "" {
		var key *question.KeyFault
		if err := p.Job(r, place).CheckKey(r.Key); errors.As(err, &key) {
			fail("key", "%s", key)
			return list, nil
		} else if err != nil {
			return nil, r.Fault(err)
		}
	}
	e := r.expects
	if e == nil {
		return list, nil
	}
	want := question.RowsExpected{Unique: e.unique, Each: e.each, Key: r.Key}
	got, err := p.Job(r, place).Expect(want)
	if err != nil {
		var at *rows.OptionError
		if errors.As(err, &at) && r.places["expect."+at.Option].doc != nil {
			return nil, r.places.Place("expect."+at.Option, at.Err)
		}
		return nil, r.Fault(err)
	}
	if e.rows != nil && (got.Rows < e.rows.Least || got.Rows > e.rows.Most) {
		fail("expect.rows", "rows: %s has %s, expected %s", filepath.ToSlash(r.Table), phrase.Several(got.Rows, "row"), e.rows)
	}
	for _, key := range slices.Sorted(maps.Keys(got.Broken)) {
		broken := got.Broken[key]
		for i, text := range broken {
			if i == mostRows {
				fail("expect."+key, "and %d more rows", len(broken)-i)
				break
			}
			fail("expect."+key, "%s", text)
		}
	}
	for _, key := range slices.Sorted(maps.Keys(got.Blank)) {
		n := got.Blank[key]
		i, _ := strconv.Atoi(strings.TrimPrefix(key, "each."))
		fail("expect."+key, "each: %s is blank for %s of %d", e.each[i], phrase.Several(n, "row"), got.Rows)
		list[len(list)-1].Note = true
	}
	slices.SortStableFunc(list, func(a, b Finding) int { return a.Line - b.Line })
	return list, nil
}

// Check looks at the whole plan in a window: the fails first, each in the order of the
// file. output makes an output without writing it and tells what
// it notes; released are findings of released dates; place is what records are asked
// from.
func (p *Plan) Check(window civil.Span, released []Finding, place question.Place, output func(o *Output) (notes []string, err error)) (list []Finding) {
	take := func(found []Finding, err error) {
		if list = append(list, found...); err != nil {
			list = append(list, FaultOf(p.Path, err))
		}
	}
	for _, s := range p.Series {
		found, err := p.checkSeries([]*schedule.Series{s}, window)
		for _, f := range found {
			list = append(list, p.placed(f))
		}
		if err != nil {
			f := p.placed(schedule.Finding{About: s.Name})
			f.Text = FaultOf(p.Path, err).Text
			list = append(list, f)
		}
	}
	take(p.checkApart(p.Series, window))
	take(p.tooMany(p.Series, window))
	take(released, nil)
	list = append(list, p.counting...)
	for _, r := range p.Records {
		at := r.places[""]
		before := len(p.counting)
		p.watch(r.Name, at, func() error { take(p.checkRows(r, place)); return nil })
		list = append(list, p.counting[before:]...)
	}
	list = append(list, p.checkOutputs(window, output)...)
	list = append(list, p.faults...)
	list = append(list, p.slips...)
	list = append(list, p.notes()...)
	slices.SortStableFunc(list, func(a, b Finding) int {
		return cmp.Or(compareBool(a.Note, b.Note), strings.Compare(a.File, b.File), a.Line-b.Line)
	})
	return slices.CompactFunc(list, func(a, b Finding) bool { return a == b && a.Key == "" })
}

// compareBool puts false before true.
func compareBool(a, b bool) int {
	switch {
	case a == b:
		return 0
	case b:
		return -1
	}
	return 1
}

// checkOutputs makes each output without writing it. What is noted of several alike is
// one finding that names them.
func (p *Plan) checkOutputs(window civil.Span, output func(o *Output) (notes []string, err error)) (list []Finding) {
	alike := map[string]int{}
	note := func(o *Output, text string) {
		i, told := alike[text]
		if !told {
			alike[text] = len(list)
			list = append(list, Finding{schedule.Finding{Note: true, About: o.File, Text: text}, p.Path, int(o.places[""].line)})
			return
		}
		if names := strings.Split(list[i].About, ", "); !slices.Contains(names, o.File) {
			list[i].About = strings.Join(append(names, o.File), ", ")
		}
	}
	for _, o := range p.Outputs {
		if o.Lame {
			continue
		}
		before := len(p.counting)
		err := p.watch(o.File, o.places[""], func() error {
			notes, err := output(o)
			for _, n := range notes {
				note(o, n)
			}
			return err
		})
		for _, f := range p.counting[before:] {
			note(o, f.Text)
		}
		if span, ok := p.windowOfOutput(o); ok && span.Last < window.First {
			list = append(list, Finding{schedule.Finding{Note: true, About: o.File, Text: fmt.Sprintf("its window ends on %s, before the plan's begins on %s", span.Last, window.First)}, p.Path, int(o.places["window"].line)})
		}
		if err != nil {
			f := FaultOf(p.Path, o.Fault(err))
			f.About = o.File
			list = append(list, f)
		}
	}
	return list
}

// windowOfOutput is the window that an output has of its own.
func (p *Plan) windowOfOutput(o *Output) (span civil.Span, ok bool) {
	if o.own == "" {
		return span, false
	}
	span, err := eval.Window(o.own, p.Env)
	return span, err == nil
}

// watch notes whether something counts working days while no calendar is named.
func (p *Plan) watch(about string, at spot, do func() error) error {
	assumed := p.book.assumed
	before := assumed.TakeNeed()
	err := do()
	if assumed.TakeNeed() {
		before = true
		if slices.ContainsFunc(p.counting, func(f Finding) bool { return f.About == about }) {
			assumed.Need()
			return err
		}
		p.counting = append(p.counting, Finding{schedule.Finding{Note: true, About: about, Text: "working days are counted without a calendar: Saturday and Sunday closed, no holidays; `calendar` names one"}, at.doc.path, int(at.line)})
	}
	if before { // every command says so too
		assumed.Need()
	}
	return err
}

// notes tell what else there is to know of a plan: what its calendars didn't know, an id
// with a year in it.
func (p *Plan) notes() (list []Finding) {
	note := func(key, about, format string, args ...any) {
		f := Finding{schedule.Finding{Note: true, About: about, Text: fmt.Sprintf(format, args...)}, p.Path, 0}
		f.Line = int(p.keysAt[key].line)
		list = append(list, f)
	}
	for _, w := range append(slices.Clone(p.book.warnings), workdays.Warnings(p.book.made)...) {
		note("calendars", "", "%s", w)
	}
	for y := 1990; y < 2100; y++ {
		if strings.Contains(p.ID, fmt.Sprint(y)) {
			note("id", "", "the id holds a year: next year's events would stand beside this year's instead of following on; drop it, and move the window on")
			break
		}
	}
	return list
}
