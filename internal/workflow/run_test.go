package workflow

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/plan"
)

// deskPlan is a small plan; outputs and what else are written behind it.
const deskPlan = "plan: 1\nid: desk\nwindow: 2027\nseries:\n  pay: {rule: monthly on 15, milestones: {cut: \"date, -2 days\"}}\n  duty: {rule: quarterly on last}\n"

// TestRuns asks for a run, and then another after a change: what is reported about each, and what
// is in the files afterwards.
func TestRuns(t *testing.T) {
	t.Parallel()
	broken := "k,d\n"
	for i := range 25 {
		broken += fmt.Sprintf("%d,2027-01-%02d\n", i, i+1)
	}
	for _, c := range []struct {
		what         string
		files        string // NAME: text, by \x00; the plan's rest is `plan`
		line         string
		code         int
		want         string // by |
		then         string // another line, with its files before it
		change       string
		thenCode     int
		thenWant     string
		file, holds  string // afterwards
		never, wants string // in what the second tells: never, or at least
	}{
		{what: "new, unchanged, changed", files: "plan:outputs: [{file: a.csv, of: pay}, {file: b.ics, of: [pay, duty]}, {file: c.csv, of: [pay, duty]}]\n",
			line: "run", want: " a.csv new 12 dates| b.ics new 28 dates| c.csv new 28 dates|pay,12,2027-01-15,2027-12-15",
			then: "run|--window|2027-H1", thenWant: " a.csv changed 6 dates 6 gone| b.ics unchanged 28 dates| c.csv changed 14 dates 14 gone", file: "a.csv", holds: "2027-06-15"},
		{what: "a second run changes nothing", files: "plan:outputs: [{file: a.csv, of: pay}, {file: b.ics, of: pay}]\n", line: "run", then: "run",
			thenWant: " a.csv unchanged 12 dates| b.ics unchanged 24 dates", file: "b.ics", holds: "UID:pay.2027-12/15@desk"},
		{what: "some series alone", files: "plan:outputs: [{file: c.csv, of: [pay, duty]}, {file: d.csv, of: duty}, {file: c.ics, of: [pay, duty]}]\n", line: "run",
			then: "run|--series|pay", change: "plan:outputs: [{file: c.csv, of: [pay, duty]}, {file: d.csv, of: duty}, {file: c.ics, of: [pay, duty]}]\nstrict: no\n",
			thenWant: "pay,12,| c.csv unchanged 28 dates| c.ics unchanged 28 dates", never: "d.csv", file: "c.csv", holds: "duty,date"},
		{what: "a name that is none", files: "plan:", line: "run|--series|pays", code: 2, want: "did you mean `pay`?"},
		{what: "no window", files: "plan.yaml:plan: 1\nid: a\nseries: {s: {rule: monthly on 15}}\n", line: "run|plan.yaml", code: 2, want: "the series `s` has no end; write a window in the plan"},
		{what: "a rule that ends", files: "plan.yaml:plan: 1\nid: a\nseries: {s: {rule: monthly on 15 from 2027-01-15 until 2027-03-15}}\noutputs: [{file: s.csv, of: s}]\n", line: "run|plan.yaml", want: "s,3,2027-01-15,2027-03-15| s.csv new 3 dates"},
		{what: "nothing in a calendar", files: "plan:outputs: [{file: e.ics, of: pay, where: date < 2020-01-01}]\n", line: "run", want: "e.ics not written it would have no events"},
		{what: "many broken rows", files: "t.csv:" + broken + "\x00plan:records: {r: {table: t.csv, key: k, expect: {each: d < 2026-01-01, rows: 1..3, unique: k}}}\n", line: "check", code: 1,
			want: "each: d < 2026-01-01: 0 (line 2): 2027-01-01 is not before 2026-01-01|each: d < 2026-01-01: 19 (line 21)|and 5 more rows|rows: t.csv has 25 rows, expected 1..3", never: "20 (line 22)"},
		{what: "as few and as many rows", files: "t.csv:k,d\na,2027-01-01\nb,2027-01-02\n\x00plan:records: {r: {table: t.csv, key: k, expect: {rows: 2..5}}, q: {table: t.csv, key: k, expect: {rows: 1..2}}}\n", line: "check", want: "level,where,about,date,finding", never: "rows:"},
		{what: "one warning alone, and strict", files: "plan:strict: yes\noutputs: [{file: b.csv, of: fifth}]\nseries: {fifth: {rule: monthly on 1 then 5th mon of month}}\n", line: "run", code: 1, want: "fifth: 8 nominal dates left out|warnings; nothing was written"},
		{what: "bad rows set aside once", files: "t.csv:k,d\na,2027-01-01\nb,x\n\x00plan:records: {r: {table: t.csv, bad-rows: aside=bad.csv, columns: {e: \"d, +1 day\"}}}\noutputs: [{file: r.csv, of: r}, {file: r2.csv, of: r}]\n", line: "run",
			want: "r.csv, r2.csv: t.csv: 1 cell is wrong", file: "bad.csv", holds: "b,x,"},
		{what: "a file outside", files: "t.csv:k,d\na,x\n\x00plan:records: {r: {table: t.csv, bad-rows: aside=../bad.csv, columns: {e: \"d, +1 day\"}}}\noutputs: [{file: r.csv, of: r}]\n", line: "run", code: 2, want: "../bad.csv is outside the output folder"},
		{what: "owners who left", files: "plan:people: {di: {name: Di}, ed: {}}\npatterns: {own: {takes: {who: needed}, rule: monthly on 1, milestones: {act: {date: date, owner: \"{who}\"}}}}\noutputs: [{file: \"t-{owner}.ics\", of: [x, y], per: owner}, {file: \"t-{owner}.csv\", of: [x, y], per: owner}]\nseries: {x: {like: own, who: di}, y: {like: own, who: ed}}\n",
			line: "run", want: " t-di.ics new 12 dates| t-ed.ics new 12 dates| t-none.csv new 24 dates",
			change: "plan:people: {di: {name: Di}}\npatterns: {own: {takes: {who: needed}, rule: monthly on 1, milestones: {act: {date: date, owner: (who)}}}}\noutputs: [{file: \"t-{owner}.ics\", of: [x, y], per: owner}, {file: \"t-{owner}.csv\", of: [x, y], per: owner}]\nseries: {x: {like: own, who: di}, y: {like: own, who: di}}\n",
			then:   "run", thenWant: " t-di.ics changed 24 dates 12 added| t-ed.ics changed 0 dates 12 gone; there is no longer an owner `ed`|t-ed.csv: there is no longer an owner `ed`; the file was left as it is",
			file: "t-ed.ics", holds: "STATUS:CANCELLED"},
		{what: "a window that cuts", files: "plan:outputs: [{file: b.csv, of: [pay, duty]}]\n", line: "run|--window|2027-01-14..2027-02-14", want: "the window cuts 2 occurrences"},
		{what: "no warning is silent", files: "plan:calendars: {c: {closed: sun, known-through: 2027-06-30}}\nstrict: yes\ncalendar: c\noutputs: [{file: b.csv, of: roll}]\nseries: {roll: {rule: monthly on 31 then roll preceding}}\n", line: "run", code: 1, want: "6 dates are provisional|the plan is strict and there are warnings; nothing was written"},
		{what: "expected otherwise", files: "plan:outputs: [{file: a.csv, of: x}]\nseries: {x: {rule: monthly on 1, expect: {per-year: 13}}}\n", line: "run", code: 1, want: "x: per-year: 2027 has 12 dates, expected 13|1 expectation is not met; nothing was written",
			then: "run|--anyway", thenWant: "1 expectation is not met; written anyway| a.csv new 12 dates"},
	} {
		dir := t.TempDir()
		put := func(files string) {
			for _, f := range strings.Split(files, "\x00") {
				name, text, _ := strings.Cut(f, ":")
				if name == "plan" { // series of its own take the place of the desk's
					name = plan.FileName
					base := deskPlan
					if strings.Contains(text, "\nseries:") {
						base, _, _ = strings.Cut(base, "series:")
					}
					text = base + text
				}
				if name != "" {
					write(t, filepath.Join(dir, name), text)
				}
			}
		}
		hold := func(line string, code int, want string) (said string) {
			said, got := runCommand(t, dir, line)
			said = regexp.MustCompile(` +`).ReplaceAllString(said, " ")
			for _, w := range strings.Split(want, "|") {
				if got != code || !strings.Contains(said, w) {
					t.Errorf("%s: %s: %d\n%s, want %d %s", c.what, line, got, said, code, w)
				}
			}
			return said
		}
		put(c.files)
		said := hold(c.line, c.code, c.want)
		if c.then != "" {
			put(c.change)
			said = hold(c.then, c.thenCode, c.thenWant)
		}
		if c.never != "" && strings.Contains(said, c.never) {
			t.Errorf("%s: says %q:\n%s", c.what, c.never, said)
		}
		if c.file != "" && !strings.Contains(read(t, filepath.Join(dir, c.file)), c.holds) {
			t.Errorf("%s: %s has no %q:\n%s", c.what, c.file, c.holds, read(t, filepath.Join(dir, c.file)))
		}
		if left, _ := filepath.Glob(filepath.Join(dir, ".*.part")); left != nil {
			t.Errorf("%s: left behind: %v", c.what, left)
		}
	}
}

