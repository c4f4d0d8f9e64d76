//go:build !windows

package main

import (
	"bufio"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"

	"yoyaku/internal/core/civil"
)

// workspace is the folder of made tables and plans.
type workspace struct {
	dir, table, out string
	rows            int
	size            int64 // of the table
}

func newOffice(dir string, rows int) *workspace {
	o := &workspace{dir: dir, table: filepath.Join(dir, "table.csv"), out: filepath.Join(dir, "out.csv"), rows: rows}
	o.size = makeTable(o.table, rows)
	return o
}

// write writes a file and returns its path.
func (o *workspace) write(name, text string) string {
	path := filepath.Join(o.dir, name)
	must(os.WriteFile(path, []byte(text), 0o644))
	return path
}

// runSelf runs this program as one of its bases.
func (o *workspace) runSelf(args ...string) {
	path, err := os.Executable()
	must(err)
	must(exec.Command(path, append([]string{"-base"}, args...)...).Run())
}

// copied is the bare copy of the table.
func (o *workspace) copied(name string, budget float64, args ...string) task {
	return task{name: name, args: append(args, "--out", o.out), baseline: []string{"copy", o.table, o.out},
		budget: budget, out: o.out}
}

// fiveColumns are the added columns of the budget of derive.
var fiveColumns = []string{"--add", "ends = start, +12 months", "--add", "month_end = start, end of month",
	"--add", "paid = month_end, roll preceding",
	"--add", "length = days from start to ends", "--add", "worked = working days from start to ends"}

// calendar is a calendar of n holidays: rules that roll, or days.
func (o *workspace) calendar(name string, n int, rolled bool) string {
	text := "closed: sat, sun\nholidays:\n"
	for i := range n {
		if rolled {
			day := civil.Date(739000 + i%100*3)
			_, m, of := day.YMD()
			text += fmt.Sprintf("  - {name: H%d, day: yearly on %d %s from %d-01-01 2 times then roll following}\n", i, of,
				strings.ToLower(civil.MonthNames[m][:3]), 1990+i/100*4)
		} else {
			text += fmt.Sprintf("  - {name: H%d, day: %s}\n", i, civil.Date(739000+i*3))
		}
	}
	return o.write(name, text)
}

// tables are the commands on a table; a check has no need of what has no budget and is slow.
func (o *workspace) tables(check bool) []task {
	ranges := "unit,head,since,until\n"
	for u := range 13 {
		for y := 2014; y < 2036; y++ {
			ranges += fmt.Sprintf("Unit %d,Head %d,%d-01-01,%d-12-31\n", u, y, y, y)
		}
	}
	held := o.write("ranges.csv", ranges)
	plan := o.write("plan.yaml",
		"plan: 1\nseries:\n  pay:\n    rule: monthly on 15, last then roll preceding\n    milestones: {cut: \"date, -5 working days\"}\n")
	bands := o.write("bands.csv", "at_least,weeks\n0,2\n6,4\n12,6\n24,8\n")
	calendar := o.calendar("cal.yaml", 1, true)
	cells := filepath.Join(o.dir, "cells.csv")
	withPhrases(o.table, cells)
	t := o.table
	list := []task{o.copied("derive, five columns", 0.50, append([]string{"derive", t, "--calendar", calendar},
		fiveColumns...)...)}
	list[0].memory = 64
	list = append(list, o.copied("terms in a column, with notice", 0, "derive", t, "--calendar", calendar,
		"--add", "ends = start, lasting term months", "--add", "notice = ends, -3 months, roll preceding"))
	if _, err := exec.LookPath("python3"); err == nil && !check {
		script := o.copied("derive, as a plain Python script", 0)
		script.args = []string{o.write("plain.py", plainScript), t, o.out}
		list = append(list, script)
	}
	due := o.copied("due, all rows", 2.5, "due", t, "--date", "start")
	shuffled := [2]string{filepath.Join(o.dir, "old.csv"), filepath.Join(o.dir, "new.csv")}
	for i, to := range shuffled { // by another process: the peak of this one counts as that of what it starts
		o.runSelf("shuffle", t, to, fmt.Sprint(i))
	}
	compared := o.copied("compare --key, both shuffled", 0, "compare", shuffled[0], shuffled[1], "--key", "id")
	if !check { // of a small table it is the program's own
		due.memory, compared.memory = 2*o.size>>20, 2*o.size>>20
	}
	return append(list,
		o.copied("terms that renew, with notice", 0, "derive", t, "--add",
			"e = start, lasting term months renewing every 6 months noticed (-3 months, roll preceding) on or after 2027-04-20"),
		o.copied("a series by its milestone", 0, "derive", t, "--plan", plan, "--add", "e = start, pay by cut on or after"),
		o.copied("steps in cells, ten texts", 0, "derive", cells, "--add", "e = start, steps in terms"),
		o.copied("rules in cells, ten texts", 0.75, "spread", cells, "--dates", "rule in rule", "--window", "2027-01"),
		o.copied("match by a number", 1.5, "match", t, bands, "--value", "term", "--start", "at_least"),
		o.copied("match by key alone", 1.5, "match", t, bands, "--key", "term=at_least"),
		o.copied("match", 1.5, "match", t, held, "--key", "unit", "--date", "start", "--start", "since", "--end", "until"),
		o.copied("due --within", 1, "due", t, "--date", "start", "--within", "30 days", "--upcoming", "--as-of",
			"2030-01-01"),
		due, compared,
		o.copied("spread --by month", 3, "spread", t, "--start", "start", "--end", "start, lasting term weeks", "--by", "month"),
		o.copied("tally", 1, "tally", t, "--rows", "unit", "--cols", "year of start"),
		o.copied("grid", 1, "grid", t, "--name", "unit", "--start", "start", "--end", "start, lasting term weeks",
			"--window", "2027-06"))
}

