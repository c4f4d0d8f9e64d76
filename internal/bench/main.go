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
	runs := flag.Int("runs", 5, "pairs of a command and the bare copy")
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
	b := bench{program: *program, runs: *runs, table: filepath.Join(dir, "table.csv"), out: filepath.Join(dir, "out.csv")}
	b.self, err = os.Executable()
	check(err)
	check(makeTable(b.table, *n))
	info, err := os.Stat(b.table)
	check(err)
	b.size = info.Size()
	fmt.Printf("%d rows of %d MB, CSV to CSV, beside a bare encoding/csv copy, %d pairs in turn\n", *n, b.size>>20, b.runs)
	fmt.Printf("%-32s %-16s %-16s %7s %8s %8s\n", "", "clock / copy", "CPU / copy", "budget", "memory", "writes")
	fmt.Printf("%-32s %-16s %s\n", "", " min  mid  max", " min  mid  max")
	for _, w := range works(dir, b.table) {
		b.time(w)
	}
	fmt.Printf("the copy itself: %s s by the clock\n", spread(b.copies))
}

// bench times commands on a table.
type bench struct {
	program, self, table, out string
	size                      int64 // of the table
	runs                      int
	copies                    []float64 // seconds of all bare copies
}

// work is a command, with its budget in times of the bare copy: of the table, or of what
// it writes; 0 for none.
type work struct {
	name   string
	args   []string
	budget float64
	writes bool
}

// time runs a command and the bare copy in turn, and prints the ratios.
func (b *bench) time(w work) {
	args := append(append([]string{b.program}, w.args...), "--out", b.out)
	if w.args == nil { // a script
		args = []string{"python3", w.name, b.table, b.out}
		if _, err := exec.LookPath(args[0]); err != nil {
			return
		}
		w.name = "derive, as a plain Python script"
	}
	var clock, cpu []float64
	var memory, size int64
	for range b.runs {
		bare := timed([]string{b.self, "-copy", b.table, b.out})
		t := timed(args)
		b.copies = append(b.copies, bare.clock)
		clock, cpu, memory = append(clock, t.clock/bare.clock), append(cpu, t.cpu/bare.cpu), max(memory, t.memory)
		info, err := os.Stat(b.out)
		check(err)
		size = info.Size()
	}
	budget := ""
	if w.writes {
		w.budget = float64(size) / float64(b.size)
	}
	if w.budget > 0 {
		budget = fmt.Sprintf("%.2f", w.budget)
	}
	fmt.Printf("%-32s %-16s %-16s %7s %5d MB %5d MB\n", w.name, spread(clock), spread(cpu), budget, memory>>10, size>>20)
}

// works are what is timed; what they need is written into dir.
func works(dir, table string) []work {
	write := func(name, text string) string {
		path := filepath.Join(dir, name)
		check(os.WriteFile(path, []byte(text), 0o644))
		return path
	}
	ranges := "unit,head,since,until\n"
	for u := range 13 {
		for y := 2014; y < 2036; y++ {
			ranges += fmt.Sprintf("Unit %d,Head %d,%d-01-01,%d-12-31\n", u, y, y, y)
		}
	}
	held := write("ranges.csv", ranges)
	plan := write("plan.yaml", "plan: 1\nseries:\n  pay:\n    rule: monthly on 15, last then roll preceding\n    milestones: {cut: \"date, -5 working days\"}\n")
	bands := write("bands.csv", "at_least,weeks\n0,2\n6,4\n12,6\n24,8\n")
	calendar := write("cal.yaml", "closed: sat, sun\nholidays:\n  - {name: New Year, day: yearly on 1 jan then roll following}\n")
	cells := filepath.Join(dir, "cells.csv")
	check(withPhrases(table, cells))
	return []work{
		{"derive, five columns", []string{"derive", table, "--calendar", calendar,
			"--add", "ends = start, +12 months", "--add", "month_end = start, end of month", "--add", "paid = month_end, roll preceding",
			"--add", "length = days from start to ends", "--add", "worked = working days from start to ends"}, 0.55, false},
		{write("plain.py", plainScript), nil, 0, false},
		{"terms that renew, with notice", []string{"derive", table, "--add", "e = start, lasting term months renewing every 6 months noticed (-3 months, roll preceding) on or after 2027-04-20"}, 0, false},
		{"a series by its milestone", []string{"derive", table, "--plan", plan, "--add", "e = start, pay by cut on or after"}, 0, false},
		{"steps in cells, ten texts", []string{"derive", cells, "--add", "e = start, steps in terms"}, 0, false},
		{"rules in cells, ten texts", []string{"spread", cells, "--dates", "rule in rule", "--window", "2027-01"}, 0, false},
		{"match by a number", []string{"match", table, bands, "--value", "term", "--start", "at_least"}, 1.5, false},
		{"match by key alone", []string{"match", table, bands, "--key", "term=at_least"}, 1.5, false},
		{"match", []string{"match", table, held, "--key", "unit", "--date", "start", "--start", "since", "--end", "until"}, 1.5, false},
		{"due --within", []string{"due", table, "--date", "start", "--within", "30 days", "--upcoming", "--as-of", "2030-01-01"}, 1, false},
		{"due, all rows", []string{"due", table, "--date", "start"}, 2.5, false},
		{"spread --by month", []string{"spread", table, "--start", "start", "--end", "start, lasting term weeks", "--by", "month"}, 0, true},
		{"tally", []string{"tally", table, "--rows", "unit", "--cols", "year of start"}, 1, false},
		{"grid", []string{"grid", table, "--name", "unit", "--start", "start", "--end", "start, lasting term weeks", "--window", "2027-06"}, 1, false},
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

// spread is the least, the middle and the greatest.
func spread(list []float64) string {
	slices.Sort(list)
	return fmt.Sprintf("%.2f %.2f %.2f", list[0], list[len(list)/2], list[len(list)-1])
}

// cost is what a command took: seconds, and its peak memory in KB.
type cost struct {
	clock, cpu float64
	memory     int64
}

// timed runs a command; what it says is shown where it fails.
func timed(args []string) (c cost) {
	cmd := exec.Command(args[0], args[1:]...)
	start := time.Now()
	if said, err := cmd.CombinedOutput(); err != nil {
		check(fmt.Errorf("%s: %w\n%s", args[0], err, said))
	}
	c.clock = time.Since(start).Seconds()
	c.cpu = (cmd.ProcessState.UserTime() + cmd.ProcessState.SystemTime()).Seconds()
	if u, ok := cmd.ProcessState.SysUsage().(*syscall.Rusage); ok {
		c.memory = u.Maxrss
	}
	return c
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
