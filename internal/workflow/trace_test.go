package workflow

import (
	"encoding/csv"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/civil"
	"yoyaku/internal/plan"
	"yoyaku/internal/query"
	"yoyaku/internal/render"
)

// asked answers a query from a plan as CSV.
func answered(t *testing.T, job *ask.Job, name string) [][]string {
	t.Helper()
	if name != "" {
		all := query.All()
		q := all[slices.IndexFunc(all, func(q *ask.Query) bool { return q.Name == name })]
		for _, o := range q.Options {
			o.Reset()
		}
		job.Query = q
	}
	var b strings.Builder
	f, _ := render.FindFormat("csv")
	sink, err := f.OpenRows(&b, render.Options{})
	if job.Sink = sink; err == nil {
		err = job.Answer()
	}
	if err != nil {
		t.Fatal(err)
	}
	rows, err := csv.NewReader(strings.NewReader(b.String())).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	return rows
}

// quiet is the place of the plan, with nobody to tell.
func quiet(p *plan.Plan) ask.Workspace {
	ws := NewWorkspace(p)
	ws.Stdin = strings.NewReader("")
	ws.Note = func(string, ...any) {}
	ws.Warn = ws.Note
	ws.CreateFile = func(string, string) (io.Writer, error) { return io.Discard, nil }
	return ws
}

// TestWhy_rowsOfRecords holds what `why` says of derived dates to the dates that the record has,
// whichever calendar it counts with, and the working days left of its events to a count
// day by day.
func TestWhy_rowsOfRecords(t *testing.T) {
	seeds := 60
	if testing.Short() {
		seeds = 6
	}
	for seed := range seeds {
		r := rand.New(rand.NewPCG(uint64(seed), 11))
		pick := func(list ...string) string { return list[r.IntN(len(list))] }
		counts := []string{"", "calendar: yard", "calendar: (site)", "calendar: yard + isles"}[seed%4]
		step := func() string {
			return pick(fmt.Sprintf("+%d working days", r.IntN(20)), fmt.Sprintf("-%d days", r.IntN(40)), "roll following", "roll preceding", "lasting term months",
				"end of next month", "3rd working day of month", "lasting 3 working days using isles", "steps in terms")
		}
		table := "key,start,term,site,terms\n"
		for i := range 12 {
			table += fmt.Sprintf("K%d,%s,%d,%s,%s\n", i, civil.Date(739900+r.IntN(400)), r.IntN(30)+1, pick("isles", "yard", "yard", ""), pick("+30 days", "\"+30 days, roll following\"", ""))
		}
		dir := t.TempDir()
		text := fmt.Sprintf(`plan: 1
id: office
calendar: isles
calendars:
  isles: {closed: "sat, sun", holidays: [{name: First, day: weekly on wed from 2026-06-03}]}
  yard: {closed: sun, holidays: [{name: Second, day: monthly on 3rd tue}]}
records:
  rows:
    table: rows.csv
    key: key
    %s
    columns:
      one: start, %s
      two: later of (one, %s) and (start, %s)
      three: (if term > 12 then one else (two, %s)), %s
    events: [{name: ends, day: one}]
`, counts, step(), step(), step(), step(), step())
		for name, text := range map[string]string{plan.FileName: text, "rows.csv": table} {
			if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644); err != nil {
				t.Fatal(err)
			}
		}
		p, err := plan.Load(filepath.Join(dir, plan.FileName), plan.Settings{AsOf: 740000})
		if err != nil {
			t.Fatal(err, text)
		}
		have := answered(t, newRecordMaker(p).job(p.Records[0], quiet(p)), "")
		for i, row := range have[1:] {
			for c, column := range have[0][5:] {
				ws := quiet(p)
				told := answered(t, &ask.Job{Workspace: &ws, Args: []string{"rows", row[0], column}}, "why")
				last := told[len(told)-1]
				if i%2 == 1 {
					told = answered(t, &ask.Job{Workspace: &ws, Args: []string{"rows", fmt.Sprintf("#%d", i+1), column}}, "why")
				}
				if last[0] != column || last[2] != row[5+c] {
					t.Fatalf("seed %d: %s of %v is told as %q\n%s", seed, column, row, told, text)
				}
			}
		}
		coming, err := Ahead([]*plan.Plan{p}, AheadRequest{Window: civil.Date(740000).String() + ".." + civil.Date(740300).String(), Within: "1 day", Overdue: "1 day"}, noReports)
		if err != nil {
			t.Fatal(err)
		}
		for _, e := range coming.Events {
			n, cal := 0, p.Env.Calendar
			name := strings.TrimPrefix(counts, "calendar: ")
			if name == "(site)" {
				name = ""
				for _, row := range have[1:] {
					if row[0] == e.ID {
						name = row[3]
					}
				}
			}
			if name != "" {
				cal, _ = p.Calendar(name)
			}
			for d := p.Env.Today + 1; d <= e.At.Day; d++ {
				if cal.IsWorkday(d) {
					n++
				}
			}
			want := fmt.Sprint(n)
			if counts == "calendar: (site)" && name == "" {
				want = ""
			}
			if got := coming.Row(e)[3].String(); got != want {
				t.Fatalf("seed %d: %s has %q working days left, not %s", seed, e.ID, got, want)
			}
		}
	}
}