// workbooks are a fifth of the table out of a workbook and into one, in times of a copy of
// five times as many: within 40 copies of the same rows and within 20.
func (o *workspace) workbooks(program string) []task {
	part := filepath.Join(o.dir, "part.csv")
	makeTable(part, o.rows/5)
	book := filepath.Join(o.dir, "part.xlsx")
	said, err := exec.Command(program, "derive", part, "--add", "ends = start, +12 months", "--out", book).CombinedOutput()
	if err != nil {
		must(fmt.Errorf("%w: %s", err, said))
	}
	in := o.copied("a workbook read", 40.0/5, "derive", book, "--add", "more = start, +1 day")
	out := o.copied("a workbook written", 20.0/5, "derive", part, "--add", "ends = start, +12 months", "--as", "xlsx")
	in.memory, out.memory = 64, 100
	return []task{in, out}
}

// runs are whole runs: 10 ms for a start, 50 for the demo's plan, 50 for a thousand days
// off, 300 for a thousand rules of them, 100 for ten series, in times of a start that
// takes 2 ms.
func (o *workspace) runs(program string) []task {
	const start = 2.0
	demo := filepath.Join(o.dir, "demo")
	said, err := exec.Command(program, "demo", demo).CombinedOutput()
	if err != nil {
		must(fmt.Errorf("%w: %s", err, said))
	}
	plan := "plan: 1\nseries:\n  s0: {rule: monthly on last then roll preceding}\n"
	for i := 1; i < 10; i++ {
		plan += fmt.Sprintf("  s%d: {rule: \"monthly on %d then next s%d, +1 day\"}\n", i, i+1, i-1)
	}
	series := o.write("series.yaml", plan)
	one := func(name string, ms float64, args ...string) task {
		return task{name: name, args: args, baseline: []string{"nothing"}, budget: ms / start}
	}
	run := one("run on the demo's plan", 50, "run")
	run.dir = demo
	rolled := one("1,000 holidays by rules that roll", 300, "value", "2027-01-01, roll following", "--calendar",
		o.calendar("rolled.yaml", 1000, true))
	rolled.memory = 64
	days := "day\n"
	for i := range 500 { // one in fifty isn't where the rule has it
		d, _ := civil.MonthDay(civil.MonthIndex(1985, 1)+i+1, 1)
		if d--; i%50 == 7 {
			d -= 2
		}
		days += d.String() + "\n"
	}
	found := o.write("days.csv", days)
	leases := one("4,000 leases, rents by month, seven outputs", 0, "run", o.leases(), "--quiet", "--as", "csv")
	leases.memory = 150
	tasks := one("20,000 tasks of a month-end close", 0, "run", o.tasks(), "--quiet", "--as", "csv")
	tasks.memory = 500
	return []task{
		leases, tasks,
		one("infer, 500 dates beside all public calendars", 2000, "infer", found, "--quiet"),
		one("dates \"monthly on last\"", 10, "dates", "monthly on last"),
		run,
		one("1,000 holidays by their days", 50, "value", "2027-01-01, roll following", "--calendar",
			o.calendar("dated.yaml", 1000, false)),
		rolled,
		one("ten series that look at each other", 100, "dates", "s9", "--plan", series, "--window", "2027"),
	}
}

