// Package draft makes a first plan of the tables of a folder: the rules behind their dates, what
// hangs on them, and records of the rest. What it wrote is read and checked before it is kept.
package draft

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"unicode"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/language"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/core/workdays"
	"yoyaku/internal/files"
	"yoyaku/internal/plan"
	"yoyaku/internal/tabular"
	"yoyaku/internal/workflow"
)

// schemaFile is the schema that a new plan names for editors, beside it.
const schemaFile = "yoyaku-plan.schema.json"

// NewPlan is what a new plan begins with.
type NewPlan struct {
	Dir          string           // the plan's folder
	ID, Calendar string           // "" for an id of the folder's name, and for a calendar of its own
	Series       []string         // NAME = RULE
	Tables       []string         // paths
	Key          string           // the column of the tables that names series; "" where each is one
	In           ask.TableOptions // how tables are read, as far as it was said
	Dates, Where []string         // the columns of dates, the first the series'; which rows count
	Stdin        io.Reader        // of the table -
	Language     string           // whose words for months and weekdays go first; "" for none

	givenID     string
	givenTables []string
	stdin       string
	title       string
	today       civil.Date
	settings    plan.Settings
	context     tabular.DateContext
}

// A planTable is what a table comes to in a plan.
type planTable struct {
	file, record    string           // as the plan reaches it; the name of its record
	layout          *tabular.Layout  // nil for a calendar file
	options         ask.TableOptions // with which it is read
	notes           []string         // what else was seen in it
	isCalendar      bool
	isSchedule      bool      // it is a table of ours
	keys            yamlBlock // of the record
	summary         string
	dueOptions      string // the options with which its dates are watched; "" if it has none
	series          []*inferredSeries
	hasOtherColumns bool // the table holds what its series don't say
}

// Create works a new plan out, proves it and writes it with its schema beside it, whole or
// not at all. It says the plan's path and what was found in the tables.
func (s NewPlan) Create(set plan.Settings) (path string, found []string, err error) {
	path = filepath.Join(s.Dir, plan.FileName)
	if err := s.setDefaults(set); err != nil {
		return "", nil, err
	}
	if _, err := os.Lstat(path); err == nil {
		return "", nil, fmt.Errorf("%s already exists and was left as it is; name another folder", path)
	}
	text, found, err := s.planText()
	if err != nil {
		return "", nil, err
	}
	if err := s.verify(path, text, set); err != nil {
		return "", nil, err
	}
	return path, found, s.write(path, text)
}

// setDefaults works out what wasn't told, and refuses what can't be.
func (s *NewPlan) setDefaults(set plan.Settings) error {
	if s.Language != "" {
		l, err := language.Find(s.Language)
		if err != nil {
			return rows.WrapOption("language", err)
		}
		set.Language = l
	}
	empty, err := plan.NewEmpty(set)
	if err != nil {
		return err
	}
	if s.Calendar != "" {
		if _, err := empty.Calendar(s.Calendar); err != nil {
			return rows.WrapOption("calendar", err)
		}
	}
	s.today, s.settings = empty.Env.Today, set
	folder, err := filepath.Abs(s.Dir)
	if err != nil {
		return err
	}
	if s.givenID = s.ID; s.ID == "" {
		s.ID = planIDFrom(filepath.Base(folder))
	} else if err := plan.CheckID(s.ID); err != nil {
		return rows.WrapOption("id", err)
	}
	s.title = strings.ReplaceAll(s.ID, "-", " ")
	s.context = tabular.ContextOf(empty.Env)
	s.givenTables, s.Tables = s.Tables, slices.Clone(s.Tables)
	for i, t := range s.Tables { // as they are reached from the plan's folder
		if t == standardInput && s.Stdin != nil {
			data, err := io.ReadAll(s.Stdin)
			if err != nil {
				return err
			}
			s.stdin, s.Stdin = string(data), nil
		}
		if t == standardInput {
			continue
		}
		if abs, err := filepath.Abs(t); err == nil {
			if rel, err := filepath.Rel(folder, abs); err == nil {
				s.Tables[i] = rel
			}
		}
	}
	return nil
}

