package eval

import (
	"strings"
	"sync"
	"sync/atomic"

	"yoyaku/internal/core/phrase"
)

// mostTexts is how many texts of cells are kept compiled: a column has few of its own, or
// nearly as many as rows.
const mostTexts = 10_000

// texts are what the cells of a column say, compiled: each text once, the first many. It
// is safe for concurrent use.
type texts[T any] struct {
	made sync.Map
	n    atomic.Int64
}

type compiledText[T any] struct {
	to  T
	err error
}

// of compiles a text that is in a cell; its faults are those of a cell.
func (t *texts[T]) of(text string, compile func(string) (T, error)) (T, error) {
	return t.get(text, compile, phrase.OfCell)
}

// get compiles a text, which may be part of a longer one; fault makes of its faults what
// they are here.
func (t *texts[T]) get(text string, compile func(string) (T, error), fault func(error) error) (T, error) {
	if found, ok := t.made.Load(text); ok {
		of := found.(compiledText[T])
		return of.to, of.err
	}
	text = strings.Clone(text)
	to, err := compile(text)
	err = fault(err)
	if t.n.Add(1) > mostTexts {
		return to, err
	}
	first, _ := t.made.LoadOrStore(text, compiledText[T]{to, err}) // another goroutine may have been as quick
	of := first.(compiledText[T])
	return of.to, of.err
}
