// Package declare is how a thing that can be said is declared: once, beside the field that
// it fills. A flag of a command and a key of a plan are the same thing said at two places:
// as a text, and as a value of a file with its place. Reading, checking, help, completion
// and the schema come from the declaration.
package declare

import (
	"errors"
	"slices"
	"strings"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
)

// Key is one thing that can be said.
type Key struct {
	Name string
	// Help says what it is. Of a flag, the word in backquotes stands for the value, unless
	// Value does.
	Help, Value string
	Default     string // of a flag, its value if it isn't given; else in words; "" for none
	Example     string // a value
	More        string // further sentences, for its own page of help
	Needed      bool
	Part        string // of a plan's own keys, the part of the help in which it stands
	Takes       Takes
	// With are the flags of which one must be given for this one to mean anything; Not are
	// those beside which it means nothing.
	With, Not []string
	// Complete names what completion offers: columns, series, calendars.
	Complete string
	// Merge says that a series' value goes over its pattern's name by name, Adds that it
	// is beside it; otherwise it takes its place.
	Merge, Adds bool
	// Flag says that a key of a plan is that of a command.
	Flag  bool
	After func() error // what is done once it was read, or wasn't there

	given bool
}

// Value is what was said: the text of a flag, or a value of a file with its place.
type Value interface {
	Named() string // its key
	Text() (string, error)
	Items() (list []Value, ok bool) // of a list
	Wrap(err error) error           // with its place
}

// flag is the text of a flag.
type flag struct{ name, text string }

// Said is a text that was said of a key.
func Said(name, text string) Value { return flag{name, text} }

func (f flag) Named() string          { return f.name }
func (f flag) Text() (string, error)  { return f.text, nil }
func (f flag) Items() ([]Value, bool) { return nil, false }
func (f flag) Wrap(err error) error   { return err }

// Given reports whether the flag was set.
func (k *Key) Given() bool { return k.given }

// says reports whether it was set to something that counts: to a yes, if it takes yes or no.
func (k *Key) says() bool { return k.given && k.Takes.counts() }

// Set takes the text of a flag. One that takes one value takes it once.
func (k *Key) Set(text string) error { return k.Say(flag{k.Name, text}) }

// Say takes what was said of a flag, which a plan may say too.
func (k *Key) Say(v Value) error {
	items, list := v.Items()
	switch {
	case list && len(items) == 0:
		return nil
	case list && !k.Takes.Many:
		return items[0].Wrap(k.is("takes one value, not a list"))
	case k.given && !k.Takes.Many:
		return v.Wrap(k.is("was given twice"))
	}
	if k.Takes.clear != nil && !k.given {
		k.Takes.clear()
	}
	k.given = true
	return v.Wrap(k.Takes.Fill(v))
}

// Reset gives the flag its default.
func (k *Key) Reset() {
	if k.Default != "" {
		_ = k.Set(k.Default) // a default is good
	}
	k.given = false
}

// Check says what is wrong with what was set, or missing, as far as the flag alone tells;
// phrases are parsed, dates and spans worked out.
func (k *Key) Check(env eval.Env) error {
	if k.Needed && !k.given {
		return k.is("is required, for example " + rows.OptionRef(k.Name, k.Example))
	}
	if k.Takes.Check == nil {
		return nil
	}
	err := k.Takes.Check(env)
	if named := (*rows.OptionError)(nil); errors.As(err, &named) {
		return err
	}
	return rows.WrapOption(k.Name, err)
}

// is is a fault that goes on behind the name.
func (k *Key) is(text string) error {
	return &rows.OptionError{Option: k.Name, IsPredicate: true, Err: errors.New(text)}
}

// Line is the help on one line; that of a flag is without backquotes.
func (k *Key) Line() string {
	if !k.Flag {
		return k.Help
	}
	return k.Describe()
}

// Describe is the help of a flag as one sentence, for schemas and completion.
func (k *Key) Describe() string {
	return strings.Join(strings.Fields(strings.ReplaceAll(k.Help, "`", "")), " ")
}

// Told is the help with an example.
func (k *Key) Told() string {
	if k.Example == "" {
		return k.Help
	}
	return k.Help + ": `" + k.Name + ": " + k.Example + "`"
}

// Rule is what must hold among keys beyond what each says of itself by With and Not.
type Rule struct {
	If  []string // it holds where one of these was said; nil for always
	Any []string // one of these must be said; the first is the one that lacks
	Why string   // it must
	One []string // no two of these go together
}

// Lacks is the fault of a key that is missing, with what could stand for it or why it is needed.
func Lacks(name, more string) error {
	text := "is required"
	if more != "" {
		text += ": " + more
	}
	return (&Key{Name: name}).is(strings.Replace(text, ": or ", ", or ", 1))
}

// Fit checks that the keys that were set go with each other: none would be passed over in
// silence. Rules of keys that aren't there don't count.
func Fit(keys []*Key, rules ...Rule) error {
	says := func(name string) bool { k := Find(keys, name); return k != nil && k.says() }
	for _, k := range keys {
		if !k.says() {
			continue
		}
		if k.With != nil && !slices.ContainsFunc(k.With, says) {
			return k.is("needs " + OrList(others(k.With)))
		}
		if i := slices.IndexFunc(k.Not, says); i >= 0 {
			return k.is("can't be combined with " + rows.OptionRef(k.Not[i], ""))
		}
	}
	for _, r := range rules {
		if err := r.fit(says); err != nil {
			return err
		}
	}
	return nil
}

func (r Rule) fit(says func(name string) bool) error {
	if r.If != nil && !slices.ContainsFunc(r.If, says) {
		return nil
	}
	if r.Any != nil && !slices.ContainsFunc(r.Any, says) {
		more := r.Why
		for _, o := range r.Any[1:] {
			more = strings.TrimPrefix(more+" or "+rows.OptionRef(o, ""), " ")
		}
		return Lacks(r.Any[0], more)
	}
	said := slices.DeleteFunc(slices.Clone(r.One), func(name string) bool { return !says(name) })
	if len(said) > 1 {
		return rows.WrapOption(said[1], errors.New("use "+OrList(others(r.One))+", not both"))
	}
	return nil
}

// Find is the key with a name; nil if there is none.
func Find(keys []*Key, name string) *Key {
	if i := slices.IndexFunc(keys, func(k *Key) bool { return k.Name == name }); i >= 0 {
		return keys[i]
	}
	return nil
}

// others are flags in the text of an error.
func others(names []string) (list []string) {
	for _, name := range names {
		list = append(list, rows.OptionRef(name, ""))
	}
	return list
}

// OrList writes A, B or C.
func OrList(list []string) string {
	if n := len(list); n > 1 {
		return strings.Join(list[:n-1], ", ") + " or " + list[n-1]
	}
	return strings.Join(list, "")
}
