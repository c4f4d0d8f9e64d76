package plan

import (
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"yoyaku/demo"
)

// Wrong plans: each fault is reported when the plan is loaded, at its line and
// column, with what to write instead.
func TestBadPlans(t *testing.T) {
	dir := t.TempDir()
	files, err := fs.Sub(demo.Files, "files")
	if err == nil {
		err = os.CopyFS(dir, files)
	}
	data, rerr := os.ReadFile(filepath.Join(dir, FileName))
	if err != nil || rerr != nil {
		t.Fatal(err, rerr)
	}
	good, bad := string(data), filepath.Join(dir, "bad.yaml")
	for name, text := range map[string]string{"other.yaml": "id: other\n", "circle.yaml": "include: bad.yaml\n", "short.csv": "date,name,counts,until\n2027-12-24,x,0.5,12:00\n2027-12-30,y,,\n2027-12-31,z,1.5,\n", "bad-tasks.csv": "task,day,owner,title\nx,dat +,,\n"} {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	for _, c := range []struct{ old, new, want string }{
		{"week", "wek", ""}, // no such text: the plan is good
		{"    rule: monthly on 2nd tue", "    rulle: monthly on 2nd tue", "bad.yaml:100:5: unknown key `rulle` in a series; did you mean `rule`?"},
		{"zone: Atlantic/Faroe", "zone: Atlantic/Faro", "did you mean Atlantic/Faroe?"},
		{"closed: sat, sun", "closed: sat, snu", "did you mean `sun`?"},
		{"- {name: Lantern Eve, day: yearly on 10 nov, counts: 0.5, until: \"13:00\"}", "- {name: x, day: 2027-12-24, counts: 1}", "expected a part of a day above 0 and below 1"},
		{"- {name: Lantern Eve, day: yearly on 10 nov, counts: 0.5, until: \"13:00\"}", "- {name: x, day: 2027-12-24, until: noon}", "expected a time such as 12:00, found \"noon\""},
		{"- {name: Lantern Eve, day: yearly on 10 nov, counts: 0.5, until: \"13:00\"}", "- {name: x, file: short.csv, counts: 0.5}", "`counts` needs `day`"},
		{"- {name: Lantern Eve, day: yearly on 10 nov, counts: 0.5, until: \"13:00\"}", "- {file: short.csv}", "short.csv:4: column `counts`: expected a part of a day above 0"},
		{"holidays/extra.csv", "short.csv", "short.csv:4: column `counts`: expected a part of a day above 0"},
		{"- {name: Lantern Eve, day: yearly on 10 nov, counts: 0.5, until: \"13:00\"}", "- isle", "did you mean `isles`?"},
		{"fiscal-start: apr", "fiscal-end: last sat of jan\nfiscal-start: apr", "use `fiscal-start`, for fiscal years of months"},
		{"fiscal-start: apr", "fiscal-end: sat near 31 jan", "expected a day such as"},
		{"fiscal-start: apr", "fiscal-end: 31 jan nearest sat", "expected a day such as"},
		{"fiscal-start: apr", "fiscal-end: last sat of jan\nfiscal-pattern: 5-5-3", "4-4-5, 4-5-4, 5-4-4, found"},
		{"window: 2027..2028", "window: 2027..2028\nfiscal-pattern: 4-4-5", "`fiscal-end`"},
		{"    open-words: present", "    read-numbers: twelve", "expected an example of a number"},
		{"    open-words: present", "    rename: [who]", "rename: expected NEW=OLD"},
		{"window: 2027..2028", "window: 2028..2027", "bad.yaml:7:9: in \"2028..2027\", column 1: this window ends before it starts"},
		{"plan: 1\n", "", "`plan: 1` is missing"},
		{"plan: 1\n", "plan: 2\n", "version 1"},
		{"holidays: isles", "holidays: isle", "did you mean `isles`?"},
		{"holidays: isles", "holidays: yard", "includes itself"},
		{"event:\n      summary: \"{title} for {period_start} to {period_end}\"\n      remind: [1 working day before at 09:00, 7 days before]", "event: {summary: pay, bank file}", "quote the phrase"},
		{"remind: 7 days before}", "remind: [7 days before, 1 day at 09:00]}", "found \"1 day at 09:00\""},
		{"      summary: \"{title} for", "      summary: \"{tilte} for", "did you mean `{title}`?"},
		{"      approval: date, -3 working days", "      approval: 'date', -3 working days", "quote the phrase"},
		{"      approval: date, -3 working days", "      approval: bank-file, -3 working days", "unknown name `bank-file`"},
		{"      approval: date, -3 working days", "      date: nominal", "already has a meaning in a series"},
		{"      approval: date, -3 working days", "      approval: {date: 'date, -3 working days', todo: maybe}", "todo: expected yes or no, found \"maybe\""},
		{"      approval: date, -3 working days", "      approval: {todo: yes}", "a milestone needs `date`"},
		{"      approval: date, -3 working days", "      approval: {date: date, -3 working days}", "quote the phrase"},
		{"      approval: date, -3 working days", "      approval: {date: dat, todo: yes}", "unknown name `dat`"},
		{"remind: 7 days before}", "remind: 7 days before, color: teel}", "did you mean teal?"},
		{"remind: 7 days before}", "remind: 7 days before, lasting: 2 days}", "`30 minutes` or `2 hours`"},
		{"      summary: \"{title} for {period_start} to {period_end}\"", "      summary: ''", "the summary is blank"},
		{"file: skerry.ics", "todo: yes, rrule: yes, file: skerry.ics", "todo can't be combined with `rrule`"},
		{"file: agenda.csv", "rrule: yes, file: agenda.csv", "rrule: only for calendar events"},
		{"{start: \"previous_nominal, +1 day\"", "{start: if number = 4 then date else nominal", "unknown name `number`"},
		{"file: agenda.csv", "file: agenda.txt", "the ending of `agenda.txt` names no format"},
		{"calendar: yard", "calendar: yrad", "did you mean `yard`?"},
		{"calendar: yard", "calendar: yard + none", "the calendar `none` can't be joined with others"},
		{"  yard:", "  None:", "a calendar can't be called `None`"},
		{"file: crew-pay.csv, of: crew-pay", "file: ../crew-pay.csv, of: crew-pay", "outside the output folder"},
		{"file: crew-pay.csv, of: crew-pay", "file: x.csv, of: crew-pay, make: due", "need a record"},
		{"make: tally, rows: unit", "make: taly, rows: unit", "did you mean `tally`?"},
		{"make: tally, rows: unit", "make: tally, date: unit", "can't be combined with make: tally"},
		{"table: absences.csv", "table: absnces.csv", "no such file"},
		{"file: crew-pay.csv, of: crew-pay", "file: crew-pay.csv, of: crew-pya", "did you mean `crew-pay`?"},
		{"file: agenda.csv", "file: Crew-Pay.csv", "is written by two outputs"},
		{"holidays/extra.csv", "holidays/none.csv", "no such file"},
		{"open: [2027-12-18]", "open: [2027-12-32]", "no such date"},
		{"closed: sun, ", "closed: mon-sun, ", "has no working day"},
		{"outputs:", "outputs: [", "not valid YAML"},
		{good, "just words", "not a plan: expected lines"},
		{good, "\x00\x01\x02", "not text"},
		{good, "", "empty"},
		{"bands: [30, 60, 90]", "bands: [30, 60, 90], yearly: maybe", "bad.yaml:157:117: yearly: expected yes or no, found \"maybe\""},
		{"bands: [30, 60, 90]", "bands: [90, 60]", "rising numbers"},
		{"date: ends, window", "date: [ends, 'x ='], window", "expected"},
		{"by: crew-pay, open-through", "by: crew-pay, overlaps: joyn, open-through", "overlaps: expected stop, merge or count, found \"joyn\""},
		{"window: 2027-06,", "window: 2027-6,", "window: in \"2027-6\", column 1: not a span of time"},
		{"make: tally, rows: unit", "make: tally, within: 30 days", "it can't be combined with make: tally; use it with `make: due`"},
		{"rows: unit, cols: year of ends", "cols: year of ends", "rows is required"},
		{"file: crew-pay.csv, of: crew-pay", "file: crew-pay.csv, of: crew-pay, rows: unit", "it needs make: `make: tally`"},
		{"    open-words: present", "    open-words: present\n    header-row: x", "header-row: expected a whole number, 0 or more"},
		{"    open-words: present", "    join-dates: [a, b]", "join-dates: expected NAME=YEAR,MONTH,DAY"},
		{"    open-words: present", "    read-dates: dym", "did you mean dmy?"},
		{"    open-words: present", "    bad-rows: skip", "bad-rows: expected stop, blank or aside=FILE"},
		{"file: agenda.csv", "file: crew-pay.csv/x.csv", "one is a file, the other needs a folder"},
		{"file: agenda.csv", "file: '{series}.csv'", "has a brace"},
		{"  absences:\n", "  crew_contracts:\n", "is already used at"},
		{"{closed: sun, holidays: isles}", "{closed: sat, sun, holidays: isles}", "quote the phrase"},
		{"like: wages\n    begins: 2027-01-08", "like: wage\n    begins: 2027-01-08", "unknown pattern `wage`; did you mean `wages`?"},
		{"    begins: 2027-01-08\n", "", "the series `deckhand-pay` needs a value for `begins`, which the pattern `wages` takes"},
		{"    begins: 2027-01-08\n", "    begins: 2027-01-08\n    leed: 3\n", "unknown key `leed` in the series; did you mean `lead`?"},
		{"    begins: 2027-01-08\n", "    begins: soon\n", "bad.yaml:62:11: for the series `deckhand-pay` at bad.yaml:91: in"},
		{"takes: {begins: needed", "takes: {title: x, begins: needed", "`title` already has a meaning in a series"},
		{"takes: {begins: needed", "takes: {last: x, begins: needed", "`last` already has a meaning in a series"},
		{"takes: {begins: needed", "takes: {month: x, begins: needed", "`month` already has a meaning in a series"},
		{"timesheets: date, -lead working days, at 12:00", "timesheets: date, -led working days", "did you mean `lead`?"},
		{"takes: {begins: needed", "takes: {timesheets: 3, begins: needed", "`timesheets` is already a milestone of the pattern"},
		{"    takes: {begins: needed", "    like: wages\n    takes: {begins: needed", "the pattern `wages` is based on itself"},
		{"{timesheets: none}", "{approval: none}", "there is no milestone `approval` to take out"},
		{"  galley-pay: {", "  Crew_Pay: {", "`Crew_Pay` is already used at bad.yaml:72"},
		{"  absences:\n", "  wages:\n", "`wages` is already used at bad.yaml:59"},
		{"window: 2027..2028", "window: 2027..2028\ninclude: none/*.yaml", "no file matches `none/*.yaml`"},
		{"window: 2027..2028", "window: 2027..2028\ninclude: bad.yaml", "includes itself through"},
		{"window: 2027..2028", "window: 2027..2028\ninclude: other.yaml", "other.yaml:1:1: `id` can't be in an included file"},
		{"window: 2027..2028", "window: 2027..2028\ninclude: circle.yaml", "circle.yaml:1:10: "},
		{"    rule: monthly on 2nd tue", "    rule: [{until: 2027-06-30, is: monthly on last}, {from: 2027-06-01, is: monthly on 15}]", "bad.yaml:100:54: the rules overlap: this one starts on 2027-06-01"},
		{"    rule: monthly on 2nd tue", "    rule: [{until: 2027-06-20, is: monthly on 15}, {from: 2027-06-21, is: monthly on 15 then roll following}, {from: 2027-07-01, until: 2027-06-01, is: monthly on 1}]", "ends before it starts"},
		{"    rule: monthly on 2nd tue", "    rule: [{until: 2027-06-10, is: monthly from 2027-01-05}, {from: 2027-06-11, until: 2027-06-20, is: dates 2027-06-15}, {from: 2027-06-21, is: monthly from 2027-01-25}]", "both rules give a date the id"},
		{"    rule: monthly on 2nd tue", "    rule: [{until: 2027-06-30}]", "needs `is`, the rule"},
		{"{id: 2028/1-may, date: 2028-05-03, why: the slip is taken on the 1st, by: yard office}", "{id: 2028/1-may, date: 2028-05-03}", "a date moved by hand needs `why`"},
		{"{id: 2028/1-may, date: 2028-05-03,", "{id: 2028/1-may, date: 3 may,", "or `none` to leave the date out, found \"3 may\""},
		{"{id: 2028/1-may, date: 2028-05-03,", "{id: 2028/1-may, date: 2028-05-03T12:00,", "have no time"},
		{"{id: 2028/1-may, date: 2028-05-03,", "{id: 2028/1-may, date: 2028-05-03T99:99,", "or `none` to leave the date out, found"},
		{"{id: 2028/1-may, date: 2028-05-03,", "{id: 2028/1-may, date: 2028-05-03T16:30 or so,", "or `none` to leave the date out, found"},
		{"remind: 7 days before}", "remind: 7 days before, lasting: 3381903080180084463 hours}", "`30 minutes` or `2 hours`"},
		{"    title: Crew pay day", "    title: Pay {period_start}", "bad.yaml:73:12: a title can't have names in braces: \"Pay {period_start}\". Use `event: {summary: …}`"},
		{"{id: 2028/1-may, date: 2028-05-03,", "{id: 2028/1-may, what: cut, date: 2028-05-03,", "has no milestone `cut`"},
		{"{table: close-tasks.csv, name: task", "{table: close-tasks.csv, name: tusk", "close-tasks.csv has no column `tusk`; it has task, day, owner, title"},
		{"{table: close-tasks.csv,", "{table: bad-tasks.csv,", "bad-tasks.csv:2:1: in \"dat +\""},
		{"file: \"close-{owner}.ics\"", "file: \"close.ics\"", "the file's name needs {owner}"},
		{"close-{owner}.ics\", of: month-close, per: owner, choose: occurrence", "close-{owner}.ics\", of: month-close, per: series", "the file's name needs {series}"},
		{"close-{owner}.ics\", of: month-close, per: owner, choose: occurrence", "close-{series}.ics\", of: [month-close, crew-contracts], per: series", "`crew-contracts` is a record"},
		{"per: owner, choose: occurrence", "choose: occurrence", "the file name `close-{owner}.ics` has a brace"},
		{"per: owner, choose: occurrence", "per: owner, choose: dates", "`choose` is occurrence"},
		{"  ansa: {name", "  none: {name", "`none` means no owner"},
		{"    table: absences.csv", "    from: absences\n    make: due\n    date: first", "the record `absences` is made from itself"},
		{"    table: absences.csv", "    from: crew-contracts", "`from: crew-contracts` needs `make`"},
		{"    table: absences.csv\n    open-words: present", "    from: crew-pay\n    open-words: present", "`open-words` is for tables in files; `absences` is made"},
		{"    table: absences.csv", "    table: absences.csv\n    match: [{table: crew-contracts.csv, value: 1, date: first, start: start}]", "use `date` or `value`, not both"},
		{"    title: Crew pay day", "    title: &t Crew pay day", "YAML anchors and aliases are not supported; use `patterns` for what several series share"},
		{"    title: Crew pay day", "    <<: x\n    title: Crew pay day", "YAML anchors and aliases are not supported"},
		{"    title: Crew pay day", "    zone: Atlantic/Faro\n    title: Crew pay day", "did you mean Atlantic/Faroe?"},
		{"at 16:30", "at 16:30 in 'Atlantic/Faro'", "did you mean Atlantic/Faroe?"},
		{"plan: 1", "plan: 1\nx: " + strings.Repeat("[", 100000), "too many nested brackets"},
	} {
		text := strings.Replace(good, c.old, c.new, 1)
		if err := os.WriteFile(bad, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
		_, err := Load(bad, Settings{AsOf: 739900})
		if c.want == "" {
			if err != nil {
				t.Fatalf("the plan itself fails: %v", err)
			}
			continue
		}
		if text == good || err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%.80q: %v, want %q", c.new, err, c.want)
		}
		var all Collector
		if p, err := Load(bad, Settings{AsOf: 739900, Collector: &all}); err == nil && len(all.Findings)+len(p.DeferredFaults()) == 0 {
			t.Errorf("%.80q: nothing is found", c.new)
		}
	}
	for kind, file := range map[string]string{"plan": "plan.json", "calendar": "calendar.json"} {
		want, err := os.ReadFile(filepath.Join("..", "..", "schema", file))
		got, serr := Schema(kind)
		if err != nil || serr != nil || string(got) != string(want) {
			t.Errorf("schema/%s isn't what the declarations give (make schema): %v %v", file, err, serr)
		}
	}
	if err := os.WriteFile(bad, []byte("\ufeff"+good), 0o644); err != nil {
		t.Fatal(err)
	}
	if _, err := Load(bad, Settings{AsOf: 739900}); err != nil {
		t.Errorf("a plan with a byte-order mark: %v", err)
	}
}

// Names compare in one Unicode form: é written as one sign or as e with an accent is one name, in
// the plan, in phrases and among columns.
func TestNames_unicodeForms(t *testing.T) {
	const one, two = "caf\u00e9", "cafe\u0301"
	for _, c := range [][2]string{
		{"series: {" + one + ": {rule: monthly on 1}, " + two + ": {rule: monthly on 2}}", "is already used"},
		{"series: {" + one + ": {rule: monthly on 1, milestones: {" + two + "-x: 'date, +1 day', y: '" + one + "-x, +1 day'}}}\noutputs: [{file: a.csv, of: " + two + "}]", ""},
	} {
		_, err := Load(filepath.Join(t.TempDir(), "yoyaku.yaml"), Settings{Text: []byte("plan: 1\nid: t\nwindow: 2027\n" + c[0] + "\n"), Now: time.Unix(0, 0)})
		if (err != nil) != (c[1] != "") || err != nil && !strings.Contains(err.Error(), c[1]) {
			t.Errorf("%s: %v", c[0], err)
		}
	}
}
