package workflow

import (
	"path/filepath"
	"strings"
	"testing"

	"yoyaku/internal/golden"
)

// Ways to break the demo plan, each found at its line with what broke it.
func TestCheck(t *testing.T) {
	t.Parallel()
	dir := demoFolder(t)
	path := filepath.Join(dir, "yoyaku.yaml")
	good := read(t, path)
	for _, c := range golden.Cases(t, "testdata/check.cases", 3) {
		text := strings.Replace(good, c[0], c[1], 1)
		write(t, path, text)
		level := 1
		if strings.HasPrefix(c[2], "note,") {
			level = 0
		}
		if said, code := runCommand(t, dir, "check"); text == good || code != level || !strings.Contains(said, c[2]) {
			t.Errorf("%s: %d %.600s, want %s", c[1], code, said, c[2])
		}
	}
}

// check and run count the same dates that may move: those of series, and those of records where
// an output shows or chooses by them, or an expectation asks.
func TestCheck_countsUnknownAsRun(t *testing.T) {
	t.Parallel()
	dir := demoFolder(t)
	write(t, filepath.Join(dir, "h.csv"), "date,name\n2027-01-01,New Year\n")
	write(t, filepath.Join(dir, "staff.csv"), "id,start\na,2027-01-04\nb,2027-01-05\nc,2027-01-06\n")
	for _, c := range []struct {
		more    string
		unknown string
	}{
		{"outputs: [{file: a.csv, of: staff, columns: [id, ends]}]", ""},
		{"outputs: [{file: a.csv, of: staff, columns: [id, ends]}, {file: b.csv, of: staff, columns: [wd]}]", "3 dates may move"},
		{"outputs: [{file: a.csv, of: staff}]", "3 dates may move"},
		{"outputs: [{file: a.csv, of: staff, columns: [id], where: wd > 3}]", "3 dates may move"},
		{"outputs: [{file: a.csv, of: staff, columns: [id], make: due, date: ends, within: 9 years}]", ""},
		{"outputs: [{file: a.csv, of: staff, columns: [id], make: due, date: ends, within: 9 years, sort: [working_left]}]", "3 dates may move"},
		{"outputs: [{file: a.csv, of: staff, columns: [id, days], make: spread, start: start, end: ends, by: year}]", ""},
		{"outputs: [{file: a.csv, of: staff, make: tally, rows: id}]", ""},
		{"outputs: [{file: a.csv, of: staff, make: tally, rows: wd}]", "3 dates may move"},
		{"outputs: [{file: a.csv, of: staff, make: spread, start: start, end: ends, by: year}]", "6 dates may move"},
		{"outputs: [{file: a.csv, of: more, columns: [twice]}]", "3 dates may move"},
		{"outputs: [{file: a.csv, of: pay}, {file: b.csv, of: pay}]\nseries: {pay: {rule: monthly on last from 2027-11-01 until 2028-02-01 then roll preceding}}",
			"1 date may move"},
	} {
		write(t, filepath.Join(dir, "yoyaku.yaml"), "plan: 1\nid: t\nwindow: 2027..2028\ncalendar: isles\ncalendars: {isles: {holidays: [{file: h.csv}]}}\n"+
			"records:\n  staff: {table: staff.csv, key: id, columns: {ends: 'start, +3 years', wd: working days from start to ends}}\n"+
			"  more: {from: staff, columns: {twice: wd * 2}}\n"+c.more+"\n")
		for _, command := range []string{"check", "run"} {
			said, code := runCommand(t, dir, command)
			if code != 0 || strings.Contains(said, "may move") != (c.unknown != "") || !strings.Contains(said, c.unknown) {
				t.Errorf("%s of %s: %d %s, want %q", command, c.more, code, said, c.unknown)
			}
		}
	}
}

// What is wrong is told once, where it stands, and not of each that stands on it.
func TestCheck_toldOnce(t *testing.T) {
	t.Parallel()
	dir := demoFolder(t)
	write(t, filepath.Join(dir, "staff.csv"), "id,start\na,2027-01-04\n")
	write(t, filepath.Join(dir, "yoyaku.yaml"), `plan: 1
id: t
window: 2027
series: {t: {rule: monthy on 1}}
records:
  ok: {table: staff.csv, key: id, columns: {b: "strat, +1 day"}, expect: {unique: [id]}}
  broken: {from: nowhere}
  child: {from: broken, columns: {a: "x + 1"}}
  grand: {from: child, columns: {a: "x + 1"}}
  dates: {from: t, columns: {a: number}}
outputs:
  - {file: a.csv, of: ok}
  - {file: b.csv, of: ok}
  - {file: c.csv, of: grand}
  - {file: d.csv, of: dates}
`)
	said, code := runCommand(t, dir, "check")
	var lines []string
	for line := range strings.Lines(said) {
		if place, _, ok := strings.Cut(strings.TrimPrefix(line, "fail,yoyaku.yaml:"), ","); ok && strings.HasPrefix(line, "fail,") {
			lines = append(lines, place)
		}
	}
	if got := strings.Join(lines, " "); code != 1 || got != "4 6 7" {
		t.Errorf("%d, fails in lines %s, want 4 6 7\n%s", code, got, said)
	}
}
