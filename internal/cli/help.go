package cli

import (
	"fmt"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
)

// optionGroup is where an option stands in the help of its command.
type optionGroup int

// The groups, in the order of the help.
const (
	asked optionGroup = iota
	tableIn
	resultOut
	daysAndCalendars
	others
)

var groupTitles = [...]string{"What is asked", "The table in", "The result", "Days and calendars", "Also"}

// helpWidth is how wide help is, helpColumn where the text of an option begins.
const helpWidth, helpColumn = 88, 30

const usageTemplate = `{{if .Runnable}}{{if .HasParent}}Usage:
  {{.UseLine}}{{end}}{{end}}{{if .HasAvailableSubCommands}}{{$cmds := .Commands}}{{range $group := .Groups}}{{$group.Title}}{{range $cmds}}{{if (and (eq .GroupID $group.ID) (or .IsAvailableCommand (eq .Name "help")))}}
  {{rpad .Name .NamePadding }} {{.Short}}{{end}}{{end}}

{{end}}Use "{{.CommandPath}} COMMAND --help" for more about a command.{{end}}{{optionGroups .}}{{if .HasExample}}

Examples:
{{.Example}}{{end}}{{if .HasHelpSubCommands}}

More help:{{range .Commands}}{{if .IsAdditionalHelpTopicCommand}}
  yoyaku help {{rpad .Name 8}} {{.Short}}{{end}}{{end}}{{end}}
`

func init() { cobra.AddTemplateFunc("optionGroups", optionGroups) }

// optionGroups writes the options of a command in their groups.
func optionGroups(c *cobra.Command) string {
	groups := make([]strings.Builder, len(groupTitles))
	write := func(f *pflag.Flag) {
		if f.Hidden {
			return
		}
		group := others
		if own, ok := f.Value.(flag); ok {
			group = own.group
		}
		optionHelp(&groups[group], f)
	}
	c.LocalNonPersistentFlags().VisitAll(write)
	c.Root().PersistentFlags().VisitAll(write)
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
	lines := strings.Split(text.WrapSoft(strings.Join(strings.Fields(help), " "), helpWidth-helpColumn), "\n")
	if len(name)+2 > helpColumn {
		b.WriteString(name + "\n")
		name = ""
	}
	for _, line := range lines {
		fmt.Fprintf(b, "%-*s%s\n", helpColumn, name, strings.TrimRight(line, " "))
		name = ""
	}
}
