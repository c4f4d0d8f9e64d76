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

// Shape is how a value stands in a file, for the schema.
type Shape uint8

// The shapes.
const (
	OneText   Shape = iota // one scalar
	SomeTexts              // a scalar, with commas between several, or a list of them
	ANumber
	AMapping    // with keys or names
	AList       // of mappings
	SomeLists   // of texts
	TextOrList  // a scalar, or a list of mappings
	ListOrTable // a list of mappings, or {table: FILE} with their keys as columns
	Running     // NAME = FIRST; NEXT on a command, a mapping in a file
)

// Inside is what is in a mapping, or in one of a list: keys, or names.
type Inside interface{ Keys() []*Key }

// Takes is what a key takes, and how that fills its field.
type Takes struct {
	Words string   // in help
	Shape Shape    // for the schema
	OneOf []string // the values, where they are few
	Least int      // of a number
	Many  bool     // a flag that may be given several times
	Field *string  // of one text
	File  bool     // that text is the path of a file that is read
	Fill  func(v Value) error
	// Check says what is wrong with what was filled, once all is known that it speaks of.
	Check func(env eval.Env) error
	In    func() Inside // of a mapping; made when it is asked for
	Item  func() Inside // of a list of mappings

	clear func()      // makes room for the first of several values
	on    func() bool // of yes or no, which it is
}

func (t *Takes) counts() bool { return t.on == nil || t.on() }

// YesNo reports whether it takes yes or no.
func (t *Takes) YesNo() bool { return t.on != nil }

// Kind reads a value of a type: a key that fills a field of another doesn't compile.
type Kind[T any] struct {
	Words string
	Shape Shape
	OneOf []string
	Least int
	Read  func(v Value) (T, error)
}

// Into fills a field.
func (k Kind[T]) Into(to *T) Takes {
	t := k.Then(func(x T) error { *to = x; return nil })
	if yes, is := any(to).(*bool); is {
		t.on = func() bool { return *yes }
	}
	return t
}

// Ref fills a field that is nil if nothing is said.
func (k Kind[T]) Ref(to **T) Takes { return k.Then(func(x T) error { *to = &x; return nil }) }

// Then does something with the value; what is wrong with it is reported at its place.
func (k Kind[T]) Then(do func(T) error) Takes {
	return k.At(func(_ Value, x T) error { return do(x) })
}

// At is Then for what needs to know where it stands.
func (k Kind[T]) At(do func(v Value, x T) error) Takes {
	return Takes{Words: k.Words, Shape: k.Shape, OneOf: k.OneOf, Least: k.Least, Fill: func(v Value) error {
		x, err := k.Read(v)
		if err != nil {
			return err
		}
		return do(v, x)
	}}
}

// Yes is yes or no.
var Yes = Kind[bool]{Words: "yes or no", OneOf: []string{"yes", "no"}, Read: func(v Value) (bool, error) {
	text, err := v.Text()
	switch strings.ToLower(text) {
	case "true", "yes":
		return true, err
	case "false", "no":
		return false, err
	}
	if err == nil {
		err = rows.WrapOption(v.Named(), isNot("yes or no", text))
	}
	return false, err
}}

// Number is a whole number from least to most, if that isn't 0.
func Number(least, most int) Kind[int] {
	wanted := "a whole number, " + strconv.Itoa(least) + " or more"
	if most > 0 {
		wanted = fmt.Sprintf("a whole number from %d to %d", least, most)
	}
	return Kind[int]{Words: "a whole number", Shape: ANumber, Least: least, Read: func(v Value) (int, error) {
		text, err := v.Text()
		if err != nil {
			return 0, err
		}
		n, err := strconv.Atoi(strings.TrimSpace(text))
		if err != nil || n < least || most > 0 && n > most {
			err = rows.WrapOption(v.Named(), isNot(wanted, text))
		}
		return n, err
	}}
}

// Words are a kind that fills texts. They are kept as they are, and checked when all is
// known that they may speak of.
type Words struct {
	words string
	oneOf []string
	shape Shape
	check func(text *string, env eval.Env) error // it may put another spelling
	all   func(list []string) error
}

