package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"yoyaku/internal/core/eval"
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
		{Name: "key", Completion: "columns", Requires: []string{"table"}, Help: "make one series for each value of column `COL` in the tables", Value: declare.Text.Into(&start.Key)},
		{Name: "series", Placeholder: `"NAME = RULE"`, Help: "add a series with its name and its rule", Value: declare.Text.Repeat(&start.Series)},
		{Name: "calendar", Completion: "calendars", Help: "count with the public calendar `NAME`, such as england-wales", Value: declare.Text.Into(&start.Calendar)},
		{Name: "id", Help: "set the plan's `ID`, which identifies its events for good:\nletters, digits and -", Value: declare.Text.Into(&start.ID)},
	}
	addFlags(c, groupQuery, options)
	s.completeOptions(c, options, nil)
	c.RunE = func(_ *cobra.Command, args []string) error {
		if err := checkOptions(options, eval.Env{}); err != nil {
			return err
		}
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
