package workflow

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// TestWall_samePartsByRun makes each part behind a wall both ways, as an output of a plan and by
// the command: they are the same, and none is empty.
func TestWall_samePartsByRun(t *testing.T) {
	dir := demoFolder(t)
	asOf := strings.NewReplacer("as of 2026-11-25", "as of ") // the command has no clock here
	path := filepath.Join(dir, "yoyaku.yaml")
	text := read(t, path)
	before, rest, found := strings.Cut(text, "\noutputs:\n")
	if !found {
		t.Fatal(rest)
	}
	for _, part := range []string{"tables", "holidays", "moved", "expectations", "released", "signatures"} {
		output := "\noutputs:\n  - {file: made.html, make: wall, of: [crew-pay, fuel-duty], window: 2027, with: " + part + "}\n"
		if err := os.WriteFile(path, []byte(before+output), 0o644); err != nil {
			t.Fatal(err)
		}
		if said, code := runCommand(t, dir, "run"); code != 0 {
			t.Fatal(said)
		}
		made := asOf.Replace(read(t, filepath.Join(dir, "made.html")))
		page, code := runCommand(t, dir, "wall|crew-pay|fuel-duty|--window|2027|--with|"+part+"|--as|html")
		_, want, ok := strings.Cut(page, `<section class="part"`)
		_, got, _ := strings.Cut(made, `<section class="part"`)
		end := strings.Index(want, "</html>")
		if code != 0 || !ok || end < 0 || !strings.HasPrefix(got, want[:end]) || strings.Contains(want, "No dates of") {
			t.Errorf("%s: by the command\n%.600s\nby run\n%.600s", part, want, got)
		}
	}
}
