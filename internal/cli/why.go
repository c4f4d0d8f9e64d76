package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/plan"
)

func (a *App) whyCommand() *cobra.Command {
	var base string
	c := &cobra.Command{
		Use:   "why PHRASE | SERIES [DATE]",
		Short: "Tell how a date came about, or what a phrase means",
		Long: `Tell what a phrase means: in plain words, in its canonical form, and as an RFC 5545
rule where one says exactly the same. With a date, tell how the series of the plan
comes to it, step by step: what the calendar said, and where each holiday is listed.
The date may be nominal, moved, a milestone's, or a day on which nothing falls.`,
		Example: `  yoyaku why "monthly on 15, last then roll preceding"
  yoyaku why crew-pay 2027-03-15
  yoyaku why crew-pay 2027-06-22
  yoyaku why fuel-duty 2027-09-25
  yoyaku why "end of month, -3 working days" --base 2027-12-10 --calendar isles`,
		Args: needArgs(1, 2, "a phrase, or a series of the plan and a date"),
	}
	o := a.place(c)
	o.result(c, rowFormats...)
	c.Flags().StringVar(&base, "base", "", "`DATE` that steps start from")
	c.ValidArgsFunction = o.completeSeries
	c.RunE = func(_ *cobra.Command, args []string) error {
		p, err := o.load()
		if err != nil {
			return err
		}
		s := p.Find(args[0])
		if s == nil && len(args) == 2 {
			if !phrase.IsRule(args[0]) {
				return unknownSeries("", args[0], p)
			}
			if s, err = schedule.NewSeries("this rule", "", args[0], p.Env); err != nil {
				return err
			}
		}
		switch {
		case len(args) == 2:
			d, err := dateOf(args[1], p.Env)
			if err != nil {
				return err
			}
			list, err := s.Why(d, s.Calendar)
			if err != nil {
				return err
			}
			return o.tell(list)
		case s != nil:
			return o.meaning(s.RuleText, p)
		case base != "":
			return o.whySteps(args[0], base, p)
		}
		return o.meaning(args[0], p)
	}
	return c
}

// rowFormats are the formats of commands that give a table.
var rowFormats = []string{"table", "csv", "tsv", "json", "jsonl", "md", "html", "xlsx"}

func unknownSeries(option, name string, p *plan.Plan) error {
	hint := "this plan has " + strings.Join(p.Env.SeriesNames, ", ")
	if near := phrase.Nearest(name, p.Env.SeriesNames); near != "" {
		hint = "did you mean `" + near + "`?"
	} else if len(p.Env.SeriesNames) == 0 {
		hint = "series stand in a plan (--plan, or yoyaku.yaml in this folder)"
	}
	return usagef("%sunknown series `%s`; %s", option, strings.TrimSpace(name), hint)
}

// dateOf works out a date given on the command line.
func dateOf(text string, env eval.Env) (civil.Date, error) {
	prog, err := eval.Compile(text, nil, env)
	if err != nil {
		return civil.None, err
	}
	v, _, err := prog.Eval(nil, nil)
	if err == nil && v.Kind != eval.Date && v.Kind != eval.Moment {
		err = usagef("a date such as 2027-03-31 is wanted, not %q", text)
	}
	return v.Day, err
}

func (o *options) tell(list []schedule.Telling) error {
	return o.table(rowFormats, func(to rows.Sink) error {
		if err := to.Header([]string{"what", "step", "date", "weekday", "why"}); err != nil {
			return err
		}
		for _, t := range list {
			if err := to.Row([]eval.Value{eval.Str(t.What), eval.Str(t.Step), t.Day, schedule.WeekdayOf(t.Day), eval.Str(t.Why)}); err != nil {
				return err
			}
		}
		return nil
	})
}

// whySteps tells a phrase from a base, step by step.
func (o *options) whySteps(text, base string, p *plan.Plan) error {
	d, err := dateOf(base, p.Env)
	if err != nil {
		return fmt.Errorf("--base: %w", err)
	}
	env := p.Env
	env.Names = []string{baseName}
	prog, err := eval.Compile(text, &phrase.Name{Text: baseName}, env)
	if err != nil {
		return err
	}
	v, moves, err := prog.Eval([]eval.Value{eval.Day(d)}, nil)
	if err != nil {
		return err
	}
	from := eval.Day(d)
	if len(moves) > 0 {
		from = eval.Day(moves[0].From)
	}
	return o.tell(schedule.TellSteps("date", from, prog.Chain(), moves, v))
}

// meaning tells what a phrase means.
func (o *options) meaning(text string, p *plan.Plan) error {
	f, err := phrase.Parse(text)
	if err != nil {
		return err
	}
	parts := [][2]string{{"phrase", f.Text}, {"reads", f.Reading()}, {"canonical", f.Canonical()}}
	if f.Rule != nil {
		rec, err := eval.CompileRule(text, p.Env)
		if err != nil {
			return err
		}
		said := schedule.Exported(rec)
		parts = append(parts, said...)
	}
	return o.table(rowFormats, func(to rows.Sink) error {
		if err := to.Header([]string{"part", "text"}); err != nil {
			return err
		}
		for _, r := range parts {
			if err := to.Row([]eval.Value{eval.Str(r[0]), eval.Str(r[1])}); err != nil {
				return err
			}
		}
		return nil
	})
}
