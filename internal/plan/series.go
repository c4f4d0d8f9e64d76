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

// errReportedElsewhere is an entry that uses one that couldn't be read, which is reported there.
var errReportedElsewhere = errors.New("what it is made from couldn't be read")

// seriesReader reads series, one behind the other: its groups, which are made once, fill what
// is said of the one that is read.
type seriesReader struct {
	p *Plan
	seriesFields
	seriesGroup, period, event, expect, milestoneGroup *keyGroup
	m                                                  milestoneReader
}

// seriesFields is what the keys of a series fill.
type seriesFields struct {
	name          string
	env           eval.Env
	title, zone   string
	start, end    string // of the period
	private, todo bool
	owner         *node
	eventProps    schedule.EventProperties
	remind        []schedule.Reminder
	expectations  *schedule.Expectations // nil if nothing is
	series        *schedule.Series       // once its rule is read
	rules         []schedule.EffectiveRule
	deferred      []func() error // what its rules expect, which may use milestones
}

func newSeriesIn(p *Plan) *seriesReader {
	in := &seriesReader{p: p}
	in.seriesGroup, in.period, in.event, in.milestoneGroup = in.group(), in.periodKeys(), in.eventKeys(), in.m.group(in)
	in.expect = in.expectationKeys(func() *schedule.Expectations { return in.expectations })
	return in
}

// seriesKeys are the keys of a series, if nothing is filled.
var seriesKeys = sync.OnceValue(func() *keyGroup { return newSeriesIn(&Plan{}).seriesGroup })

func (in *seriesReader) group() *keyGroup {
	return &keyGroup{label: "a series", argsKey: "like", stopAtFault: true, onRead: in.finish, keys: []*declare.Key{
		{Name: "like", Help: "the pattern that fills in the rest; the words it takes are further keys",
			Example: "monthly-pay", Value: textKind.Call(ignoreText)},
		{Name: "calendar", Help: "the working calendar", Default: "the plan's", Example: "isles + bank",
			Value: calendarKind.Call(in.calendar)},
		{Name: "title", Help: "the series' name for people", Default: "its name", Example: "Crew pay day",
			Value: titleKind.Call(in.titled)},
		{Name: "zone", Help: "the time zone of its times", Default: "the plan's", Example: "Atlantic/Faroe",
			Value: titleKind.Call(in.inZone)},
		{Name: "rule", Required: true, Help: "the rule of its dates, or a list of rules, one after the other",
			Example: "monthly on 15, last then roll preceding",
			Details: "`yoyaku help phrases` has the language; `yoyaku why \"RULE\"` says a rule in plain words.",
			Value: takesOneOrList(in.watchCounting(phraseKind.Call(in.rule)),
				func() *keyGroup { return (&ruleReader{in: in, r: schedule.EffectiveRule{Span: civil.AllDays}}).group() }, in.finishRules),
			AfterRead: in.bindRelated},
		{Name: "private", Help: "mark its events as private", Default: "no", Value: declare.Bool.Into(&in.private)},
		{Name: "todo", Help: "make its own date a to-do in calendars", Default: "no", Value: declare.Bool.Into(&in.todo)},
		{Name: "owner", Help: "the owner of its own date, one of `people`", Example: "di", Value: nodeKind.Into(&in.owner)},
		{Name: "period", Merge: true, Help: "the period that each date pays or reports for",
			Default: "from the day after the previous nominal date to the nominal date",
			Value:   in.watchCounting(takesKeys(func() *keyGroup { return in.period }))},
		{Name: "milestones", Merge: true, Help: "dates that depend on each date, in order",
			Example: `{cut-off: "date, -5 working days", bank-file: "date, -2 working days, at 16:30"}`,
			Details: "Their phrases can use date (after it moved), nominal, previous_date, previous_nominal, next_nominal, period_start, " +
				"period_end, number (the place in the year), and the milestones above; OTHER.date and OTHER.MILESTONE of other series.",
			Value: in.watchCounting(takesNames(in.milestones))},
		{Name: "milestones-from", Help: "a table of further milestones", Value: in.watchCounting(takesKeys((&taskTableReader{in: in}).group))},
		{Name: "event", Merge: true, Help: "how its events look in calendars",
			Value: in.watchCounting(takesKeys(func() *keyGroup { return in.event }))},
		{Name: "expect", Merge: true, Help: "what must hold for its dates", Value: in.watchCounting(takesKeys(in.expectationGroup)),
			AfterRead: in.readRuleExpectations},
		{Name: "instead", Help: "dates moved by hand",
			Value: in.watchCounting(takesOverrides(func(v *node) error { return in.p.readOverrides(v, in.series) }, overrideKeys))},
	}}
}