// TestSeveralPlans says of which plan it is what is reported, and writes all or nothing.
func TestSeveralPlans(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	for _, id := range []string{"one", "two"} {
		write(t, filepath.Join(dir, id+".yaml"), "plan: 1\nid: "+id+"\nwindow: 2027\nseries: {"+id+"-pay: {rule: monthly on 15, expect: {per-year: 12}}}\noutputs: [{file: "+id+".csv, of: "+id+"-pay}]\n")
	}
	if said, code := runCommand(t, dir, "run|one.yaml|two.yaml"); code != 0 || !strings.Contains(said, "plan,series,") || !strings.Contains(said, "  two two.csv  new  12 dates") || !strings.Contains(said, "one,one-pay,12") {
		t.Errorf("two plans: %d\n%s", code, said)
	}
	was := read(t, filepath.Join(dir, "one.csv"))
	write(t, filepath.Join(dir, "one.yaml"), strings.Replace(read(t, filepath.Join(dir, "one.yaml")), "on 15", "on 16", 1))
	write(t, filepath.Join(dir, "two.yaml"), strings.Replace(read(t, filepath.Join(dir, "two.yaml")), "per-year: 12", "per-year: 11", 1))
	if said, code := runCommand(t, dir, "run|one.yaml|two.yaml"); code != 1 || !strings.Contains(said, "two.yaml: 1 expectation is not met") || read(t, filepath.Join(dir, "one.csv")) != was {
		t.Errorf("one of them fails: %d\n%s", code, said)
	}
	if said, code := runCommand(t, dir, "run|two.yaml"); code != 1 || !strings.Contains(said, "\n1 expectation is not met") {
		t.Errorf("alone: %d\n%s", code, said)
	}
	write(t, filepath.Join(dir, "two.yaml"), strings.Replace(read(t, filepath.Join(dir, "two.yaml")), "two.csv", "one.csv", 1))
	if said, code := runCommand(t, dir, "run|one.yaml|two.yaml"); code != 2 || !strings.Contains(said, "one.csv would be written twice") {
		t.Errorf("one output of both: %d\n%s", code, said)
	}
}

