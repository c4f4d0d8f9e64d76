package cli_test

import (
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"syscall"
	"testing"
	"time"
)

// Wrong words and wrong files: one clear message, the exit code, nothing lost.
func TestBadInput(t *testing.T) {
	t.Parallel()
	dir := demo(t)
	good := read(t, filepath.Join(dir, "yoyaku.yaml"))
	crew := read(t, filepath.Join(dir, "crew-pay.csv"))
	write(t, filepath.Join(dir, "overlap.csv"), "who,a,b\nx,2027-01-01,2027-01-10\nx,2027-01-10,2027-01-12\n")
	write(t, filepath.Join(dir, "empty.csv"), "")
	for name, lines := range map[string]string{"endless": "DTSTART:20270101\nRRULE:FREQ=DAILY", "nowhere": "DTSTART;TZID=Nowhere/Isle:20270101T090000", "broken": "DTSTART:2027"} {
		write(t, filepath.Join(dir, name+".ics"), "BEGIN:VCALENDAR\nBEGIN:VEVENT\n"+lines+"\nEND:VEVENT\nEND:VCALENDAR\n")
	}
	for _, c := range []struct{ args, want string }{
		{"read|crew-pay.csv", "crew-pay.csv:1: this is not an iCalendar file"},
		{"read|endless.ics", "endless.ics:2: this event recurs without an end: a window says how much of it to list: --window 2027"},
		{"read|endless.ics|--zone|Atlantic/Fareo", "did you mean Atlantic/Faroe?"},
		{"read|nowhere.ics|--strict", `nowhere.ics:3: the time zone "Nowhere/Isle" is neither an IANA name nor a Windows one`},
		{"read|broken.ics|--strict", "broken.ics:3: not a date or a time"},
		{"read|none.ics", "none.ics"},
		{"dates|monthly on last working day|--window|2027|--as|ics|--rrule", "--rrule: `monthly on last working day` can't be one recurring event: RFC 5545 can't say its rule, because it counts working days"},
		{"dates|crew-pay|--as|ics|--rrule", "its summary differs by date"},
		{"dates|monthly on 1|--todo|--rrule|--as|ics", "a to-do doesn't recur"},
		{"dates|monthly on 1|--todo", "--todo: this is for calendar events"},
		{"wall|crew-pya", "did you mean `crew-pay`?"},
		{"wall|--window|2027..2029", "--window: a wall has at most 24 months, and this has 36"},
		{"wall|--as|csv", "this command writes table, html"},
		{"dates|weekly on fryday", "fryday\n            ^^^^^^"},
		{"dates|monthly on 1|--count|-3", "--count is a whole number, 1 or more, not \"-3\""},
		{"dates|monthly on 15|--calendar|isle", "unknown calendar `isle`; did you mean `isles`?"},
		{"dates|monthly on 15 then roll preceding using bnak", "did you mean `bank`?"},
		{"dates|monthly on 15|--window|2027-06..2027-03", "ends before it starts"},
		{"dates|monthly on 15|--window|2027-13", "not a stretch of time"},
		{"dates|monthly on 15 until 2027-01-01 from 2028-01-01", "ends before it starts"},
		{"dates|monthly on 15 from start", "unknown name `start`"},
		{"dates", "needs a rule"},
		{"dates|monthly on 15|--count|0", "--count is a whole number, 1 or more"},
		{"dates|monthly on 15|--as|pdf", "unknown format"},
		{"days|0001..9999|--as|table", "narrow the window"},
		{"dates|monthly on 15|--show-dates|%Q", "--show-dates"},
		{"dates|monthly on 15|--plan|none.yaml", "none.yaml: there is no such file"},
		{"dates|monthly on 15|--as-of|03/04/2027", "--as-of is a date such as"},
		{"dates|monthly on 15|--out|yoyaku.yaml|--as|csv", "can't be its output too"},
		{"dates|monthly on 15|--out|holidays/extra.csv|--calendar|isles", "can't be its output too"},
		{"dates|monthly on 15|--out|no/such/folder/a.csv", "there is no folder no/such/folder to write it into"},
		{"value|monthly on 15", "one answer"},
		{"value|today, +9000 years", "outside the years"},
		{"value|today|--base|31.3.2027", "--base"},
		{"why|crwe-pay|2027-01-01", "did you mean `crew-pay`?"},
		{"why|crew-pay|someday", "unknown name"},
		{"days|2027-13", "not a stretch of time"},
		{"dates|monthly on 15|--counts|week", "--counts is year, not"},
		{"dates|monthly on 15|--counts|year", "has no end"},
		{"dates|rrule FREQ=DALY", "FREQ=DALY\n        ^^^^^^^^^"},
		{"derive|crew-contracts.csv|--add|ends = strat, +1 month", "did you mean `start`?"},
		{"derive|crew-contracts.csv|--add|unit = start, +1 month", "there already is a column `unit`"},
		{"derive|crew-contracts.csv|--add|x = person, +1 month", "10 cells are wrong\n  line 2, `person`: a date is wanted here, and this is \"Ansa Fenwick-Gull\""},
		{"derive|berth-leases.csv|--add|x = days from begins to today", "the dates of `begins` read as dmy: --read-dates \"begins=dmy\""},
		{"derive|invoices.csv|--add|x = amount / (amount - amount)", "division by zero"},
		{"derive|invoices.csv|--add|x = invoiced, +amount months", "whole number is wanted here, and this is \"1280.50\""},
		{"derive|invoices.csv|--add|x = invoiced, +9000 years", "outside the years"},
		{"derive|invoices.csv|--add|x = today + 3", "a step needs a unit"},
		{"derive|invoices.csv|--add|invoiced, +3 days", "expected NAME = PHRASE"},
		{"derive|invoices.csv|--out|invoices.csv", "can't be its output too"},
		{"derive|invoices.csv|--where|amuont > 3", "did you mean `amount`?"},
		{"derive|invoices.csv|--columns|invoice,amuont", "did you mean `amount`?"},
		{"derive|invoices.csv|--read-dates|invoiced=dym", "did you mean dmy?"},
		{"derive|invoices.csv|--bad-rows|skip", "stop, blank or aside=FILE"},
		{"derive|invoices.csv|--as|ics", "--event-day is needed"},
		{"derive|none.csv|--add|x = today", "no such file"},
		{"derive|holidays|--add|x = today", "is a folder"},
		{"due|crew-contracts.csv", "--date is needed"},
		{"due|crew-contracts.csv|--date|person", "a date is wanted here, and this is \"Ansa Fenwick-Gull\""},
		{"due|crew-contracts.csv|--date|start, lasting person months", "whole number is wanted"},
		{"due|crew-contracts.csv|--date|start|--bands|30,20", "rising numbers"},
		{"due|crew-contracts.csv|--date|start|--within|soon", "--within is a stretch"},
		{"spread|absences.csv|--start|first|--end|last", "a date is wanted here, and this is \"present\""},
		{"spread|absences.csv|--start|last|--end|first|--open-words|present|--where|kind = 'leave'", "before it starts"},
		{"spread|absences.csv|--start|first|--end|last|--open-words|present|--by|mnth", "did you mean `month`?"},
		{"spread|overlap.csv|--start|a|--end|b|--per|who", "two ranges of \"x\" overlap"},
		{"spread|crew-contracts.csv|--dates|monthly on 1 from start", "has no end"},
		{"match|incidents.csv|overlap.csv|--key|harbour=who|--date|day|--start|a|--end|b|--several|some", "stop, first or all"},
		{"match|incidents.csv|harbour-masters.csv|--key|port|--date|day|--start|since|--end|until|--open-words|present", "unknown column `port`"},
		{"tally|crew-contracts.csv|--rows|unti", "did you mean `unit`?"},
		{"tally|crew-contracts.csv|--rows|unit|--sum|person", "a number is wanted here"},
		{"tally|empty.csv|--rows|a", "the table is empty"},
		{"grid|absences.csv|--name|person|--start|first|--end|last|--window|2020..2027|--open-words|present", "at most 400 days"},
		{"between|2027-01-01", "two dates"},
		{"holidays|ilses", "did you mean `isles`?"},
		{"run|--series|crew-pya", "did you mean `crew-pay`?"},
		{"run|--window|2028..2027", "ends before it starts"},
		{"rnu", "unknown command"},
		{"run|--windw|2027", "unknown flag"},
	} {
		out, errs, code := yoyaku(t, dir, strings.Split(c.args, "|")...)
		if code != 2 || out != "" || !strings.Contains(errs, c.want) || strings.Contains(errs, "goroutine") {
			t.Errorf("%s: exit %d, %q, want %q", c.args, code, errs, c.want)
		}
	}
	bad := filepath.Join(dir, "bad.yaml")
	for _, c := range []struct{ old, new, want string }{
		{"monthly on 2nd tue", "monthly on 2nd teu", "bad.yaml:98:11: expected"},
		{"window: 2027..2028\n", "", "the series `crew-pay` has no end"},
		{"make: tally, rows: unit", "make: tally, rows: unti", "did you mean `unit`?"},
		{"      ends: start, lasting term months", "      ends: start, lasting trem months", "did you mean `term`?"},
		{"file: crew-pay.csv, of: crew-pay", "file: holidays/extra.csv, of: crew-pay", "can't be its output too"},
	} {
		write(t, bad, strings.Replace(good, c.old, c.new, 1))
		out, errs, code := yoyaku(t, dir, "run", "bad.yaml")
		if code != 2 || out != "" || !strings.Contains(errs, c.want) || strings.Count(errs, "\n") > 4 {
			t.Errorf("%q: exit %d, %q, want %q", c.new, code, errs, c.want)
		}
	}
	write(t, filepath.Join(dir, "cells.csv"), "a,b\n2027-01-01,x\n03/04/2027,y\nz,w\n")
	out, errs, code := yoyaku(t, dir, "derive", "cells.csv", "--add", "c = a, +1 day", "--bad-rows", "aside=aside.csv")
	if out != "a,b,c\n2027-01-01,x,2027-01-02\n" || code != 0 || !strings.Contains(errs, "2 cells are wrong") {
		t.Errorf("rows put aside: %d %q %q", code, out, errs)
	}
	if got := read(t, filepath.Join(dir, "aside.csv")); !strings.HasPrefix(got, "a,b,reason\n03/04/2027,y,") || strings.Count(got, "\n") != 3 {
		t.Errorf("aside.csv: %s", got)
	}
	write(t, filepath.Join(dir, "holidays", "extra.csv"), "date,name\n2027-06-07,Jubilee\n7/6/2027,Jubilee\n")
	if _, errs, code := yoyaku(t, dir, "run"); code != 2 || !strings.Contains(errs, "extra.csv:3: column `date`: not a date: \"7/6/2027\"") {
		t.Errorf("a bad date in the holiday list: %d %s", code, errs)
	}
	if read(t, filepath.Join(dir, "crew-pay.csv")) != crew {
		t.Error("a failed run changed an older output")
	}
	if left, _ := filepath.Glob(filepath.Join(dir, "*", ".*.part")); len(left) > 0 {
		t.Errorf("left behind: %v", left)
	}
}

