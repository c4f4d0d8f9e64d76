package plan

import (
	"fmt"

	"github.com/goccy/go-yaml/ast"

	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/question"
)

// value is what a key takes, for the schema.
type value uint8

const (
	oneText   value = iota // one scalar
	someTexts              // a scalar, with commas between several, or a list of them
	aNumber
	aMapping    // with keys or names
	aList       // of mappings
	someLists   // of texts
	textOrList  // a scalar, or a list of mappings
	listOrTable // a list of mappings, or {table: FILE} with their keys as columns
)

// kind reads a value of a type: a key that fills a field of another doesn't compile.
type kind[T any] struct {
	words string
	kind  value
	oneOf []string
	read  func(v *node) (T, error)
}

// into fills a field.
func (k kind[T]) into(to *T) takes { return k.then(func(x T) error { *to = x; return nil }) }

// ref fills a field that is nil if nothing is said.
func (k kind[T]) ref(to **T) takes { return k.then(func(x T) error { *to = &x; return nil }) }

// then does something with the value; what is wrong with it is reported at its place.
func (k kind[T]) then(do func(T) error) takes {
	return k.at(func(_ *node, x T) error { return do(x) })
}

// at is then for what needs to know where it stands.
func (k kind[T]) at(do func(v *node, x T) error) takes {
	return takes{words: k.words, kind: k.kind, oneOf: k.oneOf, fill: func(v *node) error {
		x, err := k.read(v)
		if err != nil {
			return err
		}
		return do(v, x)
	}}
}

// parsed is a kind whose text is parsed further.
func parsed[T any](words string, parse func(string) (T, error)) kind[T] {
	return kind[T]{words: words, read: func(v *node) (x T, err error) {
		text, err := v.doc.filled(v.val)
		if err == nil {
			x, err = parse(text)
		}
		return x, err
	}}
}

// of makes a kind of a reader of documents.
func of[T any](words string, read func(*doc, ast.Node) (T, error)) kind[T] {
	return kind[T]{words: words, read: func(v *node) (T, error) { return read(v.doc, v.val) }}
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
func several(words string, read func(*doc, ast.Node) ([]string, []ast.Node, error)) kind[[]placed] {
	return kind[[]placed]{words: words, kind: someTexts, read: func(v *node) (list []placed, err error) {
		texts, nodes, err := read(v.doc, v.val)
		for i, text := range texts {
			list = append(list, placed{text, v.doc.spot(nodes[i])})
		}
		return list, err
	}}
}

// namesIn are texts without their places.
var namesIn = kind[[]string]{"a text, or several: joined by commas, or a list", someTexts, nil,
	func(v *node) ([]string, error) {
		list, _, err := v.doc.texts(v.val)
		return list, err
	}}

// oneOf is a text that is one of a few; what says which.
func oneOf(what string, choices ...string) kind[string] {
	return kind[string]{words: "one of a few words", oneOf: choices, read: func(v *node) (string, error) {
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
	}}
}

var yesNo = []string{"yes", "no"}

// The kinds.
var (
	aText      = of("a text", (*doc).text)
	aTitle     = of("a text", (*doc).filled)
	aPhrase    = of("a phrase", (*doc).phrase)
	aCalendar  = of("the name of a calendar, or names joined by +", (*doc).calendarName)
	aDay       = of("a date, such as 2027-03-31", (*doc).date)
	aSummary   = of("a text, with {names} in it", (*doc).summary)
	aYes       = kind[bool]{"yes or no", oneText, yesNo, func(v *node) (bool, error) { return v.doc.yes(v.name, v.val) }}
	aNode      = kind[*node]{"a text", oneText, nil, func(v *node) (*node, error) { return v, nil }}
	someNames  = several("a text, or several: joined by commas, or a list", (*doc).texts)
	conditions = several("a condition, or a list of them", (*doc).conditions)
	reminders  = kind[[]schedule.Reminder]{"a reminder, or a list of them", someTexts, nil,
		func(v *node) ([]schedule.Reminder, error) { return v.doc.reminders(v.val) }}
)

// bounds is a number or two of them, with a unit behind it where one goes.
func bounds(unit string) kind[schedule.Bounds] {
	return kind[schedule.Bounds]{words: "a number, or a range such as 1..2", read: func(v *node) (schedule.Bounds, error) {
		return v.doc.bounds(v.val, unit)
	}}
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

// yes reads the yes or no of a key.
func (d *doc) yes(key string, v ast.Node) (on bool, err error) {
	text, err := d.text(v)
	if err == nil {
		err = (&question.Option{Name: key, Into: &on}).Set(text)
	}
	return on, err
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
