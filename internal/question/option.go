package question

import (
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
)

// Kind is what an option takes.
type Kind uint8

// The kinds.
const (
	Text        Kind = iota
	Phrase           // a phrase with a value
	NamedPhrase      // NAME = PHRASE, or a phrase that names itself
	Condition        // a phrase that is true or false
	Column           // the name of a column, or with List several, - in front for its reverse
	Days             // with List: rising numbers of days
	Date             // a date, or a phrase that gives one
	Span             // a stretch of time: 2027, 2027-Q2, A..B
	Number           // a whole number
	Choice           // one of Choices
	Yes              // yes or no
	File             // the path of a file that is read
	Amount           // a shift from today: 90 days
	Carried          // NAME = FIRST; NEXT of a column that runs down the rows
)

// Option is one thing that a question can be told: a flag of its command, a key
// of a plan's output. It is declared once and fills one field.
type Option struct {
	Name string
	Kind Kind
	// Help says what it is; the word in backquotes stands for the value, unless Value does.
	Help, Value string
	Choices     []string
	Default     string
	Needed      bool
	Example     string // a value of one that is needed
	// Repeat takes the option several times, its values never split; List splits
	// them at commas too.
	Repeat, List bool
	// Least is the smallest Number, Most the largest; 0 for any.
	Least, Most int
	// With are the options of which one must be given for this one to mean anything; Not
	// are those beside which it means nothing.
	With, Not []string
	// Complete names what completion offers: columns, series, calendars.
	Complete string
	// Into is the field that it fills: a *string, *[]string, *bool or *int.
	Into any

	given bool
}

// kindTable has a row for each kind: its words in messages and descriptions, and
// what is wrong with a value as far as it alone tells.
var kindTable = [...]struct {
	words string
	check func(o *Option, text string, env eval.Env) error
}{
	Text: {"a text", nil},
	Phrase: {"a phrase", func(_ *Option, text string, _ eval.Env) error {
		_,
			err := phrase.ParseExpr(text)
		return err
	}},
	NamedPhrase: {"NAME = PHRASE", checkNamed},
	Condition: {"a condition", func(_ *Option, text string, _ eval.Env) error {
		_,
			err := phrase.ParseCondition(text)
		return err
	}},
	Column: {"the name of a column", nil},
	Days:   {"rising numbers of days", nil},
	Date: {"a date", func(_ *Option, text string, env eval.Env) error {
		_,
			err := eval.DateOf(text, env)
		return err
	}},
	Span: {"a span of time, such as 2027-Q2", func(_ *Option, text string, env eval.Env) error {
		_,
			err := eval.Window(text, env)
		return err
	}},
	Number:  {"a whole number", nil},
	Choice:  {"a choice", checkChoice},
	Yes:     {"yes or no", nil},
	File:    {"the path of a file", nil},
	Amount:  {"a length of time, such as 90 days", checkAmount},
	Carried: {"NAME = FIRST; NEXT", checkCarried},
}

func checkNamed(_ *Option, text string, _ eval.Env) error {
	_, body := rows.Named(text)
	_, err := phrase.ParseExpr(body)
	return err
}

func checkChoice(o *Option, text string, _ eval.Env) error {
	if into, ok := o.Into.(*string); ok { // case is free
		if i := slices.IndexFunc(o.Choices, func(c string) bool { return strings.EqualFold(c, text) }); i >= 0 {
			*into = o.Choices[i]
			return nil
		}
	}
	if slices.Contains(o.Choices, text) {
		return nil
	}
	return o.isNot(orList(o.Choices), text)
}

func checkCarried(_ *Option, text string, _ eval.Env) error {
	_, first, next, err := rows.SplitCarry(text)
	for _, part := range []string{first, next} {
		if err == nil {
			_, err = phrase.ParseExpr(part)
		}
	}
	return err
}

// orList writes A, B or C.
func orList(list []string) string {
	if n := len(list); n > 1 {
		return strings.Join(list[:n-1], ", ") + " or " + list[n-1]
	}
	return strings.Join(list, "")
}

func checkAmount(o *Option, text string, env eval.Env) error {
	if _, err := shifted(text, env); err != nil {
		return o.isNot(`a stretch such as "90 days" or "3 months"`, text)
	}
	return nil
}

// isNot is the fault of a value that isn't what the option takes.
func (o *Option) isNot(wanted, text string) error {
	return &rows.OptionError{Option: o.Name, Err: fmt.Errorf("expected %s, found %q", wanted,
		eval.Brief(strings.TrimSpace(text)))}
}

// fault names the option in front of an error.
func (o *Option) fault(err error) error {
	var named *rows.OptionError
	if err == nil || errors.As(err, &named) {
		return err
	}
	return rows.In(o.Name, err)
}

// Given reports whether the option was set.
func (o *Option) Given() bool { return o.given }

