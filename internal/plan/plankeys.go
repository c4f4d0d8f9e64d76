package plan

import (
	"fmt"
	"sync"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/declare"
	"yoyaku/internal/ical"
)

// planKeys are the keys of a plan, if nothing is filled, in the order in which one
// writes them.
var planKeys = sync.OnceValue(func() *group {
	p := &Plan{}
	return &group{what: "the plan", keys: append((&settingsIn{p: p}).keys(), p.entryKeys()...)}
})

// The parts of a plan, in the order in which one writes it.
const (
	partAbout   = "The plan itself"
	partDays    = "Working days"
	partYears   = "Weeks and fiscal years"
	partDates   = "Dates"
	partAlike   = "Many series of one kind"
	partTables  = "Tables"
	partTasks   = "Tasks, and what must hold across the plan"
	partOutputs = "What is handed on"
)

var planParts = []string{partAbout, partDays, partYears, partDates, partAlike, partTables, partTasks, partOutputs}

// settingsIn are the settings of a plan as they are read.
type settingsIn struct {
	p     *Plan
	set   Settings
	frame map[string]*node // how time is cut, by key
}

// keys are those that others depend on.
func (in *settingsIn) keys() []*declare.Key {
	p := in.p
	list := []*declare.Key{
		{Name: "plan", Part: partAbout, Needed: true, Help: "the version of the plan format", Example: "1", Takes: kind[string]{Words: "a number",
			Shape: declare.ANumber, OneOf: []string{"1"}, Read: aText.Read}.Then(in.version)},
		{Name: "id", Part: partAbout, Help: "identifies the plan's events for good: letters, digits, -, . and _", Example: "crew-office",
			Takes: aText.Then(func(text string) error { p.ID = text; return CheckID(text) })},
		{Name: "title", Part: partAbout, Help: "the plan's name, and that of its calendar files", Example: "Crew office",
			Takes: aText.Into(&p.Title)},
		{Name: "zone", Part: partAbout, Help: "the time zone of dates with a time", Default: "local time wherever it is read", Example: "Atlantic/Faroe",
			Takes: aText.Then(in.zone)},
		{Name: "organizer", Part: partOutputs, Help: "who sends cancellations", Takes: keysOf(in.organizer)},
		{Name: "strict", Part: partAbout, Help: "treat every warning as a failure", Default: "no", Takes: declare.Yes.Into(&p.Strict)},
	}
	for _, k := range frameKeys {
		list = append(list, &declare.Key{Name: k.name, Part: partYears, Help: k.about, Default: k.unless, Example: k.example,
			Takes: kind[*node]{Words: "a text", OneOf: k.oneOf, Read: aNode.Read}.Then(func(v *node) error {
				in.frame[k.name] = v
				return nil
			})})
	}
	return list
}

func (in *settingsIn) version(text string) error {
	if text != "1" {
		return fmt.Errorf("expected version 1, found %s", text)
	}
	return nil
}

func (in *settingsIn) zone(name string) (err error) {
	in.p.Zone, err = ical.Zone(name)
	return err
}

func (in *settingsIn) organizer() *group {
	o := &in.p.Organizer
	mail := func(text string) error {
		of, err := ical.ParseOrganizer(text)
		o.Mail = of.Mail
		return err
	}
	return &group{what: "the organizer", keys: []*declare.Key{
		{Name: "name", Help: "the name shown in calendars", Example: "Crew office", Takes: aText.Into(&o.Name)},
		{Name: "mail", Help: "the e-mail address", Example: "office@skerry.example", Takes: aText.Then(mail)},
	}, done: func(*node) error {
		if o.Mail == "" {
			return fmt.Errorf("an organizer needs a `mail`: {name: Crew office, mail: office@skerry.example}")
		}
		return nil
	}}
}

