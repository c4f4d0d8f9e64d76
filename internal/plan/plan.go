package plan

import (
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/core/workdays"
	"yoyaku/internal/files"
	"yoyaku/internal/ical"
	"yoyaku/internal/question"
	"yoyaku/internal/report"
)

// FileName is the plan that is taken when none is named.
const FileName = "yoyaku.yaml"

// Plan is a plan file, read and compiled.
type Plan struct {
	Path   string
	ID     string // of its events; "yoyaku" where the plan has none
	Title  string
	Zone   *time.Location // nil: times float
	Window *civil.Span    // nil if the plan has none
	Env    eval.Env       // with its calendars, series, frame and today
	Series []*schedule.Series
	// Records are the tables of the plan.
	Records []*Record
	// Outputs are the files it makes, relative to the output folder.
	Outputs []*Output
	// Split are the outputs that are made for each owner or series, as they are in the plan.
	Split []*Output
	// Publish says where its events are published to.
	Publish Publishing
	// Files knows what was read.
	Files *files.Register

	// Owners are the people of the plan, in its order.
	Owners []Owner
	// PerDay is how many tasks an owner may have on a day; nil for any number.
	PerDay   *schedule.Bounds
	PerDayAt Spot
	// Apart are dates that never fall on one day.
	Apart []Apart
	// Strict says that every warning is a failure.
	Strict bool
	// Organizer is who sends out cancellations.
	Organizer ical.Organizer
	// Remarks are what a run reports about how the plan was read.
	Remarks []string

	book      *book
	waiting   []*waiting               // entries that give series, in the order of the file
	writes    written                  // the files of its outputs
	depths    map[*schedule.Series]int // how many series each depends on in turn
	busy      []*waiting               // those that are being read, the outermost first
	reading   *seriesIn                // reads series; nil until one is
	doc       *doc                     // nil if there is no file
	said      map[string]*node         // by the plan's own keys; nil once they were read
	keysAt    places                   // of the plan's own keys
	at        map[string]places        // of the keys of series, by their names
	failed    map[string]bool          // entries that couldn't be read, if faults are collected
	patterns  []*pattern
	owners    []ownerAt
	seriesAt  index // where what has a name is in its list
	recordsAt index
	ownersAt  index
	alone     string                     // its title without those of plans beside it
	counted   string                     // the calendar that the command counts with
	beside    []*Plan                    // whose series are looked at too
	given     map[string]map[string]Spot // where each name was given, by what it names
	faults    []Finding                  // which only checking tells
	slips     []Finding                  // columns that nothing uses and that resemble others
	counting  []Finding                  // what counts working days while no calendar is named
	uncounted bool                       // the plan's calendar couldn't be had, if faults are collected
}

// Settings are what the command line says over a plan.
type Settings struct {
	Now       time.Time  // the clock, for today
	AsOf      civil.Date // instead of the clock; None if not given
	Zone      *time.Location
	Frame     map[string]string // week-start, fiscal-start and their kin
	LeapMarch bool
	Files     *files.Register // nil: the plan's own
	Text      []byte          // what the plan says, if it isn't in its file yet
	Hash      bool            // files are hashed while they are read
	WhatIf    WhatIf          // days that are closed and opened for this command alone
	Calendar  string          // that the command counts with; "" for the plan's
	Collect   *Collector      // takes faults of entries; nil stops at the first
}

func (s Settings) register() *files.Register {
	reg := s.Files
	if reg == nil {
		reg = &files.Register{}
	}
	if s.Hash {
		reg.Hash()
	}
	return reg
}

func (s Settings) today(zone *time.Location) civil.Date {
	if s.AsOf != civil.None {
		return s.AsOf
	}
	now := s.Now
	if zone != nil {
		now = now.In(zone)
	}
	d, _ := civil.Of(now.Year(), int(now.Month()), now.Day())
	return d
}

// Names reports whether an argument of a command names a plan.
func Names(arg string) bool { return strings.HasPrefix(strings.ToLower(filepath.Ext(arg)), ".y") }

