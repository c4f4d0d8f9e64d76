package plan

import (
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"github.com/goccy/go-yaml/ast"

	"yoyaku/calendars"
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/workdays"
	"yoyaku/internal/declare"
	"yoyaku/internal/files"
)

// calendarSet holds the calendars of a plan; each is built when first asked for.
type calendarSet struct {
	lock      sync.Mutex // of those who ask while rows are worked out on several processors
	env       eval.Env
	names     []string
	nodes     map[string]*node
	built     map[string]*workdays.Calendar
	building  map[string]bool
	files     *files.Registry // every file that is read is named to it
	builtList []*workdays.Calendar
	warnings  []string // of the files of holidays
	// unchecked are calendars of which it isn't known yet whether they have working days; bad is
	// what is wrong with one, by its key.
	unchecked   []unchecked
	bad         map[string]error
	whatIfDays  []*whatIfDay // days that this command alone closes and opens
	whatIfNoops []string     // which of them were so already
	// defaultCalendar stands in where no calendar is named.
	defaultCalendar *workdays.Calendar
}

func newBook(env eval.Env, reg *files.Registry) *calendarSet {
	b := &calendarSet{env: env, bad: map[string]error{}, nodes: map[string]*node{}, built: map[string]*workdays.Calendar{}, building: map[string]bool{},
		files: reg, defaultCalendar: env.Calendar}
	b.env.FindCalendar = b.find
	return b
}

// warn keeps what may be wrong with a list of holidays, once.
func (b *calendarSet) warn(format string, args ...any) {
	if text := fmt.Sprintf(format, args...); !slices.Contains(b.warnings, text) {
		b.warnings = append(b.warnings, text)
	}
}

// findForPhrase is find for those outside of the book.
func (b *calendarSet) findForPhrase(name string) (*workdays.Calendar, error) {
	b.lock.Lock()
	defer b.lock.Unlock()
	return b.find(name)
}

// find returns a calendar by name, or nil when there is none of that name.
func (b *calendarSet) find(name string) (*workdays.Calendar, error) {
	key := phrase.FoldName(strings.TrimSpace(name))
	if c := b.built[key]; c != nil {
		return c, nil
	}
	if err := b.bad[key]; err != nil {
		return nil, err
	}
	n, ok := b.nodes[key]
	if !ok && key == workdays.NoneName {
		return b.keep(key, workdays.New(workdays.NoneName, workdays.Weekend))
	}
	if !ok {
		return b.builtIn(key)
	}
	if b.building[key] {
		return nil, n.fail("the calendar `%s` includes itself", strings.TrimSpace(name))
	}
	b.building[key] = true
	defer delete(b.building, key)
	c, err := b.build(strings.TrimSpace(name), n)
	if err == nil {
		c, err = b.keep(key, c)
	}
	if err != nil {
		b.bad[key] = err
		return nil, err
	}
	return c, nil
}

// keep has a calendar found by its key from now on, with the days that are tried in it.
func (b *calendarSet) keep(key string, c *workdays.Calendar) (*workdays.Calendar, error) {
	c, err := b.applyWhatIf(key, c)
	if err == nil {
		b.built[key], b.builtList = c, append(b.builtList, c)
	}
	return c, err
}

// build builds a calendar of the plan: its keys, or the file that has them.
func (b *calendarSet) build(name string, at *node) (*workdays.Calendar, error) {
	of, n := at.doc, at.valueNode
	if _, mapping := n.(*ast.MappingNode); mapping {
		return b.buildFromKeys(of, name, n)
	}
	file, err := of.text(n)
	if err != nil {
		return nil, err
	}
	if ext := strings.ToLower(filepath.Ext(file)); ext != ".yaml" && ext != ".yml" {
		return nil, of.fail(n, "expected keys such as `closed: sat, sun`, or the calendar's file: %s: calendars/%s.yaml", name, name)
	}
	path := of.resolvePath(file)
	if err := b.files.AddInput(path); err != nil {
		return nil, of.wrap(n, err)
	}
	d, err := readDoc(path, b.files)
	if err != nil {
		return nil, of.wrap(n, err)
	}
	return b.buildFromKeys(d, name, d.root)
}

