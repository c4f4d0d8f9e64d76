package workflow

import (
	"crypto/sha256"
	"encoding/csv"
	"encoding/hex"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/plan"
)

// changing is a plan that changes from one reading to the next.
type changing struct {
	holidays []string
	rule     int
	lead     int
	closing  bool // whether the second series is there
	renamed  bool // an item of the rule by another name of the same days
	window   string
	instead  []string
	closeCut string
}

func (o changing) text() string {
	rules := []string{"monthly on 15, last then roll preceding", "monthly on 14, last then roll preceding", "monthly on 15 then roll preceding", "monthly on 15, last then roll following"}
	var b strings.Builder
	fmt.Fprintf(&b, "plan: 1\nid: office\nwindow: %s\ncalendar: isles\ncalendars:\n  isles:\n    closed: sat, sun\n    holidays:\n      - {name: First, day: 2027-01-01}\n", o.window)
	for _, h := range o.holidays {
		fmt.Fprintf(&b, "      - {name: More, day: %s}\n", h)
	}
	fmt.Fprintf(&b, "series:\n  pay:\n    rule: %s\n    milestones:\n      cut: date, -%d working days\n      file: cut, +1 working day, at 12:00\n", rules[o.rule], o.lead)
	if o.instead != nil {
		fmt.Fprintf(&b, "    instead:\n%s", strings.Join(o.instead, ""))
	}
	if o.closing {
		item := "last working day"
		if o.renamed {
			item = "last" + " then roll preceding"
		}
		fmt.Fprintf(&b, "  close:\n    rule: quarterly on %s\n    milestones: {cut: \"%s\"}\n", item, o.closeCut)
	}
	return b.String()
}

func (o changing) load(t *testing.T, dir string, today int) *plan.Plan {
	t.Helper()
	path := filepath.Join(dir, plan.FileName)
	if err := os.WriteFile(path, []byte(o.text()), 0o644); err != nil {
		t.Fatal(err)
	}
	day, _ := civil.NewDate(2026, 11, today)
	p, err := plan.Load(path, plan.Settings{AsOf: day})
	if err != nil {
		t.Fatalf("%v in\n%s", err, o.text())
	}
	return p
}

// change changes something that moves dates, or nothing.
func (o changing) change(r *rand.Rand) changing {
	day := func() string { d, _ := civil.NewDate(2027, 1+r.IntN(12), 1+r.IntN(28)); return d.String() }
	o.holidays, o.instead = slices.Clone(o.holidays), slices.Clone(o.instead)
	switch r.IntN(8) {
	case 0, 1:
		o.holidays = append(o.holidays, day())
	case 2:
		o.rule = r.IntN(4)
	case 3:
		o.lead = 1 + r.IntN(6)
	case 4:
		o.closing = !o.closing
	case 5:
		o.renamed = !o.renamed
	case 6:
		o.window = []string{"2027", "2027..2028", "2027-04..2028-06"}[r.IntN(3)]
	case 7:
		o.closeCut = []string{"date, -3 working days", "date, -5 working days"}[r.IntN(2)]
	}
	return o
}

// shown is what any output shows of a plan: each date by series, what and id.
func shown(t *testing.T, p *plan.Plan, window civil.Span) map[string]eval.Value {
	t.Helper()
	entries, _, err := schedule.Entries(p.Series, window)
	if err != nil {
		t.Fatal(err)
	}
	all := map[string]eval.Value{}
	for _, e := range entries {
		all[e.Series.Name+" "+e.What+" "+e.Occurrence.ID] = e.At
	}
	return all
}

// fileRows are the lines of released.csv without what superseding changes.
func fileRows(t *testing.T, dir string) (list []string) {
	t.Helper()
	data, err := os.ReadFile(filepath.Join(dir, plan.ReleasedName))
	if err != nil {
		t.Fatal(err)
	}
	all, err := csv.NewReader(strings.NewReader(string(data))).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	for _, cells := range all[1:] {
		list = append(list, strings.Join(append(slices.Clone(cells[:12]), cells[13]), ","))
	}
	return list
}

