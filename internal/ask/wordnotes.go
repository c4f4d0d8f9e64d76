package ask

import (
	"fmt"

	"yoyaku/internal/core/phrase"
	"yoyaku/internal/tabular"
)

// WordNotes say what words among the dates of a column mean that aren't those of an open range, a
// sentence for each kind.
func WordNotes(c tabular.ColumnLook) (list []string) {
	for _, w := range []struct {
		kind      tabular.WordKind
		one, more string
	}{{tabular.NeverWord, "says that there is no date", "say that there is no date"},
		{tabular.DoubtfulWord, "may say that there is no date, or that a range is still open", "may say that there is no date, or that a range is still open"},
		{tabular.UnknownWord, "is neither a date nor a word that is known for one", "are neither dates nor words that are known for them"}} {
		if words := c.Words[w.kind]; len(words) > 0 {
			list = append(list, fmt.Sprintf("in `%s`, %s %s", c.Name, phrase.ListNames(words[:min(len(words), 5)]), map[bool]string{true: w.one, false: w.more}[len(words) == 1]))
		}
	}
	return list
}
