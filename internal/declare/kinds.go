package declare

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
)

// Form is how a value stands in a file, for the schema.
type Form uint8

// The shapes.
const (
	FormText  Form = iota // one scalar
	FormTexts             // a scalar, with commas between several, or a list of them
	FormNumber
	FormMapping        // with keys or names
	FormList           // of mappings
	FormTextLists      // of texts
	FormTextOrList     // a scalar, or a list of mappings
	FormListOrTable    // a list of mappings, or {table: FILE} with their keys as columns
	FormRunningColumns // NAME = FIRST; NEXT on a command, a mapping in a file
)

// Mapping is what is in a mapping, or in one of a list: keys, or names.
type Mapping interface{ Keys() []*Key }

// ValueSpec is what a key takes, and how that fills its field.
type ValueSpec struct {
	Description string   // in help
	Form        Form     // for the schema
	Choices     []string // the values, where they are few
	Min         int      // of a number
	Repeatable  bool     // a flag that may be given several times
	Field       *string  // of one text
	IsInputFile bool     // that text is the path of a file that is read
	Assign      func(v Input) error
	// Check says what is wrong with what was filled, once all is known that it speaks of.
	Check   func(env eval.Env) error
	Mapping func() Mapping // of a mapping; made when it is asked for
	Item    func() Mapping // of a list of mappings

	reset     func()      // makes room for the first of several values
	boolValue func() bool // of yes or no, which it is
}

func (t *ValueSpec) isActive() bool { return t.boolValue == nil || t.boolValue() }

// IsBool reports whether it takes yes or no.
func (t *ValueSpec) IsBool() bool { return t.boolValue != nil }

// Kind reads a value of a type: a key that fills a field of another doesn't compile.
type Kind[T any] struct {
	Description string
	Form        Form
	Choices     []string
	Min         int
	Read        func(v Input) (T, error)
}

// Into fills a field.
func (k Kind[T]) Into(to *T) ValueSpec {
	t := k.Call(func(x T) error { *to = x; return nil })
	if yes, is := any(to).(*bool); is {
		t.boolValue = func() bool { return *yes }
	}
	return t
}

// IntoOptional fills a field that is nil if nothing is said.
func (k Kind[T]) IntoOptional(to **T) ValueSpec {
	return k.Call(func(x T) error { *to = &x; return nil })
}

// Call does something with the value; what is wrong with it is reported at its place.
func (k Kind[T]) Call(do func(T) error) ValueSpec {
	return k.CallAt(func(_ Input, x T) error { return do(x) })
}

// CallAt is Then for what needs to know where it stands.
func (k Kind[T]) CallAt(do func(v Input, x T) error) ValueSpec {
	return ValueSpec{Description: k.Description, Form: k.Form, Choices: k.Choices, Min: k.Min, Assign: func(v Input) error {
		x, err := k.Read(v)
		if err != nil {
			return err
		}
		return do(v, x)
	}}
}

// Bool is yes or no.
var Bool = Kind[bool]{Description: "yes or no", Choices: []string{"yes", "no"}, Read: func(v Input) (bool, error) {
	text, err := v.Text()
	switch strings.ToLower(text) {
	case "true", "yes":
		return true, err
	case "false", "no":
		return false, err
	}
	if err == nil {
		err = rows.WrapOption(v.Name(), valueError("yes or no", text))
	}
	return false, err
}}

// Number is a whole number from least to most, if that isn't 0.
func Number(least, most int) Kind[int] {
	wanted := "a whole number, " + strconv.Itoa(least) + " or more"
	if most > 0 {
		wanted = fmt.Sprintf("a whole number from %d to %d", least, most)
	}
	return Kind[int]{Description: "a whole number", Form: FormNumber, Min: least, Read: func(v Input) (int, error) {
		text, err := v.Text()
		if err != nil {
			return 0, err
		}
		n, err := strconv.Atoi(strings.TrimSpace(text))
		if err != nil || n < least || most > 0 && n > most {
			err = rows.WrapOption(v.Name(), valueError(wanted, text))
		}
		return n, err
	}}
}

// TextKind are a kind that fills texts. They are kept as they are, and checked when all is
// known that they may speak of.
type TextKind struct {
	description string
	choices     []string
	form        Form
	check       func(text *string, env eval.Env) error // it may put another spelling
	checkAll    func(list []string) error
}

