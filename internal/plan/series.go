package plan

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/goccy/go-yaml/ast"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/ical"
)

// errLame is an entry that uses one that couldn't be read, which is told there.
var errLame = errors.New("what this is made of couldn't be read")

// spot is a place in a document.
type spot struct {
	doc  *doc
	node ast.Node
}

// addSeries reads an entry of `series`.
func (p *Plan) addSeries(d *doc, name string, n ast.Node) error {
	var own []told
	var like *told
	take := func(key string, k, v ast.Node) error {
		t := told{doc: d, key: key, k: k, val: v}
		if key == "like" {
			like = &t
		} else {
			own = append(own, t)
		}
		return nil
	}
	word := func(key string, k, v ast.Node) error { return take(key, k, v) }
	if m, ok := n.(*ast.MappingNode); !ok || !slices.ContainsFunc(m.Values, func(v *ast.MappingValueNode) bool { return v.Key.GetToken().Value == "like" }) {
		word = nil // further keys stand beside `like` alone
	}
	if err := d.eachOr(n, seriesShape, take, word); err != nil {
		return err
	}
	s, err := p.layers(d, name, n, own, like, nil)
	if err != nil {
		return err
	}
	return p.makeSeries(d, name, n, s, "")
}

// makeSeries compiles a series of all that is said of it.
func (p *Plan) makeSeries(d *doc, name string, n ast.Node, said *layered, title string) (err error) {
	at := map[string]spot{"": {d, n}}
	p.at[name] = at
	for key, t := range said.keys {
		at[key] = spot{t.doc, t.val}
	}
	text := func(key string, read func(*doc, ast.Node) (string, error)) (v string) {
		if t, ok := said.keys[key]; ok && err == nil {
			v, err = read(t.doc, t.val)
			err = t.doc.wrap(t.val, err)
		}
		return v
	}
	env := p.Env
	if c := text("calendar", (*doc).calendarName); c != "" && err == nil {
		env.Calendar, err = p.book.named(c)
		err = at["calendar"].wrap(err)
	}
	if title == "" {
		title = text("title", (*doc).filled)
	}
	if strings.ContainsAny(title, "{}") && err == nil {
		at := at["title"]
		if at.doc == nil { // of its row
			at = spot{d, n}
		}
		return at.wrap(fmt.Errorf("a title holds no names in braces: %q; `event: {summary: …}` does", title))
	}
	zone := text("zone", (*doc).filled)
	if err == nil && zone != "" {
		_, err = ical.Zone(zone)
		err = at["zone"].wrap(err)
		env.Zone = zone
	}
	if err != nil {
		return err
	}
	rule, ok := said.keys["rule"]
	if !ok {
		return d.fail(n, "the series `%s` has no `rule`", name)
	}
	before := d.collect.count()
	var s *schedule.Series
	err = p.watch(name, spot{rule.doc, rule.val}, func() error {
		s, err = p.ruled(said, name, title, env)
		return err
	})
	if err != nil {
		return rule.doc.wrap(rule.val, err)
	}
	s.Zone = zone
	for _, t := range said.patterns {
		s.Patterns = append(s.Patterns, t.name)
	}
	for _, k := range []struct {
		key string
		to  *bool
	}{{"private", &s.Private}, {"todo", &s.Todo}} {
		if t, ok := said.keys[k.key]; ok {
			if *k.to, err = t.doc.yes(k.key, t.val); err != nil {
				return t.doc.wrap(t.val, err)
			}
		}
	}
	if t, ok := said.keys["owner"]; ok {
		if s.Owner, err = p.ownerOf(s, t.doc, t.val); err != nil {
			return t.doc.wrap(t.val, err)
		}
	}
	for _, part := range []struct {
		key  string
		read func(s *schedule.Series, t *layered, env eval.Env) error
	}{{"period", p.period}, {"milestones", p.milestones}, {"event", p.event}, {"expect", p.expect}, {"instead", p.instead}} {
		if part.key != "milestones" && d.collect.count() > before { // a milestone that is wrong is told; what uses it isn't
			continue
		}
		place, ok := at[part.key]
		if !ok {
			place = at[""]
		}
		if err := d.or(p.watch(name, place, func() error { return part.read(s, said, env) })); err != nil {
			return err
		}
	}
	p.Series = append(p.Series, s)
	p.Env.SeriesNames = append(p.Env.SeriesNames, name)
	return nil
}

func (s spot) wrap(err error) error {
	if s.doc == nil || err == nil {
		return err
	}
	return s.doc.wrap(s.node, err)
}