// TestDesired holds what a plan wants on a server to what it says and what is asked for.
func TestDesired(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, filepath.Join(dir, "r.csv"), "k,d\na,2027-03-01\nb,2028-01-01\n")
	text := "plan: 1\nid: desk\nwindow: 2027\nseries:\n  pay: {rule: monthly on 15}\n  duty: {rule: quarterly on last}\n  own: {rule: yearly on 1 may}\nrecords:\n  r: {table: r.csv, key: k, events: [{name: e, day: d}]}\n  s: {table: r.csv, key: k, events: [{name: e, day: d}]}\npublish: {of: [pay, duty, r], collection: Office}\n"
	load := func(text string) *plan.Plan {
		write(t, filepath.Join(dir, plan.FileName), text)
		p, err := plan.Load(filepath.Join(dir, plan.FileName), plan.Settings{AsOf: 739999})
		if err != nil {
			t.Fatal(err)
		}
		return p
	}
	for _, c := range []struct {
		text   string
		series []string
		plans  int
		want   int    // events
		left   string // of pay, duty, r, own, old: those that aren't asked
		err    string
	}{
		{text, nil, 1, 12 + 4 + 1, "", ""},
		{text, []string{"duty", "R"}, 1, 5, "pay own old", ""},
		{text, []string{"duty", "duty"}, 1, 4, "pay r own old", ""},
		{text, []string{"own"}, 1, 0, "", "the plan doesn't publish `own`"},
		{text, []string{"s"}, 1, 0, "", "the plan doesn't publish `s`"},
		{text, []string{"dutty"}, 1, 0, "", "did you mean `duty`?"},
		{text, []string{"of-another"}, 2, -1, "", ""},
		{text, []string{"of-another", "pay"}, 2, 12, "duty r own old", ""},
		{strings.Replace(text, "id: desk\n", "", 1), nil, 1, 0, "", "has no `id`"},
		{strings.Replace(text, "publish: {of: [pay, duty, r], collection: Office}\n", "", 1), nil, 1, 12 + 4 + 1 + 1 + 1, "", ""},
		{strings.Replace(text, "monthly on 15", "monthly on 15, expect: {per-year: 1}", 1), nil, 1, 0, "", "1 expectation is not met"},
	} {
		p := load(c.text)
		plans := []*plan.Plan{p, p}[:c.plans]
		s, ok, err := NewPublishSession(p, plans, Request{Series: c.series, IgnoreExpectations: true}, noReports)
		if err == nil && ok {
			want, werr := s.Desired()
			if err = werr; err == nil {
				var left []string
				for _, name := range []string{"pay", "duty", "r", "own", "old"} {
					if want.Excludes(name) {
						left = append(left, name)
					}
				}
				if len(want.Events) != c.want || strings.Join(left, " ") != c.left || want.Plan != "desk" || !slices.Equal(want.Plans, []string{"desk"}) {
					t.Errorf("%v: %d events, left %v, want %d %s", c.series, len(want.Events), left, c.want, c.left)
				}
				first, _ := civil.NewDate(2027, 1, 1)
				if !want.Covers("x", eval.Day(first), first) || want.Covers("x", eval.Day(first-1), first-1) || want.Today != p.Env.Today {
					t.Errorf("%v: the window is %v, today %s", c.series, want.Window, want.Today)
				}
			}
		}
		if c.err == "" && (err != nil || ok == (c.want < 0)) || c.err != "" && (err == nil || !strings.Contains(err.Error(), c.err)) {
			t.Errorf("%v: %v %v, want %s", c.series, ok, err, c.err)
		}
		if name, given := Collection(p, ""); c.err == "" && c.plans == 1 && given != strings.Contains(c.text, "collection") || name == "" {
			t.Errorf("the collection is %s, %v", name, given)
		}
		if name, given := Collection(p, "Mine"); name != "Mine" || !given {
			t.Errorf("the collection asked for is %s", name)
		}
	}
}

