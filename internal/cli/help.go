package cli

import (
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"yoyaku/demo"
	"yoyaku/internal/render"
)

// optionGroup is where an option is in the help of its command.
type optionGroup int

// The groups, in the order of the help.
const (
	groupQuery optionGroup = iota
	groupTableIn
	groupResult
	groupDays
	groupOther
)

var groupTitles = [...]string{"Options", "Reading the table", "The result", "Days and calendars", "Also"}

// helpWidth is how wide help is, helpColumn where the text of an option begins.
const helpWidth, helpColumn = 80, 26

const usageTemplate = `{{if .Runnable}}{{if .HasParent}}Usage:
  {{.UseLine}}{{end}}{{end}}{{if .HasAvailableSubCommands}}{{$cmds := .Commands}}{{range $group := .Groups}}{{$group.Title}}{{range $cmds}}{{if (and (eq .GroupID $group.ID) (or .IsAvailableCommand (eq .Name "help")))}}
  {{rpad .Name .NamePadding }} {{.Short}}{{end}}{{end}}

{{end}}{{.CommandPath}} COMMAND --help explains a command.{{end}}{{optionGroups .}}{{if .HasExample}}

Examples:
{{examples .Example}}{{end}}{{if .HasHelpSubCommands}}

More help:{{range .Commands}}{{if .IsAdditionalHelpTopicCommand}}
  yoyaku help {{rpad .Name 10}}{{.Short}}{{end}}{{end}}

Where to start:
  I have a table with dates       yoyaku new           lists what it can make of it
  I have last year's calendar     yoyaku infer FILE    finds the rules behind it
  I want pay days, or a deadline  yoyaku help jobs     has the command for the job
  I want to look around           yoyaku demo          writes a folder to try things{{end}}
`

const helpTemplate = `{{with flow (or .Long .Short)}}{{.}}

{{end}}{{if or .Runnable .HasSubCommands}}{{.UsageString}}{{end}}`

func init() {
	cobra.AddTemplateFunc("optionGroups", optionGroups)
	cobra.AddTemplateFunc("examples", demo.Examples)
	cobra.AddTemplateFunc("flow", func(long string) string { return render.WrapParagraphs(long, helpWidth) })
}

// orderFlags puts the flags of a command in the order of their groups, in which help, man pages
// and completion have them: those that matter most come first.
func orderFlags(c *cobra.Command) {
	groups := make([][]*pflag.Flag, len(groupTitles))
	c.Flags().SortFlags = false
	c.Flags().VisitAll(func(f *pflag.Flag) { groups[groupOf(f)] = append(groups[groupOf(f)], f) })
	c.ResetFlags()
	c.Flags().SortFlags = false
	for _, f := range slices.Concat(groups...) {
		c.Flags().AddFlag(f)
	}
}

func groupOf(f *pflag.Flag) optionGroup {
	if own, ok := f.Value.(flag); ok {
		return own.group
	}
	return groupOther
}

// optionGroups writes the options of a command in their groups.
func optionGroups(c *cobra.Command) string {
	groups := make([]strings.Builder, len(groupTitles))
	for _, of := range []*pflag.FlagSet{c.LocalNonPersistentFlags(), c.Root().PersistentFlags()} {
		of.SortFlags = false
		of.VisitAll(func(f *pflag.Flag) {
			if !f.Hidden {
				optionHelp(&groups[groupOf(f)], f)
			}
		})
	}
	var b strings.Builder
	for i := range groups {
		if s := groups[i].String(); s != "" {
			b.WriteString("\n\n" + groupTitles[i] + ":\n" + strings.TrimRight(s, "\n"))
		}
	}
	return b.String()
}

// optionHelp writes an option: its name and value, and behind them what it is, wrapped.
func optionHelp(b *strings.Builder, f *pflag.Flag) {
	value, help := pflag.UnquoteUsage(f)
	name := "  --" + f.Name
	if f.Shorthand != "" {
		name = "  -" + f.Shorthand + ", --" + f.Name
	}
	if own, ok := f.Value.(flag); ok {
		if own.Default != "" && !strings.Contains(help, "(default") {
			help += " (default " + own.Default + ")"
		}
	}
	if value != "" && value != "bool" {
		name += " " + value
	}
	lines := render.WrapLines(help, helpWidth-helpColumn)
	if len(name)+2 > helpColumn {
		b.WriteString(name + "\n")
		name = ""
	}
	for _, line := range lines {
		fmt.Fprintf(b, "%-*s%s\n", helpColumn, name, line)
		name = ""
	}
}