// The kinds of texts.
var (
	Text        = Words{words: "a text"}
	Phrase      = Words{words: "a phrase", check: parses(phrase.ParseExpr)}
	NamedPhrase = Words{words: "NAME = PHRASE", check: func(text *string, _ eval.Env) error {
		_, body := rows.SplitNamed(*text)
		_, err := phrase.ParseExpr(body)
		return err
	}}
	Condition = Words{words: "a condition", check: parses(phrase.ParseCondition)}
	Column    = Words{words: "the name of a column"} // - in front of one of several is for its reverse
	Days      = Words{words: "rising numbers of days", all: func(list []string) error { _, err := rows.ParseBands(list); return err }}
	Date      = Words{words: "a date", check: worksOut(eval.ComputeDate)}
	Span      = Words{words: "a span of time, such as 2027-Q2", check: worksOut(eval.ParseWindow)}
	File      = Words{words: "the path of a file"}
	Amount    = Words{words: "a length of time, such as 90 days", check: func(text *string, env eval.Env) error {
		if _, err := Ahead(*text, env); err != nil {
			return isNot(`a stretch such as "90 days" or "3 months"`, *text)
		}
		return nil
	}}
	Layout = Words{words: "a layout of dates, such as \"%d %b %Y\"", check: func(text *string, env eval.Env) error {
		if env.Strftime == nil {
			return nil
		}
		_, err := env.Strftime(*text)
		return err
	}}
	Carried = Words{words: "NAME = FIRST; NEXT", shape: Running, check: func(text *string, _ eval.Env) error {
		_, first, next, err := rows.SplitCarry(*text)
		for _, part := range []string{first, next} {
			if err == nil {
				_, err = phrase.ParseExpr(part)
			}
		}
		return err
	}}
)

// Choice is one of a few words, in upper or lower case.
func Choice(list ...string) Words {
	return Words{words: "a choice", oneOf: list, check: func(text *string, _ eval.Env) error {
		i := slices.IndexFunc(list, func(c string) bool { return strings.EqualFold(c, *text) })
		if i < 0 {
			return isNot(OrList(list), *text)
		}
		*text = list[i]
		return nil
	}}
}

// Of are the words that completion offers.
func (w Words) Of(list []string) Words { w.oneOf = list; return w }

func parses[T any](parse func(string) (T, error)) func(*string, eval.Env) error {
	return func(text *string, _ eval.Env) error { _, err := parse(*text); return err }
}

func worksOut[T any](work func(string, eval.Env) (T, error)) func(*string, eval.Env) error {
	return func(text *string, env eval.Env) error { _, err := work(*text, env); return err }
}

// Ahead is today moved by a stretch such as "90 days".
func Ahead(text string, env eval.Env) (civil.Date, error) {
	return eval.ComputeDate("today, +"+strings.TrimPrefix(strings.TrimSpace(text), "+"), env)
}

// isNot is the fault of a value that isn't what a key takes.
func isNot(wanted, text string) error {
	return fmt.Errorf("expected %s, found %q", wanted, eval.Truncate(strings.TrimSpace(text)))
}

// Into fills a text.
func (w Words) Into(to *string) Takes {
	t := Takes{Words: w.words, Shape: w.shape, OneOf: w.oneOf, Field: to, Fill: func(v Value) error {
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

// Read fills the path of a file that is read.
func (w Words) Read(to *string) Takes {
	t := w.Into(to)
	t.File = true
	return t
}

// Repeat fills texts, each said by itself.
func (w Words) Repeat(to *[]string) Takes {
	return w.several(to, func(text string) []string { return []string{text} })
}

// List fills texts, of which several may stand in one with commas between them.
func (w Words) List(to *[]string) Takes { return w.several(to, SplitList) }

func (w Words) several(to *[]string, split func(string) []string) Takes {
	t := Takes{Words: w.words, Shape: max(w.shape, SomeTexts), OneOf: w.oneOf, Many: true, clear: func() { *to = nil }}
	t.Fill = func(v Value) error {
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
		if w.all != nil {
			return w.all(*to)
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
