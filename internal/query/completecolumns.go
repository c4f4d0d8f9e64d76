package query

import (
	"slices"
	"strings"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/tabular"
)

// CompleteColumns are the columns of a table with which the last word of what is typed can go on,
// inside a phrase too, each behind what precedes that word. offer leaves out what a
// shell can't take.
func CompleteColumns(in *ask.TableOptions, table, typed string, offer func(name string) bool) ([]string, error) {
	r, closer, err := tabular.Open(table, strings.NewReader(""), in.File())
	if err != nil {
		return nil, err
	}
	defer closer.Close()
	at := strings.LastIndexAny(typed, ", (=<>") + 1 // inside a phrase, the word that is being typed
	if strings.Count(typed, `"`)%2 == 1 {
		at = strings.LastIndex(typed, `"`)
	}
	if at < len(typed) && typed[at] == '-' { // a column to sort by, the largest first
		at++
	}
	names := slices.Clone(r.Columns())
	for i, name := range names {
		if p, err := phrase.Parse(name); err != nil || !isName(p.Expr) || at < len(typed) && typed[at] == '"' {
			names[i] = `"` + strings.ReplaceAll(name, `"`, `""`) + `"`
		}
	}
	names = slices.DeleteFunc(names, func(name string) bool { return !offer(name) })
	list := CompleteWord(names, typed, at)
	slices.Sort(list)
	return list, nil
}

func isName(e phrase.Expr) bool {
	_, ok := e.(*phrase.Name)
	return ok
}

// CompleteWord is the names that go on from the word's part behind at, whatever the case,
// with what precedes it.
func CompleteWord(names []string, word string, at int) []string {
	var list []string
	for _, name := range names {
		bare := name
		if !strings.HasPrefix(word[at:], `"`) {
			bare = strings.TrimPrefix(name, `"`)
		}
		if len(bare) >= len(word)-at && strings.EqualFold(bare[:len(word)-at], word[at:]) {
			list = append(list, word[:at]+name)
		}
	}
	return list
}
