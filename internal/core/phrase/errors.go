package phrase

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Error is a fault in a phrase with the place it was found.
type Error struct {
	Phrase      string
	Span        Span
	Message     string // what was found
	Hint        string // what to write instead; may be empty
	UnknownName string // the name that stands for nothing, where that is the fault
	Err         error  // what it comes from, where that is an error of its own
	InCell      bool   // the phrase stood in a cell of a table
}

// AddCandidates names further words that could have stood where a name is unknown.
func (e *Error) AddCandidates(words []string) {
	switch near := Nearest(e.UnknownName, words); {
	case near != "":
		e.Hint = "did you mean `" + near + "`?"
	case strings.HasPrefix(e.Hint, "the names are "):
		e.Hint += ", " + ListNames(words)
	}
}

// MarkCell marks an error as one of a phrase in a cell.
func MarkCell(err error) error {
	var e *Error
	if errors.As(err, &e) {
		e.InCell = true
	}
	return err
}

// Unwrap returns what the fault comes from.
func (e *Error) Unwrap() error { return e.Err }

// Error gives the fault on one line.
func (e *Error) Error() string {
	s := fmt.Sprintf("in %.200q, column %d: %s", e.Phrase,
		utf8.RuneCountInString(e.Phrase[:min(e.Span.Start, len(e.Phrase))])+1, e.Message)
	if e.Hint != "" {
		s += "; " + e.Hint
	}
	return s
}

// Reason gives the fault alone.
func (e *Error) Reason() string { return e.Message }

// failAt panics with an *Error; recoverError, deferred by the exported functions, returns it.
func failAt(span Span, message, hint string) {
	panic(&Error{Span: span, Message: message, Hint: hint})
}

func recoverError(r any, text string, err *error) {
	switch e := r.(type) {
	case nil:
	case *Error:
		e.Phrase = text
		*err = e
	default:
		panic(r)
	}
}

// NotImplemented is the message for a part of the language that is still to come.
func NotImplemented(what string) string { return what + " is not supported yet" }

// maxNamesForFullSearch is how many candidates are too many to look at those with another first letter.
const maxNamesForFullSearch = 1000

// Nearest returns the candidate that a misspelt word most likely means, or "".
func Nearest(word string, candidates []string) string {
	best, at := "", len([]rune(word))/3+2
	if typed := strings.ToLower(word); len(typed) > 2 { // a name that begins so goes before one that resembles it
		for _, c := range candidates {
			if strings.HasPrefix(strings.ToLower(c), typed) && (best == "" || len(c) < len(best)) {
				best = c
			}
		}
		if best != "" {
			return best
		}
	}
	var w, c []rune
	var room [3][]int
	for _, r := range word {
		w = append(w, unicode.ToLower(r))
	}
	for _, candidate := range candidates {
		c = c[:0]
		for _, r := range candidate {
			c = append(c, unicode.ToLower(r))
		}
		if len(candidates) > maxNamesForFullSearch && (len(c) == 0 || len(w) == 0 || c[0] != w[0]) {
			continue
		}
		if d := editDistance(w, c, at, &room); d < at {
			best, at = candidate, d
		}
	}
	return best
}

// editDistance counts insertions, deletions, changes and swaps of neighbours; from limit on it may
// be any more. room is kept from call to call.
func editDistance(a, b []rune, limit int, room *[3][]int) int {
	if d := len(a) - len(b); d >= limit || -d >= limit {
		return limit
	}
	for i := range room {
		room[i] = slices.Grow(room[i][:0], len(b)+1)[:len(b)+1]
	}
	prev2, prev, cur := room[0], room[1], room[2]
	for j := range prev {
		prev[j] = j
	}
	for i := range a {
		cur[0] = i + 1
		least := cur[0]
		for j := range b {
			cost := 1
			if a[i] == b[j] {
				cost = 0
			}
			cur[j+1] = min(prev[j]+cost, prev[j+1]+1, cur[j]+1)
			if i > 0 && j > 0 && a[i] == b[j-1] && a[i-1] == b[j] {
				cur[j+1] = min(cur[j+1], prev2[j-1]+1)
			}
			least = min(least, cur[j+1])
		}
		if least > limit { // a swap can gain one
			return least
		}
		prev2, prev, cur = prev, cur, prev2
	}
	return prev[len(b)]
}

// Meant returns the hint `did you mean …` if one of names is near to word, else otherwise.
func Meant(word string, names []string, otherwise string) string {
	if near := Nearest(word, names); near != "" {
		return "did you mean `" + near + "`?"
	}
	return otherwise
}

// didYouMean says "did you mean …" for a misspelt word, else what was expected.
func didYouMean(word, expected string, candidates []string) string {
	if n := Nearest(word, candidates); n != "" {
		return fmt.Sprintf("did you mean %q?", n)
	}
	return expected
}
