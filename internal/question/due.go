package question

import (
	"errors"
	"slices"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/declare"
)

func init() { register(newDue) }

// due is what runs out, or comes round, and when.
type due struct {
	dates, bands     []string
	within, window   string
	yearly, upcoming bool
}

func newDue() *Question {
	q := &due{}
	return &Question{
		Name: "due", Group: Tables, Place: 2, Apart: "left", Use: "due TABLE --date PHRASE",
		Short: "What runs out, or comes round, and when",
		Long: `List the rows of a table by a date, with the days and working days left and the band it
falls into. Dates before today are overdue and listed too. With --yearly, watch
anniversaries: birthdays, years of service.`,
		Examples: `  yoyaku due berth-leases.csv --date ends --read-dates dmy --open-words present
  yoyaku due crew-contracts.csv --date "ends = start, lasting term months" --within "90 days"
  yoyaku due crew-contracts.csv --date "start, lasting term months" --window 2027 --bands 30,90,180
  yoyaku due crew.csv --date "birthday = born" --date "service = joined" --yearly --within "7 days"`,
		Least: 1, Most: 1, Wants: "a table, such as crew-contracts.csv", Table: true, Record: true,
		Options: []*declare.Key{
			{Name: "date", Needed: true, Example: "ends", Complete: "columns",
				Value: `"[LABEL =] PHRASE"`, Help: "watch this date, a column or steps from one; may be repeated", Takes: declare.NamedPhrase.Repeat(&q.dates)},
			{Name: "within", Not: []string{"window"}, Help: "list what falls in the next `STRETCH`, such as \"90 days\"",
				Takes: declare.Amount.Into(&q.within)},
			{Name: "window", Help: "list what falls in `SPAN`, such as 2027-Q1", Takes: declare.Span.Into(&q.window)},
			{Name: "bands", Default: "30,60,90", Value: "DAYS", Help: "sort the dates into bands that end at these numbers of days;\nnegative ones are for overdue dates, such as -90,-60,-30", Takes: declare.Days.List(&q.bands)},
			{Name: "yearly", Help: "watch the anniversaries instead, and add the column years", Takes: declare.Yes.Into(&q.yearly)},
			{Name: "upcoming", Help: "leave out overdue dates", Takes: declare.Yes.Into(&q.upcoming)},
		},
		Answer: q.answer,
	}
}

// span is the stretch of dates to show.
func (q *due) span(j *Job) (civil.Span, error) {
	if q.within == "" {
		return j.window("window", q.window)
	}
	last, err := declare.Ahead(q.within, j.Env)
	return civil.Span{First: civil.Min, Last: last}, rows.In("within", err)
}

func (q *due) answer(j *Job) error {
	env := j.Env
	d := rows.Due{Today: env.Today, PerRow: env.CalendarColumn != "", Upcoming: q.upcoming, Yearly: q.yearly,
		Leap: env.LeapMarch}
	var err error
	if d.Bands, err = rows.ParseBands(q.bands); err != nil {
		return rows.In("bands", err)
	}
	if q.upcoming && len(d.Bands) > 0 && d.Bands[0] < 0 {
		return &rows.OptionError{Option: "bands", Is: true,
			Err: errors.New("below 0 are for past dates, which " + rows.Other("upcoming", "") + " leaves out")}
	}
	if d.Span, err = q.span(j); err != nil {
		return err
	}
	t, err := j.table()
	if err != nil {
		return err
	}
	j.own(t)
	var check func(int, []eval.Value) error
	if d.Calendar, check, err = j.calendarsOf(t); err != nil {
		return err
	}
	list := rows.NewDueList(&d, t.Table)
	for _, text := range q.dates {
		label, body := rows.Named(text)
		slot, err := t.Day("date", body)
		if err != nil {
			return err
		}
		list.Watch(label, slot)
	}
	head, err := rows.Untaken(t.Visible(), d.Columns())
	if err != nil {
		return err
	}
	band := len(t.Visible()) + slices.Index(rows.DueColumns, "band")
	nearest := d.Band(1)
	j.result.StandsOut = func(row []eval.Value) bool {
		return row[band].Text == nearest || row[band].Text == "today" || rows.Past(row[band].Text)
	}
	err = j.beside(t, head, func(put rows.Beside) error {
		defer garbage(10)()
		if err := j.scan(t, func(line int, row []eval.Value) error {
			if err := check(line, row); err != nil {
				return err
			}
			return list.Add(line, row)
		}); err != nil {
			return err
		}
		j.needCalendar()
		return list.Write(put)
	})
	if err == nil {
		q.tell(j, t, list)
	}
	return err
}

// tell says what isn't in the list.
func (q *due) tell(j *Job, t *Table, list *rows.DueList) {
	if list.Rows > 0 {
		j.Note("%s", undated(list.Rows, t.Name))
	}
	if more := list.Blanks - list.Rows*len(q.dates); more > 0 {
		j.Note("%s in other rows of %s", phrase.Agree(more, "more date is blank", "more dates are blank"), t.Name)
	}
	if list.Len() == 0 {
		j.Note("no date in %s lies in the window", t.Name)
	}
}

// undated counts the rows of a table that are left out since they have no date.
func undated(n int, table string) string {
	return phrase.Agree(n, "row of "+table+" has no date; it is", "rows of "+table+" have no date; they are") + " left out"
}
