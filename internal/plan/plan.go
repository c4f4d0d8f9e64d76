package plan

import (
	"fmt"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/goccy/go-yaml/ast"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/core/workdays"
	"yoyaku/internal/ical"
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
	Outputs []Output
	// Inputs are the files that were read, the plan's own first.
	Inputs []string

	book *book
}

// Output is a file that a plan makes.
type Output struct {
	File   string // with slashes, inside the output folder
	Of     []*schedule.Series
	Format string // its ending, "csv"
	// Record is what it shows instead of series, Make what is made of it, and
	// Args the keys of that.
	Record *Record
	Make   string
	Args   map[string]string
}

// Settings are what the command line says over a plan.
type Settings struct {
	Now         time.Time  // the clock, for today
	AsOf        civil.Date // instead of the clock; None where not given
	Zone        *time.Location
	WeekStart   string
	FiscalStart string
	LeapMarch   bool
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

// frame applies the settings of the command line to a frame.
func (s Settings) frame(f civil.Frame) (civil.Frame, error) {
	if s.WeekStart != "" {
		if err := setWeekStart(&f, s.WeekStart); err != nil {
			return f, err
		}
	}
	if s.FiscalStart != "" {
		if err := setFiscalStart(&f, s.FiscalStart); err != nil {
			return f, err
		}
	}
	return f, nil
}

// Empty is the plan of a command that has none: Saturday and Sunday closed.
func Empty(s Settings) (*Plan, error) {
	f, err := s.frame(civil.DefaultFrame)
	if err != nil {
		return nil, err
	}
	p := &Plan{ID: "yoyaku"}
	p.Env = eval.Env{Frame: f, Calendar: workdays.New("Saturday and Sunday", workdays.Weekend), Today: s.today(nil), LeapMarch: s.LeapMarch, Strftime: report.Strftime}
	p.book = newBook(nil, p.Env, &p.Inputs)
	p.lend()
	return p, nil
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
	d, err := readDoc(name)
	if err != nil {
		return nil, err
	}
	p.Inputs = append(p.Inputs, name)
	c, err := p.book.calendar(d, strings.TrimSuffix(filepath.Base(name), filepath.Ext(name)), d.root)
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

var (
	planKeys = []string{"plan", "id", "title", "zone", "window", "fiscal-start", "fiscal-named", "week-start", "calendar",
		"calendars", "series", "records", "outputs"}
	seriesKeys  = []string{"title", "rule", "calendar", "period", "milestones", "event"}
	seriesLater = []string{"expect", "apart", "color"}
	eventKeys   = []string{"summary"}
	eventLater  = []string{"remind", "busy", "lasting", "color", "categories", "location", "description"}
	outputKeys  = append([]string{"file", "of"}, makeKeys()...)
	outputLater = []string{"rrule", "todo", "counts"}
)

// Load reads a plan file. Errors carry file, line and column.
func Load(path string, s Settings) (*Plan, error) {
	d, err := readDoc(path)
	if err != nil {
		return nil, err
	}
	p := &Plan{Path: path, Inputs: []string{path}}
	nodes := map[string]ast.Node{}
	err = d.each(d.root, "the plan", planKeys, nil, func(key string, _, v ast.Node) error {
		nodes[key] = v
		return nil
	})
	if err != nil {
		return nil, err
	}
	if err := p.settings(d, nodes, s); err != nil {
		return nil, err
	}
	p.book = newBook(d, p.Env, &p.Inputs)
	if n := nodes["calendars"]; n != nil {
		err := d.each(n, "calendars", nil, nil, func(key string, k, v ast.Node) error {
			if err := checkName(key); err != nil {
				return d.wrap(k, err)
			}
			p.book.names = append(p.book.names, key)
			p.book.nodes[phrase.FoldName(key)] = v
			return nil
		})
		if err != nil {
			return nil, err
		}
	}
	p.book.env.Calendars = p.book.known()
	p.lend()
	for _, name := range p.book.names { // all are checked, used or not
		if _, err := p.book.find(name); err != nil {
			return nil, err
		}
	}
	if n := nodes["calendar"]; n != nil {
		name, err := d.text(n)
		if err != nil {
			return nil, err
		}
		if p.Env.Calendar, err = p.book.named(name); err != nil {
			return nil, d.wrap(n, err)
		}
	}
	if n := nodes["window"]; n != nil {
		text, err := d.text(n)
		if err != nil {
			return nil, err
		}
		w, err := eval.Window(text, p.Env)
		if err != nil {
			return nil, d.wrap(n, err)
		}
		p.Window = &w
	}
	if n := nodes["series"]; n != nil {
		err := d.each(n, "series", nil, nil, func(key string, k, v ast.Node) error {
			if err := checkName(key); err != nil {
				return d.wrap(k, err)
			}
			return p.addSeries(d, key, v)
		})
		if err != nil {
			return nil, err
		}
	}
	if n := nodes["records"]; n != nil {
		err := d.each(n, "records", nil, nil, func(key string, k, v ast.Node) error {
			if err := checkName(key); err != nil {
				return d.wrap(k, err)
			}
			if p.Find(key) != nil {
				return d.fail(k, "`%s` is a series already", key)
			}
			return p.addRecord(d, key, v)
		})
		if err != nil {
			return nil, err
		}
	}
	if n := nodes["outputs"]; n != nil {
		if err := p.outputs(d, n); err != nil {
			return nil, err
		}
	}
	return p, nil
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
	for _, k := range []struct {
		key string
		set func(*civil.Frame, string) error
	}{{"week-start", setWeekStart}, {"fiscal-start", setFiscalStart}, {"fiscal-named", setFiscalNamed}} {
		text, err := get(k.key)
		if err == nil && text != "" {
			err = k.set(&f, text)
		}
		if err != nil {
			return d.wrap(nodes[k.key], err)
		}
	}
	if f, err = s.frame(f); err != nil {
		return err
	}
	p.Env = eval.Env{Frame: f, Calendar: workdays.New("Saturday and Sunday", workdays.Weekend), Today: s.today(p.Zone), LeapMarch: s.LeapMarch, Strftime: report.Strftime}
	return nil
}

func setWeekStart(f *civil.Frame, text string) error {
	days, bad := phrase.ParseWeekdays(text)
	if bad != "" || len(days) != 1 {
		return fmt.Errorf("a week starts on one weekday, mon to sun, not %q", text)
	}
	f.WeekStart = days[0]
	return nil
}

func setFiscalStart(f *civil.Frame, text string) error {
	words := strings.Fields(text)
	day := 1
	var err error
	if len(words) == 2 {
		day, err = strconv.Atoi(words[0])
		words = words[1:]
	}
	if len(words) != 1 || err != nil || phrase.ParseMonth(words[0]) == 0 || day < 1 || day > civil.DaysIn(2028, phrase.ParseMonth(words[0])) {
		return fmt.Errorf("a fiscal year starts with a month or a day, such as apr or 6 apr, not %q", text)
	}
	f.FiscalMonth, f.FiscalDay = phrase.ParseMonth(words[0]), day
	return nil
}

func setFiscalNamed(f *civil.Frame, text string) error {
	if text != "start" && text != "end" {
		return fmt.Errorf("a fiscal year is named by the calendar year of its `start` or its `end`, not %q", text)
	}
	f.FiscalNamedStart = text == "start"
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
	nodes := map[string]ast.Node{}
	if err := d.each(n, "a series", seriesKeys, seriesLater, func(key string, _, v ast.Node) error {
		nodes[key] = v
		return nil
	}); err != nil {
		return err
	}
	text := map[string]string{}
	for _, key := range []string{"title", "rule", "calendar"} {
		if nodes[key] != nil {
			var err error
			if text[key], err = d.text(nodes[key]); err != nil {
				return err
			}
		}
	}
	if text["rule"] == "" {
		return d.fail(n, "the series `%s` has no `rule`", name)
	}
	env := p.Env
	if c := text["calendar"]; c != "" {
		cal, err := p.book.named(c)
		if err != nil {
			return d.wrap(nodes["calendar"], err)
		}
		env.Calendar = cal
	}
	s, err := schedule.NewSeries(name, text["title"], text["rule"], env)
	if err != nil {
		return d.wrap(nodes["rule"], err)
	}
	if m := nodes["period"]; m != nil {
		part := map[string]string{}
		err := d.each(m, "a period", []string{"start", "end"}, nil, func(key string, _, v ast.Node) (err error) {
			if part[key], err = d.text(v); err != nil {
				return err
			}
			return s.SetPeriod(part["start"], part["end"], env)
		})
		if err != nil {
			return err
		}
	}
	if m := nodes["milestones"]; m != nil {
		err := d.each(m, "milestones", nil, nil, func(key string, k, v ast.Node) error {
			if err := checkName(key); err != nil {
				return d.wrap(k, err)
			}
			if slices.ContainsFunc(s.Names(), func(n string) bool { return phrase.SameName(n, key) }) {
				return d.fail(k, "`%s` already stands for something in a series", key)
			}
			text, err := d.text(v)
			if err != nil {
				return err
			}
			return s.AddMilestone(key, text, env)
		})
		if err != nil {
			return err
		}
	}
	if m := nodes["event"]; m != nil {
		err := d.each(m, "an event", eventKeys, eventLater, func(key string, _, v ast.Node) error {
			text, err := d.text(v)
			if err != nil {
				return err
			}
			s.Summary, err = s.NewTemplate(text)
			return err
		})
		if err != nil {
			return err
		}
	}
	p.Series = append(p.Series, s)
	p.Env.SeriesNames = append(p.Env.SeriesNames, name)
	return nil
}
