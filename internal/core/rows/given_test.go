package rows_test

import (
	"fmt"
	"iter"
	"slices"
	"strings"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/core/workdays"
	"yoyaku/internal/golden"
	"yoyaku/internal/tabular"
)

const givenTable = `who,first,last,fee,site,y,m,d,note
Ada,2027-06-07,2027-06-11,100.00,isles,2027,6,7,a
Ben,2027-06-09,,9.50,yard,2027,,1,"b ""c"""
ada,2027-06-10,2027-06-14,-3,isles,,,,
Cara,06/12/2027,open,12,,2027,2,30,c
Ben,2027-05-30,2027-06-02,,isles,2026,12,31,Open
Dan,2027-06-20,2027-06-18,1e3,yard,2028,2,29,
,,,7,isles,2027,1,1,nobody
`

// sink notes what it is given.
type sink struct {
	strings.Builder
}

func (s *sink) Header(columns []string) error {
	fmt.Fprintln(s, "  |", strings.Join(columns, ","))
	return nil
}

func (s *sink) Row(cells []eval.Value) error {
	var texts []string
	for _, c := range cells {
		texts = append(texts, c.String())
	}
	fmt.Fprintln(s, "   ", strings.Join(texts, ","))
	return nil
}

func (s *sink) Close() error { fmt.Fprintln(s, "  end"); return nil }

// marking is a sink that makes rows stand out, and totals.
type marking struct{ *sink }

func (m marking) Display() rows.Display {
	return rows.Display{NextIsTotals: func() { fmt.Fprint(m, "  =") }, Highlight: func(e rows.Emphasis) {
		if e != rows.NoEmphasis {
			fmt.Fprint(m, "  *")
		}
	}}
}

// given opens the table with columns added.
func given(t *testing.T, adds ...string) *rows.Table {
	t.Helper()
	r, _, err := tabular.Open("-", strings.NewReader(givenTable), tabular.Options{})
	check(t, err)
	isles := workdays.New("isles", workdays.Weekend)
	yard := workdays.New("yard", 1<<civil.Sunday).WithHolidays(sparse(11))
	env := eval.Env{Fiscal: civil.DefaultFiscalCalendar, Calendar: isles, Today: 740120, Cache: &eval.SeriesCache{}, FindCalendar: func(name string) (*workdays.Calendar, error) {
		return map[string]*workdays.Calendar{"isles": isles, "yard": yard}[name], nil
	}}
	table := rows.NewTable("crew.csv", r, env)
	check(t, table.Add(adds, false, env))
	return table
}

