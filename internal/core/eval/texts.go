package eval

import (
	"strings"
	"sync"
	"sync/atomic"

	"yoyaku/internal/core/phrase"
)

// maxCompiledTexts is how many texts of cells are kept compiled: a column has few of its own, or
// nearly as many as rows.
const maxCompiledTexts = 10_000

// compiledTexts are what the cells of a column say, compiled: each text once, the first many. It
// is safe for concurrent use.
type compiledTexts[T any] struct {
	byText sync.Map
	n      atomic.Int64
}

type compiledText[T any] struct {
	result T
	err    error
}

// compileCell compiles a text that is in a cell; its faults are those of a cell.
func (t *compiledTexts[T]) compileCell(text string, compile func(string) (T, error)) (T, error) {
	return t.compile(text, compile, phrase.MarkCell)
}

// compile compiles a text, which may be part of a longer one; fault makes of its faults what
// they are here.
func (t *compiledTexts[T]) compile(text string, compile func(string) (T, error), fault func(error) error) (T, error) {
	if found, ok := t.byText.Load(text); ok {
		of := found.(compiledText[T])
		return of.result, of.err
	}
	text = strings.Clone(text)
	to, err := compile(text)
	err = fault(err)
	if t.n.Add(1) > maxCompiledTexts {
		return to, err
	}
	first, _ := t.byText.LoadOrStore(text, compiledText[T]{to, err}) // another goroutine may have been as quick
	of := first.(compiledText[T])
	return of.result, of.err
}
