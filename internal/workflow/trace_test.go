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
