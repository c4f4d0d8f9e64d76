package ical

import (
	"bufio"
	"fmt"
	"io"
	"strconv"
	"strings"
	"unicode/utf8"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/recur"
)

// Error is a fault in an iCalendar file with its line.
type Error struct {
	File    string
	Line    int
	Message string
}

// Error gives file:line and the fault.
func (e *Error) Error() string { return fmt.Sprintf("%s:%d: %s", e.File, e.Line, e.Message) }

// Property is a content line: name and parameters in capitals, the value as it
// stands.
type Property struct {
	Name   string
	Params map[string]string
	Value  string
	Line   int // on which it starts
}

// Component is a component with what stands in it.
type Component struct {
	Name  string
	Line  int
	Props []Property
	Subs  []*Component
}

// Get returns the first property of a name; its Line is 0 when there is none.
func (c *Component) Get(name string) Property {
	for _, p := range c.Props {
		if p.Name == name {
			return p
		}
	}
	return Property{}
}

// longest is the most that one unfolded content line may hold.
const longest = 1 << 20

// Read reads an iCalendar stream into a component that holds its VCALENDARs.
// Lines may end with LF alone, as many files have it. Errors are of type *Error.
func Read(file string, r io.Reader) (*Component, error) {
	root := &Component{}
	stack := []*Component{root}
	fail := func(line int, format string, args ...any) error {
		return &Error{file, line, fmt.Sprintf(format, args...)}
	}
	in := bufio.NewScanner(r)
	in.Buffer(make([]byte, 0, 4096), longest)
	var text strings.Builder
	start, n := 0, 0
	take := func() error {
		if text.Len() == 0 {
			return nil
		}
		p, err := property(text.String())
		text.Reset()
		if err != nil {
			return fail(start, "%v", err)
		}
		p.Line = start
		top := stack[len(stack)-1]
		name := strings.ToUpper(strings.TrimSpace(p.Value))
		switch {
		case p.Name == "BEGIN":
			if len(stack) == 1 && name != "VCALENDAR" {
				return fail(start, "this is not an iCalendar file: it should begin with BEGIN:VCALENDAR")
			}
			if len(stack) > 16 {
				return fail(start, "components are nested too deep")
			}
			c := &Component{Name: name, Line: start}
			top.Subs = append(top.Subs, c)
			stack = append(stack, c)
		case len(stack) == 1:
			return fail(start, "this is not an iCalendar file: it should begin with BEGIN:VCALENDAR")
		case p.Name == "END":
			if top.Name != name {
				return fail(start, "END:%s closes nothing; %s began on line %d", name, top.Name, top.Line)
			}
			stack = stack[:len(stack)-1]
		default:
			top.Props = append(top.Props, p)
		}
		return nil
	}
	for in.Scan() {
		n++
		line := strings.TrimSuffix(in.Text(), "\r")
		if n == 1 {
			line = strings.TrimPrefix(line, "\ufeff")
		}
		if line != "" && (line[0] == ' ' || line[0] == '\t') && text.Len() > 0 {
			if text.WriteString(line[1:]); text.Len() > longest {
				return nil, fail(start, "this line is longer than %d bytes", longest)
			}
			continue
		}
		if err := take(); err != nil {
			return nil, err
		}
		start = n
		text.WriteString(line)
	}
	if err := in.Err(); err == bufio.ErrTooLong {
		return nil, fail(n+1, "this line is longer than %d bytes", longest)
	} else if err != nil {
		return nil, err
	}
	if err := take(); err != nil {
		return nil, err
	}
	if top := stack[len(stack)-1]; len(stack) > 1 {
		return nil, fail(n, "the file ends inside %s, which began on line %d", top.Name, top.Line)
	}
	if len(root.Subs) == 0 {
		return nil, fail(1, "this is not an iCalendar file: it should begin with BEGIN:VCALENDAR")
	}
	return root, nil
}

// property reads one content line (section 3.1).
func property(s string) (p Property, err error) {
	if !utf8.ValidString(s) {
		return p, fmt.Errorf("the line is not UTF-8")
	}
	bad := fmt.Errorf("not a content line NAME:VALUE: %q", s[:min(len(s), 40)])
	end := strings.IndexAny(s, ";:")
	if end < 1 {
		return p, bad
	}
	p.Name = strings.ToUpper(s[:end])
	for s = s[end:]; s[0] == ';'; {
		name, rest, ok := strings.Cut(s[1:], "=")
		if !ok {
			return p, bad
		}
		value, quoted := "", strings.HasPrefix(rest, `"`)
		if quoted {
			if value, rest, ok = strings.Cut(rest[1:], `"`); !ok {
				return p, bad
			}
		} else {
			i := strings.IndexAny(rest, ";:")
			if i < 0 {
				return p, bad
			}
			value, rest = rest[:i], rest[i:]
		}
		if rest == "" || rest[0] != ';' && rest[0] != ':' {
			return p, bad
		}
		if p.Params == nil {
			p.Params = map[string]string{}
		}
		p.Params[strings.ToUpper(name)] = value
		s = rest
	}
	p.Value = s[1:]
	return p, nil
}