// builtIn returns one of the built-in public calendars, or nil.
func (b *calendarSet) builtIn(key string) (*workdays.Calendar, error) {
	for _, name := range calendars.Names {
		if phrase.FoldName(name) != key {
			continue
		}
		data, err := calendars.Files.ReadFile(name + ".yaml")
		if err != nil {
			return nil, err
		}
		d, err := parseDoc(name+".yaml", data)
		if err != nil {
			return nil, err
		}
		before := len(b.unchecked)
		c, err := b.buildFromKeys(d, name, d.root)
		b.unchecked = b.unchecked[:before] // tests hold them
		if err == nil {
			c.BuiltIn = true
			return b.keep(key, c)
		}
		return nil, err
	}
	return nil, nil
}

// knownNames lists the names that find takes.
func (b *calendarSet) knownNames() []string { return append(slices.Clone(b.names), calendars.Names...) }

// describeNames says which calendars there are: the plan's by their names.
func (b *calendarSet) describeNames() string {
	public := fmt.Sprintf("%d public ones are built in, which `yoyaku holidays` lists", len(calendars.Names))
	if len(b.names) == 0 {
		return public
	}
	return "the plan has " + phrase.ListNames(b.names) + "; " + public
}

// resolve returns a calendar, or several joined by +, and refuses unknown names.
func (b *calendarSet) resolve(text string) (*workdays.Calendar, error) {
	var cals []*workdays.Calendar
	for _, name := range strings.Split(text, "+") {
		c, err := b.find(name)
		if err != nil {
			return nil, err
		}
		if c == nil {
			name = strings.TrimSpace(name)
			hint := phrase.Meant(name, b.knownNames(), b.describeNames())
			return nil, fmt.Errorf("unknown calendar `%s`; %s", name, hint)
		}
		cals = append(cals, c)
	}
	if err := workdays.CheckJoin(cals); err != nil {
		return nil, err
	}
	return workdays.Join(cals...), nil
}

// calendarReader is a calendar as it is read.
type calendarReader struct {
	title         string
	closed        workdays.WeekdaySet
	holidays      *node
	short         *node
	open          []civil.Date
	from, through *civil.Date // what it says that it knows; nil if nothing is said
}

func (c *calendarReader) group() *keyGroup {
	open := func(list []textAt) error {
		for _, day := range list {
			o, err := parseDay(day.text)
			if err != nil {
				return day.pos.wrap(err)
			}
			c.open = append(c.open, o)
		}
		return nil
	}
	return &keyGroup{label: "a calendar", allowsText: true, keys: []*declare.Key{
		{Name: "title", Help: "the calendar's name for people", Example: "The Isles", Value: textKind.Into(&c.title)},
		{Name: "closed", Help: "closed weekdays; none if every day is worked", Default: "sat, sun",
			Example: "fri, sat", Value: closedDaysKind.Into(&c.closed)},
		{Name: "holidays", Help: "holidays, in order; a rule sees the closed days above it; none if there are none on purpose",
			Value: listOf("a list, the name of a calendar, or none", func() *keyGroup { return new(holidayReader).group() },
				func(v *node) error { c.holidays = v; return nil })},
		{Name: "open", Help: "days worked although a weekday or holiday closes them", Example: "[2027-12-18]",
			Value: namesKind.Call(open)},
		{Name: "short", Help: "short days, which count as part of a day; a later entry wins, a closed day stays closed",
			Value: listOf("a list, or the name of a calendar", func() *keyGroup { return (&holidayReader{isShort: true}).group() },
				func(v *node) error { c.short = v; return nil })},
		{Name: "known-from", Help: "the first day for which all holidays are known", Default: "the first day of its lists",
			Example: "2026-01-01", Value: dayKind.IntoOptional(&c.from)},
		{Name: "known-through", Help: "the last day for which all holidays are known", Default: "the last day of its lists",
			Example: "2028-12-31", Value: dayKind.IntoOptional(&c.through)},
	}}
}

