package cli_test

import (
	"bytes"
	"encoding/csv"
	"errors"
	"flag"
	"fmt"
	"maps"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"runtime"
	"slices"
	"strings"
	"sync"
	"testing"

	"yoyaku/calendars"

	_ "yoyaku/internal/cli" // a change of the program is one of what these tests look at
	"yoyaku/internal/golden"
	"yoyaku/internal/query"
)

var (
	program string
	build   = []string{"build", "-ldflags", "-s -w"}
)

const asOf = "YOYAKU_AS_OF=2026-11-25"

func TestMain(m *testing.M) {
	flag.Parse()
	dir, err := os.MkdirTemp("", "yoyaku")
	if err != nil {
		panic(err)
	}
	program = filepath.Join(dir, "yoyaku")
	if runtime.GOOS == "windows" {
		program += ".exe"
	}
	if out, err := exec.Command("go", append(build, "-o", program, "yoyaku/cmd/yoyaku")...).CombinedOutput(); err != nil {
		panic(string(out))
	}
	code := m.Run()
	os.RemoveAll(dir)
	os.Exit(code)
}

// yoyaku runs the built program in a folder.
func yoyaku(t *testing.T, dir string, args ...string) (stdout, stderr string, code int) {
	t.Helper()
	cmd := exec.Command(program, args...)
	cmd.Dir = dir
	cmd.Env = append(os.Environ(), asOf)
	var out, errs bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &errs
	err := cmd.Run()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		t.Fatal(err)
	}
	return out.String(), errs.String(), cmd.ProcessState.ExitCode()
}

// made is a folder in which the demo was run once.
var made = sync.OnceValues(func() (string, error) {
	dir := filepath.Join(filepath.Dir(program), "skerry-demo")
	cmd := exec.Command(program, "demo", dir)
	cmd.Env = append(os.Environ(), asOf)
	out, err := cmd.CombinedOutput()
	if err != nil {
		err = fmt.Errorf("%w: %s", err, out)
	}
	return dir, err
})

// demo returns a copy of the demo folder, as the demo leaves it.
func demo(t *testing.T) string {
	t.Helper()
	from, err := made()
	if err != nil {
		t.Fatal(err)
	}
	dir := filepath.Join(t.TempDir(), "skerry-demo")
	if err := os.CopyFS(dir, os.DirFS(from)); err != nil {
		t.Fatal(err)
	}
	return dir
}

func read(t *testing.T, path string) string {
	t.Helper()
	data, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	return string(data)
}

func write(t *testing.T, path, text string) {
	t.Helper()
	if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
}

func held(t *testing.T, name, got string) {
	t.Helper()
	golden.Compare(t, filepath.Join("testdata", name), got)
}

