package question

import (
	"fmt"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
)

func init() { register(newWall) }

// wall draws a year at a glance.
type wall struct {
	window, paper string
	milestones    bool
}

func newWall() *Question {
	q := &wall{}
	return &Question{
		Name: "wall", Alone: true, Group: Plan, Place: 6, Use: "wall [PLAN …|SERIES …]", Short: "A year at a glance",
		Long: `Draw the months of a window (a year unless told) with the days of the plan's series
marked, closed days dimmed and named, and a legend that counts. A hollow sign is a date
that moved. With --out wall.html it is a page that prints on one sheet, landscape.`,
		Examples: `  yoyaku wall
  yoyaku wall crew-pay deckhand-pay --window 2027-H1
  yoyaku wall --window 2027 --out wall.html
  yoyaku wall crew-pay --milestones --window 2027-Q1 --paper letter --out quarter.html`,
		Least: 0, Most: -1, Args: "series", PlanArg: true, Drawn: true,
		Options: []*Option{
			{Name: "window", Kind: Span,
				Help: "`SPAN` of months: 2027, 2027-H1, 2027-01..2028-06 (default:\nthe year of today, or of the plan's window)", Into: &q.window},
			{Name: "paper", Kind: Choice, Choices: []string{"a4", "letter"}, Default: "a4",
				Help: "`PAPER` that the page prints on: a4 or letter", Into: &q.paper},
			{Name: "milestones", Kind: Yes, Help: "mark milestones too", Into: &q.milestones},
		},
		Answer: q.answer,
	}
}

func (q *wall) answer(j *Job) error {
	var list []*schedule.Series
	for _, name := range j.Args {
		found := j.FindAll(name)
		if found == nil {
			return j.UnknownSeries(name)
		}
		list = append(list, found...)
	}
	if len(j.Args) == 0 && j.Source != nil {
		list = j.All()
	}
	if len(list) == 0 {
		return fmt.Errorf("there are no series to draw; they stand in a plan (--plan, or yoyaku.yaml in this folder)")
	}
	span, err := q.span(j)
	if err != nil {
		return err
	}
	cal := j.Env.Calendar
	cal.Need()
	w, err := schedule.NewWall(list, span, q.milestones, j.Env.Frame, cal)
	if err != nil {
		return rows.In("window", err)
	}
	for _, d := range cal.Beyond(w.Span()) {
		cal.Miss(d)
	}
	if w.Title = j.Shape.Title; w.Title == "" {
		w.Title = j.Title
	}
	if err := j.warnBreaches(list, w.Span()); err != nil {
		return err
	}
	w.Letter = q.paper == "letter"
	to, ok := j.To.(schedule.WallSink)
	if !ok {
		return fmt.Errorf("a wall is drawn as a table on a terminal, or as a page: --out wall.html")
	}
	return to.Wall(w)
}

// span is the window, or the year that today, or else the plan's window, begins in.
func (q *wall) span(j *Job) (civil.Span, error) {
	if q.window != "" {
		return j.window("window", q.window)
	}
	d := j.Env.Today
	if w := j.Window; w != nil {
		d = min(max(d, w.First), w.Last)
	}
	year, _ := j.Env.Frame.Around(civil.Year, d, 0)
	return year, nil
}
