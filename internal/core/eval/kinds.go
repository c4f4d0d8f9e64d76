package eval

import (
	"cmp"
	"fmt"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/workdays"
)

// AnyKind stands for a kind that only the cells tell.
const AnyKind Kind = 255

var kindNames = map[Kind]string{Blank: "a blank", Date: "a date", DateTime: "a date with a time", Number: "a number",
	Text: "a text", Boolean: "true or false"}

// kindOf says the kind of an expression as far as the phrase alone does.
func (c *compiler) kindOf(e phrase.Expr) Kind {
	switch e := e.(type) {
	case *phrase.Date, *phrase.Today, *phrase.Steps, *phrase.EarlierLater, *phrase.SeriesRef:
		return Date
	case *phrase.Number, *phrase.Count, *phrase.SeriesCount, *phrase.Complete, *phrase.DayCount, *phrase.Arith,
		*phrase.MinMax, *phrase.Round:
		return Number
	case *phrase.Text, *phrase.Age, *phrase.Format, *phrase.Join:
		return Text
	case *phrase.Part:
		return [...]Kind{phrase.NumberResult: Number, phrase.TextResult: Text, phrase.TruthResult: Boolean}[e.What.Result]
	case *phrase.Otherwise:
		if k := c.kindOf(e.A); k != AnyKind {
			return k
		}
		return c.kindOf(e.B)
	case *phrase.If:
		if k := c.kindOf(e.Then); k != AnyKind || e.Else == nil {
			return k
		}
		return c.kindOf(e.Else)
	case *phrase.Name:
		if i, err := c.slot(e); err == nil && i < len(c.Kinds) {
			return c.Kinds[i]
		}
		return AnyKind
	}
	return Boolean
}

// KindOf says the kind of a compiled expression as far as its phrase does; ok
// is false if only the cells tell.
func (p *Program) KindOf() (k Kind, ok bool) { return p.kind, p.kind != AnyKind }

// requireKind refuses an expression that can't be of the kind that is wanted.
func (c *compiler) requireKind(e phrase.Expr, k Kind) error {
	got := c.kindOf(e)
	if got == AnyKind || got == k || got == DateTime && k == Date || got == Blank {
		return nil
	}
	hint := ""
	if t, ok := e.(*phrase.Text); ok {
		hint = `texts go in single quotes, column names in double quotes: "` + t.Value + `"`
	}
	return c.fail(e.Pos(), "expected "+kindNames[k]+", found "+kindNames[got], hint)
}

// numberOf compiles an operand that must be a number or blank.
func (c *compiler) numberOf(e phrase.Expr) (valueFunc, error) {
	if err := c.requireKind(e, Number); err != nil {
		return nil, err
	}
	c.numberColumn(e)
	f, err := c.expr(e)
	if err != nil {
		return nil, err
	}
	return func(row []Value) (Value, error) {
		v, err := f(row)
		if err != nil || v.Kind == Number || v.Kind == Blank {
			return v, err
		}
		if n, ok := ParseSmallInt(v.Text); ok && v.Kind == Text && v.Format == NoFormat {
			return Int(n), nil
		}
		if n := normalize(v); n.Kind == Number {
			return n, nil
		}
		if isBlank(v) {
			return Value{}, nil
		}
		return Value{}, c.notNumber(e, "a number", v)
	}, nil
}

// NotNumberError is a cell that was taken as a number and isn't a plain one, or not a whole one.
type NotNumberError struct {
	Column, Text string
	Whole        bool
}

// Error says so.
func (e *NotNumberError) Error() string {
	return fmt.Sprintf("`%[2]s`: expected a plain number, found %[1]q", Truncate(e.Text), e.Column)
}

// notNumber is the fault of a value where a number is wanted.
func (c *compiler) notNumber(e phrase.Expr, wanted string, v Value) error {
	err := &phrase.Error{Phrase: c.text, Span: e.Pos(), Message: fmt.Sprintf("expected %s, found %q", wanted,
		Truncate(v.String()))}
	if n, ok := e.(*phrase.Name); ok {
		err.Err = &NotNumberError{n.Text, v.String(), wanted != "a number"}
	}
	return err
}

// valuePerCalendar compiles something once for each calendar that a column names.
func (c *compiler) valuePerCalendar(column *phrase.Name, compile func(*compiler) (valueFunc, error)) (valueFunc, error) {
	choose, err := perCalendar(c, column, compile)
	if err != nil {
		return nil, err
	}
	return func(row []Value) (Value, error) {
		f, err := choose(row)
		if err != nil || f == nil {
			return Value{}, err
		}
		return (*f)(row)
	}, nil
}

// intPerCalendar is valuePerCalendar for whole numbers.
func (c *compiler) intPerCalendar(column *phrase.Name, compile func(*compiler) (intFunc, error)) (intFunc, error) {
	choose, err := perCalendar(c, column, compile)
	if err != nil {
		return nil, err
	}
	return func(row []Value) (int, bool, error) {
		f, err := choose(row)
		if err != nil || f == nil {
			return 0, true, err
		}
		return (*f)(row)
	}, nil
}

