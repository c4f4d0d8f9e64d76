package render

import (
	"fmt"
	"strings"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/core/workdays"
	"yoyaku/internal/golden"
)

// officeWall is a wall of three series and a closed week.
func officeWall(t *testing.T, span string) *schedule.Wall {
	t.Helper()
	week, _ := civil.DefaultFiscalCalendar.ParseSpan("2027-W10")
	cal := workdays.New("isles", workdays.Weekend).WithHolidays(workdays.HolidayList{}.AppendSpan(workdays.Holiday{Name: "Lantern week <3"}, week))
	env := eval.Env{Fiscal: civil.DefaultFiscalCalendar, Calendar: cal, Today: 740000}
	var list []*schedule.Series
	for _, s := range [][2]string{{"pay", "monthly on 15, last then roll preceding"}, {"duty", "monthly on 12"}, {"drill", "monthly on 2nd fri then roll following"}} {
		name, rule := s[0], s[1]
		s, err := schedule.NewSeries(name, strings.ToUpper(name), rule, env)
		if err == nil && name == "pay" {
			err = s.AddMilestone("cut", "date, -3 days", env)
		}
		if err != nil {
			t.Fatal(err)
		}
		list = append(list, s)
	}
	window, _ := civil.DefaultFiscalCalendar.ParseSpan(span)
	w, err := schedule.NewWall(list, window, true, civil.DefaultFiscalCalendar, cal)
	if err != nil {
		t.Fatal(err)
	}
	return w
}

// TestSinks_goldenTables holds what people look at to testdata/drawn.txt: tables at several widths, with
// rows that stand out and totals, grids, walls, and the place of a fault in a phrase.
func TestSinks_goldenTables(t *testing.T) {
	var got strings.Builder
	put := func(what string, draw func(b *strings.Builder) error) {
		var b strings.Builder
		if err := draw(&b); err != nil {
			t.Fatalf("%s: %v", what, err)
		}
		fmt.Fprintf(&got, "== %s\n%s\n", what, strings.ReplaceAll(b.String(), "\x1b", "␛"))
	}
	columns := []string{"date", "weekday", "reason", "n", "amount", "done"}
	table := [][]eval.Value{
		{eval.Day(740000), eval.Str("Tue"), eval.Str("Sat 2027-02-27 is closed (weekend), as is Fri 2027-02-26 (Lantern <Day>); rolled preceding"), eval.Int(7), eval.Str("1 | 2"), eval.Bool(true)},
		{eval.Day(740031), eval.Str("Fri"), {}, eval.Int(-12), {}, eval.Bool(false)},
		{{}, {}, eval.Str("ünïcode *x* _y_"), {}, eval.Int(1200), {}},
	}
	for _, f := range []string{"table", "md", "html", "csv", "json", "jsonl"} {
		for _, l := range []Options{{}, {Title: "Pay days", AsOf: 740000, Width: 60, Plan: "Office"}, {Width: 40, Color: true}, {Width: 30}} {
			if f != "table" && l.Width > 0 && l.Width != 60 {
				continue
			}
			format, _ := FindFormat(f)
			if l.Title != "" && !format.Titled {
				continue
			}
			put(fmt.Sprintf("%s, width %d, title %q, color %v", f, l.Width, l.Title, l.Color), func(b *strings.Builder) error {
				s, err := format.OpenRows(b, l)
				if err == nil {
					err = s.Header(columns)
				}
				for i, row := range table {
					shows := rows.DisplayOf(s)
					if shows.Highlight != nil {
						shows.Highlight(map[bool]rows.Emphasis{true: rows.NearRow}[i == 1])
					}
					if shows.NextIsTotals != nil && i == 2 {
						shows.NextIsTotals()
					}
					if err == nil {
						err = s.Row(row)
					}
				}
				if err == nil {
					err = s.Close()
				}
				return err
			})
		}
	}
	window, _ := civil.DefaultFiscalCalendar.ParseSpan("2027-06")
	g := rows.NewGrid("person", window, false, workdays.New("plain", workdays.Weekend))
	g.Mark("Ansa <b>", workdays.Extent{Span: civil.Span{First: window.First - 5, Last: window.First + 8}}, "x", g.Calendar)
	g.Mark("Ansa <b>", workdays.Extent{Span: civil.Span{First: window.First + 3, Last: window.First + 3}}, "sick", g.Calendar)
	g.Mark("Cairn of the long name", workdays.Extent{Span: civil.Span{First: window.Last - 1, Last: window.Last + 9}}, "L", g.Calendar)
	g.AddName("Borro")
	for _, width := range []int{0, 50, 100} {
		put(fmt.Sprint("grid, width ", width), func(b *strings.Builder) error {
			return drawGrid(b, g, Options{Width: width, Title: map[bool]string{true: "June"}[width == 50], AsOf: 740000})
		})
	}
	put("grid, page", func(b *strings.Builder) error { return gridPage(b, g, "June, as of 2027-01-18") })
	for _, span := range []string{"2027-03", "2027-Q1", "2027"} {
		for _, l := range []Options{{}, {Width: 100, Color: true}, {Width: 60, Title: "Wall"}} {
			if span == "2027" && l.Width != 100 {
				continue
			}
			put(fmt.Sprintf("wall of %s, width %d", span, l.Width), func(b *strings.Builder) error { return drawWall(b, officeWall(t, span), l) })
		}
		put("wall page of "+span, func(b *strings.Builder) error { return wallPage(b, officeWall(t, span), 740000) })
	}
	for n := 1; n <= 25; n++ {
		columns, rows := sheetShape(n)
		fmt.Fprintf(&got, "%d months: %d by %d\n", n, columns, rows)
	}
	long := "date, " + strings.Repeat("+1 day, ", 20)
	for _, text := range []string{"date, +1 dya", "date,\n+1 dya", "\"äöü\", +1 dya", long + "+1 dya", "+1 dya, " + long, strings.Repeat("+1 day, ", 9) + "+1 dya", strings.Repeat("+1 day, ", 11) + "+1 dya"} {
		_, err := phrase.Parse(text)
		f, ok := err.(*phrase.Error)
		if !ok {
			t.Fatalf("%q: %v", text, err)
		}
		put("caret", func(b *strings.Builder) error { b.WriteString(Caret(f)); return nil })
	}
	golden.Compare(t, "testdata/drawn.txt", got.String())
}
