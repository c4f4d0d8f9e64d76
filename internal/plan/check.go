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
	if f.IsNote {
		level = "note"
	}
	where := filepath.ToSlash(f.File)
	if f.Line > 0 {
		where = fmt.Sprintf("%s:%d", where, f.Line)
	}
	return []eval.Value{eval.Str(level), eval.Str(where), eval.Str(f.Subject), f.At, eval.Str(f.Text)}
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
	current  string
	added    int // told once or again
}

// Add takes a fault; one that is reported twice is reported once.
func (c *Collector) Add(file string, err error) {
	f := FindingFromError(file, err)
	f.Subject = c.current
	if c.added++; errors.Is(err, errReportedElsewhere) { // which was told there
		return
	}
	if !slices.ContainsFunc(c.Findings, func(o Finding) bool {
		return o.File == f.File && o.Line == f.Line &&
			o.Text == f.Text
	}) {
		c.Findings = append(c.Findings, f)
	}
}

// setSubject says what the faults to come are about.
func (c *Collector) setSubject(about string) {
	if c != nil {
		c.current = about
	}
}

// subject is what that is.
func (c *Collector) subject() string {
	if c == nil {
		return ""
	}
	return c.current
}

// numAdded is how many faults were added; none if none are collected.
func (c *Collector) numAdded() int {
	if c == nil {
		return 0
	}
	return c.added
}

// FindingFromError is an error as a finding.
func FindingFromError(file string, err error) (f Finding) {
	f.File = file
	var placed *Error
	if errors.As(err, &placed) {
		f.File, f.Line = placed.File, placed.Line
		err = placed.Err
	}
	if f.Text = err.Error(); placed != nil && placed.Via != "" {
		f.Text = placed.Via + ": " + f.Text
	}
	var path *fs.PathError
	if errors.As(err, &path) {
		f.Text = strings.TrimSuffix(f.Text, path.Error()) + files.ErrorText(path)
	}
	var pe *phrase.Error
	if errors.As(err, &pe) && pe.Hint != "" && !strings.Contains(f.Text, pe.Hint) {
		f.Text += "; " + pe.Hint
	}
	f.Text = strings.Join(strings.Fields(f.Text), " ")
	return f
}

// addFault keeps a fail that checking tells, and a run stops for.
func (p *Plan) addFault(pos Pos, about, format string, args ...any) {
	p.faults = append(p.faults, pos.WithPos(schedule.Finding{Subject: about, Text: fmt.Sprintf(format, args...)}))
}

// DeferredFaults are days by hand that no rule gives, and owners that aren't among the people.
func (p *Plan) DeferredFaults() []Finding { return p.faults }

// UnusedColumns are columns that nothing uses and that resemble others.
func (p *Plan) UnusedColumns() []Finding { return p.unusedColumns }

// UncalendaredCounts says what counts working days while no calendar is named.
func (p *Plan) UncalendaredCounts() []Finding { return p.uncalendared }

// WithPos gives a finding its place.
func (s Pos) WithPos(f schedule.Finding) Finding {
	if s.doc == nil {
		return Finding{Finding: f}
	}
	return Finding{f, s.doc.path, int(s.line)}
}

// Locate gives a finding of a series the place of the key that it comes of.
func (p *Plan) Locate(f schedule.Finding) Finding {
	for _, key := range []string{f.Key, ""} {
		if pos, ok := p.seriesPos[f.Subject][key]; ok {
			return pos.WithPos(f)
		}
	}
	return Finding{Finding: f, File: p.Path}
}

// KeyPos is the place of one of the plan's own keys; of one that isn't there, the file.
func (p *Plan) KeyPos(name string) Pos {
	if pos, ok := p.keyPos[name]; ok {
		return pos
	}
	return Pos{doc: p.doc}
}

// KeyPos is the place of a key of the record, or of the record.
func (r *Record) KeyPos(key string) Pos { return r.positions.pos(key) }

// WrapKey puts the place of a key of the record around an error.
func (r *Record) WrapKey(key string, err error) error { return r.positions.WrapKey(key, err) }

// HasKey reports whether the record has a key.
func (r *Record) HasKey(key string) bool {
	_, said := r.positions[key]
	return said
}

// KeyPos is the place of a key of the output, or of the output.
func (o *Output) KeyPos(key string) Pos { return o.positions.pos(key) }

func (p keyPositions) pos(key string) Pos {
	if pos, ok := p[key]; ok {
		return pos
	}
	return p[""]
}

// CalendarWarnings says what the plan's calendars that were asked didn't know, and what
// was wrong with their lists.
func (p *Plan) CalendarWarnings() []string {
	return append(slices.Clone(p.calendars.warnings), workdays.CoverageWarnings(p.calendars.builtList)...)
}

// StrictWarnings are the warnings that a strict plan doesn't let pass: all but those of a calendar
// without holidays, which may be meant.
func (p *Plan) StrictWarnings() []string {
	return append(p.CalendarWarnings(), workdays.Warnings([]*workdays.Calendar{p.calendars.defaultCalendar})...)
}

// LackingCalendars are the plan's calendars that were counted with and have no holidays, each at
// its place.
func (p *Plan) LackingCalendars() (list []Finding) {
	for _, c := range p.calendars.builtList {
		if n := p.calendars.nodes[phrase.FoldName(c.Name)]; n != nil && c.WasUsed() {
			list = append(list, n.pos().WithPos(schedule.Finding{IsNote: true, Intended: true, Subject: c.Name,
				Text: "working days are counted with this calendar, and it has no holidays. " + workdays.LacksHint}))
		}
	}
	return list
}

// WatchCounting notes whether something counts working days while no calendar is named.
func (p *Plan) WatchCounting(about string, pos Pos, do func() error) error {
	assumed := p.calendars.defaultCalendar
	before := assumed.TakeUsed()
	err := do()
	if assumed.TakeUsed() {
		before = true
		if slices.ContainsFunc(p.uncalendared, func(f Finding) bool { return f.Subject == about }) {
			assumed.MarkUsed()
			return err
		}
		p.uncalendared = append(p.uncalendared,
			pos.WithPos(schedule.Finding{IsNote: true, Subject: about,
				Text: "working days are counted without a calendar: Saturday and Sunday closed, no holidays. Name one with `calendar`"}))
	}
	if before { // every command says so too
		assumed.MarkUsed()
	}
	return err
}