func TestDemo(t *testing.T) {
	dir := demo(t)
	for _, name := range []string{"crew-pay.csv", "agenda.csv", "skerry.ics"} {
		held(t, name, read(t, filepath.Join(dir, name)))
	}
	out, errs, code := yoyaku(t, dir, "run", "--as", "table")
	held(t, "run.txt", out)
	if strings.Count(errs, "unchanged") != 14 || code != 0 {
		t.Errorf("the second run: %d\n%s", code, errs)
	}
	if out, errs, code := yoyaku(t, t.TempDir(), "demo"); code != 0 || !regexp.MustCompile("^(note: .*\n)+$").MatchString(errs) || !regexp.MustCompile(`(?s)slipway-survey.*Its files:\n  crew-pay.csv +new.*wall.html +new\n\nOpen.*Try next`).MatchString(out) {
		t.Errorf("the demo says %d %s\n%s", code, errs, out)
	}
	if _, errs, code := yoyaku(t, filepath.Dir(dir), "demo"); code != 2 || !strings.Contains(errs, "isn't empty") {
		t.Errorf("a second demo: %d, %s", code, errs)
	}
	plan := filepath.Join(dir, "yoyaku.yaml")
	write(t, plan, strings.Replace(read(t, plan), "roll preceding\n    period", "roll following\n    period", 1))
	was := read(t, filepath.Join(dir, "crew-pay.csv"))
	if _, errs, code := yoyaku(t, dir, "run"); code != 1 || !strings.Contains(errs, "yoyaku.yaml:81: crew-pay: per-year: 2028 has 23 dates, expected 24") || read(t, filepath.Join(dir, "crew-pay.csv")) != was {
		t.Errorf("a broken expectation: %d %s", code, errs)
	}
	if out, errs, code := yoyaku(t, dir, "run", "--anyway"); code != 1 || !strings.Contains(errs, "16 dates differ from what was released") || !strings.Contains(out, "crew-pay,date,2027-01/last,2027-01-29,2027-02-01,") || read(t, filepath.Join(dir, "crew-pay.csv")) != was {
		t.Errorf("released dates that moved: %d %s%s", code, out, errs)
	}
	if err := os.Remove(filepath.Join(dir, "released.csv")); err != nil {
		t.Fatal(err)
	}
	if _, errs, _ := yoyaku(t, dir, "run", "--anyway"); !strings.Contains(errs, "  crew-pay.csv                 changed     47 dates  14 moved, 1 gone\n") {
		t.Errorf("what changed: %s", errs)
	}
	ics, agenda := read(t, filepath.Join(dir, "skerry.ics")), read(t, filepath.Join(dir, "agenda.csv"))
	if _, errs, code := yoyaku(t, dir, "run", "--series", "safety-drill,fuel-duty"); code != 0 || read(t, filepath.Join(dir, "skerry.ics")) != ics || read(t, filepath.Join(dir, "agenda.csv")) != agenda {
		t.Errorf("--series changes what others have in a shared file: %d %s", code, errs)
	}
}

