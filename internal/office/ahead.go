package office

import (
	"slices"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/plan"
	"yoyaku/internal/question"
)

// Next is what is asked of what comes up.
type Next struct {
	Names           []string // of series, patterns and records; nil for all
	Within, Overdue string   // stretches from today, and back from it
	Window          string   // instead of both
	Owner           string   // whose tasks alone; "" for all
}

// Coming is what comes up of plans.
type Coming struct {
	Window  civil.Span // of the first plan
	Columns []string
	Events  []schedule.Event // by date
	owned   bool             // a column says whose a task is
	today   civil.Date
	of      map[string]*plan.Plan // by UID
}

// Ahead lists what comes up of plans.
func Ahead(plans []*plan.Plan, n Next, tell Tell) (c *Coming, err error) {
	if err := Known(plans, n.Names, true); err != nil {
		return nil, err
	}
	if err := knownOwner(plans, n.Owner); err != nil {
		return nil, rows.In("owner", err)
	}
	c = &Coming{of: map[string]*plan.Plan{}, today: plans[0].Env.Today}
	asked := make([]listing, len(plans))
	var series []*schedule.Series
	for i, p := range plans {
		if asked[i], err = n.of(p); err != nil {
			return nil, err
		}
		series = append(series, asked[i].series...)
	}
	c.Window, c.owned = asked[0].window, schedule.AgendaOf(series, "").Owner
	for i, p := range plans {
		if err := LedgerOf(p).warn(asked[i].series, asked[i].window, tell); err != nil {
			return nil, err
		}
	}
	for i, p := range plans {
		place := p.Place()
		place.Stdin, place.Warn, place.Note, place.Flags = strings.NewReader(""), tell.Warn, tell.Note, true
		list, err := asked[i].events(p, place)
		if err != nil {
			return nil, err
		}
		for _, e := range list {
			c.of[e.UID] = p
		}
		c.Events = append(c.Events, list...)
	}
	if len(plans) > 1 {
		schedule.SortEvents(c.Events, nil, plans[0].Midnight())
	}
	c.Columns = []string{"date", "weekday", "left", "working_left", "title", "series", "what"}
	if c.owned {
		c.Columns = append(c.Columns, "owner")
	}
	c.Columns = append(c.Columns, "reason")
	return c, nil
}

// Row are the cells of the columns for an event.
func (c *Coming) Row(e schedule.Event) []eval.Value {
	today := c.of[e.UID].Env.Today
	working := eval.Value{} // blank for a row that names no calendar
	if cal := e.Calendar; cal != nil {
		cal.Need()
		cal.Ask(today, e.At.Day)
		working = eval.Int(cal.Between(today, e.At.Day))
	}
	cells := []eval.Value{e.At, schedule.WeekdayOf(e.At), eval.Int(int(e.At.Day - today)), working,
		eval.Str(e.Summary), eval.Str(e.Series), eval.Str(e.What)}
	if c.owned {
		cells = append(cells, eval.Str(e.Owner))
	}
	return append(cells, eval.Str(e.Description))
}

// StandsOut picks the rows of what is overdue, and of the first day from today on on
// which something comes up.
func (c *Coming) StandsOut() func(row []eval.Value) bool {
	nearest := civil.None
	for _, e := range c.Events {
		if e.At.Day >= c.today {
			nearest = e.At.Day
			break
		}
	}
	return func(row []eval.Value) bool { return row[0].Day == nearest || row[0].Day < c.today }
}

// listing is what of a plan is listed by date.
type listing struct {
	series  []*schedule.Series
	records []*plan.Record
	window  civil.Span
	overdue civil.Date // the first day before the window on which events of rows still count
	owner   string     // the one whose tasks are listed; "" for all
	whole   bool       // occurrences are listed whole
}

// of is what is asked of a plan: the series and records named, or all of them.
func (n Next) of(p *plan.Plan) (l listing, err error) {
	l = listing{series: p.Series, records: p.Records, window: civil.Span{First: p.Env.Today}}
	if len(n.Names) > 0 {
		l.series, l.records = pick(p, n.Names)
	}
	if n.Owner != "" {
		var other error
		if l.owner, other = p.OwnerNamed(n.Owner); other != nil { // one of another plan's people
			l.series, l.records = nil, nil
		}
	}
	if n.Window != "" {
		l.window, err = eval.Window(n.Window, p.Env)
		l.overdue = l.window.First
		return l, rows.In("window", err)
	}
	if l.window.Last, err = eval.DateOf("today, +"+n.Within, p.Env); err == nil {
		l.overdue, err = eval.DateOf("today, -"+n.Overdue, p.Env)
	}
	return l, err
}

// events lists the events by date; the days before the window are those of records alone.
func (l listing) events(p *plan.Plan, place question.Place) (events []schedule.Event, err error) {
	var entries []schedule.Entry
	if l.whole {
		entries, err = schedule.Whole(l.series, l.window)
	} else {
		entries, _, err = schedule.Entries(l.series, l.window)
	}
	if err != nil {
		return nil, err
	}
	var order []string
	events = make([]schedule.Event, 0, len(entries))
	for _, e := range entries {
		events = append(events, p.Event(e))
	}
	for _, s := range l.series {
		order = append(order, s.Name)
	}
	for _, r := range l.records {
		list, err := p.Events(r, civil.Span{First: min(l.overdue, l.window.First), Last: l.window.Last}, place)
		if err != nil {
			return nil, err
		}
		events, order = append(events, list...), append(order, r.Name)
	}
	if l.owner != "" {
		events = slices.DeleteFunc(events, func(e schedule.Event) bool { return e.Owner != l.owner })
	}
	schedule.SortEvents(events, order, p.Midnight())
	return events, nil
}

// knownOwner refuses an owner who is none of the people of any of the plans.
func knownOwner(plans []*plan.Plan, owner string) (err error) {
	for _, p := range plans {
		if _, err = p.OwnerNamed(owner); err == nil || owner == "" {
			return nil
		}
	}
	return err
}