// TestResults holds what becomes of a table's rows, and of those of all that cuts, lists,
// books, counts and splits them, to testdata/given.txt.
func TestResults(t *testing.T) {
	var b strings.Builder
	put := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	for _, c := range []struct{ where, columns, sort string }{
		{}, {sort: "-fee"}, {sort: "fee,-who"}, {sort: "next"}, {columns: "-site,-y,-m,-d"}, {columns: "next,who"}, {columns: "who,-who"}, {columns: "-who, who, fee"},
		{where: "fee > 5|site = 'isles'", columns: "who,fee"}, {where: "next is blank", columns: "\"who\",next", sort: "-\"fee\""},
		{where: "fee >"}, {where: "feee > 1"}, {columns: "whoo"}, {columns: "-whoo"}, {sort: "-zzzz"}, {where: "days from first to last > 3", columns: "who"},
	} {
		for _, dress := range []string{"plain", "marks", "blank", "csv"} {
			table, s := given(t, "next = first, +3 working days"), &sink{}
			split := func(text, by string) []string {
				if text == "" {
					return nil
				}
				return strings.Split(text, by)
			}
			r := rows.Result{Where: split(c.where, "|"), Columns: split(c.columns, ","), Sort: split(c.sort, ","), Sink: s, Total: &rows.TotalsRow{}}
			aside := &sink{}
			switch dress {
			case "marks":
				r.Sink, r.Highlight = marking{s}, func(row []eval.Value) rows.Emphasis {
					return map[bool]rows.Emphasis{true: rows.NearRow}[row[0].Text == "Ben"]
				}
				total := slices.Repeat([]eval.Value{eval.Int(1)}, 10)
				check(t, r.Total.Put(total))
				total[0] = eval.Int(2) // what was put stays
			case "blank":
				table.BlankBadCells, table.Rejects = true, aside
			case "csv":
				r.Sink = tabular.NewCSV(s, ';', false)
			}
			bad, err := r.WriteTable(table)
			put("= where %q columns %q sort %q, %s: %d bad, %v\n%s%s", c.where, c.columns, c.sort, dress, bad.Count, err, s, aside)
			for _, f := range bad.First {
				put("  bad %v / %s", f, f.Reason())
			}
			if err != nil {
				break
			}
		}
	}
	for _, keep := range []bool{false, true} {
		for _, soft := range []bool{false, true} {
			table, s := given(t), &sink{}
			table.ReadDates(1, keep, soft, func(v eval.Value) (civil.Date, error) {
				if d, _, ok := civil.Parse(v.Text); ok {
					return d, nil
				}
				return 740000, map[bool]error{true: fmt.Errorf("%q is no day", v.Text)}[strings.Contains(v.Text, "12")]
			})
			table.ReadNumbers(3, soft, func(text string) (eval.Value, error) {
				v, ok := eval.ParseNumber(strings.TrimPrefix(text, "-"))
				return v, map[bool]error{false: fmt.Errorf("%q is no number", text)}[ok]
			})
			table.SetBlankWords([]string{"open", "nobody"})
			table.AddDateJoin("day", 5, 6, 7, func(y, m, d string) (civil.Date, error) {
				day, ok := tabular.JoinDate(y, m, d, tabular.DateContext{})
				return day, map[bool]error{false: fmt.Errorf("no day %s", d)}[ok]
			})
			env := table.Env
			check(t, table.Add([]string{"more = fee * 2", "said = if note is blank then 'none' else note", "run = if last is blank then first else last"}, true, env))
			_, isAdded := table.AddedAt(9)
			a, added := table.AddedAt(12)
			table.BlankBadCells = keep && soft
			bad, err := rows.Result{Columns: []string{"-y", "-m", "-d"}, Sink: s}.WriteTable(table)
			put("= keep %v soft %v: %v %v %v %s %d\n%s", keep, soft, err, isAdded, added, a.Name, bad.Count, s)
			for _, f := range bad.First {
				put("  bad %v / %s", f, f.Reason())
			}
		}
	}
	result := rows.Result{Where: []string{"n > 1", "n != 3"}}
	kept, err := rows.FilterList(result, []int{1, 2, 3, 4}, []string{"n"}, eval.Env{}, func(n int) []eval.Value { return []eval.Value{eval.Int(n)} })
	put("= kept %v %v", kept, err)
	_, err = rows.FilterList(rows.Result{Where: []string{"m > 1"}}, []int{1}, []string{"n"}, eval.Env{}, func(n int) []eval.Value { return nil })
	put("kept of none: %v", err)
	_, err = rows.FilterList(rows.Result{Where: []string{"working day of n"}}, []int{1}, []string{"n"}, eval.Env{}, func(n int) []eval.Value { return []eval.Value{eval.Int(n)} })
	put("kept of a wrong one: %v", err)
	for _, text := range []string{"a = b", `"a b" = c`, "a", "a =", "= b", "a > b", "(a = b)", "round(x) = 3", `"a`, `"a""b"`, "if a = 1 then b", " a=b=c "} {
		name, body, err := rows.SplitAdd(text)
		n, p := rows.SplitNamed(text)
		put("split %s: %q %q %v; named %q %q; %s, %s", text, name, body, err != nil, n, p, rows.UnquoteName(text), rows.QuoteName(text))
	}
	for _, text := range []string{"a", "b", "B", "c", strings.Repeat("x", 50)} {
		all, err := rows.AppendColumns([]string{"a", "B"}, []string{"d", text})
		put("untaken %.10s: %v %v", text, all, err)
	}
	many := strings.Split(strings.Repeat("col ", 40), " ")
	put("%v; %v", rows.UnknownColumn("zz", many[:30]), rows.UnknownColumn("zz", many[:31]))
	put("events: %s; %v %v", rows.EventKey("aZ09._-/ ü:%"), rows.WrapOption("x", nil), rows.WrapOption("x", fmt.Errorf("y")))
	for _, text := range []string{"days", "EVENLY", " working days ", "actual/360", "months", ""} {
		basis, ok := rows.ParseProrationBasis(text)
		put("share by %q: %d %v", text, basis, ok)
	}
	for _, bands := range []string{"30", "-30", "-90,-30,30,31", "1", "-1,1", "-10000000", "10000001"} {
		list, err := rows.ParseBands(strings.Split(bands, ","))
		if err != nil {
			put("bands %s: %v", bands, err)
			continue
		}
		d := rows.Due{Bands: list}
		var names []string
		for _, left := range []int{-100, -91, -90, -89, -31, -30, -29, -2, -1, 0, 1, 2, 29, 30, 31, 32, 100} {
			n := d.Band(left)
			names = append(names, fmt.Sprint(left, " ", n, " ", d.Emphasis(left) == rows.OverdueRow))
		}
		put("bands %s: %s", bands, strings.Join(names, "; "))
	}
	for _, c := range []struct{ a, b string }{{"2027-06-01", "2027-06-03"}, {"2027-06-01", ""}, {"2027-07-01", ""}, {"", "2027-06-03"}, {"2027-06-03", "2027-06-01"}, {"x", ""}, {"2027-06-01", "x"}} {
		cellOf := func(s string) eval.Value {
			if d, _, ok := civil.Parse(s); ok {
				return eval.Day(d)
			}
			if s == "" {
				return eval.Value{}
			}
			return eval.Str(s)
		}
		s, blank, err := rows.ParseRange(cellOf(c.a), cellOf(c.b), on("2027-06-30"))
		put("range %s %s: %s..%s %v %v", c.a, c.b, s.First, s.Last, blank, err)
	}
	ranges := func() (list []rows.KeyedRange) {
		for i, text := range []string{"b 5 9", "a 1 4", "a 4 8", "b 1 3", "a 10 12", "a 11 11", "c 2 2", "a 9 9"} {
			r := rows.KeyedRange{Line: i + 2}
			fmt.Sscan(text, &r.Key, &r.First, &r.Last)
			list = append(list, r)
		}
		return list
	}()
	x, y, ok := rows.FindOverlap(ranges)
	put("overlaps %v %v %v", x, y, ok)
	_, _, ok = rows.FindOverlap(ranges[3:5])
	put("overlaps %v; merged %v", ok, rows.MergeOverlaps(ranges))
	months := civil.DefaultFiscalCalendar.Periods(civil.Month)
	cal := workdays.New("c", workdays.Weekend)
	span, window := civil.Span{First: on("2027-05-28"), Last: on("2027-07-02")}, civil.Span{First: on("2027-05-31"), Last: on("2027-06-30")}
	for _, s := range []rows.Spread{
		{Window: window, By: months, Calendar: cal}, {Window: window, By: months, Calendar: nil}, {Window: window, By: months, Calendar: cal, WorkdaysOnly: true},
		{Window: civil.Span{First: window.First - 2, Last: window.First + 1}, WorkdaysOnly: true, Calendar: cal}, {Window: civil.Span{First: window.First - 2, Last: window.First + 1}, Calendar: cal},
		{Window: civil.Span{First: span.Last + 1, Last: span.Last + 9}}, {Window: window, By: twoPeriods, Calendar: cal},
		{Window: window, By: months, Calendar: cal, Share: &rows.Proration{By: rows.WorkdaysBasis, Places: 2, WithBalance: true}},
		{Window: civil.Span{First: on("2027-06-05"), Last: on("2027-06-07")}, Calendar: cal, Share: &rows.Proration{By: rows.WorkdaysBasis, Places: 1}},
		{Window: window, By: twoPeriods, Calendar: cal, Share: &rows.Proration{By: rows.DaysBasis}},
	} {
		out := &sink{}
		check(t, out.Header(s.Columns()))
		if s.Share == nil {
			err = s.Pieces(workdays.Extent{Span: span}, out.Row)
		} else {
			err = s.ProratedPieces(workdays.Extent{Span: span}, eval.Str("100.5"), func(cells []eval.Value, p rows.Portion) error {
				return out.Row(append(slices.Clone(cells), p.Amount))
			})
		}
		put("spread: lost %d twice %d %v\n%s", s.UncoveredDays, s.DoubleDays, err, out)
	}
	grid := rows.NewGrid("crew", civil.Span{First: on("2027-06-03"), Last: on("2027-06-09")}, false, cal)
	grid.AddName("Zed")
	for _, s := range []string{"Ada 2027-06-01 2027-06-04 H", "Ada 2027-06-04 2027-06-08 S", "Ben 2027-06-09 2027-06-12 H", "Ada 2027-06-08 2027-06-08 S"} {
		f := strings.Fields(s)
		grid.Mark(f[0], workdays.Extent{Span: civil.Span{First: on(f[1]), Last: on(f[2])}}, f[3], cal)
	}
	grid.Mark("Cara", workdays.Extent{Span: grid.Window}, "X", workdays.New("all", 0))
	out := &sink{}
	check(t, out.Header(grid.Columns()))
	check(t, grid.Write(out.Row, out.Row))
	put("grid closed %v %v, for Cara %v, Ada %v\n%s", grid.Closed(1), grid.Closed(2), grid.ClosedFor("Cara", 2), grid.ClosedFor("Ada", 2), out)
	for _, places := range []string{"1.5 2.25", "1 2", "1.00001 2"} {
		tally := rows.NewTally("k", "c", true)
		for i, text := range strings.Fields(places) {
			n, _ := eval.ParseNumber(text)
			check(t, tally.AddShown(cell([]string{"Tue", "mon"}[i]), cell([]string{"", "over 30"}[i]), n, cell(text)))
		}
		check(t, tally.Add(cell("tue"), cell("1 to 30"), eval.Int(1)))
		out := &sink{}
		head, write := tally.Table()
		check(t, out.Header(head))
		check(t, write(func(cells []eval.Value) error {
			fmt.Fprint(out, " form ", cells[len(cells)-1].Format)
			return out.Row(cells)
		}, out.Row))
		put("tally\n%s", out)
	}
	put("%s", dueAndEvents(t))
	golden.Compare(t, "testdata/given.txt", b.String())
}