func TestCommands(t *testing.T) {
	t.Parallel()
	dir := demo(t)
	for _, c := range golden.Sample(golden.Cases(t, "testdata/commands.cases", 2), 4) {
		out, errs, code := yoyaku(t, dir, strings.Split(c[1], "|")...)
		if code != 0 {
			t.Fatalf("%s: %d %s", c[0], code, errs)
		}
		held(t, c[0], out)
		if strings.HasSuffix(c[0], ".ics") {
			if _, err := strictRead(out); err != nil {
				t.Errorf("%s: %v", c[0], err)
			}
		}
	}
	for _, c := range golden.Sample([][2]string{
		{"derive|crew-contracts.csv|--add|ends = start, lasting term months|--where|ends < 2028-01-01 and unit != 'Yard'|--columns|contract,ends", "contract,ends\nC-102,2027-07-31\nC-108,2027-09-14"},
		{"derive|berth-leases.csv|--read-dates|dmy|--open-words|present|--add|left = days from 2027-03-10 to (ends otherwise today)|--columns|-tenant,-notice_days|--sort|-left|--bad-rows|blank",
			"berth,begins,ends,left\nB-01,2026-03-14,2028-03-13,369\nB-03,2027-01-05,2027-12-31,296\nB-05,2026-09-30,2027-09-29,203\nB-02,2026-07-01,present,-105\nB-04,2027-02-28,,-105"},
		{"derive|invoices.csv|--add|vat = round amount * 0.2 to 2|--add|due = invoiced, +1 month keep month end|--columns|invoice,vat,due|--where|vat > 100 and due in (2027-02-28, 2027-03-09, 2028-01-20)", "invoice,vat,due\nF-2703,490.15,2027-03-09\nF-2706,375.05,2028-01-20"},
		{"derive|courses.csv|--add|last = start, lasting days working days|--reasons|--as|jsonl|--where|course starts with 'Radio'",
			`{"course": "Radio licence", "start": "2027-12-20", "days": "4", "trainer": "Runa Beacon", "last": "2027-12-23", "last_reason": "lasting days working days"}`},
		{"derive|season-passes.csv|--add|ends = bought, start of next month, lasting 12 months|--columns|pass,ends|--sort|ends,-pass|--where|price = 240.00", "pass,ends\nP-001,2028-05-31\nP-002,2028-06-30\nP-004,2028-12-31"},
		{"spread|crew-contracts.csv|--start|start|--end|start, lasting term months|--window|1990", "contract,person,unit,start,term,day"},
		{"tally|invoices.csv|--rows|customer|--sum|amount|--where|amount > 1000", "customer,sum\nGannet Stores,1280.50\nOyster Bank Mill,2450.75\nPuffin & Sons,1875.25\ntotal,5606.50"},
		{"value|if fridays in month of today > 4 then 'five' else 'four'|--as-of|2027-10-10", "five"},
		{"value|working days from today through end of month|--as-of|2027-09-06|--calendar|target", "19"},
		{"value|today as '%d %b %Y'|--as-of|2027-03-05", "05 Mar 2027"},
		{"value|2027-01-31, +1 month", "2027-02-28"},
		{"value|-5 working days|--base|2027-03-22|--calendar|isles", "2027-03-12"},
		{"value|-2 working days using isles + bank, at 16:30|--base|2027-12-31", "2027-12-29T16:30"},
		{"value|end of fiscal year|--base|2027-04-01", "2028-03-31"},
		{"value|next crew-pay|--base|2027-03-01", "2027-03-12"},
		{"value|crew-pay on or before, start of week|--base|2027-03-14|--week-start|sun", "2027-03-07"},
		{"value|today", "2026-11-25"},
		{"value|today|--as-of|2027-02-03", "2027-02-03"},
		{"value|5th fri of month|--base|2027-02-01", ""},
		{"value|anniversary on or after 2027-01-01|--base|2024-02-29|--leap-day|1-mar", "2027-03-01"},
		{"why|crew-pay|2027-08-17", "what,step,date,weekday,why\nno date,,2027-08-17,Tue,\"a working day of isles, but no date of crew-pay; the one before is Fri 2027-08-13; the next is Tue 2027-08-31\""},
		{"dates|rrule FREQ=MONTHLY;BYDAY=-1FR then +1 day|--window|2027-01", "date,weekday,nominal,reason,id\n2027-01-30,Sat,2027-01-29,+1 day,2027-01-29"},
		{"value|today > 2026-11-01 and not today in (2026-11-24, 2026-11-26)", "true"},
		{"__complete|dates|monthly|--calendar|", "isles\nbank\nyard\n" + strings.Join(calendars.Names, "\n") + "\nnone\n:4"},
		{"__complete|derive|crew-contracts.csv|--add|ends = st", "ends = start\n:6"},
		{"__complete|due|crew-contracts.csv|--where|unit = 'Yard' and (te", "unit = 'Yard' and (term\n:6"},
		{"__complete|derive|crew-contracts.csv|--sort|unit,-st", "unit,-start\n:6"},
		{"__complete|derive|crew-contracts.csv|--columns|con", "contract\n:6"},
		{"__complete|why|", "crew-pay\ndeckhand-pay\ngalley-pay\nsafety-drill\nfuel-duty\nquarter-close\nslipway-survey\nmonth-close\nboard\nwages\n:4"},
		{"dates|monthly on last|--count|2", "date,weekday,nominal,reason,id\n2026-11-30,Mon,2026-11-30,,2026-11/last\n2026-12-31,Thu,2026-12-31,,2026-12/last"},
		{"dates|monthly on 30|--window|2027-02", "date,weekday,nominal,reason,id\n2027-02-28,Sun,2027-02-28,,2027-02/30"},
	}, 6) {
		if out, errs, code := yoyaku(t, dir, strings.Split(c[0], "|")...); code != 0 || strings.TrimSuffix(out, "\n") != c[1] {
			t.Errorf("%s: %d %s%s, want %s", c[0], code, out, errs, c[1])
		}
	}
	out, _, _ := yoyaku(t, dir, "dates", "monthly on last")
	if n := strings.Count(out, "\n"); n != 13 {
		t.Errorf("without bounds: %d lines", n)
	}
	_, errs, _ := yoyaku(t, dir, "dates", "yearly on 1 jan then roll following", "--window", "2028..2030", "--calendar", "isles")
	if !strings.Contains(errs, "the holidays of calendar isles are unknown after 2028-12-31") {
		t.Errorf("no warning past what the calendar knows: %q", errs)
	}
}

