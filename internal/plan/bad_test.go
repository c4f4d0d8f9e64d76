package plan

import (
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"yoyaku/demo"
)

// Wrong plans: each fault is told when the plan is loaded, at its line and
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
		{"- {name: Lantern Eve, day: yearly on 10 nov, counts: 0.5, until: \"13:00\"}", "- {name: x, day: 2027-12-24, counts: 1}", "counts more than 0 and less than 1"},
		{"- {name: Lantern Eve, day: yearly on 10 nov, counts: 0.5, until: \"13:00\"}", "- {name: x, day: 2027-12-24, until: noon}", "ends at a time such as 12:00, not \"noon\""},
		{"- {name: Lantern Eve, day: yearly on 10 nov, counts: 0.5, until: \"13:00\"}", "- {name: x, file: short.csv, counts: 0.5}", "`counts` stands beside `day`"},
		{"- {name: Lantern Eve, day: yearly on 10 nov, counts: 0.5, until: \"13:00\"}", "- {file: short.csv}", "short.csv:4: column `counts`: a short day counts more than 0"},
		{"holidays/extra.csv", "short.csv", "short.csv:4: column `counts`: a short day counts more than 0"},
		{"- {name: Lantern Eve, day: yearly on 10 nov, counts: 0.5, until: \"13:00\"}", "- isle", "did you mean `isles`?"},
		{"fiscal-start: apr", "fiscal-end: last sat of jan\nfiscal-start: apr", "of months, with `fiscal-start`, or of whole weeks"},
		{"fiscal-start: apr", "fiscal-end: sat near 31 jan", "ends on a day such as"},
		{"fiscal-start: apr", "fiscal-end: 31 jan nearest sat", "ends on a day such as"},
		{"fiscal-start: apr", "fiscal-end: last sat of jan\nfiscal-pattern: 5-5-3", "4-4-5, 4-5-4, 5-4-4 weeks"},
		{"window: 2027..2028", "window: 2027..2028\nfiscal-pattern: 4-4-5", "`fiscal-end`"},
		{"    open-words: present", "    read-numbers: twelve", "no example of a number"},
		{"    open-words: present", "    rename: [who]", "rename is NEW=OLD"},
		{"window: 2027..2028", "window: 2028..2027", "bad.yaml:7:9: in \"2028..2027\", column 1: this window ends before it starts"},
		{"plan: 1\n", "", "`plan: 1` is missing"},
		{"plan: 1\n", "plan: 2\n", "version 1"},
		{"holidays: isles", "holidays: isle", "did you mean `isles`?"},
		{"holidays: isles", "holidays: yard", "made of itself"},
		{"event:\n      summary: \"{title} for {period_start} to {period_end}\"\n      remind: [1 working day before at 09:00, 7 days before]", "event: {summary: pay, bank file}", "quote the phrase"},
		{"remind: 7 days before}", "remind: [7 days before, 1 day at 09:00]}", "not \"1 day at 09:00\""},
		{"      summary: \"{title} for", "      summary: \"{tilte} for", "did you mean `{title}`?"},
		{"      approval: date, -3 working days", "      approval: 'date', -3 working days", "quote the phrase"},
		{"      approval: date, -3 working days", "      approval: bank-file, -3 working days", "unknown name `bank-file`"},
		{"      approval: date, -3 working days", "      date: nominal", "already stands for something"},
		{"      approval: date, -3 working days", "      approval: {date: 'date, -3 working days', todo: maybe}", "todo is yes or no, not \"maybe\""},
		{"      approval: date, -3 working days", "      approval: {todo: yes}", "a milestone needs `date`"},
		{"      approval: date, -3 working days", "      approval: {date: date, -3 working days}", "quote the phrase"},
		{"      approval: date, -3 working days", "      approval: {date: dat, todo: yes}", "unknown name `dat`"},
		{"remind: 7 days before}", "remind: 7 days before, color: teel}", "did you mean teal?"},
		{"remind: 7 days before}", "remind: 7 days before, lasting: 2 days}", "`30 minutes` or `2 hours`"},
		{"      summary: \"{title} for {period_start} to {period_end}\"", "      summary: ''", "an event is called something"},
		{"file: skerry.ics", "todo: yes, rrule: yes, file: skerry.ics", "a to-do doesn't recur"},
		{"file: agenda.csv", "rrule: yes, file: agenda.csv", "this is for calendar events"},
		{"{start: \"previous_nominal, +1 day\"", "{start: if number = 4 then date else nominal", "unknown name `number`"},
		{"file: agenda.csv", "file: agenda.txt", "the ending of `agenda.txt` names no format"},
		{"calendar: yard", "calendar: yrad", "did you mean `yard`?"},
		{"file: crew-pay.csv, of: crew-pay", "file: ../crew-pay.csv, of: crew-pay", "outside the output folder"},
		{"file: crew-pay.csv, of: crew-pay", "file: x.csv, of: crew-pay, make: due", "are for records"},
		{"make: tally, rows: unit", "make: taly, rows: unit", "did you mean `tally`?"},
		{"make: tally, rows: unit", "make: tally, date: unit", "doesn't go with make: tally"},
		{"table: absences.csv", "table: absnces.csv", "no such file"},
		{"file: crew-pay.csv, of: crew-pay", "file: crew-pay.csv, of: crew-pya", "did you mean `crew-pay`?"},
		{"file: agenda.csv", "file: Crew-Pay.csv", "made twice"},
		{"holidays/extra.csv", "holidays/none.csv", "no such file"},
		{"open: [2027-12-18]", "open: [2027-12-32]", "no such day"},
		{"closed: sun, ", "closed: mon-sun, ", "has no working day"},
		{"outputs:", "outputs: [", "not YAML"},
		{good, "just words", "not a plan in YAML"},
		{good, "\x00\x01\x02", "not text"},
		{good, "", "empty"},
		{"bands: [30, 60, 90]", "bands: [30, 60, 90], yearly: maybe", "bad.yaml:157:117: yearly is yes or no, not \"maybe\""},
		{"bands: [30, 60, 90]", "bands: [90, 60]", "rising numbers"},
		{"date: ends, window", "date: [ends, 'x ='], window", "expected"},
		{"by: crew-pay, open-through", "by: crew-pay, overlaps: joyn, open-through", "overlaps is stop, merge or count, not \"joyn\""},
		{"window: 2027-06,", "window: 2027-6,", "window: in \"2027-6\", column 1: not a stretch of time"},
		{"make: tally, rows: unit", "make: tally, within: 30 days", "it doesn't go with make: tally, but with `make: due`"},
		{"rows: unit, cols: year of ends", "cols: year of ends", "rows is needed"},
		{"file: crew-pay.csv, of: crew-pay", "file: crew-pay.csv, of: crew-pay, rows: unit", "it goes with `make: tally`"},
		{"    open-words: present", "    open-words: present\n    header-row: x", "header-row is a whole number, 1 or more"},
		{"    open-words: present", "    join-dates: [a, b]", "join-dates is NAME=YEAR,MONTH,DAY"},
		{"    open-words: present", "    read-dates: dym", "did you mean dmy?"},
		{"    open-words: present", "    bad-rows: skip", "bad-rows is stop, blank or aside=FILE"},
		{"file: agenda.csv", "file: crew-pay.csv/x.csv", "a file and a folder"},
		{"file: agenda.csv", "file: '{series}.csv'", "a brace stands in the name"},
		{"  absences:\n", "  crew_contracts:\n", "is named twice"},
		{"{closed: sun, holidays: isles}", "{closed: sat, sun, holidays: isles}", "quote the phrase"},
		{"like: wages\n    begins: 2027-01-08", "like: wage\n    begins: 2027-01-08", "unknown pattern `wage`; did you mean `wages`?"},
		{"    begins: 2027-01-08\n", "", "the series `deckhand-pay` doesn't say `begins`, which the pattern `wages` needs"},
		{"    begins: 2027-01-08\n", "    begins: 2027-01-08\n    leed: 3\n", "unknown key `leed` in the series; did you mean `lead`?"},
		{"    begins: 2027-01-08\n", "    begins: soon\n", "bad.yaml:62:11: for the series `deckhand-pay` at bad.yaml:91: in"},
		{"takes: {begins: needed", "takes: {title: x, begins: needed", "`title` already means something in a series"},
		{"takes: {begins: needed", "takes: {last: x, begins: needed", "`last` already means something in a series"},
		{"takes: {begins: needed", "takes: {month: x, begins: needed", "`month` already means something in a series"},
		{"timesheets: date, -lead working days, at 12:00", "timesheets: date, -led working days", "did you mean `lead`?"},
		{"takes: {begins: needed", "takes: {timesheets: 3, begins: needed", "`timesheets` is a milestone of the pattern"},
		{"    takes: {begins: needed", "    like: wages\n    takes: {begins: needed", "the pattern `wages` is like itself"},
		{"{timesheets: none}", "{approval: none}", "there is no milestone `approval` to take out"},
		{"  galley-pay: {", "  Crew_Pay: {", "`Crew_Pay` is named twice, first at bad.yaml:72"},
		{"  absences:\n", "  wages:\n", "`wages` is named twice, first at bad.yaml:59"},
		{"window: 2027..2028", "window: 2027..2028\ninclude: none/*.yaml", "there is no file `none/*.yaml`"},
		{"window: 2027..2028", "window: 2027..2028\ninclude: bad.yaml", "includes itself, by way of"},
		{"window: 2027..2028", "window: 2027..2028\ninclude: other.yaml", "other.yaml:1:1: `id` belongs to a plan"},
		{"window: 2027..2028", "window: 2027..2028\ninclude: circle.yaml", "circle.yaml:1:10: "},
		{"    rule: monthly on 2nd tue", "    rule: [{until: 2027-06-30, is: monthly on last}, {from: 2027-06-01, is: monthly on 15}]", "bad.yaml:100:54: the rules overlap: this one begins on 2027-06-01"},
		{"    rule: monthly on 2nd tue", "    rule: [{until: 2027-06-20, is: monthly on 15}, {from: 2027-06-21, is: monthly on 15 then roll following}, {from: 2027-07-01, until: 2027-06-01, is: monthly on 1}]", "ends before it begins"},
		{"    rule: monthly on 2nd tue", "    rule: [{until: 2027-06-10, is: monthly from 2027-01-05}, {from: 2027-06-11, until: 2027-06-20, is: dates 2027-06-15}, {from: 2027-06-21, is: monthly from 2027-01-25}]", "both rules give a date the id"},
		{"    rule: monthly on 2nd tue", "    rule: [{until: 2027-06-30}]", "needs `is`, the rule"},
		{"{id: 2028/1-may, date: 2028-05-03, why: the slip is taken on the 1st, by: yard office}", "{id: 2028/1-may, date: 2028-05-03}", "a day by hand says `why`"},
		{"{id: 2028/1-may, date: 2028-05-03,", "{id: 2028/1-may, date: 3 may,", "not a day: \"3 may\""},
		{"{id: 2028/1-may, date: 2028-05-03,", "{id: 2028/1-may, date: 2028-05-03T12:00,", "have no time"},
		{"{id: 2028/1-may, date: 2028-05-03,", "{id: 2028/1-may, date: 2028-05-03T99:99,", "not a day"},
		{"{id: 2028/1-may, date: 2028-05-03,", "{id: 2028/1-may, date: 2028-05-03T16:30 or so,", "not a day"},
		{"remind: 7 days before}", "remind: 7 days before, lasting: 3381903080180084463 hours}", "`30 minutes` or `2 hours`"},
		{"    title: Crew pay day", "    title: Pay {period_start}", "bad.yaml:73:12: a title holds no names in braces: \"Pay {period_start}\"; `event: {summary: …}` does"},
		{"{id: 2028/1-may, date: 2028-05-03,", "{id: 2028/1-may, what: cut, date: 2028-05-03,", "has no milestone `cut`"},
		{"{table: close-tasks.csv, name: task", "{table: close-tasks.csv, name: tusk", "close-tasks.csv has no column `tusk`; it has task, day, owner, title"},
		{"{table: close-tasks.csv,", "{table: bad-tasks.csv,", "bad-tasks.csv:2:1: in \"dat +\""},
		{"file: \"close-{owner}.ics\"", "file: \"close.ics\"", "has {owner} in its name"},
		{"close-{owner}.ics\", of: month-close, per: owner, choose: occurrence", "close-{owner}.ics\", of: month-close, per: series", "one file for each series has {series} in its name"},
		{"close-{owner}.ics\", of: month-close, per: owner, choose: occurrence", "close-{series}.ics\", of: [month-close, crew-contracts], per: series", "`crew-contracts` is a record"},
		{"per: owner, choose: occurrence", "choose: occurrence", "a brace stands in the name of the file `close-{owner}.ics`"},
		{"per: owner, choose: occurrence", "per: owner, choose: dates", "`choose` is occurrence"},
		{"  ansa: {name", "  none: {name", "`none` is what those without an owner are called"},
		{"    table: absences.csv", "    from: absences\n    make: due\n    date: first", "the record `absences` is made of itself"},
		{"    table: absences.csv", "    from: crew-contracts", "what is made of `crew-contracts`? `make` says so"},
		{"    table: absences.csv\n    open-words: present", "    from: crew-pay\n    open-words: present", "`open-words` is for tables in files; `absences` is made"},
		{"    table: absences.csv", "    table: absences.csv\n    match: [{table: crew-contracts.csv, value: 1, date: first, start: start}]", "looked up by its day or by a number, not by both"},
		{"    title: Crew pay day", "    title: &t Crew pay day", "YAML anchors and aliases are not read; `patterns` say once"},
		{"    title: Crew pay day", "    <<: x\n    title: Crew pay day", "YAML anchors and aliases are not read"},
		{"    title: Crew pay day", "    zone: Atlantic/Faro\n    title: Crew pay day", "did you mean Atlantic/Faroe?"},
		{"at 16:30", "at 16:30 in 'Atlantic/Faro'", "did you mean Atlantic/Faroe?"},
		{"plan: 1", "plan: 1\nx: " + strings.Repeat("[", 100000), "nested too deep"},
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
		if p, err := Load(bad, Settings{AsOf: 739900, Collect: &all}); err == nil && len(all.Findings)+len(p.Faults()) == 0 {
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
