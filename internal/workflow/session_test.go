package workflow

import (
	"path/filepath"
	"strings"
	"testing"
)

// officeFiles is an office of many hands: pay groups by pattern and by table, a rule that
// changes, a day by hand, tasks with owners, times in two zones, records made of others.
var officeFiles = map[string]string{
	"shared/calendars.yaml": `calendars:
  isles:
    closed: sat, sun
    holidays: [{name: New Year, day: yearly on 1 jan then roll following}]
    known-through: 2028-12-31
  yard: {closed: sun, holidays: isles}
people: {di: {name: Di Gull, mail: di@skerry.example}, ed: {name: Ed Tern}}
`,
	"pay-groups.csv": "code,cal,lead,title,spare\ncrew,isles,,Crew pay,x\nyardmen,yard,7,Yard pay,y\n",
	"moved.csv":      "series,id,date,why,by,what\nshifts,2028-10/15,none,nobody is here,,\nshifts,2028-09/15,2028-09-13,the bank moves,B. Tern,\ncrew,2028-09/28,2028-09-25T11:00,the file is wanted early,,bank-file\n",
	"close-tasks.csv": `task,day,owner,title
bank-rec,"date, +1 working day",di,
intercompany,"bank-rec, +1 working day, at 12:00 in 'America/New_York'",ed,
pack,"intercompany, +2 working days, at 17:00",,Pack of {nominal}
`,
	"bands.csv": "from_years,weeks\n0,2\n2,6\n",
	"sites.csv": "unit,calendar\nHarbour,isles\nYard,yard\n",
	"staff.csv": "who,unit,joined\nAda,Harbour,2024-03-01\nBo,Yard,2026-09-01\nCy,Hill,2027-01-01\n",
	"away.csv":  "who,first,last\nAda,2028-09-08,2028-09-19\nBo,2028-09-15,2028-10-03\n",
	"yoyaku.yaml": `plan: 1
id: office
zone: Atlantic/Faroe
window: 2028-H2
include: shared/*.yaml
calendar: isles
patterns:
  base: {takes: {lead: 5}, event: {remind: lead days before}, expect: {per-year: 12}}
  monthly-pay:
    like: base
    takes: {cal: isles, payday: 25}
    title: Pay day {name}
    rule: monthly on payday then roll preceding
    calendar: (cal)
    milestones:
      cut-off: date, -lead working days
      bank-file: date, -2 working days using (cal), at 16:30
    expect: {each: [cut-off < date]}
    event: {summary: "{title} ({lead} days before)"}
series:
  office-pay: {like: monthly-pay, payday: 20, milestones: {cut-off: "date, -lead working days, at 12:00", bank-file: none, slips: date}, private: yes}
  shifts:
    rule: [{until: 2028-07-31, is: monthly on last}, {from: 2028-08-01, is: "monthly on 15, last then roll preceding"}]
  close:
    title: Month-end close
    rule: monthly on last working day
    milestones-from: {table: close-tasks.csv, name: task, date: day, owner: owner, title: title}
series-from:
  - {table: pay-groups.csv, like: monthly-pay, name: code, payday: 28}
instead: {table: moved.csv}
records:
  shift-days: {from: shifts, columns: {week: iso week of date}}
  staff:
    table: staff.csv
    match: [{table: bands.csv, value: years from joined to 2028-10-01, start: from_years, take: [weeks]}, {table: sites.csv, key: unit, take: [calendar]}]
    columns: {last-day: "2028-10-02, -weeks weeks, roll preceding using (calendar)"}
  away: {table: away.csv}
  away-by-pay:
    from: away
    make: spread
    start: first
    end: last
    by: shifts
    working: yes
    match: [{table: staff.csv, key: who, take: [unit]}]
apart: [[close.bank-rec, office-pay]]
expect: {per-day: 0..2}
outputs:
  - {file: pay.csv, of: [monthly-pay, shifts]}
  - {file: "close-{owner}.ics", of: close, per: owner, choose: occurrence}
  - {file: "close-{owner}.csv", of: close, per: owner}
  - {file: office.ics, of: office-pay}
  - {file: shifts.csv, of: shift-days}
  - {file: staff.csv.out.csv, of: staff}
  - {file: away.csv.out.csv, of: away-by-pay, make: tally, rows: unit, cols: period, sum: working_days}
`,
}

func officeFolder(t *testing.T) string {
	t.Helper()
	dir := t.TempDir()
	for name, text := range officeFiles {
		write(t, filepath.Join(dir, name), text)
	}
	return dir
}

