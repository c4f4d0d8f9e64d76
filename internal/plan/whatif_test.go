package plan

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/schedule"
)

// TestWhatIf_againstEditedPlans holds days that are tried to a plan that was really edited: the dates, with
// their reasons, are the same, whichever calendar takes the other's days.
func TestWhatIf_againstEditedPlans(t *testing.T) {
	const text = `plan: 1
id: t
window: 2027
calendar: isles
calendars:
  isles:
    holidays:
      - {name: Founders, day: yearly on 3rd mon of mar}
      - {name: Christmas, day: yearly on 25 dec then roll following}
      %s
    open: [2027-03-20%s]
    short: [{name: Eve, day: yearly on 24 dec, until: "12:00"}]
  yard:
    closed: sun
    holidays:
      - calendar: isles
      %s
    open: [2027-12-26%s]
series:
  pay: {rule: "monthly on 15, last then roll preceding, at 15:00", milestones: {cut: "date, -3 working days", both: "date, -2 working days using isles + yard"}}
  work: {rule: every working day, calendar: yard}
  joined: {rule: monthly on 3rd working day, calendar: isles + yard}
`
	path := filepath.Join(t.TempDir(), FileName)
	load := func(text string, w WhatIf) string {
		if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
		p, err := Load(path, Settings{AsOf: 739900, WhatIf: w})
		if err != nil {
			t.Fatalf("%v in\n%s", err, text)
		}
		entries, _, err := schedule.Entries(p.Series, *p.Window)
		if err != nil {
			t.Fatal(err)
		}
		var b strings.Builder
		for _, e := range entries {
			fmt.Fprintln(&b, e.Series.Name, e.What, e.At, e.Occurrence.ID, e.Reason())
		}
		return b.String()
	}
	r := rand.New(rand.NewPCG(25, 11))
	rounds, plain := 40, load(fmt.Sprintf(text, "", "", "", ""), WhatIf{})
	if testing.Short() {
		rounds = 12
	}
	changed := 0
	for range rounds {
		var closed, opened [2][]string
		var w WhatIf
		used := map[civil.Date]bool{}
		for range 6 {
			d, k := civil.Date(739982+r.IntN(365)), r.IntN(2)
			if r.IntN(3) == 0 {
				d = []civil.Date{740060, 740339, 740340, 740341}[r.IntN(4)]
			}
			if used[d] {
				continue
			}
			used[d] = true
			name := []string{"isles:", "yard:"}[k]
			if k == 0 && r.IntN(2) == 0 {
				name = "" // the one that counts by default
			}
			if r.IntN(2) == 0 {
				closed[k], w.Closed = append(closed[k], d.String()), append(w.Closed, name+d.String()+"=Jubilee")
			} else {
				opened[k], w.Opened = append(opened[k], d.String()), append(w.Opened, name+d.String())
			}
		}
		// Edited by hand, a day that is closed is written of `open`, and one that is opened isn't short.
		edit := func(k int) (holidays, open string) {
			for _, d := range closed[k] {
				holidays += "\n      - {name: Jubilee, day: " + d + "}"
			}
			for _, d := range opened[k] {
				open += ", " + d
			}
			return strings.TrimLeft(holidays, "\n "), open
		}
		h0, o0 := edit(0)
		h1, o1 := edit(1)
		edited := fmt.Sprintf(text, h0, o0, h1, o1)
		for k, day := range []string{"2027-03-20", "2027-12-26"} {
			if slices.Contains(closed[k], day) {
				edited = strings.Replace(edited, "["+day, "[1999-01-01", 1)
			}
		}
		if slices.Contains(opened[0], "2027-12-24") {
			edited = strings.Replace(edited, "    short:", "    known-from: 0001-01-01\n    #", 1)
		}
		tried, want := load(fmt.Sprintf(text, "", "", "", ""), w), load(edited, WhatIf{})
		if tried != want {
			a, b := strings.Split(tried, "\n"), strings.Split(want, "\n")
			for i := range a {
				if i >= len(b) || a[i] != b[i] {
					t.Fatalf("%v: line %d\n%s\nwant\n%s", w, i, a[i], b[min(i, len(b)-1)])
				}
			}
		}
		if tried != plain {
			changed++
		}
	}
	if changed < rounds/2 {
		t.Errorf("only %d of %d change anything", changed, rounds)
	}
	for _, c := range []struct {
		w        WhatIf
		calendar string
		want     string
	}{
		{WhatIf{Closed: []string{"2027-02-30"}}, "", "expected a day or a range"}, {WhatIf{Opened: []string{"2027-02-03=x"}}, "", "only a closed day takes a name"},
		{WhatIf{Closed: []string{"isle:2027-02-03"}}, "", "did you mean `isles`?"}, {WhatIf{Closed: []string{":2027-02-03"}}, "", "expected a calendar in front of the colon"},
		{WhatIf{Closed: []string{"2027-02-03"}, Opened: []string{"isles:2027-02-01..2027-02-04"}}, "", "2027-02-03 is both closed and opened in isles"},
		{WhatIf{Closed: []string{"2027-02-03"}}, "(site)", "each row names its own calendar"},
		{WhatIf{Closed: []string{"2027-02-03", "isles:2027-02-04"}}, "isles + yard", ""},
	} {
		_ = os.WriteFile(path, []byte(fmt.Sprintf(text, "", "", "", "")), 0o644)
		p, err := Load(path, Settings{AsOf: 739900, WhatIf: c.w, Calendar: c.calendar})
		if c.want != "" && (err == nil || !strings.Contains(err.Error(), c.want)) || c.want == "" && err != nil {
			t.Errorf("%v: %v, want %q", c.w, err, c.want)
		}
		if c.want == "" {
			if rests, _ := p.WhatIf(); !strings.Contains(rests, "2027-02-03 closed in isles + yard, 2027-02-04 closed in isles") {
				t.Error(rests)
			}
			if isles, err := p.Calendar("isles"); err != nil || !isles.IsWorkday(740015) || p.Env.Calendar.IsWorkday(740015) {
				t.Errorf("a join is a calendar of its own: %v", err)
			}
		}
	}
}
