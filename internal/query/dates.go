package query

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync/atomic"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/declare"
	"yoyaku/internal/ical"
)

func init() { register(newDates) }

// datesQuery lists the dates of rules.
type datesQuery struct {
	window, counts string
	count          int
	adds, remind   []string
	id             string // of the series of the one rule, in UIDs
	form           EventForm
}

func newDates() *ask.Query {
	q := &datesQuery{}
	return &ask.Query{
		Name: "dates", Group: ask.Rules, Order: 1, Use: "dates RULE|SERIES …", Short: "List the dates of rules",
		Long: `List the dates of rules, or of the plan's series by name, each with its weekday, its
nominal date and the reason if it moved. A pattern's name stands for all its series. Lists
all dates of a rule that ends, otherwise the next 12, unless --window or --count is given.
With --as ics, a series brings its milestones along.`,
		Examples: `  yoyaku dates "monthly on last" --window 2027
  yoyaku dates "monthly on 15, last then roll preceding" --window 2027 --calendar england-wales
  yoyaku dates "fortnightly on fri from 2027-01-08" --window 2027..2040 --counts year
  yoyaku dates crew-pay --window 2027-Q1
  yoyaku dates wages --window 2027 --title "Wages 2027" --out wages.ics`,
		MinArgs: 1, MaxArgs: -1, ArgsHelp: `a rule, such as "monthly on 15, last then roll preceding", or a series of the plan`,
		ArgsCompletion: "series", GivesEvents: true,
		Options: append([]*declare.Key{
			{Name: "window", Help: "list the dates in `SPAN`: 2027, 2027-Q2, 2027-03, 2027-W13,\nFY2027, FY2027-Q1 or A..B", Value: declare.Span.Into(&q.window)},
			{Name: "count", Help: "list at most `N` dates, from today unless --window is given",
				Value: declare.Number(1, 0).Into(&q.count)},
			{Name: "add", Placeholder: `"NAME = PHRASE"`, Help: "add a column NAME, worked out from date, nominal and so on", Value: declare.Text.Repeat(&q.adds)},
			{Name: "counts", Help: "count the dates of each `year` instead of listing them, by nominal\nand by moved date",
				Value: declare.Choice("year").Into(&q.counts), Conflicts: []string{"add", "count", "remind"}},
			reminderOption(&q.remind),
			{Name: "id", Help: "name the events of the one rule `NAME` in their UIDs, so that they\nstay the same whatever becomes of the rule; needs --as ics",
				Value: declare.Text.Into(&q.id), Conflicts: []string{"counts"}},
		}, q.form.Options()...),
		Answer: q.answer,
	}
}

// dateListing is the dates that are asked for.
type dateListing struct {
	form      *EventForm
	series    []*schedule.Series
	fromPlan  map[*schedule.Series]bool // those of the plan
	texts     []string
	names     []string // of the added columns
	span      civil.Span
	count     int  // at most so many; 0 for all
	unbounded bool // the rules end by themselves and are listed whole
	numListed int  // listed so far
	usage     rows.Usage
}

func (q *datesQuery) answer(j *ask.Job) error {
	l := &dateListing{form: &q.form, count: q.count, fromPlan: map[*schedule.Series]bool{}}
	if err := q.addSeries(j, l); err != nil {
		return err
	}
	if err := q.setBounds(j, l); err != nil {
		return err
	}
	if q.counts != "" {
		return q.countYears(j, l)
	}
	if err := q.compileAdded(j, l); err != nil {
		return err
	}
	events := j.Events != nil
	if err := q.form.Check(events); err != nil {
		return err
	}
	var err error
	if events {
		if err = q.nameRules(j, l); err == nil {
			err = l.events(j)
		}
	} else if err = rejectEventOptions(j, "remind", strings.Join(q.remind, ", "), "id", q.id); err == nil {
		err = l.table(j)
	}
	if err == nil && !events {
		err = j.WarnBreaches(l.planSeries(), l.span)
	}
	if err == nil {
		l.report(j, q.window != "")
	}
	return err
}

