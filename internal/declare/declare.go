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
	// Placeholder does.
	Help, Placeholder string
	Default           string // of a flag, its value if it isn't given; else in words; "" for none
	Example           string // a value
	Details           string // further sentences, for its own page of help
	Required          bool
	Section           string // of a plan's own keys, the part of the help in which it stands
	Value             ValueSpec
	// Requires are the flags of which one must be given for this one to mean anything; Conflicts are
	// those beside which it means nothing.
	Requires, Conflicts []string
	// Completion names what completion offers: columns, series, calendars.
	Completion string
	// Merge says that a series' value goes over its pattern's name by name, Appends that it
	// is beside it; otherwise it takes its place.
	Merge, Appends bool
	// IsOption says that a key of a plan is that of a command.
	IsOption  bool
	AfterRead func() error // what is done once it was read, or wasn't there

	isSet bool
}

// Input is what was said: the text of a flag, or a value of a file with its place.
type Input interface {
	Name() string // its key
	Text() (string, error)
	Items() (list []Input, ok bool) // of a list
	Wrap(err error) error           // with its place
}

// optionInput is the text of a flag.
type optionInput struct{ option, text string }

// NewInput is a text that was said of a key.
func NewInput(name, text string) Input { return optionInput{name, text} }

func (f optionInput) Name() string           { return f.option }
func (f optionInput) Text() (string, error)  { return f.text, nil }
func (f optionInput) Items() ([]Input, bool) { return nil, false }
func (f optionInput) Wrap(err error) error   { return err }

// IsSet reports whether the flag was set.
func (k *Key) IsSet() bool { return k.isSet }

// isActive reports whether it was set to something that counts: to a yes, if it takes yes or no.
func (k *Key) isActive() bool { return k.isSet && k.Value.isActive() }

// Set takes the text of a flag. One that takes one value takes it once.
func (k *Key) Set(text string) error { return k.Read(optionInput{k.Name, text}) }

// Read takes what was said of a flag, which a plan may say too.
func (k *Key) Read(v Input) error {
	items, list := v.Items()
	switch {
	case list && len(items) == 0:
		return nil
	case list && !k.Value.Repeatable:
		return items[0].Wrap(k.newError("takes one value, not a list"))
	case k.isSet && !k.Value.Repeatable:
		return v.Wrap(k.newError("was given twice"))
	}
	if k.Value.reset != nil && !k.isSet {
		k.Value.reset()
	}
	k.isSet = true
	return v.Wrap(k.Value.Assign(v))
}

// Reset gives the flag its default.
func (k *Key) Reset() {
	if k.Default != "" {
		_ = k.Set(k.Default) // a default is good
	}
	k.isSet = false
}

// Check says what is wrong with what was set, or missing, as far as the flag alone tells;
// phrases are parsed, dates and spans worked out.
func (k *Key) Check(env eval.Env) error {
	if k.Required && !k.isSet {
		return k.newError("is required, for example " + rows.OptionRef(k.Name, k.Example))
	}
	if k.Value.Check == nil {
		return nil
	}
	err := k.Value.Check(env)
	if named := (*rows.OptionError)(nil); errors.As(err, &named) {
		return err
	}
	return rows.WrapOption(k.Name, err)
}

// newError is a fault that goes on behind the name.
func (k *Key) newError(text string) error {
	return &rows.OptionError{Option: k.Name, IsPredicate: true, Err: errors.New(text)}
}

// HelpLine is the help on one line; that of a flag is without backquotes.
func (k *Key) HelpLine() string {
	if !k.IsOption {
		return k.Help
	}
	return k.Describe()
}

// Describe is the help of a flag as one sentence, for schemas and completion.
func (k *Key) Describe() string {
	return strings.Join(strings.Fields(strings.ReplaceAll(k.Help, "`", "")), " ")
}

// HelpText is the help with an example.
func (k *Key) HelpText() string {
	if k.Example == "" {
		return k.Help
	}
	return k.Help + ": `" + k.Name + ": " + k.Example + "`"
}

// Rule is what must hold among keys beyond what each says of itself by With and Not.
type Rule struct {
	If        []string // it holds where one of these was said; nil for always
	AnyOf     []string // one of these must be said; the first is the one that lacks
	Reason    string   // it must
	OnlyOneOf []string // no two of these go together
}

// MissingError is the fault of a key that is missing, with what could stand for it or why it is needed.
func MissingError(name, more string) error {
	text := "is required"
	if more != "" {
		text += ": " + more
	}
	return (&Key{Name: name}).newError(strings.Replace(text, ": or ", ", or ", 1))
}

// CheckCombination checks that the keys that were set go with each other: none would be passed over in
// silence. Rules of keys that aren't there don't count.
func CheckCombination(keys []*Key, rules ...Rule) error {
	says := func(name string) bool { k := Find(keys, name); return k != nil && k.isActive() }
	for _, k := range keys {
		if !k.isActive() {
			continue
		}
		if k.Requires != nil && !slices.ContainsFunc(k.Requires, says) {
			return k.newError("needs " + OrList(optionRefs(k.Requires)))
		}
		if i := slices.IndexFunc(k.Conflicts, says); i >= 0 {
			return k.newError("can't be combined with " + rows.OptionRef(k.Conflicts[i], ""))
		}
	}
	for _, r := range rules {
		if err := r.check(says); err != nil {
			return err
		}
	}
	return nil
}

func (r Rule) check(says func(name string) bool) error {
	if r.If != nil && !slices.ContainsFunc(r.If, says) {
		return nil
	}
	if r.AnyOf != nil && !slices.ContainsFunc(r.AnyOf, says) {
		more := r.Reason
		for _, o := range r.AnyOf[1:] {
			more = strings.TrimPrefix(more+" or "+rows.OptionRef(o, ""), " ")
		}
		return MissingError(r.AnyOf[0], more)
	}
	said := slices.DeleteFunc(slices.Clone(r.OnlyOneOf), func(name string) bool { return !says(name) })
	if len(said) > 1 {
		return rows.WrapOption(said[1], errors.New("use "+OrList(optionRefs(r.OnlyOneOf))+", not both"))
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

// optionRefs are flags in the text of an error.
func optionRefs(names []string) (list []string) {
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