func (in *seriesReader) periodKeys() *keyGroup {
	edge := func(to *string) declare.ValueSpec {
		return phraseKind.Call(func(text string) error { *to = text; return in.series.SetPeriod(in.start, in.end, in.env) })
	}
	return &keyGroup{label: "a period", keys: []*declare.Key{
		{Name: "start", Help: "the first day of a date's period", Example: "previous_nominal, +1 day",
			Value: edge(&in.start)},
		{Name: "end", Help: "the last day of a date's period", Example: "nominal", Value: edge(&in.end)},
	}}
}

func (in *seriesReader) eventKeys() *keyGroup {
	summary := summaryKind.Call(func(text string) (err error) {
		in.series.Summary, err = in.series.NewTemplate(text, in.env)
		return err
	})
	return &keyGroup{label: "an event", keys: append([]*declare.Key{
		{Name: "summary", Help: "the event's text, with {names} of the series filled in", Default: "the title",
			Example: `"{title} for {period_start} to {period_end}"`,
			Details: "The names are those that milestones can use, the milestones themselves, and title.", Value: summary},
	}, eventPropertyKeys(&in.eventProps, &in.remind)...)}
}

func (in *seriesReader) milestones() *nameMap {
	return &nameMap{label: "milestones", help: "steps from the date, or a phrase", valueGroup: func() *keyGroup { return in.milestoneGroup },
		readEach: in.milestone}
}

// expectationGroup is the group of what is expected of the series that is read.
func (in *seriesReader) expectationGroup() *keyGroup {
	in.expectations = newExpects()
	return in.expect
}

// watchCounting notes where working days are counted without a calendar.
func (in *seriesReader) watchCounting(t declare.ValueSpec) declare.ValueSpec {
	fill := t.Assign
	t.Assign = fills(func(v *node) error {
		return in.p.WatchCounting(in.name, v.pos(), func() error { return fill(v) })
	})
	return t
}

// ignoreText is done with what was read before.
func ignoreText(string) error { return nil }

func (in *seriesReader) calendar(name string) (err error) {
	in.env.Calendar, err = in.p.calendars.resolve(name)
	return err
}

func (in *seriesReader) titled(text string) error {
	in.title = text
	if strings.ContainsAny(text, "{}") {
		return fmt.Errorf("a title can't have names in braces: %q. Use `event: {summary: …}`", text)
	}
	return schedule.CheckLength("a title", text)
}

func (in *seriesReader) inZone(name string) (err error) {
	if name != "" {
		_, err = ical.Zone(name)
	}
	in.zone, in.env.Zone = name, name
	return err
}

func (in *seriesReader) rule(text string) (err error) {
	in.series, err = schedule.NewSeries(in.name, in.title, text, in.env)
	return err
}

// bindRelated lets the phrases behind the rule name dates of other series.
func (in *seriesReader) bindRelated() error {
	p, s := in.p, in.series
	in.env.FindRelated = func(series, what string) (eval.RelatedDate, error) {
		other, err := p.seriesOfName(series)
		switch {
		case err != nil:
			return eval.RelatedDate{}, err
		case other != nil:
			r, err := s.Related(other, what)
			faulty := func(w *pendingEntry) bool { return w.isBroken && slices.Contains(w.made, other) }
			if err != nil && slices.ContainsFunc(p.pending, faulty) {
				err = errReportedElsewhere
			}
			return r, err
		case p.patternOf(series) != nil:
			return eval.RelatedDate{}, fmt.Errorf("`%s` is a pattern; name one of its series", series)
		}
		hint := "the series are " + phrase.ListNames(p.Env.SeriesNames)
		if near := phrase.Nearest(series, p.Env.SeriesNames); near != "" {
			hint = "did you mean `" + near + "." + what + "`?"
		}
		return eval.RelatedDate{}, fmt.Errorf("unknown series `%s`; %s", series, hint)
	}
	return nil
}

