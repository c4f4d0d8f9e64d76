package ask

import (
	"fmt"

	"yoyaku/internal/core/phrase"
	"yoyaku/internal/tabular"
)

// WordNotes say what words among the dates or terms of a column mean that aren't those of an open
// end, a sentence for each kind.
func WordNotes(c tabular.ColumnLook) (list []string) {
	what, open := "date", "that a range is still open"
	if c.Kind == tabular.TermColumn {
		what, open = "term", "that a term has no end"
	}
	for _, w := range []struct {
		kind      tabular.WordKind
		one, more string
	}{{tabular.NeverWord, "says that there is no " + what, "say that there is no " + what},
		{tabular.DoubtfulWord, "may say that there is no " + what + ", or " + open, "may say that there is no " + what + ", or " + open},
		{tabular.UnknownWord, "is neither a " + what + " nor a word that is known for one", "are neither " + what + "s nor words that are known for them"}} {
		if words := c.Words[w.kind]; len(words) > 0 {
			list = append(list, fmt.Sprintf("in `%s`, %s %s", c.Name, phrase.ListNames(words[:min(len(words), 5)]), map[bool]string{true: w.one, false: w.more}[len(words) == 1]))
		}
	}
	return list
}
