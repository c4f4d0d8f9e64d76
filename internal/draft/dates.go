package draft

import (
	"errors"
	"fmt"
	"path/filepath"
	"reflect"
	"regexp"
	"slices"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/infer"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/plan"
	"yoyaku/internal/question"
)

// A newSeries is a series that the dates of a table come to.
type newSeries struct {
	name, title string
	file        string // the table
	date        *infer.ColumnResult
	beside      []newMilestone
	like        string // its pattern; "" for none
	ruleless    bool   // the pattern has the rule
	perYear     string // dates a year, "" where that isn't told
	hands       list
	plus        []civil.Date
}

// A newMilestone is a column that hangs on the dates of a series.
type newMilestone struct {
	name, phrase string
	found        *infer.ColumnResult
}

// seldom reports whether so few of so many dates are off that a plan takes the rule: at most
// one in ten.
func seldom(off, of int) bool { return 10*off <= of }

// datesOf looks for the rules behind the dates of a table. It gives the series that come of
// it, and whether anything of the table is left that they don't say.
func (s Start) datesOf(path, file string, how question.TableOptions) (list []*newSeries, left bool, err error) {
	empty, err := plan.NewEmpty(s.set)
	if err != nil {
		return nil, true, err
	}
	place := empty.Workspace()
	place.Note = func(string, ...any) {}
	place.Warn = place.Note
	job := &question.Job{Workspace: &place, Args: []string{path}, CalendarName: s.Calendar, In: how}
	dates, found, err := job.Infer(nil, s.Key)
	if option := (*rows.OptionError)(nil); errors.As(err, &option) && option.Option == "key" {
		return nil, true, fmt.Errorf("%s: %w", file, err)
	} else if err != nil {
		return nil, true, nil // it has no dates, or rows that a record tells of
	}
	if n := len(slices.DeleteFunc(slices.Clone(found), func(f infer.ColumnResult) bool { return f.Err != infer.ErrTooMuchWork })); n > 0 {
		return nil, true, fmt.Errorf("%s: %s %w; take a table with fewer", file, phrase.CountVerb(n, "series was", "series were"), infer.ErrTooMuchWork)
	}
	left = dates.HasMore() && !question.IsCalendarFile(path) // an event has much besides
	var of *newSeries
	for i := range found {
		f := &found[i]
		switch fits := len(f.Explanations) > 0 && seldom(f.Explanations[0].Misses, f.Dates); {
		case f.Base == nil && fits:
			name := f.Series
			if f.OwnSeries && s.Key != "" { // of one of several
				name = f.BaseSeries + " " + name
			}
			one := &newSeries{name: nameFrom(name), title: titleFrom(name), file: file, date: f}
			list = append(list, one)
			if !f.OwnSeries {
				of = one
			}
		case f.Base == nil:
			left = true
			if !f.OwnSeries {
				of = nil
			}
		case of != nil && fits && of.hang(f):
		default:
			left = true
		}
	}
	return list, left, nil
}

// hang takes a column as a milestone, unless it has dates on rows that the series can't tell
// apart or has no date for, or is blank more often than seldom.
func (n *newSeries) hang(f *infer.ColumnResult) bool {
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
	if !seldom(blank+f.Explanations[0].Misses, f.Dates+blank) {
		return false
	}
	m := newMilestone{name: milestoneName(f.What), phrase: f.Phrases(f.Explanations[0])[0].Phrase, found: f}
	if slices.ContainsFunc(n.beside, func(o newMilestone) bool { return phrase.NamesEqual(o.name, m.name) }) ||
		slices.Contains(schedule.BaseNames, m.name) {
		return false
	}
	n.beside = append(n.beside, m)
	return true
}

var notInNames = regexp.MustCompile(`[^\p{L}0-9]+`)

// nameFrom makes a name of a series of a text, without a year: its dates are for any.
func nameFrom(text string) string {
	name := withoutYear(slug(text, notInNames))
	if plan.CheckName(name) != nil {
		name = strings.Trim("dates-"+name, "-")
	}
	return name
}

