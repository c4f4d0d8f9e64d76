package plan

import (
	"errors"
	"fmt"
	"iter"
	"path/filepath"
	"slices"
	"strings"

	"github.com/goccy/go-yaml/ast"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/core/workdays"
	"yoyaku/internal/declare"
)

// holidayReader is a holiday as it is read.
type holidayReader struct {
	name, file, form, where, calendar string
	day                               *node
	at                                keyPositions
	isShort                           bool // it stands under `short`
	weight, until                     int
}

// halfDay is what counts of a short day if nothing is said, in hundredths.
const halfDay = 50

// parseWeight reads what counts of a short day.
func parseWeight(text string) (int, error) {
	n, ok := eval.ParseNumber(strings.TrimSpace(text))
	if parts, blank, err := eval.ToUnits(n, 2); ok && !blank && err == nil && parts > 0 && parts < workdays.FullDayWeight {
		return int(parts), nil
	}
	return 0, fmt.Errorf("expected a part of a day above 0 and below 1, with at most two decimals, such as 0.5, found %q",
		eval.Truncate(text))
}

// parseUntil reads when a short day ends.
func parseUntil(text string) (int, error) {
	m, ok := civil.ParseClock(strings.TrimSpace(text))
	if !ok || m == 0 {
		return 0, fmt.Errorf("expected a time such as 12:00, found %q", eval.Truncate(text))
	}
	return m, nil
}

func (h *holidayReader) group() *keyGroup {
	g := &keyGroup{label: "a holiday", allowsText: true, keys: []*declare.Key{
		{Name: "name", Help: "the holiday's name", Example: "New Year", Value: textKind.Call(h.setName)},
		{Name: "day", Help: "the day: a rule, a date, a range of days, or a list of them",
			Example: "yearly on 1 jan then roll following", Value: valueKind[*node]{Description: "a rule, or days: joined by commas, or a list",
				Form: declare.FormTexts, Read: nodeKind.Read}.Into(&h.day)},
		{Name: "file", Help: "a file of holidays: .csv with columns date, name or start, end, name; or .ics",
			Example: "holidays/extra.csv", Value: textKind.Into(&h.file)},
		{Name: "read-dates", Help: "how dates in the file are written, if not ISO", Example: "dmy",
			Value: textKind.Into(&h.form)},
		{Name: "where", Help: "take only the events of the .ics file for which this holds",
			Example: "categories = 'closed'", Value: textKind.Into(&h.where)},
		{Name: "calendar", Help: "take the holidays of another calendar", Example: "yard", Value: textKind.Into(&h.calendar)},
	}}
	if !h.isShort {
		return g
	}
	g.label = "a short day"
	for i := range g.keys {
		switch k := g.keys[i]; k.Name {
		case "name":
			k.Help, k.Example = "the short day's name", "Christmas Eve"
		case "day":
			k.Example = "yearly on 24 dec"
		case "file":
			k.Help = "a file of short days: .csv with columns date, name or start, end, name, and counts and until if they differ; or .ics"
		case "calendar":
			k.Help = "take the short days of another calendar"
		}
	}
	g.keys = append(g.keys,
		&declare.Key{Name: "counts", Help: "the part of the day that counts: above 0, below 1", Default: "0.5",
			Example: "0.75", Value: parsedKind("a number", parseWeight).Into(&h.weight)},
		&declare.Key{Name: "until", Help: "when the day ends; later times of day move to it", Default: "as any day",
			Example: `"12:00"`, Value: parsedKind("a time", parseUntil).Into(&h.until)})
	return g
}

// shortDaysOf are the short days of another calendar.
type shortDaysOf struct{ *workdays.Calendar }

// Days implements workdays.Source.
func (s shortDaysOf) Days(span civil.Span, _ *workdays.Calendar) iter.Seq[workdays.Holiday] {
	return s.ShortDays(span)
}