// A record's condition and an output's own both hold; so do all makes of a plan.
func TestRecords(t *testing.T) {
	t.Parallel()
	dir := demo(t)
	plan := filepath.Join(dir, "yoyaku.yaml")
	text := strings.Replace(read(t, plan), "    key: contract\n", "    key: contract\n    where: unit != 'Yard'\n", 1) + `
  - {file: few.csv, of: crew-contracts, make: tally, rows: unit, where: ends < 2028-01-01}
  - {file: table.csv, of: crew-contracts, where: ends < 2028-01-01, columns: [contract, notice], sort: -notice}
  - {file: rents.csv, of: crew-contracts, make: spread, dates: "yearly from start until ends", columns: [contract, date]}
  - {file: who.csv, of: absences, make: match, ranges: absences.csv, key: person, date: first, start: first, end: last, several: first, columns: [person, range_kind]}
  - {file: soon.md, of: crew-contracts, make: due, date: [notice, "e = ends, -1 day"], window: 2027-04, columns: [contract, what, date]}
`
	write(t, plan, text)
	if _, errs, code := yoyaku(t, dir, "run"); code != 0 {
		t.Fatalf("%d %s", code, errs)
	}
	for file, want := range map[string]string{
		"few.csv": "unit,count\nFerries,1\nHarbour,1\ntotal,2\n", "table.csv": "contract,notice\nC-108,2027-06-16\nC-102,2027-04-30\n",
		"rents.csv": "contract,date\nC-101,2027-01-04\nC-102,2027-02-01\nC-104,2027-03-31\nC-105,2028-02-29\nC-105,2029-02-28\nC-108,2026-12-15\nC-110,2027-10-30\n",
		"who.csv":   "person,range_kind\nAnsa Fenwick-Gull,leave\nBorro Tidewater,course\nCairn Saltmarsh,sick\nDunla Kelpie,leave\nAnsa Fenwick-Gull,course\nEbba Longshore,\n",
		"soon.md":   "| contract | what | date |\n| --- | --- | --- |\n| C-102 | notice | 2027-04-30 |\n",
	} {
		if got := read(t, filepath.Join(dir, file)); got != want {
			t.Errorf("%s:\n%s, want\n%s", file, got, want)
		}
	}
}

// Everything that the program writes as iCalendar passes the strict reader,
// and its events are the agenda's rows.
func TestStrictICS(t *testing.T) {
	t.Parallel()
	dir := demo(t)
	plan := filepath.Join(dir, "yoyaku.yaml")
	text := read(t, plan)
	text = strings.Replace(text, "title: Safety drill", `title: "Drill; 100 %, \\ back\tünsinkable ⛴⛴⛴⛴⛴⛴⛴⛴⛴⛴⛴⛴⛴⛴⛴⛴⛴⛴⛴⛴⛴⛴⛴ \u0007 \"quoted\""`, 1)
	write(t, plan, text)
	for _, window := range golden.Sample([]string{"2027..2028", "2027-06", "1850..1860"}, 3) {
		if err := os.Remove(filepath.Join(dir, "skerry.ics")); err != nil { // which a new one would follow
			t.Fatal(err)
		}
		if _, errs, code := yoyaku(t, dir, "run", "--window", window); code != 0 {
			t.Fatalf("%s: %s", window, errs)
		}
		cal, err := strictRead(read(t, filepath.Join(dir, "skerry.ics")))
		if err != nil {
			t.Fatalf("%s: %v", window, err)
		}
		rows, err := csv.NewReader(strings.NewReader(read(t, filepath.Join(dir, "agenda.csv")))).ReadAll()
		if err != nil {
			t.Fatal(err)
		}
		rows = rows[1:]
		uids := map[string]bool{}
		n := 0
		for _, e := range cal.subs {
			if e.name != "VEVENT" {
				continue
			}
			f := rows[n]
			id := f[3]
			if f[4] != "date" {
				id += "." + f[4]
			}
			uid := id + "." + f[len(f)-1] + "@skerry-crew"
			start := strings.NewReplacer("-", "", ":", "").Replace(f[0])
			if e.get("UID") != uid || !strings.HasPrefix(e.get("DTSTART"), start) || uids[uid] || e.get("DTSTAMP") != "20261125T000000Z" {
				t.Fatalf("%s: event %d is %v, the agenda's row %q", window, n, e.props, f)
			}
			uids[uid] = true
			n++
		}
		if n != len(rows) {
			t.Errorf("%s: %d events, %d rows", window, n, len(rows))
		}
	}
	for zone, want := range map[string]string{"Atlantic/Faroe": "TZOFFSETTO:+0100", "Asia/Kolkata": "TZOFFSETTO:+0530", "America/St_Johns": "TZOFFSETTO:-0230"} {
		write(t, plan, strings.Replace(text, "Atlantic/Faroe", zone, 1))
		yoyaku(t, dir, "run", "--window", "2027-06")
		ics := read(t, filepath.Join(dir, "skerry.ics"))
		if _, err := strictRead(ics); err != nil || !strings.Contains(ics, want) {
			t.Errorf("%s: no %s, %v", zone, want, err)
		}
	}
}

