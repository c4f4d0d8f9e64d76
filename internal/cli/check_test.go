package cli_test

import (
	"encoding/json"
	"path/filepath"
	"strings"
	"testing"
)

// Ways to break the demo plan, each found at its line with what broke it; and the
// plan as it is passes.
func TestCheck(t *testing.T) {
	t.Parallel()
	dir := demo(t)
	path := filepath.Join(dir, "yoyaku.yaml")
	good := read(t, path)
	if out, errs, code := yoyaku(t, dir, "check"); code != 0 || strings.Contains(out, "fail,") || !strings.Contains(errs, "The plan is right: 0 fails, 5 notes.") {
		t.Errorf("the demo plan: %d %s%s", code, out, errs)
	}
	if out, _, code := yoyaku(t, dir, "check", "--strict"); code != 1 || strings.Contains(out, "note,") {
		t.Errorf("--strict: %d %s", code, out)
	}
	for _, c := range []struct{ old, new, want string }{
		// expectations of series
		{"per-year: 24", "per-year: 25", "fail,yoyaku.yaml:79,crew-pay,,\"per-year: 2027 has 24 dates, expected 25\""},
		{"per-year: 24", "per-month: 2\n      per-quarter: 5..7\n      per-fiscal-year: 23", "\"per-fiscal-year: FY2027 has 24 dates, expected 23\""},
		{"gap: 11..19 days", "gap: 14 days", "fail,yoyaku.yaml:80,crew-pay,2027-02-15,\"gap: 17 days after 2027-01-29, expected 14\""},
		{"- bank-file < date", "- bank-file > date", "crew-pay,2027-01-15,each: bank-file > date: 2027-01-13T16:30 is not after 2027-01-15"},
		{"to date >= 3", "to date >= 4", "working days from approval to date >= 4: 3 is less than 4"},
		{"- bank-file < date", "- weekday of date in ('Mon', 'Tue')", "each: weekday of date in ('Mon', 'Tue'): date is 2027-01-15"},
		{"{per-year: 26..27}", "{per-year: 27}", "2028 has 26 dates, expected 27"},
		// what is wrong with dates whatever is expected
		{"[crew-pay, fuel-duty]", "[crew-pay, deckhand-pay]", `"crew-pay, deckhand-pay",2027-04-30,crew-pay and deckhand-pay fall on one day and must stay apart`},
		{"rule: monthly on 2nd tue", "rule: monthly on 1, 2 then roll following", "two dates on one day: 2027-05/1 (nominal 2027-05-01) and 2027-05/2 (nominal 2027-05-02)"},
		{"rule: monthly on 2nd tue", "rule: dates 2020-01-01", "no date falls between 2027-01-01 and 2028-12-31"},
		{"rule: monthly on 2nd tue", "rule: monthly on last then roll preceding, -1 day", "is closed (weekend) in isles, after a roll"},
		// notes: what else to know of it
		{"approval: date, -3 working days", "approval: date, -3 working days\n      spare: 5th fri of month", "note,yoyaku.yaml:77,crew-pay,,spare is blank for 30 of 48 dates\n"},
		{"period: {start: \"previous_nominal, +1 day\"", "period: {start: \"previous_nominal, +2 days\"", "note,yoyaku.yaml:73,crew-pay,,47 stretches of days lie in no period; the first is 2027-01-16..2027-01-16\n"},
		{"end: nominal}", "end: \"nominal, +1 day\"}", "note,yoyaku.yaml:73,crew-pay,,48 periods overlap the one before; the first are 2026-12-16..2027-01-01 and 2027-01-01..2027-01-16\n"},
		{"date: 2028-05-03, why", "date: 2026-12-03, why", "note,yoyaku.yaml:113,slipway-survey,2026-12-03,\"the date by hand of 2028/1-may lies before the date before it, 2027-05-01 of 2027/1-may\"\n"},
		{"rule: monthly on 2nd tue", "rule: monthly on 2nd tue until 2026-12-31", "yoyaku.yaml:98,safety-drill,,\"the rule ends on 2026-12-31, before the window begins on 2027-01-01\"\n"},
		{"start: first, end: last, window: 2027-06", "start: first, end: last, window: 2026-06", "note,yoyaku.yaml:150,june.html,,\"its window ends on 2026-06-30, before the plan's begins on 2027-01-01\"\n"},
		// the file itself: all at once
		{"rule: monthly on 2nd tue", "rule: monthly on 2nd teu", "did you mean \"\"tue\"\"?"},
		{"bank-file: date, -2", "bank-file: date, -2 x", "fail,yoyaku.yaml:77,crew-pay,"},
		{"      ends: start, lasting term months", "      ends: start, lasting trem months", "unknown name `trem`"},
		{"table: absences.csv", "table: absnces.csv", "absnces.csv"},
		{"file: crew-pay.csv, of: crew-pay", "file: crew-pay.cvs, of: crew-pay", "the ending of `crew-pay.cvs` names no format"},
		{"{start: \"previous_nominal, +1 day\"", "{start: if number = 4 then date else nominal", "unknown name `number`"},
		{"file: crew-pay.csv, of: crew-pay", "file: crew-pay.csv, of: crew-pya", "unknown series or record `crew-pya`; did you mean `crew-pay`?"},
		{"rule: quarterly", "roole: quarterly", "unknown key `roole` in a series; did you mean `rule`?"},
		{"zone: Atlantic/Faroe", "zone: Atlantic/Faro", "did you mean Atlantic/Faroe?"},
		{"known-through: 2028-12-31", "known-through: 2027-12-31", "note,yoyaku.yaml:12,,,\"the calendar isles knows no holidays after 2027-12-31"},
		{"bank-file: date, -2 working days", "bank-file: date, +1 working day", "no holidays after 2028-12-31, and 2 dates lie there"},
		{"holidays/extra.csv", "holidays/none.csv", "none.csv"},
		{"id: skerry-crew", "id: skerry-2027", "note,yoyaku.yaml:4,,,\"the id holds a year"},
		{"calendar: isles\n\n", "calendar: islands\n\n", "unknown calendar `islands`"},
		// records
		{"rows: 1..500", "rows: 11..500", "rows: crew-contracts.csv has 10 rows, expected 11..500"},
		{"unique: contract", "unique: unit", "unique: C-104 (line 5): `unit` is \"\"Ferries\"\", as in line 3"},
		{"[ends >= start, notice < ends]", "[ends >= start, term < 20]", "each: term < 20: C-103 (line 4): 24 is not less than 20"},
		{"key: contract", "key: unit", "the key `unit` is \"\"Ferries\"\", as in line 3"},
		{"make: due, date: ends", "make: due, date: ends, within: 3 days", "use one of the two"},
	} {
		text := strings.Replace(good, c.old, c.new, 1)
		write(t, path, text)
		out, errs, code := yoyaku(t, dir, "check")
		level := 1
		if strings.HasPrefix(c.want, "note,") {
			level = 0
		}
		if text == good || code != level || !strings.Contains(out, c.want) {
			t.Errorf("%s: %d %.600s%s, want %s", c.new, code, out, errs, c.want)
		}
	}
	// Several faults are told at once, as JSON too, and nothing twice.
	write(t, path, strings.NewReplacer("rule: monthly on 2nd tue", "rule: monthly on 2nd teu", "per-year: 24", "per-year: many", "table: absences.csv", "tabel: absences.csv").Replace(good))
	out, errs, code := yoyaku(t, dir, "check", "--as", "json", "--where", "level = 'fail'")
	var list []map[string]any
	if err := json.Unmarshal([]byte(out), &list); err != nil || code != 1 || len(list) != 4 || !strings.Contains(errs, "The plan isn't right: 4 fails") {
		t.Errorf("several at once: %d %v %d %s%s", code, err, len(list), out, errs)
	}
	write(t, path, "plan: [1\n")
	if _, errs, code := yoyaku(t, dir, "check"); code != 2 || !strings.Contains(errs, "not YAML") {
		t.Errorf("not YAML: %d %s", code, errs)
	}
}

