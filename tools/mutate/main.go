// Command mutate changes a room, or several, in small ways, one at a time, and counts
// which of the changes the tests notice: those of the room itself, or with -own=false
// those of the others too. It changes nothing on disk: each change is an
// overlay of one file. The choice is seeded, so the same tree gives the same list.
// Places named as arguments (internal/core/eval/kinds.go:12, or one change of it,
// "internal/core/eval/kinds.go:12 < <=") are tried alone.
package main

import (
	"bytes"
	"encoding/json"
	"flag"
	"fmt"
	"go/ast"
	"go/build"
	"go/parser"
	"go/token"
	"io/fs"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
)

// mutation is one change: the bytes from start to end of a file become text.
type mutation struct {
	file       string
	line       int
	start, end int
	was, text  string
}

// operatorSwaps are the operators that are taken for each other.
var operatorSwaps = map[token.Token]token.Token{
	token.LAND: token.LOR, token.LOR: token.LAND, token.LSS: token.LEQ, token.LEQ: token.LSS, token.GTR: token.GEQ,
	token.GEQ: token.GTR,
	token.EQL: token.NEQ, token.NEQ: token.EQL, token.ADD: token.SUB, token.SUB: token.ADD, token.MUL: token.QUO,
	token.QUO: token.MUL, token.REM: token.MUL,
}

func main() {
	n := flag.Int("n", 200, "how many changes are tried")
	seed := flag.Uint64("seed", 1, "of the choice")
	own := flag.Bool("own", true, "ask only the tests of the changed room")
	room := flag.String("room", "internal/core", "`FOLDER` whose code is changed, with those in it")
	flag.Parse()
	here, err := os.Getwd()
	check(err)
	root, err := filepath.Abs(*room)
	check(err)
	var all []mutation
	check(filepath.WalkDir(root, func(path string, e fs.DirEntry, err error) error {
		if err != nil || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		here, err := build.Default.MatchFile(filepath.Dir(path), e.Name()) // another system's files aren't tested here
		if here {
			all = append(all, mutations(path)...)
		}
		return err
	}))
	r := rand.New(rand.NewPCG(*seed, 0))
	r.Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
	dir, err := os.MkdirTemp("", "mutate")
	check(err)
	defer os.RemoveAll(dir)
	if out, err := exec.Command("go", "test", "-short", map[bool]string{true: "./" + filepath.ToSlash(*room) + "/...",
		false: "./..."}[*own]).CombinedOutput(); err != nil {
		fmt.Fprintf(os.Stderr, "the tests fail before anything is changed:\n%s", out)
		os.Exit(1)
	}
	killed, tried := 0, 0
	for _, m := range all {
		if tried == *n {
			break
		}
		rel, _ := filepath.Rel(here, m.file)
		at := fmt.Sprintf("%s:%d", filepath.ToSlash(rel), m.line)
		if flag.NArg() > 0 && !slices.Contains(flag.Args(), at) && !slices.Contains(flag.Args(), at+" "+m.was+" "+m.text) {
			continue
		}
		dead, by := runMutant(dir, m, "./"+filepath.ToSlash(filepath.Dir(rel)), *own)
		if by == "" { // it doesn't compile, which says nothing about the tests
			continue
		}
		tried++
		if dead {
			killed++
		}
		fmt.Printf("%-9s %s  %s → %s\n", by, at, m.was, m.text)
	}
	fmt.Printf("%s, seed %d: %d of %d noticed (%d%%), of %d possible\n", *room, *seed, killed, tried,
		100*killed/max(tried, 1), len(all))
}

func check(err error) {
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

// mutations lists the changes that can be made to a file.
func mutations(path string) (list []mutation) {
	src, err := os.ReadFile(path)
	check(err)
	files := token.NewFileSet()
	f, err := parser.ParseFile(files, path, src, 0)
	check(err)
	add := func(at token.Pos, was, text string) {
		p := files.Position(at)
		list = append(list, mutation{path, p.Line, p.Offset, p.Offset + len(was), was, text})
	}
	ast.Inspect(f, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.ImportSpec:
			return false
		case *ast.BinaryExpr:
			text := func(e ast.Expr) bool { l, ok := e.(*ast.BasicLit); return ok && l.Kind == token.STRING }
			if to, ok := operatorSwaps[n.Op]; ok && !text(n.X) && !text(n.Y) {
				add(n.OpPos, n.Op.String(), to.String())
			}
		case *ast.BasicLit:
			if v, err := strconv.Atoi(n.Value); n.Kind == token.INT && err == nil {
				add(n.Pos(), n.Value, strconv.Itoa(v+1))
			}
		case *ast.UnaryExpr:
			if n.Op == token.NOT {
				add(n.OpPos, "!", "")
			}
		case *ast.Ident:
			switch n.Name {
			case "true":
				add(n.Pos(), "true", "false")
			case "false":
				add(n.Pos(), "false", "true")
			}
		}
		return true
	})
	return list
}

// runMutant makes a change and runs tests: those of its own package, then unless alone those of
// the others, and of the program. by says who noticed; it is empty if the change doesn't compile.
func runMutant(dir string, m mutation, own string, alone bool) (dead bool, by string) {
	src, err := os.ReadFile(m.file)
	check(err)
	changed := slices.Concat(src[:m.start], []byte(m.text), src[m.end:])
	file, overlay := filepath.Join(dir, "changed.go"), filepath.Join(dir, "overlay.json")
	check(os.WriteFile(file, changed, 0o644))
	spec, err := json.Marshal(map[string]map[string]string{"Replace": {m.file: file}})
	check(err)
	check(os.WriteFile(overlay, spec, 0o644))
	run := func(packages ...string) (failed bool, out []byte) {
		cmd := exec.Command("go", append([]string{"test", "-short", "-failfast", "-vet=off", "-timeout=90s"}, packages...)...)
		cmd.Env = append(os.Environ(), "GOFLAGS=-overlay="+overlay) // for the program that tests build, too
		out, err := cmd.CombinedOutput()
		return err != nil, out
	}
	if failed, out := run(own); failed {
		if bytes.Contains(out, []byte("[build failed]")) {
			return false, ""
		}
		return true, "own"
	}
	if alone {
		return false, "SURVIVED"
	}
	listed, err := exec.Command("go", "list", "./internal/...").Output()
	check(err)
	others := slices.DeleteFunc(strings.Fields(string(listed)),
		func(p string) bool { return strings.HasSuffix(p, own[1:]) || strings.HasSuffix(p, "/cli") })
	if failed, _ := run(others...); failed {
		return true, "others"
	}
	if failed, _ := run("./internal/cli"); failed {
		return true, "program"
	}
	return false, "SURVIVED"
}
