// Package cli is the command line: one file a command, which reads options,
// calls the rooms below and picks a writer.
package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"sync/atomic"
	"time"

	"github.com/spf13/cobra"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/files"
	"yoyaku/internal/plan"
	"yoyaku/internal/query"
	"yoyaku/internal/render"
	"yoyaku/internal/workflow"
)

// App is what a run of the program touches.
type App struct {
	In       io.Reader
	Out, Err io.Writer
	Now      time.Time
	Getenv   func(string) string

	quiet  bool
	stdout *stickyWriter // Out, for words that aren't rows
	// stopCounter ends the line that counts what is done; nil if there was none, and at once where it
	// ended before.
	stopCounter func()
	redactor    *strings.Replacer // takes out what is never shown; nil for nothing
	// cancel ends what can be interrupted between two steps; nil if nothing can.
	cancel atomic.Pointer[context.CancelFunc]
}

// Interrupt asks what is under way to finish what it has begun and end. It reports
// whether anything does; otherwise the program can end at once.
func (a *App) Interrupt() bool {
	stop := a.cancel.Load()
	if stop != nil {
		(*stop)()
	}
	return stop != nil
}

// interruptible is a context that Interrupt ends; done says that it is over.
func (a *App) interruptible() (ctx context.Context, done func()) {
	ctx, cancel := context.WithCancel(context.Background())
	a.cancel.Store(&cancel)
	return ctx, func() { a.cancel.Store(nil); cancel() }
}

// Run runs the program with its arguments and returns the exit code.
func (a *App) Run(args []string) int {
	defer files.RemoveTempDirs()
	a.stdout = &stickyWriter{to: a.Out}
	root := a.rootCommand(func(command string) bool { return slices.Contains(args, command) })
	for i, s := range args {
		if isPhrase(s) { // white space in front is free in a phrase
			args[i] = " " + s
		}
	}
	root.SetArgs(args)
	root.SetIn(a.In)
	root.SetOut(a.stdout)
	root.SetErr(a.Err)
	err := root.Execute()
	if err == nil {
		err = a.stdout.err
	}
	return a.exit(err)
}

// stickyWriter writes words to standard output and remembers what went wrong, for writers of help
// and reports that don't look.
type stickyWriter struct {
	to  io.Writer
	err error
}

// Write implements io.Writer.
func (s *stickyWriter) Write(p []byte) (int, error) {
	n, err := s.to.Write(p)
	if err != nil && s.err == nil {
		s.err = err
	}
	return n, err
}

// isPhrase reports whether an argument that starts with - is a phrase, not an
// option: -5 days, -term months.
func isPhrase(s string) bool {
	return len(s) > 1 && s[0] == '-' && s[1] != '-' && (s[1] >= '0' && s[1] <= '9' || strings.ContainsRune(s, ' '))
}

// Commands are all commands of the program, for what is made of them.
func (a *App) Commands() *cobra.Command { return a.rootCommand(func(string) bool { return true }) }