// says reports whether the option was set to something that counts: to a yes, if it
// takes yes or no.
func (o *Option) says() bool {
	yes, is := o.Into.(*bool)
	return o.given && (!is || *yes)
}

// Fit checks that the options that were set go with each other: none would be passed over
// in silence.
func Fit(options []*Option) error {
	says := func(name string) bool {
		return slices.ContainsFunc(options, func(o *Option) bool { return o.Name == name && o.says() })
	}
	for _, o := range options {
		fault := func(text string) error {
			return &rows.OptionError{Option: o.Name, Is: true, Err: errors.New(text)}
		}
		if !o.says() {
			continue
		}
		if o.With != nil && !slices.ContainsFunc(o.With, says) {
			return fault("needs " + orList(others(o.With)))
		}
		if i := slices.IndexFunc(o.Not, says); i >= 0 {
			return fault("can't be combined with " + rows.Other(o.Not[i], ""))
		}
	}
	return nil
}

// others are options in the text of an error.
func others(names []string) (list []string) {
	for _, name := range names {
		list = append(list, rows.Other(name, ""))
	}
	return list
}

// Takes says in words what the option takes.
func (o *Option) Takes() string { return kindTable[o.Kind].words }

// Set takes a value as text. An option that takes one value takes it once.
func (o *Option) Set(text string) error {
	if o.given && !o.Repeat && !o.List {
		return &rows.OptionError{Option: o.Name, Is: true, Err: errors.New("was given twice")}
	}
	if list, ok := o.Into.(*[]string); ok && !o.given {
		*list = nil // the default
	}
	o.given = true
	switch to := o.Into.(type) {
	case *string:
		*to = text
	case *[]string:
		if o.List {
			*to = append(*to, splitList(text)...)
			return nil
		}
		*to = append(*to, text)
	case *bool:
		switch strings.ToLower(text) {
		case "true", "yes":
			*to = true
		case "false", "no":
			*to = false
		default:
			return o.isNot("yes or no", text)
		}
	case *int:
		n, err := strconv.Atoi(strings.TrimSpace(text))
		if err != nil || n < o.Least || o.Most > 0 && n > o.Most {
			if o.Most > 0 {
				return o.isNot(fmt.Sprintf("a whole number from %d to %d", o.Least, o.Most), text)
			}
			return o.isNot("a whole number, "+strconv.Itoa(o.Least)+" or more", text)
		}
		*to = n
	}
	return nil
}

// splitList splits a list at its commas; a name in double quotes may hold some.
func splitList(text string) (list []string) {
	start, quoted := 0, false
	for i := 0; i <= len(text); i++ {
		if i == len(text) || text[i] == ',' && !quoted {
			list = append(list, strings.TrimSpace(text[start:i]))
			start = i + 1
		} else if text[i] == '"' {
			quoted = !quoted
		}
	}
	return list
}

// values returns what was set, as texts.
func (o *Option) values() []string {
	switch from := o.Into.(type) {
	case *string:
		if *from != "" {
			return []string{*from}
		}
	case *[]string:
		return *from
	}
	return nil
}

// Check says what is wrong with what was set, or missing, as far as the option
// alone tells; phrases are parsed, dates and spans worked out.
func (o *Option) Check(env eval.Env) error {
	if o.Needed && !o.given {
		return &rows.OptionError{Option: o.Name, Is: true, Err: errors.New("is required, for example " + rows.Other(o.Name, o.Example))}
	}
	if o.Kind == Days {
		_, err := rows.ParseBands(o.values())
		return o.fault(err)
	}
	check := kindTable[o.Kind].check
	for _, v := range o.values() {
		if check != nil {
			if err := check(o, v, env); err != nil {
				return o.fault(err)
			}
		}
	}
	return nil
}

// SetItem takes one item of a list, which isn't split.
func (o *Option) SetItem(text string) error {
	list, ok := o.Into.(*[]string)
	if !ok {
		return &rows.OptionError{Option: o.Name, Is: true, Err: errors.New("takes one value, not a list")}
	}
	if !o.given {
		*list = nil
	}
	o.given = true
	*list = append(*list, text)
	return nil
}

// Path is the field of a File that was set.
func (o *Option) Path() (path *string, ok bool) {
	path, ok = o.Into.(*string)
	return path, ok && o.Kind == File && *path != ""
}

// Reset gives the option its default.
func (o *Option) Reset() {
	if o.Default != "" {
		_ = o.Set(o.Default) // a default is good
	}
	o.given = false
}

// plainHelp is the help without backquotes, on one line.
func plainHelp(s string) string {
	return strings.Join(strings.Fields(strings.ReplaceAll(s, "`", "")), " ")
}

// Describe is the help as one sentence, for schemas and completion.
func (o *Option) Describe() string { return plainHelp(o.Help) }
