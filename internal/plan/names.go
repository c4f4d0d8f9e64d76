package plan

import (
	"errors"
	"fmt"
	"strings"
	"sync"

	"github.com/goccy/go-yaml/ast"
	"golang.org/x/text/unicode/norm"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/schedule"
)

// Names compare as Unicode's normal form has them wherever there is a plan, which a command always
// has, if an empty one.
func init() { phrase.Normalise = norm.NFC.String }

// nameSpaces are the kinds of entries that share their names.
var nameSpaces = map[string]string{"patterns": "a pattern", "series": "a series", "records": "a record"}

// claimName refuses a name that was given before, and remembers where this one was.
func (p *Plan) claimName(what string, d *doc, k ast.Node, name string) error {
	space := what
	if nameSpaces[what] != "" {
		space = "names"
	}
	fold := phrase.FoldName(name)
	if p.nameOrigins[space] == nil {
		p.nameOrigins[space] = map[string]Pos{}
	}
	if before, twice := p.nameOrigins[space][fold]; twice {
		return d.fail(k, "`%s` is already used at %s (upper and lower case, - and _ count as equal)", name,
			before.source())
	}
	p.nameOrigins[space][fold] = d.pos(k)
	return nil
}

// nameIndex finds what has a name in a list; the first of a name counts.
type nameIndex struct {
	mu      sync.Mutex // outputs are made side by side
	at      map[string]int
	indexed int // of the list so far, which grows, or is put in order
}

// find is the place of a name in a list of n, of which name i is of; -1 if it isn't there.
func (x *nameIndex) find(name string, n int, of func(i int) string) int {
	x.mu.Lock()
	defer x.mu.Unlock()
	for fold, again := phrase.FoldName(name), false; ; again = true {
		if x.at == nil || again {
			x.at, x.indexed = map[string]int{}, 0
		}
		for ; x.indexed < n; x.indexed++ {
			fold := phrase.FoldName(of(x.indexed))
			if _, before := x.at[fold]; !before {
				x.at[fold] = x.indexed
			}
		}
		i, ok := x.at[fold]
		if !ok {
			return -1
		}
		if i < n && phrase.FoldName(of(i)) == fold || again {
			return i
		}
	}
}

// namedEntries reads entries with names, each of which is new among those of its kind.
func (p *Plan) namedEntries(what string, do func(v *node) error) func(v *node) error {
	return func(v *node) error {
		if err := schedule.CheckName(v.name); err != nil {
			return v.doc.wrap(v.keyNode, err)
		}
		if err := p.claimName(what, v.doc, v.keyNode, v.name); err != nil {
			return err
		}
		return p.readNamed(v, do)
	}
}

// readNamed reads an entry with a name.
func (p *Plan) readNamed(v *node, do func(v *node) error) error {
	v.doc.collect.setSubject(v.name)
	defer v.doc.collect.setSubject("")
	err := do(v)
	if err != nil {
		p.broken[phrase.FoldName(v.name)] = true
	}
	if errors.Is(err, errReportedElsewhere) {
		return nil
	}
	return v.doc.collectError(v.wrap(err)) // while it is said what it is about
}

// CheckID says what an id may hold.
func CheckID(id string) error {
	if id == "" || strings.Trim(strings.ToLower(id), "abcdefghijklmnopqrstuvwxyz0123456789-._") != "" {
		return fmt.Errorf("expected an id of letters a to z, digits, `-`, `.` and `_`, found %q", eval.Truncate(id))
	}
	return nil
}
