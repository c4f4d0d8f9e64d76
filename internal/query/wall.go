package query

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strings"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/core/workdays"
	"yoyaku/internal/declare"
)

func init() { register(newWall) }

// wallQuery draws a year at a glance.
type wallQuery struct {
	window, paper string
	milestones    bool
	with          []string
}

func newWall() *ask.Query {
	q := &wallQuery{}
	return &ask.Query{
		Name: "wall", NeedsNoRecord: true, Group: ask.Plan, Order: 6, Use: "wall [PLAN …|SERIES …]", Short: "A year at a glance",
		Long: `Draw the months of a window (a year by default) with the dates of the plan's series
marked, closed days dimmed and named, and a legend with counts. A hollow sign marks a date
that moved. With --out wall.html it becomes a page that prints on one landscape sheet;
--with adds sheets behind it: the tables of the series, the closed days, the dates that
moved and why, the checks that passed, the released dates, and lines to sign.`,
		Examples: `  yoyaku wall
  yoyaku wall --window 2027 --out wall.html
  yoyaku wall crew-pay deckhand-pay --window 2027-H1
  yoyaku wall crew-pay deckhand-pay --with tables,holidays,signatures --out calendar.html
  yoyaku wall crew-pay --milestones --window 2027-Q1 --paper letter --out quarter.html`,
		MinArgs: 0, MaxArgs: -1, ArgsCompletion: "series", TakesPlanFile: true, IsDrawing: true,
		Options: []*declare.Key{
			{Name: "window", Help: "show the months of `SPAN`: 2027, 2027-H1, 2027-01..2028-06\n(default: this year, or that of the plan's window)", Value: declare.Span.Into(&q.window)},
			{Name: "paper", Default: "a4",
				Help: "print on `PAPER`: a4 or letter", Value: declare.Choice("a4", "letter").Into(&q.paper)},
			{Name: "milestones", Help: "also mark milestones", Value: declare.Bool.Into(&q.milestones)},
			{Name: "with", Help: "add sheets behind the year, `PARTS` joined by commas:\n" + strings.Join(wallParts, ", "), Value: declare.Choice(wallParts...).List(&q.with)},
		},
		Answer: q.answer,
	}
}

func (q *wallQuery) answer(j *ask.Job) error {
	var list []*schedule.Series
	for _, name := range j.Args {
		found := j.FindAllSeries(name)
		if found == nil {
			return j.UnknownSeries(name)
		}
		list = append(list, found...)
	}
	if len(j.Args) == 0 && j.Catalog != nil {
		list = j.AllSeries()
	}
	if len(list) == 0 {
		return fmt.Errorf("there are no series to draw; they are in a plan (--plan FILE, or yoyaku.yaml in this folder)")
	}
	span, err := q.span(j)
	if err != nil {
		return err
	}
	cal := j.Env.Calendar
	cal.MarkUsed()
	w, err := schedule.NewWall(list, span, q.milestones, j.Env.Fiscal, cal)
	if err != nil {
		return rows.WrapOption("window", err)
	}
	for _, d := range cal.UncoveredDays(w.Span()) {
		cal.RecordMiss(d)
	}
	if w.Title = j.Shape.Title; w.Title == "" {
		w.Title = j.Title
	}
	if err := j.WarnBreaches(list, w.Span()); err != nil {
		return err
	}
	w.Letter = q.paper == "letter"
	if w.Parts, err = q.makeParts(j, list, w.Span()); err != nil {
		return err
	}
	draw := rows.DisplayOf(j.Sink).DrawWall
	if draw == nil {
		return errors.New("a wall is drawn on the terminal or as a page: --out wall.html")
	}
	return draw(w)
}

// wallParts are the words of --with.
var wallParts = []string{"tables", "holidays", "moved", "expectations", "released", "signatures"}

// makeParts are what follows the months, in the order asked, that of each plan together.
// A private series is in none unless it was named.
func (q *wallQuery) makeParts(j *ask.Job, list []*schedule.Series, span civil.Span) (parts []schedule.WallPart, err error) {
	if len(q.with) > 0 && !rows.DisplayOf(j.Sink).TakesWallParts {
		return nil, rows.WrapOption("with", errors.New("needs a page: --out wall.html"))
	}
	for _, group := range j.Groups() {
		own := slices.DeleteFunc(slices.Clone(group.Series), func(s *schedule.Series) bool {
			return !slices.Contains(list, s) || s.Private && len(j.Args) == 0
		})
		if len(own) == 0 {
			continue
		}
		for _, name := range q.with {
			made, err := q.makePart(j, name, own, group.ID, span)
			if err != nil {
				return nil, err
			}
			for _, p := range made {
				if p.Plan = cmp.Or(j.Shape.Title, group.Title); len(j.Groups()) > 1 {
					p.Plan = group.Title
				}
				parts = append(parts, p)
			}
		}
	}
	return parts, nil
}

// makePart makes a part of the series of a plan; of tables and calendars there may be several.
func (q *wallQuery) makePart(j *ask.Job, name string, list []*schedule.Series, plan string,
	span civil.Span) (parts []schedule.WallPart, err error) {
	one := func(p schedule.WallPart, err error) ([]schedule.WallPart, error) { return []schedule.WallPart{p}, err }
	switch name {
	case "tables":
		for _, s := range list {
			p, err := schedule.WallTable(s, span)
			if err != nil {
				return nil, err
			}
			parts = append(parts, p)
		}
	case "holidays":
		var seen []*workdays.Calendar
		for _, s := range list {
			if s.Calendar == nil || slices.Contains(seen, s.Calendar) {
				continue
			}
			seen = append(seen, s.Calendar)
			p, err := schedule.WallHolidays(s.Calendar, span)
			if err != nil {
				return nil, err
			}
			parts = append(parts, p)
		}
	case "moved":
		return one(schedule.WallMoved(list, span))
	case "expectations":
		return one(schedule.WallProofs(list, span))
	case "released":
		var released []schedule.Released
		titles := map[string]string{}
		for _, s := range list {
			titles[s.Name] = s.Title
			if j.Ledger == nil {
				continue
			}
			found, err := j.Released(s.Name)
			if err != nil {
				return nil, err
			}
			for _, r := range found {
				if r.Plan == plan {
					released = append(released, r)
				}
			}
		}
		return one(schedule.WallReleased(released, func(series string) string { return titles[series] }, span), nil)
	case "signatures":
		return one(schedule.WallPart{Title: "Signatures", Lines: []string{"Prepared", "Checked", "Approved"}}, nil)
	}
	return parts, nil
}

// span is the window, or the year that today, or else the plan's window, begins in.
func (q *wallQuery) span(j *ask.Job) (civil.Span, error) {
	if q.window != "" {
		return j.ParseWindow("window", q.window)
	}
	d := j.Env.Today
	if w := j.Window; w != nil {
		d = min(max(d, w.First), w.Last)
	}
	year, _ := j.Env.Fiscal.PeriodAt(civil.Year, d, 0)
	return year, nil
}