// done settles how time is cut, and what phrases read.
func (in *settingsIn) done() error {
	f := civil.DefaultFrame
	texts := map[string]string{}
	for key, v := range in.frame {
		text, err := v.doc.text(v.val)
		if err != nil {
			return v.wrap(err)
		}
		texts[key] = text
	}
	if key, err := setFrame(&f, texts); err != nil {
		return in.frame[key].wrap(err)
	}
	if key, err := setFrame(&f, in.set.Frame); err != nil {
		return rows.In(key, err)
	}
	in.p.Env = in.set.env(f, in.p.Zone)
	in.p.book = newBook(in.p.Env, in.p.Files)
	in.p.lend()
	in.p.counted = in.set.Calendar
	return in.p.book.whatIf(in.set.WhatIf, in.set.Calendar)
}

// entryKeys are the keys that depend on the settings: what depends on another stands
// behind it.
func (p *Plan) entryKeys() []*declare.Key {
	add := func(what string, help string, of func() *group, do func(v *node) error) declare.Takes {
		return namesOf(func() *names { return &names{what: what, help: help, of: of, each: p.add(what, do)} })
	}
	calendar := func() *group { return new(calendarIn).group() }
	owner := func() *group { return new(Owner).group() }
	record := func() *group { return recordIn{&Record{}, p}.group(nil) }
	output := func() *group { return outputIn{&Output{}, p}.group(nil) }
	return []*declare.Key{
		{Name: "include", Part: partAbout, Help: "other files to take calendars, patterns, people, series, records and `apart` from",
			Example: "shared/*.yaml", Takes: someNames.Then(func([]placed) error { return nil })},
		{Name: "calendars", Part: partDays, Help: "the working calendars, by name",
			Takes: add("calendars", "keys of a calendar, or the file that holds them", calendar, p.addCalendar),
			After: p.buildCalendars},
		{Name: "calendar", Part: partDays, Help: "the calendar used unless a series or record names its own",
			Default: "Saturday and Sunday closed", Example: "isles", Takes: aText.Then(p.countBy),
			After: p.tryOwn},
		{Name: "window", Part: partAbout, Help: "the time that `run` covers", Example: "2027..2028",
			More: "A year, half, quarter, month or week (2027, 2027-H1, 2027-Q2, 2027-03, 2027-W13), a fiscal year (FY2027, FY2027-Q1), " +
				"or from one to another, each a date, a period or a phrase (2027..2028, today..today, +1 year).", Takes: aText.Then(p.stretch)},
		{Name: "patterns", Part: partAlike, Help: "what several series have in common, by name",
			Takes: add("patterns", "keys of a series, and the words that it takes", patternKeys, p.addPattern)},
		{Name: "people", Part: partTasks, Help: "the people who own tasks, by name", Takes: add("people", "keys of a person", owner, p.addOwner)},
		{Name: "series", Part: partDates, Help: "the series: rules with a name", Takes: add("series", "keys of a series", seriesKeys, p.waits)},
		{Name: "series-from", Part: partAlike, Help: "tables with one series per row", Takes: listOf("a list", func() *group { return seriesFromKeys }, p.seriesFrom), After: p.readWaiting},
		{Name: "records", Part: partTables, Help: "the records: tables with a name", Takes: add("records", "keys of a record", record, p.addRecord),
			After: p.unknownOwners},
		{Name: "apart", Part: partTasks, Help: "series that must never meet on one day", Example: "[[crew-pay, fuel-duty]]",
			Takes: declare.Takes{Words: "a list of lists", Shape: declare.SomeLists, Fill: fills(p.readApart)}},
		{Name: "instead", Part: partDates, Help: "dates moved by hand, each with its series",
			Takes: byHand(func(v *node) error { return p.insteads(v, nil) }, daysByHand)},
		{Name: "expect", Part: partTasks, Help: "what must hold across all series", Takes: keysOf(p.expectAll)},
		{Name: "outputs", Part: partOutputs, Help: "the files that `run` writes", Takes: listOf("a list", output, p.outputs)},
		{Name: "publish", Part: partOutputs, Help: "the calendar server to publish to", Takes: keysOf(p.publishKeys),
			After: p.publishAll},
	}
}
