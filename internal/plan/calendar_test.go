package plan

import (
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/workdays"
	"yoyaku/internal/golden"
)

// The built-in calendars against the dates that were published for each year:
// by the Office of Personnel Management, by the governments, by the central banks.
func TestBuiltInCalendars(t *testing.T) {
	for name, years := range map[string]map[string]string{
		"us-federal": {
			"2021": "01-01 01-18 02-15 05-31 06-18 07-05 09-06 10-11 11-11 11-25 12-24 12-31",
			"2022": "01-17 02-21 05-30 06-20 07-04 09-05 10-10 11-11 11-24 12-26",
			"2023": "01-02 01-16 02-20 05-29 06-19 07-04 09-04 10-09 11-10 11-23 12-25",
			"2024": "01-01 01-15 02-19 05-27 06-19 07-04 09-02 10-14 11-11 11-28 12-25",
			"2026": "01-01 01-19 02-16 05-25 06-19 07-03 09-07 10-12 11-11 11-26 12-25",
			"2027": "01-01 01-18 02-15 05-31 06-18 07-05 09-06 10-11 11-11 11-25 12-24 12-31",
			"2018": "01-01 01-15 02-19 05-28 07-04 09-03 10-08 11-12 11-22 12-25",
		},
		"england-wales": {
			"2002": "01-01 03-29 04-01 05-06 06-03 06-04 08-26 12-25 12-26", "2005": "01-03 03-25 03-28 05-02 05-30 08-29 12-26 12-27",
			"2011": "01-03 04-22 04-25 04-29 05-02 05-30 08-29 12-26 12-27", "2012": "01-02 04-06 04-09 05-07 06-04 06-05 08-27 12-25 12-26",
			"2020": "01-01 04-10 04-13 05-08 05-25 08-31 12-25 12-28", "2021": "01-01 04-02 04-05 05-03 05-31 08-30 12-27 12-28",
			"2022": "01-03 04-15 04-18 05-02 06-02 06-03 08-29 09-19 12-26 12-27", "2023": "01-02 04-07 04-10 05-01 05-08 05-29 08-28 12-25 12-26",
			"2024": "01-01 03-29 04-01 05-06 05-27 08-26 12-25 12-26", "2026": "01-01 04-03 04-06 05-04 05-25 08-31 12-25 12-28",
		},
		"us-banks": {
			"2022": "01-01 01-17 02-21 05-30 06-20 07-04 09-05 10-10 11-11 11-24 12-26",
			"2026": "01-01 01-19 02-16 05-25 06-19 07-04 09-07 10-12 11-11 11-26 12-25",
			"2027": "01-01 01-18 02-15 05-31 06-19 07-05 09-06 10-11 11-11 11-25 12-25",
		},
		"scotland": {
			"2024": "01-01 01-02 03-29 05-06 05-27 08-05 12-02 12-25 12-26", "2025": "01-01 01-02 04-18 05-05 05-26 08-04 12-01 12-25 12-26",
			"2026": "01-01 01-02 04-03 05-04 05-25 08-03 11-30 12-25 12-28", "2027": "01-01 01-04 03-26 05-03 05-31 08-02 11-30 12-27 12-28",
		},
		"northern-ireland": {
			"2024": "01-01 03-18 03-29 04-01 05-06 05-27 07-12 08-26 12-25 12-26", "2025": "01-01 03-17 04-18 04-21 05-05 05-26 07-14 08-25 12-25 12-26",
			"2026": "01-01 03-17 04-03 04-06 05-04 05-25 07-13 08-31 12-25 12-28",
		},
		"germany":     {"2024": "01-01 03-29 04-01 05-01 05-09 05-20 10-03 12-25 12-26"},
		"france":      {"2025": "01-01 04-21 05-01 05-08 05-29 06-09 07-14 08-15 11-01 11-11 12-25", "2024": "01-01 04-01 05-01 05-08 05-09 05-20 07-14 08-15 11-01 11-11 12-25"},
		"netherlands": {"2025": "01-01 04-18 04-21 04-26 05-05 05-29 06-09 12-25 12-26", "2026": "01-01 04-03 04-06 04-27 05-05 05-14 05-25 12-25 12-26"},
		"belgium":     {"2025": "01-01 04-21 05-01 05-29 06-09 07-21 08-15 11-01 11-11 12-25"},
		"italy": {"2025": "01-01 01-06 04-21 04-25 05-01 06-02 08-15 11-01 12-08 12-25 12-26",
			"2026": "01-01 01-06 04-06 04-25 05-01 06-02 08-15 10-04 11-01 12-08 12-25 12-26"},
		"sweden":  {"2025": "01-01 01-06 04-18 04-20 04-21 05-01 05-29 06-06 06-08 06-21 11-01 12-25 12-26", "2026": "01-01 01-06 04-03 04-05 04-06 05-01 05-14 05-24 06-06 06-20 10-31 12-25 12-26"},
		"norway":  {"2025": "01-01 04-17 04-18 04-20 04-21 05-01 05-17 05-29 06-08 06-09 12-25 12-26"},
		"denmark": {"2023": "01-01 04-06 04-07 04-09 04-10 05-05 05-18 05-28 05-29 12-25 12-26", "2024": "01-01 03-28 03-29 03-31 04-01 05-09 05-19 05-20 12-25 12-26"},
		"finland": {"2025": "01-01 01-06 04-18 04-20 04-21 05-01 05-29 06-08 06-21 11-01 12-06 12-25 12-26"},
		"poland": {"2024": "01-01 01-06 03-31 04-01 05-01 05-03 05-19 05-30 08-15 11-01 11-11 12-25 12-26",
			"2025": "01-01 01-06 04-20 04-21 05-01 05-03 06-08 06-19 08-15 11-01 11-11 12-24 12-25 12-26"},
		"new-zealand": {"2023": "01-02 01-03 02-06 04-07 04-10 04-25 06-05 07-14 10-23 12-25 12-26",
			"2027": "01-01 01-04 02-08 03-26 03-29 04-26 06-07 06-25 10-25 12-27 12-28"},
		"japan": {"2024": "01-01 01-08 02-11 02-12 02-23 03-20 04-29 05-03 05-04 05-05 05-06 07-15 08-11 08-12 09-16 09-22 09-23 10-14 11-03 11-04 11-23",
			"2026": "01-01 01-12 02-11 02-23 03-20 04-29 05-03 05-04 05-05 05-06 07-20 08-11 09-21 09-22 09-23 10-12 11-03 11-23"},
		"target": {
			"2002": "01-01 03-29 04-01 05-01 12-25 12-26", "2024": "01-01 03-29 04-01 05-01 12-25 12-26",
			"2025": "01-01 04-18 04-21 05-01 12-25 12-26", "2027": "01-01 03-26 03-29 05-01 12-25 12-26",
		},
	} {
		p, err := NewEmpty(Settings{Now: time.Now()})
		if err != nil {
			t.Fatal(err)
		}
		cal, err := p.Calendar(name)
		if err != nil {
			t.Fatal(err)
		}
		for year, want := range years {
			span, _ := civil.DefaultFiscalCalendar.ParseSpan(year)
			var got []string
			for h := range cal.Holidays(span) {
				got = append(got, h.Date.String()[5:])
				if h.Source == "" || h.Name == "" || cal.IsWorkday(h.Date) {
					t.Errorf("%s: %v", name, h)
				}
			}
			if strings.Join(got, " ") != want {
				t.Errorf("%s %s:\n  %s, want\n  %s", name, year, strings.Join(got, " "), want)
			}
		}
	}
}

