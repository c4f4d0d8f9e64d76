package cli

import (
	_ "embed" // the page

	"github.com/spf13/cobra"
)

//go:embed phrases.txt
var phrasesPage string

// phrasesTopic is `yoyaku help phrases`: the language on one page.
func phrasesTopic() *cobra.Command {
	return &cobra.Command{Use: "phrases", Short: "The language of rules and steps on one page", Long: phrasesPage}
}
