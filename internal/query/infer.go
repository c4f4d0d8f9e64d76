package query

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/infer"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/workdays"
	"yoyaku/internal/declare"
)

func init() { register(newInfer) }

// inferQuery finds the rules behind the dates of a table.
type inferQuery struct {
	columns      []string
	key          string
	alternatives int
	exceptions   bool
}

func newInfer() *ask.Query {
	q := &inferQuery{}
	return &ask.Query{
		Name: "infer", Group: ask.Rules, Order: 2, Use: "infer TABLE",
		Short: "Find the rules behind dates you already have",
		Long: `Find the rules behind the dates of a table, such as last year's pay days or a
colleague's calendar file. The first column of dates is the series' date; every other one
is explained by steps from it, or by a rule of its own. A phrase is shown only if it is
shorter than a list of the dates; dates it doesn't explain are counted as off.`,
		Examples: `  yoyaku infer pay-days-2026.csv
  yoyaku infer pay-days-2026.csv --exceptions
  yoyaku infer pay-days-2026.csv --calendar isles --alternatives 3
  yoyaku infer harbour-office.ics --key summary`,
		MinArgs: 1, MaxArgs: 1, ArgsHelp: "a table, such as pay-days-2026.csv", TakesTable: true,
		Options: []*declare.Key{
			{Name: "date", Completion: "columns",
				Placeholder: "COLUMNS", Help: "look at these columns of dates; the first is the series'\n(default: all)", Value: declare.Column.List(&q.columns)},
			{Name: "key", Completion: "columns",
				Help: "look for a rule for each value of column `COL`", Value: declare.Column.Into(&q.key)},
			{Name: "alternatives", Help: "show the next `N` phrases that fit, and until when they agree",
				Value: declare.Number(1, 0).Into(&q.alternatives)},
			{Name: "exceptions", Help: "list the dates that the phrase doesn't explain", Value: declare.Bool.Into(&q.exceptions)},
		},
		Answer: q.answer,
	}
}

var (
	inferColumns     = []string{"series", "what", "rank", "phrase", "calendar", "dates", "matched", "off", "agrees_until"}
	exceptionColumns = []string{"series", "what", "id", "by_rule", "in_table", "days"}
)

// ErrNoRule is an answer that is no: no column has a rule.
var ErrNoRule = errors.New("no rule explains these dates in fewer words than a list of them")

