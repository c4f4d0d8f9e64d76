package plan

import (
	"fmt"
	"strings"

	"github.com/goccy/go-yaml/ast"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/declare"
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
		return b, d.fail(n, "expected a number or a range, such as 24 or 26..27, found %q", text)
	}
	return b, nil
}

func newExpects() *schedule.Expects {
	return &schedule.Expects{Counts: map[string]schedule.Bounds{}}
}

// expects are the keys of what must hold of a series' dates, or of those of one of its
// rules; to is what is filled.
func (in *seriesIn) expects(to func() *schedule.Expects) *group {
	count := func(name, help, example string) *declare.Key {
		return &declare.Key{Name: name, Help: help, Example: example,
			Takes: bounds("").Then(func(b schedule.Bounds) error { to().Counts[name] = b; return nil })}
	}
	return &group{what: "expectations of a series", keys: []*declare.Key{
		count("per-month", "the number of dates in a month", "1..2"),
		count("per-quarter", "the number of dates in a quarter", "3"),
		count("per-year", "the number of dates in a year", "26..27"),
		count("per-fiscal-year", "the number of dates in a fiscal year", "24"),
		{Name: "gap", Help: "the number of days from one date to the next", Example: "11..19 days",
			Takes: bounds("day").Then(func(b schedule.Bounds) error { to().Gap = &b; return nil })},
		{Name: "each", Adds: true, Help: "conditions that hold for each date", Example: "bank-file < date",
			Takes: at(conditions, func(v *node, list []placed) error {
				e, env := to(), in.env
				env.Names = in.s.Names()
				for _, c := range list {
					x, err := eval.CompileExpect(c.text, env)
					if err != nil {
						return c.at.wrap(err)
					}
					v.at[fmt.Sprintf("%s.%d", v.path, len(e.Each))] = c.at
					e.Each = append(e.Each, x)
				}
				return nil
			})},
	}}
}

// expectAll are the keys of what must hold over all series.
func (p *Plan) expectAll() *group {
	return &group{what: "expectations across all series", keys: []*declare.Key{
		{Name: "per-day", Help: "the number of tasks of one owner on one day", Example: "0..2",
			Takes: at(bounds("task"), func(v *node, b schedule.Bounds) error {
				p.PerDay, p.PerDayAt = &b, v.spot()
				return nil
			})},
	}}
}

// RowsExpect is what must hold of a record's rows.
type RowsExpect struct {
	Rows         *schedule.Bounds // how many; nil for any number
	Unique, Each []string
	Sums         []RowsSum
}

// RowsSum is what the total of a column must be: from Least to Most, or what the total of a
// column of another record is.
type RowsSum struct {
	Column, Text string // Text is what was said
	Least, Most  eval.Value
	Record, Of   string // "" where the bounds are numbers
}

// parseSum reads what a total must be: a number, two of them, or RECORD.COLUMN.
func parseSum(column, text string) (s RowsSum, err error) {
	s.Column, s.Text = column, strings.TrimSpace(text)
	from, to, two := strings.Cut(s.Text, "..")
	if !two {
		to = from
	}
	least, ok := eval.ParseNumber(strings.TrimSpace(from))
	most, ok2 := eval.ParseNumber(strings.TrimSpace(to))
	if s.Least, s.Most = least, most; ok && ok2 {
		if eval.Order(most, least) < 0 {
			return s, fmt.Errorf("the range %q ends below its start", text)
		}
		return s, nil
	}
	e, err := phrase.ParseExpr(s.Text)
	other, named := e.(*phrase.Other)
	if err != nil || !named {
		return s, fmt.Errorf("expected a number, a range or the column of another record, such as 120000..130000 or leases.rent, found %q", text)
	}
	s.Record, s.Of = other.Series, other.What
	return s, nil
}

// expectKeys are the keys of what must hold of a record.
func (r *Record) expectKeys() *group {
	e := &RowsExpect{}
	return &group{what: "expectations of a record", done: func(*node) error { r.Expects = e; return nil }, keys: []*declare.Key{
		{Name: "rows", Help: "the number of rows", Example: "1..500", Takes: bounds("row").Ref(&e.Rows)},
		{Name: "unique", Help: "columns whose values must not repeat", Example: "contract", Takes: namesIn.Into(&e.Unique)},
		{Name: "sum", Help: "column totals: a number, bounds, or the total of another record's column",
			Example: "{rent: 120000..130000}", Takes: namesOf(func() *names {
				return &names{what: "sum", help: "a number, a range, or RECORD.COLUMN", each: func(v *node) error {
					text, err := v.doc.text(v.val)
					if err != nil {
						return err
					}
					s, err := parseSum(v.name, text)
					v.at[fmt.Sprintf("expect.sum.%d", len(e.Sums))] = v.spot()
					e.Sums = append(e.Sums, s)
					return err
				}}
			})},
		{Name: "each", Help: "conditions that hold for each row", Example: "ends >= start",
			Takes: at(conditions, func(v *node, list []placed) error {
				for _, c := range list {
					v.at[fmt.Sprintf("%s.%d", v.path, len(e.Each))] = c.at
					e.Each = append(e.Each, c.text)
				}
				return nil
			})},
	}}
}

// Apart are dates of series, or milestones, that never fall on one day.
type Apart struct {
	Of []schedule.Column
	At Spot
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
func (p *Plan) readApart(v *node) error {
	items, err := v.items("[crew-pay, fuel-duty]")
	if err != nil {
		return err
	}
	for _, item := range items {
		names, err := someNames.Read(item)
		if err != nil {
			return err
		}
		a := Apart{At: item.spot()}
		faulty := false
		for _, name := range names {
			columns := p.columnsOf(name.text)
			if columns == nil {
				of, _, _ := strings.Cut(name.text, ".")
				if faulty = p.faulty(of); faulty {
					continue
				}
				if p.FindAll(of) != nil {
					return name.at.wrap(fmt.Errorf("there is no milestone `%s` of `%s`", name.text, of))
				}
				place := p.Place()
				return name.at.wrap(place.UnknownSeries(name.text))
			}
			a.Of = append(a.Of, columns...)
		}
		if len(a.Of) < 2 && !faulty {
			return item.fail("`apart` needs two series or more")
		}
		p.Apart = append(p.Apart, a)
	}
	return nil
}
