package cli

import (
	"os"
	"slices"
	"strings"
	"unicode"

	"github.com/spf13/cobra"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/workdays"
	"yoyaku/internal/declare"
	"yoyaku/internal/query"
)

type completeFunc = func(c *cobra.Command, args []string, word string) ([]string, cobra.ShellCompDirective)

// completeQuery offers words for a query's arguments and options.
func (s *settings) completeQuery(c *cobra.Command, q *ask.Query, options []*declare.Key, in *ask.TableOptions) {
	switch q.ArgsCompletion {
	case "series":
		c.ValidArgsFunction = s.completeSeries
	case "calendars":
		c.ValidArgsFunction = s.completeCalendars
	}
	s.completeOptions(c, options, in)
}

// completeOptions offers the choices of options, and what they name.
func (s *settings) completeOptions(c *cobra.Command, options []*declare.Key, in *ask.TableOptions) {
	for _, o := range options {
		var offer completeFunc
		switch {
		case o.Value.Choices != nil && !o.Value.IsBool():
			offer = completeFrom(func() ([]string, error) { return o.Value.Choices, nil })
		case o.Completion == "series":
			offer = s.completeSeries
		case o.Completion == "calendars":
			offer = s.completeCalendars
		case o.Completion == "columns" && in != nil:
			offer = completeColumns(in)
		default:
			continue
		}
		_ = c.RegisterFlagCompletionFunc(o.Name, offer)
	}
}

// completeSeries offers the series of the plan at hand.
func (s *settings) completeSeries(c *cobra.Command, args []string, word string) ([]string, cobra.ShellCompDirective) {
	return completeFrom(func() ([]string, error) {
		p, err := s.load()
		if err != nil {
			return nil, err
		}
		return append(slices.Clone(p.Env.SeriesNames), p.PatternNames()...), nil
	})(c, args, word)
}

// completeCalendars offers the calendars of the plan at hand.
func (s *settings) completeCalendars(c *cobra.Command, args []string, word string) ([]string, cobra.ShellCompDirective) {
	return completeFrom(func() ([]string, error) {
		p, err := s.load()
		if err != nil {
			return nil, err
		}
		return append(p.CalendarNames(), workdays.NoneName), nil
	})(c, args, word)
}

// completeFrom offers those of a list that begin as the last item of the word does.
func completeFrom(list func() ([]string, error)) completeFunc {
	return func(_ *cobra.Command, _ []string, word string) ([]string, cobra.ShellCompDirective) {
		names, err := list()
		if err != nil {
			return nil, cobra.ShellCompDirectiveError
		}
		at := strings.LastIndex(word, ",") + 1
		return query.CompleteWord(names, word, at), cobra.ShellCompDirectiveNoFileComp
	}
}

// shellVariable says which shell asks, for one that can't quote what it is offered.
const shellVariable = "YOYAKU_COMPLETES_FOR"

// isOfferable reports whether a heading may be offered to a shell: none that could steer a
// terminal, and to PowerShell none that it would run inside a quotation.
func isOfferable(name string) bool {
	for _, r := range name {
		if unicode.IsControl(r) || unicode.Is(unicode.Cf, r) || r == unicode.ReplacementChar {
			return false
		}
	}
	return os.Getenv(shellVariable) != "powershell" || !strings.ContainsAny(name, "$`'(){};&|<>@#")
}

// completeColumns offers the columns of the table named on the command line.
func completeColumns(in *ask.TableOptions) completeFunc {
	return func(_ *cobra.Command, args []string, word string) ([]string, cobra.ShellCompDirective) {
		if len(args) == 0 {
			return nil, cobra.ShellCompDirectiveDefault
		}
		list, err := query.CompleteColumns(in, args[0], word, isOfferable)
		if err != nil {
			return nil, cobra.ShellCompDirectiveError
		}
		return list, cobra.ShellCompDirectiveNoFileComp | cobra.ShellCompDirectiveNoSpace
	}
}
