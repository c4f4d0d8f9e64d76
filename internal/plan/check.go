package plan

import (
	"errors"
	"fmt"
	"io/fs"
	"path/filepath"
	"slices"
	"strings"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/core/workdays"
	"yoyaku/internal/files"
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

// String says it on one line.
func (f Finding) String() string {
	var parts []string
	for _, c := range f.Cells()[1:] {
		if text := c.String(); text != "" {
			parts = append(parts, text)
		}
	}
	return strings.Join(parts, ": ")
}

// Collector collects the faults of a plan as it is read, so that all are reported.
type Collector struct {
	Findings []Finding
	about    string
	added    int // told once or again
}

// Add takes a fault; one that is reported twice is reported once.
func (c *Collector) Add(file string, err error) {
	f := FaultOf(file, err)
	f.About = c.about
	if c.added++; errors.Is(err, errElsewhere) { // which was told there
		return
	}
	if !slices.ContainsFunc(c.Findings, func(o Finding) bool {
		return o.File == f.File && o.Line == f.Line &&
			o.Text == f.Text
	}) {
		c.Findings = append(c.Findings, f)
	}
}

// tell says what the faults to come are about.
func (c *Collector) tell(about string) {
	if c != nil {
		c.about = about
	}
}

// telling is what that is.
func (c *Collector) telling() string {
	if c == nil {
		return ""
	}
	return c.about
}

// count is how many faults were added; none if none are collected.
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
		f.Text = strings.TrimSuffix(f.Text, path.Error()) + files.InWords(path)
	}
	var pe *phrase.Error
	if errors.As(err, &pe) && pe.Hint != "" && !strings.Contains(f.Text, pe.Hint) {
		f.Text += "; " + pe.Hint
	}
	f.Text = strings.Join(strings.Fields(f.Text), " ")
	return f
}

// fault keeps a fail that checking tells, and a run stops for.
func (p *Plan) fault(at Spot, about, format string, args ...any) {
	p.faults = append(p.faults, at.Found(schedule.Finding{About: about, Text: fmt.Sprintf(format, args...)}))
}

// Faults are days by hand that no rule gives, and owners that aren't among the people.
func (p *Plan) Faults() []Finding { return p.faults }

// Slips are columns that nothing uses and that resemble others.
func (p *Plan) Slips() []Finding { return p.slips }

// Counting says what counts working days while no calendar is named.
func (p *Plan) Counting() []Finding { return p.counting }

// Found gives a finding its place.
func (s Spot) Found(f schedule.Finding) Finding {
	if s.doc == nil {
		return Finding{Finding: f}
	}
	return Finding{f, s.doc.path, int(s.line)}
}

// Placed gives a finding of a series the place of the key that it comes of.
func (p *Plan) Placed(f schedule.Finding) Finding {
	for _, key := range []string{f.Key, ""} {
		if at, ok := p.at[f.About][key]; ok {
			return at.Found(f)
		}
	}
	return Finding{Finding: f, File: p.Path}
}

// Key is the place of one of the plan's own keys; of one that isn't there, the file.
func (p *Plan) Key(name string) Spot {
	if at, ok := p.keysAt[name]; ok {
		return at
	}
	return Spot{doc: p.doc}
}

// At is the place of a key of the record, or of the record.
func (r *Record) At(key string) Spot { return r.places.at(key) }

// Wrap puts the place of a key of the record around an error.
func (r *Record) Wrap(key string, err error) error { return r.places.Place(key, err) }

// Says reports whether the record has a key.
func (r *Record) Says(key string) bool {
	_, said := r.places[key]
	return said
}

// At is the place of a key of the output, or of the output.
func (o *Output) At(key string) Spot { return o.places.at(key) }

func (p places) at(key string) Spot {
	if at, ok := p[key]; ok {
		return at
	}
	return p[""]
}

// CalendarWarnings says what the plan's calendars that were asked didn't know, and what
// was wrong with their lists.
func (p *Plan) CalendarWarnings() []string {
	return append(slices.Clone(p.book.warnings), workdays.Warnings(p.book.made)...)
}

// Watch notes whether something counts working days while no calendar is named.
func (p *Plan) Watch(about string, at Spot, do func() error) error {
	assumed := p.book.assumed
	before := assumed.TakeNeed()
	err := do()
	if assumed.TakeNeed() {
		before = true
		if slices.ContainsFunc(p.counting, func(f Finding) bool { return f.About == about }) {
			assumed.Need()
			return err
		}
		p.counting = append(p.counting,
			at.Found(schedule.Finding{Note: true, About: about,
				Text: "working days are counted without a calendar: Saturday and Sunday closed, no holidays. Name one with `calendar`"}))
	}
	if before { // every command says so too
		assumed.Need()
	}
	return err
}
