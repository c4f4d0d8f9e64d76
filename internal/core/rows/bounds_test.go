package rows_test

import (
	"bytes"
	"fmt"
	"strings"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/workdays"
	"yoyaku/internal/tabular"
)

// What takes too much is refused with its reason, however it is asked for and only beyond the
// bounds; tables whose rows ask for no more than rows do have none.
func TestBounds_refused(t *testing.T) {
	defer rows.Lower()()
	table := func(n int, cell string) *rows.Table {
		text := "x,y\n" + strings.Repeat(cell+",b\n", n)
		r, _, err := tabular.Open("-", strings.NewReader(text), tabular.Options{})
		check(t, err)
		return rows.NewTable("t", r, eval.Env{Fiscal: civil.DefaultFiscalCalendar})
	}
	const many, sorts, works, long = "can be written", "can be sorted", "too many operations", "are too long"
	sums := func(n int) string { return "s = 1" + strings.Repeat(" + 1", n) }
	for _, c := range []struct {
		rows int
		cell string
		add  string
		each int // rows that are put beside each
		sort []string
		want string
	}{
		{200, "a", sums(8), 0, nil, ""}, {2000, "a", sums(8), 0, nil, ""}, {2000, "a", sums(9), 0, nil, works}, {1000, "a", "d = 2027-01-01" + strings.Repeat(", +1 day", 10), 0, nil, works},
		{200, "a", sums(20), 0, nil, ""}, {300, "a", sums(20), 0, nil, works}, {300, "a", sums(20), 0, []string{"y"}, works},
		{900, "a", "s = x & '" + strings.Repeat("b", 55) + "'", 0, nil, ""}, {900, "a", "s = x & '" + strings.Repeat("b", 60) + "'", 0, nil, long}, {300, "a", "s = x & '" + strings.Repeat("b", 60) + "'", 0, nil, ""},
		{500, strings.Repeat("a", 50), "s = x & x & y", 0, nil, ""}, {500, strings.Repeat("a", 50), "s = x & x & y", 0, []string{"y"}, ""}, {500, strings.Repeat("a", 50), "s = x & x & x & x & x", 0, nil, long},
		{500, strings.Repeat("a", 50), "s = x & x & x & x & x", 0, []string{"y"}, long},
		{1, "a", "", 300, nil, ""}, {1, "a", "", 301, nil, many}, {100, "a", "", 20, nil, ""}, {100, "a", "", 21, nil, many}, {1, strings.Repeat("a", 500), "", 17, nil, ""}, {30, strings.Repeat("a", 500), "", 15, nil, ""}, {30, strings.Repeat("a", 500), "", 9, []string{"y"}, ""},
		{1, strings.Repeat("a", 500), "", 30, nil, many}, {1, "a", "", 100, []string{"y"}, ""}, {1, "a", "", 101, []string{"y"}, sorts}, {50, "a", "", 10, []string{"y"}, ""}, {50, "a", "", 11, []string{"y"}, sorts},
		{1, strings.Repeat("a", 500), "", 7, []string{"y"}, ""}, {1, strings.Repeat("a", 500), "", 13, []string{"y"}, sorts},
	} {
		for _, where := range [][]string{nil, {"y = 'b'"}} {
			var out bytes.Buffer
			d := table(c.rows, c.cell)
			result := rows.Result{Sink: tabular.NewCSV(&out, ',', false), Sort: c.sort, Where: where}
			var err error
			if c.each == 0 {
				if where != nil {
					continue // is an operation itself
				}
				check(t, d.Add([]string{c.add}, false, d.Env))
				_, err = result.WriteTable(d)
			} else {
				err = result.Expand(d, []string{"x", "y", "n"}, d.Env, func() rows.Expander {
					return func(g rows.SourceRow, put rows.PutExtended) error {
						for i := range c.each {
							if err := put(g.Text, g.Row, []eval.Value{eval.Int(i)}); err != nil {
								return err
							}
						}
						return nil
					}
				}, func(rows.BadCells) error { return nil })
			}
			if (err == nil) != (c.want == "") || err != nil && !strings.Contains(err.Error(), c.want) {
				t.Errorf("%d rows of %.9q, %.30q, %d each, sorted by %v, where %v: %v, want %q", c.rows, c.cell, c.add, c.each, c.sort, where, err, c.want)
			}
			if n := max(1, c.each) * c.rows; err == nil && strings.Count(out.String(), "\n") != n+1 {
				t.Errorf("%d lines of %d", strings.Count(out.String(), "\n"), n)
			}
		}
	}
}

// A grid keeps each text once, and no day has more marks than a cell can show.
func TestGridBounds(t *testing.T) {
	cal := workdays.New("all", 0)
	g := rows.NewGrid("name", civil.Span{First: 740000, Last: 740030}, false, cal)
	book := func(mark string) error { return g.Mark("Ansa", workdays.Extent{Span: g.Window}, mark, cal) }
	for i := range 25 { // of 7 bytes and a stroke each
		check(t, book(fmt.Sprintf("mark-%02d", i)))
		check(t, book(fmt.Sprintf("mark-%02d", i/2))) // which stands there
	}
	check(t, book("")) // which is no mark
	if err := book("mark-25"); err == nil || !strings.Contains(err.Error(), `the marks on 2027-01-`) {
		t.Errorf("26 marks on a day: %v", err)
	}
	if err := g.Mark("Bran", workdays.Extent{Span: g.Window}, strings.Repeat("x", 201), cal); err == nil {
		t.Error("a mark of 201 bytes")
	}
	if marks, n := g.Row("Ansa"); n.Num != 31 || len(marks) != 31 || len(marks[30]) != 199 || strings.Count(marks[0], "/") != 24 {
		t.Errorf("%d days, the last %q", n.Num, marks[30])
	}
	if g.CheckSize(62, "") != nil || g.CheckSize(61, "") == nil {
		t.Error("two people on 31 days are 62 cells")
	}
}