// titleFrom is the text; where it holds a year or is written as a name, what titleOf makes of it.
func titleFrom(text string) string {
	switch name := nameFrom(text); {
	case strings.ContainsRune(text, ' ') && slug(text, notInNames) == withoutYear(slug(text, notInNames)):
		return text
	case strings.HasPrefix(name, "dates-"):
		return titleOf(strings.TrimPrefix(name, "dates-"))
	default:
		return titleOf(name)
	}
}

func milestoneName(column string) string {
	if plan.CheckName(column) == nil {
		return column
	}
	name := slug(column, notInNames)
	if plan.CheckName(name) != nil {
		name = "on-" + name
	}
	return name
}

// settleHands works out what is set by hand: dates that the table has elsewhere, or not, and
// dates that only the table has.
func (n *newSeries) settleHands() {
	r := n.date.Explanations[0]
	ids := n.date.Search.IDs(r)
	byDay := map[civil.Date]string{} // the id of the row's date
	for d, id := range ids {
		byDay[d] = id
	}
	for _, e := range n.date.Exceptions(r) {
		if e.Rule == civil.None {
			id := e.Table.String()
			n.plus = append(n.plus, e.Table)
			byDay[e.Table] = id
			continue
		}
		n.hand(ids[e.Rule], "", e.Table, n.date.Time)
		if delete(byDay, e.Rule); e.Table != civil.None {
			byDay[e.Table] = ids[e.Rule]
		}
	}
	for _, m := range n.beside {
		for i, base := range m.found.Base {
			if d := m.found.Days[i]; base != civil.None && m.found.Explanations[0].Dates[i] != d {
				n.hand(byDay[base], m.name, d, m.found.Time)
			}
		}
	}
}

// hand sets a date by hand, or that of a milestone; None leaves it out.
func (n *newSeries) hand(id, what string, to civil.Date, at int) {
	text := "none"
	if to != civil.None {
		if text = to.String(); at >= 0 {
			text += "T" + string(civil.AppendClock(nil, at))
		}
	}
	says := flow{{key: "id", says: plain(id)}, {key: "what", says: what}, {key: "date", says: plain(text)}, {key: "why", says: "as in " + n.file}}
	if what == "" {
		says = slices.Delete(says, 1, 2)
	}
	n.hands = append(n.hands, entry{says: says})
}

// pin keeps dates that only the table has on their day, where the rule's steps would move them.
func (n *newSeries) pin() {
	for _, d := range n.plus {
		n.hand(d.String(), "", d, n.date.Time)
	}
}

// rule is what the plan says under `rule`: one, or two that follow each other.
func (n *newSeries) rule() any {
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
	var two list
	for i, r := range rules {
		p := parsed[i]
		for _, d := range n.plus {
			if (d >= second) == (i == 1) {
				p.Include = append(p.Include, &phrase.Date{Day: d})
			}
		}
		if r.Calendar != "" && r.Calendar != n.calendar("") {
			p.Using = &phrase.Using{Calendars: []phrase.Name{{Text: r.Calendar}}}
		}
		var span entry
		if d, ok := p.Until.(*phrase.Date); ok && len(rules) > 1 {
			span, p.Until = entry{key: "until", says: plain(d.Day.String())}, nil
		}
		if d, ok := p.From.(*phrase.Date); ok && len(rules) > 1 && i > 0 {
			if span = (entry{key: "from", says: plain(d.Day.String())}); p.Every == 1 {
				p.From = nil
			}
		}
		one = p.Canonical()
		two = append(two, entry{says: flow{span, {key: "is", says: one}}})
	}
	if len(rules) == 1 {
		return one
	}
	return two
}

// noHolidays is the calendar of a new plan for series that count with none, where the plan
// counts with one.
const noHolidays = "no-holidays"

// calendar is the calendar that the series names; "" for the plan's own. One that a rule
// names for itself, beside another that counts with none, stands for both.
func (n *newSeries) calendar(own string) string {
	rules := n.date.Explanations[0].Rules
	c := rules[len(rules)-1].Calendar
	matters := slices.ContainsFunc(n.beside, func(m newMilestone) bool { return m.found.Explanations[0].UsesCalendar })
	for _, rule := range rules {
		if matters = matters || counts(rule); c == "" && !counts(rules[len(rules)-1]) {
			c = rule.Calendar
		}
	}
	switch {
	case c == own:
		return ""
	case c == "" && matters:
		return noHolidays
	}
	return c
}

