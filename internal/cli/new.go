package cli

import (
	"fmt"
	"io"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/files"
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
and the JSON Schema that editors complete it by. A table becomes a record whose columns
of dates are found. A plan that is there is never written over.`,
		Example: `  yoyaku new office --series "pay = monthly on last then roll preceding"
  yoyaku new crew --calendar england-wales --table crew-contracts.csv`,
		Args: needArgs(0, 1, ""),
	}
	s := a.settings(c, false)
	var start plan.Start
	options := []*question.Option{
		{Name: "id", Help: "`ID` that names the events for good: letters, digits, -", Into: &start.ID},
		{Name: "calendar", Complete: "calendars", Help: "`NAME` of a public calendar to count by", Into: &start.Calendar},
		{Name: "series", Repeat: true, Help: "`NAME = RULE` of a series", Into: &start.Series},
		{Name: "table", Repeat: true, Help: "`FILE` of a table that becomes a record", Into: &start.Tables},
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
		return a.start(s, start)
	}
	return c
}

// start writes a new plan and checks it.
func (a *App) start(s *settings, start plan.Start) error {
	day, err := s.day()
	if err != nil {
		return err
	}
	empty, err := plan.Empty(plan.Settings{Now: a.Now, AsOf: day})
	if err != nil {
		return err
	}
	if start.Calendar != "" {
		if _, err := empty.Calendar(start.Calendar); err != nil {
			return rows.In("calendar", err)
		}
	}
	start.Today = empty.Env.Today
	name, err := filepath.Abs(start.Dir)
	if err != nil {
		return err
	}
	if start.ID == "" {
		start.ID = plan.IDOf(filepath.Base(name))
	} else if err := plan.CheckID(start.ID); err != nil {
		return rows.In("id", err)
	}
	start.Title = strings.ReplaceAll(start.ID, "-", " ")
	for i, t := range start.Tables { // as they are reached from the plan's folder
		if abs, err := filepath.Abs(t); err == nil {
			if rel, err := filepath.Rel(name, abs); err == nil {
				start.Tables[i] = rel
			}
		}
	}
	if err := start.Taken(); err != nil {
		return err
	}
	text, found, err := start.Text()
	if err != nil {
		return err
	}
	path := filepath.Join(start.Dir, plan.FileName)
	settings := *s
	settings.plan, settings.text = path, []byte(text)
	if _, err := start.Check(text, plan.Settings{Now: a.Now, AsOf: day}); err != nil {
		return err
	}
	list, _, err := a.findings(&settings, "", false)
	if err != nil {
		return err
	}
	for _, f := range list {
		if !f.Note {
			return &office.No{Text: "the plan would not be right, so it isn't written: " + f.Text}
		}
	}
	if err := start.Write(text, func(path string, fill func(io.Writer) error) error { return files.WriteFile(path, fill) }); err != nil {
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
