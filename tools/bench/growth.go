//go:build !windows

package main

import (
	"fmt"
	"path/filepath"
	"strings"
)

// growth prints how cost grows: with rows, holidays, series and years.
func (o *workspace) growth(b *bench) {
	calendar := o.calendar("cal.yaml", 1, true)
	var list []task
	for n := 10_000; n <= 10*o.rows; n *= 10 {
		of := *o
		of.table = filepath.Join(o.dir, fmt.Sprintf("grown-%d.csv", n))
		makeTable(of.table, n)
		list = append(list,
			of.copied(fmt.Sprintf("derive, %d rows", n), 0, append([]string{"derive", of.table, "--calendar", calendar},
				fiveColumns...)...),
			of.copied(fmt.Sprintf("due, %d rows", n), 0, "due", of.table, "--date", "start"),
			of.copied(fmt.Sprintf("tally, %d rows", n), 0, "tally", of.table, "--rows", "unit", "--cols", "year of start"))
	}
	b.group("how cost grows with rows, beside a bare copy of as many", list)

	list = nil
	start := func(name string, args ...string) {
		list = append(list, task{name: name, args: args, baseline: []string{"nothing"}})
	}
	for n := 1; n <= 1000; n *= 10 {
		start(fmt.Sprintf("days, %d holidays by rules", n), "days", "2027", "--calendar",
			o.calendar(fmt.Sprintf("r%d.yaml", n), n, true), "--out", o.out)
	}
	for n := 1; n <= 1000; n *= 10 {
		plan, names := "plan: 1\nwindow: 2027\nseries:\n", make([]string, n)
		for i := range n {
			names[i] = fmt.Sprintf("s%d", i)
			plan += fmt.Sprintf("  s%d: {rule: \"monthly on %d, last then roll preceding\"}\n", i, i%27+1)
		}
		plan += "outputs:\n  - {file: agenda.csv, of: [" + strings.Join(names, ", ") + "]}\n"
		start(fmt.Sprintf("run, %d series", n), "run", o.planIn(filepath.Join(o.dir, fmt.Sprintf("of%d", n)), plan))
	}
	for _, years := range []string{"2027", "2027..2036", "2027..2126", "2027..3026"} {
		start("dates of "+years, "dates", "monthly on 15, last then roll preceding", "--window", years, "--out", o.out)
	}
	b.group("how cost grows with holidays, series and years, beside a program that does nothing", list)
}