func (q *inferQuery) answer(j *ask.Job) error {
	d, found, err := inferTable(j, q.columns, q.key)
	if err != nil {
		return err
	}
	head := inferColumns
	if q.exceptions {
		head = exceptionColumns
	}
	any := false
	ids := map[civil.Date]string{} // of the dates of the series that is reported
	err = j.FillRows(head, func(put rows.PutRow) error {
		for i := range found {
			f := &found[i]
			any = any || len(f.Explanations) > 0
			var err error
			if q.exceptions {
				if f.Base == nil && len(f.Explanations) > 0 {
					ids = f.Search.IDs(f.Explanations[0])
				}
				err = putExceptions(ids, f, put)
			} else {
				err = q.putExplanations(f, put)
			}
			if err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return err
	}
	if !any {
		j.Negative = ErrNoRule
	}
	if q.exceptions {
		return nil
	}
	for _, note := range slices.Concat(d.Notes(), ScheduleNotes(d, found)) {
		addFootnote(j, "%s", note)
	}
	reportNoRule(j, found)
	for i := range found {
		q.reportColumn(j, &found[i])
	}
	q.suggestNext(j, found)
	return nil
}

// Infer reads the dates of a table and finds the rules behind them, as the query does.
func Infer(j *ask.Job, columns []string, key string) (*TableDates, []infer.ColumnResult, error) {
	defer j.Close()
	if j.Query == nil {
		j.Query = newInfer()
	}
	return inferTable(j, columns, key)
}

func inferTable(j *ask.Job, columns []string, key string) (*TableDates, []infer.ColumnResult, error) {
	j.WithTimes = true
	d, err := readTableDates(j, columns, key)
	if err != nil {
		return nil, nil, err
	}
	found, err := d.explain(j)
	return d, found, err
}

// putExplanations writes the rows of a column: its first rank, and others as many as were asked for.
func (q *inferQuery) putExplanations(f *infer.ColumnResult, put rows.PutRow) error {
	cells := func(rank eval.Value, rule infer.Rule, rest ...eval.Value) []eval.Value {
		return append([]eval.Value{eval.Str(f.Series), eval.Str(f.What), rank, eval.Str(rule.Phrase),
			eval.Str(rule.Calendar), eval.Int(f.Dates)}, rest...)
	}
	if len(f.Explanations) == 0 {
		return put(cells(eval.Value{}, infer.Rule{}, eval.Value{}, eval.Value{}, eval.Value{}))
	}
	for i, r := range f.Explanations[:min(len(f.Explanations), 1+q.alternatives)] {
		for _, rule := range f.Phrases(r) {
			if err := put(cells(eval.Int(i+1), rule, eval.Int(r.Matched), eval.Int(r.Misses), eval.Day(r.AgreesUntil))); err != nil {
				return err
			}
		}
	}
	return nil
}

// putExceptions writes a row for each date that the first rank doesn't explain.
func putExceptions(ids map[civil.Date]string, f *infer.ColumnResult, put rows.PutRow) error {
	if len(f.Explanations) == 0 {
		return nil
	}
	for _, e := range f.Exceptions(f.Explanations[0]) {
		days := eval.Value{}
		if e.Rule != civil.None && e.Table != civil.None {
			days = eval.Int(int(e.Table - e.Rule))
		}
		if err := put([]eval.Value{eval.Str(f.Series), eval.Str(f.What), eval.Str(ids[e.Nominal]), eval.Day(e.Rule),
			eval.Day(e.Table), days}); err != nil {
			return err
		}
	}
	return nil
}

// maxListedExceptions is how many dates that are off are reported about a column.
const maxListedExceptions = 5

// columnLabel is how notes name a column: by its series, and by its own name if it isn't the date.
func columnLabel(f *infer.ColumnResult) string {
	if f.What != "date" {
		return f.Series + "." + f.What
	}
	return f.Series
}

// reportNoRule says which columns have no rule, and why: one note for each reason.
func reportNoRule(j *ask.Job, found []infer.ColumnResult) {
	names := [4][]string{}
	for i := range found {
		switch f := &found[i]; {
		case f.TooFew:
			names[0] = append(names[0], columnLabel(f))
		case f.Err == infer.ErrTooMuchWork:
			names[3] = append(names[3], columnLabel(f))
		case f.Err != nil:
			names[1] = append(names[1], columnLabel(f))
		case len(f.Explanations) == 0:
			names[2] = append(names[2], columnLabel(f))
		}
	}
	for i, why := range []string{"fewer than four different dates, too few to find a rule",
		infer.ErrSpanTooLong.Error() + ", so no rule was looked for", "no rule explains these dates in fewer words than a list of them",
		infer.ErrTooMuchWork.Error() + "; choose some with " + j.OptionText("where", "") + " or " + j.OptionText("date", "")} {
		switch list := names[i]; {
		case len(list) > maxNamedColumns:
			addFootnote(j, "%s and %d more: %s.", strings.Join(list[:maxNamedColumns], ", "), len(list)-maxNamedColumns, why)
		case len(list) > 0:
			addFootnote(j, "%s: %s.", strings.Join(list, ", "), why)
		}
	}
}

// maxNamedColumns is how many columns a note names.
const maxNamedColumns = 5

// reportColumn says of a column what its row doesn't: what the phrase means, the dates that are off,
// and what fits alike.
func (q *inferQuery) reportColumn(j *ask.Job, f *infer.ColumnResult) {
	name := columnLabel(f)
	if f.Duplicates > 0 {
		addFootnote(j, "%s: %s more than once; each counts as often as it stands", name, phrase.CountVerb(f.Duplicates, "date of the table stands there", "dates of the table stand there"))
	}
	if f.MixedTimes {
		addFootnote(j, "%s: the times differ, so only the days are explained", name)
	}
	if len(f.Explanations) == 0 {
		return
	}
	r := f.Explanations[0]
	if reads := meaningOf(f); reads != "" {
		addFootnote(j, "%s: %s", name, reads)
	}
	if text := FiscalText(f); text != "" {
		addFootnote(j, "%s: %s", name, text)
	}
	if len(r.EquivalentCalendars) > 0 {
		addFootnote(j, "%s: in this table, %s would give the same dates", name, equivalentText(r.EquivalentCalendars))
	}
	if alike, until := countAlike(f); alike > 0 && q.alternatives == 0 {
		addFootnote(j, "%s: %s", name, alternativesText(alike, until, j.OptionText("alternatives", fmt.Sprint(alike))+" shows "+map[bool]string{true: "it", false: "them"}[alike == 1]))
	}
	off := f.Exceptions(r)
	for _, e := range off[:min(len(off), maxListedExceptions)] {
		addFootnote(j, "%s: %s", name, exceptionText(e))
	}
	if n := len(off) - maxListedExceptions; n > 0 {
		addFootnote(j, "%s: and %d more; --exceptions lists them", name, n)
	}
}

// FiscalText says by which fiscal year of whole weeks a rule goes, and what else gives the dates;
// "" where it needs none.
func FiscalText(f *infer.ColumnResult) string {
	if f.Fiscal.End == "" {
		return ""
	}
	text := fmt.Sprintf("the months are those of a fiscal year of whole weeks: --fiscal-end %s --fiscal-pattern %s", ask.ShellWord(f.Fiscal.End), f.Fiscal.Pattern)
	var others []string
	for _, o := range f.OtherFiscal[:min(len(f.OtherFiscal), 3)] {
		others = append(others, o.End+" with "+o.Pattern)
	}
	if len(others) > 0 {
		text += fmt.Sprintf("; %d other ends give the same dates, such as %s", len(f.OtherFiscal), strings.Join(others, ", "))
	}
	return text
}

// countAlike counts the phrases that fit as well as the first, and until when all agree.
func countAlike(f *infer.ColumnResult) (alike int, until civil.Date) {
	until = civil.Max
	for _, o := range f.Explanations[min(1, len(f.Explanations)):] {
		if r := f.Explanations[0]; o.Matched == r.Matched && o.Misses == r.Misses {
			if alike++; o.AgreesUntil != civil.None {
				until = min(until, o.AgreesUntil)
			}
		}
	}
	return alike, until
}

// AlternativeNotes says of a column that others fit as well as the phrase that was found, or that
// its times differ.
func AlternativeNotes(f *infer.ColumnResult) (list []string) {
	if text := FiscalText(f); text != "" {
		list = append(list, columnLabel(f)+": "+text)
	}
	if f.MixedTimes {
		list = append(list, columnLabel(f)+": the times differ, so only the days are explained")
	}
	if alike, until := countAlike(f); alike > 0 {
		list = append(list, columnLabel(f)+": "+alternativesText(alike, until, "`yoyaku infer` shows "+map[bool]string{true: "it", false: "them"}[alike == 1]+" with --alternatives"))
	}
	return list
}

// addFootnote adds a line that is printed below the table.
func addFootnote(j *ask.Job, format string, args ...any) {
	j.Footnotes = append(j.Footnotes, fmt.Sprintf(format, args...))
}

// suggestNext says how to go on with the first rule that was found.
func (q *inferQuery) suggestNext(j *ask.Job, found []infer.ColumnResult) {
	for i := range found {
		if f := &found[i]; f.What == "date" && len(f.Explanations) > 0 && len(f.Explanations[0].Rules) == 1 {
			rule, calendar := f.Phrases(f.Explanations[0])[0], ""
			if rule.Calendar != "" {
				calendar = " --calendar " + ask.ShellWord(rule.Calendar)
			}
			if f.Fiscal.End != "" {
				calendar += fmt.Sprintf(" --fiscal-end %s --fiscal-pattern %s", ask.ShellWord(f.Fiscal.End), f.Fiscal.Pattern)
			}
			addFootnote(j, "`yoyaku dates %s%s --count 12` lists the next dates of %s; `yoyaku new DIR --table %s` makes a plan of the table", ask.ShellWord(rule.Phrase), calendar, f.Series, ask.ShellWord(j.Args[0]))
			return
		}
	}
}

// alternativesText says how many other phrases fit, and until when they agree with the first.
func alternativesText(n int, until civil.Date, how string) string {
	text, first := phrase.Plural(n, "other phrase")+" fits as well", ""
	if n > 1 {
		text, first = phrase.Plural(n, "other phrase")+" fit as well", "the first "
	}
	if until < civil.Max {
		text += fmt.Sprintf(", %suntil %s", first, until)
	}
	return text + "; " + how
}

// meaningOf says in plain words what a rule means that was found.
func meaningOf(f *infer.ColumnResult) string {
	var list []string
	for _, rule := range f.Phrases(f.Explanations[0]) {
		if p, err := phrase.Parse(rule.Phrase); err == nil && f.What == "date" {
			list = append(list, p.Reading())
		}
	}
	return strings.Join(list, " Then: ")
}

// exceptionText is a date that isn't explained, with its weekday.
func exceptionText(e infer.Exception) string {
	day := func(d civil.Date) string { return d.Weekday().Abbrev() + " " + d.String() }
	switch {
	case e.Rule == civil.None:
		return day(e.Table) + " is in the table but not given by the rule"
	case e.Table == civil.None:
		return day(e.Rule) + " is given by the rule but not in the table"
	}
	return fmt.Sprintf("%s in the table is %s by the rule", day(e.Table), day(e.Rule))
}

// calendarLabels are the names of calendars; none has its own words.
func calendarLabels(list []string) []string {
	list = slices.Clone(list)
	for i := range list {
		if list[i] == "" {
			list[i] = "no holidays"
		}
	}
	return list
}

// maxListedCalendars is how many calendars a note names.
const maxListedCalendars = 3

// equivalentText names the first of several calendars, and counts the others.
func equivalentText(list []string) string {
	names := calendarLabels(list)
	if n := len(names) - maxListedCalendars; n > 0 {
		return fmt.Sprintf("%s and %d more", strings.Join(names[:maxListedCalendars], ", "), n)
	}
	return strings.Join(names, ", ")
}

// What naming a calendar costs a phrase, in bits.
const (
	ownCalendarBits    = 0.3
	pairBits           = 1.5
	publicCalendarBits = 3
	maxPaired          = 6 // of the plan's calendars, pairs are tried
)

// newSearch is what rules are looked for with here: the calendar that is named and none; where
// all may be, the plan's, pairs of these, and the public ones.
func newSearch(j *ask.Job, name string, all bool) (*infer.Search, error) {
	none := workdays.New("", workdays.Weekend)
	env := j.Env
	env.CalendarColumn = "" // each series has its own
	s := &infer.Search{Env: env, Calendars: []infer.Calendar{{Days: none}},
		HasFiscalYear: j.Env.Fiscal.IsWeekBased() || j.Env.Fiscal.FiscalMonth != 1 || j.Env.Fiscal.FiscalDay != 1}
	if !all && name == "" {
		return s, nil
	}
	if !all {
		c, err := j.Calendar(name)
		if err != nil {
			return nil, err
		}
		s.Calendars[0].Bits = ownCalendarBits // none is the rarer of the two
		s.Calendars = append(s.Calendars, infer.Calendar{Name: c.Name, Days: c})
		return s, nil
	}
	list, err := j.Calendars()
	if err != nil {
		return nil, err
	}
	var own []*workdays.Calendar
	for _, c := range list {
		if !c.BuiltIn {
			own = append(own, c)
			price := ownCalendarBits
			if c == j.Env.Calendar { // what the plan counts with is the commonest
				price, s.Calendars[0].Bits = 0, ownCalendarBits
			}
			s.Calendars = append(s.Calendars, infer.Calendar{Name: c.Name, Days: c, Bits: price})
		}
	}
	for i := range own[:min(len(own), maxPaired)] {
		for k := range i {
			c := workdays.Join(own[k], own[i])
			s.Calendars = append(s.Calendars, infer.Calendar{Name: c.Name, Days: c, Bits: pairBits})
		}
	}
	for _, c := range list {
		if c.BuiltIn {
			s.Calendars = append(s.Calendars, infer.Calendar{Name: c.Name, Days: c, Bits: publicCalendarBits})
		}
	}
	return s, nil
}
