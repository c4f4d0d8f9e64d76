package plan

import (
	"slices"

	"yoyaku/internal/question"
)

// value is what a key takes, for the schema.
type value uint8

const (
	oneText   value = iota // one scalar
	someTexts              // a scalar, with commas between several, or a list of them
	aNumber
	aMapping    // of its shape
	aList       // of mappings of its shape
	someLists   // of texts
	textOrList  // a scalar, or a list of mappings of its shape
	listOrTable // a list of mappings of its shape, or {table: FILE} with its keys as columns
)

// keyOf is a key of a plan or calendar file: declared once, for the reader, the
// hints and the schema.
type keyOf struct {
	name   string
	help   string
	takes  value
	of     *shape // of a mapping or list
	needed bool
	oneOf  []string
	option *question.Option // that declares it, if one does
}

// shape is a mapping: its keys; or with names, any names with one kind of value.
type shape struct {
	what  string // in messages
	keys  []keyOf
	names *keyOf // what stands under each name, where names are free
	text  bool   // one text may stand in its place
	// beside is a key beside which further keys may stand, each with one value; with it
	// those that are needed needn't be there.
	beside string
}

// known lists the names of its keys; nil where names are free.
func (s *shape) known() (list []string) {
	for _, k := range s.keys {
		list = append(list, k.name)
	}
	return list
}

// mustShape is the shape of what stands under a key that takes a mapping.
func mustShape(s *shape, key string) *shape {
	for _, k := range s.keys {
		if k.name == key {
			return k.of
		}
	}
	panic("no key " + key + " in " + s.what)
}

// optionKeys are the keys that options declare.
func optionKeys(options []*question.Option) (keys []keyOf) {
	for _, o := range options {
		k := keyOf{name: o.Name, help: o.Describe(), takes: oneText, option: o, oneOf: o.Choices}
		switch o.Into.(type) {
		case *[]string:
			k.takes = someTexts
		case *int:
			k.takes = aNumber
		case *bool:
			k.oneOf = []string{"yes", "no"}
		}
		keys = append(keys, k)
	}
	return keys
}

