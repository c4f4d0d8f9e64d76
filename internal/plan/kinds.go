package plan

import (
	"fmt"

	"github.com/goccy/go-yaml/ast"

	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/declare"
)

// kind is a kind of values of files.
type kind[T any] = declare.Kind[T]

// read is how a kind reads a value of a file.
func read[T any](how func(v *node) (T, error)) func(declare.Value) (T, error) {
	return func(v declare.Value) (T, error) { return how(v.(*node)) }
}

// at does something with a value of a file and its place.
func at[T any](k kind[T], do func(v *node, x T) error) declare.Takes {
	return k.At(func(v declare.Value, x T) error { return do(v.(*node), x) })
}

// fills is how what is in a file fills a field.
func fills(do func(v *node) error) func(declare.Value) error {
	return func(v declare.Value) error { return do(v.(*node)) }
}

// Named is the key of the value.
func (v *node) Named() string { return v.name }

// Text is the value, if it is one text.
func (v *node) Text() (string, error) { return v.doc.text(v.val) }

// Items are the values of a list.
func (v *node) Items() ([]declare.Value, bool) {
	seq, ok := v.val.(*ast.SequenceNode)
	if !ok {
		return nil, false
	}
	list := make([]declare.Value, len(seq.Values))
	for i, item := range seq.Values {
		list[i] = entry(v.doc, v.name, item)
	}
	return list, true
}

// Wrap puts the place of the value around an error.
func (v *node) Wrap(err error) error { return v.doc.wrap(v.val, err) }

// parsed is a kind whose text is parsed further.
func parsed[T any](words string, parse func(string) (T, error)) kind[T] {
	return kind[T]{Words: words, Read: read(func(v *node) (x T, err error) {
		text, err := v.doc.filled(v.val)
		if err == nil {
			x, err = parse(text)
		}
		return x, err
	})}
}

// of makes a kind of a reader of documents.
func of[T any](words string, of func(*doc, ast.Node) (T, error)) kind[T] {
	return kind[T]{Words: words, Read: read(func(v *node) (T, error) { return of(v.doc, v.val) })}
}

// placed is a text with its place.
type placed struct {
	text string
	at   Spot
}

// texts are the texts alone.
func texts(list []placed) (all []string) {
	for _, p := range list {
		all = append(all, p.text)
	}
	return all
}

// several reads texts with their places.
func several(words string, of func(*doc, ast.Node) ([]string, []ast.Node, error)) kind[[]placed] {
	return kind[[]placed]{Words: words, Shape: declare.SomeTexts, Read: read(func(v *node) (list []placed, err error) {
		texts, nodes, err := of(v.doc, v.val)
		for i, text := range texts {
			list = append(list, placed{text, v.doc.spot(nodes[i])})
		}
		return list, err
	})}
}

// namesIn are texts without their places.
var namesIn = kind[[]string]{Words: "a text, or several: joined by commas, or a list", Shape: declare.SomeTexts,
	Read: read(func(v *node) ([]string, error) {
		list, _, err := v.doc.texts(v.val)
		return list, err
	})}

// oneOf is a text that is one of a few; what says which.
func oneOf(what string, choices ...string) kind[string] {
	return kind[string]{Words: "one of a few words", OneOf: choices, Read: read(func(v *node) (string, error) {
		text, err := v.doc.text(v.val)
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
	aText      = of("a text", (*doc).text)
	aTitle     = of("a text", (*doc).filled)
	aPhrase    = of("a phrase", (*doc).phrase)
	aCalendar  = of("the name of a calendar, or names joined by +", (*doc).calendarName)
	aDay       = of("a date, such as 2027-03-31", (*doc).date)
	aSummary   = of("a text, with {names} in it", (*doc).summary)
	aNode      = kind[*node]{Words: "a text", Read: read(func(v *node) (*node, error) { return v, nil })}
	someNames  = several("a text, or several: joined by commas, or a list", (*doc).texts)
	conditions = several("a condition, or a list of them", (*doc).conditions)
	reminders  = kind[[]schedule.Reminder]{Words: "a reminder, or a list of them", Shape: declare.SomeTexts,
		Read: read(func(v *node) ([]schedule.Reminder, error) { return v.doc.reminders(v.val) })}
)

// bounds is a number or two of them, with a unit behind it where one goes.
func bounds(unit string) kind[schedule.Bounds] {
	return kind[schedule.Bounds]{Words: "a number, or a range such as 1..2", Read: read(func(v *node) (schedule.Bounds, error) {
		return v.doc.bounds(v.val, unit)
	})}
}

// phrase reads a phrase, with the words of a pattern filled in.
func (d *doc) phrase(n ast.Node) (string, error) {
	text, err := d.text(n)
	if err != nil || d.words == nil {
		return text, err
	}
	return phrase.Fill(text, d.words)
}

// filled reads a text, with the words of a pattern filled in.
func (d *doc) filled(n ast.Node) (string, error) {
	text, err := d.text(n)
	if err == nil {
		text, err = phrase.FillText(text, d.words)
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
		if text, err = phrase.Fill(text, d.words); err != nil {
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
