package cli

import (
	_ "embed" // the pages
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"yoyaku/internal/core/phrase"
	"yoyaku/internal/plan"
	"yoyaku/internal/query"
)

//go:embed phrases.txt
var phrasesPage string

// phrasesTopic is `yoyaku help phrases`: the language on one page.
func phrasesTopic() *cobra.Command {
	return &cobra.Command{Use: "phrases", Short: "the language of rules and steps on one page", Long: phrasesPage}
}

// jobsTopic is `yoyaku help jobs`: the jobs of the trade, each with its command.
func (a *App) jobsTopic() *cobra.Command {
	c := &cobra.Command{Use: "jobs", Short: "jobs of the trade with their commands (help jobs lease)"}
	c.SetHelpFunc(func(*cobra.Command, []string) {
		fmt.Fprint(a.stdout, query.JobsPage())
	})
	return c
}

// keysTopic is `yoyaku help plan`, or `help calendar`: the keys of such files.
func (a *App) keysTopic(of string) *cobra.Command {
	c := &cobra.Command{Use: of, Short: "the keys of a " + of + " file, or one of them (help " + of + " KEY)"}
	c.SetHelpFunc(func(*cobra.Command, []string) { _ = a.writeKeyHelp(of) })
	return c
}

// writeKeyHelp writes the page of keys, or of those that words name.
func (a *App) writeKeyHelp(of string, words ...string) error {
	page, err := plan.Help(of, words...)
	fmt.Fprint(a.stdout, page)
	return err
}

// helpCommand is `yoyaku help`: a command, a topic, or the jobs that words fit.
func (a *App) helpCommand(root *cobra.Command) *cobra.Command {
	return &cobra.Command{
		Use: "help [COMMAND|TOPIC|WORD]", Short: "Explain a command or a topic",
		RunE: func(_ *cobra.Command, args []string) error {
			if len(args) > 0 && (args[0] == "plan" || args[0] == "calendar") {
				return a.writeKeyHelp(args[0], args[1:]...)
			}
			words, jobs := args, len(args) > 1 && args[0] == "jobs"
			if jobs {
				words = args[1:]
			} else if found, _, err := root.Find(args); err == nil && (found != root || len(args) == 0) {
				found.InitDefaultHelpFlag()
				return found.Help()
			}
			list, near := query.FindJobs(words)
			switch {
			case len(list) == 0 && !jobs:
				return unknownCommand(root, args[0])
			case len(list) == 0 && near == "":
				return usagef("no job has the word %q; `yoyaku help jobs` lists them all", strings.Join(words, " "))
			case len(list) == 0:
				a.note("no job has the word %q; these have %q", strings.Join(words, " "), near)
				list, _ = query.FindJobs([]string{near})
			}
			fmt.Fprint(a.stdout, query.JobsText(list))
			return nil
		},
	}
}

// unknownCommand is the error for a word that is no command; it offers the nearest,
// and jobs in which the word stands.
func unknownCommand(root *cobra.Command, word string) error {
	var names []string
	for _, c := range root.Commands() {
		names = append(names, c.Name())
	}
	hint := "`yoyaku --help` lists the commands, `yoyaku help jobs` the jobs"
	if near := phrase.Nearest(word, names); near != "" {
		hint = "did you mean `yoyaku " + near + "`?"
	} else if list, _ := query.FindJobs([]string{word}); len(list) > 0 {
		hint = "for " + list[0].Name + ":\n  " + list[0].Command
		if len(list) > 1 {
			hint += fmt.Sprintf("\n`yoyaku help jobs %s` shows %d more", word, len(list)-1)
		}
	}
	return usagef("unknown command %q; %s", word, hint)
}
