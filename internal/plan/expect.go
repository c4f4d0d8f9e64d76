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
	text, err := d.substituted(n)
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

func newExpects() *schedule.Expectations {
	return &schedule.Expectations{Counts: map[string]schedule.Bounds{}}
}

// expectationKeys are the keys of what must hold of a series' dates, or of those of one of its
// rules; to is what is filled.
func (in *seriesReader) expectationKeys(to func() *schedule.Expectations) *keyGroup {
	count := func(name, help, example string) *declare.Key {
		return &declare.Key{Name: name, Help: help, Example: example,
			Value: boundsKind("").Call(func(b schedule.Bounds) error { to().Counts[name] = b; return nil })}
	}
	return &keyGroup{label: "expectations of a series", keys: []*declare.Key{
		count("per-month", "the number of dates in a month", "1..2"),
		count("per-quarter", "the number of dates in a quarter", "3"),
		count("per-year", "the number of dates in a year", "26..27"),
		count("per-fiscal-year", "the number of dates in a fiscal year", "24"),
		{Name: "gap", Help: "the number of days from one date to the next", Example: "11..19 days",
			Value: boundsKind("day").Call(func(b schedule.Bounds) error { to().Gap = &b; return nil })},
		{Name: "each", Appends: true, Help: "conditions that hold for each date", Example: "bank-file < date",
			Value: at(conditionsKind, func(v *node, list []textAt) error {
				e, env := to(), in.env
				env.Names = in.series.Names()
				for _, c := range list {
					x, err := eval.CompileExpectation(c.text, env)
					if err != nil {
						return c.pos.wrap(err)
					}
					v.positions[fmt.Sprintf("%s.%d", v.path, len(e.Each))] = c.pos
					e.Each = append(e.Each, x)
				}
				return nil
			})},
	}}
}

// expectationKeys are the keys of what must hold over all series.
func (p *Plan) expectationKeys() *keyGroup {
	return &keyGroup{label: "expectations across all series", keys: []*declare.Key{
		{Name: "per-day", Help: "the number of tasks of one owner on one day", Example: "0..2",
			Value: at(boundsKind("task"), func(v *node, b schedule.Bounds) error {
				p.PerDay, p.PerDayPos = &b, v.pos()
				return nil
			})},
	}}
}

// RecordExpectations is what must hold of a record's rows.
type RecordExpectations struct {
	Rows         *schedule.Bounds // how many; nil for any number
	Unique, Each []string
	Sums         []SumExpectation
}

// SumExpectation is what the total of a column must be: from Least to Most, or what the total of a
// column of another record is.
type SumExpectation struct {
	Column, Text        string // Text is what was said
	Min, Max            eval.Value
	Record, OtherColumn string // "" where the bounds are numbers
}

// parseSum reads what a total must be: a number, two of them, or RECORD.COLUMN.
func parseSum(column, text string) (s SumExpectation, err error) {
	s.Column, s.Text = column, strings.TrimSpace(text)
	from, to, two := strings.Cut(s.Text, "..")
	if !two {
		to = from
	}
	least, ok := eval.ParseNumber(strings.TrimSpace(from))
	most, ok2 := eval.ParseNumber(strings.TrimSpace(to))
	if s.Min, s.Max = least, most; ok && ok2 {
		if eval.CompareCells(most, least) < 0 {
			return s, fmt.Errorf("the range %q ends below its start", text)
		}
		return s, nil
	}
	e, err := phrase.ParseExpr(s.Text)
	other, named := e.(*phrase.SeriesRef)
	if err != nil || !named {
		return s, fmt.Errorf("expected a number, a range or the column of another record, such as 120000..130000 or leases.rent, found %q", text)
	}
	s.Record, s.OtherColumn = other.Series, other.What
	return s, nil
}

// expectKeys are the keys of what must hold of a record.
func (r *Record) expectKeys() *keyGroup {
	e := &RecordExpectations{}
	return &keyGroup{label: "expectations of a record", onRead: func(*node) error { r.Expects = e; return nil }, keys: []*declare.Key{
		{Name: "rows", Help: "the number of rows", Example: "1..500", Value: boundsKind("row").IntoOptional(&e.Rows)},
		{Name: "unique", Help: "columns whose values must not repeat", Example: "contract", Value: nameListKind.Into(&e.Unique)},
		{Name: "sum", Help: "column totals: a number, bounds, or the total of another record's column",
			Example: "{rent: 120000..130000}", Value: takesNames(func() *nameMap {
				return &nameMap{label: "sum", help: "a number, a range, or RECORD.COLUMN", readEach: func(v *node) error {
					text, err := v.doc.text(v.valueNode)
					if err != nil {
						return err
					}
					s, err := parseSum(v.name, text)
					v.positions[fmt.Sprintf("expect.sum.%d", len(e.Sums))] = v.pos()
					e.Sums = append(e.Sums, s)
					return err
				}}
			})},
		{Name: "each", Help: "conditions that hold for each row", Example: "ends >= start",
			Value: at(conditionsKind, func(v *node, list []textAt) error {
				for _, c := range list {
					v.positions[fmt.Sprintf("%s.%d", v.path, len(e.Each))] = c.pos
					e.Each = append(e.Each, c.text)
				}
				return nil
			})},
	}}
}

// Separation are dates of series, or milestones, that never fall on one day.
type Separation struct {
	Columns []schedule.Column
	Pos     Pos
}

// columnsOf are the dates that a name stands for: those of a series, of its milestone as
// series.milestone, or of all series that are like a pattern.
func (p *Plan) columnsOf(name string) (list []schedule.Column) {
	name, what, milestone := strings.Cut(name, ".")
	for _, s := range p.FindAllSeries(name) {
		if !milestone {
			list = append(list, schedule.Column{Series: s, What: "date"})
			continue
		}
		for _, m := range s.Milestones {
			if phrase.NamesEqual(m.Name, what) {
				list = append(list, schedule.Column{Series: s, What: m.Name})
			}
		}
	}
	return list
}

// readSeparations reads the lists of series that stay apart.
func (p *Plan) readSeparations(v *node) error {
	items, err := v.items("[crew-pay, fuel-duty]")
	if err != nil {
		return err
	}
	for _, item := range items {
		names, err := namesKind.Read(item)
		if err != nil {
			return err
		}
		a := Separation{Pos: item.pos()}
		faulty := false
		for _, name := range names {
			columns := p.columnsOf(name.text)
			if columns == nil {
				of, _, _ := strings.Cut(name.text, ".")
				if faulty = p.isBroken(of); faulty {
					continue
				}
				if p.FindAllSeries(of) != nil {
					return name.pos.wrap(fmt.Errorf("there is no milestone `%s` of `%s`", name.text, of))
				}
				return name.pos.wrap(p.UnknownSeries(name.text))
			}
			a.Columns = append(a.Columns, columns...)
		}
		if len(a.Columns) < 2 && !faulty {
			return item.fail("`apart` needs two series or more")
		}
		p.Separations = append(p.Separations, a)
	}
	return nil
}