// The kinds of texts.
var (
	Text   = TextKind{description: "a text"}
	Phrase = TextKind{description: "a phrase", check: parseCheck(phrase.ParseExpr)}
	// TablePhrase and NamedPhrase are phrases on the rows of a table: one that is none may be the name
	// of a column, which is known once the table is open.
	TablePhrase = TextKind{description: "a phrase", check: func(text *string, _ eval.Env) error { return checkTablePhrase(*text) }}
	NamedPhrase = TextKind{description: "NAME = PHRASE", check: func(text *string, _ eval.Env) error {
		_, body := rows.SplitNamed(*text)
		return checkTablePhrase(body)
	}}
	Condition = TextKind{description: "a condition", check: parseCheck(phrase.ParseCondition)}
	Column    = TextKind{description: "the name of a column"} // - in front of one of several is for its reverse
	Days      = TextKind{description: "rising numbers of days", checkAll: func(list []string) error { _, err := rows.ParseBands(list); return err }}
	Date      = TextKind{description: "a date", check: evalCheck(eval.ComputeDate)}
	Span      = TextKind{description: "a span of time, such as 2027-Q2", check: evalCheck(eval.ParseWindow)}
	File      = TextKind{description: "the path of a file"}
	Amount    = TextKind{description: "a length of time, such as 90 days", check: func(text *string, env eval.Env) error {
		if _, err := ParseAhead(*text, env); err != nil {
			return valueError(`a stretch such as "90 days" or "3 months"`, *text)
		}
		return nil
	}}
	Layout = TextKind{description: "a layout of dates, such as \"%d %b %Y\"", check: func(text *string, env eval.Env) error {
		if env.Strftime == nil {
			return nil
		}
		_, err := env.Strftime(*text)
		return err
	}}
	RunningColumn = TextKind{description: "NAME = FIRST; NEXT", form: FormRunningColumns, check: func(text *string, _ eval.Env) error {
		_, first, next, err := rows.SplitCarry(*text)
		for _, part := range []string{first, next} {
			if err == nil {
				_, err = phrase.ParseExpr(part)
			}
		}
		return err
	}}
)

// checkTablePhrase refuses a text that is no phrase and can't be a column's name either.
func checkTablePhrase(text string) error {
	_, err := phrase.ParseExpr(text)
	if err != nil && !strings.ContainsAny(text, ",()'\"=+<>") {
		return nil
	}
	return err
}

// Choice is one of a few words, in upper or lower case.
func Choice(list ...string) TextKind {
	return TextKind{description: "a choice", choices: list, check: func(text *string, _ eval.Env) error {
		i := slices.IndexFunc(list, func(c string) bool { return strings.EqualFold(c, *text) })
		if i < 0 {
			return valueError(OrList(list), *text)
		}
		*text = list[i]
		return nil
	}}
}

// WithChoices are the words that completion offers.
func (w TextKind) WithChoices(list []string) TextKind { w.choices = list; return w }

func parseCheck[T any](parse func(string) (T, error)) func(*string, eval.Env) error {
	return func(text *string, _ eval.Env) error { _, err := parse(*text); return err }
}

func evalCheck[T any](work func(string, eval.Env) (T, error)) func(*string, eval.Env) error {
	return func(text *string, env eval.Env) error { _, err := work(*text, env); return err }
}

// ParseAhead is today moved by a stretch such as "90 days".
func ParseAhead(text string, env eval.Env) (civil.Date, error) {
	return eval.ComputeDate("today, +"+strings.TrimPrefix(strings.TrimSpace(text), "+"), env)
}

// valueError is the fault of a value that isn't what a key takes.
func valueError(wanted, text string) error {
	return fmt.Errorf("expected %s, found %q", wanted, eval.Truncate(strings.TrimSpace(text)))
}

// Into fills a text.
func (w TextKind) Into(to *string) ValueSpec {
	t := ValueSpec{Description: w.description, Form: w.form, Choices: w.choices, Field: to, Assign: func(v Input) error {
		text, err := v.Text()
		if err == nil {
			*to = text
		}
		return err
	}}
	if w.check != nil {
		t.Check = func(env eval.Env) error {
			if *to == "" {
				return nil
			}
			return w.check(to, env)
		}
	}
	return t
}

// IntoInputFile fills the path of a file that is read.
func (w TextKind) IntoInputFile(to *string) ValueSpec {
	t := w.Into(to)
	t.IsInputFile = true
	return t
}

// Repeat fills texts, each said by itself.
func (w TextKind) Repeat(to *[]string) ValueSpec {
	return w.intoList(to, func(text string) []string { return []string{text} })
}

// List fills texts, of which several may stand in one with commas between them.
func (w TextKind) List(to *[]string) ValueSpec { return w.intoList(to, SplitList) }

func (w TextKind) intoList(to *[]string, split func(string) []string) ValueSpec {
	t := ValueSpec{Description: w.description, Form: max(w.form, FormTexts), Choices: w.choices, Repeatable: true, reset: func() { *to = nil }}
	t.Assign = func(v Input) error {
		items, list := v.Items()
		if !list {
			text, err := v.Text()
			if err == nil {
				*to = append(*to, split(text)...)
			}
			return err
		}
		for _, item := range items {
			text, err := item.Text()
			if err != nil {
				return item.Wrap(err)
			}
			*to = append(*to, text)
		}
		return nil
	}
	t.Check = func(env eval.Env) error {
		if w.checkAll != nil {
			return w.checkAll(*to)
		}
		for i := range *to {
			if w.check != nil {
				if err := w.check(&(*to)[i], env); err != nil {
					return err
				}
			}
		}
		return nil
	}
	return t
}

// SplitList splits a list at its commas; a name in double quotes may hold some.
func SplitList(text string) (list []string) {
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