// TestCompareWhatIsEmpty compares a calendar in which nothing is left with how it stands.
func TestCompareWhatIsEmpty(t *testing.T) {
	dir := t.TempDir()
	path := filepath.Join(dir, plan.FileName)
	write(t, path, deskPlan+"outputs: [{file: a.ics, of: duty}, {file: n.csv, of: duty}]\n")
	runCommand(t, dir, "run")
	if err := os.Remove(filepath.Join(dir, "n.csv")); err != nil {
		t.Fatal(err)
	}
	write(t, path, deskPlan+"outputs: [{file: a.ics, of: duty, where: date < 2020-01-01}, {file: n.csv, of: duty}]\n")
	if said, code := runCommand(t, dir, "compare"); code != 0 || !strings.Contains(said, "0 moved, 0 changed, 0 added, 4 gone, 0 unchanged.") || !strings.Contains(said, "n.csv doesn't exist yet") {
		t.Errorf("%d\n%s", code, said)
	}
}

// What was reported isn't reported again; a note of several outputs of one table names them in one line.
func TestNotes_areDeduplicated(t *testing.T) {
	var told []string
	reporter := Reporter{Warn: func(format string, args ...any) { told = append(told, fmt.Sprintf(format, args...)) }}.Once()
	for _, n := range []int{1, 2, 1, 1, 2, 3} {
		reporter.Warn("%d dates", n)
	}
	if got := strings.Join(told, "|"); got != "1 dates|2 dates|3 dates" {
		t.Errorf("told: %s", got)
	}
	s := &Session{Results: []OutputResult{{Output: "x.csv", Text: "open"}}}
	for _, n := range [][2]string{{"a.csv", "open"}, {"a.csv", "open"}, {"b.csv", "blank"}, {"b.csv", "open"}} {
		s.note(n[0], n[1])
	}
	if got := fmt.Sprint(s.Results); got != "[{x.csv   open false} {a.csv, b.csv   open true} {b.csv   blank true}]" {
		t.Errorf("the lines: %s", got)
	}
}

