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

	"yoyaku/internal/golden"
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
	for _, c := range golden.Sample(golden.Cases(t, "testdata/badinput.cases", 2), 8) {
		out, errs, code := yoyaku(t, dir, strings.Split(c[0], "|")...)
		if code != 2 || out != "" || !strings.Contains(errs, c[1]) || strings.Contains(errs, "goroutine") {
			t.Errorf("%s: exit %d, %q, want %q", c[0], code, errs, c[1])
		}
	}
	bad := filepath.Join(dir, "bad.yaml")
	for _, c := range golden.Sample([]struct{ old, new, want string }{
		{"monthly on 2nd tue", "monthly on 2nd teu", "bad.yaml:100:11: expected"},
		{"window: 2027..2028\n", "", "the series `crew-pay` has no end"},
		{"make: tally, rows: unit", "make: tally, rows: unti", "did you mean `unit`?"},
		{"      ends: start, lasting term months", "      ends: start, lasting trem months", "did you mean `term`?"},
		{"file: crew-pay.csv, of: crew-pay", "file: holidays/extra.csv, of: crew-pay", "is both read and written by this command"},
	}, 2) {
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
	if _, errs, code := yoyaku(t, dir, "run"); code != 2 || !strings.Contains(errs, "extra.csv:1: column `date`: its dates can be read as dmy or as mdy, which are different days. Add `read-dates: dmy` beside the file") {
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
func TestOutputs_neverReplaceInputs(t *testing.T) {
	t.Parallel()
	dir := demo(t)
	for _, c := range golden.Sample([][2]string{{"check", "crew-contracts.csv"}, {"check", "holidays/extra.csv"}, {"ahead", "released.csv"}, {"wall --window 2027-01", "close-tasks.csv"},
		{"dates crew-pay --window 2027-01", "released.csv"}, {"holidays isles", "holidays/extra.csv"}, {"value today", "absences.csv"}, {"why crew-pay 2027-03-15", "yoyaku.yaml"},
		{"compare", "agenda.csv"}, {"compare skerry.ics agenda.csv", "agenda.csv"}, {"compare yoyaku.yaml agenda.csv", "released.csv"}, {"read skerry.ics", "skerry.ics"}, {"dates safety-drill --window 2027 --as ics --follows skerry.ics", "skerry.ics"}, {"run", "absences.csv"},
		{"release --through 2027-12-31 --by x", "released.csv"}, {"publish --to http://127.0.0.1:9/", "absences.csv"}, {"derive absences.csv --add x=first", "absences.csv"}}, 6) {
		file := filepath.Join(dir, c[1])
		before := read(t, file)
		args := strings.Fields(c[0])
		if !slices.Contains([]string{"value", "run", "wall"}, args[0]) && !slices.Contains(args, "--as") { // which write no such file
			if _, errs, code := yoyaku(t, dir, append(args, "--as", "csv", "--out", c[1])...); code != 2 || !strings.Contains(errs, c[1]+" is both read and written by this command") || read(t, file) != before {
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
func TestSystemFailures_keepOldFiles(t *testing.T) {
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
	for _, signal := range golden.Sample([]os.Signal{os.Interrupt, syscall.SIGTERM, syscall.SIGHUP}, 3) {
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
