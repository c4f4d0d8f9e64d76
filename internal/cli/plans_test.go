package cli_test

import (
	"fmt"
	"path/filepath"
	"strings"
	"testing"
)

// Every plan in the page on plans is one: it passes check in the demo's folder.
func TestPlanPage(t *testing.T) {
	t.Parallel()
	dir := demo(t)
	calendars := read(t, filepath.Join(dir, "yoyaku.yaml"))
	calendars = calendars[strings.Index(calendars, "calendars:"):strings.Index(calendars, "\npatterns:")]
	write(t, filepath.Join(dir, "pay-groups.csv"), "code,lead,title\nferrymen,4,Ferry pay\n")
	n := 0
	for _, block := range strings.Split(read(t, "../../docs/plan.md"), "```yaml\n")[1:] {
		block, _, _ = strings.Cut(block, "```")
		switch {
		case strings.HasPrefix(block, "plan: 1\n"): // a whole one
			write(t, filepath.Join(dir, "whole.yaml"), block)
			if out, errs, code := yoyaku(t, dir, "run", "whole.yaml", "--out", "whole"); code != 0 || !strings.Contains(errs, "pay.csv  new  24 dates") {
				t.Errorf("%s\n%s%s", block, out, errs)
			}
			continue
		case strings.HasPrefix(block, "include"): // files that this folder hasn't
			continue
		case strings.HasPrefix(block, "  - {file"):
			block = "series:\n  safety-drill: {rule: monthly on 2nd tue}\nrecords:\n  crew-contracts: {table: crew-contracts.csv, columns: {ends: \"start, lasting term months\"}}\n  absences: {table: absences.csv, open-words: present}\noutputs:\n" + block
		case strings.HasPrefix(block, "outputs"):
			block = "series:\n  crew-pay: {rule: \"monthly on 15, last\"}\n  safety-drill: {rule: monthly on 2nd tue}\n" + block
		case strings.Contains(block, "events:"):
			block = strings.Replace(block, "    expect:", "    columns: {ends: \"start, lasting term months\", notice: \"ends, -90 days\"}\n    expect:", 1)
		case strings.Contains(block, "working days from approval"):
			block = strings.Replace(block, "    expect:", "    milestones: {approval: \"date, -5 working days\", bank-file: \"date, -2 working days\"}\n    expect:", 1)
			block = strings.Replace(block, "last\n", "last then roll preceding\n", 1)
		}
		write(t, filepath.Join(dir, "page.yaml"), "plan: 1\nid: page\nwindow: 2027-07..2028\ncalendar: isles\n"+calendars+"\n"+block)
		if out, errs, code := yoyaku(t, dir, "check", "page.yaml"); code != 0 {
			t.Errorf("%s\n%s%s", block, out, errs)
		}
		n++
	}
	if n < 10 {
		t.Errorf("only %d plans found", n)
	}
}

// TestRun_addedColumns: what a record adds to its rows stands in every output, whether rows are
// written as they came in (CSV of CSV) or cell by cell (TSV of CSV).
func TestRun_addedColumns(t *testing.T) {
	dir := t.TempDir()
	write(t, filepath.Join(dir, "leave.csv"), "person,first,last\nAnsa,2027-06-01,2027-06-04\nBorro,2027-06-11,2027-07-14\nCairn,2027-06-29,2027-07-02\n")
	plan := "plan: 1\nwindow: 2027\ncalendar: none\nrecords:\n  leave: {table: leave.csv, columns: {taken: working days from first through last, back: \"last, next working day\"}}\noutputs:\n"
	makes := []string{"make: spread, start: first, end: last", "make: spread, start: first, end: last, by: month", "make: spread, start: first, end: back, by: week, working: true",
		"make: spread, dates: monthly on 1 from first 2 times", "make: due, date: back, window: 2027", "make: match, ranges: leave.csv, key: person, several: first, take: first",
		"make: spread, start: first, end: last, by: month, carry: {n: 1; prior + 1}"}
	for i, make := range makes {
		for _, ext := range []string{"csv", "tsv"} {
			plan += fmt.Sprintf("  - {file: %d.%s, of: leave, %s}\n", i, ext, make)
		}
	}
	write(t, filepath.Join(dir, "yoyaku.yaml"), plan)
	if _, said, code := yoyaku(t, dir, "run"); code != 0 {
		t.Fatal(said)
	}
	for i, make := range makes {
		want := strings.ReplaceAll(read(t, filepath.Join(dir, fmt.Sprintf("%d.tsv", i))), "\t", ",")
		got := read(t, filepath.Join(dir, fmt.Sprintf("%d.csv", i)))
		if got != want || !strings.Contains(got, "Ansa,2027-06-01,2027-06-04,4,2027-06-07,") {
			t.Errorf("%s:\n%s, want\n%s", make, got, want)
		}
	}
}
