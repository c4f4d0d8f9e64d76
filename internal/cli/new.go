package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/office"
	"yoyaku/internal/plan"
	"yoyaku/internal/question"
	"yoyaku/internal/report"
)

func (a *App) newCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "new [FOLDER]",
		Short: "Write a plan to start from",
		Long: `Write a first plan, yoyaku.yaml, into a folder (this one unless named), with comments,
and the JSON Schema that editors complete it by. Of a table whose dates go by a rule it
makes series, with what is set by hand; what no rule explains stays a record. A plan
that is there is never written over.`,
		Example: `  yoyaku new office --series "pay = monthly on last then roll preceding"
  yoyaku new crew --calendar england-wales --table crew-contracts.csv
  yoyaku new next-year --table pay-days-2026.csv`,
		Args: needArgs(0, 1, ""),
	}
	s := a.settings(c, false)
	var start office.Start
	options := []*question.Option{
		{Name: "id", Help: "`ID` that names the events for good: letters, digits, -", Into: &start.ID},
		{Name: "calendar", Complete: "calendars", Help: "`NAME` of a public calendar to count by", Into: &start.Calendar},
		{Name: "series", Repeat: true, Help: "`NAME = RULE` of a series", Into: &start.Series},
		{Name: "table", Repeat: true, Help: "`FILE` of a table whose dates become series, and what else it\nholds a record", Into: &start.Tables},
		{Name: "key", Complete: "columns", With: []string{"table"}, Help: "`COL` of the tables whose values are the names of series", Into: &start.Key},
	}
	bind(c, asked, options)
	s.completeOptions(c, options, nil)
	c.RunE = func(_ *cobra.Command, args []string) error {
		if err := valid(options, eval.Env{}); err != nil {
			return err
		}
		start.Dir = "."
		if len(args) == 1 {
			start.Dir = args[0]
		}
		day, err := s.day()
		if err != nil {
			return err
		}
		path, found, err := start.Make(plan.Settings{Now: a.Now, AsOf: day})
		if err != nil {
			return err
		}
		fmt.Fprintf(a.said, "%s is written.\n", report.Clean(path))
		for _, f := range found {
			fmt.Fprintf(a.said, "  %s\n", report.Clean(f))
		}
		where := ""
		if start.Dir != "." {
			where = "cd " + report.Clean(start.Dir) + ", then "
		}
		fmt.Fprintf(a.said, "It passes yoyaku check. Next: %syoyaku run, yoyaku ahead, and your editor.\n", where)
		return nil
	}
	return c
}
