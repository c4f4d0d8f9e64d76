package plan

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"

	"github.com/goccy/go-yaml/ast"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/declare"
	"yoyaku/internal/ical"
)

// errElsewhere is an entry that uses one that couldn't be read, which is reported there.
var errElsewhere = errors.New("what it is made from couldn't be read")

// seriesIn reads series, one behind the other: its groups, which are made once, fill what
// is said of the one that is read.
type seriesIn struct {
	p *Plan
	saidOfSeries
	own, period, event, expect, mile *group
	m                                milestoneIn
}

// saidOfSeries is what the keys of a series fill.
type saidOfSeries struct {
	name          string
	env           eval.Env
	title, zone   string
	start, end    string // of the period
	private, todo bool
	owner         *node
	look          schedule.Look
	remind        []schedule.Reminder
	expected      *schedule.Expects // nil if nothing is
	s             *schedule.Series  // once its rule is read
	rules         []schedule.Ruled
	later         []func() error // what its rules expect, which may use milestones
}

func newSeriesIn(p *Plan) *seriesIn {
	in := &seriesIn{p: p}
	in.own, in.period, in.event, in.mile = in.group(), in.periodKeys(), in.eventKeys(), in.m.group(in)
	in.expect = in.expects(func() *schedule.Expects { return in.expected })
	return in
}

// seriesKeys are the keys of a series, if nothing is filled.
var seriesKeys = sync.OnceValue(func() *group { return newSeriesIn(&Plan{}).own })

func (in *seriesIn) group() *group {
	return &group{what: "a series", beside: "like", chained: true, done: in.done, keys: []*declare.Key{
		{Name: "like", Help: "the pattern that fills in the rest; the words it takes are further keys",
			Example: "monthly-pay", Takes: aText.Then(nothing)},
		{Name: "calendar", Help: "the working calendar", Default: "the plan's", Example: "isles + bank",
			Takes: aCalendar.Then(in.calendar)},
		{Name: "title", Help: "the series' name for people", Default: "its name", Example: "Crew pay day",
			Takes: aTitle.Then(in.titled)},
		{Name: "zone", Help: "the time zone of its times", Default: "the plan's", Example: "Atlantic/Faroe",
			Takes: aTitle.Then(in.inZone)},
		{Name: "rule", Needed: true, Help: "the rule of its dates, or a list of rules, one after the other",
			Example: "monthly on 15, last then roll preceding",
			More:    "`yoyaku help phrases` has the language; `yoyaku why \"RULE\"` says a rule in plain words.",
			Takes: orList(in.watched(aPhrase.Then(in.rule)),
				func() *group { return (&ruleIn{in: in, r: schedule.Ruled{Span: civil.Always}}).group() }, in.ruled),
			After: in.lendOthers},
		{Name: "private", Help: "mark its events as private", Default: "no", Takes: declare.Yes.Into(&in.private)},
		{Name: "todo", Help: "make its own date a to-do in calendars", Default: "no", Takes: declare.Yes.Into(&in.todo)},
		{Name: "owner", Help: "the owner of its own date, one of `people`", Example: "di", Takes: aNode.Into(&in.owner)},
		{Name: "period", Merge: true, Help: "the period that each date pays or reports for",
			Default: "from the day after the previous nominal date to the nominal date",
			Takes:   in.watched(keysOf(func() *group { return in.period }))},
		{Name: "milestones", Merge: true, Help: "dates that depend on each date, in order",
			Example: `{cut-off: "date, -5 working days", bank-file: "date, -2 working days, at 16:30"}`,
			More: "Their phrases can use date (after it moved), nominal, previous_date, previous_nominal, next_nominal, period_start, " +
				"period_end, number (the place in the year), and the milestones above; OTHER.date and OTHER.MILESTONE of other series.",
			Takes: in.watched(namesOf(in.milestones))},
		{Name: "milestones-from", Help: "a table of further milestones", Takes: in.watched(keysOf((&tasksIn{in: in}).group))},
		{Name: "event", Merge: true, Help: "how its events look in calendars",
			Takes: in.watched(keysOf(func() *group { return in.event }))},
		{Name: "expect", Merge: true, Help: "what must hold for its dates", Takes: in.watched(keysOf(in.expecting)),
			After: in.expectLater},
		{Name: "instead", Help: "dates moved by hand",
			Takes: in.watched(byHand(func(v *node) error { return in.p.insteads(v, in.s) }, dayByHand))},
	}}
}

