package cli

import (
	"fmt"
	"path/filepath"

	"github.com/spf13/cobra"

	"yoyaku/demo"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/office"
	"yoyaku/internal/plan"
	"yoyaku/internal/question"
	"yoyaku/internal/report"
)

func (a *App) demoCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "demo [FOLDER]",
		Short: "Write the demo folder and run it whole",
		Long: `Write the demo of Skerry Line, an invented ferry co-operative, to a new folder
(skerry-demo unless named), run its plan, and show what to try next.`,
		Example: `  yoyaku demo
  yoyaku demo trial
  yoyaku demo --as csv trial`,
		Args: needArgs(0, 1, ""),
	}
	s := a.settings(c, false)
	r := a.newRun()
	options := []*question.Option{r.out.formatOption(), r.out.colorOption()}
	bind(c, resultOut, options)
	s.completeOptions(c, options, nil)
	c.RunE = func(_ *cobra.Command, args []string) error {
		defer office.Thrift()()
		dir := "skerry-demo"
		if len(args) == 1 {
			dir = args[0]
		}
		if err := valid(options, eval.Env{}); err != nil {
			return err
		}
		undo, err := demo.Write(dir)
		if err != nil {
			return err
		}
		s.plan = filepath.Join(dir, plan.FileName)
		if r.out.as == "" {
			r.out.as = "table"
		}
		p, err := s.load()
		if err != nil {
			undo()
			return err
		}
		r.together = true
		fmt.Fprintf(a.said, "Skerry Line's folder is in %s: the plan %s, its holiday list and\nthe tables of the crew office.\n\n", report.Clean(dir), plan.FileName)
		if err := r.do(p); err != nil {
			undo()
			return err
		}
		fmt.Fprintf(a.said, `
Made from it: crew-pay.csv (a row a pay day, its deadlines beside it), agenda.csv
(a row a date, all series), skerry.ics (for any calendar program), calendars/ (a page for
each pay calendar), ending.xlsx and ending-by-unit.csv (contracts that run out),
close-ansa.ics and its like (the tasks of each owner), absence-per-pay.csv, june.html, and
wall.html (the year on a sheet, its tables, closed days and proofs behind it). The crew's
pay days of early 2027 are released: released.csv holds them.

Try next:
  cd %s
  yoyaku dates "monthly on 15, last then roll preceding" --window 2027 --calendar isles
  yoyaku check
  yoyaku ahead --as-of 2027-04-20
  yoyaku ahead --as-of 2027-04-20 --owner ansa
  yoyaku holidays isles --window 2027
  yoyaku why crew-pay 2027-03-15
  yoyaku derive crew-contracts.csv --add "ends = start, lasting term months"
  yoyaku due crew-contracts.csv --date "ends = start, lasting term months" --window 2027
  yoyaku run --window 2027-H1 --out half
  yoyaku read harbour-office.ics --window 2027-Q1
  yoyaku help phrases

To try publishing, start a calendar server on this machine (on Debian: radicale) in
another terminal, and put the plan's events into it:
  radicale --storage-filesystem-folder=calendars --auth-type=none
  YOYAKU_CALDAV_USER=clerk YOYAKU_CALDAV_PASSWORD=any \
    yoyaku publish --to http://127.0.0.1:5232/ --window 2027-Q1
`, report.Clean(dir))
		return nil
	}
	return c
}