// Whatever happens to a plan and its calendars, no released date changes in silence: it
// is held; or it is kept, and then shown as it was released; or it is released again, and
// then no line of the file is lost.
func TestReleasedDates(t *testing.T) {
	worlds := 150
	if testing.Short() {
		worlds = 4
	}
	r := rand.New(rand.NewPCG(14, 4))
	count := map[string]int{}
	for range worlds {
		dir := t.TempDir()
		o := changing{lead: 3, closing: true, window: "2027", closeCut: "date, -3 working days"}
		release := func(p *plan.Plan, through civil.Date, series ...string) {
			made, err := Release(p, ReleaseRequest{Through: through.String(), By: "A. Gull", Series: series}, noReports)
			if err == nil {
				err = made.Write()
			}
			if err != nil {
				t.Fatal(err)
			}
		}
		through, _ := civil.NewDate(2027, 6, 30)
		release(o.load(t, dir, 1), through)
		for step := range 12 {
			o = o.change(r)
			p := o.load(t, dir, 2+step)
			l, window := newLedger(p), *p.Window
			rows, err := l.rows()
			if err != nil {
				t.Fatal(err)
			}
			breaches, err := l.Breaches(nil, window)
			if err != nil {
				t.Fatal(err)
			}
			// check says when what is shown isn't what was released: by looking at each.
			now := shown(t, p, civil.Span{First: window.First - 400, Last: window.Last + 400})
			want := map[string]bool{}
			has := map[string]bool{}
			renamed := 0
			for _, row := range rows {
				if !row.IsCurrent() {
					continue
				}
				key := row.Series + " " + row.What + " " + row.ID
				has[key] = true
				when, there := now[key]
				if !(there && when.SameTime(row.At)) && (window.Contains(row.At.Day) || there && window.Contains(when.Day)) {
					want[key] = true
				}
			}
			for key, when := range now {
				of := strings.Split(key, " ")
				in := func(row schedule.Released) bool {
					return row.IsCurrent() && row.Series == of[0] && row.What == of[1] && when.Day >= row.From && when.Day <= row.Through
				}
				if !has[key] && window.Contains(when.Day) && slices.ContainsFunc(rows, in) {
					want[key] = true
				}
			}
			for _, h := range breaches {
				key := h.Series + " " + h.What + " " + h.ID
				if !want[key] {
					t.Fatalf("held without need: %s in\n%s", h, o.text())
				}
				delete(want, key)
				if h.Other != "" {
					renamed++
					delete(want, h.Series+" "+h.What+" "+h.Other)
				}
			}
			if len(want) > 0 {
				t.Fatalf("not held: %v in\n%s", want, o.text())
			}
			count["held"] += len(breaches)
			count["renamed"] += renamed
			before := fileRows(t, dir)
			switch r.IntN(3) {
			case 0: // kept: everything released is shown as it was, and nothing came in between
				if _, err := l.restore(nil, window); err != nil {
					t.Fatal(err)
				}
				now = shown(t, p, window)
				for _, row := range rows {
					when, there := now[row.Series+" "+row.What+" "+row.ID]
					if row.IsCurrent() && p.FindSeries(row.Series) != nil && window.Contains(row.At.Day) && (!there || !when.SameTime(row.At)) {
						t.Fatalf("kept, and yet %s %s %s is %s, not %s in\n%s", row.Series, row.What, row.ID, when, row.At, o.text())
					}
				}
				for _, h := range must(l.Breaches(nil, window)) {
					if p.FindSeries(h.Series) != nil {
						t.Fatalf("kept, and yet held: %s in\n%s", h, o.text())
					}
				}
				count["kept"]++
			case 1: // released again: nothing is held then, and no line is lost
				through := min(through+civil.Date(r.IntN(200)-30), window.Last)
				if through < window.First {
					continue
				}
				release(p, through)
				p = o.load(t, dir, 2+step)
				if l = newLedger(p); p.FindSeries("close") == nil && r.IntN(2) == 0 && slices.ContainsFunc(rows, func(row schedule.Released) bool { return row.Series == "close" && row.IsCurrent() }) {
					release(p, through, "close")
					p = o.load(t, dir, 2+step)
					l = newLedger(p)
				}
				for _, h := range must(l.Breaches(nil, civil.Span{First: window.First, Last: through})) {
					if p.FindSeries(h.Series) != nil {
						t.Fatalf("released again, and yet held: %s in\n%s", h, o.text())
					}
				}
				count["released"]++
			}
			after := fileRows(t, dir)
			if len(after) < len(before) || !slices.Equal(after[:len(before)], before) {
				t.Fatalf("a line was lost or changed:\n%s\nbecame\n%s", strings.Join(before, "\n"), strings.Join(after, "\n"))
			}
		}
	}
	for _, what := range []string{"held", "renamed", "kept", "released"} {
		if count[what] == 0 {
			t.Errorf("nothing was %s", what)
		}
	}
}

func must(list []schedule.Breach, err error) []schedule.Breach {
	if err != nil {
		panic(err)
	}
	return list
}

