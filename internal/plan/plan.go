package plan

import (
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/language"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/core/workdays"
	"yoyaku/internal/files"
	"yoyaku/internal/ical"
	"yoyaku/internal/render"
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
	// SplitOutputs are the outputs that are made for each owner or series, as they are in the plan.
	SplitOutputs []*Output
	// Publish says where its events are published to.
	Publish PublishTarget
	// Files knows what was read.
	Files *files.Registry

	// Owners are the people of the plan, in its order.
	Owners []Owner
	// PerDay is how many tasks an owner may have on a day; nil for any number.
	PerDay    *schedule.Bounds
	PerDayPos Pos
	// Separations are dates that never fall on one day.
	Separations []Separation
	// Strict says that every warning is a failure.
	Strict bool
	// Organizer is who sends out cancellations.
	Organizer ical.Organizer
	// Notes are what a run reports about how the plan was read.
	Notes []string

	calendars    *calendarSet
	pending      []*pendingEntry          // entries that give series, in the order of the file
	outputPaths  outputPaths              // the files of its outputs
	depths       map[*schedule.Series]int // how many series each depends on in turn
	inProgress   []*pendingEntry          // those that are being read, the outermost first
	seriesReader *seriesReader            // reads series; nil until one is
	doc          *doc                     // nil if there is no file
	ownKeys      map[string]*node         // by the plan's own keys; nil once they were read
	keyPos       keyPositions             // of the plan's own keys
	seriesPos    map[string]keyPositions  // of the keys of series, by their names
	broken       map[string]bool          // entries that couldn't be read, if faults are collected
	patterns     []*pattern
	ownerRefs    []ownerRef
	seriesAt     nameIndex // where what has a name is in its list
	recordsAt    nameIndex
	ownersAt     nameIndex
	ownTitle     string // its title without those of plans beside it
	// CommandRules are the names of series that the command added for itself.
	CommandRules    []string
	commandCalendar string                    // the calendar that the command counts with
	joined          []*Plan                   // whose series are looked at too
	nameOrigins     map[string]map[string]Pos // where each name was given, by what it names
	faults          []Finding                 // which only checking tells
	unusedColumns   []Finding                 // columns that nothing uses and that resemble others
	uncalendared    []Finding                 // what counts working days while no calendar is named
	calendarFailed  bool                      // the plan's calendar couldn't be had, if faults are collected
}

// Settings are what the command line says over a plan.
type Settings struct {
	Now            time.Time  // the clock, for today
	AsOf           civil.Date // instead of the clock; None if not given
	Zone           *time.Location
	Fiscal         map[string]string // week-start, fiscal-start and their kin
	LeapDayToMarch bool
	Language       *language.Language // of names; nil for that of the plan
	Files          *files.Registry    // nil: the plan's own
	Text           []byte             // what the plan says, if it isn't in its file yet
	Hash           bool               // files are hashed while they are read
	WhatIf         WhatIf             // days that are closed and opened for this command alone
	Calendar       string             // that the command counts with; "" for the plan's
	Collector      *Collector         // takes faults of entries; nil stops at the first
}