// A date that is kept as released has no period, so an event whose summary names the period takes
// the title, which run and check count.
func TestKeepReleased_summaryWithoutPeriod(t *testing.T) {
	t.Parallel()
	dir := demoFolder(t)
	path := filepath.Join(dir, "yoyaku.yaml")
	text := "plan: 1\nid: t\nwindow: 2027-Q1\ncalendar: none\nseries:\n  pay: {title: Pay, rule: monthly on 15, event: {summary: 'Pay for {period_start} to {period_end}'}, milestones: {cut: {date: 'date, -3 days', title: 'Cut of {period_end}'}}}\n" +
		"outputs: [{file: a.ics, of: pay}]\n"
	write(t, path, text)
	if said, code := runCommand(t, dir, "release|--by|A. Gull|--through|2027-03-31"); code != 0 {
		t.Fatal(said)
	}
	write(t, path, strings.Replace(text, "monthly on 15", "monthly on 20", 1))
	said, code := runCommand(t, dir, "run|--keep-released")
	if code != 0 || !strings.Contains(said, "pay: 6 events take the title: a name in the summary is blank there") {
		t.Errorf("%d %s", code, said)
	}
	ics := read(t, filepath.Join(dir, "a.ics"))
	if strings.Count(ics, "SUMMARY:Pay\r\n") != 3 || strings.Count(ics, "SUMMARY:Pay: cut\r\n") != 3 || strings.Contains(ics, "{") || strings.Contains(ics, " for ") {
		t.Errorf("%s", ics)
	}
}

// A time in an hour that its zone shows twice keeps its instant through every file, and is no
// change the next time.
func TestRun_repeatedHour(t *testing.T) {
	t.Parallel()
	dir := demoFolder(t)
	write(t, filepath.Join(dir, "yoyaku.yaml"), `plan: 1
id: t
window: 2027-10..2027-11
calendar: none
zone: America/New_York
series:
  s:
    rule: "dates 2027-11-07, 2027-11-08 then at 06:30 in 'UTC'"
    milestones:
      early: "date, at 05:30 in 'UTC', in zone 'America/New_York'"
      late: "date, in zone 'America/New_York'"
      last: later of early and late
    expect: {each: [early < late, last = late]}
outputs: [{file: a.ics, of: s}, {file: b.csv, of: s, columns: [late]}, {file: c.csv, of: s, columns: [late], show-dates: "%H:%M %z"}]
`)
	for i, line := range []string{"check", "run", "run", "release|--by|A. Gull|--through|2027-11-30", "run", "compare|a.ics|yoyaku.yaml"} {
		said, code := runCommand(t, dir, line)
		if code != 0 || i > 1 && strings.Contains(said, "changed ") && !strings.Contains(said, "unchanged") || strings.Contains(said, "other details") {
			t.Errorf("%s: %d %s", line, code, said)
		}
	}
	ics := read(t, filepath.Join(dir, "a.ics"))
	if strings.Count(ics, "DTSTART:20271107T063000Z") != 3 || strings.Count(ics, "DTSTART;TZID=America/New_York:20271107T013000") != 1 {
		t.Errorf("%s", ics)
	}
	for file, want := range map[string]string{"b.csv": "late\n2027-11-07T01:30-05:00\n2027-11-08T01:30\n", "c.csv": "late\n01:30 -0500\n01:30 -0500\n"} {
		if got := strings.ReplaceAll(read(t, filepath.Join(dir, file)), "\r", ""); got != want {
			t.Errorf("%s: %s", file, got)
		}
	}
}