// verify reads what the plan would say, before it is in its file: what was meant must
// come back, and nothing in it fails.
func (s NewPlan) verify(path, text string, set plan.Settings) error {
	set.Text = []byte(text)
	p, err := plan.Load(path, set)
	switch {
	case err != nil:
		return err
	case p.ID != s.ID || p.Title != s.title:
		return fmt.Errorf("the plan would be read as id %q, title %q", p.ID, p.Title)
	}
	var c plan.Collector
	set.Collector = &c
	if p, err = plan.Load(path, set); err != nil {
		return err
	}
	list, err := workflow.Check(p, &c, "", false)
	if err != nil {
		return err
	}
	for _, f := range list {
		if !f.IsNote {
			return &workflow.NegativeError{Text: "nothing was written, since the plan would be wrong: " + f.Text}
		}
	}
	return nil
}

// write writes the plan and its schema.
func (s NewPlan) write(path, text string) error {
	schema, err := plan.Schema("plan")
	if err != nil {
		return err
	}
	if err := os.MkdirAll(s.Dir, 0o777); err != nil {
		return err
	}
	if err := files.WriteFile(filepath.Join(s.Dir, schemaFile), func(w io.Writer) error {
		_,
			err := w.Write(schema)
		return err
	}); err != nil {
		return err
	}
	return files.WriteFile(path, func(w io.Writer) error { _, err := io.WriteString(w, text); return err })
}

// planIDFrom makes an id of a folder's name.
func planIDFrom(name string) string {
	if id := withoutYear(slug(name, nonIDChars)); id != "" {
		return id
	}
	return "office"
}

var (
	nonIDChars = regexp.MustCompile(`[^a-z0-9]+`)
	yearInSlug = regexp.MustCompile(`-?(19|20)\d\d-?`)
)

// slug is a text in lower case, with one hyphen for each run of what can't be in it.
func slug(text string, not *regexp.Regexp) string {
	return strings.Trim(not.ReplaceAllString(strings.ToLower(text), "-"), "-")
}

// withoutYear takes a year out of a slug: what it names goes on.
func withoutYear(slug string) string {
	return strings.Trim(yearInSlug.ReplaceAllString(slug, "-"), "-")
}

// planText writes the new plan, commented for a newcomer, and what was found in its
// tables.
func (s NewPlan) planText() (text string, found []string, err error) {
	tables, err := s.readTables()
	if err != nil {
		return "", nil, err
	}
	for _, t := range tables {
		t.series = slices.DeleteFunc(t.series, func(n *inferredSeries) bool {
			wrong := !s.reproducesTable(n)
			if wrong && n.extraDates != nil {
				n.pinExtraDates()
				wrong = !s.reproducesTable(n)
			}
			t.hasOtherColumns = t.hasOtherColumns || wrong
			return wrong
		})
		told := t.summary
		if n := len(t.series); n > 0 {
			told += fmt.Sprintf("; %s made of it", countSeriesText(n))
		} else if len(t.dateColumns()) == 0 || t.isSchedule {
			return "", nil, errNothingFound(t)
		}
		if t.file == standardInput && (len(t.series) == 0 || t.hasOtherColumns && len(t.series) == 0) {
			return "", nil, errors.New("no rule was found in standard input, and a plan can't keep it as a record; put the table in a file and name that")
		}
		found = append(append(found, told), t.notes...)
	}
	text, err = s.compose(tables)
	return text, append(found, s.calendarTexts(tables)...), err
}

func countSeriesText(n int) string {
	if n == 1 {
		return "1 series is"
	}
	return fmt.Sprint(n, " series are")
}

// reproducesTable reports whether a plan with the series alone gives the dates of its table back.
func (s NewPlan) reproducesTable(n *inferredSeries) bool {
	set := s.settings
	alone := s
	alone.Series = nil
	text, err := alone.compose([]*planTable{{series: []*inferredSeries{n}}})
	if err != nil {
		return false
	}
	set.Text = []byte(text)
	p, err := plan.Load(filepath.Join(s.Dir, plan.FileName), set)
	if err != nil {
		return false
	}
	made := p.FindSeries(n.name)
	return made != nil && n.reproduces(made)
}

