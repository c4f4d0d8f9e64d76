// Package query holds what can be asked of a table or a schedule. A query
// is declared once: its name, its options, its answer. Flags, the keys of a
// plan's outputs, help, completion and the schema are read from the declaration.
package query

import (
	"fmt"
	"slices"
	"strings"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/declare"
)

// registry lists what makes each query; a query registers itself in its file.
var registry []func() *ask.Query

func register(f func() *ask.Query) { registry = append(registry, f) }

// All returns every query, by name, each with fields of its own.
func All() (list []*ask.Query) {
	for _, f := range registry {
		q := f()
		for _, o := range q.Options {
			o.Reset()
		}
		list = append(list, q)
	}
	slices.SortFunc(list, func(a, b *ask.Query) int { return strings.Compare(a.Name, b.Name) })
	return list
}

// New returns a query by its name that an output can make of a record. The
// error offers the nearest name.
func New(name string) (*ask.Query, error) {
	var names []string
	for _, q := range All() {
		if !q.ForRecords {
			continue
		}
		if q.Name == name {
			return q, nil
		}
		names = append(names, q.Name)
	}
	hint := phrase.Meant(name, names, "use one of "+declare.OrList(names))
	return nil, fmt.Errorf("unknown `make: %s`; %s", name, hint)
}
