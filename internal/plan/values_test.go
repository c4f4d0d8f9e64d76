package plan

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/golden"
)

// valueFiles are plans with all that a plan can say, and what they name.
var valueFiles = map[string]string{
	"sets.yaml": `plan: 1
id: sets
title: Sets of the yard
zone: Atlantic/Faroe
window: 2027..2028-H1
week-start: sun
fiscal-start: 6 apr
fiscal-named: start
organizer: {name: Crew office, mail: office@skerry.example}
include: more/*.yaml
calendar: isles
calendars:
  isles:
    title: The Isles
    closed: [sat, sun]
    holidays:
      - {name: New Year, day: yearly on 1 jan then roll following}
      - {name: Days, day: [2027-03-04, 2027-03-08..2027-03-09]}
      - {file: list.csv, read-dates: dmy}
      - {file: list.ics, where: summary = 'Shut'}
    open: 2027-12-18, 2027-12-19
    known-from: 2026-01-01
    known-through: 2028-12-31
  yard: {closed: none, holidays: isles}
  both: {closed: sun, holidays: [isles, {calendar: yard}, {name: x, day: 2027-05-05}]}
  apart: more/own-calendar.yml
patterns:
  base: {takes: {lead: 5, who: none}, event: {remind: lead days before, busy: yes, lasting: 30 minutes}, expect: {per-year: 12, each: [cut < date]}, milestones: {cut: "date, -lead days", file: {date: "date, -2 days", todo: yes}}}
  pay:
    like: base
    takes: {payday: needed, cal: isles}
    title: Pay of {name}
    rule: monthly on payday then roll preceding
    calendar: (cal)
    period: {start: "previous_nominal, +1 day"}
    milestones: {cut: {owner: "{who}", title: "Cut-off {lead} before {date}"}, slips: "date, +1 day, at 09:00"}
    event: {summary: "{title}: {number}", color: teal, location: Quay}
    expect: {gap: 25..35 days, each: [slips > date]}
series:
  office: {like: pay, payday: 20, who: di, milestones: {file: none}, period: {end: date}}
  crew: {like: pay, payday: 28, lead: 3, cal: both, milestones: {cut: {private: yes}, extra: "date, +2 days"}, event: {categories: [wages, crew], busy: no}, expect: {per-year: 11..12}}
  shifts:
    title: Shifts
    rule: [{until: 2027-06-30, is: monthly on last, expect: {per-month: 1}}, {from: 2027-07-01, is: "monthly on 15, last", expect: {per-quarter: 6, each: [date is not blank]}}]
    zone: America/New_York
    private: yes
    todo: yes
    owner: ed
    instead: [{id: 2027-09/15, date: 2027-09-13, why: the bank, by: B. Tern}, {id: 2027-10/15, date: none, why: closed}]
  close: {rule: monthly on last working day, milestones-from: {table: tasks.csv, name: task, date: due, owner: owner, title: title, todo: yes}}
series-from:
  - {table: groups.csv, like: pay, name: code, payday: 10, cal: isles, who: none}
apart: [[office, crew.cut], [pay, close.pack]]
instead: [{series: office, id: 2027-05/20, date: 2027-05-19, why: early, what: cut}]
expect: {per-day: 0..3}
strict: no
records:
  staff: {table: staff.csv, key: who, columns: {last: "joined, +1 year", left: "days from joined to last"}, where: [who is not blank], calendar: yard, events: [{name: joins, day: joined, where: "who = 'Ada'", summary: "{who} joins", remind: [1 day before], private: yes, lasting: 1 hour}, {name: year, day: last}], expect: {rows: 2, unique: who, each: [last > joined]}, read-dates: "joined=dmy", open-words: [present]}
  days: {from: shifts, columns: {week: iso week of date}}
  rich: {from: staff, match: [{table: sites.csv, key: site, take: [unit]}, {table: bands.csv, value: left, start: since, take: [band]}]}
  spread: {from: staff, make: spread, start: joined, end: last, by: month, bad-rows: blank}
outputs:
  - {file: pay.html, of: [pay, shifts], title: Pay days, where: what = 'date', sort: -date, columns: "date, title"}
  - {file: office.csv, of: office, show-dates: "%d.%m.%Y", spreadsheet-safe: yes}
  - {file: sub/all.ics, of: [office, crew, staff], choose: occurrence}
  - {file: "t-{owner}.ics", of: close, per: owner, todo: yes}
  - {file: staff.xlsx, of: staff}
  - {file: due.csv, of: staff, make: due, date: [last], bands: "1, 30", window: 2027}
  - {file: days.csv, make: days, window: 2027-05}
  - {file: wall.html, make: wall, of: [office, shifts], milestones: yes}
publish: {to: "https://calendar.example/dav/", collection: Crew, of: [office, staff], choose: occurrence}
`,
	"more/a.yaml":           "people: {di: {name: Di Gull, mail: di@skerry.example}, ed: {}, none-of: {name: Nobody}}\nseries: {included: {rule: quarterly on last}}\n",
	"more/own-calendar.yml": "closed: fri\nholidays: [{name: Own, day: yearly on 2 feb}]\n",
	"weeks.yaml":            "plan: 1\nwindow: today..today, +1 year\nfiscal-end: last sat of jan\nfiscal-pattern: 4-5-4\nseries: {s: {rule: fiscal-monthly on last}, t: {rule: weekly on mon, title: T}}\nrecords: {r: {table: staff.csv, key: who, events: [{name: e, day: joined}], read-dates: dmy}}\n",
	"list.csv":              "date,name\n5.4.2027,Listed\n",
	"list.ics":              "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\nBEGIN:VEVENT\r\nUID:a\r\nDTSTAMP:20270101T000000Z\r\nDTSTART;VALUE=DATE:20270406\r\nSUMMARY:Shut\r\nEND:VEVENT\r\nBEGIN:VEVENT\r\nUID:b\r\nDTSTAMP:20270101T000000Z\r\nDTSTART;VALUE=DATE:20270407\r\nSUMMARY:Open\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n",
	"tasks.csv":             "task,due,owner,title\nbank,\"date, +1 working day\",di,\npack,\"bank, +2 working days, at 17:00\",,Pack of {nominal}\n",
	"groups.csv":            "code,lead,title,calendar,owner,summary,rule\nnorth,7,North,yard,ed,\"{title} in {lead}\",\nsouth,,South,,,,\"monthly on 11, 12\"\n",
	"staff.csv":             "who,joined,site\nAda,01/02/2026,H\nBo,29/02/2024,Y\n",
	"sites.csv":             "site,unit\nH,Harbour\nY,Yard\n",
	"bands.csv":             "since,band\n0,short\n366,long\n",
}

