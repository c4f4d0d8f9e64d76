package plan

import (
	"errors"
	"fmt"
	"os"
	"slices"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/declare"
	"yoyaku/internal/query"
)

// Lookup is an entry of a record's `match`: columns of another table.
type Lookup struct {
	Query     *ask.Query // match, with its options
	Table     string     // path
	positions keyPositions
}

// readFrom reads `from`: a series, or a record that is above.
func (r recordReader) readFrom(v *node, name string) error {
	p := r.p
	if r.FromSeries = p.FindSeries(name); r.FromSeries != nil {
		return nil
	}
	if r.From = p.Record(name); r.From != nil {
		if r.depth = r.From.depth + 1; r.depth > maxDepth {
			return v.fail("this record is made from another, which is made from another, and so on; at most %d deep", maxDepth)
		}
		return nil
	}
	switch {
	case foldName(name) == foldName(r.Name):
		return v.fail("the record `%s` is made from itself", r.Name)
	case p.broken[foldName(name)]:
		return errReportedElsewhere
	case p.nameOrigins["names"][foldName(name)].doc != nil && p.patternOf(name) == nil:
		return v.fail("`%s` comes further down, or is made from `%s`; a record can use series and the records above it",
			name, r.Name)
	}
	return v.wrap(fmt.Errorf("%w, and there is no such record above", p.UnknownSeries(name)))
}

// checkSource checks that a record has one table, or what takes its place.
func (r recordReader) checkSource() error {
	made := r.FromSeries != nil || r.From != nil
	switch {
	case r.Table == "" && !made && r.HasKey("from"): // on what is broken, or isn't there
		return errReportedElsewhere
	case r.Table == "" && !made:
		return r.positions.WrapKey("",
			fmt.Errorf("the record `%s` needs a `table`, or `from`, to make it from a series or another record", r.Name))
	case r.Table != "" && made:
		return r.positions.WrapKey("from", fmt.Errorf("a record takes `table` or `from`, not both"))
	case r.Query != nil && r.From == nil:
		return r.positions.WrapKey("make", fmt.Errorf("`make` needs `from`, the record to make it from"))
	case r.From != nil && r.Query == nil && r.Lookups == nil && !r.HasKey("columns") && !r.HasKey("where") &&
		!r.HasKey("carry") && !r.HasKey("keep"):
		return r.positions.WrapKey("from",
			fmt.Errorf("`from: %s` needs `make`, such as {from: %[1]s, make: spread, start: first, end: last, by: month}", r.From.Name))
	}
	if made {
		for _, o := range r.In.Options() {
			if _, said := r.positions[o.Name]; said && o.Name != "bad-rows" {
				return r.positions.WrapKey(o.Name, fmt.Errorf("`%s` is for tables in files; `%s` is made from another record", o.Name, r.Name))
			}
		}
	}
	switch {
	case r.FromSeries != nil:
		r.Table = r.FromSeries.Name
	case r.From != nil:
		r.Table = r.Name
	}
	if r.Query == nil {
		return nil
	}
	for _, o := range r.Query.Options {
		if err := o.Check(r.p.Env); err != nil {
			return r.positions.WrapKey(o.Name, err)
		}
	}
	return r.positions.wrapOption(declare.CheckCombination(r.Query.Options, r.Query.Rules...))
}

// lookupKeys are the keys of an entry of `match`, if nothing is filled.
func lookupKeys() *keyGroup {
	q, err := query.New("match")
	if err != nil {
		panic(err)
	}
	return (&Lookup{Query: q}).group(nil)
}

func (l *Lookup) group(p *Plan) *keyGroup {
	g := &keyGroup{label: "a look-up", keys: []*declare.Key{
		{Name: "table", Required: true, Help: "the table to look in", Example: "sites.csv",
			Value: at(textKind, func(v *node, text string) error {
				l.Table = v.doc.resolvePath(text)
				if _, err := os.Stat(l.Table); err != nil {
					return err
				}
				return p.Files.AddInput(l.Table)
			})},
	}}
	g.options(slices.DeleteFunc(slices.Clone(l.Query.Options), func(o *declare.Key) bool { return o.Name == "ranges" }))
	return g
}

// lookups reads `match`.
func (r recordReader) lookups(v *node) error {
	items, err := v.items("{table: sites.csv, key: site, take: [calendar]}")
	if err != nil {
		return err
	}
	for _, item := range items {
		q, err := query.New("match")
		if err != nil {
			return err
		}
		l := &Lookup{Query: q, positions: keyPositions{}}
		for _, o := range q.Options {
			o.Reset()
		}
		if err := l.group(r.p).fill(&node{doc: item.doc, valueNode: item.valueNode, positions: l.positions}); err != nil {
			return err
		}
		for _, o := range q.Options {
			if o.Name == "ranges" {
				err = o.Set(l.Table)
			}
			if err == nil {
				err = o.Check(r.p.Env)
			}
			if err != nil {
				return l.positions.WrapKey(o.Name, err)
			}
		}
		if err := declare.CheckCombination(q.Options, q.Rules...); err != nil {
			return l.positions.wrapOption(err)
		}
		r.Lookups = append(r.Lookups, l)
	}
	return nil
}

// WrapError puts the place of the look-up's key around an error, or that of the record's own key.
func (l *Lookup) WrapError(r *Record, err error) error {
	var option *rows.OptionError
	if errors.As(err, &option) && l.positions[option.Option].doc == nil && r.positions[option.Option].doc != nil {
		return r.WrapError(err)
	}
	return l.positions.wrapOption(err)
}
