package core_test

import (
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"
)

// floors orders the rooms of the core: each may import only those before it.
var floors = []string{"civil", "language", "workdays", "daycount", "recur", "phrase", "eval", "schedule", "infer", "rows"}

// above are the rooms over the core, each importing only those before it.
var above = []string{"files", "ical", "caldav", "publish", "heap", "tabular", "render", "declare", "ask", "query", "plan", "workflow", "draft", "cli"}

// TestImportLayers: the core touches neither files, clock nor output, and imports go one way.
func TestImportLayers(t *testing.T) {
	touches := regexp.MustCompile(`time\.Now\(|fmt\.(Print|Fprint|Scan)`)
	index := func(list []string, name string) int {
		for i, n := range list {
			if n == name {
				return i
			}
		}
		return -1
	}
	files := 0
	err := filepath.WalkDir("..", func(path string, e fs.DirEntry, err error) error {
		if err != nil || e.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		files++
		parts := strings.Split(filepath.ToSlash(path), "/") // .. core civil date.go
		inCore := parts[1] == "core"
		src, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		f, err := parser.ParseFile(token.NewFileSet(), path, src, parser.ImportsOnly)
		if err != nil {
			return err
		}
		for _, spec := range f.Imports {
			imp, _ := strconv.Unquote(spec.Path.Value)
			room := strings.TrimPrefix(imp, "yoyaku/internal/")
			switch {
			case imp == room: // not of this house
				root := strings.Split(imp, "/")[0]
				if inCore && (strings.Contains(root, ".") || root == "os" || root == "log" || root == "net" || imp == "io/fs" || imp == "time") {
					t.Errorf("%s imports %s: the core stands on the standard library, without files and clock", path, imp)
				}
			case strings.HasPrefix(room, "core/"):
				if here, there := index(floors, parts[2]), index(floors, room[5:]); inCore && (there < 0 || there >= here) {
					t.Errorf("%s imports %s, which lies above it", path, imp)
				}
			case inCore:
				t.Errorf("%s imports %s, which lies above the core", path, imp)
			default:
				if index(above, room) >= index(above, parts[1]) {
					t.Errorf("%s imports %s, which lies above it", path, imp)
				}
			}
		}
		if m := touches.FindString(string(src)); inCore && m != "" {
			t.Errorf("%s calls %s", path, m)
		}
		return nil
	})
	if err != nil || files < 30 {
		t.Fatalf("read %d files: %v", files, err)
	}
}
