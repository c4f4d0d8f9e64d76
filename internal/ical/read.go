package ical

import (
	"bufio"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode/utf8"
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

// Component is a component with what is in it.
type Component struct {
	Name  string
	Line  int
	Props []Property
	Subs  []*Component
	// FirstError is the first content line in it that can't be read; nil if all can. NestedError is
	// where a calendar stands inside another; nil for one that doesn't.
	FirstError, NestedError *Error
}

// problems are what is wrong with a calendar itself.
func (c *Component) problems() (list []*Error) {
	for _, e := range []*Error{c.FirstError, c.NestedError} {
		if e != nil {
			list = append(list, e)
		}
	}
	return list
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

// maxLineBytes is the most that one unfolded content line may hold.
const maxLineBytes = 1 << 20

// streamParser is the nesting of components while a stream is read.
type streamParser struct {
	file  string
	stack []*Component
	text  strings.Builder // a content line, unfolded
	start int             // line that it begins on
}

func (f *streamParser) fail(line int, format string, args ...any) error {
	return &Error{f.file, line, fmt.Sprintf(format, args...)}
}

// noCalendarMessage is the error for a file that is no calendar.
const noCalendarMessage = "not an iCalendar file: it doesn't begin with BEGIN:VCALENDAR"

// endLine ends the content line that was being read. One that can't be read makes
// its component a bad one; the rest goes on.
func (f *streamParser) endLine() error {
	if f.text.Len() == 0 {
		return nil
	}
	p, err := property(f.text.String())
	f.text.Reset()
	top := f.stack[len(f.stack)-1]
	if err != nil {
		if len(f.stack) == 1 {
			return f.fail(f.start, "%s", noCalendarMessage)
		}
		if top.FirstError == nil {
			top.FirstError = &Error{f.file, f.start, err.Error()}
		}
		return nil
	}
	p.Line = f.start
	name := strings.ToUpper(strings.TrimSpace(p.Value))
	switch {
	case p.Name == "BEGIN":
		if len(f.stack) == 1 && name != "VCALENDAR" {
			return f.fail(f.start, "%s", noCalendarMessage)
		}
		if len(f.stack) > 16 {
			return f.fail(f.start, "components are nested too deep")
		}
		c := &Component{Name: name, Line: f.start}
		top.Subs = append(top.Subs, c)
		f.stack = append(f.stack, c)
	case len(f.stack) == 1:
		return f.fail(f.start, "%s", noCalendarMessage)
	case p.Name == "END":
		if top.Name != name {
			return f.fail(f.start, "END:%s doesn't match BEGIN:%s on line %d", name, top.Name, top.Line)
		}
		f.stack = f.stack[:len(f.stack)-1]
	case p.Name == "VERSION" && top.Name == "VCALENDAR" && name == "1.0":
		return f.fail(f.start, "a vCalendar file (version 1.0); export it as iCalendar (version 2.0)")
	default:
		top.Props = append(top.Props, p)
	}
	return nil
}

// flattenCalendars puts calendars that stand inside others beside them.
func (f *streamParser) flattenCalendars(list []*Component, inside bool) (all []*Component) {
	for _, c := range list {
		if c.Name != "VCALENDAR" {
			continue
		}
		if inside {
			c.NestedError = &Error{f.file, c.Line, "a calendar begins inside another one; it is read anyway"}
		}
		all = append(append(all, c), f.flattenCalendars(c.Subs, true)...)
		c.Subs = slices.DeleteFunc(c.Subs, func(s *Component) bool { return s.Name == "VCALENDAR" })
	}
	return all
}

// Read reads an iCalendar stream into a component that holds its VCALENDARs.
// Lines may end with LF alone, as many files have it. Errors are of type *Error.
func Read(file string, r io.Reader) (*Component, error) {
	root := &Component{}
	f := &streamParser{file: file, stack: []*Component{root}}
	in := bufio.NewScanner(r)
	in.Buffer(make([]byte, 0, 4096), maxLineBytes)
	n := 0
	for in.Scan() {
		n++
		line := strings.TrimSuffix(in.Text(), "\r")
		if n == 1 {
			line = strings.TrimPrefix(line, "\ufeff")
		}
		if line != "" && (line[0] == ' ' || line[0] == '\t') && f.text.Len() > 0 {
			if f.text.WriteString(line[1:]); f.text.Len() > maxLineBytes {
				return nil, f.fail(f.start, "this line is longer than %d bytes", maxLineBytes)
			}
			continue
		}
		if err := f.endLine(); err != nil {
			return nil, err
		}
		f.start = n
		f.text.WriteString(line)
	}
	if err := in.Err(); err == bufio.ErrTooLong {
		return nil, f.fail(n+1, "this line is longer than %d bytes", maxLineBytes)
	} else if err != nil {
		return nil, err
	}
	if err := f.endLine(); err != nil {
		return nil, err
	}
	if top := f.stack[len(f.stack)-1]; len(f.stack) > 1 {
		return nil, f.fail(n, "the file ends inside %s, which began on line %d", top.Name, top.Line)
	}
	if len(root.Subs) == 0 {
		return nil, f.fail(1, "%s", noCalendarMessage)
	}
	root.Subs = f.flattenCalendars(root.Subs, false)
	return root, nil
}

// property reads one content line (section 3.1).
func property(s string) (p Property, err error) {
	if !utf8.ValidString(s) {
		return p, fmt.Errorf("the line is not UTF-8")
	}
	bad := malformedLineError(s)
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
			for quoted { // a list of quoted values
				part := ""
				if part, rest, ok = strings.Cut(rest[1:], `"`); !ok {
					return p, bad
				}
				value += part
				if quoted = strings.HasPrefix(rest, `,"`); quoted {
					value, rest = value+",", rest[1:]
				}
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

// splitTextList splits a TEXT list at its commas and takes the escapes out (section
// 3.3.11).
func splitTextList(s string) (list []string) {
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

// malformedLineError is the fault of a line that isn't NAME:VALUE, worded where it is reported.
type malformedLineError string

// Error shows how the line begins.
func (s malformedLineError) Error() string {
	return fmt.Sprintf("expected a line NAME:VALUE, found %q", string(s[:min(len(s), 40)]))
}