// readRuleExpectations reads what the rules of a list expect, now that milestones are known.
func (in *seriesReader) readRuleExpectations() error {
	for _, read := range in.deferred {
		if err := read(); err != nil {
			return err
		}
	}
	return nil
}

func (in *seriesReader) finish(*node) (err error) {
	in.series.Zone, in.series.Private, in.series.Todo, in.series.EventProperties, in.series.Reminders, in.series.Expects = in.zone, in.private, in.todo,
		in.eventProps, in.remind, in.expectations
	if in.owner != nil {
		if in.series.Owner, err = in.ownerOf(in.owner); err != nil {
			return in.owner.wrap(err)
		}
	}
	return nil
}

// addSeries reads an entry of `series`.
func (p *Plan) addSeries(v *node) error {
	ownKeys, err := seriesKeys().split(rootNode(v.doc, v.name, v.valueNode))
	if err != nil {
		return err
	}
	var like *node
	if i := slices.IndexFunc(ownKeys, func(k *node) bool { return k.name == "like" }); i >= 0 {
		like = ownKeys[i]
		ownKeys = slices.Delete(ownKeys, i, i+1)
	}
	return p.makeSeries(v.doc, v.name, v.valueNode, ownKeys, like, nil)
}

// makeSeries makes a series of all that is said of it: its own keys, over those of its
// patterns.
func (p *Plan) makeSeries(d *doc, name string, n ast.Node, ownKeys []*node, like *node, values phrase.Substitutions) error {
	if p.seriesReader == nil {
		p.seriesReader = newSeriesIn(p)
	}
	in, g := p.seriesReader, p.seriesReader.seriesGroup
	in.seriesFields = seriesFields{name: name, env: p.Env}
	said, patterns, err := p.mergePatterns(g, d, name, n, ownKeys, like, values)
	if err != nil {
		return err
	}
	p.seriesPos[name] = said.positions
	if !slices.ContainsFunc(said.children, func(k *node) bool { return k.name == "rule" }) {
		return d.fail(n, "the series `%s` has no `rule`", name)
	}
	before := d.collect.numAdded()
	if err := g.fill(said); err != nil {
		return err
	}
	if in.series == nil { // which was told
		return errReportedElsewhere
	}
	if d.collect.numAdded() > before {
		if err := in.finish(said); err != nil {
			return err
		}
	}
	for _, t := range patterns {
		in.series.Patterns = append(in.series.Patterns, t.name)
	}
	p.addSeriesRead(in.series)
	return nil
}

// ruleReader is a rule that holds for a time.
type ruleReader struct {
	in     *seriesReader
	r      schedule.EffectiveRule
	single *schedule.Series // that it alone would make
}

func (r *ruleReader) group() *keyGroup {
	return &keyGroup{label: "a rule in a list", onRead: r.finish, keys: []*declare.Key{
		{Name: "from", Help: "the first nominal date of this rule", Example: "2028-07-01",
			Value: dayKind.Into(&r.r.Span.First)},
		{Name: "until", Help: "the last nominal date of this rule", Example: "2028-06-30",
			Value: dayKind.Into(&r.r.Span.Last)},
		{Name: "is", Required: true, Help: "the rule", Example: "monthly on 15, last then roll preceding",
			Value: phraseKind.Call(r.setRule)},
		{Name: "expect", Help: "what must hold for its dates", Value: declare.ValueSpec{Description: "keys", Form: declare.FormMapping,
			Mapping: func() declare.Mapping { return r.expects() }, Assign: fills(r.expect)}},
	}}
}

func (r *ruleReader) setRule(text string) (err error) {
	r.r.Text = text
	r.single, err = schedule.NewSeries(r.in.name, r.in.title, text, r.in.env)
	return err
}

func (r *ruleReader) expects() *keyGroup {
	return r.in.expectationKeys(func() *schedule.Expectations { return r.r.Expects })
}