func TestSession_goldenCommands(t *testing.T) {
	t.Parallel()
	dir := officeFolder(t)
	plan := officeFiles["yoyaku.yaml"]
	other := strings.NewReplacer("id: office", "id: other", "pay.csv", "pay2.csv", "close-{owner}", "second-{owner}", "office.ics", "second.ics", "shifts.csv", "s2.csv", "staff.csv.out", "st2", "away.csv.out", "aw2").Replace(plan)
	write(t, filepath.Join(dir, "other.yaml"), other)
	for _, c := range []struct {
		args string
		code int
		want string // of the output or of standard error
	}{
		{"check", 0, "note,moved.csv:2,shifts,2028-10-15,date of 2028-10/15: left out by hand: nobody is here"},
		{"run", 0, "crew,6,2028-07-28,2028-12-28"},
		{"run|--series|monthly-pay", 0, "series,dates,first,last,next,moved,warnings\noffice-pay,6,2028-07-20,2028-12-20,2028-07-20,1,0\ncrew,6,"},
		{"run|yoyaku.yaml|other.yaml", 0, "plan,series,dates,first,last,next,moved,warnings\noffice,office-pay,6,"},
		{"run|yoyaku.yaml|yoyaku.yaml", 2, "have the same id, office"},
		{"check|yoyaku.yaml|other.yaml", 0, "note,"},
		{"ahead|yoyaku.yaml|other.yaml|--as-of|2028-08-30|--within|3 days|--owner|di|--columns|date,title,owner", 0, "date,title,owner\n2028-09-01,Month-end close: bank-rec,di\n2028-09-01,Month-end close: bank-rec,di\n"},
		{"ahead|--owner|dee", 2, "unknown owner `dee`; did you mean `di`?"},
		{"ahead|yoyaku.yaml|other.yaml|--owner|zacharias", 2, "unknown owner `zacharias`"},
		{"dates|shifts|--window|2028-07..2028-10|--columns|date,id,reason", 0, "date,id,reason\n2028-07-31,2028-07/last,\n2028-08-15,2028-08/15,\n2028-08-31,2028-08/last,\n2028-09-13,2028-09/15,moved by hand: the bank moves (B. Tern)\n2028-09-29,2028-09/last,Sat 2028-09-30 is closed (weekend); rolled preceding\n2028-10-31,2028-10/last,\n"},
		{"dates|shifts|--window|2029-01", 0, "2029-01-15,Mon,2029-01-15,holidays unknown after 2028-12-31,2029-01/15"},
		{"dates|shifts|--window|2028|--counts|year", 0, "year,nominal,moved\n2028,16,16\n"},
		{"dates|yardmen|--window|2028-09", 0, "2028-09-28,Thu,2028-09-28,,2028-09/28"},
		{"why|shifts", 0, "holds,until 2028-07-31\nphrase,monthly on last\n"},
		{"why|shifts|2028-09-15", 0, "date,by hand,2028-09-13,Wed,moved by hand: the bank moves (B. Tern)"},
		{"why|shifts|2028-10-13", 0, "date,left out by hand,,,left out by hand: nobody is here"},
		{"why|crew|2028-09-25", 0, "bank-file,by hand,2028-09-25T11:00,Mon,moved by hand: the file is wanted early"},
		{"wall|yoyaku.yaml|other.yaml|--window|2028-09", 0, "Crew pay"},
		{"value|2028-10-01, next shifts", 0, "2028-10-31"},
		{"spread|away.csv|--start|first|--end|last|--by|shifts|--columns|who,period,first_day,last_day", 0, "Ada,2028-09/15,2028-09-08,2028-09-15\nAda,2028-09/last,2028-09-16,2028-09-19\n"},
		{"spread|away.csv|--start|first|--end|last|--by|shifts", 0, "3 days are in no period of `shifts`, so in no row: away.csv"}, // that of the day left out
	} {
		if said, code := runCommand(t, dir, c.args); code != c.code || !strings.Contains(said, c.want) {
			t.Errorf("%s: %d\n%s, want %d %s", c.args, code, said, c.code, c.want)
		}
	}
	for file, want := range map[string]string{
		"pay.csv":           "2028-09-13T12:00,Wed,Pay day office-pay (5 days before): cut-off,",
		"close-di.csv":      "date,weekday,title,series,what,owner,zone,nominal,reason,id\n2028-07-03,Mon,Month-end close: bank-rec,close,bank-rec,di,,2028-06-30,",
		"close-ed.csv":      "2028-08-02T12:00,Wed,Month-end close: intercompany,close,intercompany,ed,America/New_York,",
		"close-none.ics":    "SUMMARY:Pack of 2028-12-29\r\nDESCRIPTION:+2 working days\\; holidays unknown after 2028-12-31\r\nCATEGORIES:close\r\nSTATUS:TENTATIVE\r\n",
		"close-ed.ics":      "DTSTART;TZID=America/New_York:20280802T120000\r\n",
		"close-di.ics":      "CONTACT:Di Gull <di@skerry.example>\r\n",
		"office.ics":        "SUMMARY:Pay day office-pay (5 days before): slips\r\nCATEGORIES:office-pay\r\nCLASS:PRIVATE\r\n",
		"shifts.csv":        "2028-09-13,Wed,2028-09-15,moved by hand: the bank moves (B. Tern),2028-09/15,2028-W37\n",
		"staff.csv.out.csv": "Ada,Harbour,2024-03-01,6,isles,2028-08-21\nBo,Yard,2026-09-01,6,yard,2028-08-21\nCy,Hill,2027-01-01,2,,\n",
		"away.csv.out.csv":  "unit,2028-09/15,2028-09/last,total\nHarbour,6,2,8\nYard,1,10,11\n",
	} {
		if got := read(t, filepath.Join(dir, file)); !strings.Contains(got, want) {
			t.Errorf("%s has no %q:\n%.1500s", file, want, got)
		}
	}
	runCommand(t, dir, "run|--by|A. Gull|--note|sent out")
	write(t, filepath.Join(dir, "moved.csv"), strings.Replace(officeFiles["moved.csv"], "2028-09-13", "2028-09-12", 1))
	runCommand(t, dir, "run|--by|A. Gull")
	write(t, filepath.Join(dir, "moved.csv"), officeFiles["moved.csv"])
	const moved = `"moved":[{"series":"shifts","what":"date","id":"2028-09/15","was":"2028-09-13","now":"2028-09-12","reason":"moved by hand: the bank moves (B. Tern)"}]}`
	if log := read(t, filepath.Join(dir, "yoyaku-log.jsonl")); strings.Count(log, "\n") != 2 || !strings.Contains(log, `"note":"sent out"`) || !strings.Contains(log, moved) || !strings.Contains(log, `"shared/calendars.yaml":"`) {
		t.Errorf("the log: %s", log)
	}
	// What is wrong with it, and stops a run with nothing written.
	was := read(t, filepath.Join(dir, "pay.csv"))
	for _, c := range []struct{ file, old, new, want string }{
		{"moved.csv", "2028-09/15", "2028-09/16", "fail,moved.csv:3,shifts,,the rule of `shifts` gives no date with the id 2028-09/16"},
		{"close-tasks.csv", ",ed,", ",edd,", "fail,close-tasks.csv:3,close,,unknown owner `edd`; did you mean `ed`?"},
		{"yoyaku.yaml", "per-day: 0..2", "per-day: 0", "fail,yoyaku.yaml:47,di,2028-07-03,\"per-day: di has 1 task on this day, expected 0: close.bank-rec\""},
		{"yoyaku.yaml", "[[close.bank-rec, office-pay]]", "[[close, shifts]]", "\"close, shifts\",2028-07-31,close and shifts fall on the same day but must stay apart"},
		{"yoyaku.yaml", "window: 2028-H2", "window: 2028-H2\nstrict: yes", "holidays unknown after 2028-12-31"},
		{"yoyaku.yaml", "expect: {each: [cut-off < date]}", "expect: {each: [cut-off > date]}", "each: cut-off > date"},
	} {
		write(t, filepath.Join(dir, c.file), strings.Replace(officeFiles[c.file], c.old, c.new, 1))
		if said, code := runCommand(t, dir, "check"); code != 1 || !strings.Contains(said, "fail") || !strings.Contains(said, c.want) {
			t.Errorf("%s: check %d\n%s, want %s", c.new, code, said, c.want)
		}
		if said, code := runCommand(t, dir, "run"); code != 1 || read(t, filepath.Join(dir, "pay.csv")) != was {
			t.Errorf("%s: run %d %s", c.new, code, said)
		}
		write(t, filepath.Join(dir, c.file), officeFiles[c.file])
	}
}

