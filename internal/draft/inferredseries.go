package draft

import (
	"errors"
	"fmt"
	"path/filepath"
	"reflect"
	"regexp"
	"slices"
	"strings"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/infer"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/core/workdays"
	"yoyaku/internal/plan"
	"yoyaku/internal/query"
	"yoyaku/internal/workflow"
)

// A inferredSeries is a series that the dates of a table come to.
type inferredSeries struct {
	name, title     string
	file            string // the table
	date            *infer.ColumnResult
	milestonesFound []inferredMilestone
	base            string // its pattern; "" for none
	ruleFromBase    bool   // the pattern has the rule
	perYear         string // dates a year, "" where that isn't told
	overrides       yamlList
	extraDates      []civil.Date
}

// A inferredMilestone is a column that hangs on the dates of a series.
type inferredMilestone struct {
	name, phrase string
	found        *infer.ColumnResult
}

// isRare reports whether so few of so many dates are off that a plan takes the rule: at most
// one in ten.
func isRare(off, of int) bool { return 10*off <= of }

// inferSeries looks for the rules behind the dates of a table. It puts the series that come of it
// into the table, and whether anything is left that they don't say.
func (s NewPlan) inferSeries(t *planTable) error {
	t.hasOtherColumns = true
	file := filepath.Base(t.file)
	dates, found, err := s.inferFrom(t, s.Dates)
	if option := (*rows.OptionError)(nil); errors.As(err, &option) && slices.Contains([]string{"key", "date", "where"}, option.Option) {
		return fmt.Errorf("%s: %w", file, err)
	} else if err != nil {
		return nil // it has no dates, or rows that a record tells of
	}
	if n := len(slices.DeleteFunc(slices.Clone(found), func(f infer.ColumnResult) bool { return f.Err != infer.ErrTooMuchWork })); n > 0 {
		return fmt.Errorf("%s: %s %w; take a table with fewer", file, phrase.CountVerb(n, "series was", "series were"), infer.ErrTooMuchWork)
	}
	if s.Dates == nil && s.Key == "" && !t.isSchedule && !t.isCalendar {
		dates, found = s.chooseDate(t, dates, found)
	}
	var left bool
	t.series, left = s.seriesFrom(found, file)
	t.hasOtherColumns = left || dates.HasMore() && !t.isCalendar // an event has much besides
	t.notes = append(append(t.notes, dates.Notes()...), query.ScheduleNotes(dates, found)...)
	for _, n := range t.series {
		for _, of := range dates.Series {
			if of.Name == n.date.Series && of.Title != "" {
				n.title = of.Title
			}
		}
	}
	for i := range found {
		t.notes = append(t.notes, query.AlternativeNotes(&found[i])...)
	}
	return nil
}

// inferFrom finds the rules behind columns of a table, the first of which is the series' date; all
// of dates in their order if none are named.
func (s NewPlan) inferFrom(t *planTable, columns []string) (*query.TableDates, []infer.ColumnResult, error) {
	empty, err := plan.NewEmpty(s.settings)
	if err != nil {
		return nil, nil, err
	}
	ws := workflow.NewWorkspace(empty)
	ws.Note = func(string, ...any) {}
	ws.Warn, ws.Stdin = ws.Note, s.input(t.file)
	job := &ask.Job{Workspace: &ws, Args: []string{s.pathOf(t.file)}, CalendarName: s.Calendar, In: t.options}
	job.Shape.Where = s.Where
	return query.Infer(job, columns, s.Key)
}

// maxDateChoices is how many columns are tried as the date of a series.
const maxDateChoices = 4

// chooseDate takes another column for the date of the series, where the others count from it by
// shorter steps than from the first.
func (s NewPlan) chooseDate(t *planTable, dates *query.TableDates, found []infer.ColumnResult) (*query.TableDates, []infer.ColumnResult) {
	columns := dates.DateColumns()
	if len(columns) < 2 {
		return dates, found
	}
	first, best := 0, bitsOf(found)
	for i := 1; i < min(len(columns), maxDateChoices); i++ {
		order := append([]string{columns[i]}, slices.Delete(slices.Clone(columns), i, i+1)...)
		d, f, err := s.inferFrom(t, order)
		if bits := bitsOf(f); err == nil && bits < best-1 {
			first, best, dates, found = i, bits, d, f
		}
	}
	if first > 0 {
		t.notes = append(t.notes, fmt.Sprintf("`%s` is the series' date, since the others count from it by shorter steps than from `%s`; --date %s takes that", columns[first], columns[0], ask.ShellWord(columns[0])))
	}
	return dates, found
}