// What moved between plans, calendar files and tables; what comes up; a column of a
// row; a new plan.
func TestPlanCommands(t *testing.T) {
	t.Parallel()
	dir := demo(t)
	plan := read(t, filepath.Join(dir, "yoyaku.yaml"))
	write(t, filepath.Join(dir, "later.yaml"), strings.NewReplacer("      - name: Lantern Day", "      - {name: Eve of Harvest, day: 2027-08-13}\n      - name: Lantern Day",
		"title: Safety drill", "title: Drill", "window: 2027..2028", "window: 2027-08..2029").Replace(plan))
	write(t, filepath.Join(dir, "other.csv"), strings.NewReplacer("C-103", "C-1033", "2027-02-01,6", "2027-02-08,6", "Harbour,2027-01-04", "Yard,2027-01-05").Replace(read(t, filepath.Join(dir, "crew-contracts.csv"))))
	write(t, filepath.Join(dir, "twice.csv"), read(t, filepath.Join(dir, "crew-contracts.csv"))+"C-101,x,y,2027-01-01,1\n")
	const moved = "crew-pay,date,2027-08/15,2027-08-13,2027-08-12,-1,\"Sun 2027-08-15 is closed (weekend), as is Fri 2027-08-13 (Eve of Harvest); rolled preceding\"\n"
	for _, c := range []struct {
		args string
		code int
		out  string // or what standard error holds
	}{
		{"compare", 0, "0 moved, 0 changed, 0 added, 0 gone, 576 unchanged."},
		{"compare|skerry.ics|agenda.csv", 0, "0 moved, 0 changed, 0 added, 0 gone, 576 unchanged."},
		{"compare|yoyaku.yaml|skerry.ics|--fail", 0, "0 moved, 0 changed, 0 added, 0 gone, 576 unchanged."},
		{"compare|crew-pay.csv|skerry.ics|--where|change != 'added'", 0, "0 moved, 0 changed, 384 added, 0 gone, 192 unchanged."},
		{"compare|yoyaku.yaml|later.yaml|--fail", 1, "change,series,what,id,was,now,days,detail\nmoved,crew-pay,timesheets,2027-08/15,2027-08-06,2027-08-05,-1,-5 working days\n"},
		{"compare|yoyaku.yaml|later.yaml", 0, "changed,safety-drill,date,2027-08/2nd-tue,2027-08-10,2027-08-10,0,title: Safety drill → Drill\n"},
		{"compare|skerry.ics|later.yaml|--where|change = 'moved' and what = 'date'", 0, "\nmoved," + moved},
		{"compare|crew-contracts.csv|other.csv|--key|contract", 0, "change,series,what,id,was,now,days,detail\nchanged,,start,C-101,2027-01-04,2027-01-05,1,unit: Harbour → Yard; start: 2027-01-04 → 2027-01-05\nmoved,,start,C-102,2027-02-01,2027-02-08,7,\nadded,,,C-1033,,,,\ngone,,,C-103,,,,\n"},
		{"compare|crew-contracts.csv|other.csv", 2, "--key COL says which column names its rows"},
		{"compare|crew-contracts.csv|twice.csv|--key|contract", 2, "the key `contract` is \"C-101\" in line 2 and in line 12 of the new table"},
		{"compare|twice.csv|crew-contracts.csv|--key|contract", 2, "the key `contract` is \"C-101\" in line 2 and in line 12 of the old table"},
		{"compare|crew-contracts.csv|other.csv|--key|nobody", 2, "unknown column `nobody`"},
		{"compare|yoyaku.yaml|other.csv|--key|contract", 2, "a plan is none"},
		{"compare|skerry.ics", 2, "takes two things"},
		{"compare|--key|contract", 2, "--key goes with two tables"},
		{"ahead|--within|3 days|--window|2027-06", 2, "--within means nothing beside window"},
		{"compare|skerry.ics|none.ics", 2, "no such file"},
		{"ahead|--as-of|2027-05-10|--within|3 days|--columns|date,left,working_left,series,what", 0, "date,left,working_left,series,what\n2027-04-30,-10,-6,crew-contracts,decide\n2027-05-11,1,1,crew-pay,approval\n2027-05-11,1,1,safety-drill,date\n2027-05-12T16:30,2,2,crew-pay,bank-file\n"},
		{"ahead|safety-drill|--as-of|2027-05-10|--window|2027-06|--columns|date,title", 0, "date,title\n2027-06-08,Safety drill\n"},
		{"ahead|crew-contracts|--as-of|2027-05-10|--overdue|5 days|--within|1 day", 0, "Nothing comes up between 2027-05-10 and 2027-05-11."},
		{"ahead|nobody", 2, "unknown series `nobody`"},
		{"dates|Wages|monthly on 2|--window|2027-01|--columns|rule,date", 0, "rule,date\nmonthly on 2,2027-01-02\ndeckhand-pay,2027-01-08\ngalley-pay,2027-01-15\ndeckhand-pay,2027-01-22\ngalley-pay,2027-01-29\n"},
		{"dates|wages|galley-pay|--add|x = date", 2, "the series `galley-pay` is named twice"},
		{"dates|wagez", 2, "did you mean `wages`?"},
		{"why|wages|2027-01-08", 2, "`wages` is a pattern; one series is asked for here: deckhand-pay, galley-pay"},
		{"ahead|--within|soon", 2, "within is a stretch"},
		{"why|crew-contracts|C-103|notice", 0, "what,step,date,weekday,why\nstart,in the table,2026-09-14,Mon,\nterm,in the table,,,24\nends,\"= \"\"start\"\", lasting term months\",,,\nends,base,2026-09-14,Mon,\nends,lasting term months,2028-09-13,Wed,\nnotice,\"= ends, -90 days, roll preceding\",,,\nnotice,base,2028-09-13,Wed,\nnotice,-90 days,2028-06-15,Thu,\nnotice,roll preceding,2028-06-15,Thu,Thu 2028-06-15 is a working day of isles\n"},
		{"why|absences|#3|last", 0, "what,step,date,weekday,why\nlast,in the table,,,present\n"},
		{"why|crew-contracts|C-999|ends", 2, "no row of crew-contracts.csv has `contract` \"C-999\""},
		{"why|crew-contracts|#99|ends", 2, "has 10 rows, so there is no row #99"},
		{"why|absences|Ebba|last", 2, "has no `key`"},
		{"why|crew-contracts", 2, "ROW COLUMN"},
		{"derive|crew-contracts.csv|--add|ends = start, lasting term months|--as|ics|--event-day|ends|--event-text|{person}: {unit}|--key|contract|--where|term = 6", 0, "UID:crew-contracts.ends.C-102@skerry-crew\r\nDTSTAMP:20261125T000000Z\r\nSEQUENCE:0\r\nDTSTART;VALUE=DATE:20270731\r\nSUMMARY:Borro Tidewater: Ferries\r\n"},
		{"new|office|--table|berth-leases.csv|--table|yard-hours.csv|--series|crew-pay = monthly on 15, last then roll preceding", 0, "  ../berth-leases.csv: dates in begins (dmy), ends (dmy)\n  ../yard-hours.csv: dates in day (taken as dmy, and mdy would read it too: look, and change read-dates)\nIt passes yoyaku check."},
		{"new|office", 2, "isn't written over it"},
		{"new|else|--series|pay = montly", 2, "rules start with a cadence"},
		{"new|else|--calendar|frnace", 2, "did you mean `france`?"},
		{"new|else|--table|none.csv", 2, "no such file"},
		{"run|office/yoyaku.yaml", 0, "crew-pay,48,2026-01-15,2027-12-31"},
	} {
		out, errs, code := yoyaku(t, dir, strings.Split(c.args, "|")...)
		if code != c.code || !strings.Contains(out+"\x00"+errs, c.out) {
			t.Errorf("%s: %d\n%s\n%s, want %d %s", c.args, code, out, errs, c.code, c.out)
		}
	}
	// What a new plan offers as a comment is right when it is taken, names with a space too.
	write(t, filepath.Join(dir, "spaced.csv"), "Lease No;Start date;Term (months)\n17;01.02.2026;36\n18;15.08.2025;24\n")
	if _, errs, code := yoyaku(t, dir, "new", "spaced", "--table", "spaced.csv"); code != 0 {
		t.Fatal(errs)
	}
	path := filepath.Join(dir, "spaced", "yoyaku.yaml")
	write(t, path, strings.NewReplacer("    # columns:", "    columns:", "    #   notice:", "      notice:").Replace(read(t, path)))
	if out, errs, code := yoyaku(t, dir, "check", path); code != 0 || !strings.Contains(read(t, path), "\n      notice: ") {
		t.Errorf("the comment taken: %d %s%s", code, out, errs)
	}
}
