package plan

import (
	"cmp"
	"fmt"
	"sync"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/language"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/declare"
	"yoyaku/internal/ical"
)

// planKeys are the keys of a plan, if nothing is filled, in the order in which one
// writes them.
var planKeys = sync.OnceValue(func() *keyGroup {
	p := &Plan{}
	return &keyGroup{label: "the plan", keys: append((&settingsReader{p: p}).keys(), p.entryKeys()...)}
})

// The parts of a plan, in the order in which one writes it.
const (
	sectionAbout    = "The plan itself"
	sectionDays     = "Working days"
	sectionYears    = "Weeks and fiscal years"
	sectionDates    = "Dates"
	sectionPatterns = "Many series of one kind"
	sectionTables   = "Tables"
	sectionTasks    = "Tasks, and what must hold across the plan"
	sectionOutputs  = "What is handed on"
)

var planSections = []string{sectionAbout, sectionDays, sectionYears, sectionDates, sectionPatterns, sectionTables, sectionTasks, sectionOutputs}

// settingsReader are the settings of a plan as they are read.
type settingsReader struct {
	p      *Plan
	set    Settings
	fiscal map[string]*node // how time is cut, by key
}

// keys are those that others depend on.
func (in *settingsReader) keys() []*declare.Key {
	p := in.p
	list := []*declare.Key{
		{Name: "plan", Section: sectionAbout, Required: true, Help: "the version of the plan format", Example: "1", Value: valueKind[string]{Description: "a number",
			Form: declare.FormNumber, Choices: []string{"1"}, Read: textKind.Read}.Call(in.version)},
		{Name: "id", Section: sectionAbout, Help: "identifies the plan's events for good: letters, digits, -, . and _", Example: "crew-office",
			Value: textKind.Call(func(text string) error { p.ID = text; return CheckID(text) })},
		{Name: "title", Section: sectionAbout, Help: "the plan's name, and that of its calendar files", Example: "Crew office",
			Value: textKind.Into(&p.Title)},
		{Name: "zone", Section: sectionAbout, Help: "the time zone of dates with a time", Default: "local time wherever it is read", Example: "Atlantic/Faroe",
			Value: textKind.Call(in.zone)},
		{Name: "language", Section: sectionAbout, Help: "the language of months and weekdays, read first and written", Default: "read any, write English", Example: "de",
			Value: languageKind.Call(in.language)},
		{Name: "organizer", Section: sectionOutputs, Help: "who sends cancellations", Value: takesKeys(in.organizer)},
		{Name: "strict", Section: sectionAbout, Help: "treat every warning as a failure", Default: "no", Value: declare.Bool.Into(&p.Strict)},
	}
	for _, k := range fiscalKeys {
		list = append(list, &declare.Key{Name: k.name, Section: sectionYears, Help: k.about, Default: k.unless, Example: k.example,
			Value: valueKind[*node]{Description: "a text", Choices: k.oneOf, Read: nodeKind.Read}.Call(func(v *node) error {
				in.fiscal[k.name] = v
				return nil
			})})
	}
	return list
}

func (in *settingsReader) version(text string) error {
	if text != "1" {
		return fmt.Errorf("expected version 1, found %s", text)
	}
	return nil
}

func (in *settingsReader) zone(name string) (err error) {
	in.p.Zone, err = ical.Zone(name)
	return err
}

// language is that of the plan, unless the command has one.
func (in *settingsReader) language(l *language.Language) error {
	in.set.Language = cmp.Or(in.set.Language, l)
	return nil
}

func (in *settingsReader) organizer() *keyGroup {
	o := &in.p.Organizer
	mail := func(text string) error {
		of, err := ical.ParseOrganizer(text)
		o.Mail = of.Mail
		return err
	}
	return &keyGroup{label: "the organizer", keys: []*declare.Key{
		{Name: "name", Help: "the name shown in calendars", Example: "Crew office", Value: textKind.Into(&o.Name)},
		{Name: "mail", Help: "the e-mail address", Example: "office@skerry.example", Value: textKind.Call(mail)},
	}, onRead: func(*node) error {
		if o.Mail == "" {
			return fmt.Errorf("an organizer needs a `mail`: {name: Crew office, mail: office@skerry.example}")
		}
		return nil
	}}
}

