package draft

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/plan"
)

// A plan that was made of a table gives the table's dates back, as a set, each series those
// of its key and its milestones those of the column; what it doesn't explain stays a record
// with an output. Rows stand in no order, some twice, some dates were moved, added or left
// out by hand.
func TestNewPlan_givesTheTableBack(t *testing.T) {
	tables := 25
	if testing.Short() {
		tables = 1
	}
	rules := []string{"monthly on 15, last then roll preceding", "monthly on last", "weekly on fri", "quarterly on last working day", "monthly on 2nd tue then at 09:30", "fortnightly on fri from 2025-01-10 then roll preceding",
		"monthly on 25 then roll following", "monthly on 1st working day, 15"}
	made, kept := 0, 0
	for seed := range tables {
		r := rand.New(rand.NewPCG(uint64(seed), 24))
		dir := t.TempDir()
		var lines []string
		want, beside := map[string]map[civil.Date]bool{}, map[string]map[civil.Date]civil.Date{}
		keys := []string{"North yard", "south", "2nd office", "day desk"}[:1+r.IntN(4)]
		unexplained := seed%5 == 4
		for _, key := range keys {
			s, err := schedule.NewSeries("x", "", rules[r.IntN(len(rules))], eval.Env{Fiscal: civil.DefaultFiscalCalendar, Calendar: mustEmpty(t).Env.Calendar})
			if err != nil {
				t.Fatal(err)
			}
			want[key], beside[key] = map[civil.Date]bool{}, map[civil.Date]civil.Date{}
			for m := range schedule.Dates(s.Rules[0].Recurrence, civil.Span{First: 739252, Last: 739616 + civil.Date(r.IntN(366))}) { // from 2025 on
				v, day := m.Value(), m.MovedTo
				if n := r.IntN(24); len(want[key]) > 2 && n < 2 {
					if n == 0 {
						continue
					}
					day -= civil.Date(1 + r.IntN(2))
				}
				if len(want[key]) > 2 && r.IntN(30) == 0 && !want[key][day+3] { // one more
					want[key][day+3], beside[key][day+3] = true, day-4
					text := (day + 3).String()
					if v.Kind == eval.DateTime {
						text += v.String()[10:]
					}
					lines = append(lines, fmt.Sprintf("%s,%s,%s,note", key, text, day-4))
				}
				if unexplained {
					day += civil.Date(r.IntN(20))
				}
				if want[key][day] {
					continue
				}
				want[key][day] = true
				cut := day - 7
				beside[key][day] = cut
				text := day.String()
				if v.Kind == eval.DateTime {
					text += v.String()[10:]
				}
				line := fmt.Sprintf("%s,%s,%s,note", key, text, cut)
				lines = append(lines, line)
				if r.IntN(30) == 0 {
					lines = append(lines, line)
				}
			}
		}
		r.Shuffle(len(lines), func(i, j int) { lines[i], lines[j] = lines[j], lines[i] })
		head := "who,paid,cut_off,remark\n"
		write(t, filepath.Join(dir, "last-year.csv"), head+strings.Join(lines, "\n")+"\n")
		day, _, _ := civil.Parse("2026-11-25")
		start := NewPlan{Dir: filepath.Join(dir, "office"), ID: "office", Tables: []string{filepath.Join(dir, "last-year.csv")}, Key: "who"}
		path, _, err := start.Create(plan.Settings{AsOf: day})
		if err != nil {
			t.Fatalf("%d: %v\n%s", seed, err, strings.Join(lines, "\n"))
		}
		text := read(t, path)
		p, err := plan.Load(path, plan.Settings{AsOf: day})
		if err != nil {
			t.Fatal(err)
		}
		for _, key := range keys {
			s := p.FindSeries(seriesNameFrom(key))
			if s == nil {
				kept++
				if !strings.Contains(text, "last-year-table.csv, of: last-year") {
					t.Errorf("%d: nothing of %s in\n%s", seed, key, text)
				}
				continue
			}
			made++
			days := slices.Sorted(maps.Keys(want[key]))
			got := map[civil.Date]bool{}
			for o, err := range s.Occurrences(civil.Span{First: days[0], Last: days[len(days)-1]}) {
				if err != nil {
					t.Fatal(err)
				}
				at := o.Value().Day
				got[at] = true
				for i, m := range s.Milestones {
					if v := o.Milestone(i); m.Name == "cut_off" && v.Day != beside[key][at] {
						t.Errorf("%d: %s of %s is %s, want %s\n%s", seed, m.Name, at, v, beside[key][at], text)
					}
				}
			}
			if !maps.Equal(got, want[key]) {
				t.Errorf("%d: %s gives %v, want %v\n%s", seed, key, slices.Sorted(maps.Keys(got)), days, text)
			}
		}
	}
	if made < tables || kept == 0 && tables > 10 {
		t.Errorf("%d series are made of %d tables, %d stay records", made, tables, kept)
	}
}

func mustEmpty(t *testing.T) *plan.Plan {
	t.Helper()
	p, err := plan.NewEmpty(plan.Settings{AsOf: 739900})
	if err != nil {
		t.Fatal(err)
	}
	return p
}