// expect keeps what is expected until milestones are read.
func (r *ruleReader) expect(v *node) error {
	e := newExpects()
	r.r.Expects = e
	v.path = fmt.Sprintf("expect.rule.%d", len(r.in.rules))
	g := r.in.expectationKeys(func() *schedule.Expectations { return e })
	r.in.deferred = append(r.in.deferred, func() error { return g.fill(v) })
	return nil
}

func (r *ruleReader) finish(v *node) error {
	if r.r.Span.Last < r.r.Span.First {
		return v.fail("this rule ends before it starts: %s to %s", r.r.Span.First, r.r.Span.Last)
	}
	if r.single == nil { // which was told
		return nil
	}
	if r.in.series == nil {
		r.in.series = r.single
	}
	r.r.Recurrence = r.single.Rules[0].Recurrence
	r.in.rules = append(r.in.rules, r.r)
	return r.in.series.SetRules(slices.Clone(r.in.rules))
}

// finishRules is the end of a list of rules.
func (in *seriesReader) finishRules(v *node) error {
	if in.series == nil {
		return v.fail("a list of rules has entries such as {from: 2028-07-01, is: monthly on last}")
	}
	if len(in.rules) > 1 {
		in.series.RuleText = ""
	}
	return nil
}

// milestoneReader is a milestone as it is read.
type milestoneReader struct {
	name         string
	todo         bool
	private      *bool // nil if nothing is said
	owner, title *node
}

func (m *milestoneReader) group(in *seriesReader) *keyGroup {
	return &keyGroup{label: "a milestone", textKey: "date", onRead: in.milestoneDone, stopAtFault: true, keys: []*declare.Key{
		{Name: "date", Required: true, Help: "steps from the date, or a phrase", Example: "date, -5 working days",
			Value: phraseKind.Call(in.milestoneDate)},
		{Name: "title", Help: "the text of its events, with {names} of the series filled in",
			Default: "the series' title and the milestone's name", Example: `"Timesheets for {period_end}"`, Value: nodeKind.Into(&m.title)},
		{Name: "owner", Help: "the owner of the task, one of `people`", Example: "di", Value: nodeKind.Into(&m.owner)},
		{Name: "todo", Help: "make it a to-do in calendars", Default: "no", Value: declare.Bool.Into(&m.todo)},
		{Name: "private", Help: "mark its events as private", Default: "as the series",
			Value: declare.Bool.IntoOptional(&m.private)},
	}}
}

func (in *seriesReader) milestoneDate(text string) error {
	if text == "" {
		return errors.New("the steps are blank; expected steps such as date, +2 working days")
	}
	return in.series.AddMilestone(in.m.name, text, in.env)
}

func (in *seriesReader) milestoneDone(*node) (err error) {
	m, to := &in.m, &in.series.Milestones[len(in.series.Milestones)-1]
	if to.Todo = m.todo; m.private != nil {
		to.Private, to.Public = *m.private, !*m.private
	}
	if m.owner != nil {
		if to.Owner, err = in.ownerOf(m.owner); err != nil {
			return err
		}
	}
	if m.title != nil {
		text, err := m.title.doc.substituted(m.title.valueNode)
		if err == nil && text != "" {
			to.Title, err = in.series.NewTemplate(text, in.env)
		}
		if err != nil {
			return m.title.wrap(err)
		}
	}
	return nil
}

// ownerOf reads an owner; "" for nobody.
func (in *seriesReader) ownerOf(v *node) (string, error) {
	name, err := v.doc.ownerName(v.valueNode)
	if err != nil || name == "" || name == unowned {
		return "", err
	}
	in.p.ownerRefs = append(in.p.ownerRefs, ownerRef{name, in.name, v.pos()})
	return name, nil
}

// milestone reads one milestone.
func (in *seriesReader) milestone(v *node) error {
	if err := schedule.CheckName(v.name); err != nil {
		return v.doc.wrap(v.keyNode, err)
	}
	if in.series.Has(v.name) {
		return v.doc.fail(v.keyNode, "`%s` already has a meaning in a series", v.name)
	}
	if v.children == nil && isNoneValue(v.valueNode) {
		return v.checkNoRemovals()
	}
	in.m = milestoneReader{name: v.name}
	return in.milestoneGroup.fill(v)
}

