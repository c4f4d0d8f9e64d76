package cli

import (
	"github.com/spf13/cobra"

	"yoyaku/internal/question"
)

// flag is an option as a flag of a command.
type flag struct {
	*question.Option
	group optionGroup
}

// String is the value that help shows as the default.
func (f flag) String() string {
	if f.Option == nil || f.Given() {
		return ""
	}
	return f.Default
}

// Type is the word for the value if the help has none; help quotes the default of a
// string.
func (f flag) Type() string {
	switch {
	case f.Kind == question.Yes:
		return "bool"
	case f.Value != "":
		return f.Value
	case f.Kind == question.Number:
		return "int"
	}
	return "string"
}

// bind makes flags of options, which are in a group of the help.
func bind(c *cobra.Command, group optionGroup, options []*question.Option) {
	for _, o := range options {
		o.Reset()
		f := c.Flags().VarPF(flag{o, group}, o.Name, "", o.Help)
		if o.Kind == question.Yes {
			f.NoOptDefVal = "true"
		}
	}
}

// bindAll makes flags of what a command asks and of how its result is written.
func bindAll(c *cobra.Command, ask, result []*question.Option) []*question.Option {
	bind(c, asked, ask)
	bind(c, resultOut, result)
	return append(ask, result...)
}
