package query

import (
	"fmt"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/declare"
)

func init() { register(newGrid) }

// gridQuery is people against days.
type gridQuery struct {
	name, start, end, window, mark, openThrough string
	everyDay                                    bool
}

func newGrid() *ask.Query {
	q := &gridQuery{}
	return &ask.Query{
		Name: "grid", Group: ask.Tables, Order: 6, Use: "grid TABLE --name COL --start PHRASE --end PHRASE --window SPAN",
		Short: "People against days",
		Long: `Draw one row per person and one column per day. Booked working days are marked, closed
days shaded, and both sides have totals. Bookings of the same person share a row; a row
without dates stays empty.`,
		Examples: `  yoyaku grid absences.csv --name person --start first --end last --window 2027-06 \
    --open-words present
  yoyaku grid absences.csv --name person --start first --end last --window 2027-06 \
    --open-words present --out june.html
  yoyaku grid courses.csv --name trainer --start start --end "start, lasting days working days" \
    --window 2027-06 --mark course`,
		MinArgs: 1, MaxArgs: 1, ArgsHelp: "a table, such as absences.csv", TakesTable: true, ForRecords: true,
		Options: []*declare.Key{
			{Name: "name", Required: true, Example: "person", Completion: "columns", Help: "take the names from column `COL`", Value: declare.Column.Into(&q.name)},
			{Name: "start", Required: true, Example: "first", Completion: "columns", Help: "the first day of each range, as `PHRASE`: a column, or worked out", Value: declare.TablePhrase.Into(&q.start)},
			{Name: "end", Required: true, Example: "last", Completion: "columns", Help: "the last day of each range, as `PHRASE`", Value: declare.TablePhrase.Into(&q.end)},
			{Name: "window", Required: true, Example: "2027-06", Help: "show the days of `SPAN`, such as 2027-06", Value: declare.Span.Into(&q.window)},
			{Name: "mark", Completion: "columns", Help: "mark booked days with `PHRASE`, such as a column (default: x)", Value: declare.TablePhrase.Into(&q.mark)},
			{Name: "every-day", Help: "also mark closed days", Value: declare.Bool.Into(&q.everyDay)},
			openThrough(&q.openThrough),
		},
		Answer: q.answer,
	}
}

// maxGridDays is how many days a grid may have.
const maxGridDays = 400

func (q *gridQuery) answer(j *ask.Job) error {
	window, err := j.ParseWindow("window", q.window)
	if err != nil {
		return err
	}
	if window.Len() > maxGridDays {
		return rows.WrapOption("window", fmt.Errorf("a grid has at most %d days; this window has %d", maxGridDays, window.Len()))
	}
	t, err := j.OpenFiltered()
	if err != nil {
		return err
	}
	name, err := t.FindColumn("name", q.name)
	if err != nil {
		return err
	}
	ranges, err := newRanges(j, t, q.start, q.end, q.openThrough, window)
	if err != nil {
		return err
	}
	mark, err := rows.IfGiven(t.AddHiddenPhrase, "mark", q.mark)
	if err != nil {
		return err
	}
	if err := j.PrepareRead(nil); err != nil {
		return err
	}
	cals, check, err := j.CalendarsOf(t)
	if err != nil {
		return err
	}
	ranges.addsParts = true
	g := rows.NewGrid(t.Visible()[name], window, q.everyDay, j.Env.Calendar)
	t.RestrictCells(rows.AnyText)
	t.MuteUnshown(nil)
	err = j.Scan(t, func(line int, row []eval.Value) error {
		who := row[name].String()
		if who == "" {
			return nil
		}
		g.AddName(who)
		span, ok, err := ranges.rangeOf(line, row)
		if err != nil || !ok {
			return err
		}
		m := "x"
		if mark >= 0 {
			m = row[mark].String()
		}
		if err := check(line, row); err != nil {
			return err
		}
		cal := cals(row)
		if cal == nil { // which of the days are worked isn't known
			return nil
		}
		if err := g.Mark(who, span, m, cal); err != nil {
			return &rows.BadCell{Line: line, Column: "mark", Err: err}
		}
		return nil
	})
	if err != nil {
		return err
	}
	ranges.report(j)
	j.MarkCalendarUsed()
	j.Env.Calendar.RecordQuery(window.First, window.Last)
	if draw := rows.DisplayOf(j.Sink).DrawGrid; draw != nil && len(j.Result.Columns)+len(j.Result.Sort) == 0 {
		return draw(g)
	}
	total := j.PutTotals()
	return j.FillRows(g.Columns(), func(put rows.PutRow) error { return g.Write(put, total) })
}
