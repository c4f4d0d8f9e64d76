package plan

import (
	"fmt"
	"strings"

	"github.com/goccy/go-yaml/ast"

	"yoyaku/internal/core/eval"
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
	rowsExpectShape = &shape{what: "what is expected of a record", keys: []keyOf{
		{name: "rows", help: "how many rows there are: 40, or 1..500"},
		{name: "unique", help: "columns of which no value stands twice", takes: someTexts},
		{name: "each", help: "conditions that hold of each row: ends >= start", takes: someTexts},
	}}
)

// bounds reads N or N..M, with a unit behind it where one goes.
func (d *doc) bounds(n ast.Node, unit string) (schedule.Bounds, error) {
	text, err := d.text(n)
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
func (p *Plan) expect(d *doc, s *schedule.Series, n ast.Node, env eval.Env) error {
	e := &schedule.Expects{Counts: map[string]schedule.Bounds{}}
	at := p.at[s.Name]
	env.Names = s.Names()
	err := d.each(n, expectShape, func(key string, _, v ast.Node) error {
		at["expect."+key] = v
		switch key {
		case "each":
			texts, nodes, err := d.conditions(v)
			for i, text := range texts {
				x, err := eval.CompileExpect(text, env)
				if err != nil {
					return d.wrap(nodes[i], err)
				}
				at[fmt.Sprintf("expect.each.%d", len(e.Each))] = nodes[i]
				e.Each = append(e.Each, x)
			}
			return err
		case "gap":
			b, err := d.bounds(v, "day")
			e.Gap = &b
			return err
		}
		b, err := d.bounds(v, "")
		e.Counts[key] = b
		return err
	})
	s.Expects = e
	return err
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
			e.rows = &b
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
	series []*schedule.Series
	node   ast.Node
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
		a := apartOf{node: item}
		for i, name := range names {
			s := p.Find(name)
			if s == nil {
				if p.failed[foldName(name)] {
					continue
				}
				place := p.Place()
				return d.wrap(nodes[i], place.UnknownSeries(name))
			}
			a.series = append(a.series, s)
		}
		if len(names) < 2 {
			return d.fail(item, "series stay apart from each other: name two or more")
		}
		p.apart = append(p.apart, a)
	}
	return nil
}
