package question

import (
	"fmt"
	"iter"
	"slices"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
)

func init() { register(newPeriods) }

// periodTable lists the periods of a stretch of time.
type periodTable struct {
	by    string
	count []string
}

func newPeriods() *Question {
	q := &periodTable{}
	return &Question{
		Name: "periods", Group: Facts, Place: 4, Use: "periods SPAN --by PERIOD",
		Short: "A table of periods: pay periods, fiscal months, weeks",
		Long: `List the whole weeks, months, quarters, years, fiscal periods, or periods of a series of
the plan that touch a stretch of time, each with its days and working days; and how many
dates of the series named fall into it, by the day they moved to.`,
		Examples: `  yoyaku periods 2027 --by month --count crew-pay,deckhand-pay
  yoyaku periods 2027-H1 --by crew-pay
  yoyaku periods FY2028 --by fiscal-month --fiscal-end "last sat of jan"
  yoyaku periods 2027 --by month --count deckhand-pay --where "deckhand_pay = 3"`,
		Least: 1, Most: 1, Wants: "a stretch of time, such as 2027 or 2027-Q1",
		Options: []*Option{
			{Name: "by", Needed: true, Complete: "series",
				Help: "`PERIOD`: week, month, quarter, half-year, year,\nfiscal-month, fiscal-quarter, fiscal-year, or a series", Into: &q.by},
			{Name: "count", List: true, Complete: "series", Help: "`SERIES` whose dates are counted in each, with commas",
				Into: &q.count},
		},
		Answer: q.answer,
	}
}

func (q *periodTable) answer(j *Job) error {
	span, err := eval.Window(j.Args[0], j.Env)
	if err != nil {
		return err
	}
	list, err := q.periods(j, span)
	if err != nil {
		return err
	}
	var counted []*schedule.Series
	for _, name := range q.count {
		found := j.FindAll(name)
		if found == nil {
			return rows.In("count", j.UnknownSeries(name))
		}
		counted = append(counted, found...)
	}
	j.Env.Calendar.Need()
	before, holes, twice := span.First-1, 0, 0
	seen := func(yield func(schedule.NumberedPeriod, error) bool) {
		for p, err := range list {
			if err == nil {
				holes += max(0, int(min(p.First-1, span.Last)-before))
				twice += max(0, int(min(before, p.Last)-max(p.First, span.First))+1)
				before = max(before, p.Last)
			}
			if !yield(p, err) {
				return
			}
		}
		holes += max(0, int(span.Last-before))
	}
	columns, lines := schedule.PeriodTable(seen, j.Env.Calendar, counted)
	if err := j.lines(columns, lines); err != nil {
		return err
	}
	if holes > 0 {
		j.Warn("%s between %s and %s in no period of `%s`", phrase.IsAre(holes, "day"), span.First, span.Last, q.by)
	}
	if twice > 0 {
		j.Warn("%s in two periods of `%s`", phrase.IsAre(twice, "day"), q.by)
	}
	return nil
}

// periods are those of --by.
func (q *periodTable) periods(j *Job, span civil.Span) (iter.Seq2[schedule.NumberedPeriod, error], error) {
	var names []string
	for _, u := range spreadUnits[1:] { // a day is no period here
		if u.name == strings.ToLower(q.by) {
			return schedule.NumberedPeriods(j.Env.Frame, u.unit, span), nil
		}
		names = append(names, u.name)
	}
	if s := j.Find(q.by); s != nil {
		return s.NumberedPeriods(span), nil
	}
	names = append(names, slices.Clone(j.Env.SeriesNames)...)
	hint := strings.Join(names, ", ")
	if near := phrase.Nearest(q.by, names); near != "" {
		hint = "did you mean `" + near + "`?"
	}
	return nil, rows.In("by", fmt.Errorf("unknown period or series `%s`; %s", eval.Brief(q.by), hint))
}
