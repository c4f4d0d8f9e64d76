package workflow

import (
	"slices"
	"strings"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/plan"
)

// AheadRequest says which dates are to be listed.
type AheadRequest struct {
	Names           []string // of series, patterns and records; nil for all
	Within, Overdue string   // stretches from today, and back from it
	Window          string   // instead of both
	Owner           string   // whose tasks alone; "" for all
}

// AheadResult is the coming dates of plans, in order.
type AheadResult struct {
	Window    civil.Span // of the first plan
	Columns   []string
	Events    []schedule.Event // by date
	hasOwner  bool             // a column says whose a task is
	today     civil.Date
	planByUID map[string]*plan.Plan // by UID
}

// Ahead lists the dates of plans from today on, and overdue ones of records.
func Ahead(plans []*plan.Plan, n AheadRequest, reporter Reporter) (c *AheadResult, err error) {
	if err := CheckNames(plans, n.Names, true); err != nil {
		return nil, err
	}
	if err := checkOwner(plans, n.Owner); err != nil {
		return nil, rows.WrapOption("owner", err)
	}
	c = &AheadResult{planByUID: map[string]*plan.Plan{}, today: plans[0].Env.Today}
	asked := make([]planListing, len(plans))
	var series []*schedule.Series
	for i, p := range plans {
		if asked[i], err = n.listingFor(p); err != nil {
			return nil, err
		}
		series = append(series, asked[i].series...)
	}
	c.Window, c.hasOwner = asked[0].window, schedule.NewAgenda(series, "").Owner
	for i, p := range plans {
		if err := newLedger(p).warnBreaches(asked[i].series, asked[i].window, reporter); err != nil {
			return nil, err
		}
	}
	for i, p := range plans {
		records := newRecordMaker(p)
		ws := newWorkspace(newLedger(p), records)
		ws.Stdin, ws.Warn, ws.Note, ws.IsCommand = strings.NewReader(""), reporter.Warn, reporter.Note, true
		list, err := asked[i].events(records, ws)
		if err != nil {
			return nil, err
		}
		for _, e := range list {
			c.planByUID[e.UID] = p
		}
		c.Events = append(c.Events, list...)
	}
	if len(plans) > 1 {
		schedule.SortEvents(c.Events, nil, plans[0].Midnight())
	}
	c.Columns = []string{"date", "weekday", "left", "working_left", "title", "series", "what"}
	if c.hasOwner {
		c.Columns = append(c.Columns, "owner")
	}
	c.Columns = append(c.Columns, "reason")
	return c, nil
}

// Row are the cells of the columns for an event.
func (c *AheadResult) Row(e schedule.Event) []eval.Value {
	today := c.planByUID[e.UID].Env.Today
	working := eval.Value{} // blank for a row that names no calendar
	if cal := e.Calendar; cal != nil {
		cal.MarkUsed()
		cal.RecordQuery(today, e.At.Day)
		working = eval.Int(cal.CountBetween(today, e.At.Day))
	}
	cells := []eval.Value{e.At, schedule.WeekdayOf(e.At), eval.Int(int(e.At.Day - today)), working,
		eval.Str(e.Summary), eval.Str(e.Series), eval.Str(e.What)}
	if c.hasOwner {
		cells = append(cells, eval.Str(e.Owner))
	}
	return append(cells, eval.Str(e.Description))
}

// Highlight picks the rows of what is overdue, and of the first day from today on on
// which something comes up.
func (c *AheadResult) Highlight() func(row []eval.Value) rows.Emphasis {
	nearest := civil.None
	for _, e := range c.Events {
		if e.At.Day >= c.today {
			nearest = e.At.Day
			break
		}
	}
	return func(row []eval.Value) rows.Emphasis {
		if row[0].Day == nearest || row[0].Day < c.today {
			return rows.NearRow
		}
		return rows.NoEmphasis
	}
}

// planListing is the part of a plan that is listed by date.
type planListing struct {
	series           []*schedule.Series
	records          []*plan.Record
	window           civil.Span
	overdue          civil.Date // the first day before the window on which events of rows still count
	owner            string     // the one whose tasks are listed; "" for all
	wholeOccurrences bool       // occurrences are listed whole
}

// listingFor returns what is listed of a plan: the series and records named, or all of them.
func (n AheadRequest) listingFor(p *plan.Plan) (l planListing, err error) {
	l = planListing{series: p.Series, records: p.Records, window: civil.Span{First: p.Env.Today}}
	if len(n.Names) > 0 {
		l.series, l.records = selectNamed(p, n.Names)
	}
	if n.Owner != "" {
		var other error
		if l.owner, other = p.OwnerNamed(n.Owner); other != nil { // one of another plan's people
			l.series, l.records = nil, nil
		}
	}
	if n.Window != "" {
		l.window, err = eval.ParseWindow(n.Window, p.Env)
		l.overdue = l.window.First
		return l, rows.WrapOption("window", err)
	}
	if l.window.Last, err = eval.ComputeDate("today, +"+n.Within, p.Env); err == nil {
		l.overdue, err = eval.ComputeDate("today, -"+n.Overdue, p.Env)
	}
	return l, err
}

// events lists the events by date; the days before the window are those of records alone.
func (l planListing) events(maker *recordMaker, ws ask.Workspace) (events []schedule.Event, err error) {
	p := maker.plan
	var entries []schedule.Entry
	if l.wholeOccurrences {
		entries, err = schedule.OccurrenceEntries(l.series, l.window)
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
		list, err := maker.events(r, civil.Span{First: min(l.overdue, l.window.First), Last: l.window.Last}, ws)
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

// checkOwner refuses an owner who is none of the people of any of the plans.
func checkOwner(plans []*plan.Plan, owner string) (err error) {
	for _, p := range plans {
		if _, err = p.OwnerNamed(owner); err == nil || owner == "" {
			return nil
		}
	}
	return err
}
