package plan

import (
	"fmt"
	"yoyaku/internal/core/language"

	"github.com/goccy/go-yaml/ast"

	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/declare"
)

// valueKind is a kind of values of files.
type valueKind[T any] = declare.Kind[T]

// read is how a kind reads a value of a file.
func read[T any](how func(v *node) (T, error)) func(declare.Input) (T, error) {
	return func(v declare.Input) (T, error) { return how(v.(*node)) }
}

// at does something with a value of a file and its place.
func at[T any](k valueKind[T], do func(v *node, x T) error) declare.ValueSpec {
	return k.CallAt(func(v declare.Input, x T) error { return do(v.(*node), x) })
}

// fills is how what is in a file fills a field.
func fills(do func(v *node) error) func(declare.Input) error {
	return func(v declare.Input) error { return do(v.(*node)) }
}

// Name is the key of the value.
func (v *node) Name() string { return v.name }

// Text is the value, if it is one text.
func (v *node) Text() (string, error) { return v.doc.text(v.valueNode) }

// Items are the values of a list.
func (v *node) Items() ([]declare.Input, bool) {
	seq, ok := v.valueNode.(*ast.SequenceNode)
	if !ok {
		return nil, false
	}
	list := make([]declare.Input, len(seq.Values))
	for i, item := range seq.Values {
		list[i] = rootNode(v.doc, v.name, item)
	}
	return list, true
}

// Wrap puts the place of the value around an error.
func (v *node) Wrap(err error) error { return v.doc.wrap(v.valueNode, err) }

// parsedKind is a kind whose text is parsed further.
func parsedKind[T any](words string, parse func(string) (T, error)) valueKind[T] {
	return valueKind[T]{Description: words, Read: read(func(v *node) (x T, err error) {
		text, err := v.doc.substituted(v.valueNode)
		if err == nil {
			x, err = parse(text)
		}
		return x, err
	})}
}

// newKind makes a kind of a reader of documents.
func newKind[T any](words string, of func(*doc, ast.Node) (T, error)) valueKind[T] {
	return valueKind[T]{Description: words, Read: read(func(v *node) (T, error) { return of(v.doc, v.valueNode) })}
}

// textAt is a text with its place.
type textAt struct {
	text string
	pos  Pos
}

// textsOf are the texts alone.
func textsOf(list []textAt) (all []string) {
	for _, p := range list {
		all = append(all, p.text)
	}
	return all
}

// textListKind reads texts with their places.
func textListKind(words string, of func(*doc, ast.Node) ([]string, []ast.Node, error)) valueKind[[]textAt] {
	return valueKind[[]textAt]{Description: words, Form: declare.FormTexts, Read: read(func(v *node) (list []textAt, err error) {
		texts, nodes, err := of(v.doc, v.valueNode)
		for i, text := range texts {
			list = append(list, textAt{text, v.doc.pos(nodes[i])})
		}
		return list, err
	})}
}

// nameListKind are texts without their places.
var nameListKind = valueKind[[]string]{Description: "a text, or several: joined by commas, or a list", Form: declare.FormTexts,
	Read: read(func(v *node) ([]string, error) {
		list, _, err := v.doc.texts(v.valueNode)
		return list, err
	})}

// choiceKind is a text that is one of a few; what says which.
func choiceKind(what string, choices ...string) valueKind[string] {
	return valueKind[string]{Description: "one of a few words", Choices: choices, Read: read(func(v *node) (string, error) {
		text, err := v.doc.text(v.valueNode)
		for _, c := range choices {
			if err == nil && text == c {
				return text, nil
			}
		}
		if err == nil {
			err = fmt.Errorf("`%s` is %s", v.name, what)
		}
		return "", err
	})}
}

// The kinds.
var (
	textKind       = newKind("a text", (*doc).text)
	titleKind      = newKind("a text", (*doc).substituted)
	phraseKind     = newKind("a phrase", (*doc).phrase)
	calendarKind   = newKind("the name of a calendar, or names joined by +", (*doc).calendarName)
	dayKind        = newKind("a date, such as 2027-03-31", (*doc).date)
	summaryKind    = newKind("a text, with {names} in it", (*doc).summary)
	nodeKind       = valueKind[*node]{Description: "a text", Read: read(func(v *node) (*node, error) { return v, nil })}
	namesKind      = textListKind("a text, or several: joined by commas, or a list", (*doc).texts)
	conditionsKind = textListKind("a condition, or a list of them", (*doc).conditions)
	remindersKind  = valueKind[[]schedule.Reminder]{Description: "a reminder, or a list of them", Form: declare.FormTexts,
		Read: read(func(v *node) ([]schedule.Reminder, error) { return v.doc.reminders(v.valueNode) })}
)

// boundsKind is a number or two of them, with a unit behind it where one goes.
func boundsKind(unit string) valueKind[schedule.Bounds] {
	return valueKind[schedule.Bounds]{Description: "a number, or a range such as 1..2", Read: read(func(v *node) (schedule.Bounds, error) {
		return v.doc.bounds(v.valueNode, unit)
	})}
}

// phrase reads a phrase, with the words of a pattern filled in.
func (d *doc) phrase(n ast.Node) (string, error) {
	text, err := d.text(n)
	if err != nil || d.params == nil {
		return text, err
	}
	return phrase.Substitute(text, d.params)
}

// substituted reads a text, with the words of a pattern filled in.
func (d *doc) substituted(n ast.Node) (string, error) {
	text, err := d.text(n)
	if err == nil {
		text, err = phrase.SubstituteText(text, d.params)
		err = d.wrap(n, err)
	}
	return text, err
}

// conditions reads one condition or a list of them, none split at commas.
func (d *doc) conditions(v ast.Node) (list []string, nodes []ast.Node, err error) {
	nodes = []ast.Node{v}
	if seq, ok := v.(*ast.SequenceNode); ok {
		nodes = seq.Values
	}
	for _, n := range nodes {
		text, err := d.phrase(n)
		if err == nil {
			_, err = phrase.ParseCondition(text)
		}
		if err != nil {
			return nil, nil, d.wrap(n, err)
		}
		list = append(list, text)
	}
	return list, nodes, nil
}

// reminders reads one reminder or a list of them.
func (d *doc) reminders(v ast.Node) (list []schedule.Reminder, err error) {
	texts, nodes, err := d.texts(v)
	for i, text := range texts {
		if text, err = phrase.Substitute(text, d.params); err != nil {
			return nil, d.wrap(nodes[i], err)
		}
		r, err := schedule.ParseReminder(text)
		if err != nil {
			return nil, d.wrap(nodes[i], err)
		}
		list = append(list, r)
	}
	return list, err
}

// languageKind is a language by its code.
var languageKind = valueKind[*language.Language]{Description: "a language by its code", Choices: language.Codes(), Read: func(v declare.Input) (*language.Language, error) {
	text, err := textKind.Read(v)
	if err != nil {
		return nil, err
	}
	return language.Find(text)
}}