// perCalendar returns a function that takes the calendar's name from a column and
// gives what was compiled for it; nil if the cell is blank. It is safe for
// concurrent use.
func perCalendar[T any](c *compiler, column *phrase.Name, compile func(*compiler) (T, error)) (func(row []Value) (*T, error), error) {
	slot, err := c.slot(column)
	if err != nil {
		return nil, err
	}
	// The names it uses, and what is wrong with it whatever the calendar, are known now.
	any := *c
	any.Calendar, any.calendarChosen = workdays.New("", 0), true
	if _, err := compile(&any); err != nil {
		return nil, err
	}
	named := func(name string) (*T, error) {
		u := &phrase.Using{Span: column.Span}
		for _, part := range strings.Split(name, "+") {
			u.Calendars = append(u.Calendars, phrase.Name{Span: column.Span, Text: strings.TrimSpace(part)})
		}
		cal, err := c.calendar(u)
		if err != nil {
			return nil, err
		}
		inner := *c
		inner.Env = c.Env.withoutCollectors()
		inner.Calendar, inner.calendarChosen = cal, true
		t, err := compile(&inner)
		return &t, err
	}
	made := &compiledTexts[*T]{}
	return func(row []Value) (*T, error) {
		name := strings.TrimSpace(row[slot].String())
		c.CalendarCells.Add(name)
		if name == "" {
			return nil, nil
		}
		return made.compile(name, named, keepError)
	}, nil
}

func keepError(err error) error { return err }

// asDay takes a cell as a day: a date, the day of a moment, or text that is an
// ISO date or has signs behind its numbers, which are as clear.
func asDay(v Value) (civil.Date, bool) {
	switch v.Kind {
	case Date, DateTime:
		return v.Day, true
	case Text:
		if d, _, ok := civil.Parse(v.Text); ok {
			return d, true
		}
		s := strings.TrimSpace(v.Text)
		if len(s) <= 10 && len(s) == len(v.Text) {
			return civil.None, false
		}
		if len(s) > 10 && (s[10] == 'T' || s[10] == ' ') { // a time behind it is dropped
			s = s[:10]
		}
		d, _, ok := civil.Parse(s)
		if !ok && len(s) > 10 && strings.HasPrefix(s[4:], "年") {
			return civil.ParseSigned(s)
		}
		return d, ok
	}
	return civil.None, false
}

// AsDate takes a cell as a date or moment; ok is false if it is neither.
func AsDate(v Value) (Value, bool) {
	if v.Kind == DateTime {
		return v, true
	}
	d, ok := asDay(v)
	if ok && len(v.Text) > len("2027-03-31") && v.Kind == Text {
		return DayIn(d, v.Text), true
	}
	if v.Kind == Date {
		return v, true
	}
	return Day(d), ok
}

// normalize takes a cell for what it holds: a text that is an ISO date is a date, a
// text that is a number a number.
func normalize(v Value) Value {
	if v.Kind != Text {
		return v
	}
	if d, ok := asDay(v); ok {
		return Day(d)
	}
	if n, ok := parseNumber(strings.TrimSpace(v.Text)); ok {
		return n
	}
	if t := strings.TrimSpace(v.Text); strings.EqualFold(t, "true") || strings.EqualFold(t, "false") {
		return Bool(strings.EqualFold(t, "true"))
	}
	return v
}

// isBlank reports whether a cell is blank, white space alone included.
func isBlank(v Value) bool {
	return v.Kind == Blank || v.Kind == Text && strings.TrimSpace(v.Text) == ""
}

// compareValues compares two settled values that aren't blank; a date and a moment by
// date. ok is false if they are of different kinds.
func compareValues(a, b Value) (n int, ok bool) {
	if kindOrder[a.Kind] != kindOrder[b.Kind] {
		return cmp.Compare(kindOrder[a.Kind], kindOrder[b.Kind]), false
	}
	switch a.Kind {
	case Date, DateTime:
		if a.Kind == DateTime && b.Kind == DateTime {
			return CompareTimes(a, b), true
		}
		return cmp.Compare(a.Day, b.Day), true
	case Number:
		return compareNumbers(a, b), true
	case Boolean:
		return cmp.Compare(a.Num, b.Num), true
	}
	return strings.Compare(a.Text, b.Text), true
}

// kindOrder order the kinds of cells in a sort; blanks come last.
var kindOrder = [...]int{Number: 0, Date: 1, DateTime: 1, Boolean: 2, Text: 3, Blank: 4}

// CompareCells compares two cells for sorting: numbers, then dates, then texts, each by
// itself, blanks last.
func CompareCells(a, b Value) int {
	if a.Kind == Number && b.Kind == Number {
		return compareNumbers(a, b)
	}
	if isBlank(a) || isBlank(b) {
		switch {
		case !isBlank(a):
			return -1
		case !isBlank(b):
			return 1
		}
		return 0
	}
	a, b = normalize(a), normalize(b)
	n, _ := compareValues(a, b)
	return cmp.Or(n, cmp.Compare(a.Minutes, b.Minutes))
}

// CompareInOrder is CompareCells for an order that rises, way 1, or falls, -1: blanks are last either
// way.
func CompareInOrder(a, b Value, way int) int {
	if isBlank(a) || isBlank(b) {
		way = 1
	}
	return CompareCells(a, b) * way
}

// CellKey is a cell as a key: its text, case kept, and a date however it stands.
func CellKey(v Value) string {
	if d, ok := asDay(v); ok {
		return d.String()
	}
	if v.Rounded { // 1200.50 and 1200.5 are one key
		v.Places = 0
	}
	return v.String()
}

// AppendCellKey appends what CellKey returns.
func AppendCellKey(b []byte, v *Value) []byte {
	switch v.Kind {
	case Date:
		return v.Day.Append(b)
	case Number:
		if !v.Rounded {
			return v.AppendNumber(b)
		}
	}
	return append(b, CellKey(*v)...)
}
