package plan

import (
	"slices"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/question"
)

// Columns are the columns of what comes up; with owners, that of a task behind what it
// is.
func (a Ahead) Columns() []string {
	list := []string{"date", "weekday", "left", "working_left", "title", "series", "what"}
	if a.owned() {
		list = append(list, "owner")
	}
	return append(list, "reason")
}

func (a Ahead) owned() bool { return schedule.AgendaOf(a.Series, "").Owner }

// Ahead is what comes up of a plan.
type Ahead struct {
	Series  []*schedule.Series
	Records []*Record
	Window  civil.Span
	// Overdue is the first day before the window on which events of rows still count.
	Overdue civil.Date
	// Owner is the one whose tasks are listed; "" for all.
	Owner string
	// Whole says that occurrences are listed whole.
	Whole bool
}

// Ahead lists what comes up, by date; the days before today are those of records
// alone.
func (p *Plan) Ahead(a Ahead, place question.Place) ([]schedule.Event, error) {
	entries, _, err := schedule.Entries(a.Series, a.Window)
	if a.Whole {
		entries, err = schedule.Whole(a.Series, a.Window)
	}
	if err != nil {
		return nil, err
	}
	var events []schedule.Event
	var order []string
	for _, e := range entries {
		events = append(events, p.Event(e))
	}
	for _, s := range a.Series {
		order = append(order, s.Name)
	}
	for _, r := range a.Records {
		list, err := p.Events(r, civil.Span{First: min(a.Overdue, a.Window.First), Last: a.Window.Last}, place)
		if err != nil {
			return nil, err
		}
		events, order = append(events, list...), append(order, r.Name)
	}
	if a.Owner != "" {
		events = slices.DeleteFunc(events, func(e schedule.Event) bool { return e.Owner != a.Owner })
	}
	schedule.SortEvents(events, order, p.Midnight())
	return events, nil
}

// AheadRow are the cells of the columns of a for an event.
func (p *Plan) AheadRow(a Ahead, e schedule.Event) []eval.Value {
	today := p.Env.Today
	working := eval.Value{} // blank for a row that names no calendar
	if cal := e.Calendar; cal != nil {
		cal.Need()
		cal.Ask(today, e.At.Day)
		working = eval.Int(cal.Between(today, e.At.Day))
	}
	cells := []eval.Value{e.At, schedule.WeekdayOf(e.At), eval.Int(int(e.At.Day - today)), working,
		eval.Str(e.Summary), eval.Str(e.Series), eval.Str(e.What)}
	if a.owned() {
		cells = append(cells, eval.Str(e.Owner))
	}
	return append(cells, eval.Str(e.Description))
}