// Released dates are held by every command that hands dates on, until one of the three
// ways is taken.
func TestRelease(t *testing.T) {
	t.Parallel()
	dir := officeFolder(t)
	groups, moved := officeFiles["pay-groups.csv"], officeFiles["moved.csv"]
	later := strings.Replace(groups, ",7,", ",6,", 1) // the yard's cut-off is a day later
	const gone = "code,cal,lead,title,spare\nyardmen,yard,6,Yard pay,y\n"
	for _, c := range []struct {
		groups, moved string // the files from here on; "" as they were
		args          string
		code          int
		want          string
	}{
		{"", "", "release|--by|A. Gull|--through|2029-01-31", 2, "through must lie in the window, 2028-07-01 to 2028-12-31"},
		{"", "", "release|--by|A. Gull|--through|2029-03-31|--window|2029-Q1", 1, "are provisional (holidays unknown after 2028-12-31)"},
		{"", "", "release|--by|A. Gull|--through|2028-10-31|--series|crews", 2, "did you mean `crew`?"},
		{"", "", "release|--by|A. Gull|--through|2028-10-31", 0, "released,yardmen,cut-off,2028-07/28,,2028-07-20,-7 working days\n"},
		{"", "", "release|--by|A. Gull|--through|2028-10-31", 0, "0 released, 0 moved, 0 gone, "},
		{"", "", "run", 0, "yardmen,6,"},
		{later, "", "run", 1, "yardmen,cut-off,2028-09/28,2028-09-20,2028-09-21,-6 working days\n"},
		{"", "", "run|--anyway", 1, "nothing was written"},
		{"", "", "check", 1, "yardmen.cut-off 2028-09/28, released as 2028-09-20, is now 2028-09-21: -6 working days"},
		{"", "", "run|--series|crew,shifts", 0, "crew,6,"},
		{"", "", "run|--window|2028-11", 0, "yardmen,1,"}, // beyond what was released
		{"", "", "dates|yardmen|--window|2028-09|--as|ics", 1, "series,what,id,released,now,reason\nyardmen,cut-off,2028-09/28,2028-09-20,2028-09-21,-6 working days\n"},
		{"", "", "dates|crew|--window|2028-09|--as|ics", 0, "UID:crew.2028-09/28@office"},
		{"", "", "dates|yardmen|--window|2028-09", 0, "1 date differs from what was released"},
		{"", "", "ahead|--as-of|2028-09-15", 0, "1 date differs from what was released"},
		{"", "", "compare|yoyaku.yaml|pay.csv", 0, "4 dates differ from what was released; `yoyaku check` lists them"},
		{"", "", "wall|--window|2028-09", 0, "1 date differs from what was released"},
		{"", "", "run|--keep-released", 0, "4 dates are kept as released"},
		{"", moved + "yardmen,2028-09/28,2028-09-22,the bus is late,,cut-off\n", "check", 1, "yardmen.cut-off 2028-08/28"},
		{"", "", "dates|yardmen|--window|2028-09|--as|ics", 0, "DTSTART;VALUE=DATE:20280922"},
		{"", moved, "dates|yardmen|--window|2028-09|--as|ics", 1, "2028-09-20,2028-09-21"},
		{"", "", "release|--by|B. Tern|--through|2028-10-31|--note|later", 0, "moved,yardmen,cut-off,2028-09/28,2028-09-20,2028-09-21,-6 working days\n"},
		{"", "", "run", 0, "yardmen,6,"},
		{"", "", "why|yardmen|2028-09-28", 0, "superseded on 2026-11-25; then: -7 working days\n"},
		{"", "", "why|yardmen|2028-09-20", 0, "released,2028-09-20,Wed,id 2028-09/28; released on 2026-11-25 by A. Gull"},
		{gone, strings.ReplaceAll(moved, "crew,2028-09/28,2028-09-25T11:00,the file is wanted early,,bank-file\n", ""), "run", 1, "crew,date,2028-07/28,2028-07-28,,gone: there is no series `crew`\n"},
		{"", "", "run|--keep-released", 0, "12 released dates of series that are no longer in the plan"},
		{"", "", "release|--by|B. Tern|--through|2028-10-31", 0, "0 released, 0 moved, 0 gone, "},
		{"", "", "release|--by|B. Tern|--through|2028-10-31|--series|crew", 0, "gone,crew,date,2028-07/28,2028-07-28,,gone: there is no series `crew`\n"},
		{"", "", "run", 0, "yardmen,6,"},
	} {
		for name, text := range map[string]string{"pay-groups.csv": c.groups, "moved.csv": c.moved} {
			if text != "" {
				write(t, filepath.Join(dir, name), text)
			}
		}
		if said, code := runCommand(t, dir, c.args); code != c.code || !strings.Contains(said, c.want) {
			t.Errorf("%s: %d\n%.1500s, want %d %s", c.args, code, said, c.code, c.want)
		}
	}
	if pay := read(t, filepath.Join(dir, "released.csv")); strings.Count(pay, ",B. Tern,later,,") != 4 {
		t.Errorf("the file of released dates: %s", pay)
	}
}