func (in *seriesIn) periodKeys() *group {
	edge := func(to *string) declare.Takes {
		return aPhrase.Then(func(text string) error { *to = text; return in.s.SetPeriod(in.start, in.end, in.env) })
	}
	return &group{what: "a period", keys: []*declare.Key{
		{Name: "start", Help: "the first day of a date's period", Example: "previous_nominal, +1 day",
			Takes: edge(&in.start)},
		{Name: "end", Help: "the last day of a date's period", Example: "nominal", Takes: edge(&in.end)},
	}}
}

func (in *seriesIn) eventKeys() *group {
	summary := aSummary.Then(func(text string) (err error) { in.s.Summary, err = in.s.NewTemplate(text, in.env); return err })
	return &group{what: "an event", keys: append([]*declare.Key{
		{Name: "summary", Help: "the event's text, with {names} of the series filled in", Default: "the title",
			Example: `"{title} for {period_start} to {period_end}"`,
			More:    "The names are those that milestones can use, the milestones themselves, and title.", Takes: summary},
	}, lookKeys(&in.look, &in.remind)...)}
}

func (in *seriesIn) milestones() *names {
	return &names{what: "milestones", help: "steps from the date, or a phrase", of: func() *group { return in.mile },
		each: in.milestone}
}

// expecting is the group of what is expected of the series that is read.
func (in *seriesIn) expecting() *group {
	in.expected = newExpects()
	return in.expect
}

// watched notes where working days are counted without a calendar.
func (in *seriesIn) watched(t declare.Takes) declare.Takes {
	fill := t.Fill
	t.Fill = fills(func(v *node) error {
		return in.p.Watch(in.name, v.spot(), func() error { return fill(v) })
	})
	return t
}

// nothing is done with what was read before.
func nothing(string) error { return nil }

func (in *seriesIn) calendar(name string) (err error) {
	in.env.Calendar, err = in.p.book.named(name)
	return err
}

func (in *seriesIn) titled(text string) error {
	in.title = text
	if strings.ContainsAny(text, "{}") {
		return fmt.Errorf("a title can't have names in braces: %q. Use `event: {summary: …}`", text)
	}
	return schedule.CheckLength("a title", text)
}

func (in *seriesIn) inZone(name string) (err error) {
	if name != "" {
		_, err = ical.Zone(name)
	}
	in.zone, in.env.Zone = name, name
	return err
}

func (in *seriesIn) rule(text string) (err error) {
	in.s, err = schedule.NewSeries(in.name, in.title, text, in.env)
	return err
}

// lendOthers lets the phrases behind the rule name dates of other series.
func (in *seriesIn) lendOthers() error {
	p, s := in.p, in.s
	in.env.Other = func(series, what string) (eval.Related, error) {
		other, err := p.seriesOfName(series)
		switch {
		case err != nil:
			return eval.Related{}, err
		case other != nil:
			r, err := s.Related(other, what)
			faulty := func(w *waiting) bool { return w.faulty && slices.Contains(w.made, other) }
			if err != nil && slices.ContainsFunc(p.waiting, faulty) {
				err = errElsewhere
			}
			return r, err
		case p.patternOf(series) != nil:
			return eval.Related{}, fmt.Errorf("`%s` is a pattern; name one of its series", series)
		}
		hint := "the series are " + phrase.Names(p.Env.SeriesNames)
		if near := phrase.Nearest(series, p.Env.SeriesNames); near != "" {
			hint = "did you mean `" + near + "." + what + "`?"
		}
		return eval.Related{}, fmt.Errorf("unknown series `%s`; %s", series, hint)
	}
	return nil
}

