package rows

import (
	"strings"

	"sync/atomic"

	"yoyaku/internal/core/eval"
)

// OptionError is a fault in what an option says, or what comes of it.
type OptionError struct {
	Option string // its name, without dashes
	// IsPredicate marks a fault that goes on behind the name: "is stop or blank, not …".
	IsPredicate bool
	Err         error
}

// Error names the option and the fault.
func (e *OptionError) Error() string {
	if e.IsPredicate {
		return e.Option + " " + FormatOptionRefs(e.Err.Error(), false)
	}
	return e.Option + ": " + FormatOptionRefs(e.Err.Error(), false)
}

// OptionRef writes an option, with a value or "", into the text of an OptionError: whether it is
// --within or `within` is known where the error is shown.
func OptionRef(option, value string) string {
	return "‹" + strings.TrimSpace(option+" "+value) + "›"
}

// FormatOptionRefs writes the options in a text as flags, --bands 30, or as keys of a plan, `bands: 30`.
func FormatOptionRefs(text string, flags bool) string {
	for {
		before, rest, ok := strings.Cut(text, "‹")
		option, after, closed := strings.Cut(rest, "›")
		if !ok || !closed {
			return text
		}
		switch name, value, valued := strings.Cut(option, " "); {
		case flags:
			option = "--" + option
		case valued:
			option = "`" + name + ": " + value + "`"
		default:
			option = "`" + option + "`"
		}
		text = before + option + after
	}
}

// Unwrap returns the fault.
func (e *OptionError) Unwrap() error { return e.Err }

// WrapOption names the option that an error comes from; nil stays nil.
func WrapOption(option string, err error) error {
	if err == nil {
		return nil
	}
	return &OptionError{Option: option, Err: err}
}

// Table is a table that something is asked of: its rows as they come in, and
// what phrases make of each.
type Table struct {
	*Derive
	Name string // in messages
	In   Reader
	Env  eval.Env
	// Rejects takes the rows with a bad cell as they came in, with the reason
	// behind them; nil if they go nowhere.
	Rejects Sink
	// Dates are the columns that phrases take dates from, Numbers those they take
	// numbers from, Cells those that they take as whatever the cell holds.
	Dates, Numbers, Cells []int
	// Progress counts rows as they pass, if it isn't nil.
	Progress *atomic.Int64
	// Text is the row that Scan is at as it is in its file, where RestrictCells allows that
	// and it is so; else "".
	Text        string
	acceptsText func(sep byte) bool
	usage       Usage
}

// RestrictCells lets Scan leave input cells blank that no phrase, MarkUsed or FindColumn asked
// for. acceptsText tells for which separators the row's text may be passed on unchanged.
func (t *Table) RestrictCells(suits func(sep byte) bool) { t.acceptsText = suits }

// AnyText suits an answer that doesn't give the rows out.
func AnyText(byte) bool { return true }

// MarkUsed notes a slot that an answer looks at.
func (t *Table) MarkUsed(slot int) { t.used = append(t.used, slot) }

// NewTable prepares to ask something of a table.
func NewTable(name string, r Reader, env eval.Env) *Table {
	t := &Table{Derive: NewDerive(r.Columns()), Name: name, In: r, Env: env}
	t.Env.Uses = eval.Uses{All: &t.used, Dates: &t.Dates, Numbers: &t.Numbers, Terms: &t.Terms, Halves: &t.halves, Cells: &t.Cells}
	t.usage.Attach(&t.Env)
	return t
}

// AddHiddenPhrase compiles a phrase of an option whose value each row carries behind its
// columns; Day does so where it must be a date. It returns its place in the row.
func (t *Table) AddHiddenPhrase(option, text string) (int, error) {
	slot, err := t.addHiddenBy(option, text, compileAny, t.Env)
	return slot, WrapOption(option, err)
}

// AddHiddenDate is AddHiddenPhrase for a phrase that must give a date.
func (t *Table) AddHiddenDate(option, text string) (int, error) {
	slot, err := t.addHiddenBy(option, text, eval.CompileDate, t.Env)
	return slot, WrapOption(option, err)
}

// AddHiddenRangeEnd is AddHiddenDate for an end of a range, which may be half a day.
func (t *Table) AddHiddenRangeEnd(option, text string) (int, error) {
	slot, err := t.addHiddenBy(option, text, eval.CompileRangeEnd, t.Env)
	return slot, WrapOption(option, err)
}

// FindColumn finds a column that an option names.
func (t *Table) FindColumn(option, name string) (int, error) {
	i := ColumnIndex(t.Visible(), UnquoteName(name))
	if i < 0 {
		return i, WrapOption(option, UnknownColumn(UnquoteName(name), t.Visible()))
	}
	t.MarkUsed(i)
	return i, nil
}

// IfGiven returns the slot that find gives for the value of an option that may be left out; -1
// without one.
func IfGiven(find func(option, text string) (int, error), option, text string) (int, error) {
	if text == "" {
		return -1, nil
	}
	return find(option, text)
}

// Filter keeps the rows of which all conditions hold.
func (t *Table) Filter(conditions []string) error {
	for _, c := range conditions {
		if err := t.Where(c, t.Env); err != nil {
			return WrapOption("where", err)
		}
	}
	return nil
}
