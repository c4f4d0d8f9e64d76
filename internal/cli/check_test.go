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
	// Several faults are reported at once, as JSON too, and nothing twice.
	write(t, path, strings.NewReplacer("rule: monthly on 2nd tue", "rule: monthly on 2nd teu", "per-year: 24", "per-year: many", "table: absences.csv", "tabel: absences.csv").Replace(good))
	out, errs, code := yoyaku(t, dir, "check", "--as", "json", "--where", "level = 'fail'")
	var list []map[string]any
	if err := json.Unmarshal([]byte(out), &list); err != nil || code != 1 || len(list) != 4 || !strings.Contains(errs, "The plan is wrong: 4 fails") {
		t.Errorf("several at once: %d %v %d %s%s", code, err, len(list), out, errs)
	}
	write(t, path, "plan: [1\n")
	if _, errs, code := yoyaku(t, dir, "check"); code != 2 || !strings.Contains(errs, "not valid YAML") {
		t.Errorf("not valid YAML: %d %s", code, errs)
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
	for _, c := range []struct {
		args string
		code int
		out  string // or what standard error holds
	}{
		{"compare|skerry.ics|agenda.csv", 0, "0 moved, 0 changed, 0 added, 0 gone, 590 unchanged."},
		{"compare|yoyaku.yaml|later.yaml|--fail", 1, "change,series,what,id,was,now,days,detail\nmoved,crew-pay,timesheets,2027-08/15,2027-08-06,2027-08-05,-1,-5 working days\n"},
		{"compare|skerry.ics", 2, "takes an old and a new schedule"},
		{"compare|--key|contract", 2, "--key is for two tables"},
		{"ahead|--within|3 days|--window|2027-06", 2, "--within can't be combined with --window"},
		{"ahead|crew-contracts|--as-of|2027-05-10|--overdue|5 days|--within|1 day", 0, "note: nothing comes up from 2027-05-10 to 2027-05-11."},
		{"dates|Wages|monthly on 2|--window|2027-01|--columns|rule,date", 0, "rule,date\nmonthly on 2,2027-01-02\ndeckhand-pay,2027-01-08\ngalley-pay,2027-01-15\ndeckhand-pay,2027-01-22\ngalley-pay,2027-01-29\n"},
		{"dates|wages|galley-pay|--add|x = date", 2, "the series `galley-pay` was given twice"},
		{"dates|wagez", 2, "did you mean `wages`?"},
		{"why|wages|2027-01-08", 2, "`wages` is a pattern; name one of its series: deckhand-pay, galley-pay"},
		{"ahead|--within|soon", 2, "within: expected a stretch such as"},
		{"release|--through|2028-10-31", 2, "by is required"},
		{"release|--by|A. Gull", 2, "through is required"},
		{"release|--by|A. Gull|--through|2027-03-31|--series|safety-drill", 0, "3 released, 0 moved, 0 gone, 0 unchanged."},
		{"why|crew-contracts|C-103|notice", 0, "what,step,date,weekday,why\nstart,in the table,2026-09-14,Mon,\nterm,in the table,,,24\nends,\"= \"\"start\"\", lasting term months\",,,\nends,base,2026-09-14,Mon,\nends,lasting term months,2028-09-13,Wed,\nnotice,\"= ends, -90 days, roll preceding\",,,\nnotice,base,2028-09-13,Wed,\nnotice,-90 days,2028-06-15,Thu,\nnotice,roll preceding,2028-06-15,Thu,Thu 2028-06-15 is a working day of isles\n"},
		{"why|absences|#3|last", 0, "what,step,date,weekday,why\nlast,in the table,,,present\n"},
		{"why|crew-contracts|C-999|ends", 2, "no row of crew-contracts.csv has `contract` \"C-999\""},
		{"why|crew-contracts|#99|ends", 2, "there is no row #99: crew-contracts.csv has 10 rows"},
		{"why|absences|Ebba|last", 2, "has no `key`"},
		{"why|crew-contracts", 2, "ROW COLUMN"},
		{"derive|crew-contracts.csv|--add|ends = start, lasting term months|--as|ics|--event-day|ends|--event-text|{person}: {unit}|--key|contract|--where|term = 6", 0, "UID:crew-contracts.ends.C-102@skerry-crew\r\nDTSTAMP:20261125T000000Z\r\nSEQUENCE:0\r\nDTSTART;VALUE=DATE:20270731\r\nSUMMARY:Borro Tidewater: Ferries\r\n"},
		{"new|office|--table|berth-leases.csv|--table|yard-hours.csv|--read-dates|day=dmy|--series|crew-pay = monthly on 15, last then roll preceding", 0, "  ../berth-leases.csv: dates in begins (dmy), ends (dmy)\n  ../yard-hours.csv: dates in day (dmy)\n  there is 1 row of totals (line 7), left out\n  working days: office, which has no holidays yet; add yours in the plan\nIt passes `yoyaku check`."},
		{"new|office", 2, "already exists and was left as it is"},
		{"new|else|--series|pay = montly", 2, "expected a rule, which starts with a cadence"},
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
