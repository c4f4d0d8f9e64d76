package cli

import (
	"fmt"
	"slices"

	"github.com/spf13/cobra"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/language"
	"yoyaku/internal/declare"
	"yoyaku/internal/draft"
	"yoyaku/internal/plan"
	"yoyaku/internal/render"
)

func (a *App) newCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "new [FOLDER]",
		Short: "Write a plan to start from",
		Long: `Write a first plan, yoyaku.yaml, to a folder (this one unless named), with comments and
the JSON Schema that lets editors complete it. Dates of a table that follow a rule become
series, with the exceptions moved by hand; the rest becomes a record. An existing plan
is never overwritten. Without options, list the tables in the folder and the command for
each.`,
		Example: `  yoyaku new
  yoyaku new office --series "pay = monthly on last then roll preceding"
  yoyaku new next-year --table pay-days-2026.csv
  yoyaku new crew --calendar england-wales --table crew-contracts.csv`,
		Args: argCount(0, 1, ""),
	}
	s := a.settings(c, false)
	var start draft.NewPlan
	options := []*declare.Key{
		{Name: "table", Help: "make series of the dates in table `FILE`, and a record of\nthe rest", Value: declare.Text.Repeat(&start.Tables)},
		{Name: "date", Completion: "columns", Placeholder: "COLUMNS", Requires: []string{"table"}, Help: "take these columns of dates; the first is the series'", Value: declare.Column.List(&start.Dates)},
		{Name: "where", Requires: []string{"table"}, Placeholder: "CONDITION", Help: "take the rows for which this holds", Value: declare.Text.Repeat(&start.Where)},
		{Name: "key", Completion: "columns", Requires: []string{"table"}, Help: "make one series for each value of column `COL` in the tables", Value: declare.Text.Into(&start.Key)},
		{Name: "series", Placeholder: `"NAME = RULE"`, Help: "add a series with its name and its rule", Value: declare.Text.Repeat(&start.Series)},
		{Name: "calendar", Completion: "calendars", Help: "count with the public calendar `NAME`, such as england-wales", Value: declare.Text.Into(&start.Calendar)},
		{Name: "language", Help: "read names of months and weekdays of language `CODE` first", Value: declare.Choice(language.Codes()...).Into(&start.Language)},
		{Name: "id", Help: "set the plan's `ID`, which identifies its events for good:\nletters, digits and -", Value: declare.Text.Into(&start.ID)},
	}
	addFlags(c, groupQuery, options)
	in := commandOptions(start.In.Options())
	in = slices.DeleteFunc(in, func(k *declare.Key) bool { return k.Name == "bad-rows" || k.Name == "keep-text" })
	addFlags(c, groupTableIn, in)
	s.completeOptions(c, append(slices.Clone(options), in...), &start.In)
	c.RunE = func(_ *cobra.Command, args []string) error {
		if err := checkOptions(options, eval.Env{}); err != nil {
			return err
		}
		if err := start.In.Check(); err != nil {
			return err
		}
		start.Stdin = a.In
		start.Dir = "."
		if len(args) == 1 {
			start.Dir = args[0]
		}
		day, err := s.asOfDate()
		if err != nil {
			return err
		}
		if start.ID+start.Calendar+start.Key == "" && len(start.Series)+len(start.Tables) == 0 {
			list, err := start.Candidates(plan.Settings{Now: a.Now, AsOf: day})
			if err != nil || len(list) > 0 {
				fmt.Fprint(a.stdout, render.CleanLines(draft.CandidatesText(list)))
				return err
			}
		}
		path, found, err := start.Create(plan.Settings{Now: a.Now, AsOf: day})
		if err != nil {
			return err
		}
		fmt.Fprintf(a.stdout, "Wrote %s.\n", render.Clean(path))
		for _, f := range found {
			fmt.Fprintf(a.stdout, "  %s\n", render.Clean(f))
		}
		where := ""
		if start.Dir != "." {
			where = "cd " + render.Clean(start.Dir) + ", then "
		}
		fmt.Fprintf(a.stdout, "It passes `yoyaku check`. Next: %sedit it, then `yoyaku run` or `yoyaku ahead`.\n", where)
		return nil
	}
	return c
}