// addSeries finds the series that the arguments name, or makes those of their rules.
func (q *datesQuery) addSeries(j *ask.Job, l *dateListing) error {
	remind, err := parseReminders(q.remind)
	if err != nil {
		return err
	}
	for _, text := range j.Args {
		list := j.FindAllSeries(text)
		known, pattern := list != nil, list != nil && j.FindSeries(text) == nil
		if !known {
			s, err := seriesOf(j, text)
			if err != nil {
				return err
			}
			list = []*schedule.Series{s}
		}
		for _, s := range list {
			if known && slices.ContainsFunc(l.planSeries(), func(o *schedule.Series) bool { return o.Name == s.Name }) {
				return fmt.Errorf("the series `%s` was given twice", s.Name)
			}
			if known && (q.adds != nil || q.remind != nil) {
				s = s.Clone()
			}
			if q.remind != nil {
				s.Reminders = remind
			}
			if pattern {
				text = s.Name
			}
			l.series, l.texts, l.fromPlan[s] = append(l.series, s), append(l.texts, text), known
		}
	}
	return nil
}

// nameRules gives the series of rules alone the names that their events have in UIDs: that of the
// option, else that in the calendar that is followed, so that a title may change.
func (q *datesQuery) nameRules(j *ask.Job, l *dateListing) error {
	if q.id != "" {
		if err := schedule.CheckName(q.id); err != nil {
			return rows.WrapOption("id", err)
		}
		if len(l.series) != 1 || l.fromPlan[l.series[0]] {
			return rows.WrapOption("id", errors.New("it names the events of one rule; give one rule, and no series of the plan"))
		}
	}
	seen := map[string]string{}
	called := "" // by its rule
	for i, s := range l.series {
		if l.fromPlan[s] {
			continue
		}
		if before, twice := seen[s.RuleMark]; twice {
			return fmt.Errorf("%q and %q are one rule; their events would be the same, so give it once", before, l.texts[i])
		}
		seen[s.RuleMark] = l.texts[i]
		if s.Name = cmp.Or(q.id, j.Events.RuleSeries(s)); called == "" {
			called = s.Title
		}
	}
	if called != "" && j.Shape.Title == "" {
		j.Note("the events are called by their rule, `%s`; %s gives them a name", called, j.OptionText("title", ""))
	}
	return nil
}

// planSeries are the series of the plan among those that are listed.
func (l *dateListing) planSeries() (list []*schedule.Series) {
	for _, s := range l.series {
		if l.fromPlan[s] {
			list = append(list, s)
		}
	}
	return list
}

// checkBreaches refuses events of dates that aren't as they were released.
func (l *dateListing) checkBreaches(j *ask.Job) error {
	list := l.planSeries()
	if j.Ledger == nil || len(list) == 0 {
		return nil
	}
	breaches, err := j.Breaches(list, l.span)
	if err == nil && len(breaches) > 0 {
		err = &BreachError{breaches}
	}
	return err
}

// BreachError is a list of dates that aren't as they were released.
type BreachError struct{ Breaches []schedule.Breach }

// Error counts them.
func (e *BreachError) Error() string {
	return schedule.CountBreaches(e.Breaches)
}

// seriesOf is the series of a rule alone.
func seriesOf(j *ask.Job, text string) (*schedule.Series, error) {
	if !phrase.IsRule(text) && len(strings.Fields(text)) == 1 {
		return nil, j.UnknownSeries(text)
	}
	return schedule.FromRule(text, j.Shape.Title, j.Env)
}

// setBounds settles on the stretch of time and the number of dates.
func (q *datesQuery) setBounds(j *ask.Job, l *dateListing) (err error) {
	endless := slices.ContainsFunc(l.series, func(s *schedule.Series) bool { return s.Endless() })
	switch {
	case q.window != "":
		l.span, err = j.ParseWindow("window", q.window)
		return err
	case q.count == 0 && !endless:
		l.span, l.unbounded = civil.AllDays, true
		return nil
	case q.counts != "":
		for _, s := range l.series {
			if s.Endless() {
				return declare.MissingError("window", fmt.Sprintf("%q has no end; give the years to count, such as --window 2027..2030", s.RuleText))
			}
		}
	case q.count == 0:
		l.count = 12
	}
	l.span = civil.Span{First: j.Env.Today, Last: civil.Max}
	return nil
}

// compileAdded compiles the added columns, which may use all that a series provides to its
// phrases.
func (q *datesQuery) compileAdded(j *ask.Job, l *dateListing) error {
	env := j.Env
	l.usage.Attach(&env)
	for _, text := range q.adds {
		name, body, err := rows.SplitAdd(text)
		if err != nil {
			return rows.WrapOption("add", err)
		}
		taken := append(slices.Clone(schedule.RuleColumns), l.names...)
		for _, s := range l.series {
			taken = append(taken, s.Names()...)
		}
		if _, err := rows.AppendColumns(taken, []string{name}); err != nil {
			return rows.WrapOption("add", fmt.Errorf("there is already a column or milestone `%s`", name))
		}
		l.names = append(l.names, name)
		for _, s := range l.series {
			if err := s.AddMilestone(name, body, env); err != nil {
				return rows.WrapOption("add", err)
			}
		}
	}
	return nil
}