// Every example in a command's help and in the documents runs in the demo
// folder.
func TestExamples(t *testing.T) {
	t.Parallel()
	dir := demo(t)
	line := regexp.MustCompile(`(?m)^\s*(?:\$ )?yoyaku (.*)$`)
	refused := regexp.MustCompile("(?m)^\\$ yoyaku (.*)\n(yoyaku: (?:.*\n)+?)```")
	texts := map[string]string{}
	for _, cmd := range []string{"", "dates", "run", "why", "derive", "due", "spread", "match", "tally", "grid", "between", "value", "days", "holidays", "demo", "check", "ahead", "compare", "new", "schema", "read", "publish", "wall", "release", "completion"} {
		out, _, _ := yoyaku(t, dir, strings.Fields("help "+cmd)...)
		_, after, _ := strings.Cut(out, "Examples:")
		after, _, _ = strings.Cut(after, "\n\nFlags:")
		if _, err := query.New(cmd); err != nil || !testing.Short() { // those of queries run in their room too
			texts["help "+cmd] = after
		}
		for _, l := range strings.Split(out, "\n") {
			if len(l) > 100 {
				t.Errorf("help %s: a line of %d characters: %s", cmd, len(l), l)
			}
		}
	}
	texts["help jobs"], _, _ = yoyaku(t, dir, "help", "jobs")
	if n := strings.Count(texts["help jobs"], "\n    yoyaku "); n < 80 {
		t.Errorf("only %d jobs", n)
	}
	page := "# Jobs of the trade\n\n```\n" + texts["help jobs"] + "```\n"
	golden.Compare(t, "../../docs/jobs.md", page)
	docs, _ := filepath.Glob("../../docs/*.md")
	for _, name := range append(docs, "../../README.md") {
		texts[name] = read(t, name)
	}
	ran := map[string]bool{} // one that stands in several places runs once
	var lines [][2]string    // where it stands, and what it runs
	for _, where := range slices.Sorted(maps.Keys(texts)) {
		text := regexp.MustCompile(`\\\n\s*`).ReplaceAllString(texts[where], "") // a line may go on
		for _, m := range refused.FindAllStringSubmatch(text, -1) {
			if _, errs, code := yoyaku(t, dir, words(m[1])...); code != 2 || errs != m[2] {
				t.Errorf("%s: yoyaku %s: exit %d\n%s", where, m[1], code, errs)
			}
			ran[m[1]] = true
		}
		for _, m := range line.FindAllStringSubmatch(refused.ReplaceAllString(text, ""), -1) { // a refusal may offer commands
			if !ran[m[1]] {
				lines = append(lines, [2]string{where, m[1]})
			}
			ran[m[1]] = true
		}
	}
	if len(lines) < 120 {
		t.Errorf("only %d examples found", len(lines))
	}
	for _, l := range golden.Sample(lines, 8) {
		piped := strings.Split(l[1], " | yoyaku ") // the commands of a pipe
		args := words(piped[0])
		if len(piped) > 1 {
			first, errs, code := yoyaku(t, dir, args...)
			if code != 0 {
				t.Errorf("%s: yoyaku %s: exit %d\n%s", l[0], piped[0], code, errs)
			}
			write(t, filepath.Join(dir, "piped.csv"), first)
			args = words(strings.Replace(piped[1], " - ", " piped.csv ", 1))
		}
		if args[0] == "help" || args[0] == "completion" || args[0] == "publish" { // which TestPublishWalk runs
			continue
		}
		if _, errs, code := yoyaku(t, dir, args...); code != 0 && !(args[0] == "demo" && code == 2) {
			t.Errorf("%s: yoyaku %s: exit %d\n%s", l[0], l[1], code, errs)
		}
	}
}