// expectLater reads what the rules of a list expect, now that milestones are known.
func (in *seriesIn) expectLater() error {
	for _, read := range in.later {
		if err := read(); err != nil {
			return err
		}
	}
	return nil
}

func (in *seriesIn) done(*node) (err error) {
	in.s.Zone, in.s.Private, in.s.Todo, in.s.Look, in.s.Reminders, in.s.Expects = in.zone, in.private, in.todo,
		in.look, in.remind, in.expected
	if in.owner != nil {
		if in.s.Owner, err = in.ownerOf(in.owner); err != nil {
			return in.owner.wrap(err)
		}
	}
	return nil
}

// addSeries reads an entry of `series`.
func (p *Plan) addSeries(v *node) error {
	own, err := seriesKeys().open(entry(v.doc, v.name, v.val))
	if err != nil {
		return err
	}
	var like *node
	if i := slices.IndexFunc(own, func(k *node) bool { return k.name == "like" }); i >= 0 {
		like = own[i]
		own = slices.Delete(own, i, i+1)
	}
	return p.makeSeries(v.doc, v.name, v.val, own, like, nil)
}

// makeSeries makes a series of all that is said of it: its own keys, over those of its
// patterns.
func (p *Plan) makeSeries(d *doc, name string, n ast.Node, own []*node, like *node, values phrase.Words) error {
	if p.reading == nil {
		p.reading = newSeriesIn(p)
	}
	in, g := p.reading, p.reading.own
	in.saidOfSeries = saidOfSeries{name: name, env: p.Env}
	said, patterns, err := p.layers(g, d, name, n, own, like, values)
	if err != nil {
		return err
	}
	p.at[name] = said.at
	if !slices.ContainsFunc(said.parts, func(k *node) bool { return k.name == "rule" }) {
		return d.fail(n, "the series `%s` has no `rule`", name)
	}
	before := d.collect.count()
	if err := g.fill(said); err != nil {
		return err
	}
	if in.s == nil { // which was told
		return errElsewhere
	}
	if d.collect.count() > before {
		if err := in.done(said); err != nil {
			return err
		}
	}
	for _, t := range patterns {
		in.s.Patterns = append(in.s.Patterns, t.name)
	}
	p.keep(in.s)
	return nil
}

// ruleIn is a rule that holds for a time.
type ruleIn struct {
	in  *seriesIn
	r   schedule.Ruled
	one *schedule.Series // that it alone would make
}

func (r *ruleIn) group() *group {
	return &group{what: "a rule in a list", done: r.done, keys: []*declare.Key{
		{Name: "from", Help: "the first nominal date of this rule", Example: "2028-07-01",
			Takes: aDay.Into(&r.r.Span.First)},
		{Name: "until", Help: "the last nominal date of this rule", Example: "2028-06-30",
			Takes: aDay.Into(&r.r.Span.Last)},
		{Name: "is", Needed: true, Help: "the rule", Example: "monthly on 15, last then roll preceding",
			Takes: aPhrase.Then(r.is)},
		{Name: "expect", Help: "what must hold for its dates", Takes: declare.Takes{Words: "keys", Shape: declare.AMapping,
			In: func() declare.Inside { return r.expects() }, Fill: fills(r.expect)}},
	}}
}

func (r *ruleIn) is(text string) (err error) {
	r.r.Text = text
	r.one, err = schedule.NewSeries(r.in.name, r.in.title, text, r.in.env)
	return err
}

func (r *ruleIn) expects() *group {
	return r.in.expects(func() *schedule.Expects { return r.r.Expects })
}

