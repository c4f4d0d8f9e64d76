package cli_test

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// Events of rules alone written over each other under one title after another, by this program
// and as they were written before events had marks: each date keeps its UID, nothing is
// cancelled, and SEQUENCE rises where the title changed alone.
func TestDates_titlesKeepEvents(t *testing.T) {
	r := rand.New(rand.NewPCG(36, 2))
	uids, marks := regexp.MustCompile(`(?m)^UID:(.*)\r$`), regexp.MustCompile(`(?m)^X-YOYAKU-RULE:.*\r\n`)
	titles := []string{"", "Pay", "Pay, late; ü", "Month: end", strings.Repeat("long words ", 12)}
	for _, extra := range [][]string{nil, {"--add", "papers = date - 3 days"}, {"--rrule"}, {"--todo"}, {"monthly on 15"}, {"--id", "wages"}} {
		dir, first, sequence, before := t.TempDir(), "", 0, -1
		for range 8 {
			title := r.IntN(len(titles))
			path := filepath.Join(dir, "m.ics")
			old, _ := os.ReadFile(path)
			unmarked := old != nil && sequence == 0 && r.IntN(2) == 0 // later its UID is that of another title
			if unmarked {
				if err := os.WriteFile(path, marks.ReplaceAll(old, nil), 0o600); err != nil {
					t.Fatal(err)
				}
			}
			args := append([]string{"dates", "monthly on last", "--window", "2027", "--out", "m.ics"}, extra...)
			if titles[title] != "" {
				args = append(args, "--title", titles[title])
			}
			_, said, code := yoyaku(t, dir, args...)
			if byRule := strings.Contains(said, "called by their rule, `monthly on last`; --title gives them a name"); code != 0 || byRule != (title == 0) {
				t.Fatalf("%q: %d %s", args, code, said)
			}
			data, err := os.ReadFile(path)
			if err != nil {
				t.Fatal(err)
			}
			if before >= 0 && title != before {
				sequence++
			} else if before >= 0 && string(data) != string(old) {
				t.Errorf("%q: written again with the same title, it differs", args)
			}
			before = title
			now := fmt.Sprint(uids.FindAllStringSubmatch(string(data), -1))
			if first == "" {
				first = now
			}
			if n := strings.Count(string(data), "X-YOYAKU-RULE"); now != first || strings.Contains(string(data), "CANCELLED") || n == 0 || n != strings.Count(string(data), "X-YOYAKU-HASH") ||
				!strings.Contains(string(data), fmt.Sprintf("SEQUENCE:%d\r", sequence)) {
				t.Fatalf("%q (unmarked: %t): %d marks, sequence %d, in\n%s", args, unmarked, n, sequence, data)
			}
		}
	}
}
