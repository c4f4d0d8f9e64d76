package query

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/declare"
)

func init() { register(newWhy) }

// whyQuery says how a date came about, or what a phrase means.
type whyQuery struct{ base string }

func newWhy() *ask.Query {
	q := &whyQuery{}
	return &ask.Query{
		Name: "why", Group: ask.Rules, Order: 2, GroupBy: "what", Use: "why PHRASE | SERIES[.MILESTONE] [DATE|ID] | RECORDS ROW COLUMN",
		Short: "Tell how a date came about, or what a phrase means",
		Long: `Explain a phrase: in plain words, in its canonical form, and as an RFC 5545 rule if there
is an exact one. With a series and a date, explain step by step how the date came about,
what the calendar said, and where each holiday is listed. The date may be the nominal or
the moved one, a milestone's, a day without a date, or an id. With a record, a row (its key, or
its place such as #12) and a column, explain how that cell came about.`,
		Examples: `  yoyaku why "monthly on 15, last then roll preceding"
  yoyaku why "end of month, -3 working days" --base 2027-12-10 --calendar england-wales
  yoyaku why crew-pay 2027-03-15
  yoyaku why fuel-duty 2027-09-25
  yoyaku why crew-pay.bank-file 2027-12/last
  yoyaku why crew-contracts C-103 notice`,
		MinArgs: 1, MaxArgs: 3, ArgsHelp: "a phrase, a series of the plan and a date, or a record, a row and a column",
		ArgsCompletion: "series",
		Options:        []*declare.Key{{Name: "base", Help: "start steps from `DATE`", Value: declare.Date.Into(&q.base)}},
		Answer:         q.answer,
	}
}

func (q *whyQuery) answer(j *ask.Job) error {
	name := j.Args[0]
	s, milestone, err := findDates(j, name)
	if err != nil {
		return err
	}
	var r *ask.RecordRows
	if s == nil && j.FindRecord != nil {
		r = j.FindRecord(name)
	}
	switch {
	case q.base != "" && (s != nil || r != nil || len(j.Args) > 1):
		return &rows.OptionError{Option: "base", IsPredicate: true,
			Err: errors.New("is where steps start; a series, record or rule has its own dates")}
	case r != nil:
		return q.ofRecord(j, r)
	case len(j.Args) == 3:
		return fmt.Errorf("no record `%s`; records are in a plan (--plan FILE, or yoyaku.yaml in this folder)", name)
	case len(j.Args) == 2 && milestone >= 0:
		return q.ofMilestone(j, s, milestone)
	case len(j.Args) == 2:
		return q.ofDate(j, s)
	case milestone >= 0:
		return explainPhrase(j, s.Milestones[milestone].Program.Text)
	case s != nil && len(s.Rules) > 1:
		return explainRules(j, s)
	case s != nil:
		return explainPhrase(j, s.RuleText)
	case q.base != "":
		return q.explainSteps(j)
	}
	return explainPhrase(j, name)
}

// findDates finds the series that a name means, or with SERIES.MILESTONE a milestone of it; s is
// nil if it means neither, milestone -1 for the dates of the series themselves.
func findDates(j *ask.Job, name string) (s *schedule.Series, milestone int, err error) {
	if s := j.FindSeries(name); s != nil {
		return s, -1, nil
	}
	f, err := phrase.Parse(name)
	if err != nil || f.Expr == nil {
		return nil, -1, nil
	}
	ref, ok := f.Expr.(*phrase.SeriesRef)
	if !ok {
		return nil, -1, nil
	}
	if s = j.FindSeries(ref.Series); s == nil {
		return nil, -1, j.UnknownSeries(ref.Series)
	}
	milestone, err = s.FindMilestone(ref.What)
	return s, milestone, err
}

// ofRecord explains a column of a row of a record.
func (q *whyQuery) ofRecord(j *ask.Job, r *ask.RecordRows) error {
	switch len(j.Args) {
	case 3:
		return q.explainRow(j, r, j.Args[1], j.Args[2])
	case 2:
		return fmt.Errorf("name a row and a column of the record: yoyaku why %s %s COLUMN", r.Name, j.Args[1])
	}
	return fmt.Errorf("`%s` is a record; name a row and a column of it: yoyaku why %[1]s ROW COLUMN", r.Name)
}

// ofDate explains a date of a series of the plan or, if s is nil, of a rule.
func (q *whyQuery) ofDate(j *ask.Job, s *schedule.Series) (err error) {
	if s == nil {
		if !phrase.IsRule(j.Args[0]) {
			return j.UnknownSeries(j.Args[0])
		}
		if s, err = schedule.NewSeries("this rule", "", j.Args[0], j.Env); err != nil {
			return err
		}
	}
	d, id, err := dateOrID(j)
	if err != nil {
		return err
	}
	var e schedule.Explained
	if id == "" {
		e, err = s.Explain(d, s.Calendar)
	} else if e, err = s.ExplainID(id); err == nil && e.Lines == nil {
		err = unknownID(s, id)
	}
	if err != nil {
		return err
	}
	if j.Ledger != nil {
		released, err := j.Released(s.Name)
		if err != nil {
			return err
		}
		for _, line := range schedule.ExplainReleases(released, e.IDs, d) {
			e.Lines = insertExplanation(e.Lines, line)
		}
	}
	return reportExplained(j, e)
}