// readTables looks at all tables.
func (s NewPlan) readTables() (list []*planTable, err error) {
	var taken []string
	for _, text := range s.Series {
		if name, _, err := rows.SplitAdd(text); err == nil {
			taken = append(taken, name)
		}
	}
	for _, file := range s.Tables {
		t, err := s.newRecord(file)
		if err != nil {
			return nil, err
		}
		if err = s.inferSeries(t); err != nil {
			return nil, err
		}
		for _, n := range t.series {
			n.name = uniqueName(n.name, taken)
			taken = append(taken, n.name)
			n.setOverrides()
		}
		list = append(list, t)
	}
	if err := s.checkUnused(list); err != nil {
		return nil, err
	}
	for _, t := range list {
		t.record = recordNameFrom(t.file, taken)
		taken = append(taken, t.record)
	}
	return list, nil
}

// checkUnused refuses options that name columns which no table has.
func (s NewPlan) checkUnused(list []*planTable) error {
	for _, o := range []struct {
		option string
		texts  []string
		of     func(ask.TableOptions) []string
	}{{"read-dates", s.In.ReadDates, func(t ask.TableOptions) []string { return t.ReadDates }}, {"read-numbers", s.In.ReadNumbers, func(t ask.TableOptions) []string { return t.ReadNumbers }}} {
		for _, text := range o.texts {
			if name, _ := ask.SplitForm(text); name != "" && len(list) > 0 && !slices.ContainsFunc(list, func(t *planTable) bool { return slices.Contains(o.of(t.options), text) }) {
				return rows.WrapOption(o.option, fmt.Errorf("no table has a column `%s`", name))
			}
		}
	}
	return nil
}

// compose writes the plan.
func (s NewPlan) compose(tables []*planTable) (string, error) {
	first, last := s.today.Year(), s.today.Year()+1
	var found []*inferredSeries
	var taken []string
	for _, t := range tables {
		for _, n := range t.series {
			first, last = min(first, n.span().First.Year()), max(last, n.span().Last.Year())
			taken = append(taken, n.name)
		}
		found = append(found, t.series...)
	}
	for _, t := range tables {
		taken = append(taken, t.record)
	}
	for _, text := range s.Series {
		if name, _, err := rows.SplitAdd(text); err == nil {
			taken = append(taken, name)
		}
	}
	own := s.ownCalendar(found)
	says := append(s.header(first, last, own, found), yamlEntry{key: "calendars", value: s.calendars(own)})
	shared := addPatterns(found, own, taken)
	series, names, err := s.seriesEntries(found, own, len(tables) > 0)
	if err != nil {
		return "", err
	}
	var records yamlBlock
	var outputs yamlList
	if names != nil {
		outputs = yamlList{
			{value: yamlFlow{{key: "file", value: "dates.csv"}, {key: "of", value: names}}, remark: "a table for colleagues"},
			{value: yamlFlow{{key: "file", value: "dates.ics"}, {key: "of", value: names}}, remark: "for any calendar program"},
		}
	}
	for _, t := range tables {
		if t.record == "" || t.file == standardInput || len(t.series) > 0 && !t.hasOtherColumns {
			continue
		}
		records = append(records, yamlEntry{key: t.record, value: t.keys})
		outputs = append(outputs, yamlEntry{value: yamlFlow{{key: "file", value: t.record + "-table.csv"}, {key: "of", value: t.record}},
			remark: "the table with its added columns"})
	}
	says = append(says, yamlEntry{key: "patterns", value: shared}, yamlEntry{key: "series", value: series}, yamlEntry{key: "records", value: records})
	says = slices.DeleteFunc(says, func(e yamlEntry) bool { under, is := e.value.(yamlBlock); return is && under == nil })
	return append(says, yamlEntry{key: "outputs", value: outputs}).String(), nil
}

// header is what is above the calendars.
func (s NewPlan) header(first, last int, own string, found []*inferredSeries) yamlBlock {
	says := yamlBlock{
		commentLines("yaml-language-server: $schema="+schemaFile,
			"A plan of dates. Is it right?  yoyaku check",
			"Write its outputs:  yoyaku run      What comes up:  yoyaku ahead",
			"The rules on one page:  yoyaku help phrases      Its keys:  yoyaku help plan"),
		{key: "plan", value: yamlPlain("1")},
		{key: "id", value: s.ID, remark: "identifies the events for good, so it has no year", gap: 12},
		{key: "title", value: s.title},
		{key: "window", value: yamlPlain(fmt.Sprintf("%d..%d", first, last)), remark: "move it on each year; the events are updated", gap: 4},
		{key: "calendar", value: own, remark: "the working calendar, unless a series names another"},
	}
	for _, n := range found {
		if f := n.date.Fiscal; f.End != "" { // the series' own, where others go by none
			says = append(says, yamlEntry{key: "fiscal-end", value: f.End, remark: "of " + n.name + ", whose months are whole weeks"}, yamlEntry{key: "fiscal-pattern", value: f.Pattern})
			break
		}
	}
	if s.Language != "" {
		says = append(says, yamlEntry{key: "language", value: s.Language, remark: "of months and weekdays in tables"})
	}
	return says
}