// addHolidays adds a layer for each entry, in order, so that each entry's rule
// sees those above it; short says that they are short days. The calendar lacks holidays if no
// entry has a day. listed is the years of the files read.
func (b *calendarSet) addHolidays(v *node, c *workdays.Calendar, short bool) (_ *workdays.Calendar, listed civil.Span, err error) {
	var sources []workdays.Source
	lacks := true
	take := func(name textAt) error {
		other, err := b.resolve(name.text)
		if err != nil {
			return name.pos.wrap(err)
		}
		if c.Depth = max(c.Depth, other.Depth+1); c.Depth > maxDepth {
			return name.pos.wrap(fmt.Errorf("this calendar takes the days of another, which takes those of another, and so on; at most %d deep", maxDepth))
		}
		c.Coverage.First, c.Coverage.Last = max(c.Coverage.First, other.Coverage.First), min(c.Coverage.Last, other.Coverage.Last)
		lacks = lacks && other.LacksHolidays
		if short {
			sources = append(sources, shortDaysOf{other})
		} else {
			sources = append(sources, other)
		}
		return nil
	}
	made := func() *workdays.Calendar {
		c := c.WithHolidays(sources...)
		c.LacksHolidays = lacks
		return c
	}
	if _, list := v.valueNode.(*ast.SequenceNode); !list { // holidays: isles
		names, err := namesKind.Read(v)
		for _, name := range names {
			if err := take(name); err != nil {
				return nil, listed, err
			}
		}
		return made(), listed, err
	}
	items, err := v.items("")
	if err != nil {
		return nil, listed, err
	}
	for _, item := range items {
		if _, ok := item.valueNode.(*ast.MappingNode); !ok {
			name, err := item.doc.text(item.valueNode)
			if err == nil {
				err = take(textAt{name, item.pos()})
			}
			if err != nil {
				return nil, listed, err
			}
			continue
		}
		src, list, err := b.holiday(item, c, short, take)
		if err != nil {
			return nil, listed, err
		}
		if src != nil {
			sources = append(sources, src)
			days, isList := src.(workdays.HolidayList)
			lacks = lacks && isList && len(days) == 0
		}
		listed = yearsOf(listed, list)
	}
	return made(), listed, nil
}

// maxDepth is how many calendars can take each other's days in turn, patterns, series and
// records be based on each other.
const maxDepth = 32

// holiday reads an entry of `holidays` or `short`; take takes the days of another calendar.
// list is the days that a file lists one by one.
func (b *calendarSet) holiday(item *node, c *workdays.Calendar, short bool, take func(textAt) error) (src workdays.Source,
	list workdays.HolidayList, err error) {
	h := holidayReader{at: keyPositions{}, isShort: short}
	if err := h.group().fill(&node{doc: item.doc, valueNode: item.valueNode, positions: h.at}); err != nil {
		return nil, nil, err
	}
	if short && h.weight == 0 {
		h.weight = halfDay
	}
	for _, key := range []string{"counts", "until"} {
		if place, said := h.at[key]; said && h.day == nil {
			return nil, nil, place.wrap(fmt.Errorf(
				"`%s` needs `day`; in a file, each row has its own in a column of that name", key))
		}
		delete(h.at, key)
	}
	switch {
	case h.hasOnly("name", "day"):
		like := workdays.Holiday{Name: h.name, Source: h.day.doc.source(item.valueNode), Weight: h.weight, Until: h.until}
		src, err = b.holidaySource(h.day.doc, like, h.day.valueNode, c)
		return src, nil, err
	case h.hasOnly("file"), h.hasOnly("file", "where"), h.hasOnly("file", "read-dates"), h.hasOnly("file", "where", "read-dates"):
		src, list, err = b.holidayFile(item.doc, h.file, h.where, h.form, h.weight)
		if err == nil {
			return src, list, nil
		}
		key := "file"
		if pe := (*phrase.Error)(nil); errors.As(err, &pe) {
			key = "where"
		}
		if fe := (*rows.OptionError)(nil); errors.As(err, &fe) {
			key = fe.Option
		}
		return nil, nil, h.at.WrapKey(key, err)
	case h.hasOnly("calendar"):
		return nil, nil, take(textAt{h.calendar, h.at["calendar"]})
	}
	return nil, nil, item.fail("%s needs `name` and `day`, or `file`, or `calendar`", h.group().label)
}

func (h *holidayReader) setName(name string) error {
	h.name = name
	return schedule.CheckLength("a holiday's name", name)
}

// hasOnly reports whether these keys were said, and no others.
func (h *holidayReader) hasOnly(keys ...string) bool {
	for _, k := range keys {
		if _, said := h.at[k]; !said {
			return false
		}
	}
	return len(h.at) == len(keys)+1 // and the entry itself
}

// ruleHolidays is a holiday, or a short day, that a rule gives.
type ruleHolidays struct {
	template   workdays.Holiday
	recurrence *eval.Recurrence
}

// HasShortDays implements workdays.ShortDaySource.
func (r *ruleHolidays) HasShortDays() bool { return r.template.IsShortDay() }

// holidaySource reads the days of a holiday: a rule, or dates and stretches; like is one of them
// without its date.
func (b *calendarSet) holidaySource(d *doc, like workdays.Holiday, n ast.Node,
	below *workdays.Calendar) (workdays.Source, error) {
	_, several := n.(*ast.SequenceNode)
	if text, err := d.text(n); !several && err == nil && phrase.IsRule(text) {
		src, err := b.ruleSource(like, text, below)
		return src, d.wrap(n, err)
	}
	texts, nodes, err := d.texts(n)
	if err != nil {
		return nil, err
	}
	var list workdays.HolidayList
	for i, text := range texts {
		span, err := parseSpan(text)
		switch {
		case err == nil:
		case len(texts) > 1 || strings.Contains(text, ".."):
			return nil, d.fail(nodes[i],
				"expected days such as 2027-12-24 or 2027-12-27..2027-12-31 (ten years at most), found %q", text)
		default:
			if _, err = phrase.ParseRule(text); err == nil {
				err = fmt.Errorf("a list of days can't hold a rule: %s", text)
			}
			return nil, d.wrap(nodes[i], err)
		}
		list = list.AppendSpan(like, span)
	}
	return list, nil
}

