package cli_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
)

// stiff are fixed words of texts that nobody in the trade would write.
var stiff = []string{"keep them right", "who you are stands", "isn't as the plan says", "who are you there", "on to nowhere", "let this user in",
	"can't be right, so", "tells all", "not as released", "tells which", "expected are", "needs a look", "falls into what was asked",
	"make a table to look at", "value is wanted", "is wanted here", "a word that a pattern takes", "end of this stretch", "stands twice", "means nothing beside",
	"is needed: ", "cells to name a calendar", "complete themselves", "are fails too", "that one's tasks", "for what is gone", "what was begun is finished",
	"goes out as it came", "wrong word is pointed at", "are handed out, the same bytes twice", "without what collects names", "forgets what is held",
	"is told", "are told", "is said", "are said", "is wanted", "are wanted", "is meant", "which is no ", "is none of", "of its own accord",
	"as of old", "what there is to know", "anew", "the midst", "thereof", "reckon", "hither", "unless told"}

// TestVoice looks for such words in all that a user reads: help, errors and notes as they
// are in the source, the documents, the schemas and the pages.
func TestVoice(t *testing.T) {
	t.Parallel()
	read, texts := 0, map[string]string{}
	for _, root := range []string{"../../internal", "../../demo", "../../docs", "../../schema", "../../README.md"} {
		err := filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() {
				if err == nil && (d.Name() == "testdata" || d.Name() == "golden" || d.Name() == "files") {
					return fs.SkipDir
				}
				return err
			}
			switch filepath.Ext(path) {
			case ".go":
				if !strings.HasSuffix(path, "_test.go") {
					for place, text := range literals(t, path) {
						texts[place] = text
					}
				}
			case ".md", ".txt", ".json":
				data, err := os.ReadFile(path)
				if err != nil {
					return err
				}
				for n, line := range strings.Split(string(data), "\n") {
					texts[path+":"+strconv.Itoa(n+1)] = line
				}
			}
			return nil
		})
		if err != nil {
			t.Fatal(err)
		}
	}
	for place, text := range texts {
		read += len(text)
		for _, words := range stiff {
			if strings.Contains(" "+strings.ToLower(text), " "+words) {
				t.Errorf("%s: %q in %q", place, words, text)
			}
		}
	}
	if read < 300_000 {
		t.Errorf("only %d bytes of text were found", read)
	}
}

// literals are the texts in a Go file, by their places.
func literals(t *testing.T, path string) map[string]string {
	t.Helper()
	set := token.NewFileSet()
	file, err := parser.ParseFile(set, path, nil, 0)
	if err != nil {
		t.Fatal(err)
	}
	found := map[string]string{}
	ast.Inspect(file, func(n ast.Node) bool {
		if l, ok := n.(*ast.BasicLit); ok && l.Kind == token.STRING {
			if text, err := strconv.Unquote(l.Value); err == nil {
				found[set.Position(l.Pos()).String()] = strings.Join(strings.Fields(text), " ")
			}
		}
		return true
	})
	return found
}
