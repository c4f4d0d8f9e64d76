package workflow

import (
	"path/filepath"
	"strings"
	"testing"
)

// What moved between plans, calendar files and tables; what comes up.
func TestCompareAndAhead(t *testing.T) {
	t.Parallel()
	dir := demoFolder(t)
	plan := read(t, filepath.Join(dir, "yoyaku.yaml"))
	write(t, filepath.Join(dir, "later.yaml"), strings.NewReplacer("      - name: Lantern Day", "      - {name: Eve of Harvest, day: 2027-08-13}\n      - name: Lantern Day",
		"title: Safety drill", "title: Drill", "window: 2027..2028", "window: 2027-08..2029").Replace(plan))
	write(t, filepath.Join(dir, "other.csv"), strings.NewReplacer("C-103", "C-1033", "2027-02-01,6", "2027-02-08,6", "Harbour,2027-01-04", "Yard,2027-01-05").Replace(read(t, filepath.Join(dir, "crew-contracts.csv"))))
	write(t, filepath.Join(dir, "twice.csv"), read(t, filepath.Join(dir, "crew-contracts.csv"))+"C-101,x,y,2027-01-01,1\n")
	const moved = "crew-pay,date,2027-08/15,2027-08-13,2027-08-12,-1,\"Sun 2027-08-15 is closed (weekend), as is Fri 2027-08-13 (Eve of Harvest); rolled preceding\"\n"
	for _, c := range []struct {
		args string
		code int
		want string
	}{
		{"compare", 0, "0 moved, 0 changed, 0 added, 0 gone, 590 unchanged."},
		{"compare|yoyaku.yaml|skerry.ics", 0, "0 moved, 0 changed, 0 added, 0 gone, 590 unchanged."},
		{"compare|crew-pay.csv|skerry.ics|--where|change != 'added'", 0, "0 moved, 0 changed, 398 added, 0 gone, 192 unchanged."},
		{"compare|yoyaku.yaml|later.yaml", 0, "changed,safety-drill,date,2027-08/2nd-tue,2027-08-10,2027-08-10,0,title: Safety drill → Drill\n"},
		{"compare|skerry.ics|later.yaml|--where|change = 'moved' and what = 'date'", 0, "\nmoved," + moved},
		{"compare|--closed|2027-08-13=Eve of Harvest", 0, "moved," + moved},
		{"compare|--closed|2027-08-13=Eve of Harvest", 0, "assumes 2027-08-13 (Eve of Harvest) closed in isles; no file was changed\n"},
		{"compare|--closed|2027-08-13=Eve of Harvest", 0, "yoyaku.yaml: 1 row of crew-contracts.csv has no date; it is left out\nchange"},
		{"compare|crew-contracts.csv|other.csv|--key|contract", 0, "change,series,what,id,was,now,days,detail\nchanged,,start,C-101,2027-01-04,2027-01-05,1,unit: Harbour → Yard; start: 2027-01-04 → 2027-01-05\nmoved,,start,C-102,2027-02-01,2027-02-08,7,\nadded,,,C-1033,,,,\"person Cairn Saltmarsh, unit Yard, start 2026-09-14, term 24\"\ngone,,,C-103,,,,\"person Cairn Saltmarsh, unit Yard, start 2026-09-14, term 24\"\n"},
		{"compare|crew-contracts.csv|other.csv", 2, "name the column that identifies its rows with --key COL"},
		{"compare|crew-contracts.csv|twice.csv|--key|contract", 2, "the key `contract` is \"C-101\" in both line 2 and line 12 of the new table"},
		{"compare|twice.csv|crew-contracts.csv|--key|contract", 2, "the key `contract` is \"C-101\" in both line 2 and line 12 of the old table"},
		{"compare|crew-contracts.csv|other.csv|--key|nobody", 2, "unknown column `nobody`"},
		{"compare|yoyaku.yaml|other.csv|--key|contract", 2, "is for two tables"},
		{"compare|skerry.ics|none.ics", 2, "no such file"},
		{"ahead|--as-of|2027-05-10|--within|3 days|--columns|date,left,working_left,series,what", 0, "date,left,working_left,series,what\n2027-04-30,-10,-6,crew-contracts,decide\n2027-05-11,1,1,crew-pay,approval\n2027-05-11,1,1,safety-drill,date\n2027-05-12T16:30,2,2,crew-pay,bank-file\n"},
		{"ahead|safety-drill|--as-of|2027-05-10|--window|2027-06|--columns|date,title", 0, "date,title\n2027-06-08,Safety drill\n"},
		{"ahead|nobody", 2, "unknown series `nobody`"},
	} {
		if said, code := runCommand(t, dir, c.args); code != c.code || !strings.Contains(said, c.want) {
			t.Errorf("%s: %d\n%s, want %d %s", c.args, code, said, c.code, c.want)
		}
	}
}