// Empty is the plan of a command that has none: Saturday and Sunday closed.
func Empty(s Settings) (*Plan, error) {
	f := civil.DefaultFrame
	if key, err := setFrame(&f, s.Frame); err != nil {
		return nil, rows.In(key, err)
	}
	p := &Plan{ID: "yoyaku", Files: s.register()}
	p.Env = s.env(f, nil)
	p.book = newBook(p.Env, p.Files)
	p.lend()
	if err := p.book.whatIf(s.WhatIf, s.Calendar); err != nil {
		return nil, err
	}
	p.book.tryDefault(s.Calendar)
	return p, p.countAlso(s.Calendar)
}

// env is what phrases read in a frame: Saturday and Sunday closed until a
// calendar is named.
func (s Settings) env(f civil.Frame, zone *time.Location) eval.Env {
	cal := workdays.New("Saturday and Sunday", workdays.Weekend)
	cal.Assumed = true
	clock := func(name string) (eval.Clock, error) {
		of := zone
		if name != "" {
			var err error
			if of, err = ical.Zone(name); err != nil {
				return nil, err
			}
		}
		if of == nil {
			return nil, nil
		}
		return ical.Clock{Location: of}, nil
	}
	zoneOf := func(name string) *time.Location {
		if name == "" {
			return zone
		}
		of, _ := ical.Zone(name) // which was known when the time was made
		return of
	}
	write := func(layout string) (func(v eval.Value) string, error) { return report.Strftime(layout, zoneOf) }
	home := ""
	if zone != nil {
		home = zone.String()
	}
	return eval.Env{Memory: &eval.Memory{}, Home: home, Clock: clock, Frame: f, Calendar: cal, Today: s.today(zone),
		LeapMarch: s.LeapMarch, Strftime: write}
}

// ZoneName is the name of the plan's time zone; "" if times float.
func (p *Plan) ZoneName() string {
	if p.Zone == nil {
		return ""
	}
	return p.Zone.String()
}

// Midnight gives the instant at which a day begins in the plan's zone.
func (p *Plan) Midnight() func(civil.Date) int64 {
	return func(d civil.Date) int64 { return ical.Instant(d, 0, p.Zone) }
}

// lend makes the plan's calendars and series known to phrases.
func (p *Plan) lend() {
	p.Env.Find = p.book.lend
	p.Env.Calendars = p.book.known()
	p.Env.Series, p.Env.SeriesAll = p.series, p.seriesAll
}

// Find returns a series by name, or nil.
func (p *Plan) Find(name string) *schedule.Series {
	if i := p.seriesAt.find(name, len(p.Series), func(i int) string { return p.Series[i].Name }); i >= 0 {
		return p.Series[i]
	}
	return nil
}

// All returns the series, those of plans beside it too.
func (p *Plan) All() []*schedule.Series { return p.Series }

// FindAll returns the series of a name, or all those that are like a pattern of it.
func (p *Plan) FindAll(name string) (list []*schedule.Series) {
	if s := p.Find(name); s != nil {
		return []*schedule.Series{s}
	}
	for _, s := range p.Series {
		if slices.ContainsFunc(s.Patterns, func(n string) bool { return phrase.SameName(n, name) }) {
			list = append(list, s)
		}
	}
	return list
}

// PatternNames lists the patterns, each of which stands for all its series.
func (p *Plan) PatternNames() (list []string) {
	for _, t := range p.patterns {
		list = append(list, t.name)
	}
	return list
}

// Beside puts another plan's series beside those of this one, to be looked at together.
func (p *Plan) Beside(other *Plan) {
	if p.beside == nil {
		p.alone = p.Title
	}
	p.Series = append(p.Series, other.Series...)
	p.Env.SeriesNames = append(p.Env.SeriesNames, other.Env.SeriesNames...)
	if other.Title != "" && p.Title != "" {
		p.Title += ", " + other.Title
	}
	if w := other.Window; w != nil && p.Window != nil {
		p.Window = &civil.Span{First: min(w.First, p.Window.First), Last: max(w.Last, p.Window.Last)}
	}
	p.beside = append(p.beside, other)
}