var (
	holidayShape = &shape{what: "a holiday", text: true, keys: []keyOf{
		{name: "name", help: "what the holiday is called"},
		{name: "day", help: "a rule, a date, a stretch or a list of them: yearly on 1 jan then roll following, 2027-12-27..2027-12-31", takes: someTexts},
		{name: "file", help: "a list of holidays: .csv with the columns date and name, or start, end and name; or .ics"},
		{name: "read-dates", help: "the form of the dates of a .csv list that aren't ISO: dmy"},
		{name: "where", help: "a condition on summary and categories of the events of an .ics file"},
		{name: "calendar", help: "takes the holidays of another calendar"},
	}}
	calendarShape = &shape{what: "a calendar", text: true, keys: []keyOf{
		{name: "title", help: "what the calendar is, for people"},
		{name: "closed", help: "closed weekdays: sat, sun; none where every day is worked", takes: someTexts},
		{name: "holidays", help: "the holidays, in order; each sees the entries above it", takes: aList, of: holidayShape},
		{name: "open", help: "days that are worked although the above closes them", takes: someTexts},
		{name: "known-from", help: "the first day that the calendar knows about"},
		{name: "known-through", help: "the last day that the calendar knows about"},
	}}
	periodShape = &shape{what: "a period", keys: []keyOf{
		{name: "start", help: "the first day of a date's period: previous_nominal, +1 day"},
		{name: "end", help: "the last day of a date's period: nominal"},
	}}
	// lookKeys say how events show, those of a series and those of rows.
	lookKeys = []keyOf{
		{name: "remind", help: "reminders: 7 days before, 1 working day before at 09:00", takes: someTexts},
		{name: "busy", help: "whether its time counts as taken (default: no)", oneOf: []string{"yes", "no"}},
		{name: "lasting", help: "how long a date with a time lasts: 30 minutes (default: no end)"},
		{name: "categories", help: "categories in place of the series' name", takes: someTexts},
		{name: "location", help: "where it is"},
		{name: "color", help: "the name of a colour on the web: teal"},
	}
	eventShape = &shape{what: "an event", keys: append([]keyOf{
		{name: "summary", help: "what the event is called, with {names} of the series in it"},
	}, lookKeys...)}
	milestoneShape = &shape{what: "a milestone", text: true, keys: []keyOf{
		{name: "date", help: "steps from the date, or a phrase: date, -5 working days", needed: true},
		{name: "title", help: "what its events are called, with {names} of the series in it (default: the series, and its name)"},
		{name: "owner", help: "whose task it is, one of `people`"},
		{name: "todo", help: "whether it is a to-do in calendars", oneOf: []string{"yes", "no"}},
		{name: "private", help: "whether its events are private", oneOf: []string{"yes", "no"}},
	}}
	ruleShape = &shape{what: "a rule that holds for a time", keys: []keyOf{
		{name: "from", help: "the first nominal date that it holds for"},
		{name: "until", help: "the last nominal date that it holds for"},
		{name: "is", help: "the rule: monthly on 15, last then roll preceding", needed: true},
		{name: "expect", help: "what must hold of its dates", takes: aMapping, of: expectShape},
	}}
	tasksShape = &shape{what: "a table of milestones", keys: []keyOf{
		{name: "table", help: "the file: a milestone a row, in order", needed: true},
		{name: "name", help: "the column of their names", needed: true},
		{name: "date", help: "the column of their steps: date, +2 working days", needed: true},
		{name: "owner", help: "the column of their owners"},
		{name: "title", help: "the column of what their events are called"},
		{name: "todo", help: "whether they are to-dos in calendars", oneOf: []string{"yes", "no"}},
	}}
	insteadOfOneShape = &shape{what: "a day by hand", keys: []keyOf{
		{name: "id", help: "the id of the date: 2028-12/last", needed: true},
		{name: "date", help: "the day in its place, or `none` to leave it out", needed: true},
		{name: "why", help: "the reason", needed: true},
		{name: "by", help: "who says so"},
		{name: "what", help: "the milestone that is meant (default: the date itself)"},
	}}
	insteadShape = &shape{what: insteadOfOneShape.what, keys: append([]keyOf{
		{name: "series", help: "the series", needed: true},
	}, insteadOfOneShape.keys...)}
	takesShape = &shape{what: "what a pattern takes", names: &keyOf{help: "the value where none is told, or `needed`"}}
	ownerShape = &shape{what: "one of the people", keys: []keyOf{
		{name: "name", help: "as calendars show it"},
		{name: "mail", help: "the address"},
	}}
	organizerShape  = &shape{what: "the organizer", keys: ownerShape.keys}
	seriesFromShape = &shape{what: "a table of series", beside: "like", keys: []keyOf{
		{name: "table", help: "the file: a series a row, with columns named as what the pattern takes", needed: true},
		{name: "like", help: "the pattern", needed: true},
		{name: "name", help: "the column that names each series", needed: true},
	}}
	seriesShape = &shape{what: "a series", beside: "like", keys: []keyOf{
		{name: "like", help: "the pattern that says what this doesn't; what it takes are further keys"},
		{name: "title", help: "what the series is called"},
		{name: "rule", help: "the rule of its dates: monthly on 15, last then roll preceding; or a list of rules that follow each other", takes: textOrList, of: ruleShape, needed: true},
		{name: "calendar", help: "the working calendar it counts with (default: the plan's)"},
		{name: "period", help: "the period that each date stands for", takes: aMapping, of: periodShape},
		{name: "milestones", help: "dates that hang on each date, in order: date, -5 working days", takes: aMapping, of: &shape{what: "milestones", names: &keyOf{help: "steps from the date, or a phrase", takes: aMapping, of: milestoneShape}}},
		{name: "expect", help: "what must hold of its dates", takes: aMapping, of: expectShape},
		{name: "event", help: "how its calendar events look", takes: aMapping, of: eventShape},
		{name: "milestones-from", help: "a table of further milestones", takes: aMapping, of: tasksShape},
		{name: "instead", help: "days that stand in the place of others, by hand", takes: listOrTable, of: insteadOfOneShape},
		{name: "zone", help: "time zone of its times (default: the plan's)"},
		{name: "private", help: "whether its events are private", oneOf: []string{"yes", "no"}},
		{name: "owner", help: "one of the people, who sees to its dates"},
		{name: "todo", help: "whether its own date is a to-do", oneOf: []string{"yes", "no"}},
	}}
	patternShape = &shape{what: "a pattern", beside: "like", keys: append([]keyOf{
		{name: "takes", help: "words that a series fills in, with their values unless told: {lead: 5}", takes: aMapping, of: takesShape},
	}, optional(seriesShape.keys)...)}
	planShape = &shape{what: "the plan", keys: []keyOf{
		{name: "plan", help: "the version of this format: 1", takes: aNumber, needed: true, oneOf: []string{"1"}},
		{name: "id", help: "names the events for good: letters, digits, -, . and _"},
		{name: "title", help: "the name of the calendar that is handed on"},
		{name: "zone", help: "time zone of dates with a time, such as Atlantic/Faroe; without it, times float"},
		{name: "window", help: "the stretch that a run makes: 2027, 2027..2028, today..today, +1 year"},
		{name: "week-start", help: "the weekday that weeks start on (default: mon)"},
		{name: "fiscal-start", help: "the day that the fiscal year starts on: apr, 6 apr (default: 1 jan)"},
		{name: "fiscal-end", help: "the day that fiscal years of whole weeks end on: last sat of jan, sat nearest 31 jan"},
		{name: "fiscal-pattern", help: "the weeks of a fiscal quarter's months (default: 4-4-5)", oneOf: []string{"4-4-5", "4-5-4", "5-4-4"}},
		{name: "fiscal-named", help: "which calendar year names a fiscal year (default: end)", oneOf: []string{"start", "end"}},
		{name: "calendar", help: "the calendar of series and tables that name none"},
		{name: "calendars", help: "working calendars by name", takes: aMapping, of: &shape{what: "calendars", names: &keyOf{takes: aMapping, of: calendarShape}}},
		{name: "organizer", help: "who sends out cancellations", takes: aMapping, of: organizerShape},
		{name: "include", help: "files with calendars, patterns, people, series, records and apart for this plan: shared/*.yaml", takes: someTexts},
		{name: "patterns", help: "what several series have in common, by name", takes: aMapping, of: &shape{what: "patterns", names: &keyOf{takes: aMapping, of: patternShape}}},
		{name: "people", help: "who owns tasks, by name", takes: aMapping, of: &shape{what: "people", names: &keyOf{takes: aMapping, of: ownerShape}}},
		{name: "series-from", help: "series of the rows of tables", takes: aList, of: seriesFromShape},
		{name: "instead", help: "days that stand in the place of others, by hand, each with its series", takes: listOrTable, of: insteadShape},
		{name: "expect", help: "what must hold over all series", takes: aMapping, of: expectAllShape},
		{name: "strict", help: "whether every warning is a failure", oneOf: []string{"yes", "no"}},
		{name: "series", help: "rules with a name", takes: aMapping, of: &shape{what: "series", names: &keyOf{takes: aMapping, of: seriesShape}}},
		{name: "records", help: "tables with a name", takes: aMapping, of: &shape{what: "records", names: &keyOf{takes: aMapping, of: recordShape}}},
		{name: "apart", help: "lists of series that never have dates on one day: [crew-pay, fuel-duty]", takes: someLists},
		{name: "outputs", help: "the files that a run makes", takes: aList, of: outputShape},
		{name: "publish", help: "the calendar server that events are published to", takes: aMapping, of: publishShape},
	}}
	recordEventShape = &shape{what: "an event of rows", keys: append([]keyOf{
		{name: "private", help: "whether it is private", oneOf: []string{"yes", "no"}},
		{name: "name", help: "names the event among those of a row, for good", needed: true},
		{name: "day", help: "its day: a column, or a phrase", needed: true},
		{name: "where", help: "conditions of the rows that have it", takes: someTexts},
		{name: "summary", help: "what it is called, with {columns} in it"},
	}, lookKeys...)}
	lookupShape = &shape{what: "a look-up", keys: append([]keyOf{
		{name: "table", help: "the file that it looks into", needed: true},
	}, lookupKeys()...)}
	recordShape = &shape{what: "a record", keys: append([]keyOf{
		{name: "table", help: "the file of the table, relative to the plan"},
		{name: "from", help: "in place of a table: a series, a row an occurrence; or a record above, with `make`"},
		{name: "make", help: "what is made of the record in `from`; its options stand beside it"},
		{name: "match", help: "columns that are looked up from other tables before `columns`", takes: aList, of: lookupShape},
		{name: "key", help: "the column that names each row for good"},
		{name: "calendar", help: "the calendar that it counts with (default: the plan's); (site) is a column that names each row's"},
		{name: "columns", help: "columns that phrases add, in order", takes: aMapping, of: &shape{what: "columns", names: &keyOf{help: "a phrase"}}},
		{name: "where", help: "conditions of the rows to keep", takes: someTexts},
		{name: "expect", help: "what must hold of the rows", takes: aMapping, of: rowsExpectShape},
		{name: "events", help: "calendar events of each row", takes: aList, of: recordEventShape},
	}, optionKeys(new(question.TableIn).Options())...)}
	publishShape = &shape{what: "publishing", keys: []keyOf{
		{name: "to", help: "the address of the server: https://calendar.example/dav/"},
		{name: "collection", help: "the calendar there, by its name (default: the plan's id)"},
		{name: "of", help: "the series and records to publish (default: all with events)", takes: someTexts},
		{name: "choose", help: "whole occurrences: each milestone goes with its date, even across the window's edge", oneOf: []string{"occurrence"}},
	}}
	outputShape = &shape{what: "an output", keys: []keyOf{
		{name: "per", help: "one file for each owner of tasks, by {owner} in the name of `file`", oneOf: []string{"owner"}},
		{name: "choose", help: "whole occurrences: each milestone goes with its date, even across the window's edge", oneOf: []string{"occurrence"}},
		{name: "file", help: "the file; its ending is the format", needed: true},
		{name: "of", help: "the series and records that it shows", takes: someTexts},
		{name: "make", help: "what is made of a record; its options stand beside it"},
	}}
)