// told writes what a plan holds.
func told(b *strings.Builder, p *Plan, from, to string) {
	put := func(format string, args ...any) { fmt.Fprintf(b, format+"\n", args...) }
	put("%s %q zone %q window %v week %v fiscal %v strict %v organizer %v", p.ID, p.Title, p.ZoneName(), p.Window, p.Env.Fiscal.WeekStart, p.Env.Fiscal, p.Strict, p.Organizer)
	for _, o := range p.Owners {
		put("owner %s %q contact %q", o.Name, o.Title, o.contact())
	}
	cals, _ := p.Calendars()
	for _, c := range cals[:min(len(cals), 4)] {
		if !c.BuiltIn {
			open := ""
			for d := day("2027-02-27"); d < day("2027-04-10"); d++ {
				open += map[bool]string{true: "o", false: "."}[c.IsWorkday(d)]
			}
			put("calendar %s %q knows %v: %s", c.Name, c.Title, c.Coverage, open)
		}
	}
	put("per day %v, apart %d, patterns %v, series %v", p.PerDay, len(p.Separations), p.PatternNames(), p.Env.SeriesNames)
	for _, a := range p.Separations {
		for _, c := range a.Columns {
			put("  apart %s.%s", c.Series.Name, c.What)
		}
	}
	for _, s := range p.Series {
		put("series %s %q rule %q calendar %s zone %q private %v todo %v owner %q like %v remind %d shown %s", s.Name, s.Title, s.RuleText, s.Calendar.Name, s.Zone, s.Private, s.Todo, s.Owner, s.Patterns, len(s.Reminders), shownAs(s.EventProperties))
		if s.Expects != nil {
			put("  expects %v gap %v each %d", s.Expects.Counts, s.Expects.Gap, len(s.Expects.Each))
		}
		for _, r := range s.Rules {
			if r.Expects != nil {
				put("  rule %v %q expects %v each %d", r.Span, r.Text, r.Expects.Counts, len(r.Expects.Each))
			}
		}
		for _, m := range s.Milestones {
			put("  milestone %s owner %q todo %v private %v public %v", m.Name, m.Owner, m.Todo, m.Private, m.Public)
		}
	}
	entries, _, err := schedule.Entries(p.Series, civil.Span{First: day(from), Last: day(to)})
	if err != nil {
		put("%v", err)
	}
	for _, e := range entries {
		v := p.Event(e)
		put("  %s %s.%s %s %q %q owner %q contact %q private %v todo %v %s", v.At, v.Series, v.What, v.ID, v.Summary, v.Description, v.Owner, v.Contact, v.Private, v.Todo, strings.Join(v.Categories, "+"))
	}
	for _, r := range p.Records {
		put("record %s %s key %q columns %q where %q read %s", r.Name, filepath.Base(r.Table), r.Key, r.Columns, r.Where, readAs(r.In))
		if r.Expects != nil {
			put("  expects rows %v unique %v each %v", r.Expects.Rows, r.Expects.Unique, r.Expects.Each)
		}
		put("  from series %v record %v made by %v, %d look-ups, keeps %q, runs down %q by %q", r.FromSeries != nil, r.From != nil, r.Query != nil, len(r.Lookups), r.KeepColumns, r.Running, r.RunningGroup)
		for _, e := range r.Events {
			put("  event %s day %q where %q summary %q private %v remind %d", e.Name, e.Day, e.Where, e.Summary, e.Private, len(e.Reminders))
		}
	}
	for _, o := range append(p.Outputs, p.SplitOutputs...) {
		var of []string
		for _, s := range o.Series {
			of = append(of, s.Name)
		}
		for _, r := range o.EventRecords {
			of = append(of, r.Name)
		}
		made := ""
		if o.Query != nil {
			made = o.Query.Name
		}
		put("output %s %s of %v record %v make %q window %q own %q owner %q whole %v where %q sort %q columns %q title %q dates %q safe %v todo %v rrule %v wide %v", o.File, o.Format.Name, of, o.Record != nil, made, o.Window, o.OwnWindow, o.Owner, o.WholeOccurrences, o.Shape.Where, o.Shape.Sort, o.Shape.Columns, o.Shape.Title, o.Shape.ShowDates, o.Shape.Safe, o.EventForm.Todo, o.EventForm.RRule, o.IsOccurrenceTable())
		put("  has: hers %v theirs %v nobody's %v", o.Has(schedule.Event{Owner: "di"}), o.Has(schedule.Event{Owner: "ed"}), o.Has(schedule.Event{}))
	}
	put("publish %q %q series %d records %d whole %v", p.Publish.Server, p.Publish.Collection, len(p.Publish.Series), len(p.Publish.Records), p.Publish.WholeOccurrences)
	for _, text := range append(p.Notes, p.Warnings()...) {
		put("told: %s", text)
	}
}