// No output comes in the place of what the command reads, or what its plan is made of.
func TestInputsStay(t *testing.T) {
	t.Parallel()
	dir := demo(t)
	for _, c := range [][2]string{{"check", "crew-contracts.csv"}, {"check", "holidays/extra.csv"}, {"ahead", "released.csv"}, {"wall --window 2027-01", "close-tasks.csv"},
		{"dates crew-pay --window 2027-01", "released.csv"}, {"holidays isles", "holidays/extra.csv"}, {"value today", "absences.csv"}, {"why crew-pay 2027-03-15", "yoyaku.yaml"},
		{"compare", "agenda.csv"}, {"compare skerry.ics agenda.csv", "agenda.csv"}, {"compare yoyaku.yaml agenda.csv", "released.csv"}, {"read skerry.ics", "skerry.ics"}, {"dates safety-drill --window 2027 --as ics --follows skerry.ics", "skerry.ics"}, {"run", "absences.csv"},
		{"release --through 2027-12-31 --by x", "released.csv"}, {"publish --to http://127.0.0.1:9/", "absences.csv"}, {"derive absences.csv --add x=first", "absences.csv"}} {
		file := filepath.Join(dir, c[1])
		before := read(t, file)
		args := strings.Fields(c[0])
		if !slices.Contains([]string{"value", "run", "wall"}, args[0]) && !slices.Contains(args, "--as") { // which write no such file
			if _, errs, code := yoyaku(t, dir, append(args, "--as", "csv", "--out", c[1])...); code != 2 || !strings.Contains(errs, c[1]+" is read by this command") || read(t, file) != before {
				t.Errorf("%s --out %s: %d %s", c[0], c[1], code, errs)
			}
		}
		to, err := os.OpenFile(file, os.O_APPEND|os.O_WRONLY, 0)
		if err != nil {
			t.Fatal(err)
		}
		cmd := exec.Command(program, args...)
		cmd.Dir, cmd.Stdout = dir, to
		if err := cmd.Run(); args[0] != "publish" && (err == nil || cmd.ProcessState.ExitCode() != 2) || read(t, file) != before {
			t.Errorf("%s >>%s: %v", c[0], c[1], err)
		}
		to.Close()
	}
}