// reportExplained writes how dates came about. Calendars that others than these looked into are
// none of what is warned of.
func reportExplained(j *ask.Job, e schedule.Explained) error {
	j.ResetMisses()
	e.RecordUncovered()
	return reportExplanation(j, e.Lines)
}

// ofMilestone explains a milestone of an occurrence.
func (q *whyQuery) ofMilestone(j *ask.Job, s *schedule.Series, milestone int) error {
	d, id, err := dateOrID(j)
	if err != nil {
		return err
	}
	e, err := s.ExplainMilestone(milestone, d, id)
	switch {
	case err != nil:
		return err
	case e.Lines == nil && id != "":
		return unknownID(s, id)
	case e.Lines == nil:
		return fmt.Errorf("%s is no date of `%s`, nor its `%s`", d, s.Name, s.Milestones[milestone].Name)
	}
	return reportExplained(j, e)
}

// dateOrID reads DATE: a date, a phrase that gives one, or the id of a date.
func dateOrID(j *ask.Job) (d civil.Date, id string, err error) {
	text := strings.TrimSpace(j.Args[1])
	if _, isDate, _ := civil.Parse(text); !isDate && idPattern.MatchString(text) {
		return civil.None, text, nil
	}
	d, err = eval.ComputeDate(text, j.Env)
	return d, "", err
}

// idPattern is what an id begins with: a year, or a fiscal one.
var idPattern = regexp.MustCompile(`^(FY)?\d{4}(-(H|Q|M|W)?\d{1,2})?(/|$)`)

func unknownID(s *schedule.Series, id string) error {
	return fmt.Errorf("`%s` has no date with the id %s; `yoyaku dates %s --columns date,id` lists them", s.Name, id, s.Name)
}

// insertExplanation puts a line behind those about the same date or milestone, else at the end.
func insertExplanation(list []schedule.ExplanationLine, line schedule.ExplanationLine) []schedule.ExplanationLine {
	at := len(list)
	for at > 0 && list[at-1].What != line.What {
		at--
	}
	if at == 0 {
		at = len(list)
	}
	return slices.Insert(list, at, line)
}

// explainRules says what each rule of a series that changes means, and when it holds.
func explainRules(j *ask.Job, s *schedule.Series) error {
	var parts [][2]string
	for _, r := range s.Rules {
		parts = append(parts, [2]string{"holds", effectiveText(r.Span)})
		more, err := meaningParts(j, r.Text)
		if err != nil {
			return err
		}
		parts = append(parts, more...)
	}
	return fillParts(j, parts)
}

func reportExplanation(j *ask.Job, list []schedule.ExplanationLine) error {
	return j.FillRows([]string{"what", "step", "date", "weekday", "why"}, func(put rows.PutRow) error {
		for _, t := range list {
			if err := put([]eval.Value{eval.Str(t.What), eval.Str(t.Step), t.Day, schedule.WeekdayOf(t.Day),
				eval.Str(t.Reason)}); err != nil {
				return err
			}
		}
		return nil
	})
}

// explainSteps explains a phrase from a base, step by step.
func (q *whyQuery) explainSteps(j *ask.Job) error {
	prog, from, err := compileFromBase(j, j.Args[0], q.base)
	if err != nil {
		return err
	}
	var v eval.Value
	var moves []eval.Move
	err = prog.EvalInto([]eval.Value{from}, &moves, &v)
	if err != nil {
		return err
	}
	if len(moves) > 0 {
		from = eval.Day(moves[0].From)
	}
	return reportExplanation(j, schedule.ExplainSteps("date", from, moves, v))
}

// explainPhrase explains what a phrase means. A single word that is no name here may be
// a series that isn't at hand.
func explainPhrase(j *ask.Job, text string) error {
	parts, err := meaningParts(j, text)
	if err != nil {
		return err
	}
	return fillParts(j, parts)
}

// effectiveText says when a rule holds.
func effectiveText(s civil.Span) string {
	switch {
	case s.First == civil.Min && s.Last == civil.Max:
		return "always"
	case s.First == civil.Min:
		return "until " + s.Last.String()
	case s.Last == civil.Max:
		return "from " + s.First.String()
	}
	return "from " + s.First.String() + " until " + s.Last.String()
}

// meaningParts is what a phrase means, in pairs of part and text.
func meaningParts(j *ask.Job, text string) ([][2]string, error) {
	f, err := phrase.Parse(text)
	if err != nil {
		return nil, err
	}
	if n, ok := f.Expr.(*phrase.Name); ok {
		return nil, fmt.Errorf("%w; a phrase of one name means that name itself", j.UnknownSeries(n.Text))
	}
	parts := [][2]string{{"phrase", f.Text}, {"reads", f.Reading()}, {"canonical", f.Canonical()}}
	if f.Rule != nil {
		rec, err := eval.CompileRule(text, j.Env)
		if err != nil {
			return nil, err
		}
		parts = append(parts, schedule.ExportProperties(rec)...)
	}
	return parts, nil
}

func fillParts(j *ask.Job, parts [][2]string) error {
	return j.FillRows([]string{"part", "text"}, func(put rows.PutRow) error {
		for _, r := range parts {
			if err := put([]eval.Value{eval.Str(r[0]), eval.Str(r[1])}); err != nil {
				return err
			}
		}
		return nil
	})
}
