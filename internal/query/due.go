package query

import (
	"errors"
	"slices"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/declare"
	"yoyaku/internal/heap"
)

func init() { register(newDue) }

// dueQuery is what runs out, or comes round, and when.
type dueQuery struct {
	dates, bands     []string
	within, window   string
	yearly, upcoming bool
}

func newDue() *ask.Query {
	q := &dueQuery{}
	return &ask.Query{
		Name: "due", Group: ask.Tables, Order: 2, GroupBy: "left", Use: "due TABLE --date PHRASE",
		Short: "What runs out, or comes round, and when",
		Long: `List the rows of a table by a date, with the days and working days left and the band it
falls into. Dates before today are overdue and listed too. With --yearly, watch
anniversaries: birthdays, years of service.`,
		Examples: `  yoyaku due berth-leases.csv --date ends --read-dates dmy --open-words present
  yoyaku due crew-contracts.csv --date "ends = start, lasting term months" --within "90 days"
  yoyaku due crew-contracts.csv --date "start, lasting term months" --window 2027 --bands 30,90,180
  yoyaku due crew.csv --date "birthday = born" --date "service = joined" --yearly --within "7 days"`,
		MinArgs: 1, MaxArgs: 1, ArgsHelp: "a table, such as crew-contracts.csv", TakesTable: true, ForRecords: true,
		Options: []*declare.Key{
			{Name: "date", Required: true, Example: "ends", Completion: "columns",
				Placeholder: `"[LABEL =] PHRASE"`, Help: "watch this date, a column or steps from one; may be repeated", Value: declare.NamedPhrase.Repeat(&q.dates)},
			{Name: "within", Conflicts: []string{"window"}, Help: "list what falls in the next `STRETCH`, such as \"90 days\"",
				Value: declare.Amount.Into(&q.within)},
			{Name: "window", Help: "list what falls in `SPAN`, such as 2027-Q1", Value: declare.Span.Into(&q.window)},
			{Name: "bands", Default: "30,60,90", Placeholder: "DAYS", Help: "sort the dates into bands that end at these numbers of days;\nnegative ones are for overdue dates, such as -90,-60,-30", Value: declare.Days.List(&q.bands)},
			{Name: "yearly", Help: "watch the anniversaries instead, and add the column years", Value: declare.Bool.Into(&q.yearly)},
			{Name: "upcoming", Help: "leave out overdue dates", Value: declare.Bool.Into(&q.upcoming)},
		},
		Answer: q.answer,
	}
}

// span is the stretch of dates to show.
func (q *dueQuery) span(j *ask.Job) (civil.Span, error) {
	if q.within == "" {
		return j.ParseWindow("window", q.window)
	}
	last, err := declare.ParseAhead(q.within, j.Env)
	return civil.Span{First: civil.Min, Last: last}, rows.WrapOption("within", err)
}

func (q *dueQuery) answer(j *ask.Job) error {
	env := j.Env
	d := rows.Due{Today: env.Today, PerRow: env.CalendarColumn != "", UpcomingOnly: q.upcoming, Yearly: q.yearly,
		LeapDayToMarch: env.LeapDayToMarch, HidesWorkdays: !j.Result.MayShow("working_left")}
	var err error
	if d.Bands, err = rows.ParseBands(q.bands); err != nil {
		return rows.WrapOption("bands", err)
	}
	if q.upcoming && len(d.Bands) > 0 && d.Bands[0] < 0 {
		return &rows.OptionError{Option: "bands", IsPredicate: true,
			Err: errors.New("below 0 are for past dates, which " + rows.OptionRef("upcoming", "") + " leaves out")}
	}
	if d.Span, err = q.span(j); err != nil {
		return err
	}
	t, err := j.OpenTable()
	if err != nil {
		return err
	}
	j.FilterOwn(t)
	var check func(int, []eval.Value) error
	if d.Calendar, check, err = j.CalendarsOf(t); err != nil {
		return err
	}
	list := rows.NewDueList(&d, t.Table)
	for _, text := range q.dates {
		label, body := rows.SplitNamed(text)
		slot, err := t.AddHiddenDate("date", body)
		if err != nil {
			return err
		}
		list.AddDate(label, slot)
	}
	head, err := rows.AppendColumns(t.Visible(), d.Columns())
	if err != nil {
		return err
	}
	left := len(t.Visible()) + slices.Index(rows.DueColumns, "left")
	j.Result.Highlight = func(row []eval.Value) rows.Emphasis { return d.Emphasis(int(row[left].Num)) }
	err = j.FillExtended(t, head, func(put rows.PutExtended) error {
		defer heap.Bound(10)()
		if err := j.Scan(t, func(line int, row []eval.Value) error {
			if err := check(line, row); err != nil {
				return err
			}
			return list.Add(line, row)
		}); err != nil {
			return err
		}
		if !d.HidesWorkdays {
			j.MarkCalendarUsed()
		}
		return list.Write(put)
	})
	if err == nil {
		q.report(j, t, list)
	}
	return err
}

// report says what isn't in the list.
func (q *dueQuery) report(j *ask.Job, t *ask.Table, list *rows.DueList) {
	if list.Rows > 0 {
		j.Note("%s", undatedText(list.Rows, t.Name))
	}
	if more := list.Blanks - list.Rows*len(q.dates); more > 0 {
		j.Note("%s in other rows of %s", phrase.CountVerb(more, "more date is blank", "more dates are blank"), t.Name)
	}
	if list.Len() == 0 {
		j.Note("no date in %s lies in the window", t.Name)
	}
}

// undatedText counts the rows of a table that are left out since they have no date.
func undatedText(n int, table string) string {
	return phrase.CountVerb(n, "row of "+table+" has no date; it is", "rows of "+table+" have no date; they are") + " left out"
}