// texts splits a TEXT list at its commas and takes the escapes out (section
// 3.3.11).
func texts(s string) (list []string) {
	var b strings.Builder
	for i := 0; i < len(s); i++ {
		switch {
		case s[i] == '\\' && i+1 < len(s):
			if i++; s[i] == 'n' || s[i] == 'N' {
				b.WriteByte('\n')
			} else {
				b.WriteByte(s[i])
			}
		case s[i] == ',':
			list = append(list, b.String())
			b.Reset()
		default:
			b.WriteByte(s[i])
		}
	}
	return append(list, b.String())
}

// DayEvent is an all-day event: the days that it covers, and how it recurs.
type DayEvent struct {
	Summary    string
	Categories string // joined by ", "
	Line       int
	First      civil.Date // DTSTART
	Days       int
	Rule       *recur.Rule // its starts; nil where it has no RRULE and no RDATE
}

// AllDay returns the all-day events of a file that aren't cancelled.
func AllDay(file string, root *Component) (list []DayEvent, err error) {
	for _, cal := range root.Subs {
		for _, e := range cal.Subs {
			start := e.Get("DTSTART")
			if e.Name != "VEVENT" || strings.EqualFold(e.Get("STATUS").Value, "CANCELLED") ||
				start.Params["VALUE"] != "DATE" && strings.Contains(start.Value, "T") {
				continue
			}
			d, err := dayEvent(e)
			if err != nil {
				return nil, &Error{file, d.Line, err.Error()}
			}
			list = append(list, d)
		}
	}
	return list, nil
}

// dayEvent reads one event; d.Line is where a fault is.
func dayEvent(e *Component) (d DayEvent, err error) {
	d.Line = e.Line
	start := e.Get("DTSTART")
	if start.Line == 0 {
		return d, fmt.Errorf("an event without DTSTART")
	}
	d.Line = start.Line
	if d.First, err = basicDate(start.Value); err != nil {
		return d, err
	}
	d.Summary = strings.Join(texts(e.Get("SUMMARY").Value), ",")
	d.Days = 1
	if end := e.Get("DTEND"); end.Line > 0 {
		last, err := basicDate(end.Value)
		if err != nil {
			d.Line = end.Line
			return d, err
		}
		d.Days = max(1, int(last-d.First))
	} else if long := e.Get("DURATION"); long.Line > 0 {
		if d.Days, err = durationDays(long.Value); err != nil {
			d.Line = long.Line
			return d, err
		}
	}
	var cats []string
	var without, plus []civil.Date
	var rule *recur.RRule
	for _, p := range e.Props {
		d.Line = p.Line
		switch p.Name {
		case "CATEGORIES":
			cats = append(cats, texts(p.Value)...)
		case "RRULE":
			if rule, err = recur.ParseRRule(p.Value); err != nil {
				return d, err
			}
		case "EXDATE", "RDATE":
			for _, v := range strings.Split(p.Value, ",") {
				day, err := basicDate(v)
				if err != nil {
					return d, err
				}
				if p.Name == "RDATE" {
					plus = append(plus, day)
				} else {
					without = append(without, day)
				}
			}
		}
	}
	d.Line = start.Line
	d.Categories = strings.Join(cats, ", ")
	if rule == nil && plus == nil {
		return d, nil
	}
	// DTSTART is in the set whether the rule gives it or not (section 3.8.5.3).
	plus = append(plus, d.First)
	if rule == nil {
		d.Rule = recur.Dates(plus)
		return d, nil
	}
	if d.Rule, err = rule.Rule(d.First); err != nil {
		return d, err
	}
	for _, day := range without { // an EXDATE takes DTSTART out too
		if day == d.First {
			plus = plus[:len(plus)-1]
		}
	}
	d.Rule.Without, d.Rule.Plus = without, plus
	d.Rule.Prepare()
	return d, nil
}

// basicDate reads 20270331, and drops a time behind it.
func basicDate(s string) (civil.Date, error) {
	day, _, _ := strings.Cut(strings.TrimSpace(s), "T")
	if len(day) == 8 {
		if d, _, ok := civil.Parse(day[:4] + "-" + day[4:6] + "-" + day[6:]); ok {
			return d, nil
		}
	}
	return civil.None, fmt.Errorf("not a date: %q; dates here are written 20270331", s)
}

// durationDays reads the whole days of a duration such as P2D or P1W.
func durationDays(s string) (int, error) {
	bad := fmt.Errorf("not a duration of days: %q; for example P2D", s)
	rest, ok := strings.CutPrefix(strings.TrimPrefix(strings.ToUpper(s), "+"), "P")
	if !ok || len(rest) < 2 || len(rest) > 6 {
		return 0, bad
	}
	n, err := strconv.Atoi(rest[:len(rest)-1])
	switch {
	case err != nil || n < 1:
		return 0, bad
	case rest[len(rest)-1] == 'W':
		return 7 * n, nil
	case rest[len(rest)-1] == 'D':
		return n, nil
	}
	return 0, bad
}
