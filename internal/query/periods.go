package query

import (
	"fmt"
	"iter"
	"slices"
	"strings"
	"unicode"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/declare"
)

func init() { register(newPeriods) }

// periodsQuery lists the periods of a stretch of time.
type periodsQuery struct {
	by    string
	count []string
}

func newPeriods() *ask.Query {
	q := &periodsQuery{}
	return &ask.Query{
		Name: "periods", Group: ask.Facts, Order: 4, Use: "periods SPAN --by PERIOD",
		Short: "A table of periods: pay periods, fiscal months, weeks",
		Long: `List the periods that touch a span of time: weeks, months, quarters, years, fiscal
periods, the periods of a series of the plan, or those of a rule. Each comes whole, with
its days and working days and, with --count, how many dates of a series fall in it.`,
		Examples: `  yoyaku periods 2027 --by month
  yoyaku periods FY2028 --by fiscal-month --fiscal-end "last sat of jan"
  yoyaku periods 2027 --by month --count "paid = fortnightly on fri from 2027-01-08"
  yoyaku periods 2027-H1 --by crew-pay
  yoyaku periods 2027 --by month --count deckhand-pay --where "deckhand_pay = 3"`,
		MinArgs: 1, MaxArgs: 1, ArgsHelp: "a stretch of time, such as 2027 or 2027-Q1",
		Options: []*declare.Key{
			{Name: "by", Required: true, Example: "month", Completion: "series",
				Help: "list the periods of `PERIOD`: week, month, quarter, half-year,\nyear, fiscal-month, fiscal-quarter, fiscal-year, a series of\nthe plan, or a rule", Value: declare.Text.Into(&q.by)},
			{Name: "count", Completion: "series",
				Placeholder: `"[NAME =] RULE"`, Help: "count in each period the dates of a rule, or of these series", Value: declare.Text.Repeat(&q.count)},
		},
		Answer: q.answer,
	}
}

func (q *periodsQuery) answer(j *ask.Job) error {
	span, err := eval.ParseWindow(j.Args[0], j.Env)
	if err != nil {
		return err
	}
	list, err := q.periods(j, span)
	if err != nil {
		return err
	}
	counted, err := q.countedSeries(j)
	if err != nil {
		return err
	}
	if days := len(counted) * span.Len(); days > maxCounted {
		return rows.WrapOption("count", fmt.Errorf("%d rules over %d days could give more than %d dates; use a narrower window", len(counted), span.Len(), maxCounted))
	}
	j.Env.Calendar.MarkUsed()
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
	if err := j.FillLines(columns, lines); err != nil {
		return err
	}
	if holes > 0 {
		j.Warn("%s from %s to %s in no period of `%s`", phrase.CountIs(holes, "day"), span.First, span.Last, q.by)
	}
	if twice > 0 {
		j.Warn("%s in two periods of `%s`", phrase.CountIs(twice, "day"), q.by)
	}
	return nil
}

// maxCounted is how many dates are counted, of rules that give one a day.
const maxCounted = 20_000_000

// periods are those of --by.
func (q *periodsQuery) periods(j *ask.Job, span civil.Span) (iter.Seq2[schedule.NumberedPeriod, error], error) {
	var names []string
	for _, u := range spreadUnits[1:] { // a day is no period here
		if u.name == strings.ToLower(q.by) {
			return schedule.NumberedPeriods(j.Env.Fiscal, u.unit, span), nil
		}
		names = append(names, u.name)
	}
	s, err := periodsOf(j, q.by, names)
	if err != nil {
		return nil, err
	}
	return s.NumberedPeriods(span), nil
}

// countedSeries are the series of --count, and those of its rules, each with the name of its
// columns.
func (q *periodsQuery) countedSeries(j *ask.Job) (list []*schedule.Series, err error) {
	add := func(s *schedule.Series) error {
		name := schedule.ColumnName(s.Name)
		if slices.ContainsFunc(list, func(o *schedule.Series) bool { return schedule.ColumnName(o.Name) == name }) {
			return rows.WrapOption("count", fmt.Errorf("`%s` is counted twice; give a rule a name with NAME = in front", name))
		}
		list = append(list, s)
		return nil
	}
	for _, text := range q.count {
		name, body, err := rows.SplitAdd(text)
		if err != nil {
			name, body = "", text
		}
		if phrase.IsRule(body) {
			s, err := schedule.NewSeries(name, "", body, j.Env)
			if err != nil {
				return nil, rows.WrapOption("count", err)
			}
			if s.Name == "" { // its words
				s.Name = strings.Join(strings.FieldsFunc(s.Rules[0].Recurrence.Text, func(r rune) bool {
					return !unicode.IsLetter(r) && !unicode.IsDigit(r)
				}), "_")
			}
			if err := add(s); err != nil {
				return nil, err
			}
			continue
		}
		for _, of := range declare.SplitList(body) {
			found := j.FindAllSeries(of)
			if found == nil {
				return nil, rows.WrapOption("count", j.UnknownSeries(of))
			}
			for _, s := range found {
				if name != "" {
					s = s.Clone()
					s.Name = name
				}
				if err := add(s); err != nil {
					return nil, err
				}
			}
		}
	}
	return list, nil
}