// expect keeps what is expected until milestones are read.
func (r *ruleIn) expect(v *node) error {
	e := newExpects()
	r.r.Expects = e
	v.path = fmt.Sprintf("expect.rule.%d", len(r.in.rules))
	g := r.in.expects(func() *schedule.Expects { return e })
	r.in.later = append(r.in.later, func() error { return g.fill(v) })
	return nil
}

func (r *ruleIn) done(v *node) error {
	if r.r.Span.Last < r.r.Span.First {
		return v.fail("this rule ends before it starts: %s to %s", r.r.Span.First, r.r.Span.Last)
	}
	if r.one == nil { // which was told
		return nil
	}
	if r.in.s == nil {
		r.in.s = r.one
	}
	r.r.Rec = r.one.Rules[0].Rec
	r.in.rules = append(r.in.rules, r.r)
	return r.in.s.SetRules(slices.Clone(r.in.rules))
}

// ruled is the end of a list of rules.
func (in *seriesIn) ruled(v *node) error {
	if in.s == nil {
		return v.fail("a list of rules has entries such as {from: 2028-07-01, is: monthly on last}")
	}
	if len(in.rules) > 1 {
		in.s.RuleText = ""
	}
	return nil
}

// milestoneIn is a milestone as it is read.
type milestoneIn struct {
	name         string
	todo         bool
	private      *bool // nil if nothing is said
	owner, title *node
}

func (m *milestoneIn) group(in *seriesIn) *group {
	return &group{what: "a milestone", text: "date", done: in.milestoneDone, chained: true, keys: []*declare.Key{
		{Name: "date", Needed: true, Help: "steps from the date, or a phrase", Example: "date, -5 working days",
			Takes: aPhrase.Then(in.milestoneDate)},
		{Name: "title", Help: "the text of its events, with {names} of the series filled in",
			Default: "the series' title and the milestone's name", Example: `"Timesheets for {period_end}"`, Takes: aNode.Into(&m.title)},
		{Name: "owner", Help: "the owner of the task, one of `people`", Example: "di", Takes: aNode.Into(&m.owner)},
		{Name: "todo", Help: "make it a to-do in calendars", Default: "no", Takes: declare.Yes.Into(&m.todo)},
		{Name: "private", Help: "mark its events as private", Default: "as the series",
			Takes: declare.Yes.Ref(&m.private)},
	}}
}

func (in *seriesIn) milestoneDate(text string) error {
	if text == "" {
		return errors.New("the steps are blank; expected steps such as date, +2 working days")
	}
	return in.s.AddMilestone(in.m.name, text, in.env)
}

func (in *seriesIn) milestoneDone(*node) (err error) {
	m, to := &in.m, &in.s.Milestones[len(in.s.Milestones)-1]
	if to.Todo = m.todo; m.private != nil {
		to.Private, to.Public = *m.private, !*m.private
	}
	if m.owner != nil {
		if to.Owner, err = in.ownerOf(m.owner); err != nil {
			return err
		}
	}
	if m.title != nil {
		text, err := m.title.doc.filled(m.title.val)
		if err == nil && text != "" {
			to.Title, err = in.s.NewTemplate(text, in.env)
		}
		if err != nil {
			return m.title.wrap(err)
		}
	}
	return nil
}

// ownerOf reads an owner; "" for nobody.
func (in *seriesIn) ownerOf(v *node) (string, error) {
	name, err := v.doc.ownerName(v.val)
	if err != nil || name == "" || name == nobody {
		return "", err
	}
	in.p.owners = append(in.p.owners, ownerAt{name, in.name, v.spot()})
	return name, nil
}

// milestone reads one milestone.
func (in *seriesIn) milestone(v *node) error {
	if err := CheckName(v.name); err != nil {
		return v.doc.wrap(v.k, err)
	}
	if in.s.Has(v.name) {
		return v.doc.fail(v.k, "`%s` already has a meaning in a series", v.name)
	}
	if v.parts == nil && isNone(v.val) {
		return v.nothingToTakeOut()
	}
	in.m = milestoneIn{name: v.name}
	return in.mile.fill(v)
}

