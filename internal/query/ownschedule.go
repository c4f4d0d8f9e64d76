package query

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/infer"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
)

// ourID is how ids of dates begin.
var ourID = regexp.MustCompile(`^(FY)?\d{4}([-/]|$)`)

// holdsSchedule reports whether a table has the columns of a schedule of ours.
func holdsSchedule(columns []string) bool {
	for _, name := range []string{"date", "weekday", "nominal", "reason", "id"} {
		if rows.ColumnIndex(columns, name) < 0 {
			return false
		}
	}
	return rows.ColumnIndex(columns, "released_on") < 0
}

// IsSchedule reports whether a table with some columns is a schedule of ours.
func IsSchedule(columns []string) bool { return holdsSchedule(columns) }

// resultTables are tables of ours that come of others: columns by which each is known, and what
// to take instead.
var resultTables = []struct {
	columns []string
	text    string
}{
	{[]string{"series", "what", "id", "nominal", "date", "released_on", "hash"}, "is the list of released dates; `yoyaku check` compares them with the plan. Make the plan of an agenda or of a pay calendar"},
	{[]string{"period", "first_day", "last_day", "days"}, "is a result of `spread`. Make the plan of the table that it came from"},
	{[]string{"days_left", "working_left", "band"}, "is a result of `due`. Make the plan of the table that it came from"},
	{[]string{"rank", "phrase", "agrees_until"}, "is a result of `infer`. Make the plan of the table that it came from"},
}

// ResultText says what a table with some columns is and what to take instead, if it is a result of
// ours that no plan can be made of; "" else.
func ResultText(columns []string) string {
	for _, known := range resultTables {
		if !slices.ContainsFunc(known.columns, func(c string) bool { return rows.ColumnIndex(columns, c) < 0 }) {
			return known.text
		}
	}
	return ""
}

// scheduleRow is a date of a schedule of ours, or a milestone in a row of its own.
type scheduleRow struct {
	dayTime
	infer.Proof
	series, what, title string
	beside              []dayTime // milestones beside the date, by the columns of these
}

// readSchedule reads a table of ours: the dates of each series with their nominal dates and ids,
// and the milestones beside them or below. False if it is none, although it has the columns.
func (d *TableDates) readSchedule(j *ask.Job, t *ask.Table, name string) (ok bool, err error) {
	at := func(name string) int { return rows.ColumnIndex(d.columns, name) }
	series, what := at("series"), at("what")
	if series < 0 {
		series = at("rule")
	}
	var beside []int // columns of milestones
	for i, c := range d.columns {
		fold := phrase.FoldName(c)
		if what < 0 && i != at("date") && i != series && !slices.Contains(occurrenceColumns, fold) && fold != "owner" && fold != "zone" && fold != "number" &&
			!strings.HasSuffix(fold, " weekday") {
			beside = append(beside, i)
		}
	}
	var list []scheduleRow
	isOurs := true
	seen := make([]int, len(beside)) // dates in each
	err = j.Scan(t, func(_ int, row []eval.Value) error {
		text := func(i int) string {
			if i < 0 {
				return ""
			}
			return strings.Clone(strings.TrimSpace(row[i].String()))
		}
		r := scheduleRow{series: text(series), what: text(what), title: text(at("title"))}
		r.ID = text(at("id"))
		var dated bool
		r.day, r.minutes, dated = dayTimeOf(row[at("date")], nil)
		if nominal, ok := eval.AsDate(row[at("nominal")]); ok {
			r.Nominal = nominal.Day
		}
		isOurs = isOurs && (r.ID == "" || ourID.MatchString(r.ID) || what >= 0)
		for k, i := range beside {
			day, minutes, ok := dayTimeOf(row[i], nil)
			if !ok {
				day = civil.None
			} else {
				seen[k]++
			}
			r.beside = append(r.beside, dayTime{day, minutes})
		}
		if dated {
			list = append(list, r)
		}
		return nil
	})
	if err != nil || !isOurs || len(list) == 0 {
		return false, err
	}
	for k := len(beside) - 1; k >= 0; k-- { // what holds no dates is no milestone
		if seen[k] == 0 {
			beside = slices.Delete(beside, k, k+1)
			for i := range list {
				list[i].beside = slices.Delete(list[i].beside, k, k+1)
			}
		}
	}
	d.setSchedule(list, beside, name, j.CalendarName)
	return true, nil
}

// setSchedule makes series of the rows of a schedule, all of which count with a calendar, "" for any.
func (d *TableDates) setSchedule(list []scheduleRow, beside []int, name, calendar string) {
	var order []string
	by := map[string][]scheduleRow{}
	for _, r := range list {
		if by[r.series] == nil {
			order = append(order, r.series)
		}
		by[r.series] = append(by[r.series], r)
	}
	for _, series := range order {
		of := SeriesDates{Name: series, calendar: calendar}
		if series == "" {
			of.Name = name
		}
		date := infer.Column{Name: "date"}
		place := map[string]int{} // of each id
		var milestones []infer.Column
		for _, i := range beside {
			milestones = append(milestones, infer.Column{Name: strings.ReplaceAll(phrase.FoldName(d.columns[i]), " ", "-")})
		}
		for _, r := range by[series] {
			if r.what != "" && r.what != "date" {
				continue
			}
			if len(date.Days) == 0 {
				of.Title = r.title
			} else if of.Title != r.title {
				of.Title = ""
			}
			place[r.ID] = len(date.Days)
			date.Days, date.Times, date.Proofs = append(date.Days, r.day), append(date.Times, r.minutes), append(date.Proofs, r.Proof)
			for k, b := range r.beside {
				milestones[k].Days, milestones[k].Times = append(milestones[k].Days, b.day), append(milestones[k].Times, b.minutes)
			}
		}
		if len(date.Days) == 0 {
			d.leftOut = append(d.leftOut, fmt.Sprintf("%s: %s left out, since a series has its dates in the table too", series, phrase.CountIs(len(by[series]), "row")))
			continue
		}
		for _, r := range by[series] {
			if row, ok := place[r.ID]; ok && r.what != "" && r.what != "date" {
				k := slices.IndexFunc(milestones, func(c infer.Column) bool { return c.Name == r.what })
				if k < 0 {
					k = len(milestones)
					milestones = append(milestones, infer.Column{Name: r.what, Days: make([]civil.Date, len(date.Days)), Times: make([]int, len(date.Days))})
					for i := range milestones[k].Days {
						milestones[k].Days[i], milestones[k].Times[i] = civil.None, -1
					}
				}
				milestones[k].Days[row], milestones[k].Times[row] = r.day, r.minutes
			}
		}
		of.Columns = append([]infer.Column{date}, milestones...)
		d.Series = append(d.Series, of)
	}
}

// ScheduleNotes say of what was found in a schedule of ours what isn't as it was there.
func ScheduleNotes(d *TableDates, found []infer.ColumnResult) (list []string) {
	for _, of := range d.Series {
		if of.Columns[0].Proofs == nil {
			continue
		}
		for i := range found {
			if f := &found[i]; f.Series == of.Name && f.What == "date" && !f.IsProven && len(f.Explanations) > 0 {
				list = append(list, of.Name+": no single rule gives its nominal dates and ids too, so ids may be others than in the table")
			}
		}
	}
	return list
}