// withRuleColumn puts the column of the rule in front if there are several.
func (l *dateListing) withRuleColumn(columns []string) []string {
	if len(l.series) == 1 {
		return columns
	}
	return append([]string{"rule"}, columns...)
}

func (l *dateListing) ruleCell(cells []eval.Value, s *schedule.Series) []eval.Value {
	if len(l.series) == 1 {
		return cells
	}
	return append(cells, eval.Str(l.texts[slices.Index(l.series, s)]))
}

// table writes a row a date.
func (l *dateListing) table(j *ask.Job) error {
	head := l.withRuleColumn(append(slices.Clone(schedule.RuleColumns), l.names...))
	if l.names == nil && l.count == 0 && len(l.series) == 1 && j.Result.Where == nil {
		if cut := l.series[0].SplitWindow(l.span); cut != nil {
			return l.putParallel(j, head, cut)
		}
	}
	return j.FillRows(head, func(put rows.PutRow) error {
		if l.names == nil {
			n, err := l.putPlain(l.span, put)
			l.numListed += n
			return err
		}
		var cells []eval.Value
		var ruleRows schedule.RuleRows
		for e, err := range schedule.MergeOccurrences(l.series, l.span) {
			if err != nil {
				return err
			}
			if err := l.usage.CountRows(1); err != nil {
				return err
			}
			cells = ruleRows.Row(l.ruleCell(cells[:0], e.Series), &e.Occurrence.MovedDate)
			own := len(cells)
			cells = l.addedCells(cells, e)
			if err := l.usage.CountGrowth("", cells, own); err != nil {
				return err
			}
			if err := put(cells); err != nil {
				return err
			}
			if l.numListed++; l.numListed == l.count {
				break
			}
			if l.numListed == maxListed {
				return errTooManyDates
			}
		}
		return nil
	})
}

// putPlain puts the dates in a window without what hangs on them, and counts them.
func (l *dateListing) putPlain(window civil.Span, put rows.PutRow) (n int, err error) {
	var cells []eval.Value
	var ruleRows schedule.RuleRows
	for d, err := range schedule.MergeDates(l.series, window) {
		if err != nil {
			return n, err
		}
		d.Series.RecordUncovered(d.MovedDate)
		cells = ruleRows.Row(l.ruleCell(cells[:0], d.Series), d.MovedDate)
		if err := put(cells); err != nil {
			return n, err
		}
		if n++; n == l.count {
			break
		}
		if n == maxListed {
			return n, errTooManyDates
		}
	}
	return n, nil
}

// maxListed is how many dates are listed.
const maxListed = 10_000_000

var errTooManyDates = fmt.Errorf("the rules give more than %d dates; use a narrower window", maxListed)

// putParallel writes the dates of stretches that are made on all processors.
func (l *dateListing) putParallel(j *ask.Job, head []string, cut []civil.Span) error {
	if err := j.PrepareRead(head); err != nil {
		return err
	}
	var total atomic.Int64
	parts := &rows.GeneratedReader{Names: head}
	for _, span := range cut {
		parts.Batches = append(parts.Batches, func(do func([]eval.Value) error) error {
			n, err := l.putPlain(span, do)
			total.Add(int64(n))
			return err
		})
	}
	_, err := j.Result.WriteTable(rows.NewTable("", parts, j.Env)) // no phrase, so no bad cell
	l.numListed = int(total.Load())
	return err
}

// addedCells appends the added columns of an occurrence: its last milestones.
func (l *dateListing) addedCells(cells []eval.Value, e schedule.Entry) []eval.Value {
	for i := len(e.Series.Milestones) - len(l.names); i < len(e.Series.Milestones); i++ {
		cells = append(cells, e.Occurrence.Milestone(i))
	}
	return cells
}