// lookupKeys are those of match, but for the table.
func lookupKeys() []keyOf {
	q, err := question.New("match")
	if err != nil {
		panic(err)
	}
	return slices.DeleteFunc(optionKeys(q.Options), func(k keyOf) bool { return k.name == "ranges" })
}

// recordOf is a record's shape with the options of what it makes; keys that a record
// has itself stay its own.
func recordOf(q *question.Question) *shape {
	s := *recordShape
	s.keys = slices.Clone(s.keys)
	for _, k := range optionKeys(q.Options) {
		if !slices.ContainsFunc(s.keys, func(o keyOf) bool { return o.name == k.name }) {
			s.keys = append(s.keys, k)
		}
	}
	return &s
}

// optional are keys of which none is needed.
func optional(keys []keyOf) []keyOf {
	keys = slices.Clone(keys)
	for i := range keys {
		keys[i].needed = false
	}
	return keys
}

// outputOf is an output's shape with the options of a result and of what it
// makes; q is nil where it makes nothing.
func outputOf(q *question.Question, result []*question.Option) *shape {
	s := &shape{what: outputShape.what}
	s.keys = append(append(s.keys, outputShape.keys...), optionKeys(result)...)
	if q != nil {
		s.keys = append(s.keys, optionKeys(q.Options)...)
	}
	if q != nil && q.Name == "days" {
		s.keys = append(s.keys, keyOf{name: "window", help: "the days to list (default: the plan's window)"})
	}
	return s
}
