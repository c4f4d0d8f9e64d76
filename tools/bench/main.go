//go:build !windows

// Command bench times the program, its core and what they are to be measured by, in turn
// and in one run, and prints ratios beside their budgets.
package main

import (
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
)

func main() {
	n := flag.Int("rows", 1_000_000, "rows of the table")
	pairs := flag.Int("pairs", 5, "pairs of a work and what it is measured by")
	program := flag.String("program", "bin/yoyaku", "the program")
	dir := flag.String("dir", "", "where the tables lie (default: in memory, where the system has such a folder)")
	only := flag.String("only", "", "only the works whose names match")
	check := flag.Bool("check", false, "end with 1 if a ratio is worse than its budget by half, or memory above its")
	growth := flag.Bool("growth", false, "print how cost grows, too")
	base := flag.String("base", "", "be the measure of this name, on the arguments, and end")
	flag.Parse()
	if *base != "" {
		must(baselines[*base](flag.Args()))
		return
	}
	if _, err := os.Stat("/dev/shm"); *dir == "" && err == nil {
		*dir = "/dev/shm"
	}
	folder, err := os.MkdirTemp(*dir, "yoyaku-bench")
	must(err)
	defer os.RemoveAll(folder)
	b := &bench{pairs: *pairs, only: regexp.MustCompile(*only), check: *check}
	b.program, err = filepath.Abs(*program)
	must(err)
	b.self, err = os.Executable()
	must(err)
	o := newOffice(folder, *n)
	fmt.Printf("%s\n%d pairs in turn, the tables in %s\n", machineText(), b.pairs, filepath.Dir(folder))
	b.group(fmt.Sprintf("%d rows of %d MB, CSV to CSV, beside a bare encoding/csv copy", *n, o.size>>20), o.tables(*check))
	b.group(fmt.Sprintf("%d rows as a workbook, beside the same copy", *n/5), o.workbooks(b.program))
	b.group("whole runs, beside the start of a program that does nothing", o.runs(b.program))
	b.group("dates of a rule as CSV, beside a program written for just that", o.dates())
	b.group("the core, beside a bare loop", core())
	if !*check && b.only.MatchString(publishes) {
		if s, ok := o.serve(); ok {
			b.group("a calendar server, beside bare requests", []task{o.publishing(s, b.program)})
			s.end()
		}
	}
	if *growth {
		o.growth(b)
	}
	if b.failed > 0 || *check && b.memoryExceeded > 0 {
		fmt.Printf("%d ratios are worse than their budgets by half, %d peaks of memory above theirs\n", b.failed, b.memoryExceeded)
		os.RemoveAll(folder)
		os.Exit(1)
	}
}

func must(err error) {
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}
