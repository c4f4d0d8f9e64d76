package office

import (
	"slices"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/plan"
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
	asked   []plan.Ahead
	columns plan.Ahead
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
	for _, p := range plans {
		what, err := n.of(p)
		if err != nil {
			return nil, err
		}
		c.asked = append(c.asked, what)
	}
	c.Window, c.columns = c.asked[0].Window, c.asked[0]
	for i, p := range plans {
		if err := LedgerOf(p).warn(c.asked[i].Series, c.asked[i].Window, tell); err != nil {
			return nil, err
		}
	}
	for i, p := range plans {
		place := p.Place()
		place.Stdin, place.Warn, place.Note, place.Flags = strings.NewReader(""), tell.Warn, tell.Note, true
		list, err := p.Ahead(c.asked[i], place)
		if err != nil {
			return nil, err
		}
		for _, e := range list {
			c.of[e.UID] = p
		}
		if c.Events = append(c.Events, list...); i > 0 {
			c.columns.Series = append(slices.Clone(c.columns.Series), c.asked[i].Series...)
		}
	}
	if len(plans) > 1 {
		schedule.SortEvents(c.Events, nil, plans[0].Midnight())
	}
	c.Columns = c.columns.Columns()
	return c, nil
}

// Row are the cells of the columns for an event.
func (c *Coming) Row(e schedule.Event) []eval.Value { return c.of[e.UID].AheadRow(c.columns, e) }

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

// of is what is asked of a plan: the series and records named, or all of them.
func (n Next) of(p *plan.Plan) (what plan.Ahead, err error) {
	what = plan.Ahead{Series: p.Series, Records: p.Records}
	if len(n.Names) > 0 {
		what.Series, what.Records = pick(p, n.Names)
	}
	if n.Owner != "" {
		var other error
		if what.Owner, other = p.OwnerNamed(n.Owner); other != nil { // one of another plan's people
			what.Series, what.Records = nil, nil
		}
	}
	what.Window = civil.Span{First: p.Env.Today}
	if n.Window != "" {
		what.Window, err = eval.Window(n.Window, p.Env)
		what.Overdue = what.Window.First
		return what, rows.In("window", err)
	}
	if what.Window.Last, err = eval.DateOf("today, +"+n.Within, p.Env); err == nil {
		what.Overdue, err = eval.DateOf("today, -"+n.Overdue, p.Env)
	}
	return what, err
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
