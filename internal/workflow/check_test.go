package workflow

import (
	"path/filepath"
	"strings"
	"testing"

	"yoyaku/internal/golden"
)

// Ways to break the demo plan, each found at its line with what broke it.
func TestCheck(t *testing.T) {
	t.Parallel()
	dir := demoFolder(t)
	path := filepath.Join(dir, "yoyaku.yaml")
	good := read(t, path)
	for _, c := range golden.Cases(t, "testdata/check.cases", 3) {
		text := strings.Replace(good, c[0], c[1], 1)
		write(t, path, text)
		level := 1
		if strings.HasPrefix(c[2], "note,") {
			level = 0
		}
		if said, code := runCommand(t, dir, "check"); text == good || code != level || !strings.Contains(said, c[2]) {
			t.Errorf("%s: %d %.600s, want %s", c[1], code, said, c[2])
		}
	}
}