// rootCommand makes the commands; only those that are named get their options, since making all
// of them takes longer than most answers.
func (a *App) rootCommand(named func(command string) bool) *cobra.Command {
	root := &cobra.Command{
		Use:   "yoyaku",
		Short: "Rules about dates in, schedules with reasons out",
		Long: `Yoyaku turns rules about dates into schedules: pay days moved off closed days,
returns due, second Tuesdays, quarter ends. Every date comes with its reason, and the
schedule goes out as a table or as calendar events.`,
		Version:           workflow.Version(),
		SilenceErrors:     true,
		SilenceUsage:      true,
		DisableAutoGenTag: true,
		Args: func(c *cobra.Command, args []string) error {
			if len(args) > 0 {
				return unknownCommand(c, args[0])
			}
			return nil
		},
		RunE: func(c *cobra.Command, _ []string) error { return c.Help() },
	}
	root.SetFlagErrorFunc(func(c *cobra.Command, err error) error {
		var option *rows.OptionError
		if errors.As(err, &option) {
			return option
		}
		if text := err.Error(); strings.HasSuffix(text, ": --closed") || strings.HasSuffix(text, ": --opened") {
			err = fmt.Errorf("%w: %w", err, plan.ErrWhatIf)
		}
		return usageError{fmt.Errorf("%w; `%s --help` lists the options", err, c.CommandPath())}
	})
	root.SetVersionTemplate("yoyaku {{.Version}}\n")
	root.PersistentFlags().BoolP("help", "h", false, "show this help")
	root.PersistentFlags().BoolVar(&a.quiet, "quiet", false, "print no warnings, notes or progress")
	for _, g := range groups {
		root.AddGroup(&cobra.Group{ID: string(g.id), Title: g.title})
	}
	list := []orderedCommand{{a.newCommand(), ask.Plan, 1}, {a.checkCommand(), ask.Plan, 2}, {a.runCommand(), ask.Plan, 3}, {a.releaseCommand(), ask.Plan, 4}, {a.aheadCommand(), ask.Plan, 5},
		{a.compareCommand(), ask.HandOver, 2}, {a.publishCommand(), ask.HandOver, 3}, {a.demoCommand(), startGroup, 1}, {a.schemaCommand(), startGroup, 2}, {a.completionCommand(), startGroup, 3}}
	for _, q := range query.All() {
		list = append(list, orderedCommand{a.queryCommand(q, named(q.Name)), q.Group, q.Order})
	}
	slices.SortStableFunc(list, func(a, b orderedCommand) int { return a.order - b.order })
	cobra.EnableCommandSorting = false // those that matter most come first
	for _, g := range groups {
		for _, c := range list {
			if c.group == g.id {
				c.GroupID = string(g.id)
				root.AddCommand(c.Command)
			}
		}
	}
	for _, c := range root.Commands() {
		c.Use, c.DisableFlagsInUseLine = c.Use+" [options]", true
		orderFlags(c)
	}
	root.AddCommand(phrasesTopic(), a.jobsTopic(), a.keysTopic("plan"), a.keysTopic("calendar"))
	root.SetHelpCommand(a.helpCommand(root))
	root.SetUsageTemplate(usageTemplate)
	root.SetHelpTemplate(helpTemplate)
	root.SetHelpCommandGroupID(string(startGroup))
	root.CompletionOptions.DisableDefaultCmd = true
	root.InitDefaultHelpCmd()
	return root
}

// orderedCommand is a command with its place among those of its group.
type orderedCommand struct {
	*cobra.Command
	group ask.Group
	order int
}

// startGroup is the group of what a newcomer begins with.
const startGroup ask.Group = "start"

// groups are the groups of commands in the order of the help.
var groups = []struct {
	id    ask.Group
	title string
}{
	{ask.Rules, "Dates from rules"},
	{ask.Plan, "A plan"},
	{ask.Tables, "Dates in tables"},
	{ask.Facts, "Facts"},
	{ask.HandOver, "Hand on, take in"},
	{startGroup, "Start"},
}

func (a *App) warn(format string, args ...any) {
	a.printStderr("warning: " + render.EndSentence(format, args))
}

// reporter is where words go that aren't the result.
func (a *App) reporter() workflow.Reporter { return workflow.Reporter{Warn: a.warn, Note: a.note} }

func (a *App) note(format string, args ...any) {
	a.printStderr("note: " + render.EndSentence(format, args))
}

// printStderr writes a line to standard error unless --quiet is on: a verdict or a count, which are
// results and have no prefix, or a warning or a note.
func (a *App) printStderr(text string) {
	if !a.quiet {
		fmt.Fprintln(a.Err, render.CleanLines(a.redact(text)))
	}
}

// redact is a text without what is never shown.
func (a *App) redact(text string) string {
	if a.redactor == nil {
		return text
	}
	return a.redactor.Replace(text)
}

// terminalWidth returns the width of the terminal that the results go to; ok is
// false if they go to a pipe or a file.
func (a *App) terminalWidth() (width int, ok bool) { return render.Terminal(a.Out) }
