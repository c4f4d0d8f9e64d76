package cli_test

import (
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