// closedDaysKind are weekdays.
var closedDaysKind = valueKind[workdays.WeekdaySet]{Description: "weekdays: joined by commas, or a list", Form: declare.FormTexts,
	Read: read(func(v *node) (workdays.WeekdaySet, error) { return v.doc.parseWeekdays(v.valueNode) })}

// buildFromKeys builds one calendar from its keys.
func (b *calendarSet) buildFromKeys(d *doc, name string, n ast.Node) (*workdays.Calendar, error) {
	in := &calendarReader{closed: workdays.Weekend}
	if err := in.group().fill(rootNode(d, name, n)); err != nil {
		return nil, err
	}
	c, known := workdays.New(name, in.closed), civil.AllDays
	listed := civil.Span{} // the years of the files
	lacks := true
	if in.holidays != nil && isNoneValue(in.holidays.valueNode) {
		lacks = false
	} else if in.holidays != nil {
		var err error
		if c, listed, err = b.addHolidays(in.holidays, c, false); err != nil {
			return nil, err
		}
		lacks = c.LacksHolidays
	}
	if len(in.open) > 0 {
		c = c.WithOpen(in.open)
	}
	if in.short != nil { // it sees all of the above
		more := civil.Span{}
		var err error
		if c, more, err = b.addHolidays(in.short, c, true); err != nil {
			return nil, err
		}
		listed = joinedYears(listed, more)
		lacks = lacks && c.LacksHolidays
	}
	// What is said outright counts; else the listed years of the files do; and
	// nothing is known that a calendar taken in doesn't know.
	if listed != (civil.Span{}) {
		known = listed
	}
	if in.from != nil {
		known.First = *in.from
	}
	if in.through != nil {
		known.Last = *in.through
	}
	c.Coverage.First, c.Coverage.Last = max(c.Coverage.First, known.First), min(c.Coverage.Last, known.Last)
	c.Title, c.LacksHolidays = in.title, lacks
	b.unchecked = append(b.unchecked, unchecked{c, name, d, n})
	return c, nil
}

// unchecked is a calendar, and where it is.
type unchecked struct {
	*workdays.Calendar
	name string
	doc  *doc
	node ast.Node
}

// checkBuilt refuses calendars that were read since the last time and have no working day for
// years. The uppermost come first, so that those below are built once, as far as they need.
func (b *calendarSet) checkBuilt(refuse func(error) error) error {
	list := b.unchecked
	b.unchecked = nil
	from := b.env.Today
	if from == civil.None {
		return nil
	}
	soon := civil.Span{First: from, Last: from}.Widen(0, workdaySearchYears)
	later := civil.Span{First: min(from+workdaySearchYears/2, civil.Max), Last: soon.Last}
	for _, c := range slices.Backward(list) {
		if c.Count(soon) > 0 && c.Count(later) > 0 {
			continue
		}
		err := c.doc.fail(c.node, "the calendar `%s` has no working day for years, since it closes every day", c.name)
		key := phrase.FoldName(c.name)
		delete(b.built, key)
		b.bad[key] = err
		if err = refuse(err); err != nil {
			return err
		}
	}
	return nil
}

// workdaySearchYears is how many days ahead a calendar must have a working day in.
const workdaySearchYears = 4 * 366

func (d *doc) parseWeekdays(n ast.Node) (set workdays.WeekdaySet, err error) {
	list, nodes, err := d.texts(n)
	for i, text := range list {
		if text == "none" && len(list) == 1 {
			return 0, nil
		}
		days, bad := phrase.ParseWeekdays(text)
		if bad != "" {
			hint := phrase.Meant(bad, phrase.WeekdayWords, "weekdays are mon to sun, or `none` if every day is worked")
			return 0, d.fail(nodes[i], "unknown weekday `%s`; %s", bad, hint)
		}
		for _, w := range days {
			set = set.With(w)
		}
	}
	return set, err
}
