//go:build !windows

// Command bench makes a table and times whole commands on it beside a bare copy
// by encoding/csv, in turn, and prints ratios.
package main

import (
	"bufio"
	"encoding/csv"
	"flag"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"syscall"
	"time"
)

func main() {
	n := flag.Int("rows", 1_000_000, "rows of the table")
	runs := flag.Int("runs", 3, "runs of each command")
	program := flag.String("program", "bin/yoyaku", "the program")
	copyFrom := flag.String("copy", "", "copy this file by encoding/csv and end")
	flag.Parse()
	if *copyFrom != "" {
		check(bareCopy(*copyFrom, flag.Arg(0)))
		return
	}
	dir, err := os.MkdirTemp("", "yoyaku-bench")
	check(err)
	defer os.RemoveAll(dir)
	table, out := filepath.Join(dir, "table.csv"), filepath.Join(dir, "out.csv")
	check(makeTable(table, *n))
	check(os.WriteFile(filepath.Join(dir, "cal.yaml"), []byte("closed: sat, sun\nholidays:\n  - {name: New Year, day: yearly on 1 jan then roll following}\n"), 0o644))
	self, err := os.Executable()
	check(err)
	derive := []string{*program, "derive", table, "--calendar", filepath.Join(dir, "cal.yaml"), "--out", out,
		"--add", "ends = start, +12 months", "--add", "month_end = start, end of month", "--add", "paid = month_end, roll preceding",
		"--add", "length = days from start to ends", "--add", "worked = working days from start to ends"}
	bare := []string{self, "-copy", table, out}
	python, _ := exec.LookPath("python3")
	script := filepath.Join(dir, "plain.py")
	check(os.WriteFile(script, []byte(plainScript), 0o644))
	info, err := os.Stat(table)
	check(err)
	fmt.Printf("%d rows of %d MB, CSV to CSV, the middle of %d runs in turn\n", *n, info.Size()>>20, *runs)
	var a, b, c []float64
	var ratio []float64
	var memory int64
	for range *runs {
		tb, _ := timed(bare)
		td, m := timed(derive)
		if python != "" {
			tc, _ := timed([]string{python, script, table, out})
			c = append(c, td/tc)
		}
		a, b, ratio, memory = append(a, td), append(b, tb), append(ratio, td/tb), max(memory, m)
	}
	fmt.Printf("bare encoding/csv copy           %.2f s\n", middle(b))
	fmt.Printf("derive, five columns             %.2f s, %.2f times the copy, peak %d MB\n", middle(a), middle(ratio), memory/1024)
	defer others(*program, dir, table, out, self, *runs)
	if python != "" {
		fmt.Printf("                                 %.2f of the time of a plain script in Python\n", middle(c))
	}
}

// others times the commands that ask questions of a table.
func others(program, dir, table, out, self string, runs int) {
	ranges := filepath.Join(dir, "ranges.csv")
	f, err := os.Create(ranges)
	check(err)
	fmt.Fprintln(f, "unit,head,since,until")
	for u := range 13 {
		for y := 2014; y < 2036; y++ {
			fmt.Fprintf(f, "Unit %d,Head %d,%d-01-01,%d-12-31\n", u, y, y, y)
		}
	}
	check(f.Close())
	plan := filepath.Join(dir, "plan.yaml")
	check(os.WriteFile(plan, []byte("plan: 1\nseries:\n  pay:\n    rule: monthly on 15, last then roll preceding\n    milestones: {cut: \"date, -5 working days\"}\n"), 0o644))
	bands := filepath.Join(dir, "bands.csv")
	check(os.WriteFile(bands, []byte("at_least,weeks\n0,2\n6,4\n12,6\n24,8\n"), 0o644))
	cells := filepath.Join(dir, "cells.csv")
	check(withPhrases(table, cells))
	for _, c := range []struct {
		name string
		args []string
	}{
		{"terms that renew, with notice", []string{"derive", table, "--add", "e = start, lasting term months renewing every 6 months noticed (-3 months, roll preceding) on or after 2027-04-20"}},
		{"a series by its milestone", []string{"derive", table, "--plan", plan, "--add", "e = start, pay by cut on or after"}},
		{"steps in cells, ten texts", []string{"derive", cells, "--add", "e = start, steps in terms"}},
		{"rules in cells, ten texts", []string{"spread", cells, "--dates", "rule in rule", "--window", "2027-01"}},
		{"match by a number", []string{"match", table, bands, "--value", "term", "--start", "at_least"}},
		{"match by key alone", []string{"match", table, bands, "--key", "term=at_least"}},
		{"due --within", []string{"due", table, "--date", "start", "--within", "30 days", "--upcoming", "--as-of", "2030-01-01"}},
		{"due, all rows", []string{"due", table, "--date", "start"}},
		{"spread --by month", []string{"spread", table, "--start", "start", "--end", "start, lasting term weeks", "--by", "month"}},
		{"match", []string{"match", table, ranges, "--key", "unit", "--date", "start", "--start", "since", "--end", "until"}},
		{"tally", []string{"tally", table, "--rows", "unit", "--cols", "year of start"}},
		{"grid", []string{"grid", table, "--name", "unit", "--start", "start", "--end", "start, lasting term weeks", "--window", "2027-06"}},
	} {
		var took, ratio []float64
		var memory int64
		size := int64(0)
		for range runs {
			tb, _ := timed([]string{self, "-copy", table, out})
			t, m := timed(append(append([]string{program}, c.args...), "--out", out))
			took, ratio, memory = append(took, t), append(ratio, t/tb), max(memory, m)
			if info, err := os.Stat(out); err == nil {
				size = info.Size()
			}
		}
		fmt.Printf("%-32s %.2f s, %.2f times the copy, peak %d MB, writes %d MB\n", c.name, middle(took), middle(ratio), memory/1024, size>>20)
	}
}

