package workflow

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"yoyaku/internal/query"
)

// TestPerSeries changes a plan at random, whose outputs are a file for each series: series
// come, go, are renamed or leave the output. Whatever was before, each date of the plan then
// is live in one file, that of its series, and nothing else is.
func TestPerSeries(t *testing.T) {
	dir := t.TempDir()
	r := rand.New(rand.NewPCG(25, 1))
	names := []string{"crew-pay", "con", "drill", "nul", "con_", "duty", "pay"}
	rules := []string{"monthly on 15", "monthly on last then roll preceding", "weekly on tue", "quarterly on last"}
	live := map[string]string{} // the rule of each series that is in the plan, with its output
	rounds := 60
	if testing.Short() {
		rounds = 20
	}
	write(t, filepath.Join(dir, "out", "alien.ics"), "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\nBEGIN:VEVENT\r\nUID:x@y\r\nDTSTAMP:20270101T000000Z\r\nDTSTART;VALUE=DATE:20270301\r\nSUMMARY:x\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n")
	alien := read(t, filepath.Join(dir, "out", "alien.ics"))
	for round := range rounds {
		for range 1 + r.IntN(3) {
			name := names[r.IntN(len(names))]
			switch _, there := live[name]; r.IntN(4) {
			case 0: // renamed
				if other := names[r.IntN(len(names))]; there && live[other] == "" {
					live[other] = live[name]
					delete(live, name)
				}
			case 1:
				delete(live, name)
			case 2: // no longer shown
				if there {
					live[name] = strings.TrimSuffix(live[name], "!") + "!"
				}
			default:
				live[name] = rules[r.IntN(len(rules))]
			}
		}
		series, of := "", []string{}
		for _, name := range slices.Sorted(maps.Keys(live)) {
			series += fmt.Sprintf("  %s: {rule: %s, milestones: {cut: \"date, -2 days\"}}\n", name, strings.TrimSuffix(live[name], "!"))
			if !strings.HasSuffix(live[name], "!") {
				of = append(of, name)
			}
		}
		if len(of) == 0 {
			continue
		}
		write(t, filepath.Join(dir, "yoyaku.yaml"), fmt.Sprintf("plan: 1\nid: office\nwindow: 2027-01..2027-06\nseries:\n%soutputs:\n  - {file: \"out/{series}.ics\", of: [%s], per: series}\n  - {file: \"out/t-{series}.csv\", of: [%[2]s], per: series}\n",
			series, strings.Join(of, ", ")))
		said, code := runCommand(t, dir, "run")
		if code != 0 {
			t.Fatalf("round %d: %s", round, said)
		}
		found := map[string]string{}
		files, _ := filepath.Glob(filepath.Join(dir, "out", "*.ics"))
		for _, path := range files {
			file := filepath.Base(path)
			events, err := query.ReadEvents(file, "", strings.NewReader(read(t, path)))
			if err != nil {
				t.Fatal(err)
			}
			for _, e := range events {
				if e.UID == "x@y" {
					continue
				}
				if found[e.UID] != "" {
					t.Fatalf("round %d: %s is live in %s and %s", round, e.UID, found[e.UID], file)
				}
				found[e.UID] = file
			}
		}
		for _, name := range of {
			file := map[string]string{"con": "con_.ics", "nul": "nul_.ics", "con_": "con__.ics"}[name]
			if file == "" {
				file = name + ".ics"
			}
			rows := strings.Split(strings.TrimSpace(read(t, filepath.Join(dir, "out", "t-"+strings.TrimSuffix(file, ".ics")+".csv"))), "\n")[1:]
			if len(rows) == 0 {
				t.Fatalf("no dates of %s", name)
			}
			for _, row := range rows {
				id := row[strings.LastIndexByte(row, ',')+1:]
				for _, uid := range []string{name + "." + id + "@office", name + ".cut." + id + "@office"} {
					if found[uid] != file && (uid[len(name)+1] != 'c' || found[uid] != "") { // a milestone may lie before the window
						t.Fatalf("round %d: %s is live in %q, not in %s\n%s", round, uid, found[uid], file, said)
					}
					delete(found, uid)
				}
			}
		}
		for uid, file := range found { // milestones of dates beyond the window
			if name, _, ok := strings.Cut(uid, ".cut.2027-07"); !ok && !strings.Contains(uid, ".cut.2027-W26") || !slices.Contains(of, strings.SplitN(name, ".", 2)[0]) {
				t.Fatalf("round %d: %s is still live in %s\n%s", round, uid, file, said)
			}
		}
		if again, code := runCommand(t, dir, "run"); code != 0 || strings.Contains(again, " changed ") || strings.Contains(again, " new ") {
			t.Fatalf("round %d: once more: %s", round, again)
		}
	}
	if read(t, filepath.Join(dir, "out", "alien.ics")) != alien {
		t.Error("a file of others was changed")
	}
}