// unexplainedBits is what a column without a rule counts among others.
const unexplainedBits = 1000

// bitsOf is how long a table's rules are together.
func bitsOf(found []infer.ColumnResult) (bits float64) {
	for _, f := range found {
		if len(f.Explanations) == 0 {
			bits += unexplainedBits
			continue
		}
		bits += f.Explanations[0].Bits
	}
	return bits
}

// seriesFrom are the series that are taken of what was found; left reports whether some isn't.
func (s NewPlan) seriesFrom(found []infer.ColumnResult, file string) (list []*inferredSeries, left bool) {
	var of *inferredSeries
	for i := range found {
		f := &found[i]
		switch fits := len(f.Explanations) > 0 && isRare(f.Explanations[0].Misses, f.Dates); {
		case f.Base == nil && fits:
			name := f.Series
			if f.OwnSeries && s.Key != "" { // of one of several
				name = f.BaseSeries + " " + name
			}
			one := &inferredSeries{name: seriesNameFrom(name), title: seriesTitleFrom(name), file: file, date: f}
			list = append(list, one)
			if !f.OwnSeries {
				of = one
			}
		case f.Base == nil:
			left = true
			if !f.OwnSeries {
				of = nil
			}
		case of != nil && fits && of.addMilestone(f):
		default:
			left = true
		}
	}
	return list, left
}

// addMilestone takes a column as a milestone, unless it has dates on rows that the series can't tell
// apart or has no date for, or is blank more often than seldom.
func (n *inferredSeries) addMilestone(f *infer.ColumnResult) bool {
	seen := map[civil.Date]bool{}
	blank := 0
	for i, base := range f.Base {
		switch {
		case base == civil.None && f.Days[i] == civil.None:
		case base == civil.None || seen[base]:
			return false
		case f.Days[i] == civil.None:
			blank++
		}
		seen[base] = true
	}
	if !isRare(blank+f.Explanations[0].Misses, f.Dates+blank) {
		return false
	}
	m := inferredMilestone{name: milestoneNameFrom(f.What), phrase: f.Phrases(f.Explanations[0])[0].Phrase, found: f}
	if slices.ContainsFunc(n.milestonesFound, func(o inferredMilestone) bool { return phrase.NamesEqual(o.name, m.name) }) ||
		slices.Contains(schedule.BaseNames, m.name) {
		return false
	}
	n.milestonesFound = append(n.milestonesFound, m)
	return true
}

var nonNameChars = regexp.MustCompile(`[^\p{L}0-9]+`)

// seriesNameFrom makes a name of a series of a text, without a year: its dates are for any.
func seriesNameFrom(text string) string {
	name := withoutYear(slug(text, nonNameChars))
	if schedule.CheckName(name) != nil {
		name = strings.Trim("dates-"+name, "-")
	}
	return name
}

// seriesTitleFrom is the text; where it holds a year or is written as a name, what titleFromName makes of it.
func seriesTitleFrom(text string) string {
	switch name := seriesNameFrom(text); {
	case strings.ContainsRune(text, ' ') && slug(text, nonNameChars) == withoutYear(slug(text, nonNameChars)):
		return text
	case strings.HasPrefix(name, "dates-"):
		return titleFromName(strings.TrimPrefix(name, "dates-"))
	default:
		return titleFromName(name)
	}
}

func milestoneNameFrom(column string) string {
	if schedule.CheckName(column) == nil {
		return column
	}
	name := slug(column, nonNameChars)
	if schedule.CheckName(name) != nil {
		name = "on-" + name
	}
	return name
}

// setOverrides works out what is set by hand: dates that the table has elsewhere, or not, and
// dates that only the table has.
func (n *inferredSeries) setOverrides() {
	r := n.date.Explanations[0]
	ids := n.date.Search.IDs(r)
	byDay := map[civil.Date]string{} // the id of the row's date
	for d, id := range ids {
		byDay[d] = id
	}
	for _, e := range n.date.Exceptions(r) {
		if e.Rule == civil.None {
			id := e.Table.String()
			n.extraDates = append(n.extraDates, e.Table)
			byDay[e.Table] = id
			continue
		}
		n.addOverride(ids[e.Rule], "", e.Table, n.date.Time)
		if delete(byDay, e.Rule); e.Table != civil.None {
			byDay[e.Table] = ids[e.Rule]
		}
	}
	for _, m := range n.milestonesFound {
		for i, base := range m.found.Base {
			if d := m.found.Days[i]; base != civil.None && m.found.Explanations[0].Dates[i] != d {
				n.addOverride(byDay[base], m.name, d, m.found.Time)
			}
		}
	}
}