// dueAndEvents lists dates of a table, and makes events of its rows.
func dueAndEvents(t *testing.T) string {
	t.Helper()
	var b strings.Builder
	for _, due := range []rows.Due{{}, {Yearly: true}, {PerRow: true, Bands: []int{5}}, {UpcomingOnly: true}} {
		table := given(t)
		cal := table.Env.Calendar
		due.Today, due.Span = on("2027-06-09"), civil.Span{First: on("2027-06-01"), Last: on("2028-06-30")}
		due.Calendar = func(row []eval.Value) *workdays.Calendar {
			if due.PerRow && row[0].Text == "Ben" {
				return nil
			}
			return cal
		}
		list, out := rows.NewDueList(&due, table), &sink{}
		for _, label := range []string{"first", "fee"} {
			text := map[string]string{"first": "first", "fee": "if fee > 9 then (first, +2 days)"}[label]
			slot, err := table.AddHiddenDate(label, text)
			check(t, err)
			list.AddDate(label, slot)
		}
		table.BlankBadCells = true
		_, err := table.Scan(list.Add)
		check(t, err)
		check(t, list.Write(table.ConcatCells(func(cells []eval.Value) error { return out.Row(append(slices.Clone(cells[:1]), cells[9:]...)) }, false)))
		fmt.Fprintf(&b, "due %v: %d dates, %d blank, %d rows without\n%s", due.Columns(), list.Len(), list.Blanks, list.Rows, out)
	}
	for _, e := range []rows.Events{{Key: "note", Day: "first", Text: "{who}!"}, {Key: "y", Day: "first, +1 day", Text: "{who}"}, {Key: "who", Day: "first", Text: "{whoo}"},
		{Key: "whoo", Day: "first", Text: "x"}, {Key: "site", Day: "first", Text: "x", Where: []string{"fee > 99"}}, {Key: "who", Day: "+", Text: "x"}, {Key: "who", Day: "fee", Text: "x"}} {
		table := given(t)
		e.Table, e.Name, e.Plan, e.DayOption, e.TextOption = "crew", "start", "plan", "event-day", "event-text"
		e.Calendar = func([]eval.Value) *workdays.Calendar { return table.Env.Calendar }
		e.Reminders, e.EventProperties = []schedule.Reminder{}, schedule.EventProperties{Busy: true}
		err := e.Prepare(table)
		var bad rows.BadCells
		if err == nil {
			bad, err = table.Scan(e.Add)
		}
		fmt.Fprintf(&b, "events by %s: %d bad, %d blank, %v\n", e.Key, bad.Count, e.Blank, err)
		for _, v := range e.List {
			fmt.Fprintf(&b, "  %s %q %s %s %s %v %v\n", v.UID, v.Summary, v.At, v.Series, v.What, v.ID, v.EventProperties)
		}
	}
	return b.String()
}

// twoPeriods overlap by three days, and leave the first and last days out.
func twoPeriods(civil.Span) iter.Seq2[civil.NamedSpan, error] {
	return func(yield func(civil.NamedSpan, error) bool) {
		_ = yield(civil.NamedSpan{Name: "one", Span: civil.Span{First: on("2027-06-01"), Last: on("2027-06-10")}}, nil) &&
			yield(civil.NamedSpan{Name: "two", Span: civil.Span{First: on("2027-06-08"), Last: on("2027-06-20")}}, nil)
	}
}

func on(s string) civil.Date { d, _, _ := civil.Parse(s); return d }