// tasksIn are milestones out of a table, in the order of its rows.
type tasksIn struct {
	in    *seriesIn
	table *node
	of    []placed // columns, in the order of cells
	cells []string // the keys that they are
	todo  bool
}

func (t *tasksIn) group() *group {
	t.of, t.cells = nil, nil
	column := func(key string) declare.Takes {
		return at(aTitle, func(v *node, text string) error {
			t.of, t.cells = append(t.of, placed{text, v.spot()}), append(t.cells, key)
			return nil
		})
	}
	return &group{what: "a table of milestones", chained: true, done: t.done, keys: []*declare.Key{
		{Name: "table", Needed: true, Help: "the table, one milestone per row, in order", Example: "close-tasks.csv",
			Takes: aNode.Into(&t.table)},
		{Name: "name", Needed: true, Help: "the column with their names", Example: "task", Takes: column("name")},
		{Name: "date", Needed: true, Help: "the column with their steps, such as `date, +2 working days`", Example: "due",
			Takes: column("date")},
		{Name: "owner", Help: "the column with their owners", Example: "owner", Takes: column("owner")},
		{Name: "title", Help: "the column with the texts of their events", Example: "title", Takes: column("title")},
		{Name: "todo", Help: "make them to-dos in calendars", Default: "no", Takes: declare.Yes.Into(&t.todo)},
	}}
}

// done reads the rows.
func (t *tasksIn) done(v *node) error {
	return t.in.p.eachRow(t.table.doc, t.table.val, func(columns []string, at tableAt,
		cell func(string) (string, bool)) error {
		at.doc.words = v.doc.words
		row := &node{doc: at.doc, k: at.node, val: at.node, at: v.at}
		var parts []*node
		for i, c := range t.of {
			text, ok := cell(c.text)
			switch {
			case !ok:
				return c.at.wrap(fmt.Errorf("%s has no column `%s`; it has %s", at.file, c.text, strings.Join(columns, ", ")))
			case t.cells[i] == "name":
				row.name, row.path = text, "milestones."+text
			case t.cells[i] == "date" && text == "":
				return at.wrap(fmt.Errorf("the column `%s` is blank; expected steps such as date, +2 working days", c.text))
			default:
				parts = append(parts, row.part(at.doc, t.cells[i], at.node, cellNode(text, at.line)))
			}
		}
		if row.parts = parts; t.todo {
			row.parts = append(row.parts, row.part(at.doc, "todo", at.node, cellNode("yes", at.line)))
		}
		return at.wrap(t.in.milestone(row))
	})
}

// summary reads what an event is called, which can't be nothing.
func (d *doc) summary(v ast.Node) (text string, err error) {
	if text, err = d.filled(v); err == nil && strings.TrimSpace(text) == "" {
		err = errors.New("the summary is blank; leave `summary` out to use the title")
	}
	return text, err
}

// lookKeys are those of how events show, those of a series and those of rows.
func lookKeys(look *schedule.Look, to *[]schedule.Reminder) []*declare.Key {
	return []*declare.Key{
		{Name: "remind", Help: "reminders", Example: "[7 days before, 1 working day before at 09:00]",
			Takes: reminders.Into(to)},
		{Name: "busy", Help: "show its time as busy", Default: "no", Takes: declare.Yes.Into(&look.Busy)},
		{Name: "lasting", Help: "how long an event with a time lasts", Default: "no end", Example: "30 minutes",
			Takes: parsed("a length", schedule.ParseLasting).Into(&look.Lasting)},
		{Name: "categories", Help: "categories, instead of the series' name", Example: "[pay, crew]",
			Takes: namesIn.Into(&look.Categories)},
		{Name: "location", Help: "the place", Example: "Harbour office", Takes: aTitle.Into(&look.Location)},
		{Name: "color", Help: "a colour by its CSS name", Example: "teal",
			Takes: parsed("a name", schedule.ParseColor).Into(&look.Color)},
	}
}
