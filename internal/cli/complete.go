package cli

import (
	"os"
	"slices"
	"strings"
	"unicode"

	"github.com/spf13/cobra"

	"yoyaku/internal/declare"
	"yoyaku/internal/question"
)

type completion = func(c *cobra.Command, args []string, word string) ([]string, cobra.ShellCompDirective)

// complete offers words for a question's arguments and options.
func (s *settings) complete(c *cobra.Command, q *question.Question, options []*declare.Key, in *question.TableIn) {
	switch q.Args {
	case "series":
		c.ValidArgsFunction = s.series
	case "calendars":
		c.ValidArgsFunction = s.calendars
	}
	s.completeOptions(c, options, in)
}

// completeOptions offers the choices of options, and what they name.
func (s *settings) completeOptions(c *cobra.Command, options []*declare.Key, in *question.TableIn) {
	for _, o := range options {
		var offer completion
		switch {
		case o.Takes.OneOf != nil && !o.Takes.YesNo():
			offer = oneOf(func() ([]string, error) { return o.Takes.OneOf, nil })
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
func (s *settings) series(c *cobra.Command, args []string, word string) ([]string, cobra.ShellCompDirective) {
	return oneOf(func() ([]string, error) {
		p, err := s.load()
		if err != nil {
			return nil, err
		}
		return append(slices.Clone(p.Env.SeriesNames), p.PatternNames()...), nil
	})(c, args, word)
}

// calendars offers the calendars of the plan at hand.
func (s *settings) calendars(c *cobra.Command, args []string, word string) ([]string, cobra.ShellCompDirective) {
	return oneOf(func() ([]string, error) {
		p, err := s.load()
		if err != nil {
			return nil, err
		}
		return p.CalendarNames(), nil
	})(c, args, word)
}

// oneOf offers those of a list that begin as the last item of the word does.
func oneOf(list func() ([]string, error)) completion {
	return func(_ *cobra.Command, _ []string, word string) ([]string, cobra.ShellCompDirective) {
		names, err := list()
		if err != nil {
			return nil, cobra.ShellCompDirectiveError
		}
		at := strings.LastIndex(word, ",") + 1
		return question.Beginning(names, word, at), cobra.ShellCompDirectiveNoFileComp
	}
}

// shellVariable says which shell asks, for one that can't quote what it is offered.
const shellVariable = "YOYAKU_COMPLETES_FOR"

// offered reports whether a heading may be offered to a shell: none that could steer a
// terminal, and to PowerShell none that it would run inside a quotation.
func offered(name string) bool {
	for _, r := range name {
		if unicode.IsControl(r) || unicode.Is(unicode.Cf, r) || r == unicode.ReplacementChar {
			return false
		}
	}
	return os.Getenv(shellVariable) != "powershell" || !strings.ContainsAny(name, "$`'(){};&|<>@#")
}

// columnsOf offers the columns of the table named on the command line.
func columnsOf(in *question.TableIn) completion {
	return func(_ *cobra.Command, args []string, word string) ([]string, cobra.ShellCompDirective) {
		if len(args) == 0 {
			return nil, cobra.ShellCompDirectiveDefault
		}
		list, err := in.Words(args[0], word, offered)
		if err != nil {
			return nil, cobra.ShellCompDirectiveError
		}
		return list, cobra.ShellCompDirectiveNoFileComp | cobra.ShellCompDirectiveNoSpace
	}
}
