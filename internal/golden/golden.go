// Package golden holds what tests see to what was read once and kept.
package golden

import (
	"flag"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

var update = flag.Bool("update", false, "write testdata anew; read the difference before it is kept")

// Compare fails where a text isn't that of a file, at the first line that differs; with -update
// it writes the file.
func Compare(t *testing.T, path, text string) {
	t.Helper()
	if *update {
		if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
		return
	}
	data, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	is, was := strings.Split(text, "\n"), strings.Split(string(data), "\n")
	for i := range max(len(is), len(was)) {
		if i >= len(is) || i >= len(was) || is[i] != was[i] {
			t.Fatalf("%s, line %d:\n%s\nwant\n%s", path, i+1, strings.Join(is[min(i, len(is)):min(i+1, len(is))], ""),
				strings.Join(was[min(i, len(was)):min(i+1, len(was))], ""))
		}
	}
}

// Cases are those of a file, a line each: so many texts with tabs between, in which \t, \n and
// \\ stand for themselves; a text that ends the line may be missing. Lines with # are comments.
func Cases(t *testing.T, path string, texts int) (list [][]string) {
	t.Helper()
	data, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	read := strings.NewReplacer(`\\`, `\`, `\t`, "\t", `\n`, "\n", `\r`, "\r")
	for line := range strings.Lines(string(data)) {
		line = strings.TrimSuffix(line, "\n")
		if line == "" || strings.HasPrefix(line, "# ") {
			continue
		}
		cells := strings.Split(line, "\t")
		if len(cells) > texts {
			t.Fatalf("%s: %d texts in the line %s", path, len(cells), line)
		}
		for i := range cells {
			cells[i] = read.Replace(cells[i])
		}
		list = append(list, append(cells, make([]string, texts-len(cells))...))
	}
	if list == nil {
		t.Fatalf("%s holds no cases", path)
	}
	return list
}

// Sample are every nth of cases that each take long, where `go test` is -short; else,
// and with -update, all of them.
func Sample[T any](all []T, nth int) []T {
	if !testing.Short() || *update {
		return all
	}
	var some []T
	for i := 0; i < len(all); i += nth {
		some = append(some, all[i])
	}
	return some
}