// words splits a line as a shell does, double quotes and a comment included.
func words(s string) (args []string) {
	s, _, _ = strings.Cut(s, "   #")
	for _, m := range regexp.MustCompile(`"([^"]*)"|(\S+)`).FindAllStringSubmatch(s, -1) {
		args = append(args, m[1]+m[2])
	}
	return args
}

func TestHelp(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	out, _, code := yoyaku(t, dir, "help", "phrases")
	if code != 0 || !strings.Contains(out, "monthly on 15, last then roll preceding") {
		t.Errorf("help phrases: %d %s", code, out)
	}
	for i, l := range strings.Split(out, "\n") {
		if len(l) > 88 {
			t.Errorf("help phrases, line %d has %d characters", i+1, len(l))
		}
	}
	for args, want := range map[string]string{"help jobs lease": "    gives 90 days before the end, on a working day", "help receivables": "Aging of overdue invoices", "help due": "Usage:\n  yoyaku due", "help": "A plan\n  new "} {
		if out, errs, code := yoyaku(t, dir, strings.Fields(args)...); code != 0 || !strings.Contains(out, want) {
			t.Errorf("%s: %d %s%s", args, code, out, errs)
		}
	}
	for args, want := range map[string]string{"invoice": "for Invoice due dates, end of month plus 30 days:\n  yoyaku derive", "dattes": "did you mean `yoyaku dates`?", "help qwert": "`yoyaku help jobs` the jobs"} {
		if _, errs, code := yoyaku(t, dir, strings.Fields(args)...); code != 2 || !strings.Contains(errs, want) {
			t.Errorf("%s: %d %s", args, code, errs)
		}
	}
	// Every rule and step on the page is what the language takes.
	for _, l := range strings.Split(out, "\n") {
		f := regexp.MustCompile(`\s{3,}`).Split(strings.TrimSpace(l), -1)
		if len(f) == 2 && regexp.MustCompile(`^\d{4}-`).MatchString(f[0]) && !strings.Contains(f[1], ".") && len(f[1]) == 10 {
			if got, errs, _ := yoyaku(t, dir, "value", f[0]); strings.TrimSpace(got) != f[1] {
				t.Errorf("%s gives %s%s, the page says %s", f[0], got, errs, f[1])
			}
		}
		if regexp.MustCompile(`^  (monthly|fortnightly|every|yearly|weekly|fiscal-monthly) .*(then|from|on 5th)`).MatchString(l) {
			if _, errs, code := yoyaku(t, dir, "dates", strings.TrimSpace(l)); code != 0 {
				t.Errorf("%s: %s", l, errs)
			}
		}
	}
	if out, _, code := yoyaku(t, dir, "--version"); code != 0 || !strings.HasPrefix(out, "yoyaku ") || len(out) < 9 {
		t.Errorf("--version: %q", out)
	}
}