// starterCalendar is the calendar to fill in of a plan that was told none and found none.
const starterCalendar = "office"

// ownCalendar is the plan's: what was told, else what most of the series found count with.
func (s NewPlan) ownCalendar(found []*inferredSeries) string {
	own, most := cmp.Or(s.Calendar, starterCalendar), 0
	count := map[string]int{}
	for _, n := range found {
		c := n.calendarNeeded()
		if count[c]++; s.Calendar == "" && c != "" && count[c] > most {
			own, most = c, count[c]
		}
	}
	return own
}

// calendarTexts says what the plan and its series count with.
func (s NewPlan) calendarTexts(tables []*planTable) (list []string) {
	var found []*inferredSeries
	for _, t := range tables {
		found = append(found, t.series...)
	}
	own := s.ownCalendar(found)
	switch says := "working days: " + own; {
	case s.Calendar != "":
		list = append(list, says+", as told")
	case own == starterCalendar:
		list = append(list, says+", which has no holidays yet; add yours in the plan")
	case own == workdays.NoneName:
		list = append(list, says+": Saturday and Sunday closed and no holidays, as the dates found have it")
	default:
		list = append(list, says+", as the dates found have it")
	}
	for _, n := range found {
		if c := n.calendarName(own); c != "" {
			list = append(list, fmt.Sprintf("working days of %s: %s, as its dates have it", n.name, c))
		}
	}
	return list
}

// calendars are the plan's own: one to fill in, unless there is another.
func (s NewPlan) calendars(own string) yamlBlock {
	if own != starterCalendar || s.Calendar != "" {
		return nil
	}
	return yamlBlock{{key: starterCalendar, value: yamlBlock{
		{key: "closed", value: yamlPlain("sat, sun")},
		commentLines("Your holidays go here, as rules, dates, stretches or a list in a file:",
			"holidays:",
			"  - {name: New Year, day: yearly on 1 jan then roll following}",
			fmt.Sprintf("  - {name: Summer closing, day: %d-08-02..%[1]d-08-06}", s.today.Year()+1),
			"  - {file: holidays.csv}       # with the columns date and name",
			"If there are none on purpose: holidays: none"),
	}}}
}

// seriesEntries are the series and their names.
func (s NewPlan) seriesEntries(found []*inferredSeries, own string, tables bool) (says yamlBlock, names []string, err error) {
	given := s.Series
	if given == nil && tables && found == nil {
		return nil, nil, nil
	}
	for _, n := range found {
		names = append(names, n.name)
		says = append(says, yamlEntry{key: n.name, value: n.keys(own)})
	}
	if given == nil && found == nil {
		given = []string{"pay = monthly on last then roll preceding"}
	}
	for i, text := range given {
		name, rule, err := rows.SplitAdd(text)
		if err != nil {
			return nil, nil, err
		}
		r, err := phrase.ParseRule(rule)
		if err == nil {
			err = schedule.CheckName(name)
		}
		if err == nil && slices.ContainsFunc(names, func(n string) bool { return phrase.NamesEqual(n, name) }) {
			err = fmt.Errorf("the series `%s` was given twice", name)
		}
		if err != nil {
			return nil, nil, err
		}
		names = append(names, name)
		one := yamlBlock{{key: "title", value: titleFromName(name)}, {key: "rule", value: r.Canonical()}}
		if i == 0 {
			one = append(one, commentLines("Dates that depend on each date, and what must hold:",
				"milestones:", "  approval: date, -3 working days", "expect: {per-year: 12}"))
		}
		says = append(says, yamlEntry{key: name, value: one})
	}
	return says, names, nil
}

// titleFromName makes a title of a name: crew-pay as Crew pay.
func titleFromName(name string) string {
	text := []rune(phrase.FoldName(name))
	text[0] = unicode.ToUpper(text[0])
	return string(text)
}
