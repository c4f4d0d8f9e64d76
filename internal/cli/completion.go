package cli

import (
	"embed"
	"errors"
	"fmt"
	"io"
	"strings"

	"github.com/spf13/cobra"
)

//go:embed shells
var shells embed.FS

// Shells are those for which Completion has a script.
var Shells = []string{"bash", "zsh", "fish", "powershell"}

// Completion writes the script by which a shell of Shells completes the words of root's
// commands.
func Completion(root *cobra.Command, shell string, w io.Writer) error {
	if shell == "powershell" {
		var b strings.Builder
		if err := root.GenPowerShellCompletionWithDesc(&b); err != nil {
			return err
		}
		const at = "Invoke-Expression -OutVariable out"
		if !strings.Contains(b.String(), at) {
			return errors.New("the PowerShell script has an unexpected form")
		}
		_, err := io.WriteString(w, strings.Replace(b.String(), at, "$env:"+shellVariable+" = 'powershell'\n    "+at, 1))
		return err
	}
	script, err := shells.ReadFile("shells/" + shell)
	if err != nil {
		return fmt.Errorf("unknown shell %q; use bash, zsh, fish or powershell", shell)
	}
	_, err = w.Write(script)
	return err
}

func (a *App) completionCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "completion bash|zsh|fish|powershell",
		Short: "Print a shell completion script",
		Long: "Print the script with which your shell completes commands, options and their values,\n" +
			"calendars, series, and the columns of the table on the line, inside a phrase too.\n" +
			"\n" +
			"For bash, add the first example to ~/.bashrc; for zsh, the second to ~/.zshrc, after\n" +
			"compinit; for fish, the third to ~/.config/fish/config.fish; for PowerShell, the fourth to\n" +
			"$PROFILE. `make install` puts the scripts where the shells find them.",
		Example: `  source <(yoyaku completion bash)
  source <(yoyaku completion zsh)
  yoyaku completion fish | source
  yoyaku completion powershell | Out-String | Invoke-Expression`,
		Args:      argCount(1, 1, "bash, zsh, fish or powershell"),
		ValidArgs: Shells,
		RunE: func(c *cobra.Command, args []string) error {
			return Completion(c.Root(), args[0], a.Out)
		},
	}
}
