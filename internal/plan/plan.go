package plan

import (
	"errors"
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/goccy/go-yaml/ast"

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
	Window *civil.Span    // nil where the plan has none
	Env    eval.Env       // with its calendars, series, frame and today
	Series []*schedule.Series
	// Records are the tables of the plan.
	Records []*Record
	// Outputs are the files it makes, relative to the output folder.
	Outputs []*Output
	// Publish says where its events are published to.
	Publish Publishing
	// Files knows what was read.
	Files *files.Register

	book   *book
	doc    *doc                           // nil where there is no file
	nodes  map[string]ast.Node            // of the plan's own keys
	at     map[string]map[string]ast.Node // of the keys of series, by their names
	failed map[string]bool                // entries that couldn't be read, where faults are collected
	apart  []apartOf
	lame   bool // the plan's calendar couldn't be had, where faults are collected
}

// Settings are what the command line says over a plan.
type Settings struct {
	Now       time.Time  // the clock, for today
	AsOf      civil.Date // instead of the clock; None where not given
	Zone      *time.Location
	Frame     map[string]string // week-start, fiscal-start and their kin
	LeapMarch bool
	Files     *files.Register // nil: the plan's own
	Collect   *Collector      // takes faults of entries; nil stops at the first
}

func (s Settings) register() *files.Register {
	if s.Files == nil {
		return &files.Register{}
	}
	return s.Files
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

// Empty is the plan of a command that has none: Saturday and Sunday closed.
func Empty(s Settings) (*Plan, error) {
	f := civil.DefaultFrame
	if key, err := setFrame(&f, s.Frame); err != nil {
		return nil, rows.In(key, err)
	}
	p := &Plan{ID: "yoyaku", Files: s.register()}
	p.Env = s.env(f, nil)
	p.book = newBook(nil, p.Env, p.Files)
	p.lend()
	return p, nil
}

// env is what phrases read in a frame: Saturday and Sunday closed until a
// calendar is named.
func (s Settings) env(f civil.Frame, zone *time.Location) eval.Env {
	cal := workdays.New("Saturday and Sunday", workdays.Weekend)
	cal.Assumed = true
	return eval.Env{Frame: f, Calendar: cal, Today: s.today(zone), LeapMarch: s.LeapMarch, Strftime: report.Strftime}
}

// lend makes the plan's calendars and series known to phrases.
func (p *Plan) lend() {
	p.Env.Find = p.book.find
	p.Env.Calendars = p.book.known()
	p.Env.Series = p.series
}

func (p *Plan) series(name string) (eval.Series, error) {
	if s := p.Find(name); s != nil {
		return s, nil
	}
	return nil, nil
}

// Find returns a series by name, or nil.
func (p *Plan) Find(name string) *schedule.Series {
	for _, s := range p.Series {
		if phrase.SameName(s.Name, name) {
			return s
		}
	}
	return nil
}

// Calendar returns a calendar of the plan by name, several joined by +, or one
// from a calendar file.
func (p *Plan) Calendar(name string) (*workdays.Calendar, error) {
	if ext := strings.ToLower(filepath.Ext(name)); ext != ".yaml" && ext != ".yml" {
		return p.book.named(name)
	}
	if err := p.Files.Read(name); err != nil {
		return nil, err
	}
	d, err := readDoc(name)
	if err != nil {
		return nil, err
	}
	c, err := p.book.calendar(d, strings.TrimSuffix(filepath.Base(name), filepath.Ext(name)), d.root)
	if err == nil {
		p.book.made = append(p.book.made, c)
	}
	return c, err
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

// Warnings tells what the calendars that were asked didn't know.
func (p *Plan) Warnings() []string {
	return append(slices.Clone(p.book.warnings), workdays.Warnings(append(slices.Clone(p.book.made), p.book.assumed))...)
}

// Place is what answers are given from by the plan.
func (p *Plan) Place() question.Place {
	return question.Place{Env: p.Env, ID: p.ID, Title: p.Title, Window: p.Window, Zone: p.Zone, Find: p.Find, Record: p.recordOf, Calendar: p.Calendar, Calendars: p.Calendars, Files: p.Files}
}

// Load reads a plan file. Errors carry file, line and column.
func Load(path string, s Settings) (*Plan, error) {
	p := &Plan{Path: path, Files: s.register(), at: map[string]map[string]ast.Node{}, failed: map[string]bool{}}
	if err := p.Files.Read(path); err != nil {
		return nil, err
	}
	d, err := readDoc(path)
	if err != nil {
		return nil, err
	}
	p.doc, d.collect = d, s.Collect
	nodes := map[string]ast.Node{}
	p.nodes = nodes
	err = d.each(d.root, planShape, func(key string, _, v ast.Node) error {
		nodes[key] = v
		return nil
	})
	if err != nil {
		return nil, err
	}
	if err := p.settings(d, nodes, s); err != nil {
		if s.Collect != nil {
			s.Collect.Add(path, err)
			return p, nil
		}
		return nil, err
	}
	for _, part := range []func(*doc, map[string]ast.Node, Settings) error{p.calendars, p.window, p.entries} {
		if err := d.or(part(d, nodes, s)); err != nil {
			return nil, err
		}
	}
	return p, nil
}

// Broken reports whether the settings couldn't be read, so that nothing else was,
// or so much that its dates say nothing.
func (p *Plan) Broken() bool { return p.book == nil || p.lame }

// calendars reads the plan's calendars and settles on the default one. All are
// checked, used or not.
func (p *Plan) calendars(d *doc, nodes map[string]ast.Node, _ Settings) error {
	p.book = newBook(d, p.Env, p.Files)
	if n := nodes["calendars"]; n != nil {
		err := p.named(d, n, "calendars", func(key string, v ast.Node) error {
			p.book.names = append(p.book.names, key)
			p.book.nodes[phrase.FoldName(key)] = v
			return nil
		})
		if err != nil {
			return err
		}
	}
	p.book.env.Calendars = p.book.known()
	p.lend()
	for _, name := range p.book.names {
		if _, err := p.book.find(name); d.or(err) != nil {
			return err
		}
	}
	n := nodes["calendar"]
	if n == nil {
		return nil
	}
	name, err := d.text(n)
	if err != nil {
		return err
	}
	cal, err := p.book.named(name)
	if err != nil {
		p.lame = true
		return d.wrap(n, err)
	}
	p.Env.Calendar = cal
	return nil
}

func (p *Plan) window(d *doc, nodes map[string]ast.Node, _ Settings) error {
	n := nodes["window"]
	if n == nil {
		return nil
	}
	text, err := d.text(n)
	if err != nil {
		return err
	}
	w, err := eval.Window(text, p.Env)
	if err == nil {
		p.Window = &w
	}
	return d.wrap(n, err)
}

// entries reads series, records and outputs.
func (p *Plan) entries(d *doc, nodes map[string]ast.Node, _ Settings) error {
	if n := nodes["series"]; n != nil {
		if err := p.named(d, n, "series", func(key string, v ast.Node) error { return p.addSeries(d, key, v) }); err != nil {
			return err
		}
	}
	if n := nodes["records"]; n != nil {
		err := p.named(d, n, "records", func(key string, v ast.Node) error {
			if p.Find(key) != nil {
				return d.fail(v, "`%s` is a series already", key)
			}
			return p.addRecord(d, key, v)
		})
		if err != nil {
			return err
		}
	}
	if n := nodes["apart"]; n != nil {
		if err := d.or(p.readApart(d, n)); err != nil {
			return err
		}
	}
	if n := nodes["outputs"]; n != nil {
		if err := p.outputs(d, n); err != nil {
			return err
		}
	}
	return d.or(p.publishing(d, nodes["publish"]))
}

// named reads the entries of a mapping whose keys are names.
func (p *Plan) named(d *doc, n ast.Node, what string, do func(key string, v ast.Node) error) error {
	seen := map[string]bool{}
	return d.each(n, mustShape(planShape, what), func(key string, k, v ast.Node) error {
		if err := checkName(key); err != nil {
			return d.wrap(k, err)
		}
		fold := phrase.FoldName(key)
		if seen[fold] {
			return d.fail(k, "`%s` is named twice; names are the same whatever the case, and - like _", key)
		}
		seen[fold] = true
		if d.collect != nil {
			d.collect.about = key
			defer func() { d.collect.about = "" }()
		}
		err := do(key, v)
		if err != nil {
			p.failed[fold] = true
		}
		return d.or(d.wrap(v, err))
	})
}

// settings reads the keys that others depend on.
func (p *Plan) settings(d *doc, nodes map[string]ast.Node, s Settings) error {
	get := func(key string) (string, error) {
		if nodes[key] == nil {
			return "", nil
		}
		return d.text(nodes[key])
	}
	version, err := get("plan")
	if err != nil {
		return err
	}
	if version != "1" {
		if nodes["plan"] == nil {
			return &Error{File: d.path, Line: 1, Column: 1, Err: fmt.Errorf("the line `plan: 1` is missing")}
		}
		return d.fail(nodes["plan"], "this program reads plans of version 1, and this says %s", version)
	}
	if p.ID, err = get("id"); err != nil {
		return err
	}
	if p.ID == "" {
		p.ID = "yoyaku"
	} else if strings.Trim(strings.ToLower(p.ID), "abcdefghijklmnopqrstuvwxyz0123456789-._") != "" {
		return d.fail(nodes["id"], "an id holds letters a to z, digits, `-`, `.` and `_`")
	}
	if p.Title, err = get("title"); err != nil {
		return err
	}
	zone, err := get("zone")
	if err != nil {
		return err
	}
	if zone != "" {
		if p.Zone, err = ical.Zone(zone); err != nil {
			return d.wrap(nodes["zone"], err)
		}
	}
	f := civil.DefaultFrame
	texts := map[string]string{}
	for _, k := range frameKeys {
		if texts[k.name], err = get(k.name); err != nil {
			return err
		}
	}
	if key, err := setFrame(&f, texts); err != nil {
		return d.wrap(nodes[key], err)
	}
	if key, err := setFrame(&f, s.Frame); err != nil {
		return rows.In(key, err)
	}
	p.Env = s.env(f, p.Zone)
	return nil
}

// checkName refuses names that a phrase can't use without quotes.
func checkName(name string) error {
	for i, r := range name {
		letter := r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r > 0x7f
		if !letter && (i == 0 || !(r >= '0' && r <= '9' || r == '-' || r == '_')) {
			return fmt.Errorf("`%s` can't be a name here: a name starts with a letter and holds letters, digits, `-` and `_`", name)
		}
	}
	if name == "" {
		return fmt.Errorf("a name is missing here")
	}
	return nil
}

func (p *Plan) addSeries(d *doc, name string, n ast.Node) error {
	nodes, text := map[string]ast.Node{"": n}, map[string]string{}
	p.at[name] = nodes
	err := d.each(n, seriesShape, func(key string, _, v ast.Node) (err error) {
		nodes[key] = v
		if i := slices.IndexFunc(seriesShape.keys, func(k keyOf) bool { return k.name == key }); seriesShape.keys[i].takes == oneText {
			text[key], err = d.text(v)
		}
		return err
	})
	if err != nil {
		return err
	}
	if text["rule"] == "" {
		return d.fail(n, "the series `%s` has no `rule`", name)
	}
	env := p.Env
	if c := text["calendar"]; c != "" {
		if env.Calendar, err = p.book.named(c); err != nil {
			return d.wrap(nodes["calendar"], err)
		}
	}
	before := d.collect.count()
	s, err := schedule.NewSeries(name, text["title"], text["rule"], env)
	if err != nil {
		return d.wrap(nodes["rule"], err)
	}
	for _, part := range []struct {
		key  string
		read func(d *doc, s *schedule.Series, n ast.Node, env eval.Env) error
	}{{"period", period}, {"milestones", p.milestones}, {"event", p.event}, {"expect", p.expect}} {
		told := part.key != "milestones" && d.collect.count() > before // a milestone that is wrong is told; what uses it isn't
		if m := nodes[part.key]; m != nil && !told {
			if err := d.or(part.read(d, s, m, env)); err != nil {
				return err
			}
		}
	}
	p.Series = append(p.Series, s)
	p.Env.SeriesNames = append(p.Env.SeriesNames, name)
	return nil
}

func period(d *doc, s *schedule.Series, n ast.Node, env eval.Env) error {
	part := map[string]string{}
	return d.each(n, periodShape, func(key string, _, v ast.Node) (err error) {
		if part[key], err = d.text(v); err != nil {
			return err
		}
		return s.SetPeriod(part["start"], part["end"], env)
	})
}

func (p *Plan) milestones(d *doc, s *schedule.Series, n ast.Node, env eval.Env) error {
	return d.each(n, mustShape(seriesShape, "milestones"), func(key string, k, v ast.Node) error {
		if err := checkName(key); err != nil {
			return d.wrap(k, err)
		}
		if slices.ContainsFunc(s.Names(), func(n string) bool { return phrase.SameName(n, key) }) {
			return d.fail(k, "`%s` already stands for something in a series", key)
		}
		p.at[s.Name]["milestones."+key] = v
		if _, mapping := v.(*ast.MappingNode); !mapping {
			text, err := d.text(v)
			if err != nil {
				return err
			}
			return s.AddMilestone(key, text, env)
		}
		var date ast.Node
		todo := false
		if err := d.each(v, milestoneShape, func(key string, _, v ast.Node) (err error) {
			if key == "todo" {
				todo, err = d.yes(key, v)
			} else {
				date = v
			}
			return err
		}); err != nil {
			return err
		}
		if date == nil {
			return d.fail(v, "a milestone has a `date`: {date: \"date, -5 working days\", todo: yes}")
		}
		text, err := d.text(date)
		if err == nil {
			err = s.AddMilestone(key, text, env)
		}
		if err != nil {
			return d.wrap(date, err)
		}
		s.Milestones[len(s.Milestones)-1].Todo = todo
		return nil
	})
}

func (p *Plan) event(d *doc, s *schedule.Series, n ast.Node, _ eval.Env) error {
	return d.each(n, eventShape, func(key string, _, v ast.Node) (err error) {
		if key != "summary" {
			return d.look(key, v, &s.Look, &s.Reminders)
		}
		text, err := d.summary(v)
		if err == nil {
			s.Summary, err = s.NewTemplate(text)
		}
		return err
	})
}

// summary reads what an event is called, which can't be nothing.
func (d *doc) summary(v ast.Node) (text string, err error) {
	if text, err = d.text(v); err == nil && strings.TrimSpace(text) == "" {
		err = errors.New("an event is called something; leave `summary` out for its title")
	}
	return text, err
}

// look reads a key of how events show.
func (d *doc) look(key string, v ast.Node, look *schedule.Look, reminders *[]schedule.Reminder) (err error) {
	switch key {
	case "remind":
		*reminders, err = d.reminders(v)
	case "busy":
		look.Busy, err = d.yes(key, v)
	case "categories":
		look.Categories, _, err = d.texts(v)
	default:
		text, terr := d.text(v)
		switch err = terr; {
		case err != nil:
		case key == "lasting":
			look.Lasting, err = schedule.ParseLasting(text)
		case key == "color":
			look.Color, err = schedule.ParseColor(text)
		default:
			look.Location = text
		}
	}
	return err
}
