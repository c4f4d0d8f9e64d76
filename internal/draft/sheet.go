package draft

import (
	"cmp"
	"fmt"
	"strings"
	"unicode"

	"github.com/goccy/go-yaml"
)

// What a plan says is put together as values and written at the end. The library writes the
// texts; it has no blank lines, no remarks apart from what they remark on, and one-line
// mappings only everywhere, so the lines are made here.
type (
	// block is a mapping with a line for each key, flow one on a single line.
	block []entry
	flow  []entry
	// list is a list with a line for each item, whose keys are left out.
	list []entry
	// plain is a text that is YAML as it stands: a number, a date, a range.
	plain string
)

// entry is what is under a key, with a remark for people behind it. One without a key or a
// value is nothing but remarks.
type entry struct {
	key    string
	says   any // a text, a plain, []string, flow, block or list
	remark string
	gap    int // blanks before the remark; 0: remarkGap
}

// remarkGap is how many blanks part a value from its remark.
const remarkGap = 6

// note are lines for people.
func note(lines ...string) entry { return entry{remark: strings.Join(lines, "\n")} }

// String writes the mapping. What has lines below it at the top stands behind a blank line.
func (b block) String() string { return string(b.lines(nil, "")) }

func (b block) lines(to []byte, indent string) []byte {
	for _, e := range b {
		if e.says == nil {
			for line := range strings.Lines(e.remark) {
				to = fmt.Appendf(to, "%s# %s\n", indent, strings.TrimSuffix(line, "\n"))
			}
			continue
		}
		switch e.says.(type) {
		case block, list:
			if indent == "" {
				to = append(to, '\n')
			}
		}
		to = e.line(fmt.Appendf(to, "%s%s:", indent, quoted(e.key)), indent)
	}
	return to
}

// line writes what is said behind a key or a dash.
func (e entry) line(to []byte, indent string) []byte {
	if text := inLine(e.says); text != "" {
		to = append(append(to, ' '), text...)
	}
	if e.remark != "" {
		to = fmt.Appendf(to, "%*s# %s", cmp.Or(e.gap, remarkGap), "", e.remark)
	}
	to = append(to, '\n')
	switch says := e.says.(type) {
	case block:
		to = says.lines(to, indent+"  ")
	case list:
		for _, item := range says {
			to = item.line(fmt.Appendf(to, "%s  -", indent), indent+"  ")
		}
	}
	return to
}

// inLine is a value as it stands on its key's line; "" for what stands below it.
func inLine(says any) string {
	switch says := says.(type) {
	case string:
		return quoted(says)
	case plain:
		return string(says)
	case []string:
		var texts []string
		for _, s := range says {
			texts = append(texts, quoted(s))
		}
		return "[" + strings.Join(texts, ", ") + "]"
	case flow:
		var pairs []string
		for _, e := range says {
			pairs = append(pairs, quoted(e.key)+": "+inLine(e.says))
		}
		return "{" + strings.Join(pairs, ", ") + "}"
	}
	return ""
}

// quoted writes a text as YAML takes it anywhere on a line: plain, or in quotes.
func quoted(s string) string {
	text, err := yaml.Marshal(s)
	if err == nil && string(text) == s+"\n" && !strings.ContainsAny(s, ",[]{}#") &&
		!strings.ContainsFunc(s, func(r rune) bool { return !unicode.IsPrint(r) }) {
		return s
	}
	text, err = yaml.MarshalWithOptions(s, yaml.JSON())
	if err != nil { // a text is always written
		return fmt.Sprintf("%q", s)
	}
	return strings.TrimSuffix(string(text), "\n")
}
