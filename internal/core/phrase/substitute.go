package phrase

import (
	"errors"
	"slices"
	"strings"
	"unicode/utf8"

	"yoyaku/internal/core/civil"
)

// Substitutions are names that a place gives a value, by their folded names: a number, a date,
// a text, or the name of a calendar.
type Substitutions map[string]string

// MaxText is how many characters a text that a phrase or names in braces make may have: as many
// as a cell of a workbook holds.
const MaxText = 32_767

// TextTooLongMessage is the fault of a longer one.
var TextTooLongMessage = "this makes a text of more than " + itoa(MaxText) + " characters"

// maxSubstituted bounds a phrase after Substitute, in bytes.
const maxSubstituted = 1 << 20

// Substitute writes the values of words into a phrase, wherever a name, a numbered day or, in
// parentheses, a calendar stands. Errors are of type *Error.
func Substitute(text string, words Substitutions) (string, error) {
	if len(words) == 0 {
		return text, nil
	}
	toks, err := scan(text)
	if err != nil {
		return "", err
	}
	var b strings.Builder
	done := 0
	put := func(span Span, value string) {
		b.WriteString(text[done:span.Start] + value)
		done = span.End
	}
	for i, t := range toks {
		value, ok := words[FoldName(t.word)]
		if !ok || t.kind != tWord && t.kind != tQuoted {
			continue
		}
		if i > 1 && toks[i-1].isSign("(") && toks[i-2].isWord("using") && toks[i+1].isSign(")") {
			b.WriteString(text[done:toks[i-1].Start] + value)
			done = toks[i+1].End
			continue
		}
		if put(t.Span, literalText(value)); b.Len() > maxSubstituted {
			return "", &Error{Phrase: text, Span: t.Span, Message: "with its words filled in, the phrase has more than 1 MB"}
		}
	}
	return b.String() + text[done:], nil
}

// literalText writes a value as a phrase has it.
func literalText(value string) string {
	_, _, day := civil.Parse(value)
	switch {
	case value != "" && strings.Trim(value, "0123456789.") == "":
		return value
	case strings.HasPrefix(value, "-") && strings.Trim(value[1:], "0123456789.") == "":
		return "(" + value + ")"
	case day:
		return value
	}
	return "'" + strings.ReplaceAll(value, "'", "''") + "'"
}

// SubstituteText writes the values of words into a text, in the places of {name}. It is an error if
// that makes more than MaxText characters.
func SubstituteText(text string, words Substitutions) (string, error) {
	if len(words) == 0 {
		return text, nil
	}
	var b strings.Builder
	for {
		before, after, ok := strings.Cut(text, "{")
		b.WriteString(before)
		name, rest, closed := strings.Cut(after, "}")
		if !ok || !closed {
			if ok {
				b.WriteString("{" + after)
			}
			return b.String(), nil
		}
		if value, known := words[FoldName(name)]; known {
			b.WriteString(value)
		} else {
			b.WriteString("{" + name + "}")
		}
		if b.Len() > MaxText && utf8.RuneCountInString(b.String()) > MaxText {
			return "", errors.New(TextTooLongMessage)
		}
		text = rest
	}
}

// IsReserved reports whether a name can't be a pattern's parameter: it is a word of the
// language, which Substitute would replace wherever it stands.
func IsReserved(name string) bool {
	word := strings.ToLower(name)
	if reserved[word] || reservedInRules[word] || neverNames[word] || quotedWords[word] || extraReserved[word] ||
		cadenceOf(word) != nil || slices.Contains(stepWords, word) {
		return true
	}
	one := singular(word)
	if _, period := periodUnits[one]; period {
		return true
	}
	if _, unit := units[one]; unit {
		return true
	}
	if slices.ContainsFunc(partInfos, func(p *PartInfo) bool { return slices.Contains(p.words, word) }) {
		return true
	}
	f, err := Parse(name)
	if err != nil {
		return true
	}
	_, bare := f.Expr.(*Name)
	return !bare
}

// extraReserved are the words of the language that no table of it holds.
var extraReserved = map[string]bool{}

func init() {
	for _, w := range strings.Fields(
		"after age backward backwards before blank bond business by closed contains count counted days down fiscal " +
			"following forward forwards half-year isda keep max min modified multiples noticed out preceding prior renewing round rule short " +
			"started starts steps the this time up us weekdays with workday zone") {
		extraReserved[w] = true
	}
}