// Groups are the series of the plan and of each plan beside it.
func (p *Plan) Groups() (list []question.Together) {
	of := question.Together{ID: p.ID, Title: p.alone, Series: slices.Clone(p.Series)}
	if p.beside == nil {
		of.Title = p.Title
	}
	for _, other := range p.beside {
		of.Series = slices.DeleteFunc(of.Series, func(s *schedule.Series) bool { return slices.Contains(other.Series, s) })
		list = append(list, other.Groups()...)
	}
	return append([]question.Together{of}, list...)
}

// Joined are the plans whose series are beside those of this one.
func (p *Plan) Joined() []*Plan { return p.beside }

// ReleasedName is the file beside a plan that holds what was released of it.
const ReleasedName = "released.csv"

// ReleasedPath is where that file stands.
func (p *Plan) ReleasedPath() string { return filepath.Join(filepath.Dir(p.Path), ReleasedName) }

// Calendar returns a calendar of the plan by name, several joined by +, or one
// from a calendar file.
func (p *Plan) Calendar(name string) (*workdays.Calendar, error) {
	p.book.lock.Lock()
	defer p.book.lock.Unlock()
	if ext := strings.ToLower(filepath.Ext(name)); ext != ".yaml" && ext != ".yml" {
		return p.book.named(name)
	}
	if err := p.Files.Read(name); err != nil {
		return nil, err
	}
	d, err := readDoc(name, p.Files)
	if err != nil {
		return nil, err
	}
	c, err := p.book.calendar(d, strings.TrimSuffix(filepath.Base(name), filepath.Ext(name)), d.root)
	if err == nil {
		err = p.book.check(func(err error) error { return err })
	}
	if err == nil {
		p.book.made = append(p.book.made, c)
	}
	return c, err
}

// countAlso has working days counted by the calendar that a command names, if it does, with
// the days that are tried.
func (p *Plan) countAlso(name string) error {
	if name != "" {
		if err := p.CountBy(name); err != nil {
			return rows.In("calendar", err)
		}
	}
	return p.tryCounting()
}

// CountBy has working days counted by a calendar, as Calendar names it; (COL) has each
// row of a table name its own.
func (p *Plan) CountBy(name string) (err error) {
	if column, ok := calendarColumn(name); ok {
		p.Env.CalendarColumn = column
		return nil
	}
	p.Env.Calendar, err = p.Calendar(name)
	return err
}

// calendarColumn is the column that (COL) in place of a calendar names; ok is false for
// another text.
func calendarColumn(text string) (column string, ok bool) {
	column, ok = strings.CutPrefix(strings.TrimSpace(text), "(")
	if !ok || !strings.HasSuffix(column, ")") {
		return "", false
	}
	return rows.Unquote(strings.TrimSpace(strings.TrimSuffix(column, ")"))), true
}

// CalendarNames lists the calendars at hand: the plan's in the order of the
// file, then the built-in ones.
func (p *Plan) CalendarNames() []string { return p.book.known() }

// Calendars returns the calendars at hand in that order.
func (p *Plan) Calendars() (list []*workdays.Calendar, err error) {
	for _, name := range p.book.known() {
		c, err := p.book.find(name)
		if err != nil {
			return nil, err
		}
		list = append(list, c)
	}
	return list, nil
}

// Warnings says what the calendars that were asked didn't know.
func (p *Plan) Warnings() []string {
	return append(slices.Clone(p.book.warnings), workdays.Warnings(append(slices.Clone(p.book.made), p.book.assumed))...)
}

// Place is what answers are given from by the plan.
func (p *Plan) Place() question.Place {
	return question.Place{Env: p.Env, ID: p.ID, Title: p.Title, Window: p.Window, Zone: p.Zone, Source: p, Files: p.Files}
}