// TestWhy_milestonesOfPlans holds the last date that `why` tells of milestones to the date that the
// plan has: of choices, of other series' milestones, of times and their zones; and of columns of
// records that look up, that are made from a series, or from another record.
func TestWhy_milestonesOfPlans(t *testing.T) {
	seeds, least := 150, 20_000
	if testing.Short() {
		seeds, least = 4, 400
	}
	dates := 0
	for seed := range seeds {
		r := rand.New(rand.NewPCG(uint64(seed), 29))
		pick := func(list ...string) string { return list[r.IntN(len(list))] }
		day := func() string {
			n := r.IntN(9) + 1
			return pick("date", "nominal", "one.cut", "one.date", fmt.Sprintf("(date, -%d working days)", n), fmt.Sprintf("(one.cut, +%d days)", n),
				fmt.Sprintf("(nominal, +%d days, roll preceding)", n), "(previous_date otherwise date)")
		}
		clock := func() string {
			return pick("09:00", "16:30", "23:45") + pick("", " in 'America/New_York'", " in 'Asia/Tokyo'", " in 'Europe/London'")
		}
		choice := func() string { return pick("later of ", "earlier of ") + day() + " and " + day() }
		text := fmt.Sprintf(`plan: 1
zone: Europe/London
window: 2027
calendar: isles
calendars:
  isles: {closed: "sat, sun", holidays: [{name: First, day: weekly on wed from 2026-06-03}], known-through: 2027-09-30}
  yard: {closed: sun, holidays: [{name: Second, day: monthly on 3rd tue}]}
series:
  one: {rule: "%s", milestones: {cut: "date, -%d working days"}}
  two:
    rule: %s
    milestones:
      a: %s
      b: (%s), %s
      c: if month of nominal < %d then %s else (%s, -1 day)
      d: date, at %s
      e: d, in zone '%s'
      f: later of d and (one.cut, at %s)
      g: earlier of e and (a, at %s)
records:
  staff: {table: staff.csv, key: who, calendar: (cal), match: [{table: sites.csv, key: site, take: [cal]}],
    columns: {last: "joined, lasting %d months, roll %s", first: "earlier of last and (joined, +%d working days)"}}
  years: {from: staff, make: spread, start: joined, end: last, by: year, columns: {mid: "first_day, +%d days, roll nearest"}}
  days: {from: two, columns: {next: "a, +%d working days", odd: "if b is blank then date else b"}}
`, pick("monthly on 15 then roll preceding", "monthly on last", "monthly on 2nd tue"), r.IntN(6)+1, pick("monthly on last then roll following", "monthly on 20", "monthly on last working day"),
			choice(), choice(), pick("roll preceding", "+1 day", "-2 working days"), r.IntN(12)+1, day(), day(), clock(), pick("America/New_York", "Asia/Tokyo", "UTC"), clock(), clock(),
			r.IntN(20)+1, pick("following", "preceding"), r.IntN(60)+1, r.IntN(9), r.IntN(9)+1)
		staff := "who,joined,site\n"
		for i := range 10 {
			staff += fmt.Sprintf("P%d,%s,%s\n", i, civil.Date(739900+r.IntN(400)), pick("A", "B"))
		}
		dir := t.TempDir()
		for name, text := range map[string]string{plan.FileName: text, "staff.csv": staff, "sites.csv": "site,cal\nA,isles\nB,yard\n"} {
			if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644); err != nil {
				t.Fatal(err)
			}
		}
		p, err := plan.Load(filepath.Join(dir, plan.FileName), plan.Settings{AsOf: 740000})
		if err != nil {
			t.Fatal(err, text)
		}
		ws := quiet(p)
		told := func(args ...string) string {
			list := answered(t, &ask.Job{Workspace: &ws, Args: args}, "why")
			return list[len(list)-1][2]
		}
		two := p.FindSeries("two")
		for o, err := range two.Occurrences(*p.Window) {
			if err != nil {
				t.Fatal(err, text)
			}
			for i, m := range two.Milestones {
				v := o.Milestone(i)
				if v.String() == "" {
					continue
				}
				if dates++; told("two."+m.Name, o.ID) != v.String() {
					t.Fatalf("seed %d: two.%s of %s is %s, and told last is %s\n%s", seed, m.Name, o.ID, v, told("two."+m.Name, o.ID), text)
				}
			}
		}
		maker := newRecordMaker(p)
		for _, record := range p.Records {
			have := answered(t, maker.job(record, quiet(p)), "")
			for i, row := range have[1:] {
				for c, column := range have[0] {
					if row[c] == "" || !slices.Contains([]string{"last", "first", "mid", "next", "odd"}, column) {
						continue
					}
					if dates++; told(record.Name, fmt.Sprintf("#%d", i+1), column) != row[c] {
						t.Fatalf("seed %d: %s of %v of %s is told as %s\n%s", seed, column, row, record.Name, told(record.Name, fmt.Sprintf("#%d", i+1), column), text)
					}
				}
			}
		}
	}
	if dates < least {
		t.Errorf("only %d dates were looked at", dates)
	}
}
