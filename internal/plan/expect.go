package plan

import (
	"fmt"
	"slices"
	"strings"

	"github.com/goccy/go-yaml/ast"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/schedule"
)

var (
	expectShape = &shape{what: "what is expected of a series", keys: []keyOf{
		{name: "per-month", help: "how many dates a month has: 2, or 1..2"},
		{name: "per-quarter", help: "how many dates a quarter has"},
		{name: "per-year", help: "how many dates a year has: 24, or 26..27"},
		{name: "per-fiscal-year", help: "how many dates a fiscal year has"},
		{name: "gap", help: "the days from one date to the next: 11..19 days"},
		{name: "each", help: "conditions that hold of each date: bank-file < date", takes: someTexts},
	}}
	expectAllShape = &shape{what: "what is expected of all series", keys: []keyOf{
		{name: "per-day", help: "how many tasks an owner has on a day: 0..2"},
	}}
	rowsExpectShape = &shape{what: "what is expected of a record", keys: []keyOf{
		{name: "rows", help: "how many rows there are: 40, or 1..500"},
		{name: "unique", help: "columns of which no value stands twice", takes: someTexts},
		{name: "each", help: "conditions that hold of each row: ends >= start", takes: someTexts},
	}}
)

// bounds reads N or N..M, with a unit behind it where one goes.
func (d *doc) bounds(n ast.Node, unit string) (schedule.Bounds, error) {
	text, err := d.filled(n)
	if err != nil {
		return schedule.Bounds{}, err
	}
	number := strings.TrimSpace(text)
	if unit != "" {
		number = strings.TrimSpace(strings.TrimSuffix(strings.TrimSuffix(number, unit+"s"), unit))
	}
	b, err := schedule.ParseBounds(number)
	if err != nil {
		return b, d.fail(n, "%q is neither a number nor two of them: 24, or 26..27", text)
	}
	return b, nil
}

// expect reads what must hold of a series.
func (p *Plan) expect(s *schedule.Series, said *layered, env eval.Env) error {
	for _, read := range said.later {
		if err := read(); err != nil {
			return err
		}
	}
	if _, ok := said.keys["expect"]; !ok {
		return nil
	}
	e := &schedule.Expects{Counts: map[string]schedule.Bounds{}}
	for _, t := range append(slices.Clone(said.lists["expect"]), said.each...) {
		if err := t.doc.or(t.doc.wrap(t.val, p.expectation(e, s, t, "expect.", env))); err != nil {
			return err
		}
	}
	s.Expects = e
	return nil
}

// expectation reads one of the keys of what must hold; under is what its places are
// called in findings.
func (p *Plan) expectation(e *schedule.Expects, s *schedule.Series, t told, under string, env eval.Env) error {
	at := p.at[s.Name]
	env.Names = s.Names()
	at[under+t.key] = spot{t.doc, t.val}
	switch t.key {
	case "each":
		texts, nodes, err := t.doc.conditions(t.val)
		for i, text := range texts {
			x, err := eval.CompileExpect(text, env)
			if err != nil {
				return t.doc.wrap(nodes[i], err)
			}
			at[fmt.Sprintf("%seach.%d", under, len(e.Each))] = spot{t.doc, nodes[i]}
			e.Each = append(e.Each, x)
		}
		return err
	case "gap":
		b, err := t.doc.bounds(t.val, "day")
		if err == nil {
			e.Gap = &b
		}
		return err
	}
	b, err := t.doc.bounds(t.val, "")
	if err == nil { // else it would be held to 0
		e.Counts[t.key] = b
	}
	return err
}

// expectAll reads what must hold over all series.
func (p *Plan) expectAll(d *doc, n ast.Node) error {
	return d.each(n, expectAllShape, func(_ string, _, v ast.Node) error {
		b, err := d.bounds(v, "task")
		if err == nil {
			p.PerDay, p.perDayAt = &b, spot{d, v}
		}
		return err
	})
}

// rowsExpect is what must hold of a record's rows.
type rowsExpect struct {
	rows   *schedule.Bounds
	unique []string
	each   []string
	at     map[string]ast.Node // the places of keys
}

// expect reads what must hold of a record.
func (r *Record) expect(d *doc, n ast.Node) error {
	e := &rowsExpect{at: map[string]ast.Node{"": n}}
	r.expects = e
	return d.each(n, rowsExpectShape, func(key string, _, v ast.Node) (err error) {
		e.at[key] = v
		switch key {
		case "rows":
			b, err := d.bounds(v, "row")
			if err == nil {
				e.rows = &b
			}
			return err
		case "unique":
			e.unique, _, err = d.texts(v)
			return err
		}
		texts, nodes, err := d.conditions(v)
		for i, text := range texts {
			e.at[fmt.Sprintf("each.%d", len(e.each))] = nodes[i]
			e.each = append(e.each, text)
		}
		return err
	})
}

// apartOf are series that never have dates on one day.
type apartOf struct {
	of   []schedule.Column
	doc  *doc
	node ast.Node
}

// columnsOf are the dates that a name stands for: those of a series, of its milestone as
// series.milestone, or of all series that are like a pattern.
func (p *Plan) columnsOf(name string) (list []schedule.Column) {
	name, what, milestone := strings.Cut(name, ".")
	for _, s := range p.FindAll(name) {
		if !milestone {
			list = append(list, schedule.Column{Series: s, What: "date"})
			continue
		}
		for _, m := range s.Milestones {
			if phrase.SameName(m.Name, what) {
				list = append(list, schedule.Column{Series: s, What: m.Name})
			}
		}
	}
	return list
}

// readApart reads the lists of series that stay apart.
func (p *Plan) readApart(d *doc, n ast.Node) error {
	seq, ok := n.(*ast.SequenceNode)
	if !ok {
		return d.fail(n, "`apart` is a list of lists: `- [crew-pay, fuel-duty]`")
	}
	for _, item := range seq.Values {
		names, nodes, err := d.texts(item)
		if err != nil {
			return err
		}
		a := apartOf{doc: d, node: item}
		lame := false
		for i, name := range names {
			columns := p.columnsOf(name)
			if columns == nil {
				of, _, _ := strings.Cut(name, ".")
				if lame = p.lameOf(of); lame {
					continue
				}
				if p.FindAll(of) != nil {
					return d.fail(nodes[i], "`%s` names no milestone of `%s`", name, of)
				}
				place := p.Place()
				return d.wrap(nodes[i], place.UnknownSeries(name))
			}
			a.of = append(a.of, columns...)
		}
		if len(a.of) < 2 && !lame {
			return d.fail(item, "series stay apart from each other: name two or more")
		}
		p.apart = append(p.apart, a)
	}
	return nil
}