// taskTableReader are milestones out of a table, in the order of its rows.
type taskTableReader struct {
	in      *seriesReader
	table   *node
	columns []textAt // columns, in the order of cells
	cells   []string // the keys that they are
	todo    bool
}

func (t *taskTableReader) group() *keyGroup {
	t.columns, t.cells = nil, nil
	column := func(key string) declare.ValueSpec {
		return at(titleKind, func(v *node, text string) error {
			t.columns, t.cells = append(t.columns, textAt{text, v.pos()}), append(t.cells, key)
			return nil
		})
	}
	return &keyGroup{label: "a table of milestones", stopAtFault: true, onRead: t.finish, keys: []*declare.Key{
		{Name: "table", Required: true, Help: "the table, one milestone per row, in order", Example: "close-tasks.csv",
			Value: nodeKind.Into(&t.table)},
		{Name: "name", Required: true, Help: "the column with their names", Example: "task", Value: column("name")},
		{Name: "date", Required: true, Help: "the column with their steps, such as `date, +2 working days`", Example: "due",
			Value: column("date")},
		{Name: "owner", Help: "the column with their owners", Example: "owner", Value: column("owner")},
		{Name: "title", Help: "the column with the texts of their events", Example: "title", Value: column("title")},
		{Name: "todo", Help: "make them to-dos in calendars", Default: "no", Value: declare.Bool.Into(&t.todo)},
	}}
}

// finish reads the rows.
func (t *taskTableReader) finish(v *node) error {
	return t.in.p.eachRow(t.table.doc, t.table.valueNode, func(columns []string, at rowPos,
		cell func(string) (string, bool)) error {
		at.doc.params = v.doc.params
		row := &node{doc: at.doc, keyNode: at.node, valueNode: at.node, positions: v.positions}
		var parts []*node
		for i, c := range t.columns {
			text, ok := cell(c.text)
			switch {
			case !ok:
				return c.pos.wrap(fmt.Errorf("%s has no column `%s`; it has %s", at.file, c.text, strings.Join(columns, ", ")))
			case t.cells[i] == "name":
				row.name, row.path = text, "milestones."+text
			case t.cells[i] == "date" && text == "":
				return at.wrap(fmt.Errorf("the column `%s` is blank; expected steps such as date, +2 working days", c.text))
			default:
				parts = append(parts, row.child(at.doc, t.cells[i], at.node, nodeOfCell(text, at.line)))
			}
		}
		if row.children = parts; t.todo {
			row.children = append(row.children, row.child(at.doc, "todo", at.node, nodeOfCell("yes", at.line)))
		}
		return at.wrap(t.in.milestone(row))
	})
}

// summary reads what an event is called, which can't be nothing.
func (d *doc) summary(v ast.Node) (text string, err error) {
	if text, err = d.substituted(v); err == nil && strings.TrimSpace(text) == "" {
		err = errors.New("the summary is blank; leave `summary` out to use the title")
	}
	return text, err
}

// eventPropertyKeys are those of how events show, those of a series and those of rows.
func eventPropertyKeys(look *schedule.EventProperties, to *[]schedule.Reminder) []*declare.Key {
	return []*declare.Key{
		{Name: "remind", Help: "reminders", Example: "[7 days before, 1 working day before at 09:00]",
			Value: remindersKind.Into(to)},
		{Name: "busy", Help: "show its time as busy", Default: "no", Value: declare.Bool.Into(&look.Busy)},
		{Name: "lasting", Help: "how long an event with a time lasts", Default: "no end", Example: "30 minutes",
			Value: parsedKind("a length", schedule.ParseEventDuration).Into(&look.DurationMinutes)},
		{Name: "categories", Help: "categories, instead of the series' name", Example: "[pay, crew]",
			Value: nameListKind.Into(&look.Categories)},
		{Name: "location", Help: "the place", Example: "Harbour office", Value: titleKind.Into(&look.Location)},
		{Name: "color", Help: "a colour by its CSS name", Example: "teal",
			Value: parsedKind("a name", schedule.ParseColor).Into(&look.Color)},
	}
}
