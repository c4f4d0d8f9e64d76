package cli

import (
	"github.com/spf13/cobra"

	"yoyaku/internal/plan"
)

func (a *App) schemaCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "schema plan|calendar",
		Short: "The JSON Schema of plan and calendar files",
		Long: `Print the JSON Schema of plan files or of calendar files. Editors use it to complete and
check the keys.`,
		Example: `  yoyaku schema plan
  yoyaku schema calendar`,
		Args:      argCount(1, 1, "plan or calendar"),
		ValidArgs: []string{"plan", "calendar"},
		RunE: func(_ *cobra.Command, args []string) error {
			data, err := plan.Schema(args[0])
			if err != nil {
				return err
			}
			_, err = a.Out.Write(data)
			return err
		},
	}
}