// ruled makes the series of its rule, or of the rules that follow each other.
func (p *Plan) ruled(said *layered, name, title string, env eval.Env) (*schedule.Series, error) {
	rule := said.keys["rule"]
	d := rule.doc
	seq, several := rule.val.(*ast.SequenceNode)
	if !several {
		text, err := d.phrase(rule.val)
		if err != nil {
			return nil, err
		}
		return schedule.NewSeries(name, title, text, env)
	}
	var s *schedule.Series
	var rules []schedule.Ruled
	for i, item := range seq.Values {
		r := schedule.Ruled{Span: civil.Always}
		var is, expect ast.Node
		err := d.each(item, ruleShape, func(key string, _, v ast.Node) (err error) {
			switch key {
			case "from":
				r.Span.First, err = d.date(v)
			case "until":
				r.Span.Last, err = d.date(v)
			case "is":
				is = v
			case "expect":
				expect = v
			}
			return err
		})
		switch {
		case err != nil:
			return nil, err
		case is == nil:
			return nil, d.fail(item, "a rule that holds for a time says it with `is`: {from: 2028-07-01, is: monthly on last}")
		case r.Span.Last < r.Span.First:
			return nil, d.fail(item, "this rule ends before it begins: %s to %s", r.Span.First, r.Span.Last)
		}
		if r.Text, err = d.phrase(is); err != nil {
			return nil, err
		}
		one, err := schedule.NewSeries(name, title, r.Text, env)
		if err != nil {
			return nil, d.wrap(is, err)
		}
		if s == nil {
			s = one
		}
		r.Rec = one.Rules[0].Rec
		if expect != nil { // which may use milestones, and is read after them
			e := &schedule.Expects{Counts: map[string]schedule.Bounds{}}
			at := fmt.Sprintf("expect.rule.%d.", i)
			said.later = append(said.later, func() error {
				return d.each(expect, expectShape, func(key string, k, v ast.Node) error {
					return p.expectation(e, s, told{doc: d, key: key, k: k, val: v}, at, env)
				})
			})
			r.Expects = e
		}
		rules = append(rules, r)
		if err := s.SetRules(slices.Clone(rules)); err != nil {
			return nil, d.wrap(item, err)
		}
	}
	if s == nil {
		return nil, d.fail(rule.val, "a list of rules holds entries such as {from: 2028-07-01, is: monthly on last}")
	}
	if len(rules) > 1 {
		s.RuleText = ""
	}
	return s, nil
}

func (p *Plan) period(s *schedule.Series, said *layered, env eval.Env) error {
	part := map[string]string{}
	for _, t := range said.lists["period"] {
		text, err := t.doc.phrase(t.val)
		if err == nil {
			part[t.key] = text
			err = s.SetPeriod(part["start"], part["end"], env)
		}
		if err != nil {
			return t.doc.wrap(t.val, err)
		}
	}
	return nil
}

func (p *Plan) milestones(s *schedule.Series, said *layered, env eval.Env) error {
	for _, t := range said.lists["milestones"] {
		if err := t.doc.or(t.doc.wrap(t.val, p.milestone(s, t, env))); err != nil {
			return err
		}
	}
	if t, ok := said.keys["milestones-from"]; ok {
		return p.tasks(s, t, env)
	}
	return nil
}

// newMilestone checks the name of a milestone.
func newMilestone(s *schedule.Series, t told) error {
	if err := CheckName(t.key); err != nil {
		return t.doc.wrap(t.k, err)
	}
	if slices.ContainsFunc(s.Names(), func(n string) bool { return phrase.SameName(n, t.key) }) {
		return t.doc.fail(t.k, "`%s` already stands for something in a series", t.key)
	}
	return nil
}

func (p *Plan) milestone(s *schedule.Series, t told, env eval.Env) error {
	if err := newMilestone(s, t); err != nil {
		return err
	}
	p.at[s.Name]["milestones."+t.key] = spot{t.doc, t.val}
	d := t.doc
	if _, mapping := t.val.(*ast.MappingNode); !mapping {
		text, err := d.phrase(t.val)
		if err != nil {
			return err
		}
		return s.AddMilestone(t.key, text, env)
	}
	keys := map[string]ast.Node{}
	if err := d.each(t.val, milestoneShape, func(key string, _, v ast.Node) error {
		keys[key] = v
		return nil
	}); err != nil {
		return err
	}
	date := keys["date"]
	if date == nil {
		return d.fail(t.val, "a milestone has a `date`: {date: \"date, -5 working days\", todo: yes}")
	}
	text, err := d.phrase(date)
	if err == nil {
		err = s.AddMilestone(t.key, text, env)
	}
	if err != nil {
		return d.wrap(date, err)
	}
	m := &s.Milestones[len(s.Milestones)-1]
	for _, k := range []struct {
		key string
		to  *bool
	}{{"todo", &m.Todo}, {"private", &m.Private}} {
		if v := keys[k.key]; v != nil {
			if *k.to, err = d.yes(k.key, v); err != nil {
				return d.wrap(v, err)
			}
		}
	}
	m.Public = keys["private"] != nil && !m.Private
	return p.owned(s, m, d, keys["owner"], keys["title"])
}