// The Easter Sundays of 2024 to 2032, western and orthodox, as churches print them.
var easters = map[byte]string{'E': "2024-03-31 2025-04-20 2026-04-05 2027-03-28 2028-04-16 2029-04-01 2030-04-21 2031-04-13 2032-03-28",
	'O': "2024-05-05 2025-04-20 2026-04-12 2027-05-02 2028-04-16 2029-04-08 2030-04-28 2031-04-13 2032-05-02"}

// TestBuiltInCalendars_laws holds calendars against lists that were written down from the laws, for
// nine years.
func TestBuiltInCalendars_laws(t *testing.T) {
	lists := map[string]string{}
	p, err := NewEmpty(Settings{Now: time.Now()})
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range golden.Cases(t, "testdata/laws.cases", 2) {
		lists[c[0]] = c[1]
		want := map[string]bool{}
		for _, word := range strings.Fields(strings.ReplaceAll(c[1], "germany", lists["germany"])) {
			switch {
			case word[0] == 'E' || word[0] == 'O':
				days, err := strconv.Atoi(word[1:])
				if err != nil {
					t.Fatal(err)
				}
				for _, easter := range strings.Fields(easters[word[0]]) {
					d, _ := time.Parse(time.DateOnly, easter)
					want[d.AddDate(0, 0, days).Format(time.DateOnly)] = true
				}
			case len(word) == len("01-01"):
				for year := 2024; year <= 2032; year++ {
					want[strconv.Itoa(year)+"-"+word] = true
				}
			default:
				want[word] = true
			}
		}
		cal, err := p.Calendar(c[0])
		if err != nil {
			t.Fatal(err)
		}
		got := map[string]bool{}
		span, _ := civil.DefaultFiscalCalendar.ParseSpan("2024")
		until, _ := civil.DefaultFiscalCalendar.ParseSpan("2032")
		span.Last = until.Last
		for h := range cal.Holidays(span) {
			got[h.Date.String()] = true
			if !want[h.Date.String()] {
				t.Errorf("%s: %s (%s) isn't in the law", c[0], h.Date, h.Name)
			}
		}
		for day := range want {
			if !got[day] {
				t.Errorf("%s: %s is missing", c[0], day)
			}
		}
		if !cal.Covers(span.First) || !cal.Covers(span.Last) || cal.Title == "" {
			t.Errorf("%s knows %v, %q", c[0], cal.Coverage, cal.Title)
		}
	}
}