// Load reads a plan file. Errors carry file, line and column.
func Load(path string, s Settings) (*Plan, error) {
	p := &Plan{Path: path, Files: s.register(), at: map[string]places{}, failed: map[string]bool{}, writes: written{},
		depths: map[*schedule.Series]int{},
		given:  map[string]map[string]Spot{}}
	d, err := p.read(path, s.Text)
	if err != nil {
		return nil, err
	}
	p.doc, d.collect = d, s.Collect
	own, err := p.partOf(d)
	if err != nil {
		return nil, err
	}
	p.said, p.keysAt = own.said, places{}
	for key, v := range own.said {
		p.keysAt[key] = v.spot()
	}
	defer func() { p.said, p.reading, p.waiting, d.root = nil, nil, nil, nil }() // which hold the whole file
	if err := p.settle(s); err != nil {
		if s.Collect != nil {
			s.Collect.Add(path, err)
			return p, nil
		}
		return nil, err
	}
	docs, err := p.included(own)
	if err != nil {
		return nil, err
	}
	if released := p.ReleasedPath(); !files.Missing(released) {
		if err := p.Files.Read(released); err != nil {
			return nil, err
		}
	}
	if s.WhatIf.Asked() && p.Title != "" {
		p.Title += " (what if)"
	}
	if err := p.entries(docs); err != nil {
		return p, err
	}
	return p, p.countAlso(s.Calendar)
}

// settle reads the keys that others depend on.
func (p *Plan) settle(s Settings) error {
	in := &settingsIn{p: p, set: s, frame: map[string]*node{}}
	if p.said["plan"] == nil {
		return &Error{File: p.doc.path, Line: 1, Column: 1, Err: fmt.Errorf("the line `plan: 1` is missing")}
	}
	p.ID = "yoyaku"
	for _, k := range in.keys() {
		if v := p.said[k.Name]; v != nil {
			if err := v.fill(k); err != nil {
				return err
			}
		}
	}
	return in.done()
}

// entries reads all that depends on the settings, key by key, each in all files.
func (p *Plan) entries(docs []*part) error {
	for _, k := range p.entryKeys() {
		for _, of := range docs {
			if v := of.said[k.Name]; v != nil {
				if err := of.doc.or(v.fill(k)); err != nil {
					return err
				}
			}
		}
		if k.After != nil {
			if err := p.doc.or(k.After()); err != nil {
				return err
			}
		}
	}
	return nil
}

// read reads the plan's own file, or its text.
func (p *Plan) read(path string, text []byte) (*doc, error) {
	if text != nil {
		return parseDoc(path, text)
	}
	if err := p.Files.Read(path); err != nil {
		return nil, err
	}
	return readDoc(path, p.Files)
}

// Broken reports whether the settings couldn't be read, so that nothing else was,
// or so much that its dates say nothing.
func (p *Plan) Broken() bool { return p.book == nil || p.uncounted }

// addCalendar takes a calendar, which is built when all are known.
func (p *Plan) addCalendar(v *node) error {
	p.book.names = append(p.book.names, v.name)
	p.book.nodes[phrase.FoldName(v.name)] = v
	return nil
}

// buildCalendars builds the plan's calendars. All are checked, used or not.
func (p *Plan) buildCalendars() error {
	if v := p.said["calendar"]; v != nil && p.counted == "" {
		text, _ := v.doc.text(v.val)
		p.book.tryDefault(text)
	}
	p.book.tryDefault(p.counted)
	p.book.env.Calendars = p.book.known()
	p.lend()
	for _, name := range p.book.names {
		if _, err := p.book.find(name); p.doc.or(err) != nil {
			return err
		}
	}
	return p.book.check(p.doc.or)
}

// countBy settles on the calendar of all that names none.
func (p *Plan) countBy(name string) error {
	cal, err := p.book.named(name)
	if p.uncounted = err != nil; err == nil {
		p.Env.Calendar = cal
	}
	return err
}

func (p *Plan) stretch(text string) error {
	w, err := eval.Window(text, p.Env)
	if err == nil {
		p.Window = &w
	}
	return err
}