// addOverride sets a date by hand, or that of a milestone; None leaves it out.
func (n *inferredSeries) addOverride(id, what string, to civil.Date, at int) {
	text := "none"
	if to != civil.None {
		if text = to.String(); at >= 0 {
			text += "T" + string(civil.AppendClock(nil, at))
		}
	}
	says := yamlFlow{{key: "id", value: yamlPlain(id)}, {key: "what", value: what}, {key: "date", value: yamlPlain(text)}, {key: "why", value: "as in " + n.file}}
	if what == "" {
		says = slices.Delete(says, 1, 2)
	}
	n.overrides = append(n.overrides, yamlEntry{value: says})
}

// pinExtraDates keeps dates that only the table has on their day, where the rule's steps would move them.
func (n *inferredSeries) pinExtraDates() {
	for _, d := range n.extraDates {
		n.addOverride(d.String(), "", d, n.date.Time)
	}
}

// ruleValue is what the plan says under `rule`: one, or two that follow each other.
func (n *inferredSeries) ruleValue() any {
	rules := n.date.Phrases(n.date.Explanations[0])
	var parsed []*phrase.Rule
	second := civil.Max // from which day the second rule holds
	for i, r := range rules {
		p, err := phrase.ParseRule(r.Phrase)
		if err != nil { // it was printed by the language
			return r.Phrase
		}
		if d, ok := p.From.(*phrase.Date); ok && i == 1 {
			second = d.Day
		}
		parsed = append(parsed, p)
	}
	var one string
	var two yamlList
	for i, r := range rules {
		p := parsed[i]
		for _, d := range n.extraDates {
			if (d >= second) == (i == 1) {
				p.Include = append(p.Include, &phrase.Date{Day: d})
			}
		}
		if r.Calendar != "" && r.Calendar != n.calendarNeeded() {
			p.Using = &phrase.Using{Calendars: []phrase.Name{{Text: r.Calendar}}}
		}
		var span yamlEntry
		if d, ok := p.Until.(*phrase.Date); ok && len(rules) > 1 {
			span, p.Until = yamlEntry{key: "until", value: yamlPlain(d.Day.String())}, nil
		}
		if d, ok := p.From.(*phrase.Date); ok && len(rules) > 1 && i > 0 {
			if span = (yamlEntry{key: "from", value: yamlPlain(d.Day.String())}); p.Every == 1 {
				p.From = nil
			}
		}
		one = p.Canonical()
		two = append(two, yamlEntry{value: yamlFlow{span, {key: "is", value: one}}})
	}
	if len(rules) == 1 {
		return one
	}
	return two
}

// calendarName is the calendar that the series names; "" if that is the plan's own, or it needs
// none.
func (n *inferredSeries) calendarName(own string) string {
	if c := n.calendarNeeded(); c != own {
		return c
	}
	return ""
}

// calendarNeeded is the calendar that the series counts with; "" if it needs none. One that a
// rule names for itself, beside another that counts without holidays, stands for both.
func (n *inferredSeries) calendarNeeded() string {
	rules := n.date.Explanations[0].Rules
	c := rules[len(rules)-1].Calendar
	matters := slices.ContainsFunc(n.milestonesFound, func(m inferredMilestone) bool { return m.found.Explanations[0].UsesCalendar })
	for _, rule := range rules {
		if matters = matters || infer.CountsWorkdays(rule.Phrase); c == "" && !infer.CountsWorkdays(rules[len(rules)-1].Phrase) {
			c = rule.Calendar
		}
	}
	if c == "" && matters {
		return workdays.NoneName
	}
	return c
}

// milestones are its milestones, by their names.
func (n *inferredSeries) milestones() (says yamlBlock) {
	for _, m := range n.milestonesFound {
		says = append(says, yamlEntry{key: m.name, value: m.phrase})
	}
	return says
}