const events = `BEGIN:VCALENDAR
VERSION:2.0
BEGIN:VEVENT
UID:1
DTSTART;VALUE=DATE:20270301
DTEND;VALUE=DATE:20270304
SUMMARY:Nets\, ropes
 and anchors
CATEGORIES:closed,yard
END:VEVENT
BEGIN:VEVENT
UID:2
DTSTART;VALUE=DATE:20270105
RRULE:FREQ=YEARLY
EXDATE;VALUE=DATE:20290105
SUMMARY:Lamp Day
CATEGORIES:closed
END:VEVENT
BEGIN:VEVENT
UID:3
DTSTART;VALUE=DATE:20270202
SUMMARY:Market
CATEGORIES:open
END:VEVENT
BEGIN:VEVENT
UID:4
DTSTART;VALUE=DATE:20270203
STATUS:CANCELLED
SUMMARY:Called off
CATEGORIES:closed
END:VEVENT
BEGIN:VEVENT
UID:5
DTSTART:20270204T090000Z
SUMMARY:Meeting
CATEGORIES:closed
END:VEVENT
BEGIN:VEVENT
UID:6
DTSTART;VALUE=DATE:20270501
DURATION:P2D
RDATE;VALUE=DATE:20270601
SUMMARY:Fair
CATEGORIES:closed
END:VEVENT
END:VCALENDAR
`