// withPhrases copies the table with a column of steps and one of rules, ten of each.
func withPhrases(from, to string) error {
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close()
	out, err := os.Create(to)
	if err != nil {
		return err
	}
	w := bufio.NewWriter(out)
	lines := bufio.NewScanner(in)
	for n := -1; lines.Scan(); n++ {
		if n < 0 {
			fmt.Fprintf(w, "%s,terms,rule\n", lines.Text())
		} else {
			fmt.Fprintf(w, "%s,\"end of month, +%d days\",monthly on %d\n", lines.Text(), n%10+1, n%10+1)
		}
	}
	if err := w.Flush(); err != nil {
		return err
	}
	return out.Close()
}

// plainScript does what derive does, as one would write it by hand.
const plainScript = `import csv, sys, calendar
from datetime import date, timedelta
def months(d, n):
    m = d.month - 1 + n
    y, m = d.year + m // 12, m % 12 + 1
    return date(y, m, min(d.day, calendar.monthrange(y, m)[1]))
def worked(a, b):
    full, rest = divmod((b - a).days, 7)
    return full * 5 + sum(1 for i in range(1, rest + 1) if (a + timedelta(i)).weekday() < 5)
with open(sys.argv[1], newline='') as f, open(sys.argv[2], 'w', newline='') as g:
    r, w = csv.reader(f), csv.writer(g, lineterminator='\n')
    w.writerow(next(r) + ['ends', 'month_end', 'paid', 'length', 'worked'])
    for row in r:
        s = date.fromisoformat(row[3])
        ends = months(s, 12)
        me = date(s.year, s.month, calendar.monthrange(s.year, s.month)[1])
        paid = me
        while paid.weekday() > 4:
            paid -= timedelta(1)
        w.writerow(row + [ends, me, paid, (ends - s).days, worked(s, ends)])
`

func check(err error) {
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func middle(list []float64) float64 { slices.Sort(list); return list[len(list)/2] }

// timed runs a command and returns its seconds and peak memory in KB.
func timed(args []string) (float64, int64) {
	cmd := exec.Command(args[0], args[1:]...)
	cmd.Stderr = os.Stderr
	start := time.Now()
	check(cmd.Run())
	took := time.Since(start).Seconds()
	if u, ok := cmd.ProcessState.SysUsage().(*syscall.Rusage); ok {
		return took, u.Maxrss
	}
	return took, 0
}

func makeTable(path string, n int) error {
	f, err := os.Create(path)
	if err != nil {
		return err
	}
	w := bufio.NewWriter(f)
	fmt.Fprintln(w, "id,person,unit,start,term,note")
	day := time.Date(2015, 1, 1, 0, 0, 0, 0, time.UTC)
	for i := range n {
		note := ""
		if i%7 == 0 {
			note = `"said ""yes"", then no"`
		}
		fmt.Fprintf(w, "%d,Person %d,Unit %d,%s,%d,%s\n", i, i%977, i%13, day.AddDate(0, 0, i*37%7300).Format("2006-01-02"), i%36+1, note)
	}
	if err := w.Flush(); err != nil {
		return err
	}
	return f.Close()
}

func bareCopy(from, to string) error {
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close()
	out, err := os.Create(to)
	if err != nil {
		return err
	}
	r, w := csv.NewReader(bufio.NewReaderSize(in, 1<<20)), csv.NewWriter(bufio.NewWriterSize(out, 1<<20))
	r.ReuseRecord = true
	for {
		rec, err := r.Read()
		if err == io.EOF {
			break
		}
		if err != nil {
			return err
		}
		if err := w.Write(rec); err != nil {
			return err
		}
	}
	w.Flush()
	return out.Close()
}
