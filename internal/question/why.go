package question

import (
	"errors"
	"fmt"
	"slices"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/declare"
)

func init() { register(newWhy) }

// why says how a date came about, or what a phrase means.
type why struct{ base string }

func newWhy() *Question {
	q := &why{}
	return &Question{
		Name: "why", Group: Rules, Place: 2, Apart: "what", Use: "why PHRASE | SERIES [DATE] | RECORDS ROW COLUMN",
		Short: "Tell how a date came about, or what a phrase means",
		Long: `Explain a phrase: in plain words, in its canonical form, and as an RFC 5545 rule if there
is an exact one. With a series and a date, explain step by step how the date came about,
what the calendar said, and where each holiday is listed. The date may be the nominal or
the moved one, a milestone's, or a day without a date. With a record, a row (its key, or
its place such as #12) and a column, explain how that cell came about.`,
		Examples: `  yoyaku why "monthly on 15, last then roll preceding"
  yoyaku why "end of month, -3 working days" --base 2027-12-10 --calendar england-wales
  yoyaku why crew-pay 2027-03-15
  yoyaku why fuel-duty 2027-09-25
  yoyaku why crew-contracts C-103 notice`,
		Least: 1, Most: 3, Wants: "a phrase, a series of the plan and a date, or a record, a row and a column",
		Args:    "series",
		Options: []*declare.Key{{Name: "base", Help: "start steps from `DATE`", Takes: declare.Date.Into(&q.base)}},
		Answer:  q.answer,
	}
}

func (q *why) answer(j *Job) error {
	s := j.Find(j.Args[0])
	var r *RecordOf
	if s == nil {
		r = j.RecordOf(j.Args[0])
	}
	switch {
	case q.base != "" && (s != nil || r != nil || len(j.Args) > 1):
		return &rows.OptionError{Option: "base", Is: true,
			Err: errors.New("is where steps start; a series, record or rule has its own dates")}
	case r != nil && r.Err != nil:
		return r.Err
	case r != nil && len(j.Args) == 3:
		return q.row(j, r, j.Args[1], j.Args[2])
	case r != nil && len(j.Args) == 2:
		return fmt.Errorf("name a row and a column of the record: yoyaku why %s %s COLUMN", r.Name, j.Args[1])
	case r != nil:
		return fmt.Errorf("`%s` is a record; name a row and a column of it: yoyaku why %[1]s ROW COLUMN", r.Name)
	case len(j.Args) == 3:
		return fmt.Errorf("no record `%s`; records are in a plan (--plan FILE, or yoyaku.yaml in this folder)", j.Args[0])
	}
	if s == nil && len(j.Args) == 2 {
		if !phrase.IsRule(j.Args[0]) {
			return j.UnknownSeries(j.Args[0])
		}
		var err error
		if s, err = schedule.NewSeries("this rule", "", j.Args[0], j.Env); err != nil {
			return err
		}
	}
	switch {
	case len(j.Args) == 2:
		d, err := eval.DateOf(j.Args[1], j.Env)
		if err != nil {
			return err
		}
		list, ids, err := s.Why(d, s.Calendar)
		if err == nil && j.Ledger != nil {
			var rows []schedule.Released
			rows, err = j.Released(s.Name)
			for _, t := range schedule.TellReleased(rows, ids, d) { // behind what is reported about the same
				at := len(list)
				for at > 0 && list[at-1].What != t.What {
					at--
				}
				if at == 0 {
					at = len(list)
				}
				list = slices.Insert(list, at, t)
			}
		}
		if err != nil {
			return err
		}
		return j.tell(list)
	case s != nil && len(s.Rules) > 1:
		var parts [][2]string
		for _, r := range s.Rules {
			parts = append(parts, [2]string{"holds", holds(r.Span)})
			more, err := j.means(r.Text)
			if err != nil {
				return err
			}
			parts = append(parts, more...)
		}
		return j.parts(parts)
	case s != nil:
		return j.meaning(s.RuleText)
	case q.base != "":
		return q.steps(j)
	}
	return j.meaning(j.Args[0])
}

func (j *Job) tell(list []schedule.Telling) error {
	return j.fill([]string{"what", "step", "date", "weekday", "why"}, func(put rows.Put) error {
		for _, t := range list {
			if err := put([]eval.Value{eval.Str(t.What), eval.Str(t.Step), t.Day, schedule.WeekdayOf(t.Day),
				eval.Str(t.Why)}); err != nil {
				return err
			}
		}
		return nil
	})
}

// steps explains a phrase from a base, step by step.
func (q *why) steps(j *Job) error {
	prog, from, err := fromBase(j, j.Args[0], q.base)
	if err != nil {
		return err
	}
	var v eval.Value
	var moves []eval.Move
	err = prog.Into([]eval.Value{from}, &moves, &v)
	if err != nil {
		return err
	}
	if len(moves) > 0 {
		from = eval.Day(moves[0].From)
	}
	return j.tell(schedule.TellSteps("date", from, moves, v))
}

// meaning explains what a phrase means. A single word that is no name here may be
// a series that isn't at hand.
func (j *Job) meaning(text string) error {
	parts, err := j.means(text)
	if err != nil {
		return err
	}
	return j.parts(parts)
}

// holds says when a rule holds.
func holds(s civil.Span) string {
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

// means is what a phrase means, in pairs of part and text.
func (j *Job) means(text string) ([][2]string, error) {
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
		parts = append(parts, schedule.Exported(rec)...)
	}
	return parts, nil
}

func (j *Job) parts(parts [][2]string) error {
	return j.fill([]string{"part", "text"}, func(put rows.Put) error {
		for _, r := range parts {
			if err := put([]eval.Value{eval.Str(r[0]), eval.Str(r[1])}); err != nil {
				return err
			}
		}
		return nil
	})
}
