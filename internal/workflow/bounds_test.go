package workflow

import (
	"fmt"
	"path/filepath"
	"strings"
	"testing"

	"yoyaku/internal/plan"
)

// each joins the texts that f gives for 0 to n-1.
func each(n int, f func(i int) string) string {
	var b strings.Builder
	for i := range n {
		b.WriteString(f(i))
	}
	return b.String()
}

// TestBounds holds plans of a few hundred kilobytes that would take gigabytes, or never end,
// to the error that refuses them before anything is made; and those just below to none.
func TestBounds(t *testing.T) {
	t.Parallel()
	for what, c := range map[string]struct{ text, want string }{
		"too many dates": {"window: 0001..9999\nseries: {p: {rule: daily}}\n",
			"series p: more than 1000000 dates from 0001-01-01 to 9999-12-31; use a narrower window"},
		"too many events": {"window: 1500..2500\nseries: {p: {rule: daily}}\noutputs: [{file: p.ics, of: p}]\n", "yoyaku.yaml:5:11: p.ics would have 365608 events from 1500-01-01 to 2500-12-31, and at most 200000 are made"},
		"too long an agenda": {"window: 1800..2200\nseries: {p: {rule: daily}, q: {rule: daily}}\noutputs: [{file: a.csv, of: [p, q]}]\n",
			"a.csv would have 292924 dates and milestones"},
		"a wide table streams": {"window: 1500..2000\nseries: {p: {rule: daily, expect: {per-year: 365..366, gap: 1, each: date = nominal}}}\noutputs: [{file: p.csv, of: p}]\n",
			"p.csv  new  182987 dates"},
		"apart": {"window: 1800..2200\nseries: {p: {rule: daily}, q: {rule: daily}}\napart: [[p, q]]\n", "the series under `apart` have 292924 dates"},
		"too many outputs": {"window: 2027\nseries: {p: {rule: daily}}\noutputs:\n" + each(5001, func(i int) string { return fmt.Sprintf("  - {file: %d.csv, of: p}\n", i) }),
			"yoyaku.yaml:5006:12: a plan has at most 5000 outputs"},
		"calendars on calendars": {"window: 2027\ncalendars:\n  c0: {closed: sun}\n" + each(40, func(i int) string {
			return fmt.Sprintf("  c%d: {holidays: [{calendar: c%d}, {name: h, day: yearly on %d feb then roll following}]}\n", i+1, i, i%28+1)
		}),
			"yoyaku.yaml:38:31: this calendar takes the days of another, which takes those of another, and so on; at most 32 deep"},
		"32 of them": {"window: 2027\ncalendar: c32\ncalendars:\n  c0: {closed: sun}\n" + each(32, func(i int) string {
			return fmt.Sprintf("  c%d: {holidays: [{calendar: c%d}, {name: h, day: yearly on %d feb then roll following}]}\n", i+1, i, i%28+1)
		}) +
			"series: {p: {rule: monthly on 12 then roll following}}\n", "p,12,2027-01-12"},
		"patterns on patterns": {"window: 2027\npatterns:\n  p0: {rule: monthly on 1}\n" + each(40, func(i int) string { return fmt.Sprintf("  p%d: {like: p%d}\n", i+1, i) }) + "series: {s: {like: p40}}\n",
			"this pattern is based on another, which is based on another, and so on; at most 32 deep"},
		"series on series": {"window: 2027\nseries:\n  s0: {rule: monthly on 1}\n" + each(40, func(i int) string {
			return fmt.Sprintf("  s%d: {rule: monthly on 1, milestones: {a: \"s%d.date, +1 day\"}}\n", i+1, i)
		}),
			"this series depends on another, which depends on another, and so on; at most 32 deep"},
		"records on records": {"window: 2027\nrecords:\n  r0: {table: t.csv}\n" + each(40, func(i int) string { return fmt.Sprintf("  r%d: {from: r%d, keep: a}\n", i+1, i) }),
			"this record is made from another, which is made from another, and so on; at most 32 deep"},
		"a long title":       {"window: 2027\nseries: {p: {title: " + strings.Repeat("é", 1001) + ", rule: daily}}\n", "yoyaku.yaml:4:21: a title may have at most 1000 characters, found 1001"},
		"a title":            {"window: 2027-01\nseries: {p: {title: " + strings.Repeat("é", 1000) + ", rule: daily}}\n", "p,31,2027-01-01"},
		"a long summary":     {"window: 2027\nseries: {p: {rule: daily, event: {summary: " + strings.Repeat("x", 1001) + "}}}\n", "the text of an event may have at most 1000 characters, found 1001"},
		"a long name":        {"window: 2027\nseries: {" + strings.Repeat("p", 1001) + ": {rule: daily}}\n", "a name may have at most 1000 characters, found 1001"},
		"a long holiday":     {"window: 2027\ncalendars: {c: {holidays: [{name: " + strings.Repeat("h", 1001) + ", day: 2027-01-01}]}}\n", "a holiday's name may have at most 1000 characters, found 1001"},
		"a text made long":   {"window: 2027\npatterns: {p: {takes: {w: " + strings.Repeat("w", 1000) + "}, title: \"" + strings.Repeat("{w}", 33) + "\", rule: daily}}\nseries: {s: {like: p}}\n", "this makes a text of more than 32767 characters"},
		"a phrase made long": {"window: 2027\npatterns: {p: {takes: {w: " + strings.Repeat("w", 1000) + "}, rule: daily, milestones: {m: \"if w = w" + strings.Repeat(" or w = w", 525) + " then date else date\"}}}\nseries: {s: {like: p}}\n", "with its words filled in, the phrase has more than 1 MB"},
		"many tasks":         {"window: 2027\nseries: {p: {rule: monthly on last, milestones-from: {table: tasks.csv, name: task, date: day}}}\n", "p,12,2027-01-31"},
		"findings":           {"window: 1900..2100\nseries: {p: {rule: daily, expect: {each: date < 1950-01-01}}}\n", "each: date < 1950-01-01"},
	} {
		t.Run(what, func(t *testing.T) {
			t.Parallel()
			dir := t.TempDir()
			write(t, filepath.Join(dir, plan.FileName), "plan: 1\nid: x\n"+c.text)
			write(t, filepath.Join(dir, "t.csv"), "a\n1\n")
			write(t, filepath.Join(dir, "tasks.csv"), "task,day\n"+each(4000, func(i int) string {
				if i%50 == 0 {
					return fmt.Sprintf("t%d,\"date, +1 working day\"\n", i)
				}
				return fmt.Sprintf("t%d,\"t%d, +1 day\"\n", i, i-1)
			}))
			said, _ := runCommand(t, dir, "run")
			if !strings.Contains(said, c.want) {
				t.Errorf("%.600s\nwant %s", said, c.want)
			}
		})
	}
	dir := t.TempDir()
	write(t, filepath.Join(dir, plan.FileName), "plan: 1\nid: x\nwindow: 1900..2100\nseries: {p: {rule: daily, expect: {each: date < 1950-01-01}}}\n")
	if said, code := runCommand(t, dir, "check"); code != 1 || strings.Count(said, "\nfail,") != 10_001 || !strings.Contains(said, "and 45152 more like this") {
		t.Errorf("many findings: %d, %d lines, %.300s", code, strings.Count(said, "\nfail,"), said[max(0, len(said)-300):])
	}
}