// maxHolidaySpan is how long a stretch of holidays may be, so that a slip of the pen
// closes no century.
const maxHolidaySpan = 3660

// parseSpan reads a date, or A..B, each end a date or a period.
func parseSpan(text string) (civil.Span, error) {
	if d, _, ok := civil.Parse(text); ok {
		return civil.Span{First: d, Last: d}, nil
	}
	from, to, two := strings.Cut(text, "..")
	a, ok := civil.DefaultFiscalCalendar.ParseSpan(strings.TrimSpace(from))
	b, ok2 := civil.DefaultFiscalCalendar.ParseSpan(strings.TrimSpace(to))
	s := civil.Span{First: a.First, Last: b.Last}
	switch {
	case !two || !ok || !ok2:
		return s, errors.New("expected a date or a range of days")
	case s.Last < s.First || s.Len() > maxHolidaySpan:
		return s, fmt.Errorf("the range of days ends before it starts: %s to %s", s.First, s.Last)
	}
	return s, nil
}

// ruleSource compiles a holiday's rule; it counts with the calendar below it.
func (b *calendarSet) ruleSource(like workdays.Holiday, text string, below *workdays.Calendar) (workdays.Source, error) {
	env := b.env
	env.Calendar = below.BuildView()
	rec, err := eval.CompileRule(text, env)
	if err != nil {
		return nil, err
	}
	return &ruleHolidays{like, rec}, nil
}

// Days implements workdays.Source.
func (r *ruleHolidays) Days(span civil.Span, _ *workdays.Calendar) iter.Seq[workdays.Holiday] {
	return func(yield func(workdays.Holiday) bool) {
		for m, err := range schedule.Dates(r.recurrence, span) {
			if err != nil {
				return
			}
			h := r.template
			h.Date, h.Nominal, h.Reason = m.MovedTo, m.Date.Date, eval.Reasons(m.Moves)
			if !yield(h) {
				return
			}
		}
	}
}

// holidayTables are the endings of files that hold lists of holidays as tables.
var holidayTables = []string{".csv", ".tsv", ".txt", ".xlsx"}

// holidayFile reads a list of holidays: a table, or the all-day events of an .ics
// file. list is the days that are written down one by one. counts is what counts of short
// days; 0 for holidays.
func (b *calendarSet) holidayFile(d *doc, name, where, form string, counts int) (src workdays.Source, list workdays.HolidayList, err error) {
	path := d.resolvePath(name)
	switch ext := strings.ToLower(filepath.Ext(name)); {
	case ext == ".ics" && form != "":
		return nil, nil, rows.WrapOption("read-dates", fmt.Errorf("read-dates is for tables; dates of an .ics file have one form"))
	case ext == ".ics":
		return b.readHolidayICS(path, name, where, counts)
	case !slices.Contains(holidayTables, ext):
		return nil, nil, fmt.Errorf("expected a list of holidays in a file .csv, .tsv, .txt, .xlsx or .ics, found %s", name)
	case where != "":
		return nil, nil, fmt.Errorf("`where` is for .ics files; %s is not one", name)
	}
	list, err = b.readHolidayTable(path, name, form, counts)
	return list, list, err
}

// setShortCell takes what a cell of a list says of how short its days are; counts comes first.
func setShortCell(h *workdays.Holiday, column, text string) (err error) {
	switch n, number := eval.ParseNumber(text); {
	case column == "counts" && (text == "" || number && n.Num == 0):
		h.Weight = 0
	case column == "counts":
		h.Weight, err = parseWeight(text)
	case text != "" && h.IsShortDay():
		h.Until, err = parseUntil(text)
	}
	return err
}

// joinedYears are the years of both; a zero span has none.
func joinedYears(a, b civil.Span) civil.Span {
	switch (civil.Span{}) {
	case a:
		return b
	case b:
		return a
	}
	return civil.Span{First: min(a.First, b.First), Last: max(a.Last, b.Last)}
}

// yearsOf widens a span to the years of the listed days.
func yearsOf(s civil.Span, list workdays.HolidayList) civil.Span {
	for _, h := range list {
		first, _ := civil.NewDate(h.Date.Year(), 1, 1)
		last, _ := civil.NewDate(h.Date.Year(), 12, 31)
		if s == (civil.Span{}) {
			s = civil.Span{First: first, Last: last}
		}
		s.First, s.Last = min(s.First, first), max(s.Last, last)
	}
	return s
}