func (s Settings) register() *files.Registry {
	reg := s.Files
	if reg == nil {
		reg = &files.Registry{}
	}
	if s.Hash {
		reg.EnableHashing()
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
	d, _ := civil.NewDate(now.Year(), int(now.Month()), now.Day())
	return d
}

// IsPlanName reports whether an argument of a command names a plan.
func IsPlanName(arg string) bool { return strings.HasPrefix(strings.ToLower(filepath.Ext(arg)), ".y") }

// NewEmpty is the plan of a command that has none: Saturday and Sunday closed.
func NewEmpty(s Settings) (*Plan, error) {
	f := civil.DefaultFiscalCalendar
	if key, err := setFiscal(&f, s.Fiscal); err != nil {
		return nil, rows.WrapOption(key, err)
	}
	p := &Plan{ID: "yoyaku", Files: s.register()}
	p.Env = s.env(f, nil)
	p.calendars = newBook(p.Env, p.Files)
	p.bindPhrases()
	if err := p.calendars.setWhatIf(s.WhatIf, s.Calendar); err != nil {
		return nil, err
	}
	p.calendars.applyDefaultWhatIf(s.Calendar)
	return p, p.useCommandCalendar(s.Calendar)
}

// env is what phrases read in a frame: Saturday and Sunday closed until a
// calendar is named.
func (s Settings) env(f civil.FiscalCalendar, zone *time.Location) eval.Env {
	cal := workdays.New("Saturday and Sunday", workdays.Weekend)
	cal.IsDefault = true
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
	write := func(layout string) (func(v eval.Value) string, error) {
		return render.Strftime(layout, zoneFinder(zone), s.Language)
	}
	home := ""
	if zone != nil {
		home = zone.String()
	}
	return eval.Env{Cache: &eval.SeriesCache{}, HomeZone: home, Clock: clock, Fiscal: f, Calendar: cal, Today: s.today(zone),
		LeapDayToMarch: s.LeapDayToMarch, Language: s.Language, Strftime: write}
}

// zoneFinder finds the zone of a time by its name, "" for the plan's.
func zoneFinder(own *time.Location) func(name string) *time.Location {
	return func(name string) *time.Location {
		if name == "" {
			return own
		}
		of, _ := ical.Zone(name) // which was known when the time was made
		return of
	}
}

// StrftimeIn makes a writer of dates and moments of a POSIX layout, with the names of a language.
func (p *Plan) StrftimeIn(layout string, l *language.Language) (func(v eval.Value) string, error) {
	return render.Strftime(layout, zoneFinder(p.Zone), l)
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

// bindPhrases makes the plan's calendars and series known to phrases.
func (p *Plan) bindPhrases() {
	p.Env.FindCalendar = p.calendars.findForPhrase
	p.Env.Calendars = p.calendars.knownNames()
	p.Env.FindSeries, p.Env.FindAllSeries = p.seriesForPhrase, p.allSeriesForPhrase
}

// FindSeries returns a series by name, or nil.
func (p *Plan) FindSeries(name string) *schedule.Series {
	if i := p.seriesAt.find(name, len(p.Series), func(i int) string { return p.Series[i].Name }); i >= 0 {
		return p.Series[i]
	}
	return nil
}

// AllSeries returns the series, those of plans beside it too.
func (p *Plan) AllSeries() []*schedule.Series { return p.Series }

// FindAllSeries returns the series of a name, or all those that are like a pattern of it.
func (p *Plan) FindAllSeries(name string) (list []*schedule.Series) {
	if s := p.FindSeries(name); s != nil {
		return []*schedule.Series{s}
	}
	for _, s := range p.Series {
		if slices.ContainsFunc(s.Patterns, func(n string) bool { return phrase.NamesEqual(n, name) }) {
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

// Join puts another plan's series beside those of this one, to be looked at together.
func (p *Plan) Join(other *Plan) {
	if p.joined == nil {
		p.ownTitle = p.Title
	}
	p.Series = append(p.Series, other.Series...)
	p.Env.SeriesNames = append(p.Env.SeriesNames, other.Env.SeriesNames...)
	if other.Title != "" && p.Title != "" {
		p.Title += ", " + other.Title
	}
	if w := other.Window; w != nil && p.Window != nil {
		p.Window = &civil.Span{First: min(w.First, p.Window.First), Last: max(w.Last, p.Window.Last)}
	}
	p.joined = append(p.joined, other)
}

// Groups are the series of the plan and of each plan beside it.
func (p *Plan) Groups() (list []ask.PlanSeries) {
	of := ask.PlanSeries{ID: p.ID, Title: p.ownTitle, Series: slices.Clone(p.Series)}
	if p.joined == nil {
		of.Title = p.Title
	}
	for _, other := range p.joined {
		of.Series = slices.DeleteFunc(of.Series, func(s *schedule.Series) bool { return slices.Contains(other.Series, s) })
		list = append(list, other.Groups()...)
	}
	return append([]ask.PlanSeries{of}, list...)
}

// Joined are the plans whose series are beside those of this one.
func (p *Plan) Joined() []*Plan { return p.joined }

// ReleasedName is the file beside a plan that holds what was released of it.
const ReleasedName = "released.csv"

// ReleasedPath is where that file stands.
func (p *Plan) ReleasedPath() string { return filepath.Join(filepath.Dir(p.Path), ReleasedName) }

// Calendar returns a calendar of the plan by name, several joined by +, or one
// from a calendar file.
func (p *Plan) Calendar(name string) (*workdays.Calendar, error) {
	p.calendars.lock.Lock()
	defer p.calendars.lock.Unlock()
	if ext := strings.ToLower(filepath.Ext(name)); ext != ".yaml" && ext != ".yml" {
		return p.calendars.resolve(name)
	}
	if err := p.Files.AddInput(name); err != nil {
		return nil, err
	}
	d, err := readDoc(name, p.Files)
	if err != nil {
		return nil, err
	}
	c, err := p.calendars.buildFromKeys(d, strings.TrimSuffix(filepath.Base(name), filepath.Ext(name)), d.root)
	if err == nil {
		err = p.calendars.checkBuilt(func(err error) error { return err })
	}
	if err == nil {
		p.calendars.builtList = append(p.calendars.builtList, c)
	}
	return c, err
}

// useCommandCalendar has working days counted by the calendar that a command names, if it does, with
// the days that are tried.
func (p *Plan) useCommandCalendar(name string) error {
	if name != "" {
		if err := p.SetCalendar(name); err != nil {
			return rows.WrapOption("calendar", err)
		}
	}
	return p.applyWhatIfToDefault()
}

// SetCalendar has working days counted by a calendar, as Calendar names it; (COL) has each
// row of a table name its own.
func (p *Plan) SetCalendar(name string) (err error) {
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
	return rows.UnquoteName(strings.TrimSpace(strings.TrimSuffix(column, ")"))), true
}

// CalendarNames lists the calendars at hand: the plan's in the order of the
// file, then the built-in ones.
func (p *Plan) CalendarNames() []string { return p.calendars.knownNames() }

// Calendars returns the calendars at hand in that order.
func (p *Plan) Calendars() (list []*workdays.Calendar, err error) {
	for _, name := range p.calendars.knownNames() {
		c, err := p.calendars.find(name)
		if err != nil {
			return nil, err
		}
		list = append(list, c)
	}
	return list, nil
}

// Warnings says what the calendars that were asked didn't know.
func (p *Plan) Warnings() []string {
	return append(slices.Clone(p.calendars.warnings), workdays.Warnings(append(slices.Clone(p.calendars.builtList), p.calendars.defaultCalendar))...)
}

// ResetMisses forgets which dates the calendars were asked for beyond what they know.
func (p *Plan) ResetMisses() {
	for _, c := range append(slices.Clone(p.calendars.builtList), p.calendars.defaultCalendar) {
		c.ResetMisses()
	}
}

// UnknownSeries is the error for a name that is no series; it offers the nearest.
func (p *Plan) UnknownSeries(name string) error {
	names := p.Env.SeriesNames
	var patterns, like []string
	for _, s := range p.AllSeries() {
		patterns = append(patterns, s.Patterns...)
		if slices.ContainsFunc(s.Patterns, func(t string) bool { return phrase.NamesEqual(t, name) }) {
			like = append(like, s.Name)
		}
	}
	if like != nil {
		return fmt.Errorf("`%s` is a pattern; name one of its series: %s", strings.TrimSpace(name),
			strings.Join(like, ", "))
	}
	hint := "this plan has " + phrase.ListNames(names)
	if near := phrase.Nearest(name, append(patterns, names...)); near != "" {
		hint = "did you mean `" + near + "`?"
	} else if len(names) == 0 {
		hint = "series are in a plan (--plan FILE, or yoyaku.yaml in this folder)"
	}
	return fmt.Errorf("unknown series `%s`; %s", strings.TrimSpace(name), hint)
}

// Load reads a plan file. Errors carry file, line and column.
func Load(path string, s Settings) (*Plan, error) {
	p := &Plan{Path: path, Files: s.register(), seriesPos: map[string]keyPositions{}, broken: map[string]bool{}, outputPaths: outputPaths{},
		depths:      map[*schedule.Series]int{},
		nameOrigins: map[string]map[string]Pos{}}
	d, err := p.read(path, s.Text)
	if err != nil {
		return nil, err
	}
	p.doc, d.collect = d, s.Collector
	own, err := p.newPlanFile(d)
	if err != nil {
		return nil, err
	}
	p.ownKeys, p.keyPos = own.keys, keyPositions{}
	for key, v := range own.keys {
		p.keyPos[key] = v.pos()
	}
	defer func() { p.ownKeys, p.seriesReader, p.pending, d.root = nil, nil, nil, nil }() // which hold the whole file
	if err := p.readSettings(s); err != nil {
		if s.Collector != nil {
			s.Collector.Add(path, err)
			return p, nil
		}
		return nil, err
	}
	docs, err := p.included(own)
	if err != nil {
		return nil, err
	}
	if released := p.ReleasedPath(); !files.NotExist(released) {
		if err := p.Files.AddInput(released); err != nil {
			return nil, err
		}
	}
	if s.WhatIf.IsSet() && p.Title != "" {
		p.Title += " (what if)"
	}
	if err := p.readEntries(docs); err != nil {
		return p, err
	}
	return p, p.useCommandCalendar(s.Calendar)
}

// readSettings reads the keys that others depend on.
func (p *Plan) readSettings(s Settings) error {
	in := &settingsReader{p: p, set: s, fiscal: map[string]*node{}}
	if p.ownKeys["plan"] == nil {
		return &Error{File: p.doc.path, Line: 1, Column: 1, Err: fmt.Errorf("the line `plan: 1` is missing")}
	}
	p.ID = "yoyaku"
	for _, k := range in.keys() {
		if v := p.ownKeys[k.Name]; v != nil {
			if err := v.fill(k); err != nil {
				return err
			}
		}
	}
	return in.finish()
}

// readEntries reads all that depends on the settings, key by key, each in all files.
func (p *Plan) readEntries(docs []*planFile) error {
	for _, k := range p.entryKeys() {
		for _, file := range docs {
			if v := file.keys[k.Name]; v != nil {
				if err := file.doc.collectError(v.fill(k)); err != nil {
					return err
				}
			}
		}
		if k.AfterRead != nil {
			if err := p.doc.collectError(k.AfterRead()); err != nil {
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
	if err := p.Files.AddInput(path); err != nil {
		return nil, err
	}
	return readDoc(path, p.Files)
}

// IsBroken reports whether the settings couldn't be read, so that nothing else was,
// or so much that its dates say nothing.
func (p *Plan) IsBroken() bool { return p.calendars == nil || p.calendarFailed }

// addCalendar takes a calendar, which is built when all are known.
func (p *Plan) addCalendar(v *node) error {
	if phrase.NamesEqual(v.name, workdays.NoneName) {
		return v.doc.fail(v.keyNode, "a calendar can't be called `%s`, the name of the one without holidays", v.name)
	}
	p.calendars.names = append(p.calendars.names, v.name)
	p.calendars.nodes[phrase.FoldName(v.name)] = v
	return nil
}

// buildCalendars builds the plan's calendars. All are checked, used or not.
func (p *Plan) buildCalendars() error {
	if v := p.ownKeys["calendar"]; v != nil && p.commandCalendar == "" {
		text, _ := v.doc.text(v.valueNode)
		p.calendars.applyDefaultWhatIf(text)
	}
	p.calendars.applyDefaultWhatIf(p.commandCalendar)
	p.calendars.env.Calendars = p.calendars.knownNames()
	p.bindPhrases()
	for _, name := range p.calendars.names {
		if _, err := p.calendars.find(name); p.doc.collectError(err) != nil {
			return err
		}
	}
	return p.calendars.checkBuilt(p.doc.collectError)
}

// setCalendar settles on the calendar of all that names none.
func (p *Plan) setCalendar(name string) error {
	cal, err := p.calendars.resolve(name)
	if p.calendarFailed = err != nil; err == nil {
		p.Env.Calendar = cal
	}
	return err
}

func (p *Plan) setWindow(text string) error {
	w, err := eval.ParseWindow(text, p.Env)
	if err == nil {
		p.Window = &w
	}
	return err
}