// A line that was changed, taken out or cut is reported, at its line if it has one.
func TestReleasedFile(t *testing.T) {
	dir := t.TempDir()
	o := changing{lead: 3, window: "2027"}
	p := o.load(t, dir, 1)
	through, _ := civil.NewDate(2027, 3, 31)
	made, err := Release(p, ReleaseRequest{Through: through.String(), By: "A. Gull"}, noReports)
	if err != nil {
		t.Fatal(err)
	}
	good := string(made.data)
	lines := strings.SplitAfter(good, "\n")
	for _, c := range []struct{ text, want string }{
		{good, ""},
		{strings.Replace(good, "2027-01-15,,", "2027-01-14,,", 1), "released.csv:4: this line was edited"},
		{strings.Join(slices.Delete(slices.Clone(lines), 3, 4), ""), " are missing: 3/18"},
		{strings.Join(lines[:len(lines)-2], ""), " are missing: 18/18"},
		{good[:len(good)/2], "this line has"},
		{"plan,series\n", "released.csv:1: expected the columns plan,series,what,id"},
		{"", "released.csv:1: expected the columns"},
		{good + "office,pay,\"cut", "this line is incomplete"},
		{good + strings.Replace(lines[1], "office,", "other,", 1), ""}, // of another plan
		{strings.Replace(good, ",3/18,", ",4/18,", 1), "this line was edited"},
	} {
		if err := os.WriteFile(filepath.Join(dir, plan.ReleasedName), []byte(c.text), 0o644); err != nil {
			t.Fatal(err)
		}
		_, err := newLedger(o.load(t, dir, 1)).Breaches(nil, *p.Window)
		if c.want == "" && err != nil || c.want != "" && (err == nil || !strings.Contains(err.Error(), c.want)) {
			t.Errorf("%.60q…: %v, want %s", c.text, err, c.want)
		}
	}
}

// TestBadLedger gives every command that asks for released dates a file that can't be
// read or trusted: one error, and nothing written.
func TestBadLedger(t *testing.T) {
	t.Parallel()
	dir := demoFolder(t)
	path := filepath.Join(dir, "released.csv")
	good := read(t, path)
	first := strings.SplitN(good, "\n", 3)
	forged, err := csv.NewReader(strings.NewReader(first[1])).Read() // with a hash that fits
	if err != nil {
		t.Fatal(err)
	}
	forged[11] = "note"
	forged[13] = "1/2000000000"
	line := func(change ...string) string { // place, value, …
		cells := slices.Clone(forged)
		for i := 0; i < len(change); i += 2 {
			at, _ := strconv.Atoi(change[i])
			cells[at] = change[i+1]
		}
		sum := sha256.Sum256([]byte(strings.Join(cells[:14], "\x00")))
		cells[14] = hex.EncodeToString(sum[:8])
		return strings.Join(cells, ",") + "\n"
	}
	for _, c := range []struct {
		what, text, want string
		code             int
	}{
		{"a folder", "", "is a folder", 2},
		{"a second heading", first[0] + "\n" + good, "the heading is repeated here", 1},
		{"a forged part", first[0] + "\n" + line(), " are missing: 2/2000000000, 3/2000000000, 4/2000000000, 5/2000000000, 6/2000000000, and 1999999994 more", 1},
		{"a part before the first", first[0] + "\n" + line("13", "0/1"), "expected a part of a release such as 3/42", 1},
		{"a part behind the last", first[0] + "\n" + line("13", "2/1"), "expected a part of a release such as 3/42", 1},
		{"one part of each of two days", first[0] + "\n" + line("13", "1/2") + line("13", "2/2", "7", "2026-12-30", "3", "2027-04/15"), " are missing: 2/2", 1},
		{"a line less", first[0] + "\n" + first[2], " are missing: 1/48", 1},
	} {
		if err := os.RemoveAll(path); err != nil {
			t.Fatal(err)
		}
		if c.text == "" {
			if err := os.Mkdir(path, 0o755); err != nil {
				t.Fatal(err)
			}
		} else {
			write(t, path, c.text)
		}
		for _, line := range []string{"check", "ahead", "run", "wall", "dates|crew-pay", "release|--through|2027-12-31|--by|x", "why|crew-pay|2027-03-12"} {
			said, code := runCommand(t, dir, line)
			if loose := line == "check" || strings.HasPrefix(line, "release"); code == 0 || code != c.code && !loose || !strings.Contains(said, c.want) {
				t.Errorf("%s, %s: %d %.600s, want %d %s", c.what, line, code, said, c.code, c.want)
			}
		}
	}
}