// addPatterns gives series of a table that have the same milestones and calendar a pattern.
func addPatterns(series []*inferredSeries, own string, taken []string) (says yamlBlock) {
	groups := map[string][]*inferredSeries{}
	var order []string
	for _, n := range series {
		if key := n.milestones().String() + n.calendarName(own); len(n.milestonesFound) > 0 {
			if groups[key] == nil {
				order = append(order, key)
			}
			groups[key] = append(groups[key], n)
		}
	}
	for _, key := range order {
		group := groups[key]
		if len(group) < 2 {
			continue
		}
		name := uniqueName("all-"+seriesNameFrom(strings.TrimSuffix(filepath.Base(group[0].file), filepath.Ext(group[0].file))), taken)
		taken = append(taken, name)
		one := !slices.ContainsFunc(group, func(n *inferredSeries) bool {
			return !reflect.DeepEqual(n.ruleValue(), group[0].ruleValue()) || len(n.extraDates) > 0
		})
		for _, n := range group {
			n.base, n.ruleFromBase = name, one
		}
		says = append(says, yamlEntry{key: name, value: group[0].patternKeys(own, one), remark: "what these series share"})
	}
	return says
}

// patternKeys is what a pattern may say for the series.
func (n *inferredSeries) patternKeys(own string, rule bool) (says yamlBlock) {
	if rule {
		says = append(says, yamlEntry{key: "rule", value: n.ruleValue()})
	}
	if c := n.calendarName(own); c != "" {
		says = append(says, yamlEntry{key: "calendar", value: c})
	}
	if m := n.milestones(); m != nil {
		says = append(says, yamlEntry{key: "milestones", value: m})
	}
	return says
}

// keys is what the plan says of the series.
func (n *inferredSeries) keys(own string) (says yamlBlock) {
	if n.base != "" {
		says = append(says, yamlEntry{key: "like", value: n.base})
	}
	says = append(says, yamlEntry{key: "title", value: n.title})
	switch {
	case n.base == "":
		says = append(says, n.patternKeys(own, true)...)
	case !n.ruleFromBase:
		says = append(says, yamlEntry{key: "rule", value: n.ruleValue()})
	}
	if n.perYear != "" {
		says = append(says, yamlEntry{key: "expect", value: yamlFlow{{key: "per-year", value: yamlPlain(n.perYear)}}, remark: "over the next ten years"})
	}
	if n.overrides != nil {
		says = append(says, yamlEntry{key: "instead", value: n.overrides, remark: "where " + n.file + " differs from the rule"})
	}
	return says
}

// span is from the first date of the series in its table through the last.
func (n *inferredSeries) span() civil.Span {
	return civil.Span{First: n.date.Days[0], Last: n.date.Days[len(n.date.Days)-1]}
}

// reproduces reports whether a series of the plan gives the dates of the table back, those of its
// milestones too, and settles how many it has in each year.
func (n *inferredSeries) reproduces(s *schedule.Series) bool {
	var days []civil.Date
	var beside = make([]map[civil.Date]civil.Date, len(n.milestonesFound))
	for i := range beside {
		beside[i] = map[civil.Date]civil.Date{}
	}
	for o, err := range s.Occurrences(n.span()) {
		if err != nil {
			return false
		}
		day := o.Value().Day
		days = append(days, day)
		for i, m := range n.milestonesFound {
			k := slices.IndexFunc(s.Milestones, func(x schedule.Milestone) bool { return x.Name == m.name })
			if k < 0 {
				return false
			}
			beside[i][day] = o.Milestone(k).Day
		}
	}
	slices.Sort(days)
	if !slices.Equal(days, n.date.Days) {
		return false
	}
	for i, m := range n.milestonesFound {
		for k, base := range m.found.Base {
			if base != civil.None && beside[i][base] != m.found.Days[k] {
				return false
			}
		}
	}
	least, most := 0, 0
	first := n.span().First.Year()
	counts, err := s.CountYears(civil.Span{First: yearStart(first), Last: yearStart(n.span().Last.Year()+11) - 1})
	if err != nil {
		return false
	}
	for i, c := range counts {
		if i == 0 || c.Moved < least {
			least = c.Moved
		}
		most = max(most, c.Moved)
	}
	switch {
	case most == 0:
	case least == most:
		n.perYear = fmt.Sprint(least)
	default:
		n.perYear = fmt.Sprintf("%d..%d", least, most)
	}
	return true
}

func yearStart(year int) civil.Date {
	d, _ := civil.NewDate(min(year, civil.MaxYear), 1, 1)
	return d
}