// events makes an event a date, and of the milestones of a plan's series each.
// Those of a number of dates lie up to the last of them.
func (l *dateListing) events(j *ask.Job) error {
	if l.count > 0 {
		for d, err := range schedule.MergeDates(l.series, l.span) {
			if err != nil {
				return err
			}
			if l.numListed++; l.numListed == l.count {
				l.span.Last = d.MovedTo
				break
			}
		}
		l.numListed = 0
	}
	if err := l.checkBreaches(j); err != nil {
		return err
	}
	keeps, err := j.Result.Filter(l.withRuleColumn(append(slices.Clone(schedule.RuleColumns), l.names...)), j.Env)
	if err != nil {
		return err
	}
	entries, _, err := schedule.Entries(l.series, l.span)
	if l.count > 0 && l.names != nil { // what was added needs its date, however far
		entries, err = schedule.OccurrenceEntries(l.series, l.span)
	}
	if err != nil {
		return err
	}
	var kept []schedule.Entry
	var ruleRows schedule.RuleRows
	for _, e := range entries {
		if e.What == "date" {
			if l.numListed++; l.count > 0 && l.numListed > l.count {
				continue
			}
		}
		cells := ruleRows.Row(l.ruleCell(nil, e.Series), &e.Occurrence.MovedDate)
		if keep, err := keeps(l.addedCells(cells, e)); err != nil || !keep {
			if err != nil {
				return err
			}
			continue
		}
		kept = append(kept, e)
	}
	list, err := l.form.Events(kept, func(s *schedule.Series) string { return l.plan(j, s) },
		func(e schedule.Entry) schedule.Event { return l.event(j, e) })
	if err != nil {
		return err
	}
	l.setScope(j)
	return j.Events.Events(list)
}

// setScope says of which schedule the events are: the rules' own, and of the plan's the
// series that are asked.
func (l *dateListing) setScope(j *ask.Job) {
	plans, named := []string{}, map[string]bool{}
	for _, s := range l.series {
		id := l.plan(j, s)
		if l.fromPlan[s] {
			named[s.Name] = true
		}
		if !slices.Contains(plans, id) {
			plans = append(plans, id)
		}
	}
	left := func(series string) bool { return len(named) > 0 && !named[series] }
	elsewhere := schedule.FindOutside(l.series, l.span, false, func(s *schedule.Series) string { return l.plan(j, s) })
	j.Events.SetScope(ical.Scope{Window: l.span, Plans: plans, IsExcluded: left, FindOutside: func(uid string) (made schedule.Event,
		_ bool) {
		e, ok := elsewhere(uid)
		if ok {
			made = l.form.Apply(l.event(j, e))
		}
		return made, ok
	}})
}

// plan is the plan that a series' events are of; rules alone share one.
func (l *dateListing) plan(j *ask.Job, s *schedule.Series) string {
	if l.fromPlan[s] {
		return j.ID
	}
	return ical.RulePlan
}

// event makes an entry an event.
func (l *dateListing) event(j *ask.Job, e schedule.Entry) schedule.Event {
	event := e.Event(l.plan(j, e.Series))
	if !l.fromPlan[e.Series] {
		event.Category = "" // the name of a rule's series is no word for people
		return event
	}
	if title := j.Shape.Title; title != "" {
		if event.Summary = title; e.What != "date" {
			event.Summary += ": " + e.What
		}
	}
	return event
}

// report says what isn't listed.
func (l *dateListing) report(j *ask.Job, windowed bool) {
	blank := 0
	if windowed || l.unbounded {
		for _, s := range l.series {
			blank += s.Blanks(l.span)
		}
	}
	if blank > 0 {
		j.Warn("%s left out, because the steps after `then` give no date", phrase.Plural(blank, "nominal date"))
	}
	switch {
	case l.numListed > 0:
	case windowed:
		j.Note("no dates from %s to %s", l.span.First, l.span.Last)
	case l.unbounded:
		j.Note("the rule gives no dates")
	default:
		j.Note("no dates on or after %s; use %s for other times", l.span.First, j.OptionText("window", ""))
	}
}

// countYears writes how many dates each year has.
func (q *datesQuery) countYears(j *ask.Job, l *dateListing) error {
	return j.FillRows(l.withRuleColumn([]string{"year", "nominal", "moved"}), func(put rows.PutRow) error {
		for _, s := range l.series {
			years, err := s.CountYears(l.span)
			if err != nil {
				return err
			}
			for _, y := range years {
				if err := put(append(l.ruleCell(nil, s), eval.Int(y.Year), eval.Int(y.Nominal), eval.Int(y.Moved))); err != nil {
					return err
				}
			}
		}
		return nil
	})
}
