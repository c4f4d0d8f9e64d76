package cli

import (
	"github.com/spf13/cobra"

	"yoyaku/internal/declare"
)

// flag is a key as a flag of a command.
type flag struct {
	*declare.Key
	group optionGroup
}

// String is the value that help shows as the default.
func (f flag) String() string {
	if f.Key == nil || f.IsSet() {
		return ""
	}
	return f.Default
}

// Type is the word for the value if the help has none; help quotes the default of a
// string.
func (f flag) Type() string {
	switch {
	case f.Value.IsBool():
		return "bool"
	case f.Placeholder != "":
		return f.Placeholder
	case f.Value.Form == declare.FormNumber:
		return "int"
	}
	return "string"
}

// addFlags makes flags of options, which are in a group of the help.
func addFlags(c *cobra.Command, group optionGroup, options []*declare.Key) {
	for _, o := range options {
		o.Reset()
		f := c.Flags().VarPF(flag{o, group}, o.Name, "", o.Help)
		if o.Value.IsBool() {
			f.NoOptDefVal = "true"
		}
	}
}

// addCommandFlags makes flags of what a command asks and of how its result is written.
func addCommandFlags(c *cobra.Command, ask, result []*declare.Key) []*declare.Key {
	addFlags(c, groupQuery, ask)
	addFlags(c, groupResult, result)
	return append(ask, result...)
}