// A full disk, an interrupt and a closed pipe leave old files whole.
func TestMachine(t *testing.T) {
	if runtime.GOOS != "linux" {
		t.Skip("signals and devices as Linux has them")
	}
	dir := t.TempDir()
	long := []string{"dates", "daily", "--window", "0001..9999"}
	shell := func(script string) (string, int) {
		cmd := exec.Command("sh", "-c", script)
		cmd.Dir = dir
		out, _ := cmd.CombinedOutput()
		return string(out), cmd.ProcessState.ExitCode()
	}
	if out, code := shell(program + " dates daily --window 2027 > /dev/full"); code != 3 || !strings.Contains(out, "no space left") {
		t.Errorf("a full disk: %d %s", code, out)
	}
	if out, code := shell("ulimit -f 64; trap '' XFSZ; echo old > a.csv; " + program + " dates daily --window 0001..9999 --out a.csv; echo $? >code; cat a.csv"); out[strings.LastIndexByte(strings.TrimSpace(out), '\n')+1:] != "old\n" || code != 0 || read(t, filepath.Join(dir, "code")) != "3\n" {
		t.Errorf("a file that can't grow: %s", out)
	}
	if out, code := shell(program + " dates daily --window 0001..9999 | head -1; exit ${PIPESTATUS:-0}"); code != 0 || out != "date,weekday,nominal,reason,id\n" {
		t.Errorf("a closed pipe: %d %q", code, out)
	}
	old := filepath.Join(dir, "old.csv")
	write(t, old, "old\n")
	for color, want := range map[string]bool{"always": true, "auto": false, "never": false} {
		if out, _ := shell("NO_COLOR=1 TERM=dumb " + program + " dates 'monthly on 1' --window 2027 --as table --color " + color); strings.Contains(out, "\x1b[") != want {
			t.Errorf("--color %s where the environment is against it: %q", color, out)
		}
	}
	// What can't be made whole leaves nothing behind on standard output either.
	failing := program + " dates daily --window 2027..2100 --add 'd = 1 / (days from 2090-06-01 to date)' 2>/dev/null"
	for _, script := range []string{failing + " > part.csv; wc -c <part.csv", failing + " --as json | wc -c",
		"(ulimit -f 64; trap '' XFSZ; " + program + " dates daily --window 0001..9999 >part.csv 2>/dev/null); wc -c <part.csv"} {
		if out, _ := shell(script); out != "0\n" {
			t.Errorf("%s: %s", script, out)
		}
	}
	for _, signal := range []os.Signal{os.Interrupt, syscall.SIGTERM, syscall.SIGHUP} {
		cmd := exec.Command(program, append(long, "--out", old)...)
		out, err := os.Create(filepath.Join(dir, "part.csv"))
		if err != nil {
			t.Fatal(err)
		}
		begun := filepath.Join(dir, ".old.csv.*")
		if signal == os.Interrupt { // of one that goes to a file of the shell's
			cmd = exec.Command(program, long...)
			cmd.Stdout, begun = out, ""
		}
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		for range 1000 { // until the file is being written
			info, _ := out.Stat()
			if parts, _ := filepath.Glob(begun); len(parts) > 0 || info.Size() > 0 {
				break
			}
			time.Sleep(time.Millisecond)
		}
		_ = cmd.Process.Signal(signal)
		_ = cmd.Wait()
		parts, _ := filepath.Glob(filepath.Join(dir, ".*.part"))
		info, _ := out.Stat()
		if code := cmd.ProcessState.ExitCode(); code != 130 || read(t, old) != "old\n" || len(parts) > 0 || info.Size() > 0 {
			t.Errorf("%v: exit %d, left %v and %d bytes", signal, code, parts, info.Size())
		}
		out.Close()
	}
}