// ownerOf reads an owner; "" for nobody.
func (p *Plan) ownerOf(s *schedule.Series, d *doc, n ast.Node) (string, error) {
	name, err := d.filled(n)
	if err != nil || name == "" || name == nobody {
		return "", err
	}
	p.owners = append(p.owners, ownerAt{name, s.Name, spot{d, n}})
	return name, nil
}

// owned gives a milestone its owner and title, where they are told.
func (p *Plan) owned(s *schedule.Series, m *schedule.Milestone, d *doc, owner, title ast.Node) (err error) {
	if owner != nil {
		if m.Owner, err = p.ownerOf(s, d, owner); err != nil {
			return err
		}
	}
	if title != nil {
		text, err := d.filled(title)
		if err == nil && text != "" {
			m.Title, err = s.NewTemplate(text)
		}
		if err != nil {
			return d.wrap(title, err)
		}
	}
	return nil
}

// tasks reads milestones out of a table, in the order of its rows.
func (p *Plan) tasks(s *schedule.Series, t told, env eval.Env) error {
	d := t.doc
	keys := map[string]ast.Node{}
	column := map[string]string{}
	err := d.each(t.val, tasksShape, func(key string, _, v ast.Node) (err error) {
		keys[key] = v
		column[key], err = d.filled(v)
		return err
	})
	if err != nil {
		return err
	}
	for _, key := range []string{"table", "name", "date"} {
		if keys[key] == nil {
			return d.fail(t.val, "`milestones-from` needs `table`, and the columns `name` and `date`; `%s` is missing", key)
		}
	}
	todo := false
	if keys["todo"] != nil {
		if todo, err = d.yes("todo", keys["todo"]); err != nil {
			return err
		}
	}
	words := d.words
	return p.eachRow(d, keys["table"], func(columns []string, at tableAt, cell func(string) (string, bool)) error {
		nodes := map[string]ast.Node{}
		for _, key := range []string{"name", "date", "owner", "title"} {
			if keys[key] == nil {
				continue
			}
			text, ok := cell(column[key])
			if !ok {
				return d.fail(keys[key], "%s has no column `%s`; it has %s", at.file, column[key], strings.Join(columns, ", "))
			}
			nodes[key] = cellNode(text, at.line)
		}
		name := nodes["name"].GetToken().Value
		at.doc.words = words
		task := told{doc: at.doc, key: name, k: at.node, val: at.node}
		if err := newMilestone(s, task); err != nil {
			return err
		}
		p.at[s.Name]["milestones."+name] = spot{at.doc, at.node}
		text, err := at.doc.phrase(nodes["date"])
		if err == nil && text == "" {
			err = fmt.Errorf("the column `%s` is blank; it holds steps such as date, +2 working days", column["date"])
		}
		if err == nil {
			err = s.AddMilestone(name, text, env)
		}
		if err != nil {
			return at.wrap(err)
		}
		m := &s.Milestones[len(s.Milestones)-1]
		m.Todo = todo
		return p.owned(s, m, at.doc, nodes["owner"], nodes["title"])
	})
}

func (p *Plan) event(s *schedule.Series, said *layered, _ eval.Env) error {
	for _, t := range said.lists["event"] {
		d := t.doc
		var err error
		if t.key != "summary" {
			err = d.look(t.key, t.val, &s.Look, &s.Reminders)
		} else {
			var text string
			if text, err = d.summary(t.val); err == nil {
				s.Summary, err = s.NewTemplate(text)
			}
		}
		if err != nil {
			return d.wrap(t.val, err)
		}
	}
	return nil
}

// summary reads what an event is called, which can't be nothing.
func (d *doc) summary(v ast.Node) (text string, err error) {
	if text, err = d.filled(v); err == nil && strings.TrimSpace(text) == "" {
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
		text, terr := d.filled(v)
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