// leases is a property manager's plan: some 215,000 rents, in seven outputs.
func (o *workspace) leases() string {
	var b strings.Builder
	b.WriteString("lease,tenant,site,starts,ends,rent\n")
	first, _ := civil.NewDate(2020, 1, 1)
	for i := range 4000 {
		starts := first + civil.Date(i*37%2000)
		fmt.Fprintf(&b, "L-%05d,Tenant %d of the long quay,Site %d,%s,%s,%d.%02d\n", i, i, i%7, starts, starts+civil.Date(1096+i*53%1100),
			300+i*17%8700, i%100)
	}
	o.write("leases.csv", b.String())
	return o.write("leases.yaml", `plan: 1
id: leases
window: 2026..2030
calendar: england-wales
records:
  leases:
    table: leases.csv
    key: lease
    columns: {notice: "ends, -3 months, roll preceding"}
    events: [{name: notice, day: notice, summary: "Notice for {tenant}"}]
  rents:
    from: leases
    make: spread
    start: starts
    end: ends
    by: month
    share: rent
    share-per: month
    columns: {due: "first_day, roll following"}
outputs:
  - {file: l/rents.csv, of: rents}
  - {file: l/by-site.csv, of: rents, make: tally, rows: site, cols: year of first_day, sum: rent}
  - {file: l/by-tenant.csv, of: rents, make: tally, rows: tenant, cols: year of first_day, sum: rent}
  - {file: l/due.csv, of: rents, make: due, date: due, window: 2027}
  - {file: l/leases.csv, of: leases}
  - {file: l/ending.xlsx, of: leases, make: due, date: ends, window: 2026..2028}
  - {file: l/notices.ics, of: leases}
`)
}

// tasks is a plan with a table of 20,000 tasks, chained by fifties.
func (o *workspace) tasks() string {
	var b strings.Builder
	b.WriteString("task,day\n")
	for i := range 20_000 {
		if i%50 == 0 {
			fmt.Fprintf(&b, "t%d,\"date, +1 working day\"\n", i)
		} else {
			fmt.Fprintf(&b, "t%d,\"t%d, +1 working day\"\n", i, i-1)
		}
	}
	o.write("tasks.csv", b.String())
	return o.write("tasks.yaml", "plan: 1\nid: tasks\nwindow: 2027\nseries: {close: {rule: monthly on last, "+
		"milestones-from: {table: tasks.csv, name: task, date: day}}}\noutputs: [{file: t/close.csv, of: close}]\n")
}

// dates are the dates of one rule in all years: five million a second, in times of a
// program for just that.
func (o *workspace) dates() []task {
	w := task{name: "twice a month for 9999 years", budget: 3, args: []string{"dates", "monthly on 15, last then roll preceding",
		"--window", "0001..9999", "--out", o.out},
		baseline: []string{"dates", o.out}, out: o.out}
	return []task{w}
}

// makeTable makes a table of people, and returns its size.
func makeTable(path string, n int) int64 {
	f, err := os.Create(path)
	must(err)
	w := bufio.NewWriter(f)
	fmt.Fprintln(w, "id,person,unit,start,term,note")
	first, _ := civil.NewDate(2015, 1, 1)
	for i := range n {
		note := ""
		if i%7 == 0 {
			note = `"said ""yes"", then no"`
		}
		fmt.Fprintf(w, "%d,Person %d,Unit %d,%s,%d,%s\n", i, i%977, i%13, first+civil.Date(i*37%7300), i%36+1, note)
	}
	must(w.Flush())
	size, err := f.Seek(0, io.SeekCurrent)
	must(err)
	must(f.Close())
	return size
}

// withPhrases copies the table with a column of steps and one of rules, ten of each.
func withPhrases(from, to string) {
	in, err := os.Open(from)
	must(err)
	defer in.Close()
	out, err := os.Create(to)
	must(err)
	w := bufio.NewWriter(out)
	lines := bufio.NewScanner(in)
	for n := -1; lines.Scan(); n++ {
		if n < 0 {
			fmt.Fprintf(w, "%s,terms,rule\n", lines.Text())
		} else {
			fmt.Fprintf(w, "%s,\"end of month, +%d days\",monthly on %d\n", lines.Text(), n%10+1, n%10+1)
		}
	}
	must(w.Flush())
	must(out.Close())
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

// planIn writes a plan in a folder of its own.
func (o *workspace) planIn(folder, text string) string {
	must(os.MkdirAll(folder, 0o755))
	path := filepath.Join(folder, "yoyaku.yaml")
	must(os.WriteFile(path, []byte(text), 0o644))
	return path
}
