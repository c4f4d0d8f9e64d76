package draft

import (
	"cmp"
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/plan"
	"yoyaku/internal/workflow"
)

// A year of a random plan's agenda, and of its wide tables, becomes a plan that gives the next
// year: dates, ids, milestones and times are those of the plan itself.
func TestNewPlan_nextYearFromOwnTables(t *testing.T) {
	rules := []string{"monthly on 15, last then roll preceding", "monthly on last working day", "weekly on fri then roll preceding", "quarterly on last working day", "monthly on 2nd tue then at 09:30",
		"fortnightly on fri from 2027-01-08 then roll preceding", "monthly on 25 then roll following", "monthly on 1st working day", "monthly on 2nd last working day", "monthly on 31 then roll preceding",
		"monthly on last then -2 working days", "monthly on 10 in jan, apr, jul, oct then roll following", "weekly on mon, thu", "monthly on 20 then roll preceding, at 16:00", "monthly on last then +25 days, roll following",
		"every 2 months on 15 from 2027-01-15", "monthly on 3rd last working day", "monthly on 28 then roll modified following"}
	milestones := []string{"date, -3 working days", "date, -5 days", "date, +1 working day, at 12:00", "date, start of month", "date, -7 days, roll preceding"}
	calendars := []string{"england-wales", "target", "germany", "us-federal", "none"}
	plans, same, told := 20, 0, 0
	if testing.Short() {
		plans = 3
	}
	for seed := range plans {
		r := rand.New(rand.NewPCG(uint64(seed), 37))
		calendar := calendars[r.IntN(len(calendars))]
		text := fmt.Sprintf("plan: 1\nid: own\ntitle: Own\nwindow: 2027\ncalendar: %s\nseries:\n", calendar)
		var names []string
		for i := range 2 + r.IntN(2) {
			name := fmt.Sprintf("series-%c", 'a'+i)
			names = append(names, name)
			text += fmt.Sprintf("  %s:\n    rule: %s\n    milestones:\n      cut-off: %q\n      papers: %q\n", name, rules[r.IntN(len(rules))], milestones[r.IntN(len(milestones))], milestones[r.IntN(len(milestones))])
		}
		text += "outputs:\n  - {file: agenda.csv, of: [" + strings.Join(names, ", ") + "]}\n"
		for _, name := range names {
			text += fmt.Sprintf("  - {file: %s.csv, of: %s}\n", name, name)
		}
		dir := t.TempDir()
		write(t, filepath.Join(dir, "yoyaku.yaml"), text)
		day, _, _ := civil.Parse("2026-12-01")
		set := plan.Settings{AsOf: day}
		own, err := plan.Load(filepath.Join(dir, "yoyaku.yaml"), set)
		if err != nil {
			t.Fatalf("%v\n%s", err, text)
		}
		quiet := workflow.Reporter{Warn: func(string, ...any) {}, Note: func(string, ...any) {}}
		if _, err := workflow.Run([]*plan.Plan{own}, workflow.Request{}, quiet); err != nil {
			t.Fatalf("%v\n%s", err, text)
		}
		wide := []string{}
		for _, name := range names {
			wide = append(wide, filepath.Join(dir, name+".csv"))
		}
		for _, tables := range [][]string{{filepath.Join(dir, "agenda.csv")}, wide} {
			next := filepath.Join(t.TempDir(), "next")
			path, found, err := NewPlan{Dir: next, ID: "own", Calendar: calendar, Tables: tables}.Create(set)
			if err != nil {
				t.Fatalf("%v of\n%s", err, text)
			}
			made, err := plan.Load(path, set)
			if err != nil {
				t.Fatal(err)
			}
			for _, name := range names {
				want, got := nextYear(t, own, name), nextYear(t, made, name)
				switch says := strings.Join(found, "\n"); {
				case want == got:
					same++
				case strings.Contains(says, name+": no single rule gives its nominal dates and ids"), strings.Contains(says, name+".cut-off: "), strings.Contains(says, name+".papers: "), strings.Contains(says, name+": "): // that others fit as well
					told++
					t.Logf("told: %s\n%s\n%s\n%s\n%s", name, text, says, got, want)
				default:
					t.Errorf("%v of\n%s\ngives for %s\n%s\nwant\n%s\ntold\n%s\n%s", tables, text, name, got, want, says, read(t, path))
				}
			}
		}
	}
	if told > same {
		t.Errorf("%d series are the same next year, %d are told as in doubt", same, told)
	}
	t.Logf("%d series are the same next year, %d are told as in doubt", same, told)
}

// nextYear lists the dates of a series in 2028 with their ids and milestones.
func nextYear(t *testing.T, p *plan.Plan, name string) string {
	t.Helper()
	s := p.FindSeries(name)
	if s == nil {
		return "no such series"
	}
	span, _ := civil.DefaultFiscalCalendar.ParseSpan("2028")
	var b strings.Builder
	for o, err := range s.Occurrences(span) {
		if err != nil {
			t.Fatal(err)
		}
		fmt.Fprintf(&b, "%s %s %v", o.ID, o.Value(), o.Date.Date)
		var beside []string
		for i, m := range s.Milestones {
			beside = append(beside, m.Name+"="+o.Milestone(i).String())
		}
		slices.SortFunc(beside, cmp.Compare)
		fmt.Fprintln(&b, beside)
	}
	return b.String()
}