// shownAs writes how events show in a calendar.
func shownAs(p schedule.EventProperties) string {
	return fmt.Sprintf("busy %v minutes %d color %q location %q categories %q", p.Busy, p.DurationMinutes, p.Color, p.Location, p.Categories)
}

// readAs writes how a table is read.
func readAs(t ask.TableOptions) string {
	return fmt.Sprintf("sheet %q encoding %q header %d dates %q joins %q open words %q bad rows %q keep %v repair %v renames %q fill %q numbers %q", t.Sheet, t.Encoding, t.HeaderRow, t.ReadDates, t.DateJoins, t.BlankWords, t.BadRows, t.KeepText, t.Repair, t.Renames, t.Fill, t.ReadNumbers)
}

func day(s string) civil.Date { d, _, _ := civil.Parse(s); return d }

// TestLoad_values holds what plans are read as to testdata/values.txt.
func TestLoad_values(t *testing.T) {
	dir := t.TempDir()
	for name, text := range valueFiles {
		path := filepath.Join(dir, filepath.FromSlash(name))
		if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	var b strings.Builder
	var plans []*Plan
	for _, name := range []string{"sets.yaml", "weeks.yaml"} {
		p, err := Load(filepath.Join(dir, name), Settings{AsOf: day("2026-11-25")})
		if err != nil {
			t.Fatal(err)
		}
		told(&b, p, "2027-04-20", "2027-06-15")
		plans = append(plans, p)
	}
	plans[0].Join(plans[1])
	fmt.Fprintln(&b, "beside:", plans[0].Title, plans[0].Window, plans[0].Env.SeriesNames, len(plans[0].Joined()), len(plans[0].AllSeries()))
	for _, name := range []string{"(site)", "isles + yard", "none", "nowhere", filepath.Join(dir, "more", "own-calendar.yml")} {
		p, _ := Load(filepath.Join(dir, "sets.yaml"), Settings{AsOf: day("2026-11-25"), Fiscal: map[string]string{"fiscal-start": "1 jul"}})
		err := p.SetCalendar(name)
		fmt.Fprintln(&b, "count by", filepath.Base(name), p.Env.CalendarColumn, p.Env.Calendar != nil, err, p.Env.Fiscal)
	}
	got := strings.ReplaceAll(filepath.ToSlash(b.String()), filepath.ToSlash(dir), "")
	golden.Compare(t, "testdata/values.txt", got)
}