// build makes a calendar file in a folder with an event file and a list.
func build(t *testing.T, keys string) (*workdays.Calendar, error) {
	t.Helper()
	dir := t.TempDir()
	for name, text := range map[string]string{"cal.yaml": keys, "events.ics": strings.ReplaceAll(events, "\n", "\r\n"),
		"doubt.csv": "date,name\n03/04/2027,A\n05/06/2027,B\n", "nameless.csv": "date,days\n2027-01-01,1\n",
		"pasted.txt": "Bank holidays 2027\n1 January New Year's Day\nFri 26 March Good Friday\nMon 3 May - Early May bank holiday\n",
		"titled.csv": "Feiertage;\n;\nDatum;Feiertag\nFr 26.03.2027;Karfreitag\n25. Dezember 2027;1. Weihnachtstag\nQuelle: Aushang;\n",
		"terms.csv":  "start,end,name\n30/07/2027,31.7.2027,Terms\n2/8/27,,More\n", "list.csv": "\ufeffname,date\n\"One, two\",2027-07-01\n", "bad.ics": "BEGIN:VCALENDAR\nBEGIN:VEVENT\nSUMMARY\n",
		"shut.ics": "BEGIN:VCALENDAR\nBEGIN:VEVENT\nSUMMARY:x\nDTSTART:20270101\nDTEND:99991231\nRRULE:FREQ=DAILY\nEND:VEVENT\nBEGIN:VEVENT\nSUMMARY:y\nDTSTART:20270601\nEND:VEVENT\nEND:VCALENDAR\n"} {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	p, err := NewEmpty(Settings{})
	if err != nil {
		t.Fatal(err)
	}
	return p.Calendar(filepath.Join(dir, "cal.yaml"))
}

func TestCalendarFiles(t *testing.T) {
	for _, c := range []struct{ keys, want string }{
		{"closed: fri-sat\nholidays: [{file: events.ics}]", "03-01 03-02 03-03 01-05 02-02 05-01 05-02 06-01 06-02 2027-01-01..2027-12-31"},
		{"holidays:\n  - file: events.ics\n    where: categories contains 'closed' and not summary starts with 'Nets'", "01-05 05-01 05-02 06-01 06-02"},
		{"holidays:\n  - file: events.ics\n    where: summary = 'Nets, ropesand anchors'", "03-01 03-02 03-03 2027-01-01..2027-12-31"},
		{"holidays: [{file: list.csv}]\nknown-from: 2020-01-01", "07-01 2020-01-01..2027-12-31"},
		{"holidays:\n  - {name: Boxes, day: 2027-12-25}\n  - target", "01-01 03-26 03-29 05-01 12-25 12-25 12-26 2002-01-01..9999-12-31"},
		{"closed: none\nholidays:\n  - name: A\n    day: yearly on 25 dec then roll following\n  - name: B\n    day: yearly on 26 dec then +1 working day", "12-25 12-27"},
		{"holidays:\n  - name: A\n    day: yearly on 25 dec then roll following\n  - name: B\n    day: yearly on 26 dec then roll following\nopen: 2027-12-28", "12-27 12-28"},
		{"holidays:\n  - {name: A, day: 2027-12-27..2027-12-29}\n  - {name: B, day: [2027-03-01, 2027-W13-6..2027-04-04]}\n  - {name: C, day: '2027-05-03, 2027-05-04'}", "12-27 12-28 12-29 03-01 04-03 04-04 05-03 05-04"},
		{"holidays: [{file: terms.csv, read-dates: dmy}]", "07-30 07-31 08-02 2027-01-01..2027-12-31"},
		{"holidays: [{file: terms.csv}]", "07-30 07-31 08-02 2027-01-01..2027-12-31"},
		{"holidays: [{file: doubt.csv}]", "doubt.csv:1: column `date`: its dates can be read as dmy or as mdy, which are different days. Add `read-dates: dmy` beside the file"},
		{"holidays: [{file: pasted.txt}]", "01-01 03-26 05-03 2027-01-01..2027-12-31"},
		{"holidays: [{file: titled.csv}]", "03-26 12-25 2027-01-01..2027-12-31"},
		{"holidays: [{file: nameless.csv}]", "nameless.csv:1: no column of dates was found beside one of names; a list has the columns `date` and `name`, or `start`, `end` and `name`"},
		{"holidays: [{file: terms.csv, read-dates: mdy}]", "terms.csv:2: column `start`: expected a date written as mdy"},
		{"holidays: [{file: terms.csv, read-dates: dym}]", "cal.yaml:1:42: read-dates: unknown date form \"dym\"; did you mean dmy?"},
		{"holidays: [{file: events.ics, read-dates: dmy}]", "have one form"},
		{"holidays: [{name: A, day: [2027-03-01, monthly on 1]}]", "expected days such as 2027-12-24 or 2027-12-27..2027-12-31"},
		{"holidays: [{name: A, day: 2027-03-05..2027-03-01}]", "expected days such as 2027-12-24 or 2027-12-27..2027-12-31"},
		{"holidays: [{name: A, day: 2027-03-05..2057-03-01}]", "ten years at most"},
		{"holidays: [{name: A, day: christmas}]", "expected a rule, which starts with a cadence"},
		{"holidays: [{file: shut.ics}]", "a recurring event covers 2912077 days; at most 400 are read"},
		{"holidays:\n  - file: shut.ics\n    where: summary = 'y'", "06-01 2027-01-01..2027-12-31"},
		{"holidays: [{file: bad.ics}]", "bad.ics:3: the file ends inside VEVENT"},
		{"holidays:\n  - file: events.ics\n    where: summry = 'x'", "cal.yaml:3:12: in \"summry = 'x'\", column 1: unknown name `summry`; did you mean `summary`?"},
		{"holidays:\n  - file: events.ics\n    where: summary", "expected a condition"},
		{"holidays:\n  - file: list.csv\n    where: summary = 'x'", "`where` is for .ics files"},
		{"holidays: [{name: A}]", "a holiday needs `name` and `day`"},
		{"known-through: tomorrow", "expected a date such as"},
		{"holdays: []", "did you mean `holidays`?"},
	} {
		cal, err := build(t, c.keys)
		if err != nil {
			if !strings.Contains(err.Error(), c.want) {
				t.Errorf("%s: %v, want %s", c.keys, err, c.want)
			}
			continue
		}
		span, _ := civil.DefaultFiscalCalendar.ParseSpan("2027")
		var got []string
		for h := range cal.Holidays(span) {
			got = append(got, h.Date.String()[5:])
		}
		want := strings.Fields(c.want)
		if n := len(want) - 1; strings.Contains(want[n], "..") {
			if known := cal.Coverage.First.String() + ".." + cal.Coverage.Last.String(); known != want[n] {
				t.Errorf("%s knows %s, want %s", c.keys, known, want[n])
			}
			want = want[:n]
		} else if cal.Coverage != civil.AllDays {
			t.Errorf("%s knows only %v", c.keys, cal.Coverage)
		}
		sortDays(want)
		if strings.Join(got, " ") != strings.Join(want, " ") {
			t.Errorf("%s:\n  %v, want\n  %v", c.keys, got, want)
		}
	}
	cal, err := build(t, "holidays: [{file: events.ics}]")
	if err != nil {
		t.Fatal(err)
	}
	for day, open := range map[string]bool{"2028-01-05": false, "2029-01-05": true, "2030-01-04": true, "2037-01-05": false} {
		d, _, _ := civil.Parse(day)
		if cal.IsWorkday(d) != open {
			t.Errorf("%s is open: %v", day, !open)
		}
	}
}

func sortDays(list []string) {
	for i := range list {
		for j := i; j > 0 && list[j] < list[j-1]; j-- {
			list[j], list[j-1] = list[j-1], list[j]
		}
	}
}

func TestConditions(t *testing.T) {
	env := eval.Env{Fiscal: civil.DefaultFiscalCalendar, Names: []string{"unit", "day", "left", "none", "text-day"}, Today: 740000}
	d, _, _ := civil.Parse("2027-03-31")
	row := []eval.Value{eval.Str("Harbour"), {Kind: eval.DateTime, Day: d, Minutes: 60}, eval.Int(30), {}, eval.Str("2027-04-01")}
	for text, want := range map[string]string{
		"unit = 'Harbour'": "true", "unit != 'Harbour'": "false", "unit = 'harbour'": "false", "unit in ('Yard', 'Harbour')": "true",
		"unit not in ('Yard')": "true", "left <= 30 and unit = 'Harbour'": "true", "left < 30 or left > 30": "false", "left between 30 and 31": "true",
		"left not between 30 and 31": "false", "none = 1": "false", "none != 1": "false", "none not between 1 and 2": "false", "none is blank": "true",
		"none not in (1)": "false", "left is not blank": "true", "not none = 1": "false", "day = 2027-03-31": "true", "text-day > day": "true",
		"day, +1 day = text-day": "true", "unit contains 'arb' and not (unit starts with 'a')": "true", "not left = 30 or left = 30 and left = 31": "false",
		"day > today": "true", "unit > 3": "can't be compared", "unit = 2027-03-31": "can't be compared", "left = day": "can't be compared",
	} {
		holds, err := eval.Condition(text, env)
		if err != nil {
			t.Errorf("%s: %v", text, err)
			continue
		}
		got, err := holds(row)
		said := map[bool]string{true: "true", false: "false"}[got]
		if err != nil {
			said = err.Error()
		}
		if !strings.Contains(said, want) || err == nil && said != want {
			t.Errorf("%s is %s, want %s", text, said, want)
		}
	}
}

// Calendars that rows on several processors name are each built once.
func TestCalendarsAskedAtOnce(t *testing.T) {
	p, err := NewEmpty(Settings{})
	if err != nil {
		t.Fatal(err)
	}
	names := p.CalendarNames()
	var wait sync.WaitGroup
	found := make([][]*workdays.Calendar, 8)
	for k := range found {
		wait.Go(func() {
			for i := range names {
				ask := p.Env.FindCalendar
				if k%2 == 0 {
					ask = p.Calendar
				}
				c, err := ask(names[(i+k)%len(names)])
				if err != nil {
					t.Error(err)
				}
				found[k] = append(found[k], c)
			}
		})
	}
	wait.Wait()
	for k, list := range found {
		for i, c := range list {
			if at := (i + k) % len(names); c != found[0][at] || c.Name != names[at] {
				t.Errorf("%s is %s, built anew", names[at], c.Name)
			}
		}
	}
}

// A calendar that was counted with and lists no holidays warns, however it came to have none and
// by whatever path it is used; one that says so on purpose doesn't, nor one that nothing counts with.
func TestPlan_calendarsWithoutHolidays(t *testing.T) {
	dir := t.TempDir()
	for name, text := range map[string]string{"none.csv": "date,name\n", "one.csv": "date,name\n2027-06-07,Jubilee\n"} {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	const counts = "monthly on last then roll preceding"
	for _, c := range []struct{ calendars, own, rule, lacking string }{
		{"office: {closed: 'sat, sun'}", "office", counts, "office"},
		{"office: {closed: 'sat, sun', holidays: none}", "office", counts, ""},
		{"office: {holidays: []}", "office", counts, "office"},
		{"office: {open: [2027-12-18]}", "office", counts, "office"},
		{"office: {holidays: [{file: none.csv}]}", "office", counts, "office"},
		{"office: {holidays: [{file: one.csv}]}", "office", counts, ""},
		{"office: {short: [{name: Eve, day: yearly on 24 dec}]}", "office", counts, ""},
		{"office: {holidays: none, short: [{name: Eve, day: yearly on 24 dec}]}", "office", counts, ""},
		{"office: {holidays: yard}, yard: {}", "office", counts, "office"},
		{"office: {holidays: [yard]}, yard: {holidays: none}", "office", counts, ""},
		{"office: {}, yard: {}", "office + yard", counts, "office yard"},
		{"office: {}, yard: {holidays: none}", "office + yard", counts, ""},
		{"office: {}, yard: {holidays: [{file: one.csv}]}", "office + yard", counts, ""},
		{"office: {}", "none", counts, ""},
		{"office: {}", "none", counts + " using office", "office"},
		{"office: {}", "none", "monthly on 3rd working day then +1 working day using office, at 09:00", "office"},
		{"office: {}", "office", "monthly on 15 then +1 week", ""},
		{"office: {}", "none", "weekly on fri leaving out closed days using office", "office"},
	} {
		text := "plan: 1\nid: t\nwindow: 2027\ncalendars: {" + c.calendars + "}\ncalendar: " + c.own + "\nseries: {s: {rule: '" + c.rule + "'}}\n"
		p, err := Load(filepath.Join(dir, "yoyaku.yaml"), Settings{Text: []byte(text), Now: time.Unix(0, 0)})
		if err != nil {
			t.Errorf("%s: %v", text, err)
			continue
		}
		var names []string
		for _, f := range p.LackingCalendars() {
			names = append(names, f.Subject)
			if f.Line != 4 || !f.Intended || !f.IsNote {
				t.Errorf("%s: %+v", text, f)
			}
		}
		if got := strings.Join(names, " "); got != c.lacking {
			t.Errorf("%s: %q lack holidays, want %q", text, got, c.lacking)
		}
		if n := len(p.Warnings()); n != len(names) {
			t.Errorf("%s: warns of %v", text, p.Warnings())
		}
	}
}
