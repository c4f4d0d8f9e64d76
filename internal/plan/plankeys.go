package plan

import (
	"fmt"
	"sync"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/ical"
)

// planKeys are the keys of a plan, where nothing is filled, in the order in which one
// writes them.
var planKeys = sync.OnceValue(func() *group {
	p := &Plan{}
	return &group{what: "the plan", keys: append((&settingsIn{p: p}).keys(), p.entryKeys()...)}
})

// settingsIn are the settings of a plan as they are read.
type settingsIn struct {
	p     *Plan
	set   Settings
	frame map[string]*node // how time is cut, by key
}

// keys are those that others depend on.
func (in *settingsIn) keys() []Key {
	p := in.p
	list := []Key{
		{Name: "plan", Needed: true, Help: "the version of this format", Example: "1", Takes: kind[string]{"a number",
			aNumber, []string{"1"}, aText.read}.then(in.version)},
		{Name: "id", Help: "names the events for good: letters, digits, -, . and _", Example: "crew-office",
			Takes: aText.then(func(text string) error { p.ID = text; return CheckID(text) })},
		{Name: "title", Help: "the name of the calendar that is handed on", Example: "Crew office",
			Takes: aText.into(&p.Title)},
		{Name: "zone", Help: "time zone of dates with a time", Default: "times float", Example: "Atlantic/Faroe",
			Takes: aText.then(in.zone)},
		{Name: "organizer", Help: "who sends out cancellations", Takes: keysOf(in.organizer)},
		{Name: "strict", Help: "whether every warning is a failure", Default: "no", Takes: aYes.into(&p.Strict)},
	}
	for _, k := range frameKeys {
		list = append(list, Key{Name: k.name, Help: k.about, Default: k.unless, Example: k.example,
			Takes: kind[*node]{"a text", oneText, k.oneOf, aNode.read}.then(func(v *node) error {
				in.frame[k.name] = v
				return nil
			})})
	}
	return list
}

func (in *settingsIn) version(text string) error {
	if text != "1" {
		return fmt.Errorf("this program reads plans of version 1, and this says %s", text)
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
	return &group{what: "the organizer", keys: []Key{
		{Name: "name", Help: "as calendars show it", Example: "Crew office", Takes: aText.into(&o.Name)},
		{Name: "mail", Help: "the address", Example: "office@skerry.example", Takes: aText.then(mail)},
	}, done: func(*node) error {
		if o.Mail == "" {
			return fmt.Errorf("an organizer has a `mail`: {name: Crew office, mail: office@skerry.example}")
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
func (p *Plan) entryKeys() []Key {
	add := func(what string, help string, of func() *group, do func(v *node) error) takes {
		return namesOf(func() *names { return &names{what: what, help: help, of: of, each: p.add(what, do)} })
	}
	calendar := func() *group { return new(calendarIn).group() }
	owner := func() *group { return new(Owner).group() }
	record := func() *group { return recordIn{&Record{}, p}.group(nil) }
	output := func() *group { return outputIn{&Output{}, p}.group(nil) }
	return []Key{
		{Name: "include", Help: "files with calendars, patterns, people, series, records and apart for this plan",
			Example: "shared/*.yaml", Takes: someNames.then(func([]placed) error { return nil })},
		{Name: "calendars", Help: "working calendars by name",
			Takes: add("calendars", "what the calendar is made of, or a file that says it", calendar, p.addCalendar),
			after: p.buildCalendars},
		{Name: "calendar", Help: "the calendar of series and tables that name none",
			Default: "Saturday and Sunday closed", Example: "isles", Takes: aText.then(p.countBy),
			after: p.tryOwn},
		{Name: "window", Help: "the stretch that a run makes", Example: "2027..2028", Takes: aText.then(p.stretch)},
		{Name: "patterns", Help: "what several series have in common, by name",
			Takes: add("patterns", "what its series have in common", patternKeys, p.addPattern)},
		{Name: "people", Help: "who owns tasks, by name", Takes: add("people", "who it is", owner, p.addOwner)},
		{Name: "series", Help: "rules with a name", Takes: add("series", "what the series is", seriesKeys, p.waits)},
		{Name: "series-from", Help: "series of the rows of tables", Takes: takes{words: "a list", kind: aList,
			item: func() *group { return seriesFromKeys }, fill: p.seriesFrom}, after: p.readWaiting},
		{Name: "records", Help: "tables with a name", Takes: add("records", "what the record is", record, p.addRecord),
			after: p.unknownOwners},
		{Name: "apart", Help: "lists of series that never have dates on one day", Example: "[[crew-pay, fuel-duty]]",
			Takes: takes{words: "a list of lists", kind: someLists, fill: p.readApart}},
		{Name: "instead", Help: "days that stand in the place of others, by hand, each with its series",
			Takes: byHand(func(v *node) error { return p.insteads(v, nil) }, daysByHand)},
		{Name: "expect", Help: "what must hold over all series", Takes: keysOf(p.expectAll)},
		{Name: "outputs", Help: "the files that a run makes", Takes: takes{words: "a list", kind: aList, item: output,
			fill: p.outputs}},
		{Name: "publish", Help: "the calendar server that events are published to", Takes: keysOf(p.publishKeys),
			after: p.publishAll},
	}
}
