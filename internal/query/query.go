// Package query holds what can be asked of a table or a schedule. A query
// is declared once: its name, its options, its answer. Flags, the keys of a
// plan's outputs, help, completion and the schema are read from the declaration.
package query

import (
	"fmt"
	"slices"
	"strings"

	"yoyaku/internal/core/phrase"
	"yoyaku/internal/declare"
)

// Group is where a query stands among the commands.
type Group string

// The groups.
const (
	Rules    Group = "rules"
	Plan     Group = "plan"
	Tables   Group = "tables"
	Facts    Group = "facts"
	HandOver Group = "hand"
)

// Query is something that can be asked, with the fields that its options fill.
type Query struct {
	Name  string
	Group Group
	// Order orders the queries and commands of a group.
	Order int
	// Use is the line that shows its arguments, Short tells in one line what it
	// is for, Long in a few; Examples run in the demo folder.
	Use, Short, Long string
	Examples         string
	// MinArgs and MaxArgs bound its arguments, MaxArgs below 0 not at all; ArgsHelp says what
	// they are.
	MinArgs, MaxArgs int
	ArgsHelp         string
	// ArgsCompletion says what completion offers for arguments: series, calendars.
	ArgsCompletion string
	// TakesTable says that the first argument is a table, ForRecords that an output of a
	// plan can make it of a record.
	TakesTable, ForRecords bool
	// IsSingleValue answers are one value on one line, without options of the result.
	IsSingleValue bool
	// NeedsNoRecord says that an output of a plan makes it without a record.
	NeedsNoRecord bool
	// TakesPlanFile says that the first argument can be a plan's file; IsDrawing that the answer
	// is a picture, for people alone.
	TakesPlanFile, IsDrawing bool
	// GroupBy is the column whose rows are in blocks on a terminal.
	GroupBy string
	// GivesEvents says that the answer can be calendar events.
	GivesEvents bool
	// IgnoresPlan says that the answer needs nothing of a plan: a plan of this folder that
	// can't be read is left aside.
	IgnoresPlan bool
	Options     []*declare.Key
	// Answer works the answer out and hands it to j.To.
	// Rules say which options go together, beyond what each says of itself.
	Rules  []declare.Rule
	Answer func(j *Job) error
}

// registry lists what makes each query; a query registers itself in its file.
var registry []func() *Query

func register(f func() *Query) { registry = append(registry, f) }

// All returns every query, by name, each with fields of its own.
func All() (list []*Query) {
	for _, f := range registry {
		q := f()
		for _, o := range q.Options {
			o.Reset()
		}
		list = append(list, q)
	}
	slices.SortFunc(list, func(a, b *Query) int { return strings.Compare(a.Name, b.Name) })
	return list
}

// New returns a query by its name that an output can make of a record. The
// error offers the nearest name.
func New(name string) (*Query, error) {
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