// finish settles how time is cut, and what phrases read.
func (in *settingsReader) finish() error {
	f := civil.DefaultFiscalCalendar
	texts := map[string]string{}
	for key, v := range in.fiscal {
		text, err := v.doc.text(v.valueNode)
		if err != nil {
			return v.wrap(err)
		}
		texts[key] = text
	}
	if key, err := setFiscal(&f, texts); err != nil {
		return in.fiscal[key].wrap(err)
	}
	if key, err := setFiscal(&f, in.set.Fiscal); err != nil {
		return rows.WrapOption(key, err)
	}
	in.p.Env = in.set.env(f, in.p.Zone)
	in.p.calendars = newBook(in.p.Env, in.p.Files)
	in.p.bindPhrases()
	in.p.commandCalendar = in.set.Calendar
	return in.p.calendars.setWhatIf(in.set.WhatIf, in.set.Calendar)
}

// entryKeys are the keys that depend on the settings: what depends on another stands
// behind it.
func (p *Plan) entryKeys() []*declare.Key {
	add := func(what string, help string, of func() *keyGroup, do func(v *node) error) declare.ValueSpec {
		return takesNames(func() *nameMap {
			return &nameMap{label: what, help: help, valueGroup: of, readEach: p.namedEntries(what, do)}
		})
	}
	calendar := func() *keyGroup { return new(calendarReader).group() }
	owner := func() *keyGroup { return new(Owner).group() }
	record := func() *keyGroup { return recordReader{&Record{}, p}.group(nil) }
	output := func() *keyGroup { return outputReader{&Output{}, p}.group(nil) }
	return []*declare.Key{
		{Name: "include", Section: sectionAbout, Help: "other files to take calendars, patterns, people, series, records and `apart` from",
			Example: "shared/*.yaml", Value: namesKind.Call(func([]textAt) error { return nil })},
		{Name: "calendars", Section: sectionDays, Help: "the working calendars, by name",
			Value:     add("calendars", "keys of a calendar, or the file that holds them", calendar, p.addCalendar),
			AfterRead: p.buildCalendars},
		{Name: "calendar", Section: sectionDays, Help: "the calendar used unless a series or record names its own",
			Default: "Saturday and Sunday closed", Example: "isles", Value: textKind.Call(p.setCalendar),
			AfterRead: p.applyWhatIfToOwn},
		{Name: "window", Section: sectionAbout, Help: "the time that `run` covers", Example: "2027..2028",
			Details: "A year, half, quarter, month or week (2027, 2027-H1, 2027-Q2, 2027-03, 2027-W13), a fiscal year (FY2027, FY2027-Q1), " +
				"or from one to another, each a date, a period or a phrase (2027..2028, today..today, +1 year).", Value: textKind.Call(p.setWindow)},
		{Name: "patterns", Section: sectionPatterns, Help: "what several series have in common, by name",
			Value: add("patterns", "keys of a series, and the words that it takes", patternKeys, p.addPattern)},
		{Name: "people", Section: sectionTasks, Help: "the people who own tasks, by name", Value: add("people", "keys of a person", owner, p.addOwner)},
		{Name: "series", Section: sectionDates, Help: "the series: rules with a name", Value: add("series", "keys of a series", seriesKeys, p.addPendingSeries)},
		{Name: "series-from", Section: sectionPatterns, Help: "tables with one series per row", Value: listOf("a list", func() *keyGroup { return seriesFromKeys }, p.seriesFrom), AfterRead: p.readPending},
		{Name: "records", Section: sectionTables, Help: "the records: tables with a name", Value: add("records", "keys of a record", record, p.addRecord),
			AfterRead: p.checkOwners},
		{Name: "apart", Section: sectionTasks, Help: "series that must never meet on one day", Example: "[[crew-pay, fuel-duty]]",
			Value: declare.ValueSpec{Description: "a list of lists", Form: declare.FormTextLists, Assign: fills(p.readSeparations)}},
		{Name: "instead", Section: sectionDates, Help: "dates moved by hand, each with its series",
			Value: takesOverrides(func(v *node) error { return p.readOverrides(v, nil) }, seriesOverrideKeys)},
		{Name: "expect", Section: sectionTasks, Help: "what must hold across all series", Value: takesKeys(p.expectationKeys)},
		{Name: "outputs", Section: sectionOutputs, Help: "the files that `run` writes", Value: listOf("a list", output, p.readOutputs)},
		{Name: "publish", Section: sectionOutputs, Help: "the calendar server to publish to", Value: takesKeys(p.publishKeys),
			AfterRead: p.setPublishDefaults},
	}
}
