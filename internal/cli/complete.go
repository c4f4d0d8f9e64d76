package cli

import (
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"yoyaku/internal/question"
	"yoyaku/internal/tabular"
)

type completion = func(c *cobra.Command, args []string, word string) ([]string, cobra.ShellCompDirective)

// complete offers words for a question's arguments and options.
func (s *settings) complete(c *cobra.Command, q *question.Question, options []*question.Option, in *question.TableIn) {
	switch q.Args {
	case "series":
		c.ValidArgsFunction = s.series
	case "calendars":
		c.ValidArgsFunction = s.calendars
	}
	s.completeOptions(c, options, in)
}

// completeOptions offers the choices of options, and what they name.
func (s *settings) completeOptions(c *cobra.Command, options []*question.Option, in *question.TableIn) {
	for _, o := range options {
		var offer completion
		switch {
		case o.Choices != nil:
			offer = cobra.FixedCompletions(o.Choices, cobra.ShellCompDirectiveNoFileComp)
		case o.Complete == "series":
			offer = s.series
		case o.Complete == "calendars":
			offer = s.calendars
		case o.Complete == "columns" && in != nil:
			offer = columnsOf(in)
		default:
			continue
		}
		_ = c.RegisterFlagCompletionFunc(o.Name, offer)
	}
}

// series offers the series of the plan at hand.
func (s *settings) series(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
	p, err := s.load()
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	return p.Env.SeriesNames, cobra.ShellCompDirectiveNoFileComp
}

// calendars offers the calendars of the plan at hand.
func (s *settings) calendars(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
	p, err := s.load()
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	return p.CalendarNames(), cobra.ShellCompDirectiveNoFileComp
}

// columnsOf offers the columns of the table named on the command line.
func columnsOf(in *question.TableIn) completion {
	return func(_ *cobra.Command, args []string, word string) ([]string, cobra.ShellCompDirective) {
		if len(args) == 0 {
			return nil, cobra.ShellCompDirectiveDefault
		}
		r, closer, err := tabular.Open(args[0], strings.NewReader(""), tabular.Input{Sheet: in.Sheet, Encoding: in.Encoding, HeaderRow: in.HeaderRow})
		if err != nil {
			return nil, cobra.ShellCompDirectiveError
		}
		defer closer.Close()
		at := strings.LastIndexAny(word, ", (=<>") + 1 // inside a phrase, the word that is being typed
		if at < len(word) && word[at] == '-' {         // a column to sort by, the largest first
			at++
		}
		before, typed := word[:at], word[at:]
		var list []string
		for _, c := range r.Columns() {
			if strings.HasPrefix(strings.ToLower(c), strings.ToLower(typed)) {
				list = append(list, before+c)
			}
		}
		slices.Sort(list)
		return list, cobra.ShellCompDirectiveNoFileComp | cobra.ShellCompDirectiveNoSpace
	}
}
