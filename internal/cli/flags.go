package cli

import (
	"github.com/spf13/cobra"

	"yoyaku/internal/question"
)

// flag is an option as a flag of a command.
type flag struct{ *question.Option }

// String is the value that help shows as the default.
func (f flag) String() string {
	if f.Option == nil || f.Given() {
		return ""
	}
	return f.Default
}

// Type is the word for the value where the help has none; help quotes the
// default of a string.
func (f flag) Type() string {
	switch f.Kind {
	case question.Yes:
		return "bool"
	case question.Number:
		return "int"
	}
	return "string"
}

// bind makes flags of options.
func bind(c *cobra.Command, options []*question.Option) {
	for _, o := range options {
		o.Reset()
		f := c.Flags().VarPF(flag{o}, o.Name, "", o.Help)
		if o.Kind == question.Yes {
			f.NoOptDefVal = "true"
		}
	}
}
