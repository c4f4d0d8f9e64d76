package cli

import (
	_ "embed" // the pages
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"yoyaku/internal/core/phrase"
)

//go:embed phrases.txt
var phrasesPage string

// phrasesTopic is `yoyaku help phrases`: the language on one page.
func phrasesTopic() *cobra.Command {
	return &cobra.Command{Use: "phrases", Short: "The language of rules and steps on one page", Long: phrasesPage}
}

//go:embed jobs.txt
var jobsPage string

// job is a job of the trade, in its words, and the command that does it.
type job struct{ section, name, result, command string }

// jobs reads the page of jobs.
func jobs() (list []job) {
	section := ""
	for line := range strings.Lines(jobsPage) {
		line = strings.TrimRight(line, "\n")
		switch {
		case line == "":
		case line[0] == '#':
			section = line[2:]
		case line[0] == ' ':
			list[len(list)-1].command = strings.TrimSpace(line)
		default:
			name, result, _ := strings.Cut(line, " | ")
			list = append(list, job{section: section, name: name, result: result})
		}
	}
	return list
}

// jobsWith are the jobs in which all words stand, or what they begin with.
func jobsWith(words []string) (list []job) {
	for _, j := range jobs() {
		text := strings.ToLower(j.section + " " + j.name + " " + j.result + " " + j.command)
		fits := true
		for _, w := range words {
			w = strings.ToLower(w)
			fits = fits && (strings.Contains(text, w) || len(w) > 4 && strings.Contains(text, strings.TrimSuffix(w, "s")))
		}
		if fits {
			list = append(list, j)
		}
	}
	return list
}

// tellJobs writes jobs with their commands; with results also what comes out.
func (a *App) tellJobs(list []job, results bool) {
	section := ""
	for _, j := range list {
		if j.section != section && !results {
			fmt.Fprintf(a.said, "\n%s\n", j.section)
			section = j.section
		}
		fmt.Fprintf(a.said, "  %s\n", j.name)
		if results {
			fmt.Fprintf(a.said, "    gives %s\n", j.result)
		}
		fmt.Fprintf(a.said, "    %s\n", j.command)
	}
}

// jobsTopic is `yoyaku help jobs`: the jobs of the trade, each with its command.
func (a *App) jobsTopic() *cobra.Command {
	c := &cobra.Command{Use: "jobs", Short: "The jobs of the trade, each with its command (help jobs lease)"}
	c.SetHelpFunc(func(*cobra.Command, []string) {
		fmt.Fprintln(a.said, "The jobs of the trade, each with the command that does it on the tables of the demo\nfolder (yoyaku demo). yoyaku help jobs WORD shows those that fit, with what comes out.")
		a.tellJobs(jobs(), false)
	})
	return c
}

// helpCommand is `yoyaku help`: a command, a topic, or the jobs that words fit.
func (a *App) helpCommand(root *cobra.Command) *cobra.Command {
	return &cobra.Command{
		Use: "help [COMMAND|TOPIC|WORD]", Short: "Help about a command, or a topic",
		RunE: func(_ *cobra.Command, args []string) error {
			if len(args) > 1 && args[0] == "jobs" {
				args = args[1:]
			} else if found, _, err := root.Find(args); err == nil && (found != root || len(args) == 0) {
				found.InitDefaultHelpFlag()
				return found.Help()
			}
			list := jobsWith(args)
			if len(list) == 0 {
				return unknownCommand(root, args[0])
			}
			a.tellJobs(list, true)
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
	hint := "`yoyaku --help` lists the commands, `yoyaku help jobs` the jobs of the trade"
	if near := phrase.Nearest(word, names); near != "" {
		hint = "did you mean `yoyaku " + near + "`?"
	} else if list := jobsWith([]string{word}); len(list) > 0 {
		hint = "for " + list[0].name + ":\n  " + list[0].command
		if len(list) > 1 {
			hint += fmt.Sprintf("\n`yoyaku help jobs %s` shows %d more", word, len(list)-1)
		}
	}
	return usagef("unknown command %q; %s", word, hint)
}
