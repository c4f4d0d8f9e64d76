package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
)

// baseName is the name that leading steps start from; no phrase can hold it.
const baseName = "\x00base"

func (a *App) valueCommand() *cobra.Command {
	var base string
	c := &cobra.Command{
		Use:   "value PHRASE",
		Short: "One phrase, one answer",
		Long: `Work out one phrase and print its answer on one line. Steps that stand alone
start from --base, or from today.`,
		Example: `  yoyaku value "end of next month, roll preceding" --base 2027-01-20
  yoyaku value "2027-06-03, lasting 6 working days"
  yoyaku value "-5 working days" --base 2027-03-15 --calendar isles
  yoyaku value "last fri of nov" --base 2027-01-01`,
		Args: needArgs(1, 1, "a phrase, such as \"today, +3 months\""),
	}
	o := a.place(c)
	c.Flags().StringVar(&base, "base", "", "`DATE` that leading steps start from (default: today)")
	c.RunE = func(_ *cobra.Command, args []string) error {
		p, err := o.load()
		if err != nil {
			return err
		}
		from := eval.Day(p.Env.Today)
		if strings.TrimSpace(base) != "" {
			prog, err := eval.Compile(base, nil, p.Env)
			if err != nil {
				return fmt.Errorf("--base: %w", err)
			}
			if from, _, err = prog.Eval(nil, nil); err != nil {
				return fmt.Errorf("--base: %w", err)
			}
			if from.Kind != eval.Date {
				return usagef("--base is a date such as 2027-03-31, not %q", base)
			}
		}
		env := p.Env
		env.Names = []string{baseName}
		prog, err := eval.Compile(args[0], &phrase.Name{Text: baseName}, env)
		if err != nil {
			return err
		}
		v, _, err := prog.Eval([]eval.Value{from}, nil)
		if err != nil {
			return err
		}
		_, err = fmt.Fprintln(a.Out, v)
		return err
	}
	return c
}