// counts reports whether a rule counts with a calendar.
func counts(rule infer.Rule) bool {
	p, err := phrase.ParseRule(rule.Phrase)
	return err == nil && p.UsesCalendar()
}

// milestones are its milestones, by their names.
func (n *newSeries) milestones() (says block) {
	for _, m := range n.beside {
		says = append(says, entry{key: m.name, says: m.phrase})
	}
	return says
}

// patterns gives series of a table that have the same milestones and calendar a pattern.
func patterns(series []*newSeries, own string, taken []string) (says block) {
	groups := map[string][]*newSeries{}
	var order []string
	for _, n := range series {
		if key := n.milestones().String() + n.calendar(own); len(n.beside) > 0 {
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
		name := free("all-"+nameFrom(strings.TrimSuffix(filepath.Base(group[0].file), filepath.Ext(group[0].file))), taken)
		taken = append(taken, name)
		one := !slices.ContainsFunc(group, func(n *newSeries) bool {
			return !reflect.DeepEqual(n.rule(), group[0].rule()) || len(n.plus) > 0
		})
		for _, n := range group {
			n.like, n.ruleless = name, one
		}
		says = append(says, entry{key: name, says: group[0].shared(own, one), remark: "what these series share"})
	}
	return says
}

// shared is what a pattern may say for the series.
func (n *newSeries) shared(own string, rule bool) (says block) {
	if rule {
		says = append(says, entry{key: "rule", says: n.rule()})
	}
	if c := n.calendar(own); c != "" {
		says = append(says, entry{key: "calendar", says: c})
	}
	if m := n.milestones(); m != nil {
		says = append(says, entry{key: "milestones", says: m})
	}
	return says
}

// says is what the plan says of the series.
func (n *newSeries) says(own string) (says block) {
	if n.like != "" {
		says = append(says, entry{key: "like", says: n.like})
	}
	says = append(says, entry{key: "title", says: n.title})
	switch {
	case n.like == "":
		says = append(says, n.shared(own, true)...)
	case !n.ruleless:
		says = append(says, entry{key: "rule", says: n.rule()})
	}
	if n.perYear != "" {
		says = append(says, entry{key: "expect", says: flow{{key: "per-year", says: plain(n.perYear)}}, remark: "over the next ten years"})
	}
	if n.hands != nil {
		says = append(says, entry{key: "instead", says: n.hands, remark: "where " + n.file + " differs from the rule"})
	}
	return says
}

// stretch is from the first date of the series in its table through the last.
func (n *newSeries) stretch() civil.Span {
	return civil.Span{First: n.date.Days[0], Last: n.date.Days[len(n.date.Days)-1]}
}

// gives reports whether a series of the plan gives the dates of the table back, those of its
// milestones too, and settles how many it has in each year.
func (n *newSeries) gives(s *schedule.Series) bool {
	var days []civil.Date
	var beside = make([]map[civil.Date]civil.Date, len(n.beside))
	for i := range beside {
		beside[i] = map[civil.Date]civil.Date{}
	}
	for o, err := range s.Occurrences(n.stretch()) {
		if err != nil {
			return false
		}
		at := o.Value().Day
		days = append(days, at)
		for i, m := range n.beside {
			k := slices.IndexFunc(s.Milestones, func(x schedule.Milestone) bool { return x.Name == m.name })
			if k < 0 {
				return false
			}
			beside[i][at] = o.Milestone(k).Day
		}
	}
	slices.Sort(days)
	if !slices.Equal(days, n.date.Days) {
		return false
	}
	for i, m := range n.beside {
		for k, base := range m.found.Base {
			if base != civil.None && beside[i][base] != m.found.Days[k] {
				return false
			}
		}
	}
	least, most := 0, 0
	first := n.stretch().First.Year()
	counts, err := s.CountYears(civil.Span{First: firstOf(first), Last: firstOf(n.stretch().Last.Year()+11) - 1})
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

func firstOf(year int) civil.Date {
	d, _ := civil.NewDate(min(year, civil.MaxYear), 1, 1)
	return d
}
