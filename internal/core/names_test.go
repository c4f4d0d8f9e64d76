package core_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// particles are words that name no function: a stranger needs the body to know what is meant.
var particles = regexp.MustCompile(`^(?i)(of|own|told|beside|besides|by|on|to|from|out|then|without|or|and|as|over|under|below|behind|apart|here|there|now|once|again|so|such|one|two|some|none|other|others|same|else|made|held|taken|said|kept|given|seen|left|gone|carried|tried|worked|asked|lent|settled|both|through|this|that|what|who|why|how|where|stands|goes|tells|says|wants|least|most|less|few|many)$`)

// retired are identifiers for which there is a word of the trade, of an open standard or of Go:
// an override was a hand, a bound a most, a workspace a place.
var retired = regexp.MustCompile(`^(most[A-Z]\w*|longest[A-Z]\w*|a(Text|Yes|Title|Phrase|Number|Mapping|List)|\w*[a-z]Question|Question|Office|Thrift|Lane|lanes|Frame[A-Z]\w*|MadeTable|Whys|Telling|Hanging|hangs|StandsOut|standsOut|Marker|KeepsNames|Putting|putAside|Beside|Apart|Wants|Needed|Boast|Tell|Asked|making|Hands?|hands?|Ledgers|Spot|spot|unsure|Unsure|Knows|Stays|Lend|lend|Blame|shuts?|Shut|Stretch|stretches)$`)

// maxFunctionLines is how long a function may be, its first and last line included.
const maxFunctionLines = 80

// TestNames_aStrangerKnows reads the declarations of the house: functions have names that say
// what they do, no retired word comes back, what is exported has a comment that begins with its
// name, and functions are short enough to be read at once.
func TestNames_aStrangerKnows(t *testing.T) {
	declared := 0
	err := filepath.WalkDir("..", func(path string, e fs.DirEntry, err error) error {
		if err != nil || e.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		set := token.NewFileSet()
		f, err := parser.ParseFile(set, path, nil, parser.ParseComments)
		if err != nil {
			return err
		}
		check := func(id *ast.Ident, doc *ast.CommentGroup, isFunc, needsDoc bool) {
			declared++
			at := set.Position(id.Pos())
			if isFunc && particles.MatchString(id.Name) && !ast.IsExported(id.Name) {
				t.Errorf("%s: the function `%s` has no name; say what it does or returns", at, id.Name)
			}
			if retired.MatchString(id.Name) && !allowed[filepath.ToSlash(path)+" "+id.Name] {
				t.Errorf("%s: `%s` is of the retired vocabulary; use the word of the trade", at, id.Name)
			}
			if needsDoc && id.IsExported() && !startsWithName(doc.Text(), id.Name) {
				t.Errorf("%s: the comment on %s doesn't begin with its name: %.60q", at, id.Name, doc.Text())
			}
		}
		for _, d := range f.Decls {
			switch d := d.(type) {
			case *ast.FuncDecl:
				check(d.Name, d.Doc, true, d.Recv == nil || ast.IsExported(receiver(d)))
				first, last := set.Position(d.Pos()).Line, set.Position(d.End()).Line
				if n := last - first + 1; n > maxFunctionLines {
					t.Errorf("%s: %s has %d lines, at most %d", set.Position(d.Pos()), d.Name.Name, n, maxFunctionLines)
				}
			case *ast.GenDecl:
				for _, spec := range d.Specs {
					switch spec := spec.(type) {
					case *ast.TypeSpec:
						doc := spec.Doc
						if doc == nil {
							doc = d.Doc
						}
						check(spec.Name, doc, false, true)
						ast.Inspect(spec.Type, func(n ast.Node) bool {
							if field, ok := n.(*ast.Field); ok {
								for _, id := range field.Names {
									check(id, nil, false, false)
								}
							}
							return true
						})
					case *ast.ValueSpec:
						alone := len(d.Specs) == 1 && len(spec.Names) == 1
						for _, id := range spec.Names {
							check(id, d.Doc, false, alone)
						}
					}
				}
			}
		}
		return nil
	})
	if err != nil || declared < 5000 {
		t.Fatalf("read %d declarations: %v", declared, err)
	}
}

// allowed are names of the list that are right where they are.
var allowed = map[string]bool{}

func startsWithName(doc, name string) bool {
	for _, article := range []string{"", "A ", "An ", "The "} {
		if rest, ok := strings.CutPrefix(doc, article+name); ok && (rest == "" || !regexp.MustCompile(`^\w`).MatchString(rest)) {
			return true
		}
	}
	return false
}

// receiver is the type that a method belongs to.
func receiver(d *ast.FuncDecl) string {
	name := ""
	ast.Inspect(d.Recv.List[0].Type, func(n ast.Node) bool {
		if id, ok := n.(*ast.Ident); ok && name == "" {
			name = id.Name
		}
		return true
	})
	return name
}
